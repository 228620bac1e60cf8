"""The demo case: Tern Quay's files are generated, then read with the same `take` as anybody's."""

import tempfile
from collections.abc import Callable, Iterator
from concurrent.futures import Future
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from gray_kettle.analysis.assessment import Radio
from gray_kettle.analysis.loss.channel_assessment import assess_hypothetical
from gray_kettle.collect.files import open_file
from gray_kettle.collect.ingest import ingest
from gray_kettle.detection import detect_pending
from gray_kettle.model.plan_preferences import CompletedStep
from gray_kettle.model.setup import Setup
from gray_kettle.planner.proposal import promised
from gray_kettle.processes import pool_of
from gray_kettle.session import load_session
from gray_kettle.simulator import tern_after, tern_quay, tern_sweeps
from gray_kettle.simulator.receivers import write_capture, write_scan_log
from gray_kettle.simulator.site import Site
from gray_kettle.simulator.spectra.scene import Instrument
from gray_kettle.simulator.spectra.writers import write_table
from gray_kettle.store import Case

_EVERY_S = 180.0  # scans from the hall
_SWEEPS = (("2.4", tern_sweeps.LOW), ("5", tern_sweeps.HIGH))
_FILES = 1 + len(_SWEEPS)  # of a visit, beside the shorter ones


@dataclass(frozen=True)
class _Visit:
    """Two days. prefix: of its file names. shorter: spot and hour (after midnight of the first day) of half an hour
    there; captures: likewise.
    """

    prefix: str
    start_s: float
    end_s: float
    site_of: Callable[[], Site]
    shorter: tuple[tuple[str, float], ...]
    captures: tuple[tuple[str, float], ...]
    seed: int
    camera_until_s: float = np.inf
    dense_hours: tuple[float, ...] = tern_sweeps.DENSE_HOURS

    @property
    def days(self) -> tuple[float, float]:
        return self.start_s, self.end_s

    def moment(self, hour: float) -> float:
        return self.start_s // 86400 * 86400 + hour * 3600

    @property
    def files(self) -> int:
        return _FILES + len(self.shorter) + len(self.captures)


_SPOTS = (("tea bar", 33.0), ("pier", 34.0), ("office", 34.5), ("boat shed", 35.0))
_CAPTURES = (("ticket hall", 33.5), ("ticket hall", 36.0))  # between two boats, and with one in
_BEFORE = _Visit("", tern_quay.START_S, tern_quay.END_S, tern_quay.site, _SPOTS, _CAPTURES, tern_quay.SEED)
_AFTER = _Visit(
    "after-",
    tern_after.START_S,
    tern_after.END_S,
    tern_after.site,
    _SPOTS,
    _CAPTURES,
    tern_quay.SEED + 100,
    tern_after.CAMERA_OFF_S,
    tern_after.DENSE_HOURS,
)


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


def make_demo(
    path: Path,
    progress: Callable[[int, int], None] = lambda done, total: None,
    is_changed: bool = True,
) -> None:
    """Write the demo case to a file that does not exist yet. progress: steps done and steps in all.

    is_changed: with the changes and the two days after them; else as the technician finds the site.
    """
    unfinished = path.with_name(path.name + ".part")
    unfinished.unlink(missing_ok=True)
    with Case.create(unfinished, demo_setup()) as case:
        _add(case, (_BEFORE, _AFTER) if is_changed else (_BEFORE,), progress)
        if is_changed:
            _record_changes(case)
    unfinished.rename(path)


def continue_demo(path: Path, progress: Callable[[int, int], None] = lambda done, total: None) -> None:
    """Add the changes and the two days after them to a demo case that was written without them."""
    with Case.open(path) as case:
        _add(case, (_AFTER,), progress)
        _record_changes(case)


def _add(case: Case, visits: tuple[_Visit, ...], progress: Callable[[int, int], None]) -> None:
    """Generate the files of visits and read them, one visit after the other."""
    total = 2 * sum(visit.files for visit in visits)  # each file is generated, then read
    # The sweeps are made beside the rest where there is a second core.
    beside = pool_of(1)
    with tempfile.TemporaryDirectory() as folder, beside:
        progress(0, total)
        swept = {v.prefix: [beside.submit(_write_sweeps, v.prefix, k, Path(folder)) for k in range(len(_SWEEPS))]
                 for v in visits}  # fmt: skip
        number = 0
        for visit in visits:
            for spot, file in _files(visit, Path(folder), swept[visit.prefix]):
                progress(2 * number + 1, total)
                ingest(case, open_file(file), spot)
                number += 1
                progress(2 * number, total)
            detect_pending(case)


def _record_changes(case: Case) -> None:
    """The steps as they were carried out, each with what the model expected of it, and the trials."""
    session = load_session(case, *_BEFORE.days)
    own = [view.radio for view in session.assessment.own]
    now = {view.radio.id: view.now for view in session.assessment.own}
    radio_of = {step: _radio(own, step) for step in tern_after.STEPS}
    channels = {radio.id: radio.channel for radio in own}
    channels |= {radio_of[step].id: step.channel for step in tern_after.STEPS if step.channel}
    then = assess_hypothetical(channels, session.assessment)
    done = []
    for step, radio in radio_of.items():
        text = f"{radio.channel.label} → {step.channel.label}" if step.channel else step.text
        expected = promised(now[radio.id], then.get(radio.id)) if step.channel else ()
        done.append(CompletedStep(step.time_s, radio.id, text, expected))
    done.append(CompletedStep(tern_after.CAMERA_OFF_S, "", tern_after.CAMERA_TEXT))
    case.save_setup(replace(case.setup(), done=tuple(done)))
    case.trials.add(tern_after.trials())


def _radio(own: list[Radio], step: tern_after.Step) -> Radio:
    return next(radio for radio in own if (radio.name, radio.band) == (step.radio, step.band))


def _files(visit: _Visit, folder: Path, swept: "list[Future[Path]]") -> Iterator[tuple[str, Path]]:
    """Generate the files of a visit one by one: spot and path of each."""
    site = visit.site_of()
    long = folder / f"{visit.prefix}hall-scans.txt"
    with long.open("w") as log:
        write_scan_log(log, site, "ticket hall", np.arange(*visit.days, _EVERY_S), visit.seed)
    yield "ticket hall", long
    for k, (spot, hour) in enumerate(visit.shorter):
        path = folder / f"{visit.prefix}{spot.replace(' ', '-')}-scans.txt"
        start_s = visit.moment(hour)
        with path.open("w") as log:
            write_scan_log(log, site, spot, np.arange(start_s, start_s + 1800, 60.0), visit.seed + 10 + k)
        yield spot, path
    for k, (spot, hour) in enumerate(visit.captures):
        path = folder / f"{visit.prefix}walk-{k + 1}.pcapng"
        with path.open("wb") as capture:
            write_capture(capture, site, spot, visit.moment(hour), 30.0, visit.seed + 20 + k)
        yield spot, path
    for made in swept:
        yield "ticket hall", made.result()


def _write_sweeps(prefix: str, k: int, folder: Path) -> Path:
    visit = next(v for v in (_BEFORE, _AFTER) if v.prefix == prefix)
    band, span = _SWEEPS[k]
    low = band == "2.4"
    times_s = (
        tern_sweeps.low_times(*visit.days, visit.dense_hours) if low else tern_sweeps.high_times(*visit.days)
    )
    path = folder / f"{visit.prefix}hall-sweeps-{band.replace('.', '-')}.csv"
    seed = visit.seed + 30 + k
    scene = tern_sweeps.scene(visit.site_of(), "ticket hall", band, seed, visit.days, visit.camera_until_s)
    with path.open("wb") as table:
        write_table(table, span, scene.rows(Instrument(span), times_s))
    return path
