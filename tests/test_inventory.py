"""The inventory by network, access point, BSSID and client; cards that lead on; clients over time."""

import re
import time
from dataclasses import replace

import numpy as np
import pytest

from gray_kettle.analysis.client_page import client_facts, top_mbps
from gray_kettle.analysis.inventory.filter_query import completed, parse_filter
from gray_kettle.analysis.inventory.pivots import Pivots, passing
from gray_kettle.analysis.utilisation.client_history import client_history
from gray_kettle.errors import InvalidInput, KettleError
from gray_kettle.session import load_session
from gray_kettle.store import Case
from gray_kettle.tui.start import take_forms
from tests.frames import OWN, START_S, busy_harbour, data, write_pcap
from tests.listings import NETSH_THREE_BANDS
from tests.radios import client, network, radio
from tests.terminal import PROGRAM

OFFICE, HALL = "02:7a:10:01:20:00", "02:7a:10:01:50:00"


@pytest.fixture(scope="module")
def radios():
    guest, crew = client(1, frames=90), client(2, frames=10, name="till-2")
    low = radio(1, 1, own=True, siblings=(HALL,), networks=(
        network(OFFICE, "guest", clients=(guest,)),
        network("02:7a:10:01:20:01", "crew", security="WPA3-SAE", level_dbm=-60.0),
    ))  # fmt: skip
    high = radio(1, 36, own=True, band="5", width=80, siblings=(OFFICE,), networks=(
        network(HALL, "guest", clients=(client(1, frames=300), crew)),
    ))  # fmt: skip
    far = radio(7, 6, level=-80.0, ssid="far")
    hidden = radio(8, 11, level=-85.0, ssid="")
    return low, high, far, hidden


def test_the_same_inventory_five_ways(radios):
    pivots = Pivots(radios)
    assert [(n.name, n.bands, len(n.bssids), n.clients) for n in pivots.networks][:2] == [
        ("guest", ("2.4", "5"), 2, 2),
        ("crew", ("2.4",), 1, 0),
    ]
    assert [[r.band for r in a.radios] for a in pivots.access_points] == [["2.4", "5"], ["2.4"], ["2.4"]]
    assert len(pivots.bssids) == sum(len(r.networks) for r in radios)
    first, second = pivots.clients
    assert (first.key, first.bands, first.frames, first.radio.id) == (
        "06:00:00:00:00:01",
        ("2.4", "5"),
        390,
        HALL,
    )
    assert second.main.label == "till-2"
    # Every entry leads back to what it is made of.
    assert pivots.network_of(b"guest", OFFICE) is pivots.networks[0]
    assert pivots.access_point_of(HALL) is pivots.access_points[0]
    assert pivots.client(first.key) is first


@pytest.mark.parametrize(
    ("text", "networks", "clients"),
    [
        ("client~06:00:00:00:00:01", ["guest"], 1),
        ("till", ["guest"], 1),
        ("band=5", ["guest"], 2),
        ("security=wpa3-sae", ["crew"], 0),
        ("foreign", ["far", "(hidden)"], 0),
    ],
)
def test_a_filter_acts_on_what_is_listed(radios, text, networks, clients):
    pivots, condition = Pivots(radios), parse_filter(text)
    assert [n.name for n in passing(pivots.networks, condition)] == networks
    assert len(passing(pivots.clients, condition)) == clients


@pytest.mark.parametrize(
    ("text", "wrong"),
    [
        ("level>", "“level>”: a number is missing"),
        ("channel:11", "Write channel=11"),
        ("ssid=x security~", "“security~”"),
    ],
)
def test_half_a_condition_says_what_is_missing(text, wrong):
    with pytest.raises(InvalidInput, match=re.escape(wrong)):
        parse_filter(text)


@pytest.mark.parametrize(
    ("text", "offered"),
    [("lev", "level>"), ("own ss", "own ssid~"), ("fore", "foreign"), ("xyz", None), ("", None)],
)
def test_words_of_the_filter_are_offered(text, offered):
    assert completed(text) == offered


def test_a_client_over_time_moves_between_access_points(case_of, tmp_path):
    mac, other = "02:00:00:00:0a:01", "02:00:00:00:01:10"
    packets = busy_harbour(20.0)
    packets += [data(OWN, mac, 3, k * 0.1, again=k % 4 == 0, dbm=-60, octets=1000) for k in range(50)]
    packets += [data(other, mac, 36, 10 + k * 0.1, dbm=-70, octets=1000) for k in range(50)]
    case_path = case_of(write_pcap(tmp_path / "a.pcap", sorted(packets)))
    with Case.open(case_path) as case:
        traffic = case.traffic_by_second(START_S, START_S + 20)
        session = load_session(case)
    found = client_history(traffic, mac, START_S, START_S + 20, 20)
    assert np.nansum(found.frames) == 100
    assert found.bssids[0] == OWN
    assert found.bssids[12] == other
    assert found.bssids[7] == ""
    assert found.moves == ((START_S + 10, OWN, other),)
    assert found.retry_share[0] == pytest.approx(0.3, abs=0.11)
    assert found.level_dbm[0] == pytest.approx(-60)
    assert found.mbps[0] == pytest.approx(24)
    entry = Pivots(session.assessment.radios).client(mac)
    facts = {what: text for what, text, _ in client_facts(entry, session.assessment)}
    assert facts["bands"] == "50 % in 2.4 GHz and 50 % in 5 GHz, by frames heard"
    assert facts["with"].startswith("tern-guest on tern-guest, ")


def test_the_highest_rate_is_what_both_can_do(radios):
    able = client(1, generation="ax", streams=2, width_mhz=80)
    assert top_mbps(able, radios[1]) == pytest.approx(1201, abs=1)
    assert top_mbps(replace(able, generation="n", width_mhz=40), radios[1]) == pytest.approx(270, abs=1)
    assert top_mbps(client(1), radios[1]) is None


@pytest.mark.slow
def test_from_a_network_to_a_client_to_a_frame_and_back(terminal, demo_case):
    terminal.start(*PROGRAM, "open", str(demo_case), columns=80, lines=24)
    terminal.wait_for("What is wrong")
    terminal.keys("2")
    terminal.wait_for("15 radios")
    terminal.keys("v")
    terminal.wait_for("networks · by level · all bands", "tern-guest", "WPA2/WPA3")
    terminal.keys("Enter")
    terminal.wait_for("Heard › network tern-crew", "Access points", "hall")
    terminal.keys("Enter")
    terminal.wait_for("› access point hall", "2 radios, 3 networks", "149/80")
    terminal.keys("End")
    terminal.wait_for("06:7a:20:01:05:01")
    terminal.keys("Enter")
    terminal.wait_for("› client 06:7a:20:01:05:01", "can do", "Over 24 h")
    terminal.wait_without("reading …")
    terminal.keys("}")
    terminal.keys("{")
    terminal.wait_for("Over 6 h")
    terminal.keys("e")
    terminal.wait_for("Frames of client")
    terminal.keys("Escape")
    terminal.wait_for("Heard › network tern-crew › access point hall › client")
    terminal.keys("Escape")
    terminal.wait_without("› client")
    terminal.keys("Escape")
    terminal.wait_without("› access point")
    terminal.keys("Escape")
    terminal.wait_for("networks · by level")
    for name in ("access points", "BSSIDs", "clients"):
        terminal.keys("v")
        terminal.wait_for(f"{name} · by")
    terminal.keys("/")
    terminal.type("client~01:05:01")
    terminal.wait_for("1 client ·")
    terminal.leave_field()
    terminal.keys("Enter")
    terminal.wait_for("Heard › client 06:7a:20:01:05:01")


@pytest.mark.slow
def test_a_bare_listing_answers_too_and_promises_no_width(terminal, tmp_path):
    (tmp_path / "laptop.txt").write_text(NETSH_THREE_BANDS)
    terminal.start(*PROGRAM, folder=str(tmp_path))
    terminal.wait_for("New case", "Demo")
    terminal.keys("n")
    terminal.wait_for("step 1 of 3")
    terminal.keys("Tab")
    terminal.type("Gull Street")
    terminal.keys("Tab")
    terminal.type("GB")
    terminal.leave_field()
    terminal.wait_for("Take: listen now, or read files", "laptop.txt")
    terminal.type("laptop.txt")
    terminal.leave_field()
    terminal.wait_for("Which networks are ours?", "Gulls")
    terminal.keys("Space")
    terminal.keys("Enter")
    terminal.wait_for("best channels", "leave it")
    terminal.wait_for("Width not reported: Gulls 5 GHz")
    terminal.keys("2")
    terminal.wait_for("1 radio,")
    terminal.keys("a")
    terminal.wait_for("3 radios", "5 36 ", "6 37 ", "2.4 6/20")
    terminal.keys("v")
    terminal.wait_for("3 networks", "WPA3-SAE")
    terminal.keys("3")
    terminal.wait_for("seen by")
    terminal.keys("c")
    terminal.wait_for("Channel map")
    terminal.keys("e")
    terminal.wait_for("frames come with captures, not with scans")


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("it's.txt", ["it's.txt"]),
        ("it's.txt b.txt", ["it's.txt", "b.txt"]),
        ("'b.txt' c", ["b.txt", "c"]),
        ("x" * 5000, ["x" * 5000]),
        ("b.txt 'c", None),
    ],
)
def test_quotation_marks_in_names_of_files(tmp_path, monkeypatch, text, words):
    monkeypatch.chdir(tmp_path)
    for name in ("it's.txt", "b.txt"):
        (tmp_path / name).touch()
    if words is None:
        with pytest.raises(KettleError, match="quotation mark is open"):
            take_forms._words(text)
    else:
        assert take_forms._words(text) == words


@pytest.mark.slow
def test_what_is_followed_and_named_is_kept_with_the_case(terminal, own_demo):
    terminal.start(*PROGRAM, "open", str(own_demo), columns=160, lines=47)
    terminal.wait_for("What is wrong", "Set 1/20")
    terminal.keys("F")
    terminal.wait_for("f in Heard follows a radio")
    terminal.keys("2")
    terminal.wait_for("15 radios")
    terminal.keys("f")
    terminal.keys("v", "v", "v", "v")
    terminal.wait_for("clients · by frames")
    address = "06:7a:20:01:02:00"
    terminal.wait_for(address)
    terminal.keys("n")
    terminal.wait_for(f"Name of client {address}")
    terminal.type("office laptop")
    terminal.leave_field()
    terminal.wait_for("office laptop")
    with Case.open(own_demo) as case:
        deadline_s = time.monotonic() + 20
        while not case.setup().followed and time.monotonic() < deadline_s:
            time.sleep(0.1)
        assert case.setup().followed == ("02:7a:10:01:20:00",)
        assert (address, "office laptop") in case.setup().names
    terminal.keys("C-q")
    terminal.wait_for_end()
    with Case.open(own_demo) as case:
        session = load_session(case)
    assert Pivots(session.assessment.radios).client(address).main.label == "office laptop"


def test_clients_join_with_what_they_chose_and_open_networks_offer_nothing(demo_case):
    with Case.open(demo_case) as case:
        clients = Pivots(load_session(case).inventory.radios).clients
    used = {(c.latest.network.ssid, c.main.security) for c in clients if c.radio.own}
    assert used == {(b"tern-gate", "WPA2-PSK"), (b"tern-guest", ""), (b"tern-crew", "WPA3-SAE")}
