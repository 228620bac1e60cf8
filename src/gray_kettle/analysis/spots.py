"""How well each spot is covered: our best radio there, the next one, and the loudest other on its channel.

Source: docs/scoring.md, "Spots".
"""

from dataclasses import dataclass

from gray_kettle.analysis.assessment import Radio
from gray_kettle.analysis.thresholds import Thresholds
from gray_kettle.model.enums import SpotCoverage
from gray_kettle.phy.channels import BANDS, overlap

_THIN_DB = 8.0  # so far below the limit a link still holds, slowly


@dataclass(frozen=True)
class HeardAt:
    """One of our radios at a spot. level_dbm: its median there."""

    radio: Radio
    level_dbm: float


@dataclass(frozen=True)
class SpotBand:
    """One band at one spot. own: our radios there, the strongest first. rival: the loudest other radio that shares
    spectrum with the channel of the strongest; margin_db: how far ours is above it. None where there is none.
    """

    spot: str
    band: str
    coverage: SpotCoverage
    own: tuple[HeardAt, ...]
    rival: HeardAt | None
    margin_db: float | None

    @property
    def level_dbm(self) -> float | None:
        """Of the strongest of our radios; None where none was heard."""
        return self.own[0].level_dbm if self.own else None


def spot_table(radios: tuple[Radio, ...], thresholds: Thresholds) -> tuple[SpotBand, ...]:
    """Each named spot and each band that our radios use, worst first; spots where a band was not heard are left out."""
    out = []
    own_bands = {r.band for r in radios if r.own}
    for band in (b for b in BANDS if b in own_bands):
        here = [r for r in radios if r.band == band]
        for spot in sorted({spot for r in here for s in r.stays for spot, _ in s.level_at} - {""}):
            out.append(_at(spot, band, here, thresholds))
    return tuple(
        sorted(out, key=lambda s: (s.level_dbm if s.level_dbm is not None else -999.0, s.spot, s.band))
    )


def _at(spot: str, band: str, radios: list[Radio], thresholds: Thresholds) -> SpotBand:
    found = [HeardAt(r, level) for r in radios if (level := level_now(r, spot)) is not None]
    found.sort(key=lambda h: (-h.level_dbm, h.radio.id))
    own = tuple(h for h in found if h.radio.own)
    if not own:
        return SpotBand(spot, band, SpotCoverage.NOT_COVERED, (), None, None)
    best = own[0]
    others = (h for h in found if h.radio.id != best.radio.id)
    rival = next((h for h in others if overlap(best.radio.channel, h.radio.channel)), None)
    margin_db = None if rival is None else round(best.level_dbm - rival.level_dbm, 1)
    return SpotBand(spot, band, coverage_of(best.level_dbm, thresholds), own, rival, margin_db)


def level_now(radio: Radio, spot: str) -> float | None:
    """Median level of a radio at a spot on its present channel, dBm; else on any that it had there."""
    by_stay = sorted(radio.stays, key=lambda s: s.channel != radio.channel)
    return next((level for s in by_stay for at, level in s.level_at if at == spot), None)


def coverage_of(level_dbm: float, thresholds: Thresholds) -> SpotCoverage:
    """What a level means against the limit of this case (threshold coverage-dbm)."""
    if level_dbm >= thresholds.coverage_dbm:
        return SpotCoverage.COVERED
    return SpotCoverage.THIN if level_dbm >= thresholds.coverage_dbm - _THIN_DB else SpotCoverage.NOT_COVERED
