"""Times in answers: ISO 8601 in UTC."""

from datetime import UTC, datetime

from gray_kettle.model.records import LATEST_S


def iso(time_s: float) -> str:
    """ISO 8601, UTC, to the millisecond; "unknown" for what is no time."""
    if not 0 <= time_s <= LATEST_S:
        return "unknown"
    return datetime.fromtimestamp(time_s, UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")
