"""Changes to several steps at once: their distances, one step made of many, many of one, the other side."""

from collections.abc import Iterable, Sequence
from dataclasses import replace

import numpy as np

from pulley.core.assembly import Assembly
from pulley.core.editing.common import STEP_LIMIT, find_steps, with_each
from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import Pose, apply
from pulley.core.motion.base import Shorter, checked_distance
from pulley.core.naming import component_name, free_ids
from pulley.core.teardown import Step, Teardown, find_step

SIDES = {"x": (1.0, 0.0, 0.0), "y": (0.0, 1.0, 0.0), "z": (0.0, 0.0, 1.0)}
ALIKE = 0.2  # mm within which a component stands where the mirror says


def same_distance(teardown: Teardown, ids: Iterable[str], distance: float) -> Teardown:
    """Give steps one distance in mm; PulleyError when none of them has any.

    Examples
    --------
    >>> from pulley.core.motion import Axial
    >>> two = Teardown("Service", tuple(Step(id, (id,), Axial((0, 0, 1), 60)) for id in ("a", "b")))
    >>> [step.motion.distance for step in same_distance(two, ["a", "b"], 45).steps]
    [45.0, 45.0]
    """
    return with_each(teardown, [_going(step, distance) for step, _ in _with_distance(teardown, ids)])


def _with_distance(teardown: Teardown, ids: Iterable[str]) -> list[tuple[Step, float]]:
    """Those of the steps that go a single distance, with that."""
    steps = [step for step in find_steps(teardown, ids) if "distance" in step.motion.quantities]
    if not steps:
        raise PulleyError("Paths and turns have no single distance. Choose a straight or an outward step.")
    return [(step, getattr(step.motion, "distance")) for step in steps]  # noqa: B009


def _going(step: Step, distance: float) -> Step:
    return replace(step, motion=step.motion.shortened(Shorter(checked_distance(distance))))


def scale_distances(teardown: Teardown, ids: Iterable[str], factor: float) -> Teardown:
    """Make steps' distances, spacings and waypoints ``factor`` times as long; turns stay.

    Examples
    --------
    >>> from pulley.core.motion import Axial
    >>> one = Teardown("Service", (Step("s1", ("block/screw",), Axial((0, 0, 1), 60)),))
    >>> scale_distances(one, ["s1"], 0.5).steps[0].motion.distance
    30.0
    """
    if not 1e-3 <= factor <= 1e3:
        raise PulleyError("A factor lies between 0.001 and 1000. To leave distances as they are, type 1.")
    return with_each(teardown, [replace(step, motion=step.motion.scaled(factor)) for step in find_steps(teardown, ids)])


def shift_distances(teardown: Teardown, ids: Iterable[str], by: float) -> Teardown:
    """Let steps go ``by`` mm farther, or less far when negative; none may end below 0.

    Examples
    --------
    >>> from pulley.core.motion import Axial
    >>> one = Teardown("Service", (Step("s1", ("block/screw",), Axial((0, 0, 1), 60)),))
    >>> shift_distances(one, ["s1"], -10).steps[0].motion.distance
    50.0
    """
    steps = _with_distance(teardown, ids)
    short = next(((step, distance) for step, distance in steps if distance + by <= 0), None)
    if short:
        raise PulleyError(f"“{short[0].label}” goes only {short[1]:g} mm; it cannot go {-by:g} mm less far.")
    return with_each(teardown, [_going(step, distance + by) for step, distance in steps])


def merge(teardown: Teardown, ids: Iterable[str]) -> tuple[Teardown, Step]:
    """One step in place of several of one motion, where the first was; straight ones at even distances make a fan.

    Raises
    ------
    PulleyError
        When their motions differ otherwise, or one component is in two of them.
    """
    steps = find_steps(teardown, ids)
    if len(steps) < 2:
        raise PulleyError("Choose two or more steps to merge.")
    members = [member for step in steps for member in step.members]
    if len(set(members)) < len(members):
        raise PulleyError("A component is in two of these steps; one step moves it only once.")
    merged = _merged(steps)
    gone = {step.id for step in steps[1:]}
    kept = tuple(merged if s.id == merged.id else s for s in teardown.steps if s.id not in gone)
    return replace(teardown, steps=kept), merged


def _merged(steps: list[Step]) -> Step:
    members, motion = steps[0].motion.merged([(step.members, step.motion) for step in steps])
    return replace(steps[0], members=members, motion=motion)


def split(teardown: Teardown, assembly: Assembly, id: str) -> Teardown:
    """One step a member, all played together as before; what was a fan keeps its distances.

    Raises
    ------
    PulleyError
        When there is nothing to split, or there would be too many steps.
    """
    step = find_step(teardown, id)
    if len(step.members) < 2:
        raise PulleyError("This step moves a single component; there is nothing to split.")
    if len(teardown.steps) + len(step.members) - 1 > STEP_LIMIT:
        raise PulleyError(f"A teardown holds at most {STEP_LIMIT} steps.")
    ids = free_ids([other.id for other in teardown.steps], "s")
    made: list[Step] = []
    for member, rank in zip(step.members, step.ranks, strict=True):
        made.append(_single(assembly, step, member, rank, next(ids) if made else step.id))
    place = teardown.steps.index(step)
    return replace(teardown, steps=(*teardown.steps[:place], *made, *teardown.steps[place + 1 :]))


def _single(assembly: Assembly, step: Step, member: str, rank: int, id: str) -> Step:
    """The step that moves one member of another as that does."""
    return replace(
        step,
        id=id,
        label=component_name(assembly, member)[:200],
        members=(member,),
        motion=step.motion.alone(member, rank * step.spacing),
        timing=step.timing if id == step.id else replace(step.timing, start="with"),
    )


def mirror(teardown: Teardown, assembly: Assembly, ids: Iterable[str], side: str) -> tuple[Teardown, list[str]]:
    """The steps done again, mirrored, on the components of the other side, right after the last of them.

    ``side`` is the axis, ``x``, ``y`` or ``z``, across which the assembly is mirrored, at its middle or,
    where that does not fit, at the origin. Raises PulleyError when a member has no counterpart there.

    Returns
    -------
    teardown : Teardown
    copies : list of str
        The ids of the new steps.
    """
    if side not in SIDES:
        raise PulleyError("Say across which axis to mirror: x, y or z.")
    steps = find_steps(teardown, ids)
    members = tuple(dict.fromkeys(member for step in steps for member in step.members))
    isometry, other = _counterparts(assembly, members, np.array(SIDES[side]))
    free = free_ids([step.id for step in teardown.steps], "s")
    made = []
    for step in steps:
        motion = step.motion.renamed(other).mapped(isometry)
        made.append(replace(step, members=tuple(other[m] for m in step.members), motion=motion, id=next(free)))
        made[-1].check()
    place = teardown.steps.index(steps[-1]) + 1
    after = (*teardown.steps[:place], *made, *teardown.steps[place:])
    return replace(teardown, steps=after), [step.id for step in made]


def _counterparts(assembly: Assembly, members: Sequence[str], normal: np.ndarray) -> tuple[Pose, dict[str, str]]:
    """The mirror (4, 4), and which component stands where each member's image is."""
    lost = ""
    for middle in (assembly.bounds.mean(0), np.zeros(3)):
        isometry = np.eye(4)
        isometry[:3, :3] -= 2 * np.outer(normal, normal)
        isometry[:3, 3] = 2 * (middle @ normal) * normal
        other = {member: _standing_at(assembly, member, isometry) for member in members}
        missing = [member for member, found in other.items() if found is None]
        same = [member for member, found in other.items() if found == member]
        if not missing and len(same) < len(members):
            return isometry, {member: found for member, found in other.items() if found}
        lost = lost or (missing or same)[0]
    raise PulleyError(
        f"{component_name(assembly, lost)} has no counterpart on the other side. Choose another side, or leave it out."
    )


def _standing_at(assembly: Assembly, member: str, isometry: Pose) -> str | None:
    """The component of the same parts whose bounds are the image of a member's."""
    image = np.sort(apply(isometry, _bounds(assembly, member)), axis=0)
    parts = [assembly.leaf(leaf).part.key for leaf in assembly.below[member]]
    for component in assembly.components:
        below = assembly.below[component.path]
        same = [assembly.leaf(leaf).part.key for leaf in below] == parts
        if same and np.abs(_bounds(assembly, component.path) - image).max() < ALIKE:
            return component.path
    return None


def _bounds(assembly: Assembly, path: str) -> np.ndarray:
    """Lowest and highest corner (2, 3) of a component at home."""
    leaves = [assembly.leaf(leaf) for leaf in assembly.below[path]]
    points = np.concatenate([apply(leaf.pose, leaf.part.mesh.vertices) for leaf in leaves])
    return np.array([points.min(0), points.max(0)])
