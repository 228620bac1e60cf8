"""From when something is a finding: every threshold, with its unit and what it is for. A case may change them.

docs/scoring.md, "Thresholds", has the same list in words.
"""

import math
from dataclasses import dataclass, field, fields, replace

from gray_kettle.errors import InvalidInput
from gray_kettle.model.setup import Setup


def _limit(default: float, unit: str, meaning: str, low: float, high: float) -> float:
    reported = {"unit": unit, "meaning": meaning, "low": low, "high": high}
    return field(default=default, metadata=reported)


@dataclass(frozen=True)
class Thresholds:
    """Shares are 0 to 1 here, per cent on screens and in answers."""

    act_lost: float = _limit(0.15, "%", "time lost from which a cause is to act on", 0, 1)
    watch_lost: float = _limit(0.05, "%", "time lost from which a cause is to watch", 0, 1)
    high_utilisation: float = _limit(0.5, "%", "busy share from which a channel is called busy", 0, 1)
    beacon_share: float = _limit(0.1, "%", "air that the beacons of one radio may take", 0, 1)
    retry_share: float = _limit(0.2, "%", "retry rate from which it is reported", 0, 1)
    fewest_frames: float = _limit(100, "", "frames needed before a share of them is reported", 1, 1e9)
    least_margin_db: float = _limit(
        20, "dB", "margin that an own radio should have over the strongest other radio on its channel", 0, 60
    )
    strong_neighbour_dbm: float = _limit(-75, "dBm", "level from which such a neighbour counts", -100, 0)
    weak_own_dbm: float = _limit(
        -75, "dBm", "level below which an own radio is weak where it was measured", -100, 0
    )
    coverage_dbm: float = _limit(
        -70, "dBm", "best level of a band at a spot below which coverage is reported", -100, 0
    )
    weak_client_dbm: float = _limit(-75, "dBm", "level below which a client is called distant", -100, 0)
    swing_db: float = _limit(
        15, "dB", "spread of a steady radio's level from which it is called unsteady", 1, 60
    )
    moves_a_day: float = _limit(3, "", "changes of channel a day from which a radio is a mover", 1, 1000)
    answer_min: float = _limit(20, "min", "within which a move counts as the answer to another", 1, 1440)
    visitor_presence: float = _limit(0.6, "%", "presence below which a radio is intermittent", 0, 1)
    idle_lost: float = _limit(0.1, "%", "time lost up to which another band of a device counts as free", 0, 1)
    slow_client_share: float = _limit(
        0.4, "%", "share of a radio's airtime from which one slow client is reported", 0, 1
    )
    gone_min: float = _limit(
        60, "min", "without being heard, while listened for, after which a radio is gone", 1, 1e5
    )
    soak_h: float = _limit(24, "h", "how long the air is watched after a change", 1, 336)


def thresholds_of(setup: Setup) -> Thresholds:
    """Those of a case: the usual ones with what was changed. Names unknown to this version are ignored."""
    known = {f.name for f in fields(Thresholds)}
    return replace(Thresholds(), **{name: value for name, value in setup.thresholds if name in known})


def threshold_from(text: str) -> tuple[str, float]:
    """A threshold that somebody wrote: "act-lost=20". Raises: InvalidInput."""
    name, sign, number = text.partition("=")
    name = name.strip().replace("-", "_")
    found = next((f for f in fields(Thresholds) if f.name == name), None)
    if found is None or not sign:
        listed = ", ".join(f.name.replace("_", "-") for f in fields(Thresholds))
        raise InvalidInput(f"“{text}” is no threshold: write NAME=VALUE, with one of {listed}.")
    of_hundred = found.metadata["unit"] == "%"
    try:
        value = float(number.replace("−", "-").rstrip(" %")) / (100 if of_hundred else 1)
    except ValueError:
        value = math.nan
    low, high = found.metadata["low"], found.metadata["high"]
    if not low <= value <= high:
        factor = 100 if of_hundred else 1
        unit = f" {found.metadata['unit']}".rstrip()
        raise InvalidInput(
            f"“{number}” does not do for {name.replace('_', '-')}: {low * factor:g} to {high * factor:g}{unit}."
        )
    return name, value


def shown(name: str, value: float) -> str:
    """A threshold's value as people write it: "15 %"."""
    unit = next(f.metadata["unit"] for f in fields(Thresholds) if f.name == name)
    text = f"{100 * value:g} %" if unit == "%" else f"{value:g} {unit}".rstrip()
    return text.replace("-", "−")
