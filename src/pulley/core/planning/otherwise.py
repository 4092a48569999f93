"""What would get a selection off when no straight way does: outward, a turn, two legs, or something else first."""

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from pulley.core.contact.scene import Scene
from pulley.core.geometry.frames import Vector3, translation, triple
from pulley.core.motion import Axis
from pulley.core.motion.travel import Screw
from pulley.core.planning.outward import Outward, common_axis, free_turn, outward, own_axis
from pulley.core.planning.ways_out import WayOut, ways_out

FEW = 12  # leaves; of a larger selection a turn, or two legs, is not looked for
MANY = 60  # leaves; for a larger one it would take long to say anything
LEAST_TURN = 15.0  # degrees that are worth saying
FIRST_LEGS = 3  # ways that are free for a while from whose ends it is looked on


@dataclass(frozen=True)
class Turning:
    """About which axis a selection is free to turn, in which sense (degrees), and how far; None: all round."""

    axis: Axis
    angle: float
    free: float | None


@dataclass(frozen=True)
class TwoLegs:
    """A first way as far as it is free, from whose end a second one clears: both waypoints in mm."""

    first: WayOut
    then: WayOut
    waypoints: tuple[Vector3, Vector3]


@dataclass(frozen=True)
class Otherwise:
    """What would be when nothing straight clears a selection; each None, or empty, where it would not do either.

    ``before`` are the leaves to take off first, the fewest that hold it along ``way``.
    """

    outward: Outward | None
    turning: Turning | None
    legs: TwoLegs | None
    before: tuple[str, ...]
    way: WayOut | None


def otherwise(scene: Scene, members: Sequence[str], ways: Sequence[WayOut], pitch: float) -> Otherwise:
    """What else may be tried with ``members``, of whose straight ways none clears them.

    Parameters
    ----------
    scene : Scene
    members : sequence of str
        Paths of components.
    ways : sequence of WayOut
        The selection's ways out, best first.
    pitch : float
        In mm.
    """
    leaves = list(scene.assembly.leaves_of(members))
    if len(leaves) > MANY:
        return Otherwise(None, None, None, (), None)
    few = len(leaves) <= FEW
    before, way = _held_by(scene, leaves, ways)
    return Otherwise(
        outward=_outward(scene, members, pitch),
        turning=_turning(scene, members) if few else None,
        legs=_two_legs(scene, leaves, ways, pitch) if few else None,
        before=before,
        way=way,
    )


def _outward(scene: Scene, members: Sequence[str], pitch: float) -> Outward | None:
    """Away from the circle that the members lie on, where that clears every one of them."""
    axis = common_axis(scene, members)
    found = outward(scene, members, axis, pitch) if axis else None
    return found if found and found.suggested > 0 and any(found.directions.values()) else None


def _turning(scene: Scene, members: Sequence[str]) -> Turning | None:
    axis = own_axis(scene, members)
    if axis is None:
        return None
    for sense in (1.0, -1.0):
        free, _ = free_turn(scene, members, Screw.about(axis.origin, axis.direction, 360.0 * sense, 0.0))
        if free is None or free >= LEAST_TURN:
            return Turning(axis, sense * (90.0 if free is None else float(np.floor(min(free, 90.0)))), free)
    return None


def _two_legs(scene: Scene, leaves: list[str], ways: Sequence[WayOut], pitch: float) -> TwoLegs | None:
    """The first of the ways that are free for a while from whose end another one clears the selection."""
    for first in [way for way in ways if way.opens][:FIRST_LEGS]:
        shift = np.array(first.direction) * first.suggested
        moved = translation(shift)
        there = replace(scene, poses={p: moved @ pose if p in leaves else pose for p, pose in scene.poses.items()})
        back = -np.array(first.direction)
        then = next((w for w in ways_out(there, leaves, pitch) if w.clears and back @ w.direction < 0.9), None)
        if then:
            return TwoLegs(first, then, (triple(shift), triple(shift + np.array(then.direction) * then.suggested)))
    return None


def _held_by(scene: Scene, leaves: list[str], ways: Sequence[WayOut]) -> tuple[tuple[str, ...], WayOut | None]:
    """The fewest leaves that hold a selection along one of its ways, as far as it has to go; and that way."""
    found: list[tuple[tuple[str, ...], WayOut]] = []
    for way in ways:
        holders: dict[str, None] = {}
        for leaf in leaves:
            others = scene.places(path for path in scene.paths if path not in leaves and path not in holders)
            for least, other in scene.candidates(leaf, others, np.array(way.direction)):
                if least > way.leave or (found and len(holders) >= len(found[0][0])):
                    break
                if scene.contact(leaf, other, np.array(way.direction)).travel <= way.leave:
                    holders[other] = None
        if holders and (not found or len(holders) < len(found[0][0])):
            found = [(tuple(holders), way)]
    return found[0] if found else ((), None)
