"""Lists of networks, access points, BSSIDs and clients: columns, orders, and the rows of each."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from gray_kettle.analysis.assessment import Radio
from gray_kettle.analysis.inventory.pivots import (
    AccessPointEntry,
    BssidEntry,
    ClientEntry,
    Entry,
    NetworkEntry,
    Pivots,
)
from gray_kettle.decode.dot11.security import OPEN, is_outdated
from gray_kettle.safe_text import network_name, printable
from gray_kettle.site_timezone import SiteTime
from gray_kettle.tui.frame.row_list import LazyRow
from gray_kettle.tui.theme import Cell, fit, minus, percent

MIDDLE, WIDE = 96, 130
PIVOTS = ("radios", "networks", "access points", "BSSIDs", "clients")
_MANY_AGAIN = 0.15


@dataclass(frozen=True)
class Pivot:
    """How one kind is listed. entries: of the inventory; orders: by name, the first one to begin with."""

    entries: Callable[[Pivots], Sequence[Any]]
    orders: dict[str, Callable[[Any], Any]]
    heading: Callable[[int], str]
    cells: Callable[[Any, int, SiteTime], tuple[Cell, ...]]
    card: str  # what opens with enter
    noun: str


def _level(value: float | None) -> float:
    return -(value if value is not None else -200.0)


def _span(first_s: float, last_s: float, site_time: SiteTime) -> str:
    return f"{site_time.minute(first_s):%a %H:%M} – {site_time.minute(last_s):%a %H:%M}"


def mark(own: bool) -> Cell:
    return ("■ ", "own") if own else ("□ ", "foreign")


def security_ink(security: str, own: bool) -> str:
    return "act" if is_outdated(security) or (own and security == OPEN) else "text"


def _network(n: NetworkEntry, width: int, site_time: SiteTime) -> tuple[Cell, ...]:
    points = len({min((r.id, *r.siblings)) for r in n.radios})
    security = ", ".join(n.security) or "–"
    ink = "act" if any(security_ink(s, n.own) == "act" for s in n.security) else "text"
    cells: list[Cell] = [
        ("  ", "dim"), mark(n.own), (fit(n.name, 24), "own!" if n.own else "text!"),
        (fit(" ".join(n.bands), 8), "text"), (f"{points:>4}", "text"), (f"{len(n.bssids):>7}", "text"),
        (f"{n.clients or '–':>8}", "text"), (f"{minus(n.level_dbm):>6}  ", "text"),
        (fit(security, 20 if width >= MIDDLE else max(width - 64, 8)), ink),
    ]  # fmt: skip
    if width >= MIDDLE:
        cells.append((" " + fit(" ".join(n.channels), 22), "dim"))
    if width >= WIDE:
        cells.append((" " + _span(*n.span_s, site_time), "dim"))
    return tuple(cells)


def _access_point(a: AccessPointEntry, width: int, site_time: SiteTime) -> tuple[Cell, ...]:
    names = {n.ssid for r in a.radios for n in r.networks}
    loudest = max((r.level_dbm for r in a.radios if r.level_dbm is not None), default=None)
    cells: list[Cell] = [
        ("  ", "dim"), mark(a.own), (fit(printable(a.name), 24), "own!" if a.own else "text!"),
        (fit(" · ".join(f"{r.band} {r.channel.label}" for r in a.radios), 30), "text"),
        (f"{len(names):>6}", "text"), (f"{a.clients or '–':>9}", "text"), (f"{minus(loudest):>6}", "text"),
    ]  # fmt: skip
    if width >= MIDDLE:
        cells.append((f"  {a.key}", "dim"))
    if width >= WIDE:
        first, last = min(r.first_s for r in a.radios), max(r.last_s for r in a.radios)
        cells.append(("  " + _span(first, last, site_time), "dim"))
    return tuple(cells)


def _bssid(b: BssidEntry, width: int, site_time: SiteTime) -> tuple[Cell, ...]:
    n, own = b.network, b.radio.own
    cells: list[Cell] = [
        ("  ", "dim"), mark(own), (fit(network_name(n.ssid), 20), "own!" if own else "text!"), (f" {n.bssid} ", "dim"),
        (f"{b.radio.band:>4} {fit(b.radio.channel.label, 7)}", "text"), (f"{minus(n.level_dbm):>5}", "text"),
        (f"{len(n.clients) or '–':>8}  ", "text"),
    ]  # fmt: skip
    if width >= MIDDLE:
        cells.append((fit(n.security or "–", 18), security_ink(n.security, own)))
    if width >= WIDE:
        cells += [
            (fit(b.radio.kind, 8), "dim"), (fit(printable(b.radio.name), 18) + " ", "dim"),
            (_span(n.first_s, n.last_s, site_time), "dim"),
        ]  # fmt: skip
    return tuple(cells)


def _client(c: ClientEntry, width: int, site_time: SiteTime) -> tuple[Cell, ...]:
    client, latest = c.main, c.latest
    share = c.retries / c.frames if c.frames else 0.0
    can = (
        f"{client.generation} {client.streams}×{client.streams} {client.width_mhz}"
        if client.generation
        else "–"
    )
    cells: list[Cell] = [
        ("  ", "dim"), mark(c.radio.own), (fit(printable(client.label), 19), "text!"),
        (fit(" ".join(c.bands), 6), "text"),
        (fit(f"{network_name(latest.network.ssid)}, {latest.radio.name}", 26), mark(latest.radio.own)[1]),
        (f"{minus(client.level_dbm):>5}", "text"), (f"{c.frames:>8,}", "text"),
        (f"{percent(share):>7}", "act" if share >= _MANY_AGAIN and c.frames >= 30 else "dim"),
    ]  # fmt: skip
    if width >= MIDDLE:
        rate = f"{client.mbps:.0f}" if client.mbps is not None else "–"
        cells += [(f"{rate:>6}  ", "text"), (fit(can, 12), "dim")]
    if width >= WIDE:
        cells += [(fit(client.security or "–", 10), "dim"), (" " + _span(*c.span_s, site_time), "dim")]
    return tuple(cells)


def _heads(*parts: tuple[int, str]) -> Callable[[int], str]:
    """Texts from a width on."""
    return lambda width: "".join(text for least, text in parts if width >= least)


_BY: dict[str, Pivot] = {
    "networks": Pivot(
        lambda p: p.networks,
        {"level": lambda n: (not n.own, _level(n.level_dbm)), "name": lambda n: n.name.lower(),
         "clients": lambda n: -n.clients, "BSSIDs": lambda n: -len(n.bssids), "heard": lambda n: -n.span_s[1]},
        _heads((0, "     network                 bands    APs  BSSIDs clients   dBm  security            "),
               (MIDDLE, " channels              "), (WIDE, " first and last heard")),
        _network, "network", "network",
    ),
    "access points": Pivot(
        lambda p: p.access_points,
        {"level": lambda a: (not a.own, min(_level(r.level_dbm) for r in a.radios)),
         "name": lambda a: a.name.lower(), "clients": lambda a: -a.clients, "radios": lambda a: -len(a.radios)},
        _heads((0, "     access point            radios                         names  clients   dBm"),
               (MIDDLE, "  address          "), (WIDE, "  first and last heard")),
        _access_point, "ap", "access point",
    ),
    "BSSIDs": Pivot(
        lambda p: p.bssids,
        {"level": lambda b: (not b.radio.own, _level(b.network.level_dbm)),
         "name": lambda b: network_name(b.network.ssid).lower(),
         "BSSID": lambda b: b.key, "channel": lambda b: (float(b.radio.band), b.radio.channel.primary),
         "clients": lambda b: -len(b.clients), "heard": lambda b: -b.network.last_s},
        _heads((0, "     network              BSSID             band channel  dBm clients  "),
               (MIDDLE, "security          "), (WIDE, "gen     radio              first and last heard")),
        _bssid, "bssid", "BSSID",
    ),
    "clients": Pivot(
        lambda p: p.clients,
        {"frames": lambda c: (not c.radio.own, -c.frames), "name": lambda c: c.main.label.lower(),
         "level": lambda c: _level(c.main.level_dbm), "retries": lambda c: -(c.retries / c.frames if c.frames else 0),
         "rate": lambda c: c.main.mbps if c.main.mbps is not None else 1e9, "heard": lambda c: -c.span_s[1]},
        _heads((0, "     client             bands network, radio              dBm  frames retries"),
               (MIDDLE, "  Mb/s  can do      "), (WIDE, "security   first and last hour")),
        _client, "client", "client",
    ),
}  # fmt: skip


def pivot(name: str) -> Pivot:
    """One of PIVOTS but the first."""
    return _BY[name]


def pivot_rows(entries: Sequence[Entry], by: Pivot, width: int, site_time: SiteTime) -> list[LazyRow]:
    """Keys: the card that a row opens, and of what."""
    return [LazyRow(f"{by.card}:{e.key}", _maker(by, e, width, site_time)) for e in entries]


def _maker(by: Pivot, entry: Entry, width: int, site_time: SiteTime) -> Callable[[], tuple[Cell, ...]]:
    return lambda: by.cells(entry, width, site_time)


def radio_of(entry: Entry) -> Radio:
    """The radio that keys which act on a radio mean."""
    return entry.latest.radio if isinstance(entry, ClientEntry) else entry.narrowed[0]
