"""What access points of one channel report of its busy time is the same time: it counts once."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from gray_kettle.model.records import FloatArray, IntArray
from gray_kettle.phy.channels import Channel


@dataclass(frozen=True, eq=False)
class Groups:
    """Others by their primary: columns in order of groups, where each begins, and the group of each ordered column."""

    order: IntArray
    starts: IntArray
    member: IntArray


def groups_of(channels: Sequence[Channel], own: NDArray[np.bool_] | None) -> Groups:
    """Rows of the others that have one primary: what they report of its busy time is the same time.

    A radio of ours is a group of its own.
    """
    alone = (
        np.zeros(len(channels), np.int64) if own is None else np.where(own, 1 + np.arange(len(channels)), 0)
    )
    primaries = np.array(
        [(c.band, c.primary, k) for c, k in zip(channels, alone, strict=True)], dtype=_PRIMARY
    )
    _, which = np.unique(primaries, return_inverse=True)
    order = np.argsort(which, kind="stable")
    member = which[order]
    starts = np.flatnonzero(np.diff(member, prepend=-1))
    return Groups(order, starts, member)


_PRIMARY = np.dtype([("band", "U3"), ("primary", np.int64), ("alone", np.int64)])


def lost_by_group(known: FloatArray, reported: FloatArray, groups: Groups) -> FloatArray:
    """Share lost of each candidate to each group.

    What access points report is the busy share of a channel, not of themselves: within a group it counts once, as
    the most that any of them reports, beside the sum of what each is known or taken to send
    (docs/decisions/003-bss-load-is-channel-utilisation.md).
    """
    if not len(groups.order):
        return np.zeros((known.shape[0], 0))
    one_by_one = 1 - np.multiply.reduceat(1 - known[:, groups.order], groups.starts, axis=1)
    most_reported = np.maximum.reduceat(reported[:, groups.order], groups.starts, axis=1)
    return np.asarray(np.maximum(one_by_one, most_reported))


def lost(by_group: FloatArray) -> FloatArray:
    """Share lost of each candidate to all groups, which are independent of one another."""
    return np.asarray(1 - np.prod(1 - by_group, axis=1))


def shared_out(by_group: FloatArray, known: FloatArray, reported: FloatArray, groups: Groups) -> FloatArray:
    """What of each group's loss each other takes: in proportion to what it is known, or reports, to take."""
    out = np.zeros(known.shape)
    if len(groups.order):
        weight = np.maximum(known, reported)[:, groups.order]
        total = np.add.reduceat(weight, groups.starts, axis=1)
        part = weight / np.where(total > 0, total, 1.0)[:, groups.member]
        out[:, groups.order] = part * by_group[:, groups.member]
    return out
