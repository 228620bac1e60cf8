"""What the rules for findings read, and the phrases that they share."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from functools import cached_property

from gray_kettle.analysis.assessment import ChannelView, Emitter, Gap, LossCause, OwnView, Radio
from gray_kettle.analysis.loss.channel_plan import channel_plans
from gray_kettle.analysis.thresholds import Thresholds
from gray_kettle.model.enums import LossKind, Severity
from gray_kettle.safe_text import dbm
from gray_kettle.site_timezone import UTC_TIME, SiteTime

# First steps that the plan replaces by its own figures (Finding.action says which).
CHANGE_CHANNEL = "Change its channel: see the plan."
FIX_CHANNEL = "Set a fixed channel: see the plan."


@dataclass(frozen=True, eq=False)
class Facts:
    """An assessment without its findings. known_before: BSSIDs of the reference window, None without a reference."""

    radios: tuple[Radio, ...] = ()
    own: tuple[OwnView, ...] = ()
    channels: tuple[ChannelView, ...] = ()
    emitters: tuple[Emitter, ...] = ()
    gaps: tuple[Gap, ...] = ()
    country: str = ""
    known_before: frozenset[str] | None = None
    limits: Thresholds = field(default_factory=Thresholds)
    start_s: float = 0.0
    site_time: SiteTime = UTC_TIME

    @cached_property
    def channel_plans(self) -> tuple[tuple[int, ...], ...]:
        """Sets of 2.4 GHz channels that the site may keep to."""
        return channel_plans(self.radios, self.country)

    def severity(self, lost: float) -> Severity:
        if lost >= self.limits.act_lost:
            return Severity.ACT
        return Severity.WATCH if lost >= self.limits.watch_lost else Severity.NOTE

    def radio(self, radio_id: str) -> Radio | None:
        return next((r for r in self.radios if r.id == radio_id), None)

    def view(self, radio_id: str) -> OwnView | None:
        return next((v for v in self.own if v.radio.id == radio_id), None)

    def clock(self, time_s: float, day: bool = True) -> str:
        """A moment in local time: "Thu 08:06"; with "UTC" behind it where local time is not known."""
        form = "%a %H:%M" if day else "%H:%M"
        return self.site_time.minute(time_s).strftime(form) + self.site_time.suffix

    def hour(self, hour_utc: int) -> str:
        """An hour of the day in local time: "12:00"; with "UTC" behind it where local time is not known."""
        return f"{self.site_time.hour(hour_utc, self.start_s):02d}:00{self.site_time.suffix}"


def title(radio: Radio) -> str:
    """A radio by name and band: "hall 2.4 GHz"."""
    return f"{radio.name} {radio.band} GHz"


def percent(share: float) -> str:
    return f"{100 * share:.0f} %"


def count(number: int, noun: str, plural: str = "") -> str:
    """A number with its noun: "1 frame", "2 frames"."""
    return f"{number:,} {noun if number == 1 else plural or noun + 's'}"


def of_kind(view: OwnView, kind: LossKind) -> list[LossCause]:
    return [h for h in view.now.losses if h.kind == kind] if view.now else []


def joined_loss(losses: Iterable[LossCause]) -> float:
    """Share of time (0 to 1) that independent causes take together."""
    left = 1.0
    for loss_cause in losses:
        left *= 1 - loss_cause.share_lost
    return 1 - left


def why_assumed(view: OwnView) -> str:
    """Why the level of a radio's clients had to be assumed."""
    known = any(n.clients or n.load_stations for n in view.radio.networks)
    return (
        "no level of clients was measured where their radio is strongest"
        if known
        else "no client was observed"
    )


def heard_at(cause: LossCause) -> str:
    """The level of a cause in words; what is not identified has none."""
    return "measured" if cause.level_dbm is None else dbm(cause.level_dbm)


def named(losses: list[LossCause], most: int = 3) -> str:
    """The causes by name, channel and level."""
    names = list(dict.fromkeys(f"{h.name} on {h.channel.label} ({heard_at(h)})" for h in losses if h.channel))
    more = f" and {len(names) - most} more" if len(names) > most else ""
    return ", ".join(names[:most]) + more


def listed(names: Iterable[str], most: int = 3) -> str:
    """Some names as a sentence lists them: "a, b and 2 more"."""
    distinct = list(dict.fromkeys(names))
    if len(distinct) > most:
        return ", ".join(distinct[:most]) + f" and {len(distinct) - most} more"
    return " and ".join([", ".join(distinct[:-1]), distinct[-1]] if len(distinct) > 1 else distinct)


def best_level_dbm(radio: Radio) -> float:
    """Level at the spot where the radio is strongest, on any of its channels; -200 when no level is known."""
    return max((level for s in radio.stays for _, level in s.level_at), default=-200.0)


def beacons_of(radio: Radio) -> float:
    """Share of time (0 to 1) that its beacons take."""
    return sum(n.beacon_share for n in radio.networks)


def slowest_mbps(radio: Radio) -> float:
    """The slowest basic rate; 6 where none is advertised."""
    return min((rate for n in radio.networks for rate in n.basic_rates_mbps), default=6.0)
