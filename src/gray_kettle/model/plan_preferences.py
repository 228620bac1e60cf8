"""What the technician asks of the plan, and what was carried out of it. Kept with the case."""

from dataclasses import dataclass
from typing import Any

CHANGE_COST = 0.10  # in log units: a move must promise about a tenth more throughput
RADAR = ("avoid", "allow", "prefer")


@dataclass(frozen=True)
class Wishes:
    """What the plan keeps to beside the country and the clients.

    locked: ids of radios that stay where they are. offers: (radio id, limit) of what a radio can be set to, as in
    plan.limits without the band. radar: what to think of channels that must watch for radar. change_cost: what a move
    must gain, in log units. most_moves: None for any number. weights: (radio id, how much its throughput counts).
    hours: of the day, local time, that count alone ("8-16"); "" for all.
    """

    locked: tuple[str, ...] = ()
    offers: tuple[tuple[str, str], ...] = ()
    radar: str = "allow"
    change_cost: float = CHANGE_COST
    most_moves: int | None = None
    weights: tuple[tuple[str, float], ...] = ()
    hours: str = ""

    def __post_init__(self) -> None:
        if self.radar not in RADAR:
            raise ValueError(f"Radar channels can be told to “{'”, “'.join(RADAR)}”, not “{self.radar}”.")


@dataclass(frozen=True)
class Done:
    """A step that was carried out. radio: its id, "" for a step that is no change of channel."""

    time_s: float
    radio: str
    text: str


def wishes_from(document: dict[str, Any]) -> Wishes:
    """As kept with a case; what an older one does not have is as usual."""
    usual = Wishes()
    return Wishes(
        locked=tuple(document.get("locked", ())),
        offers=tuple((owner, text) for owner, text in document.get("offers", ())),
        radar=document.get("radar", usual.radar),
        change_cost=document.get("change_cost", usual.change_cost),
        most_moves=document.get("most_moves"),
        weights=tuple((owner, weight) for owner, weight in document.get("weights", ())),
        hours=document.get("hours", usual.hours),
    )
