"""What a probe sends: one piece of observations as one message; and back, with nothing of it trusted.

A message is a line of JSON (`Header`), then a body: JSON packed with zstandard. docs/formats.md, "Probes".
"""

import base64
import json
import re
from dataclasses import asdict, dataclass, fields, replace
from typing import Annotated, Any, TypeVar

import numpy as np
import zstandard
from pydantic import BaseModel, ConfigDict, Field, TypeAdapter, ValidationError

from gray_kettle.collect.possible_times import with_possible_times
from gray_kettle.errors import KettleError
from gray_kettle.model.records import Announcement, ClientCapability, Columns, Piece, Span, SweepRows
from gray_kettle.phy.channels import BANDS, numbers
from gray_kettle.safe_text import printable
from gray_kettle.spectrum.quantise import to_codes, to_dbm
from gray_kettle.store.packing import (
    UNREADABLE,
    announcement_from,
    announcement_text,
    capability_from,
    capability_text,
    example_from,
    example_text,
    pack,
    pack_arrays,
    unpack,
    unpack_arrays,
)

FORMAT = "gray-kettle/probe/1"
MOST_BYTES = 4 << 20  # of a message
_MOST_UNPACKED = 64 << 20
_MOST_ROWS, _MOST_LISTED, _MOST_TEXT = 100_000, 20_000, 200
_LARGEST_NUMBER = 2**53
_Record = TypeVar("_Record", Announcement, ClientCapability, Span)
_MAC = re.compile(r"([0-9a-f]{2}:){5}[0-9a-f]{2}")
_SPAN = TypeAdapter(Span)
_TABLES = {name: type(table) for name, table in vars(Piece()).items() if isinstance(table, Columns)}
# What the columns of any table can mean, by the end of their names; a row with anything else is left out.
_BOUNDS = {
    "announcement": (0, _MOST_LISTED), "frames": (0, 1e12), "beacons": (0, 1e12), "retries": (0, 1e12),
    "levels": (0, 1e12), "protected": (0, 1e12), "asleep": (0, 1e12), "retriable": (0, 1e12), "octets": (0, 1e15),
    "estimated": (0, 1), "is_end": (0, 1), "bssid": (0, 2**48), "transmitter": (0, 2**48), "station": (0, 2**48),
    "mode": (0, 6 << 16), "hz": (1e6, 1e11), "dbm": (-250, 150), "mw": (0, 1e6), "mbps": (0, 1e6),
    "load_utilisation": (0, 1), "load_stations": (0, 1e5), "s": (0, 1e10),
}  # fmt: skip


class Header(BaseModel):
    """Which message it is. queue: of the probe, for ever. number: within the queue, counted up from 1.

    first: number of the oldest that the queue still holds; what came before it was stored somewhere, or dropped.
    waiting: held behind this one. made_s: when it was made, by the probe's clock.
    """

    model_config = ConfigDict(extra="ignore", strict=True)
    format: str
    queue: Annotated[str, Field(pattern=r"^[0-9a-f]{32}$")]
    number: Annotated[int, Field(ge=1, le=_LARGEST_NUMBER)]
    first: Annotated[int, Field(ge=1, le=_LARGEST_NUMBER)]
    waiting: Annotated[int, Field(ge=0)] = 0
    made_s: Annotated[float, Field(ge=0, le=1e11)] = 0.0


@dataclass(frozen=True)
class Heard:
    """What a probe heard. source, kind: of the source that it was heard with, for people. spot: where it is."""

    source: str
    kind: str
    spot: str
    piece: Piece


class WireError(KettleError):
    """A message that is not one of ours, or that is damaged."""


def message(header: Header, body: bytes) -> bytes:
    return header.model_dump_json().encode() + b"\n" + body


def split(raw: bytes) -> tuple[Header, bytes]:
    """Header and body of a message. Raises: WireError."""
    line, newline, body = raw.partition(b"\n")
    try:
        header = Header.model_validate_json(line[: _MOST_TEXT * 5])
    except ValidationError as error:
        raise WireError("a message is none of a probe's") from error
    if header.format != FORMAT or not newline or len(raw) > MOST_BYTES:
        raise WireError(f"a message is of another format than {FORMAT}, or too large")
    return header, body


def body_of(heard: Heard) -> bytes:
    """The body of a message."""
    piece = heard.piece
    document = {
        "source": heard.source,
        "kind": heard.kind,
        "spot": heard.spot,
        "records": piece.records,
        "skipped": piece.skipped,
        "swept_bands": piece.swept_bands,
        "announcements": [announcement_text(a) for a in piece.announcements],
        "capabilities": [capability_text(c) for c in piece.capabilities],
        "examples": [example_text(e) for e in piece.examples],
        "tables": {name: _table(getattr(piece, name)) for name in _TABLES if len(getattr(piece, name))},
        "sweeps": [{"span": asdict(rows.span), "rows": _text(_arrays(rows))} for rows in piece.sweeps],
    }
    return zstandard.compress(json.dumps(document, separators=(",", ":")).encode(), 3)


def heard_from(body: bytes) -> Heard:
    """What a body says, made harmless. Rows that no receiver can have meant are counted as skipped.

    Raises: WireError, where it is damaged.
    """
    try:
        with zstandard.ZstdDecompressor().stream_reader(body[:MOST_BYTES]) as unpacking:
            raw = unpacking.read(_MOST_UNPACKED + 1)
        if len(raw) > _MOST_UNPACKED:
            raise ValueError("too large")
        return _heard(json.loads(raw))
    except UNREADABLE as error:
        raise WireError("a message is damaged") from error


def _heard(document: dict[str, Any]) -> Heard:
    announcements = tuple(_announcement(text) for text in document["announcements"][:_MOST_LISTED])
    found: dict[str, Any] = {
        "announcements": announcements,
        "capabilities": tuple(_capability(text) for text in document["capabilities"][:_MOST_LISTED]),
        "examples": tuple(example_from(text) for text in document.get("examples", [])[:_MOST_LISTED]),
        "sweeps": tuple(_sweep(part) for part in document["sweeps"][:_MOST_TEXT]),
        "swept_bands": tuple(band for band in BANDS if band in document["swept_bands"]),
        "records": _count(document["records"]),
        "skipped": _count(document["skipped"]),
    }
    for name, layout in _TABLES.items():
        if name in document["tables"]:
            found[name], lost = _rows(layout, document["tables"][name], len(announcements))
            found["skipped"] += lost
    piece, lost = with_possible_times(Piece(**found))
    piece = replace(piece, skipped=piece.skipped + lost)
    source, kind, spot = (printable(str(document[name]))[:_MOST_TEXT] for name in ("source", "kind", "spot"))
    return Heard(source, kind, spot, piece)


def _table(table: Columns) -> dict[str, Any]:
    columns, payload = pack(table)
    return {"columns": columns, "rows": len(table), "payload": _text(payload)}


def _rows(layout: type[Columns], document: dict[str, Any], announcements: int) -> tuple[Any, int]:
    """(the rows that can be meant, how many others there were)."""
    count = _count(document["rows"])
    if count > _MOST_ROWS:
        raise ValueError("too many rows")
    kinds = {column.partition(":")[2] for column in document["columns"].split(",")}
    if not kinds <= {"<f8", "<i8"}:
        raise ValueError("columns of an unknown type")
    table = unpack(layout, document["columns"], count, base64.b64decode(document["payload"]))
    is_meant = np.ones(count, np.bool_)
    for column in fields(table):
        values = getattr(table, column.name)
        if values.dtype != getattr(layout.empty(), column.name).dtype:
            raise ValueError("a column of another type")
        low, high = _BOUNDS.get(column.name) or _BOUNDS.get(column.name.rpartition("_")[2], (-np.inf, np.inf))
        is_meant &= np.isnan(values) | ((values >= low) & (values <= high))
    if hasattr(table, "announcement"):
        is_meant &= table.announcement < announcements
    chosen = table.rows(is_meant)
    for name in ("spot", "take"):
        if hasattr(chosen, name):
            getattr(chosen, name)[:] = 0
    return chosen, count - len(chosen)


def _announcement(text: str) -> Announcement:
    found = announcement_from(text)
    channel = found.channel
    if (
        channel.band not in BANDS
        or channel.primary not in numbers(channel.band)
        or not _MAC.fullmatch(found.bssid)
    ):
        raise ValueError("an announcement of no channel or address")
    _ = channel.parts  # raises for a centre that is none
    return _clean(found)


def _capability(text: str) -> ClientCapability:
    found = capability_from(text)
    if not _MAC.fullmatch(found.mac):
        raise ValueError("a client without an address")
    return _clean(found)


def _clean(record: _Record) -> _Record:
    """The same with every text harmless, those in lists too."""
    return replace(record, **{name: _clean_value(value) for name, value in vars(record).items()})


def _clean_value(value: Any) -> Any:
    if type(value) is str:  # not the members of enumerations
        return printable(value)[:_MOST_TEXT]
    if isinstance(value, tuple):
        return tuple(_clean_value(item) for item in value)
    return value


def _arrays(rows: SweepRows) -> bytes:
    arrays: dict[str, Any] = {
        "time_s": rows.time_s,
        "codes": to_codes(rows.levels_dbm.copy()) if rows.codes is None else rows.codes,
    }
    if rows.offset_s is not None:
        arrays["offset_s"] = rows.offset_s
    return pack_arrays(arrays)


def _sweep(document: dict[str, Any]) -> SweepRows:
    span = _SPAN.validate_python({**document["span"], "pieces": tuple(document["span"]["pieces"])})
    span = _clean(span)
    arrays = unpack_arrays(base64.b64decode(document["rows"]))
    time_s, codes, offset_s = arrays["time_s"], arrays["codes"], arrays.get("offset_s")
    count = len(time_s)
    fits = (
        codes.shape == (count, span.bins) and codes.dtype == np.uint8 and time_s.dtype == np.float64
        and time_s.ndim == 1 and 0 < count <= _MOST_ROWS and span.bins > 0
        and 1e6 <= span.start_hz <= 1e11 and 0 < span.step_hz <= 1e9 and span.end_hz <= 1e11
        and 0 <= span.sweep_s <= 1e4 and 0 <= span.rbw_hz <= 1e9 and 1 <= span.averages <= 1e9
        and span.pieces[0] == 0 and list(span.pieces) == sorted(set(span.pieces)) and span.pieces[-1] < span.bins
        and (offset_s is None or (offset_s.shape == (count, len(span.pieces)) and offset_s.dtype == np.float32))
    )  # fmt: skip
    if not fits:
        raise ValueError("sweep rows that do not fit together")
    return SweepRows(span, time_s, to_dbm(codes), offset_s, codes)


def _count(value: Any) -> int:
    if not isinstance(value, int) or not 0 <= value <= _LARGEST_NUMBER:
        raise ValueError("a count that is none")
    return value


def _text(raw: bytes) -> str:
    return base64.b64encode(raw).decode()
