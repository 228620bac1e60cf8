"""The command `proof`: did the change help?"""

from typing import TYPE_CHECKING, Annotated

import typer

from gray_kettle.cli.options import CasePath, End, Json, Start, moment, print_json, window_of
from gray_kettle.cli.progress import progress_bar

if TYPE_CHECKING:
    from gray_kettle.proof.prove import Proof
    from gray_kettle.site_timezone import SiteTime

_MOST_NAMES = 6


def proof(
    case: CasePath,
    since: Annotated[
        str | None,
        typer.Option("--since", help="The moment of the change, in place of the last that is known."),
    ] = None,
    from_: Start = None,
    to: End = None,
    all_: Annotated[
        bool, typer.Option("--all", help="List the figures without a shown change too, line by line.")
    ] = False,
    json: Json = False,
) -> None:
    """Did the change help? Every figure of our radios before and after, like hours with like hours.

    Before and after are the reference window and the window where a reference is set, else up to the last change and
    from it on.
    """
    from gray_kettle.export.json_api.proof import proof_answer
    from gray_kettle.export.text import print_rich, proof_table
    from gray_kettle.proof import words
    from gray_kettle.proof.compare import Verdict
    from gray_kettle.proof.trials import judged_trials
    from gray_kettle.proving import prove
    from gray_kettle.store import Case

    window = window_of(from_, to)
    with Case.open(case) as opened:
        with progress_bar("comparing") as progress:
            found = prove(opened, window, moment(since), progress)
        site_time = opened.setup().site_time
        trials = judged_trials(opened.trials.all())
    if json:
        print_json(proof_answer(found, trials))
        return
    print(_summary(found, site_time))
    shown = tuple(r for r in found.results if all_ or r.verdict is not Verdict.NO_CHANGE)
    if shown:
        print_rich(proof_table(shown))
    if len(shown) < len(found.results):
        print(f"{len(found.results) - len(shown)} figures show no change: --all lists them.")
    if trials.settings:
        print(f"Trials, download in Mb/s: {words.trials(trials)}")


def _summary(found: "Proof", site_time: "SiteTime") -> str:
    """What was compared, what was changed, and what came of it."""
    from gray_kettle.proof.compare import Verdict

    def span(window: tuple[float, float]) -> str:
        start, end = (site_time.minute(time_s) for time_s in window)
        return f"{start:%a %d %H:%M} – {end:%a %d %H:%M}"

    counts = ", ".join(f"{found.count(verdict)} {verdict}" for verdict in Verdict if found.count(verdict))
    lines = [
        f"before {span(found.before)}   after {span(found.after)}{site_time.suffix}: {counts or 'nothing'}"
    ]
    for change in found.changes:
        how = "carried out" if change.is_carried_out else "moved by itself"
        lines.append(f"{site_time.minute(change.time_s):%a %d %H:%M}  {change.name}: {change.text} ({how})")
    if found.together:
        lines.append(
            f"Made at one time, so that no comparison can say which helped: {'; '.join(found.together)}."
        )
    for what, names in (("Came", found.came), ("Went", found.went)):
        if names:
            more = " …" if len(names) > _MOST_NAMES else ""
            lines.append(f"{what}: {', '.join(names[:_MOST_NAMES])}{more}.")
    return "\n".join(lines)
