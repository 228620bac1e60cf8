"""The evidence for a claim, in statements that a technician can check in the waterfall."""

import numpy as np

from gray_kettle.interference import band_plan
from gray_kettle.interference.searches.advertising import ADVERTISING_HZ
from gray_kettle.interference.weighed.candidates import Candidate
from gray_kettle.interference.weighed.claims import Claim
from gray_kettle.interference.weighed.judgement import Judgement
from gray_kettle.interference.weighed.rows import Rows
from gray_kettle.model.enums import EmitterKind
from gray_kettle.model.records import Detection

_NAMED = 2
_NEAR_154_HZ = 6e5
_IN_STEP = 3.3
# (what is said when a feature is higher than usual, and when it is lower); those not here say nothing by themselves.
_WORDS: dict[str, tuple[str, str]] = {
    "fits a Wi-Fi channel": ("it fills a Wi-Fi channel", "it does not fit a Wi-Fi channel"),
    "part of a Wi-Fi channel": ("it is part of a Wi-Fi channel", "what it is part of is no Wi-Fi channel"),
    "within a Wi-Fi channel": ("it lies within a Wi-Fi channel", "it reaches beyond any Wi-Fi channel"),
    "continuous": ("it hardly pauses", "it comes and goes"),
    "falls": ("its level falls at times", "its level never falls"),
    "filled in most rows": ("all of it is on in nearly every row", "at times only parts of it are on"),
    "lowest": ("it never falls near the noise", "it falls to the noise at times"),
    "rows without it": ("some rows have nothing of it", "no row is without it"),
    "varies": ("its level varies", "its level is steady"),
    "halves together": ("all of it rises and falls together", "its parts rise and fall by themselves"),
    "with its neighbours": (
        "it rises and falls with what lies beside it",
        "what lies beside it goes its own way",
    ),
    "with both neighbours": ("it rises and falls with both sides", "its sides go their own way"),
    "rises on one side": ("it stands out even when all is counted", "Wi-Fi reaches its level beside it"),
    "duty": ("it is on most of the time", "it is off most of the time"),
    "in one piece": ("it was switched on once", "it was on several times"),
    "wavers": ("its level changes every few seconds", "its level stays the same for seconds"),
    "flatness": ("its top is flat", "its top is rounded"),
    "steeper edge": ("an edge is steep", "its edges are gentle"),
    "gentler edge": ("both edges are steep", "an edge is gentle"),
    "level": ("it is strong", "it is weak"),
    "rise": ("it rises well over its surroundings", "it hardly rises over its surroundings"),
    "strong": ("most bursts rise well over what is beside them", "few bursts rise well over it"),
    "evenly used": ("frequencies are used evenly", "some frequencies are used more than others"),
    "in step with the mains": ("in step with the mains", "not in step with the mains"),
    "on 802.15.4": ("on an 802.15.4 channel", "on no 802.15.4 channel"),
    "on a Wi-Fi edge": ("at the edge of a Wi-Fi channel", "away from the edges of Wi-Fi channels"),
    "explained by chance": ("other bursts are about as dense beside it", "hardly any bursts beside it"),
    "amid others": ("amid other signals", "with nothing beside it"),
}


def mhz(hz: float, decimals: int = 1) -> str:
    """A frequency in MHz with its unit."""
    return f"{hz / 1e6:.{decimals}f} MHz"


def width(hz: float) -> str:
    """A width, in the unit that suits it."""
    return mhz(hz) if hz >= 0.95e6 else f"{hz / 1e3:.0f} kHz"


def of_claim(claim: Claim, kind: EmitterKind, rows: Rows, time_share: float) -> tuple[str, ...]:
    """Measurements first, then what spoke for it and against."""
    candidate = claim.candidate
    facts = (
        _of_interval(candidate, rows, time_share)
        if candidate.interval
        else _of_cluster(candidate, kind, rows)
    )
    return (*facts, *_weighed(claim.judgement))


def of_found(found: Detection, judgement: Judgement) -> tuple[str, ...]:
    """What a search said of it, and what spoke for it and against."""
    return (*found.evidence, *_weighed(judgement))


def _weighed(judgement: Judgement) -> list[str]:
    for_it, against = _said(judgement.spoke_for), _said(judgement.spoke_against)
    out = ["for it: " + ", ".join(for_it)] if for_it else []
    return out + (["against it: " + ", ".join(against)] if against else [])


def _said(features: tuple[tuple[str, bool], ...]) -> list[str]:
    return [_WORDS[name][0 if is_high else 1] for name, is_high in features if name in _WORDS][:_NAMED]


def _of_interval(candidate: Candidate, rows: Rows, time_share: float) -> list[str]:
    measured = candidate.features
    step = rows.span.step_hz
    out = ["continuous" if measured["continuous"] > 0.9 else "comes and goes"]
    if candidate.width_hz <= 2.2 * step:
        bins = max(round(candidate.width_hz / step), 1)
        out[0] += f", no wider than {bins} bin{'s' * (bins > 1)} of {width(step)}"
        out.append("constant level" if measured["varies"] < 0.5 else "varying level: it is modulated")
    else:
        out[0] += f", {width(candidate.width_hz)} wide 10 dB below its top"
        out.append("a flat top" if measured["flatness"] > 0.75 else "a rounded top")
    out.append(f"{10 * measured['level']:.0f} dB over the noise")
    if time_share < 0.95:
        out.append(f"on for {100 * time_share:.0f} % of the time")
    if measured["mains"] > _IN_STEP and rows.is_low_band:
        out.append("its level is in step with the mains")
    return out


def _of_cluster(candidate: Candidate, kind: EmitterKind, rows: Rows) -> list[str]:
    cluster = candidate.cluster
    if cluster is None:
        return []
    bursts = cluster.bursts
    count = len(bursts)
    burst = width(float(np.median(bursts.width_hz)))
    rise = f"{float(np.median(bursts.rise_db)):.0f} dB over what is beside them"
    middle = float(np.median(bursts.freq_hz))
    if cluster.shape == "fixed":
        out = [f"{count} bursts at {mhz(middle)}, {burst} wide, {rise}"]
        if kind == EmitterKind.IEEE_802_15_4 or (
            rows.is_low_band and band_plan.to_154_hz(middle) < _NEAR_154_HZ
        ):
            away = band_plan.to_154_hz(middle) / 1e6
            out.append(f"{away:.2f} MHz from an 802.15.4 channel (2405 MHz and every 5 MHz)")
    elif cluster.shape == "advertising":
        on = [f"{int((np.abs(bursts.freq_hz - hz) < 1e6).sum())} at {mhz(hz, 0)}" for hz in ADVERTISING_HZ]
        out = ["short bursts: " + ", ".join(on), "these are the advertising channels of Bluetooth LE"]
    else:
        number = len(np.unique(np.round(bursts.freq_hz / 1e6)))
        ends = f"from {mhz(candidate.low_hz, 0)} to {mhz(candidate.high_hz, 0)}"
        out = [f"{count} bursts on {number} different megahertz, {ends}", f"each about {burst} wide, {rise}"]
    out.append(f"seen in {100 * candidate.features['rows']:.1f} % of the rows")
    if candidate.features["mains"] > _IN_STEP and rows.is_low_band:
        out.append("in step with the mains")
    if kind == EmitterKind.RADAR and candidate.features["groups"] > 1:
        out.append("in groups, as a turning antenna or a beam that scans gives them")
    return out
