"""The data dictionary of an export: a Frictionless data package.

Source: the Data Package and Table Schema standards, version 2 (https://datapackage.org/standard/).
"""

import json
from collections.abc import Iterable
from typing import Any

from gray_kettle import __version__
from gray_kettle.export.data.table import Table
from gray_kettle.safe_text import printable

_SCHEMA = "https://datapackage.org/profiles/2.0/datapackage.json"
_MEDIA = {
    "csv": "text/csv", "json": "application/json", "jsonl": "application/jsonl",
    "parquet": "application/vnd.apache.parquet",
}  # fmt: skip


def described(
    title: str, tables: Iterable[tuple[str, str, Table]], more: Iterable[dict[str, Any]] = ()
) -> str:
    """The package as JSON. tables: (path, format, table). more: resources that are no tables."""
    resources = [
        {
            "name": path.rsplit("/", 1)[-1].rsplit(".", 1)[0],
            "path": path,
            "title": table.title,
            "format": form,
            "mediatype": _MEDIA[form],
            "encoding": "utf-8",
            "schema": {
                "fields": [{"name": c.name, "type": c.kind, "description": c.about} for c in table.columns],
                "missingValues": [""],
            },
        }
        for path, form, table in tables
    ]
    package = {
        "$schema": _SCHEMA,
        "name": "gray-kettle-export",
        "title": printable(title),
        "version": __version__,
        "profile": "data-package",
        "resources": [*resources, *more],
    }
    return json.dumps(package, indent=2, ensure_ascii=False) + "\n"
