"""Where bodies that overlap cut each other: the lines in which their facets meet."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

GRAZE = np.cos(np.radians(15.0))  # facets that meet flatter only graze: a round pin in its round hole, both of facets


@dataclass(frozen=True, eq=False)
class Cut:
    """Segments (n, 2, 3) in which the facets of one body, number ``owner``, meet those of another."""

    segments: NDArray[np.float64]
    owner: int


def cuts(bodies: Sequence[NDArray[np.float64]]) -> list[Cut]:
    """The lines in which facets (m, 3, 3) of different bodies cut each other; none where they only graze.

    Examples
    --------
    >>> flat = np.array([[[0.0, 0, 0], [4, 0, 0], [0, 4, 0]]])
    >>> upright = np.array([[[1.0, 1, -1], [1, 2, -1], [1, 1, 3]]])
    >>> found = cuts([flat, upright])
    >>> [abs(float(v)) for v in (found[0].segments[0, 1] - found[0].segments[0, 0]).round(6)]
    [0.0, 0.75, 0.0]
    """
    boxes = np.array([_bounds(facets) for facets in bodies]).reshape(-1, 2, 3)
    found = []
    for k in range(len(bodies)):
        meets = (boxes[k + 1 :, 0] < boxes[k, 1]).all(1) & (boxes[k + 1 :, 1] > boxes[k, 0]).all(1)
        for other in np.flatnonzero(meets) + k + 1:
            low, high = np.maximum(boxes[k, 0], boxes[other, 0]), np.minimum(boxes[k, 1], boxes[other, 1])
            one, two = _within(bodies[k], low, high), _within(bodies[other], low, high)
            if len(one) and len(two):
                segments = _crossed(one, two, *_sorted(one, two), GRAZE)
                if len(segments):
                    found.append(Cut(segments, k))
    return found


def _bounds(facets: NDArray[np.float64]) -> NDArray[np.float64]:
    if not len(facets):
        return np.array([[np.inf] * 3, [-np.inf] * 3])
    return np.array([facets.min((0, 1)), facets.max((0, 1))])


def _within(
    facets: NDArray[np.float64], low: NDArray[np.float64], high: NDArray[np.float64]
) -> NDArray[np.float64]:
    """Those facets whose bounds reach into a box."""
    return facets[(facets.min(1) <= high).all(1) & (facets.max(1) >= low).all(1)]


def _sorted(
    one: NDArray[np.float64], two: NDArray[np.float64]
) -> tuple[NDArray[np.intp], NDArray[np.float64], int]:
    """The second's facets in order of their least coordinate on the axis where they spread most; those; the axis."""
    axis = int(np.argmax(np.ptp(np.concatenate([one, two]).reshape(-1, 3), axis=0)))
    least = two[:, :, axis].min(1)
    order = np.argsort(least)
    return order, least[order], axis


@njit(cache=True, nogil=True)
def _plane(t):  # noqa: ANN001, ANN202
    """Unit normal (3,) and offset of a triangle's plane; a zero normal for one without area."""
    n = np.cross(t[1] - t[0], t[2] - t[0])
    length = np.sqrt(n[0] ** 2 + n[1] ** 2 + n[2] ** 2)
    if length > 0:
        n = n / length
    return n, n[0] * t[0, 0] + n[1] * t[0, 1] + n[2] * t[0, 2]


@njit(cache=True, nogil=True)
def _slice(t, n, offset, along):  # noqa: ANN001, ANN202
    """Where a triangle passes through a plane: two points, and their places along a line; False when it does not."""
    points = np.empty((2, 3))
    count = 0
    d = np.empty(3)
    for k in range(3):
        d[k] = n[0] * t[k, 0] + n[1] * t[k, 1] + n[2] * t[k, 2] - offset
    for k in range(3):
        j = (k + 1) % 3
        if (d[k] > 0) != (d[j] > 0) and count < 2:
            s = d[k] / (d[k] - d[j])
            points[count] = t[k] + s * (t[j] - t[k])
            count += 1
    first = points[0, 0] * along[0] + points[0, 1] * along[1] + points[0, 2] * along[2]
    second = points[1, 0] * along[0] + points[1, 1] * along[1] + points[1, 2] * along[2]
    if count == 2 and first > second:
        points = points[::-1].copy()
        first, second = second, first
    return count == 2, points, first, second


@njit(cache=True, nogil=True)
def _crossed(one, two, order, least, axis, graze):  # noqa: ANN001, ANN202
    """Segments (n, 2, 3) in which two sets of triangles cut each other.

    T. Moeller 1997, "A fast triangle-triangle intersection test" (from memory): both triangles cut the line that
    their planes share; what the two have of it in common is the segment.
    """
    found = np.empty((64, 2, 3))
    n = 0
    widest = 0.0
    for k in range(len(two)):
        widest = max(widest, max(two[k, 0, axis], two[k, 1, axis], two[k, 2, axis]) - min(two[k, 0, axis], two[k, 1, axis], two[k, 2, axis]))  # fmt: skip  # noqa: E501
    for i in range(len(one)):
        a = one[i]
        low, high = a[0].copy(), a[0].copy()
        for k in range(1, 3):
            low, high = np.minimum(low, a[k]), np.maximum(high, a[k])
        normal, offset = _plane(a)
        start = np.searchsorted(least, low[axis] - widest)
        for place in range(start, len(order)):
            if least[place] > high[axis]:
                break
            b = two[order[place]]
            apart = False
            for x in range(3):
                if min(b[0, x], b[1, x], b[2, x]) > high[x] or max(b[0, x], b[1, x], b[2, x]) < low[x]:
                    apart = True
                    break
            if apart:
                continue
            other, shift = _plane(b)
            if abs(normal[0] * other[0] + normal[1] * other[1] + normal[2] * other[2]) > graze:
                continue
            along = np.cross(normal, other)
            meets, points, p0, p1 = _slice(a, other, shift, along)
            if not meets:
                continue
            meets, others, q0, q1 = _slice(b, normal, offset, along)
            if not meets or min(p1, q1) - max(p0, q0) < 1e-9:
                continue
            if n == len(found):
                more = np.empty((2 * n, 2, 3))
                more[:n] = found
                found = more
            found[n, 0] = points[0] if p0 > q0 else others[0]
            found[n, 1] = points[1] if p1 < q1 else others[1]
            n += 1
    return found[:n]
