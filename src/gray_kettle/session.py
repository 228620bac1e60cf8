"""The three calls, the same for every view, command and drawing: window, assess, propose."""

from collections.abc import Callable
from dataclasses import replace
from functools import cached_property
from typing import TYPE_CHECKING

from gray_kettle.errors import KettleError
from gray_kettle.model.records import Alert, Observations
from gray_kettle.model.setup import Setup

if TYPE_CHECKING:  # each answer imports what it needs: a command starts faster that needs fewer of them
    from gray_kettle.analysis.assessment import Assessment, Finding, Inventory
    from gray_kettle.planner.best import Best
    from gray_kettle.planner.proposal import Proposal
    from gray_kettle.store import Case


class Session:
    """One window of a case with its setup. Each answer is computed when it is first asked for, and kept.

    planning: gets the share of the plan that is done; it may raise to cancel, and the plan can be asked for again.
    undetected: why sweep rows that wait could not be examined for emitters, "" where none do.
    alerts: of the whole case.
    """

    def __init__(self, setup: Setup, observations: Observations) -> None:
        self.setup = setup
        self.observations = observations
        self.planning: Callable[[float], None] = lambda done: None
        self.undetected = ""
        self.alerts: tuple[Alert, ...] = ()

    @property
    def incomplete(self) -> tuple[str, ...]:
        """Why the answers do not count all that the case holds; nothing where they do."""
        out = [f"Damaged: {what}." for what in self.observations.damage]
        if self.undetected:
            rows = f"{self.observations.rows_pending:,}".replace(",", " ")
            out.append(f"{rows} sweep rows were not examined for emitters. {self.undetected}")
        return tuple(out)

    @cached_property
    def inventory(self) -> "Inventory":
        """Radios, emitters and links alone: far less work than the assessment."""
        from gray_kettle.analysis.take_inventory import take_inventory

        return take_inventory(self.observations, self.setup)

    @cached_property
    def assessment(self) -> "Assessment":
        from gray_kettle.analysis.assess import assess

        return assess(self.observations, self.setup, self.inventory)

    @cached_property
    def proposal(self) -> "Proposal":
        """Raises: InvalidInput, for a limit in the setup that cannot be parsed."""
        from gray_kettle.planner.propose import propose

        return propose(self.assessment, self.setup, self.planning)

    @cached_property
    def best(self) -> "tuple[Best, ...]":
        """For each band the best channel and width. Raises as proposal does."""
        from gray_kettle.planner.best import best_answers

        return best_answers(self.proposal, self.assessment, self.setup)

    @property
    def quick_findings(self) -> "tuple[Finding, ...]":
        """The findings with first steps from a plan that is searched but not proved."""
        from gray_kettle.planner.propose import findings_with_first_steps

        if "proposal" in self.__dict__:
            return self.proposal.findings
        return findings_with_first_steps(self.assessment, self.setup, self.planning)

    def with_setup(self, setup: Setup) -> "Session":
        """The same observations under another setup. The assessment is kept where only plan preferences differ."""
        session = Session(setup, self.observations)
        session.undetected, session.alerts = self.undetected, self.alerts
        if _without_preferences(setup) == _without_preferences(self.setup):
            for name in ("inventory", "assessment"):
                if name in self.__dict__:
                    session.__dict__[name] = self.__dict__[name]
        return session


def _without_preferences(setup: Setup) -> Setup:
    """The part of a setup that the assessment depends on: without plan, client limits and what is followed."""
    return replace(setup, preferences=Setup().preferences, clients=(), site="", complaint="", followed=())


def load_session(
    case: "Case", start_s: float | None = None, end_s: float | None = None, *, setup: Setup | None = None
) -> Session:
    """Read a window (the whole case for None) with the emitter detections there are so far.

    setup: in place of the stored one.
    """
    session = Session(setup or case.setup(), case.window(start_s, end_s, setup))
    session.alerts = case.alerts.all()
    return session


def detect_waiting(case: "Case", progress: Callable[[int, int], None] = lambda done, total: None) -> str:
    """Examine the sweep rows that wait for it. Why they could not be, "" where they were.

    progress: rows done and rows in all.
    """
    from gray_kettle.interference import DETECTOR_VERSION

    if case.detections.needs_detection(DETECTOR_VERSION):
        from gray_kettle.detection import detect_pending  # heavy, and most windows need none

        try:
            detect_pending(case, progress)
        except KettleError as error:
            return str(error)
    return ""


def load_session_detected(
    case: "Case",
    start_s: float | None = None,
    end_s: float | None = None,
    progress: Callable[[int, int], None] = lambda done, total: None,
) -> Session:
    """The same, after detection in the sweep rows that wait for it. progress: rows done and rows in all.

    A case that cannot be written is read as it is; session.undetected says why.
    """
    reason = detect_waiting(case, progress)
    session = load_session(case, start_s, end_s)
    session.undetected = reason
    return session
