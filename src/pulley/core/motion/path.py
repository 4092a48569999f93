"""Path: along waypoints, with sharp or rounded corners."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import ClassVar, Self

import numpy as np
from numpy.typing import NDArray

from pulley.core.assembly import Assembly
from pulley.core.errors import PulleyError
from pulley.core.geometry.curves import catmull_rom
from pulley.core.geometry.frames import Pose, Vector3, triple, unit
from pulley.core.motion.base import FAN, Displaced, Fan, Fanned, Shorter, mapped_vector, reversed_vector
from pulley.core.motion.travel import Slide, Travel
from pulley.core.quantities import DISTANCE_LIMIT, counted

NOWHERE = 1e-6  # mm; waypoints nearer than this are the same
SHORT_OF = 0.1  # mm before a meeting at which a shortened path ends


@dataclass(frozen=True)
class Path(Fanned):
    """Along ``waypoints``, displacements (3,) in mm from where the step starts, with corners rounded when ``smooth``.

    In a fan, members go farther along the last leg.
    """

    waypoints: tuple[Vector3, ...]
    smooth: bool = False

    kind: ClassVar = "path"
    quantities: ClassVar = {"pitch": "length", "total": "length"}
    schema: ClassVar = {
        "waypoints": {
            "description": "Displacements in mm from the position at the start of the step",
            "type": "array",
            "items": {"$ref": "#/$defs/vector"},
            "minItems": 1,
            "maxItems": 1000,
        },
        "smooth": {"type": "boolean"},
        "fan": FAN,
    }
    required: ClassVar = {"required": ["waypoints"]}

    def check(self, members: Sequence[str]) -> None:
        """Raise PulleyError for a path that stays where it is, or comes back to where it began."""
        bends = [(0.0, 0.0, 0.0), *self.waypoints]
        for number, (before, after) in enumerate(pairwise(bends), 1):
            if np.linalg.norm(np.subtract(before, after)) < NOWHERE:
                raise PulleyError(f"waypoints: number {number} is where the path already is. Take it out.")
        if np.linalg.norm(bends[-1]) < NOWHERE:
            raise PulleyError(
                f"waypoints: number {len(self.waypoints)} brings the path back to where it began. "
                "End it elsewhere, or make two steps of it."
            )
        self.fan.check(len(members))

    def travel(self, assembly: Assembly, member: str, farther: float, before: Displaced) -> Travel:
        """A slide through the waypoints, its end farther on in a fan."""
        points = np.array(self.waypoints, float)
        if self.smooth:
            points = catmull_rom(np.vstack([np.zeros(3), points]))[1:]
        return Slide.along(np.vstack([points[:-1], points[-1] + unit(_last_leg(points)) * farther]))

    def words(self, count: int, unit: str) -> str:
        """``along a path of 2 legs``."""
        legs = counted(len(self.waypoints), "leg")
        return f"along a {'rounded ' if self.smooth else ''}path of {legs}{self.fan.words(count, unit)}"

    def reversed(self) -> Self:
        """Along the opposite waypoints."""
        return replace(self, waypoints=tuple(map(reversed_vector, self.waypoints)))

    def scaled(self, factor: float) -> Self:
        """Waypoints and spacing ``factor`` times as far; PulleyError when one would be too far."""
        points = tuple((x * factor, y * factor, z * factor) for x, y, z in self.waypoints)
        if any(abs(c) > DISTANCE_LIMIT for point in points for c in point):
            raise PulleyError(f"A waypoint would be more than {DISTANCE_LIMIT:,.0f} mm away. Choose a smaller factor.")
        return replace(self, waypoints=points, fan=self.fan.scaled(factor))

    def mapped(self, isometry: Pose) -> Self:
        """Along the images of the waypoints."""
        return replace(self, waypoints=tuple(mapped_vector(isometry, point) for point in self.waypoints))

    def corners(self) -> tuple[Vector3, ...]:
        """The waypoints, unless they are rounded."""
        return () if self.smooth else self.waypoints

    def alone(self, member: str, farther: float) -> Self:
        """As far as the fan sent the member."""
        end = np.array(self.waypoints[-1])
        if farther:
            end = end + unit(_last_leg(np.array(self.waypoints, float))) * farther
        return replace(self, waypoints=(*self.waypoints[:-1], triple(end)), fan=Fan())

    def shorter(self, share: float, way: Travel, spread: bool) -> Iterator[Shorter]:
        """Up to a tenth of a millimetre before the first meeting."""
        if not isinstance(way, Slide) or spread:
            return
        share -= SHORT_OF / way.length(1.0)
        if share > 0:
            kept = way.points[(way.shares > 0) & (way.shares < share)]
            points = np.round(np.vstack([kept, way.offset(share)]), 3)
            yield Shorter(round(way.length(share), 3), tuple(map(triple, points)))

    def shortened(self, to: Shorter) -> Self:
        """Only as far as those waypoints, its corners sharp."""
        return replace(self, waypoints=to.waypoints, smooth=False)


def _last_leg(points: NDArray[np.float64]) -> NDArray[np.float64]:
    """The last leg (3,) of a path through displacements (k, 3)."""
    return points[-1] - (points[-2] if len(points) > 1 else np.zeros(3))
