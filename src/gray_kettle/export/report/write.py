"""From a case to a report in a file: what the command and the app do."""

import gc
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from gray_kettle.errors import InvalidInput
from gray_kettle.export.files import check_target, write_file
from gray_kettle.export.report.blocks import Report
from gray_kettle.export.report.catalogue import _, in_language
from gray_kettle.export.report.first_page import first_page
from gray_kettle.export.report.material import Material, gathered
from gray_kettle.masking import MaskOptions
from gray_kettle.safe_text import printable

ENDINGS = (".pdf", ".html")
CLIENTS_MASKED = MaskOptions("clients")
Progress = Callable[[str, float], None]


def write_report(
    case: Path,
    output: Path,
    window: tuple[float | None, float | None] = (None, None),
    *,
    is_short: bool = False,
    masked: MaskOptions | None = CLIENTS_MASKED,
    own_only: bool = False,
    force: bool = False,
    progress: Progress = lambda what, share: None,
) -> None:
    """Write a report of a case. masked: whose addresses and names are replaced, None for nobody's.

    Raises: KettleError, when the case or the file cannot be used, or the case is empty.
    """
    ending = output.suffix.lower()
    if ending not in ENDINGS:
        raise InvalidInput(f"{output.name}: a report is written as .pdf or .html.")
    check_target(output, force)
    material = gathered(case, window, masked=masked, own_only=own_only, is_short=is_short, progress=progress)
    with in_language(material.settings.language):
        report = report_of(material, is_short=is_short)

        def share(done: float) -> None:
            progress("writing", done)

        gc.freeze()  # else Python goes through all that was gathered again and again while it draws
        try:
            _write(report, output, ending, share, force)
        finally:
            gc.unfreeze()


def _write(report: Report, output: Path, ending: str, share: Callable[[float], None], force: bool) -> None:
    if ending == ".pdf":
        from gray_kettle.export.report.pdf import write_pdf

        write_file(output, lambda file: write_pdf(report, file, share), force)
    else:
        from gray_kettle.export.report.html import write_html

        write_file(output, lambda file: write_html(report, file, share), force)


def report_of(material: Material, *, is_short: bool = False) -> Report:
    """The report, block by block. is_short: the first page alone."""
    settings, setup = material.settings, material.now.setup
    made = setup.site_time.moment(material.made_s)
    report = Report(
        title=printable(setup.site) or _("Site not named"),
        subtitle=_("Wireless report"),
        made=f"{made:%d %B %Y}",
        author=tuple(printable(text) for text in (settings.technician, settings.contact) if text),
        logo=Path(settings.logo).expanduser() if settings.logo else None,
        language=settings.language or "en",
        first=tuple(first_page(material)),
    )
    if is_short:
        return report
    from gray_kettle.export.report.appendix import appendix
    from gray_kettle.export.report.colleague import colleague_part

    return replace(report, rest=(*colleague_part(material), *appendix(material)))
