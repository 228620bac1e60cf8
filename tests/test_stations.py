"""What captures and listings tell of clients, names, rates and channels, as the answers give it."""

import json
import re
import struct

import pytest

from gray_kettle.analysis.assessment import Link
from gray_kettle.collect.files import open_file
from gray_kettle.collect.ingest import ingest
from gray_kettle.export.json_api.air import air_answer
from gray_kettle.export.json_api.heard import heard_answer
from gray_kettle.model.setup import Setup
from gray_kettle.session import load_session
from gray_kettle.store import Case
from gray_kettle.tui.heard.tree import link_rows
from tests.frames import BOAT, OWN, beacon, busy_harbour, data, ht, write_pcap
from tests.test_scan_text import NETSH, SURVEY
from tests.test_traffic_counters import CLIENT, request

HIDDEN = "02:00:00:00:00:70"


@pytest.fixture
def answered(tmp_path):
    """Takes inputs (packets of a capture, or text) into a case: the answers `heard` and `air`."""

    def answer(*inputs):
        with Case.create(tmp_path / "a.kettle", Setup(country="GB", own=("tern-guest",))) as case:
            for k, content in enumerate(inputs):
                file = tmp_path / f"in{k}"
                if isinstance(content, str):
                    file.write_text(content)
                else:
                    write_pcap(file, content)
                ingest(case, open_file(file))
            found = load_session(case).assessment
            said = heard_answer(found.radios, found.links), air_answer(found, None, None)
            return tuple(json.loads(answer.model_dump_json(by_alias=True)) for answer in said)

    return answer


def bssids(heard):
    return {b["bssid"]: b for r in heard["radios"] for b in r["bssids"]}


def test_a_hidden_name_is_learnt_from_an_answer_or_from_a_client(answered):
    silent = [beacon(b, b"\0" * 6, 6, -60, k / 10) for k in range(3) for b in (HIDDEN, BOAT, OWN)]
    answer = beacon(HIDDEN, b"backroom", 6, -60, 0.5, response=True)
    joins = request(0, bytes(4), (0, b"wheelhouse"), (1, b"\x82"), mhz=2437, bssid=BOAT)
    heard, _ = answered([*silent, answer, joins])
    found = {b: (v["ssid"], v["hidden"], v["named_by"]) for b, v in bssids(heard).items()}
    assert found == {
        HIDDEN: ("backroom", True, "probe response"),
        BOAT: ("wheelhouse", True, "association request"),
        OWN: ("(hidden)", True, ""),
    }


def test_clients_come_with_what_they_can_do_and_how_often_they_send_again(answered):
    said = [(1, b"\x82"), (36, b"\x01\x0b"), (45, b"\x2c\x01\x17\xff" + bytes(22))]
    packets = [beacon(OWN, b"tern-guest", 6, -40, k / 10, *ht(6)) for k in range(5)]
    packets += [data(OWN, CLIENT, 6, k / 10, again=k < 3, dbm=-55) for k in range(12)]
    packets += [data(OWN, CLIENT, 6, k / 10, up=False) for k in range(4)]
    heard, _ = answered([*packets, request(0, bytes(4), *said, mhz=2437)])
    network = bssids(heard)[OWN]
    (client,) = network["clients"]
    assert (client["mac"], client["frames"], client["retries"]) == (CLIENT, 13, 3)  # with its request
    assert (client["generation"], client["streams"], client["width_mhz"]) == ("n", 1, 20)
    assert client["channels"] == {"2.4": list(range(1, 12))}
    assert network["min_basic_rate_mbps"] == 1.0
    rates = {(r["mbps"], r["generation"]): (r["frames"], r["retries"]) for r in network["rates"]}
    assert rates == {(1.0, ""): (5, 0), (6.0, ""): (1, 0), (24.0, ""): (16, 3)}


def test_what_is_heard_off_its_channel_is_kept_apart(answered):
    packets = [
        beacon(BOAT, b"boat", 11, -60, k / 10, mhz=mhz) for k, mhz in enumerate((2462, 2462, 2452, 2457))
    ]
    packets += [beacon(OWN, b"tern-guest", 9, -40, k / 10) for k in range(4)]
    heard, _ = answered(packets)
    boat = bssids(heard)[BOAT]
    assert [(o["channel"], o["frames"]) for o in boat["off_channel"]] == [(9, 1), (10, 1)]
    (radio,) = [r for r in heard["radios"] if r["id"] == BOAT]
    assert (radio["primary"], radio["channels_seen"]) == (11, ["11/20"])
    assert bssids(heard)[OWN]["off_channel"] == []


def test_a_receiver_that_shows_a_channel_without_a_channel_is_no_channel_to_leak_to(answered):
    heard, _ = answered(
        [beacon(BOAT, b"boat", 1, -60, k / 10, mhz=mhz) for k, mhz in enumerate((2412, 2406, 2417))]
    )
    assert [o["channel"] for o in bssids(heard)[BOAT]["off_channel"]] == [2]


def test_networks_in_one_beacon_are_certainly_one_radio_and_count_their_beacons_once(answered):
    profile = bytes.fromhex("53020104") + b"\x00\x05guest" + b"\x55\x03\x01\x01\x00"
    content = b"\x03\x00" + bytes([len(profile)]) + profile
    heard, _ = answered([beacon(OWN, b"tern-guest", 6, -40, k / 10, (71, content), *ht(6)) for k in range(5)])
    (radio,) = heard["radios"]
    assert radio["grouped"] == "one beacon announces them all"
    assert {b["ssid"]: b["transmitted_by"] for b in radio["bssids"]} == {"tern-guest": None, "guest": OWN}


def test_levels_from_percentages_are_marked_as_estimates(answered):
    heard, _ = answered("1800000000\n" + NETSH.removeprefix("\ufeff"))
    assert all(r["level_estimated"] for r in heard["radios"])
    assert heard["radios"][0]["level_dbm"] == -58.5


def survey(*readings: tuple[int, int]) -> str:
    return "".join(
        SURVEY.format(time=1_800_000_000 + 10 * k, active=a, busy=b) for k, (a, b) in enumerate(readings)
    )


@pytest.mark.parametrize(
    ("readings", "value", "confidence"),
    [
        (((100_000, 90_000), (110_000, 92_500)), 0.25, "high"),
        (((100_000, 90_000), (500, 100), (10_500, 3_100)), 0.3, "high"),  # began anew in between
        (((100_000, 40_000),), 0.4, "medium"),
    ],
)
@pytest.mark.slow
def test_a_survey_is_used_before_all_else_by_how_its_counters_grew(answered, readings, value, confidence):
    _, air = answered(busy_harbour(6), survey(*readings))
    place = next(p for p in air["channels"] if (p["band"], p["channel"]) == ("2.4", 1))
    assert place["utilisation"]["source"] == "survey"
    assert place["utilisation"]["value"] == pytest.approx(value)
    assert place["utilisation"]["confidence"] == confidence
    assert "BSS load" in place["utilisation"]["others"]


def station(at_s: int, sent: int, retried: int) -> str:
    return (
        f"{at_s}\nStation {CLIENT} (on wlan0)\n\trx packets:\t9\n\ttx packets:\t{sent}\n"
        f"\ttx retries:\t{retried}\n\ttx failed:\t1\n\tsignal:\t-61 dBm\n\ttx bitrate:\t65.0 MBit/s\n"
    )


def test_the_counters_of_a_link_are_reported_with_its_client(answered):
    packets = [beacon(OWN, b"tern-guest", 6, -40), *[data(OWN, CLIENT, 6, k / 10) for k in range(3)]]
    dumps = station(1_800_000_000, 1000, 500) + station(1_800_000_060, 1200, 560)
    heard, _ = answered(packets, dumps)
    (link,) = heard["links"]
    assert (link["sent"], link["retry_share"], link["level_dbm"], link["send_mbps"]) == (200, 0.3, -61, 65.0)
    assert bssids(heard)[OWN]["clients"][0]["link"] == link


def test_a_link_that_no_capture_shows_has_a_row_of_its_own_in_heard(answered):
    heard, _ = answered(station(1_800_000_000, 1000, 310))
    (said,) = heard["links"]
    told = {**said, "first_s": 0.0, "last_s": 0.0}
    link = Link(**{name: told[name] for name in Link.__dataclass_fields__})
    title, row = link_rows([link], [])
    assert title.fixed
    text = "".join(content for content, _ in row.lines[0])
    assert re.search(rf"{CLIENT} +−61 dBm +31 % retries +0 % lost +sends at 65 Mb/s", text)


def sample() -> list[tuple[float, bytes]]:
    """A bit of everything, in order of time."""
    fields = struct.pack("<HH", 2437, 0x480) + b"\x07\x00\x07" + bytes(1)
    packets = list(busy_harbour(4))
    for k in range(40):
        packets.append(data(OWN, CLIENT, 3, k / 10, again=k % 5 == 0, dbm=-50 - k % 7))
        packets.append(beacon(HIDDEN, b"", 6, -70, k / 10))
        head = struct.pack("<BBHI", 0, 0, 16 + len(fields) - 8 + 8, 1 << 3 | 1 << 19 | 1 << 20)
        aggregate = head + fields + struct.pack("<IHBB", k // 4, 0, 0, 0)
        raw = data(OWN, CLIENT, 6, 0.0)[1]
        # Ten aggregates of four frames each, a fifth of a millisecond apart.
        packets.append((1_800_000_000 + k // 4 * 0.37 + k % 4 * 0.0002, aggregate + raw[raw[2] :]))
    packets.append(beacon(HIDDEN, b"backroom", 6, -70, 2.0, response=True))
    packets.append((1_800_000_001.0, request(0, bytes(4), (1, b"\x82"), (36, b"\x01\x0b"), mhz=2422)[1]))
    return sorted(packets, key=lambda p: p[0])


@pytest.mark.parametrize("pieces", [2, 3, 7, 31])
@pytest.mark.parametrize("backwards", [False, True])
@pytest.mark.slow
def test_a_capture_in_pieces_in_any_order_gives_what_the_whole_one_gives(tmp_path, pieces, backwards):
    packets = sample()
    size = len(packets) // pieces + 1
    parts = [packets[k : k + size] for k in range(0, len(packets), size)]

    def answers(folder, inputs):
        folder.mkdir()
        with Case.create(folder / "a.kettle", Setup(country="GB", own=("tern-guest",))) as case:
            for k, content in enumerate(inputs):
                ingest(case, open_file(write_pcap(folder / f"{k}.pcap", content)))
            found = load_session(case).assessment
            return [
                json.loads(answer.model_dump_json(by_alias=True))
                for answer in (heard_answer(found.radios, found.links), air_answer(found, None, None))
            ]

    whole = answers(tmp_path / "whole", [packets])
    assert answers(tmp_path / "parts", parts[::-1] if backwards else parts) == whole
    assert bssids(whole[0])[OWN]["clients"][0]["retries"] == 8
