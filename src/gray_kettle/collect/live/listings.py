"""Listings of an operating system, made again and again."""

import time
from collections.abc import Callable, Generator, Sequence
from dataclasses import dataclass, replace

from gray_kettle.collect.live.command import output_of
from gray_kettle.collect.live.source import IsCancelled, LostError, Notes, retried, wait
from gray_kettle.decode import scan_text
from gray_kettle.model.records import Piece

INTERVAL_S, LEAST_INTERVAL_S = 10.0, 2.0
_DEADLINE_S = 30.0


@dataclass(frozen=True)
class Listing:
    """One program. fallbacks: what is run where it fails, the next best first, each with what is lost by it.

    is_scan: what counts as a scan; counters beside it do not. is_needed: without it the round is lost.
    """

    words: tuple[str, ...]
    fallbacks: tuple[tuple[tuple[str, ...], str], ...] = ()
    is_scan: bool = True
    is_needed: bool = True


class RepeatedListings:
    """A live source: every so often each of the listings, read by its content."""

    kind = "scan live"

    def __init__(self, name: str, listings: Sequence[Listing], interval_s: float, refusal: str) -> None:
        """refusal: see `retried`."""
        self.name, self.notes = name, Notes()
        self._listings, self._interval_s, self._refusal = list(listings), interval_s, refusal
        self._best: dict[Listing, int] = {}  # which of its commands works

    def pieces(self, is_cancelled: IsCancelled) -> Generator[Piece]:
        """One piece a listing, until cancelled. Raises: KettleError, when none ever works."""
        yield from retried(lambda: self._rounds(is_cancelled), self.notes, is_cancelled, self._refusal)

    def _rounds(self, is_cancelled: IsCancelled) -> Generator[Piece]:
        while not is_cancelled():
            began_s = time.monotonic()
            for listing in self._listings:
                yield from self._of(listing, is_cancelled)
            wait(self._interval_s - (time.monotonic() - began_s), is_cancelled)

    def _of(self, listing: Listing, is_cancelled: IsCancelled) -> Generator[Piece]:
        try:
            text = self._text(listing, is_cancelled)
        except LostError:
            if listing.is_needed:
                raise
            return
        yield from read_listing(text, time.time(), self.notes.say, is_scan=listing.is_scan)

    def _text(self, listing: Listing, is_cancelled: IsCancelled) -> bytes:
        """What the best of its commands that works prints. Raises: LostError, with why the first one does not."""
        commands = ((listing.words, ""), *listing.fallbacks)
        first: LostError | None = None
        for number in range(self._best.get(listing, 0), len(commands)):
            words, loss = commands[number]
            try:
                text = output_of(words, is_cancelled, _DEADLINE_S)
            except LostError as error:
                first = first or error
                continue
            if first is not None and loss:
                self.notes.say(f"{first}. {loss}")
            self._best[listing] = number
            return text
        self._best.pop(listing, None)
        raise first or LostError("Nothing could be run")


def read_listing(
    text: bytes, time_s: float, say: Callable[[str], None], *, is_scan: bool = True
) -> Generator[Piece]:
    """Pieces of one listing that was made now. say: called with what is odd about it."""
    kind = scan_text.kind_of(text)
    if kind is None:
        if is_scan and text.strip():
            say("A listing came that could not be understood.")
        yield Piece(records=int(is_scan))  # nobody was heard: that, too, is a scan
        return
    reader = scan_text.reader_of(kind, time_s)
    reader.arrived(time_s)
    for piece in reader.pieces(text.decode("utf-8", "surrogateescape").splitlines()):
        yield piece if is_scan else replace(piece, records=0)
    for note in reader.notes:
        say(note)
