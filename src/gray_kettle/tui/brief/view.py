"""Brief: the answer first. Findings, worst first; beside them our radios, and what is not known yet."""

from typing import ClassVar

from textual import on
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Horizontal, Vertical

from gray_kettle.analysis.assessment import Finding, OwnView
from gray_kettle.analysis.explain import Explanation, of_emitter, of_finding, of_own
from gray_kettle.analysis.findings import HEADLINES
from gray_kettle.analysis.thresholds import thresholds_of
from gray_kettle.safe_text import printable
from gray_kettle.tui.frame.row_list import Row, RowList
from gray_kettle.tui.frame.view import View
from gray_kettle.tui.messages import Jump
from gray_kettle.tui.theme import Cell, fit, minus, percent, wrap
from gray_kettle.tui.view_state import ViewState

MARKS = {"act": ("▲", "act!"), "watch": ("◆", "watch"), "note": ("·", "dim")}
_SUMMARY = {"act": "to act on", "watch": "to watch", "note": "to note"}
_BAR = 18
_CARD_COLUMNS, _SUMMARY_COLUMNS = 48, 62
_WORTH_NAMING, _NOTHING_LOST = 0.02, 0.995


class BriefView(View):
    """What is wrong on the left, how our radios stand on the right."""

    DEFAULT_CSS = """
    BriefView { layout: vertical; }
    BriefView #brief-columns { height: 1fr; }
    BriefView #brief-left { width: 3fr; }
    BriefView #brief-right { width: 2fr; margin-left: 1; border-left: solid $rule; }
    BriefView.-narrow #brief-right { display: none; }
    """
    BINDINGS: ClassVar = [Binding("enter", "go", "evidence", id="brief.go")]
    HINTS = (("⏎", "evidence"), ("i", "where figures come from"), ("tab", "own radios"))

    def compose(self) -> ComposeResult:
        with Horizontal(id="brief-columns"):
            with Vertical(id="brief-left"):
                yield RowList(id="findings")
            with Vertical(id="brief-right"):
                yield RowList(id="own-radios")

    def show(self, look: ViewState) -> None:
        self._look = look
        self._findings = look.proposal.findings if look.proposal else look.assessment.findings
        self.query_one("#findings", RowList).show(self._finding_rows)
        self.query_one("#own-radios", RowList).show(self._own_rows)

    def focus_first(self) -> None:
        self.query_one("#findings", RowList).focus()

    def _finding_rows(self, width: int) -> list[Row]:
        look = self._look
        rows = [self._heading(width)]
        if not look.assessment.radios:
            rows.append(
                _fixed(
                    "empty",
                    [
                        "Nothing has been heard in this window.",
                        "",
                        "t  choose captures or scan listings to take",
                    ],
                )
            )
        elif not look.assessment.own:
            lines = [
                "Which networks are ours? Without that there is nothing to judge.",
                "",
                "o  name them from what was heard",
            ]
            rows.append(_fixed("no-own", lines))
        elif not self._findings:
            rows.append(_fixed("fine", ["Nothing wrong was found in what was heard."]))
        rows += [self._finding_row(k, f, width) for k, f in enumerate(self._findings)]
        # Where there is no room for two columns, our radios follow in the one.
        return [*rows, *self._own_rows(width)] if self.has_class("-narrow") else rows

    def _heading(self, width: int) -> Row:
        counts = {s: sum(1 for f in self._findings if f.severity == s) for s in MARKS}
        cells: list[Cell] = [("What is wrong   ", "steam!")]
        for severity, count in counts.items():
            if count:
                mark, ink = MARKS[severity]
                words = f"{_SUMMARY[severity]}   " if width >= _SUMMARY_COLUMNS else "  "
                cells += [(f"{mark} {count} ", ink), (words, "dim")]
        lines: list[tuple[Cell, ...]] = [tuple(cells)]
        complaint = printable(self._look.setup.complaint)
        if complaint:
            lines += [
                ((line, "dim"),)
                for line in wrap(f"“{complaint}”", width - 2, 1 if self.has_class("-low") else 2)
            ]
        lines.append(())
        return Row("heading", tuple(lines), fixed=True)

    def _finding_row(self, number: int, finding: Finding, width: int) -> Row:
        mark, ink = MARKS[finding.severity]
        inner = width - 5
        loud = finding.severity == "act"
        lines: list[tuple[Cell, ...]] = [
            (
                (f"{mark} ", ink),
                (
                    fit(f"{finding.subject} {HEADLINES[finding.kind]}", inner).rstrip(),
                    "steam!" if loud else "text!",
                ),
            )
        ]
        if finding.severity == "note":
            lines += [
                (("  ", "dim"), (line, "dim")) for line in wrap(f"{finding.cause} {finding.effect}", inner, 2)
            ]
        else:
            lines += [
                (("  ", "dim"), (line, "text"))
                for line in wrap(f"{finding.cause} {finding.effect}", inner, 4)
            ]
            steps = wrap(finding.first_step, inner - 7, 3)
            lines += [
                ((f"  {'first' if k == 0 else '     '}  ", "own"), (line, "own"))
                for k, line in enumerate(steps)
            ]
        lines.append(())
        return Row(str(number), tuple(lines))

    def _own_rows(self, width: int) -> list[Row]:
        look = self._look
        rows = [Row("heading", ((("Our radios", "steam!"),), ()), fixed=True)]
        for view in sorted(look.assessment.own, key=lambda v: v.now.clear_air if v.now else 2.0):
            rows.append(self._card(view, width))
        lines: list[tuple[Cell, ...]] = [(), (("Not known yet", "steam!"),)]
        for text in look.assessment.not_known:
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
        taken = {
            "overlap": now.adjacent_lost,
            "shared": now.co_channel_lost,
            "✶": now.non_wifi_lost,
            "width": width_lost,
        }
        total = sum(taken.values())
        clear = round(bar_width * now.clear_air)
        cells = {name: round(bar_width * lost * s / total) if total else 0 for name, s in taken.items()}
        rest = max(bar_width - clear - cells["overlap"] - cells["✶"], 0)
        losses = [f"{name} {percent(share)}" for name, share in taken.items() if share >= 0.01]
        bar: list[Cell] = [
            ("  ", "text"),
            ("█" * clear, "own"),
            ("▒" * cells["overlap"], "foreign"),
            ("▚" * cells["✶"], "emitter"),
            ("░" * rest, "foreign"),
        ]
        words = f"  {' · '.join(losses) or 'nothing lost'}"
        worst = now.losses[0] if now.losses and now.losses[0].share_lost >= _WORTH_NAMING else None
        cause: tuple[Cell, ...] = ()
        if worst is not None:
            where = f" on {worst.channel.label}" if worst.channel else ""
            named = f"worst: {printable(worst.name)}{where} {minus(worst.level_dbm)} dBm, {percent(worst.share_lost)}"
            cause = (("  ", "dim"), (fit(named, max(width - 4, 8)), "dim"))
        told = (*bar, (fit(words, max(0, width - bar_width - 4)), "dim"))
        return Row(radio.id, (tuple(head), told, *([cause] if cause else []), ()))

    def explain(self) -> tuple[Explanation, ...]:
        """Of a finding: why it is one, and the radio that it is about; of a card: that radio."""
        look = self._look
        assessment = look.assessment
        key = next((r.key for r in self.query(RowList) if r.has_focus), "")
        finding = self._findings[int(key)] if key.isdigit() else None
        about = finding.radio if finding else key
        emitter = assessment.emitter(str(finding.figures.get("emitter", ""))) if finding else None
        view = next((v for v in assessment.own if v.radio.id == about), None)
        return (
            *((of_finding(finding, thresholds_of(look.setup)),) if finding else ()),
            *(of_emitter(emitter) if emitter else ()),
            *(of_own(view, assessment) if view else ()),
        )

    @on(RowList.Chosen, "#findings")
    def _to_evidence(self, chosen: RowList.Chosen) -> None:
        chosen.stop()
        if chosen.key.isdigit():
            finding = self._findings[int(chosen.key)]
            self.post_message(Jump(finding.see, str(finding.figures.get("emitter", finding.radio))))
        elif chosen.key:
            self._to_radio(chosen)

    @on(RowList.Chosen, "#own-radios")
    def _to_radio(self, chosen: RowList.Chosen) -> None:
        chosen.stop()
        self.post_message(Jump("plan", chosen.key))


def _fixed(key: str, texts: list[str]) -> Row:
    return Row(key, tuple(((text, "text"),) for text in texts), fixed=True)
