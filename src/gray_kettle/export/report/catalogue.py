"""The words of reports, through gettext: a translation is a file, and needs no code.

A catalogue is looked for as LANGUAGE/LC_MESSAGES/gray-kettle.mo, first in the person's data folder under "locale", then
in the one that comes with the program. Source: CONTRIBUTING.md, "A translation of the report".
"""

import gettext
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from pathlib import Path

import platformdirs

DOMAIN = "gray-kettle"
SHIPPED = Path(__file__).parents[2] / "locale"
_ENGLISH = gettext.NullTranslations()  # the texts in the code
_now: ContextVar[gettext.NullTranslations] = ContextVar("catalogue")


@contextmanager
def in_language(language: str) -> Iterator[None]:
    """All texts of the report inside are in this language, as far as a catalogue has them; else in English."""
    found = _ENGLISH
    for folder in (platformdirs.user_data_path(DOMAIN) / "locale", SHIPPED):
        if language and gettext.find(DOMAIN, folder, [language]):
            found = gettext.translation(DOMAIN, folder, [language])
            break
    token = _now.set(found)
    try:
        yield
    finally:
        _now.reset(token)


def _(text: str) -> str:
    """The text in the language of the report."""
    return _now.get(_ENGLISH).gettext(text)


def ngettext(one: str, many: str, number: int) -> str:
    """The form of a text that goes with a number."""
    return _now.get(_ENGLISH).ngettext(one, many, number)


def N_(text: str) -> str:
    """Marks a text for the catalogue that is translated later."""
    return text


def listed(names: list[str], most: int = 4) -> str:
    """Names as a sentence lists them."""
    distinct = list(dict.fromkeys(names))
    if len(distinct) > most:
        return _("{names} and {count} more").format(
            names=", ".join(distinct[:most]), count=len(distinct) - most
        )
    if len(distinct) < 2:
        return "".join(distinct)
    return _("{names} and {last}").format(names=", ".join(distinct[:-1]), last=distinct[-1])
