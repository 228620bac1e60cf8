"""What began while somebody watched: each thing once, whoever watched."""

from collections.abc import Callable, Iterable

from gray_kettle.model.enums import AlertKind
from gray_kettle.model.records import ALERT_AGAIN_S, LATEST_S, Alert
from gray_kettle.safe_text import printable
from gray_kettle.store import schema
from gray_kettle.store.database import Database
from gray_kettle.store.seals import Damage, insert, rows_of

_DAMAGED = "an entry in the list of alerts is damaged"
_KINDS = {str(kind): kind for kind in AlertKind}


class Alerts:
    """The table of alerts."""

    def __init__(self, database: Database, damage: Damage) -> None:
        self._database, self._damage = database, damage
        self.shown_as: Callable[[tuple[Alert, ...]], tuple[Alert, ...]] = lambda alerts: alerts

    def add(self, alerts: Iterable[Alert]) -> None:
        """Keep them, except what is in the case already: several may watch at a time."""
        with self._database.writing() as db:
            held = {
                (row["kind"], row["about"]): row["time_s"] for row in rows_of(db, schema.alerts, Damage(), "")
            }
            for alert in alerts:
                key = str(alert.kind), alert.about
                if abs(alert.time_s - held.get(key, -ALERT_AGAIN_S)) >= ALERT_AGAIN_S:
                    held[key] = alert.time_s
                    insert(db, schema.alerts, {**vars(alert), "kind": str(alert.kind)})

    def all(self) -> tuple[Alert, ...]:
        """Every alert in order of time."""
        with self._database.reading() as db:
            rows = list(rows_of(db, schema.alerts, self._damage, _DAMAGED))
        found = [
            Alert(row["time_s"], _KINDS[row["kind"]], printable(row["about"]), printable(row["text"]))
            for row in rows
            if row["kind"] in _KINDS and 0 <= row["time_s"] <= LATEST_S
        ]
        return self.shown_as(tuple(sorted(found, key=lambda alert: alert.time_s)))
