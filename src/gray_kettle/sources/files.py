"""Files that somebody sent: the kind is told by the content, never by the name."""

from collections.abc import Generator
from pathlib import Path
from typing import Protocol

from gray_kettle.decode import listings, netlink
from gray_kettle.decode.capture import CaptureReader
from gray_kettle.decode.containers import capture_kind, iter_pcap, iter_pcapng
from gray_kettle.decode.errors import DecodeError
from gray_kettle.errors import KettleError
from gray_kettle.records import Piece
from gray_kettle.sources.intake import Intake

WHAT_IS_READ = (
    "pcap and pcapng captures of 802.11 frames, netlink scan answers, the text of `iw` (scan, survey dump, station "
    "dump), `nmcli -f ALL dev wifi`, `wpa_cli scan_results` and `netsh wlan show networks mode=bssid`, and scan logs"
)


class Source(Protocol):
    """What `take` reads from. notes are complete once the pieces are through."""

    intake: Intake
    kind: str
    notes: list[str]

    def pieces(self) -> Generator[Piece]:
        """Decoded pieces in order. Damage ends the stream with a note; what came before it is kept."""
        ...


def open_file(path: Path) -> Source:
    """The source for a file, a pipe, or standard input ("-"). Raises: KettleError, when nothing in it can be read."""
    intake = Intake(path)
    container = capture_kind(intake.head)
    if container:
        return CaptureFile(intake, container)
    listing = listings.kind_of(intake.head)
    if listing:
        return Listing(intake, listing)
    if netlink.order_of(intake.head):
        return NetlinkAnswers(intake)
    intake.close()
    raise KettleError(f"{intake.name} is of a kind that is not known here. What can be read: {WHAT_IS_READ}.")


class CaptureFile:
    """A pcap or pcapng capture."""

    def __init__(self, intake: Intake, kind: str) -> None:
        self.intake, self.kind = intake, kind
        self.notes: list[str] = []

    def pieces(self) -> Generator[Piece]:
        reader = CaptureReader()
        walk = iter_pcap if self.kind == "pcap" else iter_pcapng
        try:
            yield from reader.pieces(walk(self.intake))
        except DecodeError as error:
            self.notes.append(f"{error}: what came before it was kept.")
        self.notes += reader.notes()


class NetlinkAnswers:
    """Messages of a netlink socket with the kernel's answers to scans."""

    kind = "netlink scan"

    def __init__(self, intake: Intake) -> None:
        self.intake = intake
        self.notes: list[str] = []

    def pieces(self) -> Generator[Piece]:
        try:
            yield from netlink.ScanAnswers().pieces(self.intake, self.intake.head, self.intake.written_s)
        except DecodeError as error:
            self.notes.append(f"{error}: what came before it was kept.")


class Listing:
    """Text that a program of an operating system printed."""

    def __init__(self, intake: Intake, kind: str) -> None:
        self.intake, self.kind = intake, kind
        self.notes: list[str] = []

    def pieces(self) -> Generator[Piece]:
        reader = listings.reader_of(self.kind, self.intake.written_s)
        try:
            yield from reader.pieces(self.intake.lines())
        except DecodeError as error:
            self.notes.append(f"{error}: what came before it was kept.")
        self.notes += reader.notes
