"""The finding that names the measurement that would change the answer."""

from collections.abc import Iterator

from gray_kettle.analysis.assessment import Finding
from gray_kettle.analysis.figures import MissingData
from gray_kettle.analysis.findings.facts import Facts, count, listed
from gray_kettle.model.enums import FindingKind, Severity


def _missing(facts: Facts) -> Iterator[Finding]:
    decisive = [g for g in facts.gaps if g.why]
    if decisive and facts.own:
        others = len(decisive) - 1
        more = f" {count(others, 'more gap')} below {'has' if others == 1 else 'have'} the same effect."
        yield Finding(
            severity=Severity.NOTE,
            kind=FindingKind.MISSING,
            subject=listed((g.what for g in decisive), 3),
            cause=decisive[0].text,
            effect=decisive[0].why + (more if others else ""),
            first_step=decisive[0].step,
            figures=MissingData(tuple(g.text for g in decisive)),
            see="brief",
        )


RULES = (_missing,)
