"""Where two parts stand on each other: points of contact and the normals there, from their facing triangles."""

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from pulley.core.geometry.frames import Pose, Vector, apply, view_frame
from pulley.core.geometry.mesh import Mesh

NEAR = 0.12  # mm between facing triangles that stand on each other
FACING = -0.985  # greatest cosine between their normals: within 10 degrees of opposite
ROUNDED = 30.0  # degrees within which normals are one
MOST = 200_000  # pairs of triangles that are looked at
CORNERS = 8  # directions in which the outermost points of a patch are kept
STRIP = 0.3  # of its length: the width of a piece of which two ends are enough


@dataclass(frozen=True)
class Patch:
    """Points (n, 3) in mm at which one part stands on another, and the unit normals (n, 3) there, toward the first."""

    points: NDArray[np.float64]
    normals: NDArray[np.float64]


def patch_of(one: Mesh, one_pose: Pose, other: Mesh, other_pose: Pose, near: float = NEAR) -> Patch:
    """Where two placed meshes stand on each other; no points where they do not.

    Facing triangles less than ``near`` mm apart are clipped against one another (Sutherland and Hodgman 1974, from
    memory); of each flat piece of the common surface the outermost points are kept, which is all that equilibrium
    depends on.

    Parameters
    ----------
    one, other : Mesh
    one_pose, other_pose : (4, 4) float64
    near : float
    """
    first, second = _facets(one).placed(one_pose), _facets(other).placed(other_pose)
    low = np.maximum(first.low.min(0), second.low.min(0)) - near
    high = np.minimum(first.high.max(0), second.high.max(0)) + near
    first, second = first.within(low, high), second.within(low, high)
    if not len(first.low) or not len(second.low):
        return Patch(np.zeros((0, 3)), np.zeros((0, 3)))
    first, second = first.sorted(), second.sorted()
    points, normals, count = _common(
        first.corners, first.normals, first.low, first.high,
        second.corners, second.normals, second.low, second.high,
        near, FACING, MOST,
    )  # fmt: skip
    return _outermost(points[:count], normals[:count], near)


@dataclass(frozen=True)
class _Facets:
    """Corners (n, 3, 3) of triangles, their unit normals and bounds (n, 3)."""

    corners: NDArray[np.float64]
    normals: NDArray[np.float64]
    low: NDArray[np.float64]
    high: NDArray[np.float64]

    def at(self, rows: NDArray[Any]) -> "_Facets":
        return _Facets(self.corners[rows], self.normals[rows], self.low[rows], self.high[rows])

    def placed(self, pose: Pose) -> "_Facets":
        """Carried by a pose (4, 4)."""
        if np.array_equal(pose, np.eye(4)):
            return self
        corners = apply(pose, self.corners)
        return _Facets(corners, self.normals @ pose[:3, :3].T, *_bounds(corners))

    def within(self, low: Vector, high: Vector) -> "_Facets":
        """Those that reach into bounds."""
        return self.at(np.flatnonzero(((self.low <= high) & (self.high >= low)).all(1)))

    def sorted(self) -> "_Facets":
        """From left to right."""
        return self.at(np.argsort(self.low[:, 0], kind="stable"))


@lru_cache(maxsize=512)
def _facets(mesh: Mesh) -> _Facets:
    a, b, c = np.moveaxis(mesh.corners, 1, 0)
    across = np.cross(b - a, c - a)
    size = np.sqrt(np.einsum("ij,ij->i", across, across))
    facets = _Facets(mesh.corners, across / np.maximum(size, 1e-300)[:, None], *_bounds(mesh.corners))
    return facets.at(size > 1e-12)


def _bounds(corners: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    return np.minimum(np.minimum(a, b), c), np.maximum(np.maximum(a, b), c)


def _outermost(points: NDArray[np.float64], normals: NDArray[np.float64], near: float) -> Patch:
    """Of points with about one normal, on one plane, those that lie outermost in some directions of that plane."""
    kept: list[int] = []
    left = np.ones(len(points), bool)
    close = np.cos(np.radians(ROUNDED))
    while left.any():
        start = int(np.flatnonzero(left)[0])
        level = points @ normals[start]
        same = left & (normals @ normals[start] >= close) & (np.abs(level - level[start]) < 2 * near)
        left &= ~same
        places = np.flatnonzero(same)
        flat = points[places] @ view_frame(normals[start])[:2].T
        kept += sorted(set(places[np.argmax(flat @ _ways(flat).T, axis=0)].tolist()))
    return Patch(points[kept], normals[kept])


def _ways(flat: NDArray[np.float64]) -> NDArray[np.float64]:
    """Directions (k, 2) in which the outermost of points (n, 2) are kept: both ways along a strip, else all round."""
    middle = flat - flat.mean(0)
    along, across = np.linalg.eigh(middle.T @ middle)[1].T[::-1]
    if np.ptp(flat @ across) <= STRIP * np.ptp(flat @ along):
        return np.array([along, -along])
    angles = np.linspace(0, 2 * np.pi, CORNERS, endpoint=False)
    return np.column_stack([np.cos(angles), np.sin(angles)])


@njit(cache=True, nogil=True)
def _common(first, n, first_low, first_high, second, m, second_low, second_high, near, facing, most):  # noqa: ANN001, ANN202, C901
    """Corners of what facing triangles have in common, the normal of the second at each, and how many they are."""
    points, normals = np.empty((4096, 3)), np.empty((4096, 3))
    piece, work = np.empty((16, 3)), np.empty((16, 3))
    count = looked = 0
    for i in range(len(first)):
        for j in range(len(second)):
            if second_low[j, 0] > first_high[i, 0] + near:
                break  # they are sorted
            apart = False
            for k in range(3):
                if first_low[i, k] > second_high[j, k] + near or first_high[i, k] < second_low[j, k] - near:
                    apart = True
                    break
            if apart or n[i, 0] * m[j, 0] + n[i, 1] * m[j, 1] + n[i, 2] * m[j, 2] > facing:
                continue
            height = 0.0
            for k in range(3):
                height += ((second[j, 0, k] + second[j, 1, k] + second[j, 2, k]) / 3 - first[i, 0, k]) * n[i, k]
            if abs(height) > near:
                continue
            looked += 1
            if looked > most:
                return points, normals, count
            piece, work, corners = _clipped(second[j], first[i], n[i], piece, work)
            for k in range(corners):
                if count == len(points):
                    more, ways = np.empty((2 * count, 3)), np.empty((2 * count, 3))
                    more[:count], ways[:count] = points, normals
                    points, normals = more, ways
                points[count], normals[count] = piece[k], m[j]
                count += 1
    return points, normals, count


@njit(cache=True, nogil=True)
def _clipped(subject, by, normal, piece, work):  # noqa: ANN001, ANN202
    """A triangle clipped by the three planes through the sides of another along its normal: the corners, the other
    of the two arrays (16, 3) that are worked in, and how many corners they are."""
    corners = 3
    piece[:3] = subject
    for k in range(3):
        start, end = by[k], by[(k + 1) % 3]
        along = end[0] - start[0], end[1] - start[1], end[2] - start[2]
        inward = (
            normal[1] * along[2] - normal[2] * along[1],
            normal[2] * along[0] - normal[0] * along[2],
            normal[0] * along[1] - normal[1] * along[0],
        )
        number = 0
        for i in range(corners):
            p, q = piece[i], piece[(i + 1) % corners]
            dp = dq = 0.0
            for x in range(3):
                dp += (p[x] - start[x]) * inward[x]
                dq += (q[x] - start[x]) * inward[x]
            if dp >= 0:
                work[number] = p
                number += 1
            if (dp > 0 > dq) or (dp < 0 < dq):
                for x in range(3):
                    work[number, x] = p[x] + (q[x] - p[x]) * (dp / (dp - dq))
                number += 1
        piece, work, corners = work, piece, number
        if corners == 0:
            break
    return piece, work, corners
