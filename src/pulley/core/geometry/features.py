"""Surface features kept from the B-rep: planes and round faces, in the part's own frame."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

Point = tuple[float, float, float]


@dataclass(frozen=True)
class Plane:
    """A flat face: a point on it, its outward normal, and its area in mm2."""

    origin: Point
    normal: Point
    area: float

    @classmethod
    def from_row(cls, row: NDArray[np.float64]) -> "Plane":
        """A plane from seven numbers: origin, normal, area."""
        return cls(tuple(row[:3].tolist()), tuple(row[3:6].tolist()), float(row[6]))


@dataclass(frozen=True)
class Cylinder:
    """A round face: a point on its axis at mid-length, the axis direction, radius, length; hole or shaft."""

    origin: Point
    direction: Point
    radius: float
    length: float
    hole: bool

    @cached_property
    def row(self) -> list[float]:
        """The cylinder as nine numbers, as `from_row` reads them."""
        return [*self.origin, *self.direction, self.radius, self.length, float(self.hole)]

    @classmethod
    def from_row(cls, row: NDArray[np.float64]) -> "Cylinder":
        """A cylinder from nine numbers: origin, direction, radius, length, 1 for a hole."""
        origin, direction = tuple(row[:3].tolist()), tuple(row[3:6].tolist())
        return cls(origin, direction, float(row[6]), float(row[7]), bool(row[8]))


def main_axis(cylinders: tuple[Cylinder, ...]) -> Cylinder | None:
    """The round face that says most about where a part's axis runs: most area, shafts before holes."""
    return max(cylinders, key=lambda c: c.radius * c.length * (1 if c.hole else 2), default=None)
