"""A simulated spectrum analyser: SCPI on a loopback port, sweeping over the simulated air. It can be a bad one too."""

import re
import socketserver
import threading
import time
from collections import deque
from collections.abc import Callable

import numpy as np

from gray_kettle.model.records import Span
from gray_kettle.simulator.spectra.scene import Instrument, Scene

FAULTS = ("", "slow", "silent", "broken", "drops", "ascii", "terse")
_SLOW_S = 0.8
_ROWS_AHEAD = 16
_DROPS_AFTER = 4
_BROKEN_EVERY = 3
_NOT_TOLD = ("detector", "sweep_s", "rbw_hz")  # by one that knows few questions
_COMMANDS: tuple[tuple[str, str], ...] = (
    (r"\*IDN\?", "identity"),
    (r"\*(RST|CLS)", "clear"),
    (r"\*OPC\?", "complete"),
    (r"SYST(EM)?:ERR(OR)?(:NEXT)?\?", "error"),
    (r"(SENS(E)?:)?FREQ(UENCY)?:STAR(T)?", "start_hz"),
    (r"(SENS(E)?:)?FREQ(UENCY)?:STOP", "stop_hz"),
    (r"(SENS(E)?:)?SWE(EP)?:POIN(TS)?", "points"),
    (r"(SENS(E)?:)?SWE(EP)?:TIME", "sweep_s"),
    (r"(SENS(E)?:)?BAND(WIDTH)?(:RES(OLUTION)?)?", "rbw_hz"),
    (r"(SENS(E)?:)?DET(ECTOR)?(:FUNC(TION)?)?", "detector"),
    (r"FORM(AT)?(:DATA)?", "format"),
    (r"FORM(AT)?:BORD(ER)?", "order"),
    (r"INIT(IATE)?:CONT(INUOUS)?", "continuous"),
    (r"INIT(IATE)?(:IMM(EDIATE)?)?", "sweep"),
    (r"TRAC(E)?(:DATA)?\?", "trace"),
)


class Settings:
    """What one connection has set. Frequencies in Hz."""

    def __init__(self) -> None:
        self.values: dict[str, float] = {
            "start_hz": 2.4e9, "stop_hz": 2.49e9, "points": 361, "rbw_hz": 0.0, "sweep_s": 0.0,
        }  # fmt: skip
        self.is_binary = False
        self.errors: deque[str] = deque(maxlen=16)

    def next_error(self) -> bytes:
        return (self.errors.popleft() if self.errors else '0,"No error"').encode()

    @property
    def span(self) -> Span:
        points = max(int(self.values["points"]), 2)
        step_hz = (self.values["stop_hz"] - self.values["start_hz"]) / (points - 1)
        return Span(self.values["start_hz"], step_hz, points, sweep_s=self.values["sweep_s"])


class SimulatedAnalyser:
    """Serves until closed. now: the time in the simulated air; rows_per_s: how fast it sweeps at the most."""

    def __init__(
        self,
        scene: Scene,
        now: Callable[[], float],
        port: int = 0,
        rows_per_s: float = 20.0,
        fault: str = "",
    ) -> None:
        outer = self

        class Handler(socketserver.StreamRequestHandler):
            def handle(self) -> None:
                outer.serve(self)

        class Server(socketserver.ThreadingTCPServer):
            allow_reuse_address = True
            daemon_threads = True

        self.fault, self.rows_per_s = fault, rows_per_s
        self._scene, self._now = scene, now
        self._server = Server(("127.0.0.1", port), Handler)
        self.port = int(self._server.server_address[1])
        self._closed = threading.Event()
        self._thread = threading.Thread(target=self._server.serve_forever, args=(0.05,), daemon=True)

    def __enter__(self) -> "SimulatedAnalyser":
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._closed.set()
        self._server.shutdown()
        self._server.server_close()

    def serve(self, handler: socketserver.StreamRequestHandler) -> None:
        """One connection, command by command."""
        session = _Session(self, Settings())
        try:
            while not self._closed.is_set():
                line = handler.rfile.readline(4096)
                if not line:
                    return
                answers = [
                    a
                    for word in line.decode("ascii", "replace").split(";")
                    if (a := session.obey(word.strip()))
                ]
                if self.fault == "silent" or not answers:
                    continue
                handler.wfile.write(b";".join(answers) + b"\n")
                if self.fault == "drops" and session.traces >= _DROPS_AFTER:
                    return
        except OSError:
            return  # the other side went away

    def ahead(self, settings: Settings) -> "deque[np.ndarray]":
        """The next sweeps, made some at a time."""
        time_s = self._now() + np.arange(_ROWS_AHEAD) / self.rows_per_s
        rows = self._scene.rows(Instrument(settings.span), time_s)
        return deque(row for part in rows for row in part.levels_dbm)


class _Session:
    """The state of one connection."""

    def __init__(self, analyser: SimulatedAnalyser, settings: Settings) -> None:
        self.analyser, self.settings = analyser, settings
        self.traces = 0
        self._ahead: deque[np.ndarray] = deque()
        self._next_s = time.monotonic()

    def obey(self, word: str) -> bytes:
        """The answer to a command, empty where it has none."""
        head, _, value = word.lstrip(":").partition(" ")
        is_question = head.endswith("?")
        name = next((n for pattern, n in _COMMANDS if re.fullmatch(pattern, head, re.IGNORECASE)), None)
        if name is None and is_question:
            name = next((n for p, n in _COMMANDS if re.fullmatch(p, head[:-1], re.IGNORECASE)), None)
        settings = self.settings
        if self.analyser.fault == "terse" and is_question and name in _NOT_TOLD:
            settings.errors.append('-113,"Undefined header"')
            return b""
        if name in settings.values:
            return self._setting(name, is_question, value)
        if name == "format":
            wants_binary = value.upper().startswith("REAL")
            if wants_binary and self.analyser.fault == "ascii":
                settings.errors.append('-224,"Illegal parameter value"')
            else:
                settings.is_binary = wants_binary
            return b""
        answers = {
            "identity": lambda: b"Gray Kettle,Stand-in analyser,0,1",
            "complete": self._wait,
            "error": settings.next_error,
            "detector": lambda: b"SAMP",
            "trace": self._trace,
        }
        if name in answers:
            return answers[name]()
        if name is None and word:
            settings.errors.append(f'-113,"Undefined header;{word[:20]}"')
        return b""

    def _setting(self, name: str, is_question: bool, text: str) -> bytes:
        if is_question:
            value = self.settings.values[name]
            return (str(int(value)) if name == "points" else f"{value:.12g}").encode()
        try:
            self.settings.values[name] = float(text)
            self._ahead.clear()
        except ValueError:
            self.settings.errors.append('-104,"Data type error"')
        return b""

    def _wait(self) -> bytes:
        """A sweep takes its time."""
        time.sleep(_SLOW_S if self.analyser.fault == "slow" else max(self._next_s - time.monotonic(), 0))
        self._next_s = max(self._next_s + 1 / self.analyser.rows_per_s, time.monotonic() - 1)
        return b"1"

    def _trace(self) -> bytes:
        self.traces += 1
        if not self._ahead:
            self._ahead = self.analyser.ahead(self.settings)
        levels = np.nan_to_num(self._ahead.popleft(), nan=-200.0)
        if self.analyser.fault == "broken" and self.traces % _BROKEN_EVERY == 0:
            levels = levels[: len(levels) // 2]
            self.settings.errors.append('-350,"Queue overflow"')
        if not self.settings.is_binary:
            return ",".join(f"{v:.2f}" for v in levels).encode()
        payload: bytes = levels.astype(">f4").tobytes()
        size = str(len(payload))
        return f"#{len(size)}{size}".encode() + payload
