"""The standard scales of drawings: 1, 2 and 5 times a power of ten (ISO 5455, from memory)."""

import math
import re

from pulley.core.errors import PulleyError
from pulley.core.quantities import plain

Scale = tuple[float, float]  # mm of paper, mm of the model
SCALES: tuple[tuple[int, int], ...] = (
    *((n * 10**k, 1) for k in (1, 0) for n in (5, 2, 1) if n * 10**k > 1),
    (1, 1),
    *((1, n * 10**k) for k in range(5) for n in (1, 2, 5) if 1 < n * 10**k <= 10000),
)
FINEST, COARSEST = 1e-5, 1e3  # scales that anybody draws to


def factor(scale: Scale) -> float:
    """Mm of paper for each mm of the model.

    >>> factor((1, 2))
    0.5
    """
    return scale[0] / scale[1]


def largest_scale(most: float) -> Scale:
    """The largest standard scale of at most ``most`` mm of paper for each mm of the model.

    >>> largest_scale(0.7), largest_scale(3.0)
    ((1.0, 2.0), (2.0, 1.0))
    """
    fits = next((s for s in SCALES if factor(s) <= most * (1 + 1e-9)), SCALES[-1])
    return float(fits[0]), float(fits[1])


def next_scale(at: float) -> float:
    """The factor of the smallest standard scale above a factor; infinite above the largest.

    >>> next_scale(0.5), next_scale(0.7)
    (1.0, 1.0)
    """
    return min((factor(s) for s in SCALES if factor(s) > at * (1 + 1e-9)), default=math.inf)


def scale_text(scale: Scale) -> str:
    """A scale as it is written: ``1:2``.

    >>> scale_text((5.0, 1.0)), scale_text((1.0, 2.5))
    ('5:1', '1:2.5')
    """
    return f"{plain(scale[0])}:{plain(scale[1])}"


def parse_scale(text: str) -> Scale:
    """The scale that a person typed: ``1:4``, ``0.25``, ``2/1``.

    Raises
    ------
    PulleyError
        With examples of what can be typed, or the range.

    Examples
    --------
    >>> parse_scale("1:4"), parse_scale("0.25"), parse_scale("2")
    ((1.0, 4.0), (1.0, 4.0), (2.0, 1.0))
    """
    match = re.fullmatch(r"([\d.]+(?:e[+-]?\d+)?)(?:\s*[:/]\s*([\d.]+(?:e[+-]?\d+)?))?", text.strip().lower())
    try:
        paper, model = (float(match[1]), float(match[2] or 1)) if match else (math.nan, 1.0)
    except ValueError:
        paper, model = math.nan, 1.0
    if math.isnan(paper) or math.isnan(model):
        raise PulleyError(f"“{text.strip()[:30]}” is no scale. Type one such as 1:2, 5:1 or 0.25.")
    return checked_scale((paper, model))


def checked_scale(scale: Scale) -> Scale:
    """A scale with a 1 in it; PulleyError when nobody could draw to it."""
    paper, model = scale
    share = paper / model if model > 0 else 0.0
    if not FINEST <= share <= COARSEST:
        raise PulleyError(
            f"A scale of {plain(paper)}:{plain(model)} cannot be drawn. Type one from 1:100000 to 1000:1."
        )
    return (1.0, round(1 / share, 6)) if share < 1 else (round(share, 6), 1.0)
