"""Says once, when the soak of the last change is over, what it showed; whoever watches, and after any restart."""

from gray_kettle.analysis.thresholds import thresholds_of
from gray_kettle.errors import InvalidInput
from gray_kettle.model.enums import AlertKind
from gray_kettle.model.records import Alert
from gray_kettle.proof import words
from gray_kettle.proving.prove import prove
from gray_kettle.store import Case

_ABOUT = "soak since {:.0f}"


def soak_that_ended(case: Case, now_s: float) -> list[Alert]:
    """The alert of a soak that is over, unless the case holds it already. now_s: of the newest observation."""
    setup = case.setup()
    times_s = [step.time_s for step in setup.done if step.time_s <= now_s]
    if not times_s or case.read_only:
        return []
    about = _ABOUT.format(max(times_s))
    if now_s < max(times_s) + 3600 * thresholds_of(setup).soak_h:
        return []
    if any(alert.kind is AlertKind.SOAK and alert.about == about for alert in case.alerts.all()):
        return []
    try:
        proof = prove(case)
    except InvalidInput:  # no own radio is known, or there is nothing before the change
        return []
    if proof.soak is None:
        return []
    text = words.soak_verdict(proof, proof.soak, setup.site_time)
    return [Alert(now_s, AlertKind.SOAK, about, text)]
