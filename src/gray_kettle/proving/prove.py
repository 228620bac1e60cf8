"""Gathers what the proof needs from a case: the one place that joins proof, analysis and store for it."""

from collections.abc import Callable, Sequence

import numpy as np

from gray_kettle.analysis.assessment import Radio
from gray_kettle.analysis.thresholds import thresholds_of
from gray_kettle.errors import InvalidInput
from gray_kettle.model.plan_preferences import CompletedStep
from gray_kettle.phy.channels import Channel
from gray_kettle.proof.changed import Changed
from gray_kettle.proof.measures import Likeness, observed, of_site
from gray_kettle.proof.prove import (
    AT_THE_TIME_S,
    Proof,
    Window,
    absent_of,
    came_and_went,
    changes_of,
    groups_of,
    inseparable,
    judged,
    title_of,
    windows_of,
)
from gray_kettle.proof.soak import soak_of
from gray_kettle.proof.window_figures import SiteChanges, measured_of
from gray_kettle.proving.windows import AssessedWindow, figures_by_window
from gray_kettle.session import Session, load_session
from gray_kettle.store import Case

_SHORT_S, _LONG_S, _SHORT_UNTIL_S = 900.0, 3600.0, 12 * 3600.0
_MOST_WINDOWS = 192
_NOTHING = (
    "Nothing was changed yet: mark a step as done (d in Plan), or set a reference window (r), and collect before and "
    "after."
)
Progress = Callable[[int, int], None]


def prove(
    case: Case,
    window: tuple[float | None, float | None] = (None, None),
    since_s: float | None = None,
    progress: Progress = lambda done, total: None,
    is_cancelled: Callable[[], bool] = lambda: False,
) -> Proof:
    """Compare before and after. since_s: the moment of the change, in place of the last one that is known.

    Raises: InvalidInput, where there is nothing to compare.
    """
    session, own, span = _loaded(case)
    changes = changes_of(own, session.setup.done, *span)
    chosen = (span[0] if window[0] is None else window[0], span[1] if window[1] is None else window[1])
    if since_s is not None:
        found: tuple[Window, Window] | None = ((span[0], since_s), (since_s, chosen[1]))
    else:
        found = windows_of(session.setup.reference, changes, chosen, span)
    if found is None:
        raise InvalidInput(_NOTHING)
    return _compared(case, session, own, changes, found, progress, is_cancelled)


def prove_each(
    case: Case,
    progress: Progress = lambda done, total: None,
    is_cancelled: Callable[[], bool] = lambda: False,
) -> tuple[Proof, ...]:
    """Each change on its own, with what lay between it and its neighbours; those of one hour together.

    Raises: InvalidInput, where nothing was changed.
    """
    session, own, span = _loaded(case)
    changes = changes_of(own, session.setup.done, *span)
    groups = groups_of(changes, span)
    if not groups:
        raise InvalidInput(_NOTHING)
    out = []
    for number, found in enumerate(groups):

        def share(done: int, total: int, number: int = number) -> None:
            progress(number * total + done, len(groups) * total)

        out.append(_compared(case, session, own, changes, found, share, is_cancelled))
    return tuple(out)


def _loaded(case: Case) -> tuple[Session, tuple[Radio, ...], Window]:
    span = case.span_s()
    if span is None:
        raise InvalidInput("The case is empty: collect before a change, and after it.")
    session = load_session(case)
    own = tuple(radio for radio in session.inventory.radios if radio.own)
    if not own:
        raise InvalidInput("No own radio is known: mark the networks that are ours (o, or set --own).")
    return session, own, span


def _compared(
    case: Case,
    session: Session,
    own: tuple[Radio, ...],
    changes: tuple[Changed, ...],
    sides: tuple[Window, Window],
    progress: Progress,
    is_cancelled: Callable[[], bool],
) -> Proof:
    before, after = sides
    setup = session.setup
    like, limits = Likeness(setup.site_time), thresholds_of(setup)
    soak_s = 3600 * limits.soak_h
    length_s = _SHORT_S if min(w[1] - w[0] for w in sides) < _SHORT_UNTIL_S else _LONG_S
    new = _new_state(own, setup.done, before, after)
    masking = getattr(case, "masking", None)
    windows = [
        AssessedWindow(case.path, start_s, start_s + length_s, new if start_s < before[1] else None, masking)
        for start_s in _starts_of_windows(before, after, length_s, like, after[0] + soak_s)
    ]
    found = list(figures_by_window(case, windows, progress, is_cancelled))
    measured = observed(session.observations, own, like)
    measured += measured_of(((start_s, one.figures) for start_s, one in found), own, length_s, like)
    measured += of_site(measured, sides)
    expected = measured_of(((start_s, one.expected) for start_s, one in found), own, length_s, like)
    inside = tuple(c for c in changes if before[0] <= c.time_s <= after[1])
    soak = None
    if any(abs(change.time_s - after[0]) <= AT_THE_TIME_S for change in changes):
        observed_s = np.unique(session.observations.sightings.time_s)
        soak = soak_of(after, soak_s, session.inventory, observed_s, changes, measured, limits, setup.country)
    results = judged(measured, before, after, own, setup.done, expected)
    return Proof(
        before,
        after,
        results,
        inside,
        inseparable(changes, after),
        *came_and_went(session.inventory.radios, before, after),
        max((result.found.unmatched for result in results), default=0.0),
        soak,
        tuple(title_of(radio) for radio in absent_of(measured, before, after, own)),
    )


def _new_state(
    own: Sequence[Radio], done: Sequence[CompletedStep], before: Window, after: Window
) -> SiteChanges | None:
    """Where the own radios were once the change was made; None where none of them is known to have changed."""
    channels: dict[str, Channel] = {}
    off: set[str] = set()
    marked = {
        step.radio for step in done if before[1] - AT_THE_TIME_S <= step.time_s <= after[0] + AT_THE_TIME_S
    }
    for radio in own:
        names = [network.bssid for network in radio.networks]
        made = [
            c for c in radio.changes if before[1] - AT_THE_TIME_S <= c.time_s <= after[0] + 2 * AT_THE_TIME_S
        ]
        if made:
            channels |= dict.fromkeys(names, made[-1].after)
        elif radio.last_s < after[0] + AT_THE_TIME_S and marked.intersection(names):
            off.update(names)
    return SiteChanges(tuple(channels.items()), frozenset(off)) if channels or off else None


def _starts_of_windows(
    before: Window, after: Window, length_s: float, like: Likeness, soaked_until_s: float
) -> list[float]:
    """Starts of windows that lie in one of the two, and have something like them in the other; evenly thinned. Those
    of the soak are there whether or not they have.
    """
    starts = [_starts(window, length_s) for window in (before, after)]
    kinds = [like.of(s) for s in starts]
    common = np.intersect1d(kinds[0], kinds[1])
    matched = np.concatenate([s[np.isin(k, common)] for s, k in zip(starts, kinds, strict=True)])
    step = -(-len(matched) // _MOST_WINDOWS) if len(matched) else 1
    soaked = starts[1][starts[1] < soaked_until_s]
    chosen: list[float] = np.union1d(
        matched[::step], soaked[:: -(-len(soaked) // _MOST_WINDOWS) or 1]
    ).tolist()
    return chosen


def _starts(window: Window, length_s: float) -> "np.ndarray[tuple[int], np.dtype[np.float64]]":
    first = np.ceil(window[0] / length_s) * length_s
    return np.arange(first, window[1] - length_s / 2, length_s)
