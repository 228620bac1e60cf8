"""Which part of the mains' wave, and which frequencies, something fills that keeps time with it.

Source: docs/radio-model.md, "Mains-synchronous bursts".
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gray_kettle.interference.runs import runs_of
from gray_kettle.interference.searches.block import Block, normal_below
from gray_kettle.interference.searches.bursts import LocalBackground, over_ground
from gray_kettle.interference.searches.magnetron_phase import fitted
from gray_kettle.model.records import FloatArray, IntArray

STRETCH_S = 60.0  # for so long the mains keep their phase
_PARTS, _CORE, _REACH, _LEAST_SHOWN_DB, _SMOOTH_HZ = 64, 4.0, 10.0, 3.0, 2e6
_STEP_DB = 0.5  # of levels
_WAY_HZ, _HALF, _SHOWS, _HARDLY = 1e6, 0.5, (0.1, 0.98), 0.02
_LOOKS_TO_TELL, _PAUSE_S, _FEWEST_STRETCHES, _USUALLY, _LEAST_SPREAD = 12, 2.0, 4, 0.75, 0.02
_NEARLY_ALWAYS = 0.9  # less than a tenth of pauses may be chance


@dataclass(frozen=True, eq=False)
class Wave:
    """The wave of the mains through a block. turns: at the start of each row; offset_s: of each cell behind it."""

    line_hz: float
    turns: FloatArray
    offset_s: FloatArray

    def part(self, parts: int) -> NDArray[np.int32]:
        """Of so many parts (a power of two) the one that each look falls on, shape (rows, cells)."""
        rows = ((self.turns % 1) * parts).astype(np.float32)
        cells = ((self.offset_s * self.line_hz) % 1 * parts + 0.5).astype(np.float32)
        return (rows[:, None] + cells[None, :]).astype(np.int32) & (parts - 1)


def mirror_of(line_hz: float, start_s: FloatArray) -> float:
    """The line on the other side of the nearest multiple of half the row rate: to rows at even distances, which do not
    tell whether the phase goes on or back from one to the next, it looks the same. start_s: of the rows.
    """
    rows_per_s = 1 / float(np.median(np.diff(start_s)))
    return rows_per_s * round(2 * line_hz / rows_per_s) - line_hz


def usual_density(block: Block, around: LocalBackground, wave: Wave, cells: IntArray) -> FloatArray:
    """Power at which half of what more is met at its own part of the wave than at the other side is stronger, mW, shape
    (cells,): what channels add is met at both. cells: that are asked.
    """
    part = wave.part(_PARTS)[:, cells]
    away = np.minimum(part, _PARTS - part)
    power = around.smooth[:, cells]
    is_over = power > over_ground(around.looks) * around.ground[:, cells]
    if not is_over.any():
        return np.zeros(len(cells))
    level = (10 * np.log10(np.maximum(power, 1e-30)) / _STEP_DB).astype(np.int32)
    low = int(level[is_over].min())
    steps = int(level.max()) - low + 2
    place = (level - low) + steps * np.arange(len(cells))
    more = np.zeros((len(cells), steps))
    for side, sign in ((away <= _PARTS // 10, 1), (away >= _PARTS // 2 - _PARTS // 8, -1)):
        number = np.bincount(place[side & is_over], minlength=steps * len(cells)).reshape(-1, steps)
        more += sign * np.cumsum(number[:, ::-1], axis=1)[:, ::-1] / np.maximum(side.sum(axis=0), 1)[:, None]
    first = np.argmax(more < more[:, :1] / 2, axis=1)
    usual_db = _STEP_DB * (low + first - 0.5)
    return np.asarray(np.where(more[:, 0] > 0, 10 ** (usual_db / 10), 0.0))


def lit_parts(
    block: Block, around: LocalBackground, wave: Wave, centre: int, usual: float, is_core: bool = False
) -> NDArray[np.bool_]:
    """Which cells it fills at which part of the wave, shape (parts, cells): where looks that are no more than 10 dB
    below its usual density are more by half than at the other side of the wave, and feet that the floor hides. centre:
    a cell that it fills, usual: with so much, mW. is_core: to 6 dB, and as far as it shows.
    """
    foot = _CORE if is_core else _REACH
    part = wave.part(_PARTS)
    away = np.minimum(np.arange(_PARTS), _PARTS - np.arange(_PARTS))
    # A tuned instrument takes time for a megahertz: its cells are not averaged over it.
    power, looks = (block.power, block.looks) if block.span.is_tuned else (around.smooth, around.looks)
    floor = over_ground(looks) * around.ground
    hits = power > np.maximum(floor, usual / foot)
    window = smooth_cells(block)
    samples, met = (smoothed(v, 1, window) for v in folded(part, _PARTS, hits))
    far = away >= _PARTS // 2 - _PARTS // 8
    off = met[far].sum(axis=0) / np.maximum(samples[far].sum(axis=0), 1)
    share = _filled_in(met / np.maximum(samples, 1e-9), samples.sum(axis=1) > 0)
    share = (share - off) / np.maximum(1 - off, 0.05)
    # By the part of the wave in which it shows best: an oven may be on for a part of the rows.
    level = np.quantile(share[:, max(centre - window, 0) : centre + window + 1].mean(axis=1), 1 - 3 / _PARTS)
    lit = share >= 0.5 * level
    out = np.zeros_like(lit)
    rows, first, last = runs_of(lit, max(int(1e6 / block.cell_hz), 1), max(int(1e6 / block.cell_hz), 1))
    often = lit.sum(axis=0)
    usually = runs_of((often >= 0.25 * often[centre])[None, :], 1, max(int(1e6 / block.cell_hz), 1))
    for _, begin, end in zip(*usually, strict=True):
        if begin <= centre <= end:  # of the wave's parts that which goes on through its usual place
            common = np.minimum(last, end) - np.maximum(first, begin)
            for k in np.unique(rows[common >= 0]):
                best = np.flatnonzero(rows == k)[np.argmax(common[rows == k])]
                out[k, first[best] : last[best] + 1] = True
    shown_db = 10 * np.log10(max(usual / max(float(np.median(floor[:, often > 0])), usual / foot), 1.0))
    arc = _longest_arc(out)
    if not is_core:
        # What stands there may hide it: that it is not met there then tells nothing.
        shows = _chance_to_show(np.median(np.maximum(floor, usual / foot), axis=0) / max(usual, 1e-30), looks)
        on = level * np.minimum(shows / max(float(shows[centre]), 1e-3), 1.0)
        arc = _on_its_way(block, wave, hits, off, on, arc)
        arc = _to_feet(arc, math.sqrt(10 * math.log10(foot) / max(shown_db, _LEAST_SHOWN_DB)))
    # What is looked at for a while is met from before it begins until after it has ended.
    held = round(block.dwell_s * wave.line_hz * len(arc))
    return arc & np.roll(arc, held // 2, axis=0) & np.roll(arc, held // 2 - held, axis=0)


def _chance_to_show(needed: FloatArray, looks: float) -> FloatArray:
    """Chance of what wavers as so many looks do to be over so many times its mean (Wilson and Hilferty)."""
    ninth = 1 / (9 * looks)
    return normal_below((1 - ninth - np.cbrt(needed)) / np.sqrt(ninth))


def _on_its_way(
    block: Block, wave: Wave, hits: NDArray[np.bool_], off: FloatArray, on: FloatArray, lit: NDArray[np.bool_]
) -> NDArray[np.bool_]:
    """The same where the way of a tube lies that explains best what is met, twice as finely over the wave. off, on:
    share of the looks in which something is met while it is off and, where nothing else is, on, shape (cells,).
    """
    parts = 2 * _PARTS
    step = max(round(_WAY_HZ / block.cell_hz), 1)
    cells = hits.shape[1] // step
    if not cells:
        return lit
    used = cells * step
    samples, met = (
        v[:, :used].reshape(parts, cells, step).mean(axis=2) for v in folded(wave.part(parts), parts, hits)
    )
    start = lit[:, :used].reshape(_PARTS, cells, step).mean(axis=2) >= _HALF
    off_by_cell, on_by_cell = (v[:used].reshape(cells, step).mean(axis=1) for v in (off, on))
    shows = np.where(on_by_cell < _HARDLY, 0.0, np.clip(on_by_cell, *_SHOWS))
    tube = fitted(samples, met, off_by_cell, shows, np.repeat(start, 2, axis=0))
    if tube is None:
        return lit
    out = np.zeros((parts, lit.shape[1]), bool)
    for k, low, high in zip(tube.at(parts), *tube.ends(), strict=True):
        out[k, max(round(low * step), 0) : max(round(high * step), 0)] = True
    return out


def running_share(
    wave: Wave, lit: NDArray[np.bool_], is_there: NDArray[np.bool_], start_s: FloatArray
) -> float:
    """Share of the time in which it runs at all: an oven begins and ends when it likes, and at half its power it pauses
    for seconds. lit: by part of the wave and cell, is_there: by row and cell; start_s: of the rows.

    In each stretch what is there at its own parts of the wave is compared with what is at the others.
    """
    part = wave.part(len(lit))
    cells = np.flatnonzero(lit.any(axis=0))
    own = lit[part[:, cells], cells]
    others = ~np.roll(lit, len(lit) // 16, axis=0) & ~np.roll(lit, -len(lit) // 16, axis=0) & ~lit
    rest = others[part[:, cells], cells]
    there = is_there[:, cells]
    looks_s = max(
        float(np.median(np.diff(start_s))) * _LOOKS_TO_TELL / max(float(lit.any(axis=1).mean()), 0.1),
        _PAUSE_S,
    )
    stretch = ((start_s - start_s[0]) // looks_s).astype(int)
    first = np.flatnonzero(np.diff(stretch, prepend=-1))
    swing, known = np.zeros(len(first)), np.ones(len(first), bool)
    for which, sign in ((own, 1), (rest, -1)):
        samples = np.add.reduceat(which.sum(axis=1), first)
        met = np.add.reduceat((which & there).sum(axis=1), first)
        swing += sign * met / np.maximum(samples, 1)
        known &= samples > 0
    if known.sum() < _FEWEST_STRETCHES:
        return 1.0
    rows = np.diff(first, append=len(start_s))[known]
    usual = float(np.clip(np.quantile(swing[known], _USUALLY), 0.0, 1.0))
    by_chance = np.sqrt(max(usual * (1 - usual), _LEAST_SPREAD) / (rows * float(own.any(axis=1).mean())))
    is_usual = swing[known] + 2 * by_chance > usual
    runs = np.where(is_usual, 1.0, np.clip(swing[known] / max(usual, 1e-9), 0.0, 1.0))
    share = float((runs * rows).sum() / rows.sum())
    return share if share < _NEARLY_ALWAYS else 1.0


def _to_feet(lit: NDArray[np.bool_], times: float) -> NDArray[np.bool_]:
    """Each part of the wave so many times as wide: as a bell goes on beneath the floor that hides its feet."""
    out = lit.copy()
    for k in np.flatnonzero(lit.any(axis=1)):
        at = np.flatnonzero(lit[k])
        more = round((times - 1) * (at[-1] - at[0] + 1) / 2)
        out[k, max(at[0] - more, 0) : at[-1] + more + 1] = True
    return out


def smooth_cells(block: Block) -> int:
    """Neighbours to each side of a cell that count with it."""
    return int(_SMOOTH_HZ / block.cell_hz) // 2


def folded(part: NDArray[np.int32], parts: int, hits: NDArray[np.bool_]) -> tuple[FloatArray, FloatArray]:
    """Looks, and hits among them, by part of the wave and cell, each of shape (parts, cells)."""
    cells = hits.shape[1]
    place = part * cells + np.arange(cells)[None, :]
    samples, met = (np.bincount(p, minlength=parts * cells) for p in (place.ravel(), place[hits]))
    return samples.reshape(parts, cells).astype(float), met.reshape(parts, cells).astype(float)


def smoothed(values: FloatArray, parts: int, cells: int) -> FloatArray:
    """Sums over neighbours: of the wave, which goes around, and of frequency."""
    around = sum(np.roll(values, k, axis=0) for k in range(-parts, parts + 1))
    kernel = np.ones(2 * cells + 1)
    return np.stack([np.convolve(v, kernel, "same") for v in np.asarray(around)])


def _longest_arc(lit: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """The longest stretch of the wave through which what is lit goes on from part to part; the rest is chance."""
    parts = len(lit)
    goes_on = np.array([(lit[k] & (lit[(k + 1) % parts] | lit[(k + 2) % parts])).any() for k in range(parts)])
    if goes_on.all() or not goes_on.any():
        return lit
    start = int(np.flatnonzero(~goes_on)[0]) + 1
    turned = np.roll(goes_on, -start)
    firsts, ends = (
        np.flatnonzero(np.diff(turned.astype(np.int8), prepend=0, append=0) == s) for s in (1, -1)
    )
    longest = int(np.argmax(ends - firsts))
    kept = np.zeros(parts, bool)
    kept[(np.arange(firsts[longest], ends[longest] + 2) + start) % parts] = True
    return lit & kept[:, None]


def _filled_in(share: FloatArray, known: NDArray[np.bool_]) -> FloatArray:
    """Parts of the wave that no look fell on, from those before and behind them."""
    at = np.flatnonzero(known)
    turn = len(share)
    around = np.concatenate([at - turn, at, at + turn])
    out = share.copy()
    for k in np.flatnonzero(~known):
        before, after = around[around < k].max(), around[around > k].min()
        weight = (k - before) / (after - before)
        out[k] = (1 - weight) * share[before % turn] + weight * share[after % turn]
    return out
