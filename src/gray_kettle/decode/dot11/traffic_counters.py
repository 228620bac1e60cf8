"""Frames summed up: how much each transmitter sent in each second, and where the receiver listened.

Source: docs/radio-model.md, "Airtime".
"""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from gray_kettle.decode.capture_files import PacketBlock
from gray_kettle.decode.capture_headers import NO_AGGREGATE, Reception
from gray_kettle.decode.dot11.mac_headers import Headers
from gray_kettle.decode.dot11.sum_by_key import Groups
from gray_kettle.model.records import (
    LONGEST_AGGREGATE_S,
    SHORT_SILENCE_S,
    Edges,
    FloatArray,
    IntArray,
    Listening,
    Traffic,
)
from gray_kettle.phy import modes

FCS_BYTES = 4
_LOW_BAND_MHZ = 3000
_SIFS_LOW_S, _SIFS_HIGH_S = 10e-6, 16e-6
_DELIMITER_BYTES = 4  # before each frame of an aggregate, which is filled up to a multiple of as many
# Milliwatts of a level in a signed byte; a level of 0 means that none was reported.
_MILLIWATTS = np.where(np.arange(256) == 0, 0.0, 10 ** (np.arange(256, dtype=np.uint8).view(np.int8) / 10))


def milliwatts(heard: Reception, packets: IntArray) -> FloatArray:
    """Levels of packets in milliwatts; 0 where none was reported."""
    return np.asarray(_MILLIWATTS[heard.signal_dbm[packets].view(np.uint8)])


def told_or_nan(levels: NDArray[np.int8]) -> FloatArray:
    """Levels in signed bytes as numbers, NaN where none was reported."""
    return np.where(levels == 0, np.nan, levels.astype(np.float64))


@dataclass
class _Aggregate:
    """One aggregate, or as much of it as has come. octets: with delimiters and padding."""

    reference: int
    transmitter: int
    mode: int
    receiver_mhz: int
    bssid: int
    first_s: float
    last_s: float
    octets: int

    def continues_in(self, other: "_Aggregate") -> bool:
        same = (self.reference, self.transmitter, self.mode) == (
            other.reference,
            other.transmitter,
            other.mode,
        )
        return same and 0 <= other.first_s - self.last_s < LONGEST_AGGREGATE_S

    def airtime_s(self) -> float:
        return float(modes.airtime_s(np.array(self.mode), self.octets, self.receiver_mhz < _LOW_BAND_MHZ))

    def joined(self, other: "_Aggregate") -> "_Aggregate":
        return replace(self, last_s=other.last_s, octets=self.octets + other.octets)


class Tally:
    """Sums blocks of one capture; knows the aggregates that it began with and that the last block ended in."""

    def __init__(self) -> None:
        self._first: _Aggregate | None = None
        self._open: _Aggregate | None = None

    def edges(self) -> Edges:
        """The first and the last aggregate so far, where it began or ends with one."""
        found = [(a, e) for a, e in ((self._first, 0), (self._open, 1)) if a is not None]

        def whole(numbers: list[int]) -> IntArray:
            return np.array(numbers, np.int64)

        nothing = np.zeros(len(found), np.int64)
        return Edges(
            time_s=np.array([a.last_s if is_end else a.first_s for a, is_end in found]),
            receiver_hz=hertz(whole([a.receiver_mhz for a, _ in found])),
            bssid=whole([a.bssid for a, _ in found]),
            transmitter=whole([a.transmitter for a, _ in found]),
            mode=whole([a.mode for a, _ in found]),
            reference=whole([a.reference for a, _ in found]),
            octets=whole([a.octets for a, _ in found]),
            is_end=whole([is_end for _, is_end in found]),
            take=nothing,
            spot=nothing,
        )

    def traffic(self, block: PacketBlock, heard: Reception, headers: Headers) -> Traffic:
        """All frames by second, receiver channel, BSSID, transmitter and mode."""
        packets = headers.rows
        if not len(packets):
            return Traffic.empty()
        second = np.floor(block.times_s[packets]).astype(np.int64)
        channel, mode = heard.channel_mhz[packets], heard.mode[packets]
        groups = Groups(second, channel, headers.bssid, headers.transmitter, mode)
        airtime = self._airtime_s(block, heard, headers)
        level = heard.signal_dbm[packets]
        known = level != 0
        retried = headers.retry & headers.retriable
        retries, protected, asleep = groups.count(retried, headers.protected, headers.asleep)
        (retriable,) = groups.count(headers.retriable)
        (levels,) = groups.count(known)
        lowest = groups.lowest(np.where(known, level, 127))
        highest = groups.highest(np.where(known, level, -128))
        first = groups.first
        return Traffic(
            second=second[first],
            receiver_hz=hertz(channel[first]),
            bssid=headers.bssid[first],
            transmitter=headers.transmitter[first],
            mode=mode[first],
            frames=groups.counts(),
            retries=retries,
            protected=protected,
            asleep=asleep,
            octets=groups.sum(heard.sent_lengths[packets]),
            airtime_s=groups.total(np.nan_to_num(airtime)),
            level_mw=groups.total(milliwatts(heard, packets)),
            levels=levels,
            lowest_dbm=np.where(levels > 0, lowest, np.nan),
            highest_dbm=np.where(levels > 0, highest, np.nan),
            spot=np.zeros(len(groups), np.int64),
            retriable=retriable,
        )

    def _airtime_s(self, block: PacketBlock, heard: Reception, headers: Headers) -> FloatArray:
        """Duration of each frame, NaN where its mode was not reported; frames of one aggregate share its duration."""
        packets = headers.rows
        octets, mode = heard.sent_lengths[packets] + FCS_BYTES, heard.mode[packets]
        low_band = heard.channel_mhz[packets] < _LOW_BAND_MHZ
        duration = modes.airtime_s(mode, octets, low_band)
        answers = np.flatnonzero(headers.is_answer)
        duration[answers] += np.where(low_band[answers], _SIFS_LOW_S, _SIFS_HIGH_S)
        duration = _unmarked_together(
            duration, mode, octets, low_band, block.times_s[packets], heard, headers
        )
        rows = np.flatnonzero(heard.aggregate[packets] != NO_AGGREGATE)
        if not len(rows):
            self._open = None
            return duration
        reference, sender = heard.aggregate[packets[rows]], headers.transmitter[rows]
        time_s, mode = block.times_s[packets[rows]], mode[rows]
        same = (reference[1:] == reference[:-1]) & (sender[1:] == sender[:-1]) & (mode[1:] == mode[:-1])
        same &= np.diff(time_s) < LONGEST_AGGREGATE_S
        starts = np.concatenate([[0], np.flatnonzero(~same) + 1])
        ends = np.append(starts[1:], len(rows)) - 1
        bytes_ = octets[rows] + -octets[rows] % 4 + _DELIMITER_BYTES
        total = np.add.reduceat(bytes_, starts)
        whole_s = modes.airtime_s(mode[starts], total, low_band[rows[starts]])

        def run(k: int) -> _Aggregate:
            at, to = starts[k], ends[k]
            mhz, bssid = heard.channel_mhz[packets[rows[at]]], headers.bssid[rows[at]]
            return _Aggregate(
                int(reference[at]),
                int(sender[at]),
                int(mode[at]),
                int(mhz),
                int(bssid),
                float(time_s[at]),
                float(time_s[to]),
                int(total[k]),
            )

        first, last = run(0), run(-1)
        if self._open is not None and self._open.continues_in(first):
            joined = self._open.joined(first)
            # The rest was counted with the block before.
            whole_s[0] = joined.airtime_s() - self._open.airtime_s()
            self._first = joined if self._first is self._open else self._first
            last = joined if len(starts) == 1 else last
        elif self._open is None and self._first is None:
            self._first = first
            last = first if len(starts) == 1 else last
        self._open = last
        duration[rows] = np.repeat(whole_s / total, ends - starts + 1) * bytes_
        return duration


def _unmarked_together(
    duration: FloatArray,
    mode: IntArray,
    octets: IntArray,
    low_band: NDArray[np.bool_],
    time_s: FloatArray,
    heard: Reception,
    headers: Headers,
) -> FloatArray:
    """Durations with the frames of aggregates that the receiver did not mark sharing one preamble.

    Frames of one sender and mode, one right behind the other, of which the next begins before the last could have ended
    and been answered, are parts of one aggregate.
    """
    packets = headers.rows
    marked = heard.aggregate[packets] != NO_AGGREGATE
    may = (mode >> 16 >= modes.HT) & ~marked & (headers.transmitter != 0) & ~np.isnan(duration)
    if len(packets) < 2 or not may.any():
        return duration
    together = may[1:] & may[:-1] & (headers.transmitter[1:] == headers.transmitter[:-1])
    together &= mode[1:] == mode[:-1]
    gap_s = np.diff(time_s)
    together &= (gap_s >= 0) & (gap_s < np.minimum(duration[1:], duration[:-1]) + _SIFS_LOW_S)
    if not together.any():
        return duration
    starts = np.concatenate([[0], np.flatnonzero(~together) + 1])
    counts = np.diff(np.append(starts, len(packets)))
    many = counts > 1
    bytes_ = octets + -octets % 4 + _DELIMITER_BYTES
    total = np.add.reduceat(bytes_, starts)
    whole_s = modes.airtime_s(mode[starts], total, low_band[starts])
    shared = np.repeat(whole_s / total, counts) * bytes_
    return np.where(np.repeat(many, counts), shared, duration)


def hertz(channel_mhz: IntArray) -> FloatArray:
    return np.where(channel_mhz > 0, channel_mhz * 1e6, np.nan)


def listening(block: PacketBlock, heard: Reception, headers: Headers) -> Listening:
    """Runs of frames on one channel, in order of time."""
    packets = headers.rows[heard.channel_mhz[headers.rows] > 0]
    if not len(packets):
        return Listening.empty()
    time_s, channel = block.times_s[packets], heard.channel_mhz[packets]
    gaps = np.diff(time_s)
    if (gaps < 0).any():
        order = np.argsort(time_s, kind="stable")
        time_s, channel = time_s[order], channel[order]
        gaps = np.diff(time_s)
    breaks = np.flatnonzero((np.diff(channel) != 0) | (gaps > SHORT_SILENCE_S)) + 1
    first, last = np.concatenate([[0], breaks]), np.concatenate([breaks, [len(channel)]]) - 1
    unknown = np.full(len(first), np.nan)
    return Listening(
        time_s[first], time_s[last], hertz(channel[first]), np.zeros(len(first), np.int64), unknown
    )
