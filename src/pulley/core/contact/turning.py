"""First contact of one component with another in a turn, with or without advance.

In cylindrical coordinates about its axis a turn is a straight travel: with w the angle, v the height
less what the advance makes of that angle, and u the radius, a turning body keeps u and v and gains w.
So the method for straight travels applies as it is. Surfaces of revolution about the axis, and
helicoids whose pitch is the advance, lie along w: they slide, as a pin does in its bore and a thread
in its nut. What the coordinates bend is cut up until it is straight within two fifths of the tolerance, so a contact is
found to within the tolerance of surface travel; what lies nearer to the axis than that hardly moves
and is left out.
"""

from functools import lru_cache
from threading import Lock

import numpy as np
from cachetools import LRUCache, cached
from numpy.typing import NDArray

from pulley.core.contact.kernels import NEVER, height_at, straighten
from pulley.core.contact.sweep import APART, SLIDING, TOLERANCE, Contact, Facing, gap_between, patience
from pulley.core.geometry.frames import Pose, inverse, view_frame
from pulley.core.geometry.mesh import Mesh
from pulley.core.motion.travel import Turn

CHORD = 0.4  # of the tolerance, between a facet and its image that is straight in cylindrical coordinates
CORE = 1.0  # tolerances around the axis that are left out
WHOLE = 2 * np.pi
KEPT = 200 * 2**20  # bytes of facets that are kept ready

Facets = NDArray[np.float64]


def first_contact_turning(
    mover: Mesh, mover_pose: Pose, rest: Mesh, rest_pose: Pose, turn: Turn, tolerance: float = TOLERANCE
) -> Contact:
    """How far ``mover`` turns before it runs into ``rest``.

    Parameters
    ----------
    mover, rest : Mesh
    mover_pose, rest_pose : (4, 4) float64
        Rigid poses in the assembly's frame, in mm.
    turn : Turn
        Its angle says which way and at most how far.
    tolerance : float
        In mm of surface travel, as for straight travels: touching within it is contact at 0 when
        surfaces meet head on, and none when they slide.

    Returns
    -------
    Contact
        ``travel`` is in degrees, always positive; infinite when nothing is met within the turn.

    Examples
    --------
    A bar from the axis to 20 mm meets a block that begins 90 degrees on:

    >>> from pulley.core.geometry.mesh import box_mesh
    >>> from pulley.core.motion.travel import turn
    >>> bar, block = box_mesh((1, -1, 0), (20, 0, 5)), box_mesh((-5, 5, 0), (0, 15, 5))
    >>> round(first_contact_turning(bar, np.eye(4), block, np.eye(4), turn((0, 0, 0), (0, 0, 1), 180, 0)).travel, 1)
    90.0
    """
    frame = _axis_frame(turn)
    sides = [(np.round((frame @ pose)[:3], 7) + 0.0).tobytes() for pose in (mover_pose, rest_pose)]
    found = _contact(mover, rest, *sides, abs(turn.angle), turn.advance, tolerance)
    if found.point is None:
        return found
    back = inverse(frame)
    return Contact(found.travel, tuple((back[:3, :3] @ np.array(found.point) + back[:3, 3]).tolist()))


def _axis_frame(turn: Turn) -> Pose:
    """The pose (4, 4) that puts the axis on Z, so that the turn goes anticlockwise seen from above."""
    frame = np.eye(4)
    frame[:3, :3] = view_frame(turn.direction if turn.angle >= 0 else -turn.direction)
    frame[:3, 3] = -frame[:3, :3] @ turn.origin
    return frame


@lru_cache(maxsize=50_000)
def _contact(
    mover: Mesh, rest: Mesh, mover_side: bytes, rest_side: bytes, angle: float, advance: float, tolerance: float
) -> Contact:
    """`first_contact_turning` in the axis's own frame, kept, since the same turns come again."""
    low, high, radius = _reach(mover, mover_side)
    onward = advance * angle / 360
    window = (low + min(onward, 0.0) - tolerance, high + max(onward, 0.0) + tolerance, radius)
    ahead, thinner = _facing(mover, mover_side, advance, 1.0, tolerance, True, None)
    behind, _ = _facing(rest, rest_side, advance, -1.0, tolerance, False, window)
    limit = np.radians(angle)
    gap, u, v, i, j = _least(ahead, behind, advance, limit, 0.0, tolerance)
    if gap == NEVER:
        return APART
    pace = np.hypot(u, advance / WHOLE)
    soon = max(gap, 0.0) + tolerance / pace * patience(ahead.facets[i], behind.facets[j], pace)
    met = ahead
    late = _least(thinner, behind, advance, limit, soon, tolerance)
    if late[0] > soon:
        met, (gap, u, v, i, _) = thinner, late
    if gap > limit:
        return APART
    end = height_at(met.facets[i], u, v) + gap
    point = (u * np.cos(end), u * np.sin(end), v + advance * end / WHOLE)
    return Contact(float(np.degrees(max(gap, 0.0))), tuple(float(c) for c in point))


def _reach(mesh: Mesh, side: bytes) -> tuple[float, float, float]:
    """Least and greatest height, and greatest radius, of a mesh placed in the axis frame."""
    pose = np.frombuffer(side).reshape(3, 4)
    points = mesh.vertices @ pose[:, :3].T + pose[:, 3]
    return points[:, 2].min(), points[:, 2].max(), np.hypot(points[:, 0], points[:, 1]).max()


def _least(
    ahead: Facing, behind: Facing, advance: float, limit: float, enough: float, tolerance: float
) -> tuple[float, float, float, int, int]:
    """`gap_between` over as many rounds as the turn takes: each round finds the rest one turn on."""
    slack = tolerance / np.hypot(ahead.facets[:, :, 0].mean(1), advance / WHOLE)
    best = (NEVER, 0.0, 0.0, -1, -1)
    for turns in range(-1, int(np.ceil(limit / WHOLE)) + 2):
        if best[0] <= WHOLE * (turns - 1):
            break
        shift = np.array([0.0, -advance * turns, WHOLE * turns])
        best = min(best, gap_between(ahead, behind, shift, slack, enough))
    return best


@cached(LRUCache(KEPT, lambda pair: pair[0].size + pair[1].size), lock=Lock())
def _facing(
    mesh: Mesh,
    side: bytes,
    advance: float,
    facing: float,
    tolerance: float,
    thinner: bool,
    window: tuple[float, float, float] | None,
) -> tuple[Facing, Facing]:
    """Facets as (radius, height, angle) that face along (1) or against (-1) the turn, and the same thinner on request.

    ``window`` keeps what lies between two heights and within a radius. The thinner ones are moved
    inward by the tolerance across the travel.
    """
    pose = np.frombuffer(side).reshape(3, 4)
    corners = mesh.corners @ pose[:, :3].T + pose[:, 3]
    inward = mesh.inset @ pose[:, :3].T if thinner else np.zeros_like(corners)
    keep = _may_face(corners, advance, facing if mesh.closed else 0.0)
    corners, inward = corners[keep], inward[keep]
    if window:
        low, high, radius = window
        keep = (corners[..., 2].max(1) >= low) & (corners[..., 2].min(1) <= high) & (_nearest(corners) <= radius)
        corners, inward = corners[keep], inward[keep]
    corners, inward = straighten(corners, inward, advance / WHOLE, CHORD * tolerance, CORE * tolerance)
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    slope = _cosine(normal, _velocity(corners.mean(1), advance))
    keep = np.abs(slope) > SLIDING if not mesh.closed else slope * facing > SLIDING
    corners, inward = corners[keep], inward[keep]
    plain = _cylindrical(corners, advance)
    if not thinner:
        return Facing.of(_solid(plain)), Facing.of(plain[:0])
    along = _velocity(corners, advance)
    along /= np.maximum(np.linalg.norm(along, axis=-1, keepdims=True), 1e-300)
    across = inward - (inward * along).sum(-1, keepdims=True) * along
    thin = _cylindrical(corners + tolerance * across, advance, plain[..., 2])
    return Facing.of(_solid(plain)), Facing.of(_solid(thin[_area(thin) * _area(plain) > 0]))


def _solid(facets: Facets) -> Facets:
    """The facets that are not edge-on."""
    return np.ascontiguousarray(facets[np.abs(_area(facets)) > 1e-12])


def _area(facets: Facets) -> NDArray[np.float64]:
    """Twice the signed area (k,) of facets projected along their last coordinate."""
    p, q = facets[:, 1] - facets[:, 0], facets[:, 2] - facets[:, 0]
    return p[:, 0] * q[:, 1] - p[:, 1] * q[:, 0]


def _velocity(points: NDArray[np.float64], advance: float) -> NDArray[np.float64]:
    """Velocity (..., 3) of points in mm for each radian."""
    velocity = np.empty_like(points)
    velocity[..., 0], velocity[..., 1], velocity[..., 2] = -points[..., 1], points[..., 0], advance / WHOLE
    return velocity


def _cosine(a: NDArray[np.float64], b: NDArray[np.float64]) -> NDArray[np.float64]:
    norms = np.linalg.norm(a, axis=-1) * np.linalg.norm(b, axis=-1)
    return (a * b).sum(-1) / np.maximum(norms, 1e-300)


def _nearest(corners: Facets) -> NDArray[np.float64]:
    """A radius (k,) that no point of a facet is nearer to the axis than."""
    middle = corners.mean(1)
    spread = np.linalg.norm(corners - middle[:, None], axis=2).max(1)
    return np.hypot(middle[:, 0], middle[:, 1]) - spread


def _cylindrical(corners: Facets, advance: float, near: NDArray[np.float64] | None = None) -> Facets:
    """Corners as (radius, height less the advance, angle), each facet's angles in one piece.

    ``near`` gives angles (k, 3) that the angles are to lie within half a turn of.
    """
    x, y, z = np.moveaxis(corners, -1, 0)
    angle = np.arctan2(y, x)
    if near is None:
        far = np.hypot(x, y).argmax(1)
        near = np.take_along_axis(angle, far[:, None], 1)
    angle = near + (angle - near + np.pi) % WHOLE - np.pi
    return np.stack([np.hypot(x, y), z - advance * angle / WHOLE, angle], axis=-1)


def _may_face(corners: Facets, advance: float, facing: float) -> NDArray[np.bool_]:
    """Which facets (k,) have a point that faces the turn; 0 for either way.

    The normal times the velocity is linear over a facet, so its greatest value is at a corner.
    """
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    velocity = _velocity(corners, advance)
    speed = np.einsum("ij,ikj->ik", normal, velocity)
    least = 1e-6 * np.linalg.norm(normal, axis=1) * np.linalg.norm(velocity, axis=2).max(1)
    return (speed * facing).max(1) > least if facing else np.abs(speed).max(1) > least
