"""How long, how strong and in which channels a claim is on the air.

Rows see an emitter at moments: a row of several frames shows a burst more often than it is there, which is counted back
with the assumption that frames are independent moments. Source: docs/radio-model.md, "Candidates, weighed".
"""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from gray_kettle.interference.searches.advertising import ADVERTISING_HZ
from gray_kettle.interference.weighed.candidates import Candidate
from gray_kettle.interference.weighed.features import rows_on
from gray_kettle.interference.weighed.intervals import Interval, Profiles
from gray_kettle.interference.weighed.parameters import P
from gray_kettle.interference.weighed.rows import Rows
from gray_kettle.model.enums import EmitterKind
from gray_kettle.model.records import Detection, Span
from gray_kettle.spectrum.channel_power import channels_in_span, passband_hz
from gray_kettle.spectrum.quantise import DBM_OF_CODE

_OVEN_DUTY = {"half": 0.45, "whole": 0.72}  # of a magnetron fed by a transformer, and by an inverter
_BURSTS = (
    EmitterKind.IEEE_802_15_4,
    EmitterKind.BLUETOOTH,
    EmitterKind.BLE_ADVERTISING,
    EmitterKind.FREQUENCY_HOPPER,
    EmitterKind.CELLULAR_CARRIER,
)
_BENEATH_OTHERS = (
    EmitterKind.CONTINUOUS_CARRIER,
    EmitterKind.NARROWBAND_FM,
    EmitterKind.ANALOGUE_VIDEO,
    EmitterKind.BROADBAND_NOISE,
)
_STILL_RISES, _SHOWS_DB = 0.5, 2.0
_SOME_ROWS = 800
_STEADY = (EmitterKind.CONTINUOUS_CARRIER, EmitterKind.NARROWBAND_FM, EmitterKind.ANALOGUE_VIDEO)
_PULSE_DUTY = 2e-3  # of a radar while its beam passes
_HALF_CHANNEL = 1e6


@dataclass(frozen=True)
class Occupancy:
    """level_dbm: while it is on. duty: share of the block; first_s, last_s: when it was seen first and last; rows: in
    which it shows; channels: (band, number, share of time).
    """

    level_dbm: float
    duty: float
    first_s: float
    last_s: float
    rows: int
    channels: tuple[tuple[str, int, float], ...]


def of_candidate(rows: Rows, profiles: Profiles, candidate: Candidate, kind: EmitterKind) -> Occupancy:
    """Measure a claim."""
    if candidate.interval is not None:
        return _of_interval(rows, profiles, candidate, kind)
    return _of_cluster(rows, candidate, kind)


def of_found(rows: Rows, profiles: Profiles, candidate: Candidate, kind: EmitterKind) -> Detection:
    """What a search found. Of what hardly pauses a search misses what lies beneath other signals: its share of time is
    the higher one of what the search says and what the rows show.
    """
    found = candidate.found
    assert found is not None
    if kind not in _BENEATH_OTHERS:
        return found
    measured = _of_interval(rows, profiles, candidate, kind)
    shares = {(band, number): share for band, number, share in measured.channels}
    channels = tuple((b, n, max(share, shares.get((b, n), 0.0))) for b, n, share in found.channels)
    return replace(found, duty=max(found.duty, min(measured.duty, 1.0)), channels=channels)


def frames_of(span: Span) -> int:
    """Moments that a row has of each bin."""
    return max(span.averages, 1)


def share_of_time(row_share: float, frames: int) -> float:
    """Share of time in which bursts are on, from the share of rows that show one in any of their frames."""
    return float(1 - (1 - min(row_share, 0.999)) ** (1 / frames))


def _of_interval(rows: Rows, profiles: Profiles, candidate: Candidate, kind: EmitterKind) -> Occupancy:
    assert candidate.interval is not None
    interval = _where_it_never_pauses(profiles, candidate.interval)
    # Windows in which it is on at all: one that is on half of the time is not always on in half of a window.
    seldomer = {"low": "mid all", "mid": "high all", "high": "top all"}.get(interval.profile.split()[0])
    seen_in = replace(interval, profile=seldomer) if seldomer in profiles.levels else interval
    on, _ = rows_on(profiles, seen_in, len(rows.codes))
    some = on[:: len(on) // _SOME_ROWS + 1]
    levels = DBM_OF_CODE[rows.codes[some, interval.first : interval.last]].astype(np.float64)
    noise = rows.noise.median_dbm[interval.first : interval.last]
    power = 10 ** (levels / 10)
    total = power.sum(axis=1)
    floor = (10 ** (noise / 10)).sum()
    over_db = 10 * np.log10(np.maximum(total / floor, 1e-6))
    shows = over_db > interval.top_db / 2
    level = (
        float(10 * np.log10(max(float(np.median(total[shows])) - floor, 1e-20))) if shows.any() else -120.0
    )
    level += float(np.median(rows.lift_db[some]))
    duty = _duty_while_on(rows, kind, float(shows.mean())) * len(on) / len(rows.codes)
    by_bin = (
        np.maximum(np.median(power[shows], axis=0) - 10 ** (noise / 10), 0.0) if shows.any() else power[0]
    )
    step, first_hz = rows.span.step_hz, rows.span.start_hz + rows.span.step_hz * interval.first
    freq = first_hz + step * np.arange(interval.last - interval.first)
    channels = _by_power(rows.span, freq, by_bin, level, duty)
    times = rows.time_s[on]
    return Occupancy(
        level, duty, float(times[0]), float(times[-1]), round(float(shows.mean()) * len(on)), channels
    )


def _where_it_never_pauses(profiles: Profiles, interval: Interval) -> Interval:
    """The same bins in the lowest of the levels in which they still rise half as much: what is higher now and then is
    something else on the same frequency. The least of a window is left out: it wavers by chance.
    """
    first, last = interval.first, interval.last
    reach = max(last - first, 3)
    tops, rises = {}, {}
    for name, level in profiles.levels.items():
        tops[name] = float(np.median(level[first:last])) - profiles.of_noise_db[name]
        beside = np.concatenate([level[max(first - reach, 0) : first], level[last : last + reach]])
        around = float(np.median(beside)) - profiles.of_noise_db[name] if len(beside) else 0.0
        rises[name] = tops[name] - max(around, 0.0)
    most = max(rises.values())
    for quantile in ("low", "mid", "high", "top"):
        for windows in ("some", "all"):
            name = f"{quantile} {windows}"
            if rises.get(name, 0.0) >= max(_STILL_RISES * most, _SHOWS_DB):
                return replace(interval, profile=name, top_db=tops[name], rise_db=rises[name])
    return interval


def _duty_while_on(rows: Rows, kind: EmitterKind, row_share: float) -> float:
    """Of the time in which it is switched on."""
    frames = frames_of(rows.span)
    if kind in _BURSTS:
        return share_of_time(row_share, frames)
    if kind != EmitterKind.MICROWAVE_OVEN:
        return row_share
    if frames == 1 and not rows.span.sweep_s:
        return row_share
    # Rows of many frames show an oven all the time: what magnetrons do is assumed.
    return min(row_share, _OVEN_DUTY["whole"] if row_share > 0.9 else _OVEN_DUTY["half"])


def _of_cluster(rows: Rows, candidate: Candidate, kind: EmitterKind) -> Occupancy:
    cluster = candidate.cluster
    assert cluster is not None
    bursts, span = cluster.bursts, rows.span
    level = float(np.quantile(bursts.level_dbm, 0.75))
    frames, count = frames_of(span), len(rows.codes)
    hit = np.unique(bursts.row)
    if kind == EmitterKind.MICROWAVE_OVEN:
        duty = _duty_while_on(rows, kind, min(1.5 * len(hit) / count, 0.5))
    else:
        duty = share_of_time(len(hit) / count, frames) if kind not in _STEADY else len(hit) / count
    if kind == EmitterKind.RADAR:
        duty = min(duty, _PULSE_DUTY)

    def within(first_hz: float, last_hz: float) -> float:
        some = bursts.row[(bursts.freq_hz > first_hz) & (bursts.freq_hz < last_hz)]
        share = len(np.unique(some)) / count
        return share if kind == EmitterKind.MICROWAVE_OVEN else min(share_of_time(share, frames), duty)

    if cluster.shape == "advertising":
        channels = _by_bursts(span, level, within, ADVERTISING_HZ)
    elif cluster.shape == "fixed":
        centre = float(np.median(bursts.freq_hz))
        channels = _by_bursts(
            span, level, lambda *_: duty, (centre - candidate.width_hz / 2, centre + candidate.width_hz / 2)
        )
    elif kind == EmitterKind.MICROWAVE_OVEN:
        channels = _by_bursts(
            span, level, lambda *_: duty, tuple(np.arange(candidate.low_hz, candidate.high_hz, 1e6))
        )
    else:
        channels = _by_bursts(span, level, within, None)
    times = rows.time_s[hit]
    return Occupancy(level, duty, float(times[0]), float(times[-1]), len(hit), channels)


def _by_bursts(
    span: Span,
    level_dbm: float,
    share_within: Callable[[float, float], float],
    touched_hz: tuple[float, ...] | None,
) -> tuple[tuple[str, int, float], ...]:
    """Channels with a frequency of those touched in them, or with bursts where that is None."""
    out = []
    if level_dbm < P.off_channel_dbm:
        return ()
    for channel in channels_in_span(span):
        first, last = passband_hz(channel)
        if channel.width_mhz != 20 or (
            touched_hz is not None and not any(first < hz < last for hz in touched_hz)
        ):
            continue
        share = share_within(first, last)
        if share > 0:
            out.append((channel.band, channel.primary, round(min(share, 1.0), 4)))
    return tuple(out)


def _by_power(
    span: Span, freq_hz: NDArray[np.floating], power: NDArray[np.floating], level_dbm: float, duty: float
) -> tuple[tuple[str, int, float], ...]:
    """Channels that enough of its power lies in. power: of each bin, shape (bins,)."""
    out = []
    whole = max(float(power.sum()), 1e-30)
    for channel in channels_in_span(span):
        first, last = passband_hz(channel)
        if channel.width_mhz != 20:
            continue
        part = (
            float(power[(freq_hz > first - _HALF_CHANNEL) & (freq_hz < last + _HALF_CHANNEL)].sum()) / whole
        )
        if part > 0 and level_dbm + 10 * np.log10(part) > P.off_channel_dbm:
            out.append((channel.band, channel.primary, round(min(duty, 1.0), 4)))
    return tuple(out)
