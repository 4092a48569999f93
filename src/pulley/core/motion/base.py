"""What every kind of motion answers, and what several kinds share: an axis, a fan, a mapped point."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import groupby
from typing import Any, ClassVar, Self

import numpy as np

from pulley.core.assembly import Assembly
from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import Pose, Vector3, apply, triple, unit
from pulley.core.motion.travel import Travel
from pulley.core.quantities import DISTANCE_LIMIT, shown

Displaced = Mapping[str, Pose]  # rigid displacements (4, 4) from home, by path; leaves at home are left out
Schema = Mapping[str, Any]  # a piece of JSON Schema
DISTANCE: Schema = {"type": "number", "exclusiveMinimum": 0, "maximum": 1e6}
FAN: Schema = {
    "description": "Member k goes k times the pitch farther; or the last one farther by the total, the others evenly",
    "oneOf": [{"required": ["pitch"]}, {"required": ["total"]}],
    "type": "object",
    "properties": {
        "pitch": {"type": "number", "minimum": 0, "maximum": 1e6},
        "total": {"type": "number", "minimum": 0, "maximum": 1e6},
        "layers": {
            "description": "How many members, in their order, go together as one member of the fan, layer by layer",
            "type": "array",
            "items": {"type": "integer", "minimum": 1, "maximum": 20000},
            "minItems": 1,
            "maxItems": 20000,
        },
    },
}


@dataclass(frozen=True)
class Axis:
    """A line in space: a point on it in mm, and its direction, of any length but zero."""

    origin: Vector3
    direction: Vector3


@dataclass(frozen=True)
class Fan:
    """How members that go the same way spread: member k goes ``k * pitch`` mm farther than the first, or the last one
    ``total`` mm farther than the first and the others evenly between.

    ``layers`` are the sizes of groups of members, in their order, each group as one member of the fan.
    """

    pitch: float = 0.0
    total: float | None = None
    layers: tuple[int, ...] = ()

    def ranks(self, count: int) -> tuple[int, ...]:
        """The place of each of ``count`` members in the fan: its own number, or that of its layer.

        >>> Fan(5.0, layers=(2, 1)).ranks(3)
        (0, 0, 1)
        """
        if not self.layers:
            return tuple(range(count))
        return tuple(k for k, size in enumerate(self.layers) for _ in range(size))

    def spacing(self, count: int) -> float:
        """How much farther in mm each of ``count`` members, or each layer, goes than the one before it."""
        places = len(self.layers) or count
        return self.pitch if self.total is None else self.total / max(places - 1, 1)

    def check(self, count: int) -> None:
        """Raise PulleyError when the layers do not hold each of ``count`` members once."""
        if self.layers and sum(self.layers) != count:
            raise PulleyError(
                f"fan.layers: the layers hold {sum(self.layers)} members, the step {count}. "
                "Every member is in one layer."
            )

    def scaled(self, factor: float) -> "Fan":
        """The same fan, spread ``factor`` times as wide."""
        return replace(self, pitch=self.pitch * factor, total=self.total and self.total * factor)

    def regrouped(self, before: Sequence[str], after: Sequence[str]) -> "Fan":
        """The fan for other members, or another order; neighbours that shared a layer still do."""
        if not self.layers:
            return self
        layer = dict(zip(before, self.ranks(len(before)), strict=True))
        return replace(self, layers=tuple(len(list(run)) for _, run in groupby(after, lambda m: layer.get(m, m))))

    def words(self, count: int, unit: str) -> str:
        """``, fanned in 3 layers by 20 mm``; nothing where nothing spreads."""
        spacing = self.spacing(count)
        layers = f" in {len(self.layers)} layers" if self.layers else ""
        return f", fanned{layers} by {shown(spacing, unit)} {unit}" if spacing else ""


class Motion:
    """How a step moves its members. A kind of motion is one frozen dataclass in a module of its own.

    ``kind`` is its name in files; ``quantities`` are its fields that a person types, each with what it is (see
    `quantities`); ``schema`` and ``required`` say in JSON Schema what a file holds of it; ``codec`` has what the
    converter of `formats.teardown` should do otherwise for a field. ``alike`` says that all members of a step travel
    the same way when no fan spreads them, ``anywhere`` that where a step finds them does not matter to their travel.
    """

    kind: ClassVar[str]
    quantities: ClassVar[Mapping[str, str]] = {}
    schema: ClassVar[Schema] = {}
    required: ClassVar[Schema] = {}
    codec: ClassVar[Mapping[str, Any]] = {}
    alike: ClassVar[bool] = True
    anywhere: ClassVar[bool] = True
    fan: Fan = Fan()
    waypoints: tuple[Vector3, ...] = ()

    def check(self, members: Sequence[str]) -> None:
        """Raise PulleyError when this is no motion for these members."""
        raise NotImplementedError

    def travel(self, assembly: Assembly, member: str, farther: float, before: Displaced) -> Travel:
        """The travel of one member, ``farther`` mm on in the fan; ``before`` says how far from home the leaves are."""
        raise NotImplementedError

    def words(self, count: int, unit: str) -> str:
        """The motion of ``count`` members in words that follow them: ``up, 60 mm``."""
        raise NotImplementedError

    def reversed(self) -> Self:
        """The motion the other way; PulleyError when it has none."""
        raise NotImplementedError

    def scaled(self, factor: float) -> Self:
        """The motion ``factor`` times as long; what has no length stays."""
        return self

    def mapped(self, isometry: Pose) -> Self:
        """What does at the image of an isometry (4, 4) what this does; a mirror turns the other way round."""
        raise NotImplementedError

    def corners(self) -> tuple[Vector3, ...]:
        """The displacements (3,) in mm that it passes straight through, its end the last; none when it is curved."""
        return ()

    def named(self) -> Mapping[str, Sequence[str]]:
        """The components that it names beside its step's members, by field."""
        return {}

    def renamed(self, other: Mapping[str, str]) -> Self:
        """The motion of other components: what it names beside its members is called as ``other`` has it."""
        return self

    def with_members(self, before: Sequence[str], after: Sequence[str]) -> Self:
        """The motion once the step has other members, or the same in another order."""
        return self

    def ungrouped(self) -> Self:
        """The motion less what it says of single members: its layers, what follows what."""
        return self

    def bare(self) -> Self:
        """The motion less all that tells members apart: its fan as well."""
        return self.ungrouped()

    def alone(self, member: str, farther: float) -> Self:
        """The motion of one member by itself that goes ``farther`` mm on in the fan."""
        return self

    def straightened(self, assembly: Assembly, member: str) -> "Motion":
        """The motion that one member makes, with a direction of its own."""
        return self

    def merged(self, moves: Sequence[tuple[tuple[str, ...], "Motion"]]) -> tuple[tuple[str, ...], "Motion"]:
        """One motion for the members of several steps, with them in order; ``moves`` has each step's, this one first.

        Raises PulleyError when they go different ways.
        """
        if any(motion.bare() != self.bare() or motion.fan.spacing(len(who)) for who, motion in moves):
            raise PulleyError("These steps go different ways. Give them one direction and kind first, then merge.")
        return tuple(member for who, _ in moves for member in who), self.together([motion for _, motion in moves])

    def together(self, motions: Sequence["Motion"]) -> Self:
        """This motion with what equal ones say of their single members."""
        return self

    def shorter(self, share: float, way: Travel, spread: bool) -> Iterator["Shorter"]:
        """How it can go less far, in round numbers, when it is free up to a ``share``; ``spread`` by a fan or not."""
        yield from ()

    def shortened(self, to: "Shorter") -> Self:
        """The motion as far as that."""
        raise NotImplementedError


@dataclass(frozen=True)
class Fanned(Motion):
    """A motion whose members may spread as a fan."""

    fan: Fan = field(default=Fan(), kw_only=True)

    def with_members(self, before: Sequence[str], after: Sequence[str]) -> Self:
        """With the fan's layers as the members are grouped now."""
        return replace(self, fan=self.fan.regrouped(before, after))

    def ungrouped(self) -> Self:
        """Without layers."""
        return replace(self, fan=replace(self.fan, layers=()))

    def bare(self) -> Self:
        """Without its fan."""
        return replace(self, fan=Fan())


@dataclass(frozen=True)
class Shorter:
    """How far a motion goes: in mm or degrees, and where it bends on the way."""

    distance: float
    waypoints: tuple[Vector3, ...] = ()


def checked_distance(distance: float) -> float:
    """The distance, when it is above 0 and not absurd.

    Raises
    ------
    PulleyError
        With the distances that are possible.

    Examples
    --------
    >>> checked_distance(60)
    60.0
    """
    if not 0 < distance <= DISTANCE_LIMIT:
        raise PulleyError(f"A distance is above 0 and at most {DISTANCE_LIMIT:,.0f} mm.")
    return float(distance)


def check_direction(direction: Vector3, field: str) -> None:
    """Raise PulleyError, with the field's name, when a direction has no length or is not finite."""
    try:
        unit(np.array(direction, float))
    except ValueError as error:
        raise PulleyError(f"{field} is no direction: {error}.") from error


def reversed_vector(vector: Vector3) -> Vector3:
    """The vector the other way, without negative zeros.

    Examples
    --------
    >>> reversed_vector((1.0, 0.0, -2.0))
    (-1.0, 0.0, 2.0)
    """
    x, y, z = vector
    return (-x + 0.0, -y + 0.0, -z + 0.0)


def mapped_vector(isometry: Pose, vector: Vector3) -> Vector3:
    """A direction (3,) turned by an isometry (4, 4); what is nearly round is round.

    Examples
    --------
    >>> mapped_vector(np.diag([-1.0, 1, 1, 1]), (1.0, 2.0, 0.0))
    (-1.0, 2.0, 0.0)
    """
    exact = isometry[:3, :3] @ np.array(vector)
    return triple(np.where(np.abs(exact - np.round(exact, 6)) < 1e-9, np.round(exact, 6), exact))


def mapped_axis(isometry: Pose, axis: Axis) -> Axis:
    """A line carried by an isometry (4, 4)."""
    return Axis(mapped_point(isometry, axis.origin), mapped_vector(isometry, axis.direction))


def mapped_point(isometry: Pose, point: Vector3) -> Vector3:
    """A point (3,) carried by an isometry (4, 4).

    Examples
    --------
    >>> mapped_point(np.diag([-1.0, 1, 1, 1]), (1.0, 2.0, 3.0))
    (-1.0, 2.0, 3.0)
    """
    x, y, z = apply(isometry, np.array(point)).tolist()
    return x, y, z


def hand(isometry: Pose) -> float:
    """1 for an isometry that keeps right hands right, -1 for a mirror.

    Examples
    --------
    >>> hand(np.eye(4)), hand(np.diag([-1.0, 1, 1, 1]))
    (1.0, -1.0)
    """
    return float(np.sign(np.linalg.det(isometry[:3, :3])))
