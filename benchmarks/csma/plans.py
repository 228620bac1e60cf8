"""Plans beside plain ways of choosing channels, each site simulated with the load that was observed and in a busy hour.

The plan sees what a technician sees: levels at each own access point, channels, and airtime. The simulation knows
where the clients are.
"""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np

from benchmarks.csma.air import Air, Floats, Station
from benchmarks.csma.one_radio import station_on
from benchmarks.csma.run import simulate
from gray_kettle.analysis.assessment import Assessment, Network, OwnView, Radio, Stay
from gray_kettle.analysis.loss.channel_assessment import assess_channel, victim_of
from gray_kettle.model.setup import Setup
from gray_kettle.phy.channels import Channel, all_channels, narrow, wide
from gray_kettle.phy.countries import is_allowed, rules_by_number
from gray_kettle.planner.propose import propose

SECONDS = 2.0
COUNTRY = "US"
SIX = (narrow("2.4", 1), narrow("2.4", 6), narrow("2.4", 11))
WORSE = 0.85
WAYS = ("plan", "stay", "fewest networks", "greedy")
Rng = np.random.Generator
Choice = tuple[Channel, ...]


@dataclass(frozen=True, eq=False)
class PlannedSite:
    """Own radios first. levels: dBm of each at each; at_client: at the clients of each. activity: as observed."""

    band: str
    own: int
    channels: Choice
    levels: Floats
    at_client: Floats
    activity: Floats
    bursts_us: Floats

    def blocks(self) -> Choice:
        """What plain ways choose among."""
        if self.band == "2.4":
            return SIX
        return tuple(c for c in usual_blocks() if c.width_mhz == 80)

    def assessment(self) -> Assessment:
        radios = tuple(self._radio(k) for k in range(len(self.channels)))
        views = []
        for radio in radios[: self.own]:
            victim, assumed = victim_of(radio)
            now = assess_channel(radio.channel, victim, radios, radio)
            views.append(OwnView(radio, now, victim.client_level_dbm, assumed))
        covered = frozenset((self.band, n) for n in rules_by_number(COUNTRY, self.band))
        return Assessment(0.0, 3600.0, radios, (), tuple(views), (), (), covered, (), (), (), frozenset())

    def _radio(self, k: int) -> Radio:
        bssid = f"02:00:00:00:{k:02x}:00"
        at = tuple((f"radio {j}", -30.0 if j == k else float(self.levels[k, j])) for j in range(self.own))
        level = max(level for _, level in at)
        stay = Stay(self.channels[k], 1.0, level, at, None, 0.0, 3600.0)
        network = Network(
            bssid, b"net", "WPA2-PSK", "ax", 2, 100, 0.004, None, None, (6.0, 12.0), level, 0, 0, ()
        )
        activity = float(self.activity[k])
        return Radio(
            bssid, f"radio {k}", k < self.own, self.channels[k], level, None, activity, None, activity, "frames",
            "ax", 2, 0.0, 3600.0, (stay,), 0, (network,), "", float(self.at_client[k, k]),
            episodes=((0.0, 3600.0),),
        )  # fmt: skip

    def planned(self) -> Choice:
        moves = propose(self.assessment(), Setup(country=COUNTRY)).moves
        by_id = {m.radio.id: m.target for m in moves}
        return tuple(by_id[f"02:00:00:00:{k:02x}:00"] for k in range(self.own))

    def fewest_networks(self) -> Choice:
        """Each in turn on the block with the fewest networks in a list, however loud or busy."""
        chosen = list(self.channels)
        for k in range(self.own):
            heard = [c for j, c in enumerate(chosen) if j != k and self.levels[j, k] > -90]
            chosen[k] = min(self.blocks(), key=lambda b: sum(_overlap(b, c) for c in heard))
        return tuple(chosen[: self.own])

    def greedy(self) -> Choice:
        """Each in turn on the block in which it receives the least power from the others."""
        chosen = list(self.channels)
        for k in range(self.own):
            power = {
                b: sum(
                    10 ** (self.levels[j, k] / 10) for j, c in enumerate(chosen) if j != k and _overlap(b, c)
                )
                for b in self.blocks()
            }
            chosen[k] = min(power, key=lambda b: power[b])
        return tuple(chosen[: self.own])

    def by_way(self, way: str) -> Choice:
        if way == "plan":
            return self.planned()
        if way == "stay":
            return self.channels[: self.own]
        return self.greedy() if way == "greedy" else self.fewest_networks()

    def typical_mbps(self, chosen: Choice, saturated: bool, seed: int) -> float:
        """Geometric mean of what the own radios get. saturated: all of them send as much as they can; else each in
        turn, the others with their observed load.
        """
        rounds = [None] if saturated else list(range(self.own))
        got: list[float] = []
        for full in rounds:
            offered = self.activity.copy()
            offered[: self.own if full is None else 0] = 1.0
            if full is not None:
                offered[full] = 1.0
            stations: list[Station] = []
            for k, c in enumerate((*chosen, *self.channels[self.own :])):
                stations.append(station_on(c, offered=float(offered[k]), burst_us=float(self.bursts_us[k])))
            found = simulate(Air(tuple(stations), self.levels, self.at_client), SECONDS, seed)
            got += [float(m) for m in (found.mbps[: self.own] if full is None else found.mbps[[full]])]
        return float(np.exp(np.mean(np.log(np.maximum(got, 0.5)))))


def usual_blocks() -> Choice:
    """One channel of up to 80 MHz for each stretch of 5 GHz that all radios and clients have."""
    found: dict[tuple[float, int], Channel] = {}
    for c in all_channels("5"):
        usual = max(c.parts) <= 165 and not (165 in c.parts and c.width_mhz > 20)
        if c.width_mhz <= 80 and usual and is_allowed(COUNTRY, c):
            found.setdefault((c.centre_hz, c.width_mhz), c)
    return tuple(found.values())


def _overlap(one: Channel, other: Channel) -> bool:
    return abs(one.centre_hz - other.centre_hz) < (one.width_mhz + other.width_mhz) / 2 * 1e6 - 1e6


def random_site(rng: Rng, band: str, own: int | None = None, wide_start: bool = False) -> PlannedSite:
    """A building with own and foreign radios at random, their clients near them.

    wide_start: some own radios of 2.4 GHz are 40 MHz wide at first, which the plan takes from them for the sake of
    the neighbours.
    """
    count = own or int(rng.integers(2, 6))
    strangers = int(rng.integers(2, 9))
    n = count + strangers
    side_m = float(rng.uniform(25, 80))
    at = rng.uniform(0, side_m, (n, 2))
    at[count:] += rng.choice([-1, 1], (strangers, 2)) * rng.uniform(0, 20, (strangers, 2))
    client = at + rng.normal(0, 3, (n, 2))
    loss_1m, slope = (40.0, 32.0) if band == "2.4" else (47.0, 33.0)

    def levels(frm: Floats, to: Floats) -> Floats:
        far_m = np.maximum(np.hypot(*(frm[:, None] - to[None]).T).T, 1.0)
        return np.asarray(20.0 - loss_1m - slope * np.log10(far_m) - 3.0)

    shadow = rng.normal(0, 4, (n, n))
    at_station = np.clip(levels(at, at) + (shadow + shadow.T) / 2, -120, -35)
    at_client = np.clip(levels(at, client) + (shadow + shadow.T) / 2 + rng.normal(0, 3, (n, n)), -120, -35)
    at_client[np.arange(n), np.arange(n)] = np.clip(np.diag(at_client), -75, -40)
    activity = rng.choice([0.03, 0.1, 0.2, 0.4], n) * rng.uniform(0.7, 1.3, n)
    activity[:count] = rng.uniform(0.02, 0.3, count)
    channels = tuple(_start(rng, band, wide_start and k < count) for k in range(n))
    bursts = np.where(np.arange(n) < count, 2000.0, rng.uniform(600, 2500, n))
    return PlannedSite(band, count, channels, at_station, at_client, activity, bursts)


def _start(rng: Rng, band: str, may_be_wide: bool) -> Channel:
    if band == "2.4":
        if may_be_wide and rng.random() < 0.4:
            return wide("2.4", int(rng.choice([1, 3, 6])), 40)[0]
        return narrow("2.4", int(rng.choice([1, 6, 11]) if rng.random() < 0.8 else rng.integers(1, 12)))
    numbers = [n for n in rules_by_number(COUNTRY, "5") if n not in (165, 169, 173, 177)]
    return wide("5", int(rng.choice(numbers)), int(rng.choice([20, 40, 80])))[0]


@dataclass(frozen=True, eq=False)
class Compared:
    """Throughput by (site, way) in Mb/s, ways as in WAYS."""

    mbps: Floats

    def against(self, way: str) -> tuple[float, float, float]:
        """(geometric mean, lowest, share of sites below WORSE) of the plan over a way."""
        ratio = self.mbps[:, 0] / self.mbps[:, WAYS.index(way)]
        return float(np.exp(np.log(ratio).mean())), float(ratio.min()), float(np.mean(ratio < WORSE))


def compare(band: str, sites: int = 60, seed: int = 29, wide_start: bool = False) -> dict[bool, Compared]:
    """By load: saturated (True) and as observed."""
    drawn = [
        random_site(np.random.default_rng([seed, k, band == "5"]), band, wide_start=wide_start)
        for k in range(sites)
    ]
    chosen = [{way: site.by_way(way) for way in WAYS} for site in drawn]

    def row(work: tuple[int, bool]) -> list[float]:
        k, saturated = work
        known: dict[Choice, float] = {}
        for way in WAYS:
            known.setdefault(chosen[k][way], drawn[k].typical_mbps(chosen[k][way], saturated, k))
        return [known[chosen[k][way]] for way in WAYS]

    out = {}
    with ThreadPoolExecutor() as pool:
        for saturated in (True, False):
            out[saturated] = Compared(np.array(list(pool.map(row, [(k, saturated) for k in range(sites)]))))
    return out


def against_best(band: str, sites: int = 60, seed: int = 30) -> Floats:
    """For sites of one own radio: what the plan chose over the best open channel, by simulation; (sites,)."""
    drawn = [random_site(np.random.default_rng([seed, k, band == "5"]), band, 1) for k in range(sites)]

    def ratio(k: int) -> float:
        site = drawn[k]
        (planned,) = site.planned()
        options = {*(SIX if band == "2.4" else usual_blocks()), planned}
        mbps = {c: site.typical_mbps((c,), True, k) for c in options}
        return mbps[planned] / max(mbps.values())

    with ThreadPoolExecutor() as pool:
        return np.array(list(pool.map(ratio, range(sites))))
