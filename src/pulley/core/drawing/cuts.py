"""Where bodies that overlap cut each other: the lines in which their facets meet."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

TOUCH = 1e-5  # mm that a facet must reach to both sides of another's plane; what reaches less far only touches
GRAZE = np.cos(np.radians(15.0))  # facets that meet flatter only graze: a round pin in its round hole, both of facets


@dataclass(frozen=True, eq=False)
class Cut:
    """Segments (n, 2, 3) in which the facets of one body, number ``owner``, meet those of another."""

    segments: NDArray[np.float64]
    owner: int


def cuts(bodies: Sequence[tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]]) -> list[Cut]:
    """The lines in which facets of different bodies cut each other; none where they only graze.

    Parameters
    ----------
    bodies : sequence of (facets, low, high)
        Facets (m, 3, 3) in mm, and the corners (3,) of a box that holds the body.

    Examples
    --------
    >>> low, high = np.full(3, -9.0), np.full(3, 9.0)
    >>> flat = np.array([[[0.0, 0, 0], [4, 0, 0], [0, 4, 0]]])
    >>> upright = np.array([[[1.0, 1, -1], [1, 2, -1], [1, 1, 3]]])
    >>> found = cuts([(flat, low, high), (upright, low, high)])
    >>> [abs(float(v)) for v in (found[0].segments[0, 1] - found[0].segments[0, 0]).round(6)]
    [0.0, 0.75, 0.0]
    """
    lows, highs = np.array([body[1] for body in bodies]), np.array([body[2] for body in bodies])
    found = []
    for k in range(len(bodies)):
        meets = ((lows[k + 1 :] < highs[k]) & (highs[k + 1 :] > lows[k])).all(1)
        for other in (np.flatnonzero(meets) + k + 1).tolist():
            low, high = np.maximum(lows[k], lows[other]), np.minimum(highs[k], highs[other])
            one, two = _near(bodies[k][0], low, high), _near(bodies[other][0], low, high)
            if len(one) and len(two):
                axis = int(np.argmax(high - low))
                least = _least(two, axis)
                order = np.argsort(least)
                segments = _crossed(one, two, order, least[order], axis, GRAZE)
                if len(segments):
                    found.append(Cut(segments, k))
    return found


@njit(cache=True, nogil=True)
def _near(facets, low, high):  # noqa: ANN001, ANN202
    """Those facets (m, 3, 3) whose bounds reach into a box."""
    found = np.empty((len(facets), 3, 3))
    n = 0
    for i in range(len(facets)):
        inside = True
        for x in range(3):
            a, b, c = facets[i, 0, x], facets[i, 1, x], facets[i, 2, x]
            inside &= min(a, b, c) <= high[x] and max(a, b, c) >= low[x]
        if inside:
            found[n] = facets[i]
            n += 1
    return found[:n].copy()


@njit(cache=True, nogil=True)
def _least(facets, axis):  # noqa: ANN001, ANN202
    """The least coordinate (m,) of facets along an axis."""
    found = np.empty(len(facets))
    for i in range(len(facets)):
        found[i] = min(facets[i, 0, axis], facets[i, 1, axis], facets[i, 2, axis])
    return found


@njit(cache=True, nogil=True)
def _planes(triangles):  # noqa: ANN001, ANN202
    """Unit normals and offsets (m, 4) of the planes of triangles, and their bounds (m, 6)."""
    planes, bounds = np.zeros((len(triangles), 4)), np.empty((len(triangles), 6))
    for i in range(len(triangles)):
        a, b, c = triangles[i, 0], triangles[i, 1], triangles[i, 2]
        ux, uy, uz = b[0] - a[0], b[1] - a[1], b[2] - a[2]
        vx, vy, vz = c[0] - a[0], c[1] - a[1], c[2] - a[2]
        x, y, z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        length = max(np.sqrt(x * x + y * y + z * z), 1e-300)
        x, y, z = x / length, y / length, z / length
        planes[i, 0], planes[i, 1], planes[i, 2], planes[i, 3] = x, y, z, x * a[0] + y * a[1] + z * a[2]
        for k in range(3):
            bounds[i, k], bounds[i, 3 + k] = min(a[k], b[k], c[k]), max(a[k], b[k], c[k])
    return planes, bounds


@njit(cache=True, nogil=True)
def _slice(triangles, i, planes, j, along, points):  # noqa: ANN001, ANN202
    """Where triangle i passes through plane j: whether it does, the places of the two points along a line; the
    points go to ``points`` (2, 3), the lower first."""
    count, above, below = 0, False, False
    for k in range(3):
        a, b = triangles[i, k], triangles[i, (k + 1) % 3]
        u = planes[j, 0] * a[0] + planes[j, 1] * a[1] + planes[j, 2] * a[2] - planes[j, 3]
        v = planes[j, 0] * b[0] + planes[j, 1] * b[1] + planes[j, 2] * b[2] - planes[j, 3]
        above, below = above or u > TOUCH, below or u < -TOUCH
        if (u > 0) != (v > 0) and count < 2:
            s = u / (u - v)
            for x in range(3):
                points[count, x] = a[x] + s * (b[x] - a[x])
            count += 1
    if count < 2 or not (above and below):
        return False, 0.0, 0.0
    first = points[0, 0] * along[0] + points[0, 1] * along[1] + points[0, 2] * along[2]
    second = points[1, 0] * along[0] + points[1, 1] * along[1] + points[1, 2] * along[2]
    if first > second:
        for x in range(3):
            points[0, x], points[1, x] = points[1, x], points[0, x]
        first, second = second, first
    return True, first, second


@njit(cache=True, nogil=True)
def _beside(one, i, two, j):  # noqa: ANN001, ANN202
    """Whether two boxes, rows of bounds (m, 6), lie beside one another."""
    beside = False
    for x in range(3):
        beside |= two[j, x] > one[i, 3 + x] or two[j, 3 + x] < one[i, x]
    return beside


@njit(cache=True, nogil=True)
def _crossed(one, two, order, least, axis, graze):  # noqa: ANN001, ANN202
    """Segments (n, 2, 3) in which two sets of triangles cut each other.

    T. Moeller 1997, "A fast triangle-triangle intersection test" (from memory): both triangles cut the line that
    their planes share; what the two have of it in common is the segment.
    """
    found = np.empty((64, 2, 3))
    n = 0
    (planes, bounds), (others, theirs) = _planes(one), _planes(two)
    widest = (theirs[:, 3 + axis] - theirs[:, axis]).max()
    points, crossing, along = np.empty((2, 3)), np.empty((2, 3)), np.empty(3)
    for i in range(len(one)):
        for place in range(np.searchsorted(least, bounds[i, axis] - widest), len(order)):
            j = order[place]
            if least[place] > bounds[i, 3 + axis]:
                break
            if _beside(bounds, i, theirs, j):
                continue
            p, q = planes[i], others[j]
            if abs(p[0] * q[0] + p[1] * q[1] + p[2] * q[2]) > graze:
                continue
            along[0], along[1], along[2] = (
                p[1] * q[2] - p[2] * q[1],
                p[2] * q[0] - p[0] * q[2],
                p[0] * q[1] - p[1] * q[0],
            )
            meets, p0, p1 = _slice(one, i, others, j, along, points)
            if not meets:
                continue
            meets, q0, q1 = _slice(two, j, planes, i, along, crossing)
            if not meets or min(p1, q1) - max(p0, q0) < 1e-9:
                continue
            if n == len(found):
                more = np.empty((2 * n, 2, 3))
                more[:n] = found
                found = more
            found[n, 0] = points[0] if p0 > q0 else crossing[0]
            found[n, 1] = points[1] if p1 < q1 else crossing[1]
            n += 1
    return found[:n]
