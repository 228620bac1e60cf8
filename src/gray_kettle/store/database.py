"""One SQLite file: snapshots to read from, writes that wait for a lock, and what a file from elsewhere must not hold.

Source: SQLite documentation, "Write-Ahead Logging", "Defense Against The Dark Arts"; docs/reliability.md, "Readers and
writers" and "What a received case can do".
"""

import os
import shutil
import sqlite3
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import sqlalchemy as sa

from gray_kettle.errors import KettleError
from gray_kettle.store import schema

PATIENCE_S = 10.0  # how long a write waits for another process
_LOCK_MS = 200  # a single wait inside SQLite, during which nothing can be cancelled
_PAUSE_S = 0.05
_HURRIED_S = 5.0  # how long it waits once it is to be ended
_MOST_BYTES = 256 << 20  # of one value
_STEPS_A_CHECK, _MOST_CHECKS = 1_000_000, 20_000  # of SQLite's virtual machine, for one answer
_LEGACY = frozenset({"sqlite_sequence", "sqlite_stat1"})
_IS_READ_ONLY = "It is open read-only: {0}. Copy it to a folder where you may write, and open the copy."


class CannotWriteNow(KettleError):
    """Nothing of what was to be written is in the case; later it can be."""


class CaseLocked(CannotWriteNow):
    """Another process holds the case for longer than this one waits."""


class DiskFull(CannotWriteNow):
    """There is no room for what was to be written."""


class Database:
    """One open file. Belongs to the thread that opened it.

    read_only: why nothing can be saved, "" where it can. patience_s: how long a write waits for a lock. cache: what a
    snapshot was asked for already; emptied when the next one begins.
    """

    def __init__(
        self,
        path: Path,
        *,
        address: str = "",
        read_only: str = "",
        folder: "tempfile.TemporaryDirectory[str] | None" = None,
    ) -> None:
        self.path, self.read_only, self.patience_s = path, read_only, PATIENCE_S
        self.cache: dict[str, Any] = {}
        self.is_cancelled: Callable[[], bool] = lambda: False
        self._engine = _engine(path, address, bool(read_only) and folder is None)
        self._folder = folder
        self._snapshot: sa.Connection | None = None

    def close(self) -> None:
        self._engine.dispose()
        if self._folder is not None:
            self._folder.cleanup()

    @contextmanager
    def reading(self) -> Iterator[sa.Connection]:
        """One state of the case for everything that is read inside, whatever others write meanwhile."""
        if self._snapshot is not None:
            yield self._snapshot
            return
        with self._translated(), self._begun("DEFERRED") as db:
            self.cache.clear()
            self._snapshot = db
            try:
                yield db
            finally:
                self._snapshot = None

    @contextmanager
    def writing(self) -> Iterator[sa.Connection]:
        """All that is written inside, or nothing. Raises: CaseLocked; KettleError, where it cannot be written."""
        if self.read_only:
            raise KettleError(f"{self.path}: {_IS_READ_ONLY.format(self.read_only)}")
        with self._translated(), self._begun("IMMEDIATE") as db:
            self.cache.clear()
            yield db
            db.commit()

    def vacuum(self) -> None:
        """Write the file anew without what is empty. Raises: KettleError, where it cannot be written."""
        with self._translated():
            connection = self._engine.raw_connection()
            driver = connection.driver_connection
            assert driver is not None
            try:
                driver.setlimit(sqlite3.SQLITE_LIMIT_ATTACHED, 1)  # SQLite attaches the new file for a moment
                driver.execute("VACUUM")
                driver.execute("PRAGMA wal_checkpoint(TRUNCATE)")
            finally:
                driver.setlimit(sqlite3.SQLITE_LIMIT_ATTACHED, 0)
                connection.close()

    def back_up(self, target: "Database") -> None:
        """Copy all pages into another file; others may write meanwhile. Raises: KettleError."""
        with self._translated():
            mine, theirs = self._engine.raw_connection(), target._engine.raw_connection()
            try:
                assert mine.driver_connection is not None
                assert theirs.driver_connection is not None
                mine.driver_connection.backup(theirs.driver_connection)
            finally:
                mine.close()
                theirs.close()

    @contextmanager
    def _begun(self, kind: str) -> Iterator[sa.Connection]:
        """A connection in a transaction that holds its lock, asked for again while somebody else has it."""
        until_s = time.monotonic() + self.patience_s
        is_hurried = False
        while True:
            db = self._engine.connect().execution_options(begin=kind)
            try:
                db.exec_driver_sql("SELECT 1 FROM sqlite_master LIMIT 1").all()
                break
            except sa.exc.OperationalError as error:
                db.close()
                if not _is_locked(error):
                    raise
                if not is_hurried and self.is_cancelled():
                    is_hurried, until_s = True, min(until_s, time.monotonic() + _HURRIED_S)
                if time.monotonic() > until_s:
                    raise CaseLocked(
                        f"{self.path} is locked by another process: close it there, or try again."
                    ) from error
                time.sleep(_PAUSE_S)
            except BaseException:
                db.close()
                raise
        with db:
            yield db

    @contextmanager
    def _translated(self) -> Iterator[None]:
        try:
            yield
        # SQLite's own message about a damaged file may quote bytes that are no text.
        except (sa.exc.DBAPIError, sa.exc.NoResultFound, sqlite3.Error, UnicodeError) as error:
            if _is_locked(error):
                raise CaseLocked(
                    f"{self.path} is locked by another process: close it there, or try again."
                ) from error
            is_text = not isinstance(error, UnicodeError)
            reason = str(getattr(error, "orig", None) or error) if is_text else "it is damaged"
            if "disk is full" in reason:
                raise DiskFull(
                    f"The case {self.path} cannot grow: the disk is full. Free some space."
                ) from error
            raise KettleError(f"The case {self.path} cannot be used: {reason}.") from error


def open_database(path: Path, *, is_outdated: bool) -> Database:
    """The file for reading and writing; where it cannot be written, for reading, and nothing is left beside it.

    is_outdated: its tables must be brought up to date, for reading too.
    """
    reason = _why_read_only(path)
    if not reason:
        return Database(path)
    log = path.with_name(path.name + "-wal")
    if is_outdated or (
        log.exists() and log.stat().st_size
    ):  # what is in the log counts: read from a copy of both
        folder = tempfile.TemporaryDirectory(prefix="gray-kettle-")
        copy = Path(folder.name) / "copy.kettle"
        shutil.copyfile(path, copy)
        if log.exists():
            shutil.copyfile(log, copy.with_name(copy.name + "-wal"))
        return Database(path, address=str(copy), read_only=reason, folder=folder)
    return Database(path, read_only=reason)


def _why_read_only(path: Path) -> str:
    effective = os.access in os.supports_effective_ids
    if not os.access(path, os.W_OK, effective_ids=effective):
        return "the file may not be written"
    if not os.access(path.parent, os.W_OK | os.X_OK, effective_ids=effective):
        return "its folder may not be written"
    try:
        if os.statvfs(path).f_flag & os.ST_RDONLY:
            return "its file system is mounted read-only"
    except (OSError, AttributeError):
        return ""
    return ""


def check_schema(db: sa.Connection, path: Path) -> None:
    """Raises: KettleError, when the file holds more than tables of ours: triggers, views or virtual tables act."""
    known = set(schema.metadata.tables) | _LEGACY
    pages: set[int] = set()
    for kind, name, sql, page in db.exec_driver_sql("SELECT type, name, sql, rootpage FROM sqlite_master"):
        text = str(sql or "").lstrip().upper()
        is_table = kind == "table" and name in known and text.startswith("CREATE TABLE")
        if not (is_table or kind == "index"):
            raise KettleError(
                f"{path} holds something that no case of ours has ({kind}): it is not opened. "
                "Ask who sent it for the captures themselves."
            )
        if page in pages:  # one would be read in place of the other
            raise KettleError(f"{path} is damaged: its list of tables names one page twice.")
        pages.add(page)


def _engine(path: Path, address: str, is_immutable: bool) -> sa.Engine:
    if is_immutable:
        address = Path(path).absolute().as_uri() + "?mode=ro&immutable=1"

    def connected() -> sqlite3.Connection:
        connection = sqlite3.connect(
            address or str(path),
            uri=is_immutable,
            isolation_level=None,  # transactions are begun below, never behind our back
            check_same_thread=False,
            timeout=_LOCK_MS / 1000,
        )
        connection.text_factory = lambda raw: raw.decode("utf-8", "surrogateescape")
        connection.setlimit(sqlite3.SQLITE_LIMIT_LENGTH, _MOST_BYTES)
        connection.setlimit(sqlite3.SQLITE_LIMIT_ATTACHED, 0)
        for setting in ("trusted_schema = OFF", "cell_size_check = ON", "foreign_keys = ON"):
            connection.execute(f"PRAGMA {setting}")
        return connection

    engine = sa.create_engine("sqlite://", creator=connected, poolclass=sa.pool.QueuePool, pool_size=2)

    @sa.event.listens_for(engine, "begin")
    def _begin(db: sa.Connection) -> None:
        checks = 0

        def is_too_long() -> bool:
            nonlocal checks
            checks += 1
            return checks > _MOST_CHECKS

        driver = db.connection.driver_connection
        assert driver is not None
        driver.set_progress_handler(is_too_long, _STEPS_A_CHECK)
        db.exec_driver_sql(f"BEGIN {db.get_execution_options().get('begin', 'DEFERRED')}")

    return engine


def _is_locked(error: BaseException) -> bool:
    original = getattr(error, "orig", error)
    code = getattr(original, "sqlite_errorcode", 0) & 0xFF
    return code in (sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED)


def create_file(path: Path, fill: Callable[[Database], None]) -> None:
    """Make a new file whole or not at all, for its owner's eyes only.

    Raises: KettleError, when one of that name exists or cannot be written.
    """
    unfinished = path.with_name(f".{path.name}.{os.getpid()}-{threading.get_ident()}.part")
    try:
        os.close(os.open(unfinished, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o600))
    except OSError as error:
        raise KettleError(f"{path} cannot be written: {error.strerror}.") from error
    try:
        database = Database(unfinished)
        try:
            with database._translated(), database._engine.connect() as db:
                driver = db.connection.driver_connection
                assert driver is not None
                driver.execute("PRAGMA journal_mode = WAL")  # readers go on while one process writes
            fill(database)
        finally:
            database.close()  # with the last connection closed, everything is in the file itself
        try:
            os.link(unfinished, path)  # fails where the name was taken meanwhile
        except FileExistsError:
            raise KettleError(f"{path} exists already: choose another name, or open it.") from None
        except OSError:  # a file system without links
            os.rename(unfinished, path)
    except KettleError as error:
        raise KettleError(str(error).replace(str(unfinished), str(path))) from error
    finally:
        for left in ("", "-wal", "-shm"):
            unfinished.with_name(unfinished.name + left).unlink(missing_ok=True)
