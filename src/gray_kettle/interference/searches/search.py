"""The searches of this package, one after the other: what is continuous, narrow bursts, what is in step with the mains.

Source: docs/radio-model.md, "Finding emitters".
"""

import math
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from gray_kettle.interference.searches import absorption, analogue_video, evidence_text, half_duplex, kinds
from gray_kettle.interference.searches.advertising import ADVERTISING_HZ, find_advertising
from gray_kettle.interference.searches.antenna_rotation import find_turning
from gray_kettle.interference.searches.block import Block, block_of
from gray_kettle.interference.searches.bursts import LocalBackground, find_narrow, surroundings_of
from gray_kettle.interference.searches.continuous import LINE_HZ, ContinuousSignal, find_continuous_background
from gray_kettle.interference.searches.fixed_frequency import FixedFrequency, find_places
from gray_kettle.interference.searches.hops import BEYOND_DOUBT, Hops, find_hops
from gray_kettle.interference.searches.mains import MainsSynced, find_locked
from gray_kettle.interference.searches.mains_alias import SlowWave, find_slow_wave
from gray_kettle.interference.searches.saturated_channels import but_channels
from gray_kettle.interference.searches.visibility import visible_rows
from gray_kettle.model.enums import EmitterKind
from gray_kettle.model.records import Detection, FloatArray, Span
from gray_kettle.spectrum.channel_power import channels_in_span, passband_hz
from gray_kettle.spectrum.quantise import Codes, dbm_of_mw

LEAST_CONFIDENCE = 0.5  # below it the kind is "unknown"
_BLUETOOTH_HZ = (2.402e9, 2.480e9)  # its first and last place
_OF_MANY_DB = 4.5  # by more one thing's levels do not spread
_FRAMES, _NO_CHANCE_DB = 4, 10.0
_FILLED_DB = 6.0
_CUT_OFF_HZ = 3e6
_LEAST_CLAIM = 0.5  # of being anything at all


def found_in_moments(
    span: Span, time_s: FloatArray, codes: Codes, piece_offset_s: "np.ndarray | None"
) -> tuple[list[Detection], float]:
    """What is not Wi-Fi in rows of one moment, or few. Returns also the usual noise of a cell in dBm."""
    block = block_of(span, time_s, codes, piece_offset_s)
    ground = find_continuous_background(block)
    around = surroundings_of(block, ground)
    narrow = find_narrow(block, around)
    # What stands for a moment, just over the floor, may be chance: bursts there are not its.
    lines_hz = tuple(
        (s.low_hz, s.high_hz)
        for s in ground.regions
        if s.is_line or (s.width10_hz < LINE_HZ and s.over_db > _NO_CHANCE_DB)
    )
    advertisers, rest = find_advertising(block, narrow, around)
    advertising = [f for places in advertisers for f in places]
    fixed, rest = find_places(block, rest, around, lines_hz, advertising)
    hops = find_hops(block, rest, around)
    if not span.is_tuned:
        hops = half_duplex.put_together(hops, block.rows)
    locked, oven = _what_keeps_time(block, around)
    slow = find_slow_wave(block, around)
    is_in_step = slow is not None or (locked is not None and locked.stands_in_stripes)
    fixed = absorption.on_their_own(block, around, fixed, (advertising, hops, locked))
    fixed = absorption.but_of_turning(fixed, find_turning(block, ground, narrow))
    standing = absorption.but_stripes(but_channels(block, ground.regions), is_in_step)
    found = [_from_standing(block, s) for s in standing]
    found += [_from_advertising(block, places) for places in advertisers]
    found += _from_fixed(block, fixed, around)
    found += [_from_hops(block, h) for h in hops]
    if locked is not None and absorption.is_what_stands(locked, standing):
        oven = None
    found.append((_from_slow_wave(block, slow) if slow else None) or oven)
    told = analogue_video.put_together([s for s in found if s is not None])
    return list(told), float(np.median(dbm_of_mw(block.noise)))


def _claimed(likely: tuple[tuple[str, float], ...]) -> tuple[tuple[EmitterKind, float], ...] | None:
    """The claim that is made: none where it may well be Wi-Fi, "unknown" where no kind is likely enough."""
    shares = dict(likely)
    wifi = shares.pop(kinds.WIFI, 0.0)
    if wifi > 1 - _LEAST_CLAIM or wifi >= max(shares.values()):
        return None
    best = max((share for kind, share in shares.items() if kind != "unknown"), default=0.0)
    if best < LEAST_CONFIDENCE:
        shares["unknown"] = max(shares.get("unknown", 0.0), best + 1e-6)
    return tuple(
        sorted(
            ((EmitterKind(k), round(v, 4)) for k, v in shares.items() if v >= 0.01),
            key=lambda i: (-i[1], i[0]),
        )
    )


def _channels(
    block: Block, low_hz: float, high_hz: float, duty_of: Callable[[float, float], float]
) -> tuple[tuple[str, int, float], ...]:
    """Places that something touches, and its share of time there."""
    out = []
    for place in channels_in_span(block.span):
        first, last = passband_hz(place)
        if place.width_mhz == 20 and high_hz > first and low_hz < last:
            duty = duty_of(first, last)
            if duty > 0:
                out.append((place.band, place.primary, round(min(duty, 1.0), 4)))
    return tuple(out)


def _from_standing(block: Block, s: ContinuousSignal) -> Detection | None:
    pauses_show = block.span.detector == "sample" and block.span.averages < 2
    lie_apart = block.span.detector != "sample" and not block.span.is_tuned
    likely = _claimed(kinds.of_continuous(s, block.span.step_hz, pauses_show, lie_apart))
    wide = s.width10_hz > 15e6
    if (
        likely is None
        or s.over_db < (3.3 if s.width10_hz > 24e6 else 4.5 if wide else 6.5)
        or (s.time_share < 0.5 and s.over_db < 11 and not wide)
        or (s.time_share < 0.1 and s.over_db < 25 and s.width10_hz < 3e6)
    ):
        return None
    half_hz = s.width10_hz / 2
    middle_hz = (s.low_hz + s.high_hz) / 2
    low, high = middle_hz - half_hz, middle_hz + half_hz
    return Detection(
        likely, low, high, 2 * half_hz, s.level_dbm, s.time_share, s.first_s, s.last_s, s.rows,
        _channels(block, low, high, lambda *_: s.time_share), evidence_text.of_continuous(s, block.span.step_hz),
    )  # fmt: skip


def _from_advertising(block: Block, places: list[FixedFrequency]) -> Detection:
    number = sum(len(f.bursts) for f in places)
    likely = tuple(
        (EmitterKind(k), share)
        for k, share in kinds.compared(
            {"ble-advertising": 0.0 if len(places) == len(ADVERTISING_HZ) else 1.0}, 1 - math.exp(-number / 5)
        )
    )
    low, high = min(f.centre_hz for f in places) - 1e6, max(f.centre_hz for f in places) + 1e6
    # The places that others cover see as much as those that show.
    share = float(np.mean([f.share for f in places]))

    def duty(first: float, last: float) -> float:
        return sum(share for hz in ADVERTISING_HZ if first - 1e6 < hz < last + 1e6)

    when_s = np.concatenate([f.bursts.when_s for f in places])
    return Detection(
        likely, low, high, 2e6, float(np.median([f.level_dbm for f in places])), len(ADVERTISING_HZ) * share,
        float(when_s.min()), float(when_s.max()), number, _channels(block, low, high, duty),
        evidence_text.of_advertising(places),
    )  # fmt: skip


def _others_hidden(block: Block, around: LocalBackground, f: FixedFrequency) -> bool:
    """Whether it is on a place of advertising, and the other two would have shown fewer than three bursts."""
    others = [hz for hz in ADVERTISING_HZ if abs(hz - f.centre_hz) > 0.5e6]
    if len(others) == len(ADVERTISING_HZ):
        return False
    expected = [f.share * visible_rows(block, around, hz, f.level_dbm, f.bursts) for hz in others]
    return max(expected) < 3


def _is_cut_off(block: Block, freq_hz: float) -> bool:
    """Whether something at an end of what is measured at one time may be the edge of what goes on beyond it."""
    ends = np.array([*block.span.pieces, block.span.bins])
    away_hz = np.abs(block.span.start_hz + block.span.step_hz * (ends - 0.5) - freq_hz)
    return bool(away_hz.min() < _CUT_OFF_HZ)


def _from_fixed(
    block: Block, places: list[FixedFrequency], around: LocalBackground
) -> list[Detection | None]:
    """Each place on its own."""
    out: list[Detection | None] = []
    unknown: list[Detection] = []
    # Rows of several frames may show one that is seldom there in many of them.
    frames = max(block.span.averages, _FRAMES) if block.sums_frames else 1
    for f in places:
        others_hidden = _others_hidden(block, around, f)
        told = replace(f, share=f.share / frames)
        likely = _claimed(kinds.of_fixed(told, block.cell_hz, block.meets_parts, others_hidden))
        # In a tuned sweep parts of wide bursts look narrow: only what is where a known kind sits is told.
        is_unknown = likely is not None and likely[0][0] == "unknown"
        if likely is None or (is_unknown and (block.meets_parts or len(f.bursts) < 10)):
            continue
        if is_unknown and _is_cut_off(block, f.centre_hz):
            continue
        if likely[0][0] == "ble-advertising" and block.meets_parts:
            continue  # the edge of the first channel looks like it
        half = max(f.width_hz, 2e6 if likely[0][0] in ("802.15.4", "ble-advertising") else 0.0) / 2
        low, high = f.centre_hz - half, f.centre_hz + half
        told_as = unknown if likely[0][0] == "unknown" else out
        told_as.append(Detection(
            likely, low, high, 2 * half, f.level_dbm, f.share, float(f.bursts.when_s.min()),
            float(f.bursts.when_s.max()), len(f.bursts), _channels(block, low, high, lambda *_, f=f: f.share),
            evidence_text.of_fixed(f),
        ))  # fmt: skip
    return out + absorption.put_together(unknown)


def _from_hops(block: Block, h: Hops) -> Detection | None:
    looks = block.looks * max(1e6 / block.cell_hz, 1)
    fading_db = 5.6 / math.sqrt(looks) + (2.5 if block.meets_parts else 0.0)
    if block.sums_frames and h.raster_strength > BEYOND_DOUBT:
        fading_db += _FILLED_DB  # it fills a part of a row's frames, now a small one and now all
    likely = _claimed(kinds.of_hops(h, block.cell_hz, fading_db, block.meets_parts))
    if likely is None or (likely[0][0] == "unknown" and h.level_spread_db > fading_db + _OF_MANY_DB):
        return None
    if likely[0][0] == "bluetooth":
        h = h.carried_on(*_BLUETOOTH_HZ)
    half = h.width_hz / 2
    low, high = h.low_hz - half, h.high_hz + half

    def duty(first: float, last: float) -> float:
        return h.share * h.part_within(first - half, last + half)

    return Detection(
        likely, low, high, h.width_hz, h.whole_dbm, h.share, float(h.bursts.when_s.min()),
        float(h.bursts.when_s.max()), len(h.bursts), _channels(block, low, high, duty), evidence_text.of_hops(h),
    )  # fmt: skip


def _what_keeps_time(block: Block, around: LocalBackground) -> tuple[MainsSynced | None, Detection | None]:
    """What keeps time with the mains: the first that is an oven, or the first of all, which is then none."""
    first = None
    for locked in find_locked(block, around):
        oven = _from_locked(block, locked)
        if oven is not None:
            return locked, oven
        first = first or locked
    return first, None


def _from_locked(block: Block, o: MainsSynced) -> Detection | None:
    likely = _claimed(kinds.of_locked(o))
    if likely is None or likely[0][0] == "unknown":
        return None

    def duty(first: float, last: float) -> float:
        inside = (o.cells_hz > first) & (o.cells_hz < last)
        return o.running * float(o.by_phase[:, inside].max(axis=1).mean()) if inside.any() else 0.0

    return Detection(
        likely, o.low_hz, o.high_hz, o.high_hz - o.low_hz, o.level_dbm, o.duty, float(block.time_s[o.rows[0]]),
        float(block.time_s[o.rows[-1]]), len(o.rows), _channels(block, o.low_hz, o.high_hz, duty),
        evidence_text.of_locked(o),
    )  # fmt: skip


def _from_slow_wave(block: Block, s: SlowWave) -> Detection | None:
    likely = _claimed(kinds.of_slow_wave(s))
    if likely is None or likely[0][0] == "unknown":
        return None
    return Detection(
        likely, s.low_hz, s.high_hz, s.high_hz - s.low_hz, s.level_dbm, s.share, s.first_s, s.last_s, s.rows,
        _channels(block, s.low_hz, s.high_hz, s.duty), evidence_text.of_slow_wave(s),
    )  # fmt: skip
