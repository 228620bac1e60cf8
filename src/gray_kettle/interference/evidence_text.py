"""What speaks for an answer, in words that a technician can check in the picture."""

import math

from gray_kettle.interference.continuous import ContinuousSignal
from gray_kettle.interference.fixed_frequency import FixedFrequency
from gray_kettle.interference.hops import Hops
from gray_kettle.interference.mains import MainsSynced
from gray_kettle.interference.mains_alias import SlowWave


def mhz(hz: float, places: int = 1) -> str:
    """A frequency in MHz with its unit."""
    return f"{hz / 1e6:.{places}f} MHz"


def width(hz: float) -> str:
    """A width, in the unit that suits it."""
    return mhz(hz) if hz >= 0.95e6 else f"{hz / 1e3:.0f} kHz"


def of_assessment(s: ContinuousSignal, step_hz: float) -> tuple[str, ...]:
    pause = "never away" if s.time_share > 0.95 else "without a pause while it is on"
    told = [f"{pause}, in {s.rows} rows"]
    if s.width10_hz <= 2.2 * step_hz:
        bins = round(s.width10_hz / step_hz)
        told.append(f"no wider than {bins} bin{'s' * (bins > 1)} of {width(step_hz)}")
        told.append("its level does not waver" if s.steadiness < 0.5 else "its level wavers: it is modulated")
        return tuple(told)
    told.append(f"{width(s.width10_hz)} wide at 10 dB below its top, {width(s.width3_hz)} at 3 dB")
    if s.width10_hz >= 3.5 * step_hz:
        is_flat = s.width3_hz / s.width10_hz >= 0.78
        told.append(
            "a flat top with steep edges" if is_flat else "a hump: no flat top, no edges of a channel"
        )
    if 0.4 < s.flicker_db < 5 and s.width10_hz > 4e6:
        told.append(f"its level flickers by {s.flicker_db:.1f} dB")
    return tuple(told)


def of_fixed(f: FixedFrequency) -> tuple[str, ...]:
    told = [
        f"{len(f.bursts)} bursts at {mhz(f.centre_hz)}, {width(f.width_hz)} wide",
        f"levels within {f.level_spread_db:.1f} dB of one another",
        f"on the air in {100 * f.share:.1f} % of the rows that could show it",
    ]
    off_hz = (f.centre_hz - 2.405e9 + 2.5e6) % 5e6 - 2.5e6
    if f.centre_hz < 2.5e9 and abs(off_hz) < 0.6e6:
        told.append(f"{abs(off_hz) / 1e6:.2f} MHz from a place of 802.15.4 (2405 MHz and every 5 MHz)")
    if f.period_s:
        told.append(f"comes back every {f.period_s:.1f} s, as the beam of an antenna that turns")
    return tuple(told)


def of_advertising(places: list[FixedFrequency]) -> tuple[str, ...]:
    each = ", ".join(f"{len(f.bursts)} at {mhz(f.centre_hz, 0)}" for f in places)
    if len(places) == 1:
        return (
            f"short bursts: {each}",
            "nothing of its level beside it",
            "the two other places are met no less, among what channels send",
        )
    return (f"short bursts: {each}", "no other place is used", "one level at all of them")


def of_hops(h: Hops) -> tuple[str, ...]:
    told = [
        f"{len(h.bursts)} bursts on {h.places} places of a megahertz, from {mhz(h.low_hz, 0)} to {mhz(h.high_hz, 0)}",
        f"each about {width(h.width_hz)} wide",
        f"levels within {h.level_spread_db:.1f} dB of one another",
    ]
    if not math.isnan(h.raster_hz):
        told.append(f"on a raster of {h.raster_hz / 1e6:.2f} MHz")
    else:
        told.append("no raster shows at this bin width")
    if not math.isnan(h.partner_dbm):
        told.append(f"another at {h.partner_dbm:.0f} dBm takes turns with it: two who talk to one another")
    if not math.isnan(h.dwelling):
        told.append("does not stay at a place" if h.dwelling < 2.5 else "stays at a place for several rows")
    return tuple(told)


def of_locked(o: MainsSynced) -> tuple[str, ...]:
    half = "every second half-wave" if o.line_hz < 80 else "both half-waves"
    told = [
        f"bursts keep time with the mains: {o.line_hz:.2f} Hz ({half}), by {o.votes} bursts",
        f"present in {100 * o.filled:.0f} % more of the looks at one half of the wave than at the other",
        f"on for {100 * float(o.by_phase.any(axis=1).mean()):.0f} % of the wave",
    ]
    if o.running < 1:
        told.append(f"runs for {100 * o.running:.0f} % of the time that was looked at, and pauses")
    told.append(f"{width(o.high_hz - o.low_hz)} wide, {mhz(o.low_hz, 0)} to {mhz(o.high_hz, 0)}")
    return tuple(told)


def of_slow_wave(s: SlowWave) -> tuple[str, ...]:
    is_usual = ", as tubes are: no whole turn shows, rows at another rate would tell" if s.is_usual else ""
    return (
        f"stands for {s.lasts_s:.0f} s, wanders by {width(abs(s.drift_hz))} meanwhile, and is away: as a tube does",
        f"rows come {s.rows_per_s:.2f} times a second, in step with the mains, and show that wave in slow motion",
        f"on for {100 * s.share:.0f} % of the wave{is_usual}",
        f"{width(s.high_hz - s.low_hz)} wide, {mhz(s.low_hz, 0)} to {mhz(s.high_hz, 0)}",
    )
