"""What simulated receivers write down: a pcapng capture of a hopping radio, and a log of scan listings."""

import struct
from collections.abc import Iterator
from dataclasses import replace
from typing import BinaryIO, TextIO

import numpy as np

from gray_kettle.phy import modes
from gray_kettle.phy.channels import Channel, centre_hz, numbers
from gray_kettle.simulator.beacons import beacon_body, listing_text, request_body
from gray_kettle.simulator.site import Point, SimRadio, Site, busy_shares, level_dbm, path_loss_db

_DWELL_S = 0.25
_BEACON_S = 0.1024
_SNAP_BYTES = 96
_NOISE_DBM = -95
_SENSITIVITY_DBM = -91.0
_HT_SCHEME, _HE_SCHEME = 4, 3


def hop_plan() -> list[tuple[str, int]]:
    """All 20 MHz channels of 2.4 and 5 GHz that exist in the demo's country, and the scanning channels of 6 GHz."""
    low = [("2.4", n) for n in range(1, 14)]
    return low + [("5", n) for n in numbers("5") if n <= 165] + [("6", n) for n in range(5, 94, 16)]


def write_capture(file: BinaryIO, site: Site, spot: str, start_s: float, length_s: float, seed: int) -> None:
    """A monitor-mode capture: beacons and data frames, the receiver hopping four times a second."""
    rng = np.random.default_rng(seed)
    file.write(_block(0x0A0D0D0A, struct.pack("<IHHq", 0x1A2B3C4D, 1, 0, -1)))
    file.write(_block(1, struct.pack("<HHI", 127, 0, _SNAP_BYTES)))
    plan = hop_plan()
    time_s, step = start_s, 0
    while time_s < start_s + length_s:
        place = plan[step % len(plan)]
        frames = sorted(_dwell(site, site.spots[spot], place, time_s, rng), key=lambda f: f[0])
        for when, packet, sent_bytes in frames:
            _write_packet(file, when, packet, sent_bytes)
        time_s += _DWELL_S
        step += 1


def _block(kind: int, body: bytes) -> bytes:
    body += bytes(-len(body) % 4)
    return struct.pack("<II", kind, len(body) + 12) + body + struct.pack("<I", len(body) + 12)


def _write_packet(file: BinaryIO, time_s: float, packet: bytes, sent_bytes: int) -> None:
    ticks = round(time_s * 1e6)
    head = struct.pack("<IIIII", 0, ticks >> 32, ticks & 0xFFFFFFFF, len(packet), sent_bytes)
    file.write(_block(6, head + packet + bytes(-len(packet) % 4)))


def _dwell(
    site: Site, at: Point, place: tuple[str, int], time_s: float, rng: np.random.Generator
) -> Iterator[tuple[float, bytes, int]]:
    tuned_hz = centre_hz(*place)
    for number, busy in busy_shares(site, time_s).items():
        radio = site.radios[number]
        channel = radio.channel_at(time_s)
        if channel.band != place[0]:
            continue
        level = level_dbm(radio, at, time_s)
        away = abs(channel.primary - place[1])
        if away == 0:
            yield from _beacons(busy, radio, channel, tuned_hz, level, time_s, rng)
            yield from _data(radio, tuned_hz, level, at, time_s, rng)
            yield from _management(site, radio, channel, tuned_hz, level, at, time_s, rng)
        elif place[0] == "2.4" and away <= 2 and min(radio.basic_rates_mbps) <= 2 and level > -70:
            # Slow DSSS frames decode some numbers away from where they were sent.
            heard = _beacons(busy, radio, channel, tuned_hz, level - 7 * away, time_s, rng)
            yield from (frame for frame in heard if rng.random() < 0.4 / away)


def _radiotap(way: float | str, hz: float, level: float) -> bytes:
    """Flags, channel, signal, noise, and how it was sent: a rate in Mb/s, or "n" or "ax" for a scheme of those."""
    present = 1 << 1 | 1 << 3 | 1 << 5 | 1 << 6
    body = b"\x00"
    if isinstance(way, float):
        present |= 1 << 2
        body += bytes([round(way * 2)])
    else:
        body += b"\x00"
    flags = 0x00A0 if hz < 3e9 and way in (1.0, 2.0) else 0x0480 if hz < 3e9 else 0x0140
    body += struct.pack("<HHbb", round(hz / 1e6), flags, round(max(level, -110)), _NOISE_DBM)
    if way == "n":
        present |= 1 << 19
        body += struct.pack("<BBB", 0x03, 0, _HT_SCHEME)
    elif way == "ax":
        present |= 1 << 23
        body += struct.pack("<6H", 0x4020, 0x0002, _HE_SCHEME << 8, 0, 2 << 6, 1)
    return struct.pack("<BBHI", 0, 0, 8 + len(body), present) + body


def _beacons(
    busy: float,
    radio: SimRadio,
    channel: Channel,
    hz: float,
    level: float,
    time_s: float,
    rng: np.random.Generator,
) -> Iterator[tuple[float, bytes, int]]:
    load = (busy, len(radio.clients)) if radio.tells_load else None
    rate = min(radio.basic_rates_mbps) if channel.band == "2.4" else 6.0
    for k, network in enumerate(radio.networks):
        phase = (hash_of(network.bssid) % 1000) / 1000 * _BEACON_S + k * 0.004
        first = np.ceil((time_s - phase) / _BEACON_S) * _BEACON_S + phase
        for when in np.arange(first, time_s + _DWELL_S, _BEACON_S):
            faded = level + rng.normal(0, 1.5)
            if faded < _SENSITIVITY_DBM:
                continue
            header = b"\x80\x00\x00\x00" + b"\xff" * 6 + network.bssid * 2 + b"\x00\x00"
            body = beacon_body(radio, network, channel, load, int(when * 1e6))
            packet = _radiotap(rate, hz, faded) + header + body
            yield float(when), packet, len(packet)


def _data(
    radio: SimRadio, hz: float, level: float, at: Point, time_s: float, rng: np.random.Generator
) -> Iterator[tuple[float, bytes, int]]:
    """Single data frames of 1,500 bytes at one middling scheme, as many as the activity asks for."""
    way = "ax" if radio.generation in ("ax", "be") else "n"
    sent_as = (
        modes.mode(modes.HE, _HE_SCHEME, 1, 0, 0, 1)
        if way == "ax"
        else modes.mode(modes.HT, _HT_SCHEME, 1, 0, 1)
    )
    airtime_s = float(modes.airtime_s(sent_as, 1504, hz < 3e9))
    count = rng.poisson(radio.activity_at(time_s) * _DWELL_S / airtime_s)
    if not radio.clients or level < -82:
        return
    shares = np.array([c.share for c in radio.clients])
    for when in rng.uniform(time_s, time_s + _DWELL_S, count):
        client = radio.clients[rng.choice(len(shares), p=shares / shares.sum())]
        down = rng.random() < 0.7
        flags = (0x02 if down else 0x01) | 0x40 | (0x08 if rng.random() < radio.retry_share else 0)
        bssid = radio.networks[client.network % len(radio.networks)].bssid
        addresses = (client.mac + bssid if down else bssid + client.mac) + bssid
        faded = (
            level + rng.normal(0, 1.5)
            if down
            else _client_level(radio, client.away_m, at, hz) + rng.normal(0, 3)
        )
        if faded < _SENSITIVITY_DBM:
            continue
        head = _radiotap(way if client.generation == "ax" else "n", hz, faded)
        packet = head + bytes([0x88, flags]) + b"\x2c\x00" + addresses + b"\x00\x00\x00\x00"
        yield float(when), (packet + bytes(_SNAP_BYTES))[:_SNAP_BYTES], len(head) + 1500


def _management(
    site: Site,
    radio: SimRadio,
    channel: Channel,
    hz: float,
    level: float,
    at: Point,
    time_s: float,
    rng: np.random.Generator,
) -> Iterator[tuple[float, bytes, int]]:
    """Clients that come back to their access point, and the answers of one that hides its name to those who know it."""
    rate = min(radio.basic_rates_mbps) if channel.band == "2.4" else 6.0
    for client in radio.clients:
        faded = _client_level(radio, client.away_m, at, hz) + rng.normal(0, 3)
        if rng.random() > 0.5 or faded < _SENSITIVITY_DBM:
            continue
        network = radio.networks[client.network % len(radio.networks)]
        header = b"\x20\x00\x2c\x00" + network.bssid + client.mac + network.bssid + b"\x00\x00"
        packet = _radiotap(rate, hz, faded) + header + request_body(network, client)
        yield time_s + float(rng.uniform(0, _DWELL_S)), packet, len(packet)
    if radio.answers_as and level > _SENSITIVITY_DBM:
        named = replace(radio.networks[0], ssid=radio.answers_as)
        header = b"\x50\x00\x2c\x00" + bytes.fromhex("067a20ff0001") + named.bssid * 2 + b"\x00\x00"
        packet = (
            _radiotap(rate, hz, level) + header + beacon_body(radio, named, channel, None, int(time_s * 1e6))
        )
        yield time_s + 0.11, packet, len(packet)


def _client_level(radio: SimRadio, away_m: float, at: Point, hz: float) -> float:
    metres = ((radio.at[0] - at[0]) ** 2 + (radio.at[1] - at[1]) ** 2 + away_m**2) ** 0.5
    return 15.0 - path_loss_db(metres, hz)


def hash_of(octets: bytes) -> int:
    """A small number that is the same in every run (unlike hash())."""
    return int.from_bytes(octets[-3:], "big") * 2654435761 % 2**32


def write_scan_log(
    file: TextIO, site: Site, spot: str, times_s: "np.ndarray[tuple[int], np.dtype[np.float64]]", seed: int
) -> None:
    """Dated scan listings, one after the other, as a loop of `date +%s` and a scan would write them."""
    rng = np.random.default_rng(seed)
    at = site.spots[spot]
    for time_s in times_s:
        file.write(f"{time_s:.0f}\n")
        for number, busy in busy_shares(site, time_s).items():
            radio = site.radios[number]
            level = level_dbm(radio, at, time_s)
            load = (busy, len(radio.clients)) if radio.tells_load else None
            for network in radio.networks:
                faded = level + rng.normal(0, 1.5)
                if faded > _SENSITIVITY_DBM and rng.random() > 0.02:
                    file.write(listing_text(radio, network, radio.channel_at(time_s), round(faded), load))
