"""Steps that are no change of channel: what costs least and gains most stands first."""

import numpy as np

from gray_kettle.judge.assessment import Assessment, Radio
from gray_kettle.judge.findings import percent, title
from gray_kettle.judge.harms import Candidates, weigh
from gray_kettle.judge.standing import asking_of, others_for
from gray_kettle.judge.thresholds import Thresholds
from gray_kettle.plan.proposal import OtherStep

_LEAST_GAIN = 0.005


def other_steps(assessment: Assessment) -> tuple[OtherStep, ...]:
    """Worth doing beside the moves, best first."""
    found = [*_switch_off(assessment), *_beacons(assessment), *_outdated_rates(assessment)]
    return tuple(step for _, step in sorted(found, key=lambda item: (-item[0], item[1].what)))


def _switch_off(assessment: Assessment) -> list[tuple[float, OtherStep]]:
    """An own radio that nobody is heard to use: what would the other own radios gain without it?"""
    out = []
    for view in assessment.own:
        radio = view.radio
        stations = sum(n.load_stations or 0 for n in radio.networks)
        clients = sum(len(n.clients) for n in radio.networks)
        told = any(n.load_stations is not None for n in radio.networks)
        if stations or clients or not (told or _has_frames(assessment)):
            continue
        gain, who = _gain_without(radio, assessment)
        if gain < _LEAST_GAIN:
            continue
        step = OtherStep(
            what=f"Switch {title(radio)} off",
            why="It is ours and nobody was heard to use it; its beacons cost air all the same.",
            gain=f"up to +{percent(gain)} clear air for {who}",
            effort="minutes; ask first who might miss it",
        )
        out.append((gain, step))
    return out


def _has_frames(assessment: Assessment) -> bool:
    return any(n.frames for r in assessment.radios for n in r.networks)


def _gain_without(radio: Radio, assessment: Assessment) -> tuple[float, str]:
    best, who = 0.0, ""
    rest = tuple(r for r in assessment.radios if r.id != radio.id)
    for view in assessment.own:
        if view.radio.id == radio.id or view.radio.band != radio.band or view.now is None:
            continue
        asking, _ = asking_of(view.radio)
        others, _ = others_for(rest, view.radio, assessment.emitters)
        clear = float(weigh(asking, Candidates((view.radio.channel,)), others).clear_air[0])
        if clear - view.now.clear_air > best:
            best, who = clear - view.now.clear_air, title(view.radio)
    return best, who


def _beacons(assessment: Assessment) -> list[tuple[float, OtherStep]]:
    out = []
    for view in assessment.own:
        share = sum(n.beacon_share for n in view.radio.networks)
        if len(view.radio.networks) > 1 and share >= Thresholds().beacon_share / 2:
            one = share / len(view.radio.networks)
            step = OtherStep(
                what=f"Announce fewer networks on {title(view.radio)}",
                why=f"{len(view.radio.networks)} networks, {percent(share)} of the air for beacons alone.",
                gain=f"{percent(one)} of the air for each network less",
                effort="an hour; clients must know the name that stays",
            )
            out.append((one, step))
    return out


def _outdated_rates(assessment: Assessment) -> list[tuple[float, OtherStep]]:
    slow = [
        v.radio
        for v in assessment.own
        if v.radio.band == "2.4"
        and min((r for n in v.radio.networks for r in n.basic_rates_mbps), default=6.0) <= 2
    ]
    if not slow:
        return []
    shares = [sum(n.beacon_share for n in r.networks) for r in slow]
    saved = float(np.mean(shares)) * 0.85  # at 12 Mb/s a beacon takes about a seventh of its time at 1 Mb/s
    step = OtherStep(
        what="Make 12 Mb/s the lowest basic rate in 2.4 GHz",
        why=f"{', '.join(title(r) for r in slow[:4])} still send beacons at 1 or 2 Mb/s.",
        gain=f"about {percent(saved)} of the air on each of their channels",
        effort="minutes; check that no client is older than 802.11g",
    )
    return [(saved, step)]
