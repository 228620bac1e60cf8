"""What the screens are looking at: values handed down, never reached for."""

from dataclasses import dataclass, field
from typing import TYPE_CHECKING

if TYPE_CHECKING:  # the frame is drawn before any of these is imported
    from pathlib import Path

    from gray_kettle.analysis.assessment import Assessment, Radio
    from gray_kettle.model.setup import Setup
    from gray_kettle.planner.proposal import Proposal
    from gray_kettle.session import Session

BANDS = ("2.4", "5", "6")


@dataclass(frozen=True, eq=False)
class ViewState:
    """A reading with the person's choices. proposal None: still being computed.

    busy: of the whole case, for the rail. start_s, end_s: the window; case_start_s, case_end_s: all there is.
    path: of the case, for what is read piece by piece. is_alone: beside followed radios our own recede too.
    """

    session: "Session"
    assessment: "Assessment"
    proposal: "Proposal | None"
    band: str
    start_s: float
    end_s: float
    case_start_s: float
    case_end_s: float
    busy: dict[str, list[float]]
    followed: frozenset[str] = field(default_factory=frozenset)
    is_alone: bool = False
    path: "Path | None" = None

    @property
    def setup(self) -> "Setup":
        return self.session.setup

    @property
    def radios(self) -> "tuple[Radio, ...]":
        return tuple(r for r in self.assessment.radios if r.band == self.band)

    def recedes(self, radio: "Radio") -> bool:
        """Whether others are followed, so that this one steps back."""
        return bool(self.followed) and radio.id not in self.followed and (self.is_alone or not radio.own)

    @property
    def is_whole_case(self) -> bool:
        return self.start_s <= self.case_start_s and self.end_s >= self.case_end_s
