"""Pictures of an instant: PNG, a set of them by step, and line drawings as SVG."""

import io
import re
import zipfile
from collections.abc import Callable
from dataclasses import replace

from pulley.core.assembly import Assembly
from pulley.core.camera import camera_frame
from pulley.core.drawing.layout import parallel
from pulley.core.drawing.model import DrawnPage
from pulley.core.drawing.scene import picture_bounds, scene_of
from pulley.core.drawing.sheet import PagePattern, SheetView, Shown
from pulley.core.drawing.views import draw_view
from pulley.core.drawing.writers.svg import svg
from pulley.core.errors import PulleyError
from pulley.core.publish.frames import instant, start_view
from pulley.core.publish.settings import MOST_PICTURE, check_size, ground_colour
from pulley.core.render.painter import encoded, render
from pulley.core.score.compose import Score, compose
from pulley.core.score.frame import frame_at
from pulley.core.teardown import Camera, Step, Teardown

SPAN = 250.0  # mm: the longer side of a line drawing
EDGE = 5.0  # mm around it


def time_of(score: Score, text: str) -> float:
    """The instant that a person names: ``start``, ``end``, seconds, or the id of a step, at whose end it is.

    Raises
    ------
    PulleyError
        When it is none, or lies outside the Score.

    >>> time_of(Score(2.0), "end"), time_of(Score(2.0), "0.5")
    (2.0, 0.5)
    """
    if text in ("start", "end"):
        return score.duration if text == "end" else 0.0
    ends = {bar.id: bar.end for bar in score.steps}
    if text in ends:
        return ends[text]
    try:
        time = float(text)
    except ValueError:
        time = -1.0
    if not 0 <= time <= score.duration + 1e-6:
        raise PulleyError(
            f"“{text[:20]}” is no instant. Give start, end, a step, or seconds from 0 to {score.duration:g}."
        )
    return time


def picture(
    assembly: Assembly,
    teardown: Teardown,
    time: float,
    size: tuple[int, int] = (1280, 720),
    ground: str = "paper",
    view: Camera | None = None,
    soft: bool = True,
) -> bytes:
    """The canvas at an instant as a PNG.

    Parameters
    ----------
    assembly : Assembly
    teardown : Teardown
    time : float
        Seconds of the Score.
    size : pixels, at most 8,192 a side
    ground : one of `settings.GROUNDS`, or ``#rrggbb``
    view : Camera, optional
        Where it is seen from; by default where the Score looks.

    Raises
    ------
    PulleyError
        For a size or a background that cannot be made.
    """
    check_size(size, MOST_PICTURE)
    colour = ground_colour(ground)
    score = compose(assembly, teardown)
    home = start_view(assembly, teardown, score, size=size)
    scene = instant(assembly, teardown, score, time, size, home, view)
    return encoded(render(replace(scene, ground=colour), size, soft))


def step_set(
    assembly: Assembly,
    teardown: Teardown,
    size: tuple[int, int] = (1280, 720),
    ground: str = "paper",
    report: Callable[[float, str], None] = lambda share, words: None,
) -> bytes:
    """A ZIP with a picture of the assembly and of every step's end, named by number and step."""
    score = compose(assembly, teardown)
    shown = [(step, bar) for step, bar in zip(teardown.steps, score.steps, strict=True) if not step.off]
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_STORED) as pack:  # PNG is packed already
        pack.writestr("00 assembled.png", picture(assembly, teardown, 0.0, size, ground))
        for k, (step, bar) in enumerate(shown, 1):
            report(k / (len(shown) + 1), f"Picture {k} of {len(shown)}")
            name = f"{k:02} {file_name(step)}.png"
            pack.writestr(name, picture(assembly, teardown, bar.end, size, ground))
    return buffer.getvalue()


def file_name(step: Step) -> str:
    """What a step's file is called: its label, as far as file systems allow it.

    >>> file_name(Step("s1", (), None, "Screws: out/up"))  # type: ignore[arg-type]
    'Screws out up'
    """
    words = re.sub(r'[\x00-\x1f\x7f<>:"/\\|?*]+', " ", step.label or step.id)
    return " ".join(words.split())[:80].strip(". ") or step.id


def line_drawing(assembly: Assembly, teardown: Teardown, time: float, view: Camera | None = None) -> str:
    """An instant as a line drawing: exact hidden-line SVG, in a parallel view along the canvas's."""
    score = compose(assembly, teardown)
    home = start_view(assembly, teardown, score)
    camera = view or frame_at(score, time, before=home).camera or home
    flat = parallel(camera_frame(camera)[2], camera.target, camera.up, 100.0)
    frame = camera_frame(flat)
    bare = SheetView("v1", flat, _shown(score, time), captioned=False)
    low, high = picture_bounds(assembly, scene_of(assembly, teardown, bare), frame)
    size = high - low
    factor = SPAN / float(max(size.max(), 1e-6))
    middle = (low + high) / 2 - frame[:2] @ flat.target
    page = size * factor + 2 * EDGE
    at = page / 2 - middle * factor
    placed = replace(
        bare,
        scale=(factor, 1.0),
        at=(float(at[0]), float(at[1])),
        style="hidden" if teardown.look.display == "dashed" else "lines",
    )
    items = tuple(draw_view(assembly, teardown, placed, PagePattern()))
    return svg(DrawnPage(teardown.name, (float(page[0]), float(page[1])), items), embed=False)


def _shown(score: Score, time: float) -> Shown:
    """An instant as a view of a sheet names it: the step that plays then, and how far it is."""
    if time <= 0:
        return Shown("home")
    if time >= score.duration:
        return Shown("end")
    bars = [bar for bar in score.steps if bar.end > bar.start]
    bar = next((bar for bar in bars if bar.start <= time <= bar.end), None)
    bar = bar or max((bar for bar in bars if bar.end < time), key=lambda bar: bar.end, default=None)
    if bar is None:
        return Shown("home")
    return Shown("step", bar.id, min((time - bar.start) / (bar.end - bar.start), 1.0))
