"""The finding that says which measurement would change the answer."""

from collections.abc import Iterator

from gray_kettle.analysis.assessment import Finding
from gray_kettle.analysis.findings.facts import Facts, listed


def _missing(facts: Facts) -> Iterator[Finding]:
    decisive = [g for g in facts.gaps if g.why]
    if decisive and facts.own:
        yield Finding(
            severity="note",
            kind="missing",
            subject=listed((g.what for g in decisive), 3),
            cause=decisive[0].text,
            effect=f"{decisive[0].why}"
            + (f" So do {len(decisive) - 1} more gaps." if len(decisive) > 1 else ""),
            first_step=decisive[0].step,
            figures={"missing": [g.text for g in decisive]},
            see="brief",
        )


RULES = (_missing,)
