"""Rows of a table whose keys are equal, brought together without comparing every key of every row."""

import numpy as np
from numpy.typing import NDArray

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]
_SPREAD = np.uint64(0x9E3779B97F4A7C15)  # odd, with bits set all over: multiplying by it mixes them


def group_rows_by_time(
    tie: FloatArray, time_s: FloatArray | IntArray, rank: IntArray, *keys: FloatArray | IntArray
) -> tuple[IntArray, IntArray]:
    """(order of the rows by time, within a moment by rank; start of each group of equal time, rank and keys in it).

    Rows with equal keys are in the order of the tie, so that a sum does not depend on the order in which they came.
    Beyond the rank (a small number) the order is one that depends on the keys alone. NaN equals NaN. At least one row.
    """
    by_time = np.argsort(time_s, kind="stable")
    later = np.diff(time_s[by_time], prepend=time_s[by_time[:1]]) > 0
    moments = np.cumsum(later).astype(np.uint64)
    ranks = int(rank.max()) + 1
    width = np.uint64(63 - (int(moments[-1]) * ranks + ranks).bit_length())
    foremost = moments * np.uint64(ranks) + rank[by_time].astype(np.uint64)
    codes = (foremost << width) | (_mixed(keys)[by_time] >> (np.uint64(64) - width))
    within = np.argsort(codes)
    order, codes = by_time[within], codes[within]
    twins = np.flatnonzero(codes[1:] == codes[:-1])
    if len(twins):
        among = np.unique(np.concatenate([twins, twins + 1]))
        rows = order[among]
        order[among] = rows[np.lexsort((tie[rows], *(key[rows] for key in keys[::-1]), codes[among]))]
    return order, _starts(order, (time_s, rank, *keys))


def group_rows(*keys: FloatArray | IntArray) -> tuple[IntArray, IntArray]:
    """(an order of the rows in which those with equal keys are adjacent, start of each group). At least one row."""
    order = np.argsort(_mixed(keys), kind="stable")
    return order, _starts(order, keys)


def _mixed(keys: tuple[FloatArray | IntArray, ...]) -> NDArray[np.uint64]:
    """One number a row, in which the bits of all its keys are mixed: rows that differ have other ones.

    That two different rows have the same one happens once in 2⁶⁴ pairs, and then costs a sum that is left in parts.
    """
    mixed = np.zeros(len(keys[0]), np.uint64)
    for key in keys:
        bits = (np.nan_to_num(key, nan=-1.0) if key.dtype.kind == "f" else key).view(np.uint64)
        mixed = (mixed ^ bits) * _SPREAD
        mixed ^= mixed >> np.uint64(29)
    return mixed


def _starts(order: IntArray, keys: tuple[FloatArray | IntArray, ...]) -> IntArray:
    changed = np.zeros(len(order), bool)
    changed[0] = True
    for key in keys:
        ordered = (np.nan_to_num(key, nan=-1.0) if key.dtype.kind == "f" else key)[order]
        changed[1:] |= ordered[1:] != ordered[:-1]
    return np.flatnonzero(changed)
