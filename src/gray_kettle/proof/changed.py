"""A change of an own radio, as it was seen or marked as done."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Changed:
    """One change of an own radio. is_carried_out: it was marked as done about then; else it moved by itself."""

    time_s: float
    radio: str
    name: str
    text: str
    is_carried_out: bool
