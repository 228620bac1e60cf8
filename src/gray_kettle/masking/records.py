"""Observations, setups and lists of a case with other identities. Nothing else of them changes."""

import json
from collections.abc import Callable, Sequence
from dataclasses import fields, is_dataclass, replace
from typing import Any, TypeVar, cast

import numpy as np

from gray_kettle.masking.identities import Masking
from gray_kettle.model.device_change import DeviceChange
from gray_kettle.model.records import (
    Alert,
    Announcement,
    ClientCapability,
    Columns,
    IntArray,
    Observations,
    TakeInfo,
)
from gray_kettle.model.setup import Setup
from gray_kettle.model.trial import TrialRun

Value = TypeVar("Value")
Table = TypeVar("Table", bound=Columns)


def masked_observations(seen: Observations, masking: Masking) -> Observations:
    known = seen.known_before
    return replace(
        seen,
        announcements=tuple(masked_announcement(a, masking) for a in seen.announcements),
        traffic=masked_table(seen.traffic, masking),
        links=masked_table(seen.links, masking),
        capabilities=tuple(masked_capability(c, masking) for c in seen.capabilities),
        takes=masked_takes(seen.takes, masking),
        known_before=None if known is None else frozenset(map(masking.address, known)),
        damage=tuple(map(masking.text, seen.damage)),
    )


def masked_announcement(one: Announcement, masking: Masking) -> Announcement:
    address, foreign = masking.address, masking.ssid(one.ssid) != one.ssid
    return replace(
        one,
        bssid=address(one.bssid),
        ssid=masking.ssid(one.ssid),
        transmitted_by=address(one.transmitted_by),
        ap_name=masking.device_name(one.ap_name) if foreign else masking.text(one.ap_name),
        # Two octets that a network chose for all of its access points: they name it.
        mobility_domain=masking.device_name(one.mobility_domain)
        if masking.hides_all
        else one.mobility_domain,
        device=address(one.device),
        neighbours=tuple((address(bssid), band, number) for bssid, band, number in one.neighbours),
    )


def masked_capability(one: ClientCapability, masking: Masking) -> ClientCapability:
    return replace(
        one, mac=masking.address(one.mac), bssid=masking.address(one.bssid), ssid=masking.ssid(one.ssid)
    )


def _numbers(values: IntArray, masked: Callable[[int], int]) -> IntArray:
    known, which = np.unique(values, return_inverse=True)
    return np.array([masked(n) for n in known.tolist()], np.int64)[which] if len(known) else values


def masked_table(table: Table, masking: Masking) -> Table:
    """Any table of observations."""
    names = [n for n in ("bssid", "transmitter", "station") if hasattr(table, n)]
    if not names or not len(table):
        return table
    return replace(table, **{n: _numbers(getattr(table, n), masking.number) for n in names})


def masked_entry(row: dict[str, Any], masking: Masking) -> dict[str, Any]:
    """A row as a case keeps it: texts and documents. What names the computer and the files that it came from goes."""
    masked = {name: masking.text(value) if isinstance(value, str) else value for name, value in row.items()}
    for name in {"notes", "document"} & row.keys():
        masked[name] = json.dumps(_masked_json(json.loads(row[name]), masking), sort_keys=True)
    if "taken_s" in row:
        masked |= {"source": masking.source(row["source"]), "digest": "", "checkpoints": "", "writer": ""}
    if "address" in row:
        masked["address"] = "host"
    return masked


def _masked_json(value: Any, masking: Masking) -> Any:
    if isinstance(value, str):
        return masking.text(value)
    if isinstance(value, list):
        return [_masked_json(item, masking) for item in value]
    if isinstance(value, dict):
        whole = {key: _masked_json(item, masking) for key, item in value.items()}
        if "host" in whole:  # of a change on an access point
            whole["host"] = "host"
        if isinstance(value.get("client"), str) and masking.hides_all:  # of a trial
            whole["client"] = masking.device_name(value["client"])
        return whole
    return value


def masked_takes(takes: Sequence[TakeInfo], masking: Masking) -> tuple[TakeInfo, ...]:
    return tuple(
        replace(
            take,
            source=masking.source(take.source),
            notes=tuple(map(masking.text, take.notes)),
            digest="" if masking.hides_all else take.digest,  # whoever has the file could tell it by this
        )
        for take in takes
    )


def masked_setup(setup: Setup, masking: Masking) -> Setup:
    names = tuple((masking.address(address), masking.name(name)) for address, name in setup.names)
    return replace(_masked(setup, masking), names=names, time_zone=setup.time_zone)


def masked_alerts(alerts: Sequence[Alert], masking: Masking) -> tuple[Alert, ...]:
    return tuple(_masked(alert, masking) for alert in alerts)


def masked_trials(runs: Sequence[TrialRun], masking: Masking) -> tuple[TrialRun, ...]:
    """What somebody called the client of a trial is a name that they chose; it goes with all others."""
    masked = masking.device_name if masking.hides_all else masking.text
    return tuple(replace(run, client=masked(run.client)) for run in runs)


def masked_change(change: DeviceChange, masking: Masking) -> DeviceChange:
    return replace(
        _masked(change, masking), before=change.before, after=change.after, result=change.result, host="host"
    )


def _masked(value: Value, masking: Masking) -> Value:
    """Every text in a document of plain values, tuples and dataclasses. Closed sets of values stay."""
    held: Any = value
    if type(held) is str:
        held = masking.text(held)
    elif isinstance(held, tuple):
        held = tuple(_masked(item, masking) for item in held)
    elif is_dataclass(held) and not isinstance(held, type):
        held = replace(held, **{f.name: _masked(getattr(held, f.name), masking) for f in fields(held)})
    return cast(Value, held)
