"""What points at things on a page: balloons with leaders, notes, dimensions, centre lines."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from pulley.core.assembly import Assembly
from pulley.core.drawing.lettering import LINE, width
from pulley.core.drawing.lists import distance_text
from pulley.core.drawing.model import INK, Circle, Fill, Item, Pen, Text, pen, segment
from pulley.core.drawing.paper import Box
from pulley.core.drawing.rows import Row, row_of
from pulley.core.drawing.scene import Placing, Scene, placing, scene_of, target_point
from pulley.core.drawing.sheet import Balloon, CentreLine, Dimension, Note, Sheet, SheetView
from pulley.core.geometry.frames import unit

DOT = 0.6  # mm: the radius of a leader's dot
ARROW = (3.0, 0.5)  # mm: length and half the width of an arrowhead (ISO 129-1: closed and filled; from memory)
OVER = 2.0  # mm that an extension line goes beyond the dimension line
PAPER = "#ffffff"


@dataclass(frozen=True, eq=False)
class Seen:
    """A view that things point at: what it shows and how its points get to paper."""

    scene: Scene
    placing: Placing


def seen_view(assembly: Assembly, sheet: Sheet, view: SheetView) -> Seen:
    """A view as what points at it needs it."""
    return Seen(scene_of(assembly, sheet.teardown, view), placing(view))


def stack_centres(balloon: Balloon, radius: float) -> list[tuple[float, float]]:
    """The centre of every balloon on a leader, the first one at the leader, the others below it."""
    x, y = balloon.centre
    return [(x, y - 2 * radius * k) for k in range(1 + len(balloon.more))]


def leader_of(assembly: Assembly, seen: Seen, balloon: Balloon, radius: float) -> NDArray[np.float64] | None:
    """The leader (2, 2) of a balloon, from its circle to its part, in mm; None when the part is not to be seen."""
    point = target_point(assembly, seen.scene, balloon.target)
    if point is None:
        return None
    tip, centre = seen.placing.flat(point), np.array(balloon.centre)
    way = tip - centre
    length = float(np.linalg.norm(way))
    return np.array([centre + way * (radius / length), tip]) if length > radius else None


def draw_balloon(assembly: Assembly, sheet: Sheet, seen: Seen, balloon: Balloon, rows: Sequence[Row]) -> Iterator[Item]:
    """A balloon with its leader; without a number when its component is not in the list, as `sheet_faults` says."""
    pattern, tag = sheet.pattern, f"balloon:{balloon.id}"
    thin = pen("leader", pattern.line)
    leader = leader_of(assembly, seen, balloon, pattern.radius)
    if leader is not None:
        yield segment(thin, *leader.tolist(), tag=f"{tag}/leader")
        yield from _end(balloon.end, leader, thin, f"{tag}/tip")
    for path, centre in zip(
        (balloon.target.component, *balloon.more), stack_centres(balloon, pattern.radius), strict=True
    ):
        row = row_of(assembly, rows, path)
        yield Circle(thin, centre, pattern.radius, PAPER, tag)
        text = str(row.item) if row else "?"
        height = _fitting(text, 3.5, 1.6 * pattern.radius)
        yield Text("leader", (centre[0], centre[1] - height / 2), text, height, "middle", tag=tag)
        if pattern.quantity and row:
            beside = centre[0] + pattern.radius + 1.0
            yield Text("leader", (beside, centre[1] - 1.25), f"{row.quantity}×", 2.5, tag=tag)


def _fitting(text: str, height: float, room: float) -> float:
    """The height of a text, less where it would be wider than its room."""
    return min(height, height * room / max(width(text, height), 1e-9))


def _end(end: str, leader: NDArray[np.float64], thin: Pen, tag: str) -> Iterator[Item]:
    tip = leader[1]
    if end == "dot":
        yield Circle(thin, (float(tip[0]), float(tip[1])), DOT, INK, tag)
    else:
        way = tip - leader[0]
        yield _arrow(tip, way / max(float(np.linalg.norm(way)), 1e-9), thin, tag)


def _arrow(tip: NDArray[np.float64], way: NDArray[np.float64], thin: Pen, tag: str) -> Fill:
    """An arrowhead whose tip is where ``way`` (2,) leads."""
    aside = np.array([-way[1], way[0]]) * ARROW[1]
    back = tip - way * ARROW[0]
    return Fill(thin.layer, np.array([tip, back + aside, back - aside]), thin.colour, tag)


def draw_note(assembly: Assembly, sheet: Sheet, views: dict[str, Seen], note: Note) -> Iterator[Item]:
    """A note, and its leader to what it points at."""
    tag, thin = f"note:{note.id}", pen("note", sheet.pattern.line)
    lines = note.text.split("\n")
    x, y = note.at
    tip = np.array(note.tip, float) if note.tip else None
    if note.target and note.view in views:
        point = target_point(assembly, views[note.view].scene, note.target)
        tip = views[note.view].placing.flat(point) if point is not None else None
    if tip is not None:
        wide = max(width(line, note.height) for line in lines)
        start = (x - 1.0, y + note.height / 2) if tip[0] < x + wide / 2 else (x + wide + 1.0, y + note.height / 2)
        leader = np.array([start, tip])
        yield segment(thin, *leader.tolist(), tag=f"{tag}/leader")
        yield from _end("dot" if note.target else "arrow", leader, thin, f"{tag}/tip")
    for k, line in enumerate(lines):
        yield Text("note", (x, y - k * note.height * LINE), line, note.height, tag=tag)


def note_box(note: Note) -> Box:
    """Left, foot, right and top of a note's text."""
    lines = note.text.split("\n")
    x, y = note.at
    wide = max(width(line, note.height) for line in lines)
    return x, y - (len(lines) - 1) * note.height * LINE - 0.5 * note.height, x + wide, y + note.height


def true_distance(assembly: Assembly, seen: Seen, dimension: Dimension) -> float | None:
    """The distance in mm between the two points of a dimension where the view shows them; None when one is gone."""
    ends = [target_point(assembly, seen.scene, target) for target in (dimension.start, dimension.end)]
    if ends[0] is None or ends[1] is None:
        return None
    return float(np.linalg.norm(ends[1] - ends[0]))


def draw_dimension(assembly: Assembly, sheet: Sheet, seen: Seen, dimension: Dimension) -> Iterator[Item]:
    """A dimension: extension lines, a line with two arrows, and the true distance above it."""
    ends = [target_point(assembly, seen.scene, target) for target in (dimension.start, dimension.end)]
    if ends[0] is None or ends[1] is None:
        return
    a, b = seen.placing.flat(ends[0]), seen.placing.flat(ends[1])
    length = float(np.linalg.norm(b - a))
    way = (b - a) / length if length > 1e-6 else np.array([1.0, 0.0])
    aside = np.array([-way[1], way[0]])
    thin, tag = pen("note", sheet.pattern.line), f"dimension:{dimension.id}"
    over = aside * (dimension.offset + np.copysign(OVER, dimension.offset))
    p, q = a + aside * dimension.offset, b + aside * dimension.offset
    for start, foot in ((a, a + over), (b, b + over), (p, q)):
        yield segment(thin, tuple(start.tolist()), tuple(foot.tolist()), tag=tag)
    outside = length < 2.5 * ARROW[0]
    for tip, toward in ((p, -way), (q, way)):
        yield _arrow(tip, -toward if outside else toward, thin, tag)
    turn = float(np.degrees(np.arctan2(way[1], way[0])))
    flipped = not -90 < turn <= 90
    normal = -aside if flipped else aside
    middle = (p + q) / 2 + normal * 1.2
    text = distance_text(float(np.linalg.norm(ends[1] - ends[0])))
    at = float(middle[0]), float(middle[1])
    yield Text(
        "note", at, text, 3.5, "middle", turn - 180 if flipped and turn > 0 else turn + 180 if flipped else turn, tag
    )


def draw_centre_line(assembly: Assembly, sheet: Sheet, seen: Seen, line: CentreLine) -> Iterator[Item]:
    """A centre line along an axis of a component, a little beyond it at both ends."""
    middle = target_point(assembly, seen.scene, line.target)
    if middle is None:
        return
    leaf = next(each for each in assembly.below[line.target.component] if each in seen.scene.poses)
    way = seen.scene.poses[leaf][:3, :3] @ unit(np.array(line.direction, float))
    reach = line.reach + 3.0 / seen.placing.factor
    ends = seen.placing.flat(np.array([middle - way * reach, middle + way * reach]))
    yield segment(pen("centre", sheet.pattern.line), *ends.tolist(), tag=f"centre:{line.id}")
