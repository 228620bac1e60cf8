"""Plan preferences that the technician set, and the steps that were carried out. Kept with the case."""

from dataclasses import dataclass

from gray_kettle.errors import InvalidInput

DESIGN_LOAD = 0.5
CHANGE_COST = 0.10  # in log units: a change must promise about 10 % more throughput
RADAR = ("avoid", "allow", "prefer")


@dataclass(frozen=True)
class PlanPreferences:
    """What the plan keeps to beside the rules of the country and the limits of the clients.

    locked: ids of radios that keep their channel. offers: (radio id, limit) of what a radio can be set to, as in
    planner.limits without the band. radar: how to treat DFS channels. change_cost: what a change must gain, in log
    units. most_moves: None for any number. weights: (radio id, weight of its throughput). hours: hours of the day
    (local time) that count, as "8-16"; "" for all. design_load: share of the air (0 to 1) that each own radio offers
    in the busy hour; loads: (radio id, its own).
    """

    locked: tuple[str, ...] = ()
    offers: tuple[tuple[str, str], ...] = ()
    radar: str = "allow"
    change_cost: float = CHANGE_COST
    most_moves: int | None = None
    weights: tuple[tuple[str, float], ...] = ()
    hours: str = ""
    design_load: float = DESIGN_LOAD
    loads: tuple[tuple[str, float], ...] = ()

    def __post_init__(self) -> None:
        if self.radar not in RADAR:
            raise InvalidInput(f"“{self.radar}” is not a setting for DFS channels: use {', '.join(RADAR)}.")


@dataclass(frozen=True)
class CompletedStep:
    """A step that was carried out. radio: its id, "" for a step that is no channel change.

    promised: (figure, before, after) that the plan expected of it, by the names of the proof.
    """

    time_s: float
    radio: str
    text: str
    promised: tuple[tuple[str, float, float], ...] = ()
