"""What taking apart consists of: removals, how they are wanted, and the state between two of them."""

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from pulley.core.geometry.bounds import last_ahead
from pulley.core.geometry.frames import Vector
from pulley.core.part_kinds import FASTENERS, kind_of
from pulley.core.planning.blocking import SIX, Blocking, Direction
from pulley.core.planning.reach import in_the_tools_way

SMALL = 0.45  # of the assembly's diagonal: how long a fastener is at most
TRIES = 6000  # sweeps that are spent on ways that are hard to find; counted, not timed, so that answers stay the same


class Enough(Exception):  # noqa: N818 - no fault
    """Raised by who is told how far it is: stop here, and keep what was found."""


Held = Callable[[set[int]], tuple[frozenset[int], ...]]  # what each hand must hold where so many units are there


@dataclass(frozen=True)
class Twist:
    """A turn that lets a unit go: a point of its axis, degrees about the way it then leaves, mm along it each turn."""

    origin: Direction
    angle: float
    advance: float

    @property
    def along(self) -> float:
        """How far in mm the turn itself goes."""
        return round(self.advance * self.angle / 360, 6)


@dataclass(frozen=True)
class Removal:
    """One step of taking apart: units that leave together, each along its own direction.

    ``legs`` are ways in mm that come before it, ``twist`` a turn that does. Where directions differ, ``axis`` has a
    point and a direction of the line that they lead away from; else two sets leave at once. ``inner`` is how a set
    that only leaves together is taken apart once it is out, ``together`` what is not taken off of it. ``fastener``
    and ``knot`` say why the step is there, as does ``family``: a subassembly that leaves as a whole.
    """

    units: tuple[int, ...]
    directions: tuple[Direction, ...]
    axis: tuple[Direction, Direction] | None = None
    legs: tuple[Direction, ...] = ()
    twist: Twist | None = None
    inner: tuple["Removal", ...] = ()
    together: tuple[int, ...] = ()
    fastener: bool = False
    knot: bool = False
    family: str = ""

    @property
    def at_once(self) -> bool:
        """Whether its units leave at the same time in ways of their own, from no common line."""
        return self.axis is None and len(set(self.directions)) > 1

    @property
    def hands(self) -> dict[Direction, tuple[int, ...]]:
        """The units that leave each way."""
        found: dict[Direction, tuple[int, ...]] = {}
        for k, way in zip(self.units, self.directions, strict=True):
            found[way] = (*found.get(way, ()), k)
        return found

    @property
    def bends(self) -> list[Vector]:
        """Where the way bends: displacements (3,) in mm after each leg."""
        return list(np.cumsum(np.array(self.legs), axis=0)) if self.legs else []


@dataclass(frozen=True)
class Wishes:
    """How the order is wanted.

    Whether fasteners go first, and at most how many steps. ``along`` is a way that is preferred where there is a
    choice, either sense of it with ``either``. ``families`` are subassemblies, by path, and their units, the largest
    first: they leave as one where they can, and are taken apart once they are out. With ``serviced``, fasteners of
    one size go together and the next way is the last one where it can be. ``reach`` is what is to be reached first.
    """

    fasteners_first: bool = True
    most: int | None = None
    along: Direction | None = None
    either: bool = False
    families: tuple[tuple[str, frozenset[int]], ...] = ()
    serviced: bool = False
    reach: frozenset[int] = frozenset()


@dataclass(eq=False)
class Peeling:
    """The state of taking apart: what is present, what never moves, and what has come off so far."""

    blocking: Blocking
    present: set[int]
    fixed: set[int]
    wishes: Wishes
    done: list[Removal] = field(default_factory=list)
    here: NDArray[np.bool_] = field(init=False)
    tries: int = TRIES
    broken_off: bool = False  # whoever is told how far it is said that it is enough
    cut_short: bool = False  # something was not tried, as the tries were used up
    held: Held | None = None
    exits: dict[tuple[int, Direction], tuple[float, int]] = field(default_factory=dict)  # see `exit_distance`
    best: dict[int, Direction] = field(default_factory=dict)  # the way that each free unit would leave, as far as known
    _free: dict[int, tuple[Direction, ...]] = field(default_factory=dict)
    _sure: set[int] = field(default_factory=set)  # units of which that still holds
    _waiting: dict[int, set[int]] = field(default_factory=dict)  # units to be looked at again once a unit is gone
    _tools: dict[tuple[int, Direction], frozenset[int]] = field(default_factory=dict)
    _copies: dict[int, tuple[object, ...]] = field(default_factory=dict)
    _likeness: dict[int, tuple[object, ...]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.here = np.isin(np.arange(len(self.blocking.units)), sorted(self.present))

    def take(self, removal: Removal) -> None:
        """What a removal moves is no longer there; of what waited for it is known no longer how it would leave."""
        if self.wishes.serviced and removal.directions[0] != self.last_way:
            self.best.clear()
        self.done.append(removal)
        self.present -= set(removal.units)
        self.here[list(removal.units)] = False
        for k in [k for gone in removal.units for k in self._waiting.pop(gone, ())]:
            self._sure.discard(k)
            self.best.pop(k, None)

    def wait_for(self, k: int, other: int) -> None:
        """Look at a unit again once another one is gone."""
        self._waiting.setdefault(other, set()).add(k)

    def may_try(self, cost: int, spare: int = 0) -> bool:
        """Spend sweeps on a harder way, where that leaves some to ``spare`` for others."""
        if self.tries - cost < spare:
            self.cut_short = True
            return False
        self.tries -= cost
        return True

    def in_the_way(self, k: int, direction: Direction) -> set[int]:
        """What is present and stops a unit along a direction."""
        return self.blocking.blockers(k, direction).keys() & self.present

    def out_of_reach(self, k: int, direction: Direction) -> bool:
        """Whether something that may leave before it stands in the way of the tool for a fastener."""
        key = k, direction
        if key not in self._tools:
            tooled = fastener_kind(self.blocking, k) in ("screw", "nut")
            met = in_the_tools_way(self.blocking, k, direction) if tooled else frozenset[int]()
            self._tools[key] = frozenset(j for j in met if self._parts(j) != self._parts(k))  # as they all would wait
        return bool((self._tools[key] & self.present) - self.fixed)

    def likeness(self, k: int) -> tuple[object, ...]:
        """What units have in common that leave in one step: as serviced a fastener's size, else being copies."""
        if k not in self._likeness:
            size = fastener_size(self.blocking, k) if self.wishes.serviced else None
            self._likeness[k] = (size,) if size else self.copies(k)
        return self._likeness[k]

    def copies(self, k: int) -> tuple[object, ...]:
        """What copies have in common: their parts, and the parts that they touch."""
        if k not in self._copies:
            self._copies[k] = self._parts(k), frozenset(self._parts(j) for j in self.blocking.touched(k))
        return self._copies[k]

    def _parts(self, k: int) -> tuple[str, ...]:
        assembly = self.blocking.scene.assembly
        return tuple(assembly.leaf(leaf).part.key for leaf in self.blocking.units[k].leaves)

    @property
    def last_way(self) -> Direction | None:
        """The way in which the last removal went."""
        return self.done[-1].directions[0] if self.done else None

    @property
    def left(self) -> list[int]:
        """What has not come off yet and is not fixed."""
        return sorted(self.present - self.fixed)

    def free_directions(self, k: int) -> tuple[Direction, ...]:
        """Directions along which nothing that is present stops a unit; more of them once something is gone."""
        if k not in self._sure:
            known, tried = self._free.get(k, ()), (*self.blocking.own_directions(k), *SIX)
            self._free[k] = tuple(d for d in tried if d in known or self._lets_go(k, d))
            self._sure.add(k)
        return self._free[k]

    def _lets_go(self, k: int, direction: Direction) -> bool:
        stopper = self.blocking.stopper(k, direction, self.present)
        if stopper is not None:
            self.wait_for(k, stopper)
        return stopper is None


def fastener_kind(blocking: Blocking, k: int) -> str:
    """Which fastener a unit is by its shape, when it is one small part; empty when it is none."""
    if k not in blocking.kinds:
        blocking.kinds[k] = _kind(blocking, k)
    return blocking.kinds[k]


def _kind(blocking: Blocking, k: int) -> str:
    leaves, assembly = blocking.units[k].leaves, blocking.scene.assembly
    if len(leaves) != 1:
        return ""
    part = assembly.leaf(leaves[0]).part
    size = float(np.linalg.norm(part.mesh.bounds[1] - part.mesh.bounds[0]))
    kind = kind_of(part)
    return kind if kind in FASTENERS and size <= SMALL * assembly.diagonal else ""


def fastener_size(blocking: Blocking, k: int) -> tuple[str, float] | None:
    """Which fastener a unit is and how thick: what one tool fits; None when it is none."""
    kind = fastener_kind(blocking, k)
    if not kind:
        return None
    mesh = blocking.scene.assembly.leaf(blocking.units[k].leaves[0]).part.mesh
    return kind, round(float(np.sort(np.ptp(mesh.bounds, axis=0))[1]), 1)


def exit_distance(state: Peeling, k: int, direction: Direction) -> float:
    """How far in mm a unit goes before its rear has passed all that it lies among along a direction."""
    known = state.exits.get((k, direction))
    if known is None or not state.here[known[1]]:  # what it has to pass at last is gone: something nearer is the last
        known = state.exits[k, direction] = _exit(state, k, direction)
        state.wait_for(k, known[1])
    return known[0]


def _exit(state: Peeling, k: int, direction: Direction) -> tuple[float, int]:
    """How far a unit goes until it is out, and the unit that it passes at last, maybe itself."""
    boxes = state.blocking.boxes(direction)
    last = last_ahead(boxes, k, state.here)
    return float(boxes[last, 1, 2] - boxes[k, 0, 2]), last


def middle_of(blocking: Blocking, k: int) -> Vector:
    boxes = blocking.scene.boxes[blocking.scene.places(blocking.units[k].leaves)]
    return (boxes[:, 0].min(0) + boxes[:, 1].max(0)) / 2


def size_of(blocking: Blocking, k: int) -> float:
    return sum(abs(blocking.scene.assembly.leaf(leaf).part.mesh.volume or 0.0) for leaf in blocking.units[k].leaves)
