"""The demo case: Tern Quay's files are generated, then read with the same `take` as anybody's."""

import tempfile
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path

import numpy as np

from gray_kettle.collect.files import open_file
from gray_kettle.collect.ingest import ingest
from gray_kettle.detection import detect_pending
from gray_kettle.model.setup import Setup
from gray_kettle.simulator import tern_quay, tern_sweeps
from gray_kettle.simulator.receivers import write_capture, write_scan_log
from gray_kettle.simulator.site import Site
from gray_kettle.simulator.spectra.scene import Instrument
from gray_kettle.simulator.spectra.writers import write_table
from gray_kettle.store import Case

_EVERY_S = 180.0  # scans from the hall
_SHORT = (
    ("tea bar", 9.0),
    ("pier", 10.0),
    ("office", 10.5),
    ("boat shed", 11.0),
)  # spot and hour of half an hour there
_CAPTURES = (
    ("ticket hall", 33.5),
    ("ticket hall", 36.0),
)  # hours after the start: in between, and with a boat in

_SWEEPS = (("2.4", tern_sweeps.LOW, tern_sweeps.low_times), ("5", tern_sweeps.HIGH, tern_sweeps.high_times))


def demo_setup() -> Setup:
    site = tern_quay.site()
    return Setup(
        site=site.name,
        country=site.country,
        complaint=tern_quay.COMPLAINT,
        own=tern_quay.OWN_NETWORKS,
        clients=tern_quay.CLIENT_LIMITS,
        names=tern_quay.names_of_own(),
    )


def make_demo(path: Path, progress: Callable[[int, int], None] = lambda done, total: None) -> None:
    """Write the demo case to a file that does not exist yet. progress: steps done and steps in all."""
    site = tern_quay.site()
    unfinished = path.with_name(path.name + ".part")
    unfinished.unlink(missing_ok=True)
    total = 2 * (1 + len(_SHORT) + len(_CAPTURES) + len(_SWEEPS))  # each file is generated, then read
    # The sweeps are made beside the rest where there is a second core.
    beside = ProcessPoolExecutor(1, mp_context=get_context("spawn"))
    with (
        tempfile.TemporaryDirectory() as folder,
        beside,
        Case.create(unfinished, demo_setup()) as case,
    ):
        progress(0, total)
        swept = [beside.submit(_write_sweeps, k, Path(folder)) for k in range(len(_SWEEPS))]
        for number, (spot, file) in enumerate(_files(site, Path(folder), swept)):
            progress(2 * number + 1, total)
            ingest(case, open_file(file), spot)
            progress(2 * number + 2, total)
        detect_pending(case)
    unfinished.rename(path)


def _files(site: Site, folder: Path, swept: "list[Future[Path]]") -> Iterator[tuple[str, Path]]:
    """Generate the files of the job one by one: spot and path of each."""
    long = folder / "hall-scans.txt"
    with long.open("w") as log:
        times = np.arange(tern_quay.START_S, tern_quay.END_S, _EVERY_S)
        write_scan_log(log, site, "ticket hall", times, tern_quay.SEED)
    yield "ticket hall", long
    for k, (spot, hour) in enumerate(_SHORT):
        path = folder / f"{spot.replace(' ', '-')}-scans.txt"
        start_s = tern_quay.START_S + 86400 + hour * 3600
        with path.open("w") as log:
            write_scan_log(log, site, spot, np.arange(start_s, start_s + 1800, 60.0), tern_quay.SEED + 10 + k)
        yield spot, path
    for k, (spot, hour) in enumerate(_CAPTURES):
        path = folder / f"walk-{k + 1}.pcapng"
        with path.open("wb") as capture:
            write_capture(capture, site, spot, tern_quay.START_S + hour * 3600, 30.0, tern_quay.SEED + 20 + k)
        yield spot, path
    for made in swept:
        yield "ticket hall", made.result()


def _write_sweeps(k: int, folder: Path) -> Path:
    band, span, when = _SWEEPS[k]
    path = folder / f"hall-sweeps-{band.replace('.', '-')}.csv"
    scene = tern_sweeps.scene(tern_quay.site(), "ticket hall", band, tern_quay.SEED + 30 + k)
    with path.open("wb") as table:
        write_table(table, span, scene.rows(Instrument(span), when()))
    return path
