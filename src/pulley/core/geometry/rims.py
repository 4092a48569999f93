"""The edges of a mesh that a drawing may show: which facets meet at each, and of what kind it is."""

from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from pulley.core.geometry.mesh import WELD, Mesh

INNER, SHARP, SMOOTH = 0, 1, 2  # within a face; drawn always; where two faces meet without a bend
CREASE = np.cos(np.radians(20.0))  # of a mesh that has no edges of its own: what bends more is one


@dataclass(frozen=True, eq=False)
class Rims:
    """A mesh joined at its seams, and its edges.

    Attributes
    ----------
    vertices : (n, 3) float64, in the part's frame, mm
    triangles : (m, 3) int32, places in ``vertices``, in the mesh's order
    ends : (k, 2) int32, places in ``vertices``
    sides : (k, 2) int32, the triangles that meet there; -1 for none
    kind : (k,) int8, `INNER`, `SHARP` or `SMOOTH`
    closed : (m,) bool, whether the body of each triangle bounds a solid, so that only its outside is seen
    """

    vertices: NDArray[np.float64]
    triangles: NDArray[np.int32]
    ends: NDArray[np.int32]
    sides: NDArray[np.int32]
    kind: NDArray[np.int8]
    closed: NDArray[np.bool_]


@lru_cache(maxsize=512)
def rims(mesh: Mesh) -> Rims:
    """The edges of a mesh, worked out once.

    Examples
    --------
    >>> from pulley.core.geometry.mesh import box_mesh
    >>> int((rims(box_mesh((0, 0, 0), (1, 2, 3))).kind == SHARP).sum())
    12
    """
    found = rims_of(mesh.vertices, mesh.triangles, mesh.faces, mesh.edges, mesh.edge_pairs)
    return replace(found, closed=_closed(mesh))


def rims_of(
    vertices: NDArray[np.float64],
    triangles: NDArray[np.int32],
    faces: NDArray[np.int32],
    edges: NDArray[np.float64],
    pairs: NDArray[np.int32],
) -> Rims:
    """The edges of facets that are taken for a closed body.

    Parameters
    ----------
    vertices : (n, 3) float64
    triangles : (m, 3) int32
    faces : (m,) int32
        The face of the B-rep that each triangle lies on.
    edges : (k, 3) float64
        Points of the edges that are always drawn.
    pairs : (j, 2) int32
        Which of them are joined; none for "where facets bend".
    """
    points = np.concatenate([vertices, edges])
    first, place = _welded(points)
    welded = place[: len(vertices)][triangles].astype(np.int32)
    ends, sides, crowded = edges_of(welded)
    kind = np.full(len(ends), INNER, np.int8)
    kind[crowded | (sides[:, 1] < 0)] = SHARP
    kind[(sides[:, 1] >= 0) & (faces[sides[:, 0]] != faces[sides[:, 1]])] = SMOOTH
    if len(pairs):
        kind[_among(ends, place[len(vertices) :][pairs], len(first))] = SHARP
    unknown = len(pairs) == 0
    kind[_creased(points[first], welded, sides) & (unknown | (faces[sides[:, 0]] < -1))] = SHARP
    return Rims(points[first], welded, ends, sides, kind, np.ones(len(triangles), bool))


def _welded(points: NDArray[np.float64]) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """Points (n, 3) nearer than `WELD` as one: those that stand for the rest (k,), and which stands for each (n,)."""
    grid = np.round(points / WELD).astype(np.int64)
    order = np.lexsort(grid.T)
    fresh = np.ones(len(points), bool)
    fresh[1:] = (np.diff(grid[order], axis=0) != 0).any(1)
    place = np.empty(len(points), np.intp)
    place[order] = np.cumsum(fresh) - 1
    return order[fresh], place


def edges_of(
    triangles: NDArray[np.int32],
) -> tuple[NDArray[np.int32], NDArray[np.int32], NDArray[np.bool_]]:
    """Each edge once: its ends (k, 2), the two triangles at it (k, 2), and whether more than two meet there (k,)."""
    a, b, c = triangles.T
    sound = np.flatnonzero((a != b) & (b != c) & (c != a))
    pairs = np.sort(triangles[sound][:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), axis=1).astype(np.int64)
    keys = pairs[:, 0] << 32 | pairs[:, 1]
    order = np.argsort(keys, kind="stable")
    keys, owner = keys[order], np.repeat(sound, 3)[order]
    first = np.flatnonzero(np.diff(keys, prepend=-1))
    count = np.diff(first, append=len(keys))
    second = np.where(count > 1, owner[np.minimum(first + 1, len(owner) - 1)], -1) if len(keys) else first
    ends = np.stack([keys[first] >> 32, keys[first] & 0xFFFFFFFF], axis=1).astype(np.int32)
    return ends, np.stack([owner[first], second], axis=1).astype(np.int32), count > 2


def _among(ends: NDArray[np.int32], wanted: NDArray[np.int64], count: int) -> NDArray[np.bool_]:
    """Which edges (k, 2) are among the ``wanted`` (j, 2)."""
    wanted = np.sort(wanted, axis=1)
    return np.isin(ends[:, 0].astype(np.int64) * count + ends[:, 1], wanted[:, 0] * count + wanted[:, 1])


def _creased(
    vertices: NDArray[np.float64], triangles: NDArray[np.int32], sides: NDArray[np.int32]
) -> NDArray[np.bool_]:
    normals = facet_normals(vertices[triangles])
    bend = np.einsum("ij,ij->i", normals[sides[:, 0]], normals[sides[:, 1]])
    return (sides[:, 1] >= 0) & (bend < CREASE)


def facet_normals(corners: NDArray[np.float64]) -> NDArray[np.float64]:
    """Unit normals (m, 3) of triangles (m, 3, 3), anticlockwise seen from outside; 0 where one has no area.

    Examples
    --------
    >>> facet_normals(np.array([[[0.0, 0, 0], [1, 0, 0], [0, 1, 0]]])).tolist()
    [[0.0, 0.0, 1.0]]
    """
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    return np.asarray(normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-300))


def _closed(mesh: Mesh) -> NDArray[np.bool_]:
    """Whether the body of each triangle (m,) bounds a solid."""
    closed = np.zeros(len(mesh.triangles), bool)
    for piece in mesh.pieces:
        closed[piece.rows] = piece.fault is None
    return closed
