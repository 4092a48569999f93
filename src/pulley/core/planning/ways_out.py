"""Ways out: how far a selection is free in each direction worth trying, what stops it, and a sensible step."""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np

from pulley.core.contact.kernels import farthest_reach
from pulley.core.contact.scene import Meeting, Scene
from pulley.core.geometry.features import main_axis
from pulley.core.geometry.frames import Vector, VectorLike, unit
from pulley.core.planning.directions import SAME, candidates, name_of
from pulley.core.quantities import PITCH, round_down

GAP_SHARE = 0.06  # of the assembly's diagonal, left between what came off and what stays


NEAR = 1.0  # mm across the travel; what is no farther from the selection lies about it
ASIDE, DOWNWARD = 1.0, 2.0  # gaps by which a way may be longer and still be taken rather than one aside, or downward
PLAY = 0.03  # of the way that clears it: less is no way out
UPRIGHT = 0.7  # cosine; nearer to up than this is up
UP = (0.0, 0.0, 1.0)


@dataclass(frozen=True)
class WayOut:
    """One direction: its axis name and word, the unit vector, the free travel in mm (None: never
    stopped), the leaf that stops it and where, the distance in mm that a step would take, and the one after
    which the selection stands clear of what it lies among."""

    axis: str
    word: str
    direction: tuple[float, float, float]
    free: float | None
    blocker: str | None
    point: tuple[float, float, float] | None
    suggested: float
    leave: float = 0.0

    @property
    def clears(self) -> bool:
        """Whether a step this way takes the selection clear of what it lies among, stopped later or never."""
        return self.free is None or self.free >= self.leave > 0

    @property
    def opens(self) -> bool:
        """Whether it is free for more than the play that things have anyway."""
        return self.free is None or (self.suggested > 0 and self.free >= PLAY * self.leave)

    def goes(self, distance: float) -> bool:
        """Whether it is free for a distance in mm."""
        return self.free is None or self.free >= distance - 1e-9


def ways_out(scene: Scene, movers: Iterable[str], pitch: float = PITCH, up: VectorLike = UP) -> list[WayOut]:
    """The `candidates` for a selection of leaves, in any pose, in the order in which a fitter would try them.

    First the ways that clear it: along the axis that all of the selection shares, as a pin or a screw leaves along
    its own; then to the open side, where the shortest step stands free, up rather than aside and aside rather than
    down unless it is longer by a gap or two (common practice, no source). Then the ways that are free for a while,
    the longest first; then those that are blocked.

    Parameters
    ----------
    scene : Scene
    movers : iterable of str
        Paths of leaves.
    pitch : float
        In mm; suggested distances are multiples of it.
    up : (3,)
        What is up in the assembly.
    """
    chosen = list(movers)
    ways = [way_out(scene, chosen, direction, pitch) for direction in candidates(scene, chosen)]
    axis, upward, gap = shared_axis(scene, chosen), unit(np.array(up, float)), GAP_SHARE * scene.assembly.diagonal

    def worth(way: WayOut) -> tuple[int, bool, float]:
        aside = axis is None or abs(float(axis @ way.direction)) < SAME
        if way.clears:
            rise = float(upward @ way.direction)
            effort = 0.0 if rise > UPRIGHT else DOWNWARD if rise < -UPRIGHT else ASIDE
            return 0, aside, way.leave + effort * gap
        return (1 if way.opens else 2), False, -(way.free or 0.0)

    return sorted(ways, key=worth)


def best_for(ways: Sequence[WayOut], distance: float) -> WayOut:
    """The first of the ways, best first, that is free for a distance in mm; else the one that is free the farthest."""
    free = next((way for way in ways if way.goes(distance)), None)
    return free or max(ways, key=lambda way: way.free or 0.0)


def shared_axis(scene: Scene, movers: Iterable[str]) -> Vector | None:
    """The direction (3,) of the main round face that every one of the movers has; None where they differ."""
    found: Vector | None = None
    for path in movers:
        face = main_axis(scene.assembly.leaf(path).part.mesh.cylinders)
        if face is None:
            return None
        along = scene.poses[path][:3, :3] @ unit(np.array(face.direction))
        if found is not None and abs(float(along @ found)) < SAME:
            return None
        found = along
    return found


def way_out(scene: Scene, movers: list[str], direction: Vector, pitch: float = PITCH) -> WayOut:
    """One unit direction (3,) for a selection of leaves."""
    meeting = scene.first_meeting(movers, direction)
    leave = leaving_distance(scene, movers, direction, pitch)
    return _way(*name_of(direction), tuple(direction.tolist()), meeting, leave, pitch)


def _way(
    axis: str, word: str, direction: tuple[float, float, float], meeting: Meeting | None, leave: float, pitch: float
) -> WayOut:
    if meeting is None:
        return WayOut(axis, word, direction, None, None, None, leave, leave)
    suggested = min(leave, round_down(meeting.travel, pitch))
    return WayOut(axis, word, direction, meeting.travel, meeting.blocker, meeting.point, suggested, leave)


def leaving_distance(scene: Scene, movers: list[str], direction: Vector, pitch: float = PITCH) -> float:
    """A round travel in mm after which every leaf of the selection stands clear, by a gap, of what it lies among.

    What counts for a leaf are those leaves that stay, that its bounds overlap or touch across the travel and that
    reach ahead of its rear.

    Parameters
    ----------
    scene : Scene
    movers : list of str
        Paths of leaves.
    direction : (3,) float64
        A unit vector.
    pitch : float
        In mm.
    """
    boxes = scene.boxes_along(direction)
    chosen = np.isin(np.array(scene.paths, object), np.array(movers, object))
    rest, gap = boxes[~chosen], GAP_SHARE * scene.assembly.diagonal
    reach = farthest_reach(np.ascontiguousarray(boxes[chosen]), np.ascontiguousarray(rest), gap, NEAR)
    return max(pitch, math.ceil((reach + gap) / pitch - 1e-9) * pitch)
