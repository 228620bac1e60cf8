"""Bursts that come back as the beam of an antenna that turns: radar, told by when its bursts come more than by how they
look.

Above the low band nothing else keeps a time of seconds to a hundredth. What comes by chance falls on such a rhythm as
often as its width is of the turn; how much more often bursts do, and of how many rhythms that is the best, says how
sure it is.

Source: docs/radio-model.md, "Fixed and hopping frequencies".
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gray_kettle.interference.searches.block import Block
from gray_kettle.interference.searches.bursts import (
    BEACONS_S,
    PULSE,
    NarrowBursts,
    find_narrow,
    surroundings_of,
)
from gray_kettle.interference.searches.continuous import ContinuousBackground
from gray_kettle.interference.searches.fixed_frequency import FixedFrequency
from gray_kettle.interference.searches.visibility import keep_time_with_beacons
from gray_kettle.model.records import FloatArray

RADAR_HZ = ((5.25e9, 5.35e9), (5.47e9, 5.725e9))  # where there is some

_TURN_S = (0.8, 15.0)  # from one passing of the beam to the next
_BEAM_S, _BEAM, _OF_A_ROW = 0.06, 0.012, 0.55  # half of what a beam takes to pass, of its turn, of a row
_ONE_PASS_S, _FEWEST_PASSES, _MOST = 0.15, 5, 80
_STEPS, _CANDIDATES, _MULTIPLES, _OVER_CHANCE, _ASKED = 5.0, 60, 4, 2.5, 4
_NEAR_HZ, _APART_HZ, _LEVELS_DB = 3.0e6, 8e6, 8.0
_SURE, _SURE_IN_PARTS = 6.0, 9.0  # exponents
_WITH_BEACONS = 0.9


@dataclass(frozen=True, eq=False)
class Rhythm:
    """A time after which bursts come back. on_it: which do. strength: exponent of how seldom chance does that."""

    period_s: float
    on_it: NDArray[np.bool_]
    strength: float


def find_turning(block: Block, ground: ContinuousBackground, narrow: NarrowBursts) -> list[FixedFrequency]:
    """What comes back with a turn, the surest first. narrow: bursts as narrow as hops; pulses may be wider."""
    if block.freq_hz[-1] < RADAR_HZ[0][0]:
        return []
    wider = find_narrow(block, surroundings_of(block, ground, PULSE))
    candidates = [its.those(window) for its in (wider, narrow) for window in _windows(its)]
    least = math.log(len(candidates) + 1) + (_SURE_IN_PARTS if block.meets_parts else _SURE)
    lasts_s, row_s = float(block.time_s[-1] - block.time_s[0]), float(np.median(np.diff(block.time_s)))
    found: list[tuple[float, FixedFrequency]] = []
    for its in candidates:
        rhythm = rhythm_of(its.when_s, lasts_s, row_s)
        if rhythm is None or rhythm.strength < least:
            continue
        bursts = its.those(rhythm.on_it)
        if not _are_beacons(block, bursts):
            found.append((rhythm.strength, _fixed(block, bursts, rhythm.period_s)))
    out: list[FixedFrequency] = []
    for _, fixed in sorted(found, key=lambda f: -f[0]):
        if all(abs(fixed.centre_hz - known.centre_hz) > _APART_HZ for known in out):
            out.append(fixed)
    return out


def _are_beacons(block: Block, bursts: NarrowBursts) -> bool:
    """Whether they come at one moment between two beacons, which rows at even distances meet every few seconds. Before
    a tuned instrument, which meets parts of those of several networks, at a few.
    """
    if block.meets_parts:
        return keep_time_with_beacons(bursts)
    return bool(np.abs(np.exp(2j * np.pi * bursts.when_s / BEACONS_S).mean()) > _WITH_BEACONS)


def _windows(narrow: NarrowBursts) -> list[NDArray[np.bool_]]:
    """Bursts of one place and about one level each."""
    out: list[NDArray[np.bool_]] = []
    seen: set[bytes] = set()
    for centre_hz in np.concatenate([np.arange(low, high + _NEAR_HZ, _NEAR_HZ) for low, high in RADAR_HZ]):
        near = np.abs(narrow.freq_hz - centre_hz) <= _NEAR_HZ
        if near.sum() < _FEWEST_PASSES:
            continue
        level = narrow.level_dbm[near]
        for middle in np.arange(level.max(), level.min() - _LEVELS_DB, -_LEVELS_DB):
            window = near & (np.abs(narrow.level_dbm - middle) <= _LEVELS_DB)
            key = np.packbits(window).tobytes()
            if window.sum() >= _FEWEST_PASSES and key not in seen:
                seen.add(key)
                out.append(window)
    return out


def rhythm_of(when_s: FloatArray, lasts_s: float, row_s: float = 0.0) -> Rhythm | None:
    """The rhythm that bursts keep best; None where there are too few of them, or so many that none would tell.

    when_s: in order of time, shape (bursts,). row_s: from one row to the next: what comes at even steps falls together.
    """
    begins = np.diff(when_s, prepend=-np.inf) > _ONE_PASS_S
    passing = np.cumsum(begins) - 1
    number = int(passing[-1]) + 1 if len(passing) else 0
    if not _FEWEST_PASSES <= number <= _MOST:
        return None
    at_s = np.bincount(passing, when_s - when_s[0]) / np.bincount(passing)
    least_s = max(_BEAM_S, _OF_A_ROW * row_s)
    period_s = _candidate_periods(at_s, lasts_s, least_s)
    if not len(period_s):
        return None
    half_s = np.maximum(least_s, _BEAM * period_s)
    kept = _most_in_a_beam(at_s, period_s, half_s)
    strength = _strength(kept, number, period_s, half_s, lasts_s)
    for k in np.argsort(-strength)[:_ASKED]:
        its = _kept(at_s, float(period_s[k]), float(half_s[k]))
        if len(np.unique(np.rint((at_s[its] - at_s[its][0]) / period_s[k]))) >= _FEWEST_PASSES:
            return Rhythm(float(period_s[k]), its[passing], float(strength[k]))
    return None


def _candidate_periods(at_s: FloatArray, lasts_s: float, least_s: float) -> FloatArray:
    """Times that more passes are apart than chance puts there, and twice, three and four times of which, too; so fine
    that the last turn tells them apart.
    """
    apart_s = (at_s[None, :] - at_s[:, None])[np.triu_indices(len(at_s), 1)]
    step_s = least_s / _STEPS
    longest_s = min(_TURN_S[1], lasts_s / (_FEWEST_PASSES - 1))
    edges_s = np.arange(0, _MULTIPLES * longest_s + 2 * least_s, step_s)
    wide = np.convolve(np.histogram(apart_s, edges_s)[0], np.ones(2 * round(_STEPS) + 1), "same")
    by_chance = (
        len(at_s) ** 2 / lasts_s * (2 * _STEPS + 1) * step_s * np.maximum(1 - edges_s[1:] / lasts_s, 0)
    )
    period_s = np.arange(_TURN_S[0], longest_s, step_s)
    more, chance = np.zeros(len(period_s)), np.zeros(len(period_s))
    for times in range(1, _MULTIPLES + 1):
        cell = np.minimum((period_s * times / step_s).astype(int), len(wide) - 1)
        more += (wide - by_chance)[cell] / times
        chance += by_chance[cell] / times**2
    order = np.argsort(-more, kind="stable")[:_CANDIDATES]
    some_s = period_s[order[more[order] > _OVER_CHANCE * np.sqrt(chance[order])]]
    steps = np.ceil(step_s / (0.5 * np.maximum(least_s, _BEAM * some_s) * some_s / lasts_s)).astype(int)
    fine = [np.linspace(p - step_s, p + step_s, 2 * n + 1) for p, n in zip(some_s, steps, strict=True)]
    return np.concatenate([np.zeros(0), *fine])


def _most_in_a_beam(at_s: FloatArray, period_s: FloatArray, half_s: FloatArray) -> FloatArray:
    """How many passes fall into the part of each turn, as wide as a beam, that most fall into; by quarters of it."""
    quarters = np.maximum((period_s / (half_s / 2)).astype(int), 4)
    at = ((at_s[None, :] % period_s[:, None]) / period_s[:, None] * quarters[:, None]).astype(int)
    columns = int(quarters.max()) + 4
    rows = np.arange(len(period_s))[:, None] * columns
    many = np.bincount((rows + at).ravel(), minlength=len(period_s) * columns).reshape(-1, columns)
    for k in range(3):  # the turn goes on from its end
        many[np.arange(len(period_s)), quarters + k] = many[:, k]
    total = np.cumsum(many, axis=1)
    return np.asarray((total[:, 4:] - total[:, :-4]).max(axis=1).clip(total[:, 3]), float)


def _kept(at_s: FloatArray, period_s: float, half_s: float) -> NDArray[np.bool_]:
    """Which passes fall into the part of the turn, as wide as a beam, that most fall into."""
    phase_s = at_s % period_s
    after_s = (phase_s[None, :] - phase_s[:, None]) % period_s
    inside = after_s <= 2 * half_s
    return np.asarray(inside[int(np.argmax(inside.sum(axis=1)))])


def _strength(
    kept: FloatArray, number: int, period_s: FloatArray, half_s: FloatArray, lasts_s: float
) -> FloatArray:
    """Exponent of how seldom chance lets so many of so many fall there, less what it gains by so many rhythms."""
    chance = np.minimum(2 * half_s / period_s, 0.99)
    share = np.maximum(kept / number, chance)
    rest = np.maximum(1 - share, 1e-12)
    of = share * np.log(share / chance) + rest * np.log(rest / (1 - chance))
    rhythms = lasts_s / half_s * math.log(_TURN_S[1] / _TURN_S[0]) * period_s / (2 * half_s)
    return np.asarray(number * of - np.log(rhythms))


def _fixed(block: Block, bursts: NarrowBursts, period_s: float) -> FixedFrequency:
    centre_hz = float(np.median(bursts.freq_hz))
    return FixedFrequency(
        bursts, centre_hz, float(np.quantile(np.abs(bursts.freq_hz - centre_hz), 0.7)),
        float(np.median(bursts.width_hz)), float(np.median(bursts.level_dbm)), float(bursts.level_dbm.std()),
        len(np.unique(bursts.row)) / block.rows, float(len(bursts)), period_s,
    )  # fmt: skip
