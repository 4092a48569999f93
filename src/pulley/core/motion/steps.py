"""What a step does to each leaf: its travel, and the rigid displacements from home before and after."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from pulley.core.assembly import Assembly
from pulley.core.errors import PulleyError
from pulley.core.geometry.curves import catmull_rom
from pulley.core.geometry.features import main_axis
from pulley.core.geometry.frames import Pose, Vector, apply, translation, unit
from pulley.core.motion.travel import Slide, Travel, turn
from pulley.core.teardown import Step, Teardown

Displaced = Mapping[str, Pose]  # rigid displacements (4, 4) from home, by path; leaves at home are left out
ON_AXIS = 0.05  # mm; as near as a mesh is true, a member has no direction away from an axis
SKEW = 1.0  # degrees between a member's own axis and its travel, above which it is worth a word


@dataclass(frozen=True, eq=False)
class Stage:
    """A step as it plays: how far from home it finds the leaves, and the travel of each that it moves."""

    step: Step
    before: Displaced
    travels: dict[str, Travel]

    def displaced(self, share: float) -> dict[str, Pose]:
        """How far (4, 4) from home each leaf is at a share of the step."""
        state = dict(self.before)
        for path, travel in self.travels.items():
            state[path] = travel.at(share) @ state[path] if path in state else travel.at(share)
        return state


def travels(assembly: Assembly, step: Step, before: Displaced | None = None) -> dict[str, Travel]:
    """The travel of each leaf that a step moves, by path.

    A member that is a subassembly carries all its leaves. ``before`` says how far from home the step
    finds the leaves, home itself by default; radial directions are taken there.

    Raises PulleyError when a member is not in the assembly or moved twice (it is named twice, or with a
    subassembly that holds it), or has no direction because it lies on the axis that it should leave.

    >>> step = Step("s1", ("block/screw",), (0, 0, 2), 60)
    >>> travels(assembly, step)["block/screw"].at(1.0)[:3, 3]  # doctest: +SKIP
    array([ 0.,  0., 60.])
    """
    ways: dict[str, Travel] = {}
    if step.off:
        return {}
    alike = step.kind != "radial" and not step.spacing
    way = None
    for k, member in zip(step.ranks, step.members, strict=True):
        leaves = assembly.leaves_of([member])
        way = way if alike and way else _travel(assembly, step, member, k, before or {})
        for leaf in leaves:
            if leaf in ways:
                raise PulleyError(
                    f"Step {step.id}: members: “{member}” is moved twice, by itself and as a part of what holds it. "
                    "Take one of the two out."
                )
            ways[leaf] = way
    return ways


def _travel(assembly: Assembly, step: Step, member: str, k: int, before: Displaced) -> Travel:
    """The travel of a member that is number ``k`` in the fan."""
    if step.kind == "turn":
        return turn(step.axis.origin, step.axis.direction, step.angle, step.advance)
    if step.kind == "radial":
        return Slide.along((radial_direction(assembly, step, member, before) * step.distance)[None])
    if step.kind == "path":
        return Slide.along(_waypoints(step, k * step.spacing))
    return Slide.along((unit(np.array(step.direction, float)) * (step.distance + k * step.spacing))[None])


def _waypoints(step: Step, farther: float) -> NDArray[np.float64]:
    """The displacements (n, 3) that a path passes through, its end ``farther`` mm on along the last leg."""
    points = np.array(step.waypoints, float)
    if step.smooth:
        points = catmull_rom(np.vstack([np.zeros(3), points]))[1:]
    last = points[-1] - (points[-2] if len(points) > 1 else np.zeros(3))
    return np.vstack([points[:-1], points[-1] + unit(last) * farther])


def radial_direction(assembly: Assembly, step: Step, member: str, before: Displaced | None = None) -> Vector:
    """The unit direction (3,) in which a step of kind ``radial`` sends a member.

    From the axis, or the point, to the member's anchor (`middle`, carried to where the step finds it),
    less the part along the axis. A member that follows another has the other's direction.

    Raises PulleyError when the anchor lies on the axis or the point.
    """
    leader = dict(step.follow).get(member, member)
    first = assembly.leaves_of([leader])[0]
    anchor = apply((before or {}).get(first, np.eye(4)), middle(assembly, leader))
    arm = anchor - np.array(step.axis.origin if step.axis else step.point, float)
    if step.axis:
        along = unit(np.array(step.axis.direction, float))
        arm -= (arm @ along) * along
    if np.linalg.norm(arm) < ON_AXIS:
        raise PulleyError(
            f"Step {step.id}: members: “{leader}” lies on the {'axis' if step.axis else 'point'} that it should leave, "
            "so it has no radial direction. Take it out of the step, or let it follow another member."
        )
    return unit(arm)


@lru_cache(maxsize=4096)
def middle(assembly: Assembly, member: str) -> Vector:
    """The middle (3,) of a component at home: of its bounds along its own axes, so that it does not
    depend on how the component is turned in the assembly."""
    own = assembly.by_path[member].pose
    leaves = [assembly.by_path[path] for path in assembly.leaves_of([member])]
    points = np.concatenate([apply(np.linalg.inv(own) @ leaf.pose, leaf.part.mesh.vertices) for leaf in leaves])
    return apply(own, (points.min(0) + points.max(0)) / 2)


def skew_members(assembly: Assembly, stage: Stage) -> list[tuple[str, float]]:
    """Members that move radially, whose own main axis is off their direction, with the angle in degrees.

    A member that is a single round part should travel along its own axis; more than 1 degree off is
    worth a warning. An axis that runs square across the travel (within 1 degree) is not meant to lie along it.
    """
    found = []
    for member in stage.step.members if stage.step.kind == "radial" else ():
        leaf = assembly.by_path[member]
        axis = main_axis(leaf.part.mesh.cylinders) if leaf.part else None
        if axis is None or member not in stage.travels:
            continue
        turned = (stage.before.get(member, np.eye(4)) @ leaf.pose)[:3, :3]
        cosine = abs(turned @ np.array(axis.direction) @ unit(stage.travels[member].points[-1]))
        angle = float(np.degrees(np.arccos(min(cosine, 1.0))))
        if SKEW < angle < 90 - SKEW:
            found.append((member, angle))
    return found


def nearest_first(assembly: Assembly, stage: Stage) -> tuple[str, ...]:
    """A step's members in the order in which their rears lie along its last leg, as the step finds them.

    In this order the layers of a stack fan out without meeting one another.
    """
    along = {}
    for member in stage.step.members:
        way = _travel(assembly, stage.step, member, 0, stage.before)
        direction = unit(way.points[-1] - way.points[-2])
        leaves = [assembly.by_path[path] for path in assembly.leaves_of([member])]
        poses = poses_at(assembly, stage.before, [leaf.path for leaf in leaves])
        along[member] = min((apply(poses[leaf.path], leaf.part.mesh.vertices) @ direction).min() for leaf in leaves)
    return tuple(sorted(stage.step.members, key=lambda member: along[member]))


def stages(assembly: Assembly, teardown: Teardown) -> list[Stage]:
    """Every step of a teardown as it plays, one after the other; raises as `travels` does.

    Components that the teardown keeps at home are moved by none.
    """
    kept = set(assembly.leaves_of(teardown.home)) if teardown.home else set()
    found: list[Stage] = []
    for step in teardown.steps:
        before = found[-1].displaced(1.0) if found else placements(assembly, teardown)
        ways = travels(assembly, step, before)
        found.append(Stage(step, before, {path: way for path, way in ways.items() if path not in kept}))
    return found


def stage_of(assembly: Assembly, teardown: Teardown, id: str) -> Stage:
    """The step with this id as it plays; PulleyError when there is none."""
    found = next((stage for stage in stages(assembly, teardown) if stage.step.id == id), None)
    if found is None:
        raise PulleyError("That step is no longer in the teardown. Nothing was changed.")
    return found


def placements(assembly: Assembly, teardown: Teardown) -> dict[str, Pose]:
    """How far (4, 4) from home the teardown finds the leaves that it places elsewhere, by path."""
    found: dict[str, Pose] = {}
    for placed in teardown.placed:
        moved = translation(np.array(placed.offset))
        moved[:3, :3] = Rotation.from_quat(placed.turn).as_matrix()
        for leaf in assembly.leaves_of([placed.component]):
            found[leaf] = moved @ found.get(leaf, np.eye(4))
    return found


def displacements(assembly: Assembly, teardown: Teardown) -> list[dict[str, Pose]]:
    """How far (4, 4) from home each leaf is before the first step, and after every step.

    Leaves that have not moved are left out, so that home is home exactly.
    """
    played = stages(assembly, teardown)
    end = played[-1].displaced(1.0) if played else placements(assembly, teardown)
    return [dict(stage.before) for stage in played] + [end]


def poses_at(assembly: Assembly, displaced: Displaced, paths: Iterable[str] | None = None) -> dict[str, Pose]:
    """The pose (4, 4) of every leaf, or of those named, given how far from home those are that have moved."""
    leaves = assembly.leaves if paths is None else [assembly.by_path[path] for path in paths]
    return {leaf.path: displaced[leaf.path] @ leaf.pose if leaf.path in displaced else leaf.pose for leaf in leaves}
