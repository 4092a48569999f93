"""Where bodies that overlap cut each other: the lines in which their facets meet."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numba import njit
from numpy.typing import NDArray

from pulley.core.drawing.pool import in_threads

TOUCH = 1e-5  # mm that a facet must reach to both sides of another's plane; what reaches less far only touches
GRAZE = np.cos(np.radians(15.0))  # facets that meet flatter only graze: a round pin in its round hole, both of facets
LEAF = 8  # facets in a leaf of a tree


@dataclass(frozen=True, eq=False)
class Tree:
    """Facets in a tree of boxes.

    Attributes
    ----------
    facets : (m, 3, 3) float64, mm, those that lie near one another side by side
    planes : (m, 4) float64, unit normals and offsets
    bounds : (m, 6) float64, lowest and highest corners
    boxes : (2 n, 6) float64, n a power of two: row 1 holds all, rows 2 k and 2 k + 1 what row k does, and from row n
        on each `LEAF` facets
    """

    facets: NDArray[np.float64]
    planes: NDArray[np.float64]
    bounds: NDArray[np.float64]
    boxes: NDArray[np.float64]


class Faceted(Protocol):
    """What has facets in the picture: the box (6,) that holds them, and a tree of them, which need not be made unless
    something is near."""

    @property
    def box(self) -> NDArray[np.float64]: ...  # noqa: D102

    @property
    def tree(self) -> Tree: ...  # noqa: D102


@dataclass(frozen=True, eq=False)
class Body:
    """A body where it stands: its facets as the picture has them, moved by ``at`` (3,), and the ``held`` box (6,) that
    holds it in the assembly's own frame: most parts lie along its axes, so that those that only touch are told."""

    part: Faceted
    at: NDArray[np.float64]
    held: NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class Cut:
    """Segments (n, 2, 3) in which the facets of one body, number ``owner``, meet those of another."""

    segments: NDArray[np.float64]
    owner: int


def tree_of(facets: NDArray[np.float64]) -> Tree:
    """A tree of facets (m, 3, 3), in the order of a curve that fills space (G. Morton 1966; from memory).

    Examples
    --------
    >>> tree_of(np.array([[[0.0, 0, 0], [4, 0, 0], [0, 4, 1]]])).boxes[1].tolist()
    [0.0, 0.0, 0.0, 4.0, 4.0, 1.0]
    """
    ordered = facets[np.argsort(_codes(facets))] if len(facets) > LEAF else facets
    planes, bounds = _planes(ordered)
    return Tree(ordered, planes, bounds, _boxes(bounds))


def cuts(bodies: Sequence[Body], frame: NDArray[np.float64]) -> list[Cut]:
    """The lines in which facets of different bodies cut each other; none where they only graze.

    Parameters
    ----------
    bodies : sequence of Body
    frame : (3, 3) float64
        Rows right, up, back: the axes of the trees in the frame of the boxes.

    Examples
    --------
    >>> from types import SimpleNamespace
    >>> box = np.array([-9.0, -9, -9, 9, 9, 9])
    >>> flat = tree_of(np.array([[[0.0, 0, 0], [4, 0, 0], [0, 4, 0]]]))
    >>> upright = tree_of(np.array([[[1.0, 1, -1], [1, 2, -1], [1, 1, 3]]]))
    >>> bodies = [Body(SimpleNamespace(box=box, tree=tree), np.zeros(3), box) for tree in (flat, upright)]
    >>> found = cuts(bodies, np.eye(3))
    >>> [abs(float(v)) for v in (found[0].segments[0, 1] - found[0].segments[0, 0]).round(6)]
    [0.0, 0.75, 0.0]
    """
    if not bodies:
        return []
    seen = np.array([body.part.box for body in bodies]) + np.tile([body.at for body in bodies], 2)
    held = np.array([body.held for body in bodies])
    pairs = []
    for k in range(len(bodies)):
        meets = _overlap(seen[k], seen[k + 1 :], 0.0) & _overlap(held[k], held[k + 1 :], TOUCH)
        pairs += [(k, other) for other in (np.flatnonzero(meets) + k + 1).tolist()]
    found = in_threads(lambda pair: _cut(bodies[pair[0]], bodies[pair[1]], frame), pairs)
    return [Cut(segments, k) for (k, _), segments in zip(pairs, found, strict=True) if len(segments)]


def _overlap(box: NDArray[np.float64], others: NDArray[np.float64], least: float) -> NDArray[np.bool_]:
    """Whether a box (6,) overlaps others (n, 6) by more than so many mm along every axis."""
    return np.asarray(((others[:, :3] < box[3:] - least) & (others[:, 3:] > box[:3] + least)).all(1))


def _cut(one: Body, two: Body, frame: NDArray[np.float64]) -> NDArray[np.float64]:
    """The segments (n, 2, 3) in which two bodies cut each other: the facets of the smaller that reach into what the
    two have in common are looked up in the tree of the larger, where that stands."""
    if len(one.part.tree.facets) > len(two.part.tree.facets):
        one, two = two, one
    low, high = np.maximum(one.held[:3], two.held[:3]), np.minimum(one.held[3:], two.held[3:])
    shared = np.concatenate([low - TOUCH, high + TOUCH])  # a face may lie right on the side of the box
    own, other = one.part.tree, two.part.tree
    tree = other.facets, other.planes, other.bounds, other.boxes
    near = _near(own.facets, own.bounds, one.at - two.at, other.boxes[1], frame, two.at, shared)
    if not len(near):
        return near[:, :2]
    planes, bounds = _planes(near)
    pairs = np.empty((64 + 4 * len(near), 2), np.int64)
    if (count := _crossing(near, planes, bounds, *tree, pairs)) > len(pairs):
        pairs = np.empty((count, 2), np.int64)
        _crossing(near, planes, bounds, *tree, pairs)
    return np.asarray(_segments(pairs[:count], near, planes, *tree[:2], GRAZE) + two.at)


@njit(cache=True, nogil=True)
def _codes(facets):  # noqa: ANN001, ANN202
    """The place (m,) of each facet's middle on a curve through its bounds: ten bits an axis, interleaved."""
    middles = np.empty((len(facets), 3))
    for i in range(len(facets)):
        for x in range(3):
            middles[i, x] = facets[i, 0, x] + facets[i, 1, x] + facets[i, 2, x]
    codes = np.zeros(len(facets), np.int64)
    for x in range(3):
        low = middles[:, x].min()
        scale = 1023.0 / max(middles[:, x].max() - low, 1e-12)
        for i in range(len(facets)):
            step = int((middles[i, x] - low) * scale)
            for bit in range(10):
                codes[i] |= ((step >> bit) & 1) << (3 * bit + x)
    return codes


@njit(cache=True, nogil=True)
def _boxes(bounds):  # noqa: ANN001, ANN202
    """The boxes (2 n, 6) of a tree over facets with these bounds (m, 6)."""
    leaves = 1
    while leaves * LEAF < len(bounds):
        leaves *= 2
    boxes = np.empty((2 * leaves, 6))
    boxes[:, :3], boxes[:, 3:] = np.inf, -np.inf
    for i in range(len(bounds)):
        _widen(boxes[leaves + i // LEAF], bounds[i])
    for k in range(2 * leaves - 1, 1, -1):
        _widen(boxes[k // 2], boxes[k])
    return boxes


@njit(cache=True, nogil=True)
def _widen(box, other):  # noqa: ANN001, ANN202
    """Let a box (6,) hold another as well."""
    for x in range(3):
        box[x], box[3 + x] = min(box[x], other[x]), max(box[3 + x], other[3 + x])


@njit(cache=True, nogil=True)
def _near(facets, bounds, by, box, frame, at, shared):  # noqa: ANN001, ANN202
    """Those facets (m, 3, 3) that reach into a box (6,) when they are moved, and into a ``shared`` one of the
    assembly's frame when they are moved on to ``at``; where they are after the first move."""
    found = np.empty((len(facets), 3, 3))
    n = 0
    for i in range(len(facets)):
        inside = True
        for x in range(3):
            inside &= bounds[i, x] + by[x] <= box[3 + x] and bounds[i, 3 + x] + by[x] >= box[x]
        if not inside:
            continue
        for k in range(3):
            for x in range(3):
                found[n, k, x] = facets[i, k, x] + by[x]
        for x in range(3):
            low, high = np.inf, -np.inf
            for k in range(3):
                value = 0.0
                for y in range(3):
                    value += (found[n, k, y] + at[y]) * frame[y, x]
                low, high = min(low, value), max(high, value)
            inside &= low <= shared[3 + x] and high >= shared[x]
        n += inside
    return found[:n].copy()


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
def _off(triangles, i, planes, j):  # noqa: ANN001, ANN202
    """How far the three corners of triangle i lie off plane j, in mm."""
    x, y, z, w = planes[j, 0], planes[j, 1], planes[j, 2], planes[j, 3]
    return (
        x * triangles[i, 0, 0] + y * triangles[i, 0, 1] + z * triangles[i, 0, 2] - w,
        x * triangles[i, 1, 0] + y * triangles[i, 1, 1] + z * triangles[i, 1, 2] - w,
        x * triangles[i, 2, 0] + y * triangles[i, 2, 1] + z * triangles[i, 2, 2] - w,
    )


@njit(cache=True, nogil=True)
def _slice(triangles, i, u, v, w, x, y, z, points):  # noqa: ANN001, ANN202
    """Where triangle i passes through a plane that its corners lie u, v and w off: the places of the two points along
    (x, y, z), the lower first, and the ``points`` (2, 3) in the same order."""
    k = 2 if (u > 0) == (v > 0) else 1 if (u > 0) == (w > 0) else 0  # the corner that is alone on its side
    own, after, last = (u, v, w) if k == 0 else (v, w, u) if k == 1 else (w, u, v)
    for n in range(2):
        other, share = ((k + 1) % 3, own / (own - after)) if n == 0 else ((k + 2) % 3, own / (own - last))
        for axis in range(3):
            points[n, axis] = triangles[i, k, axis] + share * (triangles[i, other, axis] - triangles[i, k, axis])
    first = x * points[0, 0] + y * points[0, 1] + z * points[0, 2]
    second = x * points[1, 0] + y * points[1, 1] + z * points[1, 2]
    if first > second:
        for axis in range(3):
            points[0, axis], points[1, axis] = points[1, axis], points[0, axis]
        first, second = second, first
    return first, second


@njit(cache=True, nogil=True)
def _beside(a, b, c, d, e, f, boxes, k):  # noqa: ANN001, ANN202
    """Whether a box from (a, b, c) to (d, e, f) lies beside row k of boxes (m, 6)."""
    return (
        boxes[k, 0] > d or boxes[k, 3] < a or boxes[k, 1] > e or boxes[k, 4] < b or boxes[k, 2] > f or boxes[k, 5] < c
    )


@njit(cache=True, nogil=True)
def _crossing(one, planes, bounds, two, others, theirs, boxes, found):  # noqa: ANN001, ANN202
    """How many pairs there are of triangles, and of those of a tree, each of which reaches to both sides of the
    other's plane; they go to ``found`` (m, 2) as far as there is room (an array that grows would slow the loop)."""
    n, leaves = 0, len(boxes) // 2
    waiting = np.empty(64, np.int64)
    for i in range(len(one)):
        a, b, c, d, e, f = bounds[i, 0], bounds[i, 1], bounds[i, 2], bounds[i, 3], bounds[i, 4], bounds[i, 5]
        waiting[0], depth = 1, 1
        while depth:
            depth -= 1
            k = waiting[depth]
            if _beside(a, b, c, d, e, f, boxes, k):
                continue
            if k < leaves:
                waiting[depth], waiting[depth + 1] = 2 * k, 2 * k + 1
                depth += 2
                continue
            for j in range(LEAF * (k - leaves), min(LEAF * (k - leaves + 1), len(two))):
                if _beside(a, b, c, d, e, f, theirs, j):
                    continue
                u, v, w = _off(one, i, others, j)
                if (u <= TOUCH and v <= TOUCH and w <= TOUCH) or (u >= -TOUCH and v >= -TOUCH and w >= -TOUCH):
                    continue
                u, v, w = _off(two, j, planes, i)
                if (u <= TOUCH and v <= TOUCH and w <= TOUCH) or (u >= -TOUCH and v >= -TOUCH and w >= -TOUCH):
                    continue
                if n < len(found):
                    found[n, 0], found[n, 1] = i, j
                n += 1
    return n


@njit(cache=True, nogil=True)
def _segments(pairs, one, planes, two, others, graze):  # noqa: ANN001, ANN202
    """The segments (n, 2, 3) in which pairs of triangles cut each other, without those that only graze.

    T. Moeller 1997, "A fast triangle-triangle intersection test" (from memory): both triangles cut the line that
    their planes share; what the two have of it in common is the segment.
    """
    found = np.empty((len(pairs), 2, 3))
    n = 0
    points, crossing = np.empty((2, 3)), np.empty((2, 3))
    for i, j in pairs:
        x, y, z, facing = _shared(planes, i, others, j)
        if facing > graze:
            continue
        u, v, w = _off(one, i, others, j)
        p0, p1 = _slice(one, i, u, v, w, x, y, z, points)
        u, v, w = _off(two, j, planes, i)
        q0, q1 = _slice(two, j, u, v, w, x, y, z, crossing)
        if min(p1, q1) - max(p0, q0) < 1e-9:
            continue
        found[n, 0] = points[0] if p0 > q0 else crossing[0]
        found[n, 1] = points[1] if p1 < q1 else crossing[1]
        n += 1
    return found[:n]


@njit(cache=True, nogil=True)
def _shared(planes, i, others, j):  # noqa: ANN001, ANN202
    """The direction of the line that two planes share, and the cosine of the angle at which they meet."""
    a, b, c = planes[i, 0], planes[i, 1], planes[i, 2]
    d, e, f = others[j, 0], others[j, 1], others[j, 2]
    return b * f - c * e, c * d - a * f, a * e - b * d, abs(a * d + b * e + c * f)
