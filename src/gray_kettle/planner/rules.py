"""What decides whether a channel is open to a radio, each under the name that people know it by."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from itertools import combinations

from gray_kettle.analysis.assessment import Radio
from gray_kettle.model.setup import Setup
from gray_kettle.phy.channels import Channel
from gray_kettle.phy.countries import is_allowed, needs_radar_watch
from gray_kettle.planner.limits import limit_of_radio, parse_limit
from gray_kettle.safe_text import printable

_MOST_NAMED = 4
_CLIENTS, _CLIENTS_SAID = "clients: ", "by their own word, "


@dataclass(frozen=True)
class Rule:
    """name: what is said where a channel breaks it."""

    name: str
    permits: Callable[[Channel], bool]


def rules_for(radio: Radio, setup: Setup) -> tuple[Rule, ...]:
    """All that was told and holds for a radio, the weightiest first.

    Raises: ValueError, with a sentence for people, for a limit that cannot be understood.
    """
    country = setup.country
    where = printable(country) or "every country"
    rules = [Rule(f"not permitted in {where}", lambda c: is_allowed(country, c))]
    if radio.id in setup.preferences.locked:
        rules.append(Rule("locked", lambda c: c == radio.channel))
    for owner, text in setup.preferences.offers:
        if owner == radio.id:
            rules.append(
                Rule(f"not offered: it can {printable(text)}", limit_of_radio(text, radio.band).permits)
            )
    for text in setup.clients:
        limit = parse_limit(text)
        if limit.concerns(radio):
            rules.append(Rule(f"{_CLIENTS}{printable(text)}", limit.permits))
    if setup.preferences.radar == "avoid":
        rules.append(Rule("radar channels are avoided", lambda c: not needs_radar_watch(country, c)))
    return tuple(rules)


def rules_of_clients(radio: Radio) -> tuple[Rule, ...]:
    """What clients of a radio said they cannot use, those with the same channels together.

    They are where it is now, whatever they said.
    """
    said: dict[frozenset[int], int] = {}
    for client in (c for n in radio.networks for c in n.clients):
        usable = frozenset(number for band, number in client.channels if band == radio.band)
        if usable:
            said[usable] = said.get(usable, 0) + 1
    return tuple(
        Rule(
            f"{_CLIENTS_SAID}{count} {'client' if count == 1 else 'clients'} cannot use it",
            lambda c, usable=usable: c.primary in usable or c == radio.channel,  # type: ignore[misc]
        )
        for usable, count in sorted(said.items(), key=lambda item: sorted(item[0]))
    )


def is_by_clients(name: str) -> bool:
    """Whether a rule is one of clients, told or said by themselves."""
    return name.startswith((_CLIENTS, _CLIENTS_SAID))


def broken(channel: Channel, rules: Iterable[Rule]) -> str:
    """The first rule that a channel breaks, "" for none."""
    return next((r.name for r in rules if not r.permits(channel)), "")


def contradiction(channels: Sequence[Channel], rules: Sequence[Rule]) -> tuple[str, ...]:
    """The smallest set of rules that together leave no channel, by name; none where some channel is left."""
    allowed = [frozenset(k for k, c in enumerate(channels) if r.permits(c)) for r in rules]
    for size in range(1, min(len(rules), _MOST_NAMED) + 1):
        for group in combinations(range(len(rules)), size):
            if not frozenset.intersection(*(allowed[k] for k in group)):
                return tuple(rules[k].name for k in group)
    left = frozenset.intersection(*allowed) if allowed else frozenset({0})
    return () if left else tuple(r.name for r in rules)
