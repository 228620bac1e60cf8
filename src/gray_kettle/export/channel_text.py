"""The channel map as a table."""

from rich.table import Table

from gray_kettle.export.text import plain_table
from gray_kettle.planner.channel_map import MapRow


def channel_table(rows: tuple[MapRow, ...]) -> Table:
    """A line a channel, with its marks in words."""
    columns = [
        "band", "channel", "busy", "source", "ours", "foreign", "covering", "clients", "retries", "strongest dBm",
        "non-Wi-Fi", "noise dBm", "clear air", "marks",
    ]  # fmt: skip
    return plain_table(columns, [_cells(row) for row in rows], {1, 2, 4, 5, 6, 7, 8, 9, 10, 11, 12})


def _cells(row: MapRow) -> list[str]:
    used = row.utilisation
    power = "" if row.most_eirp_dbm is None else f"{row.most_eirp_dbm:.0f} dBm at most"
    return [
        row.channel.band,
        str(row.channel.primary),
        used.words if used.value is not None else "–",
        f"{used.source}, {used.confidence}" if used.value is not None else "not measured",
        str(len(row.own) or ""),
        str(len(row.foreign) or ""),
        str(len(row.covering) or ""),
        str(row.clients or ""),
        _share(row.retry_share),
        _level(row.strongest_foreign_dbm),
        _share(row.non_wifi),
        _level(row.noise_dbm),
        _share(row.clear_air),
        ", ".join([*sorted(row.marks), *([power] if power else [])]),
    ]


def _share(value: float | None) -> str:
    return "–" if value is None else f"{100 * value:.0f} %"


def _level(value: float | None) -> str:
    return "–" if value is None else f"{value:.0f}".replace("-", "−")
