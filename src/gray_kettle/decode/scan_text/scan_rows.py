"""What listings are gathered into before they become a piece."""

import math

import numpy as np

from gray_kettle.model.records import Announcement, FloatArray, Piece, Sightings

BATCH = 20_000  # rows of a piece


class ScanRows:
    """Sightings of single moments, one a call."""

    def __init__(self) -> None:
        self.clear()

    def clear(self) -> None:
        self._index: dict[Announcement, int] = {}
        self._rows: list[tuple[float, ...]] = []
        self.scans = self.skipped = 0

    def __len__(self) -> int:
        return len(self._rows)

    def add(
        self,
        announcement: Announcement,
        time_s: float,
        level_dbm: float,
        *,
        estimated: bool = False,
        noise_dbm: float = math.nan,
        busy: float = math.nan,
        stations: float = math.nan,
        receiver_hz: float | None = None,
    ) -> None:
        """level_dbm, noise_dbm, busy (0-1), stations: NaN when not reported. receiver_hz: if not the primary."""
        known = level_dbm <= 0  # no receiver measures more than a milliwatt: such a level is damage
        self._rows.append(
            (
                self._index.setdefault(announcement, len(self._index)),
                time_s,
                announcement.channel.primary_hz if receiver_hz is None else receiver_hz,
                10 ** (level_dbm / 10) if known else 0.0,
                known,
                noise_dbm,
                busy,
                stations,
                estimated,
            )
        )

    def piece(self, is_scan: bool = True) -> Piece:
        """What was gathered; begins anew. is_scan: the bands were listened to whole, not a single network asked of."""
        table: FloatArray = np.array(self._rows, np.float64).reshape(len(self._rows), 9).T
        n = len(self._rows)
        nothing = np.zeros(n, np.int64)
        bands = tuple(sorted({a.channel.band for a in self._index})) if is_scan else ()
        found = Piece(
            announcements=tuple(self._index),
            sightings=Sightings(
                announcement=table[0].astype(np.int64),
                time_s=table[1],
                receiver_hz=table[2],
                level_mw=table[3],
                levels=table[4].astype(np.int64),
                noise_dbm=table[5],
                load_utilisation=table[6],
                load_stations=table[7],
                frames=nothing + 1,
                beacons=nothing,
                retries=nothing,
                estimated=table[8].astype(np.int64),
                spot=nothing,
            ),
            swept_bands=bands,
            records=self.scans,
            skipped=self.skipped,
        )
        self.clear()
        return found
