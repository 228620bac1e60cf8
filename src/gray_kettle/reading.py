"""The three calls, the same for every screen, command and drawing: window, assess, propose."""

from dataclasses import dataclass

from gray_kettle.case import Case
from gray_kettle.errors import KettleError
from gray_kettle.judge import assess
from gray_kettle.judge.assessment import Assessment
from gray_kettle.plan import propose
from gray_kettle.plan.proposal import Proposal
from gray_kettle.records import Observations, Setup


@dataclass(frozen=True, eq=False)
class Reading:
    """A window of a case, read, judged and planned for."""

    setup: Setup
    observations: Observations
    assessment: Assessment
    proposal: Proposal


def read(case: Case, start_s: float | None = None, end_s: float | None = None) -> Reading:
    """Read a window (all of the case for None). Raises: KettleError, for a setup that cannot be used."""
    setup = case.setup()
    observations = case.window(start_s, end_s)
    return judged(setup, observations)


def judged(setup: Setup, observations: Observations) -> Reading:
    """The last two of the three calls, for a window that is in hand."""
    assessment = assess(observations, setup)
    try:
        proposal = propose(assessment, setup)
    except ValueError as error:
        raise KettleError(str(error)) from error
    return Reading(setup, observations, assessment, proposal)
