"""The setup of a case as the JSON document that the case file keeps, checked by Pydantic on its way in and out."""

import json
from typing import Any

from pydantic import TypeAdapter, ValidationError

from gray_kettle.errors import KettleError
from gray_kettle.model.setup import Setup

_SETUP = TypeAdapter(Setup)


def setup_text(setup: Setup) -> str:
    return _SETUP.dump_json(setup).decode()


def setup_from(text: str) -> Setup:
    """The setup of a document; what an older version did not have gets its default.

    Raises: KettleError, when the document is damaged.
    """
    try:
        document: dict[str, Any] = json.loads(text)
        if "wishes" in document:  # its name up to format 5
            document["preferences"] = document.pop("wishes")
        return _SETUP.validate_python(document)
    except (ValidationError, json.JSONDecodeError, TypeError, AttributeError) as error:
        raise KettleError(
            "The setup in this case is damaged: enter it again with `gray-kettle set`."
        ) from error
