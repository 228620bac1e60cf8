"""How long a receiver was on each channel, from the frames that it heard there.

A capture shows where frames were heard, not where the receiver was: one that hops is silent on quiet channels. Where
the rhythm of its hops shows, the dwell of each visit and the visits in which nothing was heard follow from it. Where it
does not, the dwell lies between what was heard and what could have been. Source: docs/radio-model.md, "Airtime".
"""

from dataclasses import dataclass

import numpy as np

from gray_kettle.model.records import LONGEST_SILENCE_S, FloatArray, Listening

_FEWEST_VISITS = 5
_STEADY = 0.15  # spread of the time from visit to visit, as a share of it, up to which hops have a rhythm
_LONGEST_PERIOD_S = 60.0
_LONGEST_VISIT = 0.7  # of the period: a receiver that is longer on one channel does not hop
_SWITCH_S = 0.05  # a change of channel: so much is never guessed to be dwell
_LEAST_VISIT_S = 0.02
_ROUNDS_OF_SILENCE = 3


@dataclass(frozen=True)
class Hops:
    """Seconds from one visit of a channel to the next, and of one visit."""

    period_s: float
    visit_s: float


def dwell_of(rows: Listening) -> Listening:
    """Intervals in which a receiver was on each channel, of runs of frames of one spot in order of time."""
    hops = hops_of(rows)
    if hops is None:
        return _without_rhythm(rows)
    # Where no channel was heard for longer than a few rounds of hops, nothing was taken: no visits are filled in there.
    longest_s = max(_ROUNDS_OF_SILENCE * hops.period_s, LONGEST_SILENCE_S)
    until_s = np.maximum.accumulate(rows.end_s)
    take = np.append(0, np.cumsum(rows.start_s[1:] - until_s[:-1] > longest_s))
    found = []
    for k in range(int(take[-1]) + 1):
        here = rows.rows(take == k)
        found += [_visits(here.rows(here.receiver_hz == hz), hops) for hz in np.unique(here.receiver_hz)]
    table = Listening.stacked(found)
    return table.rows(np.lexsort((table.receiver_hz, table.start_s)))


def hops_of(rows: Listening) -> Hops | None:
    """The rhythm in which a receiver comes back to a channel; None where it shows none."""
    found: list[tuple[int, Hops]] = []
    for hz in np.unique(rows.receiver_hz):
        here = rows.rows(rows.receiver_hz == hz)
        if len(here) < _FEWEST_VISITS:
            continue
        start_s, end_s = _separate_visits(here)
        if len(start_s) < _FEWEST_VISITS:
            continue
        middle_s = (start_s + end_s) / 2
        apart_s = np.diff(middle_s)
        period_s = float(np.median(apart_s))
        times = np.round(apart_s / period_s)  # a visit in which nothing was heard makes it a multiple
        off = np.abs(apart_s - times * period_s) / period_s
        visit_s = float(np.percentile(end_s - start_s, 90))
        steady = float(np.median(off)) < _STEADY and float(np.mean(off < 2 * _STEADY)) > 0.8
        if steady and period_s <= _LONGEST_PERIOD_S and _LEAST_VISIT_S <= visit_s < _LONGEST_VISIT * period_s:
            found.append((len(start_s), Hops(period_s, visit_s)))
    if not found:
        return None
    # All channels are visited in one rhythm; the longest visit is the one that was heard from end to end.
    period_s = float(np.median([h.period_s for _, h in found]))
    return Hops(period_s, max(h.visit_s for _, h in found))


def _separate_visits(rows: Listening) -> tuple[FloatArray, FloatArray]:
    """Start and end of visits of one channel: runs with less than a fifth of the usual pause in between are one."""
    start_s, end_s = rows.start_s, rows.end_s
    pause_s = start_s[1:] - end_s[:-1]
    usual_s = float(np.percentile(pause_s, 75)) if len(pause_s) else 0.0
    apart = pause_s > usual_s / 5
    firsts = np.flatnonzero(np.append(True, apart))
    return start_s[firsts], end_s[np.append(firsts[1:] - 1, len(start_s) - 1)]


def _visits(rows: Listening, hops: Hops) -> Listening:
    """Every visit of one channel from the first to the last that was heard, those in silence among them."""
    start_s, end_s = _separate_visits(rows)
    middle_s = (start_s + end_s) / 2
    apart_s = np.diff(middle_s)
    steps = np.maximum(np.round(apart_s / hops.period_s), 1).astype(np.int64)
    step = np.arange(steps.sum()) - np.repeat(np.cumsum(steps) - steps, steps) + 1
    between_s = np.repeat(middle_s[:-1], steps) + np.repeat(apart_s / steps, steps) * step
    at_s = np.concatenate([middle_s[:1], between_s])
    n, half_s = len(at_s), hops.visit_s / 2
    hz, spot, visit_s = np.full(n, rows.receiver_hz[0]), np.full(n, rows.spot[0]), np.full(n, hops.visit_s)
    return Listening(at_s - half_s, at_s + half_s, hz, spot, visit_s)


def _without_rhythm(rows: Listening) -> Listening:
    """Runs of one channel joined over short silences; most_s: with the silence beside it, which may be of either."""
    alone = len(np.unique(rows.receiver_hz)) == 1
    out: list[list[float]] = []
    for start, end, hz in zip(
        rows.start_s.tolist(), rows.end_s.tolist(), rows.receiver_hz.tolist(), strict=True
    ):
        gap_s = start - out[-1][1] if out else np.inf
        if out and hz == out[-1][2] and gap_s <= LONGEST_SILENCE_S:
            grown = max(out[-1][1], end)
            out[-1][3] += grown - out[-1][1]
            out[-1][1] = grown
            continue
        first, beside_s = start, 0.0
        if out and not alone and 0 < gap_s <= LONGEST_SILENCE_S:
            if gap_s <= _SWITCH_S:  # shorter than it matters: half to each
                first = out[-1][1] + gap_s / 2
                out[-1][3] += first - out[-1][1]
                out[-1][1] = first
            else:
                out[-1][3] += gap_s
                beside_s = gap_s
        out.append([first, end, hz, end - first + beside_s])
    table = np.array(out)
    spot = np.full(len(table), rows.spot[0])
    return Listening(table[:, 0], table[:, 1], table[:, 2], spot, table[:, 3])
