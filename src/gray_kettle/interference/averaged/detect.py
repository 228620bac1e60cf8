"""The detector for rows that sum up many moments: candidates, weighed; claims, measured.

Source: docs/radio-model.md, "Rows that sum up many moments".
"""

import numpy as np

from gray_kettle.interference.averaged import evidence_text, occupancy
from gray_kettle.interference.averaged.candidates import candidates_of
from gray_kettle.interference.averaged.claims import Claim, claims_of
from gray_kettle.interference.averaged.intervals import profiles_of
from gray_kettle.interference.averaged.judgement import Judgement, family_of
from gray_kettle.interference.averaged.parameters import P
from gray_kettle.interference.averaged.rows import Rows, noise_of, rows_of
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


def detect_averaged(span: Span, time_s: FloatArray, codes: Codes) -> tuple[list[Detection], float]:
    """(what is not Wi-Fi in these rows, the usual noise of a bin in dBm). codes: shape (rows, bins)."""
    rows = rows_of(span, time_s, codes)
    profiles = profiles_of(rows)
    found = []
    for claim in claims_of(candidates_of(rows, profiles), len(time_s)):
        likely = likely_kinds(claim.judgement)
        measured = occupancy.of_candidate(rows, profiles, claim.candidate, likely[0][0])
        found.append(_detection(rows, claim, likely, measured))
    return found, float(np.median(rows.noise.median_dbm))


def likely_kinds(judgement: Judgement) -> tuple[tuple[EmitterKind, float], ...]:
    """Kinds with the probability that a claim is of each, the one that is named first.

    Of a family that is likely, a kind is named where it clearly leads; else the general one, which the others are too.
    """
    family, family_share = judgement.family
    shares = {kind: share * judgement.probability for kind, share in judgement.kinds}
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
        shares = {kind: share * judgement.probability / whole for kind, share in shares.items()}
    rest = sorted(
        ((k, v) for k, v in shares.items() if k != first and v >= 0.01), key=lambda i: (-i[1], i[0])
    )
    return ((first, round(min(shares[first], 1.0), 4)), *((k, round(v, 4)) for k, v in rest))


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
