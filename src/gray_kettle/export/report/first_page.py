"""The first page: for the customer, in everyday words, with the answer in it."""

import math
import re
from collections.abc import Sequence

from gray_kettle.analysis.assessment import ChannelView, OwnView
from gray_kettle.analysis.loss.channel_plan import channel_plans
from gray_kettle.export.report.blocks import Answer, Block, Bullets, Drawing, Heading, Paragraph, Table
from gray_kettle.export.report.catalogue import _, listed, ngettext
from gray_kettle.export.report.everyday import problems
from gray_kettle.export.report.material import Material
from gray_kettle.model.enums import Severity
from gray_kettle.phy.countries import radar_watch_s
from gray_kettle.planner.proposal import Move
from gray_kettle.proof.compare import Verdict
from gray_kettle.proof.measures import CLEAR_AIR
from gray_kettle.proof.prove import Proof, Result
from gray_kettle.safe_text import printable

_MOST_PROBLEMS, _MOST_LEFT, _MOST_STEPS, _MOST_NAMES = 4, 3, 4, 6
_CHANGE = re.compile(r"^(\d+)/(\d+)[+-]? → (\d+)/(\d+)[+-]?$")
_URGENT = (Severity.ACT, Severity.WATCH)
_FAIR = 0.6  # of clear air: a channel with less is named as one not to use


def first_page(material: Material) -> list[Block]:
    """What was wrong, what was done or is to be done, whether it helped, what remains, and which channels."""
    setup = material.now.setup
    blocks: list[Block] = []
    if setup.complaint:
        blocks.append(Paragraph(printable(setup.complaint), style="quote"))
    if not material.now.assessment.own:
        blocks.append(
            Answer(
                _("Which networks are yours is not entered yet, so nothing can be advised."),
                _("What was heard is listed behind this page."),
            )
        )
        return blocks
    blocks.append(_in_short(material))
    blocks += _wrong(material)
    blocks += _done(material)
    blocks += _remains(material)
    blocks += _drawing(material)
    blocks += _channels(material)
    return blocks


def _in_short(material: Material) -> Answer:
    if material.proof:
        return _helped(material.proof)
    urgent = [f for f in material.now.assessment.findings if f.severity in _URGENT]
    changes = [m for m in material.now.proposal.moves if not m.stays]
    if not urgent and not changes:
        return Answer(_("Nothing needs to change."), _("In what was measured the Wi-Fi is in order."))
    if not changes:
        return Answer(
            _("The channels can stay as they are; something else is in the way."),
            _("What it is, and what to do about it, is listed below."),
        )
    radios = ngettext("One radio", "{count} radios", len(changes)).format(count=len(changes))
    return Answer(
        _("{radios} should move to another channel.").format(radios=radios),
        _("Which ones, and why, is listed below."),
    )


def _helped(proof: Proof) -> Answer:
    """Whether it helped, by the figure of the whole site where there is one, and by the counts."""
    better, worse = proof.count(Verdict.BETTER), proof.count(Verdict.WORSE)
    site = next((r for r in proof.results if r.kind is CLEAR_AIR and not r.radio), None)
    counts = ngettext("{count} figure is better", "{count} figures are better", better).format(count=better)
    counts += ", " + ngettext("{count} is worse", "{count} are worse", worse).format(count=worse)
    counts += _("; how sure that is, is shown for each of them behind this page.")
    if site is None or site.verdict is Verdict.TOO_LITTLE:
        first = _("Whether the changes helped cannot be said yet: there is too little to compare.")
    elif site.verdict is Verdict.BETTER:
        first = _("The changes helped. {figures}").format(figures=_air_before_after(site))
    elif site.verdict is Verdict.WORSE:
        first = _("The changes did not help; it is worse now. {figures}").format(
            figures=_air_before_after(site)
        )
    else:
        first = _("No change is shown for the site as a whole. {figures}").format(
            figures=_air_before_after(site)
        )
    return Answer(first, counts)


def _air_before_after(site: Result) -> str:
    return _(
        "Of its time, an access point could use {before} before, and can use {after} now (mean of all)."
    ).format(before=_percent(site.found.before), after=_percent(site.found.after))


def _wrong(material: Material) -> list[Block]:
    session = material.before or material.now
    found = problems(session.assessment.findings, _URGENT)
    heading = Heading(3, _("What was wrong") if material.was_changed else _("What is wrong"))
    if not found:
        return [heading, Paragraph(_("Nothing that needs a change was found in what was measured."))]
    return [heading, _bullets(found, _MOST_PROBLEMS)]


def _bullets(found: Sequence[tuple[str, str]], most: int) -> Bullets:
    items = [("", f"{sentence} {effect}".strip()) for sentence, effect in found[:most]]
    left = len(found) - most
    if left > 0:
        more = ngettext("One more is described behind this page.",
                        "{count} more are described behind this page.", left)  # fmt: skip
        items.append(("", more.format(count=left)))
    return Bullets(tuple(items))


def _done(material: Material) -> list[Block]:
    """What was carried out; where nothing was, what should be done, in its order."""
    proof, site_time = material.proof, material.now.setup.site_time
    if proof:
        made = [c for c in proof.changes if c.is_carried_out]
        items = [
            (
                f"{printable(c.name)}:",
                f"{_change_in_words(printable(c.text))} ({site_time.minute(c.time_s):%d %b, %H:%M})",
            )
            for c in made
        ]
        words = _("What was done")
        return [
            Heading(3, words),
            Bullets(tuple(items)) if items else Paragraph(_("Nothing was marked as done.")),
        ]
    return [Heading(3, _("What should be done")), _to_do(material)]


def _change_in_words(text: str) -> str:
    """ "3/40 → 1/20" for those who do not know how that is read."""
    found = _CHANGE.match(text)
    if not found:
        return text
    was, was_wide, now, now_wide = found.groups()
    if was == now:
        return _("width {before} → {after} MHz").format(before=was_wide, after=now_wide)
    words = _("channel {before} → {after}").format(before=was, after=now)
    if was_wide != now_wide:
        words += _(", width {before} → {after} MHz").format(before=was_wide, after=now_wide)
    return words


def _remains(material: Material) -> list[Block]:
    if not material.proof:
        return []
    found = problems(material.now.assessment.findings, (Severity.ACT,))
    blocks: list[Block] = [Heading(3, _("What remains"))]
    blocks.append(
        _bullets(found, _MOST_LEFT) if found else Paragraph(_("Nothing that needs a change was found since."))
    )
    steps = _to_do(material)
    if isinstance(steps, Bullets):
        blocks += [Heading(3, _("What should be done next")), steps]
    return blocks


def _to_do(material: Material) -> Block:
    proposal = material.now.proposal
    by_radio = {m.radio.id: m for m in proposal.moves}
    ordered = [by_radio[radio] for step in proposal.order for radio in step.radios if radio in by_radio]
    items = [(f"{title_of(m)}:", _change_words(m)) for m in ordered if not m.stays]
    items += [("", f"{printable(s.what)}. {printable(s.gain)}".strip()) for s in proposal.other_steps]
    if not items:
        return Paragraph(_("Nothing needs to change."))
    left = len(items) - _MOST_STEPS
    if left > 0:
        more = ngettext("One more step is listed behind this page.",
                        "{count} more steps are listed behind this page.", left)  # fmt: skip
        items = [*items[:_MOST_STEPS], ("", more.format(count=left))]
    return Bullets(tuple(items), is_numbered=left <= 0)


def _change_words(move: Move) -> str:
    if move.target.is_width_known:
        words = _("set channel {channel}, {width} MHz wide.").format(
            channel=move.target.primary, width=move.target.width_mhz
        )
    else:
        words = _("set channel {channel}; leave its width.").format(channel=move.target.primary)
    if move.before and move.after and move.after.clear_air > move.before.clear_air:
        words += " " + _("Usable time {before} → {after}.").format(
            before=_percent(move.before.clear_air), after=_percent(move.after.clear_air)
        )
    return words


def _drawing(material: Material) -> list[Block]:
    from gray_kettle.export.drawings.usable_air import usable_air_figure

    now = material.now
    if material.before:
        caption = _("Share of the time that each access point can use: dotted bars before, full bars after.")
    else:
        caption = _(
            "Share of the time that each access point can use: dotted bars now, full bars with the plan."
        )
    return [Drawing(lambda: usable_air_figure(now, material.before), caption, caption)]


def _channels(material: Material) -> list[Block]:
    """The answer to “which channel on which band”, with one reason, and what not to pick."""
    rows = []
    for band in ("2.4", "5", "6"):
        moves = [m for m in material.now.proposal.moves if m.radio.band == band]
        if not moves:
            continue
        by_channel: dict[tuple[int, int], list[str]] = {}  # width 0: not known
        for move in moves:
            name = printable(move.radio.name) + ("" if move.stays else " *")
            by_channel.setdefault((move.target.primary, move.target.known_width_mhz or 0), []).append(name)
        channels = "; ".join(
            f"{number}{f' ({width} MHz)' if width else ''}: {listed(names, _MOST_NAMES)}"
            for (number, width), names in sorted(by_channel.items())
        )
        rows.append((f"{band} GHz", channels, _reason(material, moves), _not_these(material, band, moves)))
    if not rows:
        return []
    heads = (_("band"), _("channel: access points"), _("why"), _("do not use"))
    caption = _("* a change. The number in brackets is the width.") if any(" *" in r[1] for r in rows) else ""
    return [
        Heading(3, _("Which channel on which band")),
        Table(heads, tuple(rows), (0.09, 0.33, 0.29, 0.29), caption=caption),
    ]


def _reason(material: Material, moves: list[Move]) -> str:
    changed = [m for m in moves if not m.stays]
    known = [m for m in moves if m.before and m.after]
    if not known:
        return _("They stay: too little was measured to advise a change.")
    if not changed:
        least = min(m.after.clear_air for m in known if m.after)
        return _(
            "They stay: no other set of channels gives more. Each can use {share} of its time or more."
        ).format(share=_percent(least))
    gains = [m for m in changed if m.before and m.after]
    best = max(gains, key=lambda m: m.after.clear_air - m.before.clear_air, default=None)  # type: ignore[union-attr]
    if (
        best is None
        or best.before is None
        or best.after is None
        or best.after.clear_air <= best.before.clear_air
    ):
        return _("Less waiting in the busy hour for all of them together.")
    return _("{radio} can then use {after} of its time, {before} now.").format(
        radio=printable(best.radio.name),
        after=_percent(best.after.clear_air),
        before=_percent(best.before.clear_air),
    )


def _not_these(material: Material, band: str, moves: list[Move]) -> str:
    """Channels to keep off, the worst first, each with its reason."""
    setup, assessment = material.now.setup, material.now.assessment
    used = {m.target.primary for m in moves}
    parts: list[str] = []
    plan: tuple[int, ...] = ()
    if band == "2.4":
        plans = channel_plans(assessment.radios, setup.country)
        plan = next((p for p in plans if used <= set(p)), plans[0])
        parts.append(
            _("channels between {plan}: they disturb both sides; 40 MHz: half of the band").format(
                plan=listed([str(n) for n in plan], 4)
            )
        )
    worst = _worst_channel(assessment.channels, band, used, plan)
    if worst is not None and worst.assessed is not None:
        parts.append(
            _("{channel}: only {share} of the time is free there").format(
                channel=worst.channel.primary, share=_percent(worst.assessed.clear_air)
            )
        )
    radar = sorted(
        {
            v.channel.primary
            for v in assessment.channels
            if v.channel.band == band and radar_watch_s(setup.country, v.channel)
        }
    )
    if radar and not used & set(radar):
        parts.append(
            _("{first} to {last}, where a break for radar does harm").format(first=radar[0], last=radar[-1])
        )
    return "; ".join(parts) if parts else _("nothing speaks against a channel here")


def _worst_channel(
    channels: Sequence[ChannelView], band: str, used: set[int], plan: tuple[int, ...]
) -> ChannelView | None:
    known = [
        view
        for view in channels
        if view.channel.band == band and view.assessed is not None and view.channel.primary not in used
    ]
    if band == "2.4":  # the others are named as a whole
        known = [view for view in known if view.channel.primary in plan]
    worst = min(known, key=lambda v: v.assessed.clear_air if v.assessed else 1.0, default=None)
    return worst if worst and worst.assessed and worst.assessed.clear_air < _FAIR else None


def title_of(item: Move | OwnView) -> str:
    return f"{printable(item.radio.name)} {item.radio.band} GHz"


def _percent(share: float) -> str:
    return "–" if math.isnan(share) else f"{100 * share:.0f} %"
