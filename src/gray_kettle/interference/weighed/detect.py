"""Candidates, weighed; claims, measured.

Source: docs/radio-model.md, "Candidates, weighed".
"""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from gray_kettle.interference.weighed import evidence_text, occupancy
from gray_kettle.interference.weighed.candidates import candidates_of
from gray_kettle.interference.weighed.claims import Claim, claims_of
from gray_kettle.interference.weighed.intervals import profiles_of
from gray_kettle.interference.weighed.judgement import Fitted, Judgement, family_of
from gray_kettle.interference.weighed.parameters import P
from gray_kettle.interference.weighed.rows import Rows, noise_of, rows_of
from gray_kettle.model.enums import EmitterKind
from gray_kettle.model.records import Detection, FloatArray, Span
from gray_kettle.spectrum.quantise import Codes

_CLEARLY = 0.65  # share of a family from which one of its kinds is named
_GENERIC = {"hopper": EmitterKind.FREQUENCY_HOPPER, "narrowband": EmitterKind.NARROWBAND_FM}


def sums_many_moments(span: Span, codes: Codes) -> bool:
    """Whether pauses of Wi-Fi hardly show in a row, as it sums up, or keeps the highest of, that many frames.

    Where nobody said so, noise tells: of one moment it wavers by many decibels, of many it hardly does.
    """
    if span.averages >= P.fewest_frames:
        return True
    return span.averages == 1 and not span.sweep_s and noise_of(codes, span.step_hz).shape >= P.smooth_noise


def weighed(
    span: Span, time_s: FloatArray, codes: Codes, searched: Sequence[Detection] | None = None
) -> tuple[list[Detection], float]:
    """(what is not Wi-Fi in these rows, the usual noise of a bin in dBm). codes: shape (rows, bins). searched: what the
    searches found, where rows are single moments or few.
    """
    fitted = Fitted.MANY_MOMENTS if searched is None else Fitted.FEW_MOMENTS
    rows = rows_of(span, time_s, codes)
    profiles = profiles_of(rows, fitted == Fitted.FEW_MOMENTS)
    found = []
    for claim in claims_of(candidates_of(rows, profiles, searched or ()), rows, fitted):
        likely = likely_kinds(claim.judgement)
        if claim.named:
            likely = _named(claim.named, claim.judgement)
        elif fitted == Fitted.FEW_MOMENTS and not claim.shows_its_kind:
            likely = _unnamed(likely)
        if claim.candidate.found is not None:
            evidence = evidence_text.of_found(claim.candidate.found, claim.judgement)
            measured_anew = occupancy.of_found(rows, profiles, claim.candidate, likely[0][0])
            found.append(replace(measured_anew, likely=likely, evidence=evidence))
            continue
        measured = occupancy.of_candidate(rows, profiles, claim.candidate, likely[0][0])
        found.append(_detection(rows, claim, likely, measured))
    return found, float(np.median(rows.noise.median_dbm))


def likely_kinds(judgement: Judgement) -> tuple[tuple[EmitterKind, float], ...]:
    """Kinds with the probability that a claim is of each, the one that is named first.

    Of a family that is likely, a kind is named where it clearly leads; else the general one, which the others are too.
    """
    family, family_share = judgement.family
    shares = {kind: share * judgement.confidence for kind, share in judgement.kinds}
    if family_share >= P.least_family:
        mine = {kind: share for kind, share in shares.items() if family_of(kind) == family}
        lead = max(mine, key=lambda kind: mine[kind])
        if mine[lead] < _CLEARLY * sum(mine.values()):
            lead = _GENERIC.get(family, lead)
            shares[lead] = sum(mine.values())
            for kind in mine.keys() - {lead}:
                shares.pop(kind)
        first = lead
    else:
        first = EmitterKind.UNKNOWN
        shares[first] = max(shares.values()) + 1e-3
        whole = sum(shares.values())
        shares = {kind: share * judgement.confidence / whole for kind, share in shares.items()}
    rest = sorted(
        ((k, v) for k, v in shares.items() if k != first and v >= 0.01), key=lambda i: (-i[1], i[0])
    )
    return ((first, round(min(shares[first], 1.0), 4)), *((k, round(v, 4)) for k, v in rest))


def _named(kind: EmitterKind, judgement: Judgement) -> tuple[tuple[EmitterKind, float], ...]:
    """Kinds with their probability, where a search has named one: within a family it knows kinds better."""
    family = family_of(kind)
    shares = {k: share * judgement.confidence for k, share in judgement.kinds if family_of(k) != family}
    first = round(
        sum(share for k, share in judgement.kinds if family_of(k) == family) * judgement.confidence, 4
    )
    rest = sorted(((k, round(v, 4)) for k, v in shares.items() if v >= 0.01), key=lambda i: (-i[1], i[0]))
    return ((kind, first), *rest)


def _unnamed(likely: tuple[tuple[EmitterKind, float], ...]) -> tuple[tuple[EmitterKind, float], ...]:
    """What does not show what its likeliest kind must show is reported as unknown, with that kind as the next."""
    shares = [(EmitterKind.UNKNOWN, likely[0][1] + 1e-3), *(i for i in likely if i[0] != EmitterKind.UNKNOWN)]
    by = sum(v for _, v in likely) / sum(v for _, v in shares)
    return tuple((kind, round(v * by, 4)) for kind, v in shares)


def _detection(
    rows: Rows, claim: Claim, likely: tuple[tuple[EmitterKind, float], ...], measured: occupancy.Occupancy
) -> Detection:
    candidate = claim.candidate
    kind = likely[0][0]
    burst_hz = candidate.width_hz
    if candidate.cluster is not None:
        burst_hz = float(np.median(candidate.cluster.bursts.width_hz))
    time_share = (measured.last_s - measured.first_s) / max(float(rows.time_s[-1] - rows.time_s[0]), 1e-9)
    return Detection(
        likely, candidate.low_hz, candidate.high_hz, burst_hz, measured.level_dbm, min(measured.duty, 1.0),
        measured.first_s, measured.last_s, measured.rows, measured.channels,
        evidence_text.of_claim(claim, kind, rows, time_share),
    )  # fmt: skip
