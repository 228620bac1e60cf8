"""Cards: what there is to say of a network, an access point, a radio, a BSSID or a client, and what each leads to."""

import re
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

from gray_kettle.analysis.assessment import Radio
from gray_kettle.analysis.client_page import client_facts
from gray_kettle.analysis.findings import count
from gray_kettle.analysis.inventory.pivots import BssidEntry, ClientEntry, Entry, NetworkEntry, Pivots
from gray_kettle.decode.dot11.security import OPEN, is_outdated
from gray_kettle.safe_text import network_name, printable
from gray_kettle.tui.frame.row_list import LazyRow, Row
from gray_kettle.tui.heard.pivot_rows import pivot, pivot_rows
from gray_kettle.tui.heard.tree import about_radio
from gray_kettle.tui.theme import Cell, fit, minus, percent, wrap
from gray_kettle.tui.view_state import ViewState

_LABEL = 12
_MOST_LISTED = 500
AnyRow = Row | LazyRow
Rows = Callable[[int], list[LazyRow]]
Reference = tuple[str, str, Rows]  # heading, the list whose columns it has ("" for none), its rows


@dataclass(frozen=True)
class Card:
    """title: with what the trail names it. facts: (what, text, whether it is worth a look). references: by heading."""

    title: str
    facts: tuple[tuple[str, str, bool], ...]
    references: tuple[Reference, ...]
    client: str = ""  # address of the client whose time line is shown


def card_of(key: str, state: ViewState, pivots: Pivots) -> Card | None:
    """key: "network:…", "ap:…", "radio:…", "bssid:…" or "client:…"; None where it is not in this window."""
    kind, _, name = key.partition(":")
    return _MAKERS[kind](name, state, pivots) if kind in _MAKERS else None


def card_rows(card: Card, width: int) -> list[AnyRow]:
    """Facts, then what it leads to."""
    rows: list[AnyRow] = []
    for what, text, is_fault in card.facts:
        lines: list[tuple[Cell, ...]] = []
        for k, part in enumerate(wrap(text, max(width - _LABEL - 4, 20)) or [""]):
            label = fit("" if k else what, _LABEL)
            lines.append(((f"  {label} ", "dim"), (part, "watch" if is_fault else "text")))
        rows.append(Row(f"fact {what} {len(rows)}", tuple(lines), fixed=True))
    for heading, columns, build in card.references:
        found = build(width)
        if found:
            more = f", {_MOST_LISTED} of {len(found)} shown" if len(found) > _MOST_LISTED else ""
            rows.append(
                Row(f"heading {heading}", (_heading(f"{heading}{more}", columns, width),), fixed=True)
            )
            rows += found[:_MOST_LISTED]
    return rows


def _heading(title: str, columns: str, width: int) -> tuple[Cell, ...]:
    """The title where the first column of the list has its name, then the names of the others."""
    names = pivot(columns).heading(width)[1:] if columns else ""
    second = re.match(r"\s*\S+(?: \S+)*\s+", names)
    at = max(second.end() if second else 0, len(title) + 3)
    return ((fit(f" {title}", at), "steam!"), (names[at:], "faint"))


def _listing(name: str, entries: Sequence[Entry], state: ViewState) -> tuple[str, Rows]:
    by = pivot(name)
    return name, lambda width: pivot_rows(entries, by, width, state.setup.site_time)


def _radios(radios: tuple[Radio, ...]) -> Rows:
    def row(radio: Radio, width: int) -> LazyRow:
        clients = len({c.mac for n in radio.networks for c in n.clients})

        def cells() -> tuple[Cell, ...]:
            return (
                ("  ", "dim"),
                ("■ " if radio.own else "□ ", "own" if radio.own else "foreign"),
                (fit(printable(radio.name), 24), "own!" if radio.own else "text!"),
                (f"{radio.band:>4} GHz {fit(radio.channel.label, 8)}", "text"),
                (f"{minus(radio.level_dbm):>6} dBm", "text"),
                (f"{clients or '–':>5} {'client ' if clients == 1 else 'clients'}", "dim"),
                (f"  {radio.id}" if width >= 90 else "", "dim"),
            )

        return LazyRow(f"radio:{radio.id}", cells)

    return lambda width: [row(radio, width) for radio in radios]


def _frames(address: str) -> Rows:
    return lambda width: [
        LazyRow(f"frames:{address}", lambda: (("   example frames, field by field", "text"),))
    ]


def _heard(first_s: float, last_s: float, state: ViewState, word: str = "") -> tuple[str, str, bool]:
    """word: what a time is beyond a moment, " hour"."""
    at = state.setup.site_time
    first, last = (f"{at.minute(time_s):%a %d %b %H:%M}" for time_s in (first_s, last_s))
    return "heard", f"first{word} {first}, last{word} {last}, in this window", False


def _network(name: str, state: ViewState, pivots: Pivots) -> Card | None:
    entry = pivots.network(name)
    if entry is None:
        return None
    points = tuple(dict.fromkeys(a for r in entry.radios if (a := pivots.access_point_of(r.id)) is not None))
    macs = {c.mac for b in entry.bssids for c in b.clients}
    clients = _clients_of(macs, pivots)
    numbers = (
        (points, "access point"),
        (entry.radios, "radio"),
        (entry.bssids, "BSSID"),
        (clients, "client"),
    )
    made_of = ", ".join(count(len(found), noun) for found, noun in numbers)
    return Card(
        f"network {entry.name}",
        (
            ("ours" if entry.own else "foreign", made_of, False),
            *_network_security(entry),
            ("channels", "; ".join(_channels_by_band(entry)), False),
            ("strongest", f"{minus(entry.level_dbm)} dBm", False),
            _heard(*entry.span_s, state),
        ),
        (
            ("Access points", *_listing("access points", points, state)),
            ("BSSIDs", *_listing("BSSIDs", entry.bssids, state)),
            ("Clients", *_listing("clients", clients, state)),
        ),
    )


def _network_security(entry: NetworkEntry) -> Iterator[tuple[str, str, bool]]:
    offered = ", ".join(entry.security) or "not reported"
    wrong = any(is_outdated(s) or (entry.own and s == OPEN) for s in entry.security)
    yield "security", offered, wrong
    used: dict[str, int] = {}
    for client in {c.mac: c for b in entry.bssids for c in b.clients if c.security}.values():
        used[client.security] = used.get(client.security, 0) + 1
    if used:
        listed = ", ".join(f"{security}: {count}" for security, count in sorted(used.items()))
        yield "in use", f"{listed}, of clients that were heard to join", False


def _channels_by_band(entry: NetworkEntry) -> Iterator[str]:
    for band in entry.bands:
        radios = sorted((r for r in entry.radios if r.band == band), key=lambda r: r.channel.primary)
        yield f"{band} GHz: {', '.join(dict.fromkeys(r.channel.label for r in radios))}"


def _access_point(name: str, state: ViewState, pivots: Pivots) -> Card | None:
    entry = pivots.access_point_of(name)
    if entry is None:
        return None
    bssids = tuple(b for b in pivots.bssids if any(b.radio.id == r.id for r in entry.radios))
    macs = {c.mac for b in bssids for c in b.clients}
    named = (pivots.network_of(b.network.ssid, b.radio.id) for b in bssids)
    networks = tuple(dict.fromkeys(n for n in named if n is not None))
    numbers = ((entry.radios, "radio"), (networks, "network"), (macs, "client"))
    made_of = ", ".join(count(len(found), noun) for found, noun in numbers)
    facts = [
        (
            "ours" if entry.own else "foreign",
            made_of,
            False,
        ),
        _heard(min(r.first_s for r in entry.radios), max(r.last_s for r in entry.radios), state),
    ]
    if len(entry.radios) > 1:
        facts.append(("together", "its radios were taken for one box by their addresses", False))
    return Card(
        f"access point {printable(entry.name)}",
        tuple(facts),
        (
            ("Radios", "", _radios(entry.radios)),
            ("Networks", *_listing("networks", networks, state)),
            ("Clients", *_listing("clients", _clients_of(macs, pivots), state)),
        ),
    )


def _radio(name: str, state: ViewState, pivots: Pivots) -> Card | None:
    radio = state.assessment.radio(name)
    if radio is None:
        return None
    view = next((v for v in state.assessment.own if v.radio.id == radio.id), None)
    point = pivots.access_point_of(radio.id)
    bssids = tuple(b for b in pivots.bssids if b.radio.id == radio.id)
    macs = {c.mac for b in bssids for c in b.clients}
    where = (
        f"{radio.band} GHz, channel {radio.channel.label}, {minus(radio.level_dbm)} dBm, 802.11 {radio.kind}"
    )
    facts = [("ours" if radio.own else "foreign", where, False)]
    if view is not None and view.now is not None:
        mbps, clear = view.now.expected_mbps, percent(view.now.clear_air)
        facts.append(("expected", f"{mbps:.0f} Mb/s, {clear} clear air", False))
    facts.append(_heard(radio.first_s, radio.last_s, state))
    facts += about_radio(radio, state.setup.site_time, state.assessment.radios)
    return Card(
        f"radio {printable(radio.name)} {radio.band} GHz",
        tuple(facts),
        (
            ("Access point", *_listing("access points", (point,) if point else (), state)),
            ("BSSIDs", *_listing("BSSIDs", bssids, state)),
            ("Clients", *_listing("clients", _clients_of(macs, pivots), state)),
            ("Frames", "", _frames(radio.id)),
        ),
    )


def _bssid(name: str, state: ViewState, pivots: Pivots) -> Card | None:
    entry = pivots.bssid(name)
    if entry is None:
        return None
    network = pivots.network_of(entry.network.ssid, entry.radio.id)
    macs = {c.mac for c in entry.clients}
    return Card(
        f"BSSID {entry.key}",
        tuple(_bssid_facts(entry, state)),
        (
            ("Network", *_listing("networks", (network,) if network else (), state)),
            ("Radio", "", _radios((entry.radio,))),
            ("Clients", *_listing("clients", _clients_of(macs, pivots), state)),
            ("Frames", "", _frames(entry.key)),
        ),
    )


def _bssid_facts(entry: BssidEntry, state: ViewState) -> Iterator[tuple[str, str, bool]]:
    n, radio = entry.network, entry.radio
    yield "network", f"{network_name(n.ssid)}{', hidden in its beacons' if n.hidden else ''}", False
    yield (
        "security",
        n.security or "not reported",
        is_outdated(n.security) or (radio.own and n.security == OPEN),
    )
    yield "channel", f"{radio.band} GHz, {radio.channel.label}, {minus(n.level_dbm)} dBm", False
    kind = (
        "not reported"
        if not n.generation
        else f"802.11{n.generation}{f', {n.streams} streams' if n.streams else ''}"
    )
    yield "can do", kind, False
    rates = ", ".join(f"{r:g}" for r in n.basic_rates_mbps)
    if rates:
        yield "basic rates", f"{rates} Mb/s; its beacons take {percent(n.beacon_share)} of the air", False
    if n.load_utilisation is not None or n.load_stations is not None:
        busy = "" if n.load_utilisation is None else f"channel {percent(n.load_utilisation)} busy"
        stations = "" if n.load_stations is None else f"{n.load_stations} stations"
        yield "reports", ", ".join(part for part in (stations, busy) if part), False
    if n.frames:
        yield (
            "frames",
            f"{n.frames:,} heard, {percent(n.retries / max(n.retriable, 1))} of those to one receiver again",
            False,
        )
    yield _heard(n.first_s, n.last_s, state)


def _client(mac: str, state: ViewState, pivots: Pivots) -> Card | None:
    entry = pivots.client(mac)
    if entry is None:
        return None
    return Card(
        f"client {printable(entry.main.label)}",
        (
            ("address", mac, False),
            *client_facts(entry, state.assessment),
            _heard(*entry.span_s, state, " hour"),
        ),
        (
            ("Was heard with", *_listing("BSSIDs", tuple(b for b, _ in entry.seen), state)),
            ("Networks", *_listing("networks", _networks_of(entry, pivots), state)),
            ("Frames", "", _frames(mac)),
        ),
        client=mac,
    )


def _clients_of(macs: set[str], pivots: Pivots) -> tuple[ClientEntry, ...]:
    """In order of frames."""
    found = [entry for mac in macs if (entry := pivots.client(mac)) is not None]
    return tuple(sorted(found, key=lambda c: (-c.frames, c.key)))


def _networks_of(entry: ClientEntry, pivots: Pivots) -> tuple[NetworkEntry, ...]:
    found = [pivots.network_of(b.network.ssid, b.radio.id) for b, _ in entry.seen]
    return tuple(dict.fromkeys(n for n in found if n is not None))


_MAKERS: dict[str, Callable[[str, ViewState, Pivots], Card | None]] = {
    "network": _network,
    "ap": _access_point,
    "radio": _radio,
    "bssid": _bssid,
    "client": _client,
}
