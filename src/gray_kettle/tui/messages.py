"""Messages from views and workers to the main screen. Light: the first picture needs these, but no numerics."""

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from textual.message import Message

if TYPE_CHECKING:
    from gray_kettle.analysis.assessment import Emitter, Radio
    from gray_kettle.model.records import Alert, SweepRows
    from gray_kettle.model.setup import Setup
    from gray_kettle.session import Session
    from gray_kettle.tui.walk.levels import Sighted


# Navigation


@dataclass
class Jump(Message):
    """Go to the evidence in a view. about: id of a radio or emitter, "" for none.

    only: a filter to apply there; back: the view to return to when that filter is left.
    """

    view: str
    about: str
    only: str = ""
    back: str = ""


@dataclass
class ToWindow(Message):
    """Show this window, seconds since the epoch."""

    start_s: float
    end_s: float


@dataclass
class Follow(Message):
    """Follow this radio, or stop following it."""

    radio: "Radio"


@dataclass
class OpenCase(Message):
    """Open this case. fresh: it was just created, so continue with the first files."""

    path: Path
    fresh: bool


class OpenDemo(Message):
    """Open the demo case."""


# Answers and progress of workers


@dataclass
class Shown(Message):
    """A session has answers to show. Comes twice, without and with the proposal.

    busy: of each band over the whole case, for the timeline; None when the window is only a part of it.
    """

    session: "Session"
    span_s: tuple[float, float]
    busy: dict[str, list[float]] | None
    with_proposal: bool


@dataclass
class WorkProgress(Message):
    """Progress of a long computation. done: share, 0 to 1."""

    what: str
    done: float

    def can_replace(self, message: Message) -> bool:
        return isinstance(message, WorkProgress)


@dataclass
class SweepReceived(Message):
    """A live row arrived. count: rows of the take so far."""

    rows: "SweepRows"
    count: int


@dataclass
class LiveDetections(Message):
    """The emitters in the last minutes of a live take."""

    emitters: "tuple[Emitter, ...]"


@dataclass
class SightingsReceived(Message):
    """What one scan or second of a live take heard."""

    sightings: "tuple[Sighted, ...]"


@dataclass
class TakeGrew(Message):
    """What of a take came so far. share: of a file that was read."""

    name: str
    scans: int
    frames: int
    rows: int
    share: float

    def can_replace(self, message: Message) -> bool:
        return isinstance(message, TakeGrew) and message.name == self.name


@dataclass
class TakeEnded(Message):
    """A take ended: a line for each source that was read, and one for each that was refused."""

    name: str
    read: tuple[str, ...]
    refused: tuple[str, ...]


@dataclass
class AlertsBegan(Message):
    """What began while something was taken."""

    alerts: "tuple[Alert, ...]"


@dataclass
class CaseGrew(Message):
    """The case holds more, or other takes, than is shown."""


# Edits


@dataclass
class SetupChanged(Message):
    """The setup was changed: answers are to be computed for it."""

    setup: "Setup"


@dataclass
class MarkOwn(Message):
    """Mark this radio as own, or as foreign if it is own."""

    radio: "Radio"


@dataclass
class GiveName(Message):
    """Ask for a name of this radio, or of one of its clients: (address, present name)."""

    radio: "Radio"
    client: tuple[str, str] | None = None


@dataclass
class JoinRadios(Message):
    """These two are one radio."""

    radios: "tuple[Radio, Radio]"


@dataclass
class SeparateBssids(Message):
    """Each of these BSSIDs is a radio of its own."""

    bssids: tuple[str, ...]


@dataclass
class AnnotateEmitter(Message):
    """Keep a note on an emitter. what: "name", "kind" or "dismiss"."""

    emitter: "Emitter"
    what: str


@dataclass
class EditPreferences(Message):
    """Change the plan preferences. what: "lock" for this radio, or "edit"."""

    radio: "Radio"
    what: str


@dataclass
class MarkDone(Message):
    """A step of the plan was carried out: ask when. promised: see CompletedStep."""

    radio: "Radio"
    text: str
    promised: tuple[tuple[str, float, float], ...] = ()
