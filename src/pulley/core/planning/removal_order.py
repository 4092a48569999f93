"""In which order and which way everything comes off: what is free leaves first, fasteners before the rest."""

from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field, replace
from functools import partial

import numpy as np
from numpy.typing import NDArray

from pulley.core.contact.fits import find_fit
from pulley.core.contact.scene import Scene
from pulley.core.geometry.frames import Pose, Vector, translation, triple, unit, view_frame
from pulley.core.motion.travel import Screw
from pulley.core.part_kinds import FASTENERS, kind_of
from pulley.core.planning.blocking import SIX, Blocking, Direction
from pulley.core.planning.directions import SAME
from pulley.core.planning.outward import free_turn, own_axis
from pulley.core.planning.ways_out import shared_axis

UP = (0.0, 0.0, 1.0)
SMALL = 0.45  # of the assembly's diagonal: how long a fastener is at most
TOGETHER = 2  # members from which parts that leave in their own directions are one step
ANGLES = (30.0, -30.0, 45.0, -45.0, 60.0, -60.0, 90.0, -90.0, 120.0, -120.0, 180.0)  # degrees tried on a bayonet
TRIES = 4000  # sweeps that are spent on ways that are hard to find; counted, not timed, so that answers stay the same
TURN = 40  # sweeps that trying a turn counts as
FEW = 3  # units of a set that leaves together, up to which that is tried before harder ways
SHORT = (1.0, 0.5, 0.25)  # shares of what is free on a first leg, at which a second one is tried


class Enough(Exception):  # noqa: N818 - no fault
    """Raised by who is told how far it is: stop here, and keep what was found."""


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

    ``first`` is a short leg in mm that comes before it, ``twist`` a turn that does. ``axis`` is given where
    directions differ: a point and a direction of the line that they lead away from. ``inner`` is how a set that
    only leaves together is taken apart once it is out, ``together`` what is not taken off of it. ``fastener`` and
    ``knot`` say why the step is there.
    """

    units: tuple[int, ...]
    directions: tuple[Direction, ...]
    axis: tuple[Direction, Direction] | None = None
    first: Direction | None = None
    twist: Twist | None = None
    inner: tuple["Removal", ...] = ()
    together: tuple[int, ...] = ()
    fastener: bool = False
    knot: bool = False


@dataclass(frozen=True)
class Wishes:
    """How the order is wanted: whether fasteners go first, and at most how many steps."""

    fasteners_first: bool = True
    most: int | None = None


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
    _free: dict[int, tuple[Direction, ...]] = field(default_factory=dict)
    _likeness: dict[int, tuple[object, ...]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.here = np.isin(np.arange(len(self.blocking.units)), sorted(self.present))

    def take(self, removal: Removal) -> None:
        """What a removal moves is no longer there."""
        self.done.append(removal)
        self.present -= set(removal.units)
        self.here[list(removal.units)] = False

    def in_the_way(self, k: int, direction: Direction) -> set[int]:
        """What is present and stops a unit along a direction."""
        return self.blocking.blockers(k, direction).keys() & self.present

    def likeness(self, k: int) -> tuple[object, ...]:
        """What units have in common that leave in one step: their parts, and the parts that they touch."""
        if k not in self._likeness:
            self._likeness[k] = self._parts(k), frozenset(self._parts(j) for j in self.blocking.touched(k))
        return self._likeness[k]

    def _parts(self, k: int) -> tuple[str, ...]:
        assembly = self.blocking.scene.assembly
        return tuple(assembly.leaf(leaf).part.key for leaf in self.blocking.units[k].leaves)

    @property
    def left(self) -> list[int]:
        """What has not come off yet and is not fixed."""
        return sorted(self.present - self.fixed)

    def free_directions(self, k: int) -> tuple[Direction, ...]:
        """Directions along which nothing that is present stops a unit; more of them once something is gone."""
        blocking, known = self.blocking, self._free.get(k, ())
        tried = (*blocking.own_directions(k), *SIX)
        self._free[k] = tuple(d for d in tried if d in known or not self.in_the_way(k, d))
        return self._free[k]


def peel(
    blocking: Blocking,
    present: Iterable[int],
    fixed: Iterable[int],
    wishes: Wishes,
    report: Callable[[int, int], None] = lambda done, of: None,
) -> tuple[list[Removal], list[int]]:
    """Removals in order, and the units that none was found for.

    Free units leave first, fasteners before others, the shortest way before longer ones, and what is alike in
    like places together. Where no unit is free by itself, further directions are tried, then the smallest set
    that can leave together, then two legs, then a turn. ``report`` is told units done and in all; where it raises
    `Enough`, what was found so far comes back.

    Returns
    -------
    removals : list of Removal
        In the order in which the units leave.
    left : list of int
        The units for which none was found.
    """
    state = Peeling(blocking, set(present), set(fixed), wishes)
    total = len(state.left)
    while state.left and (wishes.most is None or len(state.done) < wishes.most):
        removal = _next(state)
        if removal is None:
            break
        state.take(removal)
        try:
            report(total - len(state.left), total)
        except Enough:
            break
    return state.done, state.left


def _next(state: Peeling) -> Removal | None:
    easy = _single(state) or _askew(state) or _unscrewed(state)
    if easy:
        return easy
    knot = _knot(state)
    if knot and len(knot.units) <= FEW:
        return knot
    return _two_legs(state) or _locked(state) or knot


def _single(state: Peeling) -> Removal | None:
    """The best group of like units that are free."""
    ways = {k: free for k in state.left if (free := state.free_directions(k))}
    if not ways:
        return None
    best = {k: min(free, key=partial(_worth_of_way, state, k)) for k, free in ways.items()}
    ready = Counter(state.likeness(k) for k in best)
    present = Counter(state.likeness(k) for k in state.left)

    def rank(k: int) -> tuple[object, ...]:
        kind, fastener = state.likeness(k), fastener_kind(state.blocking, k)
        late = bool(fastener) != state.wishes.fasteners_first
        covered, way = bool(state.in_the_way(k, UP)), exit_distance(state, k, best[k])
        return ready[kind] < present[kind], late, fastener != "nut", covered, round(way, 3), k

    first = min(best, key=rank)
    like = [k for k in best if state.likeness(k) == state.likeness(first)]
    return _group(state, first, like, ways, best)


def _group(
    state: Peeling, first: int, like: list[int], ways: dict[int, tuple[Direction, ...]], best: dict[int, Direction]
) -> Removal:
    """Like units in one step: all the same way, or each away from one line where that takes more of them."""
    same_way = [k for k in like if best[first] in ways[k]]
    outward = _outward(state, like, best)
    fastener = bool(fastener_kind(state.blocking, first))
    if outward and len(outward.units) > len(same_way):
        return replace(outward, fastener=fastener)
    return Removal(tuple(same_way), (best[first],) * len(same_way), fastener=fastener)


def _worth_of_way(state: Peeling, k: int, direction: Direction) -> tuple[bool, float, int]:
    """Along its own axis before others, then the shortest, then up before down and sideways."""
    axis = shared_axis(state.blocking.scene, state.blocking.units[k].leaves)
    along = axis is not None and abs(float(axis @ np.array(direction))) >= SAME
    order = SIX.index(direction) if direction in SIX else len(SIX)
    return not along, round(exit_distance(state, k, direction), 3), order


def fastener_kind(blocking: Blocking, k: int) -> str:
    """Which fastener a unit is by its shape, when it is one small part; empty when it is none."""
    leaves, assembly = blocking.units[k].leaves, blocking.scene.assembly
    if len(leaves) != 1:
        return ""
    part = assembly.leaf(leaves[0]).part
    size = float(np.linalg.norm(part.mesh.bounds[1] - part.mesh.bounds[0]))
    kind = kind_of(part)
    return kind if kind in FASTENERS and size <= SMALL * assembly.diagonal else ""


def exit_distance(state: Peeling, k: int, direction: Direction) -> float:
    """How far in mm a unit goes before its rear has passed all that it lies among along a direction."""
    boxes = state.blocking.boxes(direction)
    low, high = boxes[k]
    beside = (boxes[:, 0, :2] < high[:2]).all(1) & (boxes[:, 1, :2] > low[:2]).all(1) & (boxes[:, 1, 2] > low[2])
    return float(boxes[beside & state.here, 1, 2].max(initial=high[2]) - low[2])


def _outward(state: Peeling, like: Sequence[int], best: dict[int, Direction]) -> Removal | None:
    """Those of like units that lead away from one line, each in its own direction."""
    if len(like) < TOGETHER or len({best[k] for k in like}) < TOGETHER:
        return None
    middles = {k: _middle(state.blocking, k) for k in like}
    centre = np.mean(list(middles.values()), axis=0)
    ways = [np.array(best[k]) for k in like]
    across = max((np.cross(a, b) for a in ways for b in ways), key=lambda v: float(v @ v))
    line = unit(across) if across @ across > 1e-6 else view_frame(ways[0])[0]
    members = tuple(k for k in like if _leads_away(middles[k] - centre, line, np.array(best[k])))
    if len(members) < TOGETHER:
        return None
    return Removal(members, tuple(best[k] for k in members), (triple(centre), triple(line)))


def _leads_away(arm: Vector, line: Vector, way: Vector) -> bool:
    arm = arm - (arm @ line) * line
    length = float(np.linalg.norm(arm))
    return length > 1e-6 and float(arm @ way) / length >= SAME


def _middle(blocking: Blocking, k: int) -> Vector:
    boxes = blocking.scene.boxes[blocking.scene.places(blocking.units[k].leaves)]
    return (boxes[:, 0].min(0) + boxes[:, 1].max(0)) / 2


def _askew(state: Peeling) -> Removal | None:
    """A unit that leaves along the normal of a plane that it rests on, or along another of its axes."""
    for k in state.left:
        for direction in state.blocking.more_directions(k):
            if not state.in_the_way(k, direction):
                return Removal((k,), (direction,))
    return None


def _unscrewed(state: Peeling) -> Removal | None:
    """A unit that nothing but a modelled thread holds."""
    for k in state.left:
        for direction in (*state.blocking.own_directions(k), *SIX):
            holders = state.in_the_way(k, direction)
            if len(holders) == 1 and len(state.blocking.units[k].leaves) == 1:
                twist = _thread(state.blocking, k, holders.pop(), np.array(direction))
                if twist:
                    return Removal((k,), (direction,), twist=twist, fastener=bool(fastener_kind(state.blocking, k)))
    return None


def _thread(blocking: Blocking, k: int, holder: int, direction: Vector) -> Twist | None:
    """The turns that take a unit off the thread of what holds it, where its axis runs along a direction."""
    scene, leaf = blocking.scene, blocking.units[k].leaves[0]
    for other in blocking.units[holder].leaves:
        fit = find_fit(scene.assembly, leaf, other)
        if fit and fit.kind == "thread" and abs(float(unit(np.array(fit.direction)) @ direction)) >= SAME:
            boxes = scene.boxes_along(direction)[scene.places([leaf, other])][:, :, 2]
            turns = max(int(np.ceil(float(boxes[1, 1] - boxes[0, 0]) / abs(fit.pitch))), 1)
            return Twist(triple(fit.origin), 360.0 * turns if fit.pitch > 0 else -360.0 * turns, fit.pitch)
    return None


def _locked(state: Peeling) -> Removal | None:
    """A unit that leaves along its own axis after less than a turn about it, as out of a bayonet."""
    there = _scene_of(state)
    for k in state.left:
        leaves = state.blocking.units[k].leaves
        axis = own_axis(there, leaves) if len(leaves) == 1 else None
        if axis is None:
            continue
        for angle in ANGLES:
            state.tries -= TURN
            if state.tries <= 0:
                return None
            turn = Screw(np.array(axis.origin), np.array(axis.direction), angle, 0.0)
            way = _after_turning(state, k, turn) if free_turn(there, leaves, turn)[0] is None else None
            if way is not None:
                about = angle if way @ turn.direction > 0 else -angle
                return Removal((k,), (triple(way),), twist=Twist(axis.origin, about, 0.0))
    return None


def _after_turning(state: Peeling, k: int, turn: Screw) -> Vector | None:
    """The way along a turn's axis that is free once a unit has been turned."""
    ways = (turn.direction, -turn.direction)
    return next((way for way in ways if _clear_from(state, k, turn.at(1.0), way)), None)


def _knot(state: Peeling) -> Removal | None:
    """The smallest set that leaves together along one of the six axes, and how it comes apart once it is out."""
    found: list[tuple[int, int, list[int]]] = []
    for order, direction in enumerate(SIX):
        sets = state.blocking.knots(state.present, direction)
        found += [(len(members), order, sorted(members)) for members in sets if not members & state.fixed]
    if not found:
        return None
    _, order, members = min(found)
    base = max(members, key=lambda k: _size(state.blocking, k))
    inner, left = peel(state.blocking, members, [base], state.wishes)
    ways = (SIX[order],) * len(members)
    return Removal(tuple(members), ways, inner=tuple(inner), together=tuple(left), knot=True)


def _size(blocking: Blocking, k: int) -> float:
    return sum(abs(blocking.scene.assembly.leaf(leaf).part.mesh.volume or 0.0) for leaf in blocking.units[k].leaves)


def _two_legs(state: Peeling) -> Removal | None:
    """A unit that leaves after a short leg another way."""
    for k in sorted(state.left, key=lambda k: _size(state.blocking, k)):
        for first, second in _legs(state, k):
            return Removal((k,), (second,), first=first)
    return None


def _legs(state: Peeling, k: int) -> Iterator[tuple[Direction, Direction]]:
    for direction in SIX:
        met = {j: t for j, t in state.blocking.blockers(k, direction).items() if j in state.present}
        free = min(met.values(), default=0.0)
        for share in SHORT if free > 1.0 else ():
            shift = np.array(direction) * np.floor(free * share * 10) / 10
            aside = [d for d in SIX if abs(float(np.array(d) @ np.array(direction))) < 0.5]
            for second in aside:
                if _clear_from(state, k, translation(shift), np.array(second)):
                    yield triple(shift), second


def _clear_from(state: Peeling, k: int, displacement: Pose, direction: Vector) -> bool:
    """Whether nothing that is present stops a unit along a direction once it has been displaced."""
    if state.tries <= 0:
        return False
    state.tries -= 1
    leaves = state.blocking.units[k].leaves
    scene = _scene_of(state)
    moved = {leaf: displacement @ scene.poses[leaf] for leaf in leaves}
    return replace(scene, poses={**scene.poses, **moved}).first_meeting(leaves, np.asarray(direction, float)) is None


def _scene_of(state: Peeling) -> Scene:
    """What is present, where it stands."""
    scene, units = state.blocking.scene, state.blocking.units
    poses = {leaf: scene.poses[leaf] for j in sorted(state.present) for leaf in units[j].leaves}
    return replace(scene, poses=poses)
