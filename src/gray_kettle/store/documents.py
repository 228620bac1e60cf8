"""The setup of a case as the JSON document that the case file keeps, checked by Pydantic on its way in and out."""

import json
from typing import Any

from pydantic import TypeAdapter, ValidationError

from gray_kettle.errors import KettleError
from gray_kettle.model.setup import Setup
from gray_kettle.safe_text import printable

_SETUP = TypeAdapter(Setup)


def setup_text(setup: Setup) -> str:
    return _SETUP.dump_json(setup).decode()


def setup_from(text: str) -> Setup:
    """The setup of a document; what an older version did not have gets its default.

    Raises: KettleError, when the document is damaged.
    """
    try:
        document: dict[str, Any] = _cleaned(json.loads(text))
        if "wishes" in document:  # its name up to format 5
            document["preferences"] = document.pop("wishes")
        return _SETUP.validate_python(document)
    except (ValidationError, ValueError, TypeError, AttributeError, RecursionError) as error:
        raise KettleError(
            "The setup in this case is damaged: enter it again with `gray-kettle set`."
        ) from error


def _cleaned(value: Any) -> Any:
    """The same with every text printable: a case may come from anywhere. Ends of lines become spaces."""
    if isinstance(value, str):
        return printable(" ".join(value.split("\n")))
    if isinstance(value, list):
        return [_cleaned(item) for item in value]
    if isinstance(value, dict):
        return {key: _cleaned(item) for key, item in value.items()}
    return value
