"""Column layouts to bytes and back, and announcements to text and back."""

import json
import math
import re
import zlib
from dataclasses import asdict, fields
from typing import Any, TypeVar

import numpy as np
import zstandard
from pydantic import TypeAdapter

from gray_kettle.model.records import (
    LATEST_S,
    LONGEST_EXAMPLE,
    Announcement,
    ClientCapability,
    Columns,
    ExampleFrame,
    IntArray,
)
from gray_kettle.phy.channels import Channel

_WIDE = 8
_MOST_BYTES = 64 << 20  # unpacked, of one chunk: ours have far less
_MOST_COLUMNS, _MOST_DOCUMENT = 64, 1 << 20
_ANNOUNCEMENT, _CAPABILITY = TypeAdapter(Announcement), TypeAdapter(ClientCapability)
_EXAMPLE = TypeAdapter(ExampleFrame)
# What unpacking of something that is not ours may end in.
UNREADABLE = (
    ValueError, TypeError, KeyError, AttributeError, IndexError, OverflowError, RecursionError,
    zlib.error, zstandard.ZstdError,
)  # fmt: skip
_ZLIB = b"\x78"  # how chunks of the first version begin
Table = TypeVar("Table", bound=Columns)


def pack(table: Columns) -> tuple[str, bytes]:
    """(names and types of the columns, packed bytes). Same columns, same bytes."""
    names, parts = [], []
    for column in fields(table):
        values = np.ascontiguousarray(getattr(table, column.name))
        names.append(f"{column.name}:{values.dtype.str}")
        # Bytes of equal weight side by side: neighbouring rows differ little, and pack far better so.
        parts.append(values.view(np.uint8).reshape(len(values), -1).T.tobytes())
    return ",".join(names), zstandard.compress(b"".join(parts), 1)


def unpack(layout: type[Table], names: str, rows: int, payload: bytes) -> Table:
    """The table that was packed. Raises: UNREADABLE, for what was not packed by `pack`.

    Columns that this version does not know are ignored; those that it did not know yet are 0 or NaN.
    """
    kinds = [(name, np.dtype(kind)) for name, _, kind in (n.partition(":") for n in names.split(","))]
    if len(kinds) > _MOST_COLUMNS or rows < 0:
        raise ValueError("a chunk with too many columns")
    raw = unpacked(payload, rows * sum(dtype.itemsize for _, dtype in kinds))
    found, at = {}, 0
    for name, dtype in kinds:
        size = rows * dtype.itemsize
        octets = np.frombuffer(raw, np.uint8, size, at).reshape(dtype.itemsize, rows)
        found[name] = octets.T.copy(order="C").view(dtype).reshape(rows)
        at += size
    for column in fields(layout):
        if column.name not in found:
            found[column.name] = (
                np.zeros(rows, np.int64) if column.type == IntArray else np.full(rows, np.nan)
            )
    return layout(*(found[column.name] for column in fields(layout)))


def unpacked(payload: bytes, size: int) -> bytes:
    """What was packed, which has this size. Raises: UNREADABLE, and ValueError for any other or too large a size."""
    if size > _MOST_BYTES:
        raise ValueError("a chunk that claims to become too large")
    if payload[:1] == _ZLIB:
        raw = zlib.decompressobj().decompress(payload, size + 1)
    else:
        if zstandard.frame_content_size(payload) != size:
            raise ValueError("a chunk that does not become what it should")
        raw = zstandard.decompress(payload, max_output_size=size)
    if len(raw) != size:
        raise ValueError("a chunk that does not become what it should")
    return raw


def announcement_text(announcement: Announcement) -> str:
    """One text for equal announcements: what the case compares and keeps."""
    document = dict(vars(announcement))  # not asdict: it copies all that is in it, for thousands at once
    document["channel"] = {n: v for n, v in vars(announcement.channel).items() if n != "is_width_known"}
    document["width_told"] = document.pop("width_advertised")  # the name in the file format
    document["ssid"] = announcement.ssid.hex()
    return json.dumps(document, sort_keys=True)


def capability_text(capability: ClientCapability) -> str:
    """One text for equal abilities: what the case compares and keeps."""
    document = asdict(capability)
    document["ssid"] = capability.ssid.hex()
    return json.dumps(document, sort_keys=True)


def capability_from(text: str) -> ClientCapability:
    """The ability that a text was made from. Raises: UNREADABLE."""
    document: dict[str, Any] = json.loads(text[:_MOST_DOCUMENT])
    document["ssid"] = bytes.fromhex(document["ssid"])
    document["channels"] = tuple((band, number) for band, number in document["channels"])
    document["roaming"] = tuple(document["roaming"])
    return _CAPABILITY.validate_python(document)


def announcement_from(text: str) -> Announcement:
    """The announcement that a text was made from. Raises: UNREADABLE."""
    document: dict[str, Any] = json.loads(text[:_MOST_DOCUMENT])
    document["ssid"] = bytes.fromhex(document["ssid"])
    document["channel"] = Channel(**document["channel"])
    document["width_advertised"] = document.pop("width_told", True)
    document["basic_rates_mbps"] = tuple(document["basic_rates_mbps"])
    document["roaming"] = tuple(document.get("roaming", ()))
    document["neighbours"] = tuple((b, band, n) for b, band, n in document.get("neighbours", ()))
    return _ANNOUNCEMENT.validate_python(document)


def example_text(frame: ExampleFrame) -> str:
    """An example frame as text."""
    return json.dumps({**vars(frame), "radio_header": frame.radio_header.hex(), "frame": frame.frame.hex()})


def example_from(text: str) -> ExampleFrame:
    """The frame that a text was made from. Raises: UNREADABLE."""
    document: dict[str, Any] = json.loads(text[:_MOST_DOCUMENT])
    document["radio_header"] = bytes.fromhex(document["radio_header"])
    document["frame"] = bytes.fromhex(document["frame"])
    found = _EXAMPLE.validate_python(document)
    is_possible = 0 <= found.time_s < LATEST_S and 10 <= len(found.frame) <= LONGEST_EXAMPLE
    is_possible = is_possible and 0 <= found.kind < 64 and len(found.radio_header) <= LONGEST_EXAMPLE
    # Who wrote it may be anybody: the address is shown, and must be one.
    if not is_possible or re.fullmatch(r"(?:(?:[0-9a-f]{2}:){5}[0-9a-f]{2})?", found.bssid) is None:
        raise ValueError("an impossible frame")
    return found


def pack_arrays(arrays: dict[str, np.ndarray[Any, Any]]) -> bytes:
    """Named arrays of any shape as one run of bytes: a line that describes them, then their packed content."""
    known, parts = [], []
    for name, values in arrays.items():
        known.append(f"{name}:{values.dtype.str}:{'x'.join(str(n) for n in values.shape)}")
        octets = np.ascontiguousarray(values).view(np.uint8)
        if values.dtype.itemsize == _WIDE:  # bytes of equal weight side by side
            octets = octets.reshape(-1, values.dtype.itemsize).T
        parts.append(octets.tobytes())
    return ",".join(known).encode() + b"\n" + zstandard.compress(b"".join(parts), 1)


def unpack_arrays(packed: bytes) -> dict[str, np.ndarray[Any, Any]]:
    """The arrays that were packed. Read only where their elements are narrow. Raises: UNREADABLE."""
    line, _, payload = packed.partition(b"\n")
    known = []
    for word in line.decode().split(","):
        name, kind, shape_text = word.split(":")
        known.append((name, np.dtype(kind), tuple(int(n) for n in shape_text.split("x"))))
    sizes = [dtype.itemsize * math.prod(shape) for _, dtype, shape in known]
    if len(known) > _MOST_COLUMNS or min(min(shape, default=0) for _, _, shape in known) < 0:
        raise ValueError("arrays of an impossible shape")
    raw, at, out = unpacked(payload, sum(sizes)), 0, {}
    for (name, dtype, shape), size in zip(known, sizes, strict=True):
        octets = np.frombuffer(raw, np.uint8, size, at)
        at += size
        if dtype.itemsize == _WIDE:
            octets = octets.reshape(dtype.itemsize, -1).T.copy(order="C")
        out[name] = octets.view(dtype).reshape(shape)
    return out
