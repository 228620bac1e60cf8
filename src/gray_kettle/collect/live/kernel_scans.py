"""The Wi-Fi of this computer, asked of the Linux kernel: scans, counters of channels and stations, and what changes.

Source: the public kernel header nl80211.h.
"""

import errno
import socket
import struct
import time
from collections.abc import Callable, Generator
from dataclasses import replace
from typing import Protocol

from gray_kettle.collect.live.listings import INTERVAL_S, LEAST_INTERVAL_S
from gray_kettle.collect.live.netlink import ORDER, Kernel, RefusedError, attribute
from gray_kettle.collect.live.source import IsCancelled, LostError, Notes, clock, retried
from gray_kettle.collect.live.uri import Uri, channels_of, interface_of
from gray_kettle.decode.errors import DecodeError
from gray_kettle.decode.nl80211 import ScanAnswers
from gray_kettle.decode.nl80211_counters import stations_of, surveys_of
from gray_kettle.errors import KettleError
from gray_kettle.model.records import Piece
from gray_kettle.phy.channels import centre_hz

_GET_STATION, _GET_SCAN, _TRIGGER_SCAN, _GET_SURVEY = 17, 32, 33, 50
_SCANNED, _ABORTED, _RULES_CHANGED = 34, 35, 36
_INTERFACE, _FREQUENCIES, _NAMES = 3, 44, 45
_LONGEST_SCAN_S, _STEP_S = 20.0, 0.1
_GROUPS = ("scan", "regulatory")
_REFUSAL = "{name} cannot be read: {{why}}."
_CACHED = (
    "This user may not scan: read is what the system hears by itself, each time that it scans. As root it scans every "
    "{interval:g} s."
)


class Asked(Protocol):
    """What `Kernel` is, or stands in for it."""

    def ask(self, command: int, content: bytes, *, is_dump: bool) -> bytes: ...

    def events(self, wait_s: float) -> list[tuple[int, dict[int, bytes]]]: ...

    def close(self) -> None: ...


def _kernel() -> Asked:
    return Kernel("nl80211", _GROUPS)


class KernelScans:
    """A live source: the answers to our own scans and to those of others."""

    kind = "scan live"

    def __init__(
        self,
        uri: Uri,
        interface: str,
        opened: Callable[[], Asked] = _kernel,
        index_of: Callable[[str], int] = socket.if_nametoindex,
    ) -> None:
        """`nl80211:IFACE`, with ?interval=10s, ?channels=1,6,11,36 and ?passive=yes.

        Raises: KettleError, with what is wrong.
        """
        uri.refuse_unknown("interval", "channels", "passive")
        self.name, self.notes = f"this computer ({interface})", Notes()
        self._interface = interface_of(interface, uri)
        self._interval_s = uri.seconds("interval", INTERVAL_S, LEAST_INTERVAL_S)
        passive = uri.options.get("passive", "no")
        if passive not in ("yes", "no"):
            raise KettleError(f"{uri.shown}: passive is yes or no.")
        self._wanted = b"" if passive == "yes" else attribute(_NAMES, attribute(1, b""))
        if tuned := channels_of(uri):
            parts = [struct.pack("=I", round(centre_hz(*one) / 1e6)) for one in tuned]
            self._wanted += attribute(_FREQUENCIES, b"".join(attribute(n, p) for n, p in enumerate(parts)))
        self._opened, self._index_of = opened, index_of
        self._read_s = 0.0  # when the last answer was read

    def pieces(self, is_cancelled: IsCancelled) -> Generator[Piece]:
        """Three pieces a scan, until cancelled. Raises: KettleError, when it cannot be read at all."""
        refusal = _REFUSAL.format(name=self.name)
        yield from retried(lambda: self._rounds(is_cancelled), self.notes, is_cancelled, refusal)

    def _rounds(self, is_cancelled: IsCancelled) -> Generator[Piece]:
        try:
            ours = attribute(_INTERFACE, struct.pack("=I", self._index_of(self._interface)))
        except OSError as error:
            raise LostError(f"There is no interface {self._interface}") from error
        kernel = self._opened()
        try:
            may_scan = True
            yield from self._answers(kernel, ours)  # what the system heard before
            while not is_cancelled():
                due_s = time.monotonic() + self._interval_s
                if may_scan:
                    may_scan = self._trigger(kernel, ours)
                until_s = time.monotonic() + _LONGEST_SCAN_S
                while not is_cancelled():
                    is_scanned = self._is_scanned(kernel, ours)
                    if is_scanned:
                        yield from self._answers(kernel, ours)
                    if may_scan and is_scanned:
                        until_s = due_s  # others may scan meanwhile
                    if may_scan and time.monotonic() >= until_s:
                        break
        finally:
            kernel.close()

    def _trigger(self, kernel: Asked, ours: bytes) -> bool:
        """Ask for a scan; whether this user may. One that runs already does as well."""
        try:
            kernel.ask(_TRIGGER_SCAN, ours + self._wanted, is_dump=False)
        except RefusedError as error:
            if error.number in (errno.EPERM, errno.EACCES):
                self.notes.say(_CACHED.format(interval=self._interval_s))
                return False
            if error.number == errno.EBUSY:
                return True
            why = {
                errno.ENETDOWN: "it is down (ip link set it up)",
                errno.EINVAL: "it cannot scan these channels",
            }
            raise LostError(
                f"{self._interface} does not scan: {why.get(error.number, str(error))}"
            ) from error
        return True

    def _is_scanned(self, kernel: Asked, ours: bytes) -> bool:
        """Whether a scan of this interface ended within a moment."""
        found = False
        for command, said in kernel.events(_STEP_S):
            if command == _RULES_CHANGED:
                self.notes.say(f"The regulatory rules of this computer changed at {clock(time.time())}.")
            elif command in (_SCANNED, _ABORTED) and said.get(_INTERFACE) == ours[4:8]:
                found = True
        return found

    def _answers(self, kernel: Asked, ours: bytes) -> Generator[Piece]:
        """What was heard since the last answer, and the counters."""
        raw, now_s = kernel.ask(_GET_SCAN, ours, is_dump=True), time.time()
        try:
            piece = ScanAnswers().answer(raw, ORDER, now_s)
        except DecodeError as error:
            self.notes.say(f"An answer of the kernel is damaged: {error}.")
            return
        is_new = piece.sightings.time_s > self._read_s
        self._read_s = now_s
        yield replace(piece, sightings=piece.sightings.rows(is_new))
        for command, read in ((_GET_SURVEY, surveys_of), (_GET_STATION, stations_of)):
            try:
                yield read(kernel.ask(command, ours, is_dump=True), ORDER, now_s)
            except RefusedError:
                continue  # this driver counts nothing
