"""The three calls, the same for every screen, command and drawing: window, assess, propose."""

from collections.abc import Callable
from contextlib import suppress
from functools import cached_property
from typing import TYPE_CHECKING

from gray_kettle.analysis import assess
from gray_kettle.analysis.assessment import Assessment
from gray_kettle.errors import KettleError
from gray_kettle.model.records import Observations
from gray_kettle.model.setup import Setup
from gray_kettle.planner import propose
from gray_kettle.planner.proposal import Proposal

if TYPE_CHECKING:  # the database is imported by whoever opens a case
    from gray_kettle.store import Case


class Session:
    """A window of a case. Judging and planning are done when first asked for, once.

    planning: told the share of the plan that is worked out; may raise to end it, which leaves it to be asked for again.
    """

    def __init__(self, setup: Setup, observations: Observations) -> None:
        self.setup = setup
        self.observations = observations
        self.planning: Callable[[float], None] = lambda done: None

    @cached_property
    def assessment(self) -> Assessment:
        return assess(self.observations, self.setup)

    @cached_property
    def proposal(self) -> Proposal:
        """Raises: KettleError, for a limit of clients in the setup that cannot be understood."""
        try:
            return propose(self.assessment, self.setup, self.planning)
        except ValueError as error:
            raise KettleError(str(error)) from error


def read(case: "Case", start_s: float | None = None, end_s: float | None = None) -> Session:
    """Read a window (all of the case for None), with what the sweeps gave as far as they were looked through."""
    return Session(case.setup(), case.window(start_s, end_s))


def load_session_detected(
    case: "Case",
    start_s: float | None = None,
    end_s: float | None = None,
    progress: Callable[[int, int], None] = lambda done, total: None,
) -> Session:
    """The same, once the sweeps that came since are looked through for emitters. progress: rows done and in all.

    A case that cannot be written is read as it is; the answer says what is missing.
    """
    from gray_kettle.detection import detect_pending  # heavy, and most windows need none

    with suppress(KettleError):
        detect_pending(case, progress)
    return read(case, start_s, end_s)
