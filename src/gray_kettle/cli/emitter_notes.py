"""Options of the command `emitters` that keep a note: a name, the right kind, dismissed."""

from dataclasses import replace
from functools import reduce
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gray_kettle.errors import InvalidInput, KettleError

if TYPE_CHECKING:
    from gray_kettle.analysis.assessment import Assessment, Emitter
    from gray_kettle.model.setup import EmitterNote

Names = Annotated[
    list[str] | None, typer.Option("--name", metavar="ID=NAME", help="Name an emitter; repeat it.")
]
Kinds = Annotated[
    list[str] | None, typer.Option("--kind", metavar="ID=KIND", help="Correct its kind; repeat it.")
]
Dismissed = Annotated[
    list[str] | None,
    typer.Option("--dismiss", metavar="ID", help="Known and of no concern; once more to undo."),
]


def save_notes(
    case: Path, assessment: "Assessment", names: list[str], kinds: list[str], dismissed: list[str]
) -> bool:
    """Keep notes on emitters with the case. Returns whether there were any.

    Raises: KettleError, for an emitter that is not in the window; InvalidInput, for a kind that does not exist.
    """
    from gray_kettle.analysis.emitters.tracking import note_of
    from gray_kettle.model.enums import EmitterKind
    from gray_kettle.safe_text import printable

    notes: dict[str, EmitterNote] = {}
    for text in names:
        emitter, name = _split(assessment, text)
        notes[emitter.id] = replace(notes.get(emitter.id, note_of(emitter)), name=printable(name))
    for text in kinds:
        emitter, kind = _split(assessment, text)
        if kind not in list(EmitterKind):
            raise InvalidInput(f"“{printable(kind)}” is not a kind of emitter: {', '.join(EmitterKind)}.")
        corrected = "" if kind == emitter.found_kind else kind
        notes[emitter.id] = replace(notes.get(emitter.id, note_of(emitter)), kind=corrected)
    for text in dismissed:
        emitter, _ = _split(assessment, text)
        note = notes.get(emitter.id, note_of(emitter))
        notes[emitter.id] = replace(note, is_dismissed=not emitter.is_dismissed)
    if notes:
        from gray_kettle.setup_editor import with_emitter_note
        from gray_kettle.store import Case

        with Case.open(case) as opened:
            opened.edit_setup(lambda setup: reduce(with_emitter_note, notes.values(), setup))
    return bool(notes)


def _split(assessment: "Assessment", text: str) -> "tuple[Emitter, str]":
    """The emitter whose id the text begins with, and what follows the equals sign."""
    for emitter in assessment.emitters:
        if text == emitter.id or text.startswith(f"{emitter.id}="):
            return emitter, text[len(emitter.id) + 1 :].strip()
    known = ", ".join(e.id for e in assessment.emitters) or "no emitter was detected"
    raise KettleError(f"There is no emitter {text.partition('=')[0]} in this window: {known}.")
