"""Files that somebody sent: the kind is recognised by the content, never by the name."""

from collections.abc import Callable, Generator, Iterator
from contextlib import closing
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Protocol

import numpy as np

from gray_kettle.collect.input_stream import InputStream
from gray_kettle.collect.prefetch import ahead
from gray_kettle.decode import nl80211, scan_text
from gray_kettle.decode.capture import CaptureReader
from gray_kettle.decode.capture_files import capture_kind, iter_pcap, iter_pcapng
from gray_kettle.decode.errors import DecodeError
from gray_kettle.decode.sweeps import fft_records, sigmf, table
from gray_kettle.decode.sweeps.column_layout import Layout, parse_layout
from gray_kettle.decode.sweeps.recognise import Recognised, described, read_as, recognise
from gray_kettle.errors import KettleError
from gray_kettle.model.records import Piece
from gray_kettle.spectrum.quantise import to_codes

WHAT_IS_READ = (
    "pcap and pcapng captures of 802.11 frames, netlink scan answers, the text of `iw` (scan, link, survey dump, "
    "station dump), `iwlist scan`, `nmcli dev wifi`, `wpa_cli scan_results`, `netsh wlan show networks mode=bssid` and "
    "`system_profiler SPAirPortDataType`, tables with a BSSID, a channel and a level, scan logs, sweep tables (their "
    "columns are recognised; --layout names them where that fails), the kernel's FFT sample records, and SigMF "
    "recordings by their .sigmf-meta"
)
_DESCRIPTION_BYTES = 1 << 20
# Of a stream: what came is stored at a pause; a listing is whole then. Lines that stand alone do not wait for one.
_PREVIEW_BYTES = 1 << 16
_PAUSE_S, _LONGEST_BURST_S = 0.7, 0.7


class Source(Protocol):
    """What `take` reads from. notes are complete once the pieces are through."""

    input_stream: InputStream
    kind: str
    notes: list[str]

    def pieces(self) -> Generator[Piece]:
        """Decoded pieces in order. Damage ends the stream with a note; what came before it is kept."""
        ...


@dataclass(frozen=True)
class SweepOptions:
    """How sweeps are to be read. layout: of a table without a header of ours. bin_hz, full_scale_dbm: of recordings;
    0 and None for the usual.
    """

    layout: str = ""
    bin_hz: float = 0.0
    full_scale_dbm: float | None = None


def open_file(
    path: Path, session: SweepOptions | None = None, is_cancelled: Callable[[], bool] = lambda: False
) -> Source:
    """The source for a file, a pipe, or standard input ("-"). is_cancelled: asked while a pipe is silent.

    Raises: KettleError, when nothing in it can be read; ValueError, for a layout that is none.
    """
    if path.suffix == ".sigmf-data":  # samples alone do not identify themselves
        path = path.with_suffix(".sigmf-meta")
    return _opened(InputStream(path, is_cancelled), session or SweepOptions())


def open_stream(
    descriptor: int,
    name: str,
    session: SweepOptions | None = None,
    is_cancelled: Callable[[], bool] = lambda: False,
) -> Source:
    """The same for what somebody else opened, and will close. Raises: KettleError, as above."""
    return _opened(InputStream(Path(name), is_cancelled, descriptor), session or SweepOptions())


def sweep_readings(path: Path, layout: str = "") -> tuple[tuple[str, str], ...] | None:
    """What the first rows of a table of sweeps can mean: (layout, the first row in words) each; () where the layout
    that was chosen does not fit. None for what is no table that needs a layout. Raises: KettleError, for no layout.
    """
    if not path.is_file():
        return None
    with path.open("rb") as file:
        head = file.read(_PREVIEW_BYTES)
    if (
        capture_kind(head)
        or table.fits(head)
        or sigmf.fits(head)
        or fft_records.fits(head)
        or scan_text.kind_of(head)
    ):
        return None
    known = read_as(head, parse_layout(layout)) if layout else recognise(head)
    if known is None:
        return () if layout else None
    return tuple(
        (shape.text, described(first, known.bins))
        for shape, first in zip(known.layouts, known.first, strict=True)
    )


def _opened(input_stream: InputStream, session: SweepOptions) -> Source:
    if session.layout:
        return SweepTable(input_stream, parse_layout(session.layout))
    source = _source_of(input_stream, session)
    if source is None:
        input_stream.close()
        raise KettleError(
            f"{input_stream.name} has an unknown format. Formats that can be read: {WHAT_IS_READ}."
        )
    return source


def _source_of(input_stream: InputStream, session: SweepOptions) -> Source | None:
    head = input_stream.head
    found: Source | None = None
    if container := capture_kind(head):
        found = CaptureFile(input_stream, container)
    elif table.fits(head):
        found = SweepTable(input_stream, None)
    elif sigmf.fits(head):
        found = Recording(input_stream, session)
    elif fft_records.fits(head):
        found = FftRecords(input_stream)
    elif listing := scan_text.kind_of(head):
        found = Listing(input_stream, listing)
    elif nl80211.order_of(head):
        found = NetlinkAnswers(input_stream)
    elif (known := recognise(head)) is not None:
        found = _recognised(input_stream, known)
    return found


def _recognised(input_stream: InputStream, known: Recognised) -> Source:
    """A table whose columns show. Raises: KettleError, where the content leaves open which they are."""
    if len(known.layouts) > 1:
        input_stream.close()
        choices = "; or ".join(
            f"--layout {layout.text} ({described(first, known.bins)})"
            for layout, first in zip(known.layouts, known.first, strict=True)
        )
        raise KettleError(
            f"{input_stream.name} holds sweeps whose columns can mean several things: {choices}."
        )
    table_source = SweepTable(input_stream, known.layouts[0])
    table_source.notes.append(
        f"Columns were recognised as {known.layouts[0].text}; the first row: "
        f"{described(known.first[0], known.bins)}."
    )
    return table_source


class CaptureFile:
    """A pcap or pcapng capture."""

    def __init__(self, input_stream: InputStream, kind: str) -> None:
        self.input_stream, self.kind = input_stream, kind
        self.notes: list[str] = []

    def pieces(self) -> Generator[Piece]:
        reader = CaptureReader()
        walk = iter_pcap if self.kind == "pcap" else iter_pcapng
        try:
            yield from reader.pieces(walk(self.input_stream))
        except DecodeError as error:
            self.notes.append(f"{error}: everything before it was kept.")
        self.notes += reader.notes()


def _coded(pieces: Iterator[Piece]) -> Iterator[Piece]:
    """Sweeps with their levels as the case keeps them: computed here, in the thread that decodes."""
    for piece in pieces:
        yield replace(piece, sweeps=tuple(replace(r, codes=to_codes(r.levels_dbm)) for r in piece.sweeps))


class SweepTable:
    """A table of levels: the own CSV, or any by its layout."""

    kind = "sweep table"

    def __init__(self, input_stream: InputStream, layout: Layout | None) -> None:
        self.input_stream = input_stream
        self.notes: list[str] = []
        self._layout = layout

    def pieces(self) -> Generator[Piece]:
        reader = table.TableReader(self._layout, is_live=self.input_stream.is_stream)
        try:
            yield from ahead(_coded(reader.pieces(self.input_stream.readinto)))
        except DecodeError as error:
            self.notes.append(f"{error}: everything before it was kept.")
        self.notes += reader.notes


class FftRecords:
    """What a Wi-Fi card's own spectral scan wrote, as the Linux kernel hands it out."""

    kind = "sweep records"

    def __init__(self, input_stream: InputStream) -> None:
        self.input_stream = input_stream
        self.notes: list[str] = []

    def pieces(self) -> Generator[Piece]:
        reader = fft_records.RecordReader(self.input_stream.written_s)
        try:
            yield from ahead(_coded(reader.pieces(self.input_stream.readinto)))
        except DecodeError as error:
            self.notes.append(f"{error}: everything before it was kept.")
        self.notes += reader.notes


class Recording:
    """An I/Q recording: its description reports where its samples lie, and those are what is taken."""

    kind = "sweep recording"

    def __init__(self, description: InputStream, session: "SweepOptions") -> None:
        """Raises: KettleError, when the description is damaged or its samples are not beside it."""
        room = np.empty(_DESCRIPTION_BYTES, np.uint8)
        with closing(description):
            text = b""
            while len(text) < _DESCRIPTION_BYTES and (count := description.readinto(room)):
                text += room[:count].tobytes()
        try:
            known = sigmf.describe(text, description.written_s)
        except ValueError as error:
            raise KettleError(f"{description.name}: {error}.") from error
        self.input_stream = InputStream(description.path.with_suffix(".sigmf-data"))
        self._reader = sigmf.RecordingReader(known, session.bin_hz, session.full_scale_dbm)
        self.notes: list[str] = []

    def pieces(self) -> Generator[Piece]:
        try:
            yield from ahead(_coded(self._reader.pieces(self.input_stream.readinto)))
        except DecodeError as error:
            self.notes.append(f"{error}: everything before it was kept.")
        self.notes += self._reader.notes


class NetlinkAnswers:
    """Messages of a netlink socket with the kernel's answers to scans."""

    kind = "netlink scan"

    def __init__(self, input_stream: InputStream) -> None:
        self.input_stream = input_stream
        self.notes: list[str] = []

    def pieces(self) -> Generator[Piece]:
        try:
            yield from nl80211.ScanAnswers().pieces(
                self.input_stream, self.input_stream.head, self.input_stream.written_s
            )
        except DecodeError as error:
            self.notes.append(f"{error}: everything before it was kept.")


class Listing:
    """Text that a program of an operating system printed."""

    def __init__(self, input_stream: InputStream, kind: str) -> None:
        self.input_stream, self.kind = input_stream, kind
        self.notes: list[str] = []

    def pieces(self) -> Generator[Piece]:
        reader = scan_text.reader_of(self.kind, self.input_stream.written_s)
        entry_of = None if self.kind in scan_text.LINE_BY_LINE else scan_text.entry_of
        try:
            for arrived_s, lines in self.input_stream.bursts(_PAUSE_S, _LONGEST_BURST_S, entry_of):
                if self.input_stream.is_stream:
                    reader.arrived(arrived_s)
                yield from reader.pieces(lines)
        except DecodeError as error:
            self.notes.append(f"{error}: everything before it was kept.")
        self.notes += dict.fromkeys(reader.notes)
