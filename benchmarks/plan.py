"""Quality and time of plans: against ten minutes of search, and against two simple methods.

python -m benchmarks.plan            times, gaps, 100 random sites beside plain ways; writes docs/plan-measured.*
python -m benchmarks.plan --long 10  best answers known, ten minutes each, to best_known.json
"""

import argparse
import json
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from pathlib import Path

import numpy as np

from gray_kettle.analysis.loss.interference_loss import Candidates, Interferers, VictimRadio
from gray_kettle.model.plan_preferences import CHANGE_COST
from gray_kettle.model.records import FloatArray
from gray_kettle.phy.channels import Channel, all_channels
from gray_kettle.phy.countries import is_allowed
from gray_kettle.planner.annealing import Effort, effort_for, search
from gray_kettle.planner.objective import Objective, shifts_for
from gray_kettle.planner.radio_model import RadioModel, mbps_of
from gray_kettle.planner.solver import solve

_HERE = Path(__file__).parent
_KNOWN = _HERE / "best_known.json"
_DOCS = _HERE.parent / "docs"
_HEARD_DBM = -82.0
OPTIONS = [c for c in all_channels("5") if c.width_mhz <= 80 and is_allowed("GB", c)]
SITES = [(count, dense) for count in (20, 60, 200) for dense in (False, True)]


def site(count: int, dense: bool, seed: int) -> tuple[RadioModel, ...]:
    """Radios at random in a hall (all hear nearly all others) or along the rooms of a building, among neighbours."""
    chance = np.random.default_rng([count, dense, seed])
    side_m, slope, wall_db = (40.0, 24.0, 0.0) if dense else (14.0 * count**0.5, 35.0, 6.0)
    at = chance.uniform(0, side_m, (count, 2))
    far_m = np.maximum(np.hypot(*(at[:, None] - at[None]).T), 1.0)
    levels = 20.0 - 47.0 - slope * np.log10(far_m) - wall_db - chance.normal(0, 4, (count, count))
    levels = np.clip((levels + levels.T) / 2, -100.0, -35.0)
    strangers = int(chance.integers(5, 25))
    channels = [OPTIONS[k] for k in chance.integers(0, len(OPTIONS), strangers)]
    activity = chance.uniform(0.03, 0.5, strangers)
    place = chance.uniform(-10, side_m + 10, (strangers, 2))
    away_m = np.maximum(np.hypot(*(at[:, None] - place[None]).T).T, 2.0)
    heard = np.clip(
        17.0 - 47.0 - slope * np.log10(away_m) - wall_db - chance.normal(0, 5, away_m.shape), -100, -40
    )
    told, none = np.full(strangers, np.nan), np.zeros(strangers, bool)
    options = Candidates(OPTIONS)
    out = []
    for k in range(count):
        start = int(chance.integers(len(OPTIONS)))
        others = Interferers(tuple(channels), heard[k], activity, np.ones(strangers), told, none)
        out.append(
            RadioModel(
                victim=VictimRadio("ax", 2, float(chance.uniform(-72, -50)), OPTIONS[start]),
                others=others,
                options=options,
                costs=CHANGE_COST * (np.arange(len(OPTIONS)) != start),
                activity=float(chance.uniform(0.05, 0.6)),
                dsss_only=False,
                level_at=tuple(levels[k].tolist()),
                start=start,
            )
        )
    return tuple(out)


def typical_mbps(models: tuple[RadioModel, ...], chosen: tuple[int, ...]) -> float:
    """Geometric mean of expected throughput, by the loss model itself."""
    return float(np.exp(np.log(np.maximum(mbps_of(models, chosen), 0.1)).mean()))


def colouring(models: tuple[RadioModel, ...], width_mhz: int) -> tuple[int, ...]:
    """Plain greedy colouring: those with most neighbours first, each on the channel that fewest neighbours have."""
    level = np.array([p.level_at for p in models])
    near = (level >= _HEARD_DBM) & ~np.eye(len(models), dtype=bool)
    blocks = _blocks(width_mhz)
    chosen = np.full(len(models), -1)
    for k in np.argsort(-near.sum(axis=1), kind="stable"):
        taken = [int((near[k] & (chosen == b)).sum()) for b in range(len(blocks))]
        chosen[k] = int(np.argmin(taken))
    return tuple(OPTIONS.index(blocks[b]) for b in chosen)


def fewest_names(models: tuple[RadioModel, ...], width_mhz: int) -> tuple[int, ...]:
    """Each for itself, in turn, on the channel with the fewest networks in a list, however loud or busy."""
    blocks = _blocks(width_mhz)
    chosen = [p.start for p in models]
    for k, model in enumerate(models):
        heard = [
            c for c, level in zip(model.others.channels, model.others.level_dbm, strict=True) if level > -95
        ]
        heard += [OPTIONS[chosen[m]] for m, p in enumerate(models) if m != k and p.level_at[k] > -95]
        names = [sum(bool(set(block.parts) & set(c.parts)) for c in heard) for block in blocks]
        chosen[k] = OPTIONS.index(blocks[int(np.argmin(names))])
    return tuple(chosen)


def _blocks(width_mhz: int) -> list[Channel]:
    """One channel for each stretch of that width."""
    found: dict[float, Channel] = {}
    for channel in OPTIONS:
        if channel.width_mhz == width_mhz:
            found.setdefault(channel.centre_hz, channel)
    return list(found.values())


def at_the_best_width(
    models: tuple[RadioModel, ...], way: Callable[[tuple[RadioModel, ...], int], tuple[int, ...]]
) -> float:
    """A plain way with the width that suits it best on this site."""
    return max(typical_mbps(models, way(models, width)) for width in (20, 40, 80))


def look_long(work: tuple[int, bool, float]) -> float:
    """The best score found in a number of minutes: ever longer annealing runs from different starts."""
    count, dense, minutes = work
    models = site(count, dense, 0)
    objective = Objective(models, shifts_for(count))
    end_s = time.perf_counter() + 60 * minutes
    best, round_ = -np.inf, 0
    while time.perf_counter() < end_s:
        chance = np.random.default_rng(round_)
        usual = effort_for(count)
        longer = Effort(
            trials=max(usual.trials // 2, 1),
            sweeps=usual.sweeps * 4 * 2 ** min(round_, 3),
            hot=float(chance.choice([0.2, 0.4, 0.8])),
            cold=float(chance.choice([0.01, 0.03])),
        )
        try:
            found = search(objective, longer, None, lambda done, end_s=end_s: _until(end_s), seed=round_)
        except TimeoutError:
            break
        best = max(best, float(objective.score(found)))
        round_ += 1
    return best


def _until(end_s: float) -> None:
    if time.perf_counter() > end_s:
        raise TimeoutError


def keep_best(minutes: float) -> None:
    with ProcessPoolExecutor(2) as pool:
        found = list(pool.map(look_long, [(count, dense, minutes) for count, dense in SITES]))
    known = json.loads(_KNOWN.read_text()) if _KNOWN.exists() else {}
    for (count, dense), score in zip(SITES, found, strict=True):
        key = f"{count} {'dense' if dense else 'spread'}"
        known[key] = round(max(score, known.get(key, -np.inf)), 4)
    _KNOWN.write_text(json.dumps(known, indent=1) + "\n")


def gaps() -> list[tuple[int, str, float, float]]:
    """(radios, site, seconds, how far under the best known in geometric mean of throughput), as a person would wait."""
    known = json.loads(_KNOWN.read_text())
    out = []
    for count, dense in SITES:
        name = "dense" if dense else "spread"
        models = site(count, dense, 0)
        began_s = time.perf_counter()
        solution = solve(models)
        took_s = time.perf_counter() - began_s
        below = 1 - np.exp((solution.score - known[f"{count} {name}"]) / count)
        out.append((count, name, took_s, float(below)))
        print(
            f"{count:4d} radios, {name:6}: {took_s:5.1f} s, {100 * below:5.2f} % below the best known",
            flush=True,
        )
    return out


def beside_plain_ways(count: int = 100) -> FloatArray:
    """Typical throughput of random sites: (site, [stay, fewest networks, colouring, ours])."""
    rows = []
    for seed in range(1, count + 1):
        chance = np.random.default_rng(seed)
        models = site(int(chance.integers(2, 25)), bool(chance.integers(2)), seed)
        free = tuple(replace(p, costs=np.zeros(len(OPTIONS))) for p in models)
        rows.append(
            (
                typical_mbps(models, tuple(p.start for p in models)),
                at_the_best_width(models, fewest_names),
                at_the_best_width(models, colouring),
                typical_mbps(free, solve(free).chosen),
            )
        )
    return np.array(rows)


def draw(rows: FloatArray) -> None:
    """Each site a row of dots, ordered by what our plan gives."""
    from matplotlib.figure import Figure

    figure = Figure(figsize=(9, 5.4), layout="constrained")
    axes = figure.add_subplot()
    ordered = rows[np.argsort(rows[:, 3])]
    ways = (
        ("the random start", "#9aa3ab", "x"),
        ("fewest networks in a list, at its best width", "#5d6a75", "s"),
        ("greedy colouring, at its best width", "#2f3b45", "^"),
        ("this plan", "#b5652a", "o"),
    )
    for column, (name, colour, mark) in enumerate(ways):
        axes.plot(ordered[:, column], mark, color=colour, markersize=4, label=name, linestyle="none")
    axes.set_yscale("log")
    marks = [m for m in (20, 50, 100, 200, 500, 1000) if rows.min() / 2 < m < rows.max() * 2]
    axes.set_yticks(marks, [str(m) for m in marks])
    axes.minorticks_off()
    axes.set_xlabel("site, 2 to 24 radios, spread or dense, in order of what the plan gives")
    axes.set_ylabel("expected throughput of a typical radio, Mb/s")
    axes.legend(frameon=False, loc="upper left")
    axes.spines[["top", "right"]].set_visible(False)
    figure.savefig(_DOCS / "plan-measured.svg", metadata={"Date": None})


def main() -> None:
    asked = argparse.ArgumentParser()
    asked.add_argument("--long", type=float, metavar="MINUTES")
    words = asked.parse_args()
    if words.long:
        keep_best(words.long)
        return
    alone = site(1, False, 0)
    solve(alone)
    began_s = time.perf_counter()
    solve(alone)
    print(f"   1 radio: {1000 * (time.perf_counter() - began_s):.0f} ms")
    gaps()
    rows = beside_plain_ways()
    draw(rows)
    for name, column in (("staying", 0), ("fewest networks", 1), ("colouring", 2)):
        gain = rows[:, 3] / rows[:, column]
        print(
            f"against {name}: {np.exp(np.log(gain).mean()):.2f} times on average, "
            f"{np.median(gain):.2f} in the median, at least {gain.min():.2f}"
        )


if __name__ == "__main__":
    main()
