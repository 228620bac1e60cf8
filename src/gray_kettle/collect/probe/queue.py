"""What a probe heard and no case stored yet: on its disk, bounded, through outages and restarts."""

import os
import sqlite3
import threading
import uuid
from pathlib import Path

from gray_kettle.errors import KettleError

LEAST_BYTES = 1 << 20
_DROP_SHARE = 0.05  # of the queue goes at once, so that not every message costs a deletion
_TABLES = (
    "CREATE TABLE IF NOT EXISTS queue (id TEXT NOT NULL, dropped INTEGER NOT NULL)",
    "CREATE TABLE IF NOT EXISTS messages (number INTEGER PRIMARY KEY AUTOINCREMENT, made_s REAL NOT NULL,"
    " body BLOB NOT NULL)",
)


class ProbeQueue:
    """Messages in order, numbered for ever. Any thread may use it; one process at a time."""

    def __init__(self, path: Path, most_bytes: int) -> None:
        """Raises: KettleError, where another probe uses the file, or it cannot be used."""
        self.path, self._most_bytes = path, most_bytes
        self._lock = threading.Lock()
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            os.close(os.open(path, os.O_CREAT | os.O_RDWR, 0o600))
            self._db = self._opened()
        except sqlite3.OperationalError as error:
            raise KettleError(
                f"The queue {path} is in use by another probe: give this one a --name."
            ) from error
        except sqlite3.DatabaseError:  # a power cut, say: what is left of it can be looked at by hand
            path.replace(path.with_name(path.name + ".damaged"))
            self._db = self._opened()
        except OSError as error:
            raise KettleError(f"The queue {path} cannot be used: {error.strerror}.") from error
        ((self.id, self._dropped),) = self._db.execute("SELECT id, dropped FROM queue").fetchall()
        self._bytes = self._db.execute("SELECT coalesce(sum(length(body)), 0) FROM messages").fetchone()[0]

    def _opened(self) -> sqlite3.Connection:
        db = sqlite3.connect(self.path, isolation_level=None, check_same_thread=False, timeout=0.5)
        for statement in ("PRAGMA locking_mode = EXCLUSIVE", "PRAGMA journal_mode = WAL", *_TABLES):
            db.execute(statement)
        if not db.execute("SELECT count(*) FROM queue").fetchone()[0]:
            db.execute("INSERT INTO queue VALUES (?, 0)", (uuid.uuid4().hex,))
        return db

    def close(self) -> None:
        with self._lock:
            self._db.close()

    @property
    def dropped(self) -> int:
        """Messages that nobody will ever get: the queue was full."""
        return int(self._dropped)

    def put(self, body: bytes, made_s: float) -> None:
        """Add a message; where there is no room, the oldest go. Raises: KettleError, where the disk takes nothing."""
        with self._lock:
            try:
                if self._bytes + len(body) > self._most_bytes:
                    self._drop(len(body))
                self._db.execute("INSERT INTO messages (made_s, body) VALUES (?, ?)", (made_s, body))
            except sqlite3.Error as error:
                raise KettleError(f"The queue {self.path} cannot grow: {error}.") from error
            self._bytes += len(body)

    def _drop(self, room: int) -> None:
        wanted, freed, last, count = room + _DROP_SHARE * self._most_bytes, 0, 0, 0
        for number, size in self._db.execute("SELECT number, length(body) FROM messages ORDER BY number"):
            last, freed, count = number, freed + size, count + 1
            if freed >= wanted:
                break
        self._delete(last)
        self._dropped += count
        self._db.execute("UPDATE queue SET dropped = ?", (self._dropped,))

    def after(self, number: int, count: int) -> list[tuple[int, float, bytes]]:
        """(number, time made, body) of the next ones behind a number."""
        with self._lock:
            return self._db.execute(
                "SELECT number, made_s, body FROM messages WHERE number > ? ORDER BY number LIMIT ?",
                (number, count),
            ).fetchall()

    def extent(self) -> tuple[int, int]:
        """(number of the oldest that is held, number of the newest ever). The oldest is one more where none is."""
        with self._lock:
            first, last = self._db.execute("SELECT min(number), max(number) FROM messages").fetchone()
            if last is None:
                row = self._db.execute("SELECT seq FROM sqlite_sequence WHERE name = 'messages'").fetchone()
                last = row[0] if row else 0
            return (last + 1 if first is None else first), last

    def stored(self, upto: int) -> None:
        """A case has all up to this number: they are not needed any more."""
        with self._lock:
            self._delete(upto)

    def _delete(self, upto: int) -> None:
        gone = "FROM messages WHERE number <= ?"
        self._bytes -= self._db.execute(f"SELECT coalesce(sum(length(body)), 0) {gone}", (upto,)).fetchone()[
            0
        ]
        self._db.execute(f"DELETE {gone}", (upto,))
