"""The form that asks what to take: what can be listened to here, or files."""

import math
import shlex
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, ClassVar

from textual import on
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Horizontal, Vertical
from textual.message import Message
from textual.widgets import Button, DirectoryTree, Input, Label, Static

from gray_kettle.errors import KettleError
from gray_kettle.safe_text import printable
from gray_kettle.tui.frame.row_list import Row, RowList
from gray_kettle.tui.modal import Modal
from gray_kettle.tui.start.style import FORM_KEYS, show_error, start_at_top
from gray_kettle.tui.theme import fit, wrap

if TYPE_CHECKING:
    from gray_kettle.sources import SourceState

_TITLE_COLUMNS = 40
_LOW_LINES = 36


@dataclass(frozen=True)
class Chosen:
    """What to take. files: one after the other; live: URIs, side by side. seconds: for how long, from live ones."""

    files: tuple[str, ...]
    live: tuple[str, ...]
    spot: str
    seconds: float = math.inf
    layout: str = ""


class FileTree(DirectoryTree):
    """Folders and files with signs that every font has; case files are skipped."""

    ICON_NODE_EXPANDED = "▾ "
    ICON_NODE = "▸ "
    ICON_FILE = "· "

    def filter_paths(self, paths: Iterable[Path]) -> Iterable[Path]:
        return [p for p in paths if not p.name.startswith(".") and ".kettle" not in p.name]


class TakeForm(Modal[Chosen | None]):
    """Which sources, and where they were collected. What is here is found in a worker."""

    CSS = """
    TakeForm { align: center middle; }
    TakeForm .form { width: 108; }
    TakeForm RowList { height: 10; background: $surface; margin-top: 1; }
    TakeForm #take-how { height: auto; }
    TakeForm #take-how > Vertical { height: auto; width: 1fr; margin-right: 2; }
    TakeForm DirectoryTree { height: 8; background: $surface; margin-top: 1; padding: 0; }
    TakeForm #take-reading { height: auto; color: $dim; }
    TakeForm.-low RowList { height: 6; }
    """
    BINDINGS: ClassVar = [*FORM_KEYS, Binding("escape", "cancel", "cancel", id="take.cancel")]

    @dataclass
    class Found(Message):
        """What can be collected from here."""

        states: "tuple[SourceState, ...]"

    def __init__(self) -> None:
        super().__init__()
        self._states: tuple[SourceState, ...] = ()
        self._readings: tuple[tuple[str, str], ...] = ()  # of the first sweep table among the sources

    def compose(self) -> ComposeResult:
        with Vertical(classes="form"):
            yield Static("Take: listen now, or read files", classes="form-title", markup=False)
            yield Label(
                "Sources: files or URIs, several if you like; enter in the list adds one", markup=False
            )
            yield Input(id="take-files", placeholder="capture.pcapng scan.txt   or one of these:")
            yield RowList(id="take-sources", empty="looking what is here …")
            with Horizontal(id="take-how"):
                with Vertical():
                    yield Label("Spot (may be empty)", markup=False)
                    yield Input(id="take-spot", placeholder="reception")
                with Vertical():
                    yield Label("For how long (empty: until t)", markup=False)
                    yield Input(id="take-for", placeholder="90s, 10m, 2h, 2d")
            yield Label("Columns of a sweep table (empty: recognised by its content)", markup=False)
            yield Input(id="take-layout", placeholder="date,clock,low_hz,high_hz,step_hz,samples,dbm")
            yield Static("", id="take-reading", markup=False)
            yield Static("", classes="form-error", markup=False)
            yield FileTree(".", id="take-tree")
            with Horizontal(classes="form-buttons"):
                yield Button("Take", variant="primary", id="take-go")
                yield Button("Cancel", id="take-cancel")

    def on_mount(self) -> None:
        self.set_class(self.app.size.height < _LOW_LINES, "-low")
        start_at_top(self)
        self.run_worker(self._look, thread=True, group="sources", description="sources")

    def _look(self) -> None:
        from gray_kettle.sources import found_here

        self.post_message(self.Found(found_here()))

    @on(Found)
    def _show(self, found: Found) -> None:
        self._states = found.states
        self.query_one("#take-sources", RowList).show(self._rows)

    @on(Input.Changed, "#take-files")
    @on(Input.Changed, "#take-layout")
    def _preview(self) -> None:
        """Show how the first rows of a sweep table are understood, as soon as it is named."""
        from gray_kettle.collect.files import sweep_readings

        words, layout = (self.query_one(f"#take-{name}", Input).value.strip() for name in ("files", "layout"))
        found = None
        try:
            for word in _words(words):
                found = sweep_readings(Path(word).expanduser(), layout)
                if found is not None:
                    break
            text = "" if found is None else "The columns do not fit the first rows."
        except (KettleError, OSError) as error:
            text = str(error) if layout else ""
        self._readings = found if found and len(found) > 1 else ()
        if self._readings:
            text = "The columns can mean several things: choose one at the top of the list."
        elif found:
            text = f"First row: {found[0][1]}."
        self.query_one("#take-reading", Static).update(text)
        rows = self.query_one("#take-sources", RowList)
        rows.show(self._rows)
        if self._readings:
            rows.point_at(f"layout:{self._readings[0][0]}")

    def _rows(self, width: int) -> list[Row]:
        """What is ready first: its URI, or how to write one; then what is missing for the rest."""
        choices = []
        for layout, words in self._readings:
            lines = wrap(words, max(width - 4, 8))
            cells = [
                ((sign, "watch"), (line, "text"))
                for sign, line in zip(["? ", *["  "] * len(lines)], lines, strict=False)
            ]
            choices.append(Row(f"layout:{layout}", tuple(cells)))
        return choices + self._source_rows(width)

    def _source_rows(self, width: int) -> list[Row]:
        ready = [(name, s) for s in self._states if not s.missing for name in s.here or (s.kind.example,)]
        ready.sort(key=lambda found: not found[1].here)
        out = [
            Row(
                f"{'here' if s.here else 'write'}:{name}",
                (
                    (
                        ("● " if s.here else "○ ", "own" if s.here else "dim"),
                        (fit(s.kind.title, _TITLE_COLUMNS), "text"),
                        (fit(name, max(width - _TITLE_COLUMNS - 3, 8)), "steam" if s.here else "dim"),
                    ),
                ),
            )
            for name, s in ready
        ]
        for s in (s for s in self._states if s.missing):
            cells = (
                ("▲ ", "act"),
                (fit(s.kind.title, _TITLE_COLUMNS), "text"),
                (fit(s.missing, max(width - _TITLE_COLUMNS - 3, 8)), "dim"),
            )
            out.append(Row(f"missing:{s.kind.scheme}", (cells,)))
        return out

    @on(RowList.Chosen, "#take-sources")
    def _add_source(self, chosen: RowList.Chosen) -> None:
        chosen.stop()
        what, _, name = chosen.key.partition(":")
        if what == "layout":
            self.query_one("#take-layout", Input).value = name
            return
        if what == "missing":
            show_error(self, next(s.missing for s in self._states if s.kind.scheme == name))
            return
        self._append(name.split(" or ")[0] if what == "write" else name)

    @on(DirectoryTree.FileSelected)
    def _add_file(self, event: DirectoryTree.FileSelected) -> None:
        event.stop()
        self._append(shlex.quote(str(event.path)))

    def _append(self, word: str) -> None:
        field = self.query_one("#take-files", Input)
        field.value = f"{field.value} {word}".strip()
        field.cursor_position = len(field.value)
        field.focus()

    @on(Input.Submitted)
    @on(Button.Pressed, "#take-go")
    def _go(self) -> None:
        try:
            self.dismiss(self._chosen())
        except KettleError as error:
            show_error(self, str(error))

    def _chosen(self) -> Chosen:
        """What the fields say. Raises: KettleError, naming what is wrong."""
        from gray_kettle.collect.live.uri import duration_s
        from gray_kettle.decode.sweeps.column_layout import parse_layout
        from gray_kettle.sources import check, kind_of

        text = self.query_one("#take-files", Input).value.strip()
        words = [text] if text.startswith("sweep:") else _words(text)  # of a program the rest is its own
        if not words:
            raise KettleError("Choose at least one source.")
        spot, length, layout = (
            self.query_one(f"#take-{name}", Input).value.strip() for name in ("spot", "for", "layout")
        )
        seconds = duration_s(length) if length else math.inf
        if seconds is None:
            raise KettleError(f"“{printable(length)}” is not a duration: write for example 90s, 10m or 2h.")
        if layout:
            parse_layout(layout)
        live = tuple(word for word in words if kind_of(word) is not None)
        for word in live:
            check(word)
        files = tuple(str(Path(word).expanduser()) for word in words if word not in live)
        missing = next((f for f in files if not Path(f).exists()), None)
        if missing is not None:
            raise KettleError(f"{printable(missing)} does not exist.")
        return Chosen(files, live, spot, seconds, layout)

    @on(Button.Pressed, "#take-cancel")
    def action_cancel(self) -> None:
        self.dismiss(None)


def _exists(name: str) -> bool:
    """Whether there is such a file; what cannot be a name is none."""
    try:
        return Path(name).expanduser().exists()
    except (OSError, ValueError, RuntimeError):
        return False


def _words(text: str) -> list[str]:
    """Words as a shell parts them; a text that is the name of a file as it stands is one, quotation marks and all."""
    if text.strip() and _exists(text.strip()):
        return [text.strip()]
    try:
        return shlex.split(text)
    except ValueError:
        pass
    words = text.split()
    if all(map(_exists, words)):
        return words
    raise KettleError(
        "A quotation mark is open: close it, or put a backslash before one that is part of a name."
    )
