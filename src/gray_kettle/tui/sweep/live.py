"""The newest rows of a live take, kept in memory so that the picture follows without reading the case."""

from collections import deque
from dataclasses import dataclass, replace

import numpy as np

from gray_kettle.model.records import FloatArray, Span, SweepRows
from gray_kettle.phy.channels import Channel
from gray_kettle.spectrum.channel_power import channels_in_span
from gray_kettle.spectrum.duty import channel_rows, tally
from gray_kettle.spectrum.multires import added_counts, rows_as_entries
from gray_kettle.spectrum.noise_floor import floor_of, low_and_spread, threshold_codes
from gray_kettle.spectrum.quantise import Codes, FloatDb, to_codes
from gray_kettle.spectrum.views import Composer, Frame, Spectrogram

SHOWN_S = 40.0
_KEPT_S = 60.0
_FLOOR_ROWS = 64
_FLOOR_EVERY = 32  # rows


Snapshot = tuple[Span, list[tuple[float, Codes]], FloatDb]


class LiveRows:
    """A minute of rows of one span."""

    def __init__(self) -> None:
        self.span: Span | None = None
        self.rows = 0
        self._kept: deque[tuple[float, Codes]] = deque()
        self._floor_dbm: FloatDb | None = None

    @property
    def last_s(self) -> float:
        return self._kept[-1][0] if self._kept else 0.0

    def add(self, rows: SweepRows) -> None:
        if rows.span != self.span or (self._kept and rows.time_s[0] < self.last_s):
            self.span, self._floor_dbm = rows.span, None
            self._kept.clear()
        for time_s, codes in zip(rows.time_s.tolist(), to_codes(rows.levels_dbm), strict=True):
            self._kept.append((time_s, codes))
            self.rows += 1
        while self._kept and self._kept[0][0] < self.last_s - _KEPT_S:
            self._kept.popleft()
        if self._floor_dbm is None or self.rows % _FLOOR_EVERY == 0:
            newest = np.stack([codes for _, codes in list(self._kept)[-_FLOOR_ROWS:]])
            self._floor_dbm = floor_of(*low_and_spread(newest), rows.span.step_hz)

    def frame(self, low_hz: float, high_hz: float, columns: int, lines: int) -> Frame:
        """The last while. It moves by whole cells, so that dots do not swim."""
        cell_s = 2 * SHOWN_S / lines
        end_s = (np.floor(self.last_s / cell_s) + 1) * cell_s
        return Frame(low_hz, high_hz, columns, float(end_s - SHOWN_S), float(end_s), lines)

    def snapshot(self) -> Snapshot | None:
        """What there is now, for a worker."""
        if self.span is None or self._floor_dbm is None:
            return None
        return self.span, list(self._kept), self._floor_dbm


@dataclass(frozen=True, eq=False)
class LivePicture:
    """The picture of the newest rows, and the share of time that the 20 MHz channels were taken in them."""

    view: Spectrogram
    duty: tuple[tuple[Channel, float], ...]


def composed(frame: Frame, now: Snapshot) -> LivePicture:
    """Worked out anew from what is at hand."""
    span, kept, floor_dbm = now
    composer = Composer(frame)
    times, codes = _inside(frame, kept)
    duty: tuple[tuple[Channel, float], ...] = ()
    if len(times):
        composer.add(span, rows_as_entries(times, codes, threshold_codes(floor_dbm)), floor_dbm)
        composer.count(span, added_counts([(1.0, codes)], span.bins))
        added = tally(span, times, channel_rows(span, codes, floor_dbm))
        share = added.over_s / np.maximum(added.seconds, 1e-9)
        duty = tuple((c, float(share[k])) for k, c in enumerate(channels_in_span(span)) if c.width_mhz == 20)
    return LivePicture(composer.view(), duty)


def continued(frame: Frame, now: Snapshot, before: LivePicture) -> LivePicture:
    """The waterfall gone on by its newest lines; all else stays as it was a moment ago."""
    span, kept, floor_dbm = now
    was = before.view
    line_s = (frame.end_s - frame.start_s) / frame.lines
    moved = round((frame.end_s - was.frame.end_s) / line_s)
    newest = moved + 2  # the last cell was still being filled
    if not moved >= 0 or newest >= frame.lines:
        return composed(frame, now)
    end = replace(frame, start_s=frame.end_s - newest * line_s, lines=newest)
    composer = Composer(end)
    times, codes = _inside(end, kept)
    if len(times):
        composer.add(span, rows_as_entries(times, codes, threshold_codes(floor_dbm)), floor_dbm)
    view = composer.view()
    kept_lines = slice(moved, frame.lines - 2)
    gone_on = replace(
        was,
        frame=frame,
        peak_dbm=np.concatenate([was.peak_dbm[kept_lines], view.peak_dbm]),
        mean_dbm=np.concatenate([was.mean_dbm[kept_lines], view.mean_dbm]),
        share=np.concatenate([was.share[kept_lines], view.share]),
    )
    return LivePicture(gone_on, before.duty)


def _inside(frame: Frame, kept: list[tuple[float, Codes]]) -> tuple[FloatArray, Codes]:
    rows = [(t, c) for t, c in kept if frame.start_s <= t <= frame.end_s]
    if not rows:
        return np.zeros(0), np.zeros((0, 0), np.uint8)
    return np.array([t for t, _ in rows]), np.stack([c for _, c in rows])
