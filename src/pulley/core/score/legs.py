"""Stretches of a teardown in which everything that moves slides straight or turns evenly: what a sweep can check."""

import math
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from pulley.core.geometry.frames import Pose, Vector, apply, inverse, translation
from pulley.core.motion.easing import ease, unease
from pulley.core.motion.travel import Screw, Slide, screw_of
from pulley.core.score.compose import Bar
from pulley.core.score.stages import Stage

Move = Vector | Screw  # a straight travel (3,) in mm, or a turn
CHORD = 0.02  # mm between where steps that play together really are and the straight pieces that stand for it
ARC = 5.0  # degrees at most of a turn in a leg, where other steps play meanwhile
MOST = 400  # pieces of one way: beyond, the pieces of a very long one may lie farther off it
WIDEST = 60.0  # degrees at most of a turn in a leg, however long it is
PACE = 5.8  # greatest second derivative of the easing, by the share of the time


@dataclass(frozen=True, eq=False)
class Leg:
    """How far from home a stretch finds the leaves, how each mover moves, and every step's share at both ends."""

    displaced: dict[str, Pose]
    moves: dict[str, Move]
    shares: dict[str, tuple[float, float]]


def together(stages: list[Stage], bars: tuple[Bar, ...]) -> Iterator[list[tuple[Stage, Bar]]]:
    """The steps in groups: those whose times overlap belong together, in a group of their own most are."""
    group: list[tuple[Stage, Bar]] = []
    for stage, bar in zip(stages, bars, strict=True):
        if group and bar.start >= max(other.end for _, other in group) - 1e-9:
            yield group
            group = []
        group.append((stage, bar))
    if group:
        yield group


def legs(group: list[tuple[Stage, Bar]]) -> Iterator[Leg]:
    """The legs of steps that play together; exact for one step, within `CHORD` for more."""
    if len(group) == 1:
        (stage, _), *_ = group
        knots = np.concatenate([way.shares for way in stage.travels.values()] or [np.array([0.0, 1.0])])
        for low, high in pairwise(np.unique(np.round(knots, 12)).tolist()):
            moves = {path: _move(way, low, high) for path, way in stage.travels.items()}
            yield Leg(stage.displaced(low) if low else dict(stage.before), moves, {stage.step.id: (low, high)})
        return
    for low, high in pairwise(_instants(group)):
        before, after = _displaced(group, low), _displaced(group, high)
        movers = [path for path in after if path not in before or not np.array_equal(after[path], before[path])]
        moves = {path: move_of(after[path] @ inverse(before.get(path, np.eye(4)))) for path in movers}
        shares = {stage.step.id: (share_at(bar, low), share_at(bar, high)) for stage, bar in group}
        yield Leg(before, moves, shares)


def share_at(bar: Bar, time: float) -> float:
    """Share of a step's way at a time in seconds."""
    return ease((time - bar.start) / (bar.end - bar.start)) if bar.end > bar.start else 1.0


def _move(way: Slide | Screw, low: float, high: float) -> Move:
    if isinstance(way, Screw):
        return Screw(way.origin, way.direction, way.angle * (high - low), way.advance)
    return way.offset(high) - way.offset(low)


def _instants(group: list[tuple[Stage, Bar]]) -> list[float]:
    """Times in seconds between which every mover's way is straight enough."""
    found: list[float] = []
    for stage, bar in group:
        pieces = max([8, *(_pieces(way) for way in stage.travels.values())])
        for way in stage.travels.values():
            found += [bar.start + (bar.end - bar.start) * unease(share) for share in way.shares.tolist()]
        found += np.linspace(bar.start, bar.end, pieces + 1).tolist()
    return np.unique(np.round(found, 9)).tolist()


def _pieces(way: Slide | Screw) -> int:
    """Into how many pieces, even in time, a way is cut so that each is straight enough, or near enough to a screw's."""
    straight = min(math.ceil(math.sqrt(PACE * way.length(1.0) / (8 * CHORD))), MOST)
    if isinstance(way, Screw):  # the easing runs up to twice as fast as on average
        return max(straight, min(math.ceil(2 * abs(way.angle) / ARC), MOST), math.ceil(2 * abs(way.angle) / WIDEST))
    return straight


def _displaced(group: list[tuple[Stage, Bar]], time: float) -> dict[str, Pose]:
    """How far from home every leaf is at a time; at the group's start, exactly where it was found."""
    state = dict(group[0][0].before)
    for stage, bar in group:
        share = share_at(bar, time)
        for path, way in stage.travels.items():
            if share > 0:
                state[path] = way.at(share) @ state.get(path, np.eye(4))
    return state


def move_of(displacement: Pose) -> Move:
    """The straight travel or the turn that brings about a rigid displacement (4, 4).

    Examples
    --------
    >>> move_of(translation(np.array([0.0, 0.0, 5.0]))).tolist()
    [0.0, 0.0, 5.0]
    """
    return screw_of(displacement) or displacement[:3, 3]


def pose_of(move: Move | None, share: float = 1.0) -> Pose:
    """The displacement (4, 4) that a share of a move brings about; None stands still.

    Examples
    --------
    >>> pose_of(np.array([0.0, 0.0, 6.0]), 0.5)[:3, 3].tolist()
    [0.0, 0.0, 3.0]
    """
    if move is None:
        return np.eye(4)
    return move.at(share) if isinstance(move, Screw) else translation(share * move)


def relative(move: Move, other: Move | None) -> Move:
    """A move as seen from a body that makes another move meanwhile (None: stands still).

    Exact for two straight travels; a turn among them gives the screw with the same end.

    Examples
    --------
    >>> relative(np.array([0.0, 0.0, 6.0]), np.array([0.0, 0.0, 2.0])).tolist()
    [0.0, 0.0, 4.0]
    """
    if other is None:
        return move
    if not isinstance(move, Screw) and not isinstance(other, Screw):
        return move - other
    return move_of(inverse(pose_of(other)) @ pose_of(move))


def carried(point: Vector, move: Move | None, share: float) -> Vector:
    """Where a point (3,) of a moving body is at a share of its move.

    Examples
    --------
    >>> carried(np.array([1.0, 0.0, 0.0]), np.array([0.0, 0.0, 6.0]), 0.5).tolist()
    [1.0, 0.0, 3.0]
    """
    return apply(pose_of(move, share), np.asarray(point))
