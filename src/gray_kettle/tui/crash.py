"""What a crash prints: the plain traceback, without the values of variables.

Textual prints local variables too, and those hold what came over the air and what a customer sent. It offers no
public way to change that; `_fatal_error` is its private one, and a test notices when it goes away.
"""

import logging
import traceback

from rich.text import Text
from textual.app import App

from gray_kettle.safe_text import printable

INTRODUCTION = (
    "Gray Kettle had to stop because of a fault in the program. Nothing that was stored is lost. "
    "Please report these lines:"
)
_LOGGER = logging.getLogger(__name__)


class PlainCrash(App[None]):
    """An app whose crash report shows code and message, not data."""

    def _fatal_error(self) -> None:
        lines = [printable(line) for line in traceback.format_exc().splitlines()]
        _LOGGER.error("crash: %s", "\n".join(lines))
        self._exit_renderables.append(Text("\n".join([INTRODUCTION, *lines])))
        self._close_messages_no_wait()
