"""Rows of like components: how even the gaps in them are, and the same rows with even ones."""

from collections.abc import Iterable, Iterator, Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from pulley.core.planning.blocking import Blocking
from pulley.core.planning.places import Placed
from pulley.core.planning.removal_steps import FANNED, flat

ALIKE = 2.0  # times as long, wide or high as its neighbour that one of a row may be

Row = list[Placed]


def rows_of(blocking: Blocking, placed: Iterable[Placed]) -> list[Row]:
    """Single units of about one size that stand in one line, the nearest first; at least as many as make a fan."""
    lines: dict[object, Row] = {}
    for each in flat(placed):
        if _is_plain(each):
            middle = _box(blocking, each).mean(0)[:2].round(1) + 0.0
            lines.setdefault((each.removal.directions, each.aside, *middle.tolist()), []).append(each)
    rows: list[Row] = []
    for line in lines.values():
        rows.append([])
        for each in sorted(line, key=lambda each: each.distance):
            if rows[-1] and not _alike(blocking, rows[-1][-1], each):
                rows.append([])
            rows[-1].append(each)
    return [row for row in rows if len(row) >= FANNED]


def _is_plain(each: Placed) -> bool:
    """Whether it is one unit that goes straight, or aside."""
    removal = each.removal
    bent = removal.inner or removal.legs or removal.axis or removal.twist
    return len(removal.units) == 1 and not bent


def _box(blocking: Blocking, each: Placed) -> NDArray[np.float64]:
    """Bounds (2, 3) of a single unit at home, in the frame of its way."""
    box: NDArray[np.float64] = blocking.boxes(each.removal.directions[0])[each.removal.units[0]]
    return box


def _alike(blocking: Blocking, one: Placed, other: Placed) -> bool:
    sizes = [np.maximum(np.ptp(_box(blocking, each), axis=0), 1e-6) for each in (one, other)]
    return bool(np.abs(np.log(sizes[0] / sizes[1])).max() <= np.log(ALIKE))


def _added(row: Sequence[Placed]) -> list[float]:
    """By how much the units of a row, in mm, have moved apart from one another."""
    return [after.distance - before.distance for before, after in pairwise(row)]


def unevenness(blocking: Blocking, placed: Iterable[Placed]) -> float:
    """The share of units that are in rows, each row by how much its least gap falls short of its widest."""
    rows = [(row, _added(row)) for row in rows_of(blocking, placed)]
    return sum(len(row) * (1 - min(added) / max(added)) for row, added in rows if max(added) > 0) / len(blocking.units)


def evened(blocking: Blocking, placed: Sequence[Placed], pitch: float) -> Iterator[dict[int, float]]:
    """Distances in mm of the units of uneven rows with which these are even: as long as they are, or with the widest
    gap everywhere."""
    rows = [row for row in rows_of(blocking, placed) if min(_added(row)) < max(_added(row))]
    for gap_of in (np.mean, max):
        found: dict[int, float] = {}
        for row in rows:
            gap = float(np.ceil(gap_of(_added(row)) / pitch - 1e-9)) * pitch
            found |= {each.removal.units[0]: round(row[0].distance + k * gap, 6) for k, each in enumerate(row)}
        if found:
            yield found
