"""What all answers share."""

from datetime import UTC, datetime

from pydantic import BaseModel, ConfigDict


class Answer(BaseModel):
    """Names and shapes are a contract: nothing that is not declared goes out."""

    model_config = ConfigDict(extra="forbid", populate_by_name=True)


def iso(time_s: float) -> str:
    """ISO 8601, UTC, to the millisecond."""
    return datetime.fromtimestamp(time_s, UTC).isoformat(timespec="milliseconds").replace("+00:00", "Z")
