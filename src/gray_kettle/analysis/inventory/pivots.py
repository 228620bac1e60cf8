"""The same inventory seen by network, by access point, by BSSID and by client, over all bands.

Every entry leads to the radios that it is made of, so that a condition on radios (filter_query) holds for it too.
"""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, TypeVar

from gray_kettle.analysis.assessment import Client, Network, Radio
from gray_kettle.safe_text import is_hidden, network_name

Item = TypeVar("Item", Radio, Network)


def _with(item: Item, **changes: Any) -> Item:
    """As dataclasses.replace, thirty times as fast: a list of thousands of clients asks for two of each."""
    made = object.__new__(type(item))
    made.__dict__.update(item.__dict__, **changes)
    return made


@dataclass(frozen=True, eq=False)
class BssidEntry:
    """One BSSID and the radio that announces it."""

    radio: Radio
    network: Network

    @property
    def key(self) -> str:
        return self.network.bssid

    @cached_property
    def narrowed(self) -> tuple[Radio, ...]:
        """Its radio with this BSSID alone: what a filter is asked of."""
        return (_with(self.radio, networks=(self.network,)),)

    @property
    def clients(self) -> tuple[Client, ...]:
        return self.network.clients


@dataclass(frozen=True, eq=False)
class NetworkEntry:
    """All BSSIDs of one name. Names that are hidden are one network for each radio: nothing says that they are one."""

    key: str
    ssid: bytes
    bssids: tuple[BssidEntry, ...]

    @property
    def name(self) -> str:
        return network_name(self.ssid)

    @property
    def own(self) -> bool:
        return any(b.radio.own for b in self.bssids)

    @property
    def radios(self) -> tuple[Radio, ...]:
        return tuple({b.radio.id: b.radio for b in self.bssids}.values())

    @property
    def bands(self) -> tuple[str, ...]:
        return tuple(sorted({b.radio.band for b in self.bssids}, key=float))

    @property
    def security(self) -> tuple[str, ...]:
        return tuple(sorted({b.network.security for b in self.bssids if b.network.security}))

    @property
    def channels(self) -> tuple[str, ...]:
        """By band and number."""
        radios = sorted(self.radios, key=lambda r: (float(r.band), r.channel.primary))
        return tuple(dict.fromkeys(r.channel.label for r in radios))

    @property
    def clients(self) -> int:
        return len({c.mac for b in self.bssids for c in b.clients})

    @property
    def level_dbm(self) -> float | None:
        """Of the strongest."""
        return max(
            (b.network.level_dbm for b in self.bssids if b.network.level_dbm is not None), default=None
        )

    @property
    def span_s(self) -> tuple[float, float]:
        """First and last moment that it was announced."""
        return min(b.network.first_s for b in self.bssids), max(b.network.last_s for b in self.bssids)

    @cached_property
    def narrowed(self) -> tuple[Radio, ...]:
        return tuple(radio for b in self.bssids for radio in b.narrowed)


@dataclass(frozen=True, eq=False)
class AccessPointEntry:
    """Radios of one box: those that belong together by their addresses (Radio.siblings)."""

    radios: tuple[Radio, ...]

    @property
    def key(self) -> str:
        return self.radios[0].id

    @property
    def name(self) -> str:
        """That it gives itself; else of its radios."""
        said = next((n.ap_name for r in self.radios for n in r.networks if n.ap_name), "")
        return said or " / ".join(dict.fromkeys(r.name for r in self.radios))

    @property
    def own(self) -> bool:
        return any(r.own for r in self.radios)

    @property
    def clients(self) -> int:
        return len({c.mac for r in self.radios for n in r.networks for c in n.clients})

    @property
    def narrowed(self) -> tuple[Radio, ...]:
        return self.radios


@dataclass(frozen=True, eq=False)
class ClientEntry:
    """One device by its address, wherever it was heard: (entry of the BSSID, what it was there), most frames first."""

    seen: tuple[tuple[BssidEntry, Client], ...]

    @property
    def key(self) -> str:
        return self.main.mac

    @property
    def main(self) -> Client:
        return self.seen[0][1]

    @property
    def radio(self) -> Radio:
        """That it sent most to."""
        return self.seen[0][0].radio

    @cached_property
    def latest(self) -> BssidEntry:
        """That it was heard with last; of those of the last hour the one with most frames."""
        return max(self.seen, key=lambda item: item[1].last_s)[0]

    @cached_property
    def bands(self) -> tuple[str, ...]:
        return tuple(sorted({b.radio.band for b, _ in self.seen}, key=float))

    @cached_property
    def frames(self) -> int:
        return sum(c.frames for _, c in self.seen)

    @cached_property
    def retries(self) -> int:
        return sum(c.retries for _, c in self.seen)

    @cached_property
    def span_s(self) -> tuple[float, float]:
        return min(c.first_s for _, c in self.seen), max(c.last_s for _, c in self.seen)

    @cached_property
    def narrowed(self) -> tuple[Radio, ...]:
        """Its radios with it alone as client."""
        return tuple(
            _with(b.radio, networks=(_with(b.network, clients=(client,)),)) for b, client in self.seen
        )


Entry = NetworkEntry | AccessPointEntry | BssidEntry | ClientEntry
Kind = TypeVar("Kind", bound=Entry)


class Pivots:
    """All of them for some radios; each is made when it is asked for first."""

    def __init__(self, radios: Sequence[Radio]) -> None:
        self._radios = radios

    @cached_property
    def bssids(self) -> tuple[BssidEntry, ...]:
        """Own ones first, then by level."""
        found = [BssidEntry(r, n) for r in self._radios for n in r.networks]
        return tuple(sorted(found, key=lambda b: (not b.radio.own, -(b.network.level_dbm or -200.0), b.key)))

    @cached_property
    def networks(self) -> tuple[NetworkEntry, ...]:
        """Own ones first, then by the level of the strongest BSSID."""
        groups: dict[str, list[BssidEntry]] = {}
        for b in self.bssids:
            hidden = is_hidden(b.network.ssid)
            groups.setdefault(f"hidden {b.radio.id}" if hidden else b.network.ssid.hex(), []).append(b)
        found = [NetworkEntry(key, its[0].network.ssid, tuple(its)) for key, its in groups.items()]
        return tuple(sorted(found, key=lambda n: (not n.own, -(n.level_dbm or -200.0), n.key)))

    @cached_property
    def access_points(self) -> tuple[AccessPointEntry, ...]:
        """Own ones first, then by level."""
        by_id = {r.id: r for r in self._radios}
        left, found = dict(by_id), []
        for radio in self._radios:
            if radio.id not in left:
                continue
            box = {radio.id, *(i for i in radio.siblings if i in left)}
            radios = sorted((left.pop(i) for i in box), key=lambda r: (float(r.band), r.id))
            found.append(AccessPointEntry(tuple(radios)))
        return tuple(found)

    @cached_property
    def clients(self) -> tuple[ClientEntry, ...]:
        """Those of own radios first, then by frames."""
        groups: dict[str, list[tuple[BssidEntry, Client]]] = {}
        for b in self.bssids:
            for client in b.clients:
                groups.setdefault(client.mac, []).append((b, client))
        found = [ClientEntry(tuple(sorted(its, key=lambda i: -i[1].frames))) for its in groups.values()]
        return tuple(sorted(found, key=lambda c: (not c.radio.own, -c.frames, c.key)))

    def network_of(self, ssid: bytes, radio_id: str) -> NetworkEntry | None:
        key = f"hidden {radio_id}" if is_hidden(ssid) else ssid.hex()
        return self.network(key)

    def access_point_of(self, radio_id: str) -> AccessPointEntry | None:
        return self._points.get(radio_id)

    def network(self, key: str) -> NetworkEntry | None:
        return self._networks.get(key)

    def bssid(self, bssid: str) -> BssidEntry | None:
        return self._bssids.get(bssid)

    def client(self, mac: str) -> ClientEntry | None:
        return self._clients.get(mac)

    @cached_property
    def _points(self) -> dict[str, AccessPointEntry]:
        return {r.id: a for a in self.access_points for r in a.radios}

    @cached_property
    def _networks(self) -> dict[str, NetworkEntry]:
        return {n.key: n for n in self.networks}

    @cached_property
    def _bssids(self) -> dict[str, BssidEntry]:
        return {b.key: b for b in self.bssids}

    @cached_property
    def _clients(self) -> dict[str, ClientEntry]:
        return {c.key: c for c in self.clients}


def passing(entries: Iterable[Kind], condition: Callable[[Radio], bool]) -> list[Kind]:
    """Entries of which a radio, narrowed to them, meets a condition."""
    return [entry for entry in entries if any(condition(radio) for radio in entry.narrowed)]
