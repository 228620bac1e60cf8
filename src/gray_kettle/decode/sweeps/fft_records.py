"""FFT sample records of Wi-Fi cards, as Linux drivers hand them out: type, length, and what the type says.

Source: the Linux kernel's public header drivers/net/wireless/ath/spectral_common.h, with the scaling that it and the
drivers document: the noise floor plus the signal strength over it is the power of all bins together, and each bin has
its part of that by the square of its magnitude.
"""

from collections.abc import Callable, Generator, Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gray_kettle.decode.errors import DecodeError
from gray_kettle.decode.sweeps.number_parsing import Levels
from gray_kettle.decode.sweeps.segment_stitch import Joiner, Part
from gray_kettle.model.enums import Detector
from gray_kettle.model.records import Piece, Span, SweepRows

_BLOCK_BYTES = 8 << 20
_HEADER = 3
_HT20, _HT20_40, _SEGMENT, _SEGMENT_NEXT = 1, 2, 3, 4
_HT_BIN_HZ = 312_500.0
_ABOVE = 3  # channel type: the second half lies above the first
_FIELDS = {
    _HT20: [
        ("max_exp", "u1"), ("freq", ">u2"), ("rssi", "i1"), ("noise", "i1"), ("max_magnitude", ">u2"),
        ("max_index", "u1"), ("bitmap_weight", "u1"), ("tsf", ">u8"),
    ],
    _HT20_40: [
        ("channel_type", "u1"), ("freq", ">u2"), ("rssi", "i1"), ("upper_rssi", "i1"), ("tsf", ">u8"),
        ("noise", "i1"), ("upper_noise", "i1"), ("max_magnitude", ">u2"), ("upper_max_magnitude", ">u2"),
        ("max_index", "u1"), ("upper_max_index", "u1"), ("bitmap_weight", "u1"), ("upper_bitmap_weight", "u1"),
        ("max_exp", "u1"),
    ],
    _SEGMENT: [
        ("width_mhz", "u1"), ("freq", ">u2"), ("freq2", ">u2"), ("noise", ">i2"), ("max_magnitude", ">u2"),
        ("total_gain_db", ">u2"), ("base_pwr_db", ">u2"), ("tsf", ">u8"), ("max_index", "i1"), ("rssi", "u1"),
        ("relpwr_db", "u1"), ("avgpwr_db", "u1"), ("max_exp", "u1"),
    ],
    _SEGMENT_NEXT: [
        ("width_mhz", "u1"), ("max_index", "i1"), ("max_exp", "u1"), ("freq", ">u2"), ("freq2", ">u2"),
        ("max_magnitude", ">u2"), ("rssi", ">i2"), ("tsf", ">u4"), ("noise", ">i4"),
    ],
}  # fmt: skip
_HT_BINS = {_HT20: 56, _HT20_40: 128}
_SEGMENT_BINS = (16, 32, 64, 128, 256, 512)
# A bin of no magnitude is taken for half of the smallest that a card reports.
_DB_OF_MAGNITUDE = (20 * np.log10(np.maximum(np.arange(256), 0.5))).astype(np.float32)

ReadInto = Callable[[NDArray[np.uint8]], int]


@dataclass(frozen=True)
class _Form:
    """Records of one type and length."""

    kind: int
    bins: int

    @property
    def dtype(self) -> np.dtype[np.void]:
        return np.dtype(
            [("type", "u1"), ("length", ">u2"), *_FIELDS[self.kind], ("bins", "u1", (self.bins,))]
        )


def _form(kind: int, length: int) -> _Form | None:
    """The form of a record; None where no record is like that."""
    if kind not in _FIELDS:
        return None
    bins = length + _HEADER - np.dtype([("head", "V3"), *_FIELDS[kind]]).itemsize
    known = bins == _HT_BINS[kind] if kind in _HT_BINS else bins in _SEGMENT_BINS
    return _Form(kind, bins) if known else None


def fits(head: bytes) -> bool:
    """It begins with a whole record, and, where it goes on, with another."""
    form = _form_at(head, 0)
    if form is None or len(head) < form.dtype.itemsize:
        return False
    size = form.dtype.itemsize
    return len(head) < size + _HEADER or _form_at(head, size) is not None


def _form_at(octets: bytes, at: int) -> _Form | None:
    if at + _HEADER > len(octets):
        return None
    return _form(octets[at], int.from_bytes(octets[at + 1 : at + _HEADER]))


class RecordReader:
    """Reads records. written_s: when the file was written; the records report only the card's own microseconds."""

    def __init__(self, written_s: float) -> None:
        self._written_s = written_s
        self._joiner = Joiner(Span(0, 1, 0, detector=Detector.SAMPLE, instrument="Wi-Fi card"))
        self._first_us: int | None = None
        self._last_us = 0
        self._turned_us = 0
        self._left_out = 0
        self._told_left_out = 0
        self.notes: list[str] = []

    def pieces(self, readinto: ReadInto) -> Generator[Piece]:
        """Raises: DecodeError, where the input cannot be read on or is no record."""
        try:
            yield from self._blocks(readinto)
        except DecodeError:
            yield self._piece(list(self._joiner.flush()))
            raise
        finally:
            self.notes += self._remarks()
        yield self._piece(list(self._joiner.flush()))

    def _blocks(self, readinto: ReadInto) -> Generator[Piece]:
        rest, at_byte = b"", 0
        room = np.empty(_BLOCK_BYTES, np.uint8)
        while count := readinto(room):
            block = rest + room[:count].tobytes()
            used = 0
            while used < len(block):
                form = _form_at(block, used)
                if form is None and len(block) - used >= _HEADER:
                    raise DecodeError("No record of a known type begins here", at_byte + used)
                size = form.dtype.itemsize if form else _HEADER
                if form is None or len(block) - used < size:
                    break
                group_rows = _alike(block, used, form)
                yield self._piece(list(self._rows(form, np.frombuffer(block, form.dtype, group_rows, used))))
                used += group_rows * size
            rest, at_byte = block[used:], at_byte + used
        if rest:
            raise DecodeError("The last record is cut short", at_byte)

    def _remarks(self) -> list[str]:
        out = [
            "The records hold no time of day: the first one is assumed to be of the time when the file was written."
        ]
        if self._left_out:
            out.append(f"{self._left_out:,} records were empty and were skipped.")
        return out

    def _piece(self, found: list[SweepRows]) -> Piece:
        skipped = self._left_out - self._told_left_out
        self._told_left_out = self._left_out
        return Piece(sweeps=tuple(found), records=sum(len(r) for r in found), skipped=skipped)

    def _rows(self, form: _Form, records: NDArray[np.void]) -> Iterator[SweepRows]:
        time_s = self._time_s(records["tsf"].astype(np.int64), 32 if form.kind == _SEGMENT_NEXT else 64)
        start_hz, step_hz, levels = _levels(form, records)
        reported = np.isfinite(levels).any(axis=1)
        self._left_out += int((~reported).sum())
        kept = np.flatnonzero(reported)
        cuts = np.flatnonzero(np.diff(start_hz[kept])) + 1
        for chosen in np.split(kept, cuts):
            if not len(chosen):
                continue
            first = Part(float(time_s[chosen[0]]), float(start_hz[chosen[0]]), step_hz, levels[chosen[0]])
            span = self._joiner.settled(first.key)
            if span is not None:
                yield from self._joiner.through(span, time_s[chosen], levels[chosen])
                continue
            for k in chosen:
                yield from self._joiner.add(Part(float(time_s[k]), float(start_hz[k]), step_hz, levels[k]))

    def _time_s(self, tsf_us: NDArray[np.int64], bits: int) -> NDArray[np.float64]:
        """Seconds since the epoch: the card's clock, set so that the first record stands at its beginning."""
        steps = np.diff(tsf_us, prepend=self._last_us if self._first_us is not None else tsf_us[0])
        if bits == 32:
            steps = np.where(steps < -(1 << 31), steps + (1 << 32), steps)
        # A clock that jumps (the card was reset) goes on where it was.
        steps = np.where((steps < 0) | (steps > 3_600_000_000), 0, steps)
        whole = self._turned_us + np.cumsum(steps)
        self._first_us, self._last_us, self._turned_us = 0, int(tsf_us[-1]), int(whole[-1])
        return np.asarray(self._written_s + whole / 1e6)


def _alike(block: bytes, at: int, form: _Form) -> int:
    """How many records of one form follow each other."""
    size = form.dtype.itemsize
    most = (len(block) - at) // size
    heads = np.frombuffer(block, np.uint8, most * size, at).reshape(most, size)[:, :_HEADER]
    other = np.flatnonzero((heads != heads[0]).any(axis=1))
    return int(other[0]) if len(other) else most


def _levels(form: _Form, records: NDArray[np.void]) -> tuple[NDArray[np.float64], float, Levels]:
    """(centre of the first bin of each record, step, levels): shapes (records,), (), (records, bins)."""
    magnitude = records["bins"]  # the exponent is common to all bins of a record, and falls out
    freq_hz = records["freq"].astype(np.float64) * 1e6
    if form.kind == _HT20:
        levels = _scaled(magnitude, records["noise"], records["rssi"])
        return freq_hz - (form.bins - 1) / 2 * _HT_BIN_HZ, _HT_BIN_HZ, levels
    if form.kind == _HT20_40:
        half = form.bins // 2
        lower = _scaled(magnitude[:, :half], records["noise"], records["rssi"])
        upper = _scaled(magnitude[:, half:], records["upper_noise"], records["upper_rssi"])
        centre_hz = freq_hz + np.where(records["channel_type"] == _ABOVE, 10e6, -10e6)
        levels = np.concatenate([lower, upper], axis=1)
        return centre_hz - (form.bins - 1) / 2 * _HT_BIN_HZ, _HT_BIN_HZ, levels
    width_hz = float(records["width_mhz"][0]) * 1e6
    step_hz = max(width_hz, 1e6) / form.bins
    return (
        freq_hz - (form.bins - 1) / 2 * step_hz,
        step_hz,
        _scaled(magnitude, records["noise"], records["rssi"]),
    )


def _scaled(
    magnitude: NDArray[np.uint8], noise_dbm: NDArray[np.generic], rssi_db: NDArray[np.generic]
) -> Levels:
    """Level of each bin: noise + rssi + 20 log(magnitude) − 10 log(sum of squared magnitudes), in dBm."""
    whole = magnitude.astype(np.float32)
    power = np.einsum("ij,ij->i", whole, whole)
    with np.errstate(divide="ignore"):
        together = noise_dbm.astype(np.float32) + rssi_db.astype(np.float32) - 10 * np.log10(power)
    together[power == 0] = np.nan
    return np.asarray(_DB_OF_MAGNITUDE[magnitude] + together[:, None])
