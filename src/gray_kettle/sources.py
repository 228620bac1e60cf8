"""Every source that can be collected from, by URI: how it is opened, what it is for, and what is here.

A new live source is added here: see CONTRIBUTING.md, "A source".
"""

import math
import shlex
import subprocess
import sys
import time
from collections.abc import Callable, Generator, Iterator
from contextlib import ExitStack, closing, contextmanager
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import TYPE_CHECKING

from gray_kettle.collect.files import SweepOptions, open_file, open_stream
from gray_kettle.collect.ingest import TakeResult, ingest, take_live
from gray_kettle.collect.live import uri as uris
from gray_kettle.collect.live.source import LiveSource, LostError, TakeControl
from gray_kettle.collect.live.uri import Uri
from gray_kettle.errors import KettleError
from gray_kettle.model.records import Piece
from gray_kettle.safe_text import printable
from gray_kettle.store import Case

if TYPE_CHECKING:
    from gray_kettle.collect.files import Source
    from gray_kettle.collect.live.folder import WatchedFolder
    from gray_kettle.collect.probe.broker import Broker

IsCancelled = Callable[[], bool]


@dataclass(frozen=True)
class Wish:
    """How something is to be taken. seconds: for how long, from a source that does not end by itself."""

    spot: str = ""
    seconds: float = math.inf
    sweeps: SweepOptions = field(default_factory=SweepOptions)
    is_cancelled: IsCancelled = lambda: False
    on_piece: Callable[[Piece], None] = lambda piece: None
    progress: Callable[[int, int], None] = lambda done, total: None
    control: TakeControl | None = None  # what a person changes while it runs; its spot counts then


@dataclass(frozen=True)
class SourceKind:
    """One kind of source. example: how it is written. missing: what lacks here, and how to get it; "" for nothing.

    here: URIs of what is there to be used at once.
    """

    scheme: str
    title: str
    example: str
    missing: Callable[[], str] = lambda: ""
    here: Callable[[], tuple[str, ...]] = lambda: ()
    is_bare: bool = True  # the rest after the scheme is taken as it is; else it may end in ?options


def kind_of(name: str) -> SourceKind | None:
    """The kind that a name on the command line means; None for the path of a file."""
    found = uris.parse(name)
    return _BY_SCHEME.get(found.scheme) if found is not None and not Path(name).exists() else None


def check(name: str) -> None:
    """Whether a live source can be named so, without reaching for it. Raises: KettleError, with what is wrong."""
    kind = kind_of(name)
    if kind is not None and kind.scheme in _LIVE:
        _LIVE[kind.scheme](_uri(name, kind))
    elif kind is not None and kind.scheme == "watch":
        _folder(_uri(name, kind))
    elif kind is not None and kind.scheme in _MQTT:
        _broker(_uri(name, kind))


def _uri(name: str, kind: SourceKind) -> Uri:
    found = uris.parse(name, has_options=not kind.is_bare)
    assert found is not None  # else it would be of no kind
    return found


def take_from(case: Case, name: str, wish: Wish) -> list[TakeResult]:
    """Take a file or from a live source, until it ends, the time is over, or it is cancelled.

    Raises: KettleError, when nothing of it could be used; what was read before is stored.
    """
    kind = kind_of(name)
    if kind is None:
        if name in _interfaces():
            raise KettleError(
                f"{printable(name)} is an interface, not a file: take it as wifi:{printable(name)}."
            )
        if (known := uris.parse(name)) is not None and not Path(name).exists() and "/" not in known.scheme:
            raise KettleError(
                f"{printable(name)} is neither a file nor a source: `gray-kettle sources` lists what can be used."
            )
        return [_ingested(case, open_file(Path(name), wish.sweeps, wish.is_cancelled), wish)]
    until_s = time.monotonic() + wish.seconds

    def is_over() -> bool:
        return wish.is_cancelled() or time.monotonic() >= until_s

    uri = _uri(name, kind)
    if kind.scheme in _MANY:
        return list(_MANY[kind.scheme](case, uri, wish, is_over))
    with ExitStack() as stack:
        if kind.scheme in _STREAMS:
            return [_ingested(case, _stream(uri, wish, is_over, stack), wish, is_over)]
        source = _LIVE[kind.scheme](uri)
        return [
            take_live(
                case,
                source,
                wish.spot,
                seconds=wish.seconds,
                on_piece=wish.on_piece,
                is_cancelled=wish.is_cancelled,
                control=wish.control,
            )
        ]


@dataclass(frozen=True)
class OpenSource:
    """One source that is being listened to. notes are complete once the pieces are through."""

    name: str
    kind: str
    notes: list[str]
    pieces: Generator[Piece]


@contextmanager
def listening(name: str, wish: Wish) -> Iterator[OpenSource]:
    """What a live source hears, without a case. Raises: KettleError, where it is none, or cannot be opened."""
    kind = kind_of(name)
    if kind is None or kind.scheme in _MANY:
        raise KettleError(
            f"{printable(name)} is nothing to listen to: `gray-kettle sources` lists what is, for example wifi:."
        )
    until_s = time.monotonic() + wish.seconds

    def is_over() -> bool:
        return wish.is_cancelled() or time.monotonic() >= until_s

    uri = _uri(name, kind)
    with ExitStack() as stack:
        if kind.scheme in _STREAMS:
            stream = _stream(uri, wish, is_over, stack)
            stack.callback(stream.input_stream.close)
            opened = OpenSource(stream.input_stream.name, stream.kind, stream.notes, stream.pieces())
        else:
            source = _LIVE[kind.scheme](uri)
            opened = OpenSource(source.name, source.kind, source.notes, source.pieces(is_over))
        stack.callback(opened.pieces.close)
        yield opened


def _ingested(case: Case, source: "Source", wish: Wish, is_over: IsCancelled | None = None) -> TakeResult:
    return ingest(
        case,
        source,
        wish.spot,
        progress=wish.progress,
        is_cancelled=is_over or wish.is_cancelled,
        on_piece=wish.on_piece,
    )


# Streams: what comes is read as a file is


def _stream(uri: Uri, wish: Wish, is_over: IsCancelled, stack: ExitStack) -> "Source":
    """What a pipe, standard input or a program gives."""
    if not uri.rest.strip():
        raise KettleError(f"{uri.shown} names nothing: write for example {_BY_SCHEME[uri.scheme].example}.")
    from gray_kettle.collect.live.growing import grown, is_growing

    path = Path(uri.rest)
    if is_growing(path):
        return open_stream(stack.enter_context(grown(path, is_over)), path.name, wish.sweeps, is_over)
    if uri.rest == "-" or path.exists():
        return open_file(Path(uri.rest), wish.sweeps, is_over)
    words = _words(uri)
    if uri.scheme != "sweep" or not words:
        raise KettleError(f"{uri.shown}: {printable(uri.rest) or 'nothing'} does not exist.")
    from gray_kettle.collect.live.command import is_installed, running

    if not is_installed(words[0]):
        raise KettleError(f"{uri.shown}: there is neither a file nor a program “{printable(words[0])}”.")
    try:
        process = stack.enter_context(running(words, errors=subprocess.DEVNULL))
    except LostError as error:
        raise KettleError(f"{uri.shown}: {error}.") from error
    assert process.stdout is not None
    return open_stream(process.stdout.fileno(), printable(words[0]), wish.sweeps, is_over)


def _words(uri: Uri) -> list[str]:
    try:
        return shlex.split(uri.rest)
    except ValueError as error:
        raise KettleError(f"{uri.shown}: {error}.") from error


# A folder


def _folder(uri: Uri) -> "WatchedFolder":
    from gray_kettle.collect.live.folder import WatchedFolder

    return WatchedFolder(uri)


def _from_folder(case: Case, uri: Uri, wish: Wish, is_over: IsCancelled) -> Iterator[TakeResult]:
    """One take a file; a file that cannot be read is reported among the others."""
    with closing(_folder(uri).files(is_over)) as files:
        for path in files:
            try:
                yield _ingested(case, open_file(path, wish.sweeps, is_over), wish, is_over)
            except KettleError as error:
                yield TakeResult(printable(path.name), "not read", 0, 0, (str(error),), None)


# A broker


def _broker(uri: Uri) -> "Broker":
    from gray_kettle.collect.probe.broker import broker_of

    return broker_of(uri)


def _from_broker(case: Case, uri: Uri, wish: Wish, is_over: IsCancelled) -> Iterator[TakeResult]:
    """One take for each probe, source and spot."""
    from gray_kettle.collect.probe.collect import Collection

    yield from Collection(case, _broker(uri), wish.spot).run(is_over, wish.on_piece)


_MQTT = ("mqtt", "mqtts")
_MANY: dict[str, Callable[[Case, Uri, Wish, IsCancelled], Iterator[TakeResult]]] = {
    "watch": _from_folder,
    **dict.fromkeys(_MQTT, _from_broker),
}


# Live


def _scpi(uri: Uri) -> LiveSource:
    from gray_kettle.collect.live.scpi import Analyser

    return Analyser(uri.text)


def _wifi(uri: Uri) -> LiveSource:
    from gray_kettle.collect.live.system_wifi import open_system_wifi

    return open_system_wifi(uri)


def _kernel(uri: Uri) -> LiveSource:
    from gray_kettle.collect.live.kernel_scans import KernelScans

    if lack := _kernel_missing():
        raise KettleError(f"{uri.shown} cannot be used. {lack}")
    return KernelScans(uri, uri.rest or next(iter(_interfaces()), ""))


def _monitor(uri: Uri) -> LiveSource:
    from gray_kettle.collect.live.monitor import MonitorCapture

    return MonitorCapture(uri)


def _ssh(uri: Uri) -> LiveSource:
    from gray_kettle.collect.live.ssh import RemoteListings

    return RemoteListings(uri)


def _simulation(uri: Uri) -> LiveSource:
    from gray_kettle.simulator.live import SimulatedAir

    uri.refuse_unknown("speed", "seed")
    try:
        speed, seed = float(uri.options.get("speed", "1")), int(uri.options.get("seed", "1"))
    except ValueError as error:
        raise KettleError(
            f"{uri.shown}: speed and seed are numbers, for example sim:pier?speed=60&seed=1."
        ) from error
    return SimulatedAir(uri.rest or "ticket hall", speed, seed)


_LIVE: dict[str, Callable[[Uri], LiveSource]] = {
    "scpi": _scpi,
    "wifi": _wifi,
    "nl80211": _kernel,
    "monitor": _monitor,
    "ssh": _ssh,
    "sim": _simulation,
}
_STREAMS = ("pcap", "sweep", "fft")


# What there is


def _wifi_missing() -> str:
    from gray_kettle.collect.live.system_wifi import missing

    return missing()


def _wifi_here() -> tuple[str, ...]:
    from gray_kettle.collect.live.system_wifi import interfaces

    if _wifi_missing():
        return ()
    return tuple(f"wifi:{name}" for name in interfaces()) or ("wifi:",)


def _kernel_missing() -> str:
    if not sys.platform.startswith("linux"):
        return "It is of Linux only: use wifi:."
    return "" if _interfaces() else _wifi_missing()


def _kernel_here() -> tuple[str, ...]:
    return tuple(f"nl80211:{name}" for name in _interfaces())


def _monitor_missing() -> str:
    from gray_kettle.collect.live import monitor, system_wifi
    from gray_kettle.collect.live.command import is_installed

    names = system_wifi.interfaces()
    if monitor.interfaces() and is_installed("iw"):
        return ""
    if not names:
        return "No Wi-Fi interface could be set to monitor mode."
    return (
        f"{names[0]}: {monitor.missing(names[0])}"
        if is_installed("iw")
        else "The program iw is not installed."
    )


def _monitor_here() -> tuple[str, ...]:
    from gray_kettle.collect.live.monitor import interfaces

    return tuple(f"monitor:{name}" for name in interfaces())


def _interfaces() -> tuple[str, ...]:
    from gray_kettle.collect.live.system_wifi import interfaces

    return interfaces()


def _ssh_missing() -> str:
    from gray_kettle.collect.live.command import is_installed

    return (
        ""
        if is_installed("ssh")
        else "The program ssh is not installed (Debian: apt install openssh-client)."
    )


KINDS = (
    SourceKind(
        "wifi", "The Wi-Fi of this computer", "wifi: or wifi:wlan0?interval=10s", _wifi_missing, _wifi_here, False
    ),
    SourceKind(
        "nl80211", "The same, asked of the Linux kernel", "nl80211:wlan0?channels=1,6,11&passive=yes",
        _kernel_missing, _kernel_here, False
    ),
    SourceKind(
        "monitor", "Frames in monitor mode", "monitor:wlan1?channels=1,6,11,36&dwell=250ms", _monitor_missing,
        _monitor_here, False
    ),
    SourceKind(
        "ssh", "An access point or probe with iw", "ssh://root@192.0.2.1/wlan0", _ssh_missing, is_bare=False
    ),
    SourceKind("scpi", "A spectrum analyser", "scpi://192.0.2.7:5025?start=2400MHz&stop=2490MHz", is_bare=False),
    SourceKind("sweep", "Any program or pipe that prints sweeps", "sweep:PROGRAM … or sweep:PIPE or sweep:-"),
    SourceKind("pcap", "A capture that is being written", "pcap:FILE or pcap:PIPE or pcap:-"),
    SourceKind("fft", "Spectral records of a Wi-Fi card", "fft:/path/of/the/relay/file"),
    SourceKind("mqtt", "Probes, through an MQTT broker", "mqtt://broker.example/site (mqtts: with TLS)", is_bare=False),
    SourceKind("watch", "A folder in which files arrive", "watch:FOLDER"),
    SourceKind(
        "sim", "A simulated site, to try things out", "sim:pier?speed=60&seed=1", here=lambda: ("sim:",), is_bare=False
    ),
)  # fmt: skip


@dataclass(frozen=True)
class SourceState:
    """One kind with what is here of it. missing: "" where it can be used."""

    kind: SourceKind
    missing: str
    here: tuple[str, ...]


def found_here() -> tuple[SourceState, ...]:
    """Every kind of source, and what of it this computer has now."""
    return tuple(SourceState(kind, kind.missing(), kind.here()) for kind in KINDS)


_BY_SCHEME = {kind.scheme: kind for kind in KINDS}
_BY_SCHEME["mqtts"] = replace(_BY_SCHEME["mqtt"], scheme="mqtts")
