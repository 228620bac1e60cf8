"""Bytes coming in: from a file, a pipe or standard input, packed with gzip or not."""

import os
import select
import stat
import sys
import time
import zlib
from collections.abc import Callable, Iterable, Iterator
from hashlib import blake2b
from io import FileIO
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from gray_kettle.collect.digest import Digest
from gray_kettle.decode.errors import DecodeError
from gray_kettle.errors import KettleError
from gray_kettle.safe_text import printable

STANDARD_INPUT = "-"
HEAD_BYTES = 64 << 10
_TEXT_BYTES = 1 << 20
_PACKED_BYTES = 1 << 20
_UNPACKED_BYTES = 4 << 20
_GZIP = b"\x1f\x8b\x08"
_GZIP_WINDOW = 31
_ENOUGH_TO_TELL = 24  # bytes of a stream: the header of a capture
_WAIT_S = 0.3  # a stream that is still being written is passed on after at most this long
_LONGEST_LINE = 64 << 10


def octets_of(digest: str) -> int:
    """How many bytes a digest is of; 0 for one that was not finished."""
    parts = digest.split("-")
    return int(parts[1]) if len(parts) == 3 else 0


class InputStream:
    """One input, read once from its beginning to its end.

    name: for people. is_stream: its length is not known before its end. bytes_read: of the input as it lies in the
    file; size_bytes: of all of it, 0 for a stream. mark: distinguishes most inputs by their first bytes.
    """

    def __init__(self, path: Path) -> None:
        """Raises: KettleError, when it cannot be opened or is empty."""
        self.path = path
        self.from_standard_input = str(path) == STANDARD_INPUT
        self.name = "standard input" if self.from_standard_input else printable(path.name)
        self.bytes_read = 0
        self._file = self._opened()
        status = os.fstat(self._file.fileno())
        self.is_stream = not stat.S_ISREG(status.st_mode)
        self.size_bytes = 0 if self.is_stream else status.st_size
        self.written_s = time.time() if self.is_stream else status.st_mtime
        self._unpacker: _Unpacker | None = None
        self._damage: DecodeError | None = None
        self._pending = self._head()
        if not self._pending:
            self.close()
            raise KettleError(f"{self.name} is empty: export it again.")
        self.head = self._pending
        self.mark = blake2b(self.head, digest_size=8).hexdigest()
        self._digest = Digest()
        self._octets = 0  # unpacked

    def _opened(self) -> FileIO:
        if self.from_standard_input:
            if sys.stdin.isatty():
                raise KettleError("Standard input is the keyboard: pipe a capture or a listing into it.")
            return FileIO(sys.stdin.fileno(), closefd=False)
        if self.path.is_dir():
            raise KettleError(f"{self.name} is a folder: name the files in it.")
        try:
            return self.path.open("rb", buffering=0)
        except OSError as error:
            raise KettleError(f"{self.name} cannot be read: {error.strerror}.") from error

    @property
    def digest(self) -> str:
        """Of all that was read, with its mark and how many bytes it is; after the end, of the whole input, unpacked."""
        return f"{self.mark}-{self._octets}-{self._digest.hexdigest()}"

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
        self._digest.update(room[:count])
        self._octets += count
        return count

    def read_through(self, lengths: Iterable[int]) -> set[str]:
        """Read to the end for the digests alone: of the first bytes up to each of some lengths."""
        found = set()
        ahead = sorted(lengths)
        room = np.empty(_TEXT_BYTES, np.uint8)
        while True:
            while ahead and ahead[0] <= self._octets:
                if ahead.pop(0) == self._octets:
                    found.add(self.digest)
            most = min(ahead[0] - self._octets, len(room)) if ahead else len(room)
            if not self.readinto(room[:most]):
                return found

    def lines(self) -> Iterator[str]:
        """Text line by line, without ends of lines. Bytes that are no UTF-8 are kept as lone surrogates."""
        rest = b""
        encoding = _encoding(self.head)
        room = np.empty(_TEXT_BYTES, np.uint8)
        while count := self.readinto(room):
            rest += room[:count].tobytes()
            room = np.empty(_TEXT_BYTES, np.uint8)
            if encoding == "utf-16":
                continue  # a listing of one computer: read whole
            *whole, rest = rest.split(b"\n")
            for line in whole:
                yield line[:_LONGEST_LINE].rstrip(b"\r").decode(encoding, "surrogateescape")
            rest = rest[:_LONGEST_LINE]
        text = rest.decode(encoding, "replace" if encoding == "utf-16" else "surrogateescape")
        for last in text.split("\n") if rest else []:
            yield last[:_LONGEST_LINE].rstrip("\r")

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
        count = have = os.readv(number, [room.data])
        until_s = time.monotonic() + _WAIT_S
        while count and have < len(room):
            ready, _, _ = select.select([number], [], [], max(until_s - time.monotonic(), 0))
            if not ready:
                break
            count = os.readv(number, [room[have:].data])
            have += count
        return have


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
