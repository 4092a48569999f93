"""Commands of the sheet page by the name that their address has: ``edit/move-view``."""

import json
import math
from collections.abc import Callable, Mapping
from typing import Any

from pulley.core.assembly import Assembly
from pulley.core.drawing.sheet import Point2, Sheet
from pulley.core.errors import PulleyError
from pulley.core.formats.strict_json import read
from pulley.web.sheets.services import Changed

Sent = Mapping[str, str]
Does = Callable[[Sent, Sheet, Assembly], Changed]
COMMANDS: dict[str, Does] = {}
UNREADABLE = "The page sent something that cannot be read. Reload it and do that again; nothing was changed."


def command(name: str) -> Callable[[Does], Does]:
    """Decorator: this is what the address ``edit/NAME`` does."""

    def register(does: Does) -> Does:
        assert name not in COMMANDS, f"two commands are called {name}"
        COMMANDS[name] = does
        return does

    return register


def number(sent: Sent, key: str, otherwise: float | None = None) -> float:
    """A finite number that the page sent."""
    text = sent.get(key, "")
    if not text and otherwise is not None:
        return otherwise
    try:
        found = float(text.strip().removesuffix("mm").strip())
    except ValueError:
        found = math.nan
    if not math.isfinite(found) or abs(found) > 1e6:
        raise PulleyError(f"“{text[:30]}” is not a number. Type one, such as 25.")
    return found


def point(sent: Sent, key: str = "") -> Point2:
    """A point of the page that was sent as two numbers, ``x`` and ``y``."""
    return number(sent, f"{key}x"), number(sent, f"{key}y")


def values(sent: Sent, key: str) -> Any:
    """Plain JSON values that the page sent."""
    try:
        return read(sent.get(key, ""), UNREADABLE)
    except (PulleyError, json.JSONDecodeError) as error:
        raise PulleyError(UNREADABLE) from error


def texts(sent: Sent, key: str) -> list[str]:
    """A list of texts that the page sent."""
    found = values(sent, key)
    if not isinstance(found, list) or not all(isinstance(item, str) for item in found):
        raise PulleyError(UNREADABLE)
    return found


def flag(sent: Sent, key: str) -> bool:
    """Whether a box was ticked."""
    return sent.get(key, "") in ("1", "on", "true")
