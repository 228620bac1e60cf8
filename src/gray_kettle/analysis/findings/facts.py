"""What rules for findings look at, and the words that they share."""

from collections.abc import Iterable
from dataclasses import dataclass, field
from datetime import datetime
from functools import cached_property

from gray_kettle.analysis.assessment import ChannelView, Emitter, Gap, LossCause, OwnView, Radio
from gray_kettle.analysis.loss.channel_plan import channel_plans
from gray_kettle.analysis.thresholds import Thresholds
from gray_kettle.safe_text import dbm
from gray_kettle.site_timezone import has_zone, local_hour, zone_of

# The plan puts its own figures in the place of these two.
CHANGE_CHANNEL = "Change its channel: see the plan."
FIX_CHANNEL = "Give it a fixed channel: see the plan."


@dataclass(frozen=True, eq=False)
class Facts:
    """An assessment but for its findings. known_before: BSSIDs of the reference stretch, None where none was told."""

    radios: tuple[Radio, ...] = ()
    own: tuple[OwnView, ...] = ()
    places: tuple[ChannelView, ...] = ()
    emitters: tuple[Emitter, ...] = ()
    gaps: tuple[Gap, ...] = ()
    country: str = ""
    known_before: frozenset[str] | None = None
    limits: Thresholds = field(default_factory=Thresholds)
    start_s: float = 0.0

    @cached_property
    def channel_plans(self) -> tuple[tuple[int, ...], ...]:
        """Places of 2.4 GHz that the site may keep to."""
        return channel_plans(self.radios, self.country)

    def severity(self, lost: float) -> str:
        return (
            "act" if lost >= self.limits.act_lost else "watch" if lost >= self.limits.watch_lost else "note"
        )

    def radio(self, radio_id: str) -> Radio | None:
        return next((r for r in self.radios if r.id == radio_id), None)

    def view(self, radio_id: str) -> OwnView | None:
        return next((v for v in self.own if v.radio.id == radio_id), None)

    def clock(self, time_s: float, day: bool = True) -> str:
        """A moment in local time: "Thu 08:06"; marked where local time is not known."""
        moment = datetime.fromtimestamp(round(time_s / 60) * 60, zone_of(self.country))
        return moment.strftime("%a %H:%M" if day else "%H:%M") + self._zone

    def hour(self, hour_utc: int) -> str:
        """An hour of the day in local time: "12:00"; marked where local time is not known."""
        return f"{local_hour(hour_utc, self.start_s, self.country):02d}:00{self._zone}"

    @property
    def _zone(self) -> str:
        return "" if has_zone(self.country) else " UTC"


def title(radio: Radio) -> str:
    """A radio as a sentence begins with it: "hall 2.4 GHz"."""
    return f"{radio.name} {radio.band} GHz"


def percent(share: float) -> str:
    return f"{100 * share:.0f} %"


def of_kind(view: OwnView, kind: str) -> list[LossCause]:
    return [h for h in view.now.losses if h.kind == kind] if view.now else []


def joined_loss(losses: Iterable[LossCause]) -> float:
    """Share of time that independent harms take together."""
    left = 1.0
    for loss_cause in losses:
        left *= 1 - loss_cause.share_lost
    return 1 - left


def named(losses: list[LossCause], most: int = 3) -> str:
    """Those who harm, with place and level."""
    names = list(
        dict.fromkeys(f"{h.name} on {h.channel.label} ({dbm(h.level_dbm)})" for h in losses if h.channel)
    )
    more = f" and {len(names) - most} more" if len(names) > most else ""
    return ", ".join(names[:most]) + more


def listed(names: Iterable[str], most: int = 3) -> str:
    """Some names as a sentence lists them: "a, b and 2 more"."""
    distinct = list(dict.fromkeys(names))
    if len(distinct) > most:
        return ", ".join(distinct[:most]) + f" and {len(distinct) - most} more"
    return " and ".join([", ".join(distinct[:-1]), distinct[-1]] if len(distinct) > 1 else distinct)


def best_level_dbm(radio: Radio) -> float:
    """Level at the spot where the radio is strongest, on any of its channels; -200 when none was told."""
    return max((level for s in radio.stays for _, level in s.level_at), default=-200.0)


def beacons_of(radio: Radio) -> float:
    """Share of air that its beacons take."""
    return sum(n.beacon_share for n in radio.networks)


def slowest_mbps(radio: Radio) -> float:
    """The slowest basic rate; 6 where none was told."""
    return min((rate for n in radio.networks for rate in n.basic_rates_mbps), default=6.0)
