"""A lay-out for a page: the view, the gaps and the columns set aside with which everything is drawn largest."""

import math
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from pulley.core.camera import camera_frame
from pulley.core.geometry.frames import Vector3
from pulley.core.planning.blocking import SIX, Blocking, Direction
from pulley.core.planning.families import families_of
from pulley.core.planning.gaps import GAP_SHARE, end_shifts, usual_gap
from pulley.core.planning.outlines import Outlines, Page, outlines_of
from pulley.core.planning.peeling import Removal
from pulley.core.planning.removal_steps import step_count
from pulley.core.planning.spacing import Placed, Spacing, place
from pulley.core.quantities import round_pitch
from pulley.core.scales import factor, largest_scale, next_scale
from pulley.core.teardown import Camera

SEEN = 0.3  # share of a unit from which it counts as seen on the page
ENOUGH = 0.31  # share that is made room for, as pixels are coarse
TIGHT = 0.5  # of the usual gap, with which the largest scale is looked for
TIGHTER = ((0.3, 0.31), (0.3, 0.25), (0.2, 0.25))  # the same and shares seen, where that reaches the next scale
NEAR = 0.7  # of the next standard scale, from which that is tried
LEAST_GAP = 1.5  # mm of paper
WIDER = ((1.0, ENOUGH), (0.75, ENOUGH), (1.0, 0.8), (1.0, 0.6), (0.75, 0.6), (0.75, 0.45))
# gaps over the usual, and shares seen, that are tried where the scale allows it
COLUMNS = (2, 3, 4)
SHIFTED = (-0.12, -0.06, 0.06, 0.12)  # shares of a row by which the best breaks are moved
WEIGHTS = {  # of what a lay-out is worth, the first three for a doubling
    "scale": 4.0,  # the standard scale
    "fit": 1.0,  # the largest scale of any
    "gap": 0.6,
    "column": -0.5,
    "hidden": -40.0,  # for all units; each its share
    "overlap": -2.0,  # for all of the outlines behind others
    "step": -0.5,  # of evenly spaced rows that are one step, each
}


@dataclass(frozen=True)
class Rooms:
    """What a page leaves for a view: widths and heights in mm that it may fill, and the directions to look from.

    The usual ones are those of A3, wide, with a short parts list beside the view.
    """

    sizes: tuple[tuple[float, float], ...] = ((262.0, 222.0),)
    views: tuple[Vector3, ...] = ((0.62, -0.66, 0.43),)
    up: Vector3 = (0.0, 0.0, 1.0)

    def fit(self, size: NDArray[np.float64]) -> float:
        """Mm of paper for each mm of a picture of a size (2,), at most."""
        wide, tall = np.maximum(size, 1e-6)
        return max(float(min(w / wide, h / tall)) for w, h in self.sizes)


@dataclass(frozen=True)
class OnPage:
    """How a lay-out stands on a page: from where it is seen (3,), the largest scale that would fit, the shares of units
    hidden and of outlines behind others, its gap in mm, how many columns are set aside, and what it is worth."""

    view: Vector3
    fit: float
    hidden: float
    overlap: float
    gap: float
    columns: int
    worth: float

    @property
    def scale(self) -> float:
        """The largest standard scale, as a factor."""
        return factor(largest_scale(self.fit))


@dataclass(frozen=True)
class Layout:
    """Removals placed for a page by rules, and how they stand there."""

    placed: tuple[Placed, ...]
    rules: Spacing
    page: OnPage


def layouts(
    blocking: Blocking,
    removals: Sequence[Removal],
    rooms: Rooms,
    rules: Spacing,
    keep: bool = False,
    aside: str = "columns",
) -> list[Layout]:
    """Lay-outs of removals for a page, the best first.

    Every view is tried with tight gaps; those that come out largest also with things set aside, which bent trail
    lines lead to: ``columns`` that long rows of removals are broken into, or ``families``, subassemblies that left as
    a whole. In the best of these, gaps are then opened as far as the scale stays. What a lay-out is worth is one
    sum: `WEIGHTS`.

    Parameters
    ----------
    blocking : Blocking
    removals : sequence of Removal
    rooms : Rooms
    rules : Spacing
        The usual gap; ``keep`` it where somebody has asked for it.
    aside : str
        ``columns``, ``families`` or nothing.
    """
    tight = rules if keep else replace(rules, gap=max(rules.gap * TIGHT, rules.pitch), seen=ENOUGH)
    frames = {view: replace(tight, outlines=_outlines(blocking, view, rooms)) for view in rooms.views}
    tried = [_laid(blocking, removals, rooms, view, frames[view]) for view in rooms.views]
    setting = {"columns": _columns, "families": _families}
    effort = effort_for(blocking)
    for layout in _best(tried)[: effort.views if aside == "columns" else 1 if aside else 0]:
        if aside == "columns" and rooms.fit(_home(layout)) < next_scale(layout.page.scale):
            continue  # no lay-out is smaller than the assembly at home
        tried += setting[aside](blocking, removals, rooms, layout)
    wanted = [layout for layout in tried if layout.rules.aside] if aside == "families" else tried
    tried = wanted or tried
    if not keep:
        for layout in _best(tried)[: effort.hopeful]:
            tried += _tighter(blocking, removals, rooms, layout)
        best = _best(tried)
        opened = [_opened(blocking, removals, rooms, layout, rules) for layout in best[: effort.opened]]
        tried = opened + best[effort.opened :]
    return _best(tried)


def _best(layouts: Sequence[Layout]) -> list[Layout]:
    return sorted(layouts, key=lambda layout: -layout.page.worth)


def _home(layout: Layout) -> NDArray[np.float64]:
    """Width and height (2,) in mm of the picture with everything at home."""
    assert layout.rules.outlines is not None
    return layout.rules.outlines.extent({})


def _tighter(blocking: Blocking, removals: Sequence[Removal], rooms: Rooms, layout: Layout) -> Iterator[Layout]:
    """The same with smaller gaps, where that reaches the next standard scale and they can still be seen on paper."""
    following = next_scale(layout.page.scale)
    gap = layout.rules.gap / TIGHT
    for share, seen in TIGHTER if layout.page.fit >= NEAR * following else ():
        if gap * share * following >= LEAST_GAP:
            pitch = min(layout.rules.pitch, round_pitch(gap * share / GAP_SHARE, "mm"))
            rules = replace(layout.rules, gap=gap * share, pitch=pitch, seen=seen)
            found = _laid(blocking, removals, rooms, layout.page.view, rules)
            if found.page.scale > layout.page.scale:
                yield found


def _outlines(blocking: Blocking, view: Vector3, rooms: Rooms) -> Outlines:
    return outlines_of(blocking, camera_frame(Camera("", "", view, (0.0, 0.0, 0.0), rooms.up)))


def _laid(blocking: Blocking, removals: Sequence[Removal], rooms: Rooms, view: Vector3, rules: Spacing) -> Layout:
    """Removals placed by rules, and what that is worth on a page."""
    placed, outlines = place(blocking, removals, range(len(blocking.units)), rules), rules.outlines
    assert outlines is not None
    shifts = end_shifts(placed)
    page = Page(outlines)
    for k in range(len(blocking.units)):
        page.put(k, shifts.get(k, np.zeros(3)))
    fit = rooms.fit(outlines.extent(shifts))
    overlap = page.overlapped()
    columns = len({number for number, _ in rules.aside.values()})
    worth = (
        WEIGHTS["scale"] * math.log2(factor(largest_scale(fit)))
        + WEIGHTS["fit"] * math.log2(fit)
        + WEIGHTS["gap"] * math.log2(rules.gap / usual_gap(blocking))
        + WEIGHTS["column"] * columns
        + WEIGHTS["hidden"] * unseen(page.shares)
        + WEIGHTS["overlap"] * overlap
        + WEIGHTS["step"] * step_count(blocking, placed)
    )
    hidden = float((page.shares < SEEN).mean())
    return Layout(tuple(placed), rules, OnPage(view, fit, hidden, overlap, rules.gap, columns, worth))


def unseen(shares: NDArray[np.float64]) -> float:
    """How far units fall short of being seen, 0 to 1: those that are seen enough not at all, hidden ones wholly.

    >>> unseen(np.array([1.0, 0.3, 0.15, 0.0]))
    0.375
    """
    return float(np.maximum(1 - shares / SEEN, 0.0).mean())


def _opened(blocking: Blocking, removals: Sequence[Removal], rooms: Rooms, layout: Layout, base: Spacing) -> Layout:
    """The same with gaps as wide, and as much seen, as suits best at the same standard scale."""
    tried = [
        _laid(
            blocking,
            removals,
            rooms,
            layout.page.view,
            replace(layout.rules, gap=max(base.gap * gap, base.pitch), seen=seen),
        )
        for gap, seen in WIDER
    ]
    return max([layout, *tried], key=lambda each: each.page.worth)


@dataclass(frozen=True)
class Effort:
    """How much is tried: views with columns, numbers of columns, patterns of sides, moves of breaks; of how many
    lay-outs smaller, and wider, gaps."""

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
        return Effort(2, 3, 6, 4, 8, 2)
    if count <= 200:
        return Effort(2, 2, 2, 4, 4, 2)
    return Effort(1, 1, 1, 0, 1, 1)


def _columns(blocking: Blocking, removals: Sequence[Removal], rooms: Rooms, layout: Layout) -> list[Layout]:
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
            return _laid(blocking, removals, rooms, base.page.view, replace(rules, aside=aside))

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


def _families(blocking: Blocking, removals: Sequence[Removal], rooms: Rooms, layout: Layout) -> list[Layout]:
    """The lay-out with every subassembly set aside, each on the side where that is worth most."""
    best = layout
    for number, (way, members) in enumerate(_set_apart(blocking, layout, removals), 1):
        tried = [
            {**best.rules.aside, **dict.fromkeys(members, (number, side))}
            for side in SIX
            if abs(float(np.array(side) @ np.array(way))) < 0.5
        ]
        laid = [_laid(blocking, removals, rooms, best.page.view, replace(best.rules, aside=aside)) for aside in tried]
        best = max(laid, key=lambda each: each.page.worth, default=best)
    return [best] if best is not layout else []


def _set_apart(
    blocking: Blocking, layout: Layout, removals: Sequence[Removal]
) -> Iterator[tuple[Direction, list[tuple[int, ...]]]]:
    """What is set aside of each of the largest subassemblies, the last to leave first: all that goes the way that most
    of it goes, but for the one that things are taken off."""
    moved = {k for placed in layout.placed for k in placed.removal.units}
    families = families_of(blocking)
    largest = [units for _, units in families if units <= moved and not any(units < other for _, other in families)]
    rows = [each for each in removals[::-1] if _may_go_aside(each) and each.directions[0] in SIX]
    last = {units: next((n for n, r in enumerate(rows) if units & set(r.units)), len(rows)) for units in largest}
    for units in sorted(largest, key=last.__getitem__):
        own = [removal for removal in rows if units >= set(removal.units)]
        ways = Counter(removal.directions[0] for removal in own)
        if ways:
            way = ways.most_common(1)[0][0]
            yield way, [removal.units for removal in own if removal.directions[0] == way]


def _whole(removals: Sequence[Removal]) -> dict[int, tuple[int, ...]]:
    """The units of the removal that each leaves in; parts of one group may go different distances."""
    return {k: removal.units for removal in removals for k in removal.units}


def _longest(layout: Layout, done: set[Direction]) -> Direction | None:
    """The direction of the six in which removals go farthest on the page."""
    frame = layout.rules.outlines.frame[:2] if layout.rules.outlines else np.eye(3)[:2]
    far: dict[Direction, float] = {}
    for placed in layout.placed:
        way = placed.removal.directions[0]
        if way in SIX and way not in done and _may_go_aside(placed.removal):
            far[way] = max(far.get(way, 0.0), placed.distance * float(np.linalg.norm(frame @ np.array(way))))
    return max(far, key=lambda way: (far[way], way)) if far else None


def _may_go_aside(removal: Removal) -> bool:
    return not (removal.axis or removal.first or removal.twist) and len(set(removal.directions)) == 1


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
        if column:
            found[whole[placed.removal.units[0]]] = first + column, pattern[(column - 1) % len(pattern)]
    return found


def _sides(layout: Layout, way: Direction) -> list[tuple[Direction, ...]]:
    """Sides on which columns can stand: those square to their way that lead most to the right and to the left."""
    frame = layout.rules.outlines.frame if layout.rules.outlines else np.eye(3)
    square = [side for side in SIX if abs(float(np.array(side) @ np.array(way))) < 0.5]
    flat = {side: frame[:2] @ np.array(side) for side in square}
    right = max(square, key=lambda side: (round(float(flat[side][0]), 6), -SIX.index(side)))
    left = min(square, key=lambda side: (round(float(flat[side][0]), 6), SIX.index(side)))
    front = sorted(square, key=lambda side: (round(float(flat[side][1]), 6), SIX.index(side)))[:2]
    return [*dict.fromkeys([(right,), (left,), *((side,) for side in front), tuple(front), (right, left)])]
