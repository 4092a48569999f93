"""Can it be seen? How much of each component is visible from a camera, and from where it is seen best."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import product

import numpy as np
from numpy.typing import NDArray

from pulley.core.assembly import Assembly
from pulley.core.camera import FOV, QUARTER, fitted, opened, project
from pulley.core.geometry.frames import Pose, Vector3, apply, triple, unit, view_frame
from pulley.core.geometry.raster import cover
from pulley.core.score.compose import Bar, Score, displacement_at
from pulley.core.score.shots import saved_home, view_at
from pulley.core.score.stages import poses_at
from pulley.core.teardown import Camera, Teardown

HIDDEN = 0.15  # share of its own silhouette below which a component counts as hidden
WORTH = 0.01  # share by which a view must show more to be worth proposing
OUTER = 0.5  # share that is seen from somewhere of a component that lies outside
SIZE = (640, 480)  # pixels in which visibility is counted
SAMPLES = (0.5, 1.0)  # shares of a step's time at which its members are looked at
ASPECT = SIZE[0] / SIZE[1]


def visible_shares(
    assembly: Assembly, poses: Mapping[str, Pose], camera: Camera, size: tuple[int, int] = SIZE
) -> dict[str, float]:
    """The share, 0 to 1, of each component's own silhouette that is visible from a camera.

    Parameters
    ----------
    assembly : Assembly
    poses : mapping of path to (4, 4) float64
        Leaves that are left out hide nothing and are not counted.
    camera : Camera
    size : width and height in pixels of the identity buffer that is counted

    Returns
    -------
    dict of path to share; 0 for what lies outside the picture or is smaller than a pixel
    """
    return {path: left / own if own else 0.0 for path, (left, own) in _pixels(assembly, poses, camera, size).items()}


def _pixels(
    assembly: Assembly,
    poses: Mapping[str, Pose],
    camera: Camera,
    size: tuple[int, int] = SIZE,
    together: Sequence[Sequence[str]] = (),
) -> dict[str, tuple[int, int]]:
    """How many pixels of each component are seen, and how many it would cover by itself; those that are
    ``together`` counted as one."""
    width, height = size
    camera = opened(camera, size)
    grouped = {path for group in together for path in group}
    groups = [*together, *([path] for path in poses if path not in grouped)]
    depth = np.full((height, width), np.inf)
    owner = np.full((height, width), -1, np.int32)
    stamp = np.full((height, width), -1, np.int32)
    own = np.zeros(len(groups), np.int64)
    for k, group in enumerate(groups):
        for path in group:
            if path in poses:
                mesh = assembly.leaf(path).part.mesh
                seen = project(camera, apply(poses[path], mesh.vertices), width, height)
                own[k] += cover(depth, owner, stamp, seen, mesh.triangles, k)
    left = np.bincount(owner[owner >= 0], minlength=len(groups))
    return {path: (int(left[k]), int(own[k])) for k, group in enumerate(groups) for path in group}


@dataclass(frozen=True)
class Sight:
    """How well the members of a step, or all components of a view, are seen: the share of each leaf."""

    shares: dict[str, float]

    @property
    def hidden(self) -> list[str]:
        """Those that count as hidden, the least seen first."""
        return sorted((p for p, share in self.shares.items() if share < HIDDEN), key=self.shares.__getitem__)

    @property
    def least(self) -> float:
        """The share of the component that is seen least; 1 when there is none."""
        return min(self.shares.values(), default=1.0)

    @property
    def mean(self) -> float:
        """The mean share; 1 when there is none."""
        return float(np.mean(list(self.shares.values()))) if self.shares else 1.0


def poses_in(assembly: Assembly, teardown: Teardown, score: Score, time: float) -> dict[str, Pose]:
    """The pose (4, 4) of every leaf that is not hidden, at ``time`` seconds.

    Parameters
    ----------
    assembly : Assembly
    teardown : Teardown
    score : Score
    time : float
        Seconds.
    """
    shown = [leaf.path for leaf in assembly.leaves if leaf.path not in set(teardown.hidden)]
    moved = {path: displacement_at(score.tracks[path], time) for path in shown if path in score.tracks}
    return poses_at(assembly, moved, shown)


def quarter(teardown: Teardown) -> Vector3:
    """The direction of the quarter view, from the target to the eye, with the teardown's own front and up.

    Examples
    --------
    >>> [round(v, 9) for v in quarter(Teardown("Service"))]
    [0.62, -0.66, 0.43]
    """
    front, up = (unit(np.array(v, float)) for v in (teardown.bearings.front, teardown.bearings.up))
    right = np.cross(up, front)
    return triple(-QUARTER[1] * front + QUARTER[0] * right + QUARTER[2] * up)


def home_view(assembly: Assembly, teardown: Teardown, score: Score, aspect: float = ASPECT, fov: float = FOV) -> Camera:
    """The view that a film starts from: the saved home view, else a quarter view that holds everything that is shown,
    assembled and exploded, in a picture of ``aspect`` (width over height) and ``fov`` degrees.

    The canvas fits the same view to the part of it that no bar lies on.

    Parameters
    ----------
    assembly : Assembly
    teardown : Teardown
    score : Score
    aspect : float
        Width over height.
    fov : float
        Degrees from the top of the picture to its foot.
    """
    saved = saved_home(teardown)
    if saved:
        return saved
    points = np.concatenate([_corners(assembly, teardown, score, time) for time in (0.0, score.duration)])
    return fitted(points, quarter(teardown), aspect, fov, up=teardown.bearings.up)


def step_sights(
    assembly: Assembly, teardown: Teardown, score: Score, report: Callable[[float], None] = lambda share: None
) -> dict[str, Sight]:
    """How well what each step moves is seen while it plays: the mean over `SAMPLES` of its time, by step.

    ``report`` is told the share of the work that is done.

    Returns
    -------
    dict of step id to Sight
        Steps that take no time are left out.
    """
    start = home_view(assembly, teardown, score)
    found = {}
    for k, (step, bar) in enumerate(zip(teardown.steps, score.steps, strict=True), 1):
        if bar.end > bar.start:
            times = _instants(bar)
            views = [view_at(score.shots, time, start) for time in times]
            looks = list(zip(times, views, strict=True))
            found[step.id] = sight(assembly, teardown, score, looks, moving_together(score, bar))
        report(k / len(teardown.steps))
    return found


def _instants(bar: Bar) -> list[float]:
    return [bar.start + share * (bar.end - bar.start) for share in SAMPLES]


def moving_together(score: Score, bar: Bar) -> list[list[str]]:
    """The leaves that a step moves, in groups of those that it moves in the same way, as one."""
    groups: dict[object, list[str]] = {}
    for path, track in score.tracks.items():
        for segment in track:
            if segment.start == bar.start and segment.end == bar.end:
                groups.setdefault((segment.poses, segment.pivot), []).append(path)
    return list(groups.values())


def sight(
    assembly: Assembly,
    teardown: Teardown,
    score: Score,
    looks: Sequence[tuple[float, Camera]],
    groups: Sequence[Sequence[str]] | None = None,
) -> Sight:
    """How well components are seen, as the mean over looks (time in seconds, view).

    Each by itself when ``groups`` is None; else the leaves of a group count as one, which is what a bearing
    is whose rollers lie inside it.

    Parameters
    ----------
    assembly : Assembly
    teardown : Teardown
    score : Score
    looks : sequence of (float, Camera)
        Times in seconds, each with the view from which one looks.
    groups : sequence of sequences of str, optional

    Returns
    -------
    Sight
        The share of each leaf's pixels that are seen, of those that it would have alone.
    """
    hidden = set(teardown.hidden)
    wanted = [leaf.path for leaf in assembly.leaves] if groups is None else [p for group in groups for p in group]
    seen = [
        _pixels(assembly, poses_in(assembly, teardown, score, time), view, together=groups or ())
        for time, view in looks
    ]
    return Sight(
        {
            path: float(np.mean([pixels[path][0] / max(pixels[path][1], 1) for pixels in seen]))
            for path in wanted
            if path not in hidden
        }
    )


@dataclass(frozen=True)
class Better:
    """A view that shows a step, or everything, better: how well, and how well the present one does."""

    camera: Camera
    word: str
    now: Sight
    then: Sight


def standard_directions(teardown: Teardown) -> dict[str, Vector3]:
    """The 26 directions from the middle to the eye, by name: six sides, twelve edges and eight corners of a box
    that stands as the teardown's bearings say.

    Returns
    -------
    dict of str to (3,)
        Unit vectors in the assembly's frame.

    Examples
    --------
    >>> directions = standard_directions(Teardown("Service"))
    >>> len(directions), directions["top"]
    (26, (0.0, 0.0, 1.0))
    """
    front, up = (unit(np.array(v, float)) for v in (teardown.bearings.front, teardown.bearings.up))
    up = unit(up - (up @ front) * front)
    frame = np.array([np.cross(up, front), -front, up])
    words = (("left", "", "right"), ("front", "", "back"), ("bottom", "", "top"))
    found = {}
    for place in product((-1, 0, 1), repeat=3):
        if any(place):
            names = [words[axis][place[axis] + 1] for axis in (1, 2, 0) if place[axis]]
            found[" ".join(names)] = tuple(unit(np.array(place, float) @ frame).tolist())
    return found


def pictorial_directions(teardown: Teardown) -> dict[str, Vector3]:
    """The directions from the middle to the eye of pictorial drawings, by name, as the teardown's bearings stand.

    Isometric: all three axes equally short. Dimetric: width and height at one scale, depth at half of it, which
    draws their axes at 7 and 42 degrees (ISO 5456-3, from memory). Trimetric: three scales.

    Examples
    --------
    >>> [round(abs(v), 3) for v in pictorial_directions(Teardown("Service"))["isometric"]]
    [0.577, 0.577, 0.577]
    """
    front, up = (unit(np.array(v, float)) for v in (teardown.bearings.front, teardown.bearings.up))
    up = unit(up - (up @ front) * front)
    frame = np.array([np.cross(up, front), front, up])
    kinds = {"isometric": (1.0, 1.0, 1.0), "dimetric": (1.0, 7**0.5, 1.0), "trimetric": (0.55, 0.75, 0.4)}
    return {word: tuple(unit(np.array(way) @ frame).tolist()) for word, way in kinds.items()}


def page_directions(teardown: Teardown) -> list[Vector3]:
    """Directions from which drawings are usually made: the quarter view, the isometric one, and the others from the
    corners above."""
    corners = {tuple(word.split()): way for word, way in standard_directions(teardown).items()}
    above = [way for words, way in corners.items() if "top" in words and len(words) == 3]
    found = [quarter(teardown), pictorial_directions(teardown)["isometric"], *above]
    return list({tuple(np.round(way, 6)): way for way in found}.values())


def better_view(
    assembly: Assembly,
    teardown: Teardown,
    score: Score,
    step: str | None,
    now: Camera,
    report: Callable[[float], None] = lambda share: None,
) -> Better:
    """The standard direction that shows a step's members best, or everything at the end when ``step`` is None.

    Directions are told apart by the component that is seen least, then by the mean; where none is better
    than the present view by `WORTH`, that is what comes back. ``report`` is told the share of the work that is done.

    Parameters
    ----------
    assembly : Assembly
    teardown : Teardown
    score : Score
    step : str or None
        The id of a step.
    now : Camera
        The present view.
    report : callable(share)
    """
    bar = next((bar for bar in score.steps if bar.id == step), None)
    times = _instants(bar) if bar else [score.duration]
    groups = moving_together(score, bar) if bar else None
    points = np.concatenate([_corners(assembly, teardown, score, time) for time in times])
    before = sight(assembly, teardown, score, [(time, now) for time in times], groups)
    best = Better(now, "this view", before, before)
    directions = standard_directions(teardown)
    for k, (word, direction) in enumerate(directions.items()):
        view = fitted(points, direction, ASPECT, now.fov, up=teardown.bearings.up)
        then = sight(assembly, teardown, score, [(time, view) for time in times], groups)
        if (min(then.least, 0.5), then.mean) > (min(best.then.least, 0.5), best.then.mean + 1e-9):
            best = Better(view, word, before, then)
        report((k + 1) / len(directions))
    worth = max(best.then.least - before.least, best.then.mean - before.mean) >= WORTH
    return best if worth else Better(now, "this view", before, before)


def _corners(assembly: Assembly, teardown: Teardown, score: Score, time: float) -> NDArray[np.float64]:
    """Corners (n, 3) of the bounds of everything that is shown at ``time`` seconds."""
    poses = poses_in(assembly, teardown, score, time)
    return np.concatenate([apply(pose, assembly.leaf(path).part.mesh.box_corners) for path, pose in poses.items()])


@lru_cache(maxsize=64)
def peels(assembly: Assembly) -> dict[str, int]:
    """How deep each leaf sits: 0 when it is seen from outside, 1 when it is once those are taken away, and so on.

    Looked at from the six sides and the eight corners of a box.

    Returns
    -------
    dict of path to int
    """
    left = {leaf.path: leaf.pose for leaf in assembly.leaves}
    depth: dict[str, int] = {}
    aims = [np.array(aim, float) for aim in product((-1, 0, 1), repeat=3) if np.count_nonzero(aim) in (1, 3)]
    level = 0
    while left:
        points = np.concatenate([apply(pose, assembly.leaf(path).part.mesh.box_corners) for path, pose in left.items()])
        views = [fitted(points, aim, ASPECT, up=view_frame(aim)[1]) for aim in aims]
        seen = [visible_shares(assembly, left, view, (320, 240)) for view in views]
        best = {path: max(shares[path] for shares in seen) for path in left}
        outer = [path for path, share in best.items() if share >= OUTER] or [max(best, key=best.__getitem__)]
        for path in outer:
            depth[path] = level
            del left[path]
        level += 1
    return depth
