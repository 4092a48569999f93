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

from pulley.core.contact.growth import grows
from pulley.core.contact.kernels import EDGE_ON, NEVER, straighten
from pulley.core.contact.start import TOLERANCE, Allowed, allowed, placed_within
from pulley.core.contact.sweep import APART, Contact, Facing, begins, thin_gap
from pulley.core.contact.thinning import skin
from pulley.core.geometry.frames import Pose, inverse, triple, view_frame
from pulley.core.geometry.mesh import Mesh
from pulley.core.motion.travel import Screw

CHORD = 0.15  # of the tolerance, between a facet and its image that is straight in cylindrical coordinates
CORE = 1.0  # tolerances around the axis that are left out
SLACK = 0.3  # of the tolerance by which facets that have met may seem to have passed, since each leg bends them anew
WHOLE = 2 * np.pi
KEPT = 200 * 2**20  # bytes of facets that are kept ready

Facets = NDArray[np.float64]


def first_contact_turning(
    mover: Mesh,
    mover_pose: Pose,
    rest: Mesh,
    rest_pose: Pose,
    turn: Screw,
    tolerance: float = TOLERANCE,
    may: Allowed | None = None,
) -> Contact:
    """How far ``mover`` turns before it runs into ``rest``.

    Parameters
    ----------
    mover, rest : Mesh
    mover_pose, rest_pose : (4, 4) float64
        Rigid poses in the assembly's frame, in mm.
    turn : Screw
        Its angle says which way and at most how far.
    tolerance : float
        In mm, as for straight travels: how much deeper than at the start the two may penetrate.
    may : Allowed, optional
        What the two may penetrate, where the motion did not start here.

    Returns
    -------
    Contact
        ``travel`` is in degrees, always positive; infinite when nothing is met within the turn.

    Examples
    --------
    A bar from the axis to 20 mm meets a block that begins 90 degrees on:

    >>> from pulley.core.geometry.mesh import box_mesh
    >>> from pulley.core.motion.travel import Screw
    >>> bar, block = box_mesh((1, -1, 0), (20, 0, 5)), box_mesh((-5, 5, 0), (0, 15, 5))
    >>> half = Screw.about((0, 0, 0), (0, 0, 1), 180, 0)
    >>> round(first_contact_turning(bar, np.eye(4), block, np.eye(4), half).travel, 1)
    90.0
    """
    may = may or allowed(mover, rest, placed_within(mover_pose, rest_pose).tobytes(), tolerance)
    frame = _axis_frame(turn)
    sides = [(np.round((frame @ pose)[:3], 7) + 0.0).tobytes() for pose in (mover_pose, rest_pose)]
    found = _contact(mover, rest, *sides, abs(turn.angle), turn.advance, may)
    if found.point is None:
        return found
    back = inverse(frame)
    return Contact(found.travel, tuple((back[:3, :3] @ np.array(found.point) + back[:3, 3]).tolist()), found.deep)


def _axis_frame(turn: Screw) -> Pose:
    """The pose (4, 4) that puts the axis on Z, so that the turn goes anticlockwise seen from above."""
    frame = np.eye(4)
    frame[:3, :3] = view_frame(turn.direction if turn.angle >= 0 else -turn.direction)
    frame[:3, 3] = -frame[:3, :3] @ turn.origin
    return frame


@lru_cache(maxsize=50_000)
def _contact(
    mover: Mesh, rest: Mesh, mover_side: bytes, rest_side: bytes, angle: float, advance: float, may: Allowed
) -> Contact:
    """`first_contact_turning` in the axis's own frame, kept, since the same turns come again."""
    if may.sunk:
        return _grown(mover, rest, mover_side, rest_side, angle, advance, may.tolerance)
    low, high, radius = _reach(mover, mover_side)
    onward = advance * angle / 360
    window = (low + min(onward, 0.0) - may.tolerance, high + max(onward, 0.0) + may.tolerance, radius)
    ahead = _facing(mover, mover_side, advance, 1.0, may.mover, may.tolerance, None)
    behind = _facing(rest, rest_side, advance, -1.0, may.rest, may.tolerance, window)
    limit = np.radians(angle)
    found, shift = _least(ahead, behind, advance, limit)
    if found[0] > limit:
        return APART
    pace = float(np.hypot(found[1], advance / WHOLE))
    gap, u, v, w = begins(ahead, behind, shift, found, may, pace)
    end = w + gap
    point = (u * np.cos(end), u * np.sin(end), v + advance * end / WHOLE)
    return Contact(float(np.degrees(gap)), triple(point), float(np.degrees(max(found[0], 0.0))))


def _grown(
    mover: Mesh, rest: Mesh, mover_side: bytes, rest_side: bytes, angle: float, advance: float, tolerance: float
) -> Contact:
    """`_contact` of a pair that can only be judged by the growth of what it shares."""
    mover_pose, rest_pose = np.eye(4), np.eye(4)
    mover_pose[:3], rest_pose[:3] = (np.frombuffer(side).reshape(3, 4) for side in (mover_side, rest_side))
    back = inverse(mover_pose)
    motion = Screw(back[:3, 3], back[:3, 2], angle, advance)
    travel, point = grows(mover, rest, (back @ rest_pose)[:3], motion, tolerance)
    if point is None:
        return APART
    return Contact(travel, tuple((mover_pose[:3, :3] @ np.array(point) + mover_pose[:3, 3]).tolist()), travel)


def _reach(mesh: Mesh, side: bytes) -> tuple[float, float, float]:
    """Least and greatest height, and greatest radius, of a mesh placed in the axis frame."""
    pose = np.frombuffer(side).reshape(3, 4)
    points = mesh.vertices @ pose[:, :3].T + pose[:, 3]
    return points[:, 2].min(), points[:, 2].max(), np.hypot(points[:, 0], points[:, 1]).max()


def _least(
    ahead: Facing, behind: Facing, advance: float, limit: float
) -> tuple[tuple[float, float, float, int, int], NDArray[np.float64]]:
    """`thin_gap` over as many rounds as the turn takes, and the shift of the round: each finds the rest one turn on."""
    best, where = (NEVER, 0.0, 0.0, -1, -1), np.zeros(3)
    rounds = int(np.ceil(limit / WHOLE)) if advance else 1  # without an advance every round is like the first
    for turns in range(-1, rounds + 2):
        if best[0] <= WHOLE * (turns - 1):
            break
        shift = np.array([0.0, -advance * turns, WHOLE * turns])
        found = thin_gap(ahead, behind, shift)
        if found < best:
            best, where = found, shift
    return best, where


@cached(LRUCache(KEPT, lambda facing: facing.size), lock=Lock())
def _facing(
    mesh: Mesh,
    side: bytes,
    advance: float,
    facing: float,
    radius: float,
    tolerance: float,
    window: tuple[float, float, float] | None,
) -> Facing:
    """Facets of a thinned body as (radius, height, angle) that face along (1) or against (-1) the turn.

    ``window`` keeps what lies between two heights and within a radius.
    """
    pose = np.frombuffer(side).reshape(3, 4)
    bounds = skin(mesh)
    thin, left = bounds.thinned(radius)
    left = left | bounds.both
    thin = thin[left] @ pose[:, :3].T + pose[:, 3]
    back = bounds.true[left] @ pose[:, :3].T + pose[:, 3] - thin
    both = bounds.both[left]
    keep = _may_face(thin, advance, facing, both)
    if window:
        low, high, reach = window
        keep &= (thin[..., 2].max(1) >= low) & (thin[..., 2].min(1) <= high) & (_nearest(thin) <= reach)
    thin, back = thin[keep], back[keep]
    core = min(CORE * tolerance, 0.1 * np.hypot(thin[..., 0], thin[..., 1]).max(initial=0.0))
    thin, back, source = straighten(thin, back, CHORD * tolerance, core)
    normal = np.cross(thin[:, 1] - thin[:, 0], thin[:, 2] - thin[:, 0])
    slope = _cosine(normal, _velocity(thin.mean(1), advance))
    keep = np.where(both[keep][source], np.abs(slope), slope * facing) > EDGE_ON
    thin, back = thin[keep], back[keep]
    plain = _cylindrical(thin, advance)
    solid = np.abs(_area(plain)) > 1e-12
    plain, true = plain[solid], _cylindrical((thin + back)[solid], advance, plain[solid][..., 2])
    slack = SLACK * tolerance / np.maximum(np.hypot(plain[:, :, 0].mean(1), advance / WHOLE), 1e-9)
    return Facing.of(np.ascontiguousarray(plain), np.ascontiguousarray(true), slack)


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


def _may_face(corners: Facets, advance: float, facing: float, both: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Which facets (k,) have a point that faces the turn; either way where ``both`` sides count.

    The normal times the velocity is linear over a facet, so its greatest value is at a corner.
    """
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    velocity = _velocity(corners, advance)
    speed = np.einsum("ij,ikj->ik", normal, velocity)
    least = 1e-6 * np.linalg.norm(normal, axis=1) * np.linalg.norm(velocity, axis=2).max(1)
    return np.where(both, np.abs(speed).max(1), (speed * facing).max(1)) > least
