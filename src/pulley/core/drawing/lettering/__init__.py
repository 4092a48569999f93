"""The typeface of sheets, and how long a text in it is: read from the font, so that all writers agree."""

from bisect import bisect_right
from collections.abc import Callable
from functools import cache, lru_cache
from pathlib import Path

from fontTools.ttLib import TTFont

FILE = Path(__file__).parent / "font" / "DejaVuSansCondensed.ttf"
FAMILY = "DejaVu Sans Condensed"
HEIGHTS = (1.8, 2.5, 3.5, 5.0, 7.0, 10.0, 14.0, 20.0)  # mm of a capital (ISO 3098-1, from memory)
LINE = 1.6  # heights of a capital from one base line to the next


@cache
def _font() -> tuple[dict[int, str], dict[str, tuple[int, int]], int, int]:
    with TTFont(FILE, lazy=True) as font:
        return font.getBestCmap(), dict(font["hmtx"].metrics), font["head"].unitsPerEm, font["glyf"]["H"].yMax


def font_size(height: float) -> float:
    """The size of the em in the unit of ``height``, the height of a capital.

    >>> round(font_size(3.5), 3)
    4.801
    """
    _, _, em, capital = _font()
    return height * em / capital


@lru_cache(maxsize=16384)
def width(text: str, height: float) -> float:
    """Mm that a text takes whose capitals are ``height`` mm high.

    >>> 0 < width("Rod", 3.5) < width("Rods", 3.5)
    True
    """
    known, metrics, em, _ = _font()
    units = sum(metrics[known.get(ord(letter), ".notdef")][0] for letter in text)
    return units * font_size(height) / em


def cut(text: str, height: float, room: float) -> str:
    """A text that takes at most ``room`` mm, with an ellipsis where it was cut.

    >>> cut("Rope guard, left", 2.5, 14.0)
    'Rope g…'
    """
    if width(text, height) <= room:
        return text
    while text and width(text + "…", height) > room:
        text = text[:-1]
    return text.rstrip() + "…"


@lru_cache(maxsize=16384)
def wrapped(text: str, height: float, room: float) -> tuple[str, ...]:
    """A text in lines of at most ``room`` mm, broken at blanks where that is possible.

    >>> wrapped("Rope guard, left", 2.5, 20.0)
    ('Rope guard,', 'left')
    """
    return tuple(broken(text, room, lambda words: width(words, height)))


def broken(text: str, room: float, length: Callable[[str], float]) -> list[str]:
    """A text in lines of at most ``room`` by a measure of ours, broken at blanks where that is possible.

    >>> broken("one two", 4, len)
    ['one', 'two']
    """
    lines: list[str] = []
    for paragraph in text.split("\n"):
        line = ""
        for word in paragraph.split():
            longer = f"{line} {word}".strip()
            if line and length(longer) > room:
                lines.append(line)
                longer = word
            while length(longer) > room and len(longer) > 1:
                fits = max(bisect_right(range(1, len(longer)), room, key=lambda n: length(longer[:n])), 1)  # noqa: B023
                lines.append(longer[:fits])
                longer = longer[fits:]
            line = longer
        lines.append(line)
    return lines
