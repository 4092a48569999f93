"""What goes along with a mover, and what else should move the same way."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from pulley.core.assembly import Assembly, Leaf
from pulley.core.contact.scene import Scene, home_scene
from pulley.core.geometry.bounds import reaching
from pulley.core.geometry.frames import Pose, Vector, apply, unit
from pulley.core.geometry.symmetry import symmetry_axis
from pulley.core.motion import Axial
from pulley.core.naming import free_ids
from pulley.core.teardown import Step, Teardown

NEAR = 1.0  # mm between bounds of what counts as surroundings
ALIKE = 0.1  # mm within which surroundings are the same
PARALLEL = np.cos(np.radians(1.0))


def bring_along(scene: Scene, movers: Iterable[str], direction: Vector, still: Iterable[str] = ()) -> tuple[str, ...]:
    """The leaves that sit on ``movers``: those which they, moving along ``direction``, would push from where they are.

    What those push in turn comes along too; ``still`` leaves stay whatever happens. In tree order, the
    movers themselves not among them. Empty when nothing would be left behind: then the movers are held,
    and nothing sits on them.

    Parameters
    ----------
    scene : Scene
    movers : iterable of str
        Paths of leaves.
    direction : (3,) float64
        Of any length but zero.
    still : iterable of str

    Returns
    -------
    tuple of str
        Paths of leaves, in tree order.
    """
    direction = unit(direction)
    kept = set(still)
    carried = dict.fromkeys(movers)
    own = len(carried)
    waiting = list(carried)
    while waiting:
        mover = waiting.pop()
        rest = scene.places(path for path in scene.paths if path not in carried and path not in kept)
        for least, other in scene.candidates(mover, rest, direction):
            if least > scene.tolerance:
                break
            if scene.contact(mover, other, direction).travel <= scene.tolerance:
                carried[other] = None
                waiting.append(other)
    riders = set(list(carried)[own:])
    if len(carried) == len(scene.paths):
        return ()
    return tuple(path for path in scene.paths if path in riders)


@dataclass(frozen=True)
class Match:
    """A component that sits as the step's own does, how the assembly maps one to the other, and its step."""

    member: str
    kind: str
    step: Step


def matches(assembly: Assembly, step: Step, scene: Scene | None = None) -> tuple[Match, ...]:
    """Components that can make the same motion as a step's first member, each with the step that corresponds.

    A match has the same part (or a subassembly of the same parts), and what surrounds it is congruent
    to what surrounds the member, under a ``rotation``, a ``mirror`` or a ``translation``; where the
    surroundings are one large part, it is enough that the same things stop both, equally far along
    their ways; among the same parts it is enough that neither is stopped as far as the step goes. The
    step is mapped by the same isometry. In tree order, members of the step left out.

    Parameters
    ----------
    assembly : Assembly
    step : Step
    scene : Scene, optional
        Everything as the step finds it; at home by default.

    Returns
    -------
    tuple of Match
        Each with the component, how it corresponds, and its step.
    """
    member = step.members[0]
    scene = scene or home_scene(assembly)
    step = replace(step, motion=step.motion.straightened(assembly, member))
    found = []
    for other in assembly.components:
        if other.path in step.members or not _same_kind(assembly, member, other.path):
            continue
        for isometry in _isometries(scene, member, other.path):
            mapped = replace(step, members=(other.path,), motion=step.motion.bare().mapped(isometry))
            alike = _congruent(scene, member, other.path, isometry) or _stopped_alike(scene, step, mapped, isometry)
            free = _goes(scene, step) and _goes(scene, mapped)
            if alike or (free and _among_like(scene, member, other.path)):
                found.append(Match(other.path, _kind(isometry), mapped))
                break
    return tuple(found)


def with_matches(teardown: Teardown, id: str, chosen: Iterable[Match], assembly: Assembly | None = None) -> Teardown:
    """The teardown in which chosen matches of a step's member move as it does.

    A match that makes the very same motion joins the step; the others get steps of their own, which
    play together with it, under their members' names where an assembly says them.

    Raises
    ------
    PulleyError
        When the step is gone, or there would be too many steps.
    """
    place = next(k for k, step in enumerate(teardown.steps) if step.id == id)
    step = teardown.steps[place]
    joined: list[Match] = []
    beside: list[Match] = []
    for match in chosen:
        same = (match.step.motion, match.step.off) == (step.motion.bare(), step.off)
        (joined if same else beside).append(match)
    free = free_ids((other.id for other in teardown.steps), "s")
    names = {match.member: assembly.by_path[match.member].name if assembly else step.label for match in beside}
    added = [
        replace(
            match.step,
            id=next(free),
            timing=replace(match.step.timing, start="with"),
            view=replace(match.step.view, camera=None),
            note="",
            label=names[match.member],
        )
        for match in beside
    ]
    grown = replace(step, members=(*step.members, *(match.member for match in joined)))
    return replace(teardown, steps=(*teardown.steps[:place], grown, *added, *teardown.steps[place + 1 :]))


def _same_kind(assembly: Assembly, a: str, b: str) -> bool:
    """Whether two components consist of the same parts, and neither holds the other."""
    if a == b or a in assembly.above(b) or b in assembly.above(a):
        return False
    parts = [[assembly.leaf(leaf).part.key for leaf in assembly.below[path]] for path in (a, b)]
    one_leaf = tuple(isinstance(assembly.by_path[path], Leaf) for path in (a, b))
    return parts[0] == parts[1] and one_leaf[0] == one_leaf[1]


def _isometries(scene: Scene, a: str, b: str) -> Iterator[Pose]:
    """Rigid maps and mirrors (4, 4) that may take component ``a`` to ``b`` with its surroundings, likeliest first."""
    first, second = (scene.assembly.below[path][0] for path in (a, b))
    plain = scene.poses[second] @ np.linalg.inv(scene.poses[first])
    turned = np.abs(plain[:3, :3] - np.eye(3)).max() > 1e-6
    if not turned:
        yield plain
    (here, axis), (there, other_axis) = _place(scene, first), _place(scene, second)
    marks = [(centre, part) for part, centre in _surroundings(scene, a)]
    marks.sort(key=lambda mark: -_off_axis(mark[0] - here, axis))
    for mark, part in marks[:1]:
        for target in (centre for key, centre in _surroundings(scene, b) if key == part):
            for sense in (1.0, -1.0):
                yield from _frames_onto(mark - here, axis, target - there, sense * other_axis, here, there)
    if turned:
        yield plain


def _place(scene: Scene, leaf: str) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The middle (3,) of a leaf and the direction (3,) of its axis; its own Z where it has no axis."""
    mesh, pose = scene.body(leaf)
    axis = symmetry_axis(mesh)
    middle = apply(pose, mesh.bounds.mean(0))
    return middle, pose[:3, :3] @ (axis.direction if axis else np.array([0.0, 0.0, 1.0]))


def _off_axis(arm: Vector, axis: Vector) -> float:
    return float(np.linalg.norm(arm - (arm @ axis) * axis))


def _frames_onto(
    arm: Vector, axis: Vector, other_arm: Vector, other_axis: Vector, here: Vector, there: Vector
) -> Iterator[Pose]:
    """The rotation and the mirror (4, 4) that take one place, axis and arm to another; none when they differ."""
    if _off_axis(arm, axis) < ALIKE or abs(arm @ axis - other_arm @ other_axis) > ALIKE:
        return
    if abs(_off_axis(arm, axis) - _off_axis(other_arm, other_axis)) > ALIKE:
        return
    bases = []
    for line, across in ((axis, arm), (other_axis, other_arm)):
        u = unit(across - (across @ line) * line)
        bases.append(np.array([line, u, np.cross(line, u)]).T)
    for flip in (1.0, -1.0):
        isometry = np.eye(4)
        isometry[:3, :3] = bases[1] @ np.diag([1.0, 1.0, flip]) @ bases[0].T
        isometry[:3, 3] = there - isometry[:3, :3] @ here
        yield isometry


def _surroundings(scene: Scene, component: str) -> list[tuple[str, NDArray[np.float64]]]:
    """Part and middle (3,) of every leaf whose bounds come near a component's."""
    own = scene.places(scene.assembly.below[component])
    low, high = scene.boxes[own, 0].min(0) - NEAR, scene.boxes[own, 1].max(0) + NEAR
    found = []
    for place in np.setdiff1d(reaching(scene.boxes, low, high), own):
        mesh, pose = scene.body(scene.paths[place])
        found.append((scene.assembly.leaf(scene.paths[place]).part.key, apply(pose, mesh.bounds.mean(0))))
    return found


def _congruent(scene: Scene, a: str, b: str, isometry: Pose) -> bool:
    """Whether every part near ``a`` has its like near ``b``, where the isometry says, and the other way round."""
    here, there = _surroundings(scene, a), _surroundings(scene, b)
    if len(here) != len(there) or not here:
        return False
    left = list(there)
    for part, centre in here:
        wanted = apply(isometry, centre)
        hit = next((k for k, (p, c) in enumerate(left) if p == part and np.linalg.norm(c - wanted) <= ALIKE), None)
        if hit is None:
            return False
        del left[hit]
    return True


def _among_like(scene: Scene, a: str, b: str) -> bool:
    """Whether two components stand among the same parts, wherever those are."""
    here, there = ({part for part, _ in _surroundings(scene, path)} for path in (a, b))
    return here == there


def _goes(scene: Scene, step: Step) -> bool:
    """Whether nothing stops a straight step's member as far as it goes."""
    if not isinstance(step.motion, Axial):
        return False
    direction = unit(np.array(step.motion.direction))
    meeting = scene.first_meeting(scene.assembly.below[step.members[0]], direction)
    return meeting is None or meeting.travel >= step.motion.distance


def _stopped_alike(scene: Scene, step: Step, mapped: Step, isometry: Pose) -> bool:
    """Whether two components meet the same part after the same travel, on their ways and back.

    Only for maps that say where the step's direction goes: those that do not turn, and those of a
    component that leaves along its own axis.
    """
    if not isinstance(step.motion, Axial) or not isinstance(mapped.motion, Axial):
        return False
    direction = unit(np.array(step.motion.direction))
    _, axis = _place(scene, scene.assembly.below[step.members[0]][0])
    if np.abs(isometry[:3, :3] - np.eye(3)).max() > 1e-6 and abs(axis @ direction) < PARALLEL:
        return False
    for sense in (1.0, -1.0):
        one, other = (
            scene.first_meeting(scene.assembly.below[s.members[0]], sense * unit(np.array(motion.direction)))
            for s, motion in ((step, step.motion), (mapped, mapped.motion))
        )
        if (one is None) != (other is None):
            return False
        if one and other:
            same = scene.assembly.leaf(one.blocker).part.key == scene.assembly.leaf(other.blocker).part.key
            if not same or abs(one.travel - other.travel) > ALIKE:
                return False
    return True


def _kind(isometry: Pose) -> str:
    if np.linalg.det(isometry[:3, :3]) < 0:
        return "mirror"
    return "translation" if np.abs(isometry[:3, :3] - np.eye(3)).max() < 1e-6 else "rotation"
