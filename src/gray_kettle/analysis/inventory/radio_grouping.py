"""Which BSSIDs are one radio.

An access point commonly announces several networks from one transmitter. Counting names would count its air
several times. Source: docs/radio-model.md, "One radio, many BSSIDs".
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from gray_kettle.analysis import model_constants
from gray_kettle.model.records import FloatArray
from gray_kettle.model.setup import Setup
from gray_kettle.phy.channels import Channel

ALONE = "announces one network"
CERTAIN = "one beacon announces them all"
PROBABLE = "same channel, interval and capabilities, neighbouring addresses, same level"
BY_HAND = "grouped by hand"
CERTAINTY = {ALONE: "certain", CERTAIN: "certain", PROBABLE: "probable", BY_HAND: "by hand"}
_LOCAL_BIT = 0x02
_ROUGH_DB = 6.0
_LEAST_COMMON = 10  # moments heard together before a correlation says anything
_SWING_DB = 4.0  # levels steadier than this have nothing to correlate


@dataclass(frozen=True, eq=False)
class GroupingInput:
    """What grouping compares, for one BSSID: moments (sorted) and levels beside, on its present channel."""

    bssid: str
    channel: Channel
    beacon_interval_tu: int
    fingerprint: str
    level_dbm: float | None
    moments_s: FloatArray
    levels_dbm: FloatArray
    transmitted_by: str = ""


def group(
    heard: list[GroupingInput], together: Sequence[Sequence[str]] = (), apart: Sequence[str] = ()
) -> list[list[int]]:
    """Indices of the BSSIDs of each radio; every BSSID is in exactly one group.

    together, apart: what the technician set; it outweighs what was found. Two bands are never one radio.
    """
    parent = list(range(len(heard)))

    def root(k: int) -> int:
        while parent[k] != k:
            k = parent[k]
        return k

    group_rows: dict[tuple[object, ...], list[int]] = {}
    for k, one in enumerate(heard):
        key = (
            one.channel.band,
            one.channel.primary,
            one.beacon_interval_tu,
            one.fingerprint,
            address_key(one.bssid),
        )
        group_rows.setdefault(key, []).append(k)
    for members in group_rows.values():
        for n, k in enumerate(members):
            for other in members[:n]:
                told_apart = heard[k].bssid in apart or heard[other].bssid in apart
                if not told_apart and root(k) != root(other) and _levels_correlate(heard[k], heard[other]):
                    parent[root(k)] = root(other)
    by_bssid = {one.bssid: k for k, one in enumerate(heard)}
    for k, one in enumerate(heard):  # certain: one beacon speaks for both
        if one.transmitted_by in by_bssid and not {one.bssid, one.transmitted_by} & set(apart):
            parent[root(k)] = root(by_bssid[one.transmitted_by])
    for names in together:
        members = [by_bssid[n] for n in names if n in by_bssid]
        for k in members[1:]:
            if heard[k].channel.band == heard[members[0]].channel.band:
                parent[root(k)] = root(members[0])
    groups: dict[int, list[int]] = {}
    for k in range(len(heard)):
        groups.setdefault(root(k), []).append(k)
    return list(groups.values())


def joined(setup: Setup, bssids: set[str]) -> Setup:
    """The setup in which these are one radio, with those that they were joined with."""
    effects = [group for group in setup.together if bssids & set(group)]
    group = tuple(sorted(bssids.union(*effects)))
    kept = tuple(g for g in setup.together if g not in effects)
    return replace(setup, together=(*kept, group), apart=tuple(b for b in setup.apart if b not in bssids))


def parted(setup: Setup, bssids: set[str]) -> Setup:
    """The setup in which each of these is a radio of its own."""
    groups = (tuple(b for b in group if b not in bssids) for group in setup.together)
    kept = tuple(group for group in groups if len(group) > 1)
    return replace(setup, together=kept, apart=tuple(sorted(set(setup.apart) | bssids)))


def address_key(bssid: str) -> tuple[str, str]:
    """What stays of an address when its low nibble, its local bit and its first octet may differ.

    Addresses of one radio either count up in the low nibble, or keep all but the first octet, where the local bit
    marks the further ones: both keep octets two to five and the high nibble of the last.
    """
    octets = bssid.split(":")
    return ":".join(octets[1:5]), octets[5][0]


def _levels_correlate(a: GroupingInput, b: GroupingInput) -> bool:
    first_a, first_b = int(a.bssid[:2], 16), int(b.bssid[:2], 16)
    # Different first octets are one radio only when one of the two is the local form.
    if first_a != first_b and not (first_a | first_b) & _LOCAL_BIT:
        return False
    if a.level_dbm is None or b.level_dbm is None:
        return a.level_dbm is b.level_dbm
    # Of few levels the median is rough: two names of one radio must not become neighbours in a short window.
    fewest = max(min(len(a.levels_dbm), len(b.levels_dbm)), 1)
    if abs(a.level_dbm - b.level_dbm) > model_constants.SAME_RADIO_DB + _ROUGH_DB / fewest**0.5:
        return False
    _, at_a, at_b = np.intersect1d(a.moments_s, b.moments_s, return_indices=True)
    if len(at_a) < _LEAST_COMMON:
        return True
    one, two = a.levels_dbm[at_a], b.levels_dbm[at_b]
    if min(one.std(), two.std()) < _SWING_DB:
        return True
    return bool(np.corrcoef(one, two)[0, 1] >= 0.5)
