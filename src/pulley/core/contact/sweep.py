"""First contact of one component with another along a straight travel."""

import math
from dataclasses import dataclass
from functools import lru_cache
from threading import Lock

import numpy as np
from cachetools import LRUCache, cached
from numpy.typing import NDArray

from pulley.core.contact.kernels import NEVER, bounds_of, grid_of, height_at, least_gap, slope_of
from pulley.core.geometry.frames import Pose, Vector, unit, view_frame
from pulley.core.geometry.mesh import Mesh

TOLERANCE = 0.1  # mm
SLIDING = math.sin(math.radians(0.3))  # facets nearer than this to parallel with the travel only slide
GRAZING = 10  # a contact head on that a mover thinner by the tolerance would meet 10 tolerances later only grazes
CELLS = 128  # of a grid over the projection, along each side, at most
KEPT = 400 * 2**20  # bytes of facets that are kept ready


@dataclass(frozen=True)
class Contact:
    """Travel in mm until two bodies meet (infinite: never), and the point (3,) where they do."""

    travel: float
    point: tuple[float, float, float] | None = None


APART = Contact(NEVER)


def first_contact(
    mover: Mesh, mover_pose: Pose, rest: Mesh, rest_pose: Pose, direction: Vector, tolerance: float = TOLERANCE
) -> Contact:
    """How far ``mover`` travels along ``direction`` before it runs into ``rest``.

    Parameters
    ----------
    mover, rest : Mesh
    mover_pose, rest_pose : (4, 4) float64
        Rigid poses in the assembly's frame, in mm.
    direction : (3,) float64
        Any length but zero.
    tolerance : float
        Touching within this is contact at 0 when the faces meet head on, and none when they slide.
        Overlaps deeper than this are already passed, not ahead.

    Returns
    -------
    Contact
        Exact up to the tessellation. A contact that only grazes (it would vanish if the mover were
        thinner by the tolerance, as when a pin meets a bore of its own diameter, both tessellated)
        does not count.

    Raises
    ------
    ValueError
        When the direction is zero or not finite.

    Examples
    --------
    >>> from pulley.core.geometry.mesh import box_mesh
    >>> block = box_mesh((0, 0, 0), (10, 10, 10))
    >>> lifted = np.eye(4); lifted[2, 3] = 25.0
    >>> first_contact(block, np.eye(4), block, lifted, np.array([0, 0, 1.0])).travel
    15.0
    """
    along, back = unit(direction), mover_pose[:3, :3].T
    seen = np.empty((3, 5))  # the rest's pose and the direction, as the mover sees them
    seen[:, :3] = back @ rest_pose[:3, :3]
    seen[:, 3] = back @ (rest_pose[:3, 3] - mover_pose[:3, 3])
    seen[:, 4] = back @ along
    found = _contact(mover, rest, (seen.round(9) + 0.0).tobytes(), tolerance)
    if found.point is None:
        return found
    point = mover_pose[:3, :3] @ np.array(found.point) + mover_pose[:3, 3] + found.travel * along
    return Contact(found.travel, tuple(point.tolist()))


@lru_cache(maxsize=200_000)
def _contact(mover: Mesh, rest: Mesh, seen: bytes, tolerance: float) -> Contact:
    """`first_contact` in the mover's own frame, kept, since instances repeat."""
    relative = np.frombuffer(seen).reshape(3, 5)
    frame = _frame(relative[:, 4].tobytes())
    shift = frame @ relative[:, 3]
    ahead = _facing(mover, frame.tobytes(), 1.0, 0.0)
    behind = _facing(rest, (frame @ relative[:, :3]).tobytes(), -1.0, 0.0)
    gap, u, v, i, j = gap_between(ahead, behind, shift, tolerance, 0.0)
    if gap == NEVER:
        return APART
    thinner = _facing(mover, frame.tobytes(), 1.0, tolerance)
    soon = max(gap, 0.0) + tolerance * patience(ahead.facets[i], behind.facets[j])
    met = ahead
    late = gap_between(thinner, behind, shift, tolerance, soon)
    if late[0] > soon:
        met, (gap, u, v, i, _) = thinner, late
    if gap == NEVER:
        return APART
    height = height_at(met.facets[i], u, v)
    return Contact(max(gap, 0.0), tuple((np.array([u, v, height]) @ frame).tolist()))


@lru_cache(maxsize=4096)
def _frame(direction: bytes) -> NDArray[np.float64]:
    return view_frame(np.frombuffer(direction))


@dataclass(frozen=True, eq=False)
class Facing:
    """Facets (k, 3, 3) in a view frame in order of falling w, their bounds, and their grid: ready to be met."""

    facets: NDArray[np.float64]
    boxes: NDArray[np.float64]
    starts: NDArray[np.int32]
    listed: NDArray[np.int32]
    frame: NDArray[np.float64]
    limits: NDArray[np.float64]

    @classmethod
    def of(cls, facets: NDArray[np.float64]) -> "Facing":
        """Facets (k, 3, 3), none of them edge-on, made ready."""
        boxes = bounds_of(facets)
        order = np.argsort(-boxes[:, 5], kind="stable")
        facets, boxes = np.ascontiguousarray(facets[order]), boxes[order]
        if not len(facets):
            return cls(facets, boxes, np.zeros(2, np.int32), np.zeros(0, np.int32), np.ones(4), np.zeros(6))
        cells = min(max(int(np.sqrt(len(facets))), 1), CELLS)
        limits = np.concatenate([boxes[:, :3].min(0), boxes[:, 3:].max(0)])
        return cls(facets, boxes, *grid_of(boxes, cells), limits)

    @property
    def size(self) -> int:
        """Bytes that it takes to keep."""
        return 256 + self.facets.nbytes + self.boxes.nbytes + self.starts.nbytes + self.listed.nbytes


def gap_between(
    ahead: Facing, behind: Facing, shift: Vector, slack: NDArray[np.float64] | float, enough: float
) -> tuple[float, float, float, int, int]:
    """`least_gap` between facets made ready; ``shift`` (3,) says how far the rest stands from where its facets say."""
    if not len(ahead.facets) or not len(behind.facets):
        return NEVER, 0.0, 0.0, -1, -1
    slack = slack if isinstance(slack, np.ndarray) else np.full(len(ahead.facets), slack)
    rest = (behind.facets, behind.boxes, behind.starts, behind.listed, behind.frame, behind.limits)
    return least_gap(ahead.facets, ahead.boxes, slack, *rest, shift, enough)


def patience(ahead: NDArray[np.float64], behind: NDArray[np.float64], scale: float = 1.0) -> float:
    """How many tolerances later than two facets (3, 3) a mover thinner by one must meet, if theirs is a contact.

    A wedge gets a tolerance deep only after a tolerance over the sine of its slope. ``scale`` is mm
    for each unit of the last coordinate.
    """
    return max(GRAZING, 1.5 / max(min(slope_of(ahead, scale), slope_of(behind, scale)), SLIDING))


@cached(LRUCache(KEPT, lambda facing: facing.size), lock=Lock())
def _facing(mesh: Mesh, turn: bytes, facing: float, inset: float) -> Facing:
    """Triangles of ``mesh`` turned into the view frame that face along (1) or against (-1) the travel.

    A mesh that is not closed has no outside, so both its faces count. ``inset`` moves each corner
    inward, across the travel only, by that much along its own normal.
    """
    frame = np.frombuffer(turn).reshape(3, 3)
    corners = mesh.corners @ frame.T
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    slope = normal[:, 2] / np.maximum(np.linalg.norm(normal, axis=1), 1e-300)
    if inset:
        corners[..., :2] += inset * (mesh.inset @ frame.T)[..., :2]
        shrunk = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])[:, 2]
        slope = np.where(shrunk * normal[:, 2] > 1e-12, slope, 0.0)
    keep = np.abs(slope) > SLIDING if not mesh.closed else slope * facing > SLIDING
    return Facing.of(corners[keep])
