"""The commands that print an answer: a readable table, or JSON with `--json`."""

from typing import Annotated

import typer

from gray_kettle.cli.emitter_notes import Dismissed, Kinds, Names, save_notes
from gray_kettle.cli.options import (
    Band,
    CasePath,
    End,
    Json,
    Start,
    check_band,
    end,
    load,
    moment,
    print_json,
)
from gray_kettle.cli.progress import progress_bar
from gray_kettle.errors import InvalidInput, KettleError
from gray_kettle.safe_text import printable

_MOST_LINES = 2000  # of a flood of made-up radios the rest says nothing, and takes a minute to lay out


def heard(case: CasePath, band: Band = None, from_: Start = None, to: End = None, json: Json = False) -> None:
    """Radios on the air, their networks and clients."""
    chosen = check_band(band)
    session = load(case, from_, to, detect=False)
    inventory = session.inventory
    radios = tuple(r for r in inventory.radios if chosen in (None, r.band))
    if json:
        from gray_kettle.export.json_api.heard import heard_answer

        print_json(heard_answer(radios, inventory.links), session)
    else:
        from gray_kettle.export.text import heard_table, print_rich

        shown = radios[:_MOST_LINES]
        print_rich(heard_table(shown) if shown else "No radio was observed: take a scan or a capture.")
        if len(shown) < len(radios):
            print(f"… and {len(radios) - len(shown):,} fainter radios: --json lists all.")
    end(session)


def air(
    case: CasePath,
    radio: Annotated[
        str | None, typer.Option("--radio", help="As seen by this own radio (its id or a BSSID).")
    ] = None,
    band: Band = None,
    from_: Start = None,
    to: End = None,
    json: Json = False,
) -> None:
    """Utilisation and interference of every channel, and the clear air that is left."""
    chosen = check_band(band)
    session = load(case, from_, to)
    assessment = session.assessment
    victim = assessment.radio(radio.lower()) if radio else None
    if radio and victim is None:
        raise KettleError(f"No radio {radio} in this window: see `gray-kettle heard {case}`.")
    if json:
        from gray_kettle.export.json_api.air import air_answer

        print_json(air_answer(assessment, victim, chosen), session)
    else:
        from gray_kettle.export.text import air_table, print_rich

        print_rich(air_table(assessment, victim, chosen))
    end(session)


def channels(
    case: CasePath,
    radio: Annotated[
        str | None, typer.Option("--radio", help="Whose clear air: an own radio (its id or a BSSID).")
    ] = None,
    band: Band = None,
    sort: Annotated[
        str, typer.Option("--sort", help="channel, busy, clear, radios, clients, foreign, non-wifi, retries.")
    ] = "channel",
    only: Annotated[
        str, typer.Option("--only", help="all, permitted, usable, recommended, in use, free.")
    ] = "all",
    from_: Start = None,
    to: End = None,
    json: Json = False,
) -> None:
    """The channel map: who is on each channel, how busy it is, and what speaks for or against it."""
    from gray_kettle.planner.channel_map import FILTERS, SORTS, channel_map

    chosen = check_band(band)
    if sort not in SORTS:
        raise InvalidInput(f"“{printable(sort)}” is no order: use {', '.join(SORTS)}.")
    if only not in FILTERS:
        raise InvalidInput(f"“{printable(only)}” is no choice of channels: use {', '.join(FILTERS)}.")
    session = load(case, from_, to)
    assessment = session.assessment
    seen_by = assessment.radio(radio.lower()) if radio else None
    if radio and (seen_by is None or not seen_by.own):
        raise KettleError(f"No own radio {radio} in this window: see `gray-kettle heard {case}`.")
    with progress_bar("computing the plan") as progress:
        session.planning = lambda done: progress(done, 1.0)
        found = session.best
    rows = channel_map(assessment, session.setup, found, seen_by)
    shown = (r for r in rows if chosen in (None, r.channel.band) and FILTERS[only](r))
    rows = tuple(sorted(shown, key=SORTS[sort]))
    if json:
        from gray_kettle.export.json_api.channels import channels_answer

        print_json(channels_answer(rows, seen_by.id if seen_by else None), session)
    else:
        from gray_kettle.export.channel_text import channel_table
        from gray_kettle.export.text import print_rich

        print_rich(channel_table(rows))
    end(session)


def since(
    case: CasePath,
    time: Annotated[
        str | None,
        typer.Argument(metavar="[TIME]", help="Since when, ISO 8601; without it, before the newest take."),
    ] = None,
    json: Json = False,
) -> None:
    """What is new, what is gone and what moved since a moment."""
    from gray_kettle.analysis.inventory.since import changes_since, moment_before

    session = load(case, None, None, detect=False)
    moment_s = moment(time) if time else moment_before(session.observations.takes)
    if moment_s is None:
        raise KettleError("There is but one take: name a time, or take once more.")
    found = changes_since(session.inventory.radios, session.observations, moment_s)
    if json:
        from gray_kettle.export.json_api.since import since_answer

        print_json(since_answer(found), session)
    else:
        from gray_kettle.export.text import since_text

        print(since_text(found))
    end(session)


def spots(case: CasePath, from_: Start = None, to: End = None, json: Json = False) -> None:
    """How well each spot is covered by our radios, band by band, worst first."""
    from gray_kettle.analysis.spots import spot_table
    from gray_kettle.analysis.thresholds import thresholds_of

    session = load(case, from_, to, detect=False)
    limits = thresholds_of(session.setup)
    rows = spot_table(session.inventory.radios, limits)
    if json:
        from gray_kettle.export.json_api.spots import spots_answer

        print_json(spots_answer(rows, limits.coverage_dbm), session)
    else:
        from gray_kettle.export.text import print_rich, spots_table

        print_rich(
            spots_table(rows)
            if rows
            else "No own radio was heard at a named spot: name spots with `take … --spot`, and the own networks."
        )
    end(session)


def emitters(
    case: CasePath,
    band: Band = None,
    from_: Start = None,
    to: End = None,
    name: Names = None,
    kind: Kinds = None,
    dismiss: Dismissed = None,
    json: Json = False,
) -> None:
    """Non-Wi-Fi emitters: the likely kind with its evidence, where and when."""
    from gray_kettle.export.json_api.emitters import emitters_answer
    from gray_kettle.export.text import emitters_text

    chosen = check_band(band)
    session = load(case, from_, to)
    if save_notes(case, session.assessment, name or [], kind or [], dismiss or []):
        session = load(case, from_, to)
    if json:
        print_json(emitters_answer(session.assessment, chosen, session.observations.rows_pending), session)
    else:
        print(emitters_text(session.assessment, chosen, session.observations.rows_pending))
    end(session)


def brief(case: CasePath, from_: Start = None, to: End = None, json: Json = False) -> None:
    """What is wrong, worst first, with a first step for each finding."""
    session = load(case, from_, to)
    findings = session.quick_findings
    if json:
        from gray_kettle.export.json_api.brief import brief_answer

        print_json(brief_answer(session.assessment, findings), session)
    else:
        from gray_kettle.export.text import brief_text

        print(brief_text(session.assessment, findings))
    end(session)


def plan(case: CasePath, band: Band = None, from_: Start = None, to: End = None, json: Json = False) -> None:
    """Channel and width for each own radio, with reasons, and the other steps."""
    from gray_kettle.export.json_api.plan import plan_answer
    from gray_kettle.export.text import plan_text

    chosen = check_band(band)
    session = load(case, from_, to)
    with progress_bar("computing the plan") as progress:
        session.planning = lambda done: progress(done, 1.0)
        proposal = session.proposal
    if json:
        print_json(plan_answer(proposal, chosen), session)
    else:
        print(plan_text(proposal, chosen))
    end(session)


def best(case: CasePath, band: Band = None, from_: Start = None, to: End = None, json: Json = False) -> None:
    """The best channel and width of each band, how sure that is, and what looks right and is not."""

    chosen = check_band(band)
    session = load(case, from_, to)
    with progress_bar("computing the plan") as progress:
        session.planning = lambda done: progress(done, 1.0)
        found = session.best
    found = tuple(answer for answer in found if chosen in (None, answer.band))
    if json:
        from gray_kettle.export.json_api.best import best_answer

        print_json(best_answer(found), session)
    else:
        from gray_kettle.export.best_text import best_text

        print(best_text(found))
    end(session)


def explain(
    case: CasePath,
    about: Annotated[
        list[str] | None,
        typer.Argument(
            metavar="[ABOUT]", help="Radios (id, BSSID or name), emitters (id), or findings (their kind)."
        ),
    ] = None,
    from_: Start = None,
    to: End = None,
    json: Json = False,
) -> None:
    """Where figures come from: inputs, how they are computed, and what would change them."""
    from gray_kettle.export.json_api.explain import explain_answer, explained
    from gray_kettle.export.text import explain_text

    session = load(case, from_, to)
    found = explained(session, about or [])
    if json:
        print_json(explain_answer(found), session)
    else:
        print(explain_text(found))
    end(session)
