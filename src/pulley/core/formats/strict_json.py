"""JSON from outside: only what every reader of the open format, and the database, can hold."""

import json
import math
from collections.abc import Iterator
from typing import Any, NoReturn

from pulley.core.errors import PulleyError

DEEPEST = 24  # levels; MariaDB keeps 32, and what is read here is kept inside something else
LARGEST = 2**53  # whole numbers up to here are the same in every program (RFC 8259, section 6)


def read(text: str | bytes, what: str = "This is no JSON") -> Any:
    """The values of JSON text.

    >>> read('{"distance": 2.5}')
    {'distance': 2.5}

    Raises PulleyError for what is no JSON, numbers that are not finite or too large to be exact, text that cannot be
    written (lone surrogates) and nesting beyond all use.
    """
    try:
        values = json.loads(text, parse_constant=_no_number, parse_float=_finite, parse_int=_exact)
    except PulleyError:
        raise
    except (ValueError, RecursionError) as error:
        raise PulleyError(f"{what}: its JSON cannot be read ({str(error)[:200]}).") from error
    for each, depth in _walk(values):
        if depth > DEEPEST:
            raise PulleyError(f"{what}: it is nested more than {DEEPEST} levels deep. Flatten it.")
        if isinstance(each, str) and not writable(each):
            raise PulleyError(f"{what}: it holds half a character (a lone surrogate). Write the whole character.")
    return values


def writable(text: str) -> bool:
    """Whether text can be written as UTF-8: no half of a surrogate pair stands alone."""
    try:
        text.encode()
    except UnicodeEncodeError:
        return False
    return True


def _walk(values: Any) -> Iterator[tuple[Any, int]]:
    """Every value and key with its depth, without recursion."""
    waiting = [(values, 1)]
    while waiting:
        each, depth = waiting.pop()
        yield each, depth
        if isinstance(each, dict):
            waiting += [(item, depth + 1) for pair in each.items() for item in pair]
        elif isinstance(each, list) and depth <= DEEPEST:
            waiting += [(item, depth + 1) for item in each]


def _no_number(name: str) -> NoReturn:
    raise PulleyError(f"{name} is a number that JSON does not have. Write a finite number.")


def _finite(text: str) -> float:
    number = float(text)
    if not math.isfinite(number):
        raise PulleyError(f"{text[:30]} is larger than any number that can be kept. Write a finite number.")
    return number


def _exact(text: str) -> int:
    if len(text) > 17 or abs(int(text)) > LARGEST:
        raise PulleyError(f"{text[:30]}… is a whole number of {len(text)} digits; 15 can be kept. Write a smaller one.")
    return int(text)
