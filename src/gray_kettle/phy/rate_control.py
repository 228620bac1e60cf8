"""The rate that a radio ends up with, and what interference takes from it: rate control learns from what arrives.

A client's signal varies from frame to frame, so a scheme works for a share of the frames, not for all or none. Rate
control keeps to the scheme that brings most over all frames, those that meet interference among them.
Source: docs/radio-model.md, "Rates" and "Interference loss".
"""

from functools import lru_cache

import numpy as np
from numpy.typing import ArrayLike, NDArray

from gray_kettle.phy.carrier_sense import FADING_DB, normal_share
from gray_kettle.phy.contention import share_after_backoff
from gray_kettle.phy.rates import schemes, widest_mhz

FloatArray = NDArray[np.float64]

SIGNAL_FADING_DB = 2.0  # of a client's signal, from one frame to the next (standard deviation)
WATERFALL_DB = 0.9  # from a tenth of the packets lost, which sensitivity is defined by, to half of them lost
PACKET_S = 0.2e-3  # of one packet of an aggregate: what is hit in part is lost whole
PACKET_OF_BURST = 0.1  # the same, as a share of a Wi-Fi frame that meets ours
CLIENT_SPREAD_DB = 4.0  # a client is elsewhere than its access point, where the interference was measured

_NODES, _WEIGHTS = np.polynomial.hermite_e.hermegauss(5)
_SPREAD = CLIENT_SPREAD_DB * _NODES, _WEIGHTS / _WEIGHTS.sum()
_RISES_DB = np.concatenate([np.arange(0.0, 30.0, 0.25), np.arange(30.0, 91.0, 2.0)])
_SENT = np.linspace(0.0, 1.0, 41)


def mean_rate_mbps(generation: str, width_mhz: int, streams: int, snr_db: ArrayLike) -> FloatArray:
    """Mean data rate at a mean signal over noise, in Mb/s; shape of snr_db."""
    needed, rates = schemes(generation, width_mhz, streams)
    arrives = _arrives(np.asarray(snr_db, dtype=np.float64)[..., None], needed, SIGNAL_FADING_DB)
    return np.asarray((arrives * rates).max(axis=-1))


def lost_to_sender(generation: str, snr_db: ArrayLike, rise_db: ArrayLike, sent: ArrayLike) -> FloatArray:
    """Share of throughput lost to a Wi-Fi transmitter that does not wait for us; 0 to 1, shapes broadcast.

    snr_db: of the client without it, one value or one a row of the others. rise_db: by how much it raises the noise
    at the client while it sends. sent: share of time in which it sends.
    """
    snr, rise, share = np.broadcast_arrays(
        *(np.asarray(a, dtype=np.float64) for a in (snr_db, rise_db, sent))
    )
    out = np.zeros(rise.shape)
    for value in np.unique(np.round(snr, 1)):
        here = np.round(snr, 1) == value
        out[here] = _interpolated(_table(generation, float(value)), rise[here], share[here])
    return out


def share_lost(
    generation: str, snr_db: float, rise_db: ArrayLike, hit: ArrayLike, whole: ArrayLike
) -> FloatArray:
    """Share of throughput lost to interference that is there for part of the time; 0 to 1, shapes broadcast.

    hit: share of packets that meet it. whole: share of data that is lost where even headers are lost to it.
    """
    needed, rates = schemes(generation, min(widest_mhz(generation), 20), 1)
    rise = np.asarray(rise_db, dtype=np.float64)[..., None]
    met, gone = np.asarray(hit)[..., None], np.asarray(whole)[..., None]
    mixed = 1 - 10 ** (-rise / 10)  # how much of the noise is the interference, which fades too
    spread_db = np.hypot(SIGNAL_FADING_DB, FADING_DB * mixed)
    alone = _arrives(np.array([snr_db]), needed, SIGNAL_FADING_DB)
    beside = np.minimum(_arrives(snr_db - rise, needed, spread_db), alone)
    headers = _headers(generation, snr_db, rise)
    arrives = alone * (headers * (1 - met) + (1 - headers) * (1 - gone)) + met * np.minimum(
        beside, alone * headers
    )
    best = (arrives * rates).max(axis=-1)
    return np.asarray(np.clip(1 - best / max(float((alone * rates).max()), 1e-12), 0.0, 1.0))


def _headers(generation: str, snr_db: float, rise_db: FloatArray) -> FloatArray:
    """Share of headers that arrive in spite of interference: they are sent at the slowest rate."""
    spread_db = np.hypot(SIGNAL_FADING_DB, FADING_DB * (1 - 10 ** (-rise_db / 10)))
    slowest_db = schemes(generation, 20, 1)[0][:1]
    alone = _arrives(np.array(snr_db), slowest_db, SIGNAL_FADING_DB)
    beside = _arrives(snr_db - rise_db, slowest_db, spread_db)
    return np.asarray(np.minimum(beside / np.maximum(alone, 1e-12), 1.0))


def _arrives(snr_db: FloatArray, needed_db: FloatArray, spread_db: FloatArray | float) -> FloatArray:
    """Share of packets that arrive, by scheme."""
    return normal_share((snr_db - needed_db + WATERFALL_DB) / spread_db)


@lru_cache(maxsize=2000)
def _table(generation: str, snr_db: float) -> FloatArray:
    """What is lost by rise of the noise and share of time sent: it is smooth, and asked for very often."""
    sent = _SENT[None, :]
    # A frame whose header meets the other is lost whole; one that is met later loses what is left of it.
    clean = np.where(sent > 0, -np.expm1(-sent) / np.maximum(sent, 1e-12), 1.0)
    hit, whole = np.minimum(sent * (1 + PACKET_OF_BURST), 1.0), 1 - (1 - sent) * clean
    lost = np.zeros((len(_RISES_DB), len(_SENT)))
    for offset_db, share in zip(*_SPREAD, strict=True):
        rise = _louder(_RISES_DB, offset_db)[:, None]
        gone = sent * (1 - _headers(generation, snr_db, rise))
        left = (1 - share_lost(generation, snr_db, rise, hit, whole)) * share_after_backoff(gone)
        lost += share * (1 - left)
    lost[0] = 0.0  # nothing added, nothing lost: not by rounding either
    # More is never better, whatever scheme it is answered with.
    return np.asarray(np.maximum.accumulate(np.maximum.accumulate(lost, axis=0), axis=1))


def _louder(rise_db: FloatArray, step_db: float) -> FloatArray:
    """The rise of the noise if what raises it were so much louder."""
    over = 10 ** (rise_db / 10) - 1
    return np.asarray(10 * np.log10(1 + over * 10 ** (step_db / 10)))


def _interpolated(table: FloatArray, rise_db: FloatArray, sent: FloatArray) -> FloatArray:
    row = np.interp(rise_db, _RISES_DB, np.arange(len(_RISES_DB)))
    column = np.clip(sent, 0.0, 1.0) * (len(_SENT) - 1)
    r, c = (
        np.minimum(row.astype(np.int64), len(_RISES_DB) - 2),
        np.minimum(column.astype(np.int64), len(_SENT) - 2),
    )
    down, right = row - r, column - c
    upper = table[r, c] * (1 - right) + table[r, c + 1] * right
    lower = table[r + 1, c] * (1 - right) + table[r + 1, c + 1] * right
    return np.asarray(upper * (1 - down) + lower * down)
