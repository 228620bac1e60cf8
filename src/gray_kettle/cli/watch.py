"""The command `watch`: collect for hours or days without a screen, and say what happens."""

import json as json_text
import math
import shlex
import sys
import threading
import time
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from gray_kettle.cli.options import CasePath
from gray_kettle.cli.stopping import INTERRUPTED, stop_on_signals
from gray_kettle.cli.take import collect_one
from gray_kettle.errors import InvalidInput, KettleError

if TYPE_CHECKING:
    from gray_kettle.analysis.alerts import AlertWatch
    from gray_kettle.model.records import Alert
    from gray_kettle.sources import Wish

_WINDOW_S = 600.0
_LEAST_EVERY_S = 1.0
_MOST_A_MINUTE = 20  # alerts that are handed on; more are only printed
_HAND_ON_S = 10.0
_THIN_EVERY_S = 3600.0


def watch(
    case: CasePath,
    sources: Annotated[
        list[str] | None,
        typer.Argument(
            metavar="[SOURCE…]",
            help="Live sources, as of `take`; without one, what another process takes is watched.",
        ),
    ] = None,
    for_: Annotated[
        str, typer.Option("--for", help="How long, for example 90s, 10m, 48h; until ctrl+c.")
    ] = "",
    every: Annotated[str, typer.Option("--every", help="How often to look at what is new.")] = "30s",
    spot: Annotated[str, typer.Option("--spot", help="Where it is collected.")] = "",
    keep: Annotated[
        str,
        typer.Option("--keep", help="Thin out what is older, as `thin` does, for example 2d; the sums stay."),
    ] = "",
    webhook: Annotated[str, typer.Option("--webhook", help="URL that each alert is sent to, as JSON.")] = "",
    run: Annotated[
        str, typer.Option("--run", help="Program that is run for each alert; its text is the last word.")
    ] = "",
    json: Annotated[bool, typer.Option("--json", help="One JSON object a line.")] = False,
) -> None:
    """Watch for new radios, own ones that go or move, busy channels, retries and emitters, and the end of a soak.

    The limits are the thresholds of the case (`set --threshold`).
    """
    from gray_kettle.collect.live.source import wait
    from gray_kettle.collect.live.uri import duration_s
    from gray_kettle.sources import Wish, check

    seconds, every_s = duration_s(for_) if for_ else math.inf, duration_s(every)
    keep_s = duration_s(keep) if keep else math.inf
    if keep_s is None:
        raise InvalidInput("--keep is a duration: write for example 24h or 7d.")
    if seconds is None or every_s is None or every_s < _LEAST_EVERY_S:
        raise InvalidInput("--for and --every are durations from 1 s: write for example 30s, 10m or 48h.")
    if webhook and not webhook.startswith(("http://", "https://")):
        raise InvalidInput("--webhook is a URL that begins with https:// or http://.")
    for name in sources or ():
        check(name)
    with stop_on_signals() as is_stopped:
        until_s = time.monotonic() + seconds
        takes = _Takes(case, tuple(sources or ()), Wish(spot, seconds, is_cancelled=is_stopped))
        handing_on = _HandingOn(webhook, _words(run))
        watching = _Watching(case, keep_s)
        while not is_stopped():
            for alert in watching.look():
                _say(alert, json=json)
                handing_on.send(alert)
            if time.monotonic() >= until_s or (sources and not takes.are_running):
                break
            wait(min(every_s, max(until_s - time.monotonic(), 0.0)), is_stopped)
        takes.wait()
    if is_stopped():
        raise typer.Exit(INTERRUPTED)


class _Takes:
    """The sources, each in a thread."""

    def __init__(self, path: Path, names: tuple[str, ...], wish: "Wish") -> None:
        self._threads = [
            threading.Thread(target=_collect, args=(path, name, wish), name=f"take {name[:20]}")
            for name in names
        ]
        for thread in self._threads:
            thread.start()

    @property
    def are_running(self) -> bool:
        return any(thread.is_alive() for thread in self._threads)

    def wait(self) -> None:
        for thread in self._threads:
            thread.join()


def _collect(path: Path, name: str, wish: "Wish") -> None:
    """In a thread of its own: nobody else could say what goes wrong there."""
    try:
        collect_one(path, name, wish)
    except KettleError as error:
        print(f"gray-kettle: {error}", file=sys.stderr)


class _Watching:
    """Looks at the newest minutes of a case."""

    def __init__(self, path: Path, keep_s: float = math.inf) -> None:
        """keep_s: what is older is thinned out now and then."""
        self._path, self._keep_s = path, keep_s
        self._thinned_s = -math.inf
        self._watch: AlertWatch | None = None
        self._end_s = 0.0

    def look(self) -> "list[Alert]":
        """What is to be said of what came since the last look. A case that is locked is looked at the next time."""
        from gray_kettle.analysis.alerts import AlertWatch
        from gray_kettle.analysis.thresholds import thresholds_of
        from gray_kettle.proving.soaking import soak_that_ended
        from gray_kettle.session import load_session, load_session_detected
        from gray_kettle.store import Case
        from gray_kettle.store.thinning import thin

        try:
            with Case.open(self._path) as case:
                if self._watch is None:
                    session = load_session(case)
                    known = {a.bssid for a in session.observations.announcements}
                    self._watch = AlertWatch(thresholds_of(session.setup), known)
                span_s = case.span_s()
                if span_s is None or span_s[1] <= self._end_s:
                    return []
                self._end_s = span_s[1]
                session = load_session_detected(case, span_s[1] - _WINDOW_S, span_s[1])
                if self._end_s - self._thinned_s > min(self._keep_s / 4, _THIN_EVERY_S):
                    thin(case, self._end_s - self._keep_s)
                    self._thinned_s = self._end_s
                found = self._watch.look(session.assessment, session.observations)
                found += soak_that_ended(case, self._end_s)
                if found and not case.read_only:
                    case.alerts.add(found)
            return found
        except KettleError as error:
            print(f"gray-kettle: {error}", file=sys.stderr)
            return []


class _HandingOn:
    """Sends alerts to a webhook and a program, a bounded number a minute, each failure said once."""

    def __init__(self, url: str, words: list[str]) -> None:
        self._url, self._words = url, words
        self._sent_s: list[float] = []
        self._failed: set[str] = set()

    def send(self, alert: "Alert") -> None:
        now_s = time.monotonic()
        self._sent_s = [t for t in self._sent_s if now_s - t < 60]
        if not (self._url or self._words):
            return
        if len(self._sent_s) >= _MOST_A_MINUTE:
            self._complain("More alerts than are handed on in a minute: the rest is only printed.")
            return
        self._sent_s.append(now_s)
        if self._url:
            self._post(alert)
        if self._words:
            self._run(alert)

    def _post(self, alert: "Alert") -> None:
        import httpx

        from gray_kettle.export.json_api.alerts import alert_document

        try:
            httpx.post(self._url, json=alert_document(alert), timeout=_HAND_ON_S).raise_for_status()
        except (httpx.HTTPError, httpx.InvalidURL) as error:
            self._complain(f"The webhook did not take an alert ({error}).")

    def _run(self, alert: "Alert") -> None:
        from gray_kettle.collect.live.command import output_of
        from gray_kettle.collect.live.source import LostError

        try:
            output_of([*self._words, alert.text], lambda: False, _HAND_ON_S)
        except LostError as error:
            self._complain(f"{error}.")

    def _complain(self, text: str) -> None:
        if text not in self._failed:
            self._failed.add(text)
            print(f"gray-kettle: {text}", file=sys.stderr)


def _say(alert: "Alert", *, json: bool) -> None:
    from gray_kettle.export.json_api.alerts import alert_document

    document = alert_document(alert)
    print(
        json_text.dumps(document) if json else f"{document['time']}  {alert.kind}: {alert.text}", flush=True
    )


def _words(text: str) -> list[str]:
    try:
        return shlex.split(text)
    except ValueError as error:
        raise InvalidInput(f"--run: {error}.") from error
