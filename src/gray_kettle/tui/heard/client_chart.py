"""A client over time: level, retries, rate, air and whom it was with, a column each interval."""

import numpy as np

from gray_kettle.analysis.inventory.pivots import Pivots
from gray_kettle.analysis.utilisation.client_history import ClientHistory
from gray_kettle.model.records import FloatArray
from gray_kettle.safe_text import network_name, printable
from gray_kettle.site_timezone import SiteTime
from gray_kettle.tui.frame.row_list import Row
from gray_kettle.tui.theme import Cell, bar_glyphs, fit, minus, percent, runs

LABEL, SCALE = 14, 16
_LEVELS_DBM = (-90.0, -40.0)
_LETTERS = "abcdefghijklmnopqrstuvwxyz"
_MOST_MOVES = 8


def chart_rows(history: ClientHistory, pivots: Pivots, site_time: SiteTime, width: int) -> list[Row]:
    """Rows that cannot be chosen."""
    if not np.isfinite(history.frames).any():
        return [_row("none", [("  It was not heard in this time.", "dim")])]
    top = float(np.nanmax(history.mbps)) if np.isfinite(history.mbps).any() else 1.0
    air = float(np.nanmax(history.airtime_share)) or 1e-6
    low, high = _LEVELS_DBM
    rows = [
        _row("time", [(" " * (LABEL + 2), "dim"), (_axis(history, site_time, len(history.frames)), "faint")]),
        _line("level", (history.level_dbm - low) / (high - low), "steam", f"{_range(history.level_dbm)} dBm"),
        _line("mean rate", history.mbps / top, "text", f"up to {top:.0f} Mb/s"),
        _line("sent again", history.retry_share, "act", f"up to {percent(_most(history.retry_share))}"),
        _line("air", history.airtime_share / air, "own", f"up to {100 * _most(history.airtime_share):.2g} %"),
    ]
    return rows + _with_whom(history, pivots, site_time)


def _most(values: FloatArray) -> float:
    return float(np.nanmax(values)) if np.isfinite(values).any() else 0.0


def _range(values: FloatArray) -> str:
    if not np.isfinite(values).any():
        return "–"
    return f"{minus(float(np.nanmin(values)))} to {minus(float(np.nanmax(values)))}"


def _row(key: str, cells: list[Cell]) -> Row:
    return Row(f"chart {key}", (tuple(cells),), fixed=True)


def _line(name: str, shares: FloatArray, ink: str, scale: str) -> Row:
    values = [None if np.isnan(v) else float(np.clip(v, 0.02, 1)) for v in shares]
    glyphs = ["·" if v is None else bar_glyphs([v]) for v in values]
    inks = ["faint" if v is None else ink for v in values]
    return _row(name, [(f"  {fit(name, LABEL)}", "dim"), *runs(glyphs, inks), (f"  {scale}", "dim")])


def _axis(history: ClientHistory, site_time: SiteTime, bins: int) -> str:
    """Times along the chart, one every twelve columns."""
    step_s = (history.end_s - history.start_s) / bins
    out = [" "] * bins
    for column in range(0, bins - 5, 12):
        text = f"{site_time.moment(history.start_s + column * step_s):%H:%M}"
        out[column : column + len(text)] = text
    return "".join(out)


def _with_whom(history: ClientHistory, pivots: Pivots, site_time: SiteTime) -> list[Row]:
    """A letter for each BSSID, its legend, and the last moves between them."""
    order = list(dict.fromkeys(b for b in history.bssids if b))
    letters = {b: _LETTERS[k % len(_LETTERS)] for k, b in enumerate(order)}
    bands = {b: e.radio.band for b in order if (e := pivots.bssid(b)) is not None}
    inks = ["faint" if not b else "watch" if bands.get(b) == "2.4" else "own" for b in history.bssids]
    rows = [
        _row(
            "with",
            [(f"  {fit('with', LABEL)}", "dim"), *runs([letters.get(b, "·") for b in history.bssids], inks)],
        )
    ]
    for bssid in order:
        rows.append(
            _row(
                f"legend {bssid}",
                [(f"  {fit('', LABEL)}{letters[bssid]}  ", "dim"), (_named(bssid, pivots), "dim")],
            )
        )
    moves = history.moves[-_MOST_MOVES:]
    for k, (time_s, before, after) in enumerate(moves):
        label = "moves" if not k else ""
        text = f"{site_time.moment(time_s):%a %H:%M:%S}  {_named(before, pivots)} → {_named(after, pivots)}"
        rows.append(_row(f"move {k}", [(f"  {fit(label, LABEL)}", "dim"), (text, "text")]))
    more = len(history.moves) - len(moves)
    if more > 0:
        rows.append(_row("moves more", [(f"  {fit('', LABEL)}", "dim"), (f"and {more} earlier", "dim")]))
    return rows


def _named(bssid: str, pivots: Pivots) -> str:
    entry = pivots.bssid(bssid)
    if entry is None:
        return bssid
    radio = entry.radio
    return f"{network_name(entry.network.ssid)} on {printable(radio.name)}, {radio.band} GHz"
