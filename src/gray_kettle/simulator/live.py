"""The simulated site as a live source: scans and sweeps as a receiver at one spot would make them, as they happen."""

import io
import time
from collections.abc import Callable, Generator
from dataclasses import replace

import numpy as np

from gray_kettle.decode import scan_text
from gray_kettle.errors import KettleError
from gray_kettle.model.records import Piece, Span, SweepRows
from gray_kettle.safe_text import printable
from gray_kettle.simulator import tern_quay, tern_sweeps
from gray_kettle.simulator.receivers import write_scan_log
from gray_kettle.simulator.spectra.scene import Instrument

_SCAN_EVERY_S = 10.0
_ROW_S = 0.5  # of simulated time between two sweeps, at most so many in one step
_MOST_ROWS = 200
_SPAN = Span(2400.25e6, 0.5e6, 180, instrument="simulated")
_STEP_S = 0.25
_FASTEST = 10_000.0
_DAYS = tern_quay.END_S - tern_quay.START_S


class SimulatedAir:
    """What is heard from one spot of the simulated site, in real time or faster, beginning now. The same seed and start
    give the same.
    """

    kind = "scan live"

    def __init__(self, spot: str, speed: float, seed: int, start_s: float | None = None) -> None:
        """speed: simulated seconds in one. start_s: the time it begins with; now for None. Raises: KettleError."""
        self.site = tern_quay.site()
        if spot not in self.site.spots:
            raise KettleError(
                f"“{printable(spot)}” is no spot of the simulation: {', '.join(self.site.spots)}."
            )
        if not 0 < speed <= _FASTEST:
            raise KettleError(f"The speed of the simulation lies between 0 and {_FASTEST:,.0f}.")
        self.name = f"simulation ({spot})"
        self.notes = ["Simulated: this is not the air around you."]
        self._spot, self._speed, self._seed, self._start_s = spot, speed, seed, start_s

    def pieces(self, is_cancelled: Callable[[], bool]) -> Generator[Piece]:
        """Scans and sweeps up to the simulated moment, until cancelled."""
        began_s, start_s = time.monotonic(), self._start_s or time.time()
        # The site's two days repeat; what is heard is dated as if it were now.
        shift_s = start_s - (tern_quay.START_S + (start_s - tern_quay.START_S) % _DAYS)
        scene = tern_sweeps.scene(self.site, self._spot, "2.4", self._seed)
        scanned_s = swept_s = start_s
        while not is_cancelled():
            now_s = start_s + (time.monotonic() - began_s) * self._speed
            if now_s >= scanned_s:  # one at a time: at high speed the sweeps have their turn too
                yield self._scan(scanned_s, shift_s)
                scanned_s += _SCAN_EVERY_S
            step_s = max(_ROW_S, (now_s - swept_s) / _MOST_ROWS)
            times = np.arange(swept_s, now_s, step_s)
            if len(times):
                swept_s = float(times[-1]) + step_s
                rows = tuple(scene.rows(Instrument(_SPAN), times - shift_s))
                yield Piece(sweeps=tuple(_moved(r, shift_s) for r in rows), records=0)
            if now_s < scanned_s:
                time.sleep(_STEP_S / 5)

    def _scan(self, time_s: float, shift_s: float) -> Piece:
        text = io.StringIO()
        seed = self._seed * 1_000_003 + int(time_s)
        write_scan_log(text, self.site, self._spot, np.array([time_s - shift_s]), seed)
        lines = text.getvalue().splitlines()
        lines[0] = f"{time_s:.0f}"
        reader = scan_text.reader_of("iw scan", time_s)
        (piece,) = reader.pieces(lines)
        return piece


def _moved(rows: SweepRows, by_s: float) -> SweepRows:
    return replace(rows, time_s=rows.time_s + by_s)
