"""The Score: per component timed rigid poses, per trail a timed polyline, per camera a timed view."""

from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from functools import lru_cache
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation, Slerp

from pulley.core.assembly import Assembly
from pulley.core.geometry.frames import Pose, Vector, Vector3, apply
from pulley.core.motion.easing import EASING, ease, unease
from pulley.core.motion.travel import STILL, TimedPose
from pulley.core.score.shots import Shot, shots
from pulley.core.score.stages import placements, stages
from pulley.core.teardown import Jog, Route, Step, Teardown, TrailOf
from pulley.core.trails import anchor

ON_LINE = 0.02  # mm within which points lie on one line
Line = tuple[float, ...]  # what is equal for trails that lie on one line
STRAIGHT = 6  # numbers that tell a straight line
ARCS = 12  # straight pieces of a trail line for each pose of a turn, at most 7.5 degrees each


@dataclass(frozen=True)
class Segment:
    """What one step does to a component.

    ``poses`` are (s, translation, quaternion xyzw) at rising s from 0 to 1, relative to where the step
    finds the component, in mm; the rotation is about ``pivot``. Straight and spherical interpolation
    between them is exact, also for turns. ``easing`` maps time to s. A component's displacement from
    home is the product of its segments so far, also of those that overlap.
    """

    start: float
    end: float
    poses: tuple[TimedPose, ...]
    pivot: tuple[float, float, float] = (0.0, 0.0, 0.0)
    easing: str = EASING


@dataclass(frozen=True)
class Trail:
    """A trail line: the anchor at home, where its line begins (the anchor, as the teardown finds it), and
    where it stands (time, point) after each of its moves.

    Legs that are ``off`` are not drawn. ``jogs`` are its doglegs. Trails of one ``group`` lie on one line and
    are drawn as one.
    """

    component: str
    anchor: tuple[float, float, float]
    origin: tuple[float, float, float]
    points: tuple[tuple[float, tuple[float, float, float]], ...]
    off: tuple[int, ...] = ()
    jogs: tuple[Jog, ...] = ()
    marks: bool = False
    group: int = -1


@dataclass(frozen=True)
class Run:
    """A trail of many stops: points at home, each on a component, and the axes (0, 1, 2) along which the line
    runs one after the other from each stop to the next."""

    id: str
    stops: tuple[tuple[str, Vector3], ...]
    orders: tuple[tuple[int, ...], ...]


@dataclass(frozen=True)
class Bar:
    """When a step plays, and what is written below it."""

    id: str
    start: float
    end: float
    caption: str = ""


@dataclass(frozen=True)
class Score:
    """All of a teardown's motion on one time axis. Collapse is the same read backwards."""

    duration: float = 0.0
    steps: tuple[Bar, ...] = ()
    tracks: dict[str, list[Segment]] = field(default_factory=dict)
    trails: tuple[Trail, ...] = ()
    shots: tuple[Shot, ...] = ()
    routes: tuple[Run, ...] = ()

    @property
    def stops(self) -> tuple[float, ...]:
        """The instants at which a step begins or ends, and those of the whole, in seconds: where one steps to."""
        return tuple(sorted({0.0, *(t for bar in self.steps for t in (bar.start, bar.end)), self.duration}))

    def to_json(self) -> dict[str, Any]:
        """The Score as plain JSON values, the form that the canvas reads; not to be altered."""
        return {
            "duration": self.duration,
            "stops": self.stops,
            "steps": [vars(bar) for bar in self.steps],
            "tracks": {path: [vars(segment) for segment in track] for path, track in self.tracks.items()},
            "trails": [{**vars(trail), "jogs": [vars(jog) for jog in trail.jogs]} for trail in self.trails],
            "routes": [vars(route) for route in self.routes],
            "shots": [shot.to_json() for shot in self.shots],
        }


def bars(steps: tuple[Step, ...]) -> tuple[Bar, ...]:
    """When each step plays: after the one before, together with it, or a gap after it; no time when it is off."""
    timed: list[Bar] = []
    for step in steps:
        before = timed[-1] if timed else Bar("", 0.0, 0.0)
        gap = 0.0 if step.off or isinstance(step.timing.start, str) else step.timing.start or 0.0
        start = before.start + step.timing.later if step.timing.start == "with" else before.end + gap
        timed.append(Bar(step.id, start, start + (0.0 if step.off else step.timing.duration), step.caption))
    return tuple(timed)


def compose(assembly: Assembly, teardown: Teardown) -> Score:
    """The Score of a teardown.

    Raises PulleyError as `travels` does.

    Parameters
    ----------
    assembly : Assembly
    teardown : Teardown

    Returns
    -------
    Score
        Times in seconds, places in mm in the assembly's frame.
    """
    timed = bars(teardown.steps)
    tracks = {path: [_standing(pose)] for path, pose in placements(assembly, teardown).items()}
    for stage, bar in zip(stages(assembly, teardown), timed, strict=True):
        for path, way in stage.travels.items():
            tracks.setdefault(path, []).append(Segment(bar.start, bar.end, way.timed, way.pivot))
    views = shots(assembly, teardown, timed)
    return Score(
        duration=max([*(bar.end for bar in timed), *(shot.end for shot in views)], default=0.0),
        steps=timed,
        tracks=tracks,
        trails=_trails(assembly, teardown, tracks, timed),
        routes=tuple(_run(assembly, tracks, route) for route in teardown.routes),
        shots=views,
    )


def _standing(displacement: Pose) -> Segment:
    """A segment long over when time begins: the component is found displaced (4, 4) from home."""
    turned = Rotation.from_matrix(displacement[:3, :3]).as_quat()
    poses = ((0.0, (0.0, 0.0, 0.0), STILL), (1.0, tuple(displacement[:3, 3].tolist()), tuple(turned.tolist())))
    return Segment(-1.0, -1.0, poses)


def displacement_at(track: list[Segment], time: float, spread: float = 1.0) -> Pose:
    """Rigid displacement (4, 4) from home of a component at ``time`` seconds; what the canvas computes.

    ``spread`` is a factor on every travel and every angle: 0 is assembled, 1 as defined.

    Examples
    --------
    >>> up = Segment(0.0, 1.0, ((0.0, (0.0, 0.0, 0.0), STILL), (1.0, (0.0, 0.0, 60.0), STILL)))
    >>> displacement_at([up], 0.5)[:3, 3].tolist()
    [0.0, 0.0, 30.0]
    """
    pose = np.eye(4)
    for segment in track:
        if time > segment.start:
            factor = spread if segment.start >= 0 else 1.0
            share = ease((time - segment.start) / (segment.end - segment.start)) if time < segment.end else 1.0
            pose = (_done(segment) if share == factor == 1.0 else _within(segment, share, factor)) @ pose
    return pose


@lru_cache(maxsize=65536)
def _done(segment: Segment) -> Pose:
    """The displacement (4, 4) that a segment has brought about when it is over; not to be altered."""
    return _within(segment, 1.0)


def _within(segment: Segment, share: float, spread: float = 1.0) -> Pose:
    """The displacement (4, 4) that a segment has brought about at a share of its way."""
    shares = [pose[0] for pose in segment.poses]
    ahead = np.array([np.interp(share, shares, [pose[1][axis] for pose in segment.poses]) for axis in range(3)])
    ahead *= spread
    pose = np.eye(4)
    if turns(segment):
        pose[:3, :3] = Rotation.from_rotvec(spread * _turned(segment, share)).as_matrix()
        ahead += segment.pivot - pose[:3, :3] @ segment.pivot
    pose[:3, 3] = ahead
    return pose


def _turned(segment: Segment, share: float) -> Vector:
    """The rotation vector (3,) of a segment at a share of its way, whole turns counted: its axis stays as it is."""
    poses = Rotation.from_quat([turned for _, _, turned in segment.poses])
    steps = (poses[1:] * poses[:-1].inv()).as_rotvec()
    shares = np.array([pose[0] for pose in segment.poses])
    parts = np.clip((share - shares[:-1]) / np.maximum(np.diff(shares), 1e-12), 0.0, 1.0)
    turned: Vector = parts @ steps
    return turned


def turns(segment: Segment) -> bool:
    """Whether a segment turns its component at all."""
    return any(any(turned[:3]) for _, _, turned in segment.poses)


def _trails(
    assembly: Assembly, teardown: Teardown, tracks: dict[str, list[Segment]], timed: tuple[Bar, ...]
) -> tuple[Trail, ...]:
    """The trail of every component that moves and has one; those on one line put into a group."""
    own = {setting.component: setting for setting in teardown.trails}
    silent: dict[str, list[Bar]] = {}
    for step, bar in zip(teardown.steps, timed, strict=True):
        for leaf in () if step.trails else assembly.leaves_of(step.members):
            silent.setdefault(leaf, []).append(bar)
    found: list[tuple[Trail, Line | None]] = []
    for path, track in tracks.items():
        setting = own.get(path, TrailOf(path))
        if track[-1].start < 0 or not setting.shown:
            continue
        marks = teardown.line.marks if setting.marks is None else setting.marks
        for start in setting.anchors or (None,):
            key = ("trail", path, tuple(track), start)
            trail, line = assembly.once(key, lambda: _trail(assembly, path, track, start))  # noqa: B023 (called at once)
            times = [0.0, *(time for time, _ in trail.points)]
            off = tuple(
                k
                for k in range(len(trail.points))
                if k in setting.off or any(b.start < times[k + 1] <= b.end for b in silent.get(path, ()))
            )
            shared = (*line, *off) if line and not setting.jogs and (not off or len(line) > STRAIGHT) else None
            found.append((replace(trail, off=off, jogs=setting.jogs, marks=marks), shared))
    return _grouped(found)


def _grouped(trails: list[tuple[Trail, Line | None]]) -> tuple[Trail, ...]:
    """Trails on one line, each with the number of its group."""
    lines: dict[Line, list[int]] = {}
    for k, (_, line) in enumerate(trails):
        if line:
            lines.setdefault(line, []).append(k)
    shared = [members for members in lines.values() if len(members) > 1]
    number = {k: group for group, members in enumerate(shared) for k in members}
    return tuple(replace(trail, group=number[k]) if k in number else trail for k, (trail, _) in enumerate(trails))


def _line_of(trail: Trail) -> Line | None:
    """What is equal for trails that run on one line: straight ones, its direction and where it passes the origin; bent
    ones, where they bend and the ways of their first and last legs. None for those that lead nowhere."""
    points = np.array([trail.origin, *(point for _, point in trail.points)])
    way = points[-1] - points[0]
    if float(np.linalg.norm(way)) < 1e-6:
        return None
    along = way / np.linalg.norm(way) * (1.0 if way[np.argmax(np.abs(way))] > 0 else -1.0)
    if np.abs(np.cross(points - points[0], along)).max() < ON_LINE:
        foot = points[0] - (points[0] @ along) * along
        return (*np.round(along, 4).tolist(), *np.round(foot / (5 * ON_LINE)).tolist())
    legs = np.diff(points, axis=0)[[0, -1]]
    sizes = np.linalg.norm(legs, axis=1, keepdims=True)
    if sizes.min() < 1e-6:
        return None
    bends = np.round(points[1:-1] / (5 * ON_LINE))
    return (*np.round(legs / sizes, 4).ravel().tolist(), *bends.ravel().tolist())


def _run(assembly: Assembly, tracks: dict[str, list[Segment]], route: Route) -> Run:
    """A trail of many stops; between two of them along the assembly's axes, the longest way first, as things
    stand at the end."""
    ends = []
    for path, point in route.stops:
        pose = displacement_at(tracks[path], np.inf) if path in tracks else np.eye(4)
        ends.append(apply(pose, np.array(point)))
    orders = []
    for a, b in pairwise(ends):
        way = np.abs(b - a)
        orders.append(tuple(int(k) for k in np.argsort(-way) if way[k] > ON_LINE))
    return Run(route.id, route.stops, tuple(orders))


def _trail(
    assembly: Assembly, path: str, track: list[Segment], by_hand: Vector3 | None = None
) -> tuple[Trail, Line | None]:
    """The anchor, and where it stands at every bend and every end of its motion; and the line that it is on."""
    moved = [segment for segment in track if segment.start >= 0]
    found = displacement_at(track, 0.0)
    if by_hand is None:
        start = anchor(assembly.leaf(path), found[:3, :3].T @ np.array(moved[0].poses[1][1]))
    else:
        start = np.array(by_hand)
    origin = apply(found, start)
    points = tuple((time, tuple(point.tolist())) for time, point in _stations(track, moved, start, origin))
    trail = Trail(path, tuple(start.tolist()), tuple(origin.tolist()), points)
    return trail, _line_of(trail)


def _stations(
    track: list[Segment], moved: list[Segment], start: Vector, point: Vector
) -> Iterator[tuple[float, Vector]]:
    """The times at which a trail gets a point, and that point (3,); ``point`` is where it begins."""
    if any(later.start < earlier.end for earlier, later in pairwise(moved)):
        times = {s.start + (s.end - s.start) * unease(share) for s in moved for share in _bends(s)}
        yield from ((time, apply(displacement_at(track, time), start)) for time in sorted(times))
        return
    for segment in moved:  # one after the other: each goes on from where the one before has ended
        shares = _bends(segment)
        places = _carried(segment, shares, point)
        for share, place in zip(shares, places, strict=True):
            yield segment.start + (segment.end - segment.start) * unease(share), place
        point = places[-1]


def _carried(segment: Segment, shares: list[float], point: Vector) -> NDArray[np.float64]:
    """Where a segment has brought a point (3,) at shares (k,) of its way: (k, 3)."""
    knots = [pose[0] for pose in segment.poses]
    ahead = np.array([pose[1] for pose in segment.poses])
    along = np.column_stack([np.interp(shares, knots, ahead[:, axis]) for axis in range(3)])
    if not turns(segment):
        return point + along
    between = Slerp(knots, Rotation.from_quat([turned for _, _, turned in segment.poses]))
    return between(shares).apply(point - np.array(segment.pivot)) + segment.pivot + along


def _bends(segment: Segment) -> list[float]:
    """Shares at which a trail gets a point: where a slide bends, and every few degrees of a turn."""
    shares = [pose[0] for pose in segment.poses]
    if not turns(segment):
        return shares[1:]
    fine = [np.linspace(a, b, ARCS + 1)[1:].tolist() for a, b in zip(shares, shares[1:], strict=False)]
    return [share for arc in fine for share in arc]
