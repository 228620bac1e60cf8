"""The evidence for a detection, in statements that a technician can check in the waterfall."""

import math

from gray_kettle.interference.searches.continuous import ContinuousSignal
from gray_kettle.interference.searches.fixed_frequency import FixedFrequency
from gray_kettle.interference.searches.hops import Hops
from gray_kettle.interference.searches.mains import MainsSynced
from gray_kettle.interference.searches.mains_alias import SlowWave


def mhz(hz: float, decimals: int = 1) -> str:
    """A frequency in MHz with its unit."""
    return f"{hz / 1e6:.{decimals}f} MHz"


def width(hz: float) -> str:
    """A width, in the unit that suits it."""
    return mhz(hz) if hz >= 0.95e6 else f"{hz / 1e3:.0f} kHz"


def of_continuous(s: ContinuousSignal, step_hz: float) -> tuple[str, ...]:
    """Evidence for a continuous signal. step_hz: bin width."""
    pause = "continuous" if s.time_share > 0.95 else "without a pause while it is on"
    evidence = [f"{pause}, in {s.rows} rows"]
    if s.width10_hz <= 2.2 * step_hz:
        bins = round(s.width10_hz / step_hz)
        evidence.append(f"no wider than {bins} bin{'s' * (bins > 1)} of {width(step_hz)}")
        evidence.append("constant level" if s.steadiness < 0.5 else "varying level: it is modulated")
        return tuple(evidence)
    evidence.append(f"{width(s.width10_hz)} wide 10 dB below its peak, {width(s.width3_hz)} at 3 dB")
    if s.width10_hz >= 3.5 * step_hz:
        is_flat = s.width3_hz / s.width10_hz >= 0.78
        evidence.append(
            "a flat top with steep edges"
            if is_flat
            else "a rounded spectrum, without the flat top and edges of a Wi-Fi channel"
        )
    if 0.4 < s.flicker_db < 5 and s.width10_hz > 4e6:
        evidence.append(f"its level varies by {s.flicker_db:.1f} dB from row to row")
    return tuple(evidence)


def of_fixed(f: FixedFrequency) -> tuple[str, ...]:
    """Evidence for bursts on one frequency."""
    evidence = [
        f"{len(f.bursts)} bursts at {mhz(f.centre_hz)}, {width(f.width_hz)} wide",
        f"level spread {f.level_spread_db:.1f} dB",
        f"observed in {100 * f.share:.1f} % of the rows that could show it",
    ]
    off_hz = (f.centre_hz - 2.405e9 + 2.5e6) % 5e6 - 2.5e6
    if f.centre_hz < 2.5e9 and abs(off_hz) < 0.6e6:
        evidence.append(f"{abs(off_hz) / 1e6:.2f} MHz from an 802.15.4 channel (2405 MHz and every 5 MHz)")
    if f.period_s:
        evidence.append(f"repeats every {f.period_s:.1f} s, like the beam of a rotating antenna")
    return tuple(evidence)


def of_advertising(places: list[FixedFrequency]) -> tuple[str, ...]:
    """Evidence for BLE advertising, by the advertising channels that were observed."""
    each = ", ".join(f"{len(f.bursts)} at {mhz(f.centre_hz, 0)}" for f in places)
    if len(places) == 1:
        return (
            f"short bursts: {each}",
            "no signal of its level next to it",
            "the other two advertising channels are as active, beneath Wi-Fi traffic",
        )
    return (f"short bursts: {each}", "no other frequency is used", "the same level on all of them")


def of_hops(h: Hops) -> tuple[str, ...]:
    """Evidence for frequency hopping."""
    evidence = [
        f"{len(h.bursts)} bursts on {h.places} different megahertz, from {mhz(h.low_hz, 0)} to {mhz(h.high_hz, 0)}",
        f"each about {width(h.width_hz)} wide",
        f"level spread {h.level_spread_db:.1f} dB",
    ]
    if not math.isnan(h.raster_hz):
        evidence.append(f"channel spacing {h.raster_hz / 1e6:.2f} MHz")
    else:
        evidence.append("no channel spacing visible at this bin width")
    if not math.isnan(h.partner_dbm):
        evidence.append(f"alternates with a second one at {h.partner_dbm:.0f} dBm: two devices of one link")
    if not math.isnan(h.dwelling):
        evidence.append(
            "changes frequency from row to row"
            if h.dwelling < 2.5
            else "stays on a frequency for several rows"
        )
    return tuple(evidence)


def of_locked(o: MainsSynced) -> tuple[str, ...]:
    """Evidence for a microwave oven, from bursts in step with the mains."""
    half = "every second half cycle" if o.line_hz < 80 else "both half cycles"
    evidence = [
        f"bursts synchronous with the mains: {o.line_hz:.2f} Hz ({half}), from {o.votes} bursts",
        f"observed {100 * o.filled:.0f} percentage points more often in one half of the mains cycle than in the other",
        f"on for {100 * float(o.by_phase.any(axis=1).mean()):.0f} % of the mains cycle",
    ]
    if o.running < 1:
        evidence.append(f"switched on in {100 * o.running:.0f} % of the analysed time")
    evidence.append(f"{width(o.high_hz - o.low_hz)} wide, {mhz(o.low_hz, 0)} to {mhz(o.high_hz, 0)}")
    return tuple(evidence)


def of_slow_wave(s: SlowWave) -> tuple[str, ...]:
    """Evidence for a microwave oven in rows that are in step with the mains."""
    is_usual = (
        ", the usual value of a magnetron: no full cycle is visible, rows at another rate would show it"
        if s.is_usual
        else ""
    )
    return (
        f"continuous for {s.lasts_s:.0f} s, drifts by {width(abs(s.drift_hz))}, then pauses: a magnetron",
        f"{s.rows_per_s:.2f} rows a second, in step with the mains: they show the mains cycle in slow motion",
        f"on for {100 * s.share:.0f} % of the mains cycle{is_usual}",
        f"{width(s.high_hz - s.low_hz)} wide, {mhz(s.low_hz, 0)} to {mhz(s.high_hz, 0)}",
    )
