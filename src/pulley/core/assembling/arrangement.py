"""What an arrangement is: pieces, each where it stands or how it hangs on another one, and subassemblies of them."""

import re
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from pulley.core.colours import Colour
from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import Pose, Vector3
from pulley.core.naming import free_ids

HOME = tuple(np.eye(4).ravel().tolist())


@dataclass(frozen=True)
class Joint:
    """Where a piece was placed on another: a point and a direction in that one's own frame, and what was set since.

    Attributes
    ----------
    kind : ``face``, ``round``, ``edge`` or ``corner``, of what was pointed at on the other piece
    origin : mm
    direction : of length 1; the other face's outward normal, or the line that both lie on
    offset : mm along the direction, away from the other
    angle : degrees about it
    flipped : whether it was turned over
    """

    kind: str
    origin: Vector3
    direction: Vector3
    offset: float = 0.0
    angle: float = 0.0
    flipped: bool = False


@dataclass(frozen=True)
class Piece:
    """A part that stands somewhere.

    Attributes
    ----------
    id : its own, however it is called and wherever it stands
    mesh : key of its geometry
    part : what the part is called that it is one of
    name : what it is called
    pose : 16 numbers by rows, mm: in the frame of what it hangs ``on``, else in the assembly's
    on, joint : the piece that it hangs on, and where; empty and None for one that stands by itself
    group : the subassembly that it belongs to; empty at the top
    colour : sRGB, 0 to 1; None for its own
    material, mass : what the part is made of, and grams; the same for every piece of a part
    """

    id: str
    mesh: str
    part: str
    name: str
    pose: tuple[float, ...] = HOME
    on: str = ""
    joint: Joint | None = None
    group: str = ""
    colour: Colour | None = None
    material: str = ""
    mass: float | None = None

    @property
    def design(self) -> tuple[str, str]:
        """The same for all pieces of a part: its geometry, and its name without a number that only counts."""
        return self.mesh, re.sub(r"[._\s#-]?\d+$", "", self.part)


@dataclass(frozen=True)
class Subassembly:
    """A subassembly: its name, and the one that it is in itself; empty at the top."""

    id: str
    name: str
    group: str = ""


@dataclass(frozen=True)
class Arrangement:
    """Pieces in the order of the tree, and their subassemblies, each behind the one that it is in."""

    name: str
    pieces: tuple[Piece, ...] = ()
    groups: tuple[Subassembly, ...] = ()

    @cached_property
    def by_id(self) -> dict[str, Piece]:
        """Every piece under its id."""
        return {piece.id: piece for piece in self.pieces}

    @cached_property
    def ids(self) -> tuple[str, ...]:
        """The ids of all pieces, then those of all subassemblies."""
        return (*(piece.id for piece in self.pieces), *(group.id for group in self.groups))

    def fresh(self) -> Iterator[str]:
        """Ids that nothing has yet."""
        return free_ids(self.ids, "c")

    def piece(self, id: str) -> Piece:
        """The piece with an id; PulleyError when it is no longer there."""
        if id not in self.by_id:
            raise PulleyError("That component is no longer in the assembly. Select another one.")
        return self.by_id[id]

    @cached_property
    def poses(self) -> dict[str, Pose]:
        """Where each piece stands, (4, 4) in the assembly's frame, in mm."""
        found: dict[str, Pose] = {}
        for piece in self.pieces:
            for each in reversed([piece, *self.below(piece.id)]):
                if each.id not in found:
                    own = np.array(each.pose, float).reshape(4, 4)
                    found[each.id] = found[each.on] @ own if each.on else own
        return found

    def below(self, id: str) -> Iterator[Piece]:
        """The pieces that a piece hangs on, from the nearest one on."""
        seen = {id}
        on = self.by_id[id].on
        while on and on not in seen:
            seen.add(on)
            yield self.by_id[on]
            on = self.by_id[on].on

    def hanging(self, id: str) -> tuple[str, ...]:
        """A piece and all that hangs on it, which follows it wherever it goes."""
        return tuple(p.id for p in self.pieces if p.id == id or any(each.id == id for each in self.below(p.id)))

    def within(self, group: str) -> tuple[str, ...]:
        """The pieces of a subassembly and of those in it, in the order of the tree."""
        held = {group}
        for each in self.groups:
            if each.group in held:
                held.add(each.id)
        return tuple(piece.id for piece in self.pieces if piece.group in held)
