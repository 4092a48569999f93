"""What is seen of components from one side, as line segments in mm: edges, outlines, where bodies cut each other."""

from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from pulley.core.assembly import Assembly, Leaf
from pulley.core.drawing.cuts import cuts
from pulley.core.drawing.hidden import visible_stretches
from pulley.core.drawing.rims import INNER, SHARP, SMOOTH, facet_normals, rims
from pulley.core.drawing.threads import simplified
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


@dataclass(frozen=True, eq=False)
class _Body:
    """A component as it is looked at: its segments with their kinds, and the facets that hide."""

    segments: NDArray[np.float64]
    kinds: NDArray[np.int8]
    facets: NDArray[np.float64]
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
    crossing = cuts([body.facets for body in bodies])
    pieces = [(body.segments, body.kinds, k, body.error) for k, body in enumerate(bodies)]
    pieces += [(c.segments, np.full(len(c.segments), KINDS.index(CUT), np.int8), c.owner, 0.0) for c in crossing]
    for line in trails:
        ends = np.stack([line[:-1], line[1:]], axis=1) @ frame.T
        pieces.append((ends, np.full(len(ends), KINDS.index(TRAIL), np.int8), -1, 0.0))
    segments = np.concatenate([piece[0] for piece in pieces] or [np.zeros((0, 2, 3))])
    counts = [len(piece[0]) for piece in pieces]
    owner = np.repeat(np.array([piece[2] for piece in pieces], np.int32), counts)
    kind = np.concatenate([piece[1] for piece in pieces] or [np.zeros(0, np.int8)])
    slack = np.repeat([piece[3] for piece in pieces], counts).astype(float)
    facets = np.concatenate([body.facets for body in bodies] or [np.zeros((0, 3, 3))])
    of_facet = [len(body.facets) for body in bodies]
    covers = np.repeat(np.arange(len(bodies), dtype=np.int32), of_facet)
    give = np.repeat([body.error for body in bodies], of_facet).astype(float)
    rows, spans = visible_stretches(segments, slack, owner, facets, covers, give, report)
    return _told_apart(segments, owner, kind, rows, spans, paths)


def _body(leaf: Leaf, pose: Pose, frame: NDArray[np.float64], simple_threads: bool) -> _Body:
    """A leaf's lines and facets in the picture's frame."""
    mesh, thread_lines = simplified(leaf.part.mesh) if simple_threads else (leaf.part.mesh, np.zeros((0, 2, 3)))
    known = rims(mesh)
    seen = apply(pose, known.vertices) @ frame.T
    corners = seen[known.triangles]
    toward = facet_normals(corners)[:, 2] > EDGE_ON
    front = np.where(known.sides >= 0, toward[known.sides], False)
    open_edge = known.sides[:, 1] < 0
    turns = (front[:, 0] != front[:, 1]) | open_edge
    shown = (known.kind != INNER) | turns
    kinds = np.full(len(known.ends), KINDS.index(ROUND), np.int8)
    kinds[turns] = KINDS.index(OUTLINE)
    kinds[known.kind == SHARP] = KINDS.index(EDGE)
    kinds[(known.kind == SMOOTH) & ~turns] = KINDS.index(ROUND)
    extra = thread_lines @ (frame @ pose[:3, :3]).T + frame @ pose[:3, 3]
    return _Body(
        segments=np.concatenate([seen[known.ends[shown]], extra]),
        kinds=np.concatenate([kinds[shown], np.full(len(extra), KINDS.index(ROUND), np.int8)]),
        facets=corners[toward | ~known.closed],
        error=mesh.error,
    )


def _told_apart(
    segments: NDArray[np.float64],
    owner: NDArray[np.int32],
    kind: NDArray[np.int8],
    rows: NDArray[np.int64],
    spans: NDArray[np.float64],
    paths: tuple[str, ...],
) -> Lines:
    """Seen and hidden stretches of segments, as segments of their own."""
    gone_rows, gone = _gaps(len(segments), rows, spans)
    all_rows = np.concatenate([rows, gone_rows])
    shares = np.concatenate([spans, gone])
    start, end = segments[all_rows, :1, :2], segments[all_rows, 1:, :2]
    points = start + (end - start) * shares[:, :, None]
    hidden = np.arange(len(all_rows)) >= len(rows)
    long = np.abs(np.diff(points, axis=1)[:, 0]).max(1) > 1e-9
    return Lines(points[long], owner[all_rows][long], kind[all_rows][long], hidden[long], paths)


def _gaps(
    count: int, rows: NDArray[np.int64], spans: NDArray[np.float64]
) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """What is left of each of ``count`` segments beside its stretches, which come in order."""
    order = np.lexsort([spans[:, 0], rows])
    rows, spans = rows[order], spans[order]
    every = np.arange(count)
    starts = np.concatenate([every, rows])
    befores = np.concatenate([np.zeros(count), spans[:, 1]])
    again = np.lexsort([befores, starts])
    starts, befores = starts[again], befores[again]
    ends = np.concatenate([rows, every])
    afters = np.concatenate([spans[:, 0], np.ones(count)])
    once = np.lexsort([afters, ends])
    kept = afters[once] - befores > 1e-9
    return starts[kept], np.stack([befores, afters[once]], axis=1)[kept]
