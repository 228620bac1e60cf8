"""Forms to choose files or an analyser, and the progress of reading, which can be stopped."""

import shlex
from collections.abc import Iterable
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from typing import ClassVar

from textual import on, work
from textual.app import ComposeResult
from textual.binding import Binding
from textual.containers import Horizontal, Vertical
from textual.message import Message
from textual.screen import ModalScreen
from textual.widgets import Button, DirectoryTree, Input, Label, ProgressBar, Static
from textual.worker import get_current_worker

from gray_kettle.errors import KettleError
from gray_kettle.safe_text import printable
from gray_kettle.tui.start.style import FORM_KEYS, show_error
from gray_kettle.tui.unfinished import STORING


@dataclass(frozen=True)
class Chosen:
    """What to take. live: the address of an instrument, "" for files."""

    files: tuple[Path, ...]
    spot: str
    live: str = ""


class FileTree(DirectoryTree):
    """Folders and files with signs that every font has; case files are skipped."""

    ICON_NODE_EXPANDED = "▾ "
    ICON_NODE = "▸ "
    ICON_FILE = "· "

    def filter_paths(self, paths: Iterable[Path]) -> Iterable[Path]:
        return [p for p in paths if not p.name.startswith(".") and ".kettle" not in p.name]


class TakeForm(ModalScreen[Chosen | None]):
    """Which files, and where they were collected."""

    CSS = """
    TakeForm { align: center middle; }
    TakeForm DirectoryTree { height: 14; background: $surface; margin-top: 1; padding: 0; }
    """
    BINDINGS: ClassVar = [*FORM_KEYS, Binding("escape", "cancel", "cancel", id="take.cancel")]

    def compose(self) -> ComposeResult:
        with Vertical(classes="form"):
            yield Static("Take: captures, scan listings, sweeps", classes="form-title", markup=False)
            yield Label(
                "Files (type names, or choose below with enter), or a spectrum analyser", markup=False
            )
            yield Input(id="take-files", placeholder="capture.pcapng scan.txt   or   scpi://192.0.2.7:5025")
            yield Label("Spot: where was this collected? (may be empty)", markup=False)
            yield Input(id="take-spot", placeholder="reception")
            yield Static("", classes="form-error", markup=False)
            yield FileTree(".", id="take-tree")
            with Horizontal(classes="form-buttons"):
                yield Button("Take", variant="primary", id="take-go")
                yield Button("Cancel", id="take-cancel")

    @on(DirectoryTree.FileSelected)
    def _add(self, event: DirectoryTree.FileSelected) -> None:
        event.stop()
        field = self.query_one("#take-files", Input)
        field.value = f"{field.value} {shlex.quote(str(event.path))}".strip()

    @on(Input.Submitted)
    @on(Button.Pressed, "#take-go")
    def _go(self) -> None:
        try:
            words = shlex.split(self.query_one("#take-files", Input).value)
        except ValueError:
            words = []
        spot = self.query_one("#take-spot", Input).value.strip()
        if words and words[0].startswith("scpi://"):
            self._go_live(words, spot)
            return
        files = tuple(Path(word).expanduser() for word in words)
        missing = [f for f in files if not f.exists()]
        if missing or not files:
            what = f"{printable(str(missing[0]))} does not exist." if missing else "Choose at least one file."
            show_error(self, what)
            return
        self.dismiss(Chosen(files, spot))

    def _go_live(self, words: list[str], spot: str) -> None:
        from gray_kettle.collect.live.scpi import parse_uri

        try:
            if len(words) > 1:
                raise KettleError("Take one analyser at a time, without files.")
            parse_uri(words[0])
        except KettleError as error:
            show_error(self, str(error))
        else:
            self.dismiss(Chosen((), spot, words[0]))

    @on(Button.Pressed, "#take-cancel")
    def action_cancel(self) -> None:
        self.dismiss(None)


@dataclass(frozen=True)
class TakeSummary:
    """A line for each source that was read, and one for each that was refused."""

    read: tuple[str, ...]
    refused: tuple[str, ...]


class TakeProgress(ModalScreen[TakeSummary]):
    """Reads files in a worker."""

    CSS = "TakeProgress { align: center middle; } TakeProgress ProgressBar { margin-top: 1; }"
    BINDINGS: ClassVar = [Binding("escape", "stop", "stop", id="progress.stop")]

    @dataclass
    class Step(Message):
        name: str
        done: int
        total: int

        def can_replace(self, message: Message) -> bool:
            return isinstance(message, TakeProgress.Step)

    @dataclass
    class Finished(Message):
        lost_shares: TakeSummary

    def __init__(self, case: Path, chosen: Chosen) -> None:
        super().__init__()
        self._case, self._chosen = case, chosen

    def compose(self) -> ComposeResult:
        with Vertical(classes="form"):
            yield Static("Reading …", classes="form-title", id="progress-name", markup=False)
            yield ProgressBar(show_eta=False)
            with Horizontal(classes="form-buttons"):
                yield Button("Stop, keep what was read", id="progress-stop")

    def on_mount(self) -> None:
        self._read_all()

    @work(thread=True, group="take")
    def _read_all(self) -> None:
        from gray_kettle.collect.files import open_file
        from gray_kettle.collect.ingest import ingest
        from gray_kettle.store import Case

        worker = get_current_worker()
        read: list[str] = []
        refused: list[str] = []
        try:
            with STORING, Case.open(self._case) as case:
                for path in self._chosen.files:
                    if worker.is_cancelled:
                        break
                    try:
                        source = open_file(path, is_cancelled=lambda: worker.is_cancelled)
                        result = ingest(
                            case,
                            source,
                            self._chosen.spot,
                            progress=partial(self._step_done, source.input_stream.name),
                            is_cancelled=lambda: worker.is_cancelled,
                        )
                    except KettleError as error:
                        refused.append(str(error))
                    else:
                        notes = " ".join(result.notes)
                        read.append(f"{result.source}: {result.count} read ({result.kind}). {notes}".strip())
        except KettleError as error:
            refused.append(str(error))
        self.post_message(self.Finished(TakeSummary(tuple(read), tuple(refused))))

    def _step_done(self, name: str, done: int, total: int) -> None:
        self.post_message(self.Step(name, done, total))

    @on(Step)
    def _step(self, step: Step) -> None:
        self.query_one("#progress-name", Static).update(f"Reading {step.name} …")
        self.query_one(ProgressBar).update(total=step.total or None, progress=step.done)

    @on(Finished)
    def _finished(self, finished: Finished) -> None:
        self.dismiss(finished.lost_shares)

    @on(Button.Pressed, "#progress-stop")
    def action_stop(self) -> None:
        self.workers.cancel_group(self, "take")
