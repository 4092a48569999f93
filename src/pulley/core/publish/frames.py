"""Single frames of a film and pictures of an instant: what the canvas shows then, as pixels."""

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from pulley.core.assembly import Assembly
from pulley.core.camera import opened
from pulley.core.errors import PulleyError
from pulley.core.publish import lettering
from pulley.core.publish.settings import Film, ground_colour
from pulley.core.publish.timeline import Timeline, timeline
from pulley.core.render.painter import render
from pulley.core.render.scene import Scene, frame_scene
from pulley.core.score.compose import Score, compose
from pulley.core.score.frame import caption_at, frame_at
from pulley.core.teardown import Camera, Teardown
from pulley.core.visibility import home_view

Pixels = NDArray[np.uint8]


@dataclass(frozen=True, eq=False)
class Take:
    """A teardown about to be filmed: the same frames whenever and wherever they are asked for."""

    assembly: Assembly
    teardown: Teardown
    film: Film

    @cached_property
    def score(self) -> Score:
        """All of the motion."""
        return compose(self.assembly, self.teardown)

    @cached_property
    def line(self) -> Timeline:
        """Which instant each frame shows."""
        self.film.check()
        back = self.film.direction == "own" and self.teardown.begins == "exploded"
        return timeline(self.score, replace(self.film, direction="collapse") if back else self.film)

    @cached_property
    def home(self) -> Camera:
        """The view that it starts from."""
        return start_view(self.assembly, self.teardown, self.score, self.film.view, self.film.size)

    def scene(self, time: float) -> Scene:
        """What is seen at an instant of the Score."""
        view = self.home if self.film.view else None
        scene = instant(self.assembly, self.teardown, self.score, time, self.film.size, self.home, view)
        return replace(scene, ground=ground_colour(self.film.ground))

    def picture(self, number: int) -> Pixels:
        """Frame ``number`` (h, w, 4), with what is laid over it."""
        span, film = self.line.span(number), self.film
        if span.card:
            return self._card(film.title if span.card == "title" else film.ending)
        time = span.time(number)
        pixels = render(self.scene(time), film.size, film.soft)
        words = caption_at(self.score, time) if film.captions == "burnt" else ""
        if words:
            lettering.lay(pixels, *lettering.caption(words, film.size))
        self._marked(pixels)
        return pixels

    def _card(self, words: str) -> Pixels:
        ground = ground_colour(self.film.ground)
        pixels = np.empty((self.film.size[1], self.film.size[0], 4), np.uint8)
        pixels[:] = (*(round(255 * c) for c in ground), 255) if ground else (0, 0, 0, 0)
        lettering.lay(pixels, lettering.card(words, self.teardown.name, self.film.size), 0, 0)
        self._marked(pixels)
        return pixels

    def _marked(self, pixels: Pixels) -> None:
        film, number = self.film, self.assembly.source.get("revision", 1)
        revision = f"Revision {number}" if number > 1 and film.captions == "burnt" else ""
        free = "top right" if film.corner == "top left" else "top left"
        for stamp in (
            lettering.mark(film.mark, film.logo, film.corner, film.size),
            lettering.mark(revision, b"", free, film.size),
        ):
            if stamp:
                lettering.lay(pixels, *stamp)


def instant(
    assembly: Assembly,
    teardown: Teardown,
    score: Score,
    time: float,
    size: tuple[int, int],
    home: Camera,
    view: Camera | None = None,
) -> Scene:
    """What the canvas shows of an instant: from ``view``, else from where the Score looks, come from ``home``; opened
    where the picture is narrower than what the view was framed for."""
    frame = frame_at(score, time, hidden=teardown.hidden, before=home)
    camera = view or frame.camera or home
    return frame_scene(assembly, teardown, frame, opened(camera, size))


def start_view(
    assembly: Assembly, teardown: Teardown, score: Score, name: str = "", size: tuple[int, int] = (4, 3)
) -> Camera:
    """The saved view of a name, else the view that a film starts from, for a picture of ``size``; not opened up yet.

    Raises
    ------
    PulleyError
        With the names that there are, when there is no such view.
    """
    if not name:
        return home_view(assembly, teardown, score, size[0] / size[1])
    known = {camera.name: camera for camera in reversed(teardown.cameras)}
    if name not in known:
        there = ", ".join(known) or "none yet"
        raise PulleyError(f"There is no saved view “{name[:60]}”. The teardown has: {there}.")
    return known[name]
