"""From bare triangles to a mesh that can be drawn, pointed at and taken apart: normals, edges and features."""

from collections.abc import Sequence

import numpy as np
from numba import njit
from numpy.typing import NDArray

from pulley.core.geometry.features import Cylinder, Plane
from pulley.core.geometry.mending import Body
from pulley.core.geometry.mesh import Mesh, mesh_volume
from pulley.core.geometry.recognition.fitting import CONE, CYLINDER, FREE, PLANE, SPHERE, TORUS
from pulley.core.geometry.recognition.surfaces import SOFT, Faces, recognise

BEND = np.radians(3.0)  # surfaces that meet flatter show no edge
BEND_FREE = np.radians(25.0)  # where one of the two is only known by its triangles


def described(bodies: Sequence[Body]) -> Mesh:
    """A part's mesh from its bodies, each recognised for itself.

    Parameters
    ----------
    bodies : sequence of Body
        As `mending.bodies_of` gives them, in mm.

    Returns
    -------
    Mesh
        Its corners repeated where faces meet, with exact normals on recognised surfaces; its ``faces`` are those that
        were recognised, its ``edges`` where their surfaces meet with a bend.
    """
    made = [_Described(body) for body in bodies]
    before = np.cumsum([0, *(len(one.vertices) for one in made)])
    edges = [line for one in made for line in one.lines]
    faces = np.cumsum([0, *(len(one.faces.kinds) for one in made)])
    solid = all(body.solid for body in bodies)
    return Mesh(
        vertices=np.concatenate([one.vertices for one in made]),
        normals=np.concatenate([one.normals for one in made]),
        triangles=np.concatenate([one.triangles + k for one, k in zip(made, before, strict=False)]).astype(np.int32),
        edges=np.concatenate([np.zeros((0, 3)), *edges]),
        edge_starts=np.cumsum([0, *map(len, edges)], dtype=np.int32),
        planes=tuple(plane for one in made for plane in one.planes()),
        cylinders=tuple(cylinder for one in made for cylinder in one.cylinders()),
        volume=sum(mesh_volume(body.vertices[body.triangles]) for body in bodies) if solid else None,
        bodies=np.repeat(np.arange(len(made), dtype=np.int32), [len(one.triangles) for one in made]),
        faces=np.concatenate([one.faces.labels + k for one, k in zip(made, faces, strict=False)]).astype(np.int32),
        error=max(one.error() for one in made),
    )


class _Described:
    """One body: its faces, and its corners once for each face that they bound."""

    def __init__(self, body: Body) -> None:
        self.body = body
        self.faces: Faces = recognise(body.vertices, body.triangles, body.grain, body.shading)
        labels = np.repeat(self.faces.labels.astype(np.int64), 3)
        keys, place = np.unique(labels << 32 | body.triangles.reshape(-1), return_inverse=True)
        self.triangles: NDArray[np.int32] = place.reshape(-1, 3).astype(np.int32)
        self.vertices = body.vertices[keys & 0xFFFFFFFF]
        self.owner = (keys >> 32).astype(np.intp)
        corners = body.vertices[body.triangles]
        self.cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        self.facet = self.cross / np.maximum(np.linalg.norm(self.cross, axis=1, keepdims=True), 1e-300)
        self.sign = self._signs()
        self.normals = self._normals()
        self.lines = self._lines()

    def _signs(self) -> NDArray[np.float64]:
        """Of each face (f,): 1 where it bounds what lies within its surface, -1 for a hole."""
        middles = self.body.vertices[self.body.triangles].mean(1)
        away = surface_normals(self.faces, self.faces.labels, middles)
        facing = np.bincount(
            self.faces.labels, np.einsum("ij,ij->i", away, self.cross), minlength=len(self.faces.kinds)
        )
        return np.where(facing < 0, -1.0, 1.0)

    def _normals(self) -> NDArray[np.float64]:
        """Of the surface at each corner (n, 3); where none is known the mean of the triangles about it."""
        exact = surface_normals(self.faces, self.owner, self.vertices) * self.sign[self.owner][:, None]
        mean = np.zeros_like(self.vertices)
        for k in range(3):
            for axis in range(3):
                mean[:, axis] += np.bincount(self.triangles[:, k], self.cross[:, axis], len(mean))
        mean /= np.maximum(np.linalg.norm(mean, axis=1, keepdims=True), 1e-300)
        return np.where((self.faces.kinds[self.owner] == FREE)[:, None], mean, exact)

    def _lines(self) -> list[NDArray[np.float64]]:
        """Polylines (k, 3) along which faces meet with a bend, or end."""
        ends, sides, labels = self.faces.ends, self.faces.sides, self.faces.labels
        other = np.where(sides[:, 1] < 0, sides[:, 0], sides[:, 1])
        middles = self.body.vertices[ends].mean(1)
        bend = np.einsum("ij,ij->i", self._side(sides[:, 0], middles), self._side(other, middles))
        free = (self.faces.kinds[labels[sides[:, 0]]] == FREE) | (self.faces.kinds[labels[other]] == FREE)
        limit = np.where(free, np.where(labels[sides[:, 0]] == labels[other], SOFT, BEND_FREE), BEND)
        shown = (bend < np.cos(limit)) | (sides[:, 1] < 0)
        between = np.sort(np.stack([labels[sides[:, 0]], np.where(sides[:, 1] < 0, -1, labels[other])], 1), axis=1)
        return [self.body.vertices[chain] for chain in chains(ends[shown], between[shown])]

    def _side(self, triangles: NDArray[np.int32], points: NDArray[np.float64]) -> NDArray[np.float64]:
        """The normal at points (k, 3) of the faces that triangles (k,) lie on."""
        own = self.faces.labels[triangles]
        exact = surface_normals(self.faces, own, points) * self.sign[own][:, None]
        return np.where((self.faces.kinds[own] == FREE)[:, None], self.facet[triangles], exact)

    def planes(self) -> list[Plane]:
        """The flat faces."""
        rows = self.faces.surfaces[self.faces.kinds == PLANE].tolist()
        return [Plane(tuple(row[:3]), tuple(row[3:6]), row[6]) for row in rows]

    def cylinders(self) -> list[Cylinder]:
        """The round faces about an axis of one radius, each as long as its corners reach."""
        found = []
        for face in self.faces.cylinders:
            row = self.faces.surfaces[face]
            heights = (self.vertices[self.owner == face] - row[:3]) @ row[3:6]
            middle = row[:3] + row[3:6] * (heights.min() + heights.max()) / 2
            hole = bool(self.sign[face] < 0)
            found.append(
                Cylinder(tuple(middle.tolist()), tuple(row[3:6].tolist()), float(row[6]), float(np.ptp(heights)), hole)
            )
        return found

    def error(self) -> float:
        """Mm that the triangles lie off the surfaces that were recognised, measured at their middles and edges."""
        corners = self.body.vertices[self.body.triangles]
        points = np.stack([corners.mean(1), *((corners[:, k] + corners[:, k - 1]) / 2 for k in range(3))])
        return max(
            float(np.abs(surface_distances(self.faces, self.faces.labels, row)).max(initial=0)) for row in points
        )


def _frames(faces: Faces, which: NDArray[np.integer], points: NDArray[np.float64]) -> tuple[NDArray[np.float64], ...]:
    """Points (n, 3) seen from the axis of the face of each (n,): rows, heights, arms across and their lengths."""
    rows = faces.surfaces[which]
    away = points - rows[:, :3]
    heights = np.einsum("ij,ij->i", away, rows[:, 3:6])
    arms = away - heights[:, None] * rows[:, 3:6]
    return rows, heights, arms, np.linalg.norm(arms, axis=1)


def surface_normals(faces: Faces, which: NDArray[np.integer], points: NDArray[np.float64]) -> NDArray[np.float64]:
    """Unit normals (n, 3) of faces at points (n, 3), away from the axis or centre; of a free face 0.

    Parameters
    ----------
    faces : Faces
    which : (n,) int
        The face of each point.
    points : (n, 3) float64
    """
    rows, heights, arms, radii = _frames(faces, which, points)
    kinds = faces.kinds[which]
    out = arms / np.maximum(radii, 1e-300)[:, None]
    cone, torus, ball = kinds == CONE, kinds == TORUS, kinds == SPHERE
    out[cone] -= rows[cone, 7:8] * rows[cone, 3:6]
    out[torus] = (radii - rows[:, 6])[torus, None] * out[torus] + heights[torus, None] * rows[torus, 3:6]
    out[ball] = points[ball] - rows[ball, :3]
    out[kinds == PLANE] = rows[kinds == PLANE, 3:6]
    out[kinds == FREE] = 0
    return np.asarray(out / np.maximum(np.linalg.norm(out, axis=1, keepdims=True), 1e-300))


def surface_distances(faces: Faces, which: NDArray[np.integer], points: NDArray[np.float64]) -> NDArray[np.float64]:
    """Mm (n,) by which points lie outside of the round faces they belong to; 0 for planes and free faces."""
    rows, heights, _, radii = _frames(faces, which, points)
    kinds = faces.kinds[which]
    off = np.zeros(len(points))
    for kind, values in (
        (CYLINDER, radii - rows[:, 6]),
        (CONE, (radii - rows[:, 6] - rows[:, 7] * heights) / np.sqrt(1 + rows[:, 7] ** 2)),
        (SPHERE, np.hypot(radii, heights) - rows[:, 6]),
        (TORUS, np.hypot(radii - rows[:, 6], heights) - rows[:, 7]),
    ):
        off[kinds == kind] = values[kinds == kind]
    return off


def chains(ends: NDArray[np.int32], between: NDArray[np.int32]) -> list[NDArray[np.int64]]:
    """Edges as polylines: places of corners, laid end to end as long as the same two faces meet.

    Parameters
    ----------
    ends : (k, 2) int32
        The corners of each edge.
    between : (k, 2) int32
        The faces that meet at each.

    Examples
    --------
    >>> [chain.tolist() for chain in chains(np.array([[0, 1], [2, 1], [2, 3]]), np.zeros((3, 2), int))]
    [[0, 1, 2, 3]]
    """
    if not len(ends):
        return []
    pair = np.unique(between, axis=0, return_inverse=True)[1].reshape(-1)
    owner, order = np.repeat(np.arange(len(ends)), 2), np.argsort(ends.reshape(-1), kind="stable")
    corner = ends.reshape(-1)[order]
    starts = np.searchsorted(corner, np.arange(int(ends.max()) + 2))
    laid, breaks = _chained(ends.astype(np.int64), pair.astype(np.int64), starts, owner[order])
    return np.split(laid, breaks)


@njit(cache=True)
def _beyond(pair, starts, at, edge, corner):  # noqa: ANN001, ANN202
    """The edge that goes on from a corner between the same two faces; -1 where the line ends or branches."""
    if starts[corner + 1] - starts[corner] != 2:
        return -1
    other = at[starts[corner]] + at[starts[corner] + 1] - edge
    return other if pair[other] == pair[edge] else -1


@njit(cache=True)
def _chained(ends, pair, starts, at):  # noqa: ANN001, ANN202
    """The corners of every line, laid end to end, and where the second and later ones begin."""
    used = np.zeros(len(ends), np.bool_)
    laid = np.empty(2 * len(ends), np.int64)
    breaks = np.empty(len(ends), np.int64)
    count, lines = 0, 0
    for first in range(len(ends)):
        if used[first]:
            continue
        edge, corner = first, ends[first, 0]
        other = _beyond(pair, starts, at, edge, corner)
        while other >= 0 and other != first:  # back to where the line begins
            corner = ends[other, 0] + ends[other, 1] - corner
            edge = other
            other = _beyond(pair, starts, at, edge, corner)
        if count:
            breaks[lines] = count
            lines += 1
        laid[count] = corner
        count += 1
        while edge >= 0 and not used[edge]:
            used[edge] = True
            corner = ends[edge, 0] + ends[edge, 1] - corner
            laid[count] = corner
            count += 1
            edge = _beyond(pair, starts, at, edge, corner)
    return laid[:count], breaks[:lines]
