"""Bodies made thinner: every facet moved inwards, so that what only touches or grazes stands apart.

A ball of radius r fits into what two bodies share exactly when both, thinned inwards by r, still meet. So
"deeper than by so much" is plain first contact of thinned bodies, and needs no rule for what touches,
grazes or slides.
"""

from dataclasses import dataclass
from functools import cached_property, lru_cache
from threading import Lock
from typing import Any

import numpy as np
from cachetools import LRUCache, cached
from numpy.typing import NDArray

from pulley.core.geometry.mesh import Mesh, Piece, corner_angles

SHEET = 0.02  # mm on either side of an open surface, which counts as a sheet so thick
OF_WALL = 0.375  # of a wall's thickness that either of its sides may move inwards at most
STEEPEST = 4.5  # radii that a corner moves at most: the tip of a wedge of 26 degrees, of which sharper ones are walls
KEPT = 200 * 2**20  # bytes of thinned facets that are kept
FLAT = 1e-3  # least eigenvalue, beside the greatest, of normals that count as different


@dataclass(frozen=True, eq=False)
class Skin:
    """What bounds a part's material, facet by facet (k).

    ``corners`` (k, 3, 3) in mm; ``inset`` (k, 3, 3) is where a corner goes for each mm of thinning; ``most``
    (k, 3) is by how many mm it may be thinned; ``both`` (k,) whether a facet has material on either side.
    ``true`` (k, 3, 3) is where the facets really are, which for a sheet is in its middle. Corners of one number in
    ``vertices`` (k, 3) are one, however much it is thinned. ``first`` has the first facet of each body.
    """

    corners: NDArray[np.float64]
    inset: NDArray[np.float64]
    most: NDArray[np.float64]
    both: NDArray[np.bool_]
    true: NDArray[np.float64]
    vertices: NDArray[np.intp]
    first: NDArray[np.intp]

    def thinned(self, radius: float) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
        """Corners (k, 3, 3) of the body thinned by ``radius`` in mm, and which facets (k,) are left of it.

        A facet that turns over belonged to a rounding smaller than the radius.
        """
        return _thinned(self, radius)

    @cached_property
    def areas(self) -> NDArray[np.float64]:
        """Normals (k, 3) of the facets, twice as long as their areas."""
        return _areas(self.corners)


@cached(LRUCache(KEPT, lambda found: found[0].nbytes), lock=Lock())
def _thinned(bounds: Skin, radius: float) -> tuple[NDArray[np.float64], NDArray[np.bool_]]:
    moved = bounds.corners + np.minimum(radius, bounds.most)[..., None] * bounds.inset
    before, after = bounds.areas, _areas(moved)
    left = (before * after).sum(1) > 1e-6 * (before * before).sum(1)
    moved.flags.writeable = left.flags.writeable = False  # whoever asks gets the same
    return moved, left


@lru_cache(maxsize=2048)
def skin(mesh: Mesh) -> Skin:
    """The skin of a mesh: each body for itself; open surfaces as thin sheets; what bounds nothing as it is."""
    facets, lines = np.zeros((0, 3, 3)), np.zeros((0, 3))
    none = (facets, facets, lines, np.zeros(0, bool), facets, lines.astype(np.intp))
    parts = [part for part in (_skin_of(mesh, piece) for piece in mesh.pieces) if len(part[0])]
    first = np.cumsum([0, *(len(part[0]) for part in parts)])[:-1]
    corners, inset, most, both, true, vertices = (np.concatenate(same) for same in zip(*(parts or [none]), strict=True))
    body = np.repeat(np.arange(len(parts)), [len(part[0]) for part in parts])
    vertices = vertices + (vertices.max(initial=0) + 1) * body[:, None]
    return Skin(corners, inset, most, both, true, vertices, first)


Bounds = tuple[NDArray[Any], ...]  # all but the last of a `Skin`'s arrays, of one body


def _skin_of(mesh: Mesh, piece: Piece) -> Bounds:
    rows, counts = piece.rows, np.ones(len(piece.rows), bool) if mesh.bare is None else mesh.bare[piece.rows]
    if piece.fault == "open" and len(piece.sound):
        return _sheet(piece, counts)
    triangles, walls = piece.triangles, mesh.walls[rows].astype(float)
    if piece.fault == "inside out":
        triangles, walls = triangles[:, ::-1], np.full(len(rows), np.inf)
    corners = piece.vertices[triangles]
    if piece.fault in ("tangled", "twisted"):
        corners = corners[counts]
        still, both = np.zeros_like(corners), np.ones(len(corners), bool)
        return corners, still, np.zeros(corners.shape[:2]), both, corners, triangles[counts]
    thin = np.full(len(piece.vertices), np.inf)
    for k in range(3):
        np.minimum.at(thin, triangles[:, k], OF_WALL * walls)
    inset = vertex_inset(piece.vertices, triangles)
    corners = corners[counts]
    triangles = triangles[counts]
    return corners, inset[triangles], thin[triangles], np.zeros(len(corners), bool), corners, triangles


def solid_bodies(mesh: Mesh) -> list[tuple[NDArray[np.float64], NDArray[np.int32]]]:
    """Vertices (n, 3) and triangles (k, 3) of every body of a mesh that bounds material; sheets with a thickness."""
    every = np.ones(len(mesh.triangles), bool)
    bodies = []
    for piece in mesh.pieces:
        if piece.fault is None:
            bodies.append((piece.vertices, piece.sound))
        elif piece.fault == "inside out":
            bodies.append((piece.vertices, piece.sound[:, ::-1]))
        elif piece.fault == "open" and len(piece.sound):
            bodies.append(_slab(piece, every[piece.rows]))
    return bodies


def _sheet(piece: Piece, counts: NDArray[np.bool_]) -> Bounds:
    """An open surface's facets as those of a thin solid."""
    vertices, triangles = _slab(piece, counts)
    inset = vertex_inset(vertices, triangles)
    corners = vertices[triangles]
    most = np.full(corners.shape[:2], OF_WALL * 2 * SHEET)
    sides = 2 * counts.sum()
    middle = np.concatenate([piece.vertices[triangles[:sides] % len(piece.vertices)], corners[sides:]])
    return corners, inset[triangles], most, np.zeros(len(corners), bool), middle, triangles


def _slab(piece: Piece, counts: NDArray[np.bool_]) -> tuple[NDArray[np.float64], NDArray[np.int32]]:
    """An open surface as a solid `SHEET` thick on either side, with its rim closed."""
    outward = -vertex_inset(piece.vertices, piece.triangles) * SHEET
    number = len(piece.vertices)
    vertices = np.concatenate([piece.vertices + outward, piece.vertices - outward])
    ends = piece.triangles[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2)
    there = {(a, b) for a, b in ends.tolist()}
    rim = np.array([(a, b) for a, b in ends.tolist() if (b, a) not in there and a != b], int).reshape(-1, 2)
    a, b = rim.T
    sides = np.concatenate([np.stack([a, a + number, b], 1), np.stack([b, a + number, b + number], 1)])
    kept = piece.triangles[counts]
    triangles = np.concatenate([kept, kept[:, ::-1] + number, sides])
    return vertices, triangles.astype(np.int32)


def vertex_inset(vertices: NDArray[np.float64], triangles: NDArray[np.int32]) -> NDArray[np.float64]:
    """Where each vertex (n, 3) of a welded solid goes when each of its facets moves inwards by 1.

    Parameters
    ----------
    vertices : (n, 3) float64
    triangles : (k, 3) int32
        Counter-clockwise seen from outside; those without area do not count.

    Returns
    -------
    (n, 3) float64
        The shortest x with n.x = -1 for the normals n of the facets round a vertex, by least squares. Exact for up
        to three planes; never outward, and at most `STEEPEST` long.

    Examples
    --------
    >>> from pulley.core.geometry.mesh import box_mesh
    >>> piece = box_mesh((0, 0, 0), (2, 2, 2)).pieces[0]
    >>> vertex_inset(piece.vertices, piece.triangles)[0].round(6).tolist()
    [1.0, 1.0, 1.0]
    """
    corners = vertices[triangles]
    normals = _areas(corners)
    length = np.linalg.norm(normals, axis=1)
    normals /= np.maximum(length, 1e-300)[:, None]
    weights = np.where(length[:, None] > 1e-14, corner_angles(corners), 0.0)
    pull, spread = np.zeros((len(vertices), 3)), np.zeros((len(vertices), 3, 3))
    outer = normals[:, :, None] * normals[:, None, :]
    for k in range(3):
        np.add.at(pull, triangles[:, k], weights[:, k, None] * normals)
        np.add.at(spread, triangles[:, k], weights[:, k, None, None] * outer)
    values, axes = np.linalg.eigh(spread)
    strong = values > FLAT * np.maximum(values[:, 2:], 1e-300)
    share = np.einsum("nij,ni->nj", axes, pull) * np.where(strong, 1.0 / np.where(strong, values, 1.0), 0.0)
    inset = -np.einsum("nij,nj->ni", axes, share)
    inset /= np.maximum(np.linalg.norm(inset, axis=1, keepdims=True) / STEEPEST, 1.0)
    outward = np.zeros(len(vertices), bool)
    for k in range(3):
        against = (normals * inset[triangles[:, k]]).sum(1) > 1e-6
        np.logical_or.at(outward, triangles[against & (length > 1e-14), k], True)
    inset[outward] = 0.0
    return inset


def _areas(corners: NDArray[np.float64]) -> NDArray[np.float64]:
    """Normals (k, 3) of facets (k, 3, 3), twice as long as their areas."""
    return np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
