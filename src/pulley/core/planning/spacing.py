"""How far everything goes: clear of what stays by a gap, in the order of the stack, and seen on the page."""

import math
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from pulley.core.geometry.frames import Vector, triple, view_frame
from pulley.core.planning.blocking import SIX, Blocking, Direction
from pulley.core.planning.outlines import Page
from pulley.core.planning.peeling import Removal
from pulley.core.planning.places import AT_HOME, Boxes, NoRoom, Placed, Room, Spacing, swept_box

FARTHER = 40  # times that a removal goes a quarter of a gap farther so that more is seen
APART = 0.12  # of the diagonal, by which ways of one group must differ to become two steps
NOWHERE = np.zeros(3)
FAR = 100  # diagonals; as far as anything goes aside
STEPS_ASIDE = 400  # half gaps, up to which it is tried how far aside a column stands clear


def place(blocking: Blocking, removals: Sequence[Removal], present: Iterable[int], rules: Spacing) -> list[Placed]:
    """Distances for removals in their order, multiples of a pitch, each step clear of all that comes after it.

    Worked out from the last removal to the first, as the way back together goes: each goes just as far as it
    must to stand, by a gap, beyond what stays and what leaves after it on its way (compact explosion graphs:
    Li, Agrawala, Curless and Salesin 2008, from memory); and on, by quarters of a gap, until as much of it and of
    what it covers is seen on the page as the rules ask. What is set aside comes last, column by column, each as
    near as its outline stands clear on the page; `NoRoom` is raised where something else is in its way.

    Parameters
    ----------
    blocking : Blocking
    removals : sequence of Removal
    present : iterable of int
        All units that there are, those that stay among them.
    rules : Spacing
    """
    return placed_in(empty_room(blocking, rules), removals, present)


def empty_room(blocking: Blocking, rules: Spacing) -> Room:
    """Nothing placed yet; on a page where the rules have outlines."""
    return Room(blocking, rules, Page(rules.outlines) if rules.outlines else None)


def placed_in(room: Room, removals: Sequence[Removal], present: Iterable[int]) -> list[Placed]:
    """`place` in an empty room, which then has everything at its end."""
    blocking, rules = room.blocking, room.rules
    moved = {k for removal in removals for k in removal.units}
    for k in sorted(set(present) - moved):
        room.stand(k, [NOWHERE], AT_HOME)
    columns = [
        _column(blocking, removals, [r for r in removals if rules.aside.get(r.units, (0,))[0] == number], rules)
        for number in sorted({number for number, _ in rules.aside.values()})
    ]
    lifts = {removal.units: lift for column in columns for removal, lift in column.lifts.items()}
    found: dict[tuple[int, ...], list[Placed]] = {}
    for removal in reversed(removals):
        if removal.units in lifts:
            _pass_by(room, removal, lifts[removal.units])
        else:
            found[removal.units] = [_straight(room, part) for part in _parts(room, removal)][::-1]
            passed = [swept_box(blocking.bounds[k], list(room.places[k])) for k in removal.units]
            room.passed.append((removal.units, np.array(passed)))
    for column in columns:
        found |= {placed.removal.units: [placed] for placed in _set_aside(room, column)}
    return [placed for removal in removals for placed in found[removal.units]]


def _straight(room: Room, removal: Removal) -> Placed:
    inner = _inside(room, removal)
    apart = _shifts_of(inner)
    picked = room.rules.picked(removal)
    distance = _distance(room, removal, apart) if picked is None else picked
    if room.lanes and picked is None and distance > FAR / 2 * room.blocking.scene.assembly.diagonal:
        raise NoRoom
    _stand(room, removal, apart, distance, NOWHERE)
    return Placed(removal, distance, tuple(inner))


def _stand(room: Room, removal: Removal, apart: Mapping[int, list[Vector]], distance: float, aside: Vector) -> None:
    first = _first(removal)
    for k, direction in zip(removal.units, removal.directions, strict=True):
        out = first + np.array(direction) * distance + aside
        plain = not (k in apart or first.any() or aside.any())
        room.stand(k, [*removal.bends, out, *(out + shift for shift in apart.get(k, []))], direction if plain else None)


def _parts(room: Room, removal: Removal) -> list[Removal]:
    """A group in parts that need not go equally far to stand clear, the nearest first; most groups are one."""
    rules = room.rules
    whole = removal.inner or removal.twist or removal.at_once or rules.picked(removal) is not None
    if not rules.split or len(removal.units) == 1 or whole:
        return [removal]
    least = [_least_free(taken, rules.gap, rules.pitch) for taken in _taken(room, removal, {})]
    order = sorted(range(len(least)), key=lambda k: (least[k], k))
    parts = [[order[0]]]
    for before, k in pairwise(order):
        if least[k] - least[before] > APART * room.blocking.scene.assembly.diagonal:
            parts.append([])
        parts[-1].append(k)
    return [_only(removal, sorted(part)) for part in parts] if len(parts) > 1 else [removal]


def _only(removal: Removal, places: Sequence[int]) -> Removal:
    """A removal of some of its units; outward from a line only where they still go different ways."""
    units, ways = tuple(removal.units[k] for k in places), tuple(removal.directions[k] for k in places)
    return replace(removal, units=units, directions=ways, axis=removal.axis if len(set(ways)) > 1 else None)


def _inside(room: Room, removal: Removal) -> list[Placed]:
    """Distances for what a set, or what each hand took, is taken apart into, with nothing else about."""
    rules = replace(room.rules, aside={})
    sets = removal.hands.values() if removal.at_once else [removal.units]
    apart = [([inner for inner in removal.inner if set(inner.units) <= set(units)], units) for units in sets]
    return [placed for inner, units in apart if inner for placed in place(room.blocking, inner, units, rules)]


def _first(removal: Removal) -> Vector:
    return removal.bends[-1] if removal.legs else NOWHERE


def _shifts_of(inner: Sequence[Placed]) -> dict[int, list[Vector]]:
    """Where units stand after each of the moves that take a set apart, relative to the set."""
    found: dict[int, list[Vector]] = {}
    for placed in inner:
        deeper = _shifts_of(placed.inner)
        for k, direction in zip(placed.removal.units, placed.removal.directions, strict=True):
            out = _first(placed.removal) + np.array(direction) * placed.distance
            found.setdefault(k, []).extend([out, *(out + shift for shift in deeper.get(k, []))])
    return found


def _distance(room: Room, removal: Removal, apart: Mapping[int, list[Vector]]) -> float:
    """The least multiple of the pitch at which every member stands free of all that is placed, and enough is seen."""
    taken, rules = [span for spans in _taken(room, removal, apart) for span in spans], room.rules
    least = _least_free(taken, rules.gap, rules.pitch)
    if room.page is None or not rules.seen:
        return least
    return _seen_distance(room, removal, apart, taken, least)


def _taken(room: Room, removal: Removal, apart: Mapping[int, list[Vector]]) -> Iterator[list[tuple[float, float]]]:
    """For each member, the distances (from, to) in mm at which it is not clear of what is placed."""
    theirs = {direction: room.boxes(direction) for direction in set(removal.directions)}
    gap, first = room.rules.gap, _first(removal)
    for k, direction in zip(removal.units, removal.directions, strict=True):
        frame = view_frame(np.array(direction))
        mine = room.blocking.boxes(direction)[k]
        mine = swept_box(mine + frame @ first if removal.legs else mine, [frame @ shift for shift in apart.get(k, [])])
        spans = theirs[direction][_beside(room, k, direction, mine, theirs[direction]), :, 2]
        if room.lanes:
            spans = np.concatenate([spans, _lanes(room, frame, mine)])
        yield list(map(tuple, (spans + (-gap - mine[1, 2], gap - mine[0, 2])).tolist()))


def _lanes(room: Room, frame: NDArray[np.float64], mine: Boxes) -> Boxes:
    """Where (n, 2) along the last row of a frame the ways of what goes aside later lie before or behind a box."""
    corners = np.array(room.lanes) @ frame.T  # of boxes along axes, in a frame along axes
    low, high = corners.min(1), corners.max(1)
    beside = ((low[:, :2] < mine[1, :2]) & (high[:, :2] > mine[0, :2])).all(1)
    return np.column_stack([low[beside, 2], high[beside, 2]])


def _beside(room: Room, k: int, direction: Direction, mine: Boxes, theirs: Boxes) -> NDArray[np.intp]:
    """Which of what is placed lies before, behind or about a unit on its way: by exact contact and by outlines what
    stays or goes the same way or against it, else by bounds."""
    (left, bottom, _), (right, top, _) = mine.tolist()
    low, high = theirs[:, 0], theirs[:, 1]
    beside = (low[:, 0] < right) & (low[:, 1] < top) & (high[:, 0] > left) & (high[:, 1] > bottom)
    places = (room.here & beside).nonzero()[0]
    if direction not in SIX:
        return places
    against = triple(-np.array(direction))
    ahead, behind = room.blocking.blockers(k, direction), room.blocking.blockers(k, against)
    straight = (direction, against, AT_HOME)

    def counts(j: int) -> bool:
        known = room.ways[j] not in straight or j in ahead or j in behind
        return known or room.rules.shadows is None or room.rules.shadows.meet(direction, k, j)

    return np.array([j for j in places.tolist() if counts(j)], np.intp)


def _seen_distance(
    room: Room, removal: Removal, apart: Mapping[int, list[Vector]], taken: Sequence[tuple[float, float]], least: float
) -> float:
    """The least distance at which enough is seen; where there is none, the one at which most is."""
    page, rules = room.page, room.rules
    step = max(math.ceil(rules.gap / 4 / rules.pitch - 1e-9), 1) * rules.pitch
    most = _most(room, removal)
    best, shown, distance = least, -1.0, least
    assert page is not None
    for _ in range(FARTHER):
        shares = [
            page.least_share(k, _end(removal, direction, distance, apart.get(k)), rules.seen)
            for k, direction in zip(removal.units, removal.directions, strict=True)
        ]
        if min(shares) > shown + 1e-9:
            best, shown = distance, min(shares)
        distance = _least_free(taken, distance + step, rules.pitch)
        if shown >= rules.seen or distance >= most:
            break
    return best


def _most(room: Room, removal: Removal) -> float:
    """How far a removal can go at most before it meets what stands in its way: what was moved out there before."""
    if removal.legs or removal.twist:
        return math.inf
    standing = [k for k, way in room.ways.items() if way == AT_HOME]
    met = (room.blocking.blockers(k, way) for k, way in zip(removal.units, removal.directions, strict=True))
    return min((found[j] for found in met for j in standing if j in found), default=math.inf)


def _end(removal: Removal, direction: Direction, distance: float, apart: list[Vector] | None) -> Vector:
    end: Vector = _first(removal) + np.array(direction) * distance + (apart[-1] if apart else NOWHERE)
    return end


def _least_free(taken: Sequence[tuple[float, float]], least: float, pitch: float) -> float:
    """The least multiple of a pitch, from ``least`` on, that lies in none of the intervals.

    >>> _least_free([(-5.0, 12.0), (14.0, 18.0), (31.0, 40.0)], 2.0, 5.0)
    20.0
    """
    distance = math.ceil(least / pitch - 1e-9) * pitch
    for low, high in sorted(taken):
        if low < distance < high:
            distance = math.ceil(high / pitch - 1e-9) * pitch
    return round(distance, 6)


@dataclass(frozen=True)
class _Column:
    """What is set aside together: the way that it leaves, where to, and how far in mm each is lifted before."""

    way: Direction
    aside: Direction
    lifts: dict[Removal, float]


def _column(blocking: Blocking, removals: Sequence[Removal], members: Sequence[Removal], rules: Spacing) -> _Column:
    """Members lifted just so high that the rear of each passes over all that is there when its turn comes."""
    way, aside = members[0].directions[0], rules.aside[members[0].units][1]
    boxes = blocking.boxes(way)
    level = _level(blocking, removals, members, way, aside)
    lifts = {}
    for removal in members:
        rear = float(boxes[list(removal.units), 0, 2].min())
        lift = math.ceil((max(level, rear) - rear) / rules.pitch - 1e-9) * rules.pitch
        lifts[removal] = round(max(lift, 0.0), 6)
    return _Column(way, aside, lifts)


def _pass_by(room: Room, removal: Removal, lift: float) -> None:
    """What leaves before a removal that goes aside must let it by: on its way up, and on its way over."""
    up = np.array(removal.directions[0]) * lift
    over = np.array(room.rules.aside[removal.units][1]) * FAR * room.blocking.scene.assembly.diagonal
    for k in removal.units:
        room.places[k], room.here[k], room.ways[k] = up, True, removal.directions[0]
        room.lanes.append(swept_box(room.blocking.bounds[k] + up, [over]))
    rising = [swept_box(room.blocking.bounds[k], [up]) for k in removal.units]
    room.passed.append((removal.units, np.array(rising)))


def _set_aside(room: Room, column: _Column) -> list[Placed]:
    """A column of removals that go the same way: stacked above a level as they were, then moved aside as one."""
    rules, boxes = room.rules, room.blocking.boxes(column.way)
    stack = empty_room(room.blocking, rules)
    found: list[Placed] = []
    passed = -math.inf  # how high along their way those come that go aside later
    for removal, lift in reversed(column.lifts.items()):
        inner, units = _inside(room, removal), list(removal.units)
        rear = float(boxes[units, 0, 2].min())
        floor = max(lift + rules.gap, passed + rules.gap / 2 - rear)
        apart = _shifts_of(inner)
        taken = [span for spans in _taken(stack, removal, apart) for span in spans]
        taken.append((-math.inf, floor))
        least = _least_free(taken, rules.gap, rules.pitch)
        distance = _seen_distance(stack, removal, apart, taken, least) if stack.page and rules.seen else least
        picked = rules.picked(removal)
        distance = distance if picked is None else max(picked, lift)
        _stand(stack, removal, apart, distance, NOWHERE)
        passed = max(passed, float(boxes[units, 1, 2].max()) + lift)
        found.append(Placed(removal, distance, tuple(inner), lift=lift))
    shift = _clear_aside(room, stack, column)
    for placed in found:
        _stand(room, placed.removal, _shifts_of(placed.inner), placed.distance, np.array(shift))
    return [replace(placed, aside=shift) for placed in found[::-1]]


def _level(
    blocking: Blocking, removals: Sequence[Removal], members: Sequence[Removal], way: Direction, aside: Direction
) -> float:
    """How high along their way members must be lifted to go aside over all that is there when their turn comes."""
    boxes, frame = blocking.boxes(way), view_frame(np.array(way))
    across = np.abs(frame[:2] @ np.array(aside)).argmin()  # the axis square to both ways
    level, gone = -math.inf, set[int]()
    for removal in removals:
        if removal in members:
            mine = boxes[list(removal.units)]
            low, high = mine[:, 0, across].min(), mine[:, 1, across].max()
            there = np.isin(np.arange(len(boxes)), sorted(gone | set(removal.units)), invert=True)
            beside = there & (boxes[:, 0, across] < high) & (boxes[:, 1, across] > low)
            level = max(level, float(boxes[beside, 1, 2].max(initial=-math.inf)))
        gone |= set(removal.units)
    return level


def _clear_aside(room: Room, stack: Room, column: _Column) -> Direction:
    """The least displacement aside at which a stack's outlines stand clear on the page, and out of the way of what
    leaves later."""
    rules = room.rules
    assert room.page is not None
    margin = max(round(rules.gap / room.page.outlines.pixel), 2)
    step = max(rules.gap / 2, rules.pitch)
    distances = np.ceil(np.arange(1, STEPS_ASIDE) * step / rules.pitch) * rules.pitch
    low, high = _in_the_way(room, stack, column).T
    met = ((low < distances[:, None]) & (distances[:, None] < high)).any(1)
    met[-1] = False  # where nothing is clear, it is the last
    shifts = np.round(np.array(column.aside) * distances[~met, None], 6)
    units = np.flatnonzero(stack.here)
    return triple(shifts[room.page.first_free(units.tolist(), stack.places[units, -1], shifts, margin)])


def _in_the_way(room: Room, stack: Room, column: _Column) -> NDArray[np.float64]:
    """The distances (n, 2) aside, from and to in mm, between which a stack would stand in the way of what leaves after
    one of its members."""
    own = {removal.units for removal in column.lifts}
    others = [np.zeros((0, 2, 3)), *(boxes for units, boxes in room.passed if units not in own)]
    counts = np.cumsum([0, *(0 if units in own else len(boxes) for units, boxes in room.passed)])
    later = dict(zip((units for units, _ in room.passed), counts.tolist(), strict=False))
    low, high = np.concatenate(others).swapaxes(0, 1)
    axis, found = np.abs(column.aside).argmax(), [np.zeros((0, 2))]
    across = np.delete(np.arange(3), axis)
    for removal in column.lifts:
        count = later[removal.units]
        for end in room.blocking.bounds[list(removal.units)] + stack.places[list(removal.units), -1][:, None]:
            beside = ((end[0] < high[:count]) & (end[1] > low[:count]))[:, across].all(1)
            spans = np.column_stack(
                [low[:count][beside, axis] - end[1, axis], high[:count][beside, axis] - end[0, axis]]
            )
            found.append(spans if column.aside[axis] > 0 else -spans[:, ::-1])
    return np.concatenate(found)
