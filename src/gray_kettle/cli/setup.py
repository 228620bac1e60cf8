"""The commands `new` and `set`: the setup of a case."""

from collections.abc import Callable, Iterable
from functools import partial
from pathlib import Path
from typing import Annotated

import typer

from gray_kettle.model.setup import Setup

CasePath = Annotated[Path, typer.Argument(metavar="CASE", help="The case file, NAME.kettle.")]
Own = Annotated[
    list[str] | None, typer.Option("--own", help="SSID or BSSID of a network that is ours; repeat it.")
]
Country = Annotated[str | None, typer.Option("--country", help="Two letters, for example GB.")]
TimeZone = Annotated[
    str | None,
    typer.Option("--time-zone", help="IANA name, for example America/Chicago; - for the country's own."),
]
Clients = Annotated[
    list[str] | None,
    typer.Option("--clients", help="A client limit: 2.4:1-11, tern-gate@2.4:20MHz, 5:36-48,149; repeat it."),
]
Site = Annotated[str | None, typer.Option("--site", help="Name of the site.")]
Complaint = Annotated[str | None, typer.Option("--complaint", help="The complaint, in the customer's words.")]


def new(
    case: CasePath,
    site: Site = None,
    country: Country = None,
    time_zone: TimeZone = None,
    complaint: Complaint = None,
    own: Own = None,
    clients: Clients = None,
) -> None:
    """Create a case."""
    from gray_kettle import configuration
    from gray_kettle.store import Case

    defaults = configuration.load()
    setup = Setup(country=defaults.country, time_zone=defaults.time_zone)
    Case.create(case, _site_changes(setup, site, country, time_zone, complaint, own, clients)).close()


def mark(
    case: CasePath,
    text: Annotated[
        str | None, typer.Argument(metavar="[WORDS]", help="What happened, for example “boat in”.")
    ] = None,
    at: Annotated[str | None, typer.Option("--at", help="When, ISO 8601; now, where it is left out.")] = None,
    remove: Annotated[bool, typer.Option("--remove", help="Take away the mark of --at.")] = False,
) -> None:
    """Mark a moment with a word; without one, list the marks."""
    import time

    from gray_kettle.cli.options import moment
    from gray_kettle.export.utc import iso
    from gray_kettle.setup_editor import with_mark
    from gray_kettle.store import Case

    moment_s = moment(at) if at else round(time.time(), 1)
    assert moment_s is not None
    with Case.open(case) as opened:
        if text or remove:
            opened.edit_setup(lambda setup: with_mark(setup, moment_s, "" if remove else text or ""))
        marks = opened.setup().marks
    for time_s, word in marks:
        print(f"{iso(time_s)}  {word}")


def set_(
    case: CasePath,
    site: Site = None,
    country: Country = None,
    time_zone: TimeZone = None,
    complaint: Complaint = None,
    own: Own = None,
    clients: Clients = None,
    name: Annotated[
        list[str] | None, typer.Option("--name", help="BSSID=NAME: the name of a radio; repeat it.")
    ] = None,
    threshold: Annotated[
        list[str] | None,
        typer.Option(
            "--threshold", help="NAME=VALUE, or NAME= for the default (docs/scoring.md); repeat it."
        ),
    ] = None,
    together: Annotated[
        list[str] | None, typer.Option("--together", help="BSSID,BSSID: they are one radio; repeat it.")
    ] = None,
    apart: Annotated[
        list[str] | None, typer.Option("--apart", help="BSSID: it is a radio of its own; repeat it.")
    ] = None,
    lock: Annotated[
        list[str] | None, typer.Option("--lock", help="BSSID: the plan keeps its channel; - for none.")
    ] = None,
    offers: Annotated[
        list[str] | None,
        typer.Option(
            "--offers", help="BSSID=36-64 or BSSID=40MHz: what it can be set to; BSSID= for anything."
        ),
    ] = None,
    weight: Annotated[
        list[str] | None, typer.Option("--weight", help="BSSID=2: weight of its throughput; repeat it.")
    ] = None,
    radar: Annotated[
        str | None, typer.Option("--radar", help="DFS channels: avoid, allow or prefer.")
    ] = None,
    most_moves: Annotated[
        int | None, typer.Option("--most-moves", min=-1, help="Largest number of changes; -1 for any.")
    ] = None,
    change_cost: Annotated[
        float | None,
        typer.Option("--change-cost", min=0.0, max=5.0, help="What a change must gain, in log units."),
    ] = None,
    design_load: Annotated[
        str | None,
        typer.Option(
            "--design-load", help="Per cent of the air that each own radio offers in the busy hour."
        ),
    ] = None,
    load: Annotated[
        list[str] | None,
        typer.Option("--load", help="BSSID=30: the same for one radio, BSSID= for the default; repeat it."),
    ] = None,
    hours: Annotated[
        str | None,
        typer.Option("--hours", help="Hours of the day that count, local time: 8-16; - for all."),
    ] = None,
    reference: Annotated[
        str | None,
        typer.Option("--reference", help="START/END (ISO 8601) of the reference window; - for none."),
    ] = None,
) -> None:
    """Change the setup of a case: what is given is replaced, the rest stays."""
    from gray_kettle import setup_editor as edit
    from gray_kettle.store import Case

    def changed(setup: Setup) -> Setup:
        setup = _site_changes(setup, site, country, time_zone, complaint, own, clients)
        setup = _repeated(setup, name, _named)
        setup = _repeated(setup, threshold, edit.with_threshold)
        setup = _repeated(setup, together, lambda s, word: edit.with_joined(s, word.split(",")))
        if apart:
            setup = edit.with_separate(setup, apart)
        if lock is not None:
            setup = edit.with_locked(setup, [one for one in lock if one != "-"])
        setup = _repeated(setup, offers, _offered)
        setup = _repeated(setup, weight, lambda s, word: edit.with_weight(s, *_pair(word, "BSSID=2")))
        setup = _repeated(setup, load, _loaded)
        for text, change in (
            (radar, edit.with_radar),
            (None if hours is None else hours.strip().removeprefix("-"), edit.with_hours),
            (None if most_moves is None else "" if most_moves < 0 else str(most_moves), edit.with_most_moves),
            (None if change_cost is None else str(change_cost), edit.with_change_cost),
            (design_load, edit.with_design_load),
        ):
            setup = _repeated(setup, None if text is None else [text], change)
        if reference is not None:
            setup = edit.with_reference(setup, None if reference == "-" else edit.reference_from(reference))
        return setup

    with Case.open(case) as opened:
        opened.edit_setup(changed)


def _repeated(setup: Setup, words: Iterable[str] | None, change: Callable[[Setup, str], Setup]) -> Setup:
    for word in words or ():
        setup = change(setup, word)
    return setup


def _loaded(setup: Setup, word: str) -> Setup:
    from gray_kettle.setup_editor import with_design_load

    radio, text = _pair(word, "BSSID=30")
    return with_design_load(setup, text, radio)


def _named(setup: Setup, word: str) -> Setup:
    from gray_kettle.setup_editor import with_radio_name

    owner, name = _pair(word, "BSSID=NAME")
    return with_radio_name(setup, [owner], name)


def _offered(setup: Setup, word: str) -> Setup:
    """Repeating the option for one radio adds limits; "BSSID=" clears them."""
    from gray_kettle.setup_editor import address, with_radio_limits

    owner, text = _pair(word, "BSSID=36-64")
    before = [limit for radio, limit in setup.preferences.offers if radio == address(owner)]
    return with_radio_limits(setup, owner, [*before, text] if text else [])


def _pair(word: str, example: str) -> tuple[str, str]:
    from gray_kettle.errors import InvalidInput
    from gray_kettle.safe_text import printable

    owner, equals, text = word.partition("=")
    if not equals:
        raise InvalidInput(f"“{printable(word)}” is not {example}.")
    return owner, text.strip()


def _site_changes(
    setup: Setup,
    site: str | None,
    country: str | None,
    time_zone: str | None,
    complaint: str | None,
    own: list[str] | None,
    clients: list[str] | None,
) -> Setup:
    from dataclasses import replace

    from gray_kettle import setup_editor as edit

    steps: list[Callable[[Setup], Setup]] = []
    if site is not None:
        steps.append(lambda s: replace(s, site=site))
    if complaint is not None:
        steps.append(lambda s: replace(s, complaint=complaint))
    if country is not None:
        steps.append(partial(edit.with_country, text=country))
    if time_zone is not None:
        steps.append(partial(edit.with_time_zone, text=time_zone.strip().removeprefix("-")))
    if own is not None:
        steps.append(partial(edit.with_own, names=own))
    if clients is not None:
        steps.append(partial(edit.with_client_limits, limits=clients))
    for step in steps:
        setup = step(setup)
    return setup
