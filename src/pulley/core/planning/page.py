"""A lay-out on a page: from where it is seen, how large it can be drawn, and what it is worth."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from pulley.core.geometry.frames import Vector3
from pulley.core.planning.blocking import Blocking, Direction
from pulley.core.planning.evening import unevenness
from pulley.core.planning.gaps import end_shifts, usual_gap
from pulley.core.planning.peeling import Removal
from pulley.core.planning.places import NoRoom, Placed, Spacing
from pulley.core.planning.removal_steps import step_count
from pulley.core.planning.spacing import empty_room, placed_in
from pulley.core.scales import factor, largest_scale

NOTHING = 1e-6  # the scale of what is no lay-out
SEEN = 0.3  # share of a unit from which it counts as seen on the page
WEIGHTS = {  # of what a lay-out is worth, the first three for a doubling
    "scale": 4.0,  # the standard scale
    "fit": 1.0,  # the largest scale of any
    "gap": 0.6,
    "column": -0.5,
    "hidden": -40.0,  # for all units; each its share
    "overlap": -2.0,  # for all of the outlines behind others
    "uneven": -3.0,  # for all units: the share of those in rows of like ones, as far as the gaps in these differ
    "step": -0.5,  # of evenly spaced rows that are one step, each
}


@dataclass(frozen=True)
class Rooms:
    """What a page leaves for a view: widths and heights in mm that it may fill, and the directions to look from.

    The usual ones are those of A3, wide, with a short parts list beside the view.
    """

    sizes: tuple[tuple[float, float], ...] = ((262.0, 222.0),)
    views: tuple[Vector3, ...] = ((0.62, -0.66, 0.43),)
    up: Vector3 = (0.0, 0.0, 1.0)

    def fit(self, size: NDArray[np.float64]) -> float:
        """Mm of paper for each mm of a picture of a size (2,), at most."""
        wide, tall = np.maximum(size, 1e-6)
        return max(float(min(w / wide, h / tall)) for w, h in self.sizes)


@dataclass(frozen=True)
class OnPage:
    """How a lay-out stands on a page: from where it is seen (3,), the largest scale that would fit, the shares of units
    hidden and of outlines behind others, its gap in mm, how many columns are set aside, and what it is worth."""

    view: Vector3
    fit: float
    hidden: float
    overlap: float
    gap: float
    columns: int
    worth: float

    @property
    def scale(self) -> float:
        """The largest standard scale, as a factor."""
        return factor(largest_scale(self.fit))


@dataclass(frozen=True)
class Layout:
    """Removals placed for a page by rules, and how they stand there."""

    placed: tuple[Placed, ...]
    rules: Spacing
    page: OnPage


def laid(blocking: Blocking, removals: Sequence[Removal], rooms: Rooms, view: Vector3, rules: Spacing) -> Layout:
    """Removals placed by rules, and what that is worth on a page."""
    rules = replace(rules, aside=_sided(rules))
    outlines = rules.outlines
    assert outlines is not None
    room = empty_room(blocking, rules)
    try:
        placed = placed_in(room, removals, range(len(blocking.units)))
    except NoRoom:
        return Layout((), rules, OnPage(view, NOTHING, 1.0, 1.0, rules.gap, 0, -math.inf))
    page = room.page
    assert page is not None
    fit = rooms.fit(outlines.extent(end_shifts(placed)))
    overlap = page.overlapped()
    columns = len({number for number, _ in rules.aside.values()})
    worth = (
        WEIGHTS["scale"] * math.log2(factor(largest_scale(fit)))
        + WEIGHTS["fit"] * math.log2(fit)
        + WEIGHTS["gap"] * math.log2(rules.gap / usual_gap(blocking))
        + WEIGHTS["column"] * columns
        + WEIGHTS["hidden"] * unseen(page.shares)
        + WEIGHTS["overlap"] * overlap
        + WEIGHTS["uneven"] * unevenness(blocking, placed)
        + WEIGHTS["step"] * step_count(blocking, placed)
    )
    hidden = float((page.shares < SEEN).mean())
    return Layout(tuple(placed), rules, OnPage(view, fit, hidden, overlap, rules.gap, columns, worth))


def _sided(rules: Spacing) -> dict[tuple[int, ...], tuple[int, Direction]]:
    """What is set aside, each column on the side that was picked for something in it."""
    picked = {number: rules.sides[k] for units, (number, _) in rules.aside.items() for k in units if k in rules.sides}
    return {units: (number, picked.get(number, side)) for units, (number, side) in rules.aside.items()}


def unseen(shares: NDArray[np.float64]) -> float:
    """How far units fall short of being seen, 0 to 1: those that are seen enough not at all, hidden ones wholly.

    >>> unseen(np.array([1.0, 0.3, 0.15, 0.0]))
    0.375
    """
    return float(np.maximum(1 - shares / SEEN, 0.0).mean())
