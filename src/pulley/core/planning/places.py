"""Where everything stands while distances are worked out, and the rules that it is spaced by."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from pulley.core.geometry.frames import Vector, view_frame
from pulley.core.planning.blocking import Blocking, Direction
from pulley.core.planning.outlines import Outlines, Page, Shadows
from pulley.core.planning.peeling import Removal

Boxes = NDArray[np.float64]
AT_HOME: Direction = (0.0, 0.0, 0.0)


class NoRoom(Exception):  # noqa: N818 - no fault
    """Something would have to go past all that goes aside; such a lay-out is none."""


@dataclass(frozen=True)
class Placed:
    """A removal with its distance in mm, the same for what it is taken apart into, and where it is set aside.

    One that is set aside goes ``lift`` along its way, then aside, then the rest of its distance.
    """

    removal: Removal
    distance: float
    inner: tuple["Placed", ...] = ()
    aside: Direction = (0.0, 0.0, 0.0)
    lift: float = 0.0


@dataclass(frozen=True)
class Spacing:
    """How things are spaced: a gap and a pitch in mm; on a page, the share of each that is to be seen.

    ``aside`` has, by units of a removal, the number of its column and the direction in which that stands. With
    ``split``, members of a group that need not go equally far do not. ``far`` has distances in mm that were picked,
    by unit, and ``sides`` the directions in which what is set aside is to stand.
    """

    gap: float
    pitch: float
    shadows: Shadows | None = None
    outlines: Outlines | None = None
    seen: float = 0.0
    aside: Mapping[tuple[int, ...], tuple[int, Direction]] = field(default_factory=dict)
    split: bool = False
    far: Mapping[int, float] = field(default_factory=dict)
    sides: Mapping[int, Direction] = field(default_factory=dict)

    def picked(self, removal: Removal) -> float | None:
        """The distance in mm that was picked for a removal."""
        return next((self.far[k] for k in removal.units if k in self.far), None)


@dataclass(eq=False)
class Room:
    """Where units stand at the end: displacements in mm from home, of those that stay or are placed already.

    ``ways`` has the direction of those that go one way only, None for the others. ``passed`` has, the last to leave
    first, the bounds (k, 2, 3) of what each removal passes through; of one that goes aside, only those of its rise.
    """

    blocking: Blocking
    rules: Spacing
    page: Page | None
    places: NDArray[np.float64] = field(init=False)  # (n, k, 3): where each is in turn, the last one repeated
    here: NDArray[np.bool_] = field(init=False)
    lanes: list[Boxes] = field(default_factory=list)  # bounds (2, 3) of the ways along which things go aside
    passed: list[tuple[tuple[int, ...], Boxes]] = field(default_factory=list)
    ways: dict[int, Direction | None] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.places = np.zeros((len(self.blocking.units), 2, 3))
        self.here = np.zeros(len(self.blocking.units), bool)

    def boxes(self, direction: Direction) -> Boxes:
        """Bounds (n, 2, 3), in a direction's frame, of all that each unit passes through from home to its end."""
        turned = self.places @ view_frame(np.array(direction)).T
        swept = self.blocking.boxes(direction).copy()
        swept[:, 0] += np.minimum(turned.min(1), 0.0)
        swept[:, 1] += np.maximum(turned.max(1), 0.0)
        return swept

    def stand(self, k: int, places: Sequence[Vector], way: Direction | None) -> None:
        """A unit ends at the last of its places."""
        missing = len(places) - self.places.shape[1]
        if missing > 0:
            self.places = np.concatenate([self.places, np.repeat(self.places[:, -1:], missing, axis=1)], axis=1)
        self.places[k] = [*places, *[places[-1]] * (self.places.shape[1] - len(places))]
        self.here[k], self.ways[k] = True, way
        if self.page:
            self.page.put(k, places[-1])


def swept_box(box: Boxes, shifts: Sequence[Vector]) -> Boxes:
    """Bounds (2, 3) of a box (2, 3) at home and at each of its displacements (3,)."""
    if not shifts:
        return box
    reach = np.array(shifts)
    swept: Boxes = box + [np.minimum(reach.min(0), 0.0), np.maximum(reach.max(0), 0.0)]
    return swept
