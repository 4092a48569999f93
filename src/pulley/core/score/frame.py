"""A Score at an instant: where everything stands, the trail lines, the caption, the view.

What canvas, sheet and film show of an instant is decided here. The canvas has a thin interpolator that does the same
(static/pulley/play/frame.js); tests run both over the same Scores and compare every number.
"""

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from itertools import groupby, pairwise

import numpy as np
from numpy.typing import NDArray

from pulley.core.geometry.frames import Pose, Vector, Vector3, apply, triple
from pulley.core.score.compose import Run, Score, Trail, displacement_at
from pulley.core.score.shots import view_at
from pulley.core.teardown import Camera
from pulley.core.trails import jogged

SOON = 1e-6  # seconds within which two instants are one
NOTHING = 1e-9  # mm; shorter lines are none
ON_LINE = 0.1  # mm within which a line counts as straight
MOST = 600  # elements of a line pattern in one line; a longer line has a coarser pattern

Polyline = NDArray[np.float64]  # (k, 3) points in mm


@dataclass(frozen=True, eq=False)
class Frame:
    """What is to be seen at an instant.

    Attributes
    ----------
    displaced : rigid displacement (4, 4) from home of every component that moves, by path
    lines : trail lines, each a polyline (k, 3), doglegs in it, those on one line joined
    marks : points (3,) at which a trail has an end mark
    caption : what is written below; empty for nothing
    camera : the view, None while no step has asked for one
    """

    displaced: dict[str, Pose]
    lines: tuple[Polyline, ...]
    marks: tuple[Vector3, ...]
    caption: str
    camera: Camera | None


def frame_at(
    score: Score,
    time: float,
    spread: float = 1.0,
    hidden: Collection[str] = (),
    before: Camera | None = None,
) -> Frame:
    """The frame of a Score at ``time`` seconds.

    Parameters
    ----------
    score : Score
    time : float
        Seconds; before 0 is as at 0, after the end as at the end.
    spread : float
        A factor on every travel and every angle: 0 is assembled, 1 as defined.
    hidden : collection of paths
        Components that are not shown: they have no trail.
    before : Camera, optional
        The view from which the first camera move comes.

    >>> frame_at(Score(), 0.0).lines
    ()
    """
    time = max(time, 0.0)
    lines, marks = trail_lines(score, time, spread, hidden)
    return Frame(
        displaced={path: displacement_at(track, time, spread) for path, track in score.tracks.items()},
        lines=tuple(lines),
        marks=tuple(marks),
        caption=caption_at(score, time),
        camera=_view(score, time, before),
    )


def _view(score: Score, time: float, before: Camera | None) -> Camera | None:
    """The view at a time; None before the first camera move begins."""
    if not score.shots or time < score.shots[0].start:
        return None
    first = before or next((shot.camera for shot in score.shots if shot.camera), None)
    return first and view_at(score.shots, time, first)


def caption_at(score: Score, time: float) -> str:
    """The caption in force: of the latest step that plays and has one; between two steps, of the one that has ended.

    Examples
    --------
    >>> from pulley.core.score.compose import Bar
    >>> score = Score(2.0, (Bar("s1", 0.0, 1.0, "Lift"), Bar("s2", 1.0, 2.0)))
    >>> caption_at(score, 0.5), caption_at(score, 1.5)
    ('Lift', '')
    """
    if time <= 0:
        return ""
    begun = [bar for bar in score.steps if bar.start < time - SOON and bar.end > bar.start]
    playing = [bar for bar in begun if bar.end >= time - SOON] or begun[-1:]
    return next((bar.caption for bar in reversed(playing) if bar.caption), "")


def trail_lines(
    score: Score, time: float, spread: float = 1.0, hidden: Collection[str] = ()
) -> tuple[list[Polyline], list[Vector3]]:
    """The trail lines (k, 3) at a time, and the points at which they have end marks.

    Parameters
    ----------
    score : Score
    time : float
        Seconds.
    spread : float
        A factor on every travel and angle.
    hidden : collection of str
        Components that have no trail now.

    Returns
    -------
    lines : list of (k, 3) float64
        In mm, whole: the line type is not cut out of them yet (`dashes` does that).
    marks : list of (3,)
    """
    lines: list[Polyline] = []
    marks: list[Vector3] = []
    groups: dict[int, list[Polyline]] = {}
    off: dict[int, tuple[int, ...]] = {}
    for trail in score.trails:
        if trail.component in hidden:
            continue
        polyline = trail_at(score, trail, time, spread)
        if trail.group >= 0:
            groups.setdefault(trail.group, []).append(polyline)
            off[trail.group] = trail.off
        else:
            lines += _pieces(trail, polyline)
        if trail.marks and len(polyline) > 1:
            marks += [triple(polyline[0]), triple(polyline[-1])]
    for group, together in groups.items():
        lines += _joined(together, off[group])
    if time > 0:
        lines += [_route(score, run, time, spread) for run in score.routes]
    return lines, marks


def trail_at(score: Score, trail: Trail, time: float, spread: float = 1.0) -> Polyline:
    """A trail as far as it has grown (k, 3): from where it begins, by the ends of its moves, to where its anchor is."""
    track, anchor = score.tracks[trail.component], np.array(trail.anchor)
    points = [np.array(trail.origin)]
    for end, point in trail.points:
        if end >= time:
            break
        points.append(np.array(point) if spread == 1 else apply(displacement_at(track, end, spread), anchor))
    return np.array([*points, apply(displacement_at(track, time, spread), anchor)])


def _pieces(trail: Trail, polyline: Polyline) -> list[Polyline]:
    """What is drawn of a trail: its legs less those that are off, with their doglegs, each run of them one line."""
    stations = [np.array(trail.origin), *(np.array(point) for _, point in trail.points)]
    legs = list(enumerate(pairwise(polyline)))
    runs = groupby(legs, key=lambda leg: leg[0] in trail.off)
    return [_run_of(trail, stations, list(run)) for off, run in runs if not off]


def _run_of(trail: Trail, stations: list[Vector], legs: list[tuple[int, tuple[Vector, Vector]]]) -> Polyline:
    points: list[Vector] = []
    for number, (a, b) in legs:
        jogs = [jog for jog in trail.jogs if jog.leg == number]
        points += jogged(a, b, jogs, _grown(stations, number, a, b))[1 if points else 0 :]
    return np.array(points)


def _grown(stations: list[Vector], leg: int, a: Vector, b: Vector) -> float:
    """The share of its whole length that a leg has by now: its doglegs grow with it."""
    if leg + 1 >= len(stations):
        return 1.0
    whole = float(np.linalg.norm(stations[leg + 1] - stations[leg]))
    return min(float(np.linalg.norm(b - a)) / whole, 1.0) if whole else 1.0


def _joined(polylines: Sequence[Polyline], off: Collection[int]) -> Iterator[Polyline]:
    """Lines that run on one line: where they overlap they are drawn once, bent ones leg by leg, less those off."""
    if not off and all(_is_straight(line) for line in polylines):
        yield from _spans(polylines)
        return
    for leg in range(max(map(len, polylines)) - 1):
        if leg not in off:
            yield from _spans([line[leg : leg + 2] for line in polylines if len(line) > leg + 1])


def _is_straight(line: Polyline) -> bool:
    way = line[-1] - line[0]
    length = float(np.linalg.norm(way))
    return length < NOTHING or bool(np.linalg.norm(np.cross(line - line[0], way), axis=1).max() < ON_LINE * length)


def _spans(polylines: Sequence[Polyline]) -> Iterator[Polyline]:
    """Straight lines that lie on one line, those that overlap as one."""
    origin = polylines[0][0]
    longest = max((line[-1] - line[0] for line in polylines), key=lambda way: float(way @ way))
    length = float(np.linalg.norm(longest))
    if length < NOTHING:
        return
    along = longest / length
    places = [(line - origin) @ along for line in polylines]
    spans: list[list[float]] = []
    for low, high in sorted((float(place.min()), float(place.max())) for place in places):
        if spans and low <= spans[-1][1] + 1e-6:
            spans[-1][1] = max(spans[-1][1], high)
        else:
            spans.append([low, high])
    for low, high in spans:
        yield np.array([origin + low * along, origin + high * along])


def _route(score: Score, run: Run, time: float, spread: float) -> Polyline:
    """A line through stops as they stand, between two of them along the axes in the order that the Score says."""
    stand = [apply(displacement_at(score.tracks.get(p, []), time, spread), np.array(at)) for p, at in run.stops]
    points = [stand[0]]
    for order, stop in zip(run.orders, stand[1:], strict=True):
        for axis in order:
            bend = points[-1].copy()
            bend[axis] = stop[axis]
            points.append(bend)
        if not order:
            points[-1] = stop
    return np.array(points)


def dashes(line: Polyline, pattern: Sequence[float], width: float) -> NDArray[np.float64]:
    """A line cut into the elements of its type that are drawn, as pairs of points (k, 2, 3).

    ``pattern`` are dash, gap, dash, gap in widths of the line (`trails.PATTERNS`), none for a continuous line. The
    pattern runs on round bends; on a long line it is coarser, so that there are at most `MOST` elements.

    >>> dashes(np.array([[0, 0, 0], [10.0, 0, 0]]), (4, 2), 1.0)[:, :, 0].tolist()
    [[0.0, 4.0], [6.0, 10.0]]
    """
    spans = np.linalg.norm(np.diff(line, axis=0), axis=1)
    kept = spans > NOTHING
    if not pattern or not kept.any():
        return np.stack([line[:-1], line[1:]], axis=1)[kept]
    bends = np.concatenate([[0.0], np.cumsum(spans[kept])])
    points = np.vstack([line[:-1][kept][:1], line[1:][kept]])
    scale = max(width, float(bends[-1]) * len(pattern) / (MOST * sum(pattern)))
    ends = np.cumsum(pattern) * scale  # of the elements of one period
    starts = np.arange(int(bends[-1] / ends[-1]) + 1) * ends[-1]
    breaks = (starts[:, None] + ends).ravel()
    cuts = np.sort(np.concatenate([bends, breaks[breaks < bends[-1]]]))
    middles = (cuts[:-1] + cuts[1:]) / 2
    element = np.searchsorted(ends, middles % ends[-1], side="right")
    drawn = (element % 2 == 0) & (np.diff(cuts) > NOTHING)
    at = np.column_stack([np.interp(cuts, bends, points[:, axis]) for axis in range(3)])
    return np.stack([at[:-1], at[1:]], axis=1)[drawn]
