"""The one call of this package: a block of sweep rows in, detections of what is not Wi-Fi out.

Source: docs/radio-model.md, "Finding emitters".
"""

from dataclasses import replace

import numpy as np

from gray_kettle.interference import receiver
from gray_kettle.interference.searches.search import found_in_moments
from gray_kettle.interference.weighed.detect import sums_many_moments, weighed
from gray_kettle.model.enums import EmitterKind
from gray_kettle.model.records import MIN_DETECTION_ROWS, Detection, FloatArray, Span
from gray_kettle.spectrum.quantise import Codes

_NARROW_HZ = 5e6
OF_RECEIVER = (
    "it may be the receiver's own: take the antenna off, or use another receiver; "
    "a line that stays is not on the air"
)
_LINE_KINDS = (
    EmitterKind.CONTINUOUS_CARRIER, EmitterKind.NARROWBAND_FM, EmitterKind.UNKNOWN, EmitterKind.ANALOGUE_VIDEO,
)  # fmt: skip


def detect(
    span: Span, time_s: FloatArray, codes: Codes, piece_offset_s: "np.ndarray | None" = None
) -> tuple[Detection, ...]:
    """What is not Wi-Fi in these rows. codes: shape (rows, bins), rows in order of time; the strongest first."""
    if len(time_s) < MIN_DETECTION_ROWS or span.bins < 16:
        return ()
    codes, its_own = receiver.without_own(span, codes)
    if sums_many_moments(span, codes):
        found, noise_dbm = weighed(span, time_s, codes)
    else:
        searched, _ = found_in_moments(span, time_s, codes, piece_offset_s)
        found, noise_dbm = weighed(span, time_s, codes, searched)
        found += _of_receiver(searched, found, its_own, noise_dbm)
    marked = [_marked(s, its_own, noise_dbm) for s in found]
    return tuple(sorted(marked, key=lambda s: (-s.level_dbm, s.low_hz)))


def _of_receiver(
    searched: list[Detection], claimed: list[Detection], its_own: receiver.Receiver, noise_dbm: float
) -> list[Detection]:
    """Lines that were judged to be none, and may be the receiver's own: they are said, and charge nothing."""
    return [
        s
        for s in searched
        if _marked(s, its_own, noise_dbm).may_be_receiver
        and not any(
            c.low_hz <= s.high_hz and s.low_hz <= c.high_hz and c.high_hz - c.low_hz < _NARROW_HZ
            for c in claimed
        )
    ]


def _marked(found: Detection, its_own: receiver.Receiver, noise_dbm: float) -> Detection:
    """A weak steady line may be the receiver's own: no channel is charged for it, and what tells is said."""
    over_db = found.level_dbm - noise_dbm
    if found.kind not in _LINE_KINDS or not its_own.may_be_its_own(found.low_hz, found.high_hz, over_db):
        return found
    return replace(found, may_be_receiver=True, channels=(), evidence=(*found.evidence, OF_RECEIVER))
