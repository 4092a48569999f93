"""A view as it stands on a page: its lines, shading, trail lines and caption; and enlarged details of it."""

from collections.abc import Callable, Iterator
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from pulley.core.assembly import Assembly
from pulley.core.camera import camera_frame
from pulley.core.drawing.lettering import LINE, width
from pulley.core.drawing.model import INK, Circle, Item, Pen, Picture, Text, pen
from pulley.core.drawing.model import Lines as Drawn
from pulley.core.drawing.paper import Box
from pulley.core.drawing.polylines import joined
from pulley.core.drawing.projection import KINDS, TRAIL, Lines, project_lines
from pulley.core.drawing.scene import Placing, Scene, picture_bounds, placing, scene_of
from pulley.core.drawing.shading import shaded
from pulley.core.drawing.sheet import PagePattern, SheetView
from pulley.core.drawing.turned import ROUND
from pulley.core.scales import scale_text
from pulley.core.teardown import Teardown
from pulley.core.trails import PATTERNS

BELOW = 6.0  # mm between what a view shows and its caption
CIRCLE_SIDES = 96

Report = Callable[[float], None]


def _silent(_share: float) -> None:
    """Report progress to nobody."""


def lines_of(assembly: Assembly, teardown: Teardown, view: SheetView, report: Report = _silent) -> Lines:
    """The lines of a view, seen and hidden ones, worked out once for what it shows and from where."""
    scene = scene_of(assembly, teardown, view)
    frame = camera_frame(view.camera)
    key = lines_key(scene, frame, view)
    return assembly.once(
        ("lines", key),
        lambda: project_lines(assembly, scene.poses, frame, scene.trails, view.threads == "simple", report),
    )


def lines_key(scene: Scene, frame: NDArray[np.float64], view: SheetView) -> int:
    """A number that is the same for views whose lines are the same."""
    poses = tuple((path, pose.tobytes()) for path, pose in scene.poses.items())
    return hash((frame.tobytes(), poses, tuple(line.tobytes() for line in scene.trails), view.threads))


def bounds_of(assembly: Assembly, teardown: Teardown, view: SheetView) -> Box:
    """Left, foot, right and top of what a view shows, in mm of paper; of a detail, of its circle."""
    place = placing(view)
    if view.region:
        centre = place.flat(np.array(view.region.centre))
        reach = view.region.radius * place.factor
        return (*(centre - reach).tolist(), *(centre + reach).tolist())
    scene = scene_of(assembly, teardown, view)
    corners = place.paper(_bounds(assembly, scene, camera_frame(view.camera)))
    return (*corners[0].tolist(), *corners[1].tolist())


def _bounds(assembly: Assembly, scene: Scene, frame: NDArray[np.float64]) -> NDArray[np.float64]:
    key = ("bounds", frame.tobytes(), hash(tuple((path, pose.tobytes()) for path, pose in scene.poses.items())))
    lines = hash(tuple(line.tobytes() for line in scene.trails))
    return assembly.once((*key, lines), lambda: picture_bounds(assembly, scene, frame))


def caption_of(teardown: Teardown, view: SheetView) -> str:
    """What stands below a view: what was typed, or what it shows with its scale.

    >>> from pulley.core.teardown import Camera
    >>> caption_of(Teardown("Service"), SheetView("v1", Camera("", "", (0, -1, 0), (0, 0, 0)), scale=(2.0, 1.0)))
    'Exploded, 2:1'
    """
    if view.caption is not None:
        return view.caption
    words = {"end": "Exploded", "home": "Assembled", "kept": view.shown.name}.get(view.shown.at, "")
    if view.shown.at == "step":
        step = next((step for step in teardown.steps if step.id == view.shown.name), None)
        words = step.label or step.id if step else view.shown.name
    return f"{words}, {scale_text(view.scale)}"


def draw_view(
    assembly: Assembly, teardown: Teardown, view: SheetView, pattern: PagePattern, report: Report = _silent
) -> Iterator[Item]:
    """The items of a view, in mm of paper, each with the tag ``view:ID`` or ``view:ID/PATH``.

    Raises
    ------
    PulleyError
        When what it shows is gone.
    """
    place, tag = placing(view), f"view:{view.id}"
    lines = lines_of(assembly, teardown, view, report)
    circle = None
    if view.region:
        circle = place.flat(np.array(view.region.centre)), view.region.radius * place.factor
    if view.style.startswith("shaded"):
        box, png = shaded(assembly, scene_of(assembly, teardown, view), place, teardown, circle)
        yield Picture(box, png, tag)
    if view.style != "shaded":
        yield from _drawn_lines(lines, place, view, pattern, teardown, circle)
    elif view.trails:
        yield from _drawn_lines(_only(lines, TRAIL), place, view, pattern, teardown, circle)
    if circle:
        yield Circle(pen("leader", pattern.line), (float(circle[0][0]), float(circle[0][1])), circle[1], tag=tag)
    if view.captioned:
        yield _caption(assembly, teardown, view, pattern)


def _only(lines: Lines, kind: str) -> Lines:
    wanted = lines.kind == KINDS.index(kind)
    return replace(
        lines,
        points=lines.points[wanted],
        owner=lines.owner[wanted],
        kind=lines.kind[wanted],
        hidden=lines.hidden[wanted],
    )


def _drawn_lines(
    lines: Lines,
    place: Placing,
    view: SheetView,
    pattern: PagePattern,
    teardown: Teardown,
    circle: tuple[NDArray[np.float64], float] | None,
) -> Iterator[Item]:
    """The lines of a view with their pens, those of each component together."""
    smooth, trail = KINDS.index(ROUND), KINDS.index(TRAIL)
    is_round, is_trail = lines.kind == smooth, lines.kind == trail
    thin = replace(pen("smooth", pattern.line), layer="smooth")
    round_pen = thin if view.smooth == "thin" else replace(thin, width=pattern.line)
    groups: list[tuple[Pen, NDArray[np.bool_]]] = []
    if view.style == "hidden":
        groups.append((pen("hidden", pattern.line), lines.hidden & ~is_round & ~is_trail))
    if view.smooth != "off":
        groups.append((round_pen, is_round & ~lines.hidden))
    groups.append((pen("visible", pattern.line), ~lines.hidden & ~is_round & ~is_trail))
    for with_pen, wanted in groups:
        for owner in np.unique(lines.owner[wanted]).tolist():
            points = place.paper(lines.points[wanted & (lines.owner == owner)])
            kept = joined(_clipped(points, circle))
            if kept:
                yield Drawn(with_pen, kept, f"view:{view.id}/{lines.paths[owner]}")
    seen = is_trail & (~lines.hidden | teardown.line.through)
    trails = joined(_clipped(place.paper(lines.points[seen]), circle))
    if trails:
        yield Drawn(trail_pen(teardown), trails, f"view:{view.id}")


def trail_pen(teardown: Teardown) -> Pen:
    """The pen of trail lines, as the teardown has them."""
    line = teardown.line
    return Pen("trail", line.width, tuple(round(part * line.width, 6) for part in PATTERNS[line.line]), line.colour)


def _clipped(segments: NDArray[np.float64], circle: tuple[NDArray[np.float64], float] | None) -> NDArray[np.float64]:
    """Segments (n, 2, 2), or what of them lies within a circle."""
    if circle is None or not len(segments):
        return segments
    centre, radius = circle
    start, way = segments[:, 0] - centre, segments[:, 1] - segments[:, 0]
    a = np.maximum((way**2).sum(1), 1e-18)
    b = (start * way).sum(1)
    root = b**2 - a * ((start**2).sum(1) - radius**2)
    inside = root > 0
    span = np.sqrt(np.where(inside, root, 0.0))
    low, high = np.clip((-b - span) / a, 0, 1), np.clip((-b + span) / a, 0, 1)
    kept = inside & (high - low > 1e-9)
    ends = np.stack([low[kept], high[kept]], axis=1)
    return np.asarray(segments[kept, :1] + way[kept, None] * ends[:, :, None])


def _caption(assembly: Assembly, teardown: Teardown, view: SheetView, pattern: PagePattern) -> Text:
    left, foot, right, _ = bounds_of(assembly, teardown, view)
    height = pattern.lettering * 1.4
    at = ((left + right) / 2, foot - BELOW - height)
    return Text("note", at, caption_of(teardown, view), height, "middle", tag=f"view:{view.id}/caption")


def caption_box(assembly: Assembly, teardown: Teardown, view: SheetView, pattern: PagePattern) -> Box | None:
    """Left, foot, right and top of a view's caption; None when it has none."""
    if not view.captioned:
        return None
    text = _caption(assembly, teardown, view, pattern)
    half = width(text.text, text.height) / 2
    x, y = text.at
    return x - half, y - text.height * (LINE - 1), x + half, y + text.height


def detail_circle(view: SheetView, parent: SheetView, pattern: PagePattern) -> Iterator[Item]:
    """The circle on the view that an enlarged detail shows a part of, with the detail's letter beside it."""
    if view.region is None:
        return
    place = placing(parent)
    x, y = place.flat(np.array(view.region.centre)).tolist()
    radius = view.region.radius * place.factor
    tag = f"view:{view.id}/circle"
    yield Circle(pen("leader", pattern.line), (x, y), radius, tag=tag)
    letter = (view.caption or "Detail").split(",")[0].split()[-1][:3]
    at = x + radius * 0.75 + 1.0, y + radius * 0.75 + 1.0
    yield Text("note", at, letter, pattern.lettering * 1.4, tag=tag, colour=INK)
