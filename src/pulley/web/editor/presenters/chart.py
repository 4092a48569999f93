"""The run chart: a bar a step, a stretch a camera move or view, marks on the time axis."""

import json
from dataclasses import dataclass

import numpy as np

from pulley.core import teardown as core
from pulley.core.quantities import plain
from pulley.core.score.compose import Score
from pulley.web.editor.presenters.cards import Card

LANE = 26  # pixels from one lane of bars to the next


@dataclass(frozen=True)
class Bar:
    """A bar of the run chart: times in seconds, places in percent of the time axis, its lane in pixels."""

    number: int
    id: str
    label: str
    start: float
    end: float
    x: float
    width: float
    y: int
    snag: bool
    open: bool
    off: bool
    words: str


@dataclass(frozen=True)
class Stretch:
    """A stretch of the run chart seen from one camera view, or going round, in percent of the time axis."""

    label: str
    x: float
    width: float


def bars(score: Score, cards: list[Card]) -> list[Bar]:
    """A bar for each step, in the first lane where none lies yet."""
    scale = 100 / max(score.duration, 1e-9)
    free: list[float] = []  # when each lane is free again
    found = []
    for bar, card in zip(score.steps, cards, strict=True):
        lane = next((k for k, end in enumerate(free) if end <= bar.start + 1e-9), len(free))
        free[lane : lane + 1] = [bar.end]
        found.append(
            Bar(
                number=card.number,
                id=bar.id,
                label=card.step.label,
                start=round(bar.start, 6),
                end=round(bar.end, 6),
                x=round(bar.start * scale, 3),
                width=round((bar.end - bar.start) * scale, 3),
                y=lane * LANE,
                snag=bool(card.snags),
                open=card.open,
                off=card.step.off,
                words=f"{plain(bar.start)} to {plain(bar.end)} s",
            )
        )
    return found


def stretches(score: Score) -> list[Stretch]:
    """Each camera view for as long as it lasts, until the next one; each orbit for as long as it goes round."""
    scale = 100 / max(score.duration, 1e-9)
    ends = [*(shot.start for shot in score.shots[1:]), score.duration][: len(score.shots)]
    return [
        Stretch(
            f"seen from {shot.camera.name}" if shot.camera else f"round by {plain(shot.angle)}°",
            round(shot.start * scale, 3),
            round((max(end, shot.end if not shot.camera else end) - shot.start) * scale, 3),
        )
        for shot, end in zip(score.shots, ends, strict=True)
    ]


def orbit_lines(teardown: core.Teardown) -> list[dict[str, object]]:
    """What the timing menu shows of each camera move."""
    return [
        {
            "orbit": orbit,
            "word": "Tour" if orbit.views else "Clockwise" if orbit.angle < 0 else "Anticlockwise",
            "duration": plain(orbit.duration),
            "angle": plain(orbit.angle),
            "tour": _tour(teardown, orbit),
            "more": [{"name": c.name, "with": json.dumps([*orbit.views, c.id])} for c in teardown.cameras],
        }
        for orbit in teardown.orbits
    ]


def _tour(teardown: core.Teardown, orbit: core.Orbit) -> list[dict[str, str]]:
    """Each view of a tour by name, and the list of views that is left without it."""
    names = {camera.id: camera.name for camera in teardown.cameras}
    return [
        {"name": names[id], "without": json.dumps([*orbit.views[:k], *orbit.views[k + 1 :]])}
        for k, id in enumerate(orbit.views)
        if id in names
    ]


def ticks(duration: float) -> list[tuple[float, str]]:
    """Places in percent and times in seconds for about eight marks on the time axis."""
    if duration <= 0:
        return []
    nice = [m * 10.0**p for p in range(-1, 4) for m in (1, 2, 5)]
    pitch = next((n for n in nice if n >= duration / 8), nice[-1])
    return [(round(100 * t / duration, 3), plain(t)) for t in np.arange(0, duration * 0.97, pitch).tolist()]
