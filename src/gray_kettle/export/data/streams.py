"""Tables of what was observed, straight out of the case: block by block, whatever its size."""

from collections.abc import Callable, Iterator
from typing import Any

import numpy as np

from gray_kettle.decode.dot11.mac_headers import address
from gray_kettle.export.data.table import Batch, Column, Kind, Table
from gray_kettle.model.records import (
    Announcement,
    Columns,
    FloatArray,
    IntArray,
    Links,
    Sightings,
    Surveys,
    Traffic,
)
from gray_kettle.phy.modes import table as modes
from gray_kettle.safe_text import is_hidden, network_name
from gray_kettle.spectrum.quantise import to_dbm
from gray_kettle.store.sweeps import Run
from gray_kettle.store.transfer.records import CaseRecords

_LONG_ROWS = 1 << 16
_TIME: tuple[tuple[str, Kind, str], ...] = (
    ("time_utc", "datetime", "moment"),
    ("time_s", "number", "the same, seconds since 1970"),
    ("spot", "string", "where"),
)


def utc(time_s: FloatArray) -> Any:
    """ISO 8601 with milliseconds, for many at once."""
    stamps = np.datetime_as_string(
        (time_s * 1000).round().astype("datetime64[ms]"), unit="ms", timezone="UTC"
    )
    return stamps.astype(object)


def _table(
    name: str, title: str, columns: tuple[tuple[str, Kind, str], ...], rows: Callable[[], Iterator[Batch]]
) -> Table:
    return Table(name, title, tuple(Column(*c) for c in columns), rows)


def _timed(time_s: FloatArray, spot: str) -> dict[str, Any]:
    return {"time_utc": utc(time_s), "time_s": time_s, "spot": [spot] * len(time_s)}


def _blocks(records: CaseRecords, layout: type[Columns]) -> Iterator[tuple[Any, str]]:
    for take in records.counted():
        for found in records.tables(take["number"]):
            if type(found) is layout and len(found):
                yield found, take["spot"]


def _level_dbm(level_mw: FloatArray, levels: IntArray) -> FloatArray:
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.where(levels > 0, 10 * np.log10(level_mw / np.maximum(levels, 1)), np.nan).round(2)


def sightings(records: CaseRecords, own: Callable[[Announcement], bool] | None = None) -> Table:
    """own: which announcements are of interest; all for None."""

    def rows() -> Iterator[Batch]:
        announced = records.announced()
        wanted = np.array([n for n, a in announced.items() if own is None or own(a)], np.int64)
        for found, spot in _blocks(records, Sightings):
            kept = found.rows(np.isin(found.announcement, wanted))
            if not len(kept):
                continue
            said = [announced[n] for n in kept.announcement.tolist()]
            yield _timed(kept.time_s, spot) | {
                "bssid": [a.bssid for a in said],
                "ssid": ["" if is_hidden(a.ssid) else network_name(a.ssid) for a in said],
                "band": [a.channel.band for a in said],
                "primary": [a.channel.primary for a in said],
                "width_mhz": [a.channel.width_mhz if a.width_advertised else None for a in said],
                "receiver_hz": kept.receiver_hz,
                "level_dbm": _level_dbm(kept.level_mw, kept.levels),
                "level_estimated": kept.estimated.astype(bool),
                "noise_dbm": kept.noise_dbm,
                "load_utilisation": kept.load_utilisation,
                "load_stations": kept.load_stations,
                "frames": kept.frames,
                "beacons": kept.beacons,
                "retries": kept.retries,
            }

    return _table("sightings", "Networks as they were heard, scan by scan or second by second", (
        *_TIME, ("bssid", "string", "address"), ("ssid", "string", "name, made printable"),
        ("band", "string", "2.4, 5 or 6 (GHz)"), ("primary", "integer", "primary channel"),
        ("width_mhz", "integer", "channel width"), ("receiver_hz", "number", "where the receiver was tuned"),
        ("level_dbm", "number", "mean of the frames"), ("level_estimated", "boolean", "computed from a percentage"),
        ("noise_dbm", "number", "reported with it"), ("load_utilisation", "number", "share that it reports"),
        ("load_stations", "number", "that it reports"), ("frames", "integer", "in this second"),
        ("beacons", "integer", "of these"), ("retries", "integer", "of these"),
    ), rows)  # fmt: skip


def airtime(records: CaseRecords) -> Table:
    def rows() -> Iterator[Batch]:
        rates = modes().rate_mbps
        for found, spot, seconds in _seconds_and_hours(records):
            yield _timed(found.second.astype(np.float64), spot) | {
                "receiver_hz": found.receiver_hz,
                "bssid": [address(n) if n else "" for n in found.bssid.tolist()],
                "transmitter": [address(n) if n else "" for n in found.transmitter.tolist()],
                "rate_mbps": np.where(found.mode > 0, rates[found.mode], np.nan).round(3),
                "frames": found.frames,
                "retries": found.retries,
                "octets": found.octets,
                "airtime_s": found.airtime_s,
                "level_dbm": _level_dbm(found.level_mw, found.levels),
                "seconds": np.full(len(found), seconds),
            }

    return _table("airtime", "Frames and airtime of each transmitter, by second and data rate", (
        *_TIME, ("receiver_hz", "number", "where the receiver was tuned"), ("bssid", "string", "network"),
        ("transmitter", "string", "address; empty where the frame has none"),
        ("rate_mbps", "number", "data rate"), ("frames", "integer", "heard"), ("retries", "integer", "of these"),
        ("octets", "integer", "of the frames"), ("airtime_s", "number", "of the frames with a known rate"),
        ("level_dbm", "number", "mean"),
        ("seconds", "integer", "that the row sums up: more than 1 where details were thinned out"),
    ), rows)  # fmt: skip


def _seconds_and_hours(records: CaseRecords) -> Iterator[tuple[Traffic, str, int]]:
    """(rows, spot, seconds that each sums up)."""
    for found, spot in _blocks(records, Traffic):
        yield found, spot, 1
    for take in records.counted():
        for hour in records.thinned_hours(take["number"]):
            yield hour.sums, take["spot"], round(hour.end_s - hour.start_s) + 1


def survey(records: CaseRecords) -> Table:
    def rows() -> Iterator[Batch]:
        for found, spot in _blocks(records, Surveys):
            names = ("receiver_hz", "active_s", "busy_s", "receive_s", "transmit_s", "noise_dbm")
            yield _timed(found.time_s, spot) | {name: getattr(found, name) for name in names}

    return _table("survey", "A receiver's own running counters of a channel", (
        *_TIME, ("receiver_hz", "number", "centre of the channel"), ("active_s", "number", "on the channel"),
        ("busy_s", "number", "of it busy"), ("receive_s", "number", "of it receiving"),
        ("transmit_s", "number", "of it transmitting"), ("noise_dbm", "number", "noise"),
    ), rows)  # fmt: skip


def links(records: CaseRecords) -> Table:
    def rows() -> Iterator[Batch]:
        for found, spot in _blocks(records, Links):
            names = ("level_dbm", "received", "sent", "retried", "failed", "receive_mbps", "send_mbps")
            station = {"station": [address(n) for n in found.station.tolist()]}
            yield _timed(found.time_s, spot) | station | {name: getattr(found, name) for name in names}

    return _table("links", "A device's own running counters of its links", (
        *_TIME, ("station", "string", "the other end"), ("level_dbm", "number", "signal"),
        ("received", "number", "frames"), ("sent", "number", "frames"), ("retried", "number", "of those sent"),
        ("failed", "number", "of those sent"), ("receive_mbps", "number", "rate"), ("send_mbps", "number", "rate"),
    ), rows)  # fmt: skip


def sweep_wide(records: CaseRecords, run: Run) -> Table:
    """One row a sweep row, one column a bin."""
    centres_hz = run.span.start_hz + run.span.step_hz * np.arange(run.span.bins)
    names = [f"dbm_at_{hz / 1e6:.6f}_mhz" for hz in centres_hz.tolist()]

    def rows() -> Iterator[Batch]:
        for block in records.sweep_rows(run):
            if len(block.time_s) and len(block.codes):
                levels = to_dbm(block.codes).astype(np.float64)
                yield _timed(block.time_s, run.spot) | {n: levels[:, k] for k, n in enumerate(names)}

    columns = [(name, "number", "level of this bin, dBm") for name in names]
    title = f"Sweep {run.number}: a row each, levels by frequency ({run.span.detector} detector)"
    return _table(f"sweep-{run.number}", title, (*_TIME, *columns), rows)  # type: ignore[arg-type]


def sweeps_long(records: CaseRecords) -> Table:
    """One row a bin of a sweep row."""

    def rows() -> Iterator[Batch]:
        for run in records.runs():
            centres_hz = run.span.start_hz + run.span.step_hz * np.arange(run.span.bins)
            for block in records.sweep_rows(run):
                step = max(_LONG_ROWS // run.span.bins, 1)
                for first in range(0, len(block.codes), step):
                    levels = to_dbm(block.codes[first : first + step]).astype(np.float64)
                    times_s = np.repeat(block.time_s[first : first + step], run.span.bins)
                    yield {
                        "sweep": np.full(len(times_s), run.number),
                        "time_s": times_s,
                        "frequency_hz": np.tile(centres_hz, len(levels)),
                        "level_dbm": levels.ravel(),
                    }

    return _table("sweeps-long", "Sweeps, a row for each bin of each row", (
        ("sweep", "integer", "number of the sweep"), ("time_s", "number", "start of the row, seconds since 1970"),
        ("frequency_hz", "number", "centre of the bin"), ("level_dbm", "number", "empty: not measured"),
    ), rows)  # fmt: skip


def sweeps_summed(records: CaseRecords) -> Table:
    """One row a bin of each sum over sweep rows whose levels were thinned out."""

    def rows() -> Iterator[Batch]:
        for run in records.runs():
            centres_hz = run.span.start_hz + run.span.step_hz * np.arange(run.span.bins)
            for chunk in records.thinned_chunks(run):
                found = chunk.entries
                if found is None or chunk.level > 1:
                    continue
                names = ("start_s", "end_s", "rows")
                yield {"sweep": np.full(len(found) * run.span.bins, run.number)} | {
                    name: np.repeat(getattr(found, name), run.span.bins) for name in names
                } | {
                    "frequency_hz": np.tile(centres_hz, len(found)),
                    "peak_dbm": to_dbm(found.peak).astype(np.float64).ravel(),
                    "mean_dbm": to_dbm(found.mean).astype(np.float64).ravel(),
                    "share_over_floor": (found.share / 255).round(4).ravel(),
                }  # fmt: skip

    return _table("sweeps-summed", "What is left of sweep rows that were thinned out: sums over 64 rows", (
        ("sweep", "integer", "number of the sweep"), ("start_s", "number", "first row, seconds since 1970"),
        ("end_s", "number", "last row"), ("rows", "integer", "summed up"),
        ("frequency_hz", "number", "centre of the bin"), ("peak_dbm", "number", "highest of the rows"),
        ("mean_dbm", "number", "mean of the rows' powers"),
        ("share_over_floor", "number", "of the rows, 10 dB or more over the noise floor"),
    ), rows)  # fmt: skip
