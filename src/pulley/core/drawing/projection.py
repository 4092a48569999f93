"""What is seen of components from one side, as line segments in mm: edges, outlines, where bodies cut each other."""

import math
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass
from typing import Any

import numpy as np
from numba import njit
from numpy.typing import NDArray

from pulley.core.assembly import Assembly, Leaf
from pulley.core.drawing.cuts import cuts
from pulley.core.drawing.hidden import stretches
from pulley.core.drawing.rims import INNER, SHARP, rims
from pulley.core.drawing.threads import root_lines, simplified
from pulley.core.geometry.frames import Pose, apply

EDGE, OUTLINE, CUT, ROUND, TRAIL = "edge", "outline", "cut", "smooth", "trail"  # kinds of lines
EDGE_ON = 1e-7  # sine below which a facet counts as turned away


@dataclass(frozen=True, eq=False)
class Lines:
    """Line segments of one view, in mm of the model: right and up in the picture.

    Attributes
    ----------
    points : (n, 2, 2) float64
    owner : (n,) int32, the place of the component in ``paths``; of a trail line, -1
    kind : (n,) int8, a place in `KINDS`
    hidden : (n,) bool, whether something lies in front
    paths : the components that were looked at
    """

    points: NDArray[np.float64]
    owner: NDArray[np.int32]
    kind: NDArray[np.int8]
    hidden: NDArray[np.bool_]
    paths: tuple[str, ...]

    def length(self, path: str, hidden: bool = False) -> float:
        """The length in mm that is seen, or hidden, of a component's lines; smooth edges left out."""
        wanted = (self.owner == self.paths.index(path)) & (self.hidden == hidden) & (self.kind != KINDS.index(ROUND))
        return float(np.linalg.norm(np.diff(self.points[wanted], axis=1)[:, 0], axis=1).sum())


KINDS = (EDGE, OUTLINE, CUT, ROUND, TRAIL)
EDGE_KIND, OUTLINE_KIND, ROUND_KIND = (KINDS.index(kind) for kind in (EDGE, OUTLINE, ROUND))


@dataclass(frozen=True, eq=False)
class _Body:
    """A component as it is looked at: its segments with their kinds and whether they are on its far side, so hidden
    whatever else is there; and the facets that hide."""

    segments: NDArray[np.float64]
    kinds: NDArray[np.int8]
    away: NDArray[np.bool_]
    facets: NDArray[np.float64]
    low: NDArray[np.float64]
    high: NDArray[np.float64]
    error: float


def project_lines(
    assembly: Assembly,
    poses: Mapping[str, Pose],
    frame: NDArray[np.float64],
    trails: Collection[NDArray[np.float64]] = (),
    simple_threads: bool = True,
    report: Callable[[float], None] = lambda share: None,
) -> Lines:
    """The lines of a drawing of components where they stand, seen along ``-frame[2]``.

    Parameters
    ----------
    assembly : Assembly
    poses : mapping of path to (4, 4) float64
        The components that are drawn; others neither show nor hide.
    frame : (3, 3) float64
        Rows right, up, back, as `camera.camera_frame` gives them.
    trails : collection of (k, 3) float64
        Trail lines in mm, which may be hidden and hide nothing.
    simple_threads : bool
        Draw modelled threads by the convention of ISO 6410 instead of by their edges.
    report : callable(share)
        Told of progress; what it raises stops the work.

    Returns
    -------
    Lines
        Segments that are hidden come with ``hidden`` set; each one is either seen or hidden over its whole length.
    """
    paths = tuple(poses)
    bodies = [_body(assembly.leaf(path), poses[path], frame, simple_threads) for path in paths]
    pieces = [(body.segments, body.kinds, body.away, k, body.error) for k, body in enumerate(bodies)]
    pieces += [
        _piece(cut.segments, CUT, cut.owner) for cut in cuts([(body.facets, body.low, body.high) for body in bodies])
    ]
    pieces += [_piece(np.stack([line[:-1], line[1:]], axis=1) @ frame.T, TRAIL, -1) for line in trails]
    segments, kind, away = (np.concatenate([piece[n] for piece in pieces]) for n in range(3))
    counts = [len(piece[0]) for piece in pieces]
    owner = np.repeat(np.array([piece[3] for piece in pieces], np.int32), counts)
    slack = np.repeat([piece[4] for piece in pieces], counts).astype(float)
    of_facet = [len(body.facets) for body in bodies]
    told = stretches(
        segments[~away],
        slack[~away],
        owner[~away],
        np.concatenate([body.facets for body in bodies]),
        np.repeat(np.arange(len(bodies), dtype=np.int32), of_facet),
        np.repeat([body.error for body in bodies], of_facet).astype(float),
        report,
    )
    told[:, 0] = np.flatnonzero(~away)[told[:, 0].astype(np.int64)]
    turned = np.flatnonzero(away)[:, None] * np.array([1.0, 0.0, 0.0, 0.0]) + (0.0, 0.0, 1.0, 1.0)
    return _lines(segments, owner, kind, np.concatenate([told, turned]), paths)


def _piece(segments: NDArray[np.float64], kind: str, owner: int) -> tuple[Any, ...]:
    """Segments of one kind and owner, of which nothing is known beforehand."""
    count = len(segments)
    return segments, np.full(count, KINDS.index(kind), np.int8), np.zeros(count, bool), owner, 0.0


def _body(leaf: Leaf, pose: Pose, frame: NDArray[np.float64], simple_threads: bool) -> _Body:
    """A leaf's lines and facets in the picture's frame."""
    mesh = leaf.part.mesh
    known = simplified(mesh) if simple_threads else rims(mesh)
    seen = apply(pose, known.vertices) @ frame.T
    segments, kinds, away, facets, box = _looked(
        seen, known.triangles, known.ends, known.sides, known.kind, known.closed, (EDGE_KIND, OUTLINE_KIND, ROUND_KIND)
    )
    thin = root_lines(mesh, pose[:3, :3].T @ frame[2]) if simple_threads else np.zeros((0, 2, 3))
    if len(thin):
        extra = thin @ (frame @ pose[:3, :3]).T + frame @ pose[:3, 3]
        segments = np.concatenate([segments, extra])
        kinds = np.concatenate([kinds, np.full(len(extra), ROUND_KIND, np.int8)])
        away = np.concatenate([away, np.zeros(len(extra), bool)])
    return _Body(segments, kinds, away, facets, box[0], box[1], mesh.error)


@njit(cache=True, nogil=True)
def _toward(a, b, c):  # noqa: ANN001, ANN202
    """Whether a triangle of points (3,) shows its outside to the eye."""
    ux, uy, uz = b[0] - a[0], b[1] - a[1], b[2] - a[2]
    vx, vy, vz = c[0] - a[0], c[1] - a[1], c[2] - a[2]
    x, y, z = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
    return z > EDGE_ON * math.sqrt(x * x + y * y + z * z)


@njit(cache=True, nogil=True)
def _looked(seen, triangles, ends, sides, kind, closed, kinds):  # noqa: ANN001, ANN202
    """What is drawn of a body whose points (n, 3) are seen: segments (k, 2, 3), their kinds, whether each lies on the
    far side; the facets (m, 3, 3) that hide; the corners (2, 3) of its bounds."""
    box = np.empty((2, 3))
    box[0], box[1] = np.inf, -np.inf
    for i in range(len(seen)):
        for x in range(3):
            box[0, x], box[1, x] = min(box[0, x], seen[i, x]), max(box[1, x], seen[i, x])
    front = np.zeros(len(triangles), np.bool_)
    facets = np.empty((len(triangles), 3, 3))
    m = 0
    for i in range(len(triangles)):
        front[i] = _toward(seen[triangles[i, 0]], seen[triangles[i, 1]], seen[triangles[i, 2]])
        if front[i] or not closed[i]:
            for k in range(3):
                facets[m, k] = seen[triangles[i, k]]
            m += 1
    segments = np.empty((len(ends), 2, 3))
    found, away = np.empty(len(ends), np.int8), np.empty(len(ends), np.bool_)
    n = 0
    for i in range(len(ends)):
        one, two = sides[i, 0], sides[i, 1]
        turns = two < 0 or front[one] != front[two]
        if kind[i] == INNER and not turns:
            continue
        segments[n, 0], segments[n, 1] = seen[ends[i, 0]], seen[ends[i, 1]]
        found[n] = kinds[0] if kind[i] == SHARP else kinds[1] if turns else kinds[2]
        away[n] = two >= 0 and not front[one] and not front[two] and closed[one] and closed[two]
        n += 1
    return segments[:n], found[:n], away[:n], facets[:m], box


def _lines(
    segments: NDArray[np.float64],
    owner: NDArray[np.int32],
    kind: NDArray[np.int8],
    told: NDArray[np.float64],
    paths: tuple[str, ...],
) -> Lines:
    """Seen and hidden stretches (k, 4) of segments, as segments of their own."""
    rows, points = _stretched(segments, told)
    long = (np.abs(points[:, 1, 0] - points[:, 0, 0]) > 1e-9) | (np.abs(points[:, 1, 1] - points[:, 0, 1]) > 1e-9)
    rows = rows[long]
    return Lines(points[long], owner[rows], kind[rows], told[long, 3] > 0, paths)


@njit(cache=True, nogil=True)
def _stretched(segments, told):  # noqa: ANN001, ANN202
    """The row (k,) of each stretch, and its ends (k, 2, 2) in the picture."""
    rows, points = np.empty(len(told), np.int64), np.empty((len(told), 2, 2))
    for i in range(len(told)):
        row = int(told[i, 0])
        rows[i] = row
        for end in range(2):
            for axis in range(2):
                start = segments[row, 0, axis]
                points[i, end, axis] = start + told[i, 1 + end] * (segments[row, 1, axis] - start)
    return rows, points
