"""Ways out that are harder to find: askew, off a thread, round a corner, out of a lock."""

from collections.abc import Iterator
from dataclasses import replace
from itertools import combinations, product

import numpy as np

from pulley.core.contact.fits import find_fit
from pulley.core.contact.scene import Scene
from pulley.core.geometry.frames import Pose, Vector, translation, triple, unit
from pulley.core.motion.travel import Screw
from pulley.core.planning.blocking import SIX, Blocking, Direction
from pulley.core.planning.directions import SAME
from pulley.core.planning.outward import free_turn, turning_axes
from pulley.core.planning.peeling import Peeling, Removal, Twist, fastener_kind, size_of
from pulley.core.planning.winding import winding_way

ANGLES = (30.0, -30.0, 45.0, -45.0, 60.0, -60.0, 90.0, -90.0, 120.0, -120.0, 180.0)  # degrees tried on a bayonet
AXES = 5  # of a unit that are tried
SPARED = 2000  # sweeps that turns leave for others
TURN = 40  # sweeps that trying a turn counts as
WINDING = 1000  # sweeps at most for a way round many corners of one unit
IN_HAND = 6  # units at most that one hand takes away
SHORT = (1.0, 0.5, 0.25)  # shares of what is free on a first leg, at which a second one is tried


def askew(state: Peeling) -> Removal | None:
    """A unit that leaves along the normal of a plane that it rests on, along another of its axes, or the way that
    something has left before, or against it."""
    gone = dict.fromkeys(way for removal in state.done for way in removal.directions if way not in SIX)
    ways = [*gone, *(triple(-np.array(way)) for way in gone)]
    for k in state.left:
        for direction in (*state.blocking.more_directions(k), *ways):
            if not state.in_the_way(k, direction):
                return Removal((k,), (direction,))
    return None


def unscrewed(state: Peeling) -> Removal | None:
    """A unit that nothing but a modelled thread holds."""
    for k in state.left:
        for direction in (*state.blocking.own_directions(k), *SIX):
            holders = state.in_the_way(k, direction)
            if len(holders) == 1 and len(state.blocking.units[k].leaves) == 1:
                twist = _thread(state.blocking, k, holders.pop(), np.array(direction))
                if twist:
                    return Removal((k,), (direction,), twist=twist, fastener=bool(fastener_kind(state.blocking, k)))
    return None


def _thread(blocking: Blocking, k: int, holder: int, direction: Vector) -> Twist | None:
    """The turns that take a unit off the thread of what holds it, where its axis runs along a direction."""
    scene, leaf = blocking.scene, blocking.units[k].leaves[0]
    for other in blocking.units[holder].leaves:
        fit = find_fit(scene.assembly, leaf, other)
        if fit and fit.kind == "thread" and abs(float(unit(np.array(fit.direction)) @ direction)) >= SAME:
            boxes = scene.boxes_along(direction)[scene.places([leaf, other])][:, :, 2]
            turns = max(int(np.ceil(float(boxes[1, 1] - boxes[0, 0]) / abs(fit.pitch))), 1)
            return Twist(triple(fit.origin), 360.0 * turns if fit.pitch > 0 else -360.0 * turns, fit.pitch)
    return None


def locked(state: Peeling) -> Removal | None:
    """A unit that leaves along an axis of its own after less than a turn about it, as out of a bayonet."""
    there = _scene_of(state)
    for k in state.left:
        leaves = state.blocking.units[k].leaves
        axes = turning_axes(there, leaves[0])[:AXES] if len(leaves) == 1 else []
        for axis, angle in product(axes, ANGLES):
            if not state.may_try(TURN, SPARED):
                return None
            turn = Screw(np.array(axis.origin), np.array(axis.direction), angle, 0.0)
            way = _after_turning(state, k, turn) if free_turn(there, leaves, turn)[0] is None else None
            if way is not None:
                about = angle if way @ turn.direction > 0 else -angle
                return Removal((k,), (triple(way),), twist=Twist(triple(np.round(axis.origin, 6)), about, 0.0))
    return None


def _after_turning(state: Peeling, k: int, turn: Screw) -> Vector | None:
    """The way along a turn's axis that is free once a unit has been turned."""
    ways = (turn.direction, -turn.direction)
    return next((way for way in ways if _clear_from(state, k, turn.at(1.0), way)), None)


def two_legs(state: Peeling) -> Removal | None:
    """A unit that leaves after a short leg another way."""
    for k in sorted(state.left, key=lambda k: size_of(state.blocking, k)):
        for first, second in _legs(state, k):
            return Removal((k,), (second,), legs=(first,))
    return None


def round_corners(state: Peeling) -> Removal | None:
    """A unit that leaves after many legs, each straight: as many as it takes."""
    there = _scene_of(state)
    for k in sorted(state.left, key=lambda k: size_of(state.blocking, k)):
        legs, way, spent = winding_way(there, state.blocking.units[k].leaves, min(state.tries, WINDING))
        state.cut_short |= not state.may_try(spent) or way is None and spent >= WINDING
        if way is not None:
            return Removal((k,), (triple(way),), legs=tuple(triple(leg) for leg in legs))
    return None


def at_once(state: Peeling) -> Removal | None:
    """Two units, or two sets of a few, that leave in different directions at the same time and pace, one in either
    hand, as neither does before the other is away."""
    stopped = {k: ways for k in state.left if (ways := _stopped(state, k))}
    for (k, mine), (j, theirs) in combinations(stopped.items(), 2):
        for (way, met), (second, others) in product(mine.items(), theirs.items()):
            if j in met and k in others:
                hands = _in_hands(state, (k, j), (way, second))
                if hands and _part(state, *hands, np.array(way) - np.array(second)):
                    return Removal((*hands[0], *hands[1]), (way,) * len(hands[0]) + (second,) * len(hands[1]))
    return None


def _stopped(state: Peeling, k: int) -> dict[Direction, set[int]]:
    """Directions in which a unit is stopped, by nothing that stays, and what stops it."""
    ways = (*SIX, *state.blocking.own_directions(k), *state.blocking.more_directions(k))
    met = {way: state.in_the_way(k, way) for way in ways}
    return {way: found for way, found in met.items() if found and not found & state.fixed}


def _in_hands(
    state: Peeling, units: tuple[int, int], ways: tuple[Direction, Direction]
) -> tuple[list[int], list[int]] | None:
    """Two units, each with what it takes along on its way; None where that is too many, or something that stays."""
    hands = [units[0]], [units[1]]
    waiting = [(0, units[0]), (1, units[1])]
    while waiting:
        side, unit = waiting.pop(0)
        for other in sorted(state.in_the_way(unit, ways[side]).difference(*hands)):
            if other in state.fixed or len(hands[side]) == IN_HAND:
                return None
            hands[side].append(other)
            waiting.append((side, other))
    return hands


def _part(state: Peeling, one: list[int], other: list[int], apart: Vector) -> bool:
    """Whether two sets of units come apart where the first moves so relative to the other."""
    units, scene = state.blocking.units, state.blocking.scene
    pairs = [pair for k, j in product(one, other) for pair in product(units[k].leaves, units[j].leaves)]
    free = apart.any() and state.may_try(len(pairs))
    return bool(free) and all(scene.contact(a, b, apart).point is None for a, b in pairs)


def _legs(state: Peeling, k: int) -> Iterator[tuple[Direction, Direction]]:
    for direction in SIX:
        met = {j: t for j, t in state.blocking.blockers(k, direction).items() if j in state.present}
        free = min(met.values(), default=0.0)
        for share in SHORT if free > 1.0 else ():
            shift = np.array(direction) * np.floor(free * share * 10) / 10
            aside = [d for d in SIX if abs(float(np.array(d) @ np.array(direction))) < 0.5]
            for second in aside:
                if _clear_from(state, k, translation(shift), np.array(second)):
                    yield triple(shift), second


def _clear_from(state: Peeling, k: int, displacement: Pose, direction: Vector) -> bool:
    """Whether nothing that is present stops a unit along a direction once it has been displaced."""
    if not state.may_try(1):
        return False
    leaves = state.blocking.units[k].leaves
    scene = _scene_of(state)
    moved = {leaf: displacement @ scene.poses[leaf] for leaf in leaves}
    return replace(scene, poses={**scene.poses, **moved}).first_meeting(leaves, np.asarray(direction, float)) is None


def _scene_of(state: Peeling) -> Scene:
    """What is present, where it stands."""
    scene, units = state.blocking.scene, state.blocking.units
    poses = {leaf: scene.poses[leaf] for j in sorted(state.present) for leaf in units[j].leaves}
    return replace(scene, poses=poses)
