"""Bodies that are copies of one another: turned, mirrored or scaled, found by invariants and shown corner by corner."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from pulley.core.geometry.frames import Pose
from pulley.core.geometry.mending import Body
from pulley.core.geometry.mesh import surface_moments

LOOSE = 3e-6  # of a body's size: how far corners of a copy may lie off, besides the grain of the two
BIN = 2e-3  # width of the bins in which alike bodies are looked for; the bins beside are looked at too
SAME_SIZE = 1e-4  # share by which a scale is none
TRIES = 400  # pairs of corners that are tried for the frame of a copy


@dataclass(frozen=True, eq=False)
class Copy:
    """Where a body stands: the number of the body that it is a copy of, and the map (4, 4) from that one to it.

    The map turns and moves, and may mirror and scale evenly.
    """

    of: int
    map: Pose


def copies(bodies: Sequence[Sequence[Body]]) -> list[Copy]:
    """Each part (one or more bodies) as a copy of the first that is like it.

    Parts are told apart by what does not change under turning, mirroring and scaling: the numbers of corners and
    triangles, and the surface's principal moments against its area. Only those alike in all of it are compared, so
    the time grows with the number of parts.

    Parameters
    ----------
    bodies : sequence of sequences of Body
        The bodies of each part, in mm.

    Examples
    --------
    >>> from pulley.core.geometry.mesh import box_mesh
    >>> boxes = (box_mesh((0, 0, 0), size).pieces[0] for size in ((1, 2, 3), (3, 1, 2)))
    >>> [copy.of for copy in copies([[Body(box.vertices, box.triangles, True)] for box in boxes])]
    [0, 0]
    """
    shapes = [_Shape(part) for part in bodies]
    shelves: dict[tuple[int, ...], list[int]] = {}
    found = []
    for k, shape in enumerate(shapes):
        near = dict.fromkeys(j for key in shape.bins() for j in shelves.get(key, ()))
        copy = next((Copy(j, place) for j in near if (place := shape.place_of(shapes[j])) is not None), None)
        if copy is None:
            shelves.setdefault(shape.key, []).append(k)
        found.append(copy or Copy(k, np.eye(4)))
    return found


class _Shape:
    """A part's surface: its corners, its centre, and what does not change when it is moved."""

    def __init__(self, bodies: Sequence[Body]) -> None:
        self.vertices = np.concatenate([body.vertices for body in bodies])
        before = np.cumsum([0, *(len(body.vertices) for body in bodies)])
        self.triangles = np.concatenate([b.triangles + k for b, k in zip(bodies, before, strict=False)])
        self.grain = max(body.grain for body in bodies)
        self.area, self.centre, second = surface_moments(self.vertices[self.triangles])
        moments = np.linalg.eigvalsh(second) / self.area**2
        self.size = float(np.linalg.norm(np.ptp(self.vertices, axis=0)))
        self.counts = len(self.vertices), len(self.triangles)
        self.invariants = np.sqrt(np.maximum(moments, 0))
        self.key = (*self.counts, *np.floor(self.invariants / BIN).astype(int).tolist())
        self.radii = np.linalg.norm(self.vertices - self.centre, axis=1)

    def bins(self) -> set[tuple[int, ...]]:
        """The bins in which a copy may lie: its own, and those beside that it is near to."""
        low, high = (np.floor(self.invariants / BIN + d).astype(int) for d in (-0.1, 0.1))
        return {
            (*self.counts, a, b, c) for a in (low[0], high[0]) for b in (low[1], high[1]) for c in (low[2], high[2])
        }

    def place_of(self, other: "_Shape") -> Pose | None:
        """The map from another shape to this one; None when this is no copy of it."""
        scale = float(np.sqrt(self.area / other.area))
        scale = 1.0 if abs(scale - 1) < SAME_SIZE else scale
        near = LOOSE * self.size + 2 * (self.grain + scale * other.grain) + 1e-6
        if not np.allclose(np.sort(self.radii), scale * np.sort(other.radii), atol=2 * near, rtol=0):
            return None
        if np.array_equal(self.triangles, other.triangles):
            found = _fitted(other.vertices, self.vertices, scale)
            if np.abs(_mapped(found, other.vertices) - self.vertices).max() <= near:
                return found
        tree = cKDTree(self.vertices)
        for found in self._frames(other, scale, near):
            away, place = tree.query(_mapped(found, other.vertices), distance_upper_bound=4 * near)
            if np.isfinite(away).all() and len(np.unique(place)) == len(place):
                better = _fitted(other.vertices, self.vertices[place], scale)
                if np.abs(_mapped(better, other.vertices) - self.vertices[place]).max() <= near:
                    return better
        return None

    def _frames(self, other: "_Shape", scale: float, near: float) -> list[Pose]:
        """Maps that take two corners of another shape, of rare distances, to two of this; those that mirror last."""
        a, b = _rare(other, near)
        first, second = other.vertices[a] - other.centre, other.vertices[b] - other.centre
        gap = scale * float(np.linalg.norm(first - second))
        starts = np.flatnonzero(np.abs(self.radii - scale * other.radii[a]) <= 4 * near)
        ends = np.flatnonzero(np.abs(self.radii - scale * other.radii[b]) <= 4 * near)
        away = np.linalg.norm(self.vertices[starts][:, None] - self.vertices[ends][None], axis=2)
        pairs = np.argwhere(np.abs(away - gap) <= 8 * near)[:TRIES]
        base = _frame(first, second)
        found = []
        for mirror in (1.0, -1.0):
            for i, j in pairs:
                ours = _frame(self.vertices[starts[i]] - self.centre, self.vertices[ends[j]] - self.centre)
                turn = ours @ np.diag([1.0, 1.0, mirror]) @ base.T
                place = np.eye(4)
                place[:3, :3] = scale * turn
                place[:3, 3] = self.centre - scale * turn @ other.centre
                found.append(place)
        return found


def _rare(shape: _Shape, near: float) -> tuple[int, int]:
    """Two corners that few others are as far from the centre as, not in line with it."""
    kind = np.round(shape.radii / (8 * near)).astype(np.int64)
    _, own, times = np.unique(kind, return_inverse=True, return_counts=True)
    common = np.where(shape.radii > 0.05 * shape.size, times[own.reshape(-1)], len(kind) + 1)
    first = int(np.argmin(common))
    arm = (shape.vertices[first] - shape.centre) / max(shape.radii[first], 1e-300)
    across = np.linalg.norm(np.cross(shape.vertices - shape.centre, arm), axis=1)
    return first, int(np.argmin(np.where(across > 0.05 * shape.size, common, 2 * len(kind) + 2)))


def _frame(first: NDArray[np.float64], second: NDArray[np.float64]) -> NDArray[np.float64]:
    """A right-handed frame, by columns: along one arm, beside it towards another, and across both."""
    x = first / max(float(np.linalg.norm(first)), 1e-300)
    y = second - (second @ x) * x
    y = y / max(float(np.linalg.norm(y)), 1e-300)
    return np.stack([x, y, np.cross(x, y)], axis=1)


def _mapped(place: Pose, points: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.asarray(points @ place[:3, :3].T + place[:3, 3])


def _fitted(points: NDArray[np.float64], wanted: NDArray[np.float64], scale: float) -> Pose:
    """The map of a given scale, turning and perhaps mirroring, that takes points (n, 3) nearest to others (n, 3).

    Notes
    -----
    Kabsch 1976, with the mirror image allowed where it fits better.
    """
    a, b = points.mean(0), wanted.mean(0)
    u, weights, v = np.linalg.svd((points - a).T @ (wanted - b))
    flat = weights[-1] <= 1e-9 * max(weights[0], 1e-300)
    if flat and np.linalg.det(u @ v) < 0:
        u[:, -1] = -u[:, -1]
    turn = (u @ v).T
    place = np.eye(4)
    place[:3, :3] = scale * turn
    place[:3, 3] = b - scale * turn @ a
    return place
