"""Runs of marked cells: along a row, along each of many rows, and through slices of time."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from gray_kettle.model.records import IntArray


def runs_of(hits: NDArray[np.bool_], least: int, hole: int) -> tuple[IntArray, IntArray, IntArray]:
    """(row, first, last) of each run of hits that is long enough; holes of some cells are let pass."""
    closed = hits.copy()
    for _ in range(hole):
        closed[:, 1:-1] |= closed[:, :-2] & closed[:, 2:]
    padded = np.zeros((hits.shape[0], hits.shape[1] + 2), np.int8)
    padded[:, 1:-1] = closed
    steps = np.diff(padded, axis=1)
    row, first = np.nonzero(steps == 1)
    last = np.nonzero(steps == -1)[1] - 1
    long = last - first + 1 >= least
    return row[long], first[long], last[long]


def runs_in(row: NDArray[np.bool_], reach: int) -> list[tuple[int, int]]:
    """First and last of each run of true cells, runs with a short hole between them taken as one."""
    at = np.flatnonzero(row)
    if not len(at):
        return []
    cuts = np.flatnonzero(np.diff(at) > reach + 1)
    firsts, lasts = at[np.append(0, cuts + 1)], at[np.append(cuts, len(at) - 1)]
    return list(zip(firsts.tolist(), lasts.tolist(), strict=True))


def run_around(mask: NDArray[np.bool_], at: int, reach: int) -> tuple[int, int]:
    """Ends of the run of true bins around one, holes up to a reach let pass."""
    for first, last in runs_in(mask, reach):
        if first <= at <= last:
            return first, last
    return at, at


def regions_of(marked: NDArray[np.bool_], reach: int) -> list[tuple[int, int, NDArray[np.bool_]]]:
    """(first cell, last cell, slices) of each region of marked cells that touch in time or frequency."""
    found: list[list[Any]] = []
    for number, row in enumerate(marked):
        for first, last in runs_in(row, reach):
            touching = [
                r for r in found
                if r[2][-1] >= number - 1 and min(last, r[1]) - max(first, r[0]) >= 0.5 * min(last - first, r[1] - r[0])
            ]  # fmt: skip
            if touching:
                whole = touching[0]
                for other in touching[1:]:
                    found.remove(other)
                    whole[0], whole[1] = min(whole[0], other[0]), max(whole[1], other[1])
                    whole[2] = sorted({*whole[2], *other[2]})
                whole[0], whole[1] = min(whole[0], first), max(whole[1], last)
                if whole[2][-1] != number:
                    whole[2].append(number)
            else:
                found.append([first, last, [number]])
    out = []
    for first, last, numbers in found:
        on = np.zeros(len(marked), bool)
        on[numbers] = True
        out.append((first, last, on))
    return out


def half_open_runs(inside: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """(first, behind the last) of what is true."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], inside, [False]]).astype(np.int8)))
    return list(zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True))
