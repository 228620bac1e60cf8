"""Lines and blocks to and from one instrument over TCP, within bounds of size and time.

Source: IEEE 488.2-1992, 8.7.9 and 8.7.10 (definite and indefinite length blocks); docs/reliability.md, "Bounds". Why no
library: docs/decisions/031-own-instrument-connection.md.
"""

import select
import socket
import time
from collections.abc import Callable
from typing import Any

import numpy as np

from gray_kettle.collect.live.source import LostError
from gray_kettle.safe_text import printable

TIMEOUT_S = 3.0
_LOOK_S, _FINISH_S = 0.1, 0.5
_MOST_LINE = 4096
_ASCII_POINT = 24  # characters of one level in a line, at most
_READ_BYTES = 1 << 16


class Connection:
    """One instrument. Every failure is a LostError. is_cancelled: asked while it is silent; what is under way then may
    still be finished for half a second.
    """

    def __init__(
        self, host: str, port: int, is_cancelled: Callable[[], bool], timeout_s: float = TIMEOUT_S
    ) -> None:
        self._address, self._is_cancelled, self._timeout_s = (host, port), is_cancelled, timeout_s
        self._socket: socket.socket | None = None
        self._came = bytearray()
        self._cancelled_s = 0.0

    def __enter__(self) -> "Connection":
        until_s = time.monotonic() + self._timeout_s
        try:
            family, kind, protocol, _, address = socket.getaddrinfo(*self._address, type=socket.SOCK_STREAM)[
                0
            ]
            self._socket = socket.socket(family, kind, protocol)
            self._socket.setblocking(False)
            self._socket.connect_ex(address)
            self._wait(until_s, for_writing=True)
            if self._socket.getsockopt(socket.SOL_SOCKET, socket.SO_ERROR):
                raise LostError("It cannot be reached")
        except (OSError, UnicodeError) as error:
            self.__exit__()
            raise LostError("It cannot be reached") from error
        except LostError:
            self.__exit__()
            raise
        return self

    def __exit__(self, *_: object) -> None:
        if self._socket is not None:
            self._socket.close()

    def write(self, command: str) -> None:
        self._came.clear()  # what is left of an earlier answer answers nothing any more
        left = command.encode() + b"\n"
        until_s = time.monotonic() + self._timeout_s
        while left:
            self._wait(until_s, for_writing=True)
            left = left[self._call("send", left) :]

    def ask(self, question: str) -> str:
        self.write(question)
        return self._line(time.monotonic() + self._timeout_s, _MOST_LINE).decode("latin-1").strip()

    def perhaps(self, question: str) -> str:
        """The answer to a question that not every instrument knows; nothing where it does not."""
        try:
            return self.ask(question)
        except LostError:
            self.write("*CLS")
            return ""

    def number(self, question: str) -> float:
        """A finite number; 0 for one that is not."""
        answer = self.ask(question)
        try:
            value = float(answer)
        except ValueError as error:
            raise LostError(f"It answers “{printable(answer)[:40]}” to {question}") from error
        return value if np.isfinite(value) else 0.0

    def levels(self, question: str, most: int, *, binary: bool) -> "np.ndarray[Any, np.dtype[Any]]":
        """The values of a trace, as 32-bit floats in network order or as text: at most so many."""
        self.write(question)
        until_s = time.monotonic() + self._timeout_s
        if not binary:
            text = self._line(until_s, _ASCII_POINT * most + _MOST_LINE).decode("latin-1")
            try:
                return np.array([float(word) for word in text.split(",")])
            except ValueError as error:
                raise LostError("It sent an invalid answer") from error
        block = self._block(until_s, 4 * most + _MOST_LINE)
        return np.frombuffer(block[: len(block) // 4 * 4], ">f4")

    def _line(self, until_s: float, most: int) -> bytes:
        while (end := self._came.find(b"\n")) < 0:
            self._receive(until_s, most)
        line = bytes(self._came[:end])
        del self._came[: end + 1]
        return line

    def _block(self, until_s: float, most: int) -> bytes:
        """The content of a block; its length stands in front of it ("#3804…"), or it ends with the line ("#0…")."""
        while len(self._came) < 2:
            self._receive(until_s, most)
        digits = self._came[1] - ord("0")
        if self._came[:1] != b"#" or not 0 <= digits <= 9:
            raise LostError("It sent an invalid answer")
        if digits == 0:
            return self._line(until_s, most)[2:]
        while len(self._came) < 2 + digits:
            self._receive(until_s, most)
        length_text = bytes(self._came[2 : 2 + digits])
        if not length_text.isdigit() or int(length_text) > most:
            raise LostError("It announces more than it was asked for")
        first, length = 2 + digits, int(length_text)
        while len(self._came) < first + length:
            self._receive(until_s, first + length + _READ_BYTES)
        block = bytes(self._came[first : first + length])
        del self._came[: first + length]
        return block

    def _receive(self, until_s: float, most: int) -> None:
        if len(self._came) > most:
            raise LostError("It sends more than it was asked for")
        self._wait(until_s, for_writing=False)
        came = self._call("recv", _READ_BYTES)
        if not came:
            raise LostError("It ended the connection")
        self._came += came

    def _wait(self, until_s: float, *, for_writing: bool) -> None:
        """Until the socket is ready. The time limit is of the whole answer, however slowly it drips."""
        while True:
            left_s = until_s - time.monotonic()
            if left_s <= 0:
                raise LostError("It does not answer")
            if self._is_cancelled():
                self._cancelled_s = self._cancelled_s or time.monotonic()
                if time.monotonic() - self._cancelled_s > _FINISH_S:
                    raise LostError("It did not answer before the take was ended")
            waiting = [self._socket] if self._socket else []
            ready = select.select(
                [] if for_writing else waiting, waiting if for_writing else [], [], min(left_s, _LOOK_S)
            )
            if ready[0] or ready[1]:
                return

    def _call(self, name: str, argument: bytes | int) -> Any:
        try:
            return getattr(self._socket, name)(argument)
        except OSError as error:
            raise LostError("It ended the connection") from error
