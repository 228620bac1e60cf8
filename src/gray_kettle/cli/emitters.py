"""The command `emitters`: what is not Wi-Fi, and what the technician tells of it."""

from dataclasses import replace
from pathlib import Path
from typing import Annotated

import typer

from gray_kettle.analysis.assessment import Assessment, Emitter
from gray_kettle.analysis.emitters.tracking import note_of
from gray_kettle.errors import KettleError
from gray_kettle.model.records import KINDS
from gray_kettle.model.setup import EmitterNote
from gray_kettle.safe_text import printable

Names = Annotated[
    list[str] | None, typer.Option("--name", metavar="ID=NAME", help="Give an emitter a name of yours.")
]
Kinds = Annotated[list[str] | None, typer.Option("--kind", metavar="ID=KIND", help="Say what it really is.")]
Dismissed = Annotated[
    list[str] | None,
    typer.Option("--dismiss", metavar="ID", help="It is known and of no concern; repeat to undo."),
]


def tell(
    case: Path, assessment: Assessment, names: list[str], kinds: list[str], dismissed: list[str]
) -> bool:
    """Keep what was told of emitters with the case. Gives back whether anything was.

    Raises: KettleError, for an emitter that is not there and a kind that there is not.
    """
    notes: dict[str, EmitterNote] = {}
    for text in names:
        emitter, name = _of(assessment, text)
        notes[emitter.id] = replace(notes.get(emitter.id, note_of(emitter)), name=printable(name))
    for text in kinds:
        emitter, kind = _of(assessment, text)
        if kind not in KINDS:
            raise KettleError(f"“{kind}” is no kind: {', '.join(KINDS)}.")
        told = "" if kind == emitter.found_kind else kind
        notes[emitter.id] = replace(notes.get(emitter.id, note_of(emitter)), kind=told)
    for text in dismissed:
        emitter, _ = _of(assessment, text)
        note = notes.get(emitter.id, note_of(emitter))
        notes[emitter.id] = replace(note, is_dismissed=not emitter.is_dismissed)
    if notes:
        from gray_kettle.store import Case

        with Case.open(case) as opened:
            setup = opened.setup()
            opened.save_setup(replace(setup, emitters=(*setup.emitters, *notes.values())))
    return bool(notes)


def _of(assessment: Assessment, text: str) -> tuple[Emitter, str]:
    """The emitter of an id, and what stands behind the equals sign."""
    for emitter in assessment.emitters:
        if text == emitter.id or text.startswith(f"{emitter.id}="):
            return emitter, text[len(emitter.id) + 1 :].strip()
    known = ", ".join(e.id for e in assessment.emitters) or "none was found"
    raise KettleError(f"There is no emitter {text.partition('=')[0]} in this window: {known}.")
