"""What is seen of components from one side, as line segments in mm: edges, outlines, where bodies cut each other."""

from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from pulley.core.assembly import Assembly
from pulley.core.drawing.cuts import Body, cuts
from pulley.core.drawing.hidden import Asked, Placed, cut_to, stretches
from pulley.core.drawing.turned import EDGE, END_ON, OUTLINE, ROUND, Turned, turned
from pulley.core.geometry.frames import Pose
from pulley.core.geometry.mesh import Mesh

CUT, TRAIL = "cut", "trail"  # kinds of lines, besides those of a part by itself


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


KINDS = (EDGE, OUTLINE, ROUND, CUT, TRAIL)


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
    meshes = [assembly.leaf(path).part.mesh for path in paths]
    turns = [frame @ poses[path][:3, :3] for path in paths]
    parts = turned(meshes, turns, simple_threads, lambda share: report(share / 2))
    at = [frame @ poses[path][:3, 3] for path in paths]
    held = [_held(mesh, poses[path]) for mesh, path in zip(meshes, paths, strict=True)]
    bodies = [Body(*each) for each in zip(parts, at, held, strict=True)]
    pieces = [*_own(parts, at), *_cut(bodies, frame), *_trails(trails, frame)]
    placed = [Placed(part.screen, there, part.error) for part, there in zip(parts, at, strict=True)]
    told = stretches([asked for asked, _ in pieces], placed, lambda share: report((1 + share) / 2))
    return _lines(_asked_about(pieces, told), _hidden_by_themselves(parts, at), paths)


Piece = tuple[Asked, NDArray[np.int8]]  # segments that are asked about together, and their kinds
Rows = tuple[NDArray[np.float64], NDArray[np.int32], NDArray[np.int8], NDArray[np.bool_]]  # as `Lines` has them


def _own(parts: Sequence[Turned], at: Sequence[NDArray[np.float64]]) -> Iterator[Piece]:
    """The lines of each part that it does not hide itself."""
    for k, (part, there) in enumerate(zip(parts, at, strict=True)):
        yield Asked(part.seen + there, k, part.error, done=True), part.seen_kinds


def _cut(bodies: Sequence[Body], frame: NDArray[np.float64]) -> Iterator[Piece]:
    """The lines in which bodies cut each other."""
    for cut in cuts(bodies, frame):
        yield Asked(cut.segments, cut.owner), np.full(len(cut.segments), KINDS.index(CUT), np.int8)


def _trails(trails: Collection[NDArray[np.float64]], frame: NDArray[np.float64]) -> Iterator[Piece]:
    for line in trails:
        segments = np.stack([line[:-1], line[1:]], axis=1) @ frame.T
        yield Asked(segments), np.full(len(segments), KINDS.index(TRAIL), np.int8)


def _asked_about(pieces: Sequence[Piece], told: NDArray[np.float64]) -> Rows:
    """The stretches (k, 4) that segments were told apart into, as lines."""
    rows, counts = told[:, 0].astype(np.int64), [len(kinds) for _, kinds in pieces]
    points = cut_to(np.concatenate([asked.segments for asked, _ in pieces]), told)[:, :, :2]
    owner = np.repeat(np.array([asked.own for asked, _ in pieces], np.int32), counts)
    return points, owner[rows], np.concatenate([kinds for _, kinds in pieces])[rows], told[:, 3] > 0


def _hidden_by_themselves(parts: Sequence[Turned], at: Sequence[NDArray[np.float64]]) -> Rows:
    """The lines of parts that these hide themselves."""
    points = np.concatenate([part.hidden + there[:2] for part, there in zip(parts, at, strict=True)])
    owner = np.repeat(np.arange(len(parts), dtype=np.int32), [len(part.hidden) for part in parts])
    return points, owner, np.concatenate([part.hidden_kinds for part in parts]), np.ones(len(points), bool)


def _held(mesh: Mesh, pose: Pose) -> NDArray[np.float64]:
    """The lowest and highest corner (6,) of what holds a mesh where it stands."""
    low, high = mesh.bounds
    middle, reach = pose[:3, :3] @ (low + high) / 2 + pose[:3, 3], np.abs(pose[:3, :3]) @ (high - low) / 2
    return np.concatenate([middle - reach, middle + reach])


def _lines(one: Rows, two: Rows, paths: tuple[str, ...]) -> Lines:
    """Lines together, without those that are seen end on."""
    points = np.concatenate([one[0], two[0]])
    owner, kind = np.concatenate([one[1], two[1]]), np.concatenate([one[2], two[2]])
    hidden = np.concatenate([one[3], two[3]])
    along = points[:, 1] - points[:, 0]
    long = along[:, 0] ** 2 + along[:, 1] ** 2 > END_ON**2
    if not long.all():
        points, owner, kind, hidden = points[long], owner[long], kind[long], hidden[long]
    return Lines(points, owner, kind, hidden, paths)
