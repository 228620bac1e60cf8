"""Where a figure comes from: what went in, how it is worked out, what it rests on, what would change it.

Words for the key `i` and the command `explain`. Every value that is named here is a value of the assessment: nothing
is worked out anew, so an explanation cannot differ from the figure.
"""

from collections.abc import Iterable
from dataclasses import dataclass

from gray_kettle.analysis import model_constants
from gray_kettle.analysis.assessment import (
    Assessment,
    ChannelAssessment,
    ChannelView,
    Emitter,
    Finding,
    LossCause,
    OwnView,
    Radio,
)
from gray_kettle.analysis.findings import best_level_dbm, title
from gray_kettle.analysis.thresholds import Thresholds, shown
from gray_kettle.model.records import SweptChannel
from gray_kettle.phy.carrier_sense import PREAMBLE_DBM
from gray_kettle.safe_text import dbm

_MOST_LOSSES = 6
_HOW_LOST = {
    "co-channel": "its activity × how often it is heard at −82 dBm or more: we wait that long",
    "adjacent": "share of our frames that meet its bursts × share of those that its leaked power spoils; "
    "or its activity, where we wait for its energy",
    "secondary": "its activity on the parts that our width adds: we fall back to a narrower channel",
    "non-wi-fi": "its duty on the primary part where it holds us back or spoils frames, and frames that it cuts short",
}


@dataclass(frozen=True)
class Explanation:
    """One figure opened. inputs: (what, its value, where that comes from)."""

    title: str
    value: str
    how: str
    inputs: tuple[tuple[str, str, str], ...] = ()
    source: str = ""
    changes: str = ""


def _percent(share: float | None) -> str:
    return "not measured" if share is None else f"{100 * share:.1f} %"


def of_assessment(standing: ChannelAssessment, view: OwnView | None) -> tuple[Explanation, ...]:
    """Clear air, expected throughput, and each harm of one channel as one radio finds it."""
    client, source = (
        (model_constants.CLIENT_LEVEL_DBM, "assumed: a usual client")
        if view is None
        else (
            view.client_level_dbm,
            "assumed: no client was heard"
            if view.client_level_assumed
            else "median of the clients heard at home",
        )
    )
    shares = (
        ("left by those on the same channel", standing.co_channel_lost, "harms by name below"),
        ("left by those that overlap", standing.adjacent_lost, "harms by name below"),
        ("left by what is not Wi-Fi", standing.non_wifi_lost, "emitters in the sweeps"),
    )
    clear = Explanation(
        f"clear air on {standing.channel.label}",
        _percent(standing.clear_air),
        "The product of what each kind of harm leaves and of the mean usable share of the width. Those that share the "
        "channel give way, so at least a fair share among them is left.",
        (
            *((name, _percent(1 - lost), why) for name, lost, why in shares),
            ("usable share of the width", _percent(standing.width_share), "free time of the secondary parts"),
        ),
        "docs/radio-model.md, “Clear air”",
        "Their levels by 3 dB, their activity, and the window: what is there half of the time counts half.",
    )
    expected = Explanation(
        f"expected throughput on {standing.channel.label}",
        f"{standing.expected_mbps:.1f} Mb/s",
        "Time left × share of it that carries payload × mean data rate over the usable widths.",
        (
            ("time left", _percent(_time_left(standing)), "clear air without the width"),
            (
                "contenders beside us",
                f"{standing.contenders:.2f}",
                "the others on the channel by how much they send",
            ),
            ("share that carries payload", _percent(standing.efficiency), "contention model, bursts of 2 ms"),
            (
                "mean data rate",
                f"{standing.rate_mbps:.1f} Mb/s",
                "rate tables at the clients' signal over noise",
            ),
            ("level of the clients", dbm(client), source),
        ),
        "docs/radio-model.md, “Contention” and “Rates”",
        "The clients' level above all: 3 dB are about one step of rate.",
    )
    return (clear, expected, *(_loss_cause(h) for h in standing.losses[:_MOST_LOSSES]))


def _time_left(standing: ChannelAssessment) -> float:
    return (1 - standing.co_channel_lost) * (1 - standing.adjacent_lost) * (1 - standing.non_wifi_lost)


def _loss_cause(loss_cause: LossCause) -> Explanation:
    place = f" on {loss_cause.channel.label}" if loss_cause.channel else ""
    what = "duty in the window" if loss_cause.channel is None else "activity × presence"
    return Explanation(
        f"lost to {loss_cause.name}{place}",
        _percent(loss_cause.share_lost),
        _HOW_LOST[loss_cause.kind] + ".",
        (
            ("level", dbm(loss_cause.level_dbm), "as heard where our radio is strongest, else its median"),
            (
                what,
                _percent(loss_cause.activity),
                "frames, sweeps or what is assumed; open the radio for which",
            ),
            (
                "threshold",
                dbm(PREAMBLE_DBM),
                "preamble detection of 20 MHz; fading of 4 dB makes it a probability",
            ),
        ),
        "docs/radio-model.md, “The harms”",
        "Another channel for it or for us, less power there, or less traffic.",
    )


def of_place(place: ChannelView) -> tuple[Explanation, ...]:
    """The busy share of one place."""
    used = place.utilisation
    inputs = [(name, _percent(share), "also there, not used") for name, share in used.others]
    if used.value is not None:
        inputs.insert(0, (used.source, _percent(used.value), f"used; confidence {used.confidence}"))
    inputs += [(f"{hour:02d}:00 UTC", _percent(share), source) for hour, source, share in used.by_hour]
    return (
        Explanation(
            f"utilisation of channel {place.channel.primary}, {place.channel.band} GHz",
            _percent(used.value),
            "The best source there is: a receiver's own counters, then sweeps, then the larger of timed frames and "
            "what access points tell, then beacons with a guess.",
            tuple(inputs),
            "docs/radio-model.md, “Utilisation”",
            "A better source: counters (survey), or a sweep of five rows a second for a minute.",
        ),
    )


def of_swept(swept: SweptChannel) -> tuple[Explanation, ...]:
    """The duty of a place by sweeps."""
    bound = "each row is the highest of its interval: at most this" if swept.bound else "a share of rows"
    return (
        Explanation(
            f"taken, {swept.channel.label} in {swept.channel.band} GHz",
            _percent(swept.duty),
            "Share of the rows whose power over the place is 10 dB or more over its noise floor.",
            (
                ("rows", f"{swept.rows:,}".replace(",", " "), f"{swept.rows_per_s:.1f} a second"),
                (
                    "noise of the place",
                    dbm(swept.floor_dbm),
                    "a low share of the levels, smoothed over frequency",
                ),
                ("kind of figure", bound, "detector of the instrument"),
            ),
            "docs/radio-model.md, “Channel power and duty”",
            "The place of the antenna; more rows make it surer.",
        ),
    )


def of_radio(radio: Radio, margin_db: float | None = None) -> tuple[Explanation, ...]:
    """What Heard tells of a radio."""
    spots = tuple((spot or "the spot", dbm(level), "median there") for spot, level in radio.stay.level_at)
    level = Explanation(
        f"level of {title(radio)}",
        "not told" if radio.level_dbm is None else dbm(radio.level_dbm),
        "Median over the window, of rows received on its own channel where there are any.",
        spots,
        "docs/radio-model.md, “Frames heard off their channel”",
        "Where one stands; a percentage instead of a level (~) is worked out and rough.",
    )
    share = Explanation(
        "activity",
        _percent(radio.activity),
        {
            "frames": "Airtime of its frames over the time listened on its channel: a lower bound.",
            "beacons": "Nothing better is known: its beacons plus 5 %.",
            "sweep": "It is alone on its place, so the duty that sweeps met there is its own.",
        }.get(radio.activity_source, "The least of what is assumed and what others measured there."),
        (
            ("source", radio.activity_source, "frames, sweep, half of its own BSS load, or beacons"),
            (
                "presence",
                _percent(radio.stay.presence),
                "share of the minutes looked at in which it was heard",
            ),
            ("air of its frames", _percent(radio.air_share), "timed frames over dwell"),
            (
                "tells as busy",
                _percent(radio.stay.reported_utilisation),
                "BSS load, of its channel and not of itself",
            ),
        ),
        "docs/radio-model.md, “Activity”",
        "A capture on its channel, or a sweep.",
    )
    certainty = Explanation(
        "one radio",
        f"{len(radio.networks)} name{'s' * (len(radio.networks) != 1)}",
        f"Taken for one transmitter: {radio.grouped}.",
        tuple(
            (n.bssid, "not told" if n.level_dbm is None else dbm(n.level_dbm), "a BSSID of it")
            for n in radio.networks
        ),
        "docs/radio-model.md, “One radio, many BSSIDs”",
        "Keys g and u in Heard join and part it by hand.",
    )
    out = [level, share, certainty]
    if margin_db is not None:
        out.insert(
            1,
            Explanation(
                "margin",
                f"{margin_db:+.0f} dB".replace("-", "−"),
                "Its level less that of the strongest other radio on its channel, at the same place.",
                (
                    (
                        "own level where strongest",
                        dbm(best_level_dbm(radio)),
                        "the spot where it is strongest",
                    ),
                ),
                "docs/scoring.md, “Findings”",
                "A channel without that neighbour.",
            ),
        )
    if radio.changes:
        last = radio.changes[-1]
        out.append(
            Explanation(
                "moves",
                f"{radio.moves}, {radio.moves_a_day} in one day at most",
                "Times the same BSSID was heard on another channel than before.",
                tuple(
                    (c.before.label, f"→ {c.after.label}", "announced" if c.announced else "not announced")
                    for c in radio.changes[-8:]
                ),
                "docs/radio-model.md, “Moves and absences”",
                f"A fixed channel; the last move was to {last.after.label}.",
            )
        )
    return tuple(out)


def of_emitter(emitter: Emitter) -> tuple[Explanation, ...]:
    """How sure, how long, how loud."""
    seen, examined = emitter.blocks
    sure = Explanation(
        f"{emitter.kind} at {emitter.centre_hz / 1e6:.0f} MHz",
        f"{100 * emitter.confidence:.0f} %",
        "Each kind asks for measurements that physics gives; the distance from them is a cost, and the least wins over "
        "“unknown”. " + emitter.reasons,
        (
            *((kind, f"{100 * share:.0f} %", "how likely") for kind, share in emitter.likely[:4]),
            *((word, "", "evidence") for word in emitter.evidence),
        ),
        "docs/radio-model.md, “Signatures of what is not Wi-Fi”",
        "More rows, finer bins; or you: k says what it really is.",
    )
    duty = Explanation(
        "on the air",
        _percent(emitter.duty),
        "Share of all the time swept in which it was there: its duty in the looks that saw it × how many did.",
        (
            ("looks that saw it", f"{seen} of {examined}", "stretches of rows, looked through one by one"),
            ("duty in those", _percent(emitter.duty_while_on), ""),
            ("level while on", dbm(emitter.level_dbm), "median over the looks, at the spot of the antenna"),
        ),
        "docs/radio-model.md, “One emitter, many sightings”",
        "Sweeps at other hours.",
    )
    return (sure, duty)


def of_finding(finding: Finding, limits: Thresholds) -> Explanation:
    """Why it is a finding, and why it stands where it does."""
    figures = [
        row for name, value in finding.figures.items() for row in _figures(name.replace("_", " "), value)
    ]
    return Explanation(
        f"{finding.subject} ({finding.kind})",
        finding.severity,
        f"To act on from {shown('act_lost', limits.act_lost)} of an own radio's time, to watch from "
        f"{shown('watch_lost', limits.watch_lost)}; some kinds have a severity of their own. Within one, the most time "
        "lost stands first.",
        (("time it counts for", _percent(finding.lost), "for its place in the list"), *figures),
        "docs/scoring.md, “Findings” and “Thresholds”",
        "Thresholds can be changed: palette, “Thresholds”.",
    )


def _figures(name: str, value: object) -> list[tuple[str, str, str]]:
    """A finding's figure as rows: a table of them has one each."""
    if isinstance(value, dict):
        return [row for inner, v in value.items() for row in _figures(f"{name}: {inner}", v)]
    if isinstance(value, list):
        return [(name, "", ", ".join(str(v) for v in value[:8]) + (" …" if len(value) > 8 else ""))]
    is_share = any(word in name for word in ("lost", "share", "duty", "utilisation", "costs", "confidence"))
    if isinstance(value, float):
        return [(name, _percent(value) if is_share else f"{value:.4g}".replace("-", "−"), "")]
    return [(name, str(value), "")]


def of_own(view: OwnView, assessment: Assessment) -> tuple[Explanation, ...]:
    """All about an own radio as it stands: what its card shows."""
    place = next(
        (
            p
            for p in assessment.places
            if p.channel.primary == view.radio.channel.primary and p.channel.band == view.radio.band
        ),
        None,
    )
    now: Iterable[Explanation] = of_assessment(view.now, view) if view.now else ()
    snr = Explanation(
        "signal over noise at the clients",
        f"{view.snr_db:.0f} dB",
        "Level of the clients less the noise on the width of the channel.",
        (
            (
                "level of the clients",
                dbm(view.client_level_dbm),
                "assumed" if view.client_level_assumed else "heard",
            ),
            ("noise", dbm(view.noise_dbm), view.noise_source),
        ),
        "docs/radio-model.md, “Hearing”",
        "Nearer clients, a narrower channel (3 dB for each half).",
    )
    return (*now, *(of_place(place) if place else ()), snr)
