"""What the technician asks of the plan, and what was carried out of it. Kept with the case."""

from dataclasses import dataclass

CHANGE_COST = 0.10  # in log units: a move must promise about a tenth more throughput
RADAR = ("avoid", "allow", "prefer")


@dataclass(frozen=True)
class PlanPreferences:
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
class CompletedStep:
    """A step that was carried out. radio: its id, "" for a step that is no change of channel."""

    time_s: float
    radio: str
    text: str
