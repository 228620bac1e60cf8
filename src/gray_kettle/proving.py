"""Gathers what the proof needs from a case: the one place that joins proof, analysis and store for it."""

from collections.abc import Callable, Iterator

import numpy as np

from gray_kettle.analysis.assessment import Assessment
from gray_kettle.errors import InvalidInput
from gray_kettle.proof.measures import Likeness, assessed, observed
from gray_kettle.proof.prove import (
    Proof,
    Window,
    came_and_went,
    changes_of,
    inseparable,
    judged,
    windows_of,
)
from gray_kettle.session import load_session
from gray_kettle.store import Case

_SHORT_S, _LONG_S, _SHORT_UNTIL_S = 900.0, 3600.0, 12 * 3600.0
_MOST_WINDOWS = 192
_NOTHING = (
    "Nothing was changed yet: mark a step as done (d in Plan), or set a reference window (r), and collect before and "
    "after."
)


def prove(
    case: Case,
    window: tuple[float | None, float | None] = (None, None),
    since_s: float | None = None,
    progress: Callable[[int, int], None] = lambda done, total: None,
    is_cancelled: Callable[[], bool] = lambda: False,
) -> Proof:
    """Compare before and after. since_s: the moment of the change, in place of the last one that is known.

    Raises: InvalidInput, where there is nothing to compare.
    """
    span = case.span_s()
    if span is None:
        raise InvalidInput("The case is empty: collect before a change, and after it.")
    session = load_session(case)
    setup, radios = session.setup, session.inventory.radios
    own = tuple(radio for radio in radios if radio.own)
    if not own:
        raise InvalidInput("No own radio is known: mark the networks that are ours (o, or set --own).")
    changes = changes_of(own, setup.done, *span)
    chosen = (span[0] if window[0] is None else window[0], span[1] if window[1] is None else window[1])
    if since_s is not None:
        found: tuple[Window, Window] | None = ((span[0], since_s), (since_s, chosen[1]))
    else:
        found = windows_of(setup.reference, changes, chosen, span)
    if found is None:
        raise InvalidInput(_NOTHING)
    before, after = found
    like = Likeness(setup.site_time)
    measured = observed(session.observations, own, like)
    length_s = _SHORT_S if min(w[1] - w[0] for w in found) < _SHORT_UNTIL_S else _LONG_S
    starts = _windows(before, after, length_s, like)
    measured += assessed(_assessments(case, starts, length_s, progress, is_cancelled), own, length_s, like)
    came, went = came_and_went(radios, before, after)
    results = judged(measured, before, after, own, setup.done)
    return Proof(
        before,
        after,
        results,
        tuple(c for c in changes if before[0] <= c.time_s <= after[1]),
        inseparable(changes, after),
        came,
        went,
        max((result.found.unmatched for result in results), default=0.0),
    )


def _windows(before: Window, after: Window, length_s: float, like: Likeness) -> list[float]:
    """Starts of windows that lie in one of the two, and have something like them in the other; evenly thinned."""
    starts = [_starts(window, length_s) for window in (before, after)]
    kinds = [like.of(s) for s in starts]
    common = np.intersect1d(kinds[0], kinds[1])
    matched = np.concatenate([s[np.isin(k, common)] for s, k in zip(starts, kinds, strict=True)])
    step = -(-len(matched) // _MOST_WINDOWS) if len(matched) else 1
    chosen: list[float] = matched[::step].tolist()
    return chosen


def _starts(window: Window, length_s: float) -> "np.ndarray[tuple[int], np.dtype[np.float64]]":
    first = np.ceil(window[0] / length_s) * length_s
    return np.arange(first, window[1] - length_s / 2, length_s)


def _assessments(
    case: Case,
    starts: list[float],
    length_s: float,
    progress: Callable[[int, int], None],
    is_cancelled: Callable[[], bool],
) -> Iterator[tuple[float, Assessment]]:
    """The assessment of each window in which anything was heard. Ends where it is cancelled."""
    for number, start_s in enumerate(starts):
        if is_cancelled():
            return
        session = load_session(case, start_s, start_s + length_s)
        if len(session.observations.sightings) or len(session.observations.traffic):
            yield start_s, session.assessment
        progress(number + 1, len(starts))
