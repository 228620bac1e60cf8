"""How often the best of three channels is named rightly, and after how many runs, against one run of each.

Run it with `python -m benchmarks.trials`; it prints a table and draws docs/trials-calibration.svg.
"""

from pathlib import Path

import numpy as np

from gray_kettle.model.trial import TrialRun
from gray_kettle.proof.trials import judged_trials

TRIALS, FIRST, MOST = 200, 3, 30
DOCS = Path(__file__).parent.parent / "docs"
SETTINGS = ("1/20", "6/20", "11/20")
ADVANTAGES = (1.0, 1.1, 1.25, 1.5, 2.0)  # of the best over the second; the third is as much worse again
SPREADS = (0.15, 0.3)  # of the logarithm from run to run


def one(advantage: float, spread: float, seed: int) -> tuple[str, str, int, str]:
    """(true best, named, runs of each, best by one run each): runs are added until one is named."""
    rng = np.random.default_rng(seed)
    order = rng.permutation(3)
    true = {SETTINGS[k]: 60.0 / advantage**place for place, k in enumerate(order)}
    runs: list[TrialRun] = []
    named, count = "", 0
    while not named and count < MOST:
        for _ in range(FIRST if not count else 1):
            count += 1
            runs += [TrialRun(count, s, true[s] * float(np.exp(rng.normal(0, spread)))) for s in SETTINGS]
        named = judged_trials(runs, seed=seed).best
    single = max(runs[:3], key=lambda run: run.down_mbps).setting
    return SETTINGS[order[0]], named, count, single


def main() -> None:
    rows = []
    print(
        f"{'of ' + str(TRIALS):<36}{'named wrongly':>15}{'named':>9}{'runs each':>11}{'wrong by one run each':>23}"
    )
    for spread in SPREADS:
        for advantage in ADVANTAGES:
            found = [one(advantage, spread, 7000 + k) for k in range(TRIALS)]
            named = [f for f in found if f[1]]
            wrong = sum(f[1] != f[0] for f in named) / TRIALS if advantage > 1 else len(named) / TRIALS
            single = sum(f[3] != f[0] for f in found) / TRIALS
            runs = float(np.median([f[2] for f in found]))
            what = f"best {100 * (advantage - 1):.0f} % ahead, run to run ×/÷ {np.exp(spread):.2f}"
            shares = f"{100 * wrong:>13.1f} %{100 * len(named) / TRIALS:>7.0f} %"
            print(f"{what:<36}{shares}{runs:>11.0f}{100 * single:>21.0f} %")
            rows.append((what, wrong, single, runs))
    draw(rows)


def draw(rows: list[tuple[str, float, float, float]]) -> None:
    import matplotlib

    matplotlib.use("svg")
    matplotlib.rcParams["svg.hashsalt"] = "gray-kettle"
    from matplotlib import pyplot

    figure, axes = pyplot.subplots(figsize=(9, 4), layout="constrained")
    y = np.arange(len(rows))[::-1]
    axes.plot([100 * row[1] for row in rows], y, "o", color="#b5651d", label="this comparison")
    axes.plot([100 * row[2] for row in rows], y, "x", color="#7a8591", label="one run of each")
    for at, row in zip(y, rows, strict=True):
        axes.text(100.5, at, f"{row[3]:.0f} runs each", va="center", fontsize=7)
    axes.axvline(5, color="#999999", linewidth=0.8, linestyle=":")
    axes.set_yticks(y, [row[0] for row in rows], fontsize=8)
    axes.set_xlim(-2, 112)
    axes.set_xlabel("the wrong channel is named best, % of 200 trials")
    axes.legend(loc="center")
    figure.savefig(DOCS / "trials-calibration.svg", metadata={"Date": None})


if __name__ == "__main__":
    main()
