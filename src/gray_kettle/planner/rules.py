"""Rules that decide whether a channel is open to a radio, each with the name that reasons and conflicts show."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from itertools import combinations

from gray_kettle.analysis.assessment import Radio
from gray_kettle.model.setup import Setup
from gray_kettle.phy.channels import Channel
from gray_kettle.phy.countries import is_allowed, is_known, needs_radar_watch
from gray_kettle.planner.limits import limit_of_radio, parse_limit
from gray_kettle.safe_text import printable

_MOST_NAMED = 4
_CLIENT_LIMIT, _CLIENT_SUPPORT = "client limit ", "supported channels: "


@dataclass(frozen=True)
class Rule:
    """name: shown where a channel breaks the rule"""

    name: str
    permits: Callable[[Channel], bool]


def rules_for(radio: Radio, setup: Setup) -> tuple[Rule, ...]:
    """Every configured rule that holds for a radio, the weightiest first.

    Raises: InvalidInput, for a limit that cannot be parsed.
    """
    country = setup.country
    where = printable(country) or "every country (none is set)"
    why = f"not permitted in {where}"
    if country and not is_known(country):
        why = f"the rules of {where} are not known here, and not every known country permits it"
    dsss = radio.generation == "b"
    rules = [Rule(why, lambda c: is_allowed(country, c, dsss))]
    if radio.id in setup.preferences.locked:
        rules.append(Rule("locked", lambda c: c == radio.channel))
    for owner, text in setup.preferences.offers:
        if owner == radio.id:
            rules.append(Rule(f"radio limit {printable(text)}", limit_of_radio(text, radio.band).permits))
    for text in setup.clients:
        limit = parse_limit(text)
        if limit.concerns(radio):
            rules.append(Rule(f"{_CLIENT_LIMIT}{printable(text)}", limit.permits))
    if setup.preferences.radar == "avoid":
        rules.append(Rule("DFS channels are avoided", lambda c: not needs_radar_watch(country, c)))
    return tuple(rules)


def rules_of_clients(radio: Radio) -> tuple[Rule, ...]:
    """Channels that clients of a radio do not list as supported; clients with the same list share a rule.

    The present channel always passes: they are connected on it.
    """
    said: dict[frozenset[int], int] = {}
    for client in (c for n in radio.networks for c in n.clients):
        usable = frozenset(number for band, number in client.channels if band == radio.band)
        if usable:
            said[usable] = said.get(usable, 0) + 1
    return tuple(
        Rule(
            f"{_CLIENT_SUPPORT}{count} {'client' if count == 1 else 'clients'} cannot use it",
            lambda c, usable=usable: c.primary in usable or c == radio.channel,  # type: ignore[misc]
        )
        for usable, count in sorted(said.items(), key=lambda item: sorted(item[0]))
    )


def is_by_clients(name: str) -> bool:
    """Whether a rule comes from clients: a configured limit, or their list of supported channels."""
    return name.startswith((_CLIENT_LIMIT, _CLIENT_SUPPORT))


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
