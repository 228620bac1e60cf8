"""Local time of the site: from the time zone of the setup, else from the country where it has one zone."""

from dataclasses import dataclass
from datetime import UTC, datetime, tzinfo
from functools import lru_cache
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

# Countries with a single time zone (distant islands aside). For the others the setup must name one.
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


@dataclass(frozen=True)
class SiteTime:
    """The zone that times of a site are shown in. is_local False: it is not known, and UTC stands in."""

    zone: tzinfo
    name: str
    is_local: bool

    @property
    def suffix(self) -> str:
        """What a shown time ends with where it is not local time."""
        return "" if self.is_local else " UTC"

    def moment(self, time_s: float) -> datetime:
        return datetime.fromtimestamp(time_s, self.zone)

    def minute(self, time_s: float) -> datetime:
        """The nearest minute: listings date what they saw some milliseconds before themselves."""
        return self.moment(round(time_s / 60) * 60)

    def offset_s(self, time_s: float) -> float:
        """By how much local time is ahead of UTC at a moment, seconds."""
        offset = self.moment(time_s).utcoffset()
        return offset.total_seconds() if offset else 0.0

    def hour(self, hour_utc: int, time_s: float) -> int:
        """An hour of the day in local time, as it is around a moment; the hour that most of it falls in."""
        return (hour_utc + round(self.offset_s(time_s) / 3600)) % 24


UTC_TIME = SiteTime(UTC, "UTC", False)


@lru_cache(maxsize=64)
def site_time(country: str, time_zone: str = "") -> SiteTime:
    """Time of a site. A zone that this system does not know counts as not known."""
    name = time_zone or _ZONES.get(country, "")
    try:
        return SiteTime(ZoneInfo(name), name, True) if name else UTC_TIME
    except (ZoneInfoNotFoundError, ValueError, OSError):  # ValueError, OSError: a name that is no plain path
        return UTC_TIME


def is_time_zone(name: str) -> bool:
    """Whether this system knows an IANA time zone by that name."""
    return site_time("", name).is_local
