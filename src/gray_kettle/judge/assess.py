"""The judge's one call: observations and setup in, assessment out."""

from gray_kettle.air.channels import BANDS, Channel, narrow
from gray_kettle.air.countries import rules_by_number
from gray_kettle.judge import settings
from gray_kettle.judge.assessment import Assessment, Emitter, OwnView, PlaceView, Radio, Standing
from gray_kettle.judge.emitters import find_emitters
from gray_kettle.judge.findings import find
from gray_kettle.judge.harms import Asking, Candidates, weigh
from gray_kettle.judge.listening import Looks
from gray_kettle.judge.radios import find_radios
from gray_kettle.judge.standing import asking_of, others_for, standing_on, standings
from gray_kettle.judge.stations import links_by_station
from gray_kettle.judge.utilisation import utilisation_of
from gray_kettle.records import Observations, Setup
from gray_kettle.safe_text import dbm

# Who asks where no own radio does: a usual client of a usual access point.
USUAL = Asking("ax", settings.CLIENT_STREAMS, settings.CLIENT_LEVEL_DBM)


_BAND_EDGES_HZ = {"2.4": (2.401e9, 2.483e9), "5": (5.16e9, 5.885e9), "6": (5.935e9, 7.115e9)}


def assess(observations: Observations, setup: Setup) -> Assessment:
    """Who is there, how busy each place is, what harms our own radios, and what is wrong."""
    looks = Looks(observations)
    radios = find_radios(observations, setup, looks)
    emitters = find_emitters(observations, setup, radios)
    places = _places(radios, observations, setup, looks, emitters)
    own = tuple(_own_view(radio, radios, emitters) for radio in radios if radio.own)
    return Assessment(
        start_s=observations.start_s,
        end_s=observations.end_s,
        radios=radios,
        places=places,
        own=own,
        findings=find(radios, own, places, emitters),
        not_known=_not_known(radios, own, observations, setup, looks),
        covered=looks.covered,
        links=tuple(links_by_station(observations).values()),
        swept=observations.swept,
        emitters=emitters,
        swept_bands=_looked_bands(observations),
    )


def places_seen_from(assessment: Assessment, radio: Radio | None) -> tuple[PlaceView, ...]:
    """The places as an own radio would find them; as the receiver heard them when radio is None."""
    if radio is None:
        return assessment.places
    asked = [p for p in assessment.places if p.channel.band == radio.band]
    asking, _ = asking_of(radio)
    by_channel = _standings(
        tuple(p.channel for p in asked), asking, assessment.radios, radio, assessment.emitters
    )
    return tuple(
        PlaceView(p.channel, p.utilisation, by_channel[p.channel] if p.standing is not None else None)
        for p in asked
    )


def _looked_bands(observations: Observations) -> frozenset[str]:
    """Bands of which sweeps were looked through for emitters."""
    return frozenset(
        band
        for looked in observations.looked
        for band, (low_hz, high_hz) in _BAND_EDGES_HZ.items()
        if looked.low_hz < high_hz and looked.high_hz > low_hz
    )


def _own_view(radio: Radio, radios: tuple[Radio, ...], emitters: tuple[Emitter, ...]) -> OwnView:
    asking, assumed = asking_of(radio)
    now = standing_on(radio.channel, asking, radios, radio, emitters)
    return OwnView(radio, now, asking.client_level_dbm, assumed)


def _places(
    radios: tuple[Radio, ...],
    observations: Observations,
    setup: Setup,
    looks: Looks,
    emitters: tuple[Emitter, ...],
) -> tuple[PlaceView, ...]:
    out = []
    for band in BANDS:
        allowed = set(rules_by_number(setup.country, band)) | {
            r.channel.primary for r in radios if r.band == band
        }
        channels = tuple(narrow(band, n) for n in sorted(allowed))
        seen = _standings(channels, USUAL, tuple(r for r in radios if r.band == band), None, emitters)
        for channel in channels:
            covered = (band, channel.primary) in looks.covered
            used = utilisation_of(band, channel.primary, radios, observations, looks)
            out.append(PlaceView(channel, used, seen[channel] if covered else None))
    return tuple(out)


def _standings(
    channels: tuple[Channel, ...],
    asking: Asking,
    radios: tuple[Radio, ...],
    who: Radio | None,
    emitters: tuple[Emitter, ...],
) -> dict[Channel, Standing]:
    others, rows = others_for(radios, who, emitters)
    return {s.channel: s for s in standings(weigh(asking, Candidates(channels), others), others, rows)}


def _not_known(
    radios: tuple[Radio, ...],
    own: tuple[OwnView, ...],
    observations: Observations,
    setup: Setup,
    looks: Looks,
) -> tuple[str, ...]:
    """What was not measured and would change the answer."""
    out = []
    if not radios:
        return ("Nothing was heard in this window: take a scan or a capture.",)
    if not setup.country:
        out.append("Country: not told, so only channels that are free everywhere are proposed.")
    if not own:
        out.append("Own networks: none named, so there is nothing to plan for.")
    for band in sorted({r.band for r in radios} | {"2.4", "5"}, key=BANDS.index):
        heard = {n for b, n in looks.covered if b == band}
        if not heard:
            out.append(f"{band} GHz: not listened to.")
        elif len(heard) < len(rules_by_number(setup.country, band)):
            listed = ", ".join(str(n) for n in sorted(heard)[:8]) + (" …" if len(heard) > 8 else "")
            out.append(f"{band} GHz: only {listed} listened to; other places cannot be judged.")
    if own and all(v.client_level_assumed for v in own):
        out.append(
            f"Clients: none heard; their level is taken as {dbm(settings.CLIENT_LEVEL_DBM)}. A capture tells."
        )
    unheard = sum(1 for r in radios if r.level_dbm is None)
    if unheard:
        level = dbm(settings.UNKNOWN_LEVEL_DBM)
        out.append(f"Levels: {unheard} of {len(radios)} radios came without one; each is taken as {level}.")
    if not len(observations.traffic):
        out.append("Traffic: listings do not show who sends how much; a capture does.")
    swept = {s.channel.band for s in observations.swept}
    unswept = [b for b in BANDS if b not in swept and b in {"2.4", "5"} | {r.band for r in radios}]
    if unswept:
        listed = " and ".join([", ".join(unswept[:-1]), unswept[-1]] if len(unswept) > 1 else unswept)
        out.append(f"What is not Wi-Fi: no spectrum sweep of {listed} GHz.")
    if observations.rows_unlooked:
        rows = f"{observations.rows_unlooked:,}".replace(",", " ")
        out.append(f"What is not Wi-Fi: {rows} sweep rows were not looked through yet.")
    out += [f"{take.source}: {note}" for take in observations.takes for note in take.notes]
    return tuple(out)
