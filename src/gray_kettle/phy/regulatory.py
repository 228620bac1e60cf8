"""The kernel's regulatory database: what each country permits, as kept on this machine.

Source: the binary format that the Linux kernel reads (net/wireless/reg.c: fwdb_header, fwdb_country,
fwdb_collection, fwdb_rule), all numbers big-endian, pointers in units of four bytes.
"""

import os
import struct
from dataclasses import dataclass
from functools import cache
from pathlib import Path

_PLACES = ("/lib/firmware/regulatory.db", "/usr/lib/firmware/regulatory.db")
_PLACE_VARIABLE = "GRAY_KETTLE_REGULATORY_DB"  # another file, or a word that is none to do without
_MAGIC, _VERSION = 0x52474442, 20
_HEADER, _COUNTRY, _RULE = struct.Struct(">II"), struct.Struct(">2sH"), struct.Struct(">BBHIII")
_INDOOR, _RADAR, _LISTEN_ONLY, _JOINS = 1 << 1, 1 << 2, 1 << 3, 1 << 4
_WATCH_LENGTH = 18  # from this length on a rule states the time of the radar check


@dataclass(frozen=True)
class Stretch:
    """An interval of spectrum under one rule. listen_only: not for who sends first. joins: with its neighbours."""

    low_hz: float
    high_hz: float
    widest_hz: float
    eirp_dbm: float
    indoor: bool
    radar: bool
    listen_only: bool
    joins: bool
    watch_s: float


def parse(raw: bytes) -> dict[str, tuple[Stretch, ...]]:
    """Stretches by country. Raises: ValueError, where it is no such database or cut short."""
    try:
        magic, version = _HEADER.unpack_from(raw, 0)
        if (magic, version) != (_MAGIC, _VERSION):
            raise ValueError("This is not a known regulatory database format.")
        out: dict[str, tuple[Stretch, ...]] = {}
        at = _HEADER.size
        while True:
            code, pointer = _COUNTRY.unpack_from(raw, at)
            if pointer == 0:
                return out
            if code.isalnum():
                out[code.decode("ascii")] = _collection(raw, 4 * pointer)
            at += _COUNTRY.size
    except (struct.error, IndexError) as error:
        raise ValueError(f"The regulatory database is cut short: {error}.") from error


def _collection(raw: bytes, at: int) -> tuple[Stretch, ...]:
    length, count = raw[at], raw[at + 1]
    first = at + (length + 1) // 2 * 2
    pointers = struct.unpack_from(f">{count}H", raw, first)
    return tuple(_stretch(raw, 4 * p) for p in pointers)


def _stretch(raw: bytes, at: int) -> Stretch:
    length, flags, eirp, low, high, widest = _RULE.unpack_from(raw, at)
    watch_s = 0.0
    if length >= _WATCH_LENGTH:
        watch_s = float(struct.unpack_from(">H", raw, at + _RULE.size)[0])
    return Stretch(
        low_hz=low * 1e3,
        high_hz=high * 1e3,
        widest_hz=widest * 1e3,
        eirp_dbm=eirp / 100,
        indoor=bool(flags & _INDOOR),
        radar=bool(flags & _RADAR),
        listen_only=bool(flags & _LISTEN_ONLY),
        joins=bool(flags & _JOINS),
        watch_s=watch_s,
    )


@cache
def of_this_machine() -> dict[str, tuple[Stretch, ...]]:
    """What the kernel of this machine keeps; empty where there is none, or none that can be read."""
    known = os.environ.get(_PLACE_VARIABLE)
    for place in (known,) if known is not None else _PLACES:
        try:
            return parse(Path(place).read_bytes())
        except (OSError, ValueError):
            continue
    return {}
