"""What places and forms ask of the screen around them. Light: the first picture needs these, but no numerics."""

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from textual.message import Message

if TYPE_CHECKING:
    from gray_kettle.analysis.assessment import Emitter, Radio
    from gray_kettle.model.records import SweepRows
    from gray_kettle.session import Session


@dataclass
class Jump(Message):
    """To the evidence: a place, and the radio or emitter it is about ("" for none).

    only: a filter to show there; back: the place to which leaving that filter leads.
    """

    place: str
    about: str
    only: str = ""
    back: str = ""


@dataclass
class SweepReceived(Message):
    """A live row arrived, as so manieth of its take."""

    rows: "SweepRows"
    count: int


@dataclass
class LiveEnded(Message):
    """A live take ended; wrong: whether it could not be made."""

    told: str
    wrong: bool


@dataclass
class WorkProgress(Message):
    """How far a long work of the reader is."""

    what: str
    done: float  # share

    def can_replace(self, message: Message) -> bool:
        return isinstance(message, WorkProgress)


@dataclass
class LiveDetections(Message):
    """The emitters of the last minutes of what is being collected."""

    emitters: "tuple[Emitter, ...]"


@dataclass
class ToWindow(Message):
    """Look at this stretch of time."""

    start_s: float
    end_s: float


@dataclass
class MarkOwn(Message):
    """Take this radio for own, or no longer."""

    radio: "Radio"


@dataclass
class GiveName(Message):
    """Ask what to call this radio."""

    radio: "Radio"


@dataclass
class JoinRadios(Message):
    """Take these for one radio."""

    radios: "tuple[Radio, Radio]"


@dataclass
class PartBssids(Message):
    """Take these for radios of their own."""

    bssids: tuple[str, ...]


@dataclass
class AnnotateEmitter(Message):
    """Tell something of an emitter that was found. what: "name", "kind" or "dismiss"."""

    emitter: "Emitter"
    what: str


@dataclass
class Follow(Message):
    """Follow this radio, or no longer."""

    radio: "Radio"


@dataclass
class Shown(Message):
    """A reading is there. Comes twice, without and with the proposal.

    busy: of each band over the whole case, for the rail; None when the window is only a part of it.
    """

    session: "Session"
    span_s: tuple[float, float]
    busy: dict[str, list[float]] | None
    with_proposal: bool


@dataclass
class OpenCase(Message):
    """Open this case; fresh: it was just made, so go on with the first files."""

    path: Path
    fresh: bool


class OpenDemo(Message):
    """Open the demo case."""


@dataclass
class EditPreferences(Message):
    """Change what is asked of the plan. what: "lock" for this radio, or "edit"."""

    radio: "Radio"
    what: str


@dataclass
class MarkDone(Message):
    """A step of the plan was carried out: ask when."""

    radio: "Radio"
    text: str
