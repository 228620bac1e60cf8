"""Plan: for each own radio the proposed channel with reasons, the heatmap of its channels, and the other steps."""

from dataclasses import dataclass
from typing import ClassVar

from textual import on, work
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Horizontal
from textual.message import Message
from textual.widgets import Static
from textual.worker import get_current_worker

from gray_kettle.analysis.explain import Explanation, of_assessment
from gray_kettle.phy.channels import Channel
from gray_kettle.planner.manual_plan import HypotheticalPlan, hypothetical_plan, next_open, staying
from gray_kettle.planner.proposal import Move, Proposal
from gray_kettle.tui.controllers.exporting import CHANGE_SHEET
from gray_kettle.tui.frame.row_list import Row, RowList
from gray_kettle.tui.frame.view import View
from gray_kettle.tui.messages import EditPreferences, MarkDone
from gray_kettle.tui.plan.channel_heatmap import ChannelHeatmap
from gray_kettle.tui.plan.table import Shown, heading, move_rows, reason_rows, step_rows, summary
from gray_kettle.tui.theme import fit
from gray_kettle.tui.view_state import ViewState

_HELP = """
Plan: the best channel and width for all own radios together.
  ↑ ↓         radio; below are the reasons and the alternatives
  ← →         try another channel for it: all radios are assessed with it
  backspace   back to the proposal
  tab         to the reasons, and to the other steps
  l           lock the radio on its channel, or unlock it
  e           client limits, weights, hours, DFS channels, cost of changes
  c           keep this plan to compare others with it
  d           mark a change as done, with its time
  x           write the change sheet (PDF, text, CSV)

The heatmap shows the expected throughput of the radio on every channel and
width, the other own radios being on their proposed channels.
"""


class MoveList(RowList):
    """The radios; left and right try other channels for the one under the cursor."""

    BINDINGS: ClassVar = [
        Binding("left", "try(-1)", "try the channel before", show=False, id="plan.before"),
        Binding("right", "try(1)", "try the next channel", show=False, id="plan.next"),
    ]

    @dataclass
    class Try(Message):
        step: int

    def action_try(self, step: int) -> None:
        self.post_message(self.Try(step))


class PlanView(View):
    """Table of moves; under it reasons, other steps and the heatmap."""

    DEFAULT_CSS = """
    PlanView { layout: vertical; }
    PlanView #plan-sum { height: 1; color: $steam; text-style: bold; }
    PlanView #plan-head { height: 1; color: $faint; }
    PlanView #plan-moves { height: 2fr; min-height: 5; }
    PlanView #plan-below { height: 3fr; border-top: solid $rule; }
    PlanView #plan-reasons { width: 3fr; }
    PlanView #plan-steps { width: 2fr; border-left: solid $rule; }
    PlanView #plan-field { border-top: solid $rule; }
    PlanView.-narrow #plan-steps { display: none; }
    PlanView.-low #plan-field { display: none; }
    """
    HELP = _HELP
    EXPORTS = (CHANGE_SHEET,)
    HINTS: ClassVar = (
        ("← →", "try channels"),
        ("l", "lock"),
        ("e", "preferences"),
        ("c", "keep to compare"),
        ("d", "done"),
        ("x", "change sheet"),
        ("i", "figures"),
    )
    BINDINGS: ClassVar = [
        Binding("l", "lock", "lock or unlock", show=False, id="plan.lock"),
        Binding("e", "edit", "limits and preferences", show=False, id="plan.edit"),
        Binding("c", "keep", "keep this plan to compare", show=False, id="plan.keep"),
        Binding("d", "done", "mark as done", show=False, id="plan.done"),
        Binding("backspace", "forget", "back to the proposal", show=False, id="plan.forget"),
    ]

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self._state: ViewState | None = None
        self._elsewhere: dict[str, Channel] = {}
        self._hypothetical: HypotheticalPlan | None = None
        self._kept: HypotheticalPlan | None = None

    def compose(self) -> ComposeResult:
        yield Static("", id="plan-sum", markup=False)
        yield Static("", id="plan-head", markup=False)
        yield MoveList(
            id="plan-moves",
            keeps_mark=True,
            empty=" No own radio in this window: press o to choose which networks are ours.",
        )
        with Horizontal(id="plan-below"):
            yield RowList(id="plan-reasons")
            yield RowList(id="plan-steps")
        yield ChannelHeatmap(id="plan-field")

    def show(self, state: ViewState) -> None:
        if self._state is not None and state.session is not self._state.session:
            self._elsewhere, self._hypothetical = {}, None  # tried among other radios: it says nothing here
        self._state = state
        self._refresh_moves()
        self.query_one("#plan-steps", RowList).show(lambda width: step_rows(self._proposal(), width))
        self._explain(self._moves.key)

    def focus_first(self) -> None:
        self._moves.focus()

    def choose(self, radio_id: str) -> None:
        self._moves.point_at(radio_id)

    def explain(self) -> tuple[Explanation, ...]:
        """The figures of the chosen radio where it is tried or proposed to be, and where it is."""
        proposal, move = self._proposal(), self._move()
        view = (
            next((v for v in proposal.judged.own if move and v.radio.id == move.radio.id), None)
            if proposal
            else None
        )
        if move is None or move.after is None:
            return ()
        at = self._hypothetical.channel_assessments[move.radio.id] if self._hypothetical else move.after
        now = of_assessment(move.before, view) if move.before and at.channel != move.source else ()
        return (*of_assessment(at, view), *now)

    @property
    def _moves(self) -> MoveList:
        return self.query_one("#plan-moves", MoveList)

    def _proposal(self) -> Proposal | None:
        return self._state.proposal if self._state else None

    def _move(self) -> Move | None:
        proposal = self._proposal()
        return proposal.move_of(self._moves.key) if proposal else None

    def _shown(self) -> Shown | None:
        proposal = self._proposal()
        if proposal is None or self._state is None:
            return None
        return Shown(
            proposal,
            self._state.setup,
            staying(proposal),
            self._hypothetical,
            self._kept,
            frozenset(self._elsewhere),
        )

    def _refresh_moves(self) -> None:
        shown = self._shown()
        self.query_one("#plan-sum", Static).update(summary(shown) if shown else "", layout=False)
        self._moves.show(self._move_rows)

    def _move_rows(self, width: int) -> list[Row]:
        shown = self._shown()
        self.query_one("#plan-head", Static).update(fit(heading(shown, width), width), layout=False)
        if shown is None:
            return [Row("wait", ((("Computing the best plan …", "dim"),),), fixed=True)]
        return move_rows(shown, width)

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
        field = self.query_one(ChannelHeatmap)
        field.move, field.hypothetical_plan = move, self._elsewhere.get(radio_id)
        self.query_one("#plan-reasons", RowList).show(lambda width: reason_rows(move, width), keep=False)

    # By hand

    @on(MoveList.Try)
    def _try(self, asked: MoveList.Try) -> None:
        move = self._move()
        if move is None:
            return
        key = move.radio.id
        channel = next_open(move, self._elsewhere.get(key, move.target), asked.step)
        if channel == move.target:
            self._elsewhere.pop(key, None)
        else:
            self._elsewhere[key] = channel
        self.query_one(ChannelHeatmap).hypothetical_plan = self._elsewhere.get(key)
        self._work_out(dict(self._elsewhere))

    def action_forget(self) -> None:
        self._elsewhere.clear()
        self._hypothetical = None
        self.query_one(ChannelHeatmap).hypothetical_plan = None
        self._refresh_moves()

    def action_keep(self) -> None:
        """What is shown now is what others are compared with; once more, and there is none."""
        proposal = self._proposal()
        if proposal is None or self._state is None:
            return
        if self._kept is not None:
            self._kept = None
        else:
            self._kept = self._hypothetical or hypothetical_plan(proposal, {})
            self.notify(
                "Kept. Change a limit, lock a radio or try channels: the kept plan is shown beside.",
                timeout=4,
            )
        self._refresh_moves()

    @work(thread=True, exclusive=True, group="plan-by-hand", description="a plan by hand")
    def _work_out(self, elsewhere: dict[str, Channel]) -> None:
        """The assessments of all own radios; off the interface's thread, for there may be hundreds."""
        proposal, state, worker = self._proposal(), self._state, get_current_worker()
        if proposal is None or state is None:
            return
        found = hypothetical_plan(proposal, elsewhere)
        if not worker.is_cancelled:
            self.app.call_from_thread(self._take_hypothetical, found, state)

    def _take_hypothetical(self, found: HypotheticalPlan, state: ViewState) -> None:
        if state is self._state:
            self._hypothetical = found if self._elsewhere else None
            self._refresh_moves()

    # What is asked of the plan, and what was done of it

    def action_lock(self) -> None:
        move = self._move()
        if move is not None:
            self.post_message(EditPreferences(move.radio, "lock"))

    def action_edit(self) -> None:
        move = self._move()
        if move is not None:
            self.post_message(EditPreferences(move.radio, "edit"))

    def action_done(self) -> None:
        move = self._move()
        if move is not None and self._state is not None:
            target = self._elsewhere.get(move.radio.id, move.target)
            promised = move.promised if target == move.target else ()
            self.post_message(MarkDone(move.radio, f"{move.source.label} → {target.label}", promised))
