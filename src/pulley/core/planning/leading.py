"""Lines that lead a component only to what it sat in, where its whole trail line would pass through something else."""

from collections.abc import Iterable, Iterator, Mapping

import numpy as np

from pulley.core.assembly import Assembly
from pulley.core.crossings import bodies_of, crossings, crossings_on
from pulley.core.geometry.frames import Vector, apply
from pulley.core.score.compose import Score, compose, displacement_at
from pulley.core.teardown import Route, Teardown

SHORTEST = 1.5  # mm of a line that is worth drawing
STRAIGHT = 0.05  # mm by which a line may be off an axis


def led_to_mates(assembly: Assembly, teardown: Teardown, mates: Mapping[str, Iterable[str]]) -> Iterator[Route]:
    """For each trail line that passes through a foreign component and need not, a line that can take its place.

    It leads from the nearest of the component's mates that stands on an axis with it, and from the place where the
    component sat in it, to the component, where that is clear.

    Parameters
    ----------
    assembly : Assembly
    teardown : Teardown
    mates : mapping of path to paths
        The leaves that each leaf touches at home; none for those whose lines are to stay.
    """
    score = compose(assembly, teardown)
    crossed = dict.fromkeys(crossing.component for crossing in crossings(assembly, teardown, score))
    bodies, anchors = bodies_of(assembly, teardown, score), {trail.component: trail.anchor for trail in score.trails}
    for path in crossed:
        anchor = np.array(anchors[path])
        lines = [(mate, *_between(score, anchor, path, mate)) for mate in mates.get(path, ())]
        for mate, start, end in sorted(lines, key=lambda line: float(np.linalg.norm(line[2] - line[1]))):
            if _is_drawn(start, end) and not crossings_on(path, 0, start, end, [], bodies):
                yield Route("", ((mate, anchors[path]), (path, anchors[path])))
                break


def _between(score: Score, anchor: Vector, path: str, mate: str) -> tuple[Vector, Vector]:
    """Where a point (3,) at home comes to stand with a mate, and with the component itself."""
    tracks = (score.tracks.get(each) for each in (mate, path))
    start, end = (apply(displacement_at(track, np.inf), anchor) if track else anchor for track in tracks)
    return start, end


def _is_drawn(start: Vector, end: Vector) -> bool:
    """Whether a line is long enough, and runs along an axis."""
    lengths = np.sort(np.abs(end - start))
    return bool(lengths[2] >= SHORTEST and lengths[1] <= STRAIGHT)
