"""Two people's changes to one setup put together, field by field."""

from collections.abc import Hashable
from dataclasses import fields, is_dataclass
from typing import Any, TypeVar

Document = TypeVar("Document")


def merged(base: Document, mine: Document, theirs: Document) -> Document:
    """Both changes to base: a field that only one changed has that change, and lists have what either added.

    Of a single value that both changed, mine counts. base, mine, theirs: the same dataclass, of plain values, tuples
    and further dataclasses.
    """
    changed = {}
    for field in fields(base):  # type: ignore[arg-type]
        values = [getattr(document, field.name) for document in (base, mine, theirs)]
        changed[field.name] = _value(*values)
    return type(base)(**changed)


def _value(base: Any, mine: Any, theirs: Any) -> Any:
    if mine == base:
        return theirs
    if theirs in (base, mine):
        return mine
    if is_dataclass(base):
        return merged(base, mine, theirs)
    lists = isinstance(base, tuple) and isinstance(mine, tuple) and isinstance(theirs, tuple)
    if lists and not any(isinstance(item, float) for item in (*base, *mine, *theirs)):  # numbers: an interval
        return _items(base, mine, theirs)
    return mine


def _items(base: tuple[Any, ...], mine: tuple[Any, ...], theirs: tuple[Any, ...]) -> tuple[Any, ...]:
    """What they have without what I took out, then what I added. Of pairs with one key, mine replaces theirs."""
    removed = [item for item in base if item not in mine]
    added = [item for item in mine if item not in base and item not in theirs]
    keys = {_key(item) for item in added}
    kept = [i for i in theirs if i not in removed and (_key(i) is None or _key(i) not in keys)]
    return (*kept, *added)


def _key(item: Any) -> Hashable | None:
    """What a pair is about; None for what stands for itself."""
    return item[0] if isinstance(item, tuple) and item and isinstance(item[0], str) else None
