"""Turn: about an axis, with an advance along it for a thread."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from typing import ClassVar, Self

import numpy as np

from pulley.core.assembly import Assembly
from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import Pose
from pulley.core.motion.base import Axis, Displaced, Motion, Shorter, check_direction, hand, mapped_axis
from pulley.core.motion.travel import Screw, Travel
from pulley.core.quantities import plain, shown

DEGREE = 1.0  # what round angles are multiples of
ANGLE_LIMIT = 72000.0  # degrees
ADVANCE_LIMIT = 1e4  # mm for each whole turn


@dataclass(frozen=True)
class Turn(Motion):
    """About ``axis`` by ``angle`` degrees, right-handed, with ``advance`` mm along it for each whole turn."""

    axis: Axis
    angle: float
    advance: float = 0.0

    kind: ClassVar = "turn"
    quantities: ClassVar = {"angle": "angle", "advance": "length"}
    schema: ClassVar = {
        "axis": {"$ref": "#/$defs/axis"},
        "angle": {"description": "Degrees", "type": "number", "minimum": -72000, "maximum": 72000},
        "advance": {"description": "mm for each whole turn", "type": "number", "minimum": -1e4, "maximum": 1e4},
    }
    required: ClassVar = {"required": ["axis", "angle"]}

    def check(self, members: Sequence[str]) -> None:
        """Raise PulleyError for an axis without direction, no angle, or round and round in the same place."""
        check_direction(self.axis.direction, "axis.direction")
        if not abs(self.angle) <= ANGLE_LIMIT or not abs(self.advance) <= ADVANCE_LIMIT:
            raise PulleyError(f"A turn is at most {ANGLE_LIMIT:,.0f}°, with at most {ADVANCE_LIMIT:,.0f} mm a turn.")
        if self.angle == 0:
            raise PulleyError("angle is 0, so nothing turns. Give degrees, such as 90 or -90.")
        if abs(self.angle) > 360 and self.advance == 0:
            raise PulleyError(
                f"angle is {self.angle:g} degrees, more than a whole turn in one place. "
                "Give at most 360, or an advance in mm for each turn."
            )

    def travel(self, assembly: Assembly, member: str, farther: float, before: Displaced) -> Travel:
        """A screw motion."""
        return Screw.about(self.axis.origin, self.axis.direction, self.angle, self.advance)

    def words(self, count: int, unit: str) -> str:
        """``turned by 90° clockwise``, as it looks to somebody towards whom the axis points."""
        onward = f", {shown(abs(self.advance), unit)} {unit} a turn" if self.advance else ""
        way = "anticlockwise" if self.angle > 0 else "clockwise"
        far = f"by {plain(abs(self.angle))}°" if abs(self.angle) <= 360 else f"{plain(abs(self.angle) / 360)} times"
        return f"turned {far} {way}{onward}"

    def reversed(self) -> Self:
        """By the opposite angle."""
        return replace(self, angle=-self.angle)

    def mapped(self, isometry: Pose) -> Self:
        """About the image of the axis; the other way round in a mirror."""
        sense = hand(isometry)
        axis = mapped_axis(isometry, self.axis)
        return replace(self, axis=axis, angle=sense * self.angle, advance=sense * self.advance)

    def shorter(self, share: float, way: Travel, spread: bool) -> Iterator[Shorter]:
        """To whole degrees."""
        degrees = float(np.floor(abs(self.angle) * share / DEGREE + 1e-6) * DEGREE)
        if degrees > 0:
            yield Shorter(degrees)

    def shortened(self, to: Shorter) -> Self:
        """Only as far as that."""
        return replace(self, angle=float(np.copysign(to.distance, self.angle)))
