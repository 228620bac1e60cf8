"""The rows of Heard: radios, their networks, their clients. Pure: from radios to rows of cells."""

import numpy as np

from gray_kettle.judge.assessment import Network, Radio
from gray_kettle.records import FloatArray
from gray_kettle.safe_text import network_name
from gray_kettle.screens.frame.rail import local
from gray_kettle.screens.frame.rows import Row
from gray_kettle.screens.ink import Cell, bar_glyphs, fit, minus, percent

SORTS = ("level", "name", "channel", "air", "clients", "last heard")
HISTORY_BINS = 16
_LOW_DBM, _HIGH_DBM = -95.0, -35.0


def sort_key(radio: Radio, by: str) -> tuple[object, ...]:
    """Sort key of a radio; ties go by id, so that the order is the same each time."""
    keys: dict[str, object] = {
        "level": -(radio.level_dbm if radio.level_dbm is not None else -200.0),
        "name": radio.name.lower(),
        "channel": (radio.band, radio.channel.primary, radio.channel.width_mhz),
        "air": -(radio.air_share or 0.0),
        "clients": -sum(len(n.clients) for n in radio.networks),
        "last heard": -radio.last_s,
    }
    return (keys[by], radio.id)


def heading(width: int) -> str:
    parts = [fit("", 4), fit("radio", _name_width(width)), fit("channel", 8), fit("dBm", 4, True)]
    if width >= 100:
        parts.append(" " + fit("level over time", HISTORY_BINS))
    parts += [fit("margin", 7, True), fit("air", 6, True), fit("again", 6, True)]
    parts += [" " + fit("gen", 7), fit("clients", 8, True)]
    if width >= 130:
        parts += [" " + fit("BSSID", 17), " heard"]
    return " ".join(parts)


def _name_width(width: int) -> int:
    return 22 if width >= 130 else 18 if width >= 90 else 14


def radio_row(
    radio: Radio,
    history: FloatArray,
    margin_db: float | None,
    is_open: bool,
    recedes: bool,
    width: int,
    country: str,
) -> Row:
    """One radio on one line."""
    plain = "faint" if recedes else "text"
    ink = "faint" if recedes else "own" if radio.own else "foreign"
    clients = sum(len(n.clients) for n in radio.networks)
    told = max((n.load_stations or 0 for n in radio.networks), default=0)
    cells: list[Cell] = [
        ("▾ " if is_open else "▸ ", "dim"),
        ("■ " if radio.own else "□ ", ink),
        (fit(radio.name, _name_width(width)) + " ", plain if recedes else ("own!" if radio.own else "text")),
        (fit(radio.channel.label, 8) + " ", plain),
        (fit(minus(radio.level_dbm), 4, True), plain if recedes else "steam!"),
    ]
    if width >= 100:
        shares = [
            None if np.isnan(v) else float(np.clip((v - _LOW_DBM) / (_HIGH_DBM - _LOW_DBM), 0.02, 1))
            for v in history
        ]
        cells.append((f"  {bar_glyphs(shares)}", ink))
    margin = "" if margin_db is None else f"{margin_db:+.0f}".replace("-", "−")
    cells += [
        (
            fit(margin, 8, True),
            "act" if margin_db is not None and margin_db < 20 and radio.own and not recedes else plain,
        ),
        (fit(percent(radio.air_share), 7, True), plain),
        (
            fit(percent(radio.retry_share), 7, True),
            "act" if (radio.retry_share or 0) >= 0.2 and not recedes else plain,
        ),
        ("  " + fit(f"{radio.generation} {radio.streams}×{radio.streams}", 7), "dim"),
        (fit(str(clients or (f"({told})" if told else "–")), 8, True), plain),
    ]
    if width >= 130:
        cells += [(f"   {radio.id}", "dim"), ("  " + _odd(radio, country), "dim")]
    return Row(radio.id, (tuple(cells),))


def _odd(radio: Radio, country: str) -> str:
    """What is worth a remark: moves, comings and goings, else since when."""
    if radio.moves:
        return f"moved {radio.moves}×"
    if radio.stay.presence < 0.6:
        return f"comes and goes, last {local(radio.last_s, country):%H:%M}"
    return f"since {local(radio.first_s, country):%a %H:%M}"


def network_rows(radio: Radio, recedes: bool, width: int) -> list[Row]:
    """The networks of an open radio and their clients."""
    rows = []
    ink = "faint" if recedes else "text"
    for network in radio.networks:
        rows.append(Row(f"{radio.id}/{network.bssid}", (_network_cells(network, ink, width),)))
        for client in network.clients:
            cells: list[Cell] = [
                ("         · ", "dim"),
                (fit(client.mac, 20), "dim"),
                (fit(minus(client.level_dbm), 13, True), ink),
                (f" dBm  {client.frames:,} frames, {client.retries:,} again", "dim"),
            ]
            rows.append(Row(f"{radio.id}/{network.bssid}/{client.mac}", (tuple(cells),)))
    return rows


def _network_cells(network: Network, ink: str, width: int) -> tuple[Cell, ...]:
    told = "" if network.load_utilisation is None else f"  tells {percent(network.load_utilisation)} busy"
    slow = min(network.basic_rates_mbps, default=None)
    rate = f"  from {slow:g} Mb/s" if slow is not None and width >= 100 else ""
    stations = f"  {network.load_stations} stations" if network.load_stations is not None else ""
    return (
        ("      ", "dim"),
        (fit(network_name(network.ssid), _name_width(width) + 4), ink),
        (fit(minus(network.level_dbm), 10, True), ink),
        (f" dBm  {fit(network.security, 16)}", "dim"),
        (f" {network.bssid}{told}{stations}{rate}", "dim"),
    )
