"""The harms: what every other radio takes from every candidate channel, all at once.

Source: docs/radio-model.md, "The harms" and "Clear air". Arrays are shaped (candidates, others).
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gray_kettle.air import floors
from gray_kettle.air.channels import Channel
from gray_kettle.air.contention import mac_efficiency
from gray_kettle.air.masks import NOTHING_DB, SKIRT_BELOW_MASK_DB, coupling_db
from gray_kettle.air.rates import MCS_SINR_DB, TOP_MCS, rate_at_mbps
from gray_kettle.judge import settings
from gray_kettle.records import FloatArray, IntArray

_REACH_HZ = 200e6  # centres further apart than this cannot touch


@dataclass(frozen=True, eq=False)
class Others:
    """Transmitters that are not the one asking, one row each.

    level_dbm: as heard where the asking radio stands. activity: share of time on the air while present.
    presence: share of time present. told_busy: busy share of its channel that it tells itself, NaN when none.
    """

    channels: tuple[Channel, ...]
    level_dbm: FloatArray
    activity: FloatArray
    presence: FloatArray
    told_busy: FloatArray
    dsss_only: NDArray[np.bool_]

    def __len__(self) -> int:
        return len(self.channels)

    def louder_by(self, step_db: float) -> "Others":
        """The same transmitters, all levels shifted."""
        return Others(
            self.channels, self.level_dbm + step_db, self.activity, self.presence, self.told_busy, self.dsss_only
        )


@dataclass(frozen=True)
class Asking:
    """The radio that asks: what it can send, how strong its clients are, where it is now (None: nowhere yet)."""

    generation: str
    streams: int
    client_level_dbm: float
    now: Channel | None = None


@dataclass(frozen=True, eq=False)
class Weighed:
    """What each candidate would give. lost_to: (candidates, others), by kind; the rest has one entry a candidate."""

    candidates: tuple[Channel, ...]
    clear_air: FloatArray
    expected_mbps: FloatArray
    co_lost: FloatArray
    adjacent_lost: FloatArray
    co_lost_to: FloatArray
    adjacent_lost_to: FloatArray
    secondary_lost_to: FloatArray
    heard_on_primary: FloatArray  # Pr(heard) where the other shares the primary part, else 0
    heard_in_parts: NDArray[np.bool_]  # the other shares any part at a level that holds us back
    coupled_dbm: FloatArray  # power into the passband of those that overlap and cannot be decoded, else -inf


@dataclass(frozen=True, eq=False)
class Geometry:
    """How candidates and others lie to one another; depends on channels only, so it can be kept."""

    on_primary: NDArray[np.bool_]
    in_secondary: NDArray[np.bool_]
    segment_mhz: IntArray  # width of the secondary segment met first (20, 40, 80, 160), 0 when none
    coupling_db: FloatArray
    coupling_20_db: FloatArray  # into the primary 20 MHz


def geometry(candidates: Sequence[Channel], others: Sequence[Channel], dsss_only: NDArray[np.bool_]) -> Geometry:
    """Overlaps and couplings; each distinct pair of channels is worked out once."""
    kinds = [(c, bool(d)) for c, d in zip(others, dsss_only, strict=True)]
    distinct = sorted(set(kinds))
    column = np.array([distinct.index(kind) for kind in kinds], dtype=np.int64)
    shape = (len(candidates), len(distinct))
    primary, secondary = np.zeros(shape, bool), np.zeros(shape, bool)
    segment = np.zeros(shape, np.int64)
    full, narrow = np.full(shape, NOTHING_DB), np.full(shape, NOTHING_DB)
    for c, mine in enumerate(candidates):
        for j, (theirs, _) in enumerate(distinct):
            if mine.band != theirs.band:
                continue
            primary[c, j] = mine.primary in theirs.parts
            segment[c, j] = 0 if primary[c, j] else _segment_met(mine, theirs)
            secondary[c, j] = segment[c, j] > 0
    for j, (theirs, dsss) in enumerate(distinct):
        near = [c for c, mine in enumerate(candidates) if mine.band == theirs.band]
        if near:
            full[near, j] = _coupling([candidates[c] for c in near], theirs, dsss, at_primary=False)
            narrow[near, j] = _coupling([candidates[c] for c in near], theirs, dsss, at_primary=True)
    return Geometry(primary[:, column], secondary[:, column], segment[:, column], full[:, column], narrow[:, column])


def _segment_met(mine: Channel, theirs: Channel) -> int:
    """Width of the innermost secondary segment of mine that theirs shares a 20 MHz part with; 0 for none."""
    width = 20
    while width < mine.width_mhz:
        if set(_segment_parts(mine, width)) & set(theirs.parts):
            return width
        width *= 2
    return 0


def _segment_parts(channel: Channel, width_mhz: int) -> tuple[int, ...]:
    """The parts that widening from width_mhz to twice that adds."""
    count, twice = width_mhz // 20, width_mhz // 10
    ordered = sorted(channel.parts)
    if channel.second_hz or channel.band == "2.4":
        return channel.parts[count:twice]
    # Channels halve at even places: the block of `twice` parts that holds the primary, less the one of `count`.
    at = ordered.index(channel.primary)
    outer = ordered[at // twice * twice : at // twice * twice + twice]
    inner = ordered[at // count * count : at // count * count + count]
    return tuple(n for n in outer if n not in inner)


def _coupling(mine: list[Channel], theirs: Channel, dsss: bool, *, at_primary: bool) -> FloatArray:
    """Share of theirs (dB) in the passband of each of mine, or in its primary 20 MHz."""
    kind = "dsss" if dsss else "ofdm"
    total = np.zeros(len(mine))
    for centre_hz, width_hz in theirs.segments:
        width_mhz = 20 if dsss else round(width_hz / 1e6)
        power = 10 ** (-10 * np.log10(len(theirs.segments)) / 10)
        for k, channel in enumerate(mine):
            segments = ((channel.primary_hz, 20e6),) if at_primary else channel.segments
            for victim_hz, victim_width_hz in segments:
                offset_hz = victim_hz - centre_hz
                if abs(offset_hz) - victim_width_hz / 2 > _REACH_HZ:
                    continue
                db = coupling_db(kind, width_mhz, round(victim_width_hz / 1e6), offset_hz, SKIRT_BELOW_MASK_DB)
                total[k] += power * 10 ** (float(db) / 10)
    with np.errstate(divide="ignore"):
        return np.asarray(np.maximum(10 * np.log10(total), NOTHING_DB))


def weigh(asking: Asking, candidates: Sequence[Channel], others: Others, lie: Geometry | None = None) -> Weighed:
    """Clear air and expected throughput of every candidate among the others."""
    lie = lie or geometry(candidates, others.channels, others.dsss_only)
    level = np.where(others.level_dbm < floors.UNHEARD_DBM, -np.inf, others.level_dbm)[None, :]
    activity, presence = others.activity[None, :], others.presence[None, :]
    width_mhz = np.array([c.width_mhz for c in candidates], dtype=np.int64)
    noise = floors.noise_floor_dbm(width_mhz * 1e6)[:, None]
    spread = 10 * np.log10(np.array([c.width_mhz / 20 for c in others.channels]) + 1e-12)[None, :]

    same = _same_primary(candidates, others).reshape(lie.on_primary.shape)
    # Their primary part carries what they send at 20 MHz; on their other parts only wide frames are heard.
    heard = floors.heard_share(np.where(same, level, level - spread), floors.PREAMBLE_DBM)
    heard = np.where(lie.on_primary, heard, 0.0)
    known, told = presence * activity, np.nan_to_num(others.told_busy * others.presence)[None, :]
    groups = _groups(others)

    count = (presence * heard).sum(axis=1)
    # Where we are now, our own frames are part of what the others tell: an even share of it.
    here = np.array([asking.now is not None and m.primary == asking.now.primary for m in candidates])
    others_part = np.where(here, count / (count + 1), 1.0)[:, None]
    co_busy, co_to = _combined(known * heard, told * heard * others_part, groups)
    fair = np.minimum(co_busy, 1 - 1 / (1 + count))  # contenders yield: a fair share is always left
    co_to *= (fair / np.where(co_busy > 0, co_busy, 1.0))[:, None]
    co_busy = fair
    contenders = (known * heard).sum(axis=1)

    overlapping = ~lie.on_primary & ~lie.in_secondary
    loss = _frame_loss(level + lie.coupling_db, noise, asking, width_mhz)
    defers = floors.heard_share(level + lie.coupling_20_db, floors.ENERGY_DBM)
    from_known = presence * np.maximum(activity * defers, _exposed(activity) * loss)
    from_told = np.maximum(told * defers, _exposed(told) * loss)
    adjacent_lost, adjacent_to = _combined(
        np.where(overlapping, from_known, 0.0), np.where(overlapping, from_told, 0.0), groups
    )
    adjacent_free = 1 - adjacent_lost

    holds = _secondary_threshold(lie.segment_mhz)
    held = np.where(lie.in_secondary, np.maximum(floors.heard_share(level, holds), loss), 0.0)
    usable = _usable_widths(width_mhz, lie, known * held, told * held, groups)

    primary_free = (1 - co_busy) * adjacent_free
    clear = primary_free * (usable * _halves(width_mhz)[1]).sum(axis=1)
    rate = _rates(asking, width_mhz)
    expected = primary_free * mac_efficiency(1 + contenders) * (usable * rate).sum(axis=1)
    return Weighed(
        candidates=tuple(candidates),
        clear_air=clear,
        expected_mbps=expected,
        co_lost=co_busy,
        adjacent_lost=1 - adjacent_free,
        co_lost_to=co_to,
        adjacent_lost_to=adjacent_to,
        secondary_lost_to=np.maximum(known, told) * held * primary_free[:, None],
        heard_on_primary=heard,
        heard_in_parts=(heard >= 0.5) | (lie.in_secondary & (floors.heard_share(level, holds) >= 0.5)),
        coupled_dbm=np.where(overlapping, level + lie.coupling_db, -np.inf),
    )


def _same_primary(candidates: Sequence[Channel], others: Others) -> NDArray[np.bool_]:
    return np.array([[m.primary == t.primary for t in others.channels] for m in candidates], dtype=bool)


def _groups(others: Others) -> list[IntArray]:
    """Rows of the others that have one primary: what they tell of its busy time is the same time."""
    primaries = np.array([round(c.primary_hz / 1e6) for c in others.channels], dtype=np.int64)
    return [np.flatnonzero(primaries == p) for p in np.unique(primaries)]


def _combined(known: FloatArray, told: FloatArray, groups: list[IntArray]) -> tuple[FloatArray, FloatArray]:
    """(share lost of each candidate, what of it each other takes).

    What access points tell is the busy share of a channel, not of themselves: within a group it counts once, as
    the most that any of them tells, beside the sum of what each is known or taken to send
    (docs/decisions/003-told-load-is-of-the-channel.md). Groups are independent of one another.
    """
    left = np.ones(known.shape[0])
    shares = np.zeros(known.shape)
    for rows in groups:
        one_by_one = 1 - np.prod(1 - known[:, rows], axis=1)
        lost = np.maximum(one_by_one, told[:, rows].max(axis=1, initial=0.0))
        left *= 1 - lost
        weight = np.maximum(known[:, rows], told[:, rows])
        total = weight.sum(axis=1, keepdims=True)
        shares[:, rows] = weight / np.where(total > 0, total, 1.0) * lost[:, None]
    return 1 - left, shares


def _exposed(activity: FloatArray) -> FloatArray:
    """Share of our frames that meet a transmitter which does not wait for them: bursts as long as our frames."""
    return np.asarray(1 - (1 - activity) * np.exp(-activity))


def _frame_loss(coupled_dbm: FloatArray, noise_dbm: FloatArray, asking: Asking, width_mhz: IntArray) -> FloatArray:
    """Share of frames lost that meet this interference, at the rate chosen for the air without it.

    Rate control does not follow bursts of milliseconds: frames are lost once the noise rises by more than the
    margin in hand. A signal better than the fastest rate needs adds to the margin.
    """
    rise = 10 * np.log10(1 + 10 ** ((coupled_dbm - noise_dbm) / 10))
    top = MCS_SINR_DB[TOP_MCS.get(asking.generation, 7)]
    spare = np.maximum(asking.client_level_dbm - noise_dbm - top, 0.0)
    margin = settings.MARGIN_DB + spare
    at_rest = floors.normal_share(-margin / settings.MARGIN_SPREAD_DB)
    lost = floors.normal_share((rise - margin) / settings.MARGIN_SPREAD_DB)
    return np.asarray(np.clip((lost - at_rest) / (1 - at_rest), 0.0, 1.0))


def _secondary_threshold(segment_mhz: IntArray) -> FloatArray:
    return np.select([segment_mhz >= 80, segment_mhz >= 20], [floors.SECONDARY_DBM[80], floors.SECONDARY_DBM[20]], 0.0)


def _halves(width_mhz: IntArray) -> tuple[IntArray, FloatArray]:
    """Usable widths of each candidate, 20 MHz first, five columns: (width, share of the full width); 0 beyond."""
    steps = 20 * 2 ** np.arange(5)
    exists = steps[None, :] <= width_mhz[:, None]
    return np.where(exists, steps, 0), np.where(exists, steps / width_mhz[:, None], 0.0)


def _usable_widths(
    width_mhz: IntArray, lie: Geometry, known: FloatArray, told: FloatArray, groups: list[IntArray]
) -> FloatArray:
    """Chance that just each width is usable while the primary is free: (candidates, 5), rows sum to 1."""
    usable = np.zeros((len(width_mhz), 5))
    reach = np.ones(len(width_mhz))  # chance that at least the width of this step is usable
    for k in range(5):
        segment = 20 * 2**k
        here = lie.segment_mhz == segment
        busy, _ = _combined(np.where(here, known, 0.0), np.where(here, told, 0.0), groups)
        stop = np.where(width_mhz > segment, busy, 1.0)
        usable[:, k] = reach * stop
        reach = reach * (1 - stop)
    return usable


def _rates(asking: Asking, width_mhz: IntArray) -> FloatArray:
    """Rate at each usable width: same client level, noise of that width."""
    steps, _ = _halves(width_mhz)
    out = np.zeros(steps.shape)
    for width in np.unique(steps[steps > 0]):
        snr_db = asking.client_level_dbm - floors.noise_floor_dbm(float(width) * 1e6)
        streams = min(asking.streams, settings.CLIENT_STREAMS)
        out[steps == width] = rate_at_mbps(asking.generation, int(width), streams, snr_db)
    # A station may always send narrower: a wider usable channel is never worth less.
    return np.asarray(np.maximum.accumulate(out, axis=1))
