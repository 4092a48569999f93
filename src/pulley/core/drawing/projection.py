"""What is seen of components from one side, as line segments in mm: edges, outlines, where bodies cut each other."""

from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from pulley.core.assembly import Assembly
from pulley.core.drawing.cuts import Body, cuts
from pulley.core.drawing.hidden import Asked, Placed, cut_to, stretches
from pulley.core.drawing.turned import EDGE, OUTLINE, ROUND, turned
from pulley.core.geometry.frames import Pose
from pulley.core.geometry.mesh import Mesh

POINT = 1e-9  # mm in the picture below which a line is a point
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
    at = [frame @ poses[path][:3, 3] for path in paths]
    parts = turned(meshes, turns, simple_threads, lambda share: report(share / 2))
    asked = [
        Asked(part.seen + there, k, part.error, done=True)
        for k, (part, there) in enumerate(zip(parts, at, strict=True))
    ]
    kinds = [part.seen_kinds for part in parts]
    bodies = [
        Body(part, there, _box(mesh, poses[path]))
        for part, there, mesh, path in zip(parts, at, meshes, paths, strict=True)
    ]
    for cut in cuts(bodies, frame):
        asked.append(Asked(cut.segments, cut.owner))
        kinds.append(np.full(len(cut.segments), KINDS.index(CUT), np.int8))
    for line in trails:
        asked.append(Asked(np.stack([line[:-1], line[1:]], axis=1) @ frame.T))
        kinds.append(np.full(len(line) - 1, KINDS.index(TRAIL), np.int8))
    told = stretches(
        asked,
        [Placed(part.screen, there, part.error) for part, there in zip(parts, at, strict=True)],
        lambda share: report((1 + share) / 2),
    )
    rows = told[:, 0].astype(np.int64)
    counts = [len(each.segments) for each in asked]
    behind = [part.hidden + there[:2] for part, there in zip(parts, at, strict=True)]
    return _lines(
        np.concatenate([cut_to(np.concatenate([each.segments for each in asked]), told)[:, :, :2], *behind]),
        np.concatenate(
            [np.repeat([each.own for each in asked], counts)[rows], *(np.full(len(b), k) for k, b in enumerate(behind))]
        ),
        np.concatenate([np.concatenate(kinds)[rows], *(part.hidden_kinds for part in parts)]),
        np.concatenate([told[:, 3] > 0, np.ones(sum(map(len, behind)), bool)]),
        paths,
    )


def _box(mesh: Mesh, pose: Pose) -> NDArray[np.float64]:
    """The lowest and highest corner (6,) of what holds a mesh where it stands."""
    low, high = mesh.bounds
    middle, reach = pose[:3, :3] @ (low + high) / 2 + pose[:3, 3], np.abs(pose[:3, :3]) @ (high - low) / 2
    return np.concatenate([middle - reach, middle + reach])


def _lines(
    points: NDArray[np.float64],
    owner: NDArray[np.integer],
    kind: NDArray[np.int8],
    hidden: NDArray[np.bool_],
    paths: tuple[str, ...],
) -> Lines:
    """Lines (n, 2, 2), without those that are seen end on."""
    along = points[:, 1] - points[:, 0]
    long = along[:, 0] ** 2 + along[:, 1] ** 2 > POINT**2
    if not long.all():
        points, owner, kind, hidden = points[long], owner[long], kind[long], hidden[long]
    return Lines(points, owner.astype(np.int32), kind, hidden, paths)
