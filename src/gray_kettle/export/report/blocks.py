"""What a report is made of. Texts are plain: each writer escapes them for its own format."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from matplotlib.figure import Figure


@dataclass(frozen=True)
class Heading:
    """level: 1 to 3; 1 and 2 are in the table of contents."""

    level: int
    text: str


@dataclass(frozen=True)
class Paragraph:
    """lead: first words, set off. style: "body", "lead" (larger), "small" or "quote"."""

    text: str
    lead: str = ""
    style: str = "body"


@dataclass(frozen=True)
class Bullets:
    """items: (lead, text)."""

    items: tuple[tuple[str, str], ...]
    is_numbered: bool = False


@dataclass(frozen=True)
class Table:
    """rows: of texts, as many as heads. right: columns set to the right. widths: shares of the page. key: columns that
    are set off.
    """

    heads: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    widths: tuple[float, ...]
    right: frozenset[int] = frozenset()
    key: frozenset[int] = frozenset({0})
    caption: str = ""


@dataclass(frozen=True)
class Facts:
    """(what, value) pairs."""

    pairs: tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class Answer:
    """The sentence that a reader is looking for, set off from the rest."""

    text: str
    more: str = ""


@dataclass(frozen=True, eq=False)
class Drawing:
    """make: builds the figure. alt: what it shows, for those who cannot see it."""

    make: "Callable[[], Figure]"
    alt: str
    caption: str = ""


Block = Heading | Paragraph | Bullets | Table | Facts | Answer | Drawing


@dataclass(frozen=True)
class Report:
    """first: the page for the customer; rest: the part for a colleague, with a table of contents before it."""

    title: str
    subtitle: str
    made: str
    author: tuple[str, ...]
    logo: Path | None
    language: str
    first: tuple[Block, ...]
    rest: tuple[Block, ...] = ()
