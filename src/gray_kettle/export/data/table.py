"""A table that is written batch by batch: its columns, and where its rows come from."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal

Kind = Literal["string", "number", "integer", "boolean", "datetime"]
Batch = Mapping[str, Any]  # sequences or arrays of one length, by name of the column


@dataclass(frozen=True)
class Column:
    """kind: as in the Table Schema of Frictionless. Units are in the name. about: what it holds."""

    name: str
    kind: Kind
    about: str


@dataclass(frozen=True, eq=False)
class Table:
    """rows: batches of columns of one length, all of them, in the order of the columns."""

    name: str
    title: str
    columns: tuple[Column, ...]
    rows: Callable[[], Iterator[Batch]]


def of_rows(
    name: str, title: str, columns: Sequence[Column], rows: Callable[[], Iterator[Sequence[Any]]]
) -> Table:
    """A small table out of rows."""

    def batches() -> Iterator[Batch]:
        found = list(rows())
        if found:
            yield dict(zip((c.name for c in columns), zip(*found, strict=True), strict=True))

    return Table(name, title, tuple(columns), batches)
