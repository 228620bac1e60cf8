"""Radios, emitters and facts made by hand, for rules that look at nothing else."""

from dataclasses import replace

from gray_kettle.analysis.assessment import Change, Client, Emitter, Network, OwnView, Radio, Stay
from gray_kettle.analysis.findings import Facts, find
from gray_kettle.analysis.loss.channel_assessment import assess_channel, hidden_pairs, victim_of
from gray_kettle.phy.channels import wide

START_S = 1_800_000_000.0


def channel(band, number, width=20):
    return wide(band, number, width)[0]


def network(bssid, ssid="net", **more):
    told = {
        "security": "WPA2-PSK", "generation": "ax", "streams": 2, "beacon_interval_tu": 100, "beacon_share": 0.004,
        "load_stations": None, "load_utilisation": None, "basic_rates_mbps": (6.0, 12.0, 24.0), "level_dbm": -50.0,
        "frames": 0, "retries": 0, "clients": (),
    }  # fmt: skip
    return Network(bssid=bssid, ssid=ssid.encode(), **(told | more))


def client(number, level=-55.0, frames=50, **more):
    return Client(f"06:00:00:00:00:{number:02x}", level, frames, 0, **more)


def radio(owner, number, *, own=False, band="2.4", level=-50.0, width=20, activity=0.05, presence=1.0,
          at=(), ssid="net", networks=None, **more):  # fmt: skip
    """A radio of a box (owner): its address holds that and the band. at: (spot, level) pairs."""
    bssid = f"02:7a:10:{owner:02x}:{band[0]}0:00"
    place = channel(band, number, width)
    at = at or (("hall", level),)
    stay = Stay(place, presence, level, tuple(at), None, START_S, START_S + 3600)
    told = {
        "noise_dbm": None, "air_share": activity, "retry_share": None, "activity": activity,
        "activity_source": "frames", "generation": "ax", "streams": 2, "first_s": START_S,
        "last_s": START_S + 3600, "stays": (stay,), "moves": 0, "grouped": "announces one network",
        "client_level_dbm": None,
    }  # fmt: skip
    return Radio(id=bssid, name=f"radio {owner}", own=own, channel=place, level_dbm=level,
                 networks=networks or (network(bssid, ssid),), **(told | more))  # fmt: skip


def moving(made, *steps, band="5", width=80):
    """The radio with moves: (seconds, from, to)."""
    changes = tuple(
        Change(START_S + s, channel(band, a, width), channel(band, b, width), False) for s, a, b in steps
    )
    return replace(made, changes=changes, moves=len(changes), moves_a_day=len(changes))


def emitter(kind="microwave-oven", low_mhz=2452.0, high_mhz=2474.0, level=-50.0, duty=0.4, channels=()):
    return Emitter(
        f"{kind}@{low_mhz:.0f}", kind, 0.9, ((kind, 0.9),), low_mhz * 1e6, high_mhz * 1e6,
        (high_mhz - low_mhz) * 1e6, level, duty, duty, START_S, START_S + 3600, None, channels, (), "because", (),
        (1, 1), ((START_S, START_S + 3600),), "hall",
    )  # fmt: skip


def facts(*radios, emitters=(), country="GB", **more):
    own = []
    for one in radios:
        if one.own:
            victim, assumed = victim_of(one)
            now = assess_channel(one.channel, victim, radios, one, emitters)
            hidden = hidden_pairs(one, radios)
            own.append(OwnView(one, now, victim.client_level_dbm, assumed, hidden=hidden))
    return Facts(radios, tuple(own), emitters=emitters, country=country, **more)


def kinds(*radios, **more):
    return {f.kind for f in find(facts(*radios, **more))}
