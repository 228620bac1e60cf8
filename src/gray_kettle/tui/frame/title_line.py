"""The lines above and below every view: title, numbered views, key hints."""

from dataclasses import dataclass

from rich.cells import cell_len
from textual import events
from textual.message import Message
from textual.reactive import reactive
from textual.strip import Strip
from textual.widget import Widget

from gray_kettle.safe_text import printable
from gray_kettle.tui.theme import Cell, ThemedWidget, fit
from gray_kettle.tui.view_state import BANDS, ViewState

# Views have fixed numbers. A new view is added here and in tui/views.py.
VIEWS = {
    "1": ("brief", "Brief"),
    "2": ("heard", "Heard"),
    "3": ("air", "Air"),
    "4": ("sweep", "Sweep"),
    "5": ("plan", "Plan"),
    "6": ("proof", "Proof"),
}


_BOTH_COLUMNS = 130  # room for a take under way and for what is being computed


class ClickLine(ThemedWidget, Widget):
    """One line of cells, some of which can be clicked."""

    DEFAULT_CSS = "ClickLine { height: 1; width: 1fr; }"

    @dataclass
    class Clicked(Message):
        """A clickable cell was clicked: its word."""

        word: str

    def __init__(self, *, id: str | None = None) -> None:
        super().__init__(id=id)
        self._targets: list[tuple[int, int, str]] = []

    def line(self, width: int) -> list[tuple[str, str, str]]:
        """(text, ink, word to send when clicked or "") from left to right."""
        raise NotImplementedError

    def render_line(self, y: int) -> Strip:
        cells: list[Cell] = []
        self._targets, at = [], 0
        for text, ink, word in self.line(self.size.width):
            cells.append((text, ink))
            if word:
                self._targets.append((at, at + cell_len(text), word))
            at += cell_len(text)
        return self.cells(cells, self.size.width)

    def on_click(self, event: events.Click) -> None:
        for start, end, word in self._targets:
            if start <= event.x < end:
                self.post_message(self.Clicked(word))


class TitleLine(ClickLine):
    """Site and country of the case, the band switch, and what is being done."""

    state: reactive[ViewState | None] = reactive(None)
    status: reactive[str] = reactive("")
    live: reactive[str] = reactive("")

    def line(self, width: int) -> list[tuple[str, str, str]]:
        left = [(" gray kettle ", "own!", "")]
        right: list[tuple[str, str, str]] = []
        if self.state is not None:
            setup = self.state.setup
            site = printable(setup.site) or "site not named"
            left += [("▏", "rule", ""), (fit(site, min(len(site), max(8, width - 62))), "text!", "")]
            left += [(" ▏", "rule", ""), (printable(setup.country) or "no country", "dim", "")]
            for band in BANDS:
                here = band == self.state.band
                right.append((f" {band} ", "steam!" if here else "dim", f"band-{band}"))
            right.append(("GHz ", "dim", ""))
        if self.live:  # it stays in sight, whatever else is being done
            right.append((f"  {self.live} ", "own!", ""))
        busy = self.status if not self.live or width >= _BOTH_COLUMNS else ""
        status = busy or (self._takes() if width >= 110 and not self.live else "")
        right.append((f"  {status} " if status else "", "steam" if self.status else "dim", ""))
        used = sum(cell_len(t) for t, _, _ in left + right)
        return [*left, (" " * max(1, width - used), "text", ""), *right]

    def _takes(self) -> str:
        if self.state is None:
            return ""
        takes = self.state.session.observations.takes
        scans = sum(t.records for t in takes if "scan" in t.kind)
        frames = sum(t.records for t in takes if t.kind.startswith("pcap"))
        rows = sum(t.records for t in takes if t.kind.startswith("sweep"))
        words = ((scans, "scan"), (frames, "frame"), (rows, "sweep row"))
        parts = [f"{count:,} {what}{'s' * (count != 1)}" for count, what in words if count]
        return " · ".join(parts).replace(",", " ")


class ViewTabs(ClickLine):
    """The numbered views."""

    view: reactive[str] = reactive("brief")

    def line(self, width: int) -> list[tuple[str, str, str]]:
        out = [(" ", "text", "")]
        for number, (name, title) in VIEWS.items():
            here = name == self.view
            out.append((f" {number} ", "own!" if here else "faint", f"view-{name}"))
            out.append((f"{title}  ", "steam!" if here else "dim", f"view-{name}"))
        return out


class Rule(ThemedWidget, Widget):
    """A thin line across."""

    DEFAULT_CSS = "Rule { height: 1; }"

    def render_line(self, y: int) -> Strip:
        return self.cells([("─" * self.size.width, "rule")], self.size.width)


class KeyHints(ClickLine):
    """The keys that matter here: those of the view first."""

    own: reactive[tuple[tuple[str, str], ...]] = reactive(())
    ALWAYS: tuple[tuple[str, str], ...] = (
        ("b", "band"),
        ("[ ]", "window"),
        ("{ }", "shorter, longer"),
        ("t", "take"),
        ("ctrl+p", "all commands"),
    )
    HINT_OF_HELP: tuple[str, str] = (
        "?",
        "help",
    )  # always shown: it lists the keys for which there is no room

    def line(self, width: int) -> list[tuple[str, str, str]]:
        shown, used = [self.HINT_OF_HELP], 1 + _hint_columns(self.HINT_OF_HELP)
        for hint in (*self.own, *self.ALWAYS):
            used += _hint_columns(hint)
            if used > width:
                break
            shown.append(hint)
        out: list[tuple[str, str, str]] = [(" ", "text", "")]
        for key, what in (*shown[1:], shown[0]):
            out += [(key, "own", ""), (f" {what}   ", "dim", "")]
        return out


def _hint_columns(hint: tuple[str, str]) -> int:
    return len(hint[0]) + len(hint[1]) + 4
