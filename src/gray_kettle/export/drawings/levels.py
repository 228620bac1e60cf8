"""Level over time, for paper: a line a radio, own ones and the loudest others, with their moves."""

from datetime import datetime

import numpy as np
from matplotlib.dates import AutoDateLocator, ConciseDateFormatter
from matplotlib.figure import Figure

from gray_kettle.analysis.utilisation.history import bins_without_gaps, levels_over_time, main_spot
from gray_kettle.export.drawings.style import FOREIGN, INK, OWN, PAPER, literal, say_left_out
from gray_kettle.safe_text import printable
from gray_kettle.session import Session

_MOST, _BINS = 32, 400
_LOW_DBM, _HIGH_DBM = -95.0, -25.0


def levels_figure(session: Session, band: str) -> Figure:
    """Radios of the band, each in a strip of its own on one scale, with gaps where it was not heard.

    Followed ones first, then own ones.
    """
    seen, site_time = session.observations, session.setup.site_time
    followed = set(session.setup.followed)
    heard = tuple(r for r in session.assessment.radios if r.band == band)
    heard = tuple(sorted(heard, key=lambda r: r.id not in followed))  # those first, the others as they were
    radios = heard[:_MOST]
    figure = Figure(figsize=(10.5, 1.3 + 0.62 * max(len(radios), 2)), facecolor=PAPER, layout="constrained")
    strips = figure.subplots(max(len(radios), 1), 1, sharex=True, squeeze=False)[:, 0]
    bins = bins_without_gaps(seen, _BINS, seen.start_s, seen.end_s)
    levels = levels_over_time(seen, radios, bins, seen.start_s, seen.end_s)
    zone = site_time.zone
    edges = np.linspace(seen.start_s, seen.end_s, bins + 1)
    times = [datetime.fromtimestamp(float(t), zone) for t in (edges[1:] + edges[:-1]) / 2]
    for strip, radio, line in zip(strips, radios, levels, strict=False):
        colour = OWN if radio.own else FOREIGN
        strip.plot(times, line, color=colour, linewidth=1.0)
        strip.fill_between(times, _LOW_DBM, line, color=colour, alpha=0.25, linewidth=0)
        for change in radio.changes:
            strip.axvline(
                datetime.fromtimestamp(change.time_s, zone), color=INK, linewidth=0.5, linestyle=":"
            )
        mark = ("followed " if radio.id in followed else "") + ("■" if radio.own else "□")
        moved = f", moved {radio.moves}×" if radio.moves else ""
        strip.set_ylabel(literal(printable(f"{mark} {radio.name}") + f"\n{radio.channel.label}{moved}"), rotation=0,
                         ha="right", va="center", fontsize=8, color=INK)  # fmt: skip
        strip.set_ylim(_LOW_DBM, _HIGH_DBM)
        strip.set_yticks([-90, -60, -30], ["−90", "−60", "−30"], fontsize=6)
        strip.yaxis.tick_right()
        strip.spines[["top", "left"]].set_visible(False)
    if not radios:
        strips[0].text(
            0.5, 0.5, f"no radio was observed in {band} GHz", ha="center", transform=strips[0].transAxes
        )
        strips[0].set_axis_off()
    else:
        locator = AutoDateLocator(tz=zone)  # type: ignore[no-untyped-call]
        strips[-1].xaxis.set_major_locator(locator)
        form = ConciseDateFormatter(locator, tz=zone)  # type: ignore[no-untyped-call]
        strips[-1].xaxis.set_major_formatter(form)
        strips[-1].tick_params(axis="x", labelsize=8)
    spot = printable(main_spot(seen))
    site = printable(session.setup.site) or "Site not named"
    where = f", heard at {spot}" if spot else ""
    title = (
        f"{site}: {band} GHz, level over time in dBm{where} ({site_time.name}; dotted: a change of channel)"
    )
    figure.suptitle(literal(title), x=0.01, ha="left", fontsize=11, color=INK)
    say_left_out(figure, [r.name for r in heard[_MOST:]], "fainter")
    return figure
