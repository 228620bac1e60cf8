"""Frames made with Scapy, independently of our decoder, and pcap files to hold them."""

import struct
import warnings
from collections.abc import Iterable
from pathlib import Path

import numpy as np

with warnings.catch_warnings():
    warnings.simplefilter("ignore")
    from scapy.layers.dot11 import Dot11, Dot11Beacon, Dot11Elt, Dot11ProbeResp, Dot11QoS, RadioTap

from gray_kettle.decode.capture import CaptureReader
from gray_kettle.decode.capture_files import iter_pcap, iter_pcapng
from gray_kettle.decode.errors import DecodeError

EVERYONE = "ff:ff:ff:ff:ff:ff"
START_S = 1_800_000_000.0
RATES = b"\x82\x84\x8b\x96\x0c\x12\x18\x24"
Packet = tuple[float, bytes]


def freq_mhz(channel: int) -> int:
    return 2407 + 5 * channel if channel <= 13 else 2484 if channel == 14 else 5000 + 5 * channel


def heard_at(mhz: int, dbm: int, rate_mbps: float = 1.0, noise_dbm: int = -95) -> RadioTap:
    return RadioTap(
        present="Rate+Channel+dBm_AntSignal+dBm_AntNoise",
        Rate=rate_mbps,
        ChannelFrequency=mhz,
        ChannelFlags=0x0480,
        dBm_AntSignal=dbm,
        dBm_AntNoise=noise_dbm,
    )


def elements(ssid: bytes, channel: int, *more: tuple[int, bytes]) -> Dot11Elt:
    rates = dict(more).get(1, RATES)
    chain = Dot11Elt(ID=0, info=ssid) / Dot11Elt(ID=1, info=rates) / Dot11Elt(ID=3, info=bytes([channel]))
    for number, content in (item for item in more if item[0] != 1):
        chain = chain / Dot11Elt(ID=number, info=content)
    return chain


def ht(channel: int, secondary: int = 0) -> tuple[tuple[int, bytes], ...]:
    """HT capabilities for two streams, and operation with a secondary above (1) or below (3)."""
    return (45, b"\xef\x19\x1b\xff\xff" + bytes(21)), (61, bytes([channel, secondary]) + bytes(20))


def vht(width: int, segment0: int, segment1: int = 0) -> tuple[tuple[int, bytes], ...]:
    return (191, bytes(4) + b"\xfa\xff" + bytes(6)), (192, bytes([width, segment0, segment1]) + bytes(2))


def load(stations: int, busy: int) -> tuple[int, bytes]:
    return 11, struct.pack("<HBH", stations, busy, 0)


def beacon(
    bssid: str,
    ssid: bytes,
    channel: int,
    dbm: int = -50,
    at_s: float = 0.0,
    *more: tuple[int, bytes],
    mhz: int | None = None,
    privacy: bool = False,
    response: bool = False,
) -> Packet:
    head = Dot11(type=0, subtype=5 if response else 8, addr1=EVERYONE, addr2=bssid, addr3=bssid)
    fixed = (Dot11ProbeResp if response else Dot11Beacon)(
        cap="ESS+privacy" if privacy else "ESS", beacon_interval=100
    )
    frame = heard_at(mhz or freq_mhz(channel), dbm) / head / fixed / elements(ssid, channel, *more)
    return START_S + at_s, bytes(frame)


def data(
    bssid: str,
    client: str,
    channel: int,
    at_s: float,
    *,
    up: bool = True,
    again: bool = False,
    dbm: int = -60,
    octets: int = 200,
) -> Packet:
    flags = (0x01 if up else 0x02) | (0x08 if again else 0)
    first, second = (bssid, client) if up else (client, bssid)
    head = Dot11(type=2, subtype=8, FCfield=flags, addr1=first, addr2=second, addr3=bssid)
    frame = heard_at(freq_mhz(channel), dbm, 24.0) / head / Dot11QoS()
    return START_S + at_s, bytes(frame) + bytes(octets)


def traffic(
    bssid: str, client: str, channel: int, frames: int, seconds: float = 3.0, **how: object
) -> list[Packet]:
    """Many like frames, evenly spread: 1,500 bytes at 24 Mb/s take half a millisecond each."""
    _, raw = data(bssid, client, channel, 0.0, octets=1500, **how)  # type: ignore[arg-type]
    return [(START_S + k * seconds / frames, raw) for k in range(frames)]


def pcap_bytes(packets: Iterable[Packet], order: str = "<", nano: bool = False, link: int = 127) -> bytes:
    magic, ticks = (0xA1B23C4D, 1e9) if nano else (0xA1B2C3D4, 1e6)
    out = bytearray(struct.pack(order + "IHHiIII", magic, 2, 4, 0, 0, 65535, link))
    for time_s, raw in packets:
        whole = int(time_s)
        out += struct.pack(order + "IIII", whole, round((time_s - whole) * ticks), len(raw), len(raw)) + raw
    return bytes(out)


def write_pcap(path: Path, packets: Iterable[Packet]) -> Path:
    path.write_bytes(pcap_bytes(packets))
    return path


def pcapng_bytes(packets: Iterable[Packet], order: str = "<") -> bytes:
    def block(kind: int, body: bytes) -> bytes:
        body += bytes(-len(body) % 4)
        size = len(body) + 12
        return struct.pack(order + "II", kind, size) + body + struct.pack(order + "I", size)

    out = block(0x0A0D0D0A, struct.pack(order + "IHHq", 0x1A2B3C4D, 1, 0, -1))
    out += block(1, struct.pack(order + "HHI", 127, 0, 0) + struct.pack(order + "HHB", 9, 1, 9) + bytes(3))
    out += block(0x0BAD, b"unknown to everyone")
    for time_s, raw in packets:
        ticks = round(time_s * 1e9)
        out += block(
            6, struct.pack(order + "IIIII", 0, ticks >> 32, ticks & 0xFFFFFFFF, len(raw), len(raw)) + raw
        )
    return out


OWN, BOAT, CAFE = "02:00:00:00:00:10", "02:00:00:00:00:20", "02:00:00:00:00:30"


def busy_harbour(seconds: float = 6.0) -> list[Packet]:
    """Our radio on 3/40 between a loud boat on 1 and a café on 6; a 5 GHz radio of ours beside another on 36 to 48."""
    packets: list[Packet] = []
    for k in range(int(seconds * 5)):
        at = k * 0.2
        packets += [
            beacon(OWN, b"tern-guest", 3, -40 - k % 3, at, *ht(3, 1), load(5, 100)),
            beacon(BOAT, b"boat", 1, -52, at + 0.01, *ht(1), load(3, 90)),
            beacon(CAFE, b"cafe", 6, -58, at + 0.02, *ht(6)),
            beacon("02:00:00:00:00:31", b"cafe-2", 6, -58, at + 0.03, *ht(6)),
            beacon("02:00:00:00:00:50", b"far", 11, -85, at + 0.04, *ht(11)),
            beacon("02:00:00:00:01:10", b"tern-guest", 36, -50, at + 0.05, *ht(36, 1), *vht(1, 42)),
            beacon(
                "02:00:00:00:01:60", b"chandlery", 44, -60, at + 0.06, *ht(44, 1), *vht(1, 42), load(9, 140)
            ),
        ]
    return packets


def write_full_scan(path: Path, *heard: tuple[str, str, int, float]) -> Path:
    """The answer to a system's scan of all channels, which heard (BSSID, SSID, MHz, dBm); else two of the harbour's."""
    heard = heard or (
        ("02:00:00:00:00:50", "far", 2462, -85.0),
        ("02:00:00:00:01:60", "chandlery", 5220, -60.0),
    )
    blocks = [
        f"BSS {bssid}(on wlan0)\n\tfreq: {mhz}\n\tbeacon interval: 100 TUs\n\tsignal: {level:.2f} dBm\n\tSSID: {ssid}\n"
        "\tSupported rates: 12.0* 24.0*\n"
        for bssid, ssid, mhz, level in heard
    ]
    path.write_text("1800000001\n" + "".join(blocks))
    return path


def survey_of(mhz: int, active_ms: int, busy_ms: int, more: str = "") -> str:
    """What a radio's counters say of one channel, read twice ten seconds apart."""
    return "".join(
        f"{1_800_000_000 + 10 * k}\nSurvey data from wlan0\n\tfrequency:\t\t\t{mhz} MHz\n"
        f"\tchannel active time:\t\t{k * active_ms + 1} ms\n\tchannel busy time:\t\t{k * busy_ms + 1} ms\n{more}"
        for k in range(2)
    )


class Raw:
    """Bytes as a source that is read bit by bit."""

    def __init__(self, raw: bytes, most: int = 1 << 30) -> None:
        self.raw, self.at, self.most = raw, 0, most

    def readinto(self, room) -> int:
        part = self.raw[self.at : self.at + min(len(room), self.most)]
        room[: len(part)] = np.frombuffer(part, np.uint8)
        self.at += len(part)
        return len(part)


def walked(blocks):
    """(time, bytes) of every packet, and the damage that ended the walk, if any."""
    found, damage = [], None
    try:
        for block in blocks:
            for start, length, time_s in zip(block.starts, block.lengths, block.times_s, strict=True):
                found.append((float(time_s), block.data[start : start + length].tobytes()))
    except DecodeError as error:
        damage = error
    return found, damage


def pieces_of(raw: bytes):
    reader = CaptureReader()
    walk = iter_pcap if raw[:4] != b"\x0a\x0d\x0d\x0a" else iter_pcapng
    return [reader.piece(block) for block in walk(Raw(raw))]


def only_piece(*packets):
    (piece,) = pieces_of(pcap_bytes(packets))
    return piece
