"""Listings in the forms that people have at hand: told by content, and what they do not say stays unknown."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gray_kettle.decode import scan_text
from gray_kettle.model.setup import Setup
from gray_kettle.session import load_session
from gray_kettle.store import Case
from tests.listings import (
    IW_LINK,
    IWLIST,
    MAC_OS_TEXT,
    NETSH_THREE_BANDS,
    NMCLI_SHORT_TABLE,
    NMCLI_SHORT_TERSE,
    NMCLI_TERSE_LINES,
    NMCLI_WITHOUT_BSSID,
    SPREADSHEET,
    rows_of,
)
from tests.test_scan_text import read_listing

GULLS, HERON, THIRD = (f"02:11:22:33:44:{n}" for n in (55, 56, 57))
GULLS_36 = (GULLS, "5 36", "WPA2-PSK", "", 0, -56.8, True)
UNSAID = [(GULLS, "5 36", "", "", 0, -56.8, True), (HERON, "2.4 1", "", "", 0, -70.0, True)]
# Address or name, channel, security, generation, streams, level, whether the level was computed from a percentage.
EXPECTED = [
    ("nmcli scan", NMCLI_SHORT_TABLE, [GULLS_36, (HERON, "2.4 1", "open", "", 0, -88.0, True)]),
    ("nmcli scan", NMCLI_SHORT_TERSE, [GULLS_36, (HERON, "2.4 1", "WPA2-Enterprise", "", 0, -70.0, True)]),
    ("nmcli scan", NMCLI_TERSE_LINES, [GULLS_36, (HERON, "2.4 1", "WPA/WPA2-PSK", "", 0, -76.0, True)]),
    ("nmcli scan", "Gulls:02\\:11\\:22\\:33\\:44\\:55:36:72\n1st:02\\:11\\:22\\:33\\:44\\:56:1:50\n", UNSAID),
    ("nmcli scan", "72:36:02\\:11\\:22\\:33\\:44\\:55:Gulls\n50:1:02\\:11\\:22\\:33\\:44\\:56:\n", UNSAID),
    ("system_profiler scan", MAC_OS_TEXT, [
        ("Gulls: upstairs", "5 36/80", "WPA2-PSK", "ac", 0, -52.0, False),
        ("Heron", "2.4 6/20", "WPA2-PSK", "", 0, -60.0, False),
        ("Channel Street", "6 5/160", "WPA3-SAE", "ax", 0, -70.0, False),
    ]),
    ("iwlist scan", IWLIST, [
        (GULLS, "5 36/40", "WPA2-PSK", "n", 2, -50.0, False),
        (HERON, "2.4 6", "open", "", 0, -70.0, False),
    ]),
    ("iw link scan", IW_LINK, [(GULLS, "5 36/80", "", "", 0, -52.0, False)]),
    ("netsh scan", NETSH_THREE_BANDS, [
        (GULLS, "5 36", "WPA2-PSK", "ax", 0, -57.5, True),
        (HERON, "2.4 6/20", "WPA2-PSK", "g", 1, -70.0, True),
        (THIRD, "6 37", "WPA3-SAE", "ax", 0, -70.0, True),
    ]),
    ("scan table", SPREADSHEET, [
        (GULLS, "5 36", "WPA2-PSK", "", 0, -58.0, False),
        (HERON, "2.4 6", "WPA2-PSK", "", 0, -63.0, False),
    ]),
    ("scan table", "\ufeffChannel;Signal (%);BSSID;Channel Width;Standard\n"
     "36 (80 MHz);80%;02-11-22-33-44-55;80;802.11ac\n"
     "no row\n37;40%;02-11-22-33-44-56;;Wi-Fi 6E\n", [
        (GULLS, "5 36/80", "", "ac", 0, -60.0, True),
        (HERON, "6 37", "", "ax", 0, -80.0, True),
    ]),
    ("scan table", "bssid\tfreq_mhz\trssi_dbm\tnoise\tmode\ttime\n"
     "02:11:22:33:44:55\t5180\t-58\t-95\tbgn\t2026-11-12T08:00:00Z\n", [(GULLS, "5 36", "", "n", 0, -58.0, False)]),
]  # fmt: skip


@pytest.mark.parametrize(("kind", "text", "expected"), EXPECTED)
def test_a_listing_is_told_by_content_and_gives_what_it_says(kind, text, expected):
    assert scan_text.kind_of(text.encode()) == kind
    found = rows_of(text)
    names = {row["ssid"]: row for row in found.values()}
    for key, *wanted in expected:
        row = found.get(key) or names[key]
        assert [row[k] for k in ("at", "security", "generation", "streams", "level", "estimated")] == wanted
    assert len(found) == len(expected)


def test_a_listing_without_bssids_gives_the_same_network_the_same_address_every_time():
    first, later = rows_of(NMCLI_WITHOUT_BSSID), rows_of(NMCLI_WITHOUT_BSSID.replace("80 ", "30 "))
    assert set(first) == set(later)
    assert len(first) == 3
    assert "were made of name and channel" in read_listing(NMCLI_WITHOUT_BSSID)[1].notes[0]


def test_one_access_point_that_was_asked_of_is_no_scan_of_its_band():
    (piece,), _ = read_listing(IW_LINK)
    assert piece.swept_bands == ()


@pytest.fixture
def assessed(case_of, tmp_path):
    """The assessment and the plan for the network Gulls after some listings."""

    def assess(*texts: str):
        files = [tmp_path / f"{k}.txt" for k in range(len(texts))]
        for file, text in zip(files, texts, strict=True):
            file.write_text(text)
        with Case.open(case_of(*files, setup=Setup(own=("Gulls",), country="GB"))) as case:
            session = load_session(case)
        return session.assessment, session.proposal

    return assess


def test_a_width_that_no_listing_reports_is_not_made_up_and_no_wider_one_is_promised(assessed):
    assessment, proposal = assessed(NETSH_THREE_BANDS)
    labels = {r.band: (r.channel.label, r.kind) for r in assessment.radios}
    assert labels == {"5": ("36", "ax"), "2.4": ("6/20", "g 1×1"), "6": ("37", "ax")}
    (move,) = proposal.moves
    offered = {move.target.label, *(a.channel.label for a in move.alternatives)}
    assert not any("/" in label for label in offered)
    assert {c.channel.width_mhz for c in move.heatmap} == {20}
    assert any(text.startswith("Width not reported: Gulls 5 GHz") for text in assessment.not_known)
    assert any(text.startswith("Streams not reported: Gulls 5 GHz") for text in assessment.not_known)


def test_what_one_listing_leaves_open_another_of_the_same_network_says(assessed):
    assessment, _ = assessed(NETSH_THREE_BANDS, IW_LINK)
    (own,) = [r for r in assessment.radios if r.own]
    assert (own.channel.label, own.kind, own.assumed) == ("36/80", "ax", ("streams",))
    assert own.networks[0].security == "WPA2-PSK"


@given(st.sampled_from([text for _, text, _ in EXPECTED]), st.data())
def test_no_damage_to_a_short_listing_gives_anything_but_sightings(text, data):
    for _ in range(data.draw(st.integers(1, 4))):
        at, gone = data.draw(st.integers(0, len(text))), data.draw(st.integers(0, 5))
        text = text[:at] + data.draw(st.text(max_size=4)) + text[at + gone :]
    if scan_text.kind_of(text.encode("utf-8", "replace")) is not None:
        rows_of(text)
