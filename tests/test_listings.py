"""Listings of operating systems and our own log: what they say comes out, whatever their form."""

import pytest

from gray_kettle.air.channels import wide
from gray_kettle.decode import listings


def read_listing(text: str, fallback_s: float = 5.0):
    """Pieces of a text that is told by its content, and its reader."""
    kind = listings.kind_of(text.encode())
    assert kind is not None
    reader = listings.reader_of(kind, fallback_s)
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


def test_an_undated_listing_takes_the_file_s_time_and_says_so():
    (piece,), reader = read_listing(LISTING)
    assert piece.sightings.time_s[0] == 4.5
    assert piece.records == 1
    assert "not dated" in reader.notes[0]


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
    assert listings.kind_of(b"anything\n" + LISTING.encode()) == "iw scan"
    assert listings.kind_of(b"BSS is a word\n") is None
