"""Putting a component next to another in a stack that has been taken apart."""

from dataclasses import replace

import numpy as np

from pulley.core.assembly import Assembly
from pulley.core.contact.scene import Scene
from pulley.core.editing.batch import split
from pulley.core.editing.common import with_each, with_step
from pulley.core.editing.steps import put_before
from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import Vector, triple, unit
from pulley.core.motion import Axial
from pulley.core.naming import component_name
from pulley.core.planning.stacking import extents
from pulley.core.score.stages import displacements, poses_at
from pulley.core.teardown import Step, Teardown

PARALLEL = 1 - 1e-9


def put_next_to(teardown: Teardown, assembly: Assembly, mover: str, neighbour: str, in_front: bool = True) -> Teardown:
    """Let a component end right in front of another along the line on which both left, or right behind it.

    Within a fan the order changes. Among steps along one line the places change: the gaps from place to
    place stay, so the one left behind closes up; whatever ends farther in front plays earlier.
    Raises PulleyError when the two do not leave along one line.
    """
    mover, neighbour = (_member_with(teardown, assembly, path) for path in (mover, neighbour))
    if mover == neighbour:
        raise PulleyError("Choose another component to put it next to.")
    step, other = _last_move(teardown, assembly, mover), _last_move(teardown, assembly, neighbour)
    if step is other and step.spacing:
        return with_step(teardown, _reordered(step, mover, neighbour, in_front))
    if len(step.members) > 1:
        teardown = split(teardown, assembly, step.id)
        step, other = _last_move(teardown, assembly, mover), _last_move(teardown, assembly, neighbour)
    return _relaid(teardown, assembly, step, other, in_front)


def _member_with(teardown: Teardown, assembly: Assembly, path: str) -> str:
    """The member of a step that is a component or carries it."""
    if path not in assembly.by_path:
        raise PulleyError("There is no such component in this assembly. Nothing was changed.")
    carriers = {path, *assembly.above(path)}
    moved = [member for step in teardown.steps for member in step.members if member in carriers]
    return moved[-1] if moved else path


def _last_move(teardown: Teardown, assembly: Assembly, path: str) -> Step:
    moves = [s for s in teardown.steps if path in s.members and isinstance(s.motion, Axial) and not s.off]
    if not moves:
        raise PulleyError(f"{component_name(assembly, path)} has no straight step of its own. Move it first.")
    return moves[-1]


def _reordered(step: Step, mover: str, neighbour: str, in_front: bool) -> Step:
    """A fan in which the mover is a layer of its own right after, or before, the neighbour's."""
    layers: list[list[str]] = [[] for _ in range(max(step.ranks) + 1)]
    for member, rank in zip(step.members, step.ranks, strict=True):
        if member != mover:
            layers[rank].append(member)
    layers = [layer for layer in layers if layer]
    at = next(k for k, layer in enumerate(layers) if neighbour in layer)
    layers.insert(at + 1 if in_front else at, [mover])
    members = tuple(member for layer in layers for member in layer)
    sizes = tuple(map(len, layers))
    fan = replace(step.motion.fan, layers=sizes if max(sizes) > 1 else ())
    return replace(step, members=members, motion=replace(_straight(step), fan=fan))


def _relaid(teardown: Teardown, assembly: Assembly, step: Step, other: Step, in_front: bool) -> Teardown:
    """Steps along the neighbour's line with their places along it dealt out anew."""
    along = unit(np.array(_straight(other).direction))
    on_line = [s for s in teardown.steps if not s.off and not s.spacing and _parallel(s, along)]
    if step not in on_line or other not in on_line or step is other:
        raise PulleyError("The two do not leave along one line. Give them the same direction first.")
    reach = _reach(teardown, assembly, on_line, along)
    order = sorted(on_line, key=lambda s: reach[s.id][0])
    gaps = [reach[b.id][0] - reach[a.id][1] for a, b in zip(order, order[1:], strict=False)]
    start = reach[order[0].id][0]
    order.remove(step)
    order.insert(order.index(other) + (1 if in_front else 0), step)
    moved = []
    for k, placed in enumerate(order):
        low, high = reach[placed.id]
        moved.append(_carried(placed, along, start - low))
        start += high - low + (gaps[k] if k < len(gaps) else 0.0)
    return _played_in_turn(with_each(teardown, moved), step.id, other.id, in_front)


def _parallel(step: Step, along: Vector) -> bool:
    if not isinstance(step.motion, Axial):
        return False
    return abs(float(unit(np.array(step.motion.direction)) @ along)) > PARALLEL


def _straight(step: Step) -> Axial:
    assert isinstance(step.motion, Axial)  # `_last_move` and `_parallel` let nothing else through
    return step.motion


def _reach(teardown: Teardown, assembly: Assembly, steps: list[Step], along: Vector) -> dict[str, tuple[float, float]]:
    """From where to where in mm along the line each step's members reach at the end, by step id."""
    poses = poses_at(assembly, displacements(assembly, teardown)[-1])
    rows = {s.id: extents(Scene(assembly, poses), s.members, tuple(along)) for s in steps}
    return {id: (float(row[:, 0].min()), float(row[:, 1].max())) for id, row in rows.items()}


def _carried(step: Step, along: Vector, by: float) -> Step:
    """A step that ends ``by`` mm farther along the line."""
    motion = _straight(step)
    sense = 1.0 if unit(np.array(motion.direction)) @ along > 0 else -1.0
    travel = round(sense * motion.distance + by, 6)
    if abs(travel) < 1e-6:
        raise PulleyError(f"“{step.label}” would end where it began. Send it farther, or switch its step off.")
    return replace(step, motion=Axial(triple(along * np.sign(travel)), abs(travel)))


def _played_in_turn(teardown: Teardown, mover: str, neighbour: str, in_front: bool) -> Teardown:
    """The mover's step right before its neighbour's where it ends in front of it, else right after."""
    if in_front:
        return put_before(teardown, [mover], neighbour)
    place = next(k for k, step in enumerate(teardown.steps) if step.id == neighbour)
    later = [step.id for step in teardown.steps[place + 1 :] if step.id != mover]
    return put_before(teardown, [mover], later[0] if later else None)
