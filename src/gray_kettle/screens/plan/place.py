"""Plan: for each own radio where to go and why, the field of its channels, and the other steps."""

from typing import ClassVar

from rich.segment import Segment
from textual import on
from textual.app import ComposeResult
from textual.containers import Horizontal
from textual.reactive import reactive
from textual.strip import Strip
from textual.widget import Widget
from textual.widgets import Static

from gray_kettle.judge.explain import Explanation, of_standing
from gray_kettle.plan.proposal import FieldCell, Move, Proposal
from gray_kettle.screens.frame.place import Place
from gray_kettle.screens.frame.rows import Row, RowList
from gray_kettle.screens.ink import Cell, Inked, fit, percent, wrap
from gray_kettle.screens.look import Look


class Field(Inked, Widget):
    """Every channel and width of one radio: the fuller the ground, the more is expected."""

    DEFAULT_CSS = "Field { height: 9; }"
    move: reactive[Move | None] = reactive(None)

    def render_line(self, y: int) -> Strip:
        width, move = self.size.width, self.move
        if move is None:
            return self.cells([], width)
        if y == 0:
            name = f" {move.radio.name} {move.radio.band} GHz: every place and width, expected Mb/s"
            return self.cells([(name, "steam!")], width)
        widths = sorted({c.channel.width_mhz for c in move.field})
        primaries = sorted({c.channel.primary for c in move.field})
        pitch = max(3, min(7, (width - 6) // max(len(primaries), 1)))
        if y == 1:
            cells: list[Cell] = [("  MHz ", "dim")]
            for number in primaries:
                cells.append((fit(str(number), pitch, True), "dim"))
            return self.cells(cells, width)
        if y - 2 < len(widths):
            return self._width_line(move, widths[y - 2], primaries, pitch)
        if y == len(widths) + 3:
            return self.cells(
                [
                    (" ◎ now   ● proposed   ✗ not open to it   ", "dim"),
                    (self._barred(move, width - 42), "faint"),
                ],
                width,
            )
        return self.cells([], width)

    def _barred(self, move: Move, room: int) -> str:
        reasons = list(dict.fromkeys(c.barred for c in move.field if c.barred))
        return fit("✗: " + "; ".join(reasons), room) if reasons and room > 8 else ""

    def _width_line(self, move: Move, width_mhz: int, primaries: list[int], pitch: int) -> Strip:
        best = max((c.expected_mbps or 0.0 for c in move.field), default=1.0) or 1.0
        segments = [Segment(f"{width_mhz:>5} ", self.ink("dim"))]
        for number in primaries:
            cell = _best_of(move, width_mhz, number)
            segments += [Segment(" ", self.ink("text")), self._cell(move, cell, best, pitch - 1)]
        return Strip(segments).adjust_cell_length(self.size.width, self.ink("text"))

    def _cell(self, move: Move, cell: FieldCell | None, best: float, pitch: int) -> Segment:
        if cell is None:
            return Segment(" " * pitch, self.ink("text"))
        mark = "●" if cell.channel == move.target else "◎" if cell.channel == move.source else ""
        if cell.expected_mbps is None:
            return Segment(fit(mark or "✗", pitch, True), self.ink("faint"))
        word = f"{cell.expected_mbps:.0f}"
        if pitch < len(mark + word):
            word = ""
        text = fit(mark + word, pitch, True)
        return Segment(text, self.wash("own", 0.08 + 0.72 * cell.expected_mbps / best))


_WHY_COLUMNS = 96


def _best_of(move: Move, width_mhz: int, primary: int) -> FieldCell | None:
    """The cell of a width and primary; of two (above and below) the one that is marked, else the better."""
    found = [c for c in move.field if c.channel.width_mhz == width_mhz and c.channel.primary == primary]
    if not found:
        return None
    return max(found, key=lambda c: (c.channel in (move.target, move.source), c.expected_mbps or -1.0))


class PlanPlace(Place):
    """Table of moves; under it reasons and field; then what else to do."""

    DEFAULT_CSS = """
    PlanPlace { layout: vertical; }
    PlanPlace #plan-head { height: 1; color: $faint; }
    PlanPlace #plan-moves { height: 2fr; min-height: 5; }
    PlanPlace #plan-below { height: 3fr; border-top: solid $rule; }
    PlanPlace #plan-reasons { width: 3fr; }
    PlanPlace #plan-steps { width: 2fr; border-left: solid $rule; }
    PlanPlace #plan-field { border-top: solid $rule; }
    PlanPlace.-narrow #plan-steps { display: none; }
    PlanPlace.-low #plan-field { display: none; }
    """
    HINTS: ClassVar = (("↑ ↓", "radio"), ("tab", "reasons, steps"), ("i", "where figures come from"))

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self._look: Look | None = None

    def compose(self) -> ComposeResult:
        yield Static("", id="plan-head", markup=False)
        yield RowList(
            id="plan-moves",
            keeps_mark=True,
            empty=" No own radio was heard in this window: press o in Heard to mark one.",
        )
        with Horizontal(id="plan-below"):
            yield RowList(id="plan-reasons")
            yield RowList(id="plan-steps")
        yield Field(id="plan-field")

    def show(self, look: Look) -> None:
        self._look = look
        self.query_one("#plan-moves", RowList).show(self._move_rows)
        self.query_one("#plan-steps", RowList).show(self._step_rows)
        self._explain(self.query_one("#plan-moves", RowList).key)

    def focus_first(self) -> None:
        self.query_one("#plan-moves", RowList).focus()

    def choose(self, radio_id: str) -> None:
        self.query_one("#plan-moves", RowList).point_at(radio_id)

    def explain(self) -> tuple[Explanation, ...]:
        """The figures of the chosen radio where it is proposed to be, and where it is."""
        proposal, key = self._proposal(), self.query_one("#plan-moves", RowList).key
        move = proposal.move_of(key) if proposal else None
        view = next((v for v in self._look.assessment.own if v.radio.id == key), None) if self._look else None
        if move is None or move.after is None:
            return ()
        now = of_standing(move.before, view) if move.before and not move.stays else ()
        return (*of_standing(move.after, view), *now)

    def _proposal(self) -> Proposal | None:
        return self._look.proposal if self._look else None

    def _move_rows(self, width: int) -> list[Row]:
        columns = (("radio", 16), ("now", 9), ("proposed", 10), ("clear air", 15), ("expected Mb/s", 14))
        head = "   " + " ".join(fit(word, size) for word, size in columns)
        head += " why" if width >= _WHY_COLUMNS else ""
        self.query_one("#plan-head", Static).update(fit(head, width), layout=False)
        proposal = self._proposal()
        if proposal is None:
            return [Row("wait", ((("Working out the best plan …", "dim"),),), fixed=True)]
        moves = sorted(proposal.moves, key=lambda m: (m.stays, -_gain(m)))
        return [_move_row(m, width) for m in moves]

    @on(RowList.Moved, "#plan-moves")
    def _moved(self, moved: RowList.Moved) -> None:
        moved.stop()
        self._explain(moved.key)

    @on(RowList.Moved)
    def _other_moved(self, moved: RowList.Moved) -> None:
        moved.stop()

    def _explain(self, radio_id: str) -> None:
        proposal = self._proposal()
        move = proposal.move_of(radio_id) if proposal else None
        self.query_one(Field).move = move
        self.query_one("#plan-reasons", RowList).show(lambda width: _reason_rows(move, width), keep=False)

    def _step_rows(self, width: int) -> list[Row]:
        rows = [Row("heading", ((("Other steps", "steam!"),), ()), fixed=True)]
        proposal = self._proposal()
        steps = proposal.other_steps if proposal else ()
        for number, step in enumerate(steps, 1):
            lines: list[tuple[Cell, ...]] = [
                ((f"{number} " if k == 0 else "  ", "own!"), (line, "text!"))
                for k, line in enumerate(wrap(step.what, width - 5))
            ]
            lines += [(("  " + line, "own"),) for line in wrap(step.gain, width - 5)]
            lines += [
                (("  " + line, "dim"),) for line in wrap(f"{step.why} Effort: {step.effort}.", width - 5)
            ]
            rows.append(Row(f"step-{number}", (*lines, ())))
        if not steps:
            rows.append(Row("none", ((("Nothing beside the moves was found.", "dim"),),), fixed=True))
        return rows


def _gain(move: Move) -> float:
    if move.before is None or move.after is None:
        return 0.0
    return move.after.clear_air - move.before.clear_air


def _move_row(move: Move, width: int) -> Row:
    before, after = move.before, move.after
    assert before is not None
    assert after is not None
    proposed = "stay" if move.stays else move.target.label
    clear = f"{100 * before.clear_air:3.0f} → {percent(after.clear_air)}"
    rate = f"{before.expected_mbps:4.0f} → {after.expected_mbps:.0f}"
    cells: list[Cell] = [
        ("■ ", "own"),
        (fit(f"{move.radio.name} {move.radio.band}", 16) + " ", "text!"),
        (fit(move.source.label, 9) + " ", "text"),
        (fit(proposed, 10) + " ", "dim" if move.stays else "steam!"),
        (fit(clear, 15) + " ", "text" if abs(_gain(move)) >= 0.01 else "dim"),
        (fit(rate, 14) + " ", "text" if abs(after.expected_mbps - before.expected_mbps) >= 1 else "dim"),
        (fit(move.reasons[0] if move.reasons and width >= _WHY_COLUMNS else "", max(width - 74, 0)), "dim"),
    ]
    return Row(move.radio.id, (tuple(cells),))


def _reason_rows(move: Move | None, width: int) -> list[Row]:
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
        lines += [(), (("Instead", "dim"),)]
    for other in move.alternatives:
        label = fit(other.channel.label, 8)
        text = wrap(f"{other.expected_mbps:.0f} Mb/s: {other.loses}", width - 12)
        lines += [
            ((f"  {label if k == 0 else ' ' * 8} ", "text!"), (line, "dim")) for k, line in enumerate(text)
        ]
    return [Row("reasons", tuple(lines))]
