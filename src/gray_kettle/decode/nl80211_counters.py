"""Counters of channels and of stations in answers of the Linux kernel.

Source: the public kernel header nl80211.h, enumerations nl80211_survey_info, nl80211_sta_info, nl80211_rate_info.
"""

import math
import struct
from collections.abc import Iterator

import numpy as np

from gray_kettle.decode.nl80211 import GENERIC_BYTES, HEADER_BYTES, Order, attributes
from gray_kettle.model.records import Links, Piece, Surveys

NEW_SURVEY, NEW_STATION = 51, 19
_SURVEY_INFO, _STATION_INFO, _ADDRESS = 84, 21, 6
_MHZ, _NOISE, _TIME, _BUSY, _RECEIVE, _TRANSMIT = 1, 2, 4, 5, 7, 8
_SIGNAL, _SEND_RATE, _RECEIVED, _SENT, _RETRIED, _FAILED, _RECEIVE_RATE = 7, 8, 9, 10, 11, 12, 14
_RATE_16, _RATE_32 = 1, 5  # in 100 kbit/s


def surveys_of(raw: bytes, order: Order, time_s: float) -> Piece:
    """The counters of every channel that the receiver was on."""
    rows = []
    for body in _bodies(raw, order, NEW_SURVEY):
        info = dict(attributes(body.get(_SURVEY_INFO, b""), order))
        mhz = order.words(info.get(_MHZ, b""))
        times = [
            order.words(info[n]) / 1000 if n in info else math.nan
            for n in (_TIME, _BUSY, _RECEIVE, _TRANSMIT)
        ]
        if 2400 <= mhz <= 7200 and not math.isnan(times[0]):
            rows.append([time_s, mhz * 1e6, *times, _signed(info.get(_NOISE, b""))])
    table = np.array(rows, np.float64).reshape(len(rows), 7).T
    return Piece(surveys=Surveys(*table, np.zeros(len(rows), np.int64)))  # type: ignore[call-arg]


def stations_of(raw: bytes, order: Order, time_s: float) -> Piece:
    """The links to other devices: an access point's to its clients, a client's to its access point."""
    stations, rows = [], []
    for body in _bodies(raw, order, NEW_STATION):
        address = body.get(_ADDRESS, b"")
        if len(address) != 6:
            continue
        info = dict(attributes(body.get(_STATION_INFO, b""), order))
        counts = [
            order.words(info[n]) if n in info else math.nan for n in (_RECEIVED, _SENT, _RETRIED, _FAILED)
        ]
        rates = [_mbps(info.get(n, b""), order) for n in (_RECEIVE_RATE, _SEND_RATE)]
        stations.append(int.from_bytes(address))
        rows.append([time_s, _signed(info.get(_SIGNAL, b"")), *counts, *rates])
    table = np.array(rows, np.float64).reshape(len(rows), 8).T
    links = Links(table[0], np.array(stations, np.int64), *table[1:], np.zeros(len(rows), np.int64))  # type: ignore[call-arg]
    return Piece(links=links)


def _bodies(raw: bytes, order: Order, command: int) -> Iterator[dict[int, bytes]]:
    """The attributes of each message of a command; ends quietly where one is cut short."""
    at = 0
    while at + HEADER_BYTES + GENERIC_BYTES <= len(raw):
        length = order.words(raw[at : at + 4])
        if length < HEADER_BYTES or at + length > len(raw):
            return
        if raw[at + HEADER_BYTES] == command:
            yield dict(attributes(raw[at + HEADER_BYTES + GENERIC_BYTES : at + length], order))
        at += length + -length % 4


def _signed(raw: bytes) -> float:
    """A level in dBm, of one byte."""
    return float(struct.unpack("b", raw[:1])[0]) if raw else math.nan


def _mbps(raw: bytes, order: Order) -> float:
    rate = dict(attributes(raw, order))
    tenths = order.words(rate.get(_RATE_32) or rate.get(_RATE_16) or b"")
    return tenths / 10 if tenths else math.nan
