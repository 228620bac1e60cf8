"""What emitters take from every candidate channel: silence while they are loud, frames while they are not.

Source: docs/radio-model.md, "Interference loss". Arrays are shaped (candidates, emitters).
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from gray_kettle.analysis.assessment import Emitter
from gray_kettle.model.records import FloatArray
from gray_kettle.phy import carrier_sense
from gray_kettle.phy.channels import Channel, centre_hz, number_at
from gray_kettle.phy.rate_control import PACKET_S

# How long one burst lasts, s: what begins while a frame is on the air spoils it.
_BURST_S = {
    "microwave-oven": 8e-3,
    "bluetooth": 0.4e-3,
    "ble-advertising": 0.35e-3,
    "frequency-hopper": 2e-3,
    "802.15.4": 2e-3,
    "radar": 1e-3,
    "cellular-carrier": 3e-3,
    "unknown": 2e-3,
}
_PART_HZ = 18e6
_SEAM_HZ = 2e6


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
    (candidates, 5); beyond_to: the same by emitter, (candidates, emitters, 5).
    """

    lost_to: FloatArray
    beyond: FloatArray
    beyond_to: FloatArray


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
    beyond_to = np.zeros((len(channels), len(emissions), 5))
    for j, emission in enumerate(emissions):
        for k, channel in enumerate(channels):
            if emission.emitter.band == channel.band:
                lost[k, j], steps = pair(channel, emission)
                beyond_to[k, j, : len(steps)] = steps
    return EmitterLosses(lost, 1 - np.prod(1 - beyond_to, axis=1), beyond_to)


def emitter_loss(
    channel: Channel, emission: Emission, spoilt: Callable[[float, float, float], float]
) -> tuple[float, tuple[float, ...]]:
    """(share lost on the primary part, busy share of what each widening adds).

    spoilt: share of throughput lost by level (dBm), share of packets hit, share of data lost if headers are lost too.
    Over −62 dBm we wait for it; below, it spoils the packets that it meets: those of its duty, and those in which a
    burst begins, 1 − exp(−λT), λ bursts a second, T of one packet. The rest of an aggregate arrives.
    """
    lost = 0.0
    duty, level = _touching(emission, channel.band, *_edges(channel.band, (channel.primary,)))
    if duty:
        waits = _waits(level)
        hit = _hit(duty, emission.burst_s)
        lost = 1 - (1 - duty * waits) * (1 - (1 - waits) * spoilt(level, hit, 1 - (1 - duty) * (1 - hit)))
    steps = []
    held = {channel.primary}
    for added in added_parts(channel):
        held |= set(added)
        duty, level = _touching(emission, channel.band, *_edges(channel.band, tuple(held)), tuple(added))
        steps.append(duty * max(_waits(level), spoilt(level, 1.0, 1.0)) if duty else 0.0)
    return lost, tuple(steps)


def _hit(duty: float, burst_s: float) -> float:
    """Share of packets that meet a burst."""
    return 1 - (1 - duty) * float(np.exp(-duty / burst_s * PACKET_S))


def _touching(
    emission: Emission, band: str, low_hz: float, high_hz: float, parts: tuple[int, ...] = ()
) -> tuple[float, float]:
    """(duty, level in dBm) of what falls between two edges; (0, level) where nothing does.

    parts: 20 MHz channels in it whose duty was measured; without, the one that the edges are of. On the seam between
    two parts, which neither part fills, the emitter counts with its own duty: a wider channel fills the seam.
    """
    emitter = emission.emitter
    numbers = parts or (number_at((low_hz + high_hz) / 2)[1],)
    measured = max((emission.duty.get((band, n), 0.0), -k) for k, n in enumerate(numbers))
    if measured[0]:
        return measured[0], _level_in(emission, band, numbers[-measured[1]])
    touches = emitter.low_hz < high_hz and emitter.high_hz > low_hz
    hops = (
        emitter.high_hz - emitter.low_hz > 2 * emitter.burst_hz + _SEAM_HZ
    )  # its channels were measured one by one
    if not touches or hops or any((band, n) in emission.duty for n in numbers):
        return 0.0, emission.level_dbm
    reach = min(emitter.high_hz, high_hz) - max(emitter.low_hz, low_hz)
    return emitter.duty, emission.level_dbm + _share_db(reach, emitter)


def _edges(band: str, parts: tuple[int, ...]) -> tuple[float, float]:
    """What a channel of these parts fills, Hz."""
    centres = [centre_hz(band, n) for n in parts]
    return min(centres) - _PART_HZ / 2, max(centres) + _PART_HZ / 2


def _waits(level_dbm: float) -> float:
    return float(carrier_sense.heard_share(np.array([level_dbm]), carrier_sense.ENERGY_DBM)[0])


def _level_in(emission: Emission, band: str, number: int) -> float:
    """Level of what falls into a 20 MHz part: a wide burst brings only a part of its power."""
    emitter = emission.emitter
    middle_hz = centre_hz(band, number)
    reach = min(emitter.high_hz, middle_hz + _PART_HZ / 2) - max(emitter.low_hz, middle_hz - _PART_HZ / 2)
    return emission.level_dbm + _share_db(reach, emitter)


def _share_db(reach_hz: float, emitter: Emitter) -> float:
    return 10 * float(np.log10(min(max(reach_hz, 1.0) / max(emitter.burst_hz, 1.0), 1.0)))


def added_parts(channel: Channel) -> list[tuple[int, ...]]:
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
