"""Components that leave by bending: circlips, piston rings, O-rings, seals.

A ring that moves along its axis opens by what it gives to get off what it lies round, and closes to get out of what
lies round it: whatever of the other part lies within its inside then, or beyond its outside, is no contact. In any
other motion it gives as all else does, by being thinned.
"""

import re
from bisect import bisect_left
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from pulley.core.assembly import Assembly, Leaf, leaf_bounds
from pulley.core.contact.start import TOLERANCE
from pulley.core.contact.sweep import first_contact
from pulley.core.geometry.frames import Pose, Vector, apply, inverse
from pulley.core.geometry.mesh import Mesh
from pulley.core.geometry.symmetry import Line, cylindrical, symmetry_axis

NAMES = re.compile(
    r"\b(circlips?|(retaining|snap|piston|lock(ing)?|scraper|guide|oil) ?rings?|o[ -]?rings?|seals?|gaskets?)\b", re.I
)
SLOT = (2.0, 150.0)  # degrees of a ring that are open
THIN = 0.55  # least inner radius of a ring, of its outer one
FLAT = 0.6  # most height of a ring, of its outer radius
MOST = 0.35  # of its outer radius that a ring may be thought to give
ROUND = 0.02  # of its thickness by which a torus's section may be off a circle
ALONG = np.cos(np.radians(1.0))  # motions nearer than this to a ring's axis are along it
RIM = 0.97  # of a ring's greatest radius: what counts as its outside
STEP = 0.1  # mm that what a component gives by is rounded up to


@dataclass(frozen=True)
class Give:
    """A leaf that may be meant to bend, by how much in mm, and what says so."""

    component: str
    by: float
    why: str


def opened(ring: Mesh, ring_pose: Pose, other: Mesh, other_pose: Pose, by: float, along: Vector) -> Mesh | None:
    """What of another part still counts when a ring that gives moves along its own axis; None for any other motion."""
    axis = ring_axis(ring)
    if axis is None or abs(float(ring_pose[:3, :3] @ axis.direction @ along)) < ALONG:
        return None
    relative = (inverse(ring_pose) @ other_pose).round(9) + 0.0
    return _opened(ring, other, relative.tobytes(), by)


@lru_cache(maxsize=1024)
def _opened(ring: Mesh, other: Mesh, relative: bytes, by: float) -> Mesh:
    axis = ring_axis(ring)
    assert axis  # `opened` has looked
    inner, outer = _radii(ring, axis)
    radius, angle, height = cylindrical(apply(np.frombuffer(relative).reshape(4, 4), other.vertices), axis).T
    flat = np.stack([radius * np.cos(angle), radius * np.sin(angle)], axis=1)
    near, far, levels = nearest_to_axis(flat[other.triangles]), radius[other.triangles].max(1), height[other.triangles]
    own = cylindrical(ring.vertices, axis)[:, 2]
    beside = (levels.min(1) <= (own.min() + own.max()) / 2) & (levels.max(1) >= (own.min() + own.max()) / 2)
    about, inside = (near[beside] >= outer - TOLERANCE).any(), (far[beside] <= inner + TOLERANCE).any()
    passed = np.zeros(len(far), bool)
    if inside or not about:  # it opens, to get off what it lies round
        passed |= far <= inner + by + TOLERANCE
    if about or not inside:  # it closes, to get out of what lies round it
        passed |= near >= outer - by - TOLERANCE
    return replace(
        other, bare=np.asarray(~passed if other.bare is None else other.bare & ~passed), thickness=other.walls
    )


def nearest_to_axis(triangles: NDArray[np.float64]) -> NDArray[np.float64]:
    """How near triangles (k, 3, 2), seen along an axis through the origin, come to it (k,); 0 for those about it.

    >>> aside, about = [[2.0, -5.0], [2.0, 5.0], [9.0, 0.0]], [[-1.0, -1.0], [1.0, -1.0], [0.0, 2.0]]
    >>> nearest_to_axis(np.array([aside, about])).tolist()
    [2.0, 0.0]
    """
    sides = np.roll(triangles, -1, axis=1) - triangles
    length = np.maximum((sides**2).sum(2), 1e-12)
    along = np.clip(-(triangles * sides).sum(2) / length, 0.0, 1.0)
    near = np.linalg.norm(triangles + along[..., None] * sides, axis=2).min(1)
    turn = sides[..., 0] * triangles[..., 1] - sides[..., 1] * triangles[..., 0]
    return np.where((turn > 0).all(1) | (turn < 0).all(1), 0.0, near)


@lru_cache(maxsize=1024)
def ring_axis(mesh: Mesh) -> Line | None:
    """The axis of a flat or round ring, whole or slotted; None for anything else."""
    axis = symmetry_axis(mesh) or _fitted_axis(mesh)
    if axis is None or not len(mesh.vertices):
        return None
    radius, _, height = cylindrical(mesh.vertices, axis).T
    if radius.min() < THIN * radius.max() or np.ptp(height) > FLAT * radius.max():
        return None
    return axis


def _fitted_axis(mesh: Mesh) -> Line | None:
    """The axis of a slotted ring without round faces: across its plane, through the circle fitted to it."""
    if not mesh.closed:
        return None
    middle = mesh.vertices.mean(0)
    _, spread, axes = np.linalg.svd(mesh.vertices - middle, full_matrices=False)
    if spread[2] > 0.5 * spread[1]:
        return None
    flat = (mesh.vertices - middle) @ axes[:2].T
    centre = _circle(flat)
    far = np.linalg.norm(flat - centre, axis=1)
    centre = _circle(flat[far > RIM * far.max()])  # by its outside alone, since points need not lie evenly
    return Line(middle + centre @ axes[:2], axes[2])


def _circle(points: NDArray[np.float64]) -> NDArray[np.float64]:
    """The middle (2,) of the circle that points (n, 2) lie on, by least squares."""
    known = np.column_stack([2 * points, np.ones(len(points))])
    return np.linalg.lstsq(known, (points**2).sum(1), rcond=None)[0][:2]


def _radii(mesh: Mesh, axis: Line) -> tuple[float, float]:
    radius = cylindrical(mesh.vertices, axis)[:, 0]
    return float(radius.min()), float(radius.max())


def find_gives(assembly: Assembly) -> tuple[Give, ...]:
    """Leaves that look like rings which bend, with the least that lets them leave along their axis, in tree order."""
    return tuple(give for leaf in assembly.leaves if (give := find_give(assembly, leaf.path)))


@lru_cache(maxsize=4096)
def find_give(assembly: Assembly, path: str) -> Give | None:
    """What a leaf may be meant to give, and what says so; None where nothing does.

    By shape: a slotted ring, or a torus; by name otherwise. Only where something else holds it along its axis both
    ways, and giving helps.

    Returns
    -------
    Give or None
        The leaf, by how many mm it gives, and why that is thought.
    """
    leaf = assembly.leaf(path)
    why = _why(leaf)
    if why is None:
        return None
    mine = leaf_bounds(leaf)
    near = []
    for other in assembly.leaves:
        low, high = leaf_bounds(other)
        if other is not leaf and (low <= mine[1] + TOLERANCE).all() and (high >= mine[0] - TOLERANCE).all():
            near.append(other)
    by = _needed(leaf, near)
    return Give(path, by, why) if by else None


def _why(leaf: Leaf) -> str | None:
    axis = ring_axis(leaf.part.mesh)
    if axis is None:
        return None
    if SLOT[0] <= _open_angle(leaf.part.mesh, axis) <= SLOT[1]:
        return "a slotted ring"
    if _is_torus(leaf.part.mesh, axis):
        return "a torus"
    return "its name" if NAMES.search(f"{leaf.name} {leaf.part.name}".replace("_", " ")) else None


def _open_angle(mesh: Mesh, axis: Line) -> float:
    """The widest angle in degrees without any of a ring's material."""
    middles = np.concatenate(
        [mesh.vertices, mesh.corners.mean(1), (mesh.corners + np.roll(mesh.corners, 1, 1)).reshape(-1, 3) / 2]
    )
    angles = np.sort(cylindrical(middles, axis)[:, 1])
    gaps = np.diff(np.concatenate([angles, angles[:1] + 2 * np.pi]))
    finest = np.median(gaps[gaps > 1e-6]) if (gaps > 1e-6).any() else 0.0
    return float(np.degrees(gaps.max() - 2 * finest))


def _is_torus(mesh: Mesh, axis: Line) -> bool:
    radius, _, height = cylindrical(mesh.vertices, axis).T
    middle, centre = (radius.min() + radius.max()) / 2, (height.min() + height.max()) / 2
    thick = np.ptp(radius) / 2
    return bool(np.abs(np.hypot(radius - middle, height - centre) - thick).max() < max(ROUND * thick, 0.02))


def _needed(ring: Leaf, others: list[Leaf]) -> float:
    """The least in mm that a ring must give to leave along its axis one way; 0 when it needs none or none helps."""
    axis = ring_axis(ring.part.mesh)
    if axis is None:
        return 0.0
    along = ring.pose[:3, :3] @ axis.direction
    held = [other for other in others if _held(ring, other, along, 0.0) and _held(ring, other, -along, 0.0)]
    if not held or not all(any(_held(ring, other, way, 0.0) for other in others) for way in (along, -along)):
        return 0.0

    def free(by: float) -> bool:
        """Whether it leaves one way or the other; what gives more passes all that one does that gives less."""
        return any(not any(_held(ring, other, way, by) for other in held) for way in (along, -along))

    steps = sorted(_steps(ring, held, axis))
    return next(iter(steps[bisect_left(steps, True, key=free) :]), 0.0)


def _steps(ring: Leaf, others: list[Leaf], axis: Line) -> set[float]:
    """What it takes in mm, rounded up, to get over each radius of other parts that lies near a ring's inside or out."""
    inner, outer = _radii(ring.part.mesh, axis)
    found: set[float] = set()
    for other in others:
        points: NDArray[np.float64] = apply(inverse(ring.pose) @ other.pose, other.part.mesh.vertices)
        radii = np.unique(cylindrical(points, axis)[:, 0].round(2))
        for needed in (*(radii - inner), *(outer - radii)):
            if TOLERANCE < needed <= MOST * outer:
                found.add(round(float(np.ceil((needed - 0.02) / STEP) * STEP), 6))
    return found


def _held(ring: Leaf, other: Leaf, along: Vector, by: float) -> bool:
    mesh = other.part.mesh
    if by:
        mesh = opened(ring.part.mesh, ring.pose, mesh, other.pose, by, along) or mesh
    return first_contact(ring.part.mesh, ring.pose, mesh, other.pose, along).point is not None
