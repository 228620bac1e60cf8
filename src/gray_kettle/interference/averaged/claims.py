"""Which candidates are claimed: those likely enough, one for each emitter.

Candidates of one emitter compete: the same hump in several profiles, a hopper and its channels, an oven and its rows.
"""

from dataclasses import dataclass

from gray_kettle.interference.averaged.candidates import INTERVAL, Candidate
from gray_kettle.interference.averaged.judgement import Judgement, judged
from gray_kettle.interference.averaged.parameters import P
from gray_kettle.model.enums import EmitterKind

_HOPPER, _OVEN, _NARROW = "hopper", str(EmitterKind.MICROWAVE_OVEN), "narrowband"
_IN_STEP = 3.3  # logarithm of mains coherence, from which bursts are an oven's
_SAME_PLACE_HZ = 1.5e6
_FEW_FREQUENCIES = 3.2  # binary logarithm: advertising and little else
_WITHIN_WIDE_HZ = 8e6
_ADVERTISING_FIRST = 0.3
_NEAR = 0.02  # of the bell around an advertising channel: 0.8 MHz


@dataclass(frozen=True, eq=False)
class Claim:
    """A candidate that is claimed, and why."""

    candidate: Candidate
    judgement: Judgement

    @property
    def family(self) -> str:
        """Its likeliest family."""
        return self.judgement.family[0]


def claims_of(candidates: list[Candidate], rows: int) -> list[Claim]:
    """The likeliest first; each only where no better claim explains it. rows: of the block."""
    least = P.least_probability if rows >= P.few_rows else P.least_of_few
    likely = [Claim(c, judged(c.shape, c.features)) for c in candidates]
    likely = [c for c in likely if c.judgement.probability >= least]
    likely.sort(key=_order)
    kept: list[Claim] = []
    for claim in likely:
        if claim.candidate.shape == "second" and not any(c.candidate.shape == "spread" for c in kept):
            continue
        if not any(_explains(other, claim) for other in kept):
            kept.append(claim)
    return kept


def _order(claim: Claim) -> float:
    """The likeliest first; advertising before hoppers that it may look like, a second hopper after the first."""
    shape = claim.candidate.shape
    return -claim.judgement.probability - _ADVERTISING_FIRST * (shape == "advertising") + (shape == "second")


def _explains(better: Claim, claim: Claim) -> bool:
    """Whether a better claim leaves nothing of another."""
    one, other = better.candidate, claim.candidate
    if claim.family == _OVEN == better.family:
        return True
    if other.shape == "second":
        return False
    if other.shape == "spread":
        return _explains_hopper(better, claim)
    if one.shape == "advertising" and other.shape == "place":
        return bool(other.features["on advertising"] > _NEAR)
    return _covers(better, claim)


def _explains_hopper(better: Claim, claim: Claim) -> bool:
    """One hopper is claimed of what is spread; advertising, and the rows that catch an oven, may look like one."""
    one, other = better.candidate, claim.candidate
    if one.shape == "spread" or (better.family == _HOPPER and one.shape == INTERVAL):
        return True
    if one.shape == "advertising":
        return other.features["frequencies"] <= _FEW_FREQUENCIES
    return better.family == _OVEN and other.features["mains"] > _IN_STEP


def _covers(better: Claim, claim: Claim) -> bool:
    """Whether both are of one stretch of frequency. Something narrow within something wide may be by itself."""
    one, other = better.candidate, claim.candidate
    overlap = min(one.high_hz, other.high_hz) - max(one.low_hz, other.low_hz)
    small, other_small = (c.shape == "place" or c.width_hz < P.small_hz for c in (one, other))
    if small and other_small:
        near_hz = max(_SAME_PLACE_HZ, 0.375 * (one.width_hz + other.width_hz))
        return abs(one.centre_hz - other.centre_hz) < near_hz
    if one.shape in ("spread", "second", "advertising"):
        return False
    if not small and not other_small:
        return overlap > P.contained * min(one.width_hz, other.width_hz)
    if other_small:
        is_part = better.family != _HOPPER and claim.family != _NARROW
        return one.shape == INTERVAL and overlap > 0 and is_part
    is_wider = overlap > P.contained * one.width_hz and other.width_hz < _WITHIN_WIDE_HZ
    return other.shape == INTERVAL and is_wider
