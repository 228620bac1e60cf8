"""What is wrong, with its cause, its effect in figures and a first step. Worst first by time lost.

A rule is a function from facts to findings. Steps that are a change of channel are worded by the plan, which knows
where to go; here they say what kind of step it is.
"""

from gray_kettle.analysis.assessment import Finding
from gray_kettle.analysis.findings import (
    clients,
    data_gaps,
    emitters,
    neighbours,
    own_channel,
    own_radios,
    radar,
)
from gray_kettle.analysis.findings.emitters import confidence_text, emitter_title
from gray_kettle.analysis.findings.facts import (
    CHANGE_CHANNEL,
    FIX_CHANNEL,
    Facts,
    best_level_dbm,
    percent,
    title,
)

__all__ = [
    "CHANGE_CHANNEL",
    "FIX_CHANNEL",
    "HEADLINES",
    "Facts",
    "best_level_dbm",
    "confidence_text",
    "emitter_title",
    "find",
    "percent",
    "title",
]

SEVERITIES = ("act", "watch", "note")
_RULES = (
    *own_channel.RULES,
    *own_radios.RULES,
    *clients.RULES,
    *neighbours.RULES,
    *radar.RULES,
    *data_gaps.RULES,
    *emitters.RULES,
)
# What a kind says in a few words behind its subject.
HEADLINES = {
    "off-raster": "sits between two places",
    "wide-in-2.4": "is too wide for 2.4 GHz",
    "co-channel": "shares its channel",
    "overlap": "is overlapped from the side",
    "wide-secondary-busy": "is wider than there is room",
    "margin": "stands barely over its neighbour",
    "hidden-neighbours": "hears two that do not hear each other",
    "retries": "sends much again",
    "own-mover": "does not settle on a channel",
    "beacons": "spends its air on beacons",
    "low-basic-rates": "announce at a crawl",
    "weak-own": "is weak where it was measured",
    "coverage": "is poorly covered",
    "forgotten": "looks forgotten",
    "unsteady": "swings in level",
    "band-imbalance": "carries what another band could",
    "sticky-client": "holds clients that stand elsewhere",
    "far-clients": "has clients that are far",
    "slow-client": "is held up by a slow client",
    "foreign-mover": "wanders",
    "chase": "and a neighbour chase each other",
    "visitor": "on and off the air",
    "newcomer": "is new here",
    "outdated-security": "outdated cipher",
    "high-utilisation": "is busy",
    "radar-heard": "stands on a channel with radar",
    "radar-left": "left a radar channel",
    "missing": "is not measured",
    "emitter": "is on the air",
}


def find(facts: Facts) -> tuple[Finding, ...]:
    """Every finding, worst first; the order does not depend on the order of the radios."""
    found = [finding for rule in _RULES for finding in rule(facts)]
    chasing = {f.radio for f in found if f.kind == "chase"}  # that says why it does not settle
    found = [f for f in found if f.kind != "own-mover" or f.radio not in chasing]
    return tuple(sorted(found, key=lambda f: (SEVERITIES.index(f.severity), -f.lost, f.kind, f.subject)))
