"""Placing a piece on another by two features, and moving it afterwards; all that hangs on it follows."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from scipy.spatial.transform import Rotation

from pulley.core.assembling.arrangement import Arrangement, Joint, Piece
from pulley.core.contact.scene import Scene
from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import Pose, Vector, Vector3, apply, inverse, translation, triple, unit
from pulley.core.planning.pointing import Feature, onto

LINES = ("round", "edge")  # features that lie on a line
PARALLEL = 1e-6  # sine of the angle between what is taken for parallel
APART = 0.2  # of the largest piece: the gap between pieces that are laid out
ROW = 1.6  # how much wider than deep a layout becomes
FAR = 1e6  # mm; nothing is moved farther
Z = (0.0, 0.0, 1.0)


def place(arrangement: Arrangement, moved: Feature, target: Feature) -> Arrangement:
    """Lay a feature of one piece on a feature of another, which it hangs on from then on.

    Round faces and edges are laid on one another's lines, turned the shorter way; flat faces face to face; points on
    points. A piece that hangs on the same one already moves only as far as the new pair asks for: a screw that is
    on the line of its hole stays on it when its head is laid on the face.

    Parameters
    ----------
    arrangement : Arrangement
    moved, target : Feature
        As `feature_at` finds them where the pieces now stand; their components are ids of pieces.

    Raises
    ------
    PulleyError
        When both are of one piece, or the other one hangs on this one.
    """
    piece, other = arrangement.piece(moved.component), arrangement.piece(target.component)
    if piece.id == other.id:
        raise PulleyError(f"Both places are on {piece.name}. Point at another component as the second.")
    if other.id in arrangement.hanging(piece.id):
        raise PulleyError(f"{other.name} hangs on {piece.name}. Point at {other.name} first, or let it go before.")
    held = piece.joint if piece.on == other.id else None
    pose = _displacement(moved, target, held is not None) @ arrangement.poses[piece.id]
    back = inverse(arrangement.poses[other.id])
    joint = _joint(target, moved, held, back)
    return _with(arrangement, replace(piece, pose=_kept(back @ pose), on=other.id, joint=joint))


def _displacement(moved: Feature, target: Feature, held: bool) -> Pose:
    """How a feature comes onto another one; a piece that is ``held`` goes no farther than the two ask for."""
    whole = onto(moved, target)
    if not held or moved.direction is None or target.direction is None:
        return whole
    goal, origin, along = np.array(target.origin), np.array(moved.origin), unit(np.array(target.direction))
    gap = goal - origin
    if moved.kind == target.kind == "face":
        return translation((gap @ along) * along - gap) @ whole
    if moved.kind in LINES and target.kind in LINES:
        return translation(-(gap @ along) * along) @ whole
    return whole


def _joint(target: Feature, moved: Feature, held: Joint | None, back: Pose) -> Joint:
    """Where the two met, in the frame of the other piece; a line that they were held on stays what it turns about."""
    direction = back[:3, :3] @ np.array(target.direction or moved.direction or Z)
    origin = apply(back, np.array(target.origin))
    if held and held.kind in LINES and target.kind == "face":
        line = np.array(held.direction)
        if np.linalg.norm(np.cross(line, direction)) < PARALLEL:
            start = np.array(held.origin)
            return Joint(held.kind, triple(start + ((origin - start) @ line) * line), triple(direction))
    return Joint(target.kind, triple(origin), triple(direction))


def flip(arrangement: Arrangement, id: str) -> Arrangement:
    """Turn a piece over where it was placed: about an axis square to its joint's direction."""
    piece, joint = _jointed(arrangement, id)
    line = np.array(joint.direction)
    side = unit(np.cross(line, np.eye(3)[int(np.argmin(np.abs(line)))]))
    at = np.array(joint.origin) + joint.offset * line
    return _set(arrangement, piece, _about(at, side, 180.0), flipped=not joint.flipped)


def turn(arrangement: Arrangement, id: str, degrees: float) -> Arrangement:
    """Let a piece stand at an angle about its joint's direction; 0 is as it was placed."""
    piece, joint = _jointed(arrangement, id)
    _check(degrees)
    motion = _about(np.array(joint.origin), np.array(joint.direction), degrees - joint.angle)
    return _set(arrangement, piece, motion, angle=degrees)


def set_off(arrangement: Arrangement, id: str, mm: float) -> Arrangement:
    """Let a piece stand so far from where it was placed, along its joint's direction; 0 is as it was placed."""
    piece, joint = _jointed(arrangement, id)
    _check(mm)
    motion = translation((mm - joint.offset) * np.array(joint.direction))
    return _set(arrangement, piece, motion, offset=mm)


def nudge(arrangement: Arrangement, ids: Sequence[str], by: Vector3) -> Arrangement:
    """Move pieces by (3,) mm in the assembly's frame; what hangs on one that moves is moved once."""
    _check(*by)
    return displaced(arrangement, ids, translation(np.array(by)))


def spin(arrangement: Arrangement, scene: Scene, id: str, axis: Vector3, degrees: float) -> Arrangement:
    """Turn a piece, and what hangs on it, about a direction (3,) through the middle of its own bounds."""
    _check(degrees, *axis)
    box = scene.boxes[scene.places((arrangement.piece(id).id,))[0]]
    return displaced(arrangement, (id,), _about(box.mean(0), unit(np.array(axis)), degrees))


def push(arrangement: Arrangement, scene: Scene, ids: Sequence[str], direction: Vector3) -> Arrangement:
    """Move pieces along a direction (3,) until the first of them touches something.

    Raises PulleyError when there is nothing in the way.
    """
    movers = tuple(dict.fromkeys(each for id in ids for each in arrangement.hanging(id)))
    along = unit(np.array(direction))
    met = scene.first_meeting(movers, along)
    if met is None:
        raise PulleyError("There is nothing in that direction that it could touch. Choose another one.")
    return displaced(arrangement, ids, translation(met.travel * along))


def lay_out(arrangement: Arrangement, scene: Scene) -> Arrangement:
    """Put every piece that hangs on nothing, with what hangs on it, beside the others on one level, in rows along X."""
    boxes = dict(zip(scene.paths, scene.boxes, strict=True))
    together = {p.id: [boxes[id] for id in arrangement.hanging(p.id)] for p in arrangement.pieces if not p.on}
    bounds = {id: (np.min([b[0] for b in own], 0), np.max([b[1] for b in own], 0)) for id, own in together.items()}
    sizes = np.array([high - low for low, high in bounds.values()])
    gap = APART * float(sizes.max())
    wide = max(float(np.sqrt(np.prod(sizes[:, :2] + gap, axis=1).sum())) * ROW, float(sizes[:, 0].max()))
    x = y = deep = 0.0
    for (id, (low, _)), size in zip(bounds.items(), sizes, strict=True):
        if x and x + size[0] > wide:
            x, y, deep = 0.0, y - deep - gap, 0.0
        arrangement = displaced(arrangement, (id,), translation(np.array([x, y - size[1], 0.0]) - low))
        x, deep = x + size[0] + gap, max(deep, float(size[1]))
    return arrangement


def let_go(arrangement: Arrangement, id: str) -> Arrangement:
    """Let a piece stand by itself where it is."""
    piece = arrangement.piece(id)
    return _with(arrangement, replace(piece, pose=_kept(arrangement.poses[id]), on="", joint=None))


def displaced(arrangement: Arrangement, ids: Sequence[str], motion: Pose) -> Arrangement:
    """Pieces moved by a displacement (4, 4) in the assembly's frame; what hangs on one that moves is moved once."""
    chosen = {arrangement.piece(id).id for id in ids}
    for id in chosen:
        if any(each.id in chosen for each in arrangement.below(id)):
            continue
        piece = arrangement.by_id[id]
        frame = arrangement.poses[piece.on] if piece.on else np.eye(4)
        own = inverse(frame) @ motion @ arrangement.poses[id]
        arrangement = _with(arrangement, replace(piece, pose=_kept(own)))
    return arrangement


def _jointed(arrangement: Arrangement, id: str) -> tuple[Piece, Joint]:
    piece = arrangement.piece(id)
    if piece.joint is None:
        raise PulleyError(f"{piece.name} is placed on nothing. Place it on another component first.")
    return piece, piece.joint


def _set(arrangement: Arrangement, piece: Piece, motion: Pose, **changes: object) -> Arrangement:
    """A piece moved in the frame of what it hangs on, and what its joint says now."""
    joint = replace(piece.joint, **changes)  # type: ignore[type-var]
    own = motion @ np.array(piece.pose).reshape(4, 4)
    return _with(arrangement, replace(piece, pose=_kept(own), joint=joint))


def _about(point: Vector, direction: Vector, degrees: float) -> Pose:
    motion = np.eye(4)
    motion[:3, :3] = Rotation.from_rotvec(np.radians(degrees) * direction).as_matrix()
    return translation(point) @ motion @ translation(-point)


def _kept(pose: Pose) -> tuple[float, ...]:
    """A pose as 16 numbers, its turn one to the last digit, so that a thousand moves do not add up to a warp."""
    tidy = pose.copy()
    tidy[:3, :3] = Rotation.from_matrix(pose[:3, :3]).as_matrix()
    if not np.isfinite(tidy).all() or np.abs(tidy[:3, 3]).max() > FAR:
        raise PulleyError("That is farther away than a kilometre. Type a shorter distance.")
    return tuple(np.round(tidy, 12).ravel().tolist())


def _check(*numbers: float) -> None:
    if not np.isfinite(numbers).all() or max(map(abs, numbers)) > FAR:
        raise PulleyError("Type a number up to a million.")


def _with(arrangement: Arrangement, piece: Piece) -> Arrangement:
    pieces = tuple(piece if each.id == piece.id else each for each in arrangement.pieces)
    return replace(arrangement, pieces=pieces)
