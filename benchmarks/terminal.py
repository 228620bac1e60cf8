"""A program in a pseudo-terminal of 160×47 cells, and the time of its answers."""

import fcntl
import math
import os
import select
import struct
import subprocess
import termios
import time

QUIET_S = 0.06  # an answer is over when nothing came for so long


class Program:
    def __init__(self, *command: str) -> None:
        self.master, slave = os.openpty()
        fcntl.ioctl(slave, termios.TIOCSWINSZ, struct.pack("HHHH", 47, 160, 0, 0))
        environment = {**os.environ, "TERM": "xterm-256color", "COLORTERM": "truecolor"}
        for name in ("COLUMNS", "LINES", "NO_COLOR"):
            environment.pop(name, None)
        self.started_s = time.perf_counter()
        self.process = subprocess.Popen(
            command, stdin=slave, stdout=slave, stderr=slave, env=environment, start_new_session=True
        )
        os.close(slave)
        self.output = b""

    def wait_for(self, text: bytes, timeout_s: float = 60.0) -> float:
        """Seconds from the start until the text has been written."""
        while text not in self.output:
            if not self._read(timeout_s):
                raise TimeoutError(f"no {text!r} after {timeout_s} s; last output {self.output[-300:]!r}")
        return time.perf_counter() - self.started_s

    def answer_s(self, keys: bytes) -> float:
        """Seconds from a key until the last byte of its answer; NaN when nothing came."""
        self.settle()
        started_s = time.perf_counter()
        os.write(self.master, keys)
        last_s = float("nan")
        while self._read(1.0 if math.isnan(last_s) else QUIET_S):
            last_s = time.perf_counter() - started_s
        return last_s

    def settle(self, quiet_s: float = 0.15) -> None:
        """Wait until nothing more comes."""
        while self._read(quiet_s):
            pass

    def read_for(self, seconds: float) -> None:
        """Take what comes for a while."""
        until_s = time.perf_counter() + seconds
        while (left_s := until_s - time.perf_counter()) > 0:
            self._read(left_s)

    def _read(self, timeout_s: float) -> bool:
        ready, _, _ = select.select([self.master], [], [], timeout_s)
        if not ready:
            return False
        try:
            self.output += os.read(self.master, 1 << 16)
        except OSError:
            return False
        return True

    def stop(self) -> None:
        self.process.terminate()
        self.process.wait(10)
        os.close(self.master)
