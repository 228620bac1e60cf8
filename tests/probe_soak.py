"""Twenty probes with ten messages a second each, through a broker without memory that is killed twice.

Run it with `python -m tests.probe_soak --minutes 5`; it prints N sent, N lost, N doubled. Not collected by pytest.
"""

import argparse
import resource
import tempfile
import time
from pathlib import Path

import numpy as np

from gray_kettle.collect.merge_pieces import joined
from gray_kettle.store import Case
from tests.frames import busy_harbour, pcap_bytes, pieces_of
from tests.test_probes import START_S, Collecting, feed, made_case, running_broker


def run() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--minutes", type=float, default=5.0)
    parser.add_argument("--probes", type=int, default=20)
    parser.add_argument("--rate", type=float, default=10.0, help="messages a second of each")
    asked = parser.parse_args()
    template = joined(list(pieces_of(pcap_bytes(busy_harbour()))))
    count = round(60 * asked.minutes * asked.rate)
    with tempfile.TemporaryDirectory(prefix="gray-kettle-probes-") as name:
        folder = Path(name)
        path = made_case(folder / "a.kettle")
        with running_broker(folder, "allow_anonymous true") as broker:
            collecting = Collecting(path, broker.uri)
            sent = [START_S + 100_000 * k + np.arange(count) for k in range(asked.probes)]
            began_s = time.monotonic()
            feeding = [
                feed(broker.uri, folder, f"p{k}", template, times, 1 / asked.rate)
                for k, times in enumerate(sent)
            ]
            for _ in range(2):
                time.sleep(20 * asked.minutes)
                broker.kill()
                time.sleep(3)
                broker.start()
            for publisher, thread in feeding:
                thread.join()
                publisher.drain(120, lambda: False)
            whole_s = time.monotonic() - began_s
            for publisher, _ in feeding:
                publisher.close()
            results = collecting.end()
        with Case.open(path) as case:
            stored = case.window().sightings.time_s
            rows = np.concatenate(
                [case.sweeps.rows(run, START_S, START_S + 1e8).time_s for run in case.sweeps.runs()]
            )
        wanted = np.concatenate(sent)
        for what, times in (("sightings", stored), ("sweep rows", rows)):
            kept, counts = np.unique(times, return_counts=True)
            lost, doubled = len(np.setdiff1d(wanted, kept)), int((counts - 1).sum())
            print(f"{what}: {len(wanted):,} sent, {lost} lost, {doubled} doubled")
        records = sum(result.records for result in results)
        print(f"records reported: {records:,}")
        memory_mb = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        print(
            f"{whole_s:.0f} s in all, case {path.stat().st_size / 1e6:.1f} MB, {memory_mb:.0f} MB with all probes"
        )


if __name__ == "__main__":
    run()
