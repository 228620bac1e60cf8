"""A made-up capture of a busy site: beacons, short control frames, and data of four generations in aggregates.

It resembles what technicians bring: some 350 bytes a frame, four radiotap layouts, forty networks, hundreds of
clients, a receiver that hops over three channels.
"""

import random
import struct
from pathlib import Path

CHANNELS_MHZ = (2437, 5180, 5500)
NETWORKS, CLIENTS = 40, 12
_FCS = bytes(4)
_RATES = b"\x01\x08\x82\x84\x8b\x96\x0c\x12\x18\x24"
_HT = b"\x2d\x1a\xef\x19\x1b\xff\xff" + bytes(22) + b"\x3d\x16"
_RSN = b"\x30\x14\x01\x00\x00\x0f\xac\x04\x01\x00\x00\x0f\xac\x04\x01\x00\x00\x0f\xac\x02\x00\x00"


def radiotap(mhz: int, signal: int, kind: str, rng: random.Random, reference: int) -> bytes:
    """The header of one frame, with time, flags, channel, level and two antennas."""
    base = 1 << 0 | 1 << 1 | 1 << 3 | 1 << 5 | 1 << 14
    extra = b""
    fields = struct.pack("<QB", rng.getrandbits(40), 0x10)
    if kind == "legacy":
        base |= 1 << 2
        fields += bytes([rng.choice((2, 12, 24, 48, 108) if mhz < 3000 else (12, 24, 48, 108))])
    else:
        fields += b"\0"
    fields += struct.pack("<HHbB", mhz, 0x0480 if mhz < 3000 else 0x0140, signal, 0) + struct.pack("<H", 0)
    at = 8 + 8 + len(fields)  # three present words in all

    def aligned(align: int) -> bytes:
        return bytes(-(at + len(extra)) % align)

    if kind == "HT":
        base |= 1 << 19 | 1 << 20
        extra += bytes([0x07, rng.choice((0, 1, 5)), rng.randrange(16)])
    elif kind in ("VHT", "HE"):
        base |= 1 << 20 | 1 << (21 if kind == "VHT" else 23)
    if kind != "legacy":
        extra += aligned(4) + struct.pack("<IHBB", reference, 0, 0, 0)
    if kind == "VHT":
        user = rng.randrange(10) << 4 | rng.randrange(1, 3)
        extra += aligned(2) + struct.pack(
            "<HBB4sBBH", 0x44, 0, rng.choice((0, 1, 4)), bytes([user, 0, 0, 0]), 0, 0, 0
        )
    elif kind == "HE":
        data = (0x4020, 0x0002, rng.randrange(12) << 8, 0, rng.randrange(3) | 0x0080, rng.randrange(1, 3))
        extra += aligned(2) + struct.pack("<6H", *data)
    antennas = b"".join(struct.pack("<bB", signal - k, k) for k in range(2))
    words = (base | 1 << 29 | 1 << 31, 1 << 5 | 1 << 11 | 1 << 29 | 1 << 31, 1 << 5 | 1 << 11)
    body = fields + extra + antennas
    return struct.pack("<BBH3I", 0, 0, 16 + len(body), *words) + body


def templates(rng: random.Random, channel: int) -> list[tuple[str, bytes]]:
    """(kind, frame) of everything that is sent on one channel."""
    out: list[tuple[str, bytes]] = []
    mhz = CHANNELS_MHZ[channel]
    number = (mhz - 2407) // 5 if mhz < 3000 else (mhz - 5000) // 5
    for network in range(NETWORKS):
        bssid = bytes([2, 0x7A, channel, 0, network, 0])
        name = f"quay-{network:02d}".encode()
        elements = b"\0" + bytes([len(name)]) + name + _RATES + b"\x03\x01" + bytes([number])
        elements += b"\x05\x05\0\x01\0" + bytes([rng.randrange(256), 0]) + b"\x0b\x05\x07\0\x40\0\0" + _RSN
        elements += _HT + bytes([number]) + bytes(21) + b"\xdd\x18\0\x50\xf2\x02\x01\x01" + bytes(18)
        elements += b"\xdd\x50\x02\0\0" + bytes(77)
        fixed = bytes(8) + b"\x64\0\x11\0"
        everyone = b"\xff" * 6
        out += [("beacon", b"\x80\0\0\0" + everyone + bssid + bssid + bytes(2) + fixed + elements)] * 5
        client = bytes([6, channel, 0, 0, network, 1])
        out.append(("beacon", b"\x50\0\0\0" + client + bssid + bssid + bytes(2) + fixed + elements))
        for k in range(CLIENTS):
            client = bytes([6, channel, 0, 0, network, k])
            retry = 0x08 if rng.random() < 0.1 else 0
            for up in (True, False):
                first, second = (bssid, client) if up else (client, bssid)
                head = (
                    bytes([0x88, (1 if up else 2) | retry | 0x40, 0, 0]) + first + second + bssid + bytes(4)
                )
                out.append(("data", head + rng.randbytes(rng.choice((40, 90, 250, 1200)))))
            out.append(("control", b"\xd4\0\0\0" + client))
            out.append(("control", b"\x94\0\0\0" + client + bssid + bytes(12)))
    return out


def write_mixed(path: Path, frames: int) -> None:
    """A pcap file of that many frames. Same number, same bytes."""
    rng = random.Random(11)
    by_channel = [templates(rng, k) for k in range(len(CHANNELS_MHZ))]
    packed = []
    for channel, mhz in enumerate(CHANNELS_MHZ):
        made = []
        for kind, frame in by_channel[channel]:
            way = rng.choice(("legacy", "HT", "VHT", "HE") if mhz > 3000 else ("legacy", "HT", "HE"))
            for _ in range(3):
                reference = rng.getrandbits(32)
                header = radiotap(
                    mhz, -rng.randrange(35, 90), way if kind == "data" else "legacy", rng, reference
                )
                made.append((kind, header + frame + _FCS))
        packed.append(made)
    time_us = 0
    with path.open("wb") as file:
        file.write(struct.pack("<IHHiIII", 0xA1B2C3D4, 2, 4, 0, 0, 65535, 127))
        pending = bytearray()
        sent = 0
        while sent < frames:
            made = packed[(time_us // 250_000) % len(packed)]
            kind, packet = made[rng.randrange(len(made))]
            for _ in range(rng.randrange(1, 5) if kind == "data" else 1):  # as one aggregate
                time_us += rng.randrange(100, 900)
                second, micro = divmod(time_us, 1_000_000)
                pending += (
                    struct.pack("<IIII", 1_800_000_000 + second, micro, len(packet), len(packet)) + packet
                )
                sent += 1
                if sent == frames:
                    break
            if len(pending) > 1 << 20:
                file.write(pending)
                pending.clear()
        file.write(pending)
