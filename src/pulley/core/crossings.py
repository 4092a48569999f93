"""Trail lines that pass through parts that are not their own, and the doglegs that clear them."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numba import njit
from numpy.typing import NDArray

from pulley.core.assembly import Assembly
from pulley.core.geometry.bounds import reaching
from pulley.core.geometry.frames import Pose, Vector, Vector3, apply, unit, view_frame
from pulley.core.score.compose import Score, Trail, displacement_at
from pulley.core.score.stages import poses_at
from pulley.core.teardown import Jog, Teardown
from pulley.core.trails import jogged

CLEAR = 0.3  # mm at either end of a line that may touch what it starts from or ends on
REACHES = (0.04, 0.08, 0.12, 0.18, 0.25, 0.35)  # of the assembly's diagonal: how far aside a dogleg is tried
SAME = np.cos(np.radians(1.0))  # axes nearer to each other than this are one
AROUND = 8  # directions in which one is tried
ROOM = 0.04  # share of a leg that a dogleg begins before, and ends after, what it passes


@dataclass(frozen=True)
class Crossing:
    """Leg number ``leg`` of a component's trail passes through another component, first at ``point`` in mm;
    from ``start`` to ``end`` as shares of the leg."""

    component: str
    blocker: str
    leg: int
    point: Vector3
    start: float
    end: float


def crossings(assembly: Assembly, teardown: Teardown, score: Score) -> list[Crossing]:
    """Where trail lines pass through foreign components once everything is exploded, so that they would be misread.

    The line is the trail with its doglegs; components that are hidden are not in the way. Nobody misreads a line that
    only comes out of what its component sat in, or ends there; that leads along a component which has moved with its
    own; or that runs on the common axis of two components of which one slides on the other.

    Returns
    -------
    list of Crossing
        The component whose trail it is, the one that is in its way, and the point (3,) in mm where the line goes in.
    """
    bodies = bodies_of(assembly, teardown, score)
    return [found for trail in score.trails for found in _of_trail(trail, bodies)]


@dataclass(frozen=True, eq=False)
class Bodies:
    """What is shown once everything is exploded: paths, poses (4, 4), displacements (4, 4) from home, corners (m, 3, 3)
    of each one's triangles, bounds (n, 2, 3)."""

    assembly: Assembly
    paths: list[str]
    poses: list[Pose]
    moved: list[Pose]
    corners: list[NDArray[np.float64]]
    bounds: NDArray[np.float64]

    def near(self, low: Vector, high: Vector) -> list[int]:
        """Places of those whose bounds reach into a box."""
        return reaching(self.bounds, low, high).tolist()


def bodies_of(assembly: Assembly, teardown: Teardown, score: Score) -> Bodies:
    """What a teardown shows once everything is exploded."""
    shown = [leaf.path for leaf in assembly.leaves if leaf.path not in set(teardown.hidden)]
    moved = {path: displacement_at(score.tracks[path], np.inf) for path in shown if path in score.tracks}
    corners, poses = [], poses_at(assembly, moved, shown)
    for path, pose in poses.items():
        mesh = assembly.leaf(path).part.mesh
        corners.append(apply(pose, mesh.vertices)[mesh.triangles])
    bounds = [(found.min((0, 1)), found.max((0, 1))) for found in corners]
    away = [moved.get(path, np.eye(4)) for path in poses]
    return Bodies(assembly, list(poses), list(poses.values()), away, corners, np.array(bounds).reshape(-1, 2, 3))


def line_of(trail: Trail) -> list[Vector]:
    """The points (3,) of a trail once everything is exploded, without its doglegs."""
    return [np.array(trail.origin), *(np.array(point) for _, point in trail.points)]


def _of_trail(trail: Trail, bodies: Bodies) -> list[Crossing]:
    points, found = line_of(trail), []
    for leg, (a, b) in enumerate(pairwise(points)):
        if leg in trail.off or np.linalg.norm(b - a) < 4 * CLEAR:
            continue
        jogs = [jog for jog in trail.jogs if jog.leg == leg]
        found += crossings_on(trail.component, leg, a, b, jogs, bodies)
    return found


def crossings_on(path: str, leg: int, a: Vector, b: Vector, jogs: Sequence[Jog], bodies: Bodies) -> list[Crossing]:
    """Where a leg, with its doglegs, passes through bodies that are not its component's."""
    pieces = [(p, q) for p, q in pairwise(jogged(a, b, jogs)) if np.linalg.norm(q - p) > 2 * CLEAR]
    if not pieces:
        return []
    pieces[0] = pieces[0][0] + unit(pieces[0][1] - pieces[0][0]) * CLEAR, pieces[0][1]
    pieces[-1] = pieces[-1][0], pieces[-1][1] - unit(pieces[-1][1] - pieces[-1][0]) * CLEAR
    low, high = np.min(pieces, axis=(0, 1)), np.max(pieces, axis=(0, 1))
    way, found = b - a, []
    for k in bodies.near(low, high):
        if bodies.paths[k] == path:
            continue
        hits = [p + t * (q - p) for p, q in pieces for t in _pierced(p, q, bodies.corners[k])]
        # where it meets an edge it meets two triangles at one place
        shares = sorted({round(float((hit - a) @ way / (way @ way)), 7) for hit in hits})
        if not shares or len(shares) % 2 or _understood(bodies, path, k, a, b):
            continue  # an odd number of times: it is the way out of it, or into it
        first_hit = min(hits, key=lambda hit: float((hit - a) @ way))
        found.append(Crossing(path, bodies.paths[k], leg, tuple(first_hit.tolist()), shares[0], shares[-1]))
    return found


def _understood(bodies: Bodies, path: str, other: int, a: Vector, b: Vector) -> bool:
    """Whether another component, by place, has moved with that of a leg from ``a`` to ``b``, or one slides on the
    other along it."""
    own = bodies.paths.index(path) if path in bodies.paths else other
    if np.abs(bodies.moved[own] - bodies.moved[other]).max() < CLEAR:
        return True
    return all(_round_about(bodies, place, a, unit(b - a)) for place in (own, other))


def _round_about(bodies: Bodies, place: int, point: Vector, along: Vector) -> bool:
    """Whether a component has a round face about the line through a point (3,) along a unit vector."""
    pose = bodies.poses[place]
    for cylinder in bodies.assembly.leaf(bodies.paths[place]).part.mesh.cylinders:
        axis = pose[:3, :3] @ unit(np.array(cylinder.direction))
        arm = apply(pose, np.array(cylinder.origin)) - point
        if abs(float(axis @ along)) > SAME and np.linalg.norm(arm - (arm @ along) * along) < CLEAR:
            return True
    return False


@njit(cache=True, nogil=True, inline="always")
def _less(a, b):  # noqa: ANN001, ANN202
    return a[0] - b[0], a[1] - b[1], a[2] - b[2]


@njit(cache=True, nogil=True, inline="always")
def _cross(a, b):  # noqa: ANN001, ANN202
    return a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]


@njit(cache=True, nogil=True, inline="always")
def _dot(a, b):  # noqa: ANN001, ANN202
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


@njit(cache=True, nogil=True)
def _pierced(p, q, corners):  # noqa: ANN001, ANN202
    """Shares of the way from ``p`` to ``q`` (3,) at which it passes through triangles (n, 3, 3).

    T. Moeller and B. Trumbore 1997, "Fast, minimum storage ray/triangle intersection" (from memory). In triples of
    numbers: an array for each product would take longer than all the rest.
    """
    found = []
    d = _less(q, p)
    for i in range(len(corners)):
        e, f = _less(corners[i, 1], corners[i, 0]), _less(corners[i, 2], corners[i, 0])
        h = _cross(d, f)
        det = _dot(e, h)
        if abs(det) < 1e-12:
            continue
        s = _less(p, corners[i, 0])
        u = _dot(s, h) / det
        if u < 0.0 or u > 1.0:
            continue
        g = _cross(s, e)
        v = _dot(d, g) / det
        if v < 0.0 or u + v > 1.0:
            continue
        t = _dot(f, g) / det
        if 0.0 < t < 1.0:
            found.append(t)
    return found


def clearing_jogs(
    assembly: Assembly, teardown: Teardown, score: Score, components: Iterable[str] | None = None
) -> dict[str, Jog]:
    """Doglegs, as near to the lines as some are found, with which trails pass through nothing, by component.

    Looked for are those of all components, or of ``components``. Left out is a trail that is clear, and one
    that none of the doglegs that are tried clears.

    Parameters
    ----------
    assembly : Assembly
    teardown : Teardown
    score : Score
    components : iterable of str, optional

    Returns
    -------
    dict of path to Jog
    """
    bodies = bodies_of(assembly, teardown, score)
    trails: dict[str, list[Trail]] = {}
    for trail in score.trails:
        trails.setdefault(trail.component, []).append(trail)
    wanted = trails.keys() if components is None else trails.keys() & set(components)
    jogs = {path: _clearing_jog(trails[path], bodies, assembly.diagonal) for path in trails if path in wanted}
    return {path: jog for path, jog in jogs.items() if jog}


def _clearing_jog(trails: Sequence[Trail], bodies: Bodies, size: float) -> Jog | None:
    """A dogleg for the first leg on which a component's trails, one from each anchor, pass through something."""
    crossed = [found for trail in trails for found in _of_trail(trail, bodies)]
    if not crossed:
        return None
    leg = crossed[0].leg
    spans = [(c.start, c.end) for c in crossed if c.leg == leg]
    start = max(min(s for s, _ in spans) - ROOM, 0.01)
    end = min(max(e for _, e in spans) + ROOM, 0.99)
    ends = [line_of(trail)[leg : leg + 2] for trail in trails]
    for offset in _offsets(ends[0][1] - ends[0][0], size):
        jog = Jog(leg, round(start, 4), round(end, 4), offset)
        if not any(crossings_on(trails[0].component, leg, a, b, [jog], bodies) for a, b in ends):
            return jog
    return None


def _offsets(way: Vector, size: float) -> Iterable[Vector3]:
    """Displacements aside of a way, the nearest first, along the assembly's axes before others."""
    frame = view_frame(way)
    angles = np.arange(AROUND) * 2 * np.pi / AROUND
    aside = [np.cos(t) * frame[0] + np.sin(t) * frame[1] for t in (*angles[::2], *angles[1::2])]
    for reach in REACHES:
        for direction in aside:
            yield tuple((np.round(direction * reach * size, 3) + 0.0).tolist())
