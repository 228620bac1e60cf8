"""What the ends of our own looks tell of an emitter: nothing. It begins and ends when it likes, a look where we cut.

So what fills one look from end to end, and shows in none of those right beside it, was a chance of that look; and a
look between two that it fills as far as their common ends was blind to it.

Source: docs/radio-model.md, "One emitter, many sightings".
"""

import itertools
from collections.abc import Iterable

from gray_kettle.model.records import Looked, Sighting

_END, _MOST_END, _SILENCES = 0.02, 0.3, 2.0
_GAP_STEPS = 5.0  # between looks of one take there is a step
_AS_ABLE = 0.5  # of its rows: a look that is much shorter may well be blind
_FEWEST_LOOKS, _FEW, _MOST_BLIND = 3, 0.25, 2
_MAINS_HZ, _WANDER_HZ, _TURN_S = (50.0, 60.0), 0.08, 60.0
Seen = tuple[Looked, Sighting]
Chain = tuple[Looked, ...]


def chains_of(looked: tuple[Looked, ...]) -> tuple[Chain, ...]:
    """Looks at one span from one spot that follow upon one another without a pause."""
    by_view: dict[tuple[str, float, float], list[list[Looked]]] = {}
    for look in sorted(looked, key=lambda k: k.start_s):
        chains = by_view.setdefault((look.spot, look.low_hz, look.high_hz), [])
        if chains and 0 <= look.start_s - chains[-1][-1].end_s <= _GAP_STEPS * step_s(look):
            chains[-1].append(look)
        else:
            chains.append([look])
    return tuple(tuple(chain) for chains in by_view.values() for chain in chains)


def step_s(looked: Looked) -> float:
    """Time between two of its rows."""
    return (looked.end_s - looked.start_s) / max(looked.rows - 1, 1)


def may_miss_its_turn(looked: Looked, seen: Iterable[Looked]) -> bool:
    """Whether its rows come in step with the mains, right before or after looks that saw what keeps time with those:
    they may fall on the rest of the wave and show nothing of it.
    """
    rows_per_s = 1 / max(step_s(looked), 1e-9)
    away_hz = min(abs(line_hz - rows_per_s * max(round(line_hz / rows_per_s), 1)) for line_hz in _MAINS_HZ)
    if away_hz > _WANDER_HZ or looked.end_s - looked.start_s > _TURN_S:
        return False
    return any(max(looked.start_s - k.end_s, k.start_s - looked.end_s) < _TURN_S for k in seen)


def without_chances(entry: list[Seen], chains: tuple[Chain, ...]) -> list[Seen]:
    """The sightings of an entry without those that are chances of single looks: of one in a chain, or a few in many."""
    seen = {id(look): sighting for look, sighting in entry}
    chances: set[int] = set()
    for chain in chains:
        its = [k for k, look in enumerate(chain) if id(look) in seen]
        are_few = len(chain) >= _FEWEST_LOOKS and len(its) <= max(1, len(chain) * _FEW)
        if are_few and all(_is_chance(chain, k, seen) for k in its):
            chances.update(id(chain[k]) for k in its)
    return [(look, sighting) for look, sighting in entry if id(look) not in chances]


def _is_chance(chain: Chain, at: int, seen: dict[int, Sighting]) -> bool:
    beside = [k for k in (at - 1, at + 1) if 0 <= k < len(chain)]
    able = [k for k in beside if chain[k].rows >= _AS_ABLE * chain[at].rows]
    return bool(able) and all(
        id(chain[k]) not in seen and _reaches(chain[at], seen[id(chain[at])], k < at) for k in able
    )


def _reaches(look: Looked, sighting: Sighting, to_start: bool) -> bool:
    """Whether it shows to that end of a look, as far as one that shows so seldom can."""
    left_s = sighting.first_s - look.start_s if to_start else look.end_s - sighting.last_s
    share = min(_END + _SILENCES / max(sighting.rows, 1), _MOST_END)
    return left_s <= share * (look.end_s - look.start_s)


def blind_to(entry: list[Seen], chains: tuple[Chain, ...]) -> list[Seen]:
    """Looks in which it must have been, each with the sighting before it."""
    seen = {id(look): sighting for look, sighting in entry}
    out: list[Seen] = []
    for chain in chains:
        its = [k for k, look in enumerate(chain) if id(look) in seen]
        for before, after in itertools.pairwise(its):
            if (
                1 < after - before <= _MOST_BLIND + 1
                and _reaches(chain[before], seen[id(chain[before])], to_start=False)
                and _reaches(chain[after], seen[id(chain[after])], to_start=True)
            ):
                out += [(chain[k], seen[id(chain[before])]) for k in range(before + 1, after)]
    return out
