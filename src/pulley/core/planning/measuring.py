"""How far two things that were pointed at are from each other, and at which angle they lie."""

from dataclasses import dataclass

import numpy as np

from pulley.core.geometry.frames import Vector, Vector3, triple, unit
from pulley.core.planning.pointing import Feature

PARALLEL = 1e-6  # sine below which two directions are one


@dataclass(frozen=True)
class Measure:
    """The shortest distance in mm between two features, from one point (3,) to another, and the angle in degrees.

    ``distance`` is None between what crosses (planes, or a plane and a line), ``angle`` where one has no direction.
    A face counts as its whole plane, an edge and the axis of a round face as their whole lines.
    """

    distance: float | None
    angle: float | None
    start: Vector3
    end: Vector3


def measure(first: Feature, second: Feature) -> Measure:
    """Distance and angle of two features.

    Examples
    --------
    >>> floor = Feature("face", "a", (0.0, 0.0, 0.0), (0.0, 0.0, 1.0))
    >>> pin = Feature("round", "b", (5.0, 0.0, 12.0), (1.0, 0.0, 0.0), 4.0)
    >>> found = measure(floor, pin)
    >>> found.distance, found.angle
    (12.0, 0.0)
    """
    start, end = _nearest(first, second)
    angle = _angle(first, second)
    crossing = "face" in (first.kind, second.kind) and angle is not None and angle > np.degrees(PARALLEL)
    distance = None if crossing else float(np.linalg.norm(end - start))
    return Measure(distance, angle, triple(start), triple(end))


def _angle(first: Feature, second: Feature) -> float | None:
    """Degrees from 0 to 90 between two lines or planes, or a line and a plane."""
    if first.direction is None or second.direction is None:
        return None
    a, b = unit(np.array(first.direction)), unit(np.array(second.direction))
    between = float(np.degrees(np.arctan2(np.linalg.norm(np.cross(a, b)), abs(a @ b))))
    mixed = (first.kind == "face") != (second.kind == "face")
    return 90.0 - between if mixed else between


def _nearest(first: Feature, second: Feature) -> tuple[Vector, Vector]:
    """A point of each, as near to one another as they come."""
    if first.kind != "face" and second.kind == "face":
        end, start = _nearest(second, first)
        return start, end
    a, b = np.array(first.origin), np.array(second.origin)
    if first.kind == "face" and first.direction is not None:
        normal = unit(np.array(first.direction))
        return b - ((b - a) @ normal) * normal, b
    if first.direction is None and second.direction is None:
        return a, b
    if first.direction is None:
        return a, _foot(a, second)
    if second.direction is None:
        return _foot(b, first), b
    return _of_lines(a, unit(np.array(first.direction)), b, unit(np.array(second.direction)))


def _foot(point: Vector, line: Feature) -> Vector:
    """The point of a line that is nearest to a point (3,)."""
    origin, along = np.array(line.origin), unit(np.array(line.direction))
    return np.asarray(origin + ((point - origin) @ along) * along)


def _of_lines(a: Vector, u: Vector, b: Vector, v: Vector) -> tuple[Vector, Vector]:
    """The points at which two lines are nearest to each other; on parallel ones, across from ``a``."""
    across = np.cross(u, v)
    square = float(across @ across)
    if square < PARALLEL**2:
        return a, b + ((a - b) @ v) * v
    s = float(np.cross(b - a, v) @ across) / square
    t = float(np.cross(b - a, u) @ across) / square
    return a + s * u, b + t * v
