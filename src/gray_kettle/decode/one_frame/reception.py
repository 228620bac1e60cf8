"""What the receiver saw of one frame: channel, level, and how it was sent."""

import math
from contextlib import suppress
from dataclasses import dataclass

import numpy as np

from gray_kettle.decode import capture_headers
from gray_kettle.decode.capture_files import PacketBlock
from gray_kettle.model.records import ExampleFrame
from gray_kettle.phy import modes
from gray_kettle.phy.channels import number_at

_DSSS_MBPS = (1.0, 2.0, 5.5, 11.0)
_DSSS_REACHES_HZ = 16e6  # further apart a DSSS frame of 22 MHz leaves a receiver too little to decode
_BESIDE_HZ = 2.5e6


@dataclass(frozen=True)
class Received:
    """None where the receiver did not report it. channel: number, with its band."""

    band: str | None
    channel: int | None
    tuned_hz: float | None
    level_dbm: int | None
    noise_dbm: int | None
    mode: modes.ModeWords | None
    aggregate: int | None
    airtime_s: float | None

    @property
    def snr_db(self) -> int | None:
        if self.level_dbm is None or self.noise_dbm is None:
            return None
        return self.level_dbm - self.noise_dbm


def received(example: ExampleFrame) -> Received:
    """From the header that the receiver put before the frame."""
    raw = np.frombuffer(example.radio_header + example.frame, np.uint8)
    # As long as it was on the air, so that nothing is taken off the kept part as a checksum that is not there.
    sent = len(example.radio_header) + example.frame_octets + 4
    block = PacketBlock(
        data=raw,
        starts=np.zeros(1, np.int64),
        lengths=np.array([len(raw)], np.int64),
        sent_lengths=np.array([sent], np.int64),
        times_s=np.array([example.time_s]),
        link_type=example.link_type,
    )
    known = bool(example.radio_header) and example.link_type in capture_headers.LINKS
    heard = capture_headers.decode(block) if known else capture_headers.Reception.untold(block)
    mhz = int(heard.channel_mhz[0]) or example.receiver_mhz
    band, number = None, None
    if mhz:
        with suppress(ValueError):
            band, number = number_at(mhz * 1e6)
    mode = int(heard.mode[0])
    airtime_s = (
        float(modes.airtime_s(heard.mode[:1], example.frame_octets + 4, band == "2.4")[0])
        if mode
        else math.nan
    )
    aggregate = int(heard.aggregate[0])
    return Received(
        band=band,
        channel=number,
        tuned_hz=mhz * 1e6 if mhz else None,
        level_dbm=int(heard.signal_dbm[0]) or None,
        noise_dbm=int(heard.noise_dbm[0]) or None,
        mode=modes.words(mode) if mode else None,
        aggregate=None if aggregate == capture_headers.NO_AGGREGATE else aggregate,
        airtime_s=None if math.isnan(airtime_s) else airtime_s,
    )


def off_channel_words(seen: Received, sent_hz: float, sent_on: int) -> str:
    """Why a frame was heard although the receiver was tuned elsewhere; "" where it was not."""
    if seen.tuned_hz is None or abs(seen.tuned_hz - sent_hz) <= _BESIDE_HZ:
        return ""
    apart_mhz = abs(seen.tuned_hz - sent_hz) / 1e6
    apart = f"Sent on {sent_on}, heard on {seen.channel}: the receiver was {apart_mhz:.0f} MHz beside it."
    mode = seen.mode
    if (
        mode
        and mode.generation == ""
        and mode.rate_mbps in _DSSS_MBPS
        and abs(seen.tuned_hz - sent_hz) <= _DSSS_REACHES_HZ
    ):
        return (
            f"{apart} DSSS at {mode.rate_mbps:g} Mb/s fills 22 MHz and is decoded from the part that reaches into "
            "the next channels. Its level here is lower than on its own channel, so levels are taken from there."
        )
    how = "Frames of this kind" if seen.mode is not None else "Frames, unless sent by DSSS,"
    return (
        f"{apart} {how} cannot be decoded so far beside their channel: the receiver was changing channels and reports "
        "the old or the new one. Level and channel of this frame are not to be trusted."
    )
