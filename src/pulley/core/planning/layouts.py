"""The lay-outs that are tried for a page: views, gaps and what is set aside with which everything is drawn largest."""

from collections.abc import Iterator, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from pulley.core.camera import camera_frame
from pulley.core.geometry.frames import Vector3
from pulley.core.planning.blocking import Blocking
from pulley.core.planning.evening import evened
from pulley.core.planning.gaps import GAP_SHARE
from pulley.core.planning.outlines import Outlines, outlines_of
from pulley.core.planning.page import NOTHING, Layout, Rooms, laid
from pulley.core.planning.peeling import Removal
from pulley.core.planning.places import Spacing
from pulley.core.planning.setting_aside import columns, effort_for, families
from pulley.core.quantities import round_pitch
from pulley.core.scales import next_scale
from pulley.core.teardown import Camera

ENOUGH = 0.31  # share that is made room for, as pixels are coarse
TIGHT = 0.5  # of the usual gap, with which the largest scale is looked for
TIGHTER = ((0.3, 0.31), (0.3, 0.25), (0.2, 0.25))  # the same and shares seen, where that reaches the next scale
NEAR = 0.7  # of the next standard scale, from which that is tried
LEAST_GAP = 1.5  # mm of paper
WIDER = ((1.0, ENOUGH), (0.75, ENOUGH), (1.0, 0.8), (1.0, 0.6), (0.75, 0.6), (0.75, 0.45))
# gaps over the usual, and shares seen, that are tried where the scale allows it


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
    effort, setting = effort_for(blocking), {"columns": columns, "families": families}
    frames = {view: replace(tight, outlines=_outlines(blocking, view, rooms)) for view in rooms.views[: effort.looked]}
    tried = [laid(blocking, removals, rooms, view, frame) for view, frame in frames.items()]
    for layout in _best(tried)[: effort.views if aside == "columns" else min(effort.views, 1) if aside else 0]:
        if aside == "columns" and rooms.fit(_home(layout)) < next_scale(layout.page.scale):
            continue  # no lay-out is smaller than the assembly at home
        tried += setting[aside](blocking, removals, rooms, layout)
    wanted = [layout for layout in tried if layout.rules.aside] if aside == "families" else tried
    tried = _as_picked(wanted or tried, rules)
    if not keep:
        for layout in _best(tried)[: effort.hopeful]:
            tried += _tighter(blocking, removals, rooms, layout)
        best = _best(tried)
        opened = [_opened(blocking, removals, rooms, layout, rules) for layout in best[: effort.opened]]
        tried = opened + best[effort.opened :]
    for layout in _best(tried)[: effort.opened]:
        tried += _evened(blocking, removals, rooms, layout)
    return [layout for layout in _best(tried) if layout.page.fit > NOTHING]


def _as_picked(layouts: Sequence[Layout], rules: Spacing) -> list[Layout]:
    """Those in which everything is set aside for which a side was picked; all where there is none."""
    picked = rules.sides.keys()
    aside = [layout for layout in layouts if picked <= {k for units in layout.rules.aside for k in units}]
    return aside or list(layouts)


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
            found = laid(blocking, removals, rooms, layout.page.view, rules)
            if found.page.scale > layout.page.scale:
                yield found


def _evened(blocking: Blocking, removals: Sequence[Removal], rooms: Rooms, layout: Layout) -> Iterator[Layout]:
    """The same with even gaps in rows of like components, where they were not."""
    picked = layout.rules.far
    for far in evened(blocking, layout.placed, layout.rules.pitch):
        if picked.keys().isdisjoint(far):
            yield laid(blocking, removals, rooms, layout.page.view, replace(layout.rules, far={**picked, **far}))


def largest_fit(blocking: Blocking, rooms: Rooms) -> float:
    """Mm of paper for each mm with everything at home, at most: no lay-out is larger."""
    return max(rooms.fit(_outlines(blocking, view, rooms).extent({})) for view in rooms.views)


def _outlines(blocking: Blocking, view: Vector3, rooms: Rooms) -> Outlines:
    return outlines_of(blocking, camera_frame(Camera("", "", view, (0.0, 0.0, 0.0), rooms.up)))


def _opened(blocking: Blocking, removals: Sequence[Removal], rooms: Rooms, layout: Layout, base: Spacing) -> Layout:
    """The same with gaps as wide, and as much seen, as suits best at the same standard scale."""
    tried = [
        laid(
            blocking,
            removals,
            rooms,
            layout.page.view,
            replace(layout.rules, gap=max(base.gap * gap, base.pitch), seen=seen),
        )
        for gap, seen in WIDER
    ]
    return max([layout, *tried], key=lambda each: each.page.worth)
