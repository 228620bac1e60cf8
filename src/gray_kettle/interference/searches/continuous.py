"""What stands there without a pause for a while: regions of time and frequency whose quiet moments are over the floor.

A channel that is busy most of the time looks alike in a low quantile; it falls back to the floor now and then.

Source: docs/radio-model.md, "Continuous signals".
"""

import itertools
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from gray_kettle.interference.runs import regions_of, run_around
from gray_kettle.interference.searches.block import TILT_DB, Block, Floats, running_mean, running_median
from gray_kettle.interference.searches.spectral_decomposition import FLAT, Part, taken_apart
from gray_kettle.interference.searches.steady import (
    lowest_db,
    lowest_in_parts,
    off_in_parts,
    off_in_rows,
    off_with_others,
    quiet_power,
    restless_in_parts,
    spread_db,
)
from gray_kettle.model.records import FloatArray
from gray_kettle.spectrum.quantise import MW_OF_CODE

LINE_HZ, _MOST_OF_TIME = 1.5e6, 0.5  # what is narrower is one
_ROWS_A_SLICE, _MOST_SLICES = 64, 16
_LEAST_DB, _SURE = 3.0, 5.0
_JOIN_HZ = 1.0e6  # holes in a region that fading made
_WIDE_HZ = 3e6
_EDGE_DB = 10.0
_APART_HZ, _REST_HZ = 5e6, 2.5e6
_BESIDE_HZ, _LINE_OVER, _SHARP = 1.5e6, 4.0, 10.0
_LINE_OVER_FLAT, _FLAT_UNSURE, _UNSURE = 2.3, 0.45, 1.5
_RAISES_HZ = 24e6
_STEADIER, _FILLED = 0.4, 0.3  # than noise can be; of its width
_RESTLESS_DB, _RESTLESS_PEAK_DB = 1.8, 1.0  # beyond the spread of noise
_HIGH_DB, _NEVER_OFF, _RESTLESS_HIGH_DB = 12.0, 0.002, 2.4
_ENOUGH_ROWS, _ALL_ALIKE_DB, _HIGH_ENOUGH_DB, _HARDLY_OFF, _ALWAYS = 150, 0.3, 10.0, 0.006, 0.9
_HUMP, _OF_A_HUMP_DB = 0.75, 0.3
_PARTLY_MET_DB = 0.7  # more, where bursts of others are met in part
_OFTEN_OFF, _SELDOM_OFF, _FEWEST_OFF = 0.025, 0.004, 3.0  # share of the rows, and rows
_MOST_IN_A_REGION = 8
_ONE_HUMP_HZ, _STOREY = 22e6, 0.35
# What a transmitter may spill within two and a half times its width (ITU-R SM.1541) is not another one.
_OUT_OF_BAND, _SPURIOUS_DB, _PEDESTAL_DB, _MUCH = 2.5, 33.0, 23.0, 0.5


@dataclass(frozen=True, eq=False)
class ContinuousSignal:
    """A region that stands. Widths: at so many dB below its top; foot_db: at how many width10_hz really is, 10 unless
    noise hides its foot. first_row, last_row: of the block.

    off_share: of its rows in which it is not there, NaN where that cannot be told. steadiness: spread of its level
    against that of noise, 0 for none, 1 for noise's own. restless_db: by how much its quiet moments differ beyond
    what noise does. filled_share: of its bins, over which its power would be spread evenly.
    """

    low_hz: float
    high_hz: float
    centre_hz: float
    level_dbm: float
    over_db: float
    width3_hz: float
    width10_hz: float
    foot_db: float
    off_share: float
    steadiness: float
    restless_db: float
    filled_share: float
    flicker_db: float
    lowest_db: float
    rows: int
    time_share: float
    first_s: float
    last_s: float
    on: NDArray[np.bool_]  # by slice

    @property
    def is_line(self) -> bool:
        """Narrow, and there for most of the time."""
        return self.width10_hz < LINE_HZ and self.time_share > _MOST_OF_TIME


def slices_of(rows: int) -> list[slice]:
    """Stretches of a block of at least so many rows."""
    count = int(np.clip(rows // _ROWS_A_SLICE, 1, _MOST_SLICES))
    edges = np.linspace(0, rows, count + 1).astype(int)
    return [slice(int(a), int(b)) for a, b in itertools.pairwise(edges)]


@dataclass(frozen=True, eq=False)
class ContinuousBackground:
    """What bursts stand on: power that is always there, by slice, shape (slices, cells), and the regions of it."""

    slices: list[slice]
    power: Floats
    regions: tuple[ContinuousSignal, ...]


def find_continuous_background(block: Block) -> ContinuousBackground:
    """The ground of a block."""
    slices = slices_of(block.rows)
    quiet = np.stack([quiet_power(block.cell_codes[part], block.looks) for part in slices])
    rows = block.rows // len(slices)
    # The estimate of a quantile wanders with the number of rows, and less where looks are many.
    wander_db = 9.7 / np.sqrt(rows * max(block.looks, 1))
    least_db = max(_LEAST_DB, _SURE * wander_db)
    with np.errstate(divide="ignore"):
        over_db = 10 * np.log10(quiet / block.noise)
    over_db[~np.isfinite(over_db)] = -np.inf
    half = int(1e6 / block.cell_hz / 2)
    smooth_db = 10 * np.log10(np.maximum(running_mean(quiet, half) / running_mean(block.noise, half), 1e-3))
    marked = (over_db >= least_db) | (smooth_db >= max(_LEAST_DB, least_db / np.sqrt(2 * half + 1)))
    regions = []
    for first, last, on in regions_of(marked, int(_JOIN_HZ / block.cell_hz)):
        regions += _measured(block, slices, on, first, last)
    power = np.where(marked, np.maximum(quiet, block.noise), block.noise)
    return ContinuousBackground(slices, power.astype(np.float32), tuple(_each_once(regions, len(slices))))


def _each_once(regions: list[ContinuousSignal], slices: int) -> list[ContinuousSignal]:
    """Parts of one thing whose level or neighbours changed, put together: the longest seen tells its shape."""
    out: list[ContinuousSignal] = []
    for region in sorted(regions, key=lambda r: -r.rows):
        for k, known in enumerate(out):
            away_hz = abs(known.low_hz - region.low_hz) + abs(known.high_hz - region.high_hz)
            if away_hz < 0.3 * region.width10_hz and not (region.on & ~known.on).any():
                break  # two regions that touch both hold it
            near = abs(known.centre_hz - region.centre_hz) <= 0.25 * max(known.width10_hz, region.width10_hz)
            if near and 0.4 < known.width10_hz / region.width10_hz < 2.5 and not (known.on & region.on).all():
                on = known.on | region.on
                out[k] = replace(
                    known, on=on, time_share=float(on.sum() / slices), rows=max(known.rows, region.rows),
                    first_s=min(known.first_s, region.first_s), last_s=max(known.last_s, region.last_s),
                )  # fmt: skip
                break
        else:
            out.append(region)
    return out


def _measured(
    block: Block, slices: list[slice], on: NDArray[np.bool_], first: int, last: int
) -> list[ContinuousSignal]:
    """The shape of a region, from the quiet moments of its slices, at the instrument's own resolution.

    A narrow line that stands on something wide is told on its own.
    """
    span, joined = block.span, block.joined
    rows = np.concatenate(
        [np.arange(block.rows)[part] for part, is_on in zip(slices, on, strict=True) if is_on]
    )
    pad = max(int(1.5e6 / span.step_hz), 4)
    low, high = max(first * joined - pad, 0), min((last + 1) * joined + pad, span.bins)
    codes = block.codes[rows, low:high]
    looks = max(block.bin_looks, 1.0)
    noise = np.repeat(block.noise, joined)[low:high]
    if len(noise) < high - low:
        noise = np.append(noise, np.full(high - low - len(noise), noise[-1]))
    power = np.maximum(quiet_power(codes, looks) - noise, 0.0).astype(np.float64)
    sharp = _sharpness(power + noise, span.step_hz)
    out: list[ContinuousSignal] = []
    taken = np.zeros(high - low, bool)  # by what is narrower and stands on it
    freq_hz = span.start_hz + span.step_hz * np.arange(low, high, dtype=float)
    ground = noise
    parts = (
        taken_apart(freq_hz, power, noise.astype(float))
        if (last - first) * block.cell_hz >= _APART_HZ
        else []
    )
    if parts:
        models = np.array([part.power(freq_hz) for part in parts])
        others = models.sum(axis=0) - models
        others[:, power > 2 * (models.sum(axis=0) + noise)] = np.inf  # lines
        for model, beside in zip(models, others, strict=True):
            found = _standing_part(block, rows, codes, low, (model, beside), noise, on)
            if _is_steady(found) and not any(_is_spurious(found, other) for other in out):
                out.append(found)
        unsure, least = (_FLAT_UNSURE, _LINE_OVER_FLAT) if _are_even(parts) else (_UNSURE, _LINE_OVER)
        ground = noise + (unsure * models.sum(axis=0)).astype(np.float32)  # no model is exact
        rest = np.maximum(power - models.sum(axis=0), 0.0)
        power = np.where((rest > 2 * ground) & (sharp > least), rest, 0.0)
    for _ in range(_MOST_IN_A_REGION):
        shape = _shape(power, ground, span.step_hz)
        if shape is None:
            break
        a, b, smoothing = shape
        found = _signal(block, rows, codes, low, power, noise, (a, b), smoothing, on, taken)
        is_rest = bool(parts) and found.width10_hz > _REST_HZ  # what the parts leave of a shape
        is_sharp = bool(sharp[a : b + 1].max() > _SHARP)
        is_line = found.width10_hz < LINE_HZ and is_sharp
        is_foot = not is_line and any(_is_skirt(found, other) for other in out)
        if _is_steady(found, is_sharp) and not is_rest and not is_foot:
            out.append(found)
        # It is taken off what may be wider beneath it: a line between what lies to both sides of its foot.
        reach = (b - a + 1) * (2 if (b - a) * span.step_hz <= _WIDE_HZ else 1) // (1 + (b - a > 8))
        blur = 0 if (b - a) * span.step_hz <= _WIDE_HZ else 4
        a, b = max(_down_to(power, a, -1, blur), a - reach), min(_down_to(power, b, 1, blur), b + reach)
        taken[a : b + 1] = True
        beside = max(min(12, (b - a) // 4), 3)
        before, after = power[max(a - beside, 0) : a], power[b + 1 : b + 1 + beside]
        left, right = (float(np.median(v)) if len(v) else 0.0 for v in (before, after))
        power[a : b + 1] = np.linspace(left, right, b - a + 1) if min(left, right) > 0 else 0.0
    return out


def _are_even(parts: list[Part]) -> bool:
    """Whether what lines may stand on has none of its own: flat tops, or one hump that is wider than pictures are."""
    return all(p.exponent >= FLAT for p in parts) or (len(parts) == 1 and parts[0].width_hz > _RAISES_HZ)


def _sharpness(power: FloatArray, step_hz: float) -> FloatArray:
    """How far bins stand over those to both of their sides: lines do, bends of what is wide do not."""
    reach = max(round(_BESIDE_HZ / step_hz), 3)
    return np.asarray(power / running_median(power, reach))


def _standing_part(
    block: Block, rows: NDArray[np.int64], codes: NDArray[np.uint8], low: int, powers: tuple[FloatArray, FloatArray],
    noise: Floats, on: NDArray[np.bool_],
) -> ContinuousSignal:  # fmt: skip
    """One of several things of a region. powers: its own in each bin, and that of the others."""
    own, others = powers
    peak = int(np.argmax(own))
    edges = run_around(own >= max(own[peak] / 10 ** (_EDGE_DB / 10), 0.7 * float(noise[peak])), peak, 0)
    return _signal(block, rows, codes, low, own, noise, edges, 0, on, others > own)


def _is_steady(found: ContinuousSignal, is_sharp: bool = False) -> bool:
    """Never away, and no more restless than noise is."""
    # Where something wide is so steady, a line that it holds tells of itself, not of the rest.
    is_line = found.width10_hz > _WIDE_HZ and found.steadiness < _STEADIER and found.filled_share < _FILLED
    # Pictures flicker; on channels that are hardly ever free there are peaks that are less restless than the rest.
    restless_db = _RESTLESS_DB if found.width10_hz > _WIDE_HZ or is_sharp else _RESTLESS_PEAK_DB
    if found.width10_hz > _WIDE_HZ and found.over_db > _HIGH_DB and found.off_share < _NEVER_OFF:
        restless_db = _RESTLESS_HIGH_DB  # what comes on top of it is seldom far below it
    # Channels on it may hardly ever be free: when they are it is there, and as ever.
    # (Those on one another make flat tops of their own, and no humps.)
    is_hump = found.width3_hz < _HUMP * found.width10_hz
    alike_db = _ALL_ALIKE_DB + (_OF_A_HUMP_DB if is_hump else 0.0)
    is_alike = found.lowest_db < alike_db and found.off_share < _HARDLY_OFF
    if is_alike and found.over_db > _HIGH_ENOUGH_DB and found.time_share > _ALWAYS:
        return True
    most_off = float(np.clip(_FEWEST_OFF / found.rows, _SELDOM_OFF, _OFTEN_OFF))
    return found.restless_db <= restless_db and not found.off_share > most_off and not is_line


def _lowest_db(
    block: Block, rows: NDArray[np.int64], level_db: FloatArray, cells: tuple[int, int], looks: float
) -> float:
    """By how much its lowest levels differ beyond what noise does, and bursts that a sweep meets in part; NaN where
    rows are few or keep what is highest.
    """
    if block.span.detector != "sample" or len(level_db) < _ENOUGH_ROWS:
        return float("nan")
    if block.span.is_tuned:
        return lowest_in_parts(block, rows, *cells) - _PARTLY_MET_DB
    return lowest_db(level_db, looks)


def _is_skirt(found: ContinuousSignal, other: ContinuousSignal) -> bool:
    """The foot of something much stronger beside it."""
    near_hz = max(other.low_hz - found.high_hz, found.low_hz - other.high_hz)
    foot_db = 6.0 if other.width10_hz > _WIDE_HZ else 10.0
    if found.over_db > other.over_db - foot_db:
        return False
    if _is_spurious(found, other):
        return True
    around = found.low_hz <= other.low_hz and found.high_hz >= other.high_hz
    same_middle = abs(found.centre_hz - other.centre_hz) < 0.25 * found.width10_hz
    if around and same_middle and found.width10_hz < 4 * other.width10_hz:
        return True
    smaller = found.width10_hz < 0.8 * max(other.width10_hz, 6e5)
    return smaller and near_hz < max(0.4 * other.width10_hz, 4e5)


def _is_spurious(found: ContinuousSignal, other: ContinuousSignal) -> bool:
    """What a wide emitter may well spill beside itself."""
    away_hz = abs(found.centre_hz - other.centre_hz)
    near = away_hz < _OUT_OF_BAND * other.width10_hz and other.width10_hz > _WIDE_HZ
    beneath = away_hz < 0.25 * found.width10_hz and other.width10_hz < found.width10_hz < 4 * other.width10_hz
    close = away_hz < 1.2 * other.width10_hz and found.width10_hz < other.width10_hz
    shared_hz = min(found.high_hz, other.high_hz) - max(found.low_hz, other.low_hz)
    is_shared = shared_hz > _MUCH * min(found.width10_hz, other.width10_hz)
    allowed_db = _PEDESTAL_DB if beneath or close or is_shared else _SPURIOUS_DB
    # What an emitter's own noise raises around it may be as wide as anything.
    around = found.low_hz < other.centre_hz < found.high_hz and found.width10_hz > _RAISES_HZ
    near = near or (around and other.width10_hz > _WIDE_HZ)
    return near and found.over_db < other.over_db - allowed_db


def _down_to(power: FloatArray, at: int, step: int, smoothing: int) -> int:
    """Where the power next to a region has stopped falling."""
    smooth = running_mean(power.astype(np.float32), smoothing)
    lowest = smooth[at]
    while 0 <= at + step < len(power) and smooth[at + step] < 2 * lowest and smooth[at + step] > 0:
        at += step
        lowest = min(lowest, smooth[at])
    return at


def _shape(power: FloatArray, noise: Floats, step_hz: float) -> tuple[int, int, int] | None:
    """(first, last, smoothing) of the bins around the top that are within 10 dB of it, or over the floor."""
    peak = int(np.argmax(power))
    if power[peak] < 2 * noise[peak]:
        return None
    # As wide as it looks at first; then smoothed by a part of that, since single bins fade.
    smoothing, edges = 0, (peak, peak)
    for _ in range(3):
        smooth = running_mean(power.astype(np.float32), smoothing)
        peak = int(np.argmax(smooth[max(edges[0], 0) : edges[1] + 1])) + edges[0]
        limit = max(smooth[peak] / 10 ** (_EDGE_DB / 10), 0.7 * float(noise[peak]))
        edges = run_around(
            smooth >= limit, peak, int(4e5 / step_hz) if edges[1] - edges[0] > 2e6 / step_hz else 0
        )
        smoothing = (edges[1] - edges[0] + 1) // 16
    width = edges[1] - edges[0] + 1
    if width * step_hz > _ONE_HUMP_HZ:
        top = run_around(smooth >= smooth[peak] / 2, peak, int(4e5 / step_hz))
        if top[1] - top[0] + 1 < _STOREY * width:  # something narrower stands on it
            return top[0], top[1], smoothing
    return edges[0], edges[1], smoothing


def _signal(
    block: Block, rows: NDArray[np.int64], codes: NDArray[np.uint8], low: int, power: FloatArray, noise: Floats,
    edges: tuple[int, int], smoothing: int, on: NDArray[np.bool_], taken: NDArray[np.bool_],
) -> ContinuousSignal:  # fmt: skip
    span = block.span
    a, b = edges
    smooth = running_mean(power.astype(np.float32), smoothing)
    inside = power[a : b + 1]
    total = float(inside.sum())
    top = float(smooth[a : b + 1].max())
    at_top = a + int(np.argmax(smooth[a : b + 1]))
    three = run_around(
        smooth >= top / 2, at_top, int(4e5 / span.step_hz) if b - a > 2e6 / span.step_hz else 0
    )
    freq_hz = span.start_hz + span.step_hz * (low + np.arange(a, b + 1))
    centre_hz = float((freq_hz * inside).sum() / total)
    step = span.step_hz
    own = np.flatnonzero(~taken[a : b + 1])
    if len(own) < 0.3 * (b - a + 1):
        own = np.arange(b - a + 1)
    row_mw = MW_OF_CODE[codes[:, a + own]].sum(axis=1)
    floor_mw = float(noise[a + own].sum())
    level_mw = float(inside[own].sum())
    wide = (b - a + 1) * step >= _WIDE_HZ
    cells = (low + a) // block.joined, (low + b) // block.joined
    off = float("nan")
    if wide:
        # Each part of it: something narrower may stand where a channel comes and goes.
        off = min(
            off_in_parts(block, rows, (low + first) // block.joined, (low + last) // block.joined)
            for first, last in ((a, b), three)  # others may come and go at its feet
        )
        if not span.is_tuned:
            of_bins = inside[own] + noise[a + own]
            looks = block.looks_of_bins(float(of_bins.sum() ** 2 / (of_bins**2).sum()))
            off = max(off, off_in_rows(row_mw, rows, floor_mw, level_mw, looks))
    else:
        # What is narrower than a bin shows in its neighbours, too, and fades there with it.
        off = off_in_rows(row_mw, rows, floor_mw, level_mw, block.looks_of_bins(max(len(own) - 2, 1)))
        if span.is_tuned:
            off = max(off, off_with_others(block, rows, (low + a, low + b), inside))
    level_db = 10 * np.log10(row_mw[row_mw > 0]) if row_mw.any() else np.zeros(1)  # others were skipped
    q = np.quantile(level_db, [0.05, 0.25, 0.75])
    looks = block.looks_of_bins(max(len(own) * 0.7, 1))
    expected = spread_db(looks, -0.6745, -1.645)  # of its quiet moments: others may come on top
    restless_db = float(q[1] - q[0]) - expected
    if wide:  # bursts of others that fill a part of it do not make the rest restless
        in_parts_db = restless_in_parts(block, rows, *cells)
        if span.is_tuned:
            restless_db = in_parts_db
        elif span.detector != "max":
            restless_db = min(restless_db, in_parts_db)
    # Quiet moments tell the mean of what fades; what does not fade is no stronger than its median.
    median_mw = (float(np.median(row_mw)) - floor_mw) * total / max(level_mw, 1e-30)
    told_mw = max(min(total, median_mw), 0.05 * total)
    return ContinuousSignal(
        low_hz=float(freq_hz[0] - step / 2),
        high_hz=float(freq_hz[-1] + step / 2),
        centre_hz=centre_hz,
        level_dbm=float(10 * np.log10(told_mw)),
        over_db=_over_db(block, top * told_mw / total, float(noise[at_top]), (b - a + 1) * step),
        width3_hz=(three[1] - three[0] + 1) * step,
        width10_hz=(b - a + 1) * step,
        foot_db=float(min(_EDGE_DB, 10 * np.log10(max(top / (0.7 * float(noise[at_top])), 1.0)))),
        off_share=off,
        steadiness=float((q[1] - q[0]) / max(expected, 0.05)),
        restless_db=restless_db,
        filled_share=level_mw**2 / max(float((inside[own] ** 2).sum()) * len(own), 1e-60),
        flicker_db=float(q[2] - q[1]),
        lowest_db=_lowest_db(block, rows, level_db, cells, looks) if wide else float("nan"),
        rows=len(rows),
        time_share=len(rows) / block.rows,
        first_s=float(block.time_s[rows[0]]),
        last_s=float(block.time_s[rows[-1]]),
        on=on,
    )


def _over_db(block: Block, top_mw: float, noise_mw: float, width_hz: float) -> float:
    """How far something stands over the floor. What fills a part of the span raises the floor beside it, too: of that
    the quietest tells more, a receiver's own tilt taken off.
    """
    over_db = 10 * np.log10(top_mw / noise_mw)
    if width_hz > _RAISES_HZ:
        quietest_mw = float(np.quantile(block.noise, 0.05)) * 10 ** (TILT_DB / 10)
        over_db = max(over_db, 10 * np.log10((top_mw + noise_mw) / quietest_mw))
    return float(over_db)
