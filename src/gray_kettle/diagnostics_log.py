"""The log file: what was done and what failed, rotating, in the platform's log folder. It never fails its caller."""

import logging
import logging.handlers
import os
from io import FileIO, TextIOWrapper
from pathlib import Path

import platformdirs

from gray_kettle.configuration import APP
from gray_kettle.errors import KettleError
from gray_kettle.safe_text import printable

LOGGER = logging.getLogger("gray_kettle")
_BYTES, _FILES = 1_000_000, 3
_FORMAT = "%(asctime)s %(levelname)s %(process)d %(message)s"


def path() -> Path:
    return platformdirs.user_log_path(APP) / "gray-kettle.log"


class _Printable(logging.Formatter):
    """Text from the air or a file reaches the log only as printable characters, one record a line."""

    def format(self, record: logging.LogRecord) -> str:
        return "\n".join(printable(line) for line in super().format(record).splitlines())


class _OwnersLog(logging.handlers.RotatingFileHandler):
    """A log that only its owner may read: it names networks and addresses."""

    def _open(self) -> TextIOWrapper:
        number = os.open(self.baseFilename, os.O_CREAT | os.O_APPEND | os.O_WRONLY, 0o600)
        return TextIOWrapper(FileIO(number, "ab"), encoding=self.encoding, write_through=True)


def start(level: str = "") -> None:
    """Log from a level on: the given one, else that of the configuration, else "warning"."""
    if LOGGER.handlers:
        return
    LOGGER.propagate = False
    try:
        file = path()
        file.parent.mkdir(parents=True, exist_ok=True)
        handler: logging.Handler = _OwnersLog(
            file, maxBytes=_BYTES, backupCount=_FILES, encoding="utf-8", delay=True
        )
    except OSError:  # a read-only home: work goes on without a log, and doctor says so
        handler = logging.NullHandler()
    handler.setFormatter(_Printable(_FORMAT))
    LOGGER.addHandler(handler)
    LOGGER.setLevel((level or _configured() or "warning").upper())


def _configured() -> str:
    from gray_kettle import configuration

    try:
        wanted = configuration.load().log_level
    except KettleError as error:
        LOGGER.warning("configuration not used: %s", error)
        return ""
    return wanted if wanted.upper() in logging.getLevelNamesMapping() else ""
