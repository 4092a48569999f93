"""The first sheet of a teardown, in one go: paper, scale, and the places of view, list and balloons.

Every standard paper from the smallest, wide and tall, with every place for the list, is looked at. Of those on one
paper the arrangement wins that lets the view have the largest standard scale, then the one that the view fills best.
Of the two papers that any office prints on, the one is taken that the view fills better; larger ones only where parts
would be too small to tell or an item would have no balloon.
"""

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import islice

import numpy as np
from numpy.typing import NDArray

from pulley.core.assembly import Assembly
from pulley.core.camera import camera_frame
from pulley.core.drawing.balloons import automatic, numbered
from pulley.core.drawing.lists import laid, list_box, table_box
from pulley.core.drawing.marks import note_box
from pulley.core.drawing.paper import USUAL_PAPER, Box, Paper, paper_of
from pulley.core.drawing.rows import Row, rows
from pulley.core.drawing.scene import Scene, picture_bounds, scene_of, score_of
from pulley.core.drawing.sheet import Page, PagePattern, PartsList, Sheet, SheetView, Shown
from pulley.core.drawing.title import issues_box, title_box
from pulley.core.drawing.views import BELOW, bounds_of, caption_box
from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import apply, triple, unit
from pulley.core.planning.page import WEIGHTS, Rooms, unseen
from pulley.core.scales import Scale, checked_scale, factor, largest_scale
from pulley.core.score.frame import frame_at
from pulley.core.teardown import Camera, Teardown
from pulley.core.visibility import page_directions, poses_in, visible_shares

INSET = 4.0  # mm that everything keeps from the frame
SPACE = 6.0  # mm between the view with its balloons and the list
LARGER = 0.08  # share of the page that a view must fill more on the larger of two papers to be worth it
TELL = (8.0, 2.5)  # mm of paper: half of the parts are at least so large, nine of ten at least so
TRIED = {"ISO": ("A4", "A3", "A2", "A1"), "ANSI": ("ANSI A", "ANSI B", "ANSI C", "ANSI D")}
MOST_ACROSS = 4
SEEN_SIZE = (320, 240)


@dataclass(frozen=True)
class Arrangement:
    """Where things go on a paper: the list, the room for the view with its balloons, and the view's scale."""

    paper: Paper
    parts: PartsList
    listed: int
    room: Box
    scale: Scale
    fill: float


def first_sheet(
    assembly: Assembly,
    teardown: Teardown,
    pattern: PagePattern = PagePattern(),  # noqa: B008 (frozen)
    paper: Paper | None = None,
    scale: Scale | None = None,
    camera: Camera | None = None,
    name: str = "",
) -> Sheet:
    """A complete sheet of a teardown: paper and scale that fit, the exploded view, parts list, balloons, title block.

    Parameters
    ----------
    assembly : Assembly
    teardown : Teardown
    pattern : PagePattern
    paper : Paper, optional
        By default the pattern's, else the smallest that does.
    scale : optional
        By default the largest standard one that fits.
    camera : Camera, optional
        By default the teardown's last one, else the direction in which most can be seen.
    name : str
        Of the sheet, by default that of the assembly and the teardown.

    Raises
    ------
    PulleyError
        When there is nothing to be seen, or nothing fits on the paper at that scale.
    """
    sheet = Sheet(name or f"{assembly.name}, {teardown.name}", teardown, dict(assembly.source), pattern=pattern)
    found = rows(assembly, sheet)
    rooms = rooms_on(papers(pattern, paper)[0], pattern, found)
    view = SheetView("v1", camera or chosen_camera(assembly, teardown, rooms), Shown("end"), style=pattern.style)
    scene = scene_of(assembly, teardown, view)
    bounds = picture_bounds(assembly, scene, camera_frame(view.camera))
    choices = (chosen for one in papers(pattern, paper) if (chosen := arrangement(one, pattern, found, bounds, scale)))
    best: tuple[int, Sheet] | None = None
    for arranged in _preferred(choices):
        drawn, missing = _sheet_on(assembly, sheet, view, arranged, bounds, found)
        if best is None or missing <= best[0]:
            best = missing, drawn
        if missing == 0 and _can_be_told(assembly, scene, view, arranged.scale):
            break
    if best is None:
        raise PulleyError(_nothing_fits(paper, scale))
    return best[1]


def _preferred(choices: Iterator[Arrangement]) -> Iterator[Arrangement]:
    """Arrangements from small paper to large in the order in which they are tried; larger ones are made when asked."""
    small = list(islice(choices, 2))
    swap = len(small) > 1 and small[1].fill - small[0].fill > LARGER
    yield from reversed(small) if swap else small
    yield from choices


def _nothing_fits(paper: Paper | None, scale: Scale | None) -> str:
    where = f"on {paper.name}" if paper else "on any paper"
    return f"The view does not fit {where}{' at that scale' if scale else ''}. Choose a smaller scale or larger paper."


def papers(pattern: PagePattern, paper: Paper | None) -> list[list[Paper]]:
    """The papers to look at, those of one size together, the smallest first."""
    if paper:
        return [[paper]]
    ways = (True, False) if pattern.wide is None else (pattern.wide,)
    names = (pattern.paper,) if pattern.paper else TRIED[pattern.family]
    return [[Paper(name, wide) for wide in ways] for name in names]


def usual_rooms(assembly: Assembly, teardown: Teardown) -> Rooms:
    """`page_rooms` of the paper that a proposal is for where nothing else was asked for."""
    return page_rooms(assembly, teardown, paper_of(USUAL_PAPER))


def page_rooms(assembly: Assembly, teardown: Teardown, paper: Paper, pattern: PagePattern = PagePattern()) -> Rooms:  # noqa: B008 (frozen)
    """What a paper leaves for the exploded view of a teardown, beside its parts list; and the directions it may be
    drawn from: the one from which it is, else those that `chosen_camera` looks from.

    Raises
    ------
    PulleyError
        When nothing fits on the paper.
    """
    found = rows(assembly, Sheet("", teardown, dict(assembly.source), pattern=pattern))
    sizes = rooms_on([paper], pattern, found)
    if not sizes:
        raise PulleyError(f"{paper.name} has no room for a view beside the parts list. Choose larger paper.")
    own = _own_camera(assembly, teardown)
    views = [triple(np.subtract(own.eye, own.target))] if own else page_directions(teardown)
    return Rooms(tuple(sizes), tuple(views), own.up if own else teardown.bearings.up)


def rooms_on(choices: Sequence[Paper], pattern: PagePattern, found: Sequence[Row]) -> list[tuple[float, float]]:
    """Widths and heights in mm that papers leave for a view and its balloons, of those with the most rows listed."""
    rooms = [
        (count, _view_size(room, pattern)) for paper in choices for _, count, room in _rooms(paper, pattern, found)
    ]
    most = max((count for count, (wide, tall) in rooms if min(wide, tall) > 0), default=0)
    return list(dict.fromkeys(size for count, size in rooms if count == most and min(size) > 0))


def _own_camera(assembly: Assembly, teardown: Teardown) -> Camera | None:
    """The camera that a teardown itself ends with."""
    score = score_of(assembly, teardown)
    last = frame_at(score, score.duration).camera if score.shots else None
    return last or (teardown.cameras[-1] if teardown.cameras else None)


def chosen_camera(assembly: Assembly, teardown: Teardown, rooms: Sequence[tuple[float, float]] = ()) -> Camera:
    """From where a teardown is drawn: its last camera; else, of the quarter view and the pictorial and corner
    directions from above, the one that is worth most at the end (`page.WEIGHTS`): drawn large in one of the rooms
    (width and height in mm), and nothing hidden."""
    own = _own_camera(assembly, teardown)
    if own:
        return own
    score, up = score_of(assembly, teardown), teardown.bearings.up
    poses = poses_in(assembly, teardown, score, score.duration)
    if not poses:
        raise PulleyError("There is nothing to draw: every component is hidden. Show one in the editor.")
    points = np.concatenate([apply(pose, assembly.leaf(path).part.mesh.box_corners) for path, pose in poses.items()])
    middle, reach = (points.min(0) + points.max(0)) / 2, float(np.linalg.norm(np.ptp(points, axis=0)))
    views = [parallel(way, middle, up, reach) for way in page_directions(teardown)]
    page = Rooms(tuple(rooms) or Rooms().sizes)
    worth = []
    for view in views:
        seen = np.array(list(visible_shares(assembly, poses, view, SEEN_SIZE).values()))
        scale = factor(largest_scale(page.fit(_extent(assembly, teardown, view))))
        hidden = WEIGHTS["hidden"] * unseen(seen)
        worth.append(WEIGHTS["scale"] * math.log2(scale) + hidden + float(seen.mean()))
    return views[int(np.argmax(worth))]


def _extent(assembly: Assembly, teardown: Teardown, camera: Camera) -> NDArray[np.float64]:
    """Width and height (2,) in mm of the exploded view from a camera, its trail lines in it."""
    view = SheetView("", camera, Shown("end"))
    bounds = picture_bounds(assembly, scene_of(assembly, teardown, view), camera_frame(camera))
    size: NDArray[np.float64] = bounds[1] - bounds[0]
    return size


def parallel(
    direction: Sequence[float], target: Sequence[float] | NDArray[np.float64], up: Sequence[float], reach: float
) -> Camera:
    """A parallel view along a direction, wide enough for ``reach`` mm."""
    at = np.array(target, float)
    fov = 35.0
    eye = at + unit(np.array(direction, float)) * (reach / 2 / np.tan(np.radians(fov) / 2))
    return Camera("", "", triple(eye), triple(at), triple(np.array(up, float)), "parallel", fov)


def arrangement(
    choices: Sequence[Paper],
    pattern: PagePattern,
    found: Sequence[Row],
    bounds: NDArray[np.float64],
    scale: Scale | None,
) -> Arrangement | None:
    """The best arrangement on papers of one size; None when the view fits on none.

    Parameters
    ----------
    choices : sequence of Paper
    pattern : PagePattern
    found : sequence of Row
    bounds : (2, 2) float64
        Of the view, in mm of the model.
    scale : optional
        The scale that is wanted.
    """
    size = np.maximum(bounds[1] - bounds[0], 1e-3)
    best: Arrangement | None = None
    for paper in choices:
        for parts, listed, room in _rooms(paper, pattern, found):
            fits = _most(room, size, pattern)
            if fits <= 0 or (scale and factor(scale) > fits * (1 + 1e-9)):
                continue
            chosen = checked_scale(scale) if scale else largest_scale(fits)
            fill = factor(chosen) ** 2 * float(size.prod()) / (paper.size[0] * paper.size[1])
            merit = (listed, factor(chosen), -parts.across, fill)
            if best is None or merit > (best.listed, factor(best.scale), -best.parts.across, best.fill):
                best = Arrangement(paper, parts, listed, room, chosen, fill)
    return best


def _most(room: Box, size: NDArray[np.float64], pattern: PagePattern) -> float:
    """The largest factor at which a view of a size (2,) in mm fits into a room, with balloons left and right of it."""
    wide, tall = _view_size(room, pattern)
    return min(wide / float(size[0]), tall / float(size[1])) if wide > 0 and tall > 0 else 0.0


def _view_size(room: Box, pattern: PagePattern) -> tuple[float, float]:
    """Width and height in mm that a room has for a view, with balloons left and right of it and its caption below."""
    beside = 2 * (7.0 + 2 * pattern.radius + 1.0)
    return room[2] - room[0] - beside, room[3] - room[1] - BELOW - 3 * pattern.lettering


def _rooms(paper: Paper, pattern: PagePattern, found: Sequence[Row]) -> Iterator[tuple[PartsList, int, Box]]:
    """Places for the list on a paper, with how many rows it has there, and the room that is left for the view."""
    left, foot, right, top = inner(paper)
    block = title_box(paper, pattern)
    for across in range(1, MOST_ACROSS + 1):
        for corner, at, high in (
            ("top right", (paper.frame[2], paper.frame[3]), paper.frame[3] - block[3] - SPACE),
            ("bottom right", (paper.frame[2], block[3]), paper.frame[3] - block[3] - INSET),
        ):
            upward = corner.startswith("bottom")
            parts = PartsList("l1", at, corner, pattern.columns, upward=upward, across=across, height=pattern.lettering)
            count = _fitting(parts, found, high)
            parts = replace(parts, most=count if count < len(found) else 0)
            box = list_box(parts, found)
            if box[0] < left - INSET or (count == 0 and found):
                continue
            yield parts, count, (left, block[3] + INSET, box[0] - SPACE, top)
            yield parts, count, (left, foot, min(box[0], block[0]) - SPACE, top)
            if upward:
                yield parts, count, (left, box[3] + SPACE, right, top)
            else:
                yield parts, count, (left, block[3] + INSET, right, box[1] - SPACE)


def _fitting(parts: PartsList, found: Sequence[Row], high: float) -> int:
    """How many rows of a list stand within a height in mm."""
    left = len(found) - parts.first
    if laid(parts, found).size[1] <= high:
        return left
    low, most = 0, left
    while low < most - 1:
        middle = (low + most) // 2
        fits = laid(replace(parts, most=middle), found).size[1] <= high
        low, most = (middle, most) if fits else (low, middle)
    return low


def inner(paper: Paper) -> Box:
    """The frame of a paper less what everything keeps from it: left, foot, right, top in mm."""
    left, foot, right, top = paper.frame
    return left + INSET, foot + INSET, right - INSET, top - INSET


def _sheet_on(
    assembly: Assembly,
    sheet: Sheet,
    view: SheetView,
    arranged: Arrangement,
    bounds: NDArray[np.float64],
    found: tuple[Row, ...],
) -> tuple[Sheet, int]:
    """The sheet in an arrangement, and how many rows have no balloon."""
    middle = bounds.mean(0)
    frame = camera_frame(view.camera)
    left, foot, right, top = arranged.room
    below = BELOW + 3 * sheet.pattern.lettering
    at = (round((left + right) / 2, 2), round((foot + below + top) / 2, 2))
    placed = replace(view, camera=aimed(view.camera, triple(middle @ frame[:2])), scale=arranged.scale, at=at)
    page = Page("p1", arranged.paper.name, arranged.paper.wide, "Exploded", (placed,), lists=(arranged.parts,))
    sheet = replace(sheet, pages=(page, *_continued(arranged, sheet.pattern, found)))
    balloons, missing = automatic(assembly, sheet, placed, found, inner(arranged.paper), blocked(assembly, sheet, page))
    page = replace(page, balloons=numbered(page, balloons))
    return replace(sheet, pages=(page, *sheet.pages[1:])), len(missing)


def aimed(camera: Camera, target: tuple[float, float, float]) -> Camera:
    """A camera moved aside so that it looks at a point of the assembly, parallel as views on sheets are."""
    eye = np.array(camera.eye) + np.subtract(target, camera.target)
    return replace(camera, id="", eye=triple(eye), target=target, projection="parallel")


def blocked(assembly: Assembly, sheet: Sheet, page: Page, but: str = "") -> list[Box]:
    """What no balloon may lie on: title block, revisions, lists, notes, tables, captions, views other than ``but``."""
    found = rows(assembly, sheet)
    boxes = [title_box(page.sheet_of_paper, sheet.pattern), issues_box(sheet, page)]
    boxes += [list_box(parts, found) for parts in page.lists]
    boxes += [note_box(note) for note in page.notes]
    boxes += [table_box(table, sheet.teardown) for table in page.tables]
    boxes += [caption_box(assembly, sheet.teardown, view, sheet.pattern) for view in page.views]
    boxes += [bounds_of(assembly, sheet.teardown, view) for view in page.views if but and view.id != but]
    return [box for box in boxes if box]


def _continued(arranged: Arrangement, pattern: PagePattern, found: tuple[Row, ...]) -> list[Page]:
    """The pages that the rest of a long list goes on."""
    pages: list[Page] = []
    done, paper = arranged.listed, arranged.paper
    left, _, right, top = paper.frame
    high = top - title_box(paper, pattern)[3] - INSET
    while done < len(found):
        wide = sum(column.width for column in pattern.columns if column.shown) + 2.0
        across = max(int((right - left + 2.0) / wide), 1)
        parts = PartsList(
            "l1", (left, top), "top left", pattern.columns, across=across, first=done, height=pattern.lettering
        )
        count = max(_fitting(parts, found, high), 1)
        parts = replace(parts, most=count)
        pages.append(Page(f"p{len(pages) + 2}", paper.name, paper.wide, "Parts list", lists=(parts,)))
        done += count
    return pages


def _can_be_told(assembly: Assembly, scene: Scene, view: SheetView, scale: Scale) -> bool:
    """Whether parts are large enough on paper to tell one from another."""
    frame = camera_frame(view.camera)[:2]
    sizes = []
    for path, pose in scene.poses.items():
        low, high = assembly.leaf(path).part.mesh.bounds
        corners = np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])])
        sizes.append(float(np.linalg.norm(np.ptp(apply(pose, corners) @ frame.T, axis=0))) * factor(scale))
    half, most = np.percentile(sizes, [50, 10])
    return bool(half >= TELL[0] and most >= TELL[1])
