"""Power in channels: which fit into a span, and how strong each row is in them.

Source: docs/radio-model.md, "Channel power and duty".
"""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from gray_kettle.model.records import Span
from gray_kettle.phy.channels import BANDS, Channel, all_channels
from gray_kettle.spectrum.quantise import MISSING, MW_OF_CODE, Codes, FloatDb, dbm_of_mw, to_codes

_LEAST_COVER = 0.9  # of a passband: cards that measure one channel leave out its edges


def passband_hz(channel: Channel) -> tuple[float, float]:
    """Edges of what a receiver on the channel takes in: 9, 19, 39 … MHz to each side of its centre."""
    half = channel.width_mhz * 1e6 / 2 - 1e6
    return channel.centre_hz - half, channel.centre_hz + half


@lru_cache(maxsize=64)
def channels_in_span(span: Span) -> tuple[Channel, ...]:
    """Every 20, 40, 80 … MHz place that the span covers, by band, width and centre; primary is the lowest part."""
    low, high = span.start_hz - span.step_hz / 2, span.end_hz + span.step_hz / 2
    found: dict[tuple[str, int, float], Channel] = {}
    for band in BANDS:
        for channel in all_channels(band):
            first, last = passband_hz(channel)
            if min(high, last) - max(low, first) < _LEAST_COVER * (last - first):
                continue
            key = (band, channel.width_mhz, channel.centre_hz)
            if key not in found or channel.primary < found[key].primary:
                found[key] = channel
    return tuple(found[key] for key in sorted(found))


@lru_cache(maxsize=64)
def cover(span: Span) -> NDArray[np.float32]:
    """Part of each bin's power that belongs to each channel, shape (bins, channels).

    A bin at the edge counts with the part of it that lies inside. Where bins take in more (or less) than one step
    of noise, they overlap, and each counts less (or more).
    """
    places = channels_in_span(span)
    centres = span.start_hz + span.step_hz * np.arange(span.bins)
    out = np.zeros((span.bins, len(places)), np.float32)
    for k, place in enumerate(places):
        first, last = passband_hz(place)
        inside = np.minimum(centres + span.step_hz / 2, last) - np.maximum(centres - span.step_hz / 2, first)
        out[:, k] = np.clip(inside / span.step_hz, 0, 1)
    return out * np.float32(span.step_hz / span.rbw_hz if span.rbw_hz else 1.0)


def channel_codes(span: Span, codes: Codes) -> Codes:
    """Power of each row in each channel, as codes, shape (rows, channels); MISSING where most was not measured."""
    weights = cover(span)
    if not weights.shape[1]:
        return np.zeros((len(codes), 0), np.uint8)
    power = MW_OF_CODE[codes] @ weights
    out = to_codes(dbm_of_mw(power))
    if (codes == MISSING).any():
        measured = (codes != MISSING).astype(np.float32) @ weights
        out[measured < _LEAST_COVER * weights.sum(axis=0)] = MISSING
    return out


def channel_floor_dbm(span: Span, floor_dbm: FloatDb) -> FloatDb:
    """Noise of the whole of each channel, dBm, shape (channels,)."""
    power = np.where(np.isfinite(floor_dbm), 10 ** (np.nan_to_num(floor_dbm) / 10), 0.0)
    return dbm_of_mw(power @ cover(span))
