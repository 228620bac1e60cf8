"""Listings of operating systems and our own log: what they say comes out, whatever their form."""

import json
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from gray_kettle.decode import scan_text
from gray_kettle.decode.scan_text.scan_log_schema import LogLine
from gray_kettle.decode.scan_text.short_listing import label_from_words
from gray_kettle.phy.channels import wide


def read_listing(text: str, fallback_s: float = 5.0):
    """Pieces of a text that is told by its content, and its reader."""
    kind = scan_text.kind_of(text.encode())
    assert kind is not None
    reader = scan_text.reader_of(kind, fallback_s)
    return list(reader.pieces(text.split("\n"))), reader


LISTING = """BSS 02:7A:10:01:20:00(on wlan0) -- associated
\tTSF: 1234567 usec (0d, 00:00:01)
\tfreq: 2422
\tbeacon interval: 100 TUs
\tcapability: ESS Privacy ShortSlotTime (0x0411)
\tsignal: -41.00 dBm
\tlast seen: 500 ms ago
\tInformation elements from Probe Response frame:
\tSSID: tern\\x20\\xc3\\xa9
\tSupported rates: 1.0* 2.0* 5.5 11.0 6.0 9.0 12.0 18.0
\tDS Parameter set: channel 3
\tBSS Load:
\t\t * station count: 7
\t\t * channel utilisation: 102/255
\t\t * available admission capacity: 0 [*32us]
\tRSN:\t * Version: 1
\t\t * Group cipher: CCMP
\t\t * Pairwise ciphers: CCMP
\t\t * Authentication suites: PSK SAE
\t\t * Capabilities: 1-PTKSA-RC (0x0000)
\tHT capabilities:
\t\tCapabilities: 0x19ef
\t\tHT RX MCS rate indexes supported: 0-15
\tHT operation:
\t\t * primary channel: 3
\t\t * secondary channel offset: above
"""


def test_a_listing_is_read_line_by_line():
    (piece,), reader = read_listing("1800000000\n" + LISTING)
    (found,) = piece.announcements
    assert found.bssid == "02:7a:10:01:20:00"
    assert found.ssid == "tern é".encode()
    assert found.channel == wide("2.4", 3, 40)[0]
    assert (found.generation, found.streams, found.security) == ("n", 2, "WPA2/WPA3")
    assert found.basic_rates_mbps == (1.0, 2.0)
    assert piece.sightings.load_utilisation[0] == pytest.approx(0.4)
    assert piece.sightings.time_s[0] == 1_800_000_000 - 0.5
    assert piece.swept_bands == ("2.4",)
    assert reader.notes == []


def test_an_older_iw_and_a_driver_without_decibels_are_read_too():
    text = LISTING.replace("(on wlan0)", " (on wlan0)").replace("signal: -41.00 dBm", "signal: 70/100")
    (one,) = rows_of(text).values()
    assert (one["level"], one["estimated"]) == (-65.0, True)


def test_an_undated_listing_takes_the_file_s_time_and_says_so():
    (piece,), reader = read_listing(LISTING)
    assert piece.sightings.time_s[0] == 4.5
    assert piece.records == 1
    assert "has no date" in reader.notes[0]


def test_the_same_network_with_another_level_is_no_other_announcement():
    again = LISTING.replace("-41.00", "-55.00").replace("102/255", "10/255").replace("500 ms", "20 ms")
    (piece,), _ = read_listing(f"1800000000\n{LISTING}1800000060\n{again}")
    assert len(piece.announcements) == 1
    assert len(piece.sightings) == 2
    assert piece.records == 2


@pytest.mark.parametrize("address", ["02:7A:10:01:20:0", "02:7A:10:01:2000:", "0:27A:10:01:20:00"])
def test_an_entry_without_a_whole_address_is_skipped_and_counted(address):
    (piece,), _ = read_listing(f"1800000000\n{LISTING}" + LISTING.replace("02:7A:10:01:20:00", address))
    assert (len(piece.sightings), piece.skipped) == (1, 1)


def test_a_listing_is_known_by_its_content():
    assert scan_text.kind_of(b"anything\n" + LISTING.encode()) == "iw scan"
    assert scan_text.kind_of(b"BSS is a word\n") is None


def rows_of(text: str, fallback_s: float = 5.0) -> dict[str, dict[str, object]]:
    """What a listing says of each BSSID."""
    out = {}
    for piece in read_listing(text, fallback_s)[0]:
        seen = piece.sightings
        for k, number in enumerate(seen.announcement.tolist()):
            a = piece.announcements[number]
            out[a.bssid] = {
                "ssid": a.ssid,
                "at": (a.channel.band, a.channel.label),
                "security": a.security,
                "level": round(float(10 * np.log10(seen.level_mw[k])), 1) if seen.levels[k] else None,
                "estimated": bool(seen.estimated[k]),
                "time": float(seen.time_s[k]),
            }
    return out


NMCLI_HEAD = (
    "NAME   SSID          SSID-HEX              BSSID              MODE   CHAN  FREQ      RATE        BANDWIDTH  "
    "SIGNAL  BARS  SECURITY   WPA-FLAGS  RSN-FLAGS                   DEVICE  ACTIVE  IN-USE  DBUS-PATH"
)
NMCLI_TABLE = f"""1800000000
{NMCLI_HEAD}
AP[1]  tea : bar     746561203A20626172    02:7A:10:01:20:00  Infra  36    5180 MHz  540 Mbit/s  80 MHz     \
70      ▂▄▆_  WPA2       (none)     pair_ccmp group_ccmp psk    wlan0   yes     *       /org/x/1
AP[2]  --            --                    02:7A:10:01:20:01  Infra  6     2437 MHz  54 Mbit/s   20 MHz     \
0       ____  --         (none)     (none)                      wlan0   no              /org/x/2
"""
NMCLI_TERSE = (
    r"AP[1]:tea \: bar:746561203A20626172:02\:7A\:10\:01\:20\:00:Infra:36:5180 MHz:540 Mbit/s:80 MHz:70:▂▄▆_:WPA2:"
    r"(none):pair_ccmp group_ccmp psk:wlan0:yes:*:/org/x/1" + "\n"
    r"AP[2]:::02\:7A\:10\:01\:20\:01:Infra:6:2437 MHz:54 Mbit/s:20 MHz:0:____::(none):(none):wlan0:no: :/org/x/2"
)
NMCLI_LINES = """NAME:                                   AP[1]
SSID:                                   tea : bar
SSID-HEX:                               746561203A20626172
BSSID:                                  02:7A:10:01:20:00
CHAN:                                   36
FREQ:                                   5180 MHz
BANDWIDTH:                              80 MHz
SIGNAL:                                 70
SECURITY:                               WPA2
RSN-FLAGS:                              pair_ccmp group_ccmp psk
NAME:                                   AP[2]
SSID:                                   --
BSSID:                                  02:7A:10:01:20:01
FREQ:                                   2437 MHz
SIGNAL:                                 0
SECURITY:                               --
"""


@pytest.mark.parametrize("text", [NMCLI_TABLE, "1800000000\n" + NMCLI_TERSE, "1800000000\n" + NMCLI_LINES])
def test_the_three_forms_of_nmcli_say_the_same(text):
    found = rows_of(text)
    one, other = found["02:7a:10:01:20:00"], found["02:7a:10:01:20:01"]
    assert one == {
        "ssid": b"tea : bar",
        "at": ("5", "36/80"),
        "security": "WPA2-PSK",
        "level": -58.0,
        "estimated": True,
        "time": 1.8e9,
    }
    assert (other["ssid"], other["at"], other["security"], other["level"]) == (
        b"",
        ("2.4", "6/20"),
        "open",
        -100.0,
    )


def test_the_short_table_of_nmcli_shows_the_channel_alone_and_wide_letters_take_two_columns():
    text = (
        "IN-USE  BSSID              SSID      MODE   CHAN  RATE        SIGNAL  BARS  SECURITY  \n"
        "*       02:7A:10:01:20:00  東桟橋    Infra  36    540 Mbit/s  70      ▂▄▆_  WPA2      \n"
        "        02:7A:10:01:20:01  a  b      Infra  11    54 Mbit/s   40      ▂▄__  WPA1 WPA2 \n"
    )
    found = rows_of(text)
    assert [(v["ssid"].decode(), v["at"], v["level"], v["security"]) for v in found.values()] == [
        ("東桟橋", ("5", "36/20"), -58.0, "WPA2-PSK"),
        ("a  b", ("2.4", "11/20"), -76.0, "WPA/WPA2-PSK"),
    ]


WPA_CLI = (
    "Selected interface 'wlan0'\nbssid / frequency / signal level / flags / ssid\n"
    "02:7a:10:01:20:00\t2422\t-41\t[WPA2-PSK+SAE-CCMP][ESS]\ttern\\xc3\\xa9\\\\\\t\\e[1m\n"
    "02:7a:10:01:20:01\t5180\t-71\t[WPA-PSK-TKIP][WPA2-PSK-CCMP+TKIP][WPS][ESS]\t\n"
    "02:7a:10:01:20:02\t5955\t-60\t[RSN-SAE-CCMP][ESS]\tsix\n"
    "02:7a:10:01:20:03\t9999\t-60\t[ESS]\tnowhere\n"
    "02:7a:10:01:20:04\t5190\t-60\t[ESS]\tbetween two channels\n"
)


def test_wpa_cli_results_with_their_escapes():
    found = rows_of(WPA_CLI)
    assert found["02:7a:10:01:20:00"]["ssid"] == "terné\\\t\x1b[1m".encode()
    assert [(v["at"], v["security"], v["level"]) for v in found.values()] == [
        (("2.4", "3/20"), "WPA2/WPA3", -41.0),
        (("5", "36/20"), "WPA/WPA2-PSK TKIP", -71.0),
        (("6", "1/20"), "WPA3-SAE", -60.0),
    ]
    assert read_listing(WPA_CLI)[0][0].skipped == 2


NETSH = """\ufeff
Interface name : Wi-Fi
There are 2 networks currently visible.

SSID 1 : quay office
    Network type            : Infrastructure
    Authentication          : WPA2-Personal
    Encryption              : CCMP
    BSSID 1                 : 02:7a:10:01:20:00
         Signal             : 83%
         Radio type         : 802.11ax
         Band               : 5 GHz
         Channel            : 36
         Bss Load:
             Connected Stations:         4
             Channel Utilization:        51 (20 %)
         Basic rates (Mbps) : 6 12 24
         Other rates (Mbps) : 9 18 36 48 54
    BSSID 2                 : 02:7a:10:01:20:01
         Signal             : 40%
         Radio type         : 802.11n
         Channel            : 11
         Basic rates (Mbps) : 1 2 5.5 11
         Other rates (Mbps) : 6 9 12

SSID 2 :
    Network type            : Infrastructure
    Authentication          : Open
    Encryption              : None
    BSSID 1                 : 02:7a:10:01:20:02
         Signal             : 6%
         Radio type         : 802.11g
         Channel            : 1
"""
GERMAN = {
    "Network type            ": "Netzwerktyp             ",
    "Authentication          ": "Authentifizierung       ",
    "Encryption              ": "Verschlüsselung         ",
    "Radio type         ": "Funktyp            ",
    "Channel            ": "Kanal              ",
    "Basic rates (Mbps) ": "Basisraten (MBit/s)",
    "Other rates (Mbps) ": "Andere Raten (MBit/s)",
}


@pytest.mark.parametrize("words", [{}, GERMAN])
def test_netsh_is_read_by_shape_in_any_language(words):
    text = NETSH
    for english, other in words.items():
        text = text.replace(english, other)
    found = rows_of(text)
    assert [(v["ssid"], v["at"], v["level"], v["estimated"]) for v in found.values()] == [
        (b"quay office", ("5", "36/20"), -58.5, True),
        (b"quay office", ("2.4", "11/20"), -80.0, True),
        (b"", ("2.4", "1/20"), -97.0, True),
    ]
    assert [v["security"] for v in found.values()] == ["WPA2-PSK", "WPA2-PSK", "open"]
    (piece,), _ = read_listing(text)
    assert piece.sightings.load_utilisation[0] == pytest.approx(0.2)
    assert piece.sightings.load_stations[0] == 4
    assert [a.generation for a in piece.announcements] == ["ax", "n", "g"]
    assert piece.announcements[1].basic_rates_mbps == (1.0, 2.0, 5.5, 11.0)


SURVEY = """{time}
Survey data from wlan0
\tfrequency:\t\t\t2412 MHz [in use]
\tnoise:\t\t\t\t-93 dBm
\tchannel active time:\t\t{active} ms
\tchannel busy time:\t\t{busy} ms
\tchannel receive time:\t\t10 ms
\tchannel transmit time:\t\t5 ms
Survey data from wlan0
\tfrequency:\t\t\t2417 MHz
"""


def test_survey_dumps_are_counters_and_channels_without_any_are_left_out():
    text = SURVEY.format(time=1_800_000_000, active=1000, busy=250)
    (piece,), reader = read_listing(text)
    assert (len(piece.surveys), reader.notes) == (1, [])
    assert piece.surveys.receiver_hz[0] == 2412e6
    assert (piece.surveys.active_s[0], piece.surveys.busy_s[0], piece.surveys.noise_dbm[0]) == (
        1.0,
        0.25,
        -93,
    )


def test_station_dumps_give_level_and_counters():
    text = (
        "Station 06:00:00:00:00:99 (on wlan0)\n\tinactive time:\t12 ms\n\trx packets:\t400\n\ttx packets:\t1000\n"
        "\ttx retries:\t150\n\ttx failed:\t3\n\tsignal:  \t-52 [-55, -54] dBm\n"
        "\ttx bitrate:\t144.4 MBit/s MCS 15 short GI\n\tcurrent time:\t1800000000000 ms\n"
    )
    (piece,), _ = read_listing(text)
    links = piece.links
    assert (links.time_s[0], links.level_dbm[0], links.sent[0], links.retried[0]) == (1.8e9, -52, 1000, 150)
    assert (links.send_mbps[0], links.station[0]) == (144.4, 0x060000000099)


def test_a_scan_log_is_read_and_a_line_that_lies_is_said_with_its_number():
    good = {
        "time": "2027-01-15T08:00:00Z",
        "bssid": "02:7a:10:01:20:00",
        "frequency_mhz": 2422,
        "width_mhz": 40,
        "centre_mhz": 2432,
        "ssid": "tern",
        "level_dbm": -41,
        "security": "WPA2-PSK",
        "later": 1,
    }
    share = {"time": 1_800_000_060, "bssid": "02:7a:10:01:20:01", "frequency_mhz": 5180, "level_percent": 50}
    bad = {**good, "level_dbm": "loud"}
    text = "\n".join([json.dumps(good), json.dumps(bad), "{", json.dumps(share)])
    found = rows_of(text)
    assert found["02:7a:10:01:20:00"]["at"] == ("2.4", "3/40")
    assert (found["02:7a:10:01:20:01"]["level"], found["02:7a:10:01:20:01"]["estimated"]) == (-75.0, True)
    (piece,), reader = read_listing(text)
    assert (piece.records, piece.skipped) == (2, 2)
    assert reader.notes[0].startswith("Line 2 was skipped: level_dbm")
    assert "Line 3" in reader.notes[1]


def test_the_schema_in_the_documents_is_the_one_that_is_read_by():
    schema = Path(__file__).parents[1] / "docs" / "scan-log.schema.json"
    assert json.loads(schema.read_text()) == LogLine.model_json_schema()


def airport(name, channel, security="wpa2_personal", signal="-58 dBm / -92 dBm", **more):
    return {
        "_name": name,
        "spairport_network_channel": channel,
        "spairport_network_phymode": "802.11a/n/ac",
        "spairport_security_mode": f"spairport_security_mode_{security}",
        "spairport_signal_noise": signal,
        **more,
    }


BSSID_SAID = {"spairport_network_bssid": "02:00:00:00:00:09"}
MAC_OS = json.dumps(
    {
        "SPAirPortDataType": [
            {
                "spairport_airport_interfaces": [
                    {
                        "_name": "en0",
                        "spairport_current_network_information": airport("tern-crew", "36 (5GHz, 80MHz)"),
                        "spairport_airport_other_local_wireless_networks": [
                            airport("café\x1b", "6 (2GHz, 20MHz)", "none", "-71 dBm"),
                            airport(
                                "old",
                                "11 (2GHz, 20MHz)",
                                "wpa_personal",
                                spairport_network_bssid="02:00:00:00:00:09",
                            ),
                            airport("lost", "a channel"),
                            7,
                        ],
                    },
                    "no interface",
                ]
            }
        ]
    },
    indent=1,
)


def test_what_macos_lists_is_read_though_it_gives_no_addresses():
    (piece,), reader = read_listing(MAC_OS)
    found = {a.ssid.decode(): a for a in piece.announcements}
    assert [a.channel.label for a in found.values()] == ["36/80", "6/20", "11/20"]
    assert [a.security for a in found.values()] == ["WPA2-PSK", "open", "WPA-PSK"]
    assert found["old"].bssid == "02:00:00:00:00:09"
    assert len({a.bssid for a in found.values()}) == 3
    assert all(int(a.bssid[:2], 16) & 2 for a in found.values())
    assert piece.sightings.noise_dbm[0] == -92
    assert piece.skipped == 1
    assert "access points that share both count as one" in reader.notes[0]
    (again,), _ = read_listing(MAC_OS)
    assert [a.bssid for a in again.announcements] == [a.bssid for a in piece.announcements]


UNKNOWN = """BSS 02:7a:10:01:60:00(on wlan0)
\tfreq: 6135.0
\tbeacon interval: 100 TUs
\tsignal: -50.00 dBm
\tSSID: six
\tPower constraint: 3 dB
\tTPC report: TX power: 17 dBm
\tExtended capabilities:
\t\t * BSS Transition
\tWPS:\t * Version: 1.0
\t\t * Device name: quay \x1b[31mroof
\tUnknown Extension ID (36): 00 00 02 00 00 00 25 02 27 00 06
\tUnknown Extension ID (108): 00 00 00 00 00 00 00 00 00 00 00 00
"""


def test_elements_that_iw_prints_as_octets_are_read_too():
    (piece,), _ = read_listing(UNKNOWN)
    (found,) = piece.announcements
    assert (found.channel.label, found.width_advertised, found.generation) == ("37/80", True, "be")
    assert (found.tx_power_dbm, found.power_constraint_db, found.roaming) == (17, 3, ("v",))
    assert found.ap_name == "quay �[31mroof"


ALL = [
    MAC_OS,
    LISTING, NMCLI_TABLE, NMCLI_TERSE, NMCLI_LINES, WPA_CLI, NETSH, SURVEY.format(time=1, active=2, busy=1), UNKNOWN,
]  # fmt: skip


@given(
    st.sampled_from(ALL), st.lists(st.tuples(st.integers(0, 5000), st.integers(0, 4), st.text(max_size=4)))
)
def test_no_damage_to_a_listing_gives_anything_but_sightings(text, damage):
    for at, gone, put in damage:
        text = text[:at] + put + text[at + gone :]
    kind = scan_text.kind_of(text.encode("utf-8", "replace"))
    if kind is not None:
        for piece in scan_text.reader_of(kind, 5.0).pieces(text.split("\n")):
            assert (piece.sightings.announcement < max(len(piece.announcements), 1)).all()


@pytest.mark.parametrize(
    ("words", "label"),
    [
        ("[WPA2-PSK-CCMP][ESS]", "WPA2-PSK"),
        ("[WPA-PSK-TKIP]", "WPA-PSK TKIP"),
        ("[WPA2-SAE-CCMP]", "WPA3-SAE"),
        ("WPA2 WPA3", "WPA2/WPA3"),
        ("[RSN-OWE-CCMP]", "OWE"),
        ("[WPA2-EAP-CCMP]", "WPA2-Enterprise"),
        ("WPA1 WPA2 802.1X", "WPA/WPA2-Enterprise"),
        ("WPA2-Personal CCMP", "WPA2-PSK"),
        ("WPA3-Personal CCMP", "WPA3-SAE"),
        ("WPA2-Enterprise CCMP", "WPA2-Enterprise"),
        ("WPA-Personal TKIP", "WPA-PSK TKIP"),
        ("[WEP]", "WEP"),
        ("Open None", "open"),
        ("[ESS]", "open"),
        ("", "open"),
    ],
)
def test_words_for_security(words, label):
    assert label_from_words(words) == label
