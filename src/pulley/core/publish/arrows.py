"""Arrows along motions, drawn over a picture of a step as SVG; readable in black and white."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from pulley.core.camera import project
from pulley.core.teardown import Camera

MOST = 14  # arrows in a picture; of more motions, those are drawn that are farthest apart
BAND = 0.011  # of the picture's height: how wide an arrow is
HEAD = 3.4  # widths of an arrow that its head is long
FROM, TO = 0.25, 0.72  # share of the way that an arrow covers
INK, HALO = "#1f2933", "#ffffff"
Way = NDArray[np.float64]


def arrow_marks(camera: Camera, ways: Sequence[Way], size: tuple[int, int], back: bool) -> str:
    """Arrows along ways (k, 3) of a picture of ``size`` pixels, as SVG elements; ``back`` turns them round."""
    wide = BAND * size[1]
    flat = [project(camera, way, *size)[:, :2] for way in ways]
    flat = [way[::-1] if back else way for way in flat if np.isfinite(way).all() and _length(way) > 3 * wide]
    return "".join(_arrow(_middle(way), wide) for way in _spread(flat))


def _length(way: Way) -> float:
    return float(np.linalg.norm(np.diff(way, axis=0), axis=1).sum())


def _spread(ways: list[Way]) -> list[Way]:
    """At most `MOST` ways, each next one that which begins farthest from those chosen."""
    if len(ways) <= MOST:
        return ways
    starts = np.array([way[0] for way in ways])
    chosen = [0]
    nearest = np.linalg.norm(starts - starts[0], axis=1)
    while len(chosen) < MOST:
        chosen.append(int(np.argmax(nearest)))
        nearest = np.minimum(nearest, np.linalg.norm(starts - starts[chosen[-1]], axis=1))
    return [ways[k] for k in sorted(chosen)]


def _middle(way: Way) -> Way:
    """The stretch of a way (k, 2) that an arrow covers."""
    run = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(way, axis=0), axis=1))])
    at = np.linspace(FROM * run[-1], TO * run[-1], 25)
    return np.column_stack([np.interp(at, run, way[:, axis]) for axis in (0, 1)])


def _arrow(way: Way, wide: float) -> str:
    """A shaft along a way, and a head at its end, both with a light edge so that they stand out."""
    ahead = way[-1] - way[-4]
    ahead = ahead / max(float(np.linalg.norm(ahead)), 1e-9)
    aside = np.array([-ahead[1], ahead[0]])
    length = min(HEAD * wide, 0.6 * _length(way))
    tip, foot = way[-1] + ahead * length * 0.5, way[-1] - ahead * length * 0.5
    run = np.linalg.norm(way - way[-1], axis=1) > length * 0.4
    shaft = " ".join(f"{x:.1f},{y:.1f}" for x, y in [*way[run], foot])
    head = " ".join(f"{x:.1f},{y:.1f}" for x, y in (tip, foot + aside * length * 0.45, foot - aside * length * 0.45))
    return (
        f'<g stroke-linejoin="round" fill="none">'
        f'<polyline points="{shaft}" stroke="{HALO}" stroke-width="{2.2 * wide:.1f}"/>'
        f'<polygon points="{head}" fill="{HALO}" stroke="{HALO}" stroke-width="{1.2 * wide:.1f}"/>'
        f'<polyline points="{shaft}" stroke="{INK}" stroke-width="{wide:.1f}"/>'
        f'<polygon points="{head}" fill="{INK}"/></g>'
    )
