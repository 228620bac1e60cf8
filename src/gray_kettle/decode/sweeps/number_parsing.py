"""Numbers out of text, a block at a time.

Sweep tables are hundreds of megabytes of numbers of one form ("-93.5"). Digit by digit over all fields at once they
are read more than twice as fast as number by number; what is of another form goes the slow way.
"""

import math
import warnings

import numpy as np
from numpy.typing import NDArray

_MOST_DIGITS = 7
_COMMA, _DOT, _MINUS = b",.-"
_ZERO = np.uint8(ord("0"))

Levels = NDArray[np.float32]


def decimals(text: bytes, count: int) -> Levels | None:
    """Numbers that are separated by commas and have equally many decimals; None where they are of another form."""
    octets = np.frombuffer(text + b",", np.uint8)
    ends = np.flatnonzero(octets == _COMMA).astype(np.int32)
    if len(ends) != count:
        return None
    starts = np.empty_like(ends)
    starts[0], starts[1:] = 0, ends[:-1] + 1
    negative = octets[starts] == _MINUS
    length = ends - starts - negative
    first = text[: int(ends[0])]
    places = len(first) - 1 - first.index(b".") if b"." in first else 0
    longest, shortest = int(length.max()), int(length.min())
    if longest > _MOST_DIGITS + 1 or shortest < places + 1 + (places > 0):
        return None
    at = ends - 1
    if places and not (octets[at - places] == _DOT).all():
        return None
    value = np.zeros(count, np.int32)
    weight = 1
    for k in range(longest):
        if not places or k != places:
            digit = octets.take(at, mode="clip") - _ZERO
            if k >= shortest:
                digit[k >= length] = 0
            if digit.max() > 9:
                return None
            value += np.multiply(digit, weight, dtype=np.int32)
            weight *= 10
        at -= 1
    np.negative(value, out=value, where=negative)
    return value.astype(np.float32) * np.float32(10.0**-places)


def numbers(text: bytes, count: int) -> Levels | None:
    """Numbers of any form that are separated by commas; NaN for fields that are none. None when the count differs."""
    found = decimals(text, count)
    if found is None:
        found = _any_form(text, count)
    if found is None:
        words = text.split(b",")
        found = np.array([_number(word) for word in words], np.float32) if len(words) == count else None
    return found


def _any_form(text: bytes, count: int) -> Levels | None:
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        try:
            found = np.fromstring(text, sep=",")
        except (DeprecationWarning, ValueError):
            return None
    return found.astype(np.float32) if len(found) == count else None


def _number(word: bytes) -> float:
    try:
        return float(word)
    except ValueError:
        return math.nan
