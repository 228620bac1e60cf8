"""What a country permits to indoor access points: channels, widths, radar duty, power.

Facts as published by the regulators (FCC 47 CFR 15.247 and 15.407; EN 300 328, EN 301 893, EN 303 687 and Ofcom's
interface requirement; Japan's MIC and the rest likewise), for planning, not a legal reading. Where the kernel of this
machine keeps its own regulatory database, that counts (air.regulatory). Power is EIRP of an indoor access point.
Countries that are in neither get what all of these share. Left out where rules are in motion: the table is careful.
"""

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

from gray_kettle.phy import regulatory
from gray_kettle.phy.channels import Channel, centre_hz, numbers

_WATCH_S = 60.0  # listening for radar before a channel may be used
_LONG_WATCH_S = 600.0  # the same where weather radar works, 5600 to 5650 MHz in Europe


@dataclass(frozen=True)
class Rule:
    """One interval of channels, first to last, with its limits. watch_s: silence before use, 0 without radar duty."""

    first: int
    last: int
    eirp_dbm: float
    radar: bool = False
    indoor: bool = False
    watch_s: float = 0.0
    widest_mhz: int = 320


def _watched(first: int, last: int, eirp_dbm: float, indoor: bool = False, watch_s: float = _WATCH_S) -> Rule:
    return Rule(first, last, eirp_dbm, radar=True, indoor=indoor, watch_s=watch_s)


Bands = dict[str, tuple[Rule, ...]]
_LOW_EU = (Rule(36, 48, 23, indoor=True), _watched(52, 64, 23, indoor=True))
_LOW_US = (Rule(36, 48, 36), _watched(52, 64, 30))
_MIDDLE_EU = (
    _watched(100, 116, 30),
    _watched(120, 128, 30, watch_s=_LONG_WATCH_S),
    _watched(132, 140, 30),
)
_MIDDLE = (_watched(100, 144, 30),)
_MIDDLE_NO_WEATHER = (_watched(100, 116, 30), _watched(132, 144, 30))
_UPPER = (Rule(149, 165, 36),)
_UP_TO_13, _UP_TO_11 = (Rule(1, 13, 20),), (Rule(1, 11, 36),)
_LOWER_6, _ALL_6 = (Rule(1, 93, 23, indoor=True),), (Rule(1, 233, 30, indoor=True),)

_EU: Bands = {"2.4": _UP_TO_13, "5": (*_LOW_EU, *_MIDDLE_EU, Rule(149, 173, 14)), "6": _LOWER_6}
_US_5 = (*_LOW_US, *_MIDDLE, *_UPPER, Rule(169, 177, 36, indoor=True))
_EU_AND_LIKE = "AT BE BG HR CY CZ DK EE FI FR DE GR HU IE IT LV LT LU MT NL PL PT RO SK SI ES SE CH NO"
_RULES: dict[str, Bands] = {
    **dict.fromkeys(_EU_AND_LIKE.split(), _EU),
    "US": {"2.4": _UP_TO_11, "5": _US_5, "6": _ALL_6},
    "CA": {
        "2.4": _UP_TO_11,
        "5": (Rule(36, 48, 23, indoor=True), _watched(52, 64, 30), *_MIDDLE_NO_WEATHER, *_UPPER),
        "6": _ALL_6,
    },
    "GB": {
        "2.4": _UP_TO_13,
        "5": (
            *_LOW_EU,
            *_MIDDLE_EU[:2],
            _watched(132, 144, 30),
            Rule(149, 165, 23, indoor=True),
        ),
        "6": (Rule(1, 93, 24, indoor=True),),
    },
    "JP": {"2.4": _UP_TO_13, "5": (*_LOW_EU, *_MIDDLE), "6": _LOWER_6},
    "AU": {"2.4": _UP_TO_13, "5": (*_LOW_EU, *_MIDDLE_NO_WEATHER, *_UPPER), "6": _LOWER_6},
    "NZ": {"2.4": _UP_TO_13, "5": (*_LOW_EU, *_MIDDLE, *_UPPER), "6": _LOWER_6},
    "IN": {"2.4": _UP_TO_13, "5": (*_LOW_EU, *_MIDDLE, Rule(149, 173, 30)), "6": ()},
    "BR": {"2.4": _UP_TO_13, "5": (*_LOW_EU, *_MIDDLE, *_UPPER), "6": _ALL_6},
    "MX": {"2.4": _UP_TO_11, "5": (*_LOW_US, *_MIDDLE_NO_WEATHER, *_UPPER), "6": _LOWER_6},
    "KR": {"2.4": _UP_TO_13, "5": (*_LOW_EU, *_MIDDLE, Rule(149, 165, 30)), "6": _ALL_6},
    "SG": {"2.4": _UP_TO_13, "5": (*_LOW_EU, *_MIDDLE, Rule(149, 165, 30)), "6": _LOWER_6},
    "TW": {"2.4": _UP_TO_11, "5": (*_LOW_US, *_MIDDLE, *_UPPER), "6": _LOWER_6},
    "ZA": {"2.4": _UP_TO_13, "5": (*_LOW_EU, *_MIDDLE, Rule(149, 165, 36)), "6": _LOWER_6},
    "AE": {"2.4": _UP_TO_13, "5": (*_LOW_EU, *_MIDDLE, Rule(149, 165, 30)), "6": _LOWER_6},
}
ACCESS_POINT_DBM = 23.0  # EIRP of a common access point where the rules permit more: an assumption
KNOWN = tuple(sorted(_RULES))


@lru_cache(maxsize=400)
def rules_by_number(country: str, band: str) -> dict[int, Rule]:
    """The rule of each permitted 20 MHz channel number of a band."""
    own = regulatory.of_this_machine().get(country.upper())
    if own is not None:
        return _by_frequency(own, band)
    if country.upper() not in _RULES:
        return _common_to_all(band)
    return _by_number(_RULES[country.upper()], band)


def _by_number(bands: Bands, band: str) -> dict[int, Rule]:
    return {n: rule for n in numbers(band) for rule in bands[band] if rule.first <= n <= rule.last}


def _common_to_all(band: str) -> dict[int, Rule]:
    """What every country of the table permits, with the strictest of their limits."""
    every = [_by_number(bands, band) for bands in _RULES.values()]
    out = {}
    for n in numbers(band):
        rules = [found[n] for found in every if n in found]
        if len(rules) == len(every):
            out[n] = Rule(
                n,
                n,
                min(r.eirp_dbm for r in rules),
                any(r.radar for r in rules),
                any(r.indoor for r in rules),
                max(r.watch_s for r in rules),
                min(r.widest_mhz for r in rules),
            )
    return out


def is_known(country: str) -> bool:
    """Whether the rules of a country are known here; else only what all known countries share is permitted."""
    return country.upper() in regulatory.of_this_machine() or country.upper() in _RULES


def source_of(country: str) -> str:
    """Where the rules of a country come from, in words."""
    if country.upper() in regulatory.of_this_machine():
        return "this machine's regulatory database"
    return "our table" if country.upper() in _RULES else "channels common to all countries of our table"


def _by_frequency(stretches: tuple[regulatory.Stretch, ...], band: str) -> dict[int, Rule]:
    out = {}
    for n in numbers(band):
        middle = centre_hz(band, n)
        for s in stretches:
            if s.low_hz <= middle - 10e6 and middle + 10e6 <= s.high_hz and not s.listen_only:
                width = 320 if s.joins else int(s.widest_hz / 1e6)
                watch_s = (s.watch_s or _WATCH_S) if s.radar else 0.0
                out[n] = Rule(n, n, s.eirp_dbm, s.radar, s.indoor, watch_s, width)
    return out


def power_change_db(country: str, source: Channel, target: Channel) -> float:
    """By how much a common access point must reduce its power to go from one channel to another; 0 or less."""
    before, after = (most_eirp_dbm(country, c) for c in (source, target))
    if before is None or after is None:
        return 0.0
    return min(min(after, ACCESS_POINT_DBM) - min(before, ACCESS_POINT_DBM), 0.0)


def is_allowed(country: str, channel: Channel, dsss_only: bool = False) -> bool:
    """Whether every 20 MHz part of the channel is permitted, in that width. Channel 14 is for DSSS in Japan alone."""
    if (channel.band, channel.primary) == ("2.4", 14):
        return dsss_only and country.upper() == "JP"
    permitted = rules_by_number(country, channel.band)
    return all(
        part in permitted and channel.width_mhz <= permitted[part].widest_mhz for part in channel.parts
    )


def needs_radar_watch(country: str, channel: Channel) -> bool:
    """Whether any part of the channel must watch for radar and give way to it."""
    return _any_part(country, channel, lambda rule: rule.radar)


def radar_watch_s(country: str, channel: Channel) -> float:
    """How long it must listen before it may use the channel."""
    permitted = rules_by_number(country, channel.band)
    return max((permitted[part].watch_s for part in channel.parts if part in permitted), default=0.0)


def most_eirp_dbm(country: str, channel: Channel) -> float | None:
    """What may be radiated on the whole channel; None where it is not permitted."""
    if not is_allowed(country, channel):
        return None
    permitted = rules_by_number(country, channel.band)
    return min(permitted[part].eirp_dbm for part in channel.parts)


def is_indoor_only(country: str, channel: Channel) -> bool:
    """Whether it may be used indoors alone."""
    return _any_part(country, channel, lambda rule: rule.indoor)


def _any_part(country: str, channel: Channel, holds: Callable[[Rule], bool]) -> bool:
    permitted = rules_by_number(country, channel.band)
    return any(part in permitted and holds(permitted[part]) for part in channel.parts)
