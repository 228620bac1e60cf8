"""What all answers share."""

from pydantic import BaseModel, ConfigDict


class Answer(BaseModel):
    """Names and shapes are a contract: nothing that is not declared goes out."""

    model_config = ConfigDict(extra="forbid", populate_by_name=True)
