"""How much of the time something is on a place, how strong it is then, and at what hours.

Source: docs/radio-model.md, "Channel power and duty".
"""

from dataclasses import dataclass

import numpy as np

from gray_kettle.model.records import FloatArray, IntArray, Span, SweptChannel
from gray_kettle.phy.channels import Channel
from gray_kettle.spectrum.channel_power import channel_codes, channel_floor_dbm, cover
from gray_kettle.spectrum.noise_floor import OVER_FLOOR_DB, threshold_codes
from gray_kettle.spectrum.quantise import MISSING, MW_OF_CODE, Codes, FloatDb, dbm_of_mw, to_codes, to_dbm

ALWAYS = 255  # of a share kept as a byte
_HOURS = 24
_GAP = 4.0  # times the step before it: a longer silence is not time that the last row stands for
_CERTAIN = 4.0  # standard deviations
_CODES = 256
_SATURATED = 0.98
_ENOUGH_ROWS = 20_000  # for a median


@dataclass(frozen=True, eq=False)
class ChannelRows:
    """Of each row and place, shape (rows, channels). power: codes, of the whole place (for a tuned instrument: while
    something was on it, else its noise). over: share of it that was over the floor by 10 dB, 255 for all.
    """

    power: Codes
    over: Codes


def channel_rows(span: Span, codes: Codes, floor_dbm: FloatDb) -> ChannelRows:
    """What rows say of every channel of their span, the floor being known.

    A snapshot sees all of a place at one moment: it is busy where its whole power is over the floor. A tuned
    instrument passes through it while transmitters come and go: there each bin speaks for its own moment.
    """
    if not span.is_tuned:
        power = channel_codes(span, codes)
        limit = to_codes(channel_floor_dbm(span, floor_dbm) + np.float32(OVER_FLOOR_DB))
        over = np.where((power >= limit) & (power != MISSING), ALWAYS, 0).astype(np.uint8)
        return ChannelRows(power, over)
    weights = cover(span)
    on = (codes >= threshold_codes(floor_dbm)) & (codes != MISSING)
    measured = (codes != MISSING).astype(np.float32) @ weights
    total = weights.sum(axis=0)
    on_share = np.divide(
        on.astype(np.float32) @ weights, measured, where=measured > 0, out=np.zeros_like(measured)
    )
    # What was observed on a part of the bins is taken for the density of the whole channel.
    with np.errstate(divide="ignore", invalid="ignore"):
        density = (np.where(on, MW_OF_CODE[codes], 0) @ weights) / (on_share * measured)
        idle = (MW_OF_CODE[codes] @ weights) / measured
    power = to_codes(dbm_of_mw(np.where(on_share > 0, density, idle) * total))
    power[measured < 0.9 * total] = MISSING
    return ChannelRows(power, np.rint(on_share * ALWAYS).astype(np.uint8))


def stands_for_s(time_s: FloatArray) -> FloatArray:
    """How long each row stands for: until the next, but not over a gap."""
    if len(time_s) < 2:
        return np.ones(len(time_s))
    steps = np.diff(time_s)
    before = np.concatenate([steps[:1], steps])
    return np.asarray(np.maximum(np.minimum(np.append(steps, steps[-1]), _GAP * before), 1e-6))


@dataclass(eq=False)
class Tally:
    """Rows of one run added up for its places. Sums over time; see Swept for what becomes of them."""

    span: Span
    seconds: FloatArray  # (places,)
    rows: IntArray
    over_s: FloatArray
    on_mw_s: FloatArray
    by_power_s: FloatArray  # (places, codes)
    hour_s: FloatArray  # (24, places)
    hour_over_s: FloatArray
    hour_rows: IntArray


def tally(span: Span, time_s: FloatArray, rows: ChannelRows) -> Tally:
    """Add up rows, each weighed by the time that it stands for."""
    places = rows.power.shape[1]
    known = rows.power != MISSING
    weight = stands_for_s(time_s)[:, None] * known
    over = weight * (rows.over / ALWAYS)
    hours = (np.floor(time_s / 3600) % _HOURS).astype(int)
    at_hour = (hours == np.arange(_HOURS)[:, None]).astype(np.float32)
    hour_s, hour_over_s, hour_rows = (
        (at_hour @ values.astype(np.float32)).astype(np.float64) for values in (weight, over, known)
    )
    some = slice(None, None, max(len(time_s) // _ENOUGH_ROWS, 1))
    index = rows.power[some] + _CODES * np.arange(places)[None, :]
    by_power = np.bincount(index.ravel(), weights=weight[some].ravel(), minlength=_CODES * places)
    return Tally(
        span,
        weight.sum(axis=0),
        known.sum(axis=0).astype(np.int64),
        over.sum(axis=0),
        (MW_OF_CODE[rows.power] * over).sum(axis=0),
        np.asarray(by_power, np.float64).reshape(places, _CODES),
        hour_s,
        hour_over_s,
        np.rint(hour_rows).astype(np.int64),
    )


def busiest_part(span: Span, bin_share: FloatArray, rows: int) -> FloatArray:
    """Duty (0 to 1) of each channel for a swept receiver: the mean over the bins that are as busy as its busiest.

    It observes a narrow transmitter in few of the bins of a channel, which is busy as long as that sends.
    Bins count as equally busy when the difference may be chance.
    """
    weights = cover(span)
    out = np.zeros(weights.shape[1])
    for k in range(weights.shape[1]):
        share = bin_share[weights[:, k] > 0]
        highest = float(share.max())
        chance = np.sqrt(highest * (1 - highest) / rows + 0.25 / rows**2)
        out[k] = share[share >= highest - _CERTAIN * chance].mean()
    return out


def swept_from(
    channel: Channel, at: int, run: Tally, floor_dbm: float, busiest: float | None, spot: str
) -> SweptChannel:
    """The answer for one place of a tally. busiest: see busiest_part, None for a snapshot."""
    span, seconds = run.span, max(float(run.seconds[at]), 1e-9)
    over = float(run.over_s[at])
    duty = over / seconds if busiest is None else busiest
    bound = "upper" if span.detector == "max" else ""
    if span.detector == "mean" and span.averages > 1:
        if duty > _SATURATED:  # always on, or seldom in every row: means are no measure
            bound = "upper"
        else:
            duty = _duty_of_means(run.by_power_s[at], floor_dbm, span.averages, duty)
    on_mw = run.on_mw_s[at] / over if over > 0 else np.nan
    summed = np.cumsum(run.by_power_s[at])
    scale = min(duty, 1.0) / (over / seconds) if over > 0 else 1.0
    hours = tuple(
        (
            hour,
            round(min(float(run.hour_over_s[hour, at] / run.hour_s[hour, at]) * scale, 1.0), 4),
            int(run.hour_rows[hour, at]),
        )
        for hour in range(_HOURS)
        if run.hour_s[hour, at] > 0
    )
    return SweptChannel(
        channel=channel,
        duty=round(min(duty, 1.0), 4),
        bound=bound,
        rows=int(run.rows[at]),
        rows_per_s=round(float(run.rows[at]) / seconds, 3),
        seconds=round(seconds, 3),
        floor_dbm=round(floor_dbm, 1),
        level_dbm=round(float(dbm_of_mw(np.array([on_mw]))[0]), 1),
        median_dbm=float(to_dbm(np.searchsorted(summed, summed[-1] / 2).astype(np.uint8))),
        by_hour=hours,
        spot=spot,
    )


def _duty_of_means(by_power_s: FloatArray, floor_dbm: float, frames: int, counted: float) -> float:
    """Duty where each row is the mean of some frames, of which only some observed the transmitter.

    Of n independent frames that are busy with probability d at one level, the mean has the square of its relative
    spread equal to (1 − d) / (n · d), and at least one is busy in 1 − (1 − d)ⁿ of the rows. How many of the frames
    are independent depends on the length of bursts: n is what makes both agree.
    """
    weight = by_power_s[:MISSING] / by_power_s[:MISSING].sum()
    power = np.maximum(MW_OF_CODE[:MISSING].astype(np.float64) - 10 ** (floor_dbm / 10), 0)
    mean = float((weight * power).sum())
    if mean <= 0:
        return counted
    spread = float((weight * (power - mean) ** 2).sum()) / mean**2
    n = np.geomspace(1, frames, 200)
    duty = 1 / (1 + n * spread)
    best = int(np.argmin(np.abs(1 - (1 - duty) ** n - counted)))
    return min(float(duty[best]), counted)


def merged_swept(parts: list[SweptChannel]) -> tuple[SweptChannel, ...]:
    """One answer a place and spot, each part weighed by its time."""
    groups: dict[tuple[Channel, str], list[SweptChannel]] = {}
    for part in parts:
        groups.setdefault((part.channel, part.spot), []).append(part)
    return tuple(_merged(groups[key]) for key in sorted(groups))


def _merged(parts: list[SweptChannel]) -> SweptChannel:
    if len(parts) == 1:
        return parts[0]
    seconds = sum(p.seconds for p in parts)
    longest = max(parts, key=lambda p: (p.seconds, p.duty, p.rows))
    hours: dict[int, list[tuple[float, int]]] = {}
    for part in parts:
        for hour, duty, rows in part.by_hour:
            hours.setdefault(hour, []).append((duty, rows))
    on = [(p.duty * p.seconds, p.level_dbm) for p in parts if p.duty and np.isfinite(p.level_dbm)]
    on_s = sum(s for s, _ in on)
    level = 10 * np.log10(sum(s * 10 ** (level / 10) for s, level in on) / on_s) if on_s else np.nan
    rows = sum(p.rows for p in parts)
    return SweptChannel(
        longest.channel,
        round(sum(p.duty * p.seconds for p in parts) / seconds, 4),
        max(p.bound for p in parts),
        rows,
        round(rows / seconds, 3),
        round(seconds, 3),
        longest.floor_dbm,
        round(float(level), 1),
        longest.median_dbm,
        tuple(
            (hour, round(sum(d * n for d, n in met) / sum(n for _, n in met), 4), sum(n for _, n in met))
            for hour, met in sorted(hours.items())
        ),
        longest.spot,
    )
