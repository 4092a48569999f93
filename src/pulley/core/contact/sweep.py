"""First contact of one component with another along a straight travel.

Both bodies are thinned (`contact.thinning`) by what they may penetrate (`contact.start`); what then meets
is a contact, and it begins where the true surfaces meet that lead to it.
"""

from dataclasses import dataclass
from functools import cached_property, lru_cache
from threading import Lock

import numpy as np
from cachetools import LRUCache, cached
from numpy.typing import NDArray

from pulley.core.contact.growth import grows
from pulley.core.contact.kernels import (
    EDGE_ON,
    NEVER,
    ROUND_OFF,
    bounds_of,
    grid_of,
    height_at,
    least_gap,
    upward,
    where_it_begins,
)
from pulley.core.contact.start import TOLERANCE, Allowed, allowed, placed_within
from pulley.core.contact.thinning import skin
from pulley.core.geometry.frames import Pose, Vector, unit, view_frame
from pulley.core.geometry.mesh import Mesh

CELLS = 128  # of a grid over the projection, along each side, at most
REACH = 3.0  # times what two bodies are thinned by: how far off a contact what leads to it may lie
KEPT = 400 * 2**20  # bytes of facets that are kept ready


@dataclass(frozen=True)
class Contact:
    """Travel in mm until two bodies meet (infinite: never), the point (3,) where they do, and the travel at which
    they have come to penetrate each other by more than they may."""

    travel: float
    point: tuple[float, float, float] | None = None
    deep: float = NEVER


APART = Contact(NEVER)


def first_contact(
    mover: Mesh,
    mover_pose: Pose,
    rest: Mesh,
    rest_pose: Pose,
    direction: Vector,
    tolerance: float = TOLERANCE,
    may: Allowed | None = None,
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
        In mm: how much deeper than at the start the two may penetrate. Less where walls are thin.
    may : Allowed, optional
        What the two may penetrate, where the motion did not start here.

    Returns
    -------
    Contact
        Exact up to the tessellation. What touches, opens, stays as it is, or slides without getting deeper by more
        than the tolerance is no contact.

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
    along = unit(direction)
    seen = np.empty((3, 5))  # the rest's pose and the direction, as the mover sees them
    seen[:, :4] = placed_within(mover_pose, rest_pose)
    seen[:, 4] = (mover_pose[:3, :3].T @ along).round(9) + 0.0
    may = may or allowed(mover, rest, seen[:, :4].tobytes(), tolerance)
    found = _contact(mover, rest, seen.tobytes(), may)
    if found.point is None:
        return found
    point = mover_pose[:3, :3] @ np.array(found.point) + mover_pose[:3, 3] + found.travel * along
    return Contact(found.travel, tuple(point.tolist()), found.deep)


@lru_cache(maxsize=200_000)
def _contact(mover: Mesh, rest: Mesh, seen: bytes, may: Allowed) -> Contact:
    """`first_contact` in the mover's own frame, kept, since instances repeat."""
    relative = np.frombuffer(seen).reshape(3, 5)
    if may.sunk:
        return _grown(mover, rest, relative, may.tolerance)
    frame = view_frame(relative[:, 4])
    shift = frame @ relative[:, 3]
    ahead = facing_along(mover, frame.tobytes(), 1.0, may.mover)
    behind = facing_along(rest, (frame @ relative[:, :3]).tobytes(), -1.0, may.rest)
    found = thin_gap(ahead, behind, shift)
    if found[0] == NEVER:
        return APART
    gap, *met = begins(ahead, behind, shift, found, may)
    return Contact(gap, tuple((np.array(met) @ frame).tolist()), max(found[0], 0.0))


def _grown(mover: Mesh, rest: Mesh, relative: NDArray[np.float64], tolerance: float) -> Contact:
    """`_contact` of a pair that can only be judged by the growth of what it shares: until it shares nothing, from where
    on it is like any other."""

    def onward(travel: float) -> NDArray[np.float64]:
        """The rest's pose and the direction, as the mover sees them from there."""
        seen = relative.copy()
        seen[:, 3] = (seen[:, 3] - travel * seen[:, 4]).round(9) + 0.0
        return seen

    def may(travel: float) -> Allowed:
        return allowed(mover, rest, np.ascontiguousarray(onward(travel)[:, :4]).tobytes(), tolerance)

    travel, point = grows(mover, rest, relative[:, :4], relative[:, 4], tolerance, lambda travel: not may(travel).sunk)
    if point is not None or travel == NEVER:
        return Contact(travel, point, travel)
    found = _contact(mover, rest, onward(travel).tobytes(), may(travel))
    return Contact(travel + found.travel, found.point, travel + found.deep)


@dataclass(frozen=True, eq=False)
class Facing:
    """Facets (k, 3, 3) of a thinned body in a view frame in order of falling w, ready to be met.

    ``true`` are the same facets before the thinning; ``slack`` (k + 10,) says for each what lies behind, and then has
    the grid's frame (4,) and the bounds (6,) of all.
    """

    facets: NDArray[np.float64]
    true: NDArray[np.float64]
    slack: NDArray[np.float64]
    boxes: NDArray[np.float64]
    starts: NDArray[np.int32]
    listed: NDArray[np.int32]
    lowest: NDArray[np.float64]

    @classmethod
    def of(cls, facets: NDArray[np.float64], true: NDArray[np.float64], slack: NDArray[np.float64]) -> "Facing":
        """Facets (k, 3, 3), none of them edge-on, made ready."""
        boxes = bounds_of(facets)
        order = np.argsort(-boxes[:, 5], kind="stable")
        facets, true, slack, boxes = (np.ascontiguousarray(each[order]) for each in (facets, true, slack, boxes))
        if not len(facets):
            return cls(facets, true, np.ones(10), boxes, np.zeros(2, np.int32), np.zeros(1, np.int32), np.zeros(1))
        cells = min(max(int(np.sqrt(len(facets))), 1), CELLS)
        starts, listed, lowest, frame = grid_of(boxes, cells)
        slack = np.concatenate([slack, frame, boxes[:, :3].min(0), boxes[:, 3:].max(0)])
        return cls(facets, true, slack, boxes, starts, listed, lowest)

    @cached_property
    def size(self) -> int:
        """Bytes that it takes to keep."""
        arrays = (self.facets, self.true, self.slack, self.boxes, self.starts, self.listed, self.lowest)
        return 512 + sum(array.nbytes for array in arrays)

    @cached_property
    def record(self) -> tuple[int, ...]:
        """Where the arrays lie in memory, for `first_of`."""
        arrays = (self.facets, self.true, self.slack, self.boxes, self.starts, self.listed, self.lowest)
        return len(self.facets), *(array.ctypes.data for array in arrays), len(self.starts) - 1


def thin_gap(ahead: Facing, behind: Facing, shift: Vector) -> tuple[float, float, float, int, int]:
    """`least_gap` between facets made ready; ``shift`` (3,) says how far the rest stands from where its facets say."""
    if not len(ahead.facets) or not len(behind.facets):
        return NEVER, 0.0, 0.0, -1, -1
    grid, mine = behind.slack[len(behind.facets) :], ahead.slack[len(ahead.facets) + 4 :]
    low, high = grid[4:7] + shift, grid[7:10] + shift
    if (mine[:2] >= high[:2]).any() or (mine[3:5] <= low[:2]).any():
        return NEVER, 0.0, 0.0, -1, -1
    rest = (behind.facets, behind.boxes, behind.starts, behind.listed, behind.lowest, grid[:4], grid[4:])
    return least_gap(ahead.facets, ahead.boxes, ahead.slack, *rest, shift)


def begins(
    ahead: Facing,
    behind: Facing,
    shift: Vector,
    found: tuple[float, float, float, int, int],
    may: Allowed,
    scale: float = 1.0,
) -> tuple[float, float, float, float]:
    """Gap along w at which the contact begins that `thin_gap` has found, and where (u, v, w) on the mover.

    ``may`` says what the two were thinned by; ``scale`` is mm for each unit of w.
    """
    gap, u, v, i, j = found
    met = np.array([u, v, height_at(ahead.facets[i], u, v)])
    facets = (ahead.true, ahead.facets, ahead.boxes, behind.true, behind.facets, behind.boxes)
    return where_it_begins(*facets, shift, met, (i, j), gap, REACH * (may.mover + may.rest), may.depth, scale)


@cached(LRUCache(KEPT, lambda facing: facing.size), lock=Lock())
def facing_along(mesh: Mesh, turn: bytes, facing: float, radius: float) -> Facing:
    """Facets of ``mesh`` thinned by ``radius``, turned into a view frame, that face along (1) or against (-1) w.

    Parameters
    ----------
    mesh : Mesh
    turn : bytes
        The rows u, v, w (3, 3) of the view frame, as bytes so that it can be remembered.
    facing : float
        1 or -1.
    radius : float
        In mm.
    """
    frame = np.frombuffer(turn).reshape(3, 3)
    bounds = skin(mesh)
    thin, left = bounds.thinned(radius)
    corners = thin @ frame.T
    slope = upward(corners)
    keep = np.where(bounds.both, np.abs(slope), slope * facing) > EDGE_ON
    keep &= left | bounds.both
    corners = np.ascontiguousarray(corners[keep])
    true = np.ascontiguousarray(bounds.true[keep] @ frame.T)
    return Facing.of(corners, true, np.full(len(corners), ROUND_OFF))
