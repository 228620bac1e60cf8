"""Cases out of cases: cut, merged, compacted, masked; and out of records that come from elsewhere."""

from gray_kettle.store.transfer.builder import CaseBuilder
from gray_kettle.store.transfer.copying import (
    WHOLE,
    backed_up,
    copied,
    merged_cases,
)
from gray_kettle.store.transfer.records import CaseRecords, Selection

__all__ = [
    "WHOLE",
    "CaseBuilder",
    "CaseRecords",
    "Selection",
    "backed_up",
    "copied",
    "merged_cases",
]
