"""The one call of the analysis: observations and setup in, assessment out."""

import math
from collections.abc import Iterator, Mapping
from dataclasses import replace

from gray_kettle.analysis import model_constants
from gray_kettle.analysis.assessment import (
    Assessment,
    ChannelAssessment,
    ChannelView,
    Emitter,
    Gap,
    Inventory,
    OwnView,
    Radio,
)
from gray_kettle.analysis.findings import Facts, find, why_assumed
from gray_kettle.analysis.loss.channel_assessment import (
    assess_channel,
    channel_assessments,
    hidden_pairs,
    interferers_for,
    victim_of,
)
from gray_kettle.analysis.loss.interference_loss import Candidates, VictimRadio, score_channels
from gray_kettle.analysis.observed.coverage import Coverage
from gray_kettle.analysis.observed.survey_counters import surveyed
from gray_kettle.analysis.observed.traffic_totals import traffic_totals
from gray_kettle.analysis.take_inventory import take_inventory
from gray_kettle.analysis.thresholds import thresholds_of
from gray_kettle.analysis.utilisation.meter import Meter
from gray_kettle.analysis.utilisation.unidentified import unidentified_busy
from gray_kettle.model.records import THINNED_NOTE, Observations
from gray_kettle.model.setup import Setup
from gray_kettle.phy.carrier_sense import noise_floor_dbm
from gray_kettle.phy.channels import BANDS, Channel, narrow
from gray_kettle.phy.countries import is_known, rules_by_number
from gray_kettle.safe_text import dbm, printable

# The radio that a channel is assessed for where no own radio is named: a typical access point and client.
_MOST_NAMED = 3
_ASSUMED_WORDS = {
    "width": "Figures and plan are for the primary 20 MHz alone. A capture, or a scan by `iw` or netlink, shows it.",
    "generation": f"802.11{model_constants.USUAL_GENERATION} is assumed for its rates.",
    "streams": f"{model_constants.CLIENT_STREAMS} streams are assumed for its rates.",
}
TYPICAL_CLIENT = VictimRadio(
    model_constants.USUAL_GENERATION, model_constants.CLIENT_STREAMS, model_constants.CLIENT_LEVEL_DBM
)


_BAND_EDGES_HZ = {"2.4": (2.401e9, 2.483e9), "5": (5.16e9, 5.885e9), "6": (5.935e9, 7.115e9)}


def assess(observations: Observations, setup: Setup, inventory: Inventory | None = None) -> Assessment:
    """Utilisation and losses of every channel, own radios as they are, and the findings.

    inventory: of the same observations and setup, where it was taken already.
    """
    coverage = Coverage(observations)
    sent = traffic_totals(observations.traffic)
    inventory = inventory or take_inventory(observations, setup)
    radios, emitters = inventory.radios, inventory.emitters
    meter = Meter(radios, observations, coverage, sent)
    channel_views = _channel_views(radios, meter, setup, coverage, emitters)
    unidentified = {
        (v.channel.band, v.channel.primary): v.unidentified for v in channel_views if v.unidentified
    }
    own = tuple(_own_view(r, radios, emitters, observations, unidentified) for r in radios if r.own)
    gaps = _gaps(radios, own, observations, setup, coverage)
    limits = thresholds_of(setup)
    facts = Facts(
        radios,
        own,
        channel_views,
        emitters,
        gaps,
        setup.country,
        observations.known_before,
        limits,
        observations.start_s,
        setup.site_time,
    )
    return Assessment(
        start_s=observations.start_s,
        end_s=observations.end_s,
        radios=radios,
        channels=channel_views,
        own=own,
        findings=find(facts),
        not_known=tuple(g.text for g in gaps),
        covered=coverage.covered,
        links=inventory.links,
        swept=observations.swept,
        emitters=emitters,
        swept_bands=_examined_bands(observations),
    )


def channels_seen_from(assessment: Assessment, radio: Radio | None) -> tuple[ChannelView, ...]:
    """The channels as seen by an own radio; as the receiver measured them when radio is None."""
    if radio is None:
        return assessment.channels
    asked = [p for p in assessment.channels if p.channel.band == radio.band]
    victim, _ = victim_of(radio)
    by_channel = _assessments(
        tuple(p.channel for p in asked),
        victim,
        assessment.radios,
        radio,
        assessment.emitters,
        assessment.unidentified,
    )
    return tuple(
        replace(p, assessed=by_channel[p.channel] if p.assessed is not None else None) for p in asked
    )


def _examined_bands(observations: Observations) -> frozenset[str]:
    """Bands in which the detector examined sweeps."""
    return frozenset(
        band
        for detection_blocks in observations.detection_blocks
        for band, (low_hz, high_hz) in _BAND_EDGES_HZ.items()
        if detection_blocks.low_hz < high_hz and detection_blocks.high_hz > low_hz
    )


def _own_view(
    radio: Radio,
    radios: tuple[Radio, ...],
    emitters: tuple[Emitter, ...],
    observations: Observations,
    unidentified: Mapping[tuple[str, int], float],
) -> OwnView:
    victim, assumed = victim_of(radio)
    now = assess_channel(radio.channel, victim, radios, radio, emitters, unidentified)
    noise_dbm, source = _noise(radio, observations)
    return OwnView(
        radio, now, victim.client_level_dbm, assumed, noise_dbm, source, hidden_pairs(radio, radios)
    )


def _noise(radio: Radio, observations: Observations) -> tuple[float, str]:
    """Noise in the whole width of a radio's channel, dBm, and its source. Reported values are for 20 MHz."""
    wider_db = 10 * math.log10(radio.channel.width_mhz / 20)
    survey = surveyed(observations, radio.channel.primary_hz)
    if survey is not None and survey.noise_dbm is not None:
        return round(survey.noise_dbm + wider_db, 1), "a receiver's counters"
    if radio.noise_dbm is not None:
        return round(radio.noise_dbm + wider_db, 1), "reported with its frames"
    return round(float(noise_floor_dbm(radio.channel.width_mhz * 1e6)), 1), "thermal, 7 dB noise figure"


def _channel_views(
    radios: tuple[Radio, ...], meter: Meter, setup: Setup, coverage: Coverage, emitters: tuple[Emitter, ...]
) -> tuple[ChannelView, ...]:
    out = []
    for band in BANDS:
        allowed = set(rules_by_number(setup.country, band)) | {
            r.channel.primary for r in radios if r.band == band
        }
        channels = tuple(narrow(band, n) for n in sorted(allowed))
        here = tuple(r for r in radios if r.band == band)
        used = {c: meter.read(band, c.primary) for c in channels}
        unidentified = unidentified_busy(used, here, emitters, TYPICAL_CLIENT)
        seen = _assessments(channels, TYPICAL_CLIENT, here, None, emitters, unidentified)
        for channel in channels:
            key = band, channel.primary
            listened = seen[channel] if key in coverage.covered else None
            out.append(ChannelView(channel, used[channel], listened, unidentified.get(key, 0.0)))
    return tuple(out)


def _assessments(
    channels: tuple[Channel, ...],
    victim: VictimRadio,
    radios: tuple[Radio, ...],
    who: Radio | None,
    emitters: tuple[Emitter, ...],
    unidentified: Mapping[tuple[str, int], float],
) -> dict[Channel, ChannelAssessment]:
    others, rows = interferers_for(radios, who, emitters, unidentified=unidentified)
    return {
        s.channel: s
        for s in channel_assessments(score_channels(victim, Candidates(channels), others), others, rows)
    }


def _unreported(own: tuple[OwnView, ...]) -> Iterator[Gap]:
    """Widths and abilities of own radios that no listing reported."""
    for what, words in _ASSUMED_WORDS.items():
        radios = [v.radio for v in own if what in v.radio.assumed]
        if radios:
            names = ", ".join(f"{printable(r.name)} {r.band} GHz" for r in radios[:_MOST_NAMED])
            more = f" and {len(radios) - _MOST_NAMED} more" if len(radios) > _MOST_NAMED else ""
            yield Gap(what, f"{what.capitalize()} not reported: {names}{more}. {words}")


def _single_spot_gaps(own: tuple[OwnView, ...]) -> tuple[Gap, ...]:
    """Own radios observed from one spot alone: the levels between them are then assumed."""
    out = []
    for band in BANDS:
        ours = [v.radio for v in own if v.radio.band == band]
        spots = {spot for r in ours for s in r.stays for spot, _ in s.level_at}
        if len(ours) > 1 and len(spots) == 1:
            text = (
                f"Levels between our {len(ours)} radios in {band} GHz: all were measured at one spot, so each pair is "
                "assumed to hear each other at the weaker of its two levels there. "
                "A take beside each radio measures it."
            )
            out.append(Gap(f"levels between our radios, {band} GHz", text))
    return tuple(out)


def _gaps(
    radios: tuple[Radio, ...],
    own: tuple[OwnView, ...],
    observations: Observations,
    setup: Setup,
    coverage: Coverage,
) -> tuple[Gap, ...]:
    """What was not measured and would change the answer."""
    if not radios:
        return (Gap("air", "No radio was observed in this window: take a scan or a capture."),)
    out = list(_setup_gaps(setup))
    if not own:
        out.append(Gap("own networks", "Own networks: none named, so there is nothing to plan for."))
    ours = {v.radio.band for v in own}
    for band in sorted({r.band for r in radios} | {"2.4", "5"}, key=BANDS.index):
        heard = {n for b, n in coverage.covered if b == band}
        why = "The plan never proposes channels that were not listened to." if band in ours else ""
        step = f"Take a scan of all of {band} GHz."
        if not heard:
            out.append(Gap(f"{band} GHz", f"{band} GHz: not listened to.", why, step))
        elif len(heard) < len(rules_by_number(setup.country, band)):
            listed = ", ".join(str(n) for n in sorted(heard)[:8]) + (" …" if len(heard) > 8 else "")
            text = f"{band} GHz: only {listed} listened to; other channels cannot be assessed."
            out.append(Gap(f"most of {band} GHz", text, why, step))
    if own and all(v.client_level_assumed for v in own):
        level = dbm(model_constants.CLIENT_LEVEL_DBM)
        why = "; ".join(dict.fromkeys(why_assumed(v) for v in own))
        text = f"Clients: {why}; their level is assumed to be {level}. A capture beside them measures it."
        out.append(Gap("clients", text))
    out += _unreported(own)
    without_width = sum("width" in r.assumed for r in radios if not r.own)
    if without_width:
        out.append(
            Gap(
                "widths of others",
                f"Width not reported: {without_width} of {sum(not r.own for r in radios)} other radios; "
                "they are taken to use their primary 20 MHz alone.",
            )
        )
    out += _single_spot_gaps(own)
    without_level = sum(1 for r in radios if r.level_dbm is None)
    if without_level:
        level = dbm(model_constants.UNKNOWN_LEVEL_DBM)
        text = f"Levels: {without_level} of {len(radios)} radios have none; {level} is assumed for them."
        out.append(Gap("levels", text))
    if not len(observations.traffic):
        out.append(Gap("traffic", "Traffic: scans do not show who sends how much; a capture does."))
    swept = {s.channel.band for s in observations.swept}
    unswept = [b for b in BANDS if b not in swept and b in {"2.4", "5"} | {r.band for r in radios}]
    if unswept:
        listed = " and ".join([", ".join(unswept[:-1]), unswept[-1]] if len(unswept) > 1 else unswept)
        out.append(Gap("non-Wi-Fi", f"Non-Wi-Fi interference: no spectrum sweep of {listed} GHz."))
    if observations.rows_pending:
        rows = f"{observations.rows_pending:,}".replace(",", " ")
        out.append(Gap("sweeps", f"Non-Wi-Fi interference: {rows} sweep rows have not been examined yet."))
    out += [
        Gap("damage", f"Damaged: {what}. `gray-kettle check` lists all of it.")
        for what in observations.damage
    ]
    out += [
        Gap("a take", f"{take.source}: {note}")
        for take in observations.takes
        for note in take.notes
        if not note.startswith(THINNED_NOTE)
    ]
    return tuple(out)


def _setup_gaps(setup: Setup) -> list[Gap]:
    """What the setup leaves open."""
    out = []
    if not setup.country:
        out.append(
            Gap(
                "country",
                "Country: not set, so only channels that are allowed everywhere are proposed.",
                "More channels may be available.",
                "Set the country: ctrl+p, “Site, country, client limits”.",
            )
        )
    elif not is_known(setup.country):
        text = (
            f"Country: the rules of {printable(setup.country)} are not known here, so only channels that all known "
            "countries permit are proposed. Check others with its regulator."
        )
        out.append(Gap("rules of the country", text, "More channels may be available."))
    if setup.country and not setup.site_time.is_local:
        zone = f"“{printable(setup.time_zone)}” is not known here" if setup.time_zone else "not set"
        out.append(
            Gap(
                "time zone",
                f"Time zone: {zone}, and {printable(setup.country)} has several. Times are shown in UTC.",
                step="Set it with `gray-kettle set CASE --time-zone`, for example America/Chicago.",
            )
        )
    return out
