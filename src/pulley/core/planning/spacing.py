"""How far everything goes: clear of what stays by a gap, in the order of the stack, and no farther than that."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from pulley.core.geometry.frames import Vector, view_frame
from pulley.core.planning.blocking import Blocking, Direction
from pulley.core.planning.removal_order import Removal

Boxes = NDArray[np.float64]


@dataclass(frozen=True)
class Placed:
    """A removal with its distance in mm, and the same for what it is taken apart into."""

    removal: Removal
    distance: float
    inner: tuple["Placed", ...] = ()


@dataclass(eq=False)
class _Room:
    """Where units stand at the end: displacements in mm from home, of those that stay or are placed already."""

    blocking: Blocking
    gap: float
    pitch: float
    wider: Mapping[Removal, float]
    ends: dict[int, list[Vector]] = field(default_factory=dict)

    def boxes(self, direction: Direction, units: Sequence[int]) -> Boxes:
        """Bounds (n, 2, 3), in a direction's frame, of all that each unit passes through from home to its end."""
        frame, home = view_frame(np.array(direction)), self.blocking.boxes(direction)
        return np.array([_swept(home[k], [frame @ shift for shift in self.ends[k]]) for k in units]).reshape(-1, 2, 3)


def _swept(box: Boxes, shifts: Sequence[Vector]) -> Boxes:
    """Bounds (2, 3) of a box (2, 3) at home and at each of its displacements (3,)."""
    places = np.array([box, *(box + shift for shift in shifts)])
    return np.array([places[:, 0].min(0), places[:, 1].max(0)])


def place(
    blocking: Blocking,
    removals: Sequence[Removal],
    present: Sequence[int],
    gap: float,
    pitch: float,
    wider: Mapping[Removal, float] | None = None,
) -> list[Placed]:
    """Distances for removals in their order, multiples of ``pitch``, each step clear of all that comes after it.

    Worked out from the last removal to the first, as the way back together goes: each goes just as far as it
    must to stand, by a gap, beyond what stays and what leaves after it on its way (compact explosion graphs:
    Li, Agrawala, Curless and Salesin 2008, from memory; by bounds in the frame of each direction). ``wider`` has
    how many times the gap some removals keep.
    """
    moved = {k for removal in removals for k in removal.units}
    room = _Room(blocking, gap, pitch, wider or {}, {k: [] for k in present if k not in moved})
    return _place(room, removals)


def _place(room: _Room, removals: Sequence[Removal]) -> list[Placed]:
    placed: list[Placed] = []
    for removal in reversed(removals):
        inner = _inside(room, removal)
        shifts = {k: _first(removal) for k in removal.units}
        apart = _shifts_of(inner)
        distance = _distance(room, removal, apart)
        for k, direction in zip(removal.units, removal.directions, strict=True):
            out = shifts[k] + np.array(direction) * distance
            room.ends[k] = [shifts[k], out, *(out + shift for shift in apart.get(k, []))]
        placed.append(Placed(removal, distance, tuple(inner)))
    return placed[::-1]


def _inside(room: _Room, removal: Removal) -> list[Placed]:
    """Distances for what a set is taken apart into, with nothing else about."""
    if not removal.inner:
        return []
    return place(room.blocking, removal.inner, removal.units, room.gap, room.pitch)


def _first(removal: Removal) -> Vector:
    return np.array(removal.first or (0.0, 0.0, 0.0))


def _shifts_of(inner: Sequence[Placed]) -> dict[int, list[Vector]]:
    """Where units stand after each of the moves that take a set apart, relative to the set."""
    found: dict[int, list[Vector]] = {}
    for placed in inner:
        deeper = _shifts_of(placed.inner)
        for k, direction in zip(placed.removal.units, placed.removal.directions, strict=True):
            out = _first(placed.removal) + np.array(direction) * placed.distance
            found.setdefault(k, []).extend([out, *(out + shift for shift in deeper.get(k, []))])
    return found


def _distance(room: _Room, removal: Removal, apart: dict[int, list[Vector]]) -> float:
    """The least multiple of the pitch at which every member stands free of all that is placed."""
    others, taken, gap = sorted(room.ends), [], room.gap * room.wider.get(removal, 1.0)
    for k, direction in zip(removal.units, removal.directions, strict=True):
        frame = view_frame(np.array(direction))
        start = frame @ _first(removal)
        mine = _swept(room.blocking.boxes(direction)[k] + start, [frame @ shift for shift in apart.get(k, [])])
        theirs = room.boxes(direction, others)
        beside = (
            (theirs[:, 0, :2] < mine[1, :2] + room.gap / 4) & (theirs[:, 1, :2] > mine[0, :2] - room.gap / 4)
        ).all(1)
        taken += [(low - gap - mine[1, 2], high + gap - mine[0, 2]) for low, high in theirs[beside][:, :, 2]]
    return _least_free(taken, gap, room.pitch)


def _least_free(taken: list[tuple[float, float]], least: float, pitch: float) -> float:
    """The least multiple of a pitch, from ``least`` on, that lies in none of the intervals.

    >>> _least_free([(-5.0, 12.0), (14.0, 18.0), (31.0, 40.0)], 2.0, 5.0)
    20.0
    """
    distance = math.ceil(least / pitch - 1e-9) * pitch
    for low, high in sorted(taken):
        if low < distance < high:
            distance = math.ceil(high / pitch - 1e-9) * pitch
    return round(distance, 6)
