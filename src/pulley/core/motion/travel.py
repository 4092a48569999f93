"""The way of one rigid body through a step: a slide along a polyline, or a turn about a line."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from pulley.core.geometry.frames import Pose, Vector, Vector3, translation, unit

QUARTER = 90.0  # degrees; the most that two neighbouring poses of a turn lie apart, so that "between" is plain

TimedPose = tuple[float, tuple[float, float, float], tuple[float, float, float, float]]
STILL = (0.0, 0.0, 0.0, 1.0)  # the quaternion of no rotation


@dataclass(frozen=True, eq=False)
class Slide:
    """At ``shares`` (k,) of the step, from 0 to 1, the body stands off its start by ``points`` (k, 3) mm;
    straight in between, and never turned."""

    shares: NDArray[np.float64]
    points: NDArray[np.float64]

    @classmethod
    def along(cls, knots: NDArray[np.float64]) -> "Slide":
        """The slide through displacements (k, 3) at an even pace; the start is not among them."""
        points = np.vstack([np.zeros(3), knots])
        gone = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])
        return cls(gone / (gone[-1] or 1.0), points)

    def offset(self, share: float) -> Vector:
        """Displacement (3,) from the start, exact at the knots."""
        return np.array([np.interp(share, self.shares, self.points[:, axis]) for axis in range(3)])

    def at(self, share: float) -> Pose:
        """Rigid displacement (4, 4) from the start."""
        return translation(self.offset(share))

    def length(self, share: float, point: Vector | None = None) -> float:
        """Way in mm that the body has gone by a share of the step; the same for each of its points."""
        spans = np.linalg.norm(np.diff(self.points, axis=0), axis=1)
        return float(np.interp(share, self.shares, np.concatenate([[0.0], np.cumsum(spans)])))

    @property
    def key(self) -> bytes:
        """Equal for equal travels."""
        return self.points.tobytes()

    @cached_property
    def end(self) -> Pose:
        """Rigid displacement (4, 4) at the end of the step; not to be altered."""
        return self.at(1.0)

    @cached_property
    def timed(self) -> tuple[TimedPose, ...]:
        """Poses at the knots, as the Score has them."""
        return tuple((s, tuple(p), STILL) for s, p in zip(self.shares.tolist(), self.points.tolist(), strict=True))

    @property
    def pivot(self) -> tuple[float, float, float]:
        """The point that the Score's poses turn about; any will do."""
        return (0.0, 0.0, 0.0)


@dataclass(frozen=True, eq=False)
class Screw:
    """A turn by ``angle`` degrees about the line through ``origin`` (3,) along the unit vector
    ``direction`` (3,), with ``advance`` mm along it for each whole turn."""

    origin: NDArray[np.float64]
    direction: NDArray[np.float64]
    angle: float
    advance: float

    @classmethod
    def about(cls, origin: Vector3, direction: Vector3, angle: float, advance: float) -> "Screw":
        """A turn about a line given by plain numbers; ValueError when the direction is zero or not finite."""
        return cls(np.array(origin, float), unit(np.array(direction, float)), float(angle), float(advance))

    @property
    def shares(self) -> NDArray[np.float64]:
        """Shares of the step at which the motion changes its law: the ends only."""
        return np.array([0.0, 1.0])

    def at(self, share: float) -> Pose:
        """Rigid displacement (4, 4) from the start."""
        return screw_pose(self.origin, self.direction, self.angle * share, self.advance)

    def length(self, share: float, point: Vector | None = None) -> float:
        """Way in mm that a point (3,) of the body, given where it then stands, has gone by a share of the step."""
        arm = (self.origin if point is None else np.asarray(point)) - self.origin
        radius = np.linalg.norm(arm - (arm @ self.direction) * self.direction)
        return float(np.hypot(radius * np.radians(self.angle), self.advance * self.angle / 360) * share)

    @property
    def key(self) -> bytes:
        """Equal for equal turns."""
        return np.array([*self.origin, *self.direction, self.angle, self.advance]).tobytes()

    @cached_property
    def end(self) -> Pose:
        """Rigid displacement (4, 4) at the end of the step; not to be altered."""
        return self.at(1.0)

    @cached_property
    def timed(self) -> tuple[TimedPose, ...]:
        """Poses about the pivot, near enough to one another that turning evenly between two is exact."""
        spans = max(1, int(np.ceil(abs(self.angle) / QUARTER)))
        poses = []
        for share in np.linspace(0, 1, spans + 1).tolist():
            half = np.radians(self.angle * share) / 2
            ahead = self.direction * (self.advance * self.angle / 360 * share)
            turned = (*(self.direction * np.sin(half)).tolist(), float(np.cos(half))) if share else STILL
            poses.append((share, tuple(ahead.tolist()), turned))
        return tuple(poses)

    @property
    def pivot(self) -> tuple[float, float, float]:
        """The point that the Score's poses turn about."""
        return tuple(self.origin.tolist())


Travel = Slide | Screw


def screw_of(displacement: Pose) -> Screw | None:
    """The turn by less than half round that brings about a rigid displacement (4, 4); None when it does not turn.

    Every rigid displacement is a screw motion (M. Chasles 1830, from memory).
    """
    vector = Rotation.from_matrix(displacement[:3, :3]).as_rotvec()
    angle = float(np.linalg.norm(vector))
    if angle < 1e-9:
        return None
    along = vector / angle
    ahead = float(along @ displacement[:3, 3])
    across = displacement[:3, 3] - ahead * along
    origin = (across + np.cross(along, across) / np.tan(angle / 2)) / 2
    return Screw(origin, along, float(np.degrees(angle)), ahead * 2 * np.pi / angle)


def screw_pose(origin: Vector, direction: Vector, angle: float, advance: float) -> Pose:
    """The pose (4, 4) after a turn by ``angle`` degrees about a line, with ``advance`` mm along it for each turn.

    >>> pose = screw_pose(np.array([1.0, 0, 0]), np.array([0, 0, 1.0]), 90, 4)
    >>> (pose @ [2.0, 0, 0, 1]).round(9).tolist()
    [1.0, 1.0, 1.0, 1.0]
    """
    along = unit(direction)
    pose = np.eye(4)
    pose[:3, :3] = Rotation.from_rotvec(along * np.radians(angle)).as_matrix()
    pose[:3, 3] = origin - pose[:3, :3] @ origin + along * (advance * angle / 360)
    return pose
