"""Numbers that a person types, in the unit of their choice, with a sentence for each thing that can be wrong."""

import math
import re
from functools import cache

from pulley.core.errors import PulleyError

DISTANCE_LIMIT = 1e5  # mm; a hundred metres, beyond which nobody takes a machine apart
DURATION_LIMIT = 3600.0  # seconds
PITCH = 5.0  # mm; what round distances are multiples of
UNITS = {"mm": 1.0, "cm": 10.0, "in": 25.4}  # mm in each; the inch by international agreement of 1959 (from memory)
TYPED = 80  # characters of arithmetic that are read
NUMBER = r"(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?"
ARITHMETIC = re.compile(rf"(?:{NUMBER}|mm|cm|in|ft|m|[-+*/()\s])+")


def parse_distance(text: str, unit: str = "mm") -> float:
    """A distance in mm, above 0, from what a person typed; a plain number is in ``unit``.

    >>> parse_distance(" 22.5 mm "), parse_distance("2*35"), parse_distance("3/8 in"), parse_distance("1 1/2", "in")
    (22.5, 70.0, 9.525, 38.1)

    Raises PulleyError with what to type instead.
    """
    number = parse_length(text, unit)
    if number < 0:
        raise PulleyError("A distance is above 0. To move the other way, turn the direction round and type it plain.")
    return _within(number, DISTANCE_LIMIT, "distance", "mm")


def parse_length(text: str, unit: str = "mm") -> float:
    """A length in mm that may be 0 or negative, from a number or a piece of arithmetic, with or without units.

    Raises
    ------
    PulleyError
        With an example of what can be typed.

    Examples
    --------
    >>> parse_length("3/8 in")
    9.525
    >>> parse_length("2.5", "cm")
    25.0
    """
    typed = text.strip().lower().replace("″", '"').replace("×", "*").replace("−", "-")
    typed = re.sub(r'"|inch(es)?\b', " in", typed)
    if not re.search(r"\d\s*[-+*/(]|^\(|(?<![a-z])(in|cm|ft|m)\b", re.sub(r"e[-+]", "e", typed)):
        number = _number(typed, "distance", "mm", example="25")
        return round(number * (1.0 if typed.endswith("mm") else UNITS[unit]), 9)
    if re.search(r"\d,\d", typed):
        raise PulleyError(
            f"“{text.strip()[:30]}” has a comma. Type a decimal point: {text.strip().replace(',', '.')[:30]}."
        )
    return _worked_out(text, typed, unit)


def _worked_out(text: str, typed: str, unit: str) -> float:
    """The length in mm that arithmetic comes to."""
    wrong = PulleyError(f"“{text.strip()[:30]}” is not a number. Type a number of {unit}, such as 25, 2*35 or 3/8 in.")
    if len(typed) > TYPED or "**" in typed or not ARITHMETIC.fullmatch(typed):
        raise wrong
    typed = re.sub(r"(\d+)\s+(\d+\s*/\s*\d+)", r"(\1+\2)", typed)  # 1 1/2 is one and a half
    units = _registry()
    try:
        worth = units.Quantity(typed)
        number = worth.m_as("mm") if worth.check("[length]") else worth.m_as("") * UNITS[unit]
    except Exception as error:  # what a half-typed sum makes the parser raise is of many kinds
        raise wrong from error
    return round(float(number), 9)


@cache
def _registry():  # noqa: ANN202
    """Units by name, read when the first sum is typed: it takes half a second."""
    import pint

    return pint.UnitRegistry()


def parse_duration(text: str) -> float:
    """A duration in seconds, above 0, from what a person typed; an ``s`` behind it is fine.

    Raises
    ------
    PulleyError
        With an example of what can be typed.

    Examples
    --------
    >>> parse_duration("1.5 s")
    1.5
    """
    return _within(_number(text, "duration", "s", example="1.5"), DURATION_LIMIT, "duration", "s")


def parse_angle(text: str) -> float:
    """An angle in degrees, not 0, from what a person typed; a ``°`` behind it is fine.

    Raises
    ------
    PulleyError
        With an example of what can be typed, or the angles that are possible.

    Examples
    --------
    >>> parse_angle("-90°")
    -90.0
    """
    angle = _number(text.replace("°", ""), "angle", "degrees", example="90")
    if not 0 < abs(angle) <= 72000:
        raise PulleyError(f"An angle is not 0 and at most 72,000°; this one is {angle:g}.")
    return angle


def parse_number(text: str, what: str) -> float:
    """A plain finite number.

    Raises
    ------
    PulleyError
        When it is none, or not finite.

    Examples
    --------
    >>> parse_number("2", "factor")
    2.0
    """
    number = _number(text, what, "", example="1.5")
    if not math.isfinite(number):
        raise PulleyError(f"The {what} has to be a finite number.")
    return number


def _number(text: str, what: str, unit: str, example: str) -> float:
    text = re.sub(rf"\s*{unit}$", "", text.strip())
    of = f" of {unit}" if unit else ""
    if not text:
        raise PulleyError(f"The {what} is empty. Type a number{of}, such as {example}.")
    if re.fullmatch(r"[+-]?\d*,\d+", text):
        raise PulleyError(f"“{text}” has a comma. Type a decimal point: {text.replace(',', '.')}.")
    try:
        number = float(text)
    except ValueError:
        number = math.nan
    if math.isnan(number):
        raise PulleyError(f"“{text[:30]}” is not a number. Type a number{of}, such as {example}.")
    return number


def _within(number: float, limit: float, what: str, unit: str) -> float:
    if not 0 < number <= limit:
        raise PulleyError(f"A {what} is above 0 and at most {limit:,.0f} {unit}; this one is {number:g}.")
    return number


def plain(number: float) -> str:
    """A number as a person would write it: no trailing zeros, three decimals at most.

    >>> plain(60.0), plain(22.5), plain(3.57149)
    ('60', '22.5', '3.571')
    """
    return f"{number:.3f}".rstrip("0").rstrip(".") if abs(number) < 1e15 else f"{number:g}"


def counted(number: int, noun: str) -> str:
    """A number of things: ``1 part``, ``18 components``.

    >>> counted(1, "part"), counted(0, "step")
    ('1 part', '0 steps')
    """
    return f"{number} {noun}{'' if number == 1 else 's'}"


def shown(mm: float, unit: str = "mm") -> str:
    """A length in mm as a person reads it in their unit, without the unit's name.

    >>> shown(38.1, "in"), shown(25.0)
    ('1.5', '25')
    """
    return plain(round(mm / UNITS[unit], 4))


def measured(mm: float, unit: str = "mm") -> str:
    """A length in mm that was worked out, to a tenth of a mm or as near as the unit is used, with the unit.

    >>> measured(22.0), measured(22.0, "in")
    ('22.0 mm', '0.866 in')
    """
    return f"{mm / UNITS[unit]:.{ {'mm': 1, 'cm': 2, 'in': 3}[unit] }f} {unit}"


def round_pitch(size: float, unit: str = "mm") -> float:
    """A round pitch in mm that suits an assembly of a size in mm: about a fortieth of it.

    1, 2 or 5 times a power of ten in the unit; for inches below one, halves of halves down to 1/64.

    >>> round_pitch(270), round_pitch(2700), round_pitch(270, "in")
    (5.0, 50.0, 6.35)
    """
    wanted = max(size, 1e-3) / 40 / UNITS[unit]
    ladder = [m * 10.0**p for p in range(-3, 5) for m in (1, 2, 5)]
    if unit == "in":
        ladder = [2.0**-k for k in range(6, -1, -1)] + [step for step in ladder if step > 1]
    return round(min(ladder, key=lambda step: abs(math.log(step / wanted))) * UNITS[unit], 9)


def round_down(travel: float, pitch: float = PITCH) -> float:
    """The greatest multiple of the pitch within ``travel``; of a tenth of a mm where the pitch is too coarse.

    >>> round_down(22.0), round_down(3.57), round_down(0.04)
    (20.0, 3.5, 0.0)
    """
    step = pitch if travel >= pitch else 0.1
    return round(math.floor(travel / step + 1e-6) * step, 6)
