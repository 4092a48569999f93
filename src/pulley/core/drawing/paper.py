"""Paper: sizes, margins, zones and centring marks of the standards, and the scales that drawings are made to."""

import math
from dataclasses import dataclass

from pulley.core.errors import PulleyError

# ISO 216 (trimmed sizes), mm, short side first; ASME Y14.1: A 8.5 x 11 in and so on. Both from memory.
SIZES: dict[str, tuple[float, float]] = {
    "A4": (210.0, 297.0),
    "A3": (297.0, 420.0),
    "A2": (420.0, 594.0),
    "A1": (594.0, 841.0),
    "A0": (841.0, 1189.0),
    "ANSI A": (215.9, 279.4),
    "ANSI B": (279.4, 431.8),
    "ANSI C": (431.8, 558.8),
    "ANSI D": (558.8, 863.6),
    "ANSI E": (863.6, 1117.6),
}
USUAL_PAPER = "A3"  # where nothing else was asked for
FILING, EDGE = 20.0, 10.0  # mm: the margin for filing on the left, and the others (ISO 5457, from memory)
ANSI_EDGE = {"ANSI A": (9.65, 6.35), "ANSI B": (9.65, 15.75), "ANSI C": (12.7, 19.05), "ANSI D": (25.4, 12.7), "ANSI E": (12.7, 25.4)}  # fmt: skip  # noqa: E501  (left and right, top and foot; ASME Y14.1 in inches, from memory)
ZONE = 50.0  # mm a zone of the grid reference system, counted from the middle (ISO 5457, from memory)
BAND = 5.0  # mm that the zones' letters and the centring marks take beside the frame
LETTERS = "ABCDEFGHJKLMNPQRSTUVWXYZ"  # without I and O (ISO 5457, from memory)

Box = tuple[float, float, float, float]  # left, foot, right, top, in mm from the lower left corner


@dataclass(frozen=True)
class Paper:
    """A sheet of paper by name, wide or tall."""

    name: str
    wide: bool = True

    @property
    def size(self) -> tuple[float, float]:
        """Width and height in mm."""
        short, long = SIZES[self.name]
        return (long, short) if self.wide else (short, long)

    @property
    def frame(self) -> Box:
        """The rectangle of the frame within the page: left, foot, right, top, in mm."""
        width, height = self.size
        if self.name in ANSI_EDGE:
            side, top = ANSI_EDGE[self.name] if self.wide else ANSI_EDGE[self.name][::-1]
            return side, top, width - side, height - top
        return FILING, EDGE, width - EDGE, height - EDGE


def paper_of(text: str) -> Paper:
    """The paper that a person names: ``A3``, ``A4 tall``, ``ANSI B``.

    Raises
    ------
    PulleyError
        With the names that there are.

    Examples
    --------
    >>> paper_of("a3"), paper_of("A4 tall").size
    (Paper(name='A3', wide=True), (210.0, 297.0))
    """
    words = text.strip().upper().split()
    wide = not (words and words[-1] in ("TALL", "PORTRAIT"))
    if words and words[-1] in ("TALL", "PORTRAIT", "WIDE", "LANDSCAPE"):
        words = words[:-1]
    name = " ".join(words)
    if name not in SIZES:
        raise PulleyError(
            f"There is no paper “{text.strip()[:30]}”. Name one of {', '.join(SIZES)}, with “tall” or not."
        )
    return Paper(name, wide)


def zones(length: float) -> list[float]:
    """Where the zones along a side of ``length`` mm begin and end: of 50 mm each from the middle, the outer ones less.

    An even number of them, so that a centring mark stands between two.

    >>> zones(277.0)
    [0.0, 38.5, 88.5, 138.5, 188.5, 238.5, 277.0]
    """
    half = length / 2
    steps = [k * ZONE for k in range(1, math.ceil(half / ZONE))]
    if steps and half - steps[-1] < ZONE / 4:  # too narrow for a letter: the last one takes it
        steps.pop()
    inner = [half - s for s in reversed(steps)] + [half] + [half + s for s in steps]
    return [0.0, *inner, length]
