"""In which order and which way everything comes off: what is free leaves first, fasteners before the rest."""

from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from functools import partial
from itertools import takewhile

import numpy as np

from pulley.core.geometry.frames import Vector, triple, unit, view_frame
from pulley.core.planning.blocking import SIX, Blocking, Direction
from pulley.core.planning.directions import SAME
from pulley.core.planning.hard_ways import askew, at_once, locked, round_corners, two_legs, unscrewed
from pulley.core.planning.peeling import (
    Enough,
    Held,
    Peeling,
    Removal,
    Wishes,
    exit_distance,
    fastener_kind,
    middle_of,
    size_of,
)
from pulley.core.planning.ways_out import shared_axis

UP = (0.0, 0.0, 1.0)
TOGETHER = 2  # members from which parts that leave in their own directions are one step
FEW = 3  # units of a set that leaves together, up to which that is tried before harder ways
URGENT = 3  # entries of what units are ranked by that come before what must be held
LOOKED = 6  # groups of like units of which it is looked at, at most, what falls once they are gone


def peel(
    blocking: Blocking,
    present: Iterable[int],
    fixed: Iterable[int],
    wishes: Wishes,
    report: Callable[[int, int], None] = lambda done, of: None,
    held: Held | None = None,
) -> Peeling:
    """Removals in order, and the units that none was found for.

    Free units leave first, fasteners before others, the shortest way before longer ones, and what is alike in
    like places together. Where no unit is free by itself, further directions are tried, then the smallest set
    that can leave together, then two legs, then a turn, then two
    units at once, then as many legs as it takes. What ``held`` says must be held leaves
    before anything else is loosened. ``report`` is told units done and in all; where it raises `Enough`, what was found
    so far comes back.

    Returns
    -------
    Peeling
        ``done`` in the order in which the units leave; ``left``, for which nothing was found; and whether the
        search for harder ways was ``cut_short``.
    """
    state = Peeling(blocking, set(present), set(fixed), wishes, held=held)
    total = len(state.left)
    while state.left and (wishes.most is None or len(state.done) < wishes.most):
        removal = _next(state)
        if removal is None:
            break
        state.take(removal)
        try:
            report(total - len(state.left), total)
        except Enough:
            state.broken_off = True
            break
    return state


def _next(state: Peeling) -> Removal | None:
    easy = _family(state) or _single(state) or askew(state) or unscrewed(state)
    if easy:
        return easy
    knot = _knot(state)
    if knot and len(knot.units) <= FEW:
        return knot
    return two_legs(state) or locked(state) or _emptied(state, at_once(state)) or round_corners(state) or knot


def _single(state: Peeling) -> Removal | None:
    """The best group of like units that are free."""
    ways = {k: free for k in state.left if (free := state.free_directions(k))}
    if not ways:
        return None
    best = {k: _best_way(state, k, free) for k, free in ways.items()}
    ranks = _ranks(state, ways, best)

    def group(k: int) -> Removal:
        return _group(state, k, [j for j in best if state.likeness(j) == state.likeness(k)], ways, best)

    if not state.wishes.serviced:
        return group(min(best, key=ranks.__getitem__))
    return _steadiest(state, [group(k) for k in _firsts(state, ranks)[:LOOKED]])


def _ranks(
    state: Peeling, ways: dict[int, tuple[Direction, ...]], best: dict[int, Direction]
) -> dict[int, tuple[object, ...]]:
    """In which order units leave that are free: the least first; `URGENT` entries before anything else counts."""
    ready = Counter(state.copies(k) for k in best)
    present = Counter(state.copies(k) for k in state.left)
    needed, dropping = _needed(state), _dropping(state)

    def rank(k: int) -> tuple[object, ...]:
        kind, fastener = state.copies(k), fastener_kind(state.blocking, k)
        return (
            k not in needed,
            k not in dropping,
            state.out_of_reach(k, best[k]),
            state.wishes.serviced and best[k] != state.last_way,
            ready[kind] < present[kind],
            bool(fastener) != state.wishes.fasteners_first,
            fastener != "nut",
            UP not in ways[k],
            round(exit_distance(state, k, best[k]), 3),
            k,
        )

    return {k: rank(k) for k in best}


def _firsts(state: Peeling, ranks: dict[int, tuple[object, ...]]) -> list[int]:
    """The first unit of each kind, of those that are as urgent as the first of all, in order."""
    order, found = sorted(ranks, key=ranks.__getitem__), dict[object, int]()
    for k in takewhile(lambda k: ranks[k][:URGENT] == ranks[order[0]][:URGENT], order):
        found.setdefault(state.likeness(k), k)
    return list(found.values())


def _steadiest(state: Peeling, groups: Sequence[Removal]) -> Removal:
    """The first group with which one hand holds all that must be held; the first of all where there is none."""
    return next((group for group in groups if len(_held_with(state, group)) <= 1), groups[0])


def _held_with(state: Peeling, removal: Removal) -> set[frozenset[int]]:
    """What each hand holds while a removal leaves, and once it is gone."""
    if state.held is None:
        return set()
    present = state.present - set(removal.units)
    return {units for units in (*state.held(state.present), *state.held(present)) if units & present}


def _best_way(state: Peeling, k: int, free: Sequence[Direction]) -> Direction:
    """The way of those that are free by which a unit leaves best; known until something changes that."""
    if k not in state.best:
        state.best[k] = min(free, key=partial(_worth_of_way, state, k))
    return state.best[k]


def _dropping(state: Peeling) -> frozenset[int]:
    """What must be held now, and leaves before something else is loosened; everything where that is nothing."""
    held = state.held(state.present) if state.held else ()
    return frozenset().union(*held) or frozenset(state.left)


def _needed(state: Peeling) -> set[int]:
    """What must leave so that what is to be reached first can, each along the way that the fewest stop; everything
    when nothing is to be reached, or all of that is out."""
    wanted = [k for k in state.left if k in state.wishes.reach]
    found: set[int] = set()
    while wanted:
        k = wanted.pop()
        found.add(k)
        ways = [state.in_the_way(k, d) for d in (*state.blocking.own_directions(k), *SIX)]
        ways = [holders for holders in ways if not holders & state.fixed]
        wanted += [j for j in min(ways, key=len, default=set[int]()) if j not in found]
    return found or set(state.left)


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


def _worth_of_way(state: Peeling, k: int, direction: Direction) -> tuple[object, ...]:
    """The way that is preferred, or the last one again, along its own axis before others; for one line the axis comes
    first; then the shortest, then up before down and sideways."""
    axis = shared_axis(state.blocking.scene, state.blocking.units[k].leaves)
    askew = axis is None or abs(float(axis @ np.array(direction))) < SAME
    order = SIX.index(direction) if direction in SIX else len(SIX)
    turn = state.wishes.serviced and direction != state.last_way
    wish = not _preferred(state, direction)
    ranks = (askew, wish) if state.wishes.either else (wish, turn, askew)
    return *ranks, round(exit_distance(state, k, direction), 3), order


def _preferred(state: Peeling, direction: Direction) -> bool:
    along, either = state.wishes.along, state.wishes.either
    same = float(np.array(along or direction) @ np.array(direction))
    return (abs(same) if either else same) >= SAME


def _outward(state: Peeling, like: Sequence[int], best: dict[int, Direction]) -> Removal | None:
    """Those of like units that lead away from one line, each in its own direction."""
    if len(like) < TOGETHER or len({best[k] for k in like}) < TOGETHER:
        return None
    middles = {k: middle_of(state.blocking, k) for k in like}
    centre = np.mean(list(middles.values()), axis=0)
    ways = [np.array(way) for way in dict.fromkeys(best[k] for k in like)]
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


def _family(state: Peeling) -> Removal | None:
    """A subassembly that leaves as a whole: nothing is in its way, and none of its fasteners holds anything else."""
    for path, units in state.wishes.families:
        members = units & state.present
        if len(members) < 2 or members & state.fixed or _holds(state, members):
            continue
        ways = [d for d in SIX if not any(state.in_the_way(k, d) - members for k in members)]
        if ways:
            first = min(members)
            way = min(ways, key=partial(_worth_of_way, state, first))
            return replace(_taken_apart(state, sorted(members), way), family=path)
    return None


def _holds(state: Peeling, members: frozenset[int]) -> bool:
    fasteners = [k for k in members if fastener_kind(state.blocking, k)]
    return any((state.blocking.touched(k) & state.present) - members for k in fasteners)


def _taken_apart(state: Peeling, members: Sequence[int], way: Direction) -> Removal:
    """A set that leaves one way, and how it comes apart once it is out."""
    base = max(members, key=lambda k: size_of(state.blocking, k))
    smaller = tuple((path, units) for path, units in state.wishes.families if units < set(members))
    wishes = replace(state.wishes, families=smaller, most=None)
    apart = peel(state.blocking, members, [base], wishes)
    return Removal(tuple(members), (way,) * len(members), inner=tuple(apart.done), together=tuple(apart.left))


def _emptied(state: Peeling, removal: Removal | None) -> Removal | None:
    """What two hands have taken away, each hand's taken apart once it is out."""
    if removal is None:
        return None
    apart = [_taken_apart(state, hand, way) for way, hand in removal.hands.items() if len(hand) > 1]
    return replace(
        removal,
        inner=tuple(each for one in apart for each in one.inner),
        together=tuple(k for one in apart for k in one.together),
    )


def _knot(state: Peeling) -> Removal | None:
    """The smallest set that leaves together along one of the six axes, and how it comes apart once it is out."""
    found: list[tuple[int, int, list[int]]] = []
    for order, direction in enumerate(SIX):
        sets = state.blocking.knots(state.present, direction)
        found += [(len(members), order, sorted(members)) for members in sets if not members & state.fixed]
    if not found:
        return None
    _, order, members = min(found)
    return replace(_taken_apart(state, members, SIX[order]), knot=True)
