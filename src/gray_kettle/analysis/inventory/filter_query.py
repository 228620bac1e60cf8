"""The filter language: conditions on a radio.

    band=5 foreign level>-75 ssid~harbour width>=80
    (band=2.4 | width>=80) !own ssid~"tea bar"

Conditions side by side must all hold, | is or, ! is not, brackets group. A bare word is one of those below; anything
else is sought in names and addresses.
"""

import operator
import re
from collections.abc import Callable

from gray_kettle.analysis.assessment import Radio
from gray_kettle.decode.dot11.security import is_outdated
from gray_kettle.errors import InvalidInput
from gray_kettle.safe_text import network_name

Condition = Callable[[Radio], bool]
_NUMBERS: dict[str, Callable[[Radio], float | None]] = {
    "level": lambda r: r.level_dbm,
    "width": lambda r: float(r.channel.width_mhz),
    "channel": lambda r: float(r.channel.primary),
    "air": lambda r: None if r.air_share is None else 100 * r.air_share,
    "retries": lambda r: None if r.retry_share is None else 100 * r.retry_share,
    "clients": lambda r: float(sum(len(n.clients) for n in r.networks)),
    "names": lambda r: float(len(r.networks)),
    "streams": lambda r: float(r.streams),
    "moves": lambda r: float(r.moves),
    "here": lambda r: 100 * r.stay.presence,
    "active": lambda r: 100 * r.activity,
    "swing": lambda r: r.swing_db,
    "basic": lambda r: min((rate for n in r.networks for rate in n.basic_rates_mbps), default=None),
}
_TEXTS: dict[str, Callable[[Radio], list[str]]] = {
    "band": lambda r: [r.band],
    "gen": lambda r: [r.known_generation or ""],
    "ssid": lambda r: [network_name(n.ssid) for n in r.networks],
    "bssid": lambda r: [n.bssid for n in r.networks],
    "name": lambda r: [r.name],
    "security": lambda r: [n.security for n in r.networks],
    "client": lambda r: [text for n in r.networks for c in n.clients for text in (c.mac, c.name) if text],
    "on": lambda r: [str(part) for part in r.channel.parts],
}
_WORDS: dict[str, Condition] = {
    "own": lambda r: r.own,
    "foreign": lambda r: not r.own,
    "hidden": lambda r: any(n.hidden for n in r.networks),
    "moves": lambda r: r.moves > 0,
    "outdated": lambda r: any(is_outdated(n.security) for n in r.networks),
    "gone": lambda r: r.is_gone,
}
_COMPARE = {
    "=": operator.eq,
    "!=": operator.ne,
    "<": operator.lt,
    "<=": operator.le,
    ">": operator.gt,
    ">=": operator.ge,
}
_CONDITION = re.compile(r"^(?P<field>[a-z]+)(?P<sign><=|>=|!=|=|<|>|~)(?P<value>.+)$", re.IGNORECASE)
# A quoted part keeps its spaces, brackets and bars; “!” is not, but for the sign “!=”.
_WORD = re.compile(r'[()|]|!(?!=)|(?:"[^"]*"?|[^\s()|!"]|!=)+')
_SIGNS = re.compile(r"^(?P<field>[a-z]+)(?P<sign><=|>=|!=|=|<|>|~|:)(?P<value>.*)$", re.IGNORECASE)
FIELDS = (*_TEXTS, *_NUMBERS)


def completed(text: str) -> str | None:
    """The text with its last word completed to a field or a word of the language; None where none begins so."""
    found = re.search(r"[a-z]+$", text)
    if found is None:
        return None
    offered = [*(f"{name}~" for name in _TEXTS), *(f"{name}>" for name in _NUMBERS), *_WORDS]
    match = next((o for o in offered if o.startswith(found[0]) and o != found[0]), None)
    return None if match is None else text[: found.start()] + match


def parse_filter(text: str) -> Condition:
    """A test for radios. Raises: InvalidInput, for a condition that means nothing."""
    words = _WORD.findall(text)
    condition = _either(words)
    if words:
        raise InvalidInput("There is a bracket “)” without its “(”.")
    return condition


def _either(words: list[str]) -> Condition:
    """Conditions with | between them, as far as the next closing bracket; takes its words from the list."""
    choices = [_all_of(words)]
    while words and words[0] == "|":
        words.pop(0)
        choices.append(_all_of(words))
    return lambda radio: any(condition(radio) for condition in choices)


def _all_of(words: list[str]) -> Condition:
    conditions = []
    while words and words[0] not in ("|", ")"):
        conditions.append(_one(words))
    return lambda radio: all(condition(radio) for condition in conditions)


def _one(words: list[str]) -> Condition:
    word = words.pop(0)
    if word == "!":
        if not words or words[0] in ("|", ")"):
            raise InvalidInput("After “!” (not) a condition is missing.")
        inner = _one(words)
        return lambda radio: not inner(radio)
    if word == "(":
        inside = _either(words)
        if not words:
            raise InvalidInput("There is a bracket “(” without its “)”.")
        words.pop(0)
        return inside
    return _condition(word.replace('"', ""))


def _condition(word: str) -> Condition:
    if word.lower() in _WORDS:
        return _WORDS[word.lower()]
    match = _CONDITION.match(word)
    if match is None:
        half = _SIGNS.match(word)
        if half is not None and half["field"].lower() in FIELDS:
            raise InvalidInput(_what_is_wrong(half["field"].lower(), half["sign"], half["value"]))
        return lambda radio: word.lower() in " ".join(_everything(radio)).lower()
    field, sign, value = match["field"].lower(), match["sign"], match["value"]
    if field in _TEXTS:
        return _text_condition(field, sign, value.lower())
    if field in _NUMBERS:
        return _number_condition(field, sign, value)
    raise InvalidInput(f"There is no “{field}” to filter by: use {', '.join(FIELDS)}.")


def _what_is_wrong(field: str, sign: str, value: str) -> str:
    """Of a condition that begins well: a colon is no comparison, and behind a comparison there must be a value."""
    example = f"{field}=…" if field in _TEXTS else f"{field}>=20"
    if sign == ":":
        meant = f"{field}={value}" if value else example
        return f"“{field}:{value}”: a colon compares nothing. Write {meant}."
    missing = "text" if field in _TEXTS else "number"
    return f"“{field}{sign}”: a {missing} is missing behind it. Write for example {example}."


def _everything(radio: Radio) -> list[str]:
    return [radio.name, *_TEXTS["ssid"](radio), *_TEXTS["bssid"](radio), *_TEXTS["client"](radio)]


def _text_condition(field: str, sign: str, value: str) -> Condition:
    read = _TEXTS[field]
    if sign == "~":
        return lambda radio: any(value in text.lower() for text in read(radio))
    if sign == "=":
        return lambda radio: any(value == text.lower() for text in read(radio))
    if sign == "!=":
        return lambda radio: all(value != text.lower() for text in read(radio))
    raise InvalidInput(f"“{field}” is text: compare it with =, != or ~ (holds).")


def _number_condition(field: str, sign: str, value: str) -> Condition:
    read = _NUMBERS[field]
    try:
        limit = float(value.replace("−", "-"))
    except ValueError:
        raise InvalidInput(f"“{value}” is no number: write for example {field}>=20.") from None
    if sign == "~":
        raise InvalidInput(f"“{field}” is a number: compare it with =, !=, <, <=, > or >=.")
    compare = _COMPARE[sign]

    def test(radio: Radio) -> bool:
        number = read(radio)
        return number is not None and bool(compare(number, limit))

    return test
