"""Datagrams that are sent back: delay and loss without what TCP makes of them.

A datagram is a nonce, a number and a code that only who knows the token can make; the answer has the code of an answer.
It is as long as the question, so nobody can use the responder to send much to somebody else.
"""

import hashlib
import hmac
import secrets
import socket
import struct
import time
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from math import inf

_HEAD = struct.Struct("!8sI")
_CODE_BYTES = 16
DATAGRAM_BYTES = _HEAD.size + _CODE_BYTES
_ASK, _ANSWER = b"ask", b"answer"
_WAIT_S, _LATE_S = 0.05, 1.0


def _code(token: str, what: bytes, head: bytes) -> bytes:
    return hmac.new(token.encode(), what + head, hashlib.sha256).digest()[:_CODE_BYTES]


def question(token: str, nonce: bytes, number: int) -> bytes:
    """nonce: 8 octets, new for each measurement."""
    head = _HEAD.pack(nonce, number)
    return head + _code(token, _ASK, head)


def answer_to(token: str, datagram: bytes) -> bytes | None:
    """The answer; None to strangers and to anything else."""
    if len(datagram) != DATAGRAM_BYTES:
        return None
    head, code = datagram[: _HEAD.size], datagram[_HEAD.size :]
    if not hmac.compare_digest(code, _code(token, _ASK, head)):
        return None
    return head + _code(token, _ANSWER, head)


def _number_of(token: str, nonce: bytes, datagram: bytes) -> int | None:
    if len(datagram) != DATAGRAM_BYTES:
        return None
    head, code = datagram[: _HEAD.size], datagram[_HEAD.size :]
    if not hmac.compare_digest(code, _code(token, _ANSWER, head)):
        return None
    known, number = _HEAD.unpack(head)
    return int(number) if known == nonce else None


@dataclass(frozen=True)
class Echoes:
    """delays_s: of the answers; sent: how many were asked for, those that were too late to be answered left out."""

    delays_s: tuple[float, ...]
    sent: int

    @property
    def loss(self) -> float:
        return 1 - len(self.delays_s) / self.sent if self.sent else float("nan")


def echoes(host: str, port: int, token: str, every_s: float, is_over: Callable[[], bool]) -> Echoes:
    """Ask again and again until it is over, then wait a second for the last answers.

    Raises: OSError, where the host has no address.
    """
    family, _, _, _, address = socket.getaddrinfo(host, port, type=socket.SOCK_DGRAM)[0]
    nonce = secrets.token_bytes(8)
    sent_s: list[float] = []
    delays_s: dict[int, float] = {}
    with socket.socket(family, socket.SOCK_DGRAM) as line:
        line.connect(address)
        line.settimeout(_WAIT_S)
        next_s, end_s = time.perf_counter(), inf
        while (now_s := time.perf_counter()) < end_s and (len(delays_s) < len(sent_s) or end_s == inf):
            if end_s == inf and is_over():
                end_s = now_s + _LATE_S
            elif end_s == inf and now_s >= next_s:
                sent_s.append(now_s)
                _send(line, question(token, nonce, len(sent_s) - 1))
                next_s = max(next_s + every_s, now_s)
            line.settimeout(max(min(next_s - time.perf_counter(), _WAIT_S), 0.001))
            number = _received(line, token, nonce)
            if number is not None and number < len(sent_s):
                delays_s.setdefault(number, time.perf_counter() - sent_s[number])
    return Echoes(tuple(delays_s.values()), len(sent_s))


def _send(line: socket.socket, datagram: bytes) -> None:
    with suppress(OSError):  # no way there at the moment: it counts as lost
        line.send(datagram)


def _received(line: socket.socket, token: str, nonce: bytes) -> int | None:
    try:
        return _number_of(token, nonce, line.recv(2048))
    except OSError:  # nothing yet, or a refusal from the other end
        return None
