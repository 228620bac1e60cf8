"""Requests to the Linux kernel over generic netlink, and what it says by itself.

Source: netlink(7) of the Linux manual; the public kernel headers netlink.h and genetlink.h.
"""

import errno
import os
import select
import socket
import struct
import sys
import time
from collections.abc import Iterator

from gray_kettle.collect.live.source import LostError
from gray_kettle.decode.nl80211 import HEADER_BYTES, Order, attributes

ORDER = Order("<" if sys.byteorder == "little" else ">")
_GENERIC = 16  # NETLINK_GENERIC, of socket families
_REQUEST, _ACK, _DUMP = 0x1, 0x4, 0x300
_ERROR, _DONE = 2, 3
_CONTROL, _GET_FAMILY = 0x10, 3
_FAMILY_ID, _FAMILY_NAME, _GROUPS, _GROUP_NAME, _GROUP_ID = 1, 2, 7, 1, 2
_ADD_MEMBERSHIP, _SOL_NETLINK = 1, 270
_ROOM_BYTES, _PATIENCE_S = 1 << 20, 6.0


class RefusedError(LostError):
    """The kernel says no. number: as in errno."""

    def __init__(self, number: int) -> None:
        super().__init__(os.strerror(number))
        self.number = number


def attribute(kind: int, content: bytes) -> bytes:
    """One attribute, filled up to four bytes."""
    return struct.pack("=HH", len(content) + 4, kind) + content + bytes(-len(content) % 4)


class Kernel:
    """One family of generic netlink, with a socket for requests and one for events."""

    def __init__(self, family: str, groups: tuple[str, ...]) -> None:
        """Raises: LostError, where the kernel does not have the family."""
        self._sequence = 0
        try:
            self._requests, self._events = (_opened() for _ in range(2))
        except (OSError, AttributeError) as error:
            raise LostError(f"This system has no netlink ({error})") from error
        try:
            found = self._family(family)
            self._id = ORDER.words(found[_FAMILY_ID])
            known = dict(self._groups(found.get(_GROUPS, b"")))
            for name in groups:
                if name in known:
                    self._events.setsockopt(_SOL_NETLINK, _ADD_MEMBERSHIP, known[name])
        except (RefusedError, KeyError, OSError) as error:
            self.close()
            raise LostError(f"The kernel has no {family}: no Wi-Fi driver is loaded") from error

    def close(self) -> None:
        self._requests.close()
        self._events.close()

    def ask(self, command: int, content: bytes, *, is_dump: bool) -> bytes:
        """The messages of an answer, one behind the other. Raises: RefusedError; LostError, where none comes."""
        return self._answer(self._id, command, content, is_dump=is_dump)

    def events(self, wait_s: float) -> list[tuple[int, dict[int, bytes]]]:
        """(command, attributes) of what the kernel said by itself; waits so long for a first."""
        found: list[tuple[int, dict[int, bytes]]] = []
        while select.select([self._events], [], [], 0.0 if found else wait_s)[0]:
            try:
                raw = self._events.recv(_ROOM_BYTES)
            except OSError as error:
                if error.errno == errno.ENOBUFS:  # more came than there was room for
                    continue
                raise LostError(f"The kernel cannot be listened to ({error.strerror})") from error
            found += [
                (body[0], dict(attributes(body[4:], ORDER)))
                for kind, _, body in _messages(raw)
                if kind == self._id and body
            ]
        return found

    def _family(self, name: str) -> dict[int, bytes]:
        asked = attribute(_FAMILY_NAME, name.encode() + b"\0")
        raw = self._answer(_CONTROL, _GET_FAMILY, asked, is_dump=False)
        return next(
            (dict(attributes(body[4:], ORDER)) for kind, _, body in _messages(raw) if kind == _CONTROL), {}
        )

    def _groups(self, raw: bytes) -> Iterator[tuple[str, int]]:
        for _, one in attributes(raw, ORDER):
            group = dict(attributes(one, ORDER))
            yield (
                group.get(_GROUP_NAME, b"").rstrip(b"\0").decode("ascii", "replace"),
                ORDER.words(group.get(_GROUP_ID, b"")),
            )

    def _answer(self, kind: int, command: int, content: bytes, *, is_dump: bool) -> bytes:
        self._sequence += 1
        body = struct.pack("=BBH", command, 1, 0) + content
        flags = _REQUEST | (_DUMP if is_dump else _ACK)
        header = struct.pack("=IHHII", HEADER_BYTES + len(body), kind, flags, self._sequence, 0)
        found = b""
        until_s = time.monotonic() + _PATIENCE_S
        try:
            self._requests.send(header + body)
            while time.monotonic() < until_s:
                raw = self._requests.recv(_ROOM_BYTES)
                for said, sequence, part in _messages(raw):
                    if sequence != self._sequence:
                        continue  # of a request that was given up
                    if said == _DONE or (said == _ERROR and not any(part[:4])):
                        return found
                    if said == _ERROR:
                        raise RefusedError(-struct.unpack_from("=i", part)[0])
                    whole = HEADER_BYTES + len(part)
                    found += struct.pack("=IHHII", whole, said, 0, sequence, 0) + part + bytes(-whole % 4)
        except OSError as error:
            raise LostError(f"The kernel does not answer ({error.strerror or error})") from error
        raise LostError("The kernel does not answer in time")


def _opened() -> socket.socket:
    found = socket.socket(socket.AF_NETLINK, socket.SOCK_RAW, _GENERIC)
    found.bind((0, 0))
    found.settimeout(_PATIENCE_S)
    return found


def _messages(raw: bytes) -> Iterator[tuple[int, int, bytes]]:
    """(type, sequence number, body) of the messages in what was received at once."""
    at = 0
    while at + HEADER_BYTES <= len(raw):
        length, kind, _, sequence = struct.unpack_from("=IHHI", raw, at)
        if not HEADER_BYTES <= length <= len(raw) - at:
            return
        yield kind, sequence, raw[at + HEADER_BYTES : at + length]
        at += length + -length % 4
