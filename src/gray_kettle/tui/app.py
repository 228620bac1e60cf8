"""The full-screen app: themes, global keys, and which screen is up. No arithmetic, no SQL."""

from pathlib import Path
from typing import ClassVar

from textual import on, work
from textual.binding import Binding

from gray_kettle.errors import KettleError
from gray_kettle.tui import theme
from gray_kettle.tui.crash import PlainCrash
from gray_kettle.tui.main_screen import MainScreen
from gray_kettle.tui.messages import OpenCase, OpenDemo
from gray_kettle.tui.start.screen import StartScreen
from gray_kettle.tui.start.style import FORM_CSS


class KettleApp(PlainCrash):
    """Opens a case, or the start screen when none is given."""

    TITLE = "gray kettle"
    # The palette's own sign is one that few terminal fonts have.
    CSS = theme.CSS + FORM_CSS + "SearchIcon { display: none; }"
    ENABLE_COMMAND_PALETTE = True
    BINDINGS: ClassVar = [Binding("ctrl+q", "quit", "quit", id="app.quit", priority=True)]

    def __init__(self, case: Path | None) -> None:
        super().__init__()
        self._case = case
        self.register_theme(theme.KETTLE)
        self.register_theme(theme.KETTLE_LIGHT)
        self.theme = theme.KETTLE.name

    def get_theme_variable_defaults(self) -> dict[str, str]:
        return dict(theme.VARIABLE_DEFAULTS)

    def on_mount(self) -> None:
        self.push_screen(StartScreen() if self._case is None else MainScreen(self._case))

    @on(OpenCase)
    def _open_case(self, asked: OpenCase) -> None:
        self.switch_screen(MainScreen(asked.path, fresh=asked.fresh))

    @on(OpenDemo)
    def _open_demo(self) -> None:
        self._make_demo()

    @work(thread=True, exclusive=True, group="demo")
    def _make_demo(self) -> None:
        from gray_kettle.simulator.demo import make_demo
        from gray_kettle.simulator.demo_path import demo_path

        path = demo_path()
        try:
            if not path.exists():
                self.notify("Making the demo case: some ten seconds …", timeout=12)
                path.parent.mkdir(parents=True, exist_ok=True)
                make_demo(path)
        except (KettleError, OSError) as error:
            self.notify(str(error), title="No demo", severity="error", markup=False)
        else:
            self.call_from_thread(self.switch_screen, MainScreen(path))
