"""The full-screen app: themes, configured keys, and which screen is shown."""

import asyncio
import logging
import signal
from contextlib import suppress
from pathlib import Path
from typing import ClassVar

from textual import on, work
from textual.binding import Binding

from gray_kettle import configuration
from gray_kettle.demo_case import BEFORE_S, WELCOME
from gray_kettle.errors import KettleError
from gray_kettle.tui import theme
from gray_kettle.tui.crash import PlainCrash
from gray_kettle.tui.main_screen import MainScreen
from gray_kettle.tui.messages import OpenCase, OpenDemo
from gray_kettle.tui.screen_styles import SCREENS_CSS
from gray_kettle.tui.start.screen import StartScreen
from gray_kettle.tui.start.style import FORM_CSS
from gray_kettle.tui.unfinished import STORING

_INTERRUPTED, _GRACE_S, _WELCOME_S = 130, 1.5, 15
_LOGGER = logging.getLogger(__name__)


class KettleApp(PlainCrash):
    """Opens a case, the demo, or the start screen when none is given."""

    TITLE = "gray kettle"
    # The palette's own sign is one that few terminal fonts have.
    CSS = (
        theme.CSS
        + FORM_CSS
        + SCREENS_CSS
        + "SearchIcon { display: none; }"
        + "ToastRack { margin-bottom: 4; }"  # above the time line, the window and the keys
    )
    ENABLE_COMMAND_PALETTE = True
    BINDINGS: ClassVar = [Binding("ctrl+q", "quit", "quit", id="app.quit", priority=True)]

    def __init__(self, case: Path | None, is_demo: bool = False) -> None:
        super().__init__()
        self._case, self._is_demo = case, is_demo
        self._complaint = ""  # about the configuration, shown once the app is up
        try:
            wanted = configuration.load()
        except KettleError as error:
            wanted, self._complaint = configuration.Configuration(), str(error)
        self.register_theme(theme.KETTLE)
        self.register_theme(theme.KETTLE_LIGHT)
        self.theme = wanted.theme or theme.KETTLE.name
        self.set_keymap(wanted.keys)

    def get_theme_variable_defaults(self) -> dict[str, str]:
        return dict(theme.VARIABLE_DEFAULTS)

    def on_mount(self) -> None:
        self._end_on_signals()
        if self._is_demo and self._case is not None:
            self.push_screen(MainScreen(self._case, window=BEFORE_S))
            self.notify(WELCOME, title="Tern Quay, the demo", timeout=_WELCOME_S, markup=False)
        else:
            self.push_screen(StartScreen() if self._case is None else MainScreen(self._case))
        if self._complaint:
            self.notify(self._complaint, title="Configuration", severity="warning", markup=False, timeout=15)

    def action_command_palette(self) -> None:
        from gray_kettle.tui.commands import Palette

        if not isinstance(self.screen, Palette):
            self.push_screen(Palette(id="--command-palette"))

    def _end_on_signals(self) -> None:
        """A closed terminal and SIGTERM end the app as ctrl+q does: what is being taken is stored first."""
        loop = asyncio.get_running_loop()
        for name in ("SIGTERM", "SIGHUP"):
            with suppress(
                NotImplementedError, AttributeError, RuntimeError, ValueError
            ):  # not on this system
                loop.add_signal_handler(getattr(signal, name), self._end)

    def _end(self) -> None:
        STORING.end_process_after(_GRACE_S, _INTERRUPTED)
        self.workers.cancel_all()
        self.exit(return_code=_INTERRUPTED)

    @on(OpenCase)
    def _open_case(self, asked: OpenCase) -> None:
        self.switch_screen(MainScreen(asked.path, fresh=asked.fresh))

    @on(OpenDemo)
    def _open_demo(self) -> None:
        self._make_demo()

    @work(thread=True, exclusive=True, group="demo")
    def _make_demo(self) -> None:
        from gray_kettle.demo_case import demo_path
        from gray_kettle.simulator.demo import make_demo

        path = demo_path()
        try:
            if not path.exists():
                self.notify("Making the demo case. This takes up to half a minute …", timeout=20)
                path.parent.mkdir(parents=True, exist_ok=True)
                make_demo(path)
        except (KettleError, OSError) as error:
            _LOGGER.warning("demo: %s", error)
            self.notify(str(error), title="No demo", severity="error", markup=False)
        else:
            self.call_from_thread(self.switch_screen, MainScreen(path, window=BEFORE_S))
            self.notify(WELCOME, title="Tern Quay, the demo", timeout=_WELCOME_S, markup=False)
