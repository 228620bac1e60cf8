"""Captures: from file to traffic counters and into a case, beside dpkt and Scapy in the same run.

The baselines do less: they walk the container, read radiotap and the 802.11 header, and count frames and octets by
second, channel, BSSID and transmitter; they work out no airtime, read no elements and know no clients.
"""

import io
import subprocess
import sys
import time
import warnings
from collections import Counter, defaultdict
from collections.abc import Callable
from pathlib import Path
from typing import Any

from benchmarks.mixed import write_mixed
from gray_kettle.collect.files import open_file
from gray_kettle.collect.ingest import ingest
from gray_kettle.decode import capture_headers
from gray_kettle.decode.capture import CaptureReader
from gray_kettle.decode.capture_files import iter_pcap
from gray_kettle.decode.dot11.beacon_dedup import Announcer
from gray_kettle.decode.dot11.client_capabilities import ClientRequests
from gray_kettle.decode.dot11.mac_headers import headers_of
from gray_kettle.decode.dot11.traffic_counters import Tally, listening
from gray_kettle.model.setup import Setup
from gray_kettle.store import Case

FRAMES = 1_000_000
DPKT_FRAMES, SCAPY_FRAMES = 60_000, 4_000
RUNS = 5
Key = tuple[int, int, bytes, bytes]


def main(folder: Path) -> None:
    """Print the figures."""
    path = folder / "mixed.pcap"
    write_mixed(path, FRAMES)
    size = path.stat().st_size
    print(
        f"mixed capture                  {FRAMES:,} frames, {size / FRAMES - 16:.0f} bytes each, {size / 1e6:.0f} MB"
    )
    # Turn and turn about, so that a slow moment of the machine hits all alike; the best of each counts.
    rates: dict[str, list[float]] = {
        "file to counters": [],
        "import into a case": [],
        "dpkt": [],
        "Scapy": [],
    }
    for k in range(RUNS):
        rates["dpkt"].append(DPKT_FRAMES / _seconds(with_dpkt, path, DPKT_FRAMES))
        rates["Scapy"].append(SCAPY_FRAMES / _seconds(with_scapy, path, SCAPY_FRAMES))
        rates["file to counters"].append(FRAMES / _seconds(to_tallies, path))
        rates["import into a case"].append(FRAMES / _seconds(into_case, path, folder / f"{k}.kettle"))
    best = {name: max(found) for name, found in rates.items()}
    for name, rate in best.items():
        beside = f", {rate / best['dpkt']:.0f} × dpkt, {rate / best['Scapy']:.0f} × Scapy"
        print(
            f"{name:<30} {rate:>11,.0f} frames/s{beside if name not in ('dpkt', 'Scapy') else ' (baseline)'}"
        )
    stages(path)
    memory(folder)


def _seconds(work: Callable[..., object], *given: object) -> float:
    began_s = time.perf_counter()
    work(*given)
    return time.perf_counter() - began_s


def to_tallies(path: Path) -> int:
    with path.open("rb", buffering=0) as file:
        return sum(len(piece.traffic) for piece in CaptureReader().pieces(iter_pcap(file)))


def into_case(path: Path, case_path: Path) -> None:
    with Case.create(case_path, Setup()) as case:
        ingest(case, open_file(path))


def with_dpkt(path: Path, frames: int) -> Counter[Key]:
    import dpkt

    found: Counter[Key] = Counter()
    with path.open("rb") as file:
        for number, (when, raw) in enumerate(dpkt.pcap.Reader(file)):
            if number == frames:
                break
            try:
                head = dpkt.radiotap.Radiotap(raw)
            except dpkt.UnpackError:  # it does not know compressed block acknowledgements
                continue
            frame = head.data
            if not isinstance(frame, dpkt.ieee80211.IEEE80211):
                continue
            body = getattr(frame, "mgmt", None) or getattr(frame, "data_frame", None)
            source, bssid = (getattr(body, name, b"") for name in ("src", "bssid"))
            found[int(when), head.channel.freq, source, bssid] += len(raw)
    return found


def with_scapy(path: Path, frames: int) -> Counter[tuple[int, int, str, str]]:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        from scapy.layers.dot11 import Dot11, RadioTap
        from scapy.utils import RawPcapReader

    found: Counter[tuple[int, int, str, str]] = Counter()
    for number, (raw, when) in enumerate(RawPcapReader(io.BytesIO(_beginning(path, frames)))):
        if number == frames:
            break
        packet = RadioTap(raw)
        if Dot11 in packet:
            frame = packet[Dot11]
            found[when.sec, packet.ChannelFrequency, str(frame.addr2), str(frame.addr3)] += len(raw)
    return found


def _beginning(path: Path, frames: int) -> bytes:
    with path.open("rb") as file:
        return file.read(frames * 2_000)


def _timed(spent: dict[str, float], name: str, work: Callable[..., Any], *given: Any) -> Any:
    began_s = time.perf_counter()
    out = work(*given)
    spent[name] += time.perf_counter() - began_s
    return out


def stages(path: Path) -> None:
    """Where the time goes, one stage after the other on one core; the best of some runs, in ns a frame."""
    best: dict[str, float] = {}
    for _ in range(RUNS):
        spent: dict[str, float] = defaultdict(float)

        announcer, requests, tally = Announcer(), ClientRequests(), Tally()
        with path.open("rb", buffering=0) as file:
            blocks = iter_pcap(file)
            while (block := _timed(spent, "container (read and walk)", next, blocks, None)) is not None:
                heard = _timed(spent, "radiotap", capture_headers.decode, block)
                headers = _timed(spent, "802.11 headers", headers_of, block, heard)
                _timed(spent, "announcements", announcer.sightings, block, heard, headers)
                _timed(spent, "client requests", requests.capabilities, block, heard, headers)
                _timed(spent, "counters", tally.traffic, block, heard, headers)
                _timed(spent, "coverage", listening, block, heard, headers)
        for name, seconds in spent.items():
            best[name] = min(best.get(name, seconds), seconds)
    for name, seconds in best.items():
        print(f"  {name:<28} {1e9 * seconds / FRAMES:6.0f} ns a frame")


def memory(folder: Path) -> None:
    """Peak memory of a whole import of two gigabytes, in a process of its own."""
    path = folder / "large.pcap"
    write_mixed(path, 6 * FRAMES)
    program = (
        "import sys, resource; from pathlib import Path; from benchmarks.captures import into_case\n"
        "into_case(Path(sys.argv[1]), Path(sys.argv[2]))\n"
        "print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss)"
    )
    began_s = time.perf_counter()
    done = subprocess.run(
        [sys.executable, "-c", program, str(path), str(folder / "large.kettle")],
        capture_output=True,
        text=True,
        check=True,
    )
    seconds = time.perf_counter() - began_s
    print(
        f"import of {path.stat().st_size / 1e9:.1f} GB               {int(done.stdout) / 1e3:.0f} MB at the most, "
        f"{6 * FRAMES / seconds:,.0f} frames/s with the start of the program"
    )
    path.unlink()
