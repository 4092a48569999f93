"""The guide: what to do, picture by picture, with a spanner in hand; taking apart or putting together."""

import base64
import re
from collections import Counter
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from pulley.core.assembly import Assembly, Leaf
from pulley.core.camera import camera_frame, fitted, opened
from pulley.core.describe import step_sentence
from pulley.core.drawing.model import DrawnPage
from pulley.core.drawing.paper import Paper, paper_of
from pulley.core.drawing.rows import Row, row_of, rows
from pulley.core.drawing.sheet import Page, PagePattern, Sheet
from pulley.core.drawing.title import draw_frame, draw_title, title_box
from pulley.core.drawing.writers.svg import svg
from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import Pose, apply
from pulley.core.publish.arrows import arrow_marks
from pulley.core.publish.frames import start_view
from pulley.core.publish.pictures import picture
from pulley.core.publish.templates import filled
from pulley.core.render.painter import encoded, render
from pulley.core.render.scene import frame_scene, plain_scene
from pulley.core.score.compose import Score, compose, displacement_at
from pulley.core.score.frame import frame_at
from pulley.core.teardown import Camera, Step, Teardown

NO_STEPS = "There is no step to guide anybody through. Add one, and make the guide then."
WAYS = {"apart": "Taking it apart", "together": "Putting it together"}
CELLS = {1: (1, 1), 2: (1, 2), 4: (2, 2)}  # steps on a page: how many beside and below each other
WORDS = 50.0  # mm of a cell's height that its words and its parts take
FINE = 9.0  # pixels to a mm of paper
PART_WIDE, PART_TALL = 38.0, 22.0  # mm of a part in the list of a step
SAMPLES = 121  # of a way
GO = 0.8  # of the size of what is there: how far from it a picture shows what moves, at most
SMALL = (200, 150)  # pixels of a part's picture
# names that fasteners go by; common practice, no source
FASTENER = re.compile(r"\b(screw|bolt|nut|washer|rivet|stud|circlip|split ?ring|cotter|dowel|grub|clip)s?\b", re.I)
Report = Callable[[float, str], None]


@dataclass(frozen=True)
class Guide:
    """How a guide is made.

    Attributes
    ----------
    way : "apart" or "together"
    paper : as `paper_of` reads it
    cells : steps on a page: 1, 2 or 4
    title : what the cover says; the teardown's name when empty
    cover, list_of_parts : whether it has them
    close : whether pictures are fitted to what they show, from the direction of their view; else the view as it is
    joined : ids of steps that share a picture with the step before; those that play together always do
    apart : ids of steps that have a picture of their own though they play with the step before
    fields : what the user adds to steps, by id and heading: "Tool", "Torque", "Warning" or any other
    pattern : the frame and title block of its pages; None for plain pages
    mind : a sentence that stands out on the first page, such as that the teardown has snags
    """

    way: str = "apart"
    paper: str = "A4 tall"
    cells: int = 2
    title: str = ""
    cover: bool = True
    list_of_parts: bool = True
    close: bool = True
    joined: tuple[str, ...] = ()
    apart: tuple[str, ...] = ()
    fields: dict[str, dict[str, str]] = field(default_factory=dict)
    pattern: PagePattern | None = None
    mind: str = ""

    def check(self) -> None:
        """Raise PulleyError for what cannot be made."""
        paper_of(self.paper)
        if self.way not in WAYS:
            raise PulleyError(f"A guide goes one of these ways: {', '.join(WAYS)}.")
        if self.cells not in CELLS:
            raise PulleyError(f"A page has {', '.join(map(str, CELLS))} steps.")


@dataclass(frozen=True)
class Needed:
    """A part that a step takes: its item number, name, count and small picture."""

    item: int
    name: str
    count: int
    picture: str


@dataclass(frozen=True)
class Cell:
    """One numbered picture, ``high`` mm at most, with everything said beside it; pictures are data addresses."""

    number: int
    title: str
    lines: tuple[str, ...]
    notes: tuple[str, ...]
    warnings: tuple[str, ...]
    fields: tuple[tuple[str, str], ...]
    parts: tuple[Needed, ...]
    picture: str
    described: str
    high: float


def guide_html(assembly: Assembly, teardown: Teardown, guide: Guide, report: Report = lambda share, words: None) -> str:
    """A guide as one web page with everything in it; printed, it has the pages of the PDF.

    Raises
    ------
    PulleyError
        When there is no step, or the settings make no guide.
    """
    guide.check()
    score = compose(assembly, teardown)
    groups = grouped(teardown, score, guide)
    if not groups:
        raise PulleyError(NO_STEPS)
    if guide.way == "together":
        groups = groups[::-1]
    found = rows(assembly, Sheet("", teardown))
    small = _part_pictures(assembly, found)
    cells = []
    for number, group in enumerate(groups, 1):
        report(0.9 * number / len(groups), f"Step {number} of {len(groups)}")
        cells.append(_cell(assembly, teardown, score, guide, number, group, found, small))
    everything = [Needed(row.item, row.name, row.quantity, small.get(row.key, "")) for row in found]
    return filled(
        "guide.html",
        title=guide.title or teardown.name,
        way=WAYS[guide.way],
        assembly=assembly.title,
        guide=guide,
        cells=cells,
        parts=[part for part in everything if not FASTENER.search(part.name)],
        fasteners=[part for part in everything if FASTENER.search(part.name)],
        cover=_cover(assembly, teardown, score) if guide.cover else "",
        mind=guide.mind,
        page=_page(assembly, teardown, guide),
    )


def guide_pdf(
    assembly: Assembly, teardown: Teardown, guide: Guide, report: Report = lambda share, words: None
) -> bytes:
    """A guide as a tagged PDF (PDF/UA, ISO 14289-1): text, reading order and what pictures show are in it."""
    from weasyprint import HTML, URLFetcher  # type: ignore[import-untyped]  # a second to load

    page = guide_html(assembly, teardown, guide, report)
    report(0.92, "Laying out the pages")
    return bytes(
        HTML(string=page, url_fetcher=URLFetcher(allowed_protocols=("data",))).write_pdf(pdf_variant="pdf/ua-1")
    )


def snags_found(count: int) -> str:
    """What a guide says of a teardown in which the check found so many snags.

    >>> snags_found(1)
    'the check found 1 snag: somewhere parts pass through each other.'
    """
    return f"the check found {count} snag{'s' * (count > 1)}: somewhere parts pass through each other."


def grouped(teardown: Teardown, score: Score, guide: Guide) -> list[list[Step]]:
    """Steps that share a picture: those that play with the one before, and those that are joined to it by hand."""
    groups: list[list[Step]] = []
    for step, bar in zip(teardown.steps, score.steps, strict=True):
        if step.off or bar.end <= bar.start:
            continue
        together = step.timing.start == "with" and step.id not in guide.apart
        if groups and (together or step.id in guide.joined):
            groups[-1].append(step)
        else:
            groups.append([step])
    return groups


def _cell(
    assembly: Assembly,
    teardown: Teardown,
    score: Score,
    guide: Guide,
    number: int,
    group: Sequence[Step],
    found: Sequence[Row],
    small: dict[str, str],
) -> Cell:
    moving = assembly.leaves_of(dict.fromkeys(path for step in group for path in step.members))
    own = [dict(guide.fields.get(step.id, {})) for step in group]
    warnings = tuple(words for each in own if (words := each.pop("Warning", "").strip()))
    said = [step.caption or step.label or step_sentence(step) for step in group]
    parts = _needed(assembly, moving, found, small)
    title = " and ".join(dict.fromkeys(step.label or step.id for step in group))
    notes = tuple(step.note for step in group if step.note)
    fields = tuple((name, value) for each in own for name, value in each.items() if value.strip())
    counted = ", ".join(f"{part.count} × {part.name}" for part in parts)
    return Cell(
        number=number,
        title=title,
        lines=tuple(dict.fromkeys(said)),
        notes=notes,
        warnings=warnings,
        fields=fields,
        parts=parts,
        picture=_data(_picture(assembly, teardown, score, guide, group, moving).encode(), "image/svg+xml"),
        described=f"Step {number}: {title}. {'Add' if guide.way == 'together' else 'Take away'} {counted}.",
        high=_room(guide, (*warnings, *notes), fields, len(parts)),
    )


def _room(guide: Guide, said: Sequence[str], fields: Sequence[tuple[str, str]], parts: int) -> float:
    """How high a picture may be in mm beside what is said: a cell that says more than usual has a lower one."""
    wide, tall = (side / FINE for side in picture_size(guide))
    lines = sum(5.0 * -(-len(words) // max(int(wide / 1.9), 1)) + 4.0 for words in said)
    rows = -(-parts // max(int(wide / PART_WIDE), 1))
    return round(max(tall - lines - (7.0 if fields else 0.0) - PART_TALL * max(rows - 1, 0), 30.0), 1)


def _needed(
    assembly: Assembly, moving: Iterable[str], found: Sequence[Row], small: dict[str, str]
) -> tuple[Needed, ...]:
    """The rows of the parts list that a step takes from, with how many of each."""
    counts = Counter(row.key for leaf in moving if (row := row_of(assembly, found, leaf)))
    return tuple(
        Needed(row.item, row.name, min(counts[row.key], row.quantity), small.get(row.key, ""))
        for row in found
        if row.key in counts
    )


def _part_pictures(assembly: Assembly, found: Sequence[Row]) -> dict[str, str]:
    """A small picture of what each row counts, by itself."""
    pictures = {}
    for row in found:
        leaves = assembly.leaves_of(row.components[:1])
        poses = {path: assembly.leaf(path).pose for path in leaves}
        scene = replace(plain_scene(assembly, poses), ground=(1.0, 1.0, 1.0))
        pictures[row.key] = _data(encoded(render(scene, SMALL)), "image/png")
    return pictures


def _cover(assembly: Assembly, teardown: Teardown, score: Score) -> str:
    return _data(picture(assembly, teardown, score.duration, (1400, 1400), "white"), "image/png")


def _data(content: bytes, kind: str) -> str:
    return f"data:{kind};base64,{base64.b64encode(content).decode()}"


def present(assembly: Assembly, teardown: Teardown, group: Sequence[Step]) -> tuple[set[str], set[str]]:
    """Leaves that a picture shows and those that move in it: all but what went away in an earlier step for good."""
    ids = {step.id for step in group}
    first = next(k for k, step in enumerate(teardown.steps) if step.id in ids)
    moving = set(assembly.leaves_of([path for step in group for path in step.members]))
    earlier = {leaf for s in teardown.steps[:first] if not s.off for leaf in assembly.leaves_of(s.members)}
    later = {leaf for s in teardown.steps[first:] if not s.off for leaf in assembly.leaves_of(s.members)}
    hidden = set(assembly.leaves_of([p for p in teardown.hidden if p in assembly.by_path]) if teardown.hidden else ())
    return {leaf.path for leaf in assembly.leaves} - (earlier - later) - hidden, moving


def _picture(
    assembly: Assembly, teardown: Teardown, score: Score, guide: Guide, group: Sequence[Step], moving: Sequence[str]
) -> str:
    """The picture of a step as SVG: what moves in its colours, the rest set back, arrows along the motion."""
    size = picture_size(guide)
    bars = [bar for bar in score.steps if bar.id in {step.id for step in group}]
    begin, end = min(bar.start for bar in bars), max(bar.end for bar in bars)
    shown, moved = present(assembly, teardown, group)
    if guide.close:
        end = _near_end(assembly, score, shown - moved, moved, begin, end)
    frame = frame_at(score, end, hidden={leaf.path for leaf in assembly.leaves} - moved, before=None)
    at = {path: _pose(assembly, score, path, end) for path in shown}
    camera = frame.camera or start_view(assembly, teardown, score, size=size)
    ways = [_ways(assembly, score, path, begin, end) for path in moving if path in shown]
    camera = _close(assembly, camera, at, ways, size) if guide.close else opened(camera, size)
    scene = frame_scene(assembly, teardown, frame, camera, quiet=shown - moved, hidden=set(assembly.by_path) - shown)
    pixels = encoded(render(replace(scene, ground=(1.0, 1.0, 1.0)), size))
    marks = arrow_marks(camera, ways, size, guide.way == "together")
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {size[0]} {size[1]}">'
        f'<image width="{size[0]}" height="{size[1]}" href="{_data(pixels, "image/png")}"/>{marks}</svg>'
    )


def picture_size(guide: Guide) -> tuple[int, int]:
    """The pixels of the picture of a step: as large as its cell has room for."""
    (wide, tall), margins = paper_of(guide.paper).size, page_margins(guide)
    across, down = CELLS[guide.cells]
    room = (wide - margins[1] - margins[3] - 6.0 * (across - 1)) / across, (tall - margins[0] - margins[2]) / down
    return round(room[0] * FINE), round(max(room[1] - WORDS, 30.0) * FINE)


def _near_end(assembly: Assembly, score: Score, still: set[str], moved: set[str], begin: float, end: float) -> float:
    """The latest instant of a step at which nothing has gone farther than the size of what it leaves allows."""
    if not still or not moved:
        return end
    boxes = np.concatenate(
        [apply(_pose(assembly, score, p, begin), assembly.leaf(p).part.mesh.box_corners) for p in still]
    )
    reach = GO * float(np.linalg.norm(np.ptp(boxes, axis=0)))
    tracks = [score.tracks[path] for path in moved if path in score.tracks]
    starts = np.array([displacement_at(track, begin)[:3, 3] for track in tracks])
    for time in np.linspace(end, begin, 41)[:-1]:
        now = np.array([displacement_at(track, float(time))[:3, 3] for track in tracks])
        if np.linalg.norm(now - starts, axis=1).max() <= reach:
            return float(time)
    return end


def _pose(assembly: Assembly, score: Score, path: str, time: float) -> Pose:
    home = assembly.leaf(path).pose
    return displacement_at(score.tracks[path], time) @ home if path in score.tracks else home


def _ways(assembly: Assembly, score: Score, path: str, begin: float, end: float) -> NDArray[np.float64]:
    """The way (k, 3) that the middle of a leaf goes in a step; of one that turns on the spot, a point beside it."""
    leaf: Leaf = assembly.leaf(path)
    middle = leaf.part.mesh.bounds.mean(0)
    times = np.linspace(begin, end, SAMPLES)
    poses = [_pose(assembly, score, path, float(time)) for time in times]
    way = np.array([apply(pose, middle) for pose in poses])
    turned = max(float(np.abs(b[:3, :3] - a[:3, :3]).max()) for a, b in pairwise(poses))
    reach = float(np.ptp(leaf.part.mesh.bounds, axis=0).max())
    if turned > 1e-6 and np.ptp(way, axis=0).max() < reach:
        beside = middle + np.eye(3)[int(np.argsort(np.ptp(leaf.part.mesh.bounds, axis=0))[-1])] * reach * 0.6
        around = np.array([apply(pose, beside) for pose in poses])
        if np.ptp(around, axis=0).max() > np.ptp(way, axis=0).max():
            turns = _turns(poses)
            first = int(SAMPLES * 0.3) if turns > 1 else 0  # where it has picked up speed
            return around[first : first + max(int(SAMPLES * min(1.0, 0.55 / max(turns, 0.55))), 3)]
    return way


def _turns(poses: Sequence[Pose]) -> float:
    """How many whole turns a run of poses makes."""
    total = 0.0
    for a, b in pairwise(poses):
        cosine = (np.trace(a[:3, :3].T @ b[:3, :3]) - 1) / 2
        total += float(np.arccos(np.clip(cosine, -1, 1)))
    return total / (2 * np.pi)


def _close(
    assembly: Assembly,
    camera: Camera,
    at: dict[str, Pose],
    ways: Sequence[NDArray[np.float64]],
    size: tuple[int, int],
) -> Camera:
    """A view in the direction of ``camera``, fitted to what is there."""
    boxes = [apply(pose, assembly.leaf(path).part.mesh.box_corners) for path, pose in at.items()]
    points = np.concatenate([*boxes, *ways])
    return fitted(points, camera_frame(camera)[2], size[0] / size[1], 28.0, camera.up)


@dataclass(frozen=True)
class PageStyle:
    """The paper of a guide in mm: size, margins (top, right, foot, left), how high a picture is,
    and what lies behind every page."""

    size: tuple[float, float]
    margins: tuple[float, float, float, float]
    picture: float
    behind: str


def _page(assembly: Assembly, teardown: Teardown, guide: Guide) -> PageStyle:
    paper: Paper = paper_of(guide.paper)
    high = picture_size(guide)[1] / FINE
    if guide.pattern is None:
        return PageStyle(paper.size, page_margins(guide), high, "")
    pattern = _pattern(guide.pattern)
    sheet = Sheet(guide.title or teardown.name, teardown, pattern=pattern, fields={"type": WAYS[guide.way]})
    page = Page("p1", paper.name, paper.wide)
    sheet = replace(sheet, pages=(page,))
    items = (*draw_frame(paper, pattern, (title_box(paper, pattern),)), *draw_title(sheet, page))
    behind = _data(svg(DrawnPage("", paper.size, items)).encode(), "image/svg+xml")
    return PageStyle(paper.size, page_margins(guide), high, behind)


def _pattern(pattern: PagePattern) -> PagePattern:
    """A page pattern without what is not the same on every page, or means nothing in a guide."""
    return replace(pattern, fields=tuple(f for f in pattern.fields if f.key not in ("page", "scale", "projection")))


def page_margins(guide: Guide) -> tuple[float, float, float, float]:
    """The margins of a guide's pages in mm: top, right, foot, left."""
    if guide.pattern is None:
        return 16.0, 14.0, 16.0, 14.0
    paper = paper_of(guide.paper)
    left, foot, right, top = paper.frame
    block = title_box(paper, _pattern(guide.pattern))[3]
    return paper.size[1] - top + 5, paper.size[0] - right + 5, max(block, foot) + 5, left + 5
