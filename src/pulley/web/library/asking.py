"""What a file leaves open, as its user is asked: in which unit it is, which way is up, whether its bodies are apart."""

from collections.abc import Callable
from typing import Any

from pulley.core.assembly import Assembly
from pulley.core.formats.registry import UNITS
from pulley.core.render.scale import likely_unit, upright_pictures

PICTURE = (360, 270)  # pixels
TILE = (150.0, 96.0)  # of a picture beside something that everybody knows: units of its drawing
HAND, PERSON = 190.0, 1750.0  # mm high
LARGE = 1200.0  # mm: what is longer stands beside a person
ROOM = 1.25  # times its longest side: how wide the picture of a model is


def question(assembly: Assembly, keep: Callable[[bytes], str]) -> dict[str, Any]:
    """What to ask of an assembly that was read with guesses; ``keep`` puts a picture away and says by what key."""
    sides = [float(side) / assembly.unit for side in assembly.bounds[1] - assembly.bounds[0]]
    guess = likely_unit(max(sides))
    return {
        "units": [_choice(unit, sides, guess) for unit in UNITS] if "unit" in assembly.asked else [],
        "up": "up" in assembly.asked,
        "bodies": any(what.startswith("bodies") for what in assembly.asked),
        "apart": "bodies apart" in assembly.asked,
        "pictures": {up: keep(data) for up, data in upright_pictures(assembly, PICTURE).items()},
    }


def _choice(unit: str, sides: list[float], guess: str) -> dict[str, Any]:
    """One unit: the sizes that the model has in it, and how large it and its companion are in the tile."""
    sizes = [side * UNITS[unit] for side in sides]
    tall = HAND if max(sizes) <= LARGE else PERSON
    wide = ROOM * max(sizes)
    scale = min(TILE[1] / max(0.75 * wide, tall), (TILE[0] - 8) / (wide + 0.55 * tall))
    return {
        "unit": unit,
        "likely": unit == guess,
        "size": " × ".join(_spoken(size) for size in sizes),
        "companion": "hand" if tall == HAND else "person",
        "wide": round(wide * scale, 2),
        "high": round(0.75 * wide * scale, 2),
        "top": round(TILE[1] - 0.75 * wide * scale, 2),
        "tall": round(tall * scale, 2),
        "stand": round(TILE[1] - tall * scale, 2),
        "aside": round(wide * scale + 8, 2),
    }


def _spoken(size: float) -> str:
    """A length in mm in the unit that people say it in.

    >>> _spoken(0.25), _spoken(120.0), _spoken(2500.0)
    ('0.25 mm', '120 mm', '2.5 m')
    """
    return f"{size / 1000:.3g} m" if size >= 1000 else f"{size:.3g} mm"
