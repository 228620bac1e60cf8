"""What emitters take from every candidate channel: silence while they are loud, frames while they are not.

Source: docs/radio-model.md, "Interference loss". Arrays are shaped (candidates, emitters).
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from gray_kettle.analysis import model_constants
from gray_kettle.analysis.assessment import Emitter
from gray_kettle.model.records import FloatArray
from gray_kettle.phy import carrier_sense
from gray_kettle.phy.channels import Channel, centre_hz

# How long one burst lasts, s: what begins while a frame is on the air spoils it.
_BURST_S = {
    "microwave-oven": 8e-3,
    "bluetooth": 0.4e-3,
    "ble-advertising": 0.35e-3,
    "frequency-hopper": 2e-3,
    "802.15.4": 2e-3,
    "radar": 1e-3,
    "unknown": 2e-3,
}
_PART_HZ = 18e6


@dataclass(frozen=True, eq=False)  # compared by identity: what depends on one is kept
class Emission:
    """An emitter in the loss model. duty: by (band, number) of the 20 MHz channel. burst_s: inf for no pause."""

    emitter: Emitter
    level_dbm: float
    duty: dict[tuple[str, int], float]
    burst_s: float

    def louder_by(self, step_db: float) -> "Emission":
        return replace(self, level_dbm=self.level_dbm + step_db)


@dataclass(frozen=True, eq=False)
class EmitterLosses:
    """lost_to: share lost on the primary part. beyond: busy share of the parts that each widening adds, shape
    (candidates, 5).
    """

    lost_to: FloatArray
    beyond: FloatArray


def emissions_of(emitters: Sequence[Emitter], band: str | None) -> tuple[Emission, ...]:
    """Those of a band that count: what was dismissed does not."""
    return tuple(
        Emission(e, e.level_dbm, {(b, n): d for b, n, d in e.channels}, _BURST_S.get(e.kind, float("inf")))
        for e in emitters
        if not e.is_dismissed and band in (None, e.band)
    )


def taken(
    channels: Sequence[Channel],
    emissions: Sequence[Emission],
    pair: Callable[[Channel, Emission], tuple[float, tuple[float, ...]]],
) -> EmitterLosses:
    """What each emission takes from each channel. pair: of one and one, see taken_from."""
    lost = np.zeros((len(channels), len(emissions)))
    beyond = np.zeros((len(channels), 5))
    for j, emission in enumerate(emissions):
        for k, channel in enumerate(channels):
            if emission.emitter.band == channel.band:
                lost[k, j], steps = pair(channel, emission)
                for step, busy in enumerate(steps):
                    beyond[k, step] = 1 - (1 - beyond[k, step]) * (1 - busy)
    return EmitterLosses(lost, beyond)


def emitter_loss(
    channel: Channel, emission: Emission, spoilt: Callable[[float], float]
) -> tuple[float, tuple[float, ...]]:
    """(share lost on the primary part, busy share of what each widening adds). spoilt: share of frames by level, dBm.

    Over −62 dBm we wait for it; below, it spoils the frames that the air without it would carry. A burst that
    begins while a frame is on the air spoils that too: 1 − exp(−λT) of them, λ bursts a second, T of a frame.
    """
    duty = emission.duty.get((channel.band, channel.primary), 0.0)
    lost = 0.0
    if duty:
        level = _level_in(emission, channel.band, channel.primary)
        waits, spoils = _waits(level), spoilt(level)
        silent = duty * (waits + (1 - waits) * spoils)
        lost = 1 - (1 - silent) * float(np.exp(-duty / emission.burst_s * model_constants.FRAME_S * spoils))
    steps = []
    for added in _added(channel):
        duty, number = max((emission.duty.get((channel.band, n), 0.0), n) for n in added)
        level = _level_in(emission, channel.band, number)
        steps.append(duty * max(_waits(level), spoilt(level)) if duty else 0.0)
    return lost, tuple(steps)


def _waits(level_dbm: float) -> float:
    return float(carrier_sense.heard_share(np.array([level_dbm]), carrier_sense.ENERGY_DBM)[0])


def _level_in(emission: Emission, band: str, number: int) -> float:
    """Level of what falls into a 20 MHz part: a wide burst brings only a part of its power."""
    emitter = emission.emitter
    fast_median = centre_hz(band, number)
    reach = min(emitter.high_hz, fast_median + _PART_HZ / 2) - max(emitter.low_hz, fast_median - _PART_HZ / 2)
    share = min(max(reach, 1.0) / max(emitter.burst_hz, 1.0), 1.0)
    return emission.level_dbm + 10 * float(np.log10(share))


def _added(channel: Channel) -> list[tuple[int, ...]]:
    """The parts that widening from 20, 40, 80 … MHz to twice that adds."""
    ordered = sorted(channel.parts)
    out, count = [], 1
    while count < len(ordered):
        if channel.second_hz or channel.band == "2.4":
            out.append(channel.parts[count : 2 * count])
        else:
            at = ordered.index(channel.primary)
            outer = ordered[at // (2 * count) * 2 * count :][: 2 * count]
            inner = ordered[at // count * count :][:count]
            out.append(tuple(n for n in outer if n not in inner))
        count *= 2
    return out
