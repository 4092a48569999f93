"""What two bodies may penetrate: how deep they stand in each other where a motion starts, and the tolerance on top.

Both are thinned so far that they stand apart there, and by the tolerance more. What of them still meets
in the motion has come to penetrate deeper than it did at the start, by more than the tolerance.
"""

from dataclasses import dataclass
from functools import lru_cache
from threading import Lock

import fcl
import numpy as np
from cachetools import LRUCache, cached
from numpy.typing import NDArray

from pulley.core.contact.kernels import OVERLAPPING
from pulley.core.contact.thinning import OF_WALL, SHEET, skin
from pulley.core.geometry.frames import Pose
from pulley.core.geometry.mesh import Mesh
from pulley.core.geometry.solid_angle import winding

TOLERANCE = 0.1  # mm
QUARTER = 0.25  # of the thinnest wall that takes part: the most that the tolerance may be
FINER = 4  # halvings by which a depth at the start is found
KEPT = 200 * 2**20  # bytes of thinned bodies that are kept


@dataclass(frozen=True)
class Allowed:
    """What a pair is thinned by, in mm: the mover by ``mover``, the rest by ``rest``.

    ``tolerance`` is what applies to the pair; ``depth`` how deep it overlaps where the motion starts. Where ``sunk``
    that is deeper than its walls let it be thinned, and the growth of what they share must tell instead.
    """

    mover: float
    rest: float
    tolerance: float
    depth: float = 0.0
    sunk: bool = False


def pair_tolerance(mover: Mesh, rest: Mesh, tolerance: float = TOLERANCE) -> float:
    """The tolerance in mm that applies to two parts: never over a quarter of the thinner one's thinnest wall.

    >>> from pulley.core.geometry.mesh import box_mesh
    >>> round(pair_tolerance(box_mesh((0, 0, 0), (20, 20, 0.2)), box_mesh((0, 0, 0), (9, 9, 9))), 6)
    0.05
    """
    return min(tolerance, QUARTER * min(mover.wall, rest.wall))


@lru_cache(maxsize=200_000)
def allowed(mover: Mesh, rest: Mesh, relative: bytes, tolerance: float, give: float = 0.0) -> Allowed:
    """What two parts may penetrate in a motion that starts with the rest at ``relative`` to the mover.

    Parameters
    ----------
    mover, rest : Mesh
    relative : bytes
        Rows (3, 4) float64 of the pose of the rest in the mover's frame.
    tolerance : float
        In mm, before walls are looked at.
    give : float
        Mm by which one of the two may bend.
    """
    applies = pair_tolerance(mover, rest, tolerance)
    pose = np.frombuffer(relative).reshape(3, 4)
    depth = 0.0
    if _bounds_overlap(mover, rest, pose) and _meet(mover, rest, pose, *_split(mover, rest, OVERLAPPING)):
        depth = _depth(mover, rest, pose, applies)
    if depth == np.inf:
        return Allowed(0.0, 0.0, applies, 0.0, True)
    one, other = _split(mover, rest, depth + applies + give)
    one, other = max(one, _least(mover)), max(other, _least(rest))
    return Allowed(one, other, max(applies, round(one + other - depth - give, 9)), depth)


def _least(part: Mesh) -> float:
    """What a part must be thinned by for its mesh's own error not to count as contact."""
    return min(part.error, OF_WALL * part.wall)


def _split(mover: Mesh, rest: Mesh, total: float) -> tuple[float, float]:
    """Two radii with a sum of ``total``: even where the walls allow it, else more for the part with thicker walls."""
    thin, thick = sorted((mover.wall, rest.wall))
    small = min(total / 2, thin * QUARTER / 2)
    great = min(total - small, OF_WALL * thick)
    small = min(max(small, total - great), OF_WALL * thin)
    return (small, great) if mover.wall <= rest.wall else (great, small)


def _depth(mover: Mesh, rest: Mesh, pose: NDArray[np.float64], tolerance: float) -> float:
    """How deep two parts overlap: the least thinning, both radii together, that takes them apart; or infinite."""
    low, high = OVERLAPPING, tolerance / 4
    most = OF_WALL * (mover.wall + rest.wall)
    while _meet(mover, rest, pose, *_split(mover, rest, high)):
        if high >= most:
            return np.inf
        low, high = high, min(2 * high, most)
    if high + tolerance > most:
        return np.inf
    for _ in range(FINER):
        middle = (low + high) / 2
        if _meet(mover, rest, pose, *_split(mover, rest, middle)):
            low = middle
        else:
            high = middle
    return high


def _bounds_overlap(mover: Mesh, rest: Mesh, pose: NDArray[np.float64]) -> bool:
    """Whether the bounds of the rest, placed, overlap those of the mover; flat sheets have a thickness."""
    margin = 2 * SHEET if np.inf in (mover.wall, rest.wall) else 0.0
    (mine, own), (middle, half) = _box(mover), _box(rest)
    at, reach = pose[:, :3] @ middle + pose[:, 3], np.abs(pose[:, :3]) @ half
    return bool((np.abs(at - mine) < reach + margin + own).all())


@lru_cache(maxsize=2048)
def _box(mesh: Mesh) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The middle (3,) of a mesh's bounds, and half their sides (3,)."""
    low, high = mesh.bounds
    return (low + high) / 2, (high - low) / 2


@dataclass(frozen=True, eq=False)
class _Thinned:
    """A thinned part, ready to be held against another: as a collision body, its facets, their bounds (2, 3), and a
    point of each body."""

    body: fcl.BVHModel
    corners: NDArray[np.float64]
    bounds: NDArray[np.float64]
    points: NDArray[np.float64]


@cached(LRUCache(KEPT, lambda thinned: 8 * thinned.corners.nbytes + 512), lock=Lock())
def _thinned(mesh: Mesh, radius: float) -> _Thinned:
    bounds = skin(mesh)
    corners, left = bounds.thinned(radius)
    points = np.zeros((0, 3)) if mesh.bare is not None else corners[bounds.first, 0]
    corners, around = corners[left], np.zeros((2, 3))
    body = fcl.BVHModel()
    if len(corners):
        around = np.array([corners.min((0, 1)), corners.max((0, 1))])
        first, triangles = _each_once(bounds.vertices[left])  # takes half the time
        body.beginModel(len(first), len(corners))
        body.addSubModel(corners.reshape(-1, 3)[first], triangles)
        body.endModel()
    return _Thinned(body, corners, around, points)


def _each_once(vertices: NDArray[np.intp]) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """Where among numbers (k, 3) each comes first, in rising order of the numbers; and what stands at each as places
    (k, 3) in that order.

    >>> first, triangles = _each_once(np.array([[7, 2, 9], [9, 2, 3]]))
    >>> first.tolist(), triangles.tolist()
    ([1, 5, 0, 2], [[2, 0, 3], [3, 0, 1]])
    """
    flat = vertices.ravel()
    first = np.full(flat.max() + 1, -1)
    first[flat[::-1]] = np.arange(len(flat))[::-1]
    known = first >= 0
    return first[known], (known.cumsum() - 1)[vertices]


def _meet(mover: Mesh, rest: Mesh, pose: NDArray[np.float64], mover_radius: float, rest_radius: float) -> bool:
    """Whether two thinned parts meet: their surfaces cross, or one holds a body of the other."""
    one, other = _thinned(mover, mover_radius), _thinned(rest, rest_radius)
    if not (len(one.corners) and len(other.corners)):
        return False
    bodies = (
        fcl.CollisionObject(one.body, fcl.Transform()),
        fcl.CollisionObject(other.body, fcl.Transform(pose[:, :3], pose[:, 3])),
    )
    if fcl.collide(*bodies, fcl.CollisionRequest(), fcl.CollisionResult()):
        return True
    back = (one.points - pose[:, 3]) @ pose[:, :3]
    return _holds(other, back) or _holds(one, other.points @ pose[:, :3].T + pose[:, 3])


def _holds(part: _Thinned, points: NDArray[np.float64]) -> bool:
    """Whether a thinned part has any of the points (n, 3) inside."""
    near = ((points > part.bounds[0]) & (points < part.bounds[1])).all(1)
    return any(abs(winding(part.corners, point)) > 0.5 for point in points[near])


def placed_within(mover_pose: Pose, rest_pose: Pose) -> NDArray[np.float64]:
    """Rows (3, 4) of the pose of the rest as the mover sees it, without round-off, so that instances agree."""
    back = mover_pose[:3, :3].T
    seen = np.empty((3, 4))
    seen[:, :3] = back @ rest_pose[:3, :3]
    seen[:, 3] = back @ (rest_pose[:3, 3] - mover_pose[:3, 3])
    return seen.round(9) + 0.0
