"""Packet blocks of a capture to pieces of observations."""

from collections.abc import Generator, Iterable
from concurrent.futures import Future, ThreadPoolExecutor

import numpy as np

from gray_kettle.decode import capture_headers, nl80211
from gray_kettle.decode.capture_files import PacketBlock
from gray_kettle.decode.dot11.beacon_dedup import Announcer
from gray_kettle.decode.dot11.client_capabilities import ClientRequests
from gray_kettle.decode.dot11.mac_headers import headers_of
from gray_kettle.decode.dot11.traffic_counters import Tally, listening
from gray_kettle.decode.errors import DecodeError
from gray_kettle.decode.example_frames import ExampleChooser
from gray_kettle.model.records import Piece


class CaptureReader:
    """Reads one capture block by block, and keeps count of what could not be read."""

    def __init__(self) -> None:
        self._announcer, self._victim, self._tally = Announcer(), ClientRequests(), Tally()
        self._examples = ExampleChooser()
        self._answers = nl80211.ScanAnswers()
        self._unknown_links: dict[int, int] = {}
        self._damaged = self._bad_fcs = self._untimed = self._too_loud = 0
        self._first_damage = -1

    def pieces(self, blocks: Iterable[PacketBlock]) -> Generator[Piece]:
        """Decode blocks in order; while one is decoded the next is read. Raises what reading them raises, last."""
        with ThreadPoolExecutor(1, "decode") as worker:
            ahead: Future[Piece] | None = None
            ended_by: DecodeError | KeyboardInterrupt | None = None
            try:
                for block in blocks:
                    begun = worker.submit(self.piece, block)
                    if ahead is not None:
                        yield ahead.result()
                    ahead = begun
            except (DecodeError, KeyboardInterrupt) as error:  # what was read before it is given first
                ended_by = error
            if ahead is not None:
                yield ahead.result()
            yield Piece(edges=self._tally.edges())
            if ended_by is not None:
                raise ended_by

    def piece(self, block: PacketBlock) -> Piece:
        """Decode one block. Indices in the piece's sightings point into the piece's own announcements."""
        count = len(block.starts)
        if block.link_type == nl80211.LINK:
            return self._answers.piece(block)
        if block.link_type not in capture_headers.LINKS:
            self._unknown_links[block.link_type] = self._unknown_links.get(block.link_type, 0) + count
            return Piece(skipped=count)
        heard = capture_headers.decode(block)
        self._too_loud += heard.without_impossible_levels()
        headers = headers_of(block, heard)
        self._count(block, heard, len(headers.rows))
        announcements, sightings = self._announcer.sightings(block, heard, headers)
        return Piece(
            announcements=announcements,
            sightings=sightings,
            traffic=self._tally.traffic(block, heard, headers),
            listening=listening(block, heard, headers),
            examples=self._examples.chosen(block, heard, headers),
            capabilities=self._victim.capabilities(block, heard, headers),
            records=len(headers.rows),
            skipped=count - len(headers.rows),
        )

    def _count(self, block: PacketBlock, heard: capture_headers.Reception, read: int) -> None:
        if read == len(block.starts):
            return
        broken = ~heard.whole & ~heard.bad_fcs
        self._bad_fcs += int(heard.bad_fcs.sum())
        self._damaged += int(broken.sum())
        self._untimed += int(np.isnan(block.times_s[heard.whole]).sum())
        if self._first_damage < 0 and broken.any():
            self._first_damage = block.offset + int(block.starts[np.argmax(broken)])

    def notes(self) -> list[str]:
        """What was skipped and why, in sentences."""
        out = []
        for link, count in self._unknown_links.items():
            out.append(
                f"{count:,} packets have link type {link}, which holds no 802.11 frames with radio "
                f"information: capture in monitor mode ({', '.join(capture_headers.LINKS.values())})."
            )
        if self._damaged:
            out.append(
                f"{self._damaged:,} packets have a damaged or incomplete header, the first at byte "
                f"{self._first_damage:,}; they were skipped."
            )
        if self._bad_fcs:
            out.append(f"{self._bad_fcs:,} frames had a bad checksum and were skipped.")
        if self._too_loud:
            out.append(
                f"{self._too_loud:,} frames report a level over 0 dBm, which no receiver measures; "
                "they were kept without their level."
            )
        if self._untimed:
            out.append(f"{self._untimed:,} packets have no timestamp; they were skipped.")
        if self._announcer.unplaced:
            out.append(
                f"{self._announcer.unplaced:,} beacons announce a channel that does not exist; they were skipped."
            )
        return out
