"""Every way in which a frame can be sent, as one number: kind, rate, width, streams, guard interval.

Frames come by the million and modes by the dozen, so what a mode means stands in tables that its number points
into. The numbers are kept in case files: they may grow, and never change.

    bits 16-18  kind: 1 DSSS or OFDM (before 802.11n), 2 HT, 3 VHT, 4 HE, 5 EHT; 0 with all else 0: not reported
    kind 1      bits 0-7 rate in 500 kb/s, 8 short preamble
    kinds 2-5   bits 0-3 scheme, 4-6 streams - 1, 7-10 width code, 11-12 guard interval (0.8, 1.6, 3.2 µs; short
                and long in HT and VHT: 0.4, 0.8), 13-14 training symbols (1×, 2×, 4×), 15 dual carrier or greenfield

Source: IEEE Std 802.11-2020 15.2, 16.2 (DSSS), 17.4.3 (OFDM), 19.4.3 (HT), 21.4.3 (VHT), 802.11ax-2021 27.4.3
(HE), 802.11be-2024 36.4 (EHT); docs/radio-model.md, "Airtime".
"""

import math
from dataclasses import dataclass
from functools import cache

import numpy as np
from numpy.typing import ArrayLike, NDArray

from gray_kettle.phy.rates import BITS, CODING

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]

UNTOLD = 0
LEGACY, HT, VHT, HE, EHT = 1, 2, 3, 4, 5
GENERATIONS = {LEGACY: "", HT: "n", VHT: "ac", HE: "ax", EHT: "be"}
# Width codes: whole channels first, then parts of one (resource units), as (MHz, data tones before HE, from HE on).
WIDTHS = (
    (20, 52, 234),
    (40, 108, 468),
    (80, 234, 980),
    (160, 468, 1960),
    (320, 0, 3920),
    (2, 0, 24),
    (4, 0, 48),
    (8, 0, 102),
    (20, 0, 234),
    (40, 0, 468),
    (80, 0, 980),
    (160, 0, 1960),
)
SHORT_GUARD, LONG_GUARD = 0, 1  # of HT and VHT
_COUNT = 6 << 16
_EXTENSION_S = 6e-6  # OFDM of any generation in 2.4 GHz
_SERVICE_AND_TAIL_BITS = 22
_DSSS_CODES = (2, 4, 11, 22)


def legacy_mode(rate_mbps: ArrayLike, short_preamble: ArrayLike = False) -> IntArray:
    """Modes of DSSS and OFDM rates; shapes broadcast."""
    code = np.asarray(np.asarray(rate_mbps, np.float64) * 2, np.int64)
    mode = (LEGACY << 16) | code & 0xFF | np.where(short_preamble, 0x100, 0)
    return np.where(code > 0, mode, UNTOLD)


def mode(
    kind: int,
    scheme: ArrayLike,
    streams: ArrayLike,
    width_code: ArrayLike = 0,
    guard: ArrayLike = 0,
    training: ArrayLike = 0,
    dual_carrier: ArrayLike = False,
) -> IntArray:
    """Modes of HT and later (HT schemes counted within a stream); UNTOLD where a part is out of its range."""
    parts = [np.asarray(p, np.int64) for p in (scheme, streams, width_code, guard, training)]
    scheme_, streams_, width_, guard_, training_ = parts
    number = (kind << 16) | scheme_ | (streams_ - 1) << 4 | width_ << 7 | guard_ << 11 | training_ << 13
    number = number | np.where(dual_carrier, 1 << 15, 0)
    top = {HT: 7, VHT: 9, HE: 11, EHT: 15}[kind]
    good = (scheme_ >= 0) & (scheme_ <= top) & (streams_ >= 1) & (streams_ <= 8)
    good &= (width_ < len(WIDTHS)) & (guard_ < 3) & (training_ < 3)
    return np.where(good, number, UNTOLD)


@dataclass(frozen=True, eq=False)
class ModeTable:
    """Columns over all mode numbers; NaN where a number means nothing."""

    rate_mbps: FloatArray
    preamble_s: FloatArray
    symbol_s: FloatArray
    bits_per_symbol: FloatArray
    grid_s: FloatArray  # the data part fills a whole number of these
    overhead_bits: FloatArray
    extended: NDArray[np.bool_]  # carries a signal extension in 2.4 GHz


@cache
def table() -> ModeTable:
    """What the modes mean."""
    columns = {name: np.full(_COUNT, np.nan) for name in ModeTable.__dataclass_fields__ if name != "extended"}
    numbers = np.arange(_COUNT)
    kind = numbers >> 16
    for rows, values in (
        (np.flatnonzero(kind == LEGACY), _legacy),
        *((np.flatnonzero(kind == k), _later) for k in (HT, VHT, HE, EHT)),
    ):
        for name, column in values(numbers[rows]).items():
            columns[name][rows] = column
    dsss = (kind == LEGACY) & np.isin(numbers & 0xFF, _DSSS_CODES)
    rate = np.round(columns["bits_per_symbol"] / columns["symbol_s"] / 1e6, 6)
    return ModeTable(rate_mbps=rate, extended=~dsss, **{k: v for k, v in columns.items() if k != "rate_mbps"})


def airtime_s(modes: IntArray, octets: ArrayLike, in_2_4_ghz: ArrayLike = False) -> FloatArray:
    """Duration of frames on the air, FCS included in octets; NaN where the mode reports none."""
    t = table()
    bits = 8 * np.asarray(octets, np.float64) + t.overhead_bits[modes]
    data_s = np.ceil(bits / t.bits_per_symbol[modes]) * t.symbol_s[modes]
    grid_s = t.grid_s[modes]
    # A millionth of a step less: quotients of binary fractions lie a trifle beside whole numbers.
    data_s = np.ceil(data_s / grid_s - 1e-6) * grid_s
    return (
        t.preamble_s[modes] + data_s + np.where(t.extended[modes] & np.asarray(in_2_4_ghz), _EXTENSION_S, 0.0)
    )


@dataclass(frozen=True)
class ModeWords:
    """How one frame was sent. mcs, guard_us: None for DSSS and OFDM. modulation: "BPSK", "64-QAM", "DSSS", "CCK"."""

    generation: str
    rate_mbps: float
    modulation: str
    coding: str
    mcs: int | None
    streams: int
    width_mhz: int
    guard_us: float | None

    def __str__(self) -> str:
        parts = [f"{self.rate_mbps:.4g} Mb/s"]
        if self.mcs is not None:
            parts.append(f"802.11{self.generation} MCS {self.mcs}")
        coding = f" {self.coding}" if self.coding else ""
        streams = f"{self.streams} stream{'s' if self.streams > 1 else ''}"
        parts += [f"{self.modulation}{coding}", f"{self.width_mhz} MHz", streams]
        if self.guard_us is not None:
            parts.append(f"guard interval {self.guard_us:g} µs")
        return ", ".join(parts)


_BY_BITS = {1: "BPSK", 2: "QPSK", 4: "16-QAM", 6: "64-QAM", 8: "256-QAM", 10: "1024-QAM", 12: "4096-QAM"}
_CODED = {1 / 2: "1/2", 2 / 3: "2/3", 3 / 4: "3/4", 5 / 6: "5/6"}
_DSSS = {2: ("DBPSK", ""), 4: ("DQPSK", ""), 11: ("CCK", ""), 22: ("CCK", "")}  # by rate in 500 kb/s
_OFDM = {
    12: ("BPSK", "1/2"), 18: ("BPSK", "3/4"), 24: ("QPSK", "1/2"), 36: ("QPSK", "3/4"),
    48: ("16-QAM", "1/2"), 72: ("16-QAM", "3/4"), 96: ("64-QAM", "2/3"), 108: ("64-QAM", "3/4"),
}  # fmt: skip


def words(number: int) -> ModeWords | None:
    """What a mode means; None for one that was not reported or means nothing."""
    rate = float(table().rate_mbps[number]) if 0 < number < _COUNT else math.nan
    if math.isnan(rate):
        return None
    kind, scheme = number >> 16, number & 15
    if kind == LEGACY:
        code = number & 0xFF
        modulation, coding = {**_DSSS, **_OFDM}.get(code, ("unknown", ""))
        return ModeWords("", rate, modulation, coding, None, 1, 22 if code in _DSSS else 20, None)
    guard = number >> 11 & 3
    guard_us = (0.8, 1.6, 3.2)[guard] if kind in (HE, EHT) else (0.4 if guard == SHORT_GUARD else 0.8)
    robust = scheme >= len(BITS)  # EHT 14 and 15: BPSK, sent over again
    modulation = "BPSK" if robust else _BY_BITS[int(BITS[scheme])]
    coding = "1/2" if robust else _CODED[float(CODING[scheme])]
    streams, width_mhz = (number >> 4 & 7) + 1, WIDTHS[number >> 7 & 15][0]
    return ModeWords(GENERATIONS[kind], rate, modulation, coding, scheme, streams, width_mhz, guard_us)


def generation_of(number: int) -> str:
    """ "n", "ac", "ax", "be"; "" for DSSS and OFDM rates and for modes that were not reported."""
    return GENERATIONS.get(number >> 16, "")


def _legacy(numbers: IntArray) -> dict[str, FloatArray]:
    rate_mbps = np.where(numbers & 0xFF, (numbers & 0xFF) / 2, np.nan)
    dsss = np.isin(numbers & 0xFF, _DSSS_CODES)
    short = (numbers & 0x100 != 0) & (rate_mbps > 1)  # there is no short preamble at 1 Mb/s
    symbol_s = np.where(dsss, 1e-6, 4e-6)
    return {
        "preamble_s": np.where(dsss, np.where(short, 96e-6, 192e-6), 20e-6),
        "symbol_s": np.where(dsss, 1e-6 / rate_mbps, symbol_s),  # DSSS: as if each bit were a symbol
        "bits_per_symbol": np.where(dsss, 1.0, rate_mbps * 4),
        "grid_s": np.where(dsss, 1e-6 / rate_mbps, 4e-6),
        "overhead_bits": np.where(dsss, 0.0, _SERVICE_AND_TAIL_BITS),
    }


def _later(numbers: IntArray) -> dict[str, FloatArray]:
    """One kind at a time: HT, VHT, HE or EHT."""
    kind = int(numbers[0]) >> 16
    scheme, streams = numbers & 15, (numbers >> 4 & 7) + 1
    guard, training = numbers >> 11 & 3, numbers >> 13 & 3
    flagged = numbers >> 15 & 1 == 1
    since_he = kind in (HE, EHT)
    tones = np.array([row[2 if since_he else 1] for row in WIDTHS] + [0] * 4, np.float64)
    bits = np.where(tones, tones, np.nan)[numbers >> 7 & 15] * _bits_of_scheme(scheme) * streams
    long_training = np.array([0, 1, 2, 4, 4, 6, 6, 8, 8])[streams]
    if since_he:
        guard_s = np.array([0.8, 1.6, 3.2, np.nan])[guard] * 1e-6
        bits = np.where(flagged, bits / 2, bits)
        symbol_s = 12.8e-6 + guard_s
        training_s = np.array([3.2, 6.4, 12.8, np.nan])[training] * 1e-6 + guard_s
        # L-STF, L-LTF, L-SIG 20, repeated L-SIG 4, SIG-A (or U-SIG) 8, STF 4; EHT adds EHT-SIG, 4 at the least.
        preamble_s = (40e-6 if kind == EHT else 36e-6) + long_training * training_s
        grid_s = symbol_s
    else:
        symbol_s = np.where(guard == SHORT_GUARD, 3.6e-6, 4e-6)
        # L-STF, L-LTF, L-SIG 20, SIG 8, STF 4, and SIG-B 4 of VHT; greenfield HT begins with its own fields.
        mixed_s = 32e-6 + long_training * 4e-6 + (4e-6 if kind == VHT else 0)
        preamble_s = np.where(flagged, 24e-6 + (long_training - 1) * 4e-6, mixed_s)
        grid_s = np.full(len(numbers), 4e-6)
    return {
        "preamble_s": preamble_s,
        "symbol_s": symbol_s,
        "bits_per_symbol": bits,
        "grid_s": grid_s,
        "overhead_bits": np.full(len(numbers), float(_SERVICE_AND_TAIL_BITS)),
    }


def _bits_of_scheme(scheme: IntArray) -> FloatArray:
    """Bits a tone and stream carries; EHT schemes 14 and 15 send BPSK 1/2 four and two times over."""
    return np.concatenate([BITS * CODING, [0.125, 0.25]])[scheme]
