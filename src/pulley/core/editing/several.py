"""Changes to several steps at once: their distances, one step made of many, many of one, the other side."""

from collections.abc import Iterable, Sequence
from dataclasses import replace

import numpy as np

from pulley.core.assembly import Assembly
from pulley.core.describe import component_name
from pulley.core.editing.common import STEP_LIMIT, checked_distance, find_step, find_steps, free_id, with_each
from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import Pose, apply, unit
from pulley.core.motion.rules import check_motion
from pulley.core.planning.companions import map_step
from pulley.core.quantities import DISTANCE_LIMIT
from pulley.core.teardown import Step, Teardown, motion_only

SIDES = {"x": (1.0, 0.0, 0.0), "y": (0.0, 1.0, 0.0), "z": (0.0, 0.0, 1.0)}
ALIKE = 0.2  # mm within which a component stands where the mirror says
EVEN = 1e-6  # mm


def same_distance(teardown: Teardown, ids: Iterable[str], distance: float) -> Teardown:
    """Give steps one distance in mm; PulleyError when none of them has any."""
    return with_each(teardown, [replace(s, distance=checked_distance(distance)) for s in _with_distance(teardown, ids)])


def _with_distance(teardown: Teardown, ids: Iterable[str]) -> list[Step]:
    steps = [step for step in find_steps(teardown, ids) if step.kind in ("axial", "radial")]
    if not steps:
        raise PulleyError("Paths and turns have no single distance. Choose a straight or an outward step.")
    return steps


def scale_distances(teardown: Teardown, ids: Iterable[str], factor: float) -> Teardown:
    """Make steps' distances, spacings and waypoints ``factor`` times as long; turns stay."""
    if not 1e-3 <= factor <= 1e3:
        raise PulleyError("A factor lies between 0.001 and 1000. To leave distances as they are, type 1.")
    scaled = [
        replace(
            step,
            distance=checked_distance(step.distance * factor) if step.kind in ("axial", "radial") else step.distance,
            pitch=step.pitch * factor,
            total=step.total and step.total * factor,
            waypoints=tuple(tuple(c * factor for c in point) for point in step.waypoints),
        )
        for step in find_steps(teardown, ids)
        if step.kind != "turn"
    ]
    if any(abs(c) > DISTANCE_LIMIT for step in scaled for point in step.waypoints for c in point):
        raise PulleyError(f"A waypoint would be more than {DISTANCE_LIMIT:,.0f} mm away. Choose a smaller factor.")
    return with_each(teardown, scaled)


def shift_distances(teardown: Teardown, ids: Iterable[str], by: float) -> Teardown:
    """Let steps go ``by`` mm farther, or less far when negative; none may end below 0."""
    steps = _with_distance(teardown, ids)
    short = next((step for step in steps if step.distance + by <= 0), None)
    if short:
        raise PulleyError(f"“{short.label}” goes only {short.distance:g} mm; it cannot go {-by:g} mm less far.")
    return with_each(teardown, [replace(s, distance=checked_distance(s.distance + by)) for s in steps])


def merge(teardown: Teardown, ids: Iterable[str]) -> tuple[Teardown, Step]:
    """One step in place of several of one motion, where the first was; straight ones at even distances make a fan.

    Raises PulleyError when their motions differ otherwise, or one component is in two of them.
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
    bare = [motion_only(replace(step, members=(), layers=(), follow=(), off=False)) for step in steps]
    follow = tuple(pair for step in steps for pair in step.follow)
    if all(motion == bare[0] for motion in bare) and not bare[0].spacing:
        return replace(steps[0], members=tuple(m for s in steps for m in s.members), follow=follow)
    straight = [replace(motion, distance=1.0, direction=(0, 0, 1)) for motion in bare]
    along = {tuple(np.round(unit(np.array(step.direction)), 9)) for step in steps}
    if steps[0].kind != "axial" or any(motion != straight[0] for motion in straight) or len(along) > 1:
        raise PulleyError("These steps go different ways. Give them one direction and kind first, then merge.")
    rising = sorted(steps, key=lambda step: step.distance)
    distances = sorted({step.distance for step in rising})
    gaps = np.diff(distances)
    if np.ptp(gaps) > EVEN:
        raise PulleyError("These steps go different distances not evenly spaced. Give them one distance first.")
    layers = tuple(sum(len(s.members) for s in rising if s.distance == distance) for distance in distances)
    members = tuple(member for step in rising for member in step.members)
    one_each = all(size == 1 for size in layers)
    return replace(
        steps[0], members=members, distance=distances[0], pitch=float(gaps[0]), layers=() if one_each else layers
    )


def split(teardown: Teardown, assembly: Assembly, id: str) -> Teardown:
    """One step a member, all played together as before; what was a fan keeps its distances."""
    step = find_step(teardown, id)
    if len(step.members) < 2:
        raise PulleyError("This step moves a single component; there is nothing to split.")
    if len(teardown.steps) + len(step.members) - 1 > STEP_LIMIT:
        raise PulleyError(f"A teardown holds at most {STEP_LIMIT} steps.")
    taken = [other.id for other in teardown.steps]
    made = []
    for member, rank in zip(step.members, step.ranks, strict=True):
        new = made and free_id(taken, "s")
        taken += [new] if new else []
        made.append(_single(assembly, step, member, rank, new or step.id))
    place = teardown.steps.index(step)
    return replace(teardown, steps=(*teardown.steps[:place], *made, *teardown.steps[place + 1 :]))


def _single(assembly: Assembly, step: Step, member: str, rank: int, id: str) -> Step:
    """The step that moves one member of another as that does."""
    farther = rank * step.spacing
    follow = tuple(pair for pair in step.follow if pair[0] == member)
    waypoints = step.waypoints
    if step.kind == "path" and farther:
        last = np.array(waypoints[-1]) - np.array(waypoints[-2] if len(waypoints) > 1 else (0.0, 0.0, 0.0))
        waypoints = (*waypoints[:-1], tuple((np.array(waypoints[-1]) + unit(last) * farther).tolist()))
    return replace(
        step,
        id=id,
        label=component_name(assembly, member)[:200],
        members=(member,),
        distance=step.distance + farther,
        waypoints=waypoints,
        pitch=0.0,
        total=None,
        layers=(),
        follow=follow,
        start=step.start if id == step.id else "with",
    )


def mirror(teardown: Teardown, assembly: Assembly, ids: Iterable[str], side: str) -> tuple[Teardown, list[str]]:
    """The steps done again, mirrored, on the components of the other side, right after the last of them.

    ``side`` is the axis, ``x``, ``y`` or ``z``, across which the assembly is mirrored, at its middle or,
    where that does not fit, at the origin. Raises PulleyError when a member has no counterpart there.
    """
    if side not in SIDES:
        raise PulleyError("Say across which axis to mirror: x, y or z.")
    steps = find_steps(teardown, ids)
    members = tuple(dict.fromkeys(member for step in steps for member in step.members))
    isometry, other = _counterparts(assembly, members, np.array(SIDES[side]))
    taken = [step.id for step in teardown.steps]
    made = []
    for step in steps:
        leaders = tuple((other[a], other.get(b, b)) for a, b in step.follow)
        image = replace(step, members=tuple(other[m] for m in step.members), follow=leaders, id=free_id(taken, "s"))
        taken.append(image.id)
        made.append(map_step(image, isometry))
        check_motion(made[-1])
    place = teardown.steps.index(steps[-1]) + 1
    return replace(teardown, steps=(*teardown.steps[:place], *made, *teardown.steps[place:])), taken[-len(made) :]


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
            return isometry, other
        lost = lost or (missing or same)[0]
    raise PulleyError(
        f"{component_name(assembly, lost)} has no counterpart on the other side. Choose another side, or leave it out."
    )


def _standing_at(assembly: Assembly, member: str, isometry: Pose) -> str | None:
    """The component of the same parts whose bounds are the image of a member's."""
    image = np.sort(apply(isometry, _bounds(assembly, member)), axis=0)
    parts = [assembly.by_path[leaf].part.key for leaf in assembly.below[member]]
    for component in assembly.components:
        below = assembly.below[component.path]
        same = [assembly.by_path[leaf].part.key for leaf in below] == parts
        if same and np.abs(_bounds(assembly, component.path) - image).max() < ALIKE:
            return component.path
    return None


def _bounds(assembly: Assembly, path: str) -> np.ndarray:
    """Lowest and highest corner (2, 3) of a component at home."""
    leaves = [assembly.by_path[leaf] for leaf in assembly.below[path]]
    points = np.concatenate([apply(leaf.pose, leaf.part.mesh.vertices) for leaf in leaves])
    return np.array([points.min(0), points.max(0)])
