"""What is set aside: long rows of removals broken into columns, and subassemblies that left as a whole."""

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from pulley.core.planning.blocking import SIX, Blocking, Direction
from pulley.core.planning.families import families_of
from pulley.core.planning.page import Layout, Rooms, laid
from pulley.core.planning.peeling import Removal
from pulley.core.planning.places import Placed

COLUMNS = (2, 3, 4)
ALL = 99  # views
SHIFTED = (-0.12, -0.06, 0.06, 0.12)  # shares of a row by which the best breaks are moved


@dataclass(frozen=True)
class Effort:
    """How much is tried: views, those of them with columns, numbers of columns, patterns of sides, moves of breaks; of
    how many lay-outs smaller, and wider, gaps."""

    looked: int
    views: int
    columns: int
    sides: int
    shifts: int
    hopeful: int
    opened: int


def effort_for(blocking: Blocking) -> Effort:
    """Less for more units, so that large assemblies do not take all day; counted, not timed, so that answers stay."""
    count = len(blocking.units)
    if count <= 60:
        return Effort(ALL, 2, 3, 6, 4, 8, 2)
    if count <= 200:
        return Effort(ALL, 2, 2, 2, 4, 4, 2)
    if count <= 2000:
        return Effort(ALL, 1, 1, 1, 0, 1, 1)
    return Effort(1, 0, 0, 0, 0, 0, 0)


def columns(blocking: Blocking, removals: Sequence[Removal], rooms: Rooms, layout: Layout) -> list[Layout]:
    """Lay-outs with the longest row of removals broken into columns, and of the best of these again the next row."""
    found: list[Layout] = []
    best, done = layout, set[Direction]()
    for _ in range(2):
        way = _longest(best, done)
        if way is None:
            break
        done.add(way)
        row = _row(best, way)

        def broken(
            edges: Sequence[float], sides: Sequence[Direction], base: Layout = best, way: Direction = way
        ) -> Layout:
            rules = base.rules
            aside = {**rules.aside, **_aside(base, way, edges, sides, removals)}
            return laid(blocking, removals, rooms, base.page.view, replace(rules, aside=aside))

        if len(row) < 2 or row[0].distance == row[-1].distance:
            continue
        effort = effort_for(blocking)
        counts, sides = COLUMNS[: effort.columns], _sides(best, way)[-effort.sides :]
        tried = {(n, pattern): broken(_even(n), pattern) for n in counts for pattern in sides}
        n, pattern = max(tried, key=lambda key: tried[key].page.worth)
        shifted = [broken([edge + by for edge in _even(n)], pattern) for by in SHIFTED[: effort.shifts]]
        found += [*tried.values(), *shifted]
        best = max([best, *tried.values(), *shifted], key=lambda each: each.page.worth)
    return found


def _even(columns: int) -> list[float]:
    """Shares of a row at which it is broken into columns of one length."""
    return [k / columns for k in range(1, columns)]


def families(blocking: Blocking, removals: Sequence[Removal], rooms: Rooms, layout: Layout) -> list[Layout]:
    """The lay-out with every subassembly set aside, each on the side where that is worth most."""
    best = layout
    for number, (way, members) in enumerate(_set_apart(blocking, layout, removals), 1):
        tried = [
            {**best.rules.aside, **dict.fromkeys(members, (number, side))}
            for side in SIX
            if abs(float(np.array(side) @ np.array(way))) < 0.5
        ]
        found = [laid(blocking, removals, rooms, best.page.view, replace(best.rules, aside=aside)) for aside in tried]
        best = max(found, key=lambda each: each.page.worth, default=best)
    return [best] if best is not layout else []


def _set_apart(
    blocking: Blocking, layout: Layout, removals: Sequence[Removal]
) -> Iterator[tuple[Direction, list[tuple[int, ...]]]]:
    """What is set aside of each of the largest subassemblies, the last to leave first: all that goes the way that most
    of it goes, but for the one that things are taken off."""
    moved = {k for placed in layout.placed for k in placed.removal.units}
    known = families_of(blocking)
    largest = [units for _, units in known if units <= moved and not any(units < other for _, other in known)]
    rows = [each for each in removals[::-1] if _may_go_aside(each) and each.directions[0] in SIX]
    last = {units: next((n for n, r in enumerate(rows) if units & set(r.units)), len(rows)) for units in largest}
    for units in sorted(largest, key=last.__getitem__):
        own = [removal for removal in rows if units >= set(removal.units)]
        ways = Counter(removal.directions[0] for removal in own)
        if ways:
            way = ways.most_common(1)[0][0]
            yield way, [removal.units for removal in own if removal.directions[0] == way]


def _whole(removals: Sequence[Removal]) -> dict[int, tuple[int, ...]]:
    """The units of the removal that each leaves in, of those that may go aside; parts of one group may go different
    distances."""
    return {k: removal.units for removal in removals if _may_go_aside(removal) for k in removal.units}


def _longest(layout: Layout, done: set[Direction]) -> Direction | None:
    """The direction of the six in which removals go farthest on the page."""
    frame = _frame(layout)[:2]
    far: dict[Direction, float] = {}
    for placed in layout.placed:
        way = placed.removal.directions[0]
        if way in SIX and way not in done and _may_go_aside(placed.removal):
            far[way] = max(far.get(way, 0.0), placed.distance * float(np.linalg.norm(frame @ np.array(way))))
    return max(far, key=lambda way: (far[way], way)) if far else None


def _may_go_aside(removal: Removal) -> bool:
    return not (removal.axis or removal.legs or removal.twist) and len(set(removal.directions)) == 1


def _row(layout: Layout, way: Direction) -> list[Placed]:
    """What goes one way, the nearest first."""
    row = [each for each in layout.placed if each.removal.directions[0] == way and _may_go_aside(each.removal)]
    return sorted(row, key=lambda placed: placed.distance)


def _aside(
    layout: Layout, way: Direction, edges: Sequence[float], pattern: Sequence[Direction], removals: Sequence[Removal]
) -> dict[tuple[int, ...], tuple[int, Direction]]:
    """A row broken at shares of its length into columns, which go to the sides of a pattern in turn."""
    row, whole = _row(layout, way), _whole(removals)
    near, far = row[0].distance, row[-1].distance
    first = max((number for number, _ in layout.rules.aside.values()), default=0)
    found, column = {}, 0
    for placed in [each for each in layout.placed if each in row][::-1]:  # what leaves earlier goes as far or farther
        column = max(column, int(np.searchsorted(edges, (placed.distance - near) / (far - near))))
        if column and placed.removal.units[0] in whole:
            found[whole[placed.removal.units[0]]] = first + column, pattern[(column - 1) % len(pattern)]
    return found


def _sides(layout: Layout, way: Direction) -> list[tuple[Direction, ...]]:
    """Sides on which columns can stand: those square to their way that lead most to the right and to the left."""
    frame = _frame(layout)
    square = [side for side in SIX if abs(float(np.array(side) @ np.array(way))) < 0.5]
    flat = {side: frame[:2] @ np.array(side) for side in square}
    right = max(square, key=lambda side: (round(float(flat[side][0]), 6), -SIX.index(side)))
    left = min(square, key=lambda side: (round(float(flat[side][0]), 6), SIX.index(side)))
    front = sorted(square, key=lambda side: (round(float(flat[side][1]), 6), SIX.index(side)))[:2]
    return [*dict.fromkeys([(right,), (left,), *((side,) for side in front), tuple(front), (right, left)])]


def _frame(layout: Layout) -> NDArray[np.float64]:
    assert layout.rules.outlines is not None  # lay-outs on a page have them
    return layout.rules.outlines.frame
