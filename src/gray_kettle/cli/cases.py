"""The commands that make cases out of cases: `copy` and `merge`."""

from pathlib import Path
from typing import Annotated

import typer

from gray_kettle.cli.options import CasePath, End, KeepMaker, Mask, Start, window_of
from gray_kettle.cli.progress import progress_bar
from gray_kettle.errors import InvalidInput

NewCase = Annotated[Path, typer.Argument(metavar="NEW", help="The case to write, NAME.kettle.")]


def copy(
    case: CasePath,
    new: NewCase,
    from_: Start = None,
    to: End = None,
    compact: Annotated[
        bool, typer.Option("--compact", help="Without takes that do not count, and older setups.")
    ] = False,
    mask: Mask = False,
    keep_maker: KeepMaker = False,
) -> None:
    """Copy a case: as it is, also while a take runs into it; or a window of it, compacted, or masked."""
    from gray_kettle.masking import MaskOptions
    from gray_kettle.store.transfer import Selection, backed_up, copied

    start_s, end_s = window_of(from_, to)
    selection = Selection(
        Selection.start_s if start_s is None else start_s,
        Selection.end_s if end_s is None else end_s,
        compact,
    )
    damage: tuple[str, ...] = ()
    if selection == Selection() and not mask:
        with progress_bar("copying"):
            backed_up(case, new)
    else:
        masked = MaskOptions("all", keep_maker) if mask else None
        with progress_bar("copying") as progress:
            damage = copied(case, new, selection, masked, progress)
    _say(new, damage)


def merge(
    new: NewCase,
    cases: Annotated[list[Path], typer.Argument(metavar="CASE...", help="Two cases of one site, or more.")],
) -> None:
    """Put cases of one site together: what is in several is in the new one once. The first one's settings count."""
    from gray_kettle.store.transfer import merged_cases

    if len(cases) < 2:
        raise InvalidInput("Name two cases or more: gray-kettle merge NEW CASE CASE.")
    with progress_bar("merging") as progress:
        damage = merged_cases(cases, new, progress)
    _say(new, damage)


def _say(new: Path, damage: tuple[str, ...]) -> None:
    for what in damage:
        print(f"▲ {what}")
    print(f"{new} written, {new.stat().st_size / 1e6:,.1f} MB.")
