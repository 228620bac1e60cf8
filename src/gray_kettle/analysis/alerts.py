"""What happens while somebody watches: alerts from one look at the newest minutes to the next.

Source: docs/guide.md, "Watch for days".
"""

from dataclasses import dataclass, field

from gray_kettle.analysis.assessment import Assessment, Radio
from gray_kettle.analysis.emitters.advice import ADVICE
from gray_kettle.analysis.findings.facts import percent
from gray_kettle.analysis.inventory.since import changes_since
from gray_kettle.analysis.thresholds import Thresholds
from gray_kettle.model.enums import AlertKind
from gray_kettle.model.records import ALERT_AGAIN_S, Alert, Observations
from gray_kettle.safe_text import dbm


@dataclass
class AlertWatch:
    """Looks at one window after another of the same case. known: radios that were heard before the first look; where
    there are none, those of the first look are taken as known.
    """

    limits: Thresholds
    known: set[str]
    _said_s: dict[tuple[AlertKind, str], float] = field(default_factory=dict)
    _own: dict[str, Radio] = field(default_factory=dict)
    _looked_s: float | None = None
    _going_on: set[tuple[AlertKind, str]] = field(default_factory=set)

    def look(self, assessment: Assessment, observations: Observations) -> list[Alert]:
        """What begins in the newest window. What goes on is not said again, nor what comes back within a while."""
        now_s = assessment.end_s
        if not self.known:
            self.known.update(n.bssid for r in assessment.radios for n in r.networks)
        found = [
            *self._new_radios(assessment, now_s),
            *self._own_radios(assessment, observations, now_s),
            *self._busy_channels(assessment, now_s),
            *self._emitters(assessment, now_s),
        ]
        self._looked_s = now_s
        out = []
        for alert in found:
            key = alert.kind, alert.about
            is_due = alert.time_s - self._said_s.get(key, -ALERT_AGAIN_S) >= ALERT_AGAIN_S
            if is_due and key not in self._going_on:
                self._said_s[key] = alert.time_s
                out.append(alert)
        self._going_on = {(alert.kind, alert.about) for alert in found}
        return out

    def _new_radios(self, assessment: Assessment, now_s: float) -> list[Alert]:
        out = []
        for radio in assessment.radios:
            is_new = not any(n.bssid in self.known for n in radio.networks)
            self.known.update(n.bssid for n in radio.networks)
            if is_new and not radio.own and (radio.level_dbm or -200.0) >= self.limits.strong_neighbour_dbm:
                text = (
                    f"New radio: {_title(radio)} on {radio.channel.label} at {dbm(radio.level_dbm or 0.0)}."
                )
                out.append(Alert(now_s, AlertKind.NEW_RADIO, radio.id, text))
        return out

    def _own_radios(self, assessment: Assessment, observations: Observations, now_s: float) -> list[Alert]:
        out = []
        here = {r.id: r for r in assessment.radios if r.own}
        before = self._looked_s
        for radio in here.values():
            last = radio.changes[-1] if radio.changes else None
            if last is not None and before is not None and last.time_s > before:
                text = f"{_title(radio)} moved from {last.before.label} to {last.after.label}."
                out.append(Alert(last.time_s, AlertKind.OWN_MOVED, radio.id, text))
            if radio.retry_share is not None and radio.retry_share >= self.limits.retry_share:
                frames = sum(n.retriable for n in radio.networks)
                if frames >= self.limits.fewest_frames:
                    text = f"{_title(radio)} sends {percent(radio.retry_share)} of its frames again."
                    out.append(Alert(now_s, AlertKind.RETRIES, radio.id, text))
        heard_bands = {r.band for r in assessment.radios}
        lost = {r.id: r for r in self._own.values() if r.id not in here and r.band in heard_bands}
        for radio in here.values():
            missing = changes_since((radio,), observations, radio.last_s).missing
            if missing and missing[0].is_sure:
                lost[radio.id] = radio
        for radio in lost.values():
            text = f"{_title(radio)} is not heard any more."
            out.append(Alert(now_s, AlertKind.OWN_GONE, radio.id, text))
        self._own.update(here)
        return out

    def _busy_channels(self, assessment: Assessment, now_s: float) -> list[Alert]:
        ours = {(v.radio.band, v.radio.channel.primary): v.radio for v in assessment.own}
        out = []
        for view in assessment.channels:
            share = view.utilisation.value
            radio = ours.get((view.channel.band, view.channel.primary))
            if radio is not None and share is not None and share >= self.limits.high_utilisation:
                text = f"Channel {view.channel.primary} of {_title(radio)} is {percent(share)} busy."
                out.append(Alert(now_s, AlertKind.BUSY, f"{view.channel.band}:{view.channel.primary}", text))
        return out

    def _emitters(self, assessment: Assessment, now_s: float) -> list[Alert]:
        out = []
        for emitter in assessment.emitters:
            most = max((share for _, _, share in emitter.channels), default=0.0)
            if not emitter.is_dismissed and not emitter.gone_since_s and most >= self.limits.watch_lost:
                where = f"{emitter.centre_hz / 1e6:.0f} MHz"
                what = ADVICE[emitter.kind].short
                text = f"{what} at {where}, {dbm(emitter.level_dbm)}, up to {percent(most)} of a channel."
                out.append(Alert(now_s, AlertKind.EMITTER, f"{emitter.kind} {emitter.band}", text))
        return out


def _title(radio: Radio) -> str:
    return f"{radio.name} {radio.band} GHz"
