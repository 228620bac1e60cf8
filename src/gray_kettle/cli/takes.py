"""The commands about what a case holds: `takes`, `alerts`, `thin` and `check`."""

from pathlib import Path
from typing import Annotated

import typer

from gray_kettle.cli.options import CasePath, Json, print_json
from gray_kettle.errors import InvalidInput

Numbers = Annotated[
    list[int] | None, typer.Option("--set-aside", help="Number of a take that is not to count; repeat it.")
]
Back = Annotated[
    list[int] | None,
    typer.Option("--bring-back", help="Number of a take that is to count again; repeat it."),
]


def takes(case: CasePath, set_aside: Numbers = None, bring_back: Back = None, json: Json = False) -> None:
    """What was taken, what became of it, and what counts."""
    from gray_kettle.export.json_api.takes import takes_answer
    from gray_kettle.export.text import print_rich, takes_table
    from gray_kettle.store import Case

    with Case.open(case) as opened:
        for number in set_aside or ():
            opened.take_list.set_aside(number)
        for number in bring_back or ():
            opened.take_list.bring_back(number)
        found = opened.take_list.all()
    if json:
        print_json(takes_answer(found))
    else:
        print_rich(takes_table(found) if found else "Nothing was taken: `gray-kettle take CASE FILE`.")


def alerts(case: CasePath, json: Json = False) -> None:
    """What began while somebody watched: `watch`, or the app while it took."""
    from gray_kettle.export.json_api.alerts import alerts_answer
    from gray_kettle.export.text import alerts_table, print_rich
    from gray_kettle.store import Case

    with Case.open(case) as opened:
        found, setup = opened.alerts.all(), opened.setup()
    if json:
        print_json(alerts_answer(found))
    else:
        print_rich(
            alerts_table(found, setup.site_time)
            if found
            else "Nothing was noticed: `gray-kettle watch CASE`."
        )


def thin(
    case: CasePath,
    older: Annotated[
        str, typer.Option("--older", help="Than this, before the newest: for example 24h, 7d.")
    ] = "7d",
    json: Json = False,
) -> None:
    """Make a case smaller: single sweep rows and seconds of traffic go, their sums and all answers stay."""
    from gray_kettle.cli.progress import progress_bar
    from gray_kettle.collect.live.uri import duration_s
    from gray_kettle.detection import detect_pending
    from gray_kettle.export.json_api.takes import thin_answer
    from gray_kettle.store import Case
    from gray_kettle.store.thinning import thin as thin_out

    seconds = duration_s(older)
    if seconds is None:
        raise InvalidInput("--older is a duration: write for example 24h or 7d.")
    with Case.open(case) as opened:
        with progress_bar("detecting emitters") as progress:
            detect_pending(opened, progress)
        before = case.stat().st_size
        span_s = opened.span_s()
        with progress_bar("thinning") as progress:
            went = thin_out(opened, span_s[1] - seconds if span_s else 0.0, progress)
        opened.give_back()
    freed = before - case.stat().st_size
    if json:
        print_json(thin_answer(went.sweep_rows, went.traffic_rows, freed))
    else:
        print(
            f"{went.sweep_rows:,} sweep rows and {went.traffic_rows:,} rows of traffic were thinned out; "
            f"the case is {freed / 1e6:,.1f} MB smaller."
        )


def check(
    case: CasePath,
    repair: Annotated[
        bool, typer.Option("--repair", help="Write what can be read into a new case beside it.")
    ] = False,
    json: Json = False,
) -> None:
    """Read all of a case and list what is damaged, and what is missing. Exit code 1 where something is damaged."""
    from gray_kettle.cli.progress import progress_bar
    from gray_kettle.export.json_api.takes import check_answer
    from gray_kettle.interference import DETECTOR_VERSION
    from gray_kettle.store import header
    from gray_kettle.store.verify import repaired, verify, what_is_missing

    version = header.check(case)
    with progress_bar("checking") as progress:
        rows, damage = verify(case, progress)
    missing = what_is_missing(case, DETECTOR_VERSION)
    written: Path | None = None
    if repair and damage:
        with progress_bar("writing") as progress:
            written = repaired(case, progress)
    if json:
        print_json(check_answer(rows, damage, None if written is None else written.name, version, missing))
    elif damage:
        print("\n".join(f"▲ {sentence}" for sentence in damage))
        if written is not None:
            print(f"{written} has what could be read. {case} was left as it is.")
    else:
        print(f"Format {version}, {rows:,} rows, nothing damaged.")
    if missing and not json:
        print("\n".join(["Not there:", *(f"  {what}" for what in missing)]))
    if damage:
        raise typer.Exit(1)
