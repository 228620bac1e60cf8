"""A list drawn by lines: hundreds of rows of any height, and a cursor that costs two rows to move."""

from bisect import bisect_right
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import accumulate
from typing import ClassVar

from textual import events
from textual.binding import Binding
from textual.geometry import Region, Size
from textual.message import Message
from textual.reactive import reactive
from textual.scroll_view import ScrollView
from textual.strip import Strip

from gray_kettle.tui.theme import Cell, ThemedWidget


@dataclass(frozen=True)
class Row:
    """One entry: a key, and its lines of cells. fixed: cannot be chosen (a heading)."""

    key: str
    lines: tuple[tuple[Cell, ...], ...]
    fixed: bool = False

    @property
    def height(self) -> int:
        return len(self.lines)


@dataclass(frozen=True)
class LazyRow:
    """An entry of one line whose cells are made when it is drawn: for lists of thousands."""

    key: str
    cells: Callable[[], tuple[Cell, ...]]
    fixed: bool = False
    height: int = 1

    @property
    def lines(self) -> tuple[tuple[Cell, ...], ...]:
        return (self.cells(),)


AnyRow = Row | LazyRow


class RowList(ThemedWidget, ScrollView, can_focus=True):
    """Rows with a cursor. Posts Moved when the cursor moves and Chosen when a row is chosen."""

    DEFAULT_CSS = """
    RowList { height: 1fr; scrollbar-size-vertical: 1; background: $background; }
    """
    BINDINGS: ClassVar = [
        Binding("up,k", "step(-1)", "Up", show=False, id="rows.up"),
        Binding("down,j", "step(1)", "Down", show=False, id="rows.down"),
        Binding("pageup", "page(-1)", "Page up", show=False, id="rows.page-up"),
        Binding("pagedown", "page(1)", "Page down", show=False, id="rows.page-down"),
        Binding("home", "jump(0)", "First", show=False, id="rows.first"),
        Binding("end", "jump(-1)", "Last", show=False, id="rows.last"),
        Binding("enter", "choose", "Choose", show=False, id="rows.choose"),
    ]
    cursor: reactive[int] = reactive(0, repaint=False)

    @dataclass
    class Moved(Message):
        """The cursor is on another row."""

        rows: "RowList"
        key: str

        @property
        def control(self) -> "RowList":
            return self.rows

        def can_replace(self, message: Message) -> bool:
            return isinstance(message, RowList.Moved) and message.rows is self.rows

    @dataclass
    class Chosen(Message):
        """A row was chosen with Enter or a click."""

        rows: "RowList"
        key: str

        @property
        def control(self) -> "RowList":
            return self.rows

    def __init__(self, *, id: str | None = None, empty: str = "", keeps_mark: bool = False) -> None:
        """keeps_mark: the chosen row stays marked while the focus is elsewhere (what it leads to is shown beside)."""
        super().__init__(id=id)
        self._keeps_mark = keeps_mark
        self._build: Callable[[int], Sequence[AnyRow]] = lambda width: []
        self._rows: Sequence[AnyRow] = []
        self._tops = [0]
        self._strips: dict[tuple[str, int, bool], Strip] = {}
        self._built_for = -1
        self.empty = empty

    def show(self, build: Callable[[int], Sequence[AnyRow]], keep: bool = True) -> None:
        """Show what build(width) gives; the cursor stays on the row with the same key where there is one."""
        self._build = build
        self._rebuild(self.key if keep else "")

    @property
    def key(self) -> str:
        return self._rows[self.cursor].key if 0 <= self.cursor < len(self._rows) else ""

    def point_at(self, key: str) -> None:
        """Move the cursor to the row with that key."""
        for number, row in enumerate(self._rows):
            if row.key == key and not row.fixed:
                self.cursor = number
                return

    def _rebuild(self, key: str) -> None:
        width = self.scrollable_content_region.width
        self._built_for = width
        if width <= 0:
            return
        in_view = self._is_in_view()
        self._rows = self._build(width)
        self._tops = [0, *accumulate(row.height for row in self._rows)]
        self._strips.clear()
        same_size = self.virtual_size == Size(width, self._tops[-1])
        if not same_size:
            self.virtual_size = Size(width, self._tops[-1])
        places = [n for n, row in enumerate(self._rows) if row.key == key and not row.fixed]
        wanted = places[0] if places else min(self.cursor, len(self._rows) - 1)
        self.set_reactive(RowList.cursor, self._free(max(wanted, 0), 1))
        self.refresh()
        if in_view and self._rows and same_size:
            self._scroll_to_cursor(at_once=True)  # in another order: drawn once, where the cursor is then
        elif in_view and self._rows:
            self.call_after_refresh(self._scroll_to_cursor)  # rows before it may have come or gone
        self.post_message(self.Moved(self, self.key))

    def _is_in_view(self) -> bool:
        if self.cursor >= len(self._rows):
            return False
        first = self.scroll_offset.y
        return self._tops[self.cursor] < first + self.size.height and self._tops[self.cursor + 1] > first

    def _free(self, wanted: int, step: int) -> int:
        """The nearest row from wanted that can be chosen."""
        for direction in (step, -step):
            number = wanted
            while 0 <= number < len(self._rows):
                if not self._rows[number].fixed:
                    return number
                number += direction
        return 0

    def on_resize(self, event: events.Resize) -> None:
        if self.scrollable_content_region.width != self._built_for:
            self._rebuild(self.key)

    def on_focus(self) -> None:
        self._strips.clear()
        self.refresh()

    on_blur = on_focus

    def render_line(self, y: int) -> Strip:
        width = self.scrollable_content_region.width
        line = y + self.scroll_offset.y
        if not self._rows:
            return self.cells([(self.empty if y == 0 else "", "dim")], self.size.width)
        if line >= self._tops[-1]:
            return self.cells([], self.size.width)
        number = bisect_right(self._tops, line) - 1
        chosen = number == self.cursor and not self._rows[number].fixed
        key = (self.app.theme, line, chosen)
        if key not in self._strips:
            self._strips[key] = self._strip(number, line - self._tops[number], chosen, width)
        return self._strips[key]

    def _strip(self, number: int, line: int, chosen: bool, width: int) -> Strip:
        mark = "▌" if chosen and self.has_focus else " "
        marked = chosen and (self.has_focus or self._keeps_mark)
        return self.cells([(mark, "own"), *self._rows[number].lines[line]], width, marked)

    def validate_cursor(self, cursor: int) -> int:
        return max(0, min(cursor, len(self._rows) - 1))

    def watch_cursor(self, before: int, now: int) -> None:
        if not self._rows:
            return
        for number in (before, now):
            if number < len(self._rows):
                top, bottom = self._tops[number], self._tops[number + 1]
                self.refresh(Region(0, top - self.scroll_offset.y, self.size.width, bottom - top))
        self._scroll_to_cursor()
        self.post_message(self.Moved(self, self.key))

    def _scroll_to_cursor(self, at_once: bool = False) -> None:
        now = self.cursor
        if now >= len(self._rows):
            return
        top, bottom = self._tops[now], self._tops[now + 1]
        region = Region(0, 0 if now == self._free(0, 1) else top, 1, bottom - top if now else bottom)
        self.scroll_to_region(region, animate=False, force=True, immediate=at_once)

    def action_step(self, by: int) -> None:
        wanted = self.cursor + by
        if 0 <= wanted < len(self._rows):
            self.cursor = self._free(wanted, by)

    def action_page(self, direction: int) -> None:
        if not self._rows:
            return
        line = self._tops[self.cursor] + direction * max(self.size.height - 1, 1)
        line = max(0, min(line, self._tops[-1] - 1))
        self.cursor = self._free(bisect_right(self._tops, line) - 1, direction)

    def action_jump(self, to: int) -> None:
        if self._rows:
            self.cursor = self._free(0, 1) if to == 0 else self._free(len(self._rows) - 1, -1)

    def action_choose(self) -> None:
        if self._rows:
            self.post_message(self.Chosen(self, self.key))

    def on_click(self, event: events.Click) -> None:
        line = event.y + self.scroll_offset.y
        if self._rows and line < self._tops[-1]:
            number = bisect_right(self._tops, line) - 1
            if self._rows[number].fixed:
                return
            if number == self.cursor and event.chain > 1:
                self.action_choose()
            self.cursor = number
