"""The referee's own kinematics: where a step takes its members at a share of it."""

from collections.abc import Callable, Iterator

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from pulley.core.motion import Axial, Path, Radial, Turn
from pulley.core.teardown import Step

Pose = NDArray[np.float64]
Move = Callable[[float], Pose]  # displacement (4, 4) at a share of the step
FINE = 400  # pieces of each span of a rounded path


def moves(step: Step, middle: Callable[[str], NDArray[np.float64]]) -> Iterator[tuple[str, Move]]:
    """Each member of a step and its move; ``middle`` gives the middle (3,) of a member as the step finds it."""
    motion, fan = step.motion, step.motion.fan
    ranks = [k for k, size in enumerate(fan.layers) for _ in range(size)] or list(range(len(step.members)))
    places = len(fan.layers) or len(step.members)
    spacing = fan.pitch if fan.total is None else fan.total / max(places - 1, 1)
    for member, rank in zip(step.members, ranks, strict=True):
        if isinstance(motion, Turn):
            yield member, _turned(motion)
        elif isinstance(motion, Radial):
            arm = middle(dict(motion.follow).get(member, member)) - np.array(motion.point or motion.axis.origin)
            if motion.axis:
                axis = _unit(np.array(motion.axis.direction))
                arm = arm - (arm @ axis) * axis
            yield member, _slid(np.vstack([np.zeros(3), _unit(arm) * motion.distance]))
        else:
            yield member, _slid(_points(motion, rank * spacing))


def _points(motion: Axial | Path, farther: float) -> NDArray[np.float64]:
    """The displacements (k, 3) that a member passes through, from its start."""
    if isinstance(motion, Axial):
        return np.vstack([np.zeros(3), _unit(np.array(motion.direction)) * (motion.distance + farther)])
    points = np.vstack([np.zeros(3), motion.waypoints])
    points = _rounded(points) if motion.smooth else points
    points[-1] += _unit(points[-1] - points[-2]) * farther
    return points


def _turned(motion: Turn) -> Move:
    along = _unit(np.array(motion.axis.direction))
    origin = np.array(motion.axis.origin)

    def turned(share: float) -> Pose:
        pose = np.eye(4)
        pose[:3, :3] = Rotation.from_rotvec(along * np.radians(motion.angle * share)).as_matrix()
        pose[:3, 3] = origin - pose[:3, :3] @ origin + along * motion.advance * motion.angle * share / 360
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
