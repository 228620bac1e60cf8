"""Several pieces of one source as one: what came bit by bit is written together."""

from collections.abc import Sequence
from dataclasses import fields, replace
from typing import Any

import numpy as np

from gray_kettle.model.records import Columns, Piece, Span, SweepRows


def joined(pieces: Sequence[Piece]) -> Piece:
    """All that is in the pieces, in their order; sweep rows by span."""
    if len(pieces) == 1:
        return pieces[0]
    found: dict[str, Any] = {}
    base = np.cumsum([0, *(len(p.announcements) for p in pieces)])
    for field in fields(Piece):
        values = [getattr(p, field.name) for p in pieces]
        if isinstance(values[0], int):
            found[field.name] = sum(values)
        elif not isinstance(values[0], Columns):
            found[field.name] = tuple(item for value in values for item in value)
        elif tables := [table for table in values if len(table)]:
            found[field.name] = type(tables[0]).stacked(tables)
    if "sightings" in found:
        shift = np.repeat(base[:-1], [len(p.sightings) for p in pieces])
        rows = found["sightings"]
        found["sightings"] = replace(rows, announcement=rows.announcement + shift)
    found["swept_bands"] = tuple(dict.fromkeys(found["swept_bands"]))
    found["sweeps"] = _by_span(found["sweeps"])
    return Piece(**found)


def _by_span(sweeps: Sequence[SweepRows]) -> tuple[SweepRows, ...]:
    together: dict[tuple[Span, bool, bool], list[SweepRows]] = {}
    for rows in sweeps:
        together.setdefault((rows.span, rows.offset_s is None, rows.codes is None), []).append(rows)
    return tuple(_stacked(parts) for parts in together.values())


def _stacked(parts: list[SweepRows]) -> SweepRows:
    found: dict[str, Any] = {
        name: None if getattr(parts[0], name) is None else np.concatenate([getattr(p, name) for p in parts])
        for name in ("time_s", "levels_dbm", "offset_s", "codes")
    }
    return SweepRows(parts[0].span, **found)
