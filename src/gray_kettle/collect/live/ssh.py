"""An access point or probe as the sensor: `iw` on it, through the system's ssh, with keys or an agent."""

import re
import shlex
import time
from collections.abc import Generator

from gray_kettle.collect.live.command import is_installed, output_of
from gray_kettle.collect.live.listings import INTERVAL_S, LEAST_INTERVAL_S, read_listing
from gray_kettle.collect.live.source import IsCancelled, LostError, Notes, retried, wait
from gray_kettle.collect.live.uri import Uri, interface_of
from gray_kettle.errors import KettleError
from gray_kettle.model.records import Piece

_TARGET = re.compile(
    r"//(?:(?P<user>[A-Za-z0-9_][\w.-]*)@)?(?P<host>[A-Za-z0-9\[][\w.:\[\]-]*?)(?::(?P<port>\d+))?/(?P<interface>[^/]+)"
)
_MARK = "gray-kettle-next-listing"
_DEADLINE_S = 40.0
_OPTIONS = ("-T", "-o", "BatchMode=yes", "-o", "ConnectTimeout=8", "-o", "ServerAliveInterval=5",
            "-o", "ServerAliveCountMax=2")  # fmt: skip
_REFUSAL = "{name} cannot be used: {{why}}. `{login} true` must ask for nothing: use a key (ssh-copy-id) or an agent."


class RemoteListings:
    """A live source: every so often a scan and the counters of a device that is reached by ssh."""

    kind = "scan live"

    def __init__(self, uri: Uri) -> None:
        """`ssh://user@host[:port]/IFACE`, with ?interval=, ?identity=FILE. Raises: KettleError, where it is none."""
        uri.refuse_unknown("interval", "identity")
        match = _TARGET.fullmatch(uri.rest)
        if match is None:
            raise KettleError(f"{uri.shown}: write for example ssh://root@192.0.2.1/wlan0.")
        if not is_installed("ssh"):
            raise KettleError(
                f"{uri.shown}: the program ssh is not installed (Debian: apt install openssh-client)."
            )
        interface = interface_of(match["interface"], uri)
        host = match["host"].strip("[]")
        self.name, self.notes = f"{host} {interface}", Notes()
        self._interval_s = uri.seconds("interval", INTERVAL_S, LEAST_INTERVAL_S)
        target = f"{match['user']}@{host}" if match["user"] else host
        port = ("-p", match["port"]) if match["port"] else ()
        identity = (
            ("-i", uri.options["identity"], "-o", "IdentitiesOnly=yes") if "identity" in uri.options else ()
        )
        self._login = ("ssh", *_OPTIONS, *port, *identity, "--", target)
        self._shown_login = shlex.join(("ssh", *port, *identity[:2], target))
        dev = f"iw dev {shlex.quote(interface)}"
        self._script = "; ".join(
            (
                f"{dev} scan -u 2>/dev/null || {dev} scan 2>/dev/null || {dev} scan dump || exit 9",
                f"echo {_MARK}; {dev} survey dump 2>/dev/null",
                f"echo {_MARK}; {dev} station dump 2>/dev/null",
                "true",
            )
        )

    def pieces(self, is_cancelled: IsCancelled) -> Generator[Piece]:
        """One piece a listing, until cancelled. Raises: KettleError, when it cannot be reached a first time."""
        refusal = _REFUSAL.format(name=self.name, login=self._shown_login)
        yield from retried(lambda: self._rounds(is_cancelled), self.notes, is_cancelled, refusal)

    def _rounds(self, is_cancelled: IsCancelled) -> Generator[Piece]:
        while not is_cancelled():
            began_s = time.monotonic()
            try:
                text = output_of((*self._login, self._script), is_cancelled, _DEADLINE_S)
            except LostError as error:
                raise LostError(
                    f"{self.name} gives no listing: {str(error).rpartition(' (')[2].rstrip(')')}"
                ) from error
            if is_cancelled():
                return
            for number, part in enumerate(text.split(f"{_MARK}\n".encode())):
                yield from read_listing(part, time.time(), self.notes.say, is_scan=number == 0)
            wait(self._interval_s - (time.monotonic() - began_s), is_cancelled)
