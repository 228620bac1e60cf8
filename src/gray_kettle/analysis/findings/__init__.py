"""What is wrong, with its cause, its effect in figures and a first step. Worst first by time lost.

A rule is a function from facts to findings. A step that changes a channel is worded by the plan, which knows the
target: such a finding carries a ChannelAction.
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
    spots,
)
from gray_kettle.analysis.findings.emitters import RECEIVER_TEST, confidence_text, emitter_title
from gray_kettle.analysis.findings.facts import (
    Facts,
    best_level_dbm,
    count,
    heard_at,
    percent,
    title,
    why_assumed,
)
from gray_kettle.model.enums import FindingKind, Severity

__all__ = [
    "RECEIVER_TEST",
    "Facts",
    "best_level_dbm",
    "confidence_text",
    "count",
    "emitter_title",
    "find",
    "heard_at",
    "percent",
    "title",
    "why_assumed",
]

_RULES = (
    *own_channel.RULES,
    *own_radios.RULES,
    *clients.RULES,
    *neighbours.RULES,
    *radar.RULES,
    *spots.RULES,
    *data_gaps.RULES,
    *emitters.RULES,
)
_URGENCY = list(Severity)


def find(facts: Facts) -> tuple[Finding, ...]:
    """Every finding, worst first; the order does not depend on the order of the radios."""
    found = [finding for rule in _RULES for finding in rule(facts)]
    # A loop of automatic selection explains why a radio changes channel often: one finding is enough.
    looping = {f.radio for f in found if f.kind == FindingKind.CHASE}
    found = [f for f in found if f.kind != FindingKind.OWN_MOVER or f.radio not in looping]
    return tuple(sorted(found, key=lambda f: (_URGENCY.index(f.severity), -f.lost, f.kind, f.subject)))
