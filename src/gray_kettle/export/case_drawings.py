"""From a case to a drawing in a file: what the command and the app's export both do."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from gray_kettle.errors import KettleError
from gray_kettle.export.drawings import (
    check_ending,
    heatmap_figure,
    lanes_figure,
    levels_figure,
    proof_figure,
    save,
    save_pages,
    share_chart_figure,
    sheet_pages,
    sweep_figure,
    waterfall_figure,
)
from gray_kettle.export.drawings.sweeps import Sweeping
from gray_kettle.export.files import check_target, free_name, write_file
from gray_kettle.masking import MaskOptions
from gray_kettle.phy.channels import centre_hz, numbers
from gray_kettle.planner.change_sheet import sheet_of
from gray_kettle.proving import prove
from gray_kettle.session import Session, detect_waiting, load_session
from gray_kettle.spectrum.views import Frame
from gray_kettle.store import Case
from gray_kettle.store.masked import MaskedCase

_OF_READING = {
    "lanes": lanes_figure,
    "shares": share_chart_figure,
    "levels": levels_figure,
    "heatmap": heatmap_figure,
}
VIEWS = (*_OF_READING, "sweep", "waterfall", "proof")
Progress = Callable[[str, float], None]
_COLUMNS, _LINES = 900, 500  # of the pictures inside a drawing: as many as print can show
_EDGE_HZ = 20e6


def beside(case: Path, name: str, ending: str) -> Path:
    """Where a file about a case goes when nobody says where: beside it, under the first name that is free."""
    return free_name(case.with_name(f"{case.stem}-{name}.{ending}"))


def draw_view(
    view: str,
    path: Path,
    band: str,
    output: Path,
    start_s: float | None = None,
    end_s: float | None = None,
    *,
    masked: MaskOptions | None = None,
    force: bool = False,
    progress: Progress = lambda what, share: None,
) -> None:
    """Write a drawing of a window of a case. progress: what is being done, and how much of it is (0 to 1).

    Raises: KettleError, when the case or the file cannot be used, or nothing was swept in that band.
    """
    check_ending(output)
    check_target(output, force)
    with _shown(path, masked, progress) as case:
        session = load_session(case, start_s, end_s)
        if view == "proof":
            proof = prove(
                case, (start_s, end_s), None, lambda done, total: progress("comparing", done / total)
            )
            figure = proof_figure(proof, session.setup.site, session.setup.site_time)
        elif view in _OF_READING:
            figure = _OF_READING[view](session, band)
        else:
            shown = sweeping_of(case, session, band)
            figure = sweep_figure(shown) if view == "sweep" else waterfall_figure(shown)
    progress("drawing", 0.5)
    save(figure, output, force)


@contextmanager
def _shown(path: Path, masked: MaskOptions | None, progress: Progress) -> Iterator[Case]:
    """The case, with what waits for the detector examined, and masked where that is wanted."""
    with Case.open(path) as case:
        detect_waiting(case, lambda done, total: progress("detecting emitters", done / total))
        if masked is None:
            yield case
            return
    with MaskedCase.open_masked(path, masked) as case:
        yield case


def sweeping_of(case: Case, session: Session, band: str) -> Sweeping:
    """What was swept in a band, at the spot with most rows. Raises: KettleError, where nothing was."""
    seen = session.observations
    low_hz, high_hz = (
        centre_hz(band, numbers(band)[0]) - _EDGE_HZ,
        centre_hz(band, numbers(band)[-1]) + _EDGE_HZ,
    )
    runs = [
        r
        for r in case.sweeps.runs(seen.start_s, seen.end_s)
        if r.span.end_hz > low_hz and r.span.start_hz < high_hz
    ]
    if not runs:
        raise KettleError(f"{case.path}: nothing was swept in {band} GHz in this window.")
    rows: dict[str, int] = {}
    for run in runs:
        rows[run.spot] = rows.get(run.spot, 0) + run.rows
    spot = max(rows, key=lambda s: (rows[s], s))
    low_hz = max(low_hz, min(r.span.start_hz - r.span.step_hz / 2 for r in runs))
    high_hz = min(high_hz, max(r.span.end_hz + r.span.step_hz / 2 for r in runs))
    finest_hz = min(r.span.step_hz for r in runs)
    columns = max(min(_COLUMNS, round((high_hz - low_hz) / finest_hz)), 2)
    frame = Frame(low_hz, high_hz, columns, seen.start_s, seen.end_s, _LINES)
    site_time = session.setup.site_time
    return Sweeping(
        case.sweeps.view(frame, spot),
        band,
        session.setup.site,
        spot,
        session.assessment.swept,
        tuple(r for r in session.assessment.radios if r.band == band),
        site_time.offset_s(seen.start_s),
        site_time.name,
        tuple(e for e in session.assessment.emitters if e.band == band and not e.is_dismissed),
    )


def write_sheet(
    path: Path,
    output: Path,
    start_s: float | None = None,
    end_s: float | None = None,
    *,
    masked: MaskOptions | None = None,
    force: bool = False,
    progress: Progress = lambda what, share: None,
) -> None:
    """Write the change sheet of a window of a case as .txt, .csv or .pdf.

    Raises: KettleError, when the case or the file cannot be used.
    """
    from gray_kettle.export.change_sheet import sheet_table, sheet_text

    ending = output.suffix.lower()
    if ending not in (".txt", ".csv", ".pdf"):
        raise KettleError(f"{output.name}: a change sheet is written as .txt, .csv or .pdf.")
    check_target(output, force)
    with _shown(path, masked, progress) as case:
        session = load_session(case, start_s, end_s)
        session.planning = lambda done: progress("planning", done)
        sheet = sheet_of(session.proposal, session.setup)
    if ending == ".pdf":
        save_pages(sheet_pages(sheet), output, force)
        return
    write_file(output, sheet_text(sheet) if ending == ".txt" else sheet_table(sheet), force)
