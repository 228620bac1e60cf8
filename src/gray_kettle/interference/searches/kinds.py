"""Which kind of emitter something is most like: each kind says what it expects, and what is met speaks for or against.

An expectation is a range that physics gives, with soft ends: inside it costs nothing, outside the square of the
distance in units of softness (a normal law). Costs add up; kinds are compared by them, and with "unknown", which
expects nothing and costs a fixed amount. So every answer can be taken apart into its reasons.

Source: docs/radio-model.md, "Signatures of non-Wi-Fi emitters".
"""

import math
from collections.abc import Mapping
from functools import cache

import numpy as np

from gray_kettle.interference.searches.advertising import ADVERTISING_HZ
from gray_kettle.interference.searches.antenna_rotation import RADAR_HZ
from gray_kettle.interference.searches.bursts import LOW_BAND_HZ
from gray_kettle.interference.searches.continuous import ContinuousSignal
from gray_kettle.interference.searches.fixed_frequency import FixedFrequency
from gray_kettle.interference.searches.hops import Hops
from gray_kettle.interference.searches.mains import MainsSynced
from gray_kettle.interference.searches.mains_alias import SlowWave
from gray_kettle.model.records import FloatArray
from gray_kettle.phy.channels import BANDS, all_channels

UNKNOWN_COST = 4.0
_MOST_COST = 9.0
_LEAST_FOOT_DB = 5.0
_FEWEST_COMMON_HZ = 19e6
_WIDE_MHZ, _LEAST_OVERLAP_HZ, _UNSTEADY = 40, 4e6, 1.45
_AT_AN_EDGE = 1.0
_HUMP_WAVERS = 1.3
_ALL_OF_IT, _MOST_OF_TWO = 0.9, 0.8  # two ovens fill more of the wave than one
_AGREES_WELL, _AGREES_BEYOND_DOUBT = 18.0, 60.0
_AT_HZ, _WANDERS = 0.1e6, 2.5  # by which a middle may be off, beside what chance does
_MIDDLE_HZ, _MIDDLE_SOFT_HZ = 0.2e6, 0.25e6  # by which a channel's middle may be off, beside what bins do
_VIDEO_HZ = ((2.39e9, 2.5e9), (5.64e9, 5.96e9))
WIFI = "wi-fi"
_WIFI_WIDTHS_HZ = {
    20: (15.8e6, 19.6e6),
    40: (34.8e6, 40.2e6),
    80: (74e6, 80.4e6),
    160: (150e6, 161e6),
}  # 3 dB


def expects(value: float, low: float, high: float, softness: float) -> float:
    """Cost of a value: none within a range, then rising; a value that is not known costs nothing."""
    if math.isnan(value):
        return 0.0
    away = max(low - value, value - high, 0.0)
    return min(0.5 * (away / softness) ** 2, _MOST_COST)


def compared(costs: Mapping[str, float], sureness: float = 1.0) -> tuple[tuple[str, float], ...]:
    """Probabilities of kinds from their costs, "unknown" among them. sureness: how far what was met can be trusted."""
    weights = {kind: math.exp(-cost) for kind, cost in costs.items()}
    weights["unknown"] = weights.get("unknown", 0.0) + math.exp(-UNKNOWN_COST)
    total = sum(weights.values())
    shares = {kind: sureness * weight / total for kind, weight in weights.items()}
    shares["unknown"] += 1 - sureness
    return tuple(sorted(shares.items(), key=lambda item: (-item[1], item[0])))


def _is_in(hz: float, ranges: tuple[tuple[float, float], ...], softness: float) -> float:
    return min(expects(hz, low, high, softness) for low, high in ranges)


def of_continuous(
    s: ContinuousSignal, step_hz: float, pauses_show: bool, lie_apart: bool = False
) -> tuple[tuple[str, float], ...]:
    """Something that stands without a pause: by its width, its shape and its steadiness."""
    width = s.width10_hz
    log_width = math.log10(max(width, 1.0))
    # A shape shows in no less than four bins, and its foot only where it stands high enough.
    resolved = width >= 3.5 * step_hz
    shape = _shape(s) if resolved else float("nan")
    if s.over_db < 11:  # the foot of it is in the noise: its 3 dB width says more
        width = max(width, 1.2 * s.width3_hz)
    line = expects(width / step_hz, 0, 2.2, 0.4)
    costs = {
        "continuous-carrier": line + expects(s.steadiness, 0, 0.45, 0.15) + expects(step_hz, 0, 3e5, 4e5),
        "narrowband-fm": expects(log_width, 3.0, math.log10(max(1.4e6, 1.6 * step_hz)), 0.08)
        + expects(s.steadiness, 0.55, 1.7, 0.12),
        "analogue-video": expects(width, 5e6, 20e6, 0.8e6) + expects(shape, 0.1, 0.74, 0.05)
        + _is_in(s.centre_hz, _VIDEO_HZ, 3e6) + (0.0 if resolved else 2.0),
        "point-to-point": expects(width, 5e6, 46e6, 0.7e6) + expects(shape, 0.8, 1.0, 0.04),
        "broadband-noise": _noise_cost(s, width, shape),
        WIFI: wifi_cost(s, step_hz, pauses_show, lie_apart),
    }  # fmt: skip
    sureness = 1 - 0.5 * math.exp(-max(s.over_db - 4, 0) / 4)
    return compared(costs, sureness)


def _shape(s: ContinuousSignal) -> float:
    """Width at 3 dB against that at 10 dB: 0.55 for a bell, 1 for a flat top. Where noise hides the foot, from what
    shows of it, by the law of a bell's power; NaN where that is next to nothing.
    """
    if s.foot_db < _LEAST_FOOT_DB:
        return float("nan")
    ratio = s.width3_hz / s.width10_hz
    return float(ratio ** (math.log(10 / 3) / math.log(s.foot_db / 3)))


def _noise_cost(s: ContinuousSignal, width: float, shape: float) -> float:
    """At least 20 MHz, with feet that are no mask's; or so wide that nothing else is."""
    soft = expects(s.width3_hz, 20e6, math.inf, 1.5e6) + expects(shape, 0.0, 0.76, 0.05)
    return min(soft, expects(width, 50e6, math.inf, 3e6) + 0.5)


def wifi_cost(s: ContinuousSignal, step_hz: float, pauses_show: bool, lie_apart: bool = False) -> float:
    """A channel that is hardly ever free looks so: flat, of a channel's width, on the raster of channels.

    Even then it pauses between frames: the more rows without a pause, the less it is that, where pauses_show (rows
    of several frames, or that keep the highest level, do not show them). lie_apart: frames of a row may.
    """
    middle_hz = (s.low_hz + s.high_hz) / 2
    places = [
        (width_mhz, expects(off_hz, 0, _MIDDLE_HZ + 0.5 * step_hz, _MIDDLE_SOFT_HZ))
        for width_mhz, off_hz in zip(_WIFI_WIDTHS_HZ, _off_raster_hz(middle_hz), strict=True)
    ]
    flat = expects(s.width3_hz / s.width10_hz, 0.78, 1.0, 0.06)
    by_top = min(expects(s.width3_hz, *_WIFI_WIDTHS_HZ[w], 0.5e6) + off for w, off in places) + flat
    # Narrower channels within a wide one make its top uneven: then its ends tell, and that it is busier than noise.
    by_ends = min(
        expects(s.width10_hz, w * 0.95e6, w * 1e6 + 2.5e6, 0.5e6) + off for w, off in places if w >= _WIDE_MHZ
    )
    # What spreads over a channel by a code, as the oldest radios do, is a hump.
    off_hz = 0.3 * step_hz
    hump = expects(s.width3_hz, 9.2e6 - off_hz, 10.4e6 + off_hz, 0.2e6)
    hump += expects(s.width10_hz, 15.2e6 - off_hz, 16.8e6 + off_hz, 0.25e6)
    by_hump = hump + places[0][1] + expects(s.steadiness, _HUMP_WAVERS, math.inf, 0.03)
    by_hump = by_hump if s.high_hz < LOW_BAND_HZ else math.inf
    no_pause = min(0.015 * s.rows, 2.0) if s.off_share < 0.002 and pauses_show else 0.0
    by_ends += 1.0 + expects(s.steadiness, 1.25, math.inf, 0.1)
    if lie_apart and s.width10_hz > _LEAST_OVERLAP_HZ:
        # Channels side by side look like one that is never away, but now the one is there and now the other.
        off_ends = max(_off_ends(hz, step_hz) for hz in (s.low_hz, s.high_hz))
        by_ends = min(by_ends, 1.0 + off_ends + expects(s.steadiness, _UNSTEADY, math.inf, 0.1))
    return min(by_top, by_ends, by_hump) + no_pause - 1.5


def _off_ends(hz: float, step_hz: float) -> float:
    """Cost of an end that is none of a channel's."""
    off_hz = min(
        float(np.abs(_centres_hz()[w] + side * 0.485e6 * w - hz).min())
        for w in _WIFI_WIDTHS_HZ
        for side in (-1, 1)
    )
    return expects(off_hz, 0, 0.35e6 + 0.5 * step_hz, 0.35e6)


def _off_raster_hz(centre_hz: float) -> list[float]:
    """Distance to the next centre of a channel of each width."""
    return [float(np.abs(_centres_hz()[width] - centre_hz).min()) for width in _WIFI_WIDTHS_HZ]


@cache
def _centres_hz() -> dict[int, FloatArray]:
    return {
        width: np.array(
            sorted({c.centre_hz for band in BANDS for c in all_channels(band) if c.width_mhz == width})
        )
        for width in _WIFI_WIDTHS_HZ
    }


def of_fixed(
    f: FixedFrequency, step_hz: float, in_parts: bool, others_hidden: bool
) -> tuple[tuple[str, float], ...]:
    """Bursts that come back to one place: by where, how wide, how often.

    in_parts: bursts may be met in part. others_hidden: it is one of the places of advertising, and the others could not
    have shown.
    """
    raster_hz = abs((f.centre_hz - 2.405e9 + 2.5e6) % 5e6 - 2.5e6)
    # The more bursts there are, the better is known where the middle of them lies.
    within = _AT_HZ + 0.1 * step_hz + _WANDERS * f.spread_hz / math.sqrt(len(f.bursts))
    width = expects(f.width_hz, 1.0e6, 3.2e6 + step_hz, 0.25e6)
    low_band = f.centre_hz < 2.5e9
    costs = {"unknown": UNKNOWN_COST - 1.0}
    if low_band:
        on_raster = expects(raster_hz, 0, within, 0.08e6 + 0.1 * step_hz)
        if in_parts:  # edges of channels are spread over a megahertz and more
            on_raster += expects(f.spread_hz, 0, 0.5e6 + 0.2 * step_hz, 0.1e6)
        costs["802.15.4"] = on_raster + width + expects(f.share, 0, 0.15, 0.04) \
            + expects(f.centre_hz, 2.4043e9, 2.4807e9, 0.2e6)  # fmt: skip
        nearest = min(abs(f.centre_hz - hz) for hz in ADVERTISING_HZ)
        # One of three places alone: where the others are covered, the commoner kind is likelier.
        # Met in part, the first channel's edge looks like it.
        alone = (_AT_AN_EDGE if in_parts else 0.0) if others_hidden else 2.0
        costs["ble-advertising"] = (
            expects(nearest, 0, within, 0.15e6) + width + alone + expects(f.share, 0, 0.1, 0.05)
        )
        if others_hidden:
            costs["802.15.4"] += 0.7
    else:
        rhythm = 0.0 if f.period_s > 0 else 5.0 if in_parts else 2.6
        costs["radar"] = _is_in(f.centre_hz, RADAR_HZ, 1e6) + expects(f.share, 0, 0.05, 0.03) + rhythm
    enough = 1 - math.exp(-len(f.bursts) / 4)
    return compared(costs, enough)


def of_hops(h: Hops, step_hz: float, fading_db: float, is_tuned: bool) -> tuple[tuple[str, float], ...]:
    """Bursts that go from place to place: by raster, range, width, dwelling, and a level that is always the same.

    fading_db: by which levels spread that are the same. is_tuned: what is met beside a place, just before or after the
    burst itself, lies half way to the next one.
    """
    low_band = h.high_hz < 2.5e9
    # Where its raster shows, a part of its range is enough: others may cover the rest.
    end = 2e6 if math.isnan(h.raster_hz) else 8e6
    apart_hz = 0.5e6 if is_tuned else 1e6
    off_hz = min(h.phase_hz % apart_hz, apart_hz - h.phase_hz % apart_hz)
    classic = {
        "raster": 0.0 if math.isnan(h.raster_hz) else expects(h.raster_hz, 0.98e6, 1.02e6, 0.015e6),
        "phase": 0.0 if math.isnan(h.raster_hz) else expects(off_hz, 0, 0.2e6, 0.08e6),
        "range": expects(h.low_hz, 2.4012e9, 2.426e9 if h.seen_below else 2.48e9, end)
        + expects(h.high_hz, 2.472e9 if h.seen_above else 2.402e9, 2.4808e9, end),
        "width": expects(h.width_hz, 0, 1.5e6 + 0.55 * step_hz, 0.15e6 + 0.1 * step_hz),
        "dwelling": expects(h.dwelling, 0, 3.0, 1.0),
        "evenness": expects(h.evenness, 0.6, 1.0, 0.2),
    }  # fmt: skip
    # The common kind has twenty places at least.
    too_few = expects(h.high_hz - h.low_hz, _FEWEST_COMMON_HZ, math.inf, 1e6)
    other = {
        "raster": 1.0 if math.isnan(h.raster_hz) else 0.0,
        "same": 0.0
        if math.isnan(h.raster_hz)
        else 3.0 * math.exp(-classic["raster"] - classic["phase"] - too_few),
        "width": expects(h.width_hz, 0, 3.6e6, 0.3e6),
        "evenness": expects(h.evenness, 0.5, 1.0, 0.2),
        "usual": 1.2,  # there are many more of the common kind
    }
    level = expects(h.level_spread_db, 0, fading_db + 2.5, 1.0)
    costs = {"frequency-hopper": sum(other.values()) + level}
    if low_band:
        costs["bluetooth"] = sum(classic.values()) + level
    enough = 1 - math.exp(-len(h.bursts) / 6)
    return compared(costs, enough)


def of_locked(o: MainsSynced) -> tuple[tuple[str, float], ...]:
    """Wide bursts in time with the mains."""
    # The stronger the agreement, the less of the looks it must be met in: an oven may be on for a part of them.
    least = min(max(0.45 - 0.015 * (o.strength - 14), 0.17), 0.45)
    line_off_hz = abs(o.line_hz / 10 - round(o.line_hz / 10))
    # Comings and goings of a channel are not all at one half of the wave.
    is_unsure = o.is_in_step or o.strength < (_AGREES_WELL if o.filled > _ALL_OF_IT else _AGREES_BEYOND_DOUBT)
    costs = {
        "microwave-oven": expects(o.core_hz[0], 2.41e9, 2.472e9, 3e6)
        + expects(o.core_hz[1], 2.44e9, 2.495e9, 3e6)
        + expects(o.strength, 14.0, math.inf, 4.0)
        + expects(o.filled, least, 1.0, 0.08)
        + expects(line_off_hz, 0, 0.012, 0.006)
        + expects(o.core_duty, 0.03, _MOST_OF_TWO if o.filled > _ALL_OF_IT else 0.62, 0.06)
        + (2.5 if is_unsure and _is_a_channel(*o.core_hz) else 0.0),
        "unknown": UNKNOWN_COST - 2.0,
    }
    return compared(costs)


def of_slow_wave(s: SlowWave) -> tuple[tuple[str, float], ...]:
    """A hump that wanders, before rows in step with the mains."""
    costs = {
        "microwave-oven": expects(s.strength, 10.0, math.inf, 4.0) + expects(s.share, 0.1, 0.62, 0.06),
        "unknown": UNKNOWN_COST - 2.0,
    }
    return compared(costs)


def _is_a_channel(low_hz: float, high_hz: float) -> bool:
    """Whether both ends are those of a Wi-Fi channel: its own comings and goings may look like a rhythm."""
    middle, width = (low_hz + high_hz) / 2, high_hz - low_hz
    return any(
        0.8 * channel_mhz < width / 1e6 < 1.08 * channel_mhz
        and float(np.abs(_centres_hz()[channel_mhz] - middle).min()) < 0.8e6
        for channel_mhz in (20, 40)
    )
