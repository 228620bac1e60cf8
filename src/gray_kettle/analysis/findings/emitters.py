"""Findings about non-Wi-Fi emitters: what it is, what it costs each own radio, and how to confirm it."""

from collections.abc import Iterator

from gray_kettle.analysis.assessment import Emitter, Finding, OwnView
from gray_kettle.analysis.emitters.advice import ADVICE
from gray_kettle.analysis.figures import EmitterCost
from gray_kettle.analysis.findings.facts import Facts, title
from gray_kettle.model.enums import EmitterKind, FindingKind, LossKind, Severity


def emitter_title(emitter: Emitter) -> str:
    """How a sentence calls it: "microwave oven at 2451–2480 MHz", or by the name that it was given."""
    what = emitter.name or ADVICE[emitter.kind].called
    if emitter.may_be_receiver and not emitter.name:
        what = f"steady line, may be the receiver's own ({what})"
    low, high = round(emitter.low_hz / 1e6), round(emitter.high_hz / 1e6)
    return f"{what} at {low}–{high} MHz" if high > low else f"{what} at {emitter.centre_hz / 1e6:.1f} MHz"


def confidence_text(emitter: Emitter) -> str:
    """How certain the kind is, for a bracket: “confidence 87 %”."""
    if emitter.was_found_as:
        return "set by hand"
    if emitter.kind == EmitterKind.UNKNOWN:
        return "kind not known"
    return f"confidence {100 * emitter.confidence:.0f} %"


def _of_emitters(facts: Facts) -> Iterator[Finding]:
    """One finding for each emitter that was not dismissed."""
    for emitter in facts.emitters:
        if emitter.is_dismissed:
            continue
        lost = _lost(emitter, facts.own)
        # Hours without it do not make it harmless in the hours with it.
        more = emitter.duty_while_on / emitter.duty if emitter.duty else 1.0
        worst = max((share for _, _, share in lost), default=0.0)
        worst_on = min(worst * more, 1.0)
        advice = ADVICE[emitter.kind]
        yield Finding(
            severity=_severity(facts, worst_on, worst),
            kind=FindingKind.EMITTER,
            subject=emitter_title(emitter),
            cause=f"{emitter.reasons} ({confidence_text(emitter)})",
            effect=_effect(emitter, lost, more),
            first_step=RECEIVER_TEST if emitter.may_be_receiver else f"{advice.test} {advice.remedy}",
            figures=EmitterCost(
                emitter=emitter.id,
                kind=emitter.kind,
                confidence=emitter.confidence,
                duty=emitter.duty,
                duty_while_on=emitter.duty_while_on,
                level_dbm=emitter.level_dbm,
                lost={radio: share for radio, _, share in lost},
            ),
            radio=lost[0][0] if lost else "",
            lost=max(worst, worst_on / 2),
            see="sweep",
        )


def _lost(emitter: Emitter, own: tuple[OwnView, ...]) -> list[tuple[str, str, float]]:
    """(radio id, its title, share lost) of the own radios that lose time to it, worst first."""
    found = [
        (view.radio.id, title(view.radio), cause.share_lost)
        for view in own
        if view.now is not None
        for cause in view.now.losses
        if cause.kind == LossKind.NON_WIFI and cause.radio == emitter.id
    ]
    return sorted(found, key=lambda item: (-item[2], item[0]))


RECEIVER_TEST = (
    "Take the antenna off, or use another receiver: a line that stays is the receiver's own, and nothing "
    "is to be done."
)


def _severity(facts: Facts, while_on: float, lost: float) -> Severity:
    act, watch = facts.limits.act_lost, facts.limits.watch_lost
    if while_on >= act:
        return Severity.ACT if lost >= act / 10 else Severity.WATCH
    return Severity.WATCH if while_on >= watch else Severity.NOTE


def _effect(emitter: Emitter, lost: list[tuple[str, str, float]], more: float) -> str:
    on = f"On the air {_percent(emitter.duty)} of the time swept"
    seen, examined = emitter.blocks
    if seen < examined:
        on += f" ({_percent(emitter.duty_while_on)} in the {seen} of {examined} sweep blocks that show it)"
    if not lost:
        return f"{on}. No own radio loses time to it."
    each = []
    for _, name, share in lost[:3]:
        while_on = min(share * more, 1.0)
        each.append(
            f"{name} loses {_percent(share)}"
            + (f" ({_percent(while_on)} while it is on)" if more > 1.3 else "")
        )
    return f"{on}. {', '.join(each)}" + (f" and {len(lost) - 3} more." if len(lost) > 3 else ".")


def _percent(share: float) -> str:
    return f"{100 * share:.0f} %" if share >= 0.0095 or share == 0 else f"{100 * share:.1f} %"


RULES = (_of_emitters,)
