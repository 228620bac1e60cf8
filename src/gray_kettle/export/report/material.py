"""What a report is written from: read out of the case once, before and after the change where there was one."""

import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from gray_kettle import configuration
from gray_kettle.errors import InvalidInput, KettleError
from gray_kettle.export.drawings.sweeps import Sweeping
from gray_kettle.masking import MaskOptions
from gray_kettle.model.records import TakeInfo
from gray_kettle.session import Session, detect_waiting, load_session
from gray_kettle.store import Case
from gray_kettle.store.masked import MaskedCase

if TYPE_CHECKING:
    from gray_kettle.proof.prove import Proof
    from gray_kettle.proof.trials import TrialResult

Progress = Callable[[str, float], None]


@dataclass(frozen=True, eq=False)
class Material:
    """now: the window that the advice is for: after the change, where there was one. before: the window before it.

    takes: all of them, those too that do not count. sweeps: by band, what the waterfall shows. own_only: foreign radios
    are counted, not listed. made_s: when the report was made.
    """

    name: str
    now: Session
    before: Session | None
    proof: "Proof | None"
    trials: "tuple[TrialResult, ...]"
    takes: tuple[TakeInfo, ...]
    sweeps: dict[str, Sweeping]
    settings: configuration.Configuration
    masked: MaskOptions | None
    own_only: bool
    made_s: float

    @property
    def bands(self) -> tuple[str, ...]:
        """Bands in which anything was heard."""
        heard = {radio.band for radio in self.now.assessment.radios} | set(self.sweeps)
        return tuple(band for band in ("2.4", "5", "6") if band in heard)

    @property
    def was_changed(self) -> bool:
        """Whether something was carried out, so that there is a before and an after."""
        return self.proof is not None


def gathered(
    path: Path,
    window: tuple[float | None, float | None] = (None, None),
    *,
    masked: MaskOptions | None = None,
    own_only: bool = False,
    is_short: bool = False,
    progress: Progress = lambda what, share: None,
) -> Material:
    """Read a case for a report. progress: what is being done, and how much of it is (0 to 1).

    is_short: without what the first page does not need. Raises: KettleError, when the case cannot be used, or holds
    nothing.
    """
    from gray_kettle.export.case_drawings import sweeping_of

    settings = configuration.load()
    with Case.open(path) as case:  # a masked case cannot keep what is detected
        undetected = detect_waiting(case, lambda done, total: progress("detecting emitters", done / total))
    with MaskedCase.open_masked(path, masked) if masked else Case.open(path) as case:
        if case.span_s() is None:
            raise KettleError(f"{path} is empty: there is nothing to report. Take something first.")
        proof = _proof(case, window, progress)
        before = load_session(case, *proof.before) if proof else None
        now = load_session(case, *(proof.after if proof else window))
        now.undetected = undetected
        progress("assessing", 0.2)
        sweeps = {}
        for band in () if is_short else ("2.4", "5", "6"):
            try:
                sweeps[band] = sweeping_of(case, now, band)
            except KettleError:  # nothing was swept there
                continue
        progress("assessing", 0.6)
        found = Material(
            path.name,
            now,
            before,
            proof,
            _trials(case),
            case.take_list.all(),
            sweeps,
            settings,
            masked,
            own_only,
            time.time(),
        )
    now.planning = lambda done: progress("planning", done)
    _ = now.proposal
    return found


def _proof(case: Case, window: tuple[float | None, float | None], progress: Progress) -> "Proof | None":
    """None where nothing was changed, or there is nothing before or after."""
    from gray_kettle.proving import prove

    setup = case.setup()
    if setup.reference is None and (not setup.done or window != (None, None)):
        return None
    try:
        return prove(case, window, None, lambda done, total: progress("comparing", done / total))
    except InvalidInput:
        return None


def _trials(case: Case) -> "tuple[TrialResult, ...]":
    runs = case.trials.all()
    if not runs:
        return ()
    from gray_kettle.proof.trials import judged_by_client

    return judged_by_client(runs)
