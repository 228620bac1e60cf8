"""Where a figure comes from: its inputs, how it is computed, its source, and what would change it.

Texts for the key `i` and the command `explain`. Every value named here is a value of the assessment: nothing is
computed again, so an explanation cannot differ from the figure.
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
from gray_kettle.analysis.findings import best_level_dbm, heard_at, title, why_assumed
from gray_kettle.analysis.thresholds import Thresholds, shown
from gray_kettle.model.enums import LossKind, UtilisationSource
from gray_kettle.model.records import SweptChannel
from gray_kettle.phy.carrier_sense import PREAMBLE_DBM
from gray_kettle.safe_text import dbm

_MOST_LOSSES = 6
_HOW_LOST = {
    LossKind.CO_CHANNEL: "its activity × probability that it is received at −82 dBm or more, where we defer; where it "
    "is weaker, it raises the noise at our clients for that share of time, after rate control",
    LossKind.ADJACENT: "its power into our channel, after its mask and our filter, raises the noise at our clients "
    "while it sends, after rate control. From −62 dBm in our channel both wait instead",
    LossKind.SECONDARY: "its activity on the secondary channels of our width: we fall back to a narrower width",
    LossKind.UNIDENTIFIED: "measured busy share, less our own traffic and what identified radios and emitters explain",
    LossKind.NON_WIFI: "its duty cycle on the primary channel where it is strong enough that we defer; else the "
    "throughput that is lost while it raises the noise, after rate control",
}


@dataclass(frozen=True)
class Explanation:
    """One figure explained. inputs: (name, value, where it comes from)."""

    title: str
    value: str
    how: str
    inputs: tuple[tuple[str, str, str], ...] = ()
    source: str = ""
    changes: str = ""


def _percent(share: float | None) -> str:
    return "not measured" if share is None else f"{100 * share:.1f} %"


def of_assessment(assessed: ChannelAssessment, view: OwnView | None) -> tuple[Explanation, ...]:
    """Clear air, expected throughput, and each loss of one channel for one radio."""
    client, source = (
        (model_constants.CLIENT_LEVEL_DBM, "assumed: a typical client")
        if view is None
        else (
            view.client_level_dbm,
            f"assumed: {why_assumed(view)}"
            if view.client_level_assumed
            else "median of its clients at the spot where it is strongest",
        )
    )
    shares = (
        ("left by co-channel radios", assessed.co_channel_lost, "losses by name below"),
        ("left by adjacent-channel radios", assessed.adjacent_lost, "losses by name below"),
        ("left by non-Wi-Fi emitters", assessed.non_wifi_lost, "emitters in the sweeps"),
        (
            "left by what is not identified",
            assessed.unidentified_lost,
            "measured busy share that nothing explains",
        ),
    )
    clear = Explanation(
        f"clear air on {assessed.channel.label}",
        _percent(assessed.clear_air),
        "The product of what each kind of loss leaves and of the mean usable share of the width. Co-channel radios "
        "contend fairly, so at least an equal share among them is left.",
        (
            *((name, _percent(1 - lost), why) for name, lost, why in shares),
            (
                "usable share of the width",
                _percent(assessed.width_share),
                "free time of the secondary channels",
            ),
        ),
        "docs/radio-model.md, “Clear air”",
        "Levels that are 3 dB off, other activity, and the window: a radio present half of the time counts half.",
    )
    expected = Explanation(
        f"expected throughput on {assessed.channel.label}",
        f"{assessed.expected_mbps:.1f} Mb/s",
        "Time left × share of it that carries payload × mean data rate over the usable widths.",
        (
            ("time left", _percent(_time_left(assessed)), "clear air without the width"),
            (
                "contenders",
                f"{assessed.contenders:.2f}",
                "other radios on the channel, each weighted by how much it sends",
            ),
            ("share that carries payload", _percent(assessed.efficiency), "contention model, bursts of 2 ms"),
            (
                "mean data rate",
                f"{assessed.rate_mbps:.1f} Mb/s",
                "rate tables at the SNR of the clients, mean over 4 dB of fading",
            ),
            ("client level", dbm(client), source),
        ),
        "docs/radio-model.md, “Contention” and “Rates”",
        "Mostly the client level: 3 dB are about one step of the data rate.",
    )
    return (clear, expected, *(_loss_cause(h) for h in assessed.losses[:_MOST_LOSSES]))


def _time_left(assessed: ChannelAssessment) -> float:
    wifi = (1 - assessed.co_channel_lost) * (1 - assessed.adjacent_lost)
    return wifi * (1 - assessed.non_wifi_lost) * (1 - assessed.unidentified_lost)


def _loss_cause(cause: LossCause) -> Explanation:
    where = f" on {cause.channel.label}" if cause.channel else ""
    what = "duty cycle in the window" if cause.channel is None else "activity × presence"
    return Explanation(
        f"lost to {cause.name}{where}",
        _percent(cause.share_lost),
        _HOW_LOST[cause.kind] + ".",
        (
            ("level", heard_at(cause), "at the spot where our radio is strongest, else its median"),
            (what, _percent(cause.activity), "frames, sweeps or an assumption: open that radio to see which"),
            (
                "threshold",
                dbm(PREAMBLE_DBM),
                "preamble detection in 20 MHz; 4 dB of fading make it a probability",
            ),
        ),
        "docs/radio-model.md, “Interference loss”",
        "Another channel for it or for us, less transmit power, or less traffic.",
    )


def of_channel(view: ChannelView) -> tuple[Explanation, ...]:
    """The utilisation of one 20 MHz channel."""
    used = view.utilisation
    inputs: list[tuple[str, str, str]] = [
        (name, _percent(share), "available, not used") for name, share in used.others
    ]
    if used.value is not None:
        bound = "upper bound: rows of a maximum hold; " if used.at_most else ""
        inputs.insert(0, (used.source, _percent(used.value), f"{bound}used; confidence {used.confidence}"))
    for hour, source, share in used.by_hour:
        bound = "at most " if used.at_most and source == UtilisationSource.SWEEP else ""
        inputs.append((f"{hour:02d}:00 UTC", f"{bound}{_percent(share)}", source))
    return (
        Explanation(
            f"utilisation of channel {view.channel.primary}, {view.channel.band} GHz",
            f"at most {_percent(used.value)}" if used.at_most else _percent(used.value),
            "The best available source: a receiver's own counters, then sweeps, then the larger of timed frames and "
            "BSS load, then beacons with an assumed traffic.",
            tuple(inputs),
            "docs/radio-model.md, “Utilisation”",
            "A better source: survey counters, or a sweep of five rows a second for a minute.",
        ),
    )


def of_swept(swept: SweptChannel) -> tuple[Explanation, ...]:
    """The busy share of a channel as measured by sweeps."""
    bound = "upper bound: each row is the maximum of its interval" if swept.bound else "share of rows"
    return (
        Explanation(
            f"busy, {swept.channel.label} in {swept.channel.band} GHz",
            _percent(swept.duty),
            "Share of the rows whose power in the channel is at least 10 dB over its noise floor.",
            (
                ("rows", f"{swept.rows:,}".replace(",", " "), f"{swept.rows_per_s:.1f} a second"),
                (
                    "noise floor",
                    dbm(swept.floor_dbm),
                    "a low percentile of the levels, smoothed over frequency",
                ),
                ("kind of figure", bound, "detector of the instrument"),
            ),
            "docs/radio-model.md, “Channel power and duty”",
            "The position of the antenna. More rows raise the confidence.",
        ),
    )


def of_radio(radio: Radio, margin_db: float | None = None) -> tuple[Explanation, ...]:
    """The figures of a radio in Heard."""
    spots = tuple((spot or "the spot", dbm(level), "median there") for spot, level in radio.stay.level_at)
    level = Explanation(
        f"level of {title(radio)}",
        "not reported" if radio.level_dbm is None else dbm(radio.level_dbm),
        "Median over the window of frames received on its own channel, where there are any.",
        spots,
        "docs/radio-model.md, “Frames received off their channel”",
        "The position of the receiver. A level with ~ was converted from a percentage and is rough.",
    )
    share = Explanation(
        "activity",
        _percent(radio.activity),
        {
            "frames": "Airtime of its frames divided by the time listened on its channel, drawn towards the usual "
            "share the shorter that time was.",
            "beacons": "Nothing better is known: its beacons plus the usual share of its band and generation.",
            "sweep": "It is alone on its channel, so the busy share that sweeps measured there is its own.",
        }.get(
            radio.activity_source, "The lower of the assumed activity and what was measured on its channel."
        ),
        (
            ("source", radio.activity_source, "frames, sweep, half of its own BSS load, or beacons"),
            (
                "presence",
                _percent(radio.stay.presence),
                "share of the scanned minutes in which it was observed",
            ),
            (
                "90 % interval",
                " to ".join(_percent(share) for share in radio.activity_interval),
                "of the estimate, by how long it was observed",
            ),
            ("airtime of its frames", _percent(radio.air_share), "timed frames divided by dwell"),
            (
                "reported utilisation",
                _percent(radio.stay.reported_utilisation),
                "BSS load: of its channel, not of itself",
            ),
        ),
        "docs/radio-model.md, “Activity”",
        "A capture on its channel, or a sweep.",
    )
    networks = len(radio.networks)
    certainty = Explanation(
        "one radio",
        f"{networks} BSSID{'s' * (networks != 1)}",
        f"Grouped as one transmitter: {radio.grouped}.",
        tuple(
            (n.bssid, "not reported" if n.level_dbm is None else dbm(n.level_dbm), "a BSSID of it")
            for n in radio.networks
        ),
        "docs/radio-model.md, “One radio, many BSSIDs”",
        "The keys g and u in Heard join and separate BSSIDs by hand.",
    )
    out = [level, share, certainty]
    if margin_db is not None:
        out.insert(1, _margin(radio, margin_db))
    if radio.changes:
        out.append(_channel_changes(radio))
    return tuple(out)


def _margin(radio: Radio, margin_db: float) -> Explanation:
    return Explanation(
        "margin",
        f"{margin_db:+.0f} dB".replace("-", "−"),
        "Its level minus that of the strongest other radio on its channel, at the same spot.",
        (("own level", dbm(best_level_dbm(radio)), "at the spot where it is strongest"),),
        "docs/scoring.md, “Findings”",
        "A channel without that neighbour.",
    )


def _channel_changes(radio: Radio) -> Explanation:
    last = radio.changes[-1]
    return Explanation(
        "channel changes",
        f"{radio.moves}, at most {radio.moves_a_day} in one day",
        "How often the same BSSID was observed on another channel than before.",
        tuple(
            (c.before.label, f"→ {c.after.label}", "announced" if c.announced else "not announced")
            for c in radio.changes[-8:]
        ),
        "docs/radio-model.md, “Channel changes and absences”",
        f"A fixed channel. The last change was to {last.after.label}.",
    )


def of_emitter(emitter: Emitter) -> tuple[Explanation, ...]:
    """Confidence and duty cycle of an emitter."""
    seen, examined = emitter.blocks
    confidence = Explanation(
        f"{emitter.kind} at {emitter.centre_hz / 1e6:.0f} MHz",
        f"{100 * emitter.confidence:.0f} %",
        "Each kind expects certain measurements; the distance from them is a cost. The kind with the least cost wins "
        "if it beats “unknown”. " + emitter.reasons,
        (
            *((kind, f"{100 * share:.0f} %", "probability") for kind, share in emitter.likely[:4]),
            *((word, "", "evidence") for word in emitter.evidence),
        ),
        "docs/radio-model.md, “Signatures of non-Wi-Fi emitters”",
        "More rows or finer bins. You can set the right kind with k.",
    )
    duty = Explanation(
        "duty cycle",
        _percent(emitter.duty),
        "Share of all the time swept in which it was on: its duty cycle in the sweep blocks that show it × the share "
        "of blocks that do.",
        (
            ("blocks that show it", f"{seen} of {examined}", "stretches of sweep rows, examined one by one"),
            ("duty cycle in those", _percent(emitter.duty_while_on), ""),
            ("level while on", dbm(emitter.level_dbm), "strongest block, at the position of the antenna"),
        ),
        "docs/radio-model.md, “One emitter, many detections”",
        "Sweeps at other hours.",
    )
    return (confidence, duty)


def of_finding(finding: Finding, limits: Thresholds) -> Explanation:
    """Why it is a finding, and its place in the list."""
    figures = [
        row
        for name, value in finding.figures.as_dict().items()
        for row in _figures(name.replace("_", " "), value)
    ]
    return Explanation(
        finding.headline,
        finding.severity,
        f"“Act” from {shown('act_lost', limits.act_lost)} of an own radio's time, “watch” from "
        f"{shown('watch_lost', limits.watch_lost)}; some kinds have a fixed severity. Within a severity the most "
        "time lost comes first.",
        (("time lost", _percent(finding.lost), "for its position in the list"), *figures),
        "docs/scoring.md, “Findings” and “Thresholds”",
        "Thresholds can be changed: ctrl+p, “Thresholds”.",
    )


def _figures(name: str, value: object) -> list[tuple[str, str, str]]:
    """A finding's figure as rows; a table of figures gives one row each."""
    if isinstance(value, dict):
        return [row for inner, v in value.items() for row in _figures(f"{name}: {inner}", v)]
    if isinstance(value, list):
        return [(name, "", ", ".join(str(v) for v in value[:8]) + (" …" if len(value) > 8 else ""))]
    is_share = any(word in name for word in ("lost", "share", "duty", "utilisation", "costs", "confidence"))
    if isinstance(value, float):
        return [(name, _percent(value) if is_share else f"{value:.4g}".replace("-", "−"), "")]
    return [(name, str(value), "")]


def of_own(view: OwnView, assessment: Assessment) -> tuple[Explanation, ...]:
    """All figures of an own radio's card in Brief."""
    radio = view.radio
    channel = next(
        (
            c
            for c in assessment.channels
            if c.channel.primary == radio.channel.primary and c.channel.band == radio.band
        ),
        None,
    )
    now: Iterable[Explanation] = of_assessment(view.now, view) if view.now else ()
    snr = Explanation(
        "SNR at the clients",
        f"{view.snr_db:.0f} dB",
        "Client level minus the noise in the width of the channel.",
        (
            (
                "client level",
                dbm(view.client_level_dbm),
                "assumed" if view.client_level_assumed else "measured",
            ),
            ("noise", dbm(view.noise_dbm), view.noise_source),
        ),
        "docs/radio-model.md, “Hearing”",
        "Closer clients, or a narrower channel (3 dB for each halving).",
    )
    return (*now, *(of_channel(channel) if channel else ()), snr)
