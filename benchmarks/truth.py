"""How far the figures can be trusted: the product beside a simulation of channel access. Writes docs/truth.md."""

import sys
import time
from pathlib import Path

import numpy as np

from benchmarks.csma import one_radio, plans, theory

_DOCS = Path(__file__).parent.parent / "docs"
SITES, SEED = 90, 77
_INK, _OWN, _FAINT = "#2f3b45", "#b5652a", "#9aa3ab"


def main() -> None:
    sites = int(sys.argv[1]) if len(sys.argv) > 1 else SITES
    began_s = time.perf_counter()
    known = list(theory.checks())
    compared = {kind: one_radio.compare(kind, 2 * max(sites, 60), SEED) for kind in one_radio.KINDS}
    by_band = {band: plans.compare(band, sites, SEED) for band in ("2.4", "5")}
    best = {band: plans.against_best(band, sites, SEED + 1) for band in ("2.4", "5")}
    wide = plans.compare("2.4", sites, SEED + 2, wide_start=True)
    _draw_throughput(compared)
    _draw_plans(by_band)
    text = _TEXT.format(
        sites=sites,
        known=_table(
            ("case", "known", "simulated", "ratio"),
            [(name, f"{k:.3f}", f"{f:.3f}", f"{f / k:.3f}") for name, k, f in known],
        ),
        one=_table(
            ("sites", "count", "median", "5 % below", "5 % above", "within 0.67–1.5"),
            [_spread(kind, c) for kind, c in compared.items()],
        ),
        plans=_table(
            ("band", "load", "way", "plan ÷ way, geometric mean", "lowest site", "sites below 0.85"),
            [
                (f"{band} GHz", "busy hour" if full else "observed", way, *_ratio(c, way))
                for band, loads in by_band.items()
                for full, c in loads.items()
                for way in plans.WAYS[1:]
            ],
        ),
        best=" and ".join(f"{found.mean():.3f} in {band} GHz" for band, found in best.items()),
        wide=", ".join(
            f"{c.against('stay')[0]:.2f} {'in the busy hour' if full else 'as observed'}"
            for full, c in wide.items()
        ),
        minutes=f"{(time.perf_counter() - began_s) / 60:.0f}",
    )
    (_DOCS / "truth.md").write_text(text)
    print(text)


def _spread(kind: str, compared: one_radio.Compared) -> tuple[str, ...]:
    middle, low, high, inside = compared.spread()
    return kind, str(len(compared.ratio)), f"{middle:.2f}", f"{low:.2f}", f"{high:.2f}", f"{inside:.0%}"


def _ratio(compared: plans.Compared, way: str) -> tuple[str, str]:
    mean, lowest, worse = compared.against(way)
    return f"{mean:.2f}", f"{lowest:.2f}", f"{worse:.0%}"


def _table(head: tuple[str, ...], rows: list[tuple[str, ...]]) -> str:
    lines = [head, tuple("---" for _ in head), *rows]
    return "\n".join("| " + " | ".join(line) + " |" for line in lines)


def _figure(width: float, height: float, columns: int) -> tuple[object, list[object]]:
    from matplotlib.figure import Figure

    figure = Figure(figsize=(width, height), layout="constrained")
    axes = list(np.atleast_1d(figure.subplots(1, columns)).flat)
    for one in axes:
        one.spines[["top", "right"]].set_visible(False)
    return figure, axes


def _draw_throughput(compared: dict[str, one_radio.Compared]) -> None:
    """One line of dots a kind of site: expected over simulated throughput."""
    figure, (axes,) = _figure(9, 3.6, 1)
    axes.axvspan(0.67, 1.5, color="#f1ece4", zorder=0)
    axes.axvline(1.0, color=_INK, linewidth=0.8)
    rng = np.random.default_rng(1)
    for row, found in enumerate(compared.values()):
        height = row + rng.uniform(-0.25, 0.25, len(found.ratio))
        axes.plot(np.clip(found.ratio, 0.3, 3.0), height, "o", color=_FAINT, markersize=3, alpha=0.7)
        axes.plot(np.median(found.ratio), row, "|", color=_OWN, markersize=22, markeredgewidth=2.5)
    axes.set_yticks(range(len(compared)), list(compared))
    axes.invert_yaxis()
    axes.set_xscale("log")
    marks = (0.4, 0.67, 1.0, 1.5, 2.5)
    axes.set_xticks(marks, [str(m) for m in marks])
    axes.minorticks_off()
    axes.set_xlabel("expected ÷ simulated throughput of one saturated radio; bar: median, band: 0.67 to 1.5")
    figure.savefig(_DOCS / "truth-throughput.svg", metadata={"Date": None})


def _draw_plans(by_band: dict[str, dict[bool, plans.Compared]]) -> None:
    """For each band and load the sites in order of what the plan gains over each plain way."""
    figure, axes = _figure(9, 3.4, 4)
    colours = {"stay": _FAINT, "fewest networks": "#5d6a75", "greedy": _OWN}
    panels = [(band, full, c) for band, loads in by_band.items() for full, c in loads.items()]
    for one, (band, full, found) in zip(axes, panels, strict=True):
        one.axhline(1.0, color=_INK, linewidth=0.8)
        for way, colour in colours.items():
            ratio = np.sort(found.mbps[:, 0] / found.mbps[:, plans.WAYS.index(way)])
            one.plot(np.linspace(0, 100, len(ratio)), ratio, color=colour, linewidth=1.6, label=way)
        one.set_yscale("log")
        marks = (0.5, 0.85, 1.0, 1.5, 2.0, 4.0)
        one.set_yticks(marks, [str(m) for m in marks])
        one.set_ylim(0.45, 6)
        one.minorticks_off()
        one.set_title(f"{band} GHz, {'busy hour' if full else 'observed load'}", fontsize=9, color=_INK)
        one.set_xlabel("% of sites", fontsize=8)
    axes[0].set_ylabel("plan ÷ way, simulated")
    axes[0].legend(frameon=False, fontsize=8, loc="upper left")
    figure.savefig(_DOCS / "truth-plans.svg", metadata={"Date": None})


_TEXT = """# How far the figures can be trusted

`make truth` compares what the product expects with a simulation of channel access, slot by slot (`benchmarks/csma`),
and writes this page. The last run took {minutes} minutes. The simulator shares no formula and no constant with the
product: it has carrier sense with preamble and energy thresholds, fading of 4 dB on every path and of 2 dB on a
client's signal, exponential backoff, aggregates of which single packets are lost, capture, leakage between channels,
fallback to a narrower width, rate control that learns, hidden nodes, and transmitters that do not listen.

It leaves out: traffic of clients, legacy protection frames, the order of retries within a block, receivers that are
desensitised by a strong neighbour, moving people. Its sites are random, not real. So these are checks of the model
against physics as we understand it, not against your site: there, measure before and after.

## The simulator beside what is known

{known}

## Expected throughput of one radio

Random sites of six kinds, one radio that always sends among neighbours with finite load. The client hears the
neighbours 3 dB off from what the access point hears (standard deviation), which nobody measures on site.

{one}

![Expected over simulated throughput by kind of site](truth-throughput.svg)

## Plans

{sites} random sites a band with two to five own radios and two to eight foreign ones, 25 to 80 m wide. The plan sees
levels at the access points and airtime; the simulation knows where the clients are. Busy hour: all own radios send as
much as they can. Observed: one of them does, the others send what was observed; each in turn. Greedy: each radio in
turn takes the channel (1, 6 or 11; a block of 80 MHz) with the least power from others.

{plans}

![Plan beside staying, fewest networks and greedy, site by site](truth-plans.svg)

For one own radio, what the plan chose has {best} of the throughput of the best open channel, on average.

Where own radios of 2.4 GHz are 40 MHz wide at first, the plan narrows them for the sake of neighbours and of their own
growth. Its throughput over staying is then {wide} in the geometric mean.
"""


if __name__ == "__main__":
    main()
