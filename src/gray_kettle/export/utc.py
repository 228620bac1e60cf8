"""Times in answers: ISO 8601 in UTC."""

from datetime import UTC, datetime


def iso(time_s: float) -> str:
    """ISO 8601, UTC, to the millisecond."""
    return datetime.fromtimestamp(time_s, UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")
