"""The command `probe`: listen here, and send what is heard to a case elsewhere."""

import math
import re
import socket
import sys
import threading
import time
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gray_kettle.cli.stopping import INTERRUPTED, stop_on_signals
from gray_kettle.errors import InvalidInput, KettleError

if TYPE_CHECKING:
    from gray_kettle.collect.probe.publish import Publisher
    from gray_kettle.collect.probe.queue import ProbeQueue
    from gray_kettle.sources import Wish

_SAY_EVERY_S, _LOOK_S, _LAST_WAIT_S = 10.0, 0.2, 5.0


def probe(
    sources: Annotated[list[str], typer.Argument(metavar="SOURCE…", help="Live sources, as of `take`.")],
    to: Annotated[
        str,
        typer.Option(
            "--to",
            help="Broker and topic, for example mqtts://user@broker.example/site; the password is "
            "read from GRAY_KETTLE_MQTT_PASSWORD.",
        ),
    ],
    name: Annotated[
        str, typer.Option("--name", help="Of this probe; the name of the computer, if not given.")
    ] = "",
    spot: Annotated[str, typer.Option("--spot", help="Where this probe is.")] = "",
    for_: Annotated[str, typer.Option("--for", help="How long, for example 10m, 48h; until ctrl+c.")] = "",
    queue: Annotated[
        Path | None, typer.Option("--queue", help="File that holds what no case has stored yet.")
    ] = None,
    most_mb: Annotated[
        float, typer.Option("--most", help="MB that the queue may take; beyond it the oldest goes.")
    ] = 200.0,
) -> None:
    """Listen here, and send what is heard through an MQTT broker into a case that takes from the same address.

    What no case has stored yet is kept on disk, through outages and restarts.
    """  # fmt: skip
    from gray_kettle.collect.live.source import wait
    from gray_kettle.collect.live.uri import duration_s, parse
    from gray_kettle.collect.probe.broker import EXAMPLE, broker_of
    from gray_kettle.collect.probe.publish import Publisher
    from gray_kettle.collect.probe.queue import LEAST_BYTES, ProbeQueue
    from gray_kettle.collect.probe.topics import checked_name
    from gray_kettle.sources import Wish, check

    address = parse(to)
    if address is None or address.scheme not in ("mqtt", "mqtts"):
        raise InvalidInput(f"--to is a broker and a topic, for example {EXAMPLE}.")
    seconds = duration_s(for_) if for_ else math.inf
    most_bytes = most_mb * 1e6
    if seconds is None or not LEAST_BYTES <= most_bytes < math.inf:
        raise InvalidInput("--for is a duration such as 10m or 48h, --most a size from 2 in MB.")
    name = checked_name(
        name or re.sub(r"[^A-Za-z0-9._-]", "-", socket.gethostname())[:40].lstrip("._-") or "probe"
    )
    broker = broker_of(address)
    for source in sources:
        check(source)
    held = ProbeQueue(queue or _queue_path(name), int(most_bytes))
    with stop_on_signals() as is_stopped:
        publisher = Publisher(broker, name, held)
        publisher.open()
        try:
            listeners = _Listeners(sources, Wish(spot, seconds, is_cancelled=is_stopped), held)
            print(f"Probe {name} sends to {broker.shown}; what waits is in {held.path}.", file=sys.stderr)
            said = _Said(publisher, held)
            while listeners.are_running and not publisher.connection.is_denied:
                said.say_when_due()
                wait(_LOOK_S, lambda: not listeners.are_running)
            denied = publisher.connection.is_denied
            if denied:
                listeners.end()
            publisher.drain(_LAST_WAIT_S, is_stopped)
        finally:
            publisher.close()
    left, dropped = publisher.waiting, held.dropped
    held.close()
    print(_end_sentence(left, dropped))
    if listeners.fault is not None:
        raise listeners.fault
    if denied:
        raise KettleError(f"The broker {broker.shown} cannot be used: {publisher.connection.refusal}.")
    if listeners.failed == len(sources):
        raise typer.Exit(1)
    if is_stopped():
        raise typer.Exit(INTERRUPTED)


class _Listeners:
    """The sources, each in a thread that puts what it hears into the queue."""

    def __init__(self, names: list[str], wish: "Wish", held: "ProbeQueue") -> None:
        from dataclasses import replace

        self._ended = threading.Event()
        self._held, self.failed = held, 0
        self.fault: Exception | None = None
        self._complaints: set[str] = set()
        is_stopped = wish.is_cancelled
        wish = replace(wish, is_cancelled=lambda: is_stopped() or self._ended.is_set())
        self._threads = [threading.Thread(target=self._listen, args=(name, wish)) for name in names]
        for thread in self._threads:
            thread.start()

    @property
    def are_running(self) -> bool:
        return any(thread.is_alive() for thread in self._threads)

    def end(self) -> None:
        self._ended.set()
        for thread in self._threads:
            thread.join()

    def _listen(self, name: str, wish: "Wish") -> None:
        from gray_kettle.collect.probe.wire import Heard, body_of
        from gray_kettle.sources import listening

        try:
            with listening(name, wish) as source:
                for piece in source.pieces:
                    try:
                        self._held.put(
                            body_of(Heard(source.name, source.kind, wish.spot, piece)), time.time()
                        )
                    except KettleError as error:  # a full disk, say: what comes later may have room again
                        self._complain(str(error))
                    if wish.is_cancelled():
                        break
        except KettleError as error:
            self.failed += 1
            self._complain(str(error))
        except Exception as error:  # nobody else would see it in a thread
            self.fault = error

    def _complain(self, text: str) -> None:
        if text not in self._complaints:
            self._complaints.add(text)
            print(f"gray-kettle: {text}", file=sys.stderr)


class _Said:
    """What a probe says on the way: when the connection comes or goes, and how much waits."""

    def __init__(self, publisher: "Publisher", held: "ProbeQueue") -> None:
        self._publisher, self._held = publisher, held
        self._state, self._said_s = "", 0.0

    def say_when_due(self) -> None:
        connection = self._publisher.connection
        state = "connected" if connection.is_ready.is_set() else connection.refusal or "connecting"
        waiting = self._publisher.waiting
        if state != self._state or (waiting > 1 and time.monotonic() - self._said_s > _SAY_EVERY_S):
            self._state, self._said_s = state, time.monotonic()
            print(f"{time.strftime('%H:%M:%S')}  broker: {state}; {waiting:,} messages wait", file=sys.stderr)


def _end_sentence(left: int, dropped: int) -> str:
    lost = f" {dropped:,} were dropped, as the queue was full." if dropped else ""
    if left:
        return f"{left:,} messages wait for a case: they are sent when this probe runs again.{lost}"
    return f"No message waits.{lost}"


def _queue_path(name: str) -> Path:
    import platformdirs

    from gray_kettle.configuration import APP

    return platformdirs.user_state_path(APP) / f"probe-{name}.queue"
