"""Proof: every figure of our radios before and after a change, with its interval drawn around zero, and a verdict."""

import math
import time
from typing import ClassVar

from textual import work
from textual.app import ComposeResult
from textual.binding import Binding
from textual.widgets import Static
from textual.worker import get_current_worker

from gray_kettle.analysis.explain import Explanation
from gray_kettle.errors import KettleError
from gray_kettle.proof import words
from gray_kettle.proof.compare import Verdict
from gray_kettle.proof.prove import Proof, Result
from gray_kettle.proof.trials import TrialResult, judged_by_client
from gray_kettle.safe_text import printable
from gray_kettle.tui.frame.row_list import Row, RowList
from gray_kettle.tui.frame.view import View
from gray_kettle.tui.proof.below import soak_rows, trial_rows
from gray_kettle.tui.theme import Cell, fit, wrap
from gray_kettle.tui.view_state import ViewState

_HELP = """
Proof: did the change help?
  ↑ ↓         figure;  i  where it and its verdict come from
  a           all figures, or those with a certain difference alone
  r           make this window the reference, that is, the time before

Before and after are the reference window and the window where a reference is
set, else up to the last change and from it on. Only like hours are compared:
weekdays with weekdays, weekends with weekends, each hour with itself.

The bar is the interval of the difference around zero ┊: the true difference
lies in it in 95 % of cases. ● is the best estimate. Better, worse: the
difference is certain and matters. No change shown: none that matters is
certain, and the interval is narrow; a small one may hide in it. ◇ is what the
model expected of these hours, from the data before the change alone.

Soak: the hours after the change, with what happened in them.
  ▼ ▽ →       own radio off the air, far weaker, moved by itself
  ✶ □ ┄       emitter, new radio, nothing collected
"""
_INKS = {Verdict.BETTER: "own!", Verdict.WORSE: "act!", Verdict.TOO_LITTLE: "watch", Verdict.NO_CHANGE: "dim"}
_MARKS = {Verdict.BETTER: "▲", Verdict.WORSE: "▼", Verdict.TOO_LITTLE: "?", Verdict.NO_CHANGE: "="}
_RADIO, _VALUES, _BAR, _BAR_LEASTS = 16, 21, 23, 6.0
_TITLE, _VERDICT, _LONG = 44, 17, 50
_WIDE, _LOW, _MOST_CHANGES = 110, 26, 6
_CLEAR = (Verdict.BETTER, Verdict.WORSE)
_AGAIN_S = 60.0  # while a take grows
_Key = tuple[object, ...]


class ProofView(View):
    """Figures, the clearest first. They are computed in a worker when the view is looked at."""

    DEFAULT_CSS = """
    ProofView { layout: vertical; }
    ProofView #proof-rows { height: 1fr; }
    ProofView #proof-why { height: auto; max-height: 4; padding: 0 1; color: $dim; }
    """
    HINTS = (("i", "where figures come from"), ("a", "all figures"), ("r", "reference"), ("x", "export"))
    BINDINGS: ClassVar = [Binding("a", "all", "all figures", show=False, id="proof.all")]
    EXPORTS = ("proof",)
    HELP = _HELP

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self._proof: Proof | None = None
        self._state: ViewState | None = None
        self._trials: tuple[TrialResult, ...] = ()
        self._refusal = ""
        self._shows_all = False
        self._share = 0.0
        self._key: _Key = ()
        self._ended_s = 0.0  # of the last one that was computed (monotonic)
        self._is_computing = False

    def compose(self) -> ComposeResult:
        yield RowList(id="proof-rows")
        yield Static("", id="proof-why", markup=False)

    def show(self, state: ViewState) -> None:
        self._state = state
        self._start()
        self._refresh()

    def focus_first(self) -> None:
        self.query_one(RowList).focus()

    def action_all(self) -> None:
        self._shows_all = not self._shows_all
        self._refresh()

    def explain(self) -> tuple[Explanation, ...]:
        result = self._chosen()
        return (words.explained(result),) if result is not None else ()

    def _start(self) -> None:
        """Compute, where what is compared is another; of a take that grows not all the time."""
        state = self._state
        if state is None or state.path is None or self._is_computing:
            return
        setup = state.setup
        key = (
            setup.reference,
            setup.done,
            setup.own,
            setup.together,
            setup.apart,
            state.start_s,
            state.end_s,
        )
        is_old = time.monotonic() - self._ended_s > _AGAIN_S
        if key == self._key or (self._key[:5] == key[:5] and not is_old and state.is_whole_case):
            return
        self._key, self._is_computing, self._share = key, True, 0.0
        self._compute(state)

    @work(thread=True, exclusive=True, group="proof", description="comparing")
    def _compute(self, state: ViewState) -> None:
        from gray_kettle.proving import prove
        from gray_kettle.store import Case

        worker = get_current_worker()
        proof, refusal = None, ""
        assert state.path is not None
        window = (None, None) if state.is_whole_case else (state.start_s, state.end_s)
        try:
            with Case.open(state.path) as case:
                self._trials = judged_by_client(case.trials.all())
                proof = prove(case, window, None, self._progress, lambda: worker.is_cancelled)
        except KettleError as error:
            refusal = str(error)
        if not worker.is_cancelled:
            self.app.call_from_thread(self._computed, proof, refusal)

    def _progress(self, done: int, total: int) -> None:
        self.app.call_from_thread(self._show_share, done / max(total, 1))

    def _show_share(self, share: float) -> None:
        self._share = share
        if self._proof is None:
            self._refresh()

    def _computed(self, proof: Proof | None, refusal: str) -> None:
        self._proof, self._refusal = proof, refusal
        self._is_computing, self._ended_s = False, time.monotonic()
        self._refresh()
        if self.display:
            self._start()  # the window moved meanwhile

    def _refresh(self) -> None:
        self.query_one(RowList).show(self._rows)
        self._show_why()

    def _chosen(self) -> Result | None:
        key = self.query_one(RowList).key
        if self._proof is None or not key.isdecimal() or int(key) >= len(self._proof.results):
            return None
        return self._proof.results[int(key)]

    def on_row_list_moved(self) -> None:
        self._show_why()

    def _show_why(self) -> None:
        result = self._chosen()
        text = ""
        if result is not None:
            found = result.found
            text = (
                f"{result.subject}, {result.kind.title}: {words.verdict(result)}. Difference "
                f"{words.interval(result)} (95 %), over {found.hours:.1f} like hours on each side."
            )
        self.query_one("#proof-why", Static).update(text)

    def _rows(self, width: int) -> list[Row]:
        proof = self._proof
        if proof is None:
            if self._refusal:
                lines = wrap(self._refusal, width - 4)
                said = Row("empty", tuple((("  " + line, "text"),) for line in ["", *lines]), fixed=True)
                return [said, *trial_rows(self._trials, width)]
            bar = "━" * int(24 * self._share)
            return [Row("wait", ((), ((f"  comparing before and after … {bar:┄<24}", "dim"),)), fixed=True)]
        rows = [Row("heading", tuple(self._heading(proof, width)), fixed=True)]
        is_any_clear = any(r.verdict in _CLEAR for r in proof.results)
        shown = [
            k
            for k, r in enumerate(proof.results)
            if self._shows_all
            or r.verdict in _CLEAR
            or (not is_any_clear and r.verdict is Verdict.TOO_LITTLE and not r.kind.is_of_captures)
        ]
        rows += [Row(str(k), (tuple(_line(proof.results[k], width)),)) for k in shown]
        if len(shown) < len(proof.results):
            more = (
                f"  and {len(proof.results) - len(shown)} figures without a certain difference: a lists them"
            )
            rows.append(Row("more", (((more, "dim"),),), fixed=True))
        assert self._state is not None
        rows += soak_rows(proof.soak, self._state.setup.site_time, width)
        return [*rows, *trial_rows(self._trials, width)]

    def _heading(self, proof: Proof, width: int) -> list[tuple[Cell, ...]]:
        """What came of it, what was compared, and what was changed."""
        cells: list[Cell] = [("Did it help?   ", "steam!")]
        for verdict, ink in _INKS.items():
            if count := proof.count(verdict):
                word = (
                    str(verdict) if width >= _WIDE else verdict.removesuffix(" data").removesuffix(" shown")
                )
                cells.append((f"{_MARKS[verdict]} {count} {word}   ", ink))
        lines: list[tuple[Cell, ...]] = [tuple(cells)]
        compared = f"before {self._span(proof.before)}   after {self._span(proof.after)}"
        lines.append(((fit(compared, width), "dim"),))
        assert self._state is not None
        site_time = self._state.setup.site_time
        is_low = self.size.height < _LOW
        for text in words.changes(proof.changes, site_time)[-2 if is_low else -_MOST_CHANGES :]:
            lines.append(((fit(text, width), "text"),))
        if proof.together and not is_low:
            text = "They were made at one time: what they did to the same radio cannot be told apart."
            lines += [((line, "watch"),) for line in wrap(text, width - 2)]
        came = [
            f"{what}: {len(names)}" for what, names in (("came", proof.came), ("went", proof.went)) if names
        ]
        also = [f"Foreign radios that {', '.join(came)}."] if came else []
        if proof.absent:
            also.append(
                f"Not compared, as not heard on both sides: {', '.join(map(printable, proof.absent))}."
            )
        also += [words.record(proof), words.too_early(proof)]
        if not is_low:
            lines += [((line, "dim"),) for line in wrap(" ".join(filter(None, also)), width - 2)]
        lines.append(())
        return lines

    def _span(self, window: tuple[float, float]) -> str:
        assert self._state is not None
        start, end = (self._state.setup.site_time.minute(time_s) for time_s in window)
        return f"{start:%a %d %H:%M} – {end:%a %d %H:%M}"


def _line(result: Result, width: int) -> list[Cell]:
    ink = _INKS[result.verdict]
    plain = "text" if result.verdict is not Verdict.NO_CHANGE else "dim"
    unit = result.kind.unit
    values = f"{words.figure(result.found.before, unit)} → {words.figure(result.found.after, unit)}"
    bar = _bar(result) if width >= _WIDE else []
    left = width - _RADIO - _VALUES - (_BAR + 2) * bool(bar) - 5
    title = min(max(left - _VERDICT, 12), _TITLE)
    return [
        (f"{_MARKS[result.verdict]} ", ink),
        (fit(f"{result.name} {result.band}".rstrip(), _RADIO) + " ", plain),
        (fit(result.kind.title, title), plain),
        (fit(values, _VALUES, True) + "  ", plain),
        *bar,
        (fit(words.verdict(result) if left - title > _LONG else str(result.verdict), left - title), ink),
    ]


def _bar(result: Result) -> list[Cell]:
    """The interval around zero, in differences that matter; what lies beyond the ends is cut."""
    found, half = result.found, _BAR // 2
    if math.isnan(found.low):
        return [(" " * half + "┊" + " " * half + "  ", "faint")]

    def column(value: float) -> int:
        return half + round(max(-1.0, min(1.0, value / result.least / _BAR_LEASTS)) * half)

    low, high, middle = (column(value) for value in (found.low, found.high, found.difference))
    wanted = None if math.isnan(result.expected) or result.is_expected is None else column(result.expected)
    out: list[Cell] = []
    for x in range(_BAR):
        if x == wanted != middle:
            out.append(("◇", "text"))
        elif x == middle:
            out.append(("●", _INKS[result.verdict]))
        elif low <= x <= high:
            out.append(("━", _INKS[result.verdict].rstrip("!")))
        else:
            out.append(("┊" if x == half else " ", "faint"))
    return [*out, ("  ", "faint")]
