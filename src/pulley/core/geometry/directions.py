"""The six axis directions and the words for them; a direction that is none of them, in numbers."""

import numpy as np

from pulley.core.geometry.frames import Vector3, unit
from pulley.core.quantities import plain

AXES: tuple[tuple[str, str, Vector3], ...] = (
    ("+Z", "Up", (0.0, 0.0, 1.0)),
    ("-Z", "Down", (0.0, 0.0, -1.0)),
    ("+X", "Right", (1.0, 0.0, 0.0)),
    ("-X", "Left", (-1.0, 0.0, 0.0)),
    ("+Y", "To the back", (0.0, 1.0, 0.0)),
    ("-Y", "To the front", (0.0, -1.0, 0.0)),
)
SAME = 1 - 1e-6  # cosine above which a direction is one of the six axes


def direction_word(direction: Vector3) -> str:
    """The word for an axis direction, else its components.

    >>> direction_word((0, 0, 2)), direction_word((1, 1, 0))
    ('up', 'along 0.707, 0.707, 0')
    """
    along = unit(np.array(direction, float))
    for _, word, axis in AXES:
        if along @ axis > SAME:
            return word.lower()
    return "along " + ", ".join(plain(round(float(c), 3) + 0.0) for c in along)


def off_axis(direction: Vector3) -> str:
    """By how much a direction is off the nearest axis, in words; empty when it is that axis.

    >>> off_axis((3.0, 2.0, 0.0)), off_axis((0.0, 1.0, 0.0))
    ('33.7° off right', '')
    """
    along = unit(np.array(direction, float))
    cosine, word = max((float(along @ np.array(axis)), word) for _, word, axis in AXES)
    return "" if cosine >= SAME else f"{np.degrees(np.arccos(min(cosine, 1.0))):.1f}° off {word.lower()}"
