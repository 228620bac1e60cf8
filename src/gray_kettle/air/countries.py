"""What a country permits to indoor access points: channels, widths, radar duty, power.

Facts as published by the regulators (FCC 47 CFR 15.247 and 15.407; EN 300 328, EN 301 893, EN 303 687 and
Ofcom's interface requirement; Japan's MIC), for planning, not a legal reading. Power is EIRP of an indoor
access point. Countries that are not in the table get what all of these share.
"""

from dataclasses import dataclass

from gray_kettle.air.channels import Channel, numbers


@dataclass(frozen=True)
class Rule:
    """One stretch of channels, first to last, with its limits."""

    first: int
    last: int
    eirp_dbm: float
    radar: bool = False
    indoor: bool = False


_EU_6 = (Rule(1, 93, 23, indoor=True),)
_RULES: dict[str, dict[str, tuple[Rule, ...]]] = {
    "US": {
        "2.4": (Rule(1, 11, 36),),
        "5": (
            Rule(36, 48, 36),
            Rule(52, 64, 30, radar=True),
            Rule(100, 144, 30, radar=True),
            Rule(149, 165, 36),
            Rule(169, 177, 36, indoor=True),
        ),
        "6": (Rule(1, 233, 30, indoor=True),),
    },
    "GB": {
        "2.4": (Rule(1, 13, 20),),
        "5": (
            Rule(36, 48, 23, indoor=True),
            Rule(52, 64, 23, radar=True, indoor=True),
            Rule(100, 144, 30, radar=True),
            Rule(149, 165, 23, indoor=True),
        ),
        "6": (Rule(1, 93, 24, indoor=True),),
    },
    "DE": {
        "2.4": (Rule(1, 13, 20),),
        "5": (
            Rule(36, 48, 23, indoor=True),
            Rule(52, 64, 23, radar=True, indoor=True),
            Rule(100, 140, 30, radar=True),
            Rule(149, 173, 14),
        ),
        "6": _EU_6,
    },
    "JP": {
        "2.4": (Rule(1, 13, 20),),
        "5": (
            Rule(36, 48, 23, indoor=True),
            Rule(52, 64, 23, radar=True, indoor=True),
            Rule(100, 144, 30, radar=True),
        ),
        "6": _EU_6,
    },
}
_ANYWHERE: dict[str, tuple[Rule, ...]] = {
    "2.4": (Rule(1, 11, 20),),
    "5": (Rule(36, 48, 23, indoor=True), Rule(52, 64, 23, radar=True, indoor=True)),
    "6": _EU_6,
}
KNOWN = tuple(sorted(_RULES))


def rules_by_number(country: str, band: str) -> dict[int, Rule]:
    """The rule of each permitted 20 MHz channel number of a band."""
    rules = _RULES.get(country.upper(), _ANYWHERE)[band]
    return {n: rule for n in numbers(band) for rule in rules if rule.first <= n <= rule.last}


def is_allowed(country: str, channel: Channel) -> bool:
    """Whether every 20 MHz part of the channel is permitted."""
    permitted = rules_by_number(country, channel.band)
    return all(part in permitted for part in channel.parts)


def needs_radar_watch(country: str, channel: Channel) -> bool:
    """Whether any part of the channel must watch for radar and give way to it."""
    permitted = rules_by_number(country, channel.band)
    return any(part in permitted and permitted[part].radar for part in channel.parts)
