"""Expected throughput of one radio by the product beside the simulated one, on random sites of several kinds."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from benchmarks.csma.air import Air, Floats, Station
from benchmarks.csma.run import simulate_all
from gray_kettle.analysis.loss.interference_loss import Candidates, Interferers, VictimRadio, score_channels
from gray_kettle.phy.channels import Channel, narrow, wide

CLIENT_SPREAD_DB = 3.0  # a client does not hear what its access point hears
OTHER_CLIENT_DBM = -60.0
SECONDS = 4.0
Rng = np.random.Generator
Neighbour = tuple[Channel, float, float]  # channel, level in dBm, activity
SIX = (narrow("2.4", 1), narrow("2.4", 6), narrow("2.4", 11))


@dataclass(frozen=True, eq=False)
class Site:
    """One saturated radio and its neighbours. between: levels among the neighbours, dBm, (n, n)."""

    channel: Channel
    client_dbm: float
    neighbours: tuple[Neighbour, ...]
    between: Floats

    def expected_mbps(self) -> float:
        n = len(self.neighbours)
        others = Interferers(
            tuple(c for c, _, _ in self.neighbours),
            np.array([level for _, level, _ in self.neighbours]),
            np.array([a for _, _, a in self.neighbours]),
            np.ones(n),
            np.full(n, np.nan),
            np.zeros(n, bool),
        )
        victim = VictimRadio("ax", 2, self.client_dbm)
        return float(score_channels(victim, Candidates((self.channel,)), others).expected_mbps[0])

    def air(self, rng: Rng) -> Air:
        n = len(self.neighbours) + 1
        stations = [station_on(self.channel)]
        stations += [
            station_on(c, offered=a, burst_us=float(rng.uniform(600, 2500))) for c, _, a in self.neighbours
        ]
        at = np.full((n, n), -200.0)
        levels = [level for _, level, _ in self.neighbours]
        at[0, 1:] = at[1:, 0] = levels
        at[1:, 1:] = self.between
        client = at + rng.normal(0, CLIENT_SPREAD_DB, (n, n))
        client[np.arange(n), np.arange(n)] = OTHER_CLIENT_DBM
        client[0, 0] = self.client_dbm
        return Air(tuple(stations), at, client)


def station_on(channel: Channel, **what: float) -> Station:
    return Station(channel.centre_hz / 1e6, channel.width_mhz, channel.primary_hz / 1e6, **what)  # type: ignore[arg-type]


def _site(
    rng: Rng, channel: Channel, choose: Callable[[], Channel], low: float, high: float, most: int
) -> Site:
    n = int(rng.integers(1, most + 1))
    neighbours = tuple(
        (
            choose(),
            float(rng.uniform(low, high)),
            float(rng.choice([0.03, 0.1, 0.2, 0.4]) * rng.uniform(0.7, 1.3)),
        )
        for _ in range(n)
    )
    between = rng.uniform(-95, -50, (n, n))
    return Site(channel, float(rng.uniform(-72, -50)), neighbours, np.minimum(between, between.T))


def on_plan(rng: Rng) -> Site:
    return _site(rng, _any(rng, SIX), lambda: _any(rng, SIX), -92, -45, 8)


def off_plan(rng: Rng) -> Site:
    channel = narrow("2.4", int(rng.integers(1, 12)))
    return _site(rng, channel, lambda: narrow("2.4", int(rng.integers(1, 12))), -92, -45, 5)


def forty_in_2_4(rng: Rng) -> Site:
    channel = wide("2.4", int(rng.choice([1, 2, 3, 5, 6])), 40)[0]
    return _site(rng, channel, lambda: _any(rng, SIX), -92, -45, 5)


def five(rng: Rng) -> Site:
    def choose() -> Channel:
        return wide("5", int(rng.choice([36, 40, 44, 48, 52, 56, 60, 64])), int(rng.choice([20, 40, 80])))[0]

    return _site(rng, choose(), choose, -92, -45, 6)


def hidden(rng: Rng) -> Site:
    """Neighbours on one channel that do not hear one another, all heard here."""
    channel = _any(rng, SIX)
    site = _site(rng, channel, lambda: channel, -75, -50, 3)
    n = len(site.neighbours)
    return Site(channel, site.client_dbm, site.neighbours, np.full((n, n), -120.0))


def faint(rng: Rng) -> Site:
    """Neighbours on the same channel too faint to be decoded, and clients that are not near."""
    channel = _any(rng, SIX)
    site = _site(rng, channel, lambda: channel, -92, -82, 5)
    return Site(channel, float(rng.uniform(-76, -62)), site.neighbours, site.between)


def _any(rng: Rng, channels: tuple[Channel, ...]) -> Channel:
    return channels[int(rng.integers(len(channels)))]


KINDS: dict[str, Callable[[Rng], Site]] = {
    "2.4 GHz, all on 1, 6, 11": on_plan,
    "2.4 GHz, any number": off_plan,
    "40 MHz in 2.4 GHz": forty_in_2_4,
    "5 GHz, 20 to 80 MHz": five,
    "neighbours hidden from each other": hidden,
    "faint neighbours on the same channel": faint,
}


@dataclass(frozen=True, eq=False)
class Compared:
    """Expected and simulated throughput, Mb/s, of the sites of one kind."""

    expected: Floats
    simulated: Floats

    @property
    def ratio(self) -> Floats:
        return self.expected / np.maximum(self.simulated, 0.1)

    def spread(self) -> tuple[float, float, float, float]:
        """(median, 5th, 95th percentile of the ratio, share of sites within 0.67 to 1.5)."""
        low, middle, high = np.percentile(self.ratio, [5, 50, 95])
        inside = float(np.mean((self.ratio >= 0.67) & (self.ratio <= 1.5)))
        return float(middle), float(low), float(high), inside


def compare(kind: str, sites: int = 60, seed: int = 29) -> Compared:
    rng = np.random.default_rng([seed, list(KINDS).index(kind)])
    drawn = [KINDS[kind](rng) for _ in range(sites)]
    airs = [site.air(rng) for site in drawn]
    found = simulate_all(airs, SECONDS)
    return Compared(np.array([s.expected_mbps() for s in drawn]), np.array([r.mbps[0] for r in found]))
