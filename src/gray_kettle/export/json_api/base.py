"""What all answers share."""

from pydantic import BaseModel, ConfigDict, Field


class Answer(BaseModel):
    """Names and shapes are a contract: nothing that is not declared goes out."""

    model_config = ConfigDict(extra="forbid", populate_by_name=True)


class CaseAnswer(Answer):
    """An answer from a case. incomplete: why it does not count all that the case holds; empty where it does."""

    incomplete: list[str] = Field(default_factory=list)
