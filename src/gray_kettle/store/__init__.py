"""The case file: one job at one site in one SQLite file. The only place that speaks to a database.

`Case` is imported when it is first asked for: the app's first picture does not wait for the database library.
"""

from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from gray_kettle.store.case import Case

__all__ = ["Case"]


def __getattr__(name: str) -> Any:
    if name != "Case":
        raise AttributeError(name)
    from gray_kettle.store.case import Case

    return Case
