"""Balloons: laid out, moved, added, taken away, stacked, tidied."""

import math
from collections.abc import Collection, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from pulley.core.assembly import Assembly
from pulley.core.drawing.balloons import automatic, look_at, numbered, own_point
from pulley.core.drawing.labelling import ARRANGED
from pulley.core.drawing.layout import blocked, inner
from pulley.core.drawing.rows import Row, rows
from pulley.core.drawing.scene import placing, scene_of, target_point
from pulley.core.drawing.sheet import Balloon, Page, Point2, Sheet, Target, fresh_id, with_page
from pulley.core.errors import PulleyError

FAR = 5000.0  # mm from the page beyond which nothing can be dragged


def balloons_for(
    assembly: Assembly,
    sheet: Sheet,
    page: str,
    views: Collection[str],
    each: str = "",
    arranged: str = "",
    keep: bool = True,
) -> tuple[Sheet, tuple[Row, ...]]:
    """Lay out the balloons of views, those placed by hand kept where they are unless ``keep`` is off.

    ``each`` and ``arranged`` are kept with the views, which go by what they have when nothing is said. An item that
    has a balloon in one view gets none in the next, unless every instance is wanted.

    Returns
    -------
    sheet : Sheet
    unplaced : tuple of Row
        The rows that these views show and that have no balloon in any of them.

    Raises
    ------
    PulleyError
        When balloons cannot be laid out so.
    """
    said: dict[str, Any] = {name: value for name, value in (("each", each), ("arranged", arranged)) if value}
    if each not in ("", "item", "instance") or arranged not in ("", *ARRANGED):
        raise PulleyError(
            "Choose how balloons are laid out: around, in columns, in rows or near; for items or instances."
        )
    on = sheet.page(page)
    on = replace(on, views=tuple(replace(v, **said) if v.id in views else v for v in on.views))
    found = rows(assembly, sheet)
    stay = [b for b in on.balloons if b.view not in views or (keep and b.placed)]
    fresh: list[Balloon] = []
    without: dict[str, set[str]] = {}
    for view in (v for v in on.views if v.id in views):
        own = [b for b in stay if b.view == view.id]
        done = [b for b in (*stay, *fresh) if b.view in views] if view.each == "item" else own
        others = [b for b in done if b.view != view.id]
        wanted = tuple(row for row in found if not _pointed_at(row, others))
        boxes = blocked(assembly, sheet, on, but=view.id)
        placed, missing = automatic(assembly, sheet, view, wanted, inner(on.sheet_of_paper), boxes, own)
        fresh += placed[len(own) :]
        without[view.id] = {row.key for row in missing}
    cleared = replace(on, balloons=tuple(stay))
    changed = with_page(sheet, replace(on, balloons=(*stay, *numbered(cleared, fresh))))
    pointed = {b.target.component for b in fresh} | {b.target.component for b in stay}
    unplaced = tuple(
        row for row in found if any(row.key in keys for keys in without.values()) and not pointed & set(row.components)
    )
    return changed, unplaced


def _pointed_at(row: Row, balloons: Sequence[Balloon]) -> bool:
    return any(path in row.components for b in balloons for path in (b.target.component, *b.more))


def retidied(assembly: Assembly, before: Sheet, sheet: Sheet, page: str, views: Collection[str]) -> Sheet:
    """The sheet after a change to views: what was placed by hand goes along with its part, the rest is new."""
    old, on = before.page(page), sheet.page(page)
    moved = []
    for balloon in on.balloons:
        if balloon.view in views and balloon.placed:
            one = _tip(assembly, before, old, balloon)
            two = _tip(assembly, sheet, on, balloon)
            if one is not None and two is not None:
                by = two - one
                balloon = replace(balloon, centre=(balloon.centre[0] + float(by[0]), balloon.centre[1] + float(by[1])))
        moved.append(balloon)
    sheet = with_page(sheet, replace(on, balloons=tuple(moved)))
    had = {b.view for b in on.balloons if not b.placed} & set(views)
    return balloons_for(assembly, sheet, page, had)[0] if had else sheet


def _tip(
    assembly: Assembly, sheet: Sheet, page: Page, balloon: Balloon
) -> np.ndarray[tuple[int, ...], np.dtype[np.float64]] | None:
    view = next((v for v in page.views if v.id == balloon.view), None)
    if view is None:
        return None
    point = target_point(assembly, scene_of(assembly, sheet.teardown, view), balloon.target)
    return None if point is None else placing(view).flat(point)


def _changed(page: Page, id: str, **given: object) -> Page:
    if not any(b.id == id for b in page.balloons):
        raise PulleyError("That balloon is no longer on the sheet. Nothing was changed.")
    return replace(page, balloons=tuple(replace(b, **given) if b.id == id else b for b in page.balloons))  # type: ignore[arg-type]


def move_balloons(sheet: Sheet, page: str, ids: Sequence[str], by: Point2) -> Sheet:
    """Move balloons by hand; their leaders follow, and tidying leaves them where they are."""
    if not all(math.isfinite(v) and abs(v) < FAR for v in by):
        raise PulleyError("The balloon would lie far off the paper. Nothing was changed.")
    on = sheet.page(page)
    for id in ids:
        balloon = next((b for b in on.balloons if b.id == id), None)
        centre = (round(balloon.centre[0] + by[0], 4), round(balloon.centre[1] + by[1], 4)) if balloon else (0.0, 0.0)
        on = _changed(on, id, centre=centre, placed=True)
    return with_page(sheet, on)


def move_attachment(assembly: Assembly, sheet: Sheet, page: str, id: str, at: Point2) -> Sheet:
    """Let a leader end elsewhere on its part: at the visible spot of the part nearest to a spot of the page."""
    on = sheet.page(page)
    balloon = next((b for b in on.balloons if b.id == id), None)
    if balloon is None:
        raise PulleyError("That balloon is no longer on the sheet. Nothing was changed.")
    look = look_at(assembly, sheet, on.view(balloon.view))
    leaves = [leaf for leaf in assembly.below.get(balloon.target.component, ()) if leaf in look.spots]
    if not leaves:
        raise PulleyError("Nothing of that part is to be seen in this view. Point at another one.")
    places = np.array([look.identity.paths.index(leaf) for leaf in leaves])
    seen = np.argwhere(np.isin(look.identity.owner, places))
    spot = (look.placing.picture(np.array(at, float)) - look.identity.corner) / look.identity.pixel * (1, -1)
    row, column = seen[int(np.argmin(((seen + 0.5 - spot[::-1]) ** 2).sum(1)))].tolist()
    leaf = look.identity.paths[look.identity.owner[row, column]]
    point = own_point(assembly, look.scene, balloon.target.component, leaf, look.identity.point(row, column))
    target = Target(balloon.target.component, point)
    return with_page(sheet, _changed(on, id, target=target, placed=True))


def add_balloon(assembly: Assembly, sheet: Sheet, page: str, view: str, target: Target) -> Sheet:
    """A balloon more, for what was pointed at; it finds its place among those that stand.

    Raises
    ------
    PulleyError
        When the part is not in the list, or there is no room.
    """
    on = sheet.page(page)
    found = rows(assembly, sheet)
    row = next((r for r in found if {target.component, *assembly.above(target.component)} & set(r.components)), None)
    if row is None:
        raise PulleyError("That part is left out of the parts list. Take it into the list first.")
    path = next(p for p in row.components if p == target.component or p in assembly.above(target.component))
    own = [b for b in on.balloons if b.view == view]
    within, boxes = inner(on.sheet_of_paper), blocked(assembly, sheet, on, but=view)
    alone = (replace(row, components=(path,)),)
    placed, _ = automatic(assembly, sheet, replace(on.view(view), each="instance"), alone, within, boxes, own)
    if len(placed) == len(own):
        raise PulleyError(
            f"There is no room for a balloon for {row.name}, or it has one. Move one aside, or tidy them."
        )
    fresh = replace(placed[-1], id=fresh_id(on, "b"), placed=True)
    if fresh.target.component == target.component:
        fresh = replace(fresh, target=target, end="dot")
    return with_page(sheet, replace(on, balloons=(*on.balloons, fresh)))


def remove_balloons(sheet: Sheet, page: str, ids: Collection[str]) -> Sheet:
    """Take balloons away."""
    on = sheet.page(page)
    return with_page(sheet, replace(on, balloons=tuple(b for b in on.balloons if b.id not in ids)))


def tidy(assembly: Assembly, sheet: Sheet, page: str, all_of_them: bool = False) -> tuple[Sheet, tuple[Row, ...]]:
    """Lay out anew the balloons of a page that were not placed by hand, or all of them."""
    on = sheet.page(page)
    views = {b.view for b in on.balloons} or {v.id for v in on.views[:1]}
    return balloons_for(assembly, sheet, page, views, keep=not all_of_them)


def stack_balloons(sheet: Sheet, page: str, ids: Sequence[str]) -> Sheet:
    """Hang balloons of one view on the leader of the first, as for a screw with its washer and nut.

    Raises
    ------
    PulleyError
        When they are fewer than two, or of different views.
    """
    on = sheet.page(page)
    chosen = [b for id in ids for b in on.balloons if b.id == id]
    if len(chosen) < 2 or len({b.view for b in chosen}) > 1:
        raise PulleyError("Choose two or more balloons of one view to stack them.")
    more = tuple(path for b in chosen[1:] for path in (b.target.component, *b.more))
    first = replace(chosen[0], more=(*chosen[0].more, *more), placed=True)
    gone = {b.id for b in chosen[1:]}
    return with_page(
        sheet, replace(on, balloons=tuple(first if b.id == first.id else b for b in on.balloons if b.id not in gone))
    )


def unstack_balloon(assembly: Assembly, sheet: Sheet, page: str, id: str) -> Sheet:
    """Give each of a stack its own leader again."""
    on = sheet.page(page)
    balloon = next((b for b in on.balloons if b.id == id), None)
    if balloon is None or not balloon.more:
        raise PulleyError("That balloon has no others on its leader. Nothing was changed.")
    sheet = with_page(sheet, _changed(on, id, more=()))
    return balloons_for(assembly, sheet, page, {balloon.view})[0]
