"""Local time of the site, where its country tells it."""

from datetime import UTC, tzinfo
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

_ZONES = {"GB": "Europe/London", "DE": "Europe/Berlin", "JP": "Asia/Tokyo"}


def zone_of(country: str) -> tzinfo:
    """Local time where a country has one zone; UTC elsewhere, and it says so."""
    try:
        return ZoneInfo(_ZONES[country]) if country in _ZONES else UTC
    except ZoneInfoNotFoundError:
        return UTC


def has_zone(country: str) -> bool:
    return country in _ZONES


def zone_name(country: str) -> str:
    """For labels."""
    return _ZONES.get(country, "UTC")
