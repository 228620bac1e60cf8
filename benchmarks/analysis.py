"""Assessing a long case: 60 radios, scans, traffic counters and sweeps. `python -m benchmarks.analysis [hours]`

Prints what a window costs by its length and by the length of the case. The baseline is NumPy's own sort of as many
numbers as the window has rows.
"""

import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from gray_kettle.detection import detect_pending
from gray_kettle.model.records import (
    Announcement,
    Listening,
    Piece,
    Sightings,
    Span,
    Surveys,
    SweepRows,
    Traffic,
)
from gray_kettle.model.setup import Setup
from gray_kettle.phy.channels import Channel, narrow, wide
from gray_kettle.session import load_session
from gray_kettle.store import Case

RADIOS, SCAN_S, START_S = 60, 10.0, 1_790_000_000.0
NEAR_ZERO_DBM = -96.0


def main() -> None:
    """Two cases, the second four times as long; the same windows of both."""
    hours = float(sys.argv[1]) if len(sys.argv) > 1 else 24.0
    with tempfile.TemporaryDirectory() as folder:
        for times in (1, 4):
            path = Path(folder) / f"long-{times}.kettle"
            length_s = hours * 3600 * times
            make(path, length_s)
            print(f"case of {hours * times:g} h, {path.stat().st_size / 1e6:.1f} MB")
            with Case.open(path) as case:
                load_session(case, START_S, START_S + 60)  # imports and kept tables
                for name, window_s in (
                    ("a minute", 60),
                    ("an hour", 3600),
                    ("6 hours", 21600),
                    ("24 hours", 86400),
                ):
                    if window_s <= length_s:
                        timed(case, name, START_S + length_s / 2 - window_s / 2, window_s)
                if times == 1:
                    timed(case, "whole case", None, length_s)


def timed(case: Case, name: str, start_s: float | None, window_s: float) -> None:
    found = []
    for _ in range(3):
        marks = [time.perf_counter()]
        session = load_session(case, start_s, None if start_s is None else start_s + window_s)
        marks.append(time.perf_counter())
        _ = session.assessment
        marks.append(time.perf_counter())
        found.append(np.diff(marks) * 1000)
    rows = len(session.observations.sightings) + len(session.observations.traffic)
    numbers = np.random.default_rng(0).random(rows)
    begun = time.perf_counter()
    np.sort(numbers)
    sort_ms = (time.perf_counter() - begun) * 1000
    window, judge = np.median(found, axis=0)
    print(
        f"  {name:<11} {rows:>9,} rows: read {window:6.0f} ms, assess {judge:6.0f} ms; a sort of them {sort_ms:5.1f} ms"
    )


def make(path: Path, length_s: float) -> None:
    """A made-up case of a length, written through the case itself."""
    rng = np.random.default_rng(7)
    channels = [narrow("2.4", n) for n in (1, 6, 11, 3, 9)]
    channels += [wide("5", n, 80)[0] for n in (36, 52, 100, 116, 149)]
    announced = tuple(_announcement(k, channels[k % len(channels)]) for k in range(RADIOS))
    with Case.create(path, Setup("long", "GB", own=tuple(a.bssid for a in announced[:10]))) as case:
        take = case.begin_take("long", "scan log", "hall")
        case.append(take, Piece(announcements=announced, sightings=_sightings(announced, length_s, rng)))
        case.append(take, _heard(announced, length_s, rng))
        rows = int(length_s / 2)
        span = Span(2400e6, 0.5e6, 200)
        for first in range(0, rows, 4096):
            count = min(4096, rows - first)
            levels = NEAR_ZERO_DBM + rng.exponential(3.0, (count, span.bins)).astype(np.float32)
            case.append(
                take, Piece(sweeps=(SweepRows(span, START_S + 2.0 * (first + np.arange(count)), levels),))
            )
        case.finish_take(take, ("2.4", "5"), complete=True)
        detect_pending(case)


def _announcement(k: int, channel: Channel) -> Announcement:
    return Announcement(
        f"02:7a:10:{k:02x}:20:00",
        f"net {k}".encode(),
        channel,
        "ax",
        2,
        "WPA2-PSK",
        100,
        (6.0,),
        "GB",
        f"f{k}",
        250,
    )


def _sightings(announced: tuple[Announcement, ...], length_s: float, rng: np.random.Generator) -> Sightings:
    scans = int(length_s / SCAN_S)
    which = np.tile(np.arange(len(announced)), scans)
    time_s = np.repeat(START_S + SCAN_S * np.arange(scans), len(announced))
    level = np.tile(rng.uniform(-92, -40, len(announced)), scans) + rng.normal(0, 2, len(which))
    ones = np.ones(len(which), np.int64)
    return Sightings(
        which, time_s, np.full(len(which), np.nan), 10 ** (level / 10), ones, np.full(len(which), np.nan),
        rng.uniform(0, 0.5, len(which)), np.full(len(which), 3.0), ones, ones, 0 * ones, 0 * ones, 0 * ones,
    )  # fmt: skip


def _heard(announced: tuple[Announcement, ...], length_s: float, rng: np.random.Generator) -> Piece:
    """A receiver that hops once a second, hears two senders of each radio, and counts its busy time."""
    hz = np.unique([a.channel.primary_hz for a in announced])
    seconds = np.arange(int(length_s), dtype=np.int64)
    tuned = hz[seconds % len(hz)]
    start_s = START_S + seconds
    listening = Listening(
        start_s.astype(float), start_s + 0.9, tuned, 0 * seconds, np.full(len(seconds), np.nan)
    )
    rows = seconds[:: SCAN_S.__int__()]
    bssid = np.array([int(a.bssid.replace(":", ""), 16) for a in announced], np.int64)
    primary = np.array([a.channel.primary_hz for a in announced])
    which = np.tile(np.repeat(np.arange(len(announced)), 2), len(rows))
    count = len(which)
    second = (START_S + np.repeat(rows, 2 * len(announced))).astype(np.int64)
    client = np.arange(count) % 2
    ones = np.ones(count, np.int64)
    level = 10 ** (rng.uniform(-90, -40, count) / 10)
    traffic = Traffic(
        second, primary[which], bssid[which], bssid[which] + (client << 8), 0 * ones, 5 * ones, ones, ones, 0 * ones,
        4000 * ones, rng.uniform(0.001, 0.05, count), level * 5, 5 * ones, np.full(count, np.nan),
        np.full(count, np.nan), 0 * ones, 5 * ones,
    )  # fmt: skip
    moments = START_S + 60.0 * np.arange(int(length_s / 60))
    at = np.repeat(moments, len(hz))
    active = at - START_S
    surveys = Surveys(
        at, np.tile(hz, len(moments)), active, 0.3 * active, np.full(len(at), np.nan), np.full(len(at), np.nan),
        np.full(len(at), -95.0), np.zeros(len(at), np.int64),
    )  # fmt: skip
    return Piece(listening=listening, traffic=traffic, surveys=surveys)


if __name__ == "__main__":
    main()
