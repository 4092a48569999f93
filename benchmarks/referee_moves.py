"""The referee's own kinematics: where a step takes its members at a share of it."""

from collections.abc import Callable, Iterator

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from pulley.core.teardown import Step

Pose = NDArray[np.float64]
Move = Callable[[float], Pose]  # displacement (4, 4) at a share of the step
FINE = 400  # pieces of each span of a rounded path


def moves(step: Step, middle: Callable[[str], NDArray[np.float64]]) -> Iterator[tuple[str, Move]]:
    """Each member of a step and its move; ``middle`` gives the middle (3,) of a member as the step finds it."""
    ranks = [k for k, size in enumerate(step.layers) for _ in range(size)] or list(range(len(step.members)))
    places = len(step.layers) or len(step.members)
    spacing = step.pitch if step.total is None else step.total / max(places - 1, 1)
    for member, rank in zip(step.members, ranks, strict=True):
        if step.kind == "turn":
            yield member, _turned(step)
        elif step.kind == "radial":
            arm = middle(dict(step.follow).get(member, member)) - np.array(step.point or step.axis.origin)
            if step.axis:
                axis = _unit(np.array(step.axis.direction))
                arm = arm - (arm @ axis) * axis
            yield member, _slid(np.vstack([np.zeros(3), _unit(arm) * step.distance]))
        else:
            yield member, _slid(_points(step, rank * spacing))


def _points(step: Step, farther: float) -> NDArray[np.float64]:
    """The displacements (k, 3) that a member passes through, from its start."""
    if step.kind == "axial":
        return np.vstack([np.zeros(3), _unit(np.array(step.direction)) * (step.distance + farther)])
    points = np.vstack([np.zeros(3), step.waypoints])
    points = _rounded(points) if step.smooth else points
    points[-1] += _unit(points[-1] - points[-2]) * farther
    return points


def _turned(step: Step) -> Move:
    along = _unit(np.array(step.axis.direction))
    origin = np.array(step.axis.origin)

    def turned(share: float) -> Pose:
        pose = np.eye(4)
        pose[:3, :3] = Rotation.from_rotvec(along * np.radians(step.angle * share)).as_matrix()
        pose[:3, 3] = origin - pose[:3, :3] @ origin + along * step.advance * step.angle * share / 360
        return pose

    return turned


def _slid(points: NDArray[np.float64]) -> Move:
    gone = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])

    def slid(share: float) -> Pose:
        pose = np.eye(4)
        pose[:3, 3] = [np.interp(share * gone[-1], gone, points[:, k]) for k in range(3)]
        return pose

    return slid


def _rounded(points: NDArray[np.float64]) -> NDArray[np.float64]:
    """The centripetal Catmull-Rom curve through points (k, 3), in its cubic Hermite form: the tangents follow from
    the square roots of the distances between points (from memory). Beyond its ends it goes on straight."""
    points = np.vstack([2 * points[0] - points[1], points, 2 * points[-1] - points[-2]])
    step = np.sqrt(np.linalg.norm(np.diff(points, axis=0), axis=1))[:, None]
    slope = np.diff(points, axis=0) / step
    tangent = slope[:-1] + slope[1:] - (points[2:] - points[:-2]) / (step[:-1] + step[1:])
    at = np.linspace(0, 1, FINE + 1)[1:, None]
    curve = [points[1:2]]
    for k in range(len(points) - 3):
        low, high, span = points[k + 1], points[k + 2], step[k + 1]
        into, out = tangent[k] * span, tangent[k + 1] * span
        curve.append(
            (2 * at**3 - 3 * at**2 + 1) * low
            + (at**3 - 2 * at**2 + at) * into
            + (3 * at**2 - 2 * at**3) * high
            + (at**3 - at**2) * out
        )
    return np.vstack(curve)


def _unit(vector: NDArray[np.float64]) -> NDArray[np.float64]:
    return vector / np.linalg.norm(vector)
