"""How often the proof is right: pairs of stretches with a known difference, against the plain way of comparing means.

Run it with `python -m benchmarks.proof`; it prints a table and draws docs/proof-calibration.svg. The plain way is the
t test of independent values, on the same slots.
"""

import sys
from collections.abc import Callable
from pathlib import Path

import numpy as np
from scipy import stats

from gray_kettle.proof.compare import SLOT_S, Stretch, Verdict, adjusted, compared, verdict_of

PAIRS = 500
DOCS = Path(__file__).parent.parent / "docs"
DAY = round(86400 / SLOT_S)
HOUR = round(3600 / SLOT_S)
NOISE = 0.04  # of a slot of five minutes, beside the pattern of the day
LEAST = 0.05


def noise(count: int, correlation: float, rng: np.random.Generator) -> np.ndarray:
    """Neighbours correlate; a third of the variance is of the measurement, and does not."""
    fresh = rng.normal(0, 1, count) * np.sqrt(1 - correlation**2)
    out = np.empty(count)
    out[0] = rng.normal()
    for k in range(1, count):
        out[k] = correlation * out[k - 1] + fresh[k]
    return NOISE * (np.sqrt(2 / 3) * out + np.sqrt(1 / 3) * rng.normal(0, 1, count))


def stretch(first_day: int, days: int, hours: float, shift: float, correlation: float, rng) -> Stretch:
    """From nine o'clock on for some hours of each day; busier at noon, and less so at the weekend."""
    slots = np.concatenate(
        [(first_day + d) * DAY + 9 * HOUR + np.arange(round(hours * HOUR)) for d in range(days)]
    )
    hour, weekend = slots % DAY // HOUR, (slots // DAY) % 7 >= 5
    pattern = 0.3 + 0.1 * np.sin(hour / 24 * 2 * np.pi) - 0.12 * weekend
    values = np.concatenate([noise(round(hours * HOUR), correlation, rng) for _ in range(days)])
    return Stretch(slots, pattern + shift + values, hour + 24 * weekend)


def plain(before: Stretch, after: Stretch) -> tuple[float, float, float]:
    found = stats.ttest_ind(after.value, before.value)
    low, high = found.confidence_interval(0.95)
    return float(low), float(high), float(found.pvalue)


Case = tuple[str, float, Callable[[np.random.Generator], tuple[Stretch, Stretch]]]


def cases() -> list[Case]:
    found: list[Case] = []
    for hours, days, name in ((2.0, 1, "2 h"), (6.0, 1, "6 h"), (15.0, 2, "2 days")):
        for correlation in (0.0, 0.5, 0.8):
            for shift in (0.0, 0.1):
                what = f"{name}, correlation {correlation:g}, {'no change' if not shift else '10 points'}"
                found.append(
                    (
                        what,
                        shift,
                        lambda rng, h=hours, d=days, c=correlation, s=shift: (
                            stretch(0, d, h, 0.0, c, rng),
                            stretch(7, d, h, s, c, rng),
                        ),
                    )
                )
    found.append(
        (
            "a Thursday against a Saturday, no change",
            0.0,
            lambda rng: (stretch(3, 1, 8.0, 0.0, 0.5, rng), stretch(5, 1, 8.0, 0.0, 0.5, rng)),
        )
    )
    found.append(
        (
            "morning against the whole day, no change",
            0.0,
            lambda rng: (stretch(0, 1, 3.0, 0.0, 0.5, rng), stretch(7, 1, 13.0, 0.0, 0.5, rng)),
        )
    )
    return found


def main() -> None:
    rows = []
    print(
        f"{'pairs of ' + str(PAIRS):<46}{'covered':>9}{'better/worse':>14}{'plain: covered':>16}{'better/worse':>14}"
    )
    for number, (what, shift, make) in enumerate(cases()):
        rng = np.random.default_rng(1000 + number)
        covered = said = plain_covered = plain_said = known = 0
        for _ in range(PAIRS):
            before, after = make(rng)
            found = compared(before, after)
            p = float(adjusted([found.p])[0])
            said += verdict_of(found, p, LEAST, False)[0] in (Verdict.BETTER, Verdict.WORSE)
            if not np.isnan(found.low):
                known += 1
                covered += found.low <= shift <= found.high
            low, high, p = plain(before, after)
            plain_covered += low <= shift <= high
            plain_said += p < 0.05 and abs(after.value.mean() - before.value.mean()) >= LEAST
        shares = [
            covered / known if known else float("nan"),
            said / PAIRS,
            plain_covered / PAIRS,
            plain_said / PAIRS,
        ]
        rows.append((what, *shares))
        texts = ["–" if np.isnan(share) else f"{100 * share:.1f} %" for share in shares]
        print(f"{what:<46}" + "".join(text.rjust(w) for text, w in zip(texts, (9, 14, 16, 14), strict=True)))
        sys.stdout.flush()
    draw(rows)


def draw(rows: list[tuple[str, float, float, float, float]]) -> None:
    import matplotlib

    matplotlib.use("svg")
    matplotlib.rcParams["svg.hashsalt"] = "gray-kettle"
    from matplotlib import pyplot

    figure, axes = pyplot.subplots(figsize=(9, 6.5), layout="constrained")
    y = np.arange(len(rows))[::-1]
    ways = ((2, "o", "#b5651d", "this comparison"), (4, "x", "#7a8591", "t test of the slots"))
    for column, mark, ink, title in ways:
        axes.plot([100 * row[column] for row in rows], y, mark, color=ink, label=title)
    axes.set_yticks(y, [row[0] for row in rows], fontsize=8)
    axes.axvline(5, color="#999999", linewidth=0.8, linestyle=":")
    axes.axvline(90, color="#999999", linewidth=0.8, linestyle=":")
    axes.set_xlim(-2, 102)
    axes.set_xlabel(
        "“better” or “worse” is said, % of 500 pairs (wanted: below 5 without a change, else over 90)"
    )
    axes.legend(loc="center")
    figure.savefig(DOCS / "proof-calibration.svg", metadata={"Date": None})


if __name__ == "__main__":
    main()
