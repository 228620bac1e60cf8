"""Which candidates are claimed: those likely enough, one for each emitter.

Candidates of one emitter compete: the same hump in several profiles, a hopper and its channels, an oven and its rows.
"""

from dataclasses import dataclass, replace

from gray_kettle.interference import band_plan
from gray_kettle.interference.weighed.candidates import INTERVAL, SEARCHED, Candidate
from gray_kettle.interference.weighed.competition import settled
from gray_kettle.interference.weighed.judgement import Fitted, Judgement, family_of, judged
from gray_kettle.interference.weighed.parameters import P
from gray_kettle.interference.weighed.rows import Rows
from gray_kettle.model.enums import Detector, EmitterKind

_HOPPER, _OVEN, _NARROW = "hopper", str(EmitterKind.MICROWAVE_OVEN), "narrowband"
_LINK, _WITHIN_WIFI = str(EmitterKind.POINT_TO_POINT), 0.95
_SURELY_NO_WIFI = 0.8  # of a part of a Wi-Fi channel that pauses: a carrier that is shared in time
_IN_STEP = 3.3  # logarithm of mains coherence, from which bursts are an oven's
_PAUSES = 1.2  # of "falls": 6 dB from the middle to the lowest rows
_SAME_FREQUENCY_HZ = 1.5e6
_FEW_FREQUENCIES = 3.2  # binary logarithm: advertising and little else
_WITHIN_WIDE_HZ = 8e6
_ADVERTISING_FIRST, _NAMED_FIRST = 0.3, 0.6
_WIDE_HOPPER_HZ = 8e6
_NEAR_ADVERTISING_HZ = 1e6


@dataclass(frozen=True, eq=False)
class Claim:
    """A candidate that is claimed, and why.

    is_mains_visible: the phase of the mains changes from row to row. are_pauses_hidden: rows keep the highest of their
    moments, so that Wi-Fi seems continuous.
    """

    candidate: Candidate
    judgement: Judgement
    is_mains_visible: bool = True
    are_pauses_hidden: bool = False

    @property
    def named(self) -> EmitterKind | None:
        """The kind that a search has named, unless the judgement is sure of another family."""
        found = self.candidate.found
        if found is None or found.kind == EmitterKind.UNKNOWN:
            return None
        family, share = self.judgement.family
        is_sure = share >= P.least_renamed and self.shows_its_kind and not self._is_part_that_pauses
        return None if is_sure and family_of(found.kind) != family else found.kind

    @property
    def shows_its_kind(self) -> bool:
        """Whether it has what the likeliest kind must show in single moments: an oven is in step with the mains."""
        is_oven = self.judgement.family[0] == _OVEN
        return not self.may_be_wifi and (not is_oven or self.candidate.features["mains"] >= _IN_STEP)

    @property
    def may_be_wifi(self) -> bool:
        """Whether Wi-Fi shows the same to this receiver: as a link what is part of a Wi-Fi channel and pauses, or
        anything where pauses are hidden; as an oven any traffic, where each row meets the mains at the same phase.
        """
        family = self.judgement.family[0]
        if family == _LINK:
            is_sure = self.judgement.probability >= _SURELY_NO_WIFI
            return self.are_pauses_hidden or (self._is_part_that_pauses and not is_sure)
        return family == _OVEN and not self.is_mains_visible

    @property
    def _is_part_that_pauses(self) -> bool:
        features = self.candidate.features
        is_part = features.get("within a Wi-Fi channel", 0.0) >= _WITHIN_WIFI
        return is_part and features.get("falls", 0.0) > _PAUSES

    @property
    def family(self) -> str:
        """Its likeliest family."""
        return family_of(self.named) if self.named else self.judgement.family[0]


def claims_of(candidates: list[Candidate], rows: Rows, fitted: Fitted) -> list[Claim]:
    """The likeliest first; each only where no better claim explains it.

    What a search has named is claimed where it is somewhat likely, and is not explained by what another has named; all
    else where it is likely enough.
    """
    keeps_highest = rows.span.averages > 1 or rows.span.sweep_s > 0
    facts = (not rows.are_in_step_with_mains, rows.span.detector == Detector.MAX and keeps_highest)
    judgements = [judged(c.shape, c.features, fitted) for c in candidates]
    claims = [
        Claim(c, j, *facts) for c, j in zip(candidates, settled(candidates, judgements, fitted), strict=True)
    ]
    if fitted == Fitted.FEW_MOMENTS:
        claims = [_with_that_of_rivals(claim, claims) for claim in claims]
    are_few_rows = len(rows.time_s) < P.few_rows
    likely = [claim for claim in claims if claim.judgement.probability >= _least(claim, fitted, are_few_rows)]
    kept: list[Claim] = []
    for claim in sorted(likely, key=_order):
        if claim.candidate.shape == "second" and not any(c.candidate.shape == "spread" for c in kept):
            continue
        if fitted == Fitted.FEW_MOMENTS and not _is_named(claim) and claim.may_be_wifi:
            continue
        better = [c for c in kept if not (_is_named(claim) and _is_named(c))]
        if not any(_explains(other, claim) for other in better):
            kept.append(claim)
    return kept


def _with_that_of_rivals(claim: Claim, claims: list[Claim]) -> Claim:
    """What a search has named, with the probability of a likelier candidate of its family at its frequency that is not
    claimed, as Wi-Fi may show the same: the search saw more than is weighed (how an oven drifts in rows in step).
    """
    if not _is_named(claim):
        return claim
    rivals = [
        c.judgement.probability
        for c in claims
        if not _is_named(c) and _may_be_the_same(claim, c) and _covers(claim, c)
    ]
    most = max([claim.judgement.probability, *rivals])
    return replace(claim, judgement=replace(claim.judgement, probability=most))


def _may_be_the_same(named: Claim, rival: Claim) -> bool:
    """Whether a rival would be this, had its weights known what the search knows: Wi-Fi may show the same, or the rival
    cannot know an oven, as rows keep step with the mains.
    """
    if named.family == _OVEN and not named.is_mains_visible:
        return True
    return rival.may_be_wifi and rival.family == named.family


def _least(claim: Claim, fitted: Fitted, are_few_rows: bool) -> float:
    """Probability from which something is claimed."""
    if _is_named(claim):
        return P.least_named
    if fitted == Fitted.MANY_MOMENTS:
        return P.least_of_few if are_few_rows else P.least_probability
    is_alike = claim.judgement.family[0] in (_NARROW, _LINK) or claim.candidate.shape == "spread"
    least = P.least_of_what_is_alike if is_alike else P.least_of_moments
    return max(least, P.least_of_few_moments) if are_few_rows else least


def _is_named(claim: Claim) -> bool:
    found = claim.candidate.found
    return found is not None and found.kind != EmitterKind.UNKNOWN


def _order(claim: Claim) -> float:
    """The likeliest first; of about the same what a search has named, advertising before hoppers that it may look like,
    and a second hopper after the first.
    """
    is_second = claim.candidate.shape == "second"
    first = _ADVERTISING_FIRST * _is_advertising(claim) + _NAMED_FIRST * _is_named(claim)
    return -claim.judgement.probability - first + is_second


def _explains(better: Claim, claim: Claim) -> bool:
    """Whether a better claim leaves nothing of another."""
    other = claim.candidate
    if claim.family == _OVEN == better.family or (_is_advertising(claim) and _is_advertising(better)):
        return True
    if other.shape == "second":
        return False
    if _is_spread(claim):
        return _explains_hopper(better, claim)
    if _is_advertising(better) and (other.shape == "fixed" or claim.family == _HOPPER):
        return band_plan.to_advertising_hz(other.centre_hz) < _NEAR_ADVERTISING_HZ
    return _covers(better, claim)


def _is_spread(claim: Claim) -> bool:
    """Whether it is a hopper over a stretch of the band."""
    one = claim.candidate
    if one.shape == SEARCHED:
        return claim.family == _HOPPER and one.width_hz > _WIDE_HOPPER_HZ and not _is_advertising(claim)
    return one.shape == "spread"


def _is_advertising(claim: Claim) -> bool:
    found = claim.candidate.found
    return claim.candidate.shape == "advertising" or (
        found is not None and found.kind == EmitterKind.BLE_ADVERTISING
    )


def _explains_hopper(better: Claim, claim: Claim) -> bool:
    """One hopper is claimed of what is spread; advertising, and the rows that catch an oven, may look like one."""
    one, other = better.candidate, claim.candidate
    if _is_spread(better) or (better.family == _HOPPER and one.shape == INTERVAL):
        return True
    if _is_advertising(better):
        is_alike = claim.judgement.kinds[0][0] == EmitterKind.BLE_ADVERTISING
        return is_alike or other.features.get("frequencies", _FEW_FREQUENCIES + 1) <= _FEW_FREQUENCIES
    return better.family == _OVEN and other.features["mains"] > _IN_STEP


def _covers(better: Claim, claim: Claim) -> bool:
    """Whether both are of one stretch of frequency. Something narrow within something wide may be by itself."""
    one, other = better.candidate, claim.candidate
    overlap = min(one.high_hz, other.high_hz) - max(one.low_hz, other.low_hz)
    small, other_small = (c.shape == "fixed" or c.width_hz < P.small_hz for c in (one, other))
    if small and other_small:
        near_hz = max(_SAME_FREQUENCY_HZ, 0.375 * (one.width_hz + other.width_hz))
        return abs(one.centre_hz - other.centre_hz) < near_hz
    if one.shape == "second" or _is_advertising(better) or _is_spread(better):
        return False
    if not small and not other_small:
        return overlap > P.contained * min(one.width_hz, other.width_hz)
    if other_small:
        is_part = better.family != _HOPPER and claim.family != _NARROW
        return one.shape in (INTERVAL, SEARCHED) and overlap > 0 and is_part
    is_wider = overlap > P.contained * one.width_hz and other.width_hz < _WITHIN_WIDE_HZ
    return other.shape in (INTERVAL, SEARCHED) and is_wider
