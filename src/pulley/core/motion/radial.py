"""Radial: each member away from an axis or a point, in its own direction."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import ClassVar, Self

import numpy as np
from cattrs.gen import override

from pulley.core.assembly import Assembly
from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import Pose, Vector, Vector3, apply, triple, unit
from pulley.core.motion.axial import ROUND, Axial
from pulley.core.motion.base import (
    DISTANCE,
    Axis,
    Displaced,
    Motion,
    Shorter,
    check_direction,
    checked_distance,
    mapped_axis,
    mapped_point,
)
from pulley.core.motion.travel import Slide, Travel
from pulley.core.quantities import round_down, shown

ON_AXIS = 0.05  # mm; as near as a mesh is true, a member has no direction away from an axis


@dataclass(frozen=True)
class Radial(Motion):
    """Each member by ``distance`` mm away from ``axis``, or from ``point``, as things stand when the step starts.

    A member that ``follow`` pairs with another component goes in that one's direction.
    """

    distance: float
    axis: Axis | None = None
    point: Vector3 | None = None
    follow: tuple[tuple[str, str], ...] = ()

    kind: ClassVar = "radial"
    quantities: ClassVar = {"distance": "distance"}
    schema: ClassVar = {
        "distance": DISTANCE,
        "axis": {"$ref": "#/$defs/axis"},
        "point": {"description": "What a radial motion leaves, instead of an axis", "$ref": "#/$defs/vector"},
        "follow": {
            "description": "Members of a radial motion that go in another component's direction, with that component",
            "type": "object",
            "maxProperties": 20000,
            "additionalProperties": {"$ref": "#/$defs/path"},
        },
    }
    required: ClassVar = {"required": ["distance"], "oneOf": [{"required": ["axis"]}, {"required": ["point"]}]}
    codec: ClassVar = {"follow": override(unstruct_hook=dict, struct_hook=lambda pairs, _: tuple(pairs.items()))}
    alike: ClassVar = False
    anywhere: ClassVar = False

    def check(self, members: Sequence[str]) -> None:
        """Raise PulleyError for no distance, an axis without direction, or a follower that is no member."""
        checked_distance(self.distance)
        if self.axis:
            check_direction(self.axis.direction, "axis.direction")
        strangers = sorted({member for member, _ in self.follow} - set(members))
        if strangers:
            raise PulleyError(f"follow: “{strangers[0][:200]}” is not a member of the step. Add it first.")

    def travel(self, assembly: Assembly, member: str, farther: float, before: Displaced) -> Travel:
        """A slide outward; raises as `direction_of` does."""
        return Slide.along((self.direction_of(assembly, member, before) * self.distance)[None])

    def direction_of(self, assembly: Assembly, member: str, before: Displaced) -> Vector:
        """The unit direction (3,) in which a member goes.

        From the axis, or the point, to the member's anchor (`middle`, carried to where the step finds it),
        less the part along the axis. A member that follows another has the other's direction.

        Raises PulleyError when the anchor lies on the axis or the point.
        """
        leader = dict(self.follow).get(member, member)
        first = assembly.leaves_of([leader])[0]
        centre = self.axis.origin if self.axis else self.point
        arm = apply(before.get(first, np.eye(4)), middle(assembly, leader)) - np.array(centre, float)
        if self.axis:
            along = unit(np.array(self.axis.direction, float))
            arm -= (arm @ along) * along
        if np.linalg.norm(arm) < ON_AXIS:
            raise PulleyError(
                f"{assembly.by_path[leader].name[:80]} lies on the {'axis' if self.axis else 'point'} that it should "
                "leave, so it has no radial direction. Take it out of the selection, or let it follow another member."
            )
        return unit(arm)

    def words(self, count: int, unit: str) -> str:
        """``outward, 30 mm``."""
        return f"outward, {shown(self.distance, unit)} {unit}"

    def reversed(self) -> Self:
        """None: it refuses."""
        raise PulleyError("A radial motion always goes outward. Give it another axis, or make an axial step.")

    def scaled(self, factor: float) -> Self:
        """A distance ``factor`` times as long."""
        return replace(self, distance=checked_distance(self.distance * factor))

    def mapped(self, isometry: Pose) -> Self:
        """Away from the image of the axis or the point."""
        return replace(
            self,
            axis=mapped_axis(isometry, self.axis) if self.axis else None,
            point=mapped_point(isometry, self.point) if self.point else None,
        )

    def named(self) -> dict[str, list[str]]:
        """What its members follow."""
        return {"follow": [leader for _, leader in self.follow]}

    def renamed(self, other: Mapping[str, str]) -> Self:
        """With followers and leaders under their other names."""
        return replace(self, follow=tuple((other[a], other.get(b, b)) for a, b in self.follow))

    def with_members(self, before: Sequence[str], after: Sequence[str]) -> Self:
        """Without the followers that are members no longer."""
        return replace(self, follow=tuple(pair for pair in self.follow if pair[0] in after))

    def ungrouped(self) -> Self:
        """With nothing that follows anything."""
        return replace(self, follow=())

    def alone(self, member: str, farther: float) -> Self:
        """With what that member follows."""
        return self.with_members((), (member,))

    def straightened(self, assembly: Assembly, member: str) -> Motion:
        """Straight in the member's own direction."""
        return Axial(triple(self.direction_of(assembly, member, {})), self.distance)

    def together(self, motions: Sequence[Motion]) -> Self:
        """With all that follows anything."""
        return replace(self, follow=tuple(pair for m in motions if isinstance(m, Radial) for pair in m.follow))

    def shorter(self, share: float, way: Travel, spread: bool) -> Iterator[Shorter]:
        """To a round distance, else to tenths of a millimetre."""
        distances = (round_down(self.distance * share, pitch) for pitch in ROUND)
        yield from (Shorter(distance) for distance in distances if distance > 0)

    def shortened(self, to: Shorter) -> Self:
        """Only as far as that."""
        return replace(self, distance=to.distance)


def middle(assembly: Assembly, member: str) -> Vector:
    """The middle (3,) of a component at home: of its bounds along its own axes, so that it does not
    depend on how the component is turned in the assembly."""
    return assembly.once(("middle", member), lambda: _middle(assembly, member))


def _middle(assembly: Assembly, member: str) -> Vector:
    own = assembly.by_path[member].pose
    leaves = [assembly.leaf(path) for path in assembly.leaves_of([member])]
    points = np.concatenate([apply(np.linalg.inv(own) @ leaf.pose, leaf.part.mesh.vertices) for leaf in leaves])
    return apply(own, (points.min(0) + points.max(0)) / 2)
