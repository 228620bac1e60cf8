"""From radios to the arrays of the loss model, and from its arrays back to named losses."""

from collections.abc import Mapping
from dataclasses import replace

import numpy as np

from gray_kettle.analysis import model_constants
from gray_kettle.analysis.assessment import (
    Assessment,
    ChannelAssessment,
    Emitter,
    LossCause,
    OwnView,
    Radio,
    Stay,
)
from gray_kettle.analysis.emitters.advice import ADVICE
from gray_kettle.analysis.loss.emitter_loss import emissions_of
from gray_kettle.analysis.loss.interference_loss import (
    Candidates,
    ChannelScores,
    Interferers,
    VictimRadio,
    score_channels,
)
from gray_kettle.model.enums import LossKind
from gray_kettle.phy.carrier_sense import PREAMBLE_DBM, sum_dbm
from gray_kettle.phy.channels import Channel, all_channels, narrow, primaries
from gray_kettle.phy.rates import widest_mhz

UNIDENTIFIED = "busy, cause not identified"
_LEAST_LOSS = 0.001  # less than this is not worth a name
_HARDLY_DB = 4.0  # so far under the threshold for being heard: fading lets it through now and then


def level_at(stay: Stay, spot: str | None) -> float:
    """Level of a stay at a spot, dBm; without one its median; an assumed level when none was reported at all."""
    at = dict(stay.level_at)
    if spot is not None and spot in at:
        return at[spot]
    return stay.level_dbm if stay.level_dbm is not None else model_constants.UNKNOWN_LEVEL_DBM


def level_of(radio: Radio, stay: Stay, spot: str | None) -> float:
    """The same in dBm, from another of the radio's channels where only that was heard at the spot."""
    if spot is not None and spot not in dict(stay.level_at):
        other = [level for s in radio.stays for at, level in s.level_at if at == spot]
        if other:
            return max(other)
    return level_at(stay, spot)


def home_spot(radio: Radio) -> str | None:
    """The spot where a radio is strongest, on any of its channels: the best estimate of where it is."""
    at = sorted((item for s in radio.stays for item in s.level_at), key=lambda item: (-item[1], item[0]))
    return at[0][0] if at else None


def mutual_level_dbm(one: Radio, other: Radio) -> float:
    """How strong two own radios are at each other: each as heard at home of the other, the larger of the two."""
    found = []
    for here, there in ((one, other), (other, one)):
        spot = home_spot(here)
        at_home, from_there = level_of(here, here.stay, spot), level_of(there, there.stay, spot)
        found.append(min(at_home, from_there))
    return max(found)


def hidden_pairs(victim: Radio, radios: tuple[Radio, ...]) -> tuple[tuple[str, str], ...]:
    """Pairs of radios on its channel that it hears both and that hardly hear each other.

    That takes levels from two spots at least: each pair is assessed by how strong one is where the other is strongest.
    """
    near = [
        r
        for r in radios
        if r.id != victim.id
        and (r.band, r.channel.primary) == (victim.band, victim.channel.primary)
        and len(r.stay.level_at) > 1
        and level_at(r.stay, home_spot(victim)) >= PREAMBLE_DBM
    ]
    return tuple(
        (one.id, other.id)
        for k, one in enumerate(near)
        for other in near[k + 1 :]
        if mutual_level_dbm(one, other) < PREAMBLE_DBM - _HARDLY_DB
    )


def interferers_for(
    radios: tuple[Radio, ...],
    victim: Radio | None,
    emitters: tuple[Emitter, ...] = (),
    ours: tuple[Radio, ...] | None = None,
    unidentified: Mapping[tuple[str, int], float] | None = None,
) -> tuple[Interferers, tuple[tuple[Radio, Stay], ...]]:
    """Every other radio of the band (all bands when nobody asks), one row a stay, as heard where the asking one is.

    emitters: what is not Wi-Fi, as heard where it was swept. ours: our radios where they were in the window, for what
    others reported of it; None for those among the radios. unidentified: measured busy share that nothing explains, by
    (band, number).
    """
    heard_by_others = tuple(r for r in radios if r.own) if ours is None else ours
    spot = home_spot(victim) if victim else None
    rows = []
    for radio in radios:
        if victim is not None and (radio.id == victim.id or radio.band != victim.band):
            continue
        # An own radio is where it is now; where it was before the last change no longer counts.
        stays = (radio.stay,) if radio.own else radio.stays
        rows += [(radio, stay) for stay in stays]
    both_own = [victim is not None and victim.own and radio.own for radio, _ in rows]
    levels = [
        mutual_level_dbm(victim, radio) if own and victim is not None else level_of(radio, stay, spot)
        for (radio, stay), own in zip(rows, both_own, strict=True)
    ]
    others = Interferers(
        channels=tuple(stay.channel for _, stay in rows),
        level_dbm=np.array(levels, dtype=np.float64),
        activity=np.array([radio.activity for radio, _ in rows], dtype=np.float64),
        presence=np.array([1.0 if radio.own else stay.presence for radio, stay in rows], dtype=np.float64),
        # What an own radio reports is in its activity: it would take it along to another channel.
        reported_utilisation=np.array(
            [np.nan if r.own else _reported_by_others(s, heard_by_others, victim) for r, s in rows]
        ),
        dsss_only=np.array([radio.generation == "b" for radio, _ in rows], dtype=bool),
        emissions=emissions_of(emitters, victim.band if victim else None),
        own=np.array([radio.own for radio, _ in rows], dtype=bool),
        unidentified=unidentified or {},
    )
    return others, tuple(rows)


def _reported_by_others(stay: Stay, ours: tuple[Radio, ...], victim: Radio | None) -> float:
    """What a neighbour reports as busy, less what our radios on its primary send: those count by themselves.

    NaN where it reports nothing. It is taken to hear them; the asking radio's own part is dealt with by the losses.
    """
    if stay.reported_utilisation is None:
        return float("nan")
    place = (stay.channel.band, stay.channel.primary)
    free = 1.0
    for radio in ours:
        if (victim is None or radio.id != victim.id) and (radio.band, radio.channel.primary) == place:
            free *= 1 - radio.activity
    return max(1 - (1 - stay.reported_utilisation) / max(free, 1e-9), 0.0)


def victim_of(radio: Radio) -> tuple[VictimRadio, bool]:
    """The asking side of a radio, and whether the level of its clients had to be assumed."""
    known = radio.client_level_dbm
    level = model_constants.CLIENT_LEVEL_DBM if known is None else known
    return VictimRadio(radio.generation, radio.streams, level, radio.channel), known is None


def channel_assessments(
    scores: ChannelScores, others: Interferers, rows: tuple[tuple[Radio, Stay], ...]
) -> tuple[ChannelAssessment, ...]:
    """One assessment for each candidate channel, its losses by interferer, largest first."""
    return tuple(_assessment(k, scores, others, rows) for k in range(len(scores.candidates)))


def _assessment(
    k: int, scores: ChannelScores, others: Interferers, rows: tuple[tuple[Radio, Stay], ...]
) -> ChannelAssessment:
    losses = []
    for kind, lost in (
        (LossKind.CO_CHANNEL, scores.co_lost_to[k]),
        (LossKind.ADJACENT, scores.adjacent_lost_to[k]),
        (LossKind.SECONDARY, scores.secondary_lost_to[k]),
    ):
        for j in np.flatnonzero(lost >= _LEAST_LOSS):
            radio, stay = rows[j]
            level, share = float(others.level_dbm[j]), round(float(lost[j]), 4)
            losses.append(
                LossCause(
                    kind, radio.id, radio.name, stay.channel, level, radio.activity * stay.presence, share
                )
            )
    # Of the time of the primary, and of the width that it takes beside it.
    by_emitter = 1 - (1 - scores.non_wifi_lost_to[k]) * (1 - scores.non_wifi_width_lost_to[k])
    for j in np.flatnonzero(by_emitter >= _LEAST_LOSS):
        emitter, lost_share = others.emissions[j].emitter, float(by_emitter[j])
        name = emitter.name or ADVICE[emitter.kind].short
        losses.append(
            LossCause(
                LossKind.NON_WIFI,
                emitter.id,
                name,
                None,
                emitter.level_dbm,
                emitter.duty,
                round(lost_share, 4),
            )
        )
    nameless = float(scores.unidentified[k])
    if nameless >= _LEAST_LOSS:
        where = narrow(scores.candidates[k].band, scores.candidates[k].primary)
        losses.append(
            LossCause(LossKind.UNIDENTIFIED, "", UNIDENTIFIED, where, None, nameless, round(nameless, 4))
        )
    shared = np.flatnonzero(scores.heard_in_parts[k])
    near = np.flatnonzero(scores.adjacent_lost_to[k] >= _LEAST_LOSS)
    near_dbm = scores.coupled_dbm[k][near]
    return ChannelAssessment(
        channel=scores.candidates[k],
        clear_air=round(float(scores.clear_air[k]), 4),
        expected_mbps=round(float(scores.expected_mbps[k]), 1),
        co_channel_radios=len({rows[j][0].id for j in shared}),
        co_channel_strongest_dbm=float(others.level_dbm[shared].max()) if len(shared) else None,
        co_channel_lost=round(float(scores.co_lost[k]), 4),
        adjacent_radios=len({rows[j][0].id for j in near}),
        adjacent_power_dbm=round(float(sum_dbm(*near_dbm)), 1) if len(near) else None,
        adjacent_lost=round(float(scores.adjacent_lost[k]), 4),
        non_wifi_emitters=sum(h.kind == LossKind.NON_WIFI for h in losses),
        non_wifi_lost=round(float(1 - np.prod(1 - scores.non_wifi_lost_to[k])), 4),
        losses=tuple(sorted(losses, key=lambda h: (-h.share_lost, h.radio))),
        contenders=round(float(scores.contenders[k]), 3),
        unidentified_lost=round(nameless, 4),
        efficiency=round(float(scores.efficiency[k]), 4),
        width_share=round(float(scores.width_share[k]), 4),
        rate_mbps=round(float(scores.rate_mbps[k]), 1),
    )


def assess_all_channels(view: OwnView, assessment: Assessment) -> tuple[ChannelAssessment, ...]:
    """An own radio on every channel of its band and of widths that it can send, the others being where they are."""
    radio, (victim, _) = view.radio, victim_of(view.radio)
    if radio.channel.is_width_known:
        widest = max(widest_mhz(radio.generation), radio.channel.width_mhz)
        channels = tuple(c for c in all_channels(radio.band) if c.width_mhz <= widest)
    else:
        channels = primaries(radio.band)
    others, rows = interferers_for(
        assessment.radios, radio, assessment.emitters, unidentified=assessment.unidentified
    )
    return channel_assessments(score_channels(victim, Candidates(channels), others), others, rows)


def effect_on_own(
    channel: Channel, view: OwnView, assessment: Assessment
) -> tuple[tuple[Radio, float, float], ...]:
    """What our other radios of the band would find if this one went to a channel: (radio, clear air now, then)."""
    radio = view.radio
    others = [v for v in assessment.own if v.radio.id != radio.id and v.radio.band == radio.band and v.now]
    then = assess_hypothetical({radio.id: channel}, assessment, frozenset(v.radio.id for v in others))
    return tuple((v.radio, v.now.clear_air, then[v.radio.id].clear_air) for v in others if v.now is not None)


def assess_hypothetical(
    channels: dict[str, Channel], assessment: Assessment, whose: frozenset[str] | None = None
) -> dict[str, ChannelAssessment]:
    """Assessments of our radios with some of them on other channels, by id (all, or those asked for)."""
    ours = tuple(v.radio for v in assessment.own)
    radios = tuple(_on(r, channels[r.id]) if r.id in channels else r for r in assessment.radios)
    out = {}
    for radio in radios:
        if radio.own and (whose is None or radio.id in whose):
            victim = replace(victim_of(radio)[0], now=channel_of(radio.id, ours))
            others, rows = interferers_for(radios, radio, assessment.emitters, ours, assessment.unidentified)
            out[radio.id] = channel_assessments(
                score_channels(victim, Candidates((radio.channel,)), others), others, rows
            )[0]
    return out


def channel_of(radio_id: str, radios: tuple[Radio, ...]) -> Channel | None:
    """Where a radio was in the window."""
    return next((r.channel for r in radios if r.id == radio_id), None)


def _on(radio: Radio, channel: Channel) -> Radio:
    # Its other stays show how strong it is where only those were heard.
    others = tuple(s for s in radio.stays if s is not radio.stay)
    return replace(radio, channel=channel, stays=(replace(radio.stay, channel=channel), *others))


def assess_channel(
    channel: Channel,
    victim: VictimRadio,
    radios: tuple[Radio, ...],
    who: Radio,
    emitters: tuple[Emitter, ...] = (),
    unidentified: Mapping[tuple[str, int], float] | None = None,
) -> ChannelAssessment:
    """The assessment of one channel for one radio."""
    others, rows = interferers_for(radios, who, emitters, unidentified=unidentified)
    return channel_assessments(score_channels(victim, Candidates((channel,)), others), others, rows)[0]
