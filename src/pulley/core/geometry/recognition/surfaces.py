"""The faces of a mesh, each with the surface that it lies on."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from pulley.core.geometry.recognition.fitting import CYLINDER, FREE, PLANE
from pulley.core.geometry.recognition.growing import Patches, flat_patches, segment
from pulley.core.geometry.rims import edges_of

SOFT = np.radians(36.0)  # a greater bend is an edge: round faces of fewer than ten sides stay flats
SHADED = np.radians(52.0)  # unless the file's own normals go round it
ALIKE = np.cos(np.radians(3.0))  # two normals of a file at one place that are the same
FEW = 8  # flats that meet softly and still count as flats each; more are a free face
LARGE = 0.25  # of the area of such a group: a flat that is one all the same
GRAIN = 1e-3  # mm that corners may be off their surface, where a file says no other
FINE = 2e-5  # of a body's size: the same, of small bodies
FINEST = 2e-7  # of a body's size: what single precision leaves


@dataclass(frozen=True, eq=False)
class Faces:
    """What the triangles of a body lie on.

    Attributes
    ----------
    labels : (m,) int32, the face of each triangle
    kinds : (f,) int32, `fitting.PLANE` and so on, of each face; `fitting.FREE` where none fits
    surfaces : (f, 8) float64, as `fitting` describes them; of a plane a point, the normal and the area
    ends : (k, 2) int32, the mesh's edges by the places of their ends
    sides : (k, 2) int32, the triangles at each, -1 for none
    grain : mm that corners may be off their surface
    """

    labels: NDArray[np.int32]
    kinds: NDArray[np.int32]
    surfaces: NDArray[np.float64]
    ends: NDArray[np.int32]
    sides: NDArray[np.int32]
    grain: float

    @cached_property
    def cylinders(self) -> NDArray[np.intp]:
        """Which faces are cylinders."""
        return np.flatnonzero(self.kinds == CYLINDER)


def recognise(
    vertices: NDArray[np.float64],
    triangles: NDArray[np.int32],
    grain: float = 0.0,
    shading: NDArray[np.float64] | None = None,
) -> Faces:
    """Find the planes, cylinders, cones, spheres and tori that a mesh was made from.

    Parameters
    ----------
    vertices : (n, 3) float64
        In mm, joined at the seams.
    triangles : (m, 3) int32
        Anticlockwise seen from outside, each with an area.
    grain : float
        Mm by which the file may have rounded a corner; at least `GRAIN`, or `FINE` of the size, is allowed.
    shading : (m, 3, 3) float64, optional
        The file's own normals at the corners of each triangle: they tell a round face of few sides from a prism.

    Returns
    -------
    Faces
        A corner of a recognised face lies within ``Faces.grain`` of its surface.

    Examples
    --------
    >>> from pulley.core.geometry.mesh import box_mesh
    >>> box = box_mesh((0, 0, 0), (1, 2, 3)).pieces[0]
    >>> recognise(box.vertices, box.triangles).kinds.tolist() == 6 * [PLANE]
    True
    """
    size = float(np.linalg.norm(np.ptp(vertices, axis=0)))
    grain = max(grain, min(GRAIN, FINE * size), FINEST * float(np.abs(vertices).max(initial=0)))
    corners = vertices[triangles]
    cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    double = np.linalg.norm(cross, axis=1)
    normals = cross / np.maximum(double, 1e-300)[:, None]
    longest = np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2).max(1)
    ends, sides, crowded = edges_of(triangles)
    sides[crowded, 1] = -1  # where more than two triangles meet, the surface ends
    met = (sides >= 0).all(1)
    starts, beside = _neighbours(sides[met], len(triangles))
    heights = double / np.maximum(longest, 1e-300)
    patch, count = flat_patches(vertices, triangles, normals, double, heights, starts, beside, grain)
    crossing = sides[met & (patch[sides[:, 0]] != patch[sides[:, 1]])]
    flats = _Flats(corners, cross, patch, count)
    soft = _soft(crossing, patch, flats.normals, shading, triangles)
    links, linked = _neighbours(patch[crossing[soft]], count)
    rows = np.unique(np.repeat(patch.astype(np.int64), 3) << 32 | triangles.reshape(-1))
    members = (rows & 0xFFFFFFFF).astype(np.int64)
    first = np.searchsorted(rows >> 32, np.arange(count + 1))
    patches = Patches(
        vertices, first, members, flats.normals, flats.middles, flats.areas, links, linked, float(grain), size
    )
    face, kinds, surfaces = _without_gaps(*segment(patches))
    face, kinds, surfaces = _rest(face, kinds, surfaces, flats, links, linked)
    return Faces(face[patch].astype(np.int32), kinds, surfaces, ends, sides, grain)


def _neighbours(pairs: NDArray[np.int32], count: int) -> tuple[NDArray[np.int64], NDArray[np.int32]]:
    """Pairs (k, 2) as lists: where the list of each of ``count`` starts, and the lists laid end to end."""
    both = np.concatenate([pairs, pairs[:, ::-1]]).astype(np.int64)
    rows = np.unique(both[:, 0] << 32 | both[:, 1])
    return np.searchsorted(rows >> 32, np.arange(count + 1)), (rows & 0xFFFFFFFF).astype(np.int32)


class _Flats:
    """The patches of a mesh: normals (p, 3), middles (p, 3) and areas (p,)."""

    def __init__(
        self, corners: NDArray[np.float64], cross: NDArray[np.float64], patch: NDArray[np.int32], count: int
    ) -> None:
        double = np.linalg.norm(cross, axis=1)
        total = np.maximum(np.bincount(patch, double, count), 1e-300)
        summed = np.stack([np.bincount(patch, cross[:, k], count) for k in range(3)], axis=1)
        middle = corners.mean(1) * double[:, None]
        self.normals = summed / np.maximum(np.linalg.norm(summed, axis=1, keepdims=True), 1e-300)
        self.middles = np.stack([np.bincount(patch, middle[:, k], count) for k in range(3)], axis=1) / total[:, None]
        self.areas = total / 2


def _soft(
    crossing: NDArray[np.int32],
    patch: NDArray[np.int32],
    normals: NDArray[np.float64],
    shading: NDArray[np.float64] | None,
    triangles: NDArray[np.int32],
) -> NDArray[np.bool_]:
    """Which edges between patches, by their two triangles (k, 2), a round face may go across."""
    bend = np.einsum("ij,ij->i", *(normals[patch[crossing[:, side]]] for side in (0, 1)))
    soft = bend > np.cos(SOFT)
    if shading is not None:
        soft |= (bend > np.cos(SHADED)) & _shaded(crossing, shading, triangles)
    return soft


def _shaded(
    crossing: NDArray[np.int32], shading: NDArray[np.float64], triangles: NDArray[np.int32]
) -> NDArray[np.bool_]:
    """Whether the file's normals are the same from both sides at both ends of edges."""
    a, b = crossing.T
    same = triangles[a][:, :, None] == triangles[b][:, None, :]
    alike = np.einsum("kij,klj->kil", shading[a], shading[b]) > ALIKE
    return (same & alike).sum((1, 2)) == 2


def _without_gaps(
    face: NDArray[np.int32], kinds: NDArray[np.int32], surfaces: NDArray[np.float64]
) -> tuple[NDArray[np.int32], NDArray[np.int32], NDArray[np.float64]]:
    """Faces numbered anew, without those that others have taken in."""
    used = np.unique(face[face >= 0])
    place = np.full(len(kinds) + 1, -1, np.int32)
    place[used] = np.arange(len(used))
    return place[face], kinds[used], surfaces[used]


def _rest(
    face: NDArray[np.int32],
    kinds: NDArray[np.int32],
    surfaces: NDArray[np.float64],
    flats: _Flats,
    links: NDArray[np.int64],
    linked: NDArray[np.int32],
) -> tuple[NDArray[np.int32], NDArray[np.int32], NDArray[np.float64]]:
    """The patches that no round face took: planes, or free faces where many of them meet softly."""
    left = np.flatnonzero(face < 0)
    if not len(left):
        return face, kinds, surfaces
    owner = np.repeat(np.arange(len(face)), np.diff(links))
    both = (face[owner] < 0) & (face[linked] < 0)
    web = coo_array((np.ones(int(both.sum()), np.int8), (owner[both], linked[both])), [len(face)] * 2)
    group = connected_components(web, directed=False)[1][left]
    size, area = np.bincount(group), np.bincount(group, flats.areas[left])
    plane = (size[group] <= FEW) | (flats.areas[left] > LARGE * area[group])
    face = face.copy()
    face[left[plane]] = len(kinds) + np.arange(plane.sum())
    flat = np.zeros((int(plane.sum()), 8))
    flat[:, :3], flat[:, 3:6] = flats.middles[left[plane]], flats.normals[left[plane]]
    flat[:, 6] = flats.areas[left[plane]]
    free, own = np.unique(group[~plane], return_inverse=True)
    face[left[~plane]] = len(kinds) + len(flat) + own
    new = np.repeat([PLANE, FREE], [len(flat), len(free)]).astype(np.int32)
    return face, np.concatenate([kinds, new]), np.concatenate([surfaces, flat, np.zeros((len(free), 8))])
