"""Triangle meshes with the exact edges and features that a drawing needs."""

import hashlib
import io
from dataclasses import dataclass, field
from functools import cached_property
from itertools import product
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import connected_components

from pulley.core.geometry.features import Cylinder, Plane
from pulley.core.geometry.walls import wall_thickness

WELD = 1e-5  # mm; nodes of neighbouring faces nearer than this are one vertex
SLIVERS = 0.02  # share of a surface that may be thinner than the wall that counts as its thinnest

FAULTS = {  # how a mesh may fail to bound a solid, in words for the assembly's notes
    "open": "is an open surface: it counts as a thin sheet with two sides and an edge, and has no volume",
    "tangled": "has edges where more than two faces meet: both sides of its faces count as solid",
    "twisted": "has faces that point in different ways: both sides of its faces count as solid",
    "inside out": "has its faces turned inward: they were turned about",
}


@dataclass(frozen=True, eq=False)
class Piece:
    """One body of a mesh: the mesh's rows of triangles, and the same joined at the seams.

    ``triangles`` (k, 3) are places in ``vertices`` (n, 3), one for each of ``rows``; some may have no area. A ``solid``
    of the B-rep stays one where a sliver of a face has no triangle.
    """

    rows: NDArray[np.intp]
    vertices: NDArray[np.float64]
    triangles: NDArray[np.int32]
    solid: bool = False

    @cached_property
    def sound(self) -> NDArray[np.int32]:
        """The triangles (k, 3) that have three different corners."""
        a, b, c = self.triangles.T
        return self.triangles[(a != b) & (b != c) & (c != a)]

    @cached_property
    def fault(self) -> str | None:
        """What keeps the body from bounding a solid: a key of `FAULTS`; None for a sound one.

        A solid's boundary runs through every edge once in each direction and encloses a volume above 0.
        """
        triangles = self.sound
        if not len(triangles):
            return "open"
        once, both = runs(triangles)
        if once and both:
            return "inside out" if mesh_volume(self.vertices[triangles]) < 0 else None
        ends = np.sort(triangles[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), axis=1)
        _, times = np.unique(ends, axis=0, return_counts=True)
        if (times > 2).any():
            return "tangled"
        if not once:
            return "twisted"
        return None if self.solid else "open"


@dataclass(frozen=True, eq=False)
class Mesh:
    """One part's surface, in the part's own frame, in mm.

    Attributes
    ----------
    vertices : (n, 3) float64, repeated where faces meet so that each face keeps its own normals
    normals : (n, 3) float64, outward
    triangles : (m, 3) int32, counter-clockwise seen from outside
    edges : (k, 3) float64, the exact B-rep edges as polylines laid end to end
    edge_starts : (e + 1,) int32, where each polyline begins in ``edges``
    planes, cylinders : features kept from the B-rep
    volume : exact volume in mm3, or None where the body is open
    bodies : (m,) int32, which body of the part each triangle bounds; by default all the same
    faces : (m,) int32, the place of the face that each triangle lies on among the faces of the part's kept B-rep;
        -1 for all when that is not known
    thickness : (m,) float32, mm of wall behind each triangle, as `wall_thickness` gives it; found when asked for
    error : mm that the triangles may lie off the true surface
    bare : (m,) bool, the triangles that count in contacts; None for all
    """

    vertices: NDArray[np.float64]
    normals: NDArray[np.float64]
    triangles: NDArray[np.int32]
    edges: NDArray[np.float64] = field(default_factory=lambda: np.zeros((0, 3)))
    edge_starts: NDArray[np.int32] = field(default_factory=lambda: np.zeros(1, np.int32))
    planes: tuple[Plane, ...] = ()
    cylinders: tuple[Cylinder, ...] = ()
    volume: float | None = None
    bodies: NDArray[np.int32] = None  # type: ignore[assignment]
    thickness: NDArray[np.float32] | None = None
    error: float = 0.0
    bare: NDArray[np.bool_] | None = None
    faces: NDArray[np.int32] = None  # type: ignore[assignment]

    def __post_init__(self) -> None:
        if self.bodies is None or len(self.bodies) != len(self.triangles):
            object.__setattr__(self, "bodies", np.zeros(len(self.triangles), np.int32))
        if self.faces is None or len(self.faces) != len(self.triangles):
            object.__setattr__(self, "faces", np.full(len(self.triangles), -1, np.int32))

    @cached_property
    def key(self) -> str:
        """The mesh's address by content: equal meshes have equal keys."""
        digest = hashlib.sha256()
        for array in (np.round(self.vertices, 6) + 0.0, self.triangles):
            digest.update(np.ascontiguousarray(array).tobytes())
        if self.bodies.any():
            digest.update(self.bodies.tobytes())
        return digest.hexdigest()[:32]

    @cached_property
    def corners(self) -> NDArray[np.float64]:
        """Triangle corners (m, 3, 3)."""
        return np.ascontiguousarray(self.vertices[self.triangles])

    @cached_property
    def pieces(self) -> "tuple[Piece, ...]":
        """The part's bodies, each for itself: only facets of one body are joined at their seams."""
        return tuple(self._piece(np.flatnonzero(self.bodies == body)) for body in np.unique(self.bodies))

    def _piece(self, rows: NDArray[np.intp]) -> "Piece":
        used, corners = np.unique(self.triangles[rows], return_inverse=True)
        _, first, inverse = np.unique(
            np.round(self.vertices[used] / WELD).astype(np.int64), axis=0, return_index=True, return_inverse=True
        )
        vertices, triangles = _parted(self.vertices[used][first], inverse.reshape(-1)[corners.reshape(-1, 3)])
        return Piece(rows, vertices, triangles, self.volume is not None)

    @property
    def closed(self) -> bool:
        """Whether every body of the mesh bounds a solid, so that each facet has a side that is outside."""
        return self.fault is None

    @cached_property
    def fault(self) -> str | None:
        """What keeps a body of the mesh from bounding a solid: a key of `FAULTS`; None for a sound one."""
        faults = [piece.fault for piece in self.pieces]
        return next((fault for fault in faults if fault), None) if faults else "open"

    @cached_property
    def walls(self) -> NDArray[np.float32]:
        """Thickness in mm (m,) of the wall behind each triangle; infinite where there is none."""
        if self.thickness is not None:
            return self.thickness
        return wall_thickness(self.corners, self.bodies)

    @cached_property
    def wall(self) -> float:
        """The thinnest wall in mm: thinner than all but a fiftieth of the surface; infinite where there is none.

        A fiftieth is left out because where a hole breaks through an edge any solid gets thinner and thinner.
        """
        solid = np.isin(self.bodies, [self.bodies[piece.rows[0]] for piece in self.pieces if piece.fault != "open"])
        if not solid.any():
            return float("inf")
        a, b, c = np.moveaxis(self.corners[solid], 1, 0)
        area = np.linalg.norm(np.cross(b - a, c - a), axis=1)
        order = np.argsort(self.walls[solid], kind="stable")
        enough = np.searchsorted(np.cumsum(area[order]), SLIVERS * area.sum())
        return float(self.walls[solid][order[min(enough, len(order) - 1)]])

    @cached_property
    def edge_pairs(self) -> NDArray[np.int32]:
        """The edge polylines as separate lines: pairs (k, 2) of places in ``edges``."""
        first = np.arange(len(self.edges) - 1, dtype=np.int32)
        inside = ~np.isin(first + 1, self.edge_starts)
        return np.stack([first, first + 1], axis=1)[inside]

    @cached_property
    def bounds(self) -> NDArray[np.float64]:
        """Lowest and highest corner (2, 3) in the part's frame."""
        return np.array([self.vertices.min(0), self.vertices.max(0)])

    @cached_property
    def box_corners(self) -> NDArray[np.float64]:
        """The corners (8, 3) of the bounds, in mm."""
        return np.array(list(product(*self.bounds.T)))

    def to_bytes(self) -> bytes:
        """The mesh as a compressed NumPy archive, the form kept in the geometry store."""
        buffer = io.BytesIO()
        np.savez_compressed(
            buffer,
            vertices=self.vertices,
            normals=self.normals.astype(np.float32),
            triangles=self.triangles,
            edges=self.edges,
            edge_starts=self.edge_starts,
            planes=np.array([[*p.origin, *p.normal, p.area] for p in self.planes]).reshape(-1, 7),
            cylinders=np.array([c.row for c in self.cylinders]).reshape(-1, 9),
            volume=np.nan if self.volume is None else self.volume,
            bodies=self.bodies,
            faces=self.faces,
            walls=self.walls,
            error=self.error,
        )
        return buffer.getvalue()

    @classmethod
    def from_bytes(cls, data: bytes) -> "Mesh":
        """The mesh that `to_bytes` wrote."""
        with np.load(io.BytesIO(data)) as kept:
            volume = float(kept["volume"])
            since: dict[str, Any] = {}  # what meshes kept by earlier versions lack
            if "walls" in kept:
                since = {"bodies": kept["bodies"], "thickness": kept["walls"], "error": float(kept["error"])}
            if "faces" in kept:
                since["faces"] = kept["faces"]
            return cls(
                vertices=kept["vertices"],
                normals=kept["normals"].astype(float),
                triangles=kept["triangles"],
                edges=kept["edges"],
                edge_starts=kept["edge_starts"],
                planes=tuple(Plane.from_row(row) for row in kept["planes"]),
                cylinders=tuple(Cylinder.from_row(row) for row in kept["cylinders"]),
                volume=None if np.isnan(volume) else volume,
                **since,
            )


def _parted(
    vertices: NDArray[np.float64], triangles: NDArray[np.intp]
) -> tuple[NDArray[np.float64], NDArray[np.int32]]:
    """Vertices and triangles in which surfaces that share a point, but no edge, have it twice."""
    ends = np.sort(triangles[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2), axis=1)
    edges = np.unique(ends[:, 0].astype(np.int64) << 32 | ends[:, 1], return_inverse=True)[1].reshape(-1)
    count = len(triangles), int(edges.max(initial=-1)) + 1
    links = coo_array(
        (np.ones(len(edges), np.int8), (np.repeat(np.arange(count[0]), 3), edges + count[0])), [sum(count)] * 2
    )
    _, surface = connected_components(links, directed=False)
    keys = triangles.astype(np.int64) << 32 | surface[: count[0], None]
    kept, parted = np.unique(keys, return_inverse=True)
    return vertices[kept >> 32], parted.reshape(-1, 3).astype(np.int32)


def runs(triangles: NDArray[np.integer]) -> tuple[bool, bool]:
    """Whether triangles (m, 3) run through no edge twice in one direction, and through each in both: then they close.

    >>> runs(box_mesh((0, 0, 0), (1, 2, 3)).pieces[0].triangles)
    (True, True)
    """
    ends = triangles[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2).astype(np.int64)
    forward = np.sort(ends[:, 0] << 32 | ends[:, 1])
    backward = np.sort(ends[:, 1] << 32 | ends[:, 0])
    return bool((np.diff(forward) > 0).all()), bool(np.array_equal(forward, backward))


def surface_moments(corners: NDArray[np.float64]) -> tuple[float, NDArray[np.float64], NDArray[np.float64]]:
    """Area in mm2, centre (3,) and second moments about it (3, 3) in mm4 of a surface of triangles (m, 3, 3).

    They are exact over each triangle, so that it does not matter how a face is cut up.

    >>> area, centre, second = surface_moments(box_mesh((0, 0, 0), (2, 2, 2)).corners)
    >>> round(area, 9), centre.round(9).tolist(), round(float(second[0, 0]), 6)
    (24.0, [1.0, 1.0, 1.0], 13.333333)
    """
    areas = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1) / 2
    area = max(float(areas.sum()), 1e-300)
    centre = (areas[:, None] * corners.mean(1)).sum(0) / area
    arms = corners - centre
    total = arms.sum(1)
    second = np.einsum("i,ikj,ikl->jl", areas, arms, arms) + np.einsum("i,ij,il->jl", areas, total, total)
    return area, centre, second / 12


def corner_angles(corners: NDArray[np.float64]) -> NDArray[np.float64]:
    """Angle in radians (m, 3) at each corner; weights that do not depend on how a face was cut up.

    Parameters
    ----------
    corners : (m, 3, 3) float64
        The corners of triangles; the unit does not matter.

    Examples
    --------
    >>> np.degrees(corner_angles(np.array([[[0.0, 0, 0], [1, 0, 0], [0, 1, 0]]]))).round(6).tolist()
    [[90.0, 45.0, 45.0]]
    """
    angles = np.empty(corners.shape[:2])
    for k in range(3):
        p = corners[:, (k + 1) % 3] - corners[:, k]
        q = corners[:, (k + 2) % 3] - corners[:, k]
        cross = np.linalg.norm(np.cross(p, q), axis=1)
        angles[:, k] = np.arctan2(cross, np.einsum("ij,ij->i", p, q))
    return angles


def mesh_volume(corners: NDArray[np.float64]) -> float:
    """Signed volume in mm3 enclosed by triangles (m, 3, 3), by the divergence theorem.

    Parameters
    ----------
    corners : (m, 3, 3) float64
        In mm; anticlockwise seen from outside.

    Examples
    --------
    >>> round(mesh_volume(box_mesh((0, 0, 0), (1, 2, 3)).corners), 9)
    6.0
    """
    a, b, c = np.moveaxis(corners, 1, 0)
    return float(np.einsum("ij,ij->", a, np.cross(b, c)) / 6)


def flat_mesh(corners: NDArray[np.float64]) -> Mesh:
    """A mesh from loose triangles (m, 3, 3), each with its own flat normals.

    >>> flat_mesh(np.array([[[0, 0, 0], [1, 0, 0], [0, 1, 0]]], float)).normals[0].tolist()
    [0.0, 0.0, 1.0]
    """
    corners = np.asarray(corners, float)
    facet = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    facet /= np.maximum(np.linalg.norm(facet, axis=1, keepdims=True), 1e-300)
    triangles = np.arange(3 * len(corners), dtype=np.int32).reshape(-1, 3)
    mesh = Mesh(corners.reshape(-1, 3), np.repeat(facet, 3, axis=0), triangles)
    return Mesh(mesh.vertices, mesh.normals, triangles, volume=mesh_volume(corners) if mesh.closed else None)


def box_mesh(low: tuple[float, float, float], high: tuple[float, float, float]) -> Mesh:
    """An axis-aligned box between two corners in mm.

    Examples
    --------
    >>> len(box_mesh((0, 0, 0), (1, 2, 3)).triangles)
    12
    """
    corners = np.array([[low, high][i][k] for i in (0, 1) for k in range(3)]).reshape(2, 3)
    points = np.array([[corners[x, 0], corners[y, 1], corners[z, 2]] for x in (0, 1) for y in (0, 1) for z in (0, 1)])
    quads = [(0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3)]
    return flat_mesh(points[[[(a, b, c), (a, c, d)] for a, b, c, d in quads]].reshape(-1, 3, 3))
