"""Measured busy time that no identified cause explains.

A survey or a sweep measures that a channel is busy whoever it is. What neither our own traffic nor an identified
radio or emitter explains is a cause of its own: what was measured busy is never taken for clear.
Source: docs/radio-model.md, "Clear air".
"""

from collections.abc import Mapping

import numpy as np

from gray_kettle.analysis.assessment import Emitter, Radio, Utilisation
from gray_kettle.analysis.loss.channel_assessment import interferers_for
from gray_kettle.analysis.loss.interference_loss import Candidates, VictimRadio, score_channels
from gray_kettle.model.enums import UtilisationSource
from gray_kettle.phy.channels import Channel

_MEASURES = (UtilisationSource.SURVEY, UtilisationSource.SWEEP)
_WORTH_NAMING = 0.02  # less than this is within the error of what is compared


def unidentified_busy(
    measured: Mapping[Channel, Utilisation],
    radios: tuple[Radio, ...],
    emitters: tuple[Emitter, ...],
    typical: VictimRadio,
) -> dict[tuple[str, int], float]:
    """Unexplained busy share (0 to 1) of the 20 MHz channels of one band, by (band, number); those that have one."""
    busy = {
        c: u.value
        for c, u in measured.items()
        if u.value is not None and u.source in _MEASURES and not u.at_most
    }
    if not busy:
        return {}
    channels = tuple(busy)
    others, _ = interferers_for(tuple(r for r in radios if not r.own), None, emitters)
    found = score_channels(typical, Candidates(channels), others)
    explained_free = found.co_free * found.unspoilt * np.prod(1 - found.non_wifi_lost_to, axis=1)
    out = {}
    for channel, free in zip(channels, explained_free.tolist(), strict=True):
        others_busy = 1 - (1 - busy[channel]) / max(1 - own_share(channel, radios), 1e-6)
        share = 1 - (1 - max(others_busy, 0.0)) / max(free, 1e-6)
        if share >= _WORTH_NAMING:
            out[channel.band, channel.primary] = round(share, 4)
    return out


def own_share(channel: Channel, radios: tuple[Radio, ...]) -> float:
    """Share of a 20 MHz channel's time that our own radios send on it."""
    free = 1.0
    for radio in radios:
        if radio.own and radio.band == channel.band and channel.primary in radio.channel.parts:
            free *= 1 - radio.activity
    return 1 - free
