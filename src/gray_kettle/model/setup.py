"""What the technician entered about a site: its setup, with notes on emitters and the plan preferences."""

from dataclasses import dataclass, field

from gray_kettle.model.plan_preferences import CompletedStep, PlanPreferences
from gray_kettle.site_timezone import SiteTime, site_time


@dataclass(frozen=True)
class EmitterNote:
    """A note on a detected emitter, matched by the kind and frequency that it was detected with.

    kind: the right kind where detection was wrong, else "". is_dismissed: known and of no concern.
    """

    found: str
    centre_hz: float
    bandwidth_hz: float
    name: str = ""
    kind: str = ""
    is_dismissed: bool = False


@dataclass(frozen=True)
class Setup:
    """Everything that was entered for a case.

    own: SSIDs and BSSIDs of our networks. foreign: BSSIDs that are not ours, whatever their SSID.
    clients: client limits, see planner.limits. names: (address, name) of radios, by BSSID, and of clients.
    emitters: notes on emitters.
    together: groups of BSSIDs that are one radio; apart: BSSIDs that are each a radio of their own.
    thresholds: (name, value) of changed thresholds, see analysis.thresholds. reference: (start, end) of the reference
    window, seconds since the epoch. preferences: limits and weights of the plan; done: steps that were carried out.
    time_zone: IANA name, "" for the zone of the country. marks: moments that somebody named, seconds since the epoch.
    followed: ids of radios that somebody keeps an eye on.
    """

    site: str = ""
    country: str = ""
    complaint: str = ""
    own: tuple[str, ...] = ()
    foreign: tuple[str, ...] = ()
    clients: tuple[str, ...] = ()
    names: tuple[tuple[str, str], ...] = ()
    emitters: tuple[EmitterNote, ...] = ()
    together: tuple[tuple[str, ...], ...] = ()
    apart: tuple[str, ...] = ()
    thresholds: tuple[tuple[str, float], ...] = ()
    reference: tuple[float, float] | None = None
    preferences: PlanPreferences = field(default_factory=PlanPreferences)
    done: tuple[CompletedStep, ...] = ()
    time_zone: str = ""
    marks: tuple[tuple[float, str], ...] = ()
    followed: tuple[str, ...] = ()

    @property
    def site_time(self) -> SiteTime:
        return site_time(self.country, self.time_zone)
