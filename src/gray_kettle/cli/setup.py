"""The commands `new` and `set`: what the technician tells of a site."""

from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from typing import Annotated

import typer

from gray_kettle.model.setup import Setup

CasePath = Annotated[Path, typer.Argument(metavar="CASE", help="The case file, NAME.kettle.")]
Own = Annotated[
    list[str] | None, typer.Option("--own", help="Name or BSSID of a network that is ours; repeat it.")
]
Country = Annotated[str | None, typer.Option("--country", help="Two letters, for example GB.")]
Clients = Annotated[
    list[str] | None,
    typer.Option("--clients", help="A limit of clients: 2.4:1-11, tern-gate@2.4:20MHz, 5:36-48; repeat it."),
]
Site = Annotated[str | None, typer.Option("--site", help="Name of the site.")]
_ADDRESS_LENGTH = 17


def new(
    case: CasePath, site: Site = None, country: Country = None, own: Own = None, clients: Clients = None
) -> None:
    """Make a case."""
    from gray_kettle.store import Case

    Case.create(case, _changed(Setup(), site, country, own, clients)).close()


def set_(
    case: CasePath,
    site: Site = None,
    country: Country = None,
    own: Own = None,
    clients: Clients = None,
    name: Annotated[
        list[str] | None, typer.Option("--name", help="BSSID=NAME: what to call a radio; repeat it.")
    ] = None,
    threshold: Annotated[
        list[str] | None,
        typer.Option(
            "--threshold", help="NAME=VALUE, or NAME= for the usual one (docs/scoring.md); repeat it."
        ),
    ] = None,
    together: Annotated[
        list[str] | None, typer.Option("--together", help="BSSID,BSSID: they are one radio; repeat it.")
    ] = None,
    apart: Annotated[
        list[str] | None, typer.Option("--apart", help="BSSID: it is a radio of its own; repeat it.")
    ] = None,
    lock: Annotated[
        list[str] | None, typer.Option("--lock", help="BSSID: the plan leaves it where it is; - for none.")
    ] = None,
    offers: Annotated[
        list[str] | None,
        typer.Option("--offers", help="BSSID=36-64 or BSSID=40MHz: what it can be set to; BSSID= for all."),
    ] = None,
    weight: Annotated[
        list[str] | None, typer.Option("--weight", help="BSSID=2: how much its throughput counts; repeat it.")
    ] = None,
    radar: Annotated[
        str | None, typer.Option("--radar", help="Channels with radar watch: avoid, allow or prefer.")
    ] = None,
    most_moves: Annotated[
        int | None, typer.Option("--most-moves", min=-1, help="The plan changes at most so many; -1 for any.")
    ] = None,
    change_cost: Annotated[
        float | None,
        typer.Option("--change-cost", min=0.0, max=5.0, help="What a move must gain, log units."),
    ] = None,
    hours: Annotated[
        str | None,
        typer.Option("--hours", help="Hours of the day that the plan counts, local: 8-16; - for all."),
    ] = None,
    reference: Annotated[
        str | None,
        typer.Option("--reference", help="START/END (ISO 8601): others are compared with it; - for none."),
    ] = None,
) -> None:
    """Change what the case knows of the site: what is given is replaced, the rest stays."""
    from gray_kettle.store import Case

    with Case.open(case) as opened:
        setup = _changed(opened.setup(), site, country, own, clients)
        names = dict(setup.names)
        for word in name or []:
            address, equals, called = word.partition("=")
            if not equals:
                raise typer.BadParameter(f"“{word}” is not BSSID=NAME.")
            names[_address(address)] = called
        setup = replace(setup, names=tuple(sorted(names.items())))
        setup = _thresholds(setup, threshold or [])
        setup = _groups(setup, together or [], apart or [])
        setup = _preferences(setup, lock, offers, weight, radar, most_moves, change_cost, hours)
        if reference is not None:
            setup = replace(setup, reference=None if reference == "-" else _stretch(reference))
        opened.save_setup(setup)


def _address(text: str) -> str:
    if len(text) != _ADDRESS_LENGTH or text.count(":") != 5:
        raise typer.BadParameter(f"“{text}” is no address: write it like 02:7a:10:01:20:00.")
    return text.lower()


def _thresholds(setup: Setup, words: list[str]) -> Setup:
    from gray_kettle.analysis.thresholds import threshold_from

    told = dict(setup.thresholds)
    for word in words:
        if word.endswith("="):
            told.pop(word[:-1].strip().replace("-", "_"), None)
            continue
        try:
            key, value = threshold_from(word)
        except ValueError as error:
            raise typer.BadParameter(str(error)) from error
        told[key] = value
    return replace(setup, thresholds=tuple(sorted(told.items())))


def _groups(setup: Setup, together: list[str], apart: list[str]) -> Setup:
    from gray_kettle.analysis.inventory.radio_grouping import joined, parted

    for word in together:
        setup = joined(setup, {_address(a.strip()) for a in word.split(",")})
    return parted(setup, {_address(a) for a in apart}) if apart else setup


def _preferences(
    setup: Setup,
    lock: list[str] | None,
    offers: list[str] | None,
    weight: list[str] | None,
    radar: str | None,
    most_moves: int | None,
    change_cost: float | None,
    hours: str | None,
) -> Setup:
    from gray_kettle.planner.hours import hours_from
    from gray_kettle.planner.limits import limit_of_radio

    preferences = setup.preferences
    try:
        if lock is not None:
            preferences = replace(preferences, locked=tuple(_address(one) for one in lock if one != "-"))
        for word in offers or []:
            owner, text = _pair(word, "BSSID=36-64")
            kept = tuple(pair for pair in preferences.offers if pair[0] != owner or text)
            if text:
                limit_of_radio(text, "5")
            preferences = replace(preferences, offers=(*kept, (owner, text)) if text else kept)
        for word in weight or []:
            owner, text = _pair(word, "BSSID=2")
            weights = dict(preferences.weights) | {owner: float(text)}
            preferences = replace(preferences, weights=tuple(sorted(weights.items())))
        if radar is not None:
            preferences = replace(preferences, radar=radar)
        if hours is not None:
            told = "" if hours.strip() == "-" else hours.strip()
            if told:
                hours_from(told)
            preferences = replace(preferences, hours=told)
    except ValueError as error:
        raise typer.BadParameter(str(error)) from error
    if most_moves is not None:
        preferences = replace(preferences, most_moves=None if most_moves < 0 else most_moves)
    if change_cost is not None:
        preferences = replace(preferences, change_cost=change_cost)
    return replace(setup, preferences=preferences)


def _pair(word: str, example: str) -> tuple[str, str]:
    owner, equals, text = word.partition("=")
    if not equals:
        raise typer.BadParameter(f"“{word}” is not {example}.")
    return _address(owner), text.strip()


def _stretch(text: str) -> tuple[float, float]:
    first, _, last = text.partition("/")
    try:
        moments = [datetime.fromisoformat(word) for word in (first, last)]
    except ValueError:
        raise typer.BadParameter(f"“{text}” is not START/END in ISO 8601.") from None
    start_s, end_s = (m.replace(tzinfo=m.tzinfo or UTC).timestamp() for m in moments)
    if start_s >= end_s:
        raise typer.BadParameter(f"“{text}” ends before it begins.")
    return start_s, end_s


def _changed(
    setup: Setup, site: str | None, country: str | None, own: list[str] | None, clients: list[str] | None
) -> Setup:
    from gray_kettle.planner.limits import parse_limit

    if country is not None and not (len(country) == 2 and country.isascii() and country.isalpha()):
        raise typer.BadParameter(f"“{country}” is no country: write two letters, for example GB.")
    for limit in clients or []:
        try:
            parse_limit(limit)
        except ValueError as error:
            raise typer.BadParameter(str(error)) from error
    return replace(
        setup,
        site=setup.site if site is None else site,
        country=setup.country if country is None else country.upper(),
        own=setup.own if own is None else tuple(dict.fromkeys(own)),
        clients=setup.clients if clients is None else tuple(clients),
    )
