"""Gaps that suit: what is asked for, or what fills a length; and where everything stands at the end."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from pulley.core.geometry.frames import Vector
from pulley.core.planning.blocking import Blocking
from pulley.core.planning.outlines import Shadows
from pulley.core.planning.peeling import Removal
from pulley.core.planning.places import Placed, Spacing
from pulley.core.planning.spacing import place
from pulley.core.quantities import round_pitch

GAP_SHARE = 0.03  # of the assembly's diagonal, left between one component and the next


def usual(blocking: Blocking, gap: float | None = None, split: bool = False) -> Spacing:
    """A gap of 3 % of the assembly's diagonal, or the one in mm that is asked for; distances in round numbers. With
    ``split``, members of one group that need not go equally far do not."""
    pitch = round_pitch(blocking.scene.assembly.diagonal, "mm")
    return Spacing(gap or usual_gap(blocking), pitch, Shadows(blocking), split=split)


def usual_gap(blocking: Blocking) -> float:
    """The gap in mm that suits an assembly."""
    diagonal = blocking.scene.assembly.diagonal
    return max(GAP_SHARE * diagonal, round_pitch(diagonal, "mm"))


def filling(blocking: Blocking, removals: Sequence[Removal], rules: Spacing, length: float) -> list[Placed]:
    """Distances with the widest gap with which the longest side is no longer than ``length`` mm, found by halving."""
    everything = range(len(blocking.units))
    low, high = rules.pitch / 10, max(length, rules.gap)
    for _ in range(12):
        gap = (low + high) / 2
        fits = extent(blocking, place(blocking, removals, everything, replace(rules, gap=gap))) <= length
        low, high = (gap, high) if fits else (low, gap)
    return place(blocking, removals, everything, replace(rules, gap=low))


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
        first = sum(each.removal.bends[-1:], np.zeros(3)) + np.array(each.aside)
        for k, direction in zip(each.removal.units, each.removal.directions, strict=True):
            shifts[k] = first + np.array(direction) * each.distance
        for k, shift in end_shifts(each.inner).items():
            shifts[k] = shifts[k] + shift
    return shifts
