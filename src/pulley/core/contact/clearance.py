"""Clearance: how near a step brings what moves to what stands still."""

import heapq
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from pulley.core.assembly import Assembly
from pulley.core.contact.distance import mesh_distance
from pulley.core.contact.scene import Scene
from pulley.core.contact.start import TOLERANCE
from pulley.core.motion.travel import Screw
from pulley.core.score.stages import Stage, poses_at

RESOLUTION = 0.1  # mm to which the least distance is found


@dataclass(frozen=True)
class Clearance:
    """The least distance in mm in a step, between which two leaves, and at which share of it."""

    distance: float
    moving: str
    still: str
    at: float


def clearance(assembly: Assembly, stage: Stage) -> Clearance | None:
    """The least distance between what a step moves and what stands still meanwhile.

    What touches the movers as the step starts is left out: the question is what they pass. None when
    nothing else is there. Found to within 0.1 mm, by halving the step wherever the distance, which
    cannot change faster than the movers move, may still be less.
    """
    scene = Scene(assembly, poses_at(assembly, stage.before))
    best: Clearance | None = None
    for bound, mover, other in sorted(_pairs(scene, stage)):
        if best and bound >= best.distance - RESOLUTION:
            break
        if mesh_distance(*scene.body(mover), *scene.body(other)) <= TOLERANCE:
            continue
        found = _least(scene, stage, mover, other, best.distance if best else np.inf)
        best = found or best
    return best


def _pairs(scene: Scene, stage: Stage) -> Iterator[tuple[float, str, str]]:
    """Movers and still leaves with a distance in mm that they stay apart by, going by the bounds they sweep."""
    still = scene.places(path for path in scene.paths if path not in stage.travels)
    for mover, way in stage.travels.items():
        place = scene.places([mover])[0]
        spans = [way] if isinstance(way, Screw) else list(way.points)
        boxes = np.array([scene.swept(place, span) for span in spans])
        low, high = boxes[:, 0].min(0), boxes[:, 1].max(0)
        gaps = np.maximum(np.maximum(low - scene.boxes[still, 1], scene.boxes[still, 0] - high), 0.0)
        for gap, other in zip(np.linalg.norm(gaps, axis=1).tolist(), still, strict=True):
            yield gap, mover, scene.paths[other]


def _least(scene: Scene, stage: Stage, mover: str, other: str, enough: float) -> Clearance | None:
    """The least distance of one pair, where it is less than ``enough``: branch and bound over the share."""
    way = stage.travels[mover]
    pace = max(way.length(1.0, corner) for corner in _corners(scene, mover))

    def distance(share: float) -> float:
        mesh, pose = scene.body(mover)
        return mesh_distance(mesh, way.at(share) @ pose, *scene.body(other))

    ends = {0.0: distance(0.0), 1.0: distance(1.0)}
    at = min(ends, key=lambda share: ends[share])
    best = ends[at]
    waiting = [((sum(ends.values()) - pace) / 2, 0.0, ends[0.0], 1.0, ends[1.0])]
    while waiting:
        bound, low, near, high, far = heapq.heappop(waiting)
        if bound >= min(best, enough) - RESOLUTION:
            break
        middle = (low + high) / 2
        here = distance(middle)
        if here < best:
            best, at = here, middle
        for piece in ((low, near, middle, here), (middle, here, high, far)):
            heapq.heappush(waiting, ((piece[1] + piece[3] - pace * (piece[2] - piece[0])) / 2, *piece))
    return Clearance(best, mover, other, at) if best < enough else None


def _corners(scene: Scene, path: str) -> NDArray[np.float64]:
    """The corners (8, 3) of a leaf's bounds."""
    low, high = scene.boxes[scene.places([path])[0]]
    return np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])])
