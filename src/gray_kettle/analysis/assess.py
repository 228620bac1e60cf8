"""The judge's one call: observations and setup in, assessment out."""

import math

from gray_kettle.analysis import model_constants
from gray_kettle.analysis.assessment import (
    Assessment,
    ChannelAssessment,
    ChannelView,
    Emitter,
    Gap,
    OwnView,
    Radio,
)
from gray_kettle.analysis.emitters.tracking import find_emitters
from gray_kettle.analysis.findings import Facts, find
from gray_kettle.analysis.inventory.radios import find_radios
from gray_kettle.analysis.inventory.stations import links_by_station
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
from gray_kettle.analysis.thresholds import thresholds_of
from gray_kettle.analysis.utilisation.activity import with_swept_activity
from gray_kettle.analysis.utilisation.meter import Meter
from gray_kettle.model.records import Observations
from gray_kettle.model.setup import Setup
from gray_kettle.phy.carrier_sense import noise_floor_dbm
from gray_kettle.phy.channels import BANDS, Channel, narrow
from gray_kettle.phy.countries import rules_by_number
from gray_kettle.safe_text import dbm

# Who asks where no own radio does: a usual client of a usual access point.
USUAL = VictimRadio("ax", model_constants.CLIENT_STREAMS, model_constants.CLIENT_LEVEL_DBM)


_BAND_EDGES_HZ = {"2.4": (2.401e9, 2.483e9), "5": (5.16e9, 5.885e9), "6": (5.935e9, 7.115e9)}


def assess(observations: Observations, setup: Setup) -> Assessment:
    """Who is there, how busy each place is, what harms our own radios, and what is wrong."""
    coverage = Coverage(observations)
    sent = traffic_totals(observations.traffic)
    radios = find_radios(observations, setup, coverage, sent)
    emitters = find_emitters(observations, setup, radios)
    radios = with_swept_activity(radios, emitters, observations)
    meter = Meter(radios, observations, coverage, sent)
    places = _places(radios, meter, setup, coverage, emitters)
    own = tuple(_own_view(radio, radios, emitters, observations) for radio in radios if radio.own)
    gaps = _gaps(radios, own, observations, setup, coverage)
    limits = thresholds_of(setup)
    facts = Facts(
        radios,
        own,
        places,
        emitters,
        gaps,
        setup.country,
        observations.known_before,
        limits,
        observations.start_s,
    )
    return Assessment(
        start_s=observations.start_s,
        end_s=observations.end_s,
        radios=radios,
        places=places,
        own=own,
        findings=find(facts),
        not_known=tuple(g.text for g in gaps),
        covered=coverage.covered,
        links=tuple(links_by_station(observations).values()),
        swept=observations.swept,
        emitters=emitters,
        swept_bands=_looked_bands(observations),
    )


def channels_seen_from(assessment: Assessment, radio: Radio | None) -> tuple[ChannelView, ...]:
    """The places as an own radio would find them; as the receiver heard them when radio is None."""
    if radio is None:
        return assessment.places
    asked = [p for p in assessment.places if p.channel.band == radio.band]
    victim, _ = victim_of(radio)
    by_channel = _assessments(
        tuple(p.channel for p in asked), victim, assessment.radios, radio, assessment.emitters
    )
    return tuple(
        ChannelView(p.channel, p.utilisation, by_channel[p.channel] if p.standing is not None else None)
        for p in asked
    )


def _looked_bands(observations: Observations) -> frozenset[str]:
    """Bands of which sweeps were looked through for emitters."""
    return frozenset(
        band
        for detection_blocks in observations.detection_blocks
        for band, (low_hz, high_hz) in _BAND_EDGES_HZ.items()
        if detection_blocks.low_hz < high_hz and detection_blocks.high_hz > low_hz
    )


def _own_view(
    radio: Radio, radios: tuple[Radio, ...], emitters: tuple[Emitter, ...], observations: Observations
) -> OwnView:
    victim, assumed = victim_of(radio)
    now = assess_channel(radio.channel, victim, radios, radio, emitters)
    noise_dbm, source = _noise(radio, observations)
    return OwnView(
        radio, now, victim.client_level_dbm, assumed, noise_dbm, source, hidden_pairs(radio, radios)
    )


def _noise(radio: Radio, observations: Observations) -> tuple[float, str]:
    """Noise on the whole width of a radio's channel, and what tells it: told values are of 20 MHz."""
    wider_db = 10 * math.log10(radio.channel.width_mhz / 20)
    survey = surveyed(observations, radio.channel.primary_hz)
    if survey is not None and survey.noise_dbm is not None:
        return round(survey.noise_dbm + wider_db, 1), "a receiver's counters"
    if radio.noise_dbm is not None:
        return round(radio.noise_dbm + wider_db, 1), "told with its frames"
    return round(float(noise_floor_dbm(radio.channel.width_mhz * 1e6)), 1), "thermal, 7 dB noise figure"


def _places(
    radios: tuple[Radio, ...], meter: Meter, setup: Setup, coverage: Coverage, emitters: tuple[Emitter, ...]
) -> tuple[ChannelView, ...]:
    out = []
    for band in BANDS:
        allowed = set(rules_by_number(setup.country, band)) | {
            r.channel.primary for r in radios if r.band == band
        }
        channels = tuple(narrow(band, n) for n in sorted(allowed))
        seen = _assessments(channels, USUAL, tuple(r for r in radios if r.band == band), None, emitters)
        for channel in channels:
            covered = (band, channel.primary) in coverage.covered
            used = meter.read(band, channel.primary)
            out.append(ChannelView(channel, used, seen[channel] if covered else None))
    return tuple(out)


def _assessments(
    channels: tuple[Channel, ...],
    victim: VictimRadio,
    radios: tuple[Radio, ...],
    who: Radio | None,
    emitters: tuple[Emitter, ...],
) -> dict[Channel, ChannelAssessment]:
    others, rows = interferers_for(radios, who, emitters)
    return {
        s.channel: s
        for s in channel_assessments(score_channels(victim, Candidates(channels), others), others, rows)
    }


def _between_ours(own: tuple[OwnView, ...]) -> tuple[Gap, ...]:
    """Own radios that were heard from one spot alone: how strong they are at one another is then assumed."""
    out = []
    for band in BANDS:
        ours = [v.radio for v in own if v.radio.band == band]
        spots = {spot for r in ours for s in r.stays for spot, _ in s.level_at}
        if len(ours) > 1 and len(spots) == 1:
            text = (
                f"Between our {len(ours)} radios of {band} GHz: all were heard at one spot, so each is taken to be as "
                "strong at the others as the weaker of two is there. A take beside each of them tells."
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
        return (Gap("air", "Nothing was heard in this window: take a scan or a capture."),)
    out = []
    if not setup.country:
        out.append(
            Gap(
                "country",
                "Country: not told, so only channels that are free everywhere are proposed.",
                "More channels may be open to us.",
                "Say where this is: palette, “Site and limits”.",
            )
        )
    if not own:
        out.append(Gap("own networks", "Own networks: none named, so there is nothing to plan for."))
    ours = {v.radio.band for v in own}
    for band in sorted({r.band for r in radios} | {"2.4", "5"}, key=BANDS.index):
        heard = {n for b, n in coverage.covered if b == band}
        why = "Places that were not listened to are never proposed." if band in ours else ""
        step = f"Take a scan of all of {band} GHz."
        if not heard:
            out.append(Gap(f"{band} GHz", f"{band} GHz: not listened to.", why, step))
        elif len(heard) < len(rules_by_number(setup.country, band)):
            listed = ", ".join(str(n) for n in sorted(heard)[:8]) + (" …" if len(heard) > 8 else "")
            text = f"{band} GHz: only {listed} listened to; other places cannot be judged."
            out.append(Gap(f"most of {band} GHz", text, why, step))
    if own and all(v.client_level_assumed for v in own):
        level = dbm(model_constants.CLIENT_LEVEL_DBM)
        out.append(Gap("clients", f"Clients: none heard; their level is taken as {level}. A capture tells."))
    out += _between_ours(own)
    unheard = sum(1 for r in radios if r.level_dbm is None)
    if unheard:
        level = dbm(model_constants.UNKNOWN_LEVEL_DBM)
        text = f"Levels: {unheard} of {len(radios)} radios came without one; each is taken as {level}."
        out.append(Gap("levels", text))
    if not len(observations.traffic):
        out.append(Gap("traffic", "Traffic: listings do not show who sends how much; a capture does."))
    swept = {s.channel.band for s in observations.swept}
    unswept = [b for b in BANDS if b not in swept and b in {"2.4", "5"} | {r.band for r in radios}]
    if unswept:
        listed = " and ".join([", ".join(unswept[:-1]), unswept[-1]] if len(unswept) > 1 else unswept)
        out.append(Gap("what is not Wi-Fi", f"What is not Wi-Fi: no spectrum sweep of {listed} GHz."))
    if observations.rows_pending:
        rows = f"{observations.rows_pending:,}".replace(",", " ")
        out.append(Gap("sweeps", f"What is not Wi-Fi: {rows} sweep rows were not looked through yet."))
    out += [Gap("a take", f"{take.source}: {note}") for take in observations.takes for note in take.notes]
    return tuple(out)
