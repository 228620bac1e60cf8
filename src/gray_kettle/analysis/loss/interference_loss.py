"""The losses: what every other radio takes from every candidate channel, all at once.

Source: docs/radio-model.md, "Interference loss" and "Clear air". Arrays are shaped (candidates, others).
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cache, lru_cache

import numpy as np
from numpy.typing import NDArray

from gray_kettle.analysis import model_constants
from gray_kettle.analysis.loss.channel_overlap import VALUES, overlap
from gray_kettle.analysis.loss.emitter_loss import Emission, added_parts, emitter_loss, taken
from gray_kettle.analysis.loss.reported_groups import Groups, groups_of, lost, lost_by_group, shared_out
from gray_kettle.model.records import FloatArray, IntArray
from gray_kettle.phy import carrier_sense
from gray_kettle.phy.channels import Channel
from gray_kettle.phy.contention import mac_efficiency
from gray_kettle.phy.rate_control import lost_to_sender, mean_rate_mbps, share_lost

_TYPICAL_SNR_DB = model_constants.CLIENT_LEVEL_DBM - float(carrier_sense.noise_floor_dbm(20e6))


@dataclass(frozen=True, eq=False)
class Interferers:
    """Transmitters that are not the one asking, one row each.

    level_dbm: as heard where the victim radio is. activity: share of time on the air while present.
    presence: share of time present. reported_utilisation: busy share of its channel that it reports, NaN when none.
    emissions: of what is not Wi-Fi, apart from the rows. own: rows that are radios of ours, None for none: what
    others report as busy does not have them in it, so they count beside it. unidentified: measured busy share that no
    cause explains, by (band, number).
    """

    channels: tuple[Channel, ...]
    level_dbm: FloatArray
    activity: FloatArray
    presence: FloatArray
    reported_utilisation: FloatArray
    dsss_only: NDArray[np.bool_]
    emissions: tuple[Emission, ...] = ()
    own: NDArray[np.bool_] | None = None
    unidentified: Mapping[tuple[str, int], float] = field(default_factory=dict)

    def __len__(self) -> int:
        return len(self.channels)

    def louder_by(self, step_db: float) -> "Interferers":
        """The same transmitters, all levels shifted."""
        return Interferers(
            self.channels,
            self.level_dbm + step_db,
            self.activity,
            self.presence,
            self.reported_utilisation,
            self.dsss_only,
            tuple(e.louder_by(step_db) for e in self.emissions),
            self.own,
            self.unidentified,
        )


@dataclass(frozen=True)
class VictimRadio:
    """The radio that asks: what it can send, how strong its clients are, where it is now (None: nowhere yet)."""

    generation: str
    streams: int
    client_level_dbm: float
    now: Channel | None = None


class Candidates:
    """A list of channels and how others lie to them. What depends on channels alone is computed once and kept."""

    def __init__(self, channels: Sequence[Channel], power_db: Sequence[float] | None = None) -> None:
        """power_db: by how much the level of clients changes on each channel, by the power that is permitted there."""
        self.channels = tuple(channels)
        self.power_db = np.zeros(len(self.channels)) if power_db is None else np.array(power_db, np.float64)
        self.width_mhz = np.array([c.width_mhz for c in self.channels], dtype=np.int64)
        self.primary_hz = np.array([c.primary_hz for c in self.channels])
        self.noise_dbm = carrier_sense.noise_floor_dbm(self.width_mhz * 1e6)[:, None]
        steps = 20 * 2 ** np.arange(5)
        exists = steps[None, :] <= self.width_mhz[:, None]
        self.usable_mhz = np.where(exists, steps, 0)  # widths it can be used at, 20 MHz first; 0 beyond
        self.usable_share = np.where(exists, steps / self.width_mhz[:, None], 0.0)
        self._columns: dict[tuple[Channel, bool], FloatArray] = {}
        self._rates: dict[VictimRadio, FloatArray] = {}

    def overlap(self, others: "Interferers") -> FloatArray:
        """Overlap of each other with each channel, shape (8, channels, others); the eight as in channel_overlap."""
        columns = []
        for theirs, dsss in zip(others.channels, others.dsss_only, strict=True):
            key = (theirs, bool(dsss))
            if key not in self._columns:
                self._columns[key] = np.array([overlap(mine, *key) for mine in self.channels]).T
            columns.append(self._columns[key])
        if not columns:
            return np.zeros((VALUES, len(self.channels), 0))
        return np.stack(columns, axis=2)

    def rates_mbps(self, victim: "VictimRadio") -> FloatArray:
        """Rate at each usable width: same client level, noise of that width."""
        if victim not in self._rates:
            out = np.zeros(self.usable_mhz.shape)
            for width in np.unique(self.usable_mhz[self.usable_mhz > 0]):
                here = self.usable_mhz == width
                level_dbm = (
                    victim.client_level_dbm + np.broadcast_to(self.power_db[:, None], here.shape)[here]
                )
                snr_db = level_dbm - carrier_sense.noise_floor_dbm(float(width) * 1e6)
                streams = min(victim.streams, model_constants.CLIENT_STREAMS)
                out[here] = mean_rate_mbps(victim.generation, int(width), streams, snr_db)
            # A station may always send narrower: a wider usable channel is never worth less.
            self._rates[victim] = np.maximum.accumulate(out, axis=1)
        return self._rates[victim]


@dataclass(frozen=True, eq=False)
class ChannelScores:
    """What each candidate would give. lost_to: (candidates, others), by kind; the rest has one entry a candidate."""

    candidates: tuple[Channel, ...]
    clear_air: FloatArray
    expected_mbps: FloatArray
    co_lost: FloatArray
    adjacent_lost: FloatArray
    co_lost_to: FloatArray
    adjacent_lost_to: FloatArray
    secondary_lost_to: FloatArray
    non_wifi_lost_to: FloatArray  # (candidates, emissions)
    non_wifi_width_lost_to: FloatArray  # the same of the usable width, which they take beside the primary
    heard_on_primary: FloatArray  # Pr(heard) where the other shares the primary part, else 0
    heard_in_parts: NDArray[np.bool_]  # the other shares any part at a level that holds us back
    coupled_dbm: FloatArray  # power into the passband of those that overlap and cannot be decoded, else -inf
    contenders: FloatArray  # the others that share the primary, by how much they send
    efficiency: FloatArray  # share of the time left that carries payload
    width_share: FloatArray  # mean share of the width that is usable
    rate_mbps: FloatArray  # mean rate over the usable widths
    count: FloatArray  # of those heard on the primary, by how long they are there
    unidentified: FloatArray  # busy share of the primary that no identified cause explains
    unspoilt: FloatArray  # what is left by all that does not leave a fair share
    co_free: FloatArray  # what those that share the primary leave, before the fair share that is always left
    beyond: FloatArray  # (candidates, 5) busy share of what each widening adds


def score_channels(victim: VictimRadio, candidates: Candidates, others: Interferers) -> ChannelScores:
    """Clear air and expected throughput of every candidate among the others."""
    activity, presence = others.activity[None, :], others.presence[None, :]
    width_mhz = np.array([c.width_mhz for c in others.channels], dtype=np.int64)[None, :]
    effects = pair_effects(
        candidates.overlap(others),
        width_mhz,
        others.level_dbm[None, :],
        candidates.noise_dbm,
        victim,
        candidates.power_db[:, None],
    )
    heard, held = effects.waited_for, effects.held
    known, reported = (
        presence * activity,
        np.nan_to_num(others.reported_utilisation * others.presence)[None, :],
    )
    groups = groups_of(others.channels, others.own)

    count = (presence * heard).sum(axis=1)
    # Where we are now, our own frames are part of what the others report: an even share of it.
    here = candidates.primary_hz == (victim.now.primary_hz if victim.now else 0.0)
    telling = count if others.own is None else (presence * heard * ~others.own[None, :]).sum(axis=1)
    their_part = np.where(here, telling / (telling + 1), 1.0)[:, None]
    co_known, co_reported = known * heard, reported * heard * their_part
    co_groups = lost_by_group(co_known, co_reported, groups)
    known_groups = lost_by_group(co_known, np.zeros_like(co_reported), groups)
    co_summed = lost(known_groups)
    # Identified contenders yield: a fair share is always left. What is reported beyond them is busy by whom one
    # does not know, and leaves nothing of itself.
    more = (1 - co_groups) / np.maximum(1 - known_groups, 1e-9)
    beyond_known = np.prod(np.where(co_groups > known_groups, more, 1.0), axis=1)
    co_busy = 1 - np.maximum(1 - co_summed, 1 / (1 + count)) * beyond_known
    co_to = shared_out(co_groups, co_known, co_reported, groups)
    together = lost(co_groups)
    co_to *= (co_busy / np.where(together > 0, together, 1.0))[:, None]
    contenders = (known * heard).sum(axis=1)

    adjacent_known, adjacent_reported = presence * effects.spoilt_by(activity), effects.spoilt_by(reported)
    adjacent_groups = lost_by_group(adjacent_known, adjacent_reported, groups)
    adjacent_free = np.prod(1 - adjacent_groups, axis=1)

    non_wifi = taken(candidates.channels, others.emissions, lambda c, e: _emitter_loss(c, e, victim))
    unidentified, unidentified_beyond = _unidentified(candidates.channels, others.unidentified)
    beyond = _busy_beyond(effects.segment_mhz, known * held, reported * held, groups, non_wifi.beyond)
    beyond = 1 - (1 - beyond) * (1 - unidentified_beyond)
    usable = usable_widths(candidates.width_mhz, beyond)

    explained = (1 - co_busy) * adjacent_free * np.prod(1 - non_wifi.lost_to, axis=1)
    primary_free = explained * (1 - unidentified)
    width_share = (usable * candidates.usable_share).sum(axis=1)
    width_lost_to = _width_lost_to(candidates, beyond, non_wifi.beyond_to, width_share)
    clear = primary_free * width_share
    efficiency = efficiency_among(contenders)
    rate_mbps = (usable * candidates.rates_mbps(victim)).sum(axis=1)
    expected = primary_free * efficiency * rate_mbps
    # What shares our primary is co-channel interference, what overlaps in part or lies beside is adjacent-channel
    # interference, whether we wait for it or it spoils frames. Both together leave what is left.
    on_it = ~effects.overlaps & ~effects.in_secondary
    spoils_to = shared_out(adjacent_groups, adjacent_known, adjacent_reported, groups)
    by_name = np.minimum(co_to + spoils_to, 1.0)
    waited_on_it, spoilt_on_it = _part_of(co_to, on_it), _part_of(spoils_to, on_it)
    return ChannelScores(
        candidates=candidates.channels,
        clear_air=clear,
        expected_mbps=expected,
        co_lost=1 - (1 - co_busy) ** waited_on_it * adjacent_free**spoilt_on_it,
        adjacent_lost=1 - (1 - co_busy) ** (1 - waited_on_it) * adjacent_free ** (1 - spoilt_on_it),
        co_lost_to=np.where(on_it, by_name, 0.0),
        adjacent_lost_to=np.where(on_it, 0.0, by_name),
        secondary_lost_to=np.maximum(known, reported) * held * primary_free[:, None],
        non_wifi_lost_to=non_wifi.lost_to,
        non_wifi_width_lost_to=width_lost_to,
        heard_on_primary=effects.heard,
        heard_in_parts=(effects.heard >= 0.5) | (effects.in_secondary & (effects.holds >= 0.5)),
        coupled_dbm=np.where(effects.overlaps, effects.coupled_dbm, -np.inf),
        contenders=contenders,
        efficiency=np.asarray(efficiency),
        width_share=width_share,
        rate_mbps=rate_mbps,
        count=count,
        unspoilt=adjacent_free * beyond_known * (1 - unidentified),
        unidentified=unidentified,
        co_free=1 - co_summed,
        beyond=beyond,
    )


def _part_of(shares: FloatArray, chosen: NDArray[np.bool_]) -> FloatArray:
    """What the chosen ones are of all shares, 0 to 1; shapes (candidates, others) to (candidates,)."""
    whole = shares.sum(axis=1)
    return np.asarray(np.where(chosen, shares, 0.0).sum(axis=1) / np.where(whole > 0, whole, 1.0))


@dataclass(frozen=True, eq=False)
class PairEffect:
    """What transmitters do to an asking radio while they send, whatever share of time they send. All of one shape.

    heard: chance that a frame of theirs on our primary is decoded, so that we wait. defers: chance that what overlaps
    our primary in part is loud enough to wait for. holds: that one on a secondary part holds us back; held: the same,
    or that it spoils wide frames. spoils_theirs: share of its frames that
    ours would cost. rise_db: of the noise at our client by what is not waited for; leak_db: of the
    noise of the narrower frames that are left when we fall back.
    """

    generation: str
    snr_db: FloatArray
    inner_snr_db: FloatArray
    in_secondary: NDArray[np.bool_]
    overlaps: NDArray[np.bool_]
    segment_mhz: FloatArray
    coupled_dbm: FloatArray
    heard: FloatArray
    defers: FloatArray
    holds: FloatArray
    held: FloatArray
    spoils_theirs: FloatArray
    rise_db: FloatArray
    leak_db: FloatArray

    @property
    def waited_for(self) -> FloatArray:
        """Chance that we wait for it: its frames or its energy."""
        return np.asarray(np.where(self.overlaps, self.defers, self.heard))

    def spoilt_by(self, sent: FloatArray) -> FloatArray:
        """Share of throughput lost to what they send (share of time) without being waited for."""
        unheard = sent * (1 - self.waited_for)
        # What we spoil of theirs they send again: we are as strong at their clients as they are at ours.
        unheard = np.minimum(unheard / (1 - model_constants.OWN_SHARE * self.spoils_theirs), 1.0)
        beside = lost_to_sender(self.generation, self.snr_db, self.rise_db, unheard)
        leaked = lost_to_sender(self.generation, self.inner_snr_db, self.leak_db, sent)
        # Wide frames that it spoils unseen are lost, until staying narrow (half the rate) brings more than they do.
        unseen = lost_to_sender(self.generation, self.snr_db, self.rise_db, sent * (1 - self.holds))
        wide = np.maximum(1 - unseen, 0.5) / (1 - unseen / 2)
        return np.asarray(np.where(self.in_secondary, 1 - (1 - leaked) * wide, beside))


def pair_effects(
    overlap: FloatArray,
    their_width_mhz: IntArray,
    level_dbm: FloatArray,
    noise_dbm: FloatArray,
    victim: VictimRadio,
    power_db: FloatArray | float = 0.0,
) -> PairEffect:
    """overlap: shape (8, …), see analysis.loss.channel_overlap; the rest broadcasts to what follows the eight."""
    same, on_primary, segment_mhz = overlap[0] > 0, overlap[1] > 0, overlap[2]
    in_secondary = segment_mhz > 0
    level = np.where(level_dbm < carrier_sense.UNHEARD_DBM, -np.inf, level_dbm)
    # Their primary part carries what they send at 20 MHz; on their other parts only wide frames are heard.
    spread_db = 10 * np.log10(their_width_mhz / 20)
    heard = carrier_sense.heard_share(np.where(same, level, level - spread_db), carrier_sense.PREAMBLE_DBM)
    holds = np.where(
        overlap[6] > 0,
        carrier_sense.heard_share(level, _secondary_threshold(segment_mhz)),
        carrier_sense.heard_share(
            level + overlap[7], carrier_sense.ENERGY_DBM
        ),  # off the raster it is energy
    )
    inner_noise = carrier_sense.noise_floor_dbm(np.maximum(segment_mhz, 20) * 1e6)
    rise = _rise_db(level + overlap[3], noise_dbm)
    client_dbm = victim.client_level_dbm + power_db
    snr = client_dbm - noise_dbm
    # A wide frame that a secondary part spoils is worth no more than the narrow one that is sent instead.
    spoils = lost_to_sender(victim.generation, snr, rise, np.ones(()))
    return PairEffect(
        generation=victim.generation,
        snr_db=np.asarray(snr),
        inner_snr_db=client_dbm - inner_noise,
        in_secondary=in_secondary,
        overlaps=~on_primary & ~in_secondary,
        segment_mhz=segment_mhz,
        coupled_dbm=level + overlap[3],
        heard=np.where(on_primary, heard, 0.0),
        defers=carrier_sense.heard_share(level + overlap[4], carrier_sense.ENERGY_DBM),
        holds=holds,
        held=np.where(in_secondary, holds + (1 - holds) * spoils, 0.0),
        spoils_theirs=lost_to_sender("ax", _TYPICAL_SNR_DB, rise, np.ones(())),
        rise_db=rise,
        leak_db=_rise_db(level + overlap[5], inner_noise),
    )


def _rise_db(coupled_dbm: FloatArray, noise_dbm: FloatArray) -> FloatArray:
    """By how much interference raises the noise."""
    return np.asarray(10 * np.log10(1 + 10 ** ((coupled_dbm - noise_dbm) / 10)))


def efficiency_among(contenders: FloatArray) -> FloatArray:
    """Share (0 to 1) of the remaining time that carries payload, beside so many saturated contenders."""
    return np.asarray(np.interp(1 + contenders, *_efficiency_table()))


@lru_cache(maxsize=20_000)
def _emitter_loss(
    channel: Channel, emission: Emission, victim: VictimRadio
) -> tuple[float, tuple[float, ...]]:
    noise_dbm = float(carrier_sense.noise_floor_dbm(channel.width_mhz * 1e6))
    snr_db = victim.client_level_dbm - noise_dbm

    def lost(level_dbm: float, hit: float, whole: float) -> float:
        rise = _rise_db(np.array(level_dbm), np.array(noise_dbm))
        return float(share_lost(victim.generation, snr_db, rise, hit, whole))

    return emitter_loss(channel, emission, lost)


@cache
def _efficiency_table() -> tuple[FloatArray, FloatArray]:
    """The contention model at close steps: it changes slowly, and its equations are costly to solve anew."""
    contenders = np.concatenate([np.linspace(1, 20, 400), np.linspace(21, 400, 380)])
    return contenders, mac_efficiency(contenders)


def _secondary_threshold(segment_mhz: FloatArray) -> FloatArray:
    return np.select(
        [segment_mhz >= 80, segment_mhz >= 20],
        [carrier_sense.SECONDARY_DBM[80], carrier_sense.SECONDARY_DBM[20]],
        0.0,
    )


def _unidentified(
    channels: Sequence[Channel], busy: Mapping[tuple[str, int], float]
) -> tuple[FloatArray, FloatArray]:
    """Unexplained busy share of the primary, and of the parts that each widening adds: (candidates,), (…, 5)."""
    primary, beyond = np.zeros(len(channels)), np.zeros((len(channels), 5))
    if busy:
        for k, channel in enumerate(channels):
            primary[k] = busy.get((channel.band, channel.primary), 0.0)
            for step, added in enumerate(added_parts(channel)):
                beyond[k, step] = max(busy.get((channel.band, n), 0.0) for n in added)
    return primary, beyond


def _busy_beyond(
    segment_mhz: FloatArray, known: FloatArray, reported: FloatArray, groups: Groups, non_wifi: FloatArray
) -> FloatArray:
    """Busy share of the parts that widening from 20, 40, 80 … MHz to twice that adds: (candidates, 5)."""
    out = non_wifi.copy()
    for k in range(5):
        here = segment_mhz == 20 * 2**k
        if here.any():
            busy = lost(lost_by_group(np.where(here, known, 0.0), np.where(here, reported, 0.0), groups))
            out[:, k] = 1 - (1 - busy) * (1 - non_wifi[:, k])
    return out


def _width_lost_to(
    candidates: Candidates, beyond: FloatArray, beyond_to: FloatArray, width_share: FloatArray
) -> FloatArray:
    """Share of the width that each emitter takes: what there would be more without it; (candidates, emitters)."""
    out = np.zeros(beyond_to.shape[:2])
    for j in np.flatnonzero(beyond_to.any(axis=(0, 2))):
        without = 1 - (1 - beyond) / np.maximum(1 - beyond_to[:, j], 1e-9)
        usable = usable_widths(candidates.width_mhz, np.clip(without, 0.0, 1.0))
        out[:, j] = 1 - width_share / np.maximum((usable * candidates.usable_share).sum(axis=1), 1e-9)
    return np.clip(out, 0.0, 1.0)


def usable_widths(width_mhz: IntArray, beyond: FloatArray) -> FloatArray:
    """Chance that just each width is usable while the primary is free: (…, 5), sums to 1 over the last.

    width_mhz: shape (…). beyond: busy share of what each widening adds, shape (…, 5).
    """
    widens = width_mhz[..., None] > 20 * 2 ** np.arange(5)
    stop = np.where(widens, beyond, 1.0)
    reach = np.cumprod(1 - stop, axis=-1)  # chance that more than the width of this step is usable
    before = np.concatenate([np.ones_like(reach[..., :1]), reach[..., :-1]], axis=-1)
    return np.asarray(before * stop)
