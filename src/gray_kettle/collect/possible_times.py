"""Clocks of inputs may say anything; what no clock can have meant is left out, and counted."""

from dataclasses import fields, replace
from typing import Any

from gray_kettle.model.records import LATEST_S, Columns, Piece, SweepRows

_TIMES = ("time_s", "start_s", "end_s", "second")


def with_possible_times(piece: Piece) -> tuple[Piece, int]:
    """The piece without rows before 1970 or after 2100, and how many they were."""
    changed: dict[str, Any] = {}
    lost = 0
    for field in fields(piece):
        table = getattr(piece, field.name)
        if isinstance(table, Columns) and len(table):
            times = [getattr(table, name) for name in _TIMES if hasattr(table, name)]
            inside = (times[0] >= 0) & (times[0] <= LATEST_S)
            for more in times[1:]:
                inside &= (more >= 0) & (more <= LATEST_S)
            if not inside.all():
                lost += int((~inside).sum())
                changed[field.name] = table.rows(inside)
    sweeps = [_swept(rows) for rows in piece.sweeps]
    if any(count for _, count in sweeps):
        lost += sum(count for _, count in sweeps)
        changed["sweeps"] = tuple(rows for rows, _ in sweeps if len(rows))
    return (replace(piece, **changed), lost) if changed else (piece, 0)


def _swept(rows: SweepRows) -> tuple[SweepRows, int]:
    inside = (rows.time_s >= 0) & (rows.time_s <= LATEST_S)
    count = int((~inside).sum())
    if not count:
        return rows, 0
    offsets = None if rows.offset_s is None else rows.offset_s[inside]
    codes = None if rows.codes is None else rows.codes[inside]
    return SweepRows(rows.span, rows.time_s[inside], rows.levels_dbm[inside], offsets, codes), count
