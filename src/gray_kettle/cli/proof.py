"""The command `proof`: did the change help?"""

from typing import TYPE_CHECKING, Annotated

import typer

from gray_kettle.cli.options import CasePath, End, Json, Start, moment, print_json, window_of
from gray_kettle.cli.progress import progress_bar
from gray_kettle.errors import InvalidInput

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
    each: Annotated[
        bool,
        typer.Option(
            "--each", help="Each change with what lay between it and its neighbours, one after the other."
        ),
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
    from gray_kettle.proof.trials import judged_by_client
    from gray_kettle.proving import prove, prove_each
    from gray_kettle.store import Case

    window = window_of(from_, to)
    if each and (since or from_ or to or json):
        raise InvalidInput(
            "--each takes every change of the case, as text: leave out --since, --from, --to and --json."
        )
    with Case.open(case) as opened:
        with progress_bar("comparing") as progress:
            if each:
                proofs = prove_each(opened, progress)
            else:
                found = prove(opened, window, moment(since), progress)
        site_time = opened.setup().site_time
        trials = judged_by_client(opened.trials.all())
    if each:
        _print_each(proofs, site_time)
        return
    if json:
        print_json(proof_answer(found, trials))
        return
    print(_summary(found, site_time))
    shown = tuple(r for r in found.results if all_ or r.verdict is not Verdict.NO_CHANGE)
    if shown:
        print_rich(proof_table(shown))
    if len(shown) < len(found.results):
        print(f"{len(found.results) - len(shown)} figures show no change: --all lists them.")
    if found.soak is not None:
        print(f"Soak: {words.soak_progress(found.soak, site_time)}")
        for event in found.soak.events:
            print(f"  {words.event(event, site_time)}")
    for result in trials:
        by = words.measured_by(result)
        print(f"Trials, download in Mb/s{' ' + by if by else ''}: {words.trials(result)}")


def _print_each(proofs: "tuple[Proof, ...]", site_time: "SiteTime") -> None:
    from gray_kettle.export.text import print_rich, proof_table
    from gray_kettle.proof.compare import Verdict

    for number, one in enumerate(proofs, 1):
        print(f"{number}  {_summary(one, site_time)}")
        certain = tuple(r for r in one.results if r.verdict in (Verdict.BETTER, Verdict.WORSE))
        if certain:
            print_rich(proof_table(certain))
    came, said = (sum(counts) for counts in zip(*(one.record for one in proofs), strict=True))
    if len(proofs) > 1 and said:
        print(f"Over all changes: of {said} differences that the model expected, {came} came so.")


def _summary(found: "Proof", site_time: "SiteTime") -> str:
    """What was compared, what was changed, and what came of it."""
    from gray_kettle.proof import words
    from gray_kettle.proof.compare import Verdict

    def span(window: tuple[float, float]) -> str:
        start, end = (site_time.minute(time_s) for time_s in window)
        return f"{start:%a %d %H:%M} – {end:%a %d %H:%M}"

    counts = ", ".join(f"{found.count(verdict)} {verdict}" for verdict in Verdict if found.count(verdict))
    lines = [
        f"before {span(found.before)}   after {span(found.after)}{site_time.suffix}: {counts or 'nothing'}"
    ]
    lines += words.changes(found.changes, site_time)
    if found.together:
        lines.append(
            f"{len(found.together)} changes were made at one time: what they did to the same radio cannot be told "
            "apart."
        )
    if found.absent:
        lines.append(f"Not compared, as not heard on both sides: {', '.join(found.absent)}.")
    lines += [text for text in (words.record(found), words.too_early(found)) if text]
    for what, names in (("Came", found.came), ("Went", found.went)):
        if names:
            more = " …" if len(names) > _MOST_NAMES else ""
            lines.append(f"{what}: {', '.join(names[:_MOST_NAMES])}{more}.")
    return "\n".join(lines)
