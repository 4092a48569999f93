"""Motions about an axis: which axis a selection lies round, how far it is free outward and in a turn."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pulley.core.contact.scene import Scene
from pulley.core.geometry.bounds import reaching
from pulley.core.geometry.frames import Pose, Vector, Vector3, apply, unit
from pulley.core.geometry.symmetry import Line, direction_between, principal_axes, symmetry_axis
from pulley.core.motion import Axis
from pulley.core.motion.radial import ON_AXIS, middle
from pulley.core.motion.travel import Screw
from pulley.core.planning.directions import plain_direction
from pulley.core.planning.ways_out import GAP_SHARE, leaving_distance
from pulley.core.quantities import round_down

ROUND = 0.02  # share of the radius, or 0.2 mm, by which places may stand off the circle through them
FLAT = 0.2  # mm
COAXIAL = 0.2  # mm between two axes that are one


@dataclass(frozen=True)
class Outward:
    """Members going away from an axis: each one's unit direction (None on the axis), how far all are free
    in mm (None: never stopped), what stops them, and a round distance after which they stand clear."""

    axis: Axis
    directions: dict[str, Vector3 | None]
    free: float | None
    blocker: str | None
    suggested: float


def common_axis(scene: Scene, members: Sequence[str]) -> Axis | None:
    """The axis of the circle on which members lie; None where they lie on none.

    The plane and the circle are fitted by least squares. Two members have an axis half-way between
    them, square to the line from one to the other.

    Returns
    -------
    Axis or None
        Through the middle of the circle, in mm, square to its plane.
    """
    points = np.array([_middle(scene, member) for member in members])
    centre = points.mean(0)
    if len(members) == 2 and np.linalg.norm(points[1] - points[0]) > FLAT:
        return Axis(_triple(np.round(centre, 6)), _triple(plain_direction(_square_to(points[1] - points[0]))))
    if len(members) < 3:
        return None
    _, _, rows = np.linalg.svd(points - centre)
    normal = plain_direction(rows[2])
    if np.abs((points - centre) @ normal).max() > FLAT:
        return None
    flat = (points - centre) @ rows[:2].T
    solved = np.linalg.lstsq(np.column_stack([2 * flat, np.ones(len(flat))]), (flat**2).sum(1), rcond=None)[0]
    middle = centre + solved[:2] @ rows[:2]
    radii = np.linalg.norm(points - middle, axis=1)
    if np.ptp(radii) > max(FLAT, ROUND * radii.mean()) or radii.mean() > 20 * scene.assembly.diagonal:
        return None
    normal = normal * (-1.0 if normal[np.argmax(np.abs(normal))] < 0 else 1.0)
    return Axis(_triple(np.round(middle, 6)), _triple(normal))


def odd_one(scene: Scene, members: Sequence[str]) -> str | None:
    """The one member without which the others, three or more, lie on a circle; None when it is no single one."""
    if len(members) < 4:
        return None
    return next((m for m in members if common_axis(scene, [other for other in members if other != m])), None)


def _square_to(vector: Vector) -> Vector:
    """A unit vector (3,) square to another: the one nearest to up, or to the back for a line that runs upward."""
    along = unit(vector)
    helper = np.array([0.0, 0.0, 1.0]) if abs(along[2]) < 0.9 else np.array([0.0, 1.0, 0.0])
    return unit(helper - (helper @ along) * along)


def outward(scene: Scene, members: Sequence[str], axis: Axis, pitch: float) -> Outward:
    """How members leave an axis, each in its own direction, every other member out of its way.

    Parameters
    ----------
    scene : Scene
    members : sequence of str
        Paths of components.
    axis : Axis
    pitch : float
        In mm; the suggested distance is a multiple of it.
    """
    directions = {member: _away(scene, member, axis) for member in members}
    everyone = set(scene.assembly.leaves_of(members))
    free, blocker, suggested = np.inf, None, pitch
    for member, direction in directions.items():
        own = list(scene.assembly.below[member])
        if direction is None:
            continue
        alone = Scene(
            scene.assembly,
            {path: pose for path, pose in scene.poses.items() if path not in everyone or path in own},
            scene.terms,
        )
        suggested = max(suggested, leaving_distance(alone, own, np.array(direction), pitch))
        meeting = alone.first_meeting(own, np.array(direction))
        if meeting is not None and meeting.travel < free:
            free, blocker = meeting.travel, meeting.blocker
    if not any(directions.values()):
        suggested = 0.0  # all lie on the axis: there is no outward
    if blocker is None:
        return Outward(axis, directions, None, None, suggested)
    short = max(free - GAP_SHARE * scene.assembly.diagonal, free / 2)  # not up against what it would meet
    return Outward(axis, directions, float(free), blocker, min(suggested, round_down(short, pitch)))


def _away(scene: Scene, member: str, axis: Axis) -> Vector3 | None:
    along = unit(np.array(axis.direction))
    arm = _middle(scene, member) - np.array(axis.origin)
    arm -= (arm @ along) * along
    return _triple(plain_direction(arm)) if np.linalg.norm(arm) > ON_AXIS else None


def _middle(scene: Scene, member: str) -> Vector:
    """A member's anchor (3,), carried to where the scene has its first leaf."""
    first = scene.assembly.by_path[scene.assembly.below[member][0]]
    return apply(scene.poses[first.path] @ np.linalg.inv(first.pose), middle(scene.assembly, member))


def own_axis(scene: Scene, members: Sequence[str]) -> Axis | None:
    """The axis that a single member turns about by nature: of its greatest round face, or of symmetry."""
    leaves = scene.assembly.leaves_of(members)
    volumes = [abs(scene.assembly.leaf(leaf).part.mesh.volume or 0.0) for leaf in leaves]
    mesh, pose = scene.body(leaves[int(np.argmax(volumes))])
    line = symmetry_axis(mesh)
    if line is None:
        return None
    return _axis(pose, line)


def _axis(pose: Pose, line: Line) -> Axis:
    return Axis(_triple(apply(pose, line.origin)), _triple(plain_direction(pose[:3, :3] @ line.direction)))


def turning_axes(scene: Scene, leaf: str) -> list[Axis]:
    """The axes that a leaf may be turned about: its own, else those of its round faces, the thickest first, and those
    through its centre of mass about which it spins without a wobble; each once."""
    own = own_axis(scene, [leaf])
    if own:
        return [own]
    mesh, pose = scene.body(leaf)
    rounds = sorted(mesh.cylinders, key=lambda cylinder: -cylinder.radius)
    lines = [Line(np.array(cylinder.origin), np.array(cylinder.direction)) for cylinder in rounds]
    found: list[Line] = []
    for line in (*lines, *principal_axes(mesh)):
        if all(direction_between(line, other, COAXIAL) is None for other in found):
            found.append(line)
    return [_axis(pose, line) for line in found]


def free_turn(scene: Scene, members: Sequence[str], turn: Screw) -> tuple[float | None, str | None]:
    """How far in degrees a selection is free to turn, and what stops it; (None, None) when nothing does.

    Returns
    -------
    angle : float or None
        In degrees; None when nothing stops it.
    blocker : str or None
        The leaf that stops it.
    """
    moving = set(scene.assembly.leaves_of(members))
    best, blocker = np.inf, None
    for leaf in moving:
        swept = scene.swept(scene.places([leaf])[0], turn)
        for place in reaching(scene.boxes, swept[0], swept[1]):
            other = scene.paths[place]
            if other in moving:
                continue
            contact = scene.contact_turning(leaf, other, turn)
            if contact.point is not None and contact.travel < best:
                best, blocker = contact.travel, other
    return (None, None) if blocker is None else (float(best), blocker)


def _triple(vector: Vector) -> Vector3:
    return tuple((np.asarray(vector, float) + 0.0).tolist())
