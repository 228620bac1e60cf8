"""The rows of Heard: radios, their networks, their clients. Pure functions from radios to rows of cells."""

from collections.abc import Callable, Sequence
from itertools import pairwise

import numpy as np

from gray_kettle.analysis.assessment import Client, Link, Network, Radio
from gray_kettle.analysis.findings import count
from gray_kettle.decode.dot11.security import is_outdated
from gray_kettle.model.records import FloatArray
from gray_kettle.safe_text import network_name, printable
from gray_kettle.site_timezone import SiteTime
from gray_kettle.tui.frame.row_list import Row
from gray_kettle.tui.theme import Cell, bar_glyphs, fit, minus, percent, wrap

HISTORY_BINS = 16
_LOW_DBM, _HIGH_DBM = -95.0, -35.0
_SLOW_MBPS = 2.0  # basic rates worth switching off
_MANY_AGAIN = 0.2
_ENOUGH_FRAMES = 30  # of fewer a share says little
_PARTLY = 0.6
_SHOWN_MOVES = 4
_STEPS_MBPS = (2.0, 11.0, 54.0, 300.0, 1e6)


_GENERATIONS = ("", "b", "g", "a", "n", "ac", "ax", "be")
# Columns to sort by, in the order of the key; what is missing is last either way round.
SORTS: dict[str, Callable[[Radio, float | None], float | str | None]] = {
    "level": lambda r, margin: -r.level_dbm if r.level_dbm is not None else None,
    "radio": lambda r, margin: r.name.lower(),
    "channel": lambda r, margin: r.channel.primary + r.channel.width_mhz / 1000,
    "margin": lambda r, margin: margin,
    "air": lambda r, margin: -r.activity,
    "retries": lambda r, margin: -r.retry_share if r.retry_share is not None else None,
    "gen": lambda r, margin: (
        "99" if "generation" in r.assumed else f"{9 - _GENERATIONS.index(r.generation)}{9 - r.streams}"
    ),
    "clients": lambda r, margin: float(-sum(len(n.clients) for n in r.networks)),
    "BSSID": lambda r, margin: r.id,
    "heard": lambda r, margin: -r.last_s,
}


def in_order(
    radios: Sequence[Radio], by: str, backwards: bool, margins: dict[str, float | None]
) -> list[Radio]:
    """Radios by a column; ties go by id, so that the order is the same each time."""
    read = SORTS[by]
    values = {r.id: read(r, margins[r.id]) for r in radios}
    known = sorted((r for r in radios if values[r.id] is not None), key=lambda r: r.id)
    known.sort(key=lambda r: values[r.id], reverse=backwards)  # type: ignore[arg-type,return-value]
    return [*known, *sorted((r for r in radios if values[r.id] is None), key=lambda r: r.id)]


def heading(width: int, by: str = "", backwards: bool = False) -> str:
    """The names of the columns; the one that is sorted by has an arrow."""

    def name(column: str, size: int, right: bool = False) -> str:
        return fit(column + ("▴" if backwards else "▾") if column == by else column, size, right)

    level = "dBm" if by != "level" else "dBm▴" if backwards else "dBm▾"
    parts = [fit("", 4), name("radio", _name_width(width)), name("channel", 8), fit(level, 4, True)]
    if width >= 100:
        parts.append(" " + fit("level over time", HISTORY_BINS))
    parts += [name("margin", 7, True), name("air", 6, True), name("retries", 8, True)]
    parts += [" " + name("gen", 7), name("clients", 8, True)]
    if width >= 130:
        parts += ["  " + name("BSSID", 17), name("heard", 8)]
    return " ".join(parts)


def column_at(x: int, width: int) -> str:
    """Name of the column whose heading is at a position of the line; "" for none."""
    line, at = heading(width), -1
    names = {"dBm": "level", **{name: name for name in SORTS}}
    best = ""
    for word, column in names.items():
        start = line.find(word)
        if 0 <= start <= x + 2 and start > at:
            at, best = start, column
    return best


def _name_width(width: int) -> int:
    return 22 if width >= 130 else 18 if width >= 90 else 14


def radio_row(
    radio: Radio,
    history: FloatArray,
    margin_db: float | None,
    is_open: bool,
    recedes: bool | None,
    width: int,
    site_time: SiteTime,
    channel: str = "",
) -> tuple[Cell, ...]:
    """One radio on one line. recedes: None for one that is followed; one that is gone is remembered, and recedes.

    channel: what to show as such, its label for "".
    """
    followed = recedes is None
    recedes = not followed and (bool(recedes) or (radio.is_gone and not radio.own))
    plain = "faint" if recedes else "text"
    ink = "faint" if recedes else "own" if radio.own else "foreign"
    clients = sum(len(n.clients) for n in radio.networks)
    values = max((n.load_stations or 0 for n in radio.networks), default=0)
    cells: list[Cell] = [
        ("▾ " if is_open else "▸ ", "dim"),
        ("■ " if radio.own else "□ ", ink),
        (
            fit(radio.name, _name_width(width)) + " ",
            plain if recedes else ("own!" if radio.own else "steam!" if followed else "text"),
        ),
        (fit(channel or radio.channel.label, 8) + " ", plain),
        (fit(_level(radio), 4, True), plain if recedes else "steam!"),
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
        (fit(_air(radio), 7, True), plain if radio.air_share is not None else "dim"),
        (
            fit(percent(radio.retry_share), 9, True),
            "act" if (radio.retry_share or 0) >= _MANY_AGAIN and not recedes else plain,
        ),
        ("  " + fit(radio.kind, 7), "dim"),
        (fit(str(clients or (f"({values})" if values else "–")), 9, True), plain),
    ]
    if width >= 130:
        cells += [(f"   {radio.id}", "dim"), (" " + _odd(radio, site_time), "dim")]
    return tuple(cells)


def _odd(radio: Radio, site_time: SiteTime) -> str:
    """What is worth a remark: channel changes, absences, else since when."""
    if radio.moves:
        return f"{count(radio.moves, 'channel change')}, {radio.moves_a_day} in a day"
    if radio.is_gone:
        return f"gone since {site_time.minute(radio.last_s):%a %H:%M}"
    if len(radio.episodes) > 1 and not radio.own:
        return f"intermittent, {len(radio.episodes)} times, since {site_time.minute(radio.episodes[-1][0]):%H:%M}"
    if radio.stay.presence < _PARTLY:
        return f"present {percent(radio.stay.presence)} of the time"
    return f"since {site_time.minute(radio.first_s):%a %H:%M}"


def _air(radio: Radio) -> str:
    """Share of air: of its frames, else its estimated activity with a tilde before it."""
    return percent(radio.air_share) if radio.air_share is not None else f"~{percent(radio.activity)}"


def _level(radio: Radio) -> str:
    """A level; one that was computed from a percentage has a tilde before it."""
    return f"~{minus(radio.level_dbm)}" if radio.level_estimated else minus(radio.level_dbm)


Line = tuple[str, str, bool]  # what, text, whether it is a fault


def network_rows(
    radio: Radio, recedes: bool, width: int, site_time: SiteTime, others: Sequence[Radio] = ()
) -> list[Row]:
    """What an open radio reports of itself, its networks, how they send, and their clients."""
    ink = "faint" if recedes else "text"
    rows = [_line_row(radio.id, line, 6, recedes, width) for line in about_radio(radio, site_time, others)]
    for network in radio.networks:
        key = f"{radio.id}/{network.bssid}"
        rows.append(Row(key, (_network_cells(network, ink, width),)))
        rows += [_line_row(key, line, 9, recedes, width) for line in _about_network(network)]
        for client in network.clients:
            rows.append(Row(f"{key}/{client.mac}", (_client_cells(client, ink, width),)))
    return rows


def _line_row(key: str, line: Line, indent: int, recedes: bool, width: int) -> Row:
    name, text, is_fault = line
    ink = "act" if is_fault and not recedes else "dim"
    lines = wrap(text, max(width - indent - 14, 20)) or [""]
    shown = (
        ((" " * indent, "dim"), (fit("" if k else name, 12), "faint"), (part, ink))
        for k, part in enumerate(lines)
    )
    return Row(f"{key}#{name}", tuple(shown), fixed=True)


def _network_cells(network: Network, ink: str, width: int) -> tuple[Cell, ...]:
    values = "" if network.load_utilisation is None else f"  reports {percent(network.load_utilisation)} busy"
    stations = f"  {network.load_stations} stations" if network.load_stations is not None else ""
    outdated = is_outdated(network.security)
    load = (values if width >= 100 else "") + (stations if width >= 112 else "")
    return (
        ("      ", "dim"),
        (fit(network_name(network.ssid), _name_width(width) + 4), ink),
        (fit(minus(network.level_dbm), 10, True), ink),
        (" dBm  ", "dim"),
        (fit(network.security or "–", 16), "act" if outdated and ink != "faint" else "dim"),
        (f" {network.bssid}{load}", "dim"),
    )


def about_radio(radio: Radio, site_time: SiteTime, others: Sequence[Radio]) -> list[Line]:
    """What is worth saying of it besides the columns: (what, text, whether it is a fault)."""
    out: list[Line] = []
    if len(radio.networks) > 1:
        out.append(("grouped", radio.grouped, False))
    box = [f"{o.name} {o.band} GHz, {o.channel.label}" for o in others if o.id in radio.siblings]
    if box:
        out.append(("same AP", " · ".join(box), False))
    if radio.changes:
        values = [
            f"{site_time.minute(c.time_s):%a %H:%M} {c.before.label} → {c.after.label}"
            for c in radio.changes[-_SHOWN_MOVES:]
        ]
        out.append(("changes", " · ".join(values), radio.own))
    if len(radio.episodes) > 1:
        times = [
            f"{site_time.minute(a):%a %H:%M}–{site_time.minute(b):%H:%M}"
            for a, b in radio.episodes[-_SHOWN_MOVES:]
        ]
        out.append(("present", " · ".join(times), False))
    rates = sorted({r for n in radio.networks for r in n.basic_rates_mbps})
    if rates and rates[0] <= _SLOW_MBPS:
        share = percent(sum(n.beacon_share for n in radio.networks))
        listed = ", ".join(f"{r:g}" for r in rates)
        out.append(("low rates", f"{listed} Mb/s: beacons take {share} of the air", True))
    off_channel = [o for n in radio.networks for o in n.off_channel]
    if off_channel:
        channels = ", ".join(str(k) for k in sorted({o.channel for o in off_channel}))
        loudest = max((o.level_dbm for o in off_channel if o.level_dbm is not None), default=None)
        heard = f"{sum(o.frames for o in off_channel)} frames, at most {minus(loudest)} dBm"
        out.append(
            (
                "off channel",
                f"received on {channels}: {heard}; it transmits on {radio.channel.primary}",
                False,
            )
        )
    first = radio.networks[0]
    more = [
        f"AP name {first.ap_name}" if first.ap_name else "",
        f"transmit power {first.tx_power_dbm} dBm" if first.tx_power_dbm is not None else "",
        f"supports {', '.join('802.11' + letter for letter in first.roaming)}" if first.roaming else "",
        *(f"same device on {primary}, {band} GHz" for _, band, primary in first.neighbours[:3]),
    ]
    if any(more):
        out.append(("advertises", " · ".join(m for m in more if m), False))
    return out


def _about_network(network: Network) -> list[Line]:
    out: list[Line] = []
    if network.hidden and network.named_by:
        out.append(("hidden", f"its beacons hide the SSID; it is known from a {network.named_by}", False))
    if network.transmitted_by:
        out.append(("announced", f"in the beacons of {network.transmitted_by}", False))
    if network.clients:
        out.append(("sent at", _rates(network), False))
    return out


def _rates(network: Network) -> str:
    """Shares of frames by rate, in five steps."""
    total = sum(r.frames for r in network.rates)
    parts = []
    for low, high in pairwise((0.0, *_STEPS_MBPS)):
        frames = sum(r.frames for r in network.rates if low < r.mbps <= high)
        if frames:
            name = f"over {low:g}" if high == _STEPS_MBPS[-1] else f"up to {high:g}"
            parts.append(f"{name} Mb/s {percent(frames / total)}")
    return " · ".join(parts)


def _client_cells(client: Client, ink: str, width: int) -> tuple[Cell, ...]:
    share = client.retries / client.frames if client.frames else 0.0
    many = share >= _MANY_AGAIN and client.frames >= _ENOUGH_FRAMES
    can = (
        f"{client.generation} {client.streams}×{client.streams} {client.width_mhz}"
        if client.generation
        else "–"
    )
    on = " ".join(_span(client, band) for band in client.bands)
    link = client.link
    values = (
        f"  its link: {percent(link.retry_share)} retries" if link and link.retry_share is not None else ""
    )
    counted = (
        f" dBm {client.frames:>7,} frames "
        if width >= 110
        else f" {client.frames:>6,} frames "
        if width >= 90
        else " "
    )
    return (
        ("         · ", "dim"),
        (fit(printable(client.label), 18), "dim"),
        (fit(minus(client.level_dbm), 5, True), ink),
        (counted, "dim"),
        (
            f"{percent(share):>5}" + (" retries" if width >= 90 else ""),
            "act" if many and ink != "faint" else "dim",
        ),
        (f"   {fit(can, 11)}", ink),
        (on + values, "dim"),
    )


def link_rows(links: Sequence[Link], radios: Sequence[Radio]) -> list[Row]:
    """Links that a device counted itself, and whose other end no capture has shown as a client."""
    shown = {c.mac for r in radios for n in r.networks for c in n.clients}
    rest = [link for link in links if link.station not in shown]
    names = {n.bssid: r.name for r in radios for n in r.networks}
    if not rest:
        return []
    title = Row("links", ((("  links from a device's own counters", "faint"),),), fixed=True)
    return [
        title,
        *(Row(f"link/{link.station}", (_link_cells(link, names.get(link.station)),)) for link in rest),
    ]


def _link_cells(link: Link, to: str | None) -> tuple[Cell, ...]:
    retries = link.retry_share
    many = retries is not None and retries >= _MANY_AGAIN
    failed = "" if link.failed_share is None else f"  {percent(link.failed_share)} lost"
    rates = [
        f"{word} {mbps:g} Mb/s"
        for word, mbps in (("sends at", link.send_mbps), ("receives at", link.receive_mbps))
        if mbps
    ]
    return (
        ("    · ", "dim"),
        (fit(to or printable(link.label), 18), "text"),
        (fit(minus(link.level_dbm), 5, True), "text"),
        (" dBm  ", "dim"),
        (f"{percent(retries):>5} retries", "act" if many else "dim"),
        (f"{failed}  {'  '.join(rates)}", "dim"),
    )


def _span(client: Client, band: str) -> str:
    """The channels of a band that a client named: "2.4: 1–11"."""
    numbers = [n for b, n in client.channels if b == band]
    return f"{band}: {min(numbers)}–{max(numbers)} "
