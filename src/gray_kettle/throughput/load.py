"""Load over HTTP: several streams in threads, with a count of octets that others may read meanwhile."""

import os
import ssl
import threading
import time
from collections.abc import Callable, Iterator

import httpx

_CHUNK = 1 << 18
_CONNECT_S, _STALL_S = 5.0, 8.0
_TICK_S = 0.05


class Load:
    """Streams that run from start() until stop() or the limit of octets. errors: of those that ended early, each once.

    direction: "down", or "up" (a responder alone takes that). url: what is read, or posted to.
    """

    def __init__(
        self,
        url: str,
        direction: str,
        headers: dict[str, str],
        streams: int,
        most_octets: int,
        verify: "ssl.SSLContext | bool" = True,
    ) -> None:
        self._url, self._direction, self._headers = url, direction, headers
        self._most_octets, self._verify = most_octets, verify
        self._ended, self._lock = threading.Event(), threading.Lock()
        self._octets = 0
        self.errors: list[str] = []
        self._threads = [threading.Thread(target=self._run, daemon=True) for _ in range(streams)]

    @property
    def octets(self) -> int:
        return self._octets

    @property
    def is_running(self) -> bool:
        return any(thread.is_alive() for thread in self._threads)

    def start(self) -> None:
        for thread in self._threads:
            thread.start()

    def stop(self) -> None:
        """End all streams, and wait for them."""
        self._ended.set()
        for thread in self._threads:
            thread.join(_STALL_S)

    def _run(self) -> None:
        timeout = httpx.Timeout(_STALL_S, connect=_CONNECT_S)
        try:
            with httpx.Client(
                headers=self._headers,
                timeout=timeout,
                verify=self._verify,
                follow_redirects=True,
                trust_env=False,
            ) as client:
                while not self._ended.is_set():
                    self._once(client)
        except (httpx.HTTPError, OSError) as error:
            text = str(error) or type(error).__name__
            with self._lock:
                if text not in self.errors:
                    self.errors.append(text)

    def _once(self, client: httpx.Client) -> None:
        if self._direction == "up":
            client.post(self._url, content=self._sent()).raise_for_status()
            return
        with client.stream("GET", self._url) as response:
            response.raise_for_status()
            before = self._octets
            for part in response.iter_raw(_CHUNK):
                if self._counted(len(part)):
                    return
            if self._octets == before:  # an empty answer: do not ask as fast as can be
                time.sleep(_TICK_S)

    def _sent(self) -> Iterator[bytes]:
        noise = os.urandom(1 << 16)  # nothing on the way can compress it
        while not self._counted(len(noise)):
            yield noise

    def _counted(self, octets: int) -> bool:
        """Add octets; whether it is the end."""
        with self._lock:
            self._octets += octets
            if self._octets >= self._most_octets:
                self._ended.set()
        return self._ended.is_set()


def rate_of(
    load: Load,
    seconds: float,
    skip_s: float,
    progress: Callable[[float], None],
    is_cancelled: Callable[[], bool],
) -> float:
    """Run a load and give octets a second, without its first seconds, in which TCP finds its window.

    A load that its limit ends before twice those seconds counts as a whole: octets are counted as they are handed
    over, and it may have waited for its answer only. NaN where nothing came, or it was cancelled.
    """
    load.start()
    begin_s = time.perf_counter()
    seen: list[tuple[float, int]] = []
    while (passed_s := time.perf_counter() - begin_s) < seconds and load.is_running and not is_cancelled():
        seen.append((passed_s, load.octets))
        progress(min(passed_s / seconds, 1.0))
        time.sleep(_TICK_S)
    end_s, octets = time.perf_counter() - begin_s, load.octets
    load.stop()
    from_s = 0.0 if end_s < min(2 * skip_s, seconds) else min(skip_s, seconds / 2)
    counted = [pair for pair in seen if pair[0] >= from_s]
    if is_cancelled() or not octets or not counted or end_s - counted[0][0] < _TICK_S:
        return float("nan")
    first_s, first = counted[0]
    return (octets - first) / (end_s - first_s)
