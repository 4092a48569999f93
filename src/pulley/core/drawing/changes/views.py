"""Views: added, moved, scaled, turned, restyled, taken away; enlarged details; views that line up with one another."""

import math
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from scipy.spatial.transform import Rotation

from pulley.core.assembly import Assembly
from pulley.core.camera import camera_frame
from pulley.core.drawing.balloons import look_at, own_point
from pulley.core.drawing.changes.balloons import retidied
from pulley.core.drawing.layout import aimed, blocked, chosen_camera, inner, parallel
from pulley.core.drawing.marks import stack_centres
from pulley.core.drawing.paper import Box
from pulley.core.drawing.scene import picture_bounds, placing, scene_of
from pulley.core.drawing.sheet import (
    SMOOTH,
    STYLES,
    THREADS,
    Page,
    Point2,
    Region,
    Sheet,
    SheetView,
    Shown,
    Target,
    fresh_id,
    with_page,
)
from pulley.core.drawing.views import BELOW, bounds_of
from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import Vector3, apply, triple
from pulley.core.scales import Scale, checked_scale, factor, largest_scale
from pulley.core.teardown import Camera
from pulley.core.visibility import pictorial_directions, standard_directions

SIDES = {"right": (1, 0), "left": (-1, 0), "above": (0, 1), "below": (0, -1)}
GAP = 20.0  # mm between a view and one that lines up with it
FAR = 5000.0  # mm from the page beyond which nothing can be dragged


def with_view(sheet: Sheet, page: Page, view: SheetView) -> Sheet:
    """The sheet with the view of this id replaced."""
    views = tuple(view if v.id == view.id else v for v in page.views)
    return with_page(sheet, replace(page, views=views))


def directions(sheet: Sheet) -> dict[str, Vector3]:
    """The standard and pictorial directions of a sheet's views, by name, from the middle to the eye."""
    return pictorial_directions(sheet.teardown) | standard_directions(sheet.teardown)


def camera_from(assembly: Assembly, sheet: Sheet, name: str) -> Camera:
    """The camera of a direction by name, of a saved view, or of "best".

    Raises
    ------
    PulleyError
        When there is no such view.
    """
    if name in ("", "best"):
        return chosen_camera(assembly, sheet.teardown)
    saved = next((camera for camera in sheet.teardown.cameras if name in (camera.id, camera.name)), None)
    if saved:
        return saved
    known = directions(sheet)
    if name not in known:
        raise PulleyError(f"There is no view “{name[:60]}”. Name a saved one, or one of {', '.join(list(known)[:9])} …")
    bounds = assembly.bounds
    return parallel(known[name], bounds.mean(0), sheet.teardown.bearings.up, assembly.diagonal)


def add_view(
    assembly: Assembly,
    sheet: Sheet,
    page: str,
    shown: Shown = Shown("end"),  # noqa: B008 (frozen)
    look: str = "best",
    components: Sequence[str] = (),
    scale: Scale | None = None,
    at: Point2 | None = None,
) -> Sheet:
    """A view more on a page, in the largest room that is free, at the largest standard scale that fits there.

    Raises
    ------
    PulleyError
        When it would show nothing.
    """
    on = sheet.page(page)
    view = SheetView(
        fresh_id(on, "v"),
        camera_from(assembly, sheet, look),
        shown,
        components=tuple(components),
        style=sheet.pattern.style,
    )
    scene = scene_of(assembly, sheet.teardown, view)
    view = replace(view, camera=_aimed_at_middle(assembly, sheet, view))
    size = np.ptp(picture_bounds(assembly, scene, camera_frame(view.camera)), axis=0)
    left, foot, right, top = _room_for_view(assembly, sheet, on)
    most = min((right - left) / max(float(size[0]), 1e-3), (top - foot) / max(float(size[1]), 1e-3))
    wanted = checked_scale(scale) if scale else largest_scale(max(most, 1e-4))
    view = replace(view, scale=wanted, at=at or ((left + right) / 2, (foot + top) / 2))
    return with_page(sheet, replace(on, views=(*on.views, view)))


def _aimed_at_middle(assembly: Assembly, sheet: Sheet, view: SheetView) -> Camera:
    """The view's camera, moved aside so that the middle of what it shows is its target."""
    frame = camera_frame(view.camera)
    middle = picture_bounds(assembly, scene_of(assembly, sheet.teardown, view), frame).mean(0)
    return aimed(view.camera, triple(middle @ frame[:2]))


def _room_for_view(assembly: Assembly, sheet: Sheet, page: Page) -> Box:
    """Where a view more may stand, with room for its caption below."""
    left, foot, right, top = _free_room(assembly, sheet, page)
    return left, foot + BELOW + 3 * sheet.pattern.lettering, right, top


def _with_balloons(assembly: Assembly, sheet: Sheet, page: Page) -> list[Box]:
    """What each view takes together with its balloons, and so with their leaders."""
    boxes, off = [], 1.5 * sheet.pattern.radius
    for view in page.views:
        left, foot, right, top = bounds_of(assembly, sheet.teardown, view)
        for balloon in (b for b in page.balloons if b.view == view.id):
            for x, y in stack_centres(balloon, sheet.pattern.radius):
                left, foot, right, top = min(left, x - off), min(foot, y - off), max(right, x + off), max(top, y + off)
        boxes.append((left, foot, right, top))
    return boxes


def _free_room(assembly: Assembly, sheet: Sheet, page: Page) -> Box:
    """The largest free rectangle of a page: left, foot, right, top in mm, on a grid of a fortieth of the page."""
    left, foot, right, top = inner(page.sheet_of_paper)
    cells = 40
    width, height = (right - left) / cells, (top - foot) / cells
    free = np.ones((cells, cells), bool)
    for a, b, c, d in (*blocked(assembly, sheet, page, but=" "), *_with_balloons(assembly, sheet, page)):
        x0, x1 = math.floor((a - left) / width), math.ceil((c - left) / width)
        y0, y1 = math.floor((b - foot) / height), math.ceil((d - foot) / height)
        free[max(y0, 0) : max(y1, 0), max(x0, 0) : max(x1, 0)] = False
    best = (0.0, (0, 0, cells, cells))
    heights = np.zeros(cells, int)
    for row in range(cells):
        heights = np.where(free[row], heights + 1, 0)
        for a in range(cells):
            lowest = int(heights[a])
            for b in range(a, cells):
                lowest = min(lowest, int(heights[b]))
                if not lowest:
                    break
                area = (b - a + 1) * width * lowest * height
                if area > best[0]:
                    best = area, (a, row - lowest + 1, b + 1, row + 1)
    a, b, c, d = best[1]
    return left + a * width, foot + b * height, left + c * width, foot + d * height


def move_view(assembly: Assembly, sheet: Sheet, page: str, id: str, by: Point2) -> Sheet:
    """Move a view with its balloons; one that lines up with another moves along their common line, and takes along
    those that line up with it.

    Raises
    ------
    PulleyError
        When it would be dragged away from the paper.
    """
    on = sheet.page(page)
    view = on.view(id)
    dx, dy = by
    if view.follows and any(v.id == view.follows for v in on.views):
        dx, dy = (dx, 0.0) if _beside(on.view(view.follows), view) else (0.0, dy)
    if not all(math.isfinite(v) and abs(v) < FAR for v in (*view.at, dx, dy)):
        raise PulleyError("The view would lie far off the paper. Nothing was changed.")
    moved: dict[str, Point2] = {id: (dx, dy)}
    for other in on.views:
        if other.follows == id and other.id != id:
            moved[other.id] = (0.0, dy) if _beside(view, other) else (dx, 0.0)
    views = tuple(_shifted(v, moved.get(v.id, (0.0, 0.0))) for v in on.views)
    balloons = tuple(
        replace(b, centre=(b.centre[0] + moved[b.view][0], b.centre[1] + moved[b.view][1])) if b.view in moved else b
        for b in on.balloons
    )
    return with_page(sheet, replace(on, views=views, balloons=balloons))


def _beside(one: SheetView, other: SheetView) -> bool:
    """Whether a view stands beside another, not above or below it."""
    return abs(one.at[0] - other.at[0]) > abs(one.at[1] - other.at[1])


def _shifted(view: SheetView, by: Point2) -> SheetView:
    return replace(view, at=(round(view.at[0] + by[0], 4), round(view.at[1] + by[1], 4)))


def scale_view(assembly: Assembly, sheet: Sheet, page: str, id: str, scale: Scale) -> Sheet:
    """Draw a view, and those that line up with it, to another scale; balloons that were not placed by hand are laid
    out anew."""
    on, wanted = sheet.page(page), checked_scale(scale)
    view = on.view(id)
    root = view.follows or id
    with_it = {v.id for v in on.views if v.id in (id, root) or (v.follows and v.follows in (id, root))}
    views = tuple(replace(v, scale=wanted) if v.id in with_it else v for v in on.views)
    changed = with_page(sheet, replace(on, views=views))
    return retidied(assembly, sheet, changed, page, with_it)


def fit_view(assembly: Assembly, sheet: Sheet, page: str, id: str) -> Sheet:
    """Draw a view to the largest standard scale at which it, with its balloons, stays within the frame and off what
    else is there, where it is."""
    on = sheet.page(page)
    view = on.view(id)
    room = _room_round(assembly, sheet, on, view)
    size = np.array(_size(assembly, sheet, view)) / factor(view.scale)
    beside = 2 * (7.0 + 2 * sheet.pattern.radius + 1.0) if any(b.view == id for b in on.balloons) else 4.0
    most = min((room[2] - room[0] - beside) / float(size[0]), (room[3] - room[1] - BELOW - 8.0) / float(size[1]))
    if most <= 0:
        raise PulleyError("There is no room round the view. Move it to where it has some, and fit it there.")
    fitted = scale_view(assembly, sheet, page, id, largest_scale(most))
    middle = (room[0] + room[2]) / 2, (room[1] + BELOW + 8.0 + room[3]) / 2
    box = bounds_of(assembly, sheet.teardown, fitted.page(page).view(id))
    by = middle[0] - (box[0] + box[2]) / 2, middle[1] - (box[1] + box[3]) / 2
    return move_view(assembly, fitted, page, id, by)


def _size(assembly: Assembly, sheet: Sheet, view: SheetView) -> Point2:
    left, foot, right, top = bounds_of(assembly, sheet.teardown, view)
    return max(right - left, 1e-3), max(top - foot, 1e-3)


def _room_round(assembly: Assembly, sheet: Sheet, page: Page, view: SheetView) -> tuple[float, float, float, float]:
    """The free rectangle round the middle of a view, grown side by side until it meets something."""
    left, foot, right, top = bounds_of(assembly, sheet.teardown, view)
    x, y = (left + right) / 2, (foot + top) / 2
    frame = inner(page.sheet_of_paper)
    other = replace(page, views=tuple(v for v in page.views if v.id != view.id))
    boxes = blocked(assembly, sheet, other, but=" ")
    sides = [frame[0], frame[1], frame[2], frame[3]]
    for a, b, c, d in boxes:
        gaps = {0: x - c, 2: a - x, 1: y - d, 3: b - y}
        side = max(gaps, key=gaps.__getitem__)  # the side on which the box is farthest off
        if gaps[side] > 0:
            edge = (c, d, a, b)[side]
            sides[side] = max(sides[side], edge) if side < 2 else min(sides[side], edge)
    return sides[0], sides[1], sides[2], sides[3]


def turn_view(assembly: Assembly, sheet: Sheet, page: str, id: str, right: float, up: float) -> Sheet:
    """Turn a view by hand: so many degrees about the upright of the picture, then about its right."""
    on = sheet.page(page)
    view = on.view(id)
    if not (math.isfinite(right) and math.isfinite(up)):
        raise PulleyError("An angle of the view is out of range. Nothing was changed.")
    frame = camera_frame(view.camera)
    turn = Rotation.from_rotvec(np.radians(-right) * frame[1]) * Rotation.from_rotvec(np.radians(up) * frame[0])
    back, upward = turn.apply(frame[2]), turn.apply(frame[1])
    reach = float(np.linalg.norm(np.subtract(view.camera.eye, view.camera.target)))
    eye = np.array(view.camera.target) + back * reach
    return _looked(assembly, sheet, page, view, replace(view.camera, eye=triple(eye), up=triple(upward)))


def look_from(assembly: Assembly, sheet: Sheet, page: str, id: str, name: str) -> Sheet:
    """Let a view look from a standard, pictorial or saved direction."""
    view = sheet.page(page).view(id)
    return _looked(assembly, sheet, page, view, camera_from(assembly, sheet, name))


def _looked(assembly: Assembly, sheet: Sheet, page: str, view: SheetView, camera: Camera) -> Sheet:
    """The view with another camera, its middle where it was; it no longer lines up with others."""
    fresh = replace(view, camera=camera, follows="")
    fresh = replace(fresh, camera=_aimed_at_middle(assembly, sheet, fresh))
    changed = with_view(sheet, sheet.page(page), fresh)
    return retidied(assembly, sheet, changed, page, {view.id})


def change_view(assembly: Assembly, sheet: Sheet, page: str, id: str, **given: Any) -> Sheet:
    """Set what a view looks like: style, smooth, threads, trails, caption, captioned, shown."""
    for name, known in (("style", STYLES), ("smooth", SMOOTH), ("threads", THREADS)):
        if name in given and given[name] not in known:
            raise PulleyError(f"A view has no {name} “{str(given[name])[:30]}”. Choose one of {', '.join(known)}.")
    on = sheet.page(page)
    view = replace(on.view(id), **given)
    changed = with_view(sheet, on, view)
    if "shown" not in given:
        return changed
    return _recentred(assembly, sheet, changed, page, id)


def _recentred(assembly: Assembly, before: Sheet, sheet: Sheet, page: str, id: str) -> Sheet:
    """The view aimed at the middle of what it shows now; its balloons laid out anew."""
    view = sheet.page(page).view(id)
    view = replace(view, camera=_aimed_at_middle(assembly, sheet, view))
    return retidied(assembly, before, with_view(sheet, sheet.page(page), view), page, {id})


def show_only(assembly: Assembly, sheet: Sheet, page: str, id: str, components: Sequence[str]) -> Sheet:
    """Let a view show some components only; all when there are none."""
    on = sheet.page(page)
    assembly.leaves_of(components)
    changed = with_view(sheet, on, replace(on.view(id), components=tuple(components)))
    return _recentred(assembly, sheet, changed, page, id)


def remove_view(assembly: Assembly, sheet: Sheet, page: str, id: str) -> Sheet:
    """Take a view away, with what points at it and the details of it."""
    on = sheet.page(page)
    on.view(id)
    gone = {id} | {v.id for v in on.views if v.region and v.region.view == id}
    views = tuple(replace(v, follows="") if v.follows in gone else v for v in on.views if v.id not in gone)
    kept: dict[str, Any] = {
        name: tuple(item for item in getattr(on, name) if item.view not in gone)
        for name in ("balloons", "dimensions", "centre_lines")
    }
    notes = tuple(n for n in on.notes if not (n.view and n.view in gone))
    return with_page(sheet, replace(on, views=views, notes=notes, **kept))


def add_detail(
    assembly: Assembly, sheet: Sheet, page: str, id: str, centre: Point2, radius: float, scale: Scale | None = None
) -> Sheet:
    """An enlarged detail of what lies within ``radius`` mm of paper of a spot of a view, in a circle of its own.

    Raises
    ------
    PulleyError
        When the circle has no size.
    """
    on = sheet.page(page)
    view = on.view(id)
    if not 0.5 <= radius <= 500:
        raise PulleyError("A detail's circle has a radius from 0.5 to 500 mm. Draw it larger.")
    place = placing(view)
    point = triple(
        place.picture(np.array(centre)) @ place.frame[:2]
        + (np.array(view.camera.target) @ place.frame[2]) * place.frame[2]
    )
    letter = "ABCDEFGHJKLMNPQRSTUVWXYZ"[sum(1 for v in on.views if v.region) % 24]
    wanted = checked_scale(scale) if scale else largest_scale(factor(view.scale) * 5)
    left, foot, right, top = _room_for_view(assembly, sheet, on)
    reach = radius / place.factor * factor(wanted)
    while scale is None and 2 * reach > min(right - left, top - foot) and factor(wanted) > factor(view.scale) * 1.5:
        wanted = largest_scale(factor(wanted) * 0.99)
        reach = radius / place.factor * factor(wanted)
    region = Region(id, point, radius / place.factor)
    detail = replace(
        view,
        id=fresh_id(on, "v"),
        camera=aimed(view.camera, point),
        scale=wanted,
        at=((left + right) / 2, (foot + top) / 2),
        region=region,
        follows="",
        caption=f"Detail {letter}, {wanted[0]:g}:{wanted[1]:g}",
    )
    return with_page(sheet, replace(on, views=(*on.views, detail)))


def add_projected(assembly: Assembly, sheet: Sheet, page: str, id: str, side: str) -> Sheet:
    """The view that belongs beside another by first or third angle projection, lined up with it.

    In first angle what is seen from the left stands at the right; in third angle at the left (ISO 5456-2).
    """
    if side not in SIDES:
        raise PulleyError("A view lines up right of, left of, above or below another. Choose one of these.")
    on = sheet.page(page)
    view = on.view(id)
    frame = camera_frame(view.camera)
    x, y = SIDES[side]
    sign = -1 if sheet.pattern.projection == "first" else 1
    back = sign * (x * frame[0] + y * frame[1])
    up = frame[1] if x else -y * sign * frame[2]
    reach = float(np.linalg.norm(np.subtract(view.camera.eye, view.camera.target)))
    target = np.array(view.camera.target)
    camera = replace(view.camera, eye=triple(target + back * reach), up=triple(up), projection="parallel")
    fresh = replace(view, id=fresh_id(on, "v"), camera=camera, follows=view.follows or id, region=None, caption=None)
    box, own = bounds_of(assembly, sheet.teardown, view), bounds_of(assembly, sheet.teardown, fresh)
    by = {
        "right": (box[2] + GAP - own[0], 0.0),
        "left": (box[0] - GAP - own[2], 0.0),
        "above": (0.0, box[3] + GAP - own[1]),
        "below": (0.0, box[1] - GAP - own[3]),
    }[side]
    return with_page(sheet, replace(on, views=(*on.views, _shifted(fresh, by))))


def picked(assembly: Assembly, sheet: Sheet, page: str, id: str, at: Point2) -> Target | None:
    """What is seen of a view at a spot of the page: the component and the point of it; None where nothing is."""
    look = look_at(assembly, sheet, sheet.page(page).view(id))
    spot = look.placing.picture(np.array(at, float))
    path = look.identity.at(spot)
    if path is None:
        return None
    column, row = np.floor((spot - look.identity.corner) / look.identity.pixel * (1, -1)).astype(int)
    return Target(path, own_point(assembly, look.scene, path, path, look.identity.point(row, column)))


def snapped(assembly: Assembly, sheet: Sheet, page: str, id: str, at: Point2, reach: float = 2.5) -> Target | None:
    """The corner of a part that is seen nearest to a spot of the page, within ``reach`` mm of paper, else what is
    seen there."""
    look = look_at(assembly, sheet, sheet.page(page).view(id))
    best: tuple[float, Target] | None = None
    for path, pose in look.scene.poses.items():
        mesh = assembly.leaf(path).part.mesh
        own = mesh.edges[np.r_[mesh.edge_starts[:-1], mesh.edge_starts[1:] - 1]] if len(mesh.edges) else mesh.vertices
        points = apply(pose, own)
        off = np.linalg.norm(look.placing.flat(points) - np.array(at), axis=1)
        for k in np.flatnonzero(off <= reach).tolist():
            if (best is None or off[k] < best[0]) and _in_front(look, path, points[k]):
                best = float(off[k]), Target(path, triple(own[k].round(6)))
    return best[1] if best else picked(assembly, sheet, page, id, at)


def _in_front(look: Any, path: str, point: np.ndarray[Any, Any]) -> bool:
    """Whether a point of a component is seen, or nearly: no more than two pixels beside what is seen of it."""
    spot = look.placing.frame[:2] @ point
    found = look.identity
    column, row = np.floor((spot - found.corner) / found.pixel * (1, -1)).astype(int)
    k = found.paths.index(path)
    window = found.owner[max(row - 2, 0) : row + 3, max(column - 2, 0) : column + 3]
    return bool((window == k).any())
