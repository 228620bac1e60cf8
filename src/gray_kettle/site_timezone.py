"""Local time of the site, where its country tells it."""

from datetime import UTC, datetime, tzinfo
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

# Countries of one zone (islands far off aside); of those with several, local time is not known.
_ZONES = {
    "AE": "Asia/Dubai", "AT": "Europe/Vienna", "BE": "Europe/Brussels", "BG": "Europe/Sofia", "CH": "Europe/Zurich",
    "CY": "Asia/Nicosia", "CZ": "Europe/Prague", "DE": "Europe/Berlin", "DK": "Europe/Copenhagen",
    "EE": "Europe/Tallinn", "FI": "Europe/Helsinki", "FR": "Europe/Paris", "GB": "Europe/London",
    "GR": "Europe/Athens", "HR": "Europe/Zagreb", "HU": "Europe/Budapest", "IE": "Europe/Dublin",
    "IN": "Asia/Kolkata", "IT": "Europe/Rome", "JP": "Asia/Tokyo", "KR": "Asia/Seoul", "LT": "Europe/Vilnius",
    "LU": "Europe/Luxembourg", "LV": "Europe/Riga", "MT": "Europe/Malta", "NL": "Europe/Amsterdam",
    "NO": "Europe/Oslo", "NZ": "Pacific/Auckland", "PL": "Europe/Warsaw", "RO": "Europe/Bucharest",
    "SE": "Europe/Stockholm", "SG": "Asia/Singapore", "SI": "Europe/Ljubljana", "SK": "Europe/Bratislava",
    "TW": "Asia/Taipei", "ZA": "Africa/Johannesburg",
}  # fmt: skip


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


def offset_s(time_s: float, zone: tzinfo) -> float:
    """By how much local time is ahead of UTC at a moment."""
    offset = datetime.fromtimestamp(time_s, UTC).astimezone(zone).utcoffset()
    return offset.total_seconds() if offset else 0.0


def local_hour(hour_utc: int, time_s: float, country: str) -> int:
    """An hour of the day in local time, as it is around a moment; the hour that most of it falls in."""
    return (hour_utc + round(offset_s(time_s, zone_of(country)) / 3600)) % 24
