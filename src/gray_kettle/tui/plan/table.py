"""The rows of the plan: radios with their proposed channels, reasons, and the other steps."""

import math
from dataclasses import dataclass, field

from gray_kettle.model.setup import Setup
from gray_kettle.planner.manual_plan import HypotheticalPlan
from gray_kettle.planner.proposal import Move, Proposal
from gray_kettle.tui.frame.row_list import Row
from gray_kettle.tui.theme import Cell, fit, percent, wrap

WHY_COLUMNS = 96
_KEPT_COLUMNS = 120
_BUSY_COLUMNS = 88
_KNOWN_GAP = 0.2  # log units a radio: a wider bound says nothing
_COLUMNS = (("radio", 16), ("now", 8), ("proposed", 12), ("clear air", 13), ("expected Mb/s", 14))


@dataclass(frozen=True, eq=False)
class Shown:
    """What the table shows of a plan: the proposal, what is tried by hand, a kept plan, what was done."""

    proposal: Proposal
    setup: Setup
    now: HypotheticalPlan
    hypothetical_plan: HypotheticalPlan | None = None
    kept: HypotheticalPlan | None = None
    elsewhere: frozenset[str] = field(default_factory=frozenset)

    def steps(self) -> dict[str, int]:
        """Number of the step in which each radio moves."""
        return {radio: n for n, step in enumerate(self.proposal.order, 1) for radio in step.radios}


def summary(shown: Shown) -> str:
    """The plan in one line."""
    proposal = shown.proposal
    moving = [m for m in proposal.moves if not m.stays]
    if not proposal.moves:
        return ""
    if shown.hypothetical_plan is not None and shown.elsewhere:
        by_hand_mbps = shown.hypothetical_plan.typical_mbps
        text = f" By hand: {by_hand_mbps:.0f} Mb/s for a typical radio, proposed {_plan_mbps(proposal):.0f}"
    else:
        confidence = "proved best" if proposal.proved else _gap(proposal)
        change = "changes" if len(moving) == 1 else "change"
        many = f"{len(moving)} of {len(proposal.moves)} {change}" if moving else "Every radio stays"
        mbps = f"typical radio {shown.now.typical_mbps:.0f} → {_plan_mbps(proposal):.0f} Mb/s"
        busy = [m.busy_mbps for m in proposal.moves if m.busy_mbps is not None]
        if busy and moving:
            before, after = (
                math.exp(sum(math.log(max(b[k], 0.1)) for b in busy) / len(busy)) for k in (0, 1)
            )
            mbps += f", busy hour {before:.0f} → {after:.0f}"
        text = f" {many}: {mbps}; {confidence}"
    if proposal.hours:
        text += f"; {proposal.hours}"
    if shown.kept is not None:
        text += f"; kept plan {shown.kept.typical_mbps:.0f}"
    return text + (
        ""
        if not proposal.conflicts
        else f"; {len(proposal.conflicts)} without an available channel: see the reasons"
    )


def _plan_mbps(proposal: Proposal) -> float:
    placed = {m.radio.id: m.after for m in proposal.moves if m.after is not None}
    return HypotheticalPlan({}, placed).typical_mbps


def _gap(proposal: Proposal) -> str:
    each = (proposal.bound - proposal.score) / max(len(proposal.moves), 1)
    if each >= _KNOWN_GAP:
        return "distance to the best plan not known"
    return f"at most {percent(math.expm1(each))} below the best possible plan"


def heading(shown: Shown | None, width: int) -> str:
    kept = shown is not None and shown.kept is not None and width >= _KEPT_COLUMNS
    shown_columns = (
        _COLUMNS if width >= _BUSY_COLUMNS else (*_COLUMNS[:3], *_COLUMNS[4:])
    )  # as observed is less
    text = "   " + " ".join(fit(word, size) for word, size in (*shown_columns, ("in busy hour", 14)))
    return text + (" " + fit("kept plan", 13) if kept else "") + (" why" if width >= WHY_COLUMNS else "")


def move_rows(shown: Shown, width: int) -> list[Row]:
    moves = sorted(shown.proposal.moves, key=lambda m: (m.stays, shown.steps().get(m.radio.id, 0), -_gain(m)))
    return [_move_row(m, shown, width) for m in moves]


def _gain(move: Move) -> float:
    if move.before is None or move.after is None:
        return 0.0
    return move.after.clear_air - move.before.clear_air


def _move_row(move: Move, shown: Shown, width: int) -> Row:
    before, after, key = move.before, move.after, move.radio.id
    assert before is not None
    assert after is not None
    by_hand = shown.hypothetical_plan is not None and bool(shown.elsewhere)
    if by_hand and shown.hypothetical_plan is not None:
        after = shown.hypothetical_plan.channel_assessments[key]
    change = after.expected_mbps - before.expected_mbps
    cells: list[Cell] = [
        ("■ ", "own"),
        (fit(f"{move.radio.name} {move.radio.band}", 16) + " ", "text!"),
        (fit(move.source.label, 8) + " ", "text"),
        *_proposed(move, shown),
        (
            fit(f"{100 * before.clear_air:3.0f} → {percent(after.clear_air)}", 13) + " ",
            _ink(after.clear_air - before.clear_air, 0.01),
        ),
        (fit(f"{before.expected_mbps:4.0f} → {after.expected_mbps:.0f}", 14) + " ", _ink(change, 1)),
    ]
    if width < _BUSY_COLUMNS:
        del cells[-2]
    room = width - 86
    busy = None if by_hand else move.busy_mbps
    words = f"{busy[0]:4.0f} → {busy[1]:.0f}" if busy else ""
    cells.append((fit(words, 14) + " ", _ink(busy[1] - busy[0], 1) if busy else "dim"))
    if shown.kept is not None and width >= _KEPT_COLUMNS:
        kept = shown.kept
        text = (
            f"{kept.channels[key].label:<6} {kept.channel_assessments[key].expected_mbps:.0f}"
            if key in kept.channel_assessments
            else ""
        )
        cells.append((fit(text, 13) + " ", "watch"))
        room -= 14
    done = next((d for d in reversed(shown.setup.done) if d.radio == key), None)
    if done is not None and width >= WHY_COLUMNS:
        word = f"✓ {shown.setup.site_time.minute(done.time_s):%a %d %H:%M} {done.text}  "
        cells.append((word, "own!"))
        room -= len(word)
    why = move.reasons[0] if move.reasons and width >= WHY_COLUMNS else ""
    return Row(key, ((*cells, (fit(why, max(room, 0)), "dim")),))


def _proposed(move: Move, shown: Shown) -> list[Cell]:
    key = move.radio.id
    if key in shown.elsewhere and shown.hypothetical_plan is not None:
        return [(fit(f"◆ {shown.hypothetical_plan.channels[key].label}", 12) + " ", "watch!")]
    if any(c.radio == key for c in shown.proposal.conflicts):
        return [(fit("none available", 12) + " ", "act!")]
    if move.stays:
        return [(fit("stay, locked" if key in shown.setup.preferences.locked else "stay", 12) + " ", "dim")]
    step = shown.steps().get(key)
    return [(fit(move.target.label, 7), "steam!"), (fit(f"·{step}" if step else "", 5) + " ", "own")]


def _ink(change: float, least: float) -> str:
    return "dim" if abs(change) < least else "text" if change > 0 else "watch"


def reason_rows(move: Move | None, width: int) -> list[Row]:
    if move is None:
        return []
    verb = f"stay on {move.source.label}" if move.stays else f"{move.source.label} → {move.target.label}"
    title: list[Cell] = [("Why ", "dim"), (f"{move.radio.name} {move.radio.band}: {verb}", "steam!")]
    lines: list[tuple[Cell, ...]] = [tuple(title), ()]
    for reason in move.reasons:
        lines += [
            (("– " if k == 0 else "  ", "own"), (line, "text"))
            for k, line in enumerate(wrap(reason, width - 5))
        ]
    if move.alternatives:
        lines += [(), (("Alternatives", "dim"),)]
    for other in move.alternatives:
        label = fit(other.channel.sided_label, 8)
        text = wrap(f"{other.expected_mbps:.0f} Mb/s: {other.loses}", width - 12)
        lines += [
            ((f"  {label if k == 0 else ' ' * 8} ", "text!"), (line, "dim")) for k, line in enumerate(text)
        ]
    return [Row("reasons", tuple(lines))]


def step_rows(proposal: Proposal | None, width: int) -> list[Row]:
    title = wrap("Other steps, largest gain for the effort first", width - 3)
    rows = [Row("heading", (*(((line, "steam!"),) for line in title), ()), fixed=True)]
    steps = proposal.other_steps if proposal else ()
    for number, step in enumerate(steps, 1):
        lines: list[tuple[Cell, ...]] = [
            ((f"{number} " if k == 0 else "  ", "own!"), (line, "text!"))
            for k, line in enumerate(wrap(step.what, width - 5))
        ]
        lines += [(("  " + line, "own"),) for line in wrap(step.gain, width - 5)]
        lines += [(("  " + line, "dim"),) for line in wrap(f"{step.why} Effort: {step.effort}.", width - 5)]
        rows.append(Row(f"step-{number}", (*lines, ())))
    if not steps:
        rows.append(Row("none", ((("No other step was found.", "dim"),),), fixed=True))
    return rows
