"""Trail lines: which point of a component its line starts from, and how a dogleg leads it aside."""

from collections.abc import Sequence
from functools import lru_cache

import numpy as np

from pulley.core.assembly import Leaf
from pulley.core.geometry.features import main_axis
from pulley.core.geometry.frames import Vector, apply, unit
from pulley.core.teardown import Jog

ALONG = np.cos(np.radians(1.0))  # an axis nearer than this to the travel carries the trail

# line types of ISO 128-2 (from memory) as dash, gap, dash, gap … in widths of the line; none for continuous
PATTERNS = {
    "chain": (24.0, 3.0, 0.5, 3.0),
    "double chain": (24.0, 3.0, 0.5, 3.0, 0.5, 3.0),
    "dashed": (12.0, 3.0),
    "dotted": (0.5, 3.0),
    "continuous": (),
}


def anchor(component: Leaf, travel: Vector) -> Vector:
    """The point (3,) of a component at home that its trail line starts from.

    On the main axis, where that runs along the travel, at the end that trails behind: there the
    line leaves the solid. Otherwise the middle of the component's bounds.

    Parameters
    ----------
    component : Leaf
    travel : (3,) float64
        Where it goes, in its frame at home; any length.

    Returns
    -------
    (3,) float64
        In mm, in the assembly's frame.
    """
    return _anchor(component, tuple(np.asarray(travel, float).tolist())).copy()


@lru_cache(maxsize=16384)
def _anchor(component: Leaf, travel: tuple[float, float, float]) -> Vector:
    mesh = component.part.mesh
    points = apply(component.pose, mesh.vertices)
    middle = (points.min(0) + points.max(0)) / 2
    axis = main_axis(mesh.cylinders)
    if axis is None or np.linalg.norm(travel) < 1e-9:
        return middle
    direction = component.pose[:3, :3] @ np.array(axis.direction)
    along = unit(travel)
    if abs(direction @ along) < ALONG:
        return middle
    origin = apply(component.pose, np.array(axis.origin))
    return origin + along * ((points @ along).min() - origin @ along)


def jogged(a: Vector, b: Vector, jogs: Sequence[Jog], grown: float = 1.0) -> list[Vector]:
    """The points of a leg from ``a`` to ``b`` (3,) with its doglegs: along the leg, square aside, on, and back.

    A leg that has ``grown`` to a share of its length so far has doglegs of that share.

    >>> [p.tolist() for p in jogged(np.zeros(3), np.array([10.0, 0, 0]), [Jog(0, 0.2, 0.8, (0, 5, 0))])][1:3]
    [[2.0, 0.0, 0.0], [2.0, 5.0, 0.0]]
    """
    points = [a]
    for jog in sorted(jogs, key=lambda jog: jog.start):
        aside = np.array(jog.offset, float) * grown
        leave, back = a + jog.start * (b - a), a + jog.end * (b - a)
        points += [leave, leave + aside, back + aside, back]
    return [*points, b]
