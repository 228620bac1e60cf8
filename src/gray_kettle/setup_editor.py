"""Changes to the setup of a case, validated in one place for the commands and for the forms of the app.

Each function takes a setup and what was entered, and returns the changed setup. Raises: InvalidInput, with a sentence
that says what was wrong and shows a valid form.
"""

from collections.abc import Iterable
from dataclasses import replace
from datetime import UTC, datetime

from gray_kettle.analysis.inventory.radio_grouping import address_key, joined, parted
from gray_kettle.analysis.thresholds import threshold_from
from gray_kettle.errors import InvalidInput
from gray_kettle.model.country_codes import country_from
from gray_kettle.model.plan_preferences import DESIGN_LOAD, CompletedStep
from gray_kettle.model.setup import EmitterNote, Setup
from gray_kettle.planner.hours import hours_from
from gray_kettle.planner.limits import limit_of_radio, parse_limit
from gray_kettle.safe_text import printable
from gray_kettle.site_timezone import is_time_zone

_ADDRESS_LENGTH, _ADDRESS_COLONS = 17, 5
_LONGEST_MARK, _MOST_MARKS = 40, 500
_MOST_STEPS = 500
_MOST_NAMES = 20_000
MOST_CHANGES, MOST_COST, MOST_WEIGHT = 999, 5.0, 100.0


def address(text: str) -> str:
    """A BSSID in lower case."""
    octets = text.strip().lower()
    if len(octets) != _ADDRESS_LENGTH or octets.count(":") != _ADDRESS_COLONS:
        raise InvalidInput(f"“{printable(text)}” is not an address: write it like 02:7a:10:01:20:00.")
    return octets


def with_country(setup: Setup, text: str) -> Setup:
    """text: two letters, or "" for none."""
    return replace(setup, country=country_from(text))


def with_time_zone(setup: Setup, text: str) -> Setup:
    """text: an IANA name, or "" for the zone of the country."""
    name = text.strip()
    if name and not is_time_zone(name):
        raise InvalidInput(f"“{printable(name)}” is not a time zone: write for example Europe/London.")
    return replace(setup, time_zone=name)


def with_own(setup: Setup, names: Iterable[str]) -> Setup:
    """names: SSIDs and BSSIDs of our networks."""
    return replace(setup, own=tuple(dict.fromkeys(names)))


def with_client_limits(setup: Setup, limits: Iterable[str]) -> Setup:
    kept = tuple(limit.strip() for limit in limits)
    for limit in kept:
        parse_limit(limit)
    return replace(setup, clients=kept)


def with_radio_name(setup: Setup, bssids: Iterable[str], name: str) -> Setup:
    """Name the radio of these BSSIDs; "" takes its name away."""
    addresses = {address(b) for b in bssids}
    kept = [(a, n) for a, n in setup.names if a not in addresses]
    new = [(a, name) for a in addresses] if name else []
    return replace(setup, names=tuple(sorted([*kept, *new])))


def with_device_names(setup: Setup, names: Iterable[tuple[str, str]], heard: Iterable[str] = ()) -> Setup:
    """Add (address, name), the new names in place of the old.

    heard: BSSIDs of our radios. One that has no name gets that of its access point's other addresses: lists of leases
    know an access point by its cable, whose address is next to those on the air.
    """
    given = dict(names)
    by_neighbour: dict[object, str] = {}
    for known, name in given.items():
        by_neighbour.setdefault(address_key(known), name)
    merged = {**dict(setup.names), **given}
    for bssid in heard:
        if bssid not in merged and address_key(bssid) in by_neighbour:
            merged[bssid] = by_neighbour[address_key(bssid)]
    if len(merged) > _MOST_NAMES:
        raise InvalidInput(
            f"A case holds names for {_MOST_NAMES:,} devices at most: this makes {len(merged):,}."
        )
    return replace(setup, names=tuple(sorted(merged.items())))


def with_threshold(setup: Setup, text: str) -> Setup:
    """text: "act-lost=20", or "act-lost=" for the default."""
    changed = dict(setup.thresholds)
    if text.endswith("="):
        changed.pop(text[:-1].strip().replace("-", "_"), None)
    else:
        name, value = threshold_from(text)
        changed[name] = value
    return replace(setup, thresholds=tuple(sorted(changed.items())))


def with_joined(setup: Setup, bssids: Iterable[str]) -> Setup:
    """These BSSIDs are one radio."""
    return joined(setup, {address(b) for b in bssids})


def with_separate(setup: Setup, bssids: Iterable[str]) -> Setup:
    """Each of these BSSIDs is a radio of its own."""
    return parted(setup, {address(b) for b in bssids})


def with_ownership(setup: Setup, bssids: Iterable[str], is_own: bool) -> Setup:
    """Mark the radio of these BSSIDs as own or foreign, whatever its SSIDs."""
    addresses = {address(b) for b in bssids}
    own = [name for name in setup.own if name.lower() not in addresses]
    foreign = [a for a in setup.foreign if a not in addresses]
    if is_own:
        own += sorted(addresses)
    else:
        foreign += sorted(addresses)
    return replace(setup, own=tuple(own), foreign=tuple(foreign))


def with_emitter_note(setup: Setup, note: EmitterNote) -> Setup:
    return replace(setup, emitters=(*setup.emitters, note))


def with_completed(setup: Setup, step: CompletedStep) -> Setup:
    """The step was carried out. The last one of the same radio is replaced where it says the same: its time was
    wrong.
    """
    last = next((d for d in reversed(setup.done) if d.radio == step.radio), None)
    rest = tuple(d for d in setup.done if d is not last or d.text != step.text)
    if len(rest) >= _MOST_STEPS:
        raise InvalidInput(f"A case holds at most {_MOST_STEPS} changes that were carried out.")
    return replace(setup, done=tuple(sorted((*rest, step), key=lambda d: d.time_s)))


def without_completed(setup: Setup, radio: str) -> Setup:
    """Takes the last step of a radio away."""
    last = next((d for d in reversed(setup.done) if d.radio == radio), None)
    return replace(setup, done=tuple(d for d in setup.done if d is not last))


def without_step(setup: Setup, radio: str, time_s: float) -> Setup:
    """Takes the step of a radio away that is nearest to a moment. Raises: InvalidInput, where there is none."""
    found = min(
        (d for d in setup.done if d.radio == radio), key=lambda d: abs(d.time_s - time_s), default=None
    )
    if found is None:
        raise InvalidInput("There is no such change: without WHAT, `done` lists those that are known.")
    return replace(setup, done=tuple(d for d in setup.done if d is not found))


def with_mark(setup: Setup, time_s: float, text: str) -> Setup:
    """text: what happened; "" takes the mark of that moment away."""
    word = printable(text.strip())[:_LONGEST_MARK]
    others = tuple(m for m in setup.marks if m[0] != time_s)
    if not word:
        return replace(setup, marks=others)
    if len(others) >= _MOST_MARKS:
        raise InvalidInput(f"A case has at most {_MOST_MARKS} marks: take one away first.")
    return replace(setup, marks=tuple(sorted((*others, (time_s, word)))))


def with_reference(setup: Setup, window: tuple[float, float] | None) -> Setup:
    return replace(setup, reference=window)


def reference_from(text: str) -> tuple[float, float]:
    """A window of "START/END" in ISO 8601; UTC where no zone is given. Seconds since the epoch."""
    first, _, last = text.partition("/")
    try:
        moments = [datetime.fromisoformat(word) for word in (first, last)]
    except ValueError:
        raise InvalidInput(f"“{printable(text)}” is not START/END in ISO 8601.") from None
    start_s, end_s = (m.replace(tzinfo=m.tzinfo or UTC).timestamp() for m in moments)
    if start_s >= end_s:
        raise InvalidInput(f"“{printable(text)}” ends before it begins.")
    return start_s, end_s


# Plan preferences


def with_locked(setup: Setup, radios: Iterable[str]) -> Setup:
    locked = tuple(sorted({address(r) for r in radios}))
    return replace(setup, preferences=replace(setup.preferences, locked=locked))


def with_lock_toggled(setup: Setup, radio: str) -> Setup:
    return with_locked(setup, set(setup.preferences.locked) ^ {radio})


def with_radio_limits(setup: Setup, radio: str, limits: Iterable[str], band: str = "5") -> Setup:
    """What a radio can be set to; none for anything."""
    owner, kept = address(radio), tuple(limit.strip() for limit in limits)
    for limit in kept:
        limit_of_radio(limit, band)
    others = tuple(pair for pair in setup.preferences.offers if pair[0] != owner)
    offers = (*others, *((owner, limit) for limit in kept))
    return replace(setup, preferences=replace(setup.preferences, offers=offers))


def with_weight(setup: Setup, radio: str, text: str) -> Setup:
    """How much the throughput of a radio counts; 1 is the default."""
    owner, weight = address(radio), _number(text, "The weight", 0.0, MOST_WEIGHT)
    weights = {k: v for k, v in setup.preferences.weights if k != owner}
    if weight != 1.0:
        weights[owner] = weight
    return replace(setup, preferences=replace(setup.preferences, weights=tuple(sorted(weights.items()))))


def with_design_load(setup: Setup, text: str, radio: str = "") -> Setup:
    """Share of the air in per cent that each own radio, or one of them, offers in the busy hour; "" for the default."""
    share = _number(text, "The design load in per cent", 0.0, 100.0) / 100 if text.strip() else None
    preferences = setup.preferences
    if not radio:
        return replace(
            setup, preferences=replace(preferences, design_load=DESIGN_LOAD if share is None else share)
        )
    loads = {k: v for k, v in preferences.loads if k != address(radio)}
    if share is not None:
        loads[address(radio)] = share
    return replace(setup, preferences=replace(preferences, loads=tuple(sorted(loads.items()))))


def with_hours(setup: Setup, text: str) -> Setup:
    """Hours of the day that the plan counts, local time; "" for all."""
    hours = text.strip()
    if hours:
        hours_from(hours)
    return replace(setup, preferences=replace(setup.preferences, hours=hours))


def with_radar(setup: Setup, text: str) -> Setup:
    return replace(setup, preferences=replace(setup.preferences, radar=text.strip()))


def with_most_moves(setup: Setup, text: str) -> Setup:
    """The largest number of changes; "" for any."""
    most = int(_number(text, "The number of changes", 0, MOST_CHANGES)) if text.strip() else None
    return replace(setup, preferences=replace(setup.preferences, most_moves=most))


def with_change_cost(setup: Setup, text: str) -> Setup:
    cost = _number(text, "The cost of a change", 0.0, MOST_COST)
    return replace(setup, preferences=replace(setup.preferences, change_cost=cost))


def _number(text: str, what: str, least: float, most: float) -> float:
    try:
        value = float(text)
    except ValueError:
        value = float("nan")
    if not least <= value <= most:
        raise InvalidInput(f"{what} is a number from {least:g} to {most:g}.")
    return value
