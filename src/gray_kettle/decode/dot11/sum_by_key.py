"""Rows with equal keys put together: the one kind of sum that tallies are made of."""

import numpy as np
from numpy.typing import NDArray

from gray_kettle.model.records import FloatArray, IntArray

_COUNT_BITS = 20
_MIX = np.uint64(0x9E3779B97F4A7C15)


class Groups:
    """Rows in an order in which equal keys are adjacent.

    The order is that of a mix of the keys, so that one sort does for any number of them. Two keys of the same mix
    may break a group into several; nothing is ever put together that differs.
    """

    def __init__(self, *keys: IntArray | NDArray[np.bool_]) -> None:
        mixed = np.zeros(len(keys[0]), np.uint64)
        for key in keys:
            mixed = (mixed ^ key.astype(np.uint64)) * _MIX
            mixed ^= mixed >> np.uint64(29)
        self.order = np.argsort(mixed)
        changed = np.zeros(len(mixed), bool)
        changed[:1] = True
        for key in keys:
            ordered = key[self.order]
            changed[1:] |= ordered[1:] != ordered[:-1]
        self.starts = np.flatnonzero(changed)
        self.first = self.order[self.starts]  # a row of each group

    def __len__(self) -> int:
        return len(self.starts)

    def group_of_row(self) -> IntArray:
        """Number of the group that each row belongs to."""
        out = np.empty(len(self.order), np.int64)
        out[self.order] = np.repeat(np.arange(len(self)), self.counts())
        return out

    def counts(self) -> IntArray:
        return np.diff(self.starts, append=len(self.order))

    def total(self, values: FloatArray) -> FloatArray:
        return np.add.reduceat(values[self.order], self.starts)

    def count(self, *columns: NDArray[np.bool_]) -> list[IntArray]:
        """How many rows of each group are true, for up to three columns in one pass; a block has no million rows."""
        packed = np.zeros(len(self.order), np.int64)
        for k, column in enumerate(columns):
            packed |= column.astype(np.int64) << _COUNT_BITS * k
        sums = np.add.reduceat(packed[self.order], self.starts)
        return [sums >> _COUNT_BITS * k & (1 << _COUNT_BITS) - 1 for k in range(len(columns))]

    def sum(self, values: IntArray) -> IntArray:
        return np.add.reduceat(values[self.order], self.starts)

    def lowest(self, values: NDArray[np.int8]) -> NDArray[np.int8]:
        return np.minimum.reduceat(values[self.order], self.starts)

    def highest(self, values: NDArray[np.int8]) -> NDArray[np.int8]:
        return np.maximum.reduceat(values[self.order], self.starts)

    def mean(self, values: FloatArray) -> FloatArray:
        """Of those that are numbers; NaN where a group has none."""
        there = ~np.isnan(values)
        (counts,) = self.count(there)
        return self.total(np.where(there, values, 0.0)) / np.where(counts > 0, counts, np.nan)
