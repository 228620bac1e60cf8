"""Files that somebody sent: the kind is told by the content, never by the name."""

from collections.abc import Iterator
from hashlib import blake2b
from pathlib import Path
from typing import Protocol

from gray_kettle.decode.containers import is_capture, iter_pcap, iter_pcapng
from gray_kettle.decode.errors import DecodeError
from gray_kettle.decode.frames import LINKS, CaptureReader
from gray_kettle.decode.iw_scan import IwScanReader, is_listing
from gray_kettle.errors import KettleError
from gray_kettle.records import Piece
from gray_kettle.safe_text import printable

_HEAD_BYTES = 64 << 10
WHAT_IS_READ = "pcap and pcapng captures with radiotap or bare 802.11 frames, and the text of `iw dev … scan`"


class Source(Protocol):
    """What `take` reads from. notes are complete once the pieces are through."""

    name: str
    kind: str
    size_bytes: int
    digest: str
    notes: list[str]

    def pieces(self) -> Iterator[Piece]:
        """Decoded pieces in order. Damage ends the stream with a note; what came before it is kept."""
        ...


def open_file(path: Path) -> Source:
    """The source for a file. Raises: KettleError, when nothing in it can be read."""
    name = printable(path.name)
    if path.is_dir():
        raise KettleError(f"{name} is a folder: name the files in it.")
    try:
        with path.open("rb") as file:
            head = file.read(_HEAD_BYTES)
        size = path.stat().st_size
    except OSError as error:
        raise KettleError(f"{name} cannot be read: {error.strerror}.") from error
    if not head:
        raise KettleError(f"{name} is empty: ask for it again.")
    container = is_capture(head)
    if container:
        return CaptureFile(path, name, container, size)
    if is_listing(head):
        return ScanListing(path, name, size)
    raise KettleError(f"{name} is of a kind that is not known here. What can be read: {WHAT_IS_READ}.")


class CaptureFile:
    """A pcap or pcapng file."""

    def __init__(self, path: Path, name: str, kind: str, size_bytes: int) -> None:
        self.path, self.name, self.kind, self.size_bytes = path, name, kind, size_bytes
        self.digest = _digest(path)
        self.notes: list[str] = []

    def pieces(self) -> Iterator[Piece]:
        reader = CaptureReader()
        walk = iter_pcap if self.kind == "pcap" else iter_pcapng
        with self.path.open("rb") as file:
            try:
                for block in walk(file):
                    yield reader.piece(block)
            except DecodeError as error:
                self.notes.append(f"{error}: what came before it was kept.")
        for link, count in reader.unknown_links.items():
            self.notes.append(
                f"{count:,} packets have link type {link}, which holds no 802.11 frames with radio "
                f"information: capture in monitor mode ({', '.join(LINKS.values())})."
            )
        if reader.unplaced:
            self.notes.append(f"{reader.unplaced:,} beacons tell no channel that exists; they were left out.")


class ScanListing:
    """Text of one or more scans."""

    kind = "iw scan"

    def __init__(self, path: Path, name: str, size_bytes: int) -> None:
        self.path, self.name, self.size_bytes = path, name, size_bytes
        self.digest = _digest(path)
        self.notes: list[str] = []

    def pieces(self) -> Iterator[Piece]:
        reader = IwScanReader(fallback_s=self.path.stat().st_mtime)
        yield from reader.pieces(self._blocks())
        self.notes += reader.notes

    def _blocks(self) -> Iterator[tuple[str, int]]:
        """Text from one BSS line to the next, with the bytes read so far."""
        lines: list[str] = []
        read = 0
        with self.path.open("rb") as file:
            for raw in file:
                read += len(raw)
                # Names may hold any bytes: keep them, decode their escapes later.
                line = raw.decode("utf-8", "surrogateescape")
                if line.startswith("BSS ") and lines:
                    yield "".join(lines), read
                    lines = []
                if len(lines) < _MOST_LINES:
                    lines.append(line[:_LONGEST_LINE])
        if lines:
            yield "".join(lines), read


_MOST_LINES = 2000  # of one BSS: more is not a listing
_LONGEST_LINE = 4096


def _digest(path: Path) -> str:
    digest = blake2b(digest_size=16)
    with path.open("rb") as file:
        while part := file.read(1 << 20):
            digest.update(part)
    return digest.hexdigest()
