"""What belongs to an analogue picture: its sender carries colour and sound beside the picture, as lines of its own, and
what is left of its carrier stands in the middle.

Source: docs/radio-model.md, "Continuous signals".
"""

import math
from dataclasses import replace

from gray_kettle.model.records import Detection

_AWAY_HZ = (3.4e6, 7.2e6)  # of colour and sound from the carrier (ITU-R BT.470), and half a bin
_WEAKER_DB = 12.0
_MIDDLE, _NARROWER = 0.1, 0.3  # of the width of the picture
_LINES = ("narrowband-fm", "continuous-carrier")


def put_together(told: list[Detection]) -> list[Detection]:
    """Sightings without the lines that are a picture's own; they speak for the picture."""
    for belongs, with_own in ((_is_carrier, _with_carrier), (_is_beside, _with_lines)):
        pictures = [s for s in told if s.kind == "analogue-video"]
        own = {id(p): [s for s in told if belongs(s, p)] for p in pictures}
        gone = {id(s) for lines in own.values() for s in lines}
        told = [with_own(s, own[id(s)]) if own.get(id(s)) else s for s in told if id(s) not in gone]
    return told


def _with_carrier(picture: Detection, carriers: list[Detection]) -> Detection:
    total_mw = sum(10 ** (part.level_dbm / 10) for part in (picture, *carriers))
    words = (*picture.evidence, "its carrier as a line in the middle")
    return replace(picture, level_dbm=10 * math.log10(total_mw), evidence=words)


def _with_lines(picture: Detection, lines: list[Detection]) -> Detection:
    away = sorted({f"{_apart_hz(line, picture) / 1e6:.1f}" for line in lines})
    words = f"its colour or sound as lines {' and '.join(away)} MHz beside the middle"
    return replace(picture, evidence=(*picture.evidence, words))


def _is_beside(line: Detection, picture: Detection) -> bool:
    is_weaker = line.level_dbm < picture.level_dbm - _WEAKER_DB
    return line.kind in _LINES and is_weaker and _AWAY_HZ[0] < _apart_hz(line, picture) < _AWAY_HZ[1]


def _is_carrier(line: Detection, picture: Detection) -> bool:
    width_hz = picture.high_hz - picture.low_hz
    is_narrow = line.high_hz - line.low_hz < _NARROWER * width_hz
    is_one = line.kind in (*_LINES, "unknown")
    return is_one and is_narrow and _apart_hz(line, picture) < _MIDDLE * width_hz


def _apart_hz(a: Detection, b: Detection) -> float:
    return abs(a.low_hz + a.high_hz - b.low_hz - b.high_hz) / 2
