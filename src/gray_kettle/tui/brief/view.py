"""Brief: the answer first. Findings, worst first; beside them the own radios, and what is not known yet."""

from typing import ClassVar

from rich.cells import cell_len
from textual import on
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Horizontal, Vertical

from gray_kettle.analysis.assessment import Finding, LossCause, OwnView
from gray_kettle.analysis.explain import Explanation, of_emitter, of_finding, of_own
from gray_kettle.analysis.figures import EmitterCost, RadarHeard
from gray_kettle.analysis.thresholds import thresholds_of
from gray_kettle.model.enums import Severity
from gray_kettle.safe_text import printable
from gray_kettle.tui.frame.row_list import Row, RowList
from gray_kettle.tui.frame.view import View
from gray_kettle.tui.messages import Jump
from gray_kettle.tui.theme import Cell, fit, minus, percent, wrap
from gray_kettle.tui.view_state import ViewState

MARKS = {Severity.ACT: ("▲", "act!"), Severity.WATCH: ("◆", "watch"), Severity.NOTE: ("·", "dim")}
_BAR = 18
_CARD_COLUMNS, _SUMMARY_COLUMNS = 48, 62
_WORTH_NAMING, _NOTHING_LOST = 0.02, 0.995
_MOST_LINES = 12  # of a text: more than any finding needs; a name from the air may be long
_HELP = """
Brief: what is wrong, worst first by the time that own radios lose.
  enter       go to the evidence
  tab         to the own radios; enter there shows the plan for one
  o           choose which networks are ours

The bar of a radio is its time: █ clear air, ▒ lost to adjacent-channel
interference, ▚ ✶ to non-Wi-Fi emitters, ░ to co-channel radios and to busy
secondary channels. When something counts as a finding can be set: ctrl+p,
Thresholds.
"""


class BriefView(View):
    """Findings on the left, own radios and gaps on the right."""

    DEFAULT_CSS = """
    BriefView { layout: vertical; }
    BriefView #brief-columns { height: 1fr; }
    BriefView #brief-left { width: 3fr; }
    BriefView #brief-right { width: 2fr; margin-left: 1; border-left: solid $rule; }
    BriefView.-narrow #brief-right { display: none; }
    """
    BINDINGS: ClassVar = [Binding("enter", "go", "evidence", id="brief.go")]
    HINTS = (("⏎", "evidence"), ("i", "where figures come from"), ("tab", "own radios"))
    HELP = _HELP

    def compose(self) -> ComposeResult:
        with Horizontal(id="brief-columns"):
            with Vertical(id="brief-left"):
                yield RowList(id="findings")
            with Vertical(id="brief-right"):
                yield RowList(id="own-radios")

    def show(self, state: ViewState) -> None:
        self._state = state
        self._findings = state.proposal.findings if state.proposal else state.assessment.findings
        self._best = ""
        if state.proposal is not None and state.assessment.radios:
            from gray_kettle.export.best_text import one_line

            self._best = one_line(state.session.best)
        self.query_one("#findings", RowList).show(self._finding_rows)
        self.query_one("#own-radios", RowList).show(self._own_rows)

    def focus_first(self) -> None:
        self.query_one("#findings", RowList).focus()

    def _finding_rows(self, width: int) -> list[Row]:
        state = self._state
        rows = [self._heading(width)]
        if not state.assessment.radios:
            rows.append(
                _fixed(
                    "empty",
                    [
                        "No radio was observed in this window.",
                        "",
                        "t  listen now, or read captures and scans",
                    ],
                )
            )
        elif not state.assessment.own:
            lines = ["Which networks are ours? Findings are about own radios.", "", "o  choose them"]
            rows.append(_fixed("no-own", lines))
        elif not self._findings:
            rows.append(_fixed("fine", ["No problem was found in what was measured."]))
        rows += [self._finding_row(k, f, width) for k, f in enumerate(self._findings)]
        # Where there is no room for two columns, the own radios follow in the one.
        return [*rows, *self._own_rows(width)] if self.has_class("-narrow") else rows

    def _heading(self, width: int) -> Row:
        counts = {s: sum(1 for f in self._findings if f.severity == s) for s in MARKS}
        cells: list[Cell] = [("What is wrong   ", "steam!")]
        for severity, count in counts.items():
            if count:
                mark, ink = MARKS[severity]
                words = f"{severity}   " if width >= _SUMMARY_COLUMNS else "  "
                cells += [(f"{mark} {count} ", ink), (words, "dim")]
        lines: list[tuple[Cell, ...]] = [tuple(cells)]
        complaint = printable(self._state.setup.complaint)
        if complaint:
            lines += [
                ((line, "dim"),)
                for line in wrap(f"“{complaint}”", width - 2, 1 if self.has_class("-low") else 2)
            ]
        if self._best:
            room = width - 17
            for k, line in enumerate(wrap(self._best, room, 1 if self.has_class("-low") else 2)):
                lines.append(((("best channels  " if k == 0 else " " * 15)[:15], "own"), (line, "text")))
        lines.append(())
        return Row("heading", tuple(lines), fixed=True)

    def _finding_row(self, number: int, finding: Finding, width: int) -> Row:
        mark, ink = MARKS[finding.severity]
        inner = width - 5
        loud = finding.severity == Severity.ACT
        title = fit(finding.headline, inner).rstrip()
        lines: list[tuple[Cell, ...]] = [((f"{mark} ", ink), (title, "steam!" if loud else "text!"))]
        text = f"{finding.cause} {finding.effect}"
        if finding.severity == Severity.NOTE:
            lines += [(("  ", "dim"), (line, "dim")) for line in wrap(text, inner, _MOST_LINES)]
        else:
            lines += [(("  ", "dim"), (line, "text")) for line in wrap(text, inner, _MOST_LINES)]
            steps = wrap(finding.first_step, inner - 7, _MOST_LINES)
            lines += [
                ((f"  {'first' if k == 0 else '     '}  ", "own"), (line, "own"))
                for k, line in enumerate(steps)
            ]
        lines.append(())
        return Row(str(number), tuple(lines))

    def _own_rows(self, width: int) -> list[Row]:
        state = self._state
        rows = [Row("heading", ((("Our radios", "steam!"),), ()), fixed=True)]
        for view in sorted(state.assessment.own, key=lambda v: v.now.clear_air if v.now else 2.0):
            rows.append(self._card(view, width))
        lines: list[tuple[Cell, ...]] = [(), (("Not known yet", "steam!"),)]
        for text in state.assessment.not_known:
            lines += [
                ((("– " if k == 0 else "  ") + line, "dim"),) for k, line in enumerate(wrap(text, width - 4))
            ]
        return [*rows, Row("not-known", tuple(lines), fixed=True)]

    def _card(self, view: OwnView, width: int) -> Row:
        radio, now = view.radio, view.now
        tight = width < _CARD_COLUMNS
        head: list[Cell] = [
            ("■ ", "own"),
            (fit(f"{radio.name} {radio.band}", 12 if tight else 15) + " ", "text!"),
            (fit(radio.channel.label, 6 if tight else 8), "text"),
        ]
        if now is None:
            return Row(radio.id, ((*head, ("level not known", "dim")), ()))
        head += [
            ("" if tight else "clear air ", "dim"),
            (fit(percent(now.clear_air), 5, True), "steam!"),
            (f"{now.expected_mbps:6.0f} Mb/s", "text"),
        ]
        if now.clear_air >= _NOTHING_LOST:
            return Row(radio.id, (tuple(head), ()))
        bar_width = max(8, min(_BAR, width - 36))
        lost = 1 - now.clear_air
        width_lost = (1 - now.width_share) * (1 - lost) / max(now.width_share, 0.01)
        shares = {
            "adjacent": now.adjacent_lost,
            "co-channel": now.co_channel_lost,
            "✶": now.non_wifi_lost,
            "not identified": now.unidentified_lost,
            "width": width_lost,
        }
        total = sum(shares.values())
        clear = round(bar_width * now.clear_air)
        cells = {name: round(bar_width * lost * s / total) if total else 0 for name, s in shares.items()}
        rest = max(bar_width - clear - cells["adjacent"] - cells["✶"], 0)
        losses = [f"{name} {percent(share)}" for name, share in shares.items() if share >= 0.01]
        bar: list[Cell] = [
            ("  ", "text"),
            ("█" * clear, "own"),
            ("▒" * cells["adjacent"], "foreign"),
            ("▚" * cells["✶"], "emitter"),
            ("░" * rest, "foreign"),
        ]
        words = " · ".join(losses) or "nothing lost"
        beside = cell_len(words) <= width - bar_width - 6
        lines: list[tuple[Cell, ...]] = [(*bar, (f"  {words}" if beside else "", "dim"))]
        lines += [(("  ", "dim"), (line, "dim")) for line in ([] if beside else wrap(words, width - 4))]
        worst = now.losses[0] if now.losses and now.losses[0].share_lost >= _WORTH_NAMING else None
        if worst is not None:
            lines += [(("  ", "dim"), (line, "dim")) for line in wrap(_worst(worst), max(width - 4, 8))]
        return Row(radio.id, (tuple(head), *lines, ()))

    def explain(self) -> tuple[Explanation, ...]:
        """Of a finding: why it is one, and the radio that it is about; of a card: that radio."""
        state = self._state
        assessment = state.assessment
        key = next((r.key for r in self.query(RowList) if r.has_focus), "")
        finding = self._findings[int(key)] if key.isdigit() else None
        about = finding.radio if finding else key
        emitter = assessment.emitter(_emitter_of(finding)) if finding else None
        view = next((v for v in assessment.own if v.radio.id == about), None)
        return (
            *((of_finding(finding, thresholds_of(state.setup)),) if finding else ()),
            *(of_emitter(emitter) if emitter else ()),
            *(of_own(view, assessment) if view else ()),
        )

    @on(RowList.Chosen)
    def _chosen(self, chosen: RowList.Chosen) -> None:
        chosen.stop()
        if chosen.key.isdigit():
            finding = self._findings[int(chosen.key)]
            about = _emitter_of(finding) or finding.radio
            self.post_message(Jump(finding.see, about))
        elif self._state.assessment.radio(chosen.key) is not None:
            self.post_message(Jump("plan", chosen.key))

    @on(RowList.Moved)
    def _moved(self, moved: RowList.Moved) -> None:
        moved.stop()


def _worst(worst: LossCause) -> str:
    where = f" on {worst.channel.label}" if worst.channel else ""
    return f"worst: {printable(worst.name)}{where} {minus(worst.level_dbm)} dBm, {percent(worst.share_lost)}"


def _emitter_of(finding: Finding) -> str:
    """Id of the emitter that a finding is about, "" for none."""
    return finding.figures.emitter if isinstance(finding.figures, EmitterCost | RadarHeard) else ""


def _fixed(key: str, lines: list[str]) -> Row:
    return Row(key, tuple(((line, "text"),) for line in lines), fixed=True)
