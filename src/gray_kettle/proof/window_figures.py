"""Figures of the assessment of one window: as it was, and as the model expects it with changes.

Source: docs/proof.md, "The figures" and "Expected and true".
"""

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace

import numpy as np

from gray_kettle.analysis.assessment import Assessment, ChannelAssessment, OwnView, Radio
from gray_kettle.analysis.loss.channel_assessment import assess_hypothetical
from gray_kettle.phy.channels import Channel
from gray_kettle.proof.compare import Stretch
from gray_kettle.proof.measures import (
    ADJACENT,
    CLEAR_AIR,
    CLIENT_LEVEL,
    CO_CHANNEL,
    DUTY,
    NON_WIFI,
    RATE,
    RIVALS,
    THROUGHPUT,
    Kind,
    Likeness,
    Measured,
)

_ASSESSED: tuple[tuple[Kind, Callable[[ChannelAssessment], float]], ...] = (
    (CLEAR_AIR, lambda now: now.clear_air),
    (THROUGHPUT, lambda now: now.expected_mbps),
    (CO_CHANNEL, lambda now: now.co_channel_lost),
    (ADJACENT, lambda now: now.adjacent_lost),
    (NON_WIFI, lambda now: now.non_wifi_lost),
    (RIVALS, lambda now: float(now.co_channel_radios)),
)
_EXPECTED = (CLEAR_AIR, THROUGHPUT, CO_CHANNEL, ADJACENT)
Figure = tuple[Kind, tuple[str, ...], float]  # with the BSSIDs of its radio


@dataclass(frozen=True)
class SiteChanges:
    """What a site was changed to, by BSSID: channels of own radios, and those that were switched off."""

    channels: tuple[tuple[str, Channel], ...]
    off: frozenset[str]


@dataclass(frozen=True)
class WindowFigures:
    """expected: with the changes, from the same observations; nothing where it was not asked for."""

    figures: tuple[Figure, ...]
    expected: tuple[Figure, ...] = ()


def figures_of(assessment: Assessment, changes: SiteChanges | None = None) -> WindowFigures:
    """Figures of every own radio that was assessed."""
    found = tuple(
        (kind, tuple(n.bssid for n in own.radio.networks), value)
        for own in assessment.own
        if own.now is not None
        for kind, value in _figures(own, own.now, assessment)
    )
    return WindowFigures(found, _expected(assessment, changes) if changes else ())


def _figures(own: OwnView, now: ChannelAssessment, assessment: Assessment) -> Iterator[tuple[Kind, float]]:
    is_swept = own.radio.band in assessment.swept_bands
    for kind, value_of in _ASSESSED:
        if kind != NON_WIFI or is_swept:
            yield kind, value_of(now)
    if is_swept:
        primary = own.radio.band, own.radio.channel.primary
        free = [1 - s for e in assessment.emitters for *where, s in e.channels if tuple(where) == primary]
        yield DUTY, 1 - float(np.prod(free))
    if not own.client_level_assumed:
        yield CLIENT_LEVEL, own.client_level_dbm
    clients = [c for n in own.radio.networks for c in n.clients if c.mbps and c.airtime_s > 0]
    if clients:
        airtime_s = [c.airtime_s for c in clients]
        yield RATE, float(np.average([c.mbps or 0.0 for c in clients], weights=airtime_s))


def _expected(assessment: Assessment, changes: SiteChanges) -> tuple[Figure, ...]:
    """Own radios on their new channels, among those of this window that were not switched off."""

    def is_on(radio: Radio) -> bool:
        return not any(n.bssid in changes.off for n in radio.networks)

    new = dict(changes.channels)
    left = replace(
        assessment,
        radios=tuple(r for r in assessment.radios if is_on(r)),
        own=tuple(v for v in assessment.own if is_on(v.radio)),
    )
    radios = {v.radio.id: v.radio for v in left.own}
    channels = {
        r.id: next((new[n.bssid] for n in r.networks if n.bssid in new), r.channel) for r in radios.values()
    }
    return tuple(
        (kind, tuple(n.bssid for n in radios[radio_id].networks), value_of(then))
        for radio_id, then in assess_hypothetical(channels, left).items()
        for kind, value_of in _ASSESSED
        if kind in _EXPECTED
    )


def measured_of(
    windows: Iterable[tuple[float, tuple[Figure, ...]]],
    radios: Iterable[Radio],
    length_s: float,
    like: Likeness,
) -> list[Measured]:
    """Figures of windows of one length, each with its start, over time."""
    id_of = {network.bssid: radio.id for radio in radios for network in radio.networks}
    found: dict[tuple[Kind, str], dict[float, float]] = {}
    for start_s, figures in windows:
        for kind, bssids, value in figures:
            radio = next((id_of[bssid] for bssid in bssids if bssid in id_of), None)
            if radio is not None:  # once, where a window splits it
                found.setdefault((kind, radio), {}).setdefault(start_s, value)
    out = []
    for (kind, radio), of_start in found.items():
        time_s, values = (np.array(column) for column in zip(*sorted(of_start.items()), strict=True))
        slot = np.round(time_s / length_s).astype(np.int64)
        out.append(Measured(kind, radio, Stretch(slot, values, like.of(time_s), length_s)))
    return out
