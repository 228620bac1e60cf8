"""What channels that are hardly ever free make of themselves: things that seem to stand.

Source: docs/radio-model.md, "Continuous signals".
"""

from gray_kettle.interference.searches.block import Block
from gray_kettle.interference.searches.continuous import ContinuousSignal

_WAVERS, _CHANNELS_HZ, _TOUCH_HZ = 1.45, 4e6, 1e6
_LINE_HZ, _MANY_LINES, _ONE_CHANNEL_HZ, _ALIKE_DB = 1.6e6, 4, 10e6, 10.0


def but_channels(block: Block, regions: tuple[ContinuousSignal, ...]) -> list[ContinuousSignal]:
    """What stands, but for many lines beside one another, which are the bins of a channel that fade least, and, where
    frames of a row may lie apart, what wavers and lies on something else that does.
    """
    lines = [s for s in regions if s.width10_hz < _LINE_HZ]
    left = [s for s in regions if s not in lines or sum(_is_beside(s, o) for o in lines) < _MANY_LINES]
    if block.span.detector == "sample" or block.span.is_tuned:
        return left
    unsteady = [s for s in left if s.steadiness > _WAVERS and s.width10_hz > _CHANNELS_HZ]
    return [s for s in left if s not in unsteady or not any(o is not s and _touch(o, s) for o in unsteady)]


def _is_beside(one: ContinuousSignal, other: ContinuousSignal) -> bool:
    is_near = abs(one.centre_hz - other.centre_hz) < _ONE_CHANNEL_HZ
    return is_near and abs(one.level_dbm - other.level_dbm) < _ALIKE_DB


def _touch(one: ContinuousSignal, other: ContinuousSignal) -> bool:
    return one.low_hz < other.high_hz + _TOUCH_HZ and one.high_hz > other.low_hz - _TOUCH_HZ
