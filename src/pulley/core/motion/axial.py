"""Axial: straight along a direction."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import ClassVar, Self

import numpy as np

from pulley.core.assembly import Assembly
from pulley.core.errors import PulleyError
from pulley.core.geometry.directions import direction_word
from pulley.core.geometry.frames import Pose, Vector3, triple, unit
from pulley.core.motion.base import (
    DISTANCE,
    FAN,
    Displaced,
    Fan,
    Fanned,
    Motion,
    Shorter,
    check_direction,
    checked_distance,
    mapped_vector,
    reversed_vector,
)
from pulley.core.motion.travel import Slide, Travel
from pulley.core.quantities import PITCH, round_down, shown

EVEN = 1e-6  # mm
ROUND = (PITCH, 0.1)  # mm that a shortened travel is a multiple of, the coarse one first


@dataclass(frozen=True)
class Axial(Fanned):
    """Straight along ``direction`` (of any length but zero) by ``distance`` mm; members may spread as a fan."""

    direction: Vector3 = (0.0, 0.0, 1.0)
    distance: float = 0.0

    kind: ClassVar = "axial"
    quantities: ClassVar = {"distance": "distance", "pitch": "length", "total": "length"}
    schema: ClassVar = {
        "direction": {"$ref": "#/$defs/vector"},
        "distance": DISTANCE,
        "fan": FAN,
    }
    required: ClassVar = {"required": ["direction", "distance"]}

    def check(self, members: Sequence[str]) -> None:
        """Raise PulleyError for no direction, no distance, or layers that do not add up."""
        checked_distance(self.distance)
        check_direction(self.direction, "direction")
        self.fan.check(len(members))

    def travel(self, assembly: Assembly, member: str, farther: float, before: Displaced) -> Travel:
        """A slide by the distance, and farther in a fan."""
        return Slide.along((unit(np.array(self.direction, float)) * (self.distance + farther))[None])

    def words(self, count: int, unit: str) -> str:
        """``up, 60 mm``."""
        return f"{direction_word(self.direction)}, {shown(self.distance, unit)} {unit}{self.fan.words(count, unit)}"

    def reversed(self) -> Self:
        """The same along the opposite direction."""
        return replace(self, direction=reversed_vector(self.direction))

    def scaled(self, factor: float) -> Self:
        """Distance and spacing ``factor`` times as long."""
        return replace(self, distance=checked_distance(self.distance * factor), fan=self.fan.scaled(factor))

    def mapped(self, isometry: Pose) -> Self:
        """Along the image of the direction."""
        return replace(self, direction=mapped_vector(isometry, self.direction))

    def corners(self) -> tuple[Vector3, ...]:
        """Its end."""
        return (triple(unit(np.array(self.direction, float)) * self.distance),)

    def alone(self, member: str, farther: float) -> Self:
        """As far as the fan sent the member."""
        return replace(self, distance=self.distance + farther, fan=Fan())

    def merged(self, moves: Sequence[tuple[tuple[str, ...], Motion]]) -> tuple[tuple[str, ...], Motion]:
        """The same motion for all; or a fan, where they go one way at even distances."""
        along = [motion for _, motion in moves if isinstance(motion, Axial) and motion.fan == Fan()]
        if len(along) < len(moves) or all(motion == self for motion in along):
            return super().merged(moves)
        if len({tuple(np.round(unit(np.array(motion.direction)), 9)) for motion in along}) > 1:
            return super().merged(moves)
        rising = sorted(zip(along, (who for who, _ in moves), strict=True), key=lambda move: move[0].distance)
        return self._as_fan([(motion.distance, who) for motion, who in rising])

    def _as_fan(self, rising: list[tuple[float, tuple[str, ...]]]) -> tuple[tuple[str, ...], Motion]:
        """The fan in which members go as far as they did; PulleyError when that is not evenly spaced."""
        distances = sorted({distance for distance, _ in rising})
        gaps = [b - a for a, b in pairwise(distances)]
        if np.ptp(gaps) > EVEN:
            raise PulleyError("These steps go different distances not evenly spaced. Give them one distance first.")
        layers = tuple(sum(len(who) for d, who in rising if d == distance) for distance in distances)
        fan = Fan(float(gaps[0]), layers=layers if max(layers) > 1 else ())
        return tuple(m for _, who in rising for m in who), replace(self, distance=distances[0], fan=fan)

    def shorter(self, share: float, way: Travel, spread: bool) -> Iterator[Shorter]:
        """To a round distance, else to tenths of a millimetre."""
        if not spread:
            distances = (round_down(self.distance * share, pitch) for pitch in ROUND)
            yield from (Shorter(distance) for distance in distances if distance > 0)

    def shortened(self, to: Shorter) -> Self:
        """Only as far as that."""
        return replace(self, distance=to.distance)
