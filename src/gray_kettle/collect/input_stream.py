"""Bytes coming in: from a file, a pipe or standard input, packed with gzip or not."""

import codecs
import os
import select
import stat
import sys
import threading
import time
import zlib
from collections.abc import Callable, Iterable, Iterator
from contextlib import suppress
from io import FileIO
from pathlib import Path

import numpy as np
from blake3 import blake3
from numpy.typing import NDArray

from gray_kettle.decode.errors import DecodeError
from gray_kettle.errors import KettleError
from gray_kettle.safe_text import printable
from gray_kettle.store.takes import CHECKPOINT_DIGITS, Input, checkpoint_after

STANDARD_INPUT = "-"
HEAD_BYTES = 64 << 10
_TEXT_BYTES = 1 << 20
_PACKED_BYTES = 1 << 20
_UNPACKED_BYTES = 4 << 20
_GZIP = b"\x1f\x8b\x08"
_GZIP_WINDOW = 31
_ENOUGH_TO_TELL = 24  # bytes of a stream: the header of a capture
_WAIT_S = 0.3  # a stream that is still being written is passed on after at most this long
_LOOK_S = 0.1  # a silent stream is asked this often whether it is to be ended
_LONGEST_LINE = 64 << 10


class InputStream:
    """One input, read once from its beginning to its end.

    name: for people. is_stream: its length is not known before its end. bytes_read: of the input as it lies in the
    file; size_bytes: of all of it, 0 for a stream. prefixes: digests of its first bytes, by how many: of the lengths
    that were asked for with `watch`.
    """

    def __init__(
        self, path: Path, is_cancelled: Callable[[], bool] = lambda: False, descriptor: int | None = None
    ) -> None:
        """is_cancelled: asked while a stream is silent; it ends then. descriptor: of what is open already; path then
        is but its name.

        Raises: KettleError, when it cannot be opened or is empty.
        """
        self.path = path
        self._is_cancelled = is_cancelled
        self.from_standard_input = str(path) == STANDARD_INPUT and descriptor is None
        self.name = "standard input" if self.from_standard_input else printable(path.name)
        self.bytes_read = 0
        self._file = self._opened() if descriptor is None else FileIO(descriptor, closefd=False)
        status = os.fstat(self._file.fileno())
        self.is_stream = not stat.S_ISREG(status.st_mode)
        self.size_bytes = 0 if self.is_stream else status.st_size
        self.written_s = time.time() if self.is_stream else status.st_mtime
        self._unpacker: _Unpacker | None = None
        self._damage: DecodeError | None = None
        self._pending = self._head()
        if not self._pending:
            self.close()
            ended = "ended before anything arrived" if is_cancelled() else "is empty: export it again"
            raise KettleError(f"{self.name} {ended}.")
        self.head = self._pending
        self._digest, self._digesting = blake3(), threading.Lock()
        self._octets = 0  # unpacked
        self._checkpoints: list[str] = []
        self._watched: list[int] = []
        self.prefixes: dict[int, str] = {}

    def _opened(self) -> FileIO:
        if self.from_standard_input:
            if sys.stdin is None:
                raise KettleError("Standard input is closed: pipe a capture or a listing into it.")
            if sys.stdin.isatty():
                raise KettleError("Standard input is the keyboard: pipe a capture or a listing into it.")
            return FileIO(sys.stdin.fileno(), closefd=False)
        if self.path.is_dir():
            raise KettleError(f"{self.name} is a folder: name the files in it.")
        try:
            # A pipe without a writer must not block before it can be asked whether to end.
            return FileIO(os.open(self.path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC), closefd=True)
        except OSError as error:
            raise KettleError(f"{self.name} cannot be read: {error.strerror}.") from error

    @property
    def read(self) -> Input:
        """How far it was read, unpacked, with the digest of all of that. Safe beside a thread that reads on."""
        with self._digesting:
            return Input(self._octets, self._digest.hexdigest(), "".join(self._checkpoints))

    def watch(self, lengths: Iterable[int]) -> None:
        """Keep the digests of the first so many bytes, once they are read."""
        self._watched = sorted(lengths)

    def begins_like(self, other: Input) -> bool:
        """Whether its first bytes are those of another input, as far as the head shows."""
        if other.octets <= len(self.head):
            return blake3(self.head[: other.octets]).hexdigest() == other.digest
        first = checkpoint_after(0)
        return len(self.head) < first or other.checkpoints.startswith(_checkpoint(blake3(self.head[:first])))

    def readinto(self, room: NDArray[np.uint8], /) -> int:
        """Fill room with what comes next, as far as it is there; 0 at the end.

        Raises: DecodeError, where the input cannot be read on.
        """
        if self._pending:
            count = min(len(self._pending), len(room))
            room[:count] = np.frombuffer(self._pending, np.uint8, count)
            self._pending = self._pending[count:]
        elif self._damage is not None:
            raise self._damage
        else:
            count = self._next(room)
        with self._digesting:
            self._note(room[:count])
        return count

    def _note(self, part: NDArray[np.uint8]) -> None:
        """Take the digest of what was read, stopping where one of its beginning is wanted."""
        while len(part):
            checkpoint = checkpoint_after(self._octets)
            stop = min([checkpoint, *(n for n in self._watched[:1] if n > self._octets)])
            step = part[: stop - self._octets]
            self._digest.update(step.data)
            self._octets += len(step)
            part = part[len(step) :]
            if self._octets == checkpoint:
                self._checkpoints.append(_checkpoint(self._digest))
            while self._watched and self._watched[0] <= self._octets:
                if self._watched.pop(0) == self._octets:
                    self.prefixes[self._octets] = self._digest.hexdigest()

    def read_through(self) -> None:
        """Read to the end for the digests alone, or to the damage."""
        room = np.empty(_TEXT_BYTES, np.uint8)
        with suppress(DecodeError):
            while self.readinto(room):
                pass

    def lines(self) -> Iterator[str]:
        """Text line by line, without ends of lines. Bytes that are no UTF-8 are kept as lone surrogates."""
        return (line for line in self._lines(None) if line is not None)

    def bursts(
        self, pause_s: float, longest_s: float, entry_of: Callable[[str], str] | None = None
    ) -> Iterator[tuple[float, Iterator[str]]]:
        """Lines as they come, with when they began to come: a burst ends where nothing came for a while, or it grew
        too long. A file is one burst, of when it was written. Read each burst to its end before the next.

        entry_of: what a line begins an entry of, "" for any other line; a burst that grew too long ends before an
        entry that it has already, as there a listing begins anew.
        """
        ended = not self.is_stream
        if ended:
            yield self.written_s, self.lines()
            return
        lines = self._lines(pause_s)
        held: list[str] = []  # what the next burst begins with

        def burst(first: str) -> Iterator[str]:
            nonlocal ended
            yield first
            until_s = time.monotonic() + longest_s
            seen = {entry_of(first)} if entry_of else set()
            for line in lines:
                if line is None:
                    return
                is_late = time.monotonic() > until_s
                if entry_of and (entry := entry_of(line)):
                    if is_late and entry in seen:
                        held.append(line)
                        return
                    seen.add(entry)
                yield line
                if is_late and entry_of is None:
                    return
            ended = True

        while not ended:
            first = held.pop() if held else next((line for line in lines if line is not None), None)
            if first is None:
                return
            yield time.time(), burst(first)

    def _lines(self, pause_s: float | None) -> Iterator[str | None]:
        """Lines, and None where nothing came for so long behind the end of one."""
        rest = ""
        encoding = _encoding(self.head)
        errors = "replace" if encoding == "utf-16" else "surrogateescape"
        decoder = codecs.getincrementaldecoder(encoding)(errors)
        room = np.empty(_TEXT_BYTES, np.uint8)
        while True:
            if pause_s is not None and not rest and not self._pending and not self._is_readable(pause_s):
                yield None
            count = self.readinto(room)
            if not count:
                break
            *whole, rest = (rest + decoder.decode(room[:count].tobytes())).split("\n")
            for line in whole:
                yield line[:_LONGEST_LINE].rstrip("\r")
            rest = rest[:_LONGEST_LINE]
        for last in (rest + decoder.decode(b"", final=True)).split("\n"):
            if last:
                yield last[:_LONGEST_LINE].rstrip("\r")

    def _is_readable(self, seconds: float) -> bool:
        """Whether something comes within that time, or the end."""
        return bool(select.select([self._file.fileno()], [], [], seconds)[0])

    def close(self) -> None:
        self._file.close()

    def _head(self) -> bytes:
        """The first bytes; of a stream at least enough to recognise it."""
        room = np.empty(HEAD_BYTES, np.uint8)
        have = 0
        try:
            while have < (_ENOUGH_TO_TELL if self.is_stream else HEAD_BYTES):
                count = self._next(room[have:])
                if not count:
                    break
                have += count
        except DecodeError as error:
            if not have:
                self.close()
                raise KettleError(f"{self.name} cannot be read: {error}.") from error
            self._damage = error  # reported when what came before it has been read
        return room[:have].tobytes()

    def _next(self, room: NDArray[np.uint8]) -> int:
        if self.bytes_read == 0 and self._unpacker is None:
            count = self._raw(room)
            if not room[:count].tobytes().startswith(_GZIP):
                return count
            self._unpacker = _Unpacker(room[:count].tobytes())
        if self._unpacker is None:
            return self._raw(room)
        return self._unpacker.next(room, self._packed)

    def _packed(self) -> bytes:
        room = np.empty(_PACKED_BYTES, np.uint8)
        return room[: self._raw(room)].tobytes()

    def _raw(self, room: NDArray[np.uint8]) -> int:
        """Bytes as they lie in the file."""
        try:
            count = self._collected(room) if self.is_stream else self._file.readinto(room.data)
        except OSError as error:
            raise DecodeError(f"The rest cannot be read ({error.strerror})", self.bytes_read) from error
        self.bytes_read += count
        return int(count)

    def _collected(self, room: NDArray[np.uint8]) -> int:
        """Of a stream: what comes, until it is much or has waited long enough."""
        number = self._file.fileno()
        have, until_s = 0, float("inf")
        while have < len(room):
            wait_s = min(until_s - time.monotonic(), _LOOK_S)
            if wait_s <= 0 or self._is_cancelled():
                break
            ready, _, _ = select.select([number], [], [], wait_s)
            if not ready:
                continue
            try:
                count = os.readv(number, [room[have:].data])
            except BlockingIOError:
                continue
            if not count:
                break
            have += count
            until_s = min(until_s, time.monotonic() + _WAIT_S)
        return have


def _checkpoint(digest: blake3) -> str:
    return digest.hexdigest()[:CHECKPOINT_DIGITS]


class _Unpacker:
    """gzip: one stream, or several one behind the other."""

    def __init__(self, first: bytes) -> None:
        self.left = first
        self.consumed = 0  # of the packed bytes
        self.stream = zlib.decompressobj(_GZIP_WINDOW)
        self.damage: DecodeError | None = None

    def next(self, room: NDArray[np.uint8], more: Callable[[], bytes]) -> int:
        """Fill room with unpacked bytes, no more than it holds, however much they claim to become."""
        room = room[:_UNPACKED_BYTES]
        while True:
            if self.damage is not None:
                raise self.damage
            if self.stream.eof:
                self.left = self.stream.unused_data or more()
                if not self.left.startswith(_GZIP[:2]):
                    return 0
                self.stream = zlib.decompressobj(_GZIP_WINDOW)
            elif not self.left:
                self.left = more()
                if not self.left:
                    self.damage = DecodeError("The gzip stream stops before its end", self.consumed)
                    continue
            before = self.stream.copy()
            try:
                out = self._step(self.stream, self.left, len(room))
            except zlib.error:
                out = self._saved(before, len(room))
            if out:
                room[: len(out)] = np.frombuffer(out, np.uint8)
                return len(out)

    def _step(self, stream: "zlib._Decompress", packed: bytes, most: int) -> bytes:
        out = stream.decompress(packed, most)
        self.left = stream.unconsumed_tail
        self.consumed += len(packed) - len(self.left) - len(stream.unused_data)
        return out

    def _saved(self, stream: "zlib._Decompress", most: int) -> bytes:
        """What can be unpacked up to the damage, found by going on in ever smaller steps."""
        out = b""
        left, step = self.left, 4096
        while left and len(out) < most:
            before = stream.copy()
            try:
                out += stream.decompress(left[:step], most - len(out))
                taken = min(step, len(left)) - len(stream.unconsumed_tail)
            except zlib.error:
                if step == 1:
                    self.damage = DecodeError("The gzip stream is damaged", self.consumed)
                    return out
                stream, step = before, max(step // 16, 1)
                continue
            self.consumed += taken
            left = left[taken:]
        self.stream, self.left = stream, left
        return out


def _encoding(head: bytes) -> str:
    """Text of Windows programs comes in UTF-16 when it was sent into a file by their shell."""
    if head.startswith((b"\xff\xfe", b"\xfe\xff")):
        return "utf-16"
    return "utf-8-sig" if head.startswith(b"\xef\xbb\xbf") else "utf-8"
