"""What a step does to each leaf: its travel, and the rigid displacements from home before and after."""

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from scipy.spatial.transform import Rotation

from pulley.core.assembly import Assembly, Leaf
from pulley.core.errors import PulleyError
from pulley.core.geometry.features import main_axis
from pulley.core.geometry.frames import Pose, apply, translation, unit
from pulley.core.motion import Radial
from pulley.core.motion.base import Displaced
from pulley.core.motion.travel import Slide, Travel
from pulley.core.teardown import Step, Teardown

SKEW = 1.0  # degrees between a member's own axis and its travel, above which it is worth a word


@dataclass(frozen=True, eq=False)
class Stage:
    """A step as it plays: how far from home it finds the leaves, and the travel of each that it moves."""

    step: Step
    before: Displaced
    travels: dict[str, Travel]

    def displaced(self, share: float) -> dict[str, Pose]:
        """How far (4, 4) from home each leaf is at a share of the step; not to be altered."""
        state = dict(self.before)
        for path, travel in self.travels.items():
            moved = travel.end if share == 1.0 else travel.at(share)
            state[path] = moved @ state[path] if path in state else moved
        return state


def travels(assembly: Assembly, step: Step, before: Displaced | None = None) -> dict[str, Travel]:
    """The travel of each leaf that a step moves, by path.

    A member that is a subassembly carries all its leaves. ``before`` says how far from home the step
    finds the leaves, home itself by default; radial directions are taken there.

    Raises PulleyError when a member is not in the assembly or moved twice (it is named twice, or with a
    subassembly that holds it), or has no direction because it lies on the axis that it should leave.

    >>> from pulley.core.motion import Axial
    >>> step = Step("s1", ("block/screw",), Axial((0, 0, 2), 60))
    >>> travels(assembly, step)["block/screw"].at(1.0)[:3, 3]  # doctest: +SKIP
    array([ 0.,  0., 60.])
    """
    ways: dict[str, Travel] = {}
    if step.off:
        return {}
    alike = step.motion.alike and not step.spacing
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
    try:
        return step.motion.travel(assembly, member, k * step.spacing, before)
    except PulleyError as error:
        raise PulleyError(f"Step {step.id}: {error}") from error


def skew_members(assembly: Assembly, stage: Stage) -> list[tuple[str, float]]:
    """Members that move radially, whose own main axis is off their direction, with the angle in degrees.

    A member that is a single round part should travel along its own axis; more than 1 degree off is
    worth a warning. An axis that runs square across the travel (within 1 degree) is not meant to lie along it.

    Returns
    -------
    list of (path, angle in degrees)
    """
    found = []
    for member in stage.step.members if isinstance(stage.step.motion, Radial) else ():
        leaf = assembly.by_path[member]
        axis = main_axis(leaf.part.mesh.cylinders) if isinstance(leaf, Leaf) else None
        way = stage.travels.get(member)
        if axis is None or not isinstance(way, Slide):
            continue
        turned = (stage.before.get(member, np.eye(4)) @ leaf.pose)[:3, :3]
        cosine = abs(turned @ np.array(axis.direction) @ unit(way.points[-1]))
        angle = float(np.degrees(np.arccos(min(cosine, 1.0))))
        if SKEW < angle < 90 - SKEW:
            found.append((member, angle))
    return found


def nearest_first(assembly: Assembly, stage: Stage) -> tuple[str, ...]:
    """A step's members in the order in which their rears lie along its last leg, as the step finds them.

    In this order the layers of a stack fan out without meeting one another.

    Raises
    ------
    PulleyError
        When the step turns: then nothing has an order along its way.
    """
    along = {}
    for member in stage.step.members:
        way = _travel(assembly, stage.step, member, 0, stage.before)
        if not isinstance(way, Slide):
            raise PulleyError("Only what slides has an order along its way. Choose a step that does not turn.")
        direction = unit(way.points[-1] - way.points[-2])
        leaves = [assembly.leaf(path) for path in assembly.leaves_of([member])]
        poses = poses_at(assembly, stage.before, [leaf.path for leaf in leaves])
        along[member] = min((apply(poses[leaf.path], leaf.part.mesh.vertices) @ direction).min() for leaf in leaves)
    return tuple(sorted(stage.step.members, key=lambda member: along[member]))


def stages(assembly: Assembly, teardown: Teardown) -> list[Stage]:
    """Every step of a teardown as it plays, one after the other.

    Components that the teardown keeps at home are moved by none.

    Returns
    -------
    list of Stage
        One for each step, in their order.

    Raises
    ------
    PulleyError
        When a step moves what the assembly does not have, or twice, or has no direction.
    """
    kept = set(assembly.leaves_of(teardown.home)) if teardown.home else set()
    found: list[Stage] = []
    for step in teardown.steps:
        before = found[-1].displaced(1.0) if found else placements(assembly, teardown)
        ways = _travels_of(assembly, step, before)
        found.append(Stage(step, before, {path: way for path, way in ways.items() if path not in kept}))
    return found


def _travels_of(assembly: Assembly, step: Step, before: Displaced) -> dict[str, Travel]:
    """`travels`, worked out once where it does not matter how far from home the step finds the leaves."""
    if not step.motion.anywhere:
        return travels(assembly, step, before)
    return assembly.once(("travels", step.moves), lambda: travels(assembly, step))


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

    Returns
    -------
    list of dict
        Rigid displacements (4, 4) by path, in mm: one more than there are steps.
    """
    played = stages(assembly, teardown)
    end = played[-1].displaced(1.0) if played else placements(assembly, teardown)
    return [dict(stage.before) for stage in played] + [end]


def poses_at(assembly: Assembly, displaced: Displaced, paths: Iterable[str] | None = None) -> dict[str, Pose]:
    """The pose (4, 4) of every leaf, or of those named, given how far from home those are that have moved.

    Parameters
    ----------
    assembly : Assembly
    displaced : mapping of path to (4, 4)
    paths : iterable of str, optional

    Returns
    -------
    dict of path to (4, 4)
        From the part's frame to the assembly's, in mm.
    """
    leaves = assembly.leaves if paths is None else [assembly.leaf(path) for path in paths]
    return {leaf.path: displaced[leaf.path] @ leaf.pose if leaf.path in displaced else leaf.pose for leaf in leaves}
