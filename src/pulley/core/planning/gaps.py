"""Gaps that suit: what is asked for, what fills a length, and wider ones for what would hide on the page."""

from collections.abc import Mapping, Sequence

import numpy as np

from pulley.core.camera import QUARTER, fitted
from pulley.core.geometry.frames import Pose, Vector, translation
from pulley.core.planning.blocking import Blocking
from pulley.core.planning.removal_order import Removal
from pulley.core.planning.removal_steps import steps_of
from pulley.core.planning.spacing import Placed, place
from pulley.core.quantities import round_pitch
from pulley.core.score.shots import saved_home
from pulley.core.teardown import Teardown
from pulley.core.visibility import ASPECT, visible_shares

GAP_SHARE = 0.03  # of the assembly's diagonal, left between one component and the next
SEEN = 0.3  # share of a component from which it counts as seen on the page
ROUNDS = 3  # times that gaps are doubled to bring something to light
LONGER = 1.3  # times as long as without, at most, for the sake of what is seen


def spaced(
    blocking: Blocking, teardown: Teardown, removals: Sequence[Removal], gap: float | None, length: float | None
) -> list[Placed]:
    """Distances for removals, by a gap in mm, or so that the longest side comes to a length in mm.

    Without either, gaps are 3 % of the assembly's diagonal, and wider where that shows more from the home view.

    Parameters
    ----------
    blocking : Blocking
    teardown : Teardown
    removals : sequence of Removal
    gap, length : float or None
        In mm; one of them, or neither.
    """
    pitch = round_pitch(blocking.scene.assembly.diagonal, "mm")
    usual = gap or max(GAP_SHARE * blocking.scene.assembly.diagonal, pitch)
    if length is not None:
        return _filling(blocking, removals, usual, length, pitch)
    placed = _place(blocking, removals, usual, pitch)
    return placed if gap else _opened(blocking, teardown, removals, placed, usual, pitch)


def _place(
    blocking: Blocking,
    removals: Sequence[Removal],
    gap: float,
    pitch: float,
    wider: Mapping[Removal, float] | None = None,
) -> list[Placed]:
    return place(blocking, removals, range(len(blocking.units)), gap, pitch, wider)


def _filling(
    blocking: Blocking, removals: Sequence[Removal], usual: float, length: float, pitch: float
) -> list[Placed]:
    """The widest gap with which the longest side is no longer than asked, found by halving."""
    low, high = pitch / 10, max(length, usual)
    for _ in range(12):
        gap = (low + high) / 2
        fits = extent(blocking, _place(blocking, removals, gap, pitch)) <= length
        low, high = (gap, high) if fits else (low, gap)
    return _place(blocking, removals, low, pitch)


def _opened(
    blocking: Blocking, teardown: Teardown, removals: Sequence[Removal], placed: list[Placed], gap: float, pitch: float
) -> list[Placed]:
    """Wider gaps for what is hidden on the page and for what stands before it, as long as more is seen by it and
    no fan is torn apart."""
    wider: dict[Removal, float] = {}
    best, most, steps = placed, extent(blocking, placed) * LONGER, len(steps_of(blocking, (), placed))
    hidden = _hidden(blocking, teardown, best)
    for _ in range(ROUNDS):
        for k, removal in enumerate(removals):
            if hidden & set(removal.units):
                for each in (removal, *[r for r in removals[:k][::-1] if r.directions[0] == removal.directions[0]][:1]):
                    wider[each] = wider.get(each, 1.0) * 2
        trial = _place(blocking, removals, gap, pitch, wider)
        still = _hidden(blocking, teardown, trial)
        if extent(blocking, trial) > most:
            break
        if len(still) < len(hidden) and len(steps_of(blocking, (), trial)) <= steps:
            best, hidden = trial, still
    return best


def _hidden(blocking: Blocking, teardown: Teardown, placed: Sequence[Placed]) -> set[int]:
    """The units of which less than `SEEN` is visible from the home view at the end."""
    scene = blocking.scene
    poses: dict[str, Pose] = dict(scene.poses)
    boxes = scene.boxes.copy()
    for k, shift in end_shifts(placed).items():
        for leaf in blocking.units[k].leaves:
            poses[leaf] = translation(shift) @ poses[leaf]
        boxes[scene.places(blocking.units[k].leaves)] += shift
    corners = np.concatenate([boxes[:, 0], boxes[:, 1]])
    view = saved_home(teardown) or fitted(corners, QUARTER, ASPECT, up=teardown.bearings.up)
    shares = visible_shares(scene.assembly, poses, view)
    return {k for k, unit in enumerate(blocking.units) if max(shares[leaf] for leaf in unit.leaves) < SEEN}


def extent(blocking: Blocking, placed: Sequence[Placed]) -> float:
    """The longest side in mm of the bounds of everything at the end.

    Parameters
    ----------
    blocking : Blocking
    placed : sequence of Placed
    """
    boxes = blocking.scene.boxes.copy()
    for k, shift in end_shifts(placed).items():
        boxes[blocking.scene.places(blocking.units[k].leaves)] += shift
    return float((boxes[:, 1].max(0) - boxes[:, 0].min(0)).max())


def end_shifts(placed: Sequence[Placed]) -> dict[int, Vector]:
    """Where units stand at the end, as displacements (3,) in mm."""
    shifts: dict[int, Vector] = {}
    for each in placed:
        first = np.array(each.removal.first or (0.0, 0.0, 0.0))
        for k, direction in zip(each.removal.units, each.removal.directions, strict=True):
            shifts[k] = first + np.array(direction) * each.distance
        for k, shift in end_shifts(each.inner).items():
            shifts[k] = shifts[k] + shift
    return shifts
