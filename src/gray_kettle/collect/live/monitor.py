"""Frames of an interface in monitor mode, channel by channel; how long it was on each is known exactly.

Source: packet(7) of the Linux manual for raw packets of an interface; radiotap headers as in captures.
"""

import socket
import struct
import time
from collections.abc import Generator, Iterator
from contextlib import closing, contextmanager
from dataclasses import replace
from pathlib import Path

import numpy as np

from gray_kettle.collect.live.command import output_of
from gray_kettle.collect.live.source import IsCancelled, LostError, Notes, retried
from gray_kettle.collect.live.uri import Uri, channels_of, interface_of
from gray_kettle.decode.capture import CaptureReader
from gray_kettle.decode.capture_files import PacketBlock
from gray_kettle.errors import KettleError
from gray_kettle.model.records import Listening, Piece
from gray_kettle.phy.channels import centre_hz, numbers

_DEVICES = Path("/sys/class/net")
_RADIOTAP_LINK = 127
_RADIOTAP_DEVICE = "803"  # ARPHRD_IEEE80211_RADIOTAP
_EVERYTHING = 0x0003  # ETH_P_ALL
_OUTGOING = 4  # PACKET_OUTGOING: what this computer sends itself
_SOL_PACKET, _STATISTICS = 263, 6
_ROOM_BYTES = 8 << 20
_LONGEST_PACKET = 1 << 16
_MOST_PACKETS = 50_000  # of one dwell
DWELL_S, _LEAST_DWELL_S = 0.25, 0.05  # two beacons of nearly everybody
_TUNE_S = 3.0
_BUILT_IN = tuple((band, n) for band in ("2.4", "5") for n in numbers(band) if n <= 165 and n != 14)
_REFUSAL = "{name} cannot be captured from: {{why}}."


class MonitorCapture:
    """A live source: one piece a dwell. Channels that the card refuses are left out, and named."""

    kind = "pcap live"

    def __init__(self, uri: Uri) -> None:
        """`monitor:IFACE`, with ?channels=1,6,11,36 and ?dwell=250ms. Raises: KettleError, with what is wrong."""
        uri.refuse_unknown("channels", "dwell")
        self.name = interface_of(uri.rest, uri)
        self.notes = Notes()
        self._dwell_s = uri.seconds("dwell", DWELL_S, _LEAST_DWELL_S)
        self._channels = list(channels_of(uri) or _BUILT_IN)
        lack = missing(self.name)
        if lack:
            raise KettleError(f"{uri.shown}: {lack}")

    def pieces(self, is_cancelled: IsCancelled) -> Generator[Piece]:
        """Until cancelled. Raises: KettleError, when it cannot be captured from at all."""
        refusal = _REFUSAL.format(name=self.name)
        yield from retried(lambda: self._capture(is_cancelled), self.notes, is_cancelled, refusal)

    def _capture(self, is_cancelled: IsCancelled) -> Generator[Piece]:
        reader = CaptureReader()
        with opened(self.name) as line:
            while not is_cancelled():
                for channel in tuple(self._channels):
                    if is_cancelled():
                        break
                    if self._tuned(channel, is_cancelled):
                        yield self._dwell(line, reader, centre_hz(*channel), is_cancelled)
                if not self._channels:
                    raise KettleError(f"{self.name} cannot be tuned to any of the channels.")
                _count_drops(line, self.notes)
        for note in reader.notes():
            self.notes.say(note)

    def _tuned(self, channel: tuple[str, int], is_cancelled: IsCancelled) -> bool:
        mhz = f"{centre_hz(*channel) / 1e6:.0f}"
        try:
            output_of(("iw", "dev", self.name, "set", "freq", mhz), is_cancelled, _TUNE_S)
        except LostError as error:
            if not (_DEVICES / self.name).exists():
                raise LostError(f"{self.name} is gone") from error
            self._channels.remove(channel)
            self.notes.say(f"Channel {channel[1]} in {channel[0]} GHz was left out: {error}.")
            return False
        return True

    def _dwell(
        self, line: socket.socket, reader: CaptureReader, tuned_hz: float, is_cancelled: IsCancelled
    ) -> Piece:
        start_s, until_s = time.time(), time.monotonic() + self._dwell_s
        packets: list[bytes] = []
        times_s: list[float] = []
        while (left_s := until_s - time.monotonic()) > 0 and not is_cancelled():
            line.settimeout(min(left_s, 0.1))
            try:
                raw, address = line.recvfrom(_LONGEST_PACKET)
            except TimeoutError:
                continue
            except OSError as error:
                raise LostError(f"{self.name} is gone ({error.strerror})") from error
            is_ours = isinstance(address, tuple) and len(address) > 2 and address[2] == _OUTGOING
            if not is_ours and len(packets) < _MOST_PACKETS:
                packets.append(raw)
                times_s.append(time.time())
        ones = np.array([start_s]), np.array([time.time()]), np.array([tuned_hz]), np.zeros(1, np.int64)
        listened = Listening(*ones, ones[1] - ones[0])
        piece = reader.piece(_block(packets, times_s)) if packets else Piece()
        return replace(piece, listening=listened)


def missing(interface: str) -> str:
    """What is missing for a capture from an interface, and how to get it; "" where nothing is."""
    try:
        kind = (_DEVICES / interface / "type").read_text().strip()
    except OSError:
        return "there is no such interface here."
    if kind != _RADIOTAP_DEVICE:
        steps = (
            f"ip link set {interface} down; iw dev {interface} set type monitor; ip link set {interface} up"
        )
        return f"it is not in monitor mode. As root: {steps}"
    return ""


def interfaces() -> tuple[str, ...]:
    """Interfaces that are in monitor mode."""
    try:
        return tuple(sorted(p.name for p in _DEVICES.iterdir() if not missing(p.name)))
    except OSError:
        return ()


@contextmanager
def opened(interface: str) -> Iterator[socket.socket]:
    """A socket that gets every packet of an interface. Raises: KettleError, without the right to it; LostError."""
    if not hasattr(socket, "AF_PACKET"):
        raise KettleError("Frames can be captured like this on Linux alone; take a capture file, or a pipe.")
    try:
        line = socket.socket(socket.AF_PACKET, socket.SOCK_RAW, socket.htons(_EVERYTHING))
    except PermissionError as error:
        how = f"sudo tcpdump -i {interface} -U -w - | gray-kettle take CASE -"
        raise KettleError(f"Capturing from {interface} needs root, or: {how}") from error
    with closing(line):
        line.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, _ROOM_BYTES)
        try:
            line.bind((interface, 0))
        except OSError as error:
            raise LostError(f"{interface} cannot be opened ({error.strerror})") from error
        yield line


def _count_drops(line: socket.socket, notes: Notes) -> None:
    """Frames that came faster than they were read. The kernel begins to count anew with each question."""
    try:
        _, drops = struct.unpack("II", line.getsockopt(_SOL_PACKET, _STATISTICS, 8))
    except OSError:
        return
    if drops:
        notes.say("Frames came faster than they could be read: some are missing, and airtime is too low.")


def _block(packets: list[bytes], times_s: list[float]) -> PacketBlock:
    lengths = np.array([len(p) for p in packets], np.int64)
    starts = np.concatenate([[0], np.cumsum(lengths)[:-1]]).astype(np.int64)
    data = np.frombuffer(b"".join(packets), np.uint8)
    return PacketBlock(data, starts, lengths, lengths, np.array(times_s), _RADIOTAP_LINK)
