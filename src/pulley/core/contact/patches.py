"""Where two parts stand on each other: points of contact and the normals there, from their facing triangles."""

from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from pulley.core.geometry.frames import Pose, Vector, apply, view_frame
from pulley.core.geometry.mesh import Mesh

NEAR = 0.12  # mm between facing triangles that stand on each other
FACING = -0.985  # greatest cosine between their normals: within 10 degrees of opposite
ROUNDED = 15.0  # degrees within which normals are one
MOST = 200_000  # pairs of triangles that are looked at
CORNERS = 6  # directions in which the outermost points of a patch are kept


@dataclass(frozen=True)
class Patch:
    """Points (n, 3) in mm at which one part stands on another, and the unit normals (n, 3) there, toward the first."""

    points: NDArray[np.float64]
    normals: NDArray[np.float64]


def patch_of(one: Mesh, one_pose: Pose, other: Mesh, other_pose: Pose) -> Patch:
    """Where two placed meshes stand on each other; no points where they do not.

    Facing triangles less than `NEAR` apart are clipped against one another (Sutherland and Hodgman 1974, from
    memory); of each flat piece of the common surface the outermost points are kept, which is all that equilibrium
    depends on.

    Parameters
    ----------
    one, other : Mesh
    one_pose, other_pose : (4, 4) float64
    """
    first, second = apply(one_pose, one.vertices)[one.triangles], apply(other_pose, other.vertices)[other.triangles]
    low = np.maximum(first.min((0, 1)), second.min((0, 1))) - NEAR
    high = np.minimum(first.max((0, 1)), second.max((0, 1))) + NEAR
    first, second = _within(first, low, high), _within(second, low, high)
    if not len(first) or not len(second):
        return Patch(np.zeros((0, 3)), np.zeros((0, 3)))
    points, normals, count = _common(first, second, NEAR, FACING, MOST)
    return _outermost(points[:count], normals[:count])


def _within(triangles: NDArray[np.float64], low: Vector, high: Vector) -> NDArray[np.float64]:
    found: NDArray[np.float64] = triangles[(triangles.min(1) <= high).all(1) & (triangles.max(1) >= low).all(1)]
    return found


def _outermost(points: NDArray[np.float64], normals: NDArray[np.float64]) -> Patch:
    """Of points with about one normal, on one plane, those that lie outermost in eight directions of that plane."""
    kept: list[int] = []
    left = np.ones(len(points), bool)
    close = np.cos(np.radians(ROUNDED))
    while left.any():
        start = int(np.flatnonzero(left)[0])
        level = points @ normals[start]
        same = left & (normals @ normals[start] >= close) & (np.abs(level - level[start]) < 2 * NEAR)
        left &= ~same
        places = np.flatnonzero(same)
        flat = points[places] @ view_frame(normals[start])[:2].T
        angles = np.linspace(0, 2 * np.pi, CORNERS, endpoint=False)
        ways = np.column_stack([np.cos(angles), np.sin(angles)])
        kept += sorted(set(places[np.argmax(flat @ ways.T, axis=0)].tolist()))
    return Patch(points[kept], normals[kept])


@njit(cache=True, nogil=True)
def _common(first, second, near, facing, most):  # noqa: ANN001, ANN202, C901
    """Corners of what facing triangles have in common, the normal of the second at each, and how many they are."""
    points, normals = np.empty((4096, 3)), np.empty((4096, 3))
    count = looked = 0
    for i in range(len(first)):
        a = first[i]
        n = np.cross(a[1] - a[0], a[2] - a[0])
        size = np.sqrt((n * n).sum())
        if size < 1e-12:
            continue
        n = n / size
        for j in range(len(second)):
            b = second[j]
            apart = False
            for k in range(3):
                if min(a[0, k], a[1, k], a[2, k]) > max(b[0, k], b[1, k], b[2, k]) + near:
                    apart = True
                if max(a[0, k], a[1, k], a[2, k]) < min(b[0, k], b[1, k], b[2, k]) - near:
                    apart = True
            if apart:
                continue
            m = np.cross(b[1] - b[0], b[2] - b[0])
            width = np.sqrt((m * m).sum())
            if width < 1e-12 or (n * m).sum() / width > facing:
                continue
            middle = (b[0] + b[1] + b[2]) / 3
            if abs(((middle - a[0]) * n).sum()) > near:
                continue
            looked += 1
            if looked > most:
                return points, normals, count
            piece, corners = _clipped(b, a, n)
            for k in range(corners):
                if count == len(points):
                    more, ways = np.empty((2 * count, 3)), np.empty((2 * count, 3))
                    more[:count], ways[:count] = points, normals
                    points, normals = more, ways
                points[count], normals[count] = piece[k], m / width
                count += 1
    return points, normals, count


@njit(cache=True, nogil=True)
def _clipped(subject, by, normal):  # noqa: ANN001, ANN202
    """A triangle clipped by the three planes through the sides of another along its normal: corners and their count."""
    piece, corners = np.empty((16, 3)), 3
    piece[:3] = subject
    for k in range(3):
        start, end = by[k], by[(k + 1) % 3]
        inward = np.cross(normal, end - start)
        kept, number = np.empty((16, 3)), 0
        for i in range(corners):
            p, q = piece[i], piece[(i + 1) % corners]
            dp, dq = ((p - start) * inward).sum(), ((q - start) * inward).sum()
            if dp >= 0:
                kept[number] = p
                number += 1
            if (dp > 0 > dq) or (dp < 0 < dq):
                kept[number] = p + (q - p) * (dp / (dp - dq))
                number += 1
        piece, corners = kept, number
        if corners == 0:
            break
    return piece, corners
