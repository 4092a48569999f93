"""Lines that lead a component only to what it sat in, where its whole trail line would pass through something else."""

from collections.abc import Iterable, Iterator, Mapping

import numpy as np

from pulley.core.assembly import Assembly
from pulley.core.crossings import Crossing, bodies_of, crossings, crossings_on, line_of
from pulley.core.geometry.frames import Vector, Vector3, apply, inverse, triple
from pulley.core.score.compose import Score, Trail, compose, displacement_at
from pulley.core.teardown import Route, Teardown

SHORTEST = 1.5  # mm of a line that is worth drawing
STRAIGHT = 0.05  # mm by which a line may be off an axis

Stop = tuple[str, Vector3]  # a component, and a point on it at home


def led_to_mates(assembly: Assembly, teardown: Teardown, mates: Mapping[str, Iterable[str]]) -> Iterator[Route]:
    """For each trail line that passes through a foreign component and need not, a line that can take its place.

    It leads from the nearest of the component's mates that stands on an axis with it, and from the place where the
    component sat in it, to the component, where that is clear; else from where the line leaves the last component that
    it passes through.

    Parameters
    ----------
    assembly : Assembly
    teardown : Teardown
    mates : mapping of path to paths
        The leaves that each leaf touches at home; left out are those whose lines are to stay.
    """
    score = compose(assembly, teardown)
    bodies, trails = bodies_of(assembly, teardown, score), {trail.component: trail for trail in score.trails}
    last = {crossing.component: crossing for crossing in sorted(crossings(assembly, teardown, score), key=_how_far)}
    for path in [path for path in trails if path in last.keys() & mates.keys()]:
        end = (path, trails[path].anchor)
        starts = sorted([(mate, end[1]) for mate in mates[path]], key=lambda start: _length(score, start, end))
        for start in (*starts, _way_out(score, trails[path], last[path])):
            line = _placed(score, start), _placed(score, end)
            if _is_drawn(*line) and not crossings_on(path, 0, *line, [], bodies):
                yield Route("", (start, end))
                break


def _how_far(crossing: Crossing) -> tuple[int, float]:
    """How far along its trail a crossing ends."""
    return crossing.leg, crossing.end


def _way_out(score: Score, trail: Trail, crossing: Crossing) -> Stop:
    """Where a trail line leaves what it passes through, as a place on that at home."""
    start, end = line_of(trail)[crossing.leg : crossing.leg + 2]
    track = score.tracks.get(crossing.blocker)
    point = start + crossing.end * (end - start)
    return crossing.blocker, triple(apply(inverse(displacement_at(track, np.inf)), point) if track else point)


def _placed(score: Score, stop: Stop) -> Vector:
    """Where a point on a component at home comes to stand (3,)."""
    track, point = score.tracks.get(stop[0]), np.array(stop[1])
    return apply(displacement_at(track, np.inf), point) if track else point


def _length(score: Score, start: Stop, end: Stop) -> float:
    return float(np.linalg.norm(_placed(score, end) - _placed(score, start)))


def _is_drawn(start: Vector, end: Vector) -> bool:
    """Whether a line is long enough, and runs along an axis."""
    lengths = np.sort(np.abs(end - start))
    return bool(lengths[2] >= SHORTEST and lengths[1] <= STRAIGHT)
