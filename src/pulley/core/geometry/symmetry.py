"""Axes of symmetry, and threads: what a part's shape says about how it goes in."""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from pulley.core.geometry.features import main_axis
from pulley.core.geometry.frames import Vector, view_frame
from pulley.core.geometry.mesh import Mesh

ROUND = 1e-3  # how nearly equal two moments of inertia are, of a part that looks the same about an axis
CRESTS = 0.2  # of a surface's depth: what counts as its crest
SECTOR = 0.2  # radians; the piece of a thread in which one pitch is told from the next
TOGETHER = 0.6  # mean of phases, above which they stay together: a crest up to half a pitch wide gives 0.64


@dataclass(frozen=True)
class Line:
    """An axis: a point (3,) on it and its unit direction (3,)."""

    origin: NDArray[np.float64]
    direction: NDArray[np.float64]


@dataclass(frozen=True)
class Thread:
    """A helix: pitch in mm, 1 for a right and -1 for a left hand, and the radii of root and crest in mm."""

    pitch: float
    hand: int
    root: float
    crest: float


def symmetry_axis(mesh: Mesh) -> Line | None:
    """The axis that a part goes in along: its greatest round face's, else that of two equal moments of inertia."""
    face = main_axis(mesh.cylinders)
    if face:
        return Line(np.array(face.origin), np.array(face.direction) / np.linalg.norm(face.direction))
    return inertia_axis(mesh)


@lru_cache(maxsize=1024)
def inertia_axis(mesh: Mesh) -> Line | None:
    """The axis through the centre of mass about which a solid is balanced as a round or regular one is.

    Two of its principal moments are equal there, the third is not. None for any other solid.

    Returns
    -------
    Line or None
        A point of it in mm, and its unit direction (3,).

    Examples
    --------
    >>> from pulley.core.geometry.mesh import box_mesh
    >>> np.abs(inertia_axis(box_mesh((0, 0, 0), (1, 1, 3))).direction).round(6).tolist()
    [0.0, 0.0, 1.0]
    >>> inertia_axis(box_mesh((0, 0, 0), (1, 2, 3))) is None
    True
    """
    if not mesh.closed:
        return None
    centre, moments, axes = _principal(mesh)
    gaps = np.diff(moments) / max(moments[-1], 1e-300)
    if min(gaps) > ROUND or max(gaps) <= ROUND:
        return None
    return Line(centre, axes[:, 2] if gaps[0] <= ROUND else axes[:, 0])


def principal_axes(mesh: Mesh) -> tuple[Line, ...]:
    """The three axes through the centre of mass about which a solid spins without a wobble; none of what is open.

    Examples
    --------
    >>> from pulley.core.geometry.mesh import box_mesh
    >>> [np.abs(line.direction).round(6).tolist() for line in principal_axes(box_mesh((0, 0, 0), (1, 2, 3)))]
    [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]]
    """
    if not mesh.closed:
        return ()
    centre, _, axes = _principal(mesh)
    return tuple(Line(centre, axis) for axis in axes.T)


def _principal(mesh: Mesh) -> tuple[Vector, Vector, NDArray[np.float64]]:
    """The centre of mass (3,), and the second moments (3,) along the principal axes, the columns of (3, 3)."""
    a, b, c = np.moveaxis(mesh.corners, 1, 0)
    volume = np.einsum("ij,ij->i", a, np.cross(b, c)) / 6
    centre = (volume[:, None] * (a + b + c)).sum(0) / 4 / volume.sum()
    p, q, r = a - centre, b - centre, c - centre
    weight = np.einsum("ij,ij->i", p, np.cross(q, r)) / 120
    total = p + q + r
    second = sum(np.einsum("i,ij,ik->jk", weight, v, v) for v in (p, q, r, total))
    return centre, *np.linalg.eigh(second)


def cylindrical(points: NDArray[np.float64], axis: Line) -> NDArray[np.float64]:
    """Points (n, 3) as radius, angle and height (n, 3) about an axis.

    Examples
    --------
    >>> upright = Line(np.zeros(3), np.array([0.0, 0.0, 1.0]))
    >>> cylindrical(np.array([[3.0, 4.0, 7.0]]), upright)[0, [0, 2]].tolist()
    [5.0, 7.0]
    """
    x, y, z = (view_frame(axis.direction) @ (points - axis.origin).T).reshape(3, -1)
    return np.stack([np.hypot(x, y), np.arctan2(y, x), z], axis=-1)


def find_thread(points: NDArray[np.float64], outward: bool) -> Thread | None:
    """The helix whose crest runs through points (n, 3) given as radius, angle and height; None when none does.

    ``outward`` for the outside of a screw, whose crest is its greatest radius; else for a nut's hole.
    In a narrow sector the crest comes again after each pitch; all round, its height less the hand's
    share of the pitch stays the same.

    Parameters
    ----------
    points : (n, 3) float64
        Radius in mm, angle in radians and height in mm, as `cylindrical` gives them.
    outward : bool

    Returns
    -------
    Thread or None
        Its hand, and its pitch in mm.
    """
    radius = points[:, 0]
    low, high = radius.min(), radius.max()
    if high - low < 1e-3:
        return None
    margin = CRESTS * (high - low)
    crest = points[radius >= high - margin] if outward else points[radius <= low + margin]
    pitch = _spacing(crest)
    if pitch is None:
        return None
    for hand in (1, -1):
        phase = np.exp(2j * np.pi * (crest[:, 2] / pitch - hand * crest[:, 1] / (2 * np.pi)))
        if abs(phase.mean()) > TOGETHER:
            return Thread(pitch, hand, *((low, high) if outward else (high, low)))
    return None


def _spacing(crest: NDArray[np.float64]) -> float | None:
    """The height in mm after which a crest comes again in a narrow sector; None when it does not evenly."""
    angle = crest[np.argmin(np.abs(crest[:, 1])), 1]
    heights = np.sort(crest[np.abs(crest[:, 1] - angle) < SECTOR / 2, 2])
    if len(heights) < 3:
        return None
    gaps = np.diff(heights)
    starts = np.concatenate([[0], np.flatnonzero(gaps > gaps.max() / 2) + 1])
    middles = np.array([part.mean() for part in np.split(heights, starts[1:])])
    if len(middles) < 3:
        return None
    spacing = np.diff(middles[1:-1]) if len(middles) > 3 else np.diff(middles)
    return float(np.median(spacing)) if np.ptp(spacing) < 0.2 * np.median(spacing) else None


def direction_between(line: Line, other: Line, within: float, angle: float = 0.5) -> Vector | None:
    """The direction (3,) of two axes that are one within mm and degrees; None when they are two.

    Parameters
    ----------
    line, other : Line
    within : float
        In mm, how far apart they may lie.
    angle : float
        In degrees, how far askew they may be.

    Examples
    --------
    >>> upright = Line(np.zeros(3), np.array([0.0, 0.0, 1.0]))
    >>> beside = Line(np.array([0.01, 0.0, 5.0]), np.array([0.0, 0.0, -1.0]))
    >>> direction_between(upright, beside, within=0.1) is None
    False
    >>> direction_between(upright, beside, within=0.001) is None
    True
    """
    if abs(line.direction @ other.direction) < np.cos(np.radians(angle)):
        return None
    apart = other.origin - line.origin
    if np.linalg.norm(apart - (apart @ line.direction) * line.direction) > within:
        return None
    return line.direction
