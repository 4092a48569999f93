"""Notes, dimensions, centre lines and tables of travels; and what is done with any of them alike."""

import math
from dataclasses import replace
from typing import Any

import numpy as np

from pulley.core.assembly import Assembly, Leaf
from pulley.core.drawing.lettering import HEIGHTS
from pulley.core.drawing.scene import placing, scene_of, shown_leaves
from pulley.core.drawing.sheet import (
    CentreLine,
    Dimension,
    Note,
    Page,
    Point2,
    Sheet,
    Target,
    TravelTable,
    fresh_id,
    with_page,
)
from pulley.core.errors import PulleyError
from pulley.core.geometry.features import main_axis
from pulley.core.geometry.frames import apply, triple

FAR = 5000.0
KINDS = ("notes", "dimensions", "centre_lines", "tables", "lists")
TEXT_LIMIT = 2000
PARALLEL = 0.999


def add_note(
    sheet: Sheet, page: str, at: Point2, text: str, view: str = "", target: Target | None = None, height: float = 3.5
) -> Sheet:
    """Text on a page, with a leader to what was pointed at.

    Raises
    ------
    PulleyError
        When the text is empty.
    """
    on = sheet.page(page)
    note = Note(fresh_id(on, "n"), at, _written(text), _standard(height), view, target)
    return with_page(sheet, replace(on, notes=(*on.notes, note)))


def _written(text: str) -> str:
    lines = [" ".join(line.split()) for line in text.strip().splitlines()]
    if not any(lines):
        raise PulleyError("The note is empty. Type what it says.")
    return "\n".join(lines)[:TEXT_LIMIT]


def _standard(height: float) -> float:
    """The standard lettering height nearest to one."""
    return min(HEIGHTS, key=lambda known: abs(known - height)) if math.isfinite(height) else 3.5


def add_dimension(sheet: Sheet, page: str, view: str, start: Target, end: Target, offset: float = 10.0) -> Sheet:
    """The true distance between two points that were pointed at.

    Raises
    ------
    PulleyError
        When both are the same point.
    """
    on = sheet.page(page)
    if start == end:
        raise PulleyError("Both points are the same. Point at two different ones.")
    dimension = Dimension(fresh_id(on, "d"), view, start, end, offset)
    return with_page(sheet, replace(on, dimensions=(*on.dimensions, dimension)))


def add_centre_lines(assembly: Assembly, sheet: Sheet, page: str, view: str, component: str) -> Sheet:
    """The centre line of a component's main axis; of every instance of its part that the view shows.

    Raises
    ------
    PulleyError
        When it has no round face, or its axis runs straight at the eye.
    """
    on = sheet.page(page)
    leaf = assembly.by_path.get(component)
    axis = main_axis(leaf.part.mesh.cylinders) if isinstance(leaf, Leaf) else None
    if axis is None or not isinstance(leaf, Leaf):
        raise PulleyError("That part has no round face, so it has no centre line.")
    scene, place = scene_of(assembly, sheet.teardown, on.view(view)), placing(on.view(view))
    along = (leaf.part.mesh.vertices - np.array(axis.origin)) @ np.array(axis.direction)
    middle = np.array(axis.origin) + np.array(axis.direction) * (along.min() + along.max()) / 2
    fresh: list[CentreLine] = []
    for other in assembly.leaves:
        if other.part.key != leaf.part.key or not list(shown_leaves(assembly, scene, other.path)):
            continue
        way = place.frame @ scene.poses[other.path][:3, :3] @ np.array(axis.direction)
        if abs(way[2]) > PARALLEL or any(c.view == view and c.target.component == other.path for c in on.centre_lines):
            continue
        id = f"c{len(on.centre_lines) + len(fresh) + 1}"
        fresh.append(
            CentreLine(
                id, view, Target(other.path, triple(middle)), triple(np.array(axis.direction)), float(np.ptp(along)) / 2
            )
        )
    if not fresh:
        raise PulleyError("The axis of that part runs straight at the eye, or it has its centre line already.")
    return with_page(sheet, replace(on, centre_lines=(*on.centre_lines, *fresh)))


def add_table(sheet: Sheet, page: str, at: Point2) -> Sheet:
    """A table of the travels."""
    on = sheet.page(page)
    return with_page(
        sheet, replace(on, tables=(*on.tables, TravelTable(fresh_id(on, "t"), at, sheet.pattern.lettering)))
    )


def _found(page: Page, id: str) -> tuple[str, Any]:
    for kind in KINDS:
        for item in getattr(page, kind):
            if item.id == id:
                return kind, item
    raise PulleyError("That is no longer on the sheet. Nothing was changed.")


def _replaced(sheet: Sheet, page: Page, kind: str, item: Any) -> Sheet:
    kept: dict[str, Any] = {kind: tuple(item if i.id == item.id else i for i in getattr(page, kind))}
    return with_page(sheet, replace(page, **kept))


def move_item(sheet: Sheet, page: str, id: str, by: Point2) -> Sheet:
    """Move a note, a list or a table; of a dimension, its line goes along with the part of the way across it."""
    if not all(math.isfinite(v) and abs(v) < FAR for v in by):
        raise PulleyError("It would lie far off the paper. Nothing was changed.")
    on = sheet.page(page)
    kind, item = _found(on, id)
    if kind == "centre_lines":
        return sheet
    if kind == "dimensions":
        return _replaced(sheet, on, kind, replace(item, offset=item.offset + by[1]))
    at = round(item.at[0] + by[0], 4), round(item.at[1] + by[1], 4)
    return _replaced(sheet, on, kind, replace(item, at=at))


def move_dimension(assembly: Assembly, sheet: Sheet, page: str, id: str, by: Point2) -> Sheet:
    """Move the line of a dimension: by so much of the way as runs across it."""
    on = sheet.page(page)
    _, item = _found(on, id)
    view = on.view(item.view)
    scene, place = scene_of(assembly, sheet.teardown, view), placing(view)
    ends = []
    for target in (item.start, item.end):
        leaf = next(iter(shown_leaves(assembly, scene, target.component)), None)
        if leaf is None:
            raise PulleyError("A part that is measured is no longer in the view.")
        ends.append(place.flat(apply(scene.poses[leaf], np.array(target.point))))
    way = ends[1] - ends[0]
    length = float(np.linalg.norm(way))
    aside = np.array([-way[1], way[0]]) / length if length > 1e-9 else np.array([0.0, 1.0])
    return _replaced(sheet, on, "dimensions", replace(item, offset=round(item.offset + float(aside @ np.array(by)), 4)))


def change_item(sheet: Sheet, page: str, id: str, **given: Any) -> Sheet:
    """Set the text or the height of a note, or the height of a table.

    Raises PulleyError where it has none.
    """
    on = sheet.page(page)
    kind, item = _found(on, id)
    for what in given:
        if not hasattr(item, what):
            raise PulleyError(f"That has no {what} of its own. Nothing was changed.")
    if "text" in given:
        given["text"] = _written(given["text"])
    if "height" in given:
        given["height"] = _standard(given["height"])
    return _replaced(sheet, on, kind, replace(item, **given))


def remove_item(sheet: Sheet, page: str, id: str) -> Sheet:
    """Take a note, dimension, centre line, table or list away."""
    on = sheet.page(page)
    kind, _ = _found(on, id)
    kept: dict[str, Any] = {kind: tuple(i for i in getattr(on, kind) if i.id != id)}
    return with_page(sheet, replace(on, **kept))
