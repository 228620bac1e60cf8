"""The answer of `frame`."""

from typing import Literal

from pydantic import Field

from gray_kettle.decode.one_frame import Field as FramePart
from gray_kettle.decode.one_frame import FrameReading
from gray_kettle.export.json_api.base import Answer, CaseAnswer
from gray_kettle.export.utc import iso
from gray_kettle.safe_text import printable


class PartAnswer(Answer):
    """element: its number, 256 further on for extended ones; null for what is no element."""

    name: str
    words: str
    offset: int
    octets: str
    element: int | None


class FrameOneAnswer(Answer):
    time: str
    bssid: str | None
    kind: str
    receiver_band: str | None
    receiver_channel: int | None
    level_dbm: int | None
    noise_dbm: int | None
    rate_mbps: float | None
    modulation: str | None
    generation: str | None
    mcs: int | None
    streams: int | None
    width_mhz: int | None
    guard_us: float | None
    airtime_s: float | None
    octets_sent: int
    octets_kept: int
    off_channel: str
    parts: list[PartAnswer]
    raw: str


class FramesAnswer(CaseAnswer):
    schema_: Literal["gray-kettle/frame/1"] = Field(default="gray-kettle/frame/1", alias="schema")
    frames: list[FrameOneAnswer]


def frames_answer(readings: tuple[FrameReading, ...]) -> FramesAnswer:
    return FramesAnswer(frames=[_frame(r) for r in readings])


def _frame(reading: FrameReading) -> FrameOneAnswer:
    example, seen, mode = reading.example, reading.seen, reading.seen.mode
    return FrameOneAnswer(
        time=iso(example.time_s),
        bssid=example.bssid or None,
        kind=reading.kind,
        receiver_band=seen.band,
        receiver_channel=seen.channel,
        level_dbm=seen.level_dbm,
        noise_dbm=seen.noise_dbm,
        rate_mbps=mode.rate_mbps if mode else None,
        modulation=f"{mode.modulation} {mode.coding}".strip() if mode else None,
        generation=(mode.generation or None) if mode else None,
        mcs=mode.mcs if mode else None,
        streams=mode.streams if mode else None,
        width_mhz=mode.width_mhz if mode else None,
        guard_us=mode.guard_us if mode else None,
        airtime_s=seen.airtime_s,
        octets_sent=example.frame_octets,
        octets_kept=len(example.frame),
        off_channel=reading.off_channel,
        parts=[_part(f) for f in (*reading.header, *reading.fixed, *reading.elements)],
        raw=example.frame.hex(),
    )


def _part(part: FramePart) -> PartAnswer:
    return PartAnswer(
        name=part.name,
        words=printable(part.words),
        offset=part.at,
        octets=part.octets.hex(),
        element=part.element,
    )
