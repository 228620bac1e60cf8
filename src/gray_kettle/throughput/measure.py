"""One run of a measurement: delay without load, download, delay under load, upload, loss."""

import math
import ssl
import statistics
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from urllib.parse import urlsplit, urlunsplit

import httpx

from gray_kettle.errors import InvalidInput, KettleError
from gray_kettle.safe_text import printable
from gray_kettle.throughput.echo import Echoes, echoes
from gray_kettle.throughput.load import Load, rate_of

_TRY_S, _IDLE_S, _EVERY_S, _HTTP_EVERY_S = 0.5, 3.0, 0.1, 0.25
_SKIP_S = 1.5
_FEWEST = 5  # answers, before a delay is given
_TIMEOUT_S = 3.0


@dataclass(frozen=True)
class Target:
    """url: of a responder, where there is a token, else of anything large that can be read. most_octets: of each
    direction. ca: a file with the certificate that a responder with TLS shows.
    """

    url: str
    token: str = ""
    seconds: float = 8.0
    streams: int = 4
    most_octets: int = 400 << 20
    ca: str = ""

    def __post_init__(self) -> None:
        parts = urlsplit(self.url)
        if parts.scheme not in ("http", "https") or not parts.hostname:
            raise InvalidInput(
                f"“{printable(self.url)}” is not a URL to measure against: write for example http://10.0.0.5:8808/."
            )
        if not 2 <= self.seconds <= 60 or not 1 <= self.streams <= 16 or self.most_octets < 1 << 20:
            raise InvalidInput("A run takes 2 to 60 s, in 1 to 16 streams, with 1 MB or more.")

    @property
    def verify(self) -> "ssl.SSLContext | bool":
        return ssl.create_default_context(cafile=self.ca) if self.ca else True

    @property
    def headers(self) -> dict[str, str]:
        return {"Authorization": f"Bearer {self.token}"} if self.token else {}

    def at(self, path: str, query: str = "") -> str:
        parts = urlsplit(self.url)
        return urlunsplit((parts.scheme, parts.netloc, path, query, "")) if self.token else self.url


@dataclass(frozen=True)
class Speed:
    """Rates in Mb/s, delays in ms (medians), loss as a share; NaN where it was not measured. notes: why not."""

    down_mbps: float
    up_mbps: float
    idle_ms: float
    loaded_ms: float
    loss: float
    notes: tuple[str, ...]


def measure(
    target: Target,
    progress: Callable[[str, float], None] = lambda what, share: None,
    is_cancelled: Callable[[], bool] = lambda: False,
) -> Speed | None:
    """One run; None where it was cancelled. Raises: KettleError, where nothing can be reached."""
    check(target)
    notes: list[str] = []
    progress("delay", 0.0)
    by_datagrams = bool(target.token and _echoes(target, _after(_TRY_S, is_cancelled)).delays_s)
    idle, idle_loss = _delays(target, by_datagrams, _after(_IDLE_S, is_cancelled))
    down, loaded, loss = _loaded(target, "down", by_datagrams, progress, is_cancelled, notes)
    up = math.nan
    if target.token:
        up, _, _ = _loaded(target, "up", by_datagrams, progress, is_cancelled, notes)
        if not by_datagrams:
            notes.append("Loss was not measured: datagrams do not come through.")
    else:
        notes.append("Upload and loss need a responder.")
    if is_cancelled():
        return None
    known = [share for share in (idle_loss, loss) if not math.isnan(share)]
    lost = sum(known) / len(known) if known else math.nan
    return Speed(_mbps(down), _mbps(up), _ms(idle), _ms(loaded), lost, tuple(dict.fromkeys(notes)))


def check(target: Target) -> None:
    """Raises: KettleError, where there is no answer, or a refusal."""
    try:
        with _client(target) as client, client.stream("GET", target.at("/echo")) as response:
            status = response.status_code
    except (httpx.HTTPError, httpx.InvalidURL, OSError) as error:
        raise KettleError(
            f"{printable(target.url)} does not answer ({printable(str(error))}): is the responder running, and is this "
            "device in the right network?"
        ) from error
    if status == 401:
        raise KettleError(
            f"{printable(target.url)} refuses the token: it is the one that `responder` printed."
        )
    if status >= 400:
        what = "is no responder" if target.token else "cannot be read"
        raise KettleError(f"{printable(target.url)} {what} (status {status}).")


def _client(target: Target) -> httpx.Client:
    return httpx.Client(
        headers=target.headers,
        timeout=_TIMEOUT_S,
        verify=target.verify,
        follow_redirects=True,
        trust_env=False,
    )


def _loaded(
    target: Target,
    direction: str,
    by_datagrams: bool,
    progress: Callable[[str, float], None],
    is_cancelled: Callable[[], bool],
    notes: list[str],
) -> tuple[float, list[float], float]:
    """(octets a second, delays meanwhile in s, loss)."""
    url = target.at(f"/{direction}")
    load = Load(url, direction, target.headers, target.streams, target.most_octets, target.verify)
    over = threading.Event()
    found: list[tuple[list[float], float]] = []
    asking = threading.Thread(
        target=lambda: found.append(_delays(target, by_datagrams, over.is_set)), daemon=True
    )
    asking.start()
    name = "download" if direction == "down" else "upload"
    rate = rate_of(load, target.seconds, _SKIP_S, lambda share: progress(name, share), is_cancelled)
    over.set()
    asking.join(_TIMEOUT_S + 2)
    notes += [f"{name}: {printable(error)}." for error in load.errors]
    if math.isnan(rate) and not load.errors and not is_cancelled():
        notes.append(f"{name}: it was over before it could be measured; read something larger.")
    delays_s, loss = found[0] if found else ([], math.nan)
    return rate, delays_s, loss


def _delays(target: Target, by_datagrams: bool, is_over: Callable[[], bool]) -> tuple[list[float], float]:
    """Delays until it is over, and the share of questions without an answer (NaN by HTTP: TCP sends again)."""
    if not by_datagrams:
        return _http_delays(target, is_over), math.nan
    found = _echoes(target, is_over)
    return list(found.delays_s), found.loss


def _echoes(target: Target, is_over: Callable[[], bool]) -> Echoes:
    parts = urlsplit(target.url)
    port = parts.port or (443 if parts.scheme == "https" else 80)
    try:
        return echoes(parts.hostname or "", port, target.token, _EVERY_S, is_over)
    except OSError:
        return Echoes((), 0)


def _http_delays(target: Target, is_over: Callable[[], bool]) -> list[float]:
    """Of requests for a head alone, on one connection; the first sets it up and does not count."""
    out: list[float] = []
    try:
        with _client(target) as client:
            while not is_over():
                start_s = time.perf_counter()
                client.head(target.at("/echo"))
                out.append(time.perf_counter() - start_s)
                time.sleep(_HTTP_EVERY_S)
    except (httpx.HTTPError, OSError):
        pass  # what was measured until then counts
    return out[1:]


def _after(seconds: float, is_cancelled: Callable[[], bool]) -> Callable[[], bool]:
    end_s = time.monotonic() + seconds
    return lambda: is_cancelled() or time.monotonic() >= end_s


def _mbps(octets_per_s: float) -> float:
    return octets_per_s * 8 / 1e6


def _ms(delays_s: list[float]) -> float:
    return 1000 * statistics.median(delays_s) if len(delays_s) >= _FEWEST else math.nan
