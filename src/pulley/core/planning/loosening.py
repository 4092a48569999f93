"""What comes loose: which parts of an assembly stand, and which must be held, where some have been taken off."""

from collections.abc import Collection, Iterable, Iterator, Mapping

import numpy as np
from numpy.typing import NDArray

from pulley.core.assembly import Assembly
from pulley.core.contact.patches import NEAR, Patch, patch_of
from pulley.core.geometry.frames import Pose, Vector, apply
from pulley.core.geometry.mesh import Mesh
from pulley.core.part_kinds import kind_of
from pulley.core.planning.standing import FRICTION, Body, Contact, must_be_held

CLAMPS = ("screw", "nut")  # what holds whatever it touches as long as it is there: common practice, no source


def loose_parts(
    assembly: Assembly, poses: Mapping[str, Pose], fixed: Collection[str], down: Vector, friction: float = FRICTION
) -> dict[str, float]:
    """Leaves that do not stand by themselves, each with the share of its weight that must be borne.

    All parts are taken to be of one material; screws and nuts clamp what they touch.

    Parameters
    ----------
    assembly : Assembly
    poses : mapping of path to (4, 4) float64
        The leaves that are there, where they stand.
    fixed : collection of str
        Leaves that nothing moves.
    down : (3,)
        The way that things fall.
    friction : float
    """
    bodies = [body_of(assembly, path, pose) for path, pose in poses.items()]
    return must_be_held(bodies, contacts_of(assembly, poses), fixed, down, friction)


def body_of(assembly: Assembly, path: str, pose: Pose) -> Body:
    """A leaf as a rigid body: its volume in mm3 as its weight, and its centre of gravity."""
    volume, centre = _solid(assembly.leaf(path).part.mesh)
    return Body(path, volume, apply(pose, centre))


def _solid(mesh: Mesh) -> tuple[float, Vector]:
    """Volume in mm3 and centre (3,) of what a mesh encloses; of its bounds where it encloses nothing."""
    a, b, c = np.moveaxis(mesh.corners, 1, 0)
    each = np.einsum("ij,ij->i", a, np.cross(b, c)) / 6
    volume = float(each.sum())
    box = float(np.prod(np.maximum(mesh.bounds[1] - mesh.bounds[0], 1e-3)))
    if not 1e-3 * box < volume <= 1.01 * box:
        return box, mesh.bounds.mean(0)
    return volume, (each[:, None] * (a + b + c)).sum(0) / (4 * volume)


def contacts_of(assembly: Assembly, poses: Mapping[str, Pose]) -> Iterator[Contact]:
    """Where leaves stand on one another, each pair once."""
    for a, b in _neighbours(assembly, poses):
        patch = _patch(assembly, a, b, poses[a], poses[b])
        if len(patch.points):
            clamped = any(kind_of(assembly.leaf(path).part) in CLAMPS for path in (a, b))
            kept = _corners(patch) if clamped else np.arange(len(patch.points))
            yield Contact(a, b, patch.points[kept], patch.normals[kept], clamped)


def _corners(patch: Patch) -> NDArray[np.intp]:
    """Places of the outermost points of a patch: two parts that are clamped there are as one, however many more."""
    ways = np.vstack([np.eye(3), -np.eye(3)])
    return np.unique(np.argmax(patch.points @ ways.T, axis=0))


def _patch(assembly: Assembly, a: str, b: str, a_pose: Pose, b_pose: Pose) -> Patch:
    """The patch of two leaves, worked out once for how they stand to each other."""
    one, other = assembly.leaf(a).part.mesh, assembly.leaf(b).part.mesh
    key = ("patch", a, b, a_pose.tobytes(), b_pose.tobytes())
    return assembly.once(key, lambda: patch_of(one, a_pose, other, b_pose))


def _neighbours(assembly: Assembly, poses: Mapping[str, Pose]) -> Iterable[tuple[str, str]]:
    paths = list(poses)
    boxes = np.array([_bounds(assembly, path, poses[path]) for path in paths]).reshape(-1, 2, 3)
    for k, path in enumerate(paths):
        near = (boxes[k + 1 :, 0] <= boxes[k, 1] + NEAR).all(1) & (boxes[k + 1 :, 1] >= boxes[k, 0] - NEAR).all(1)
        yield from ((path, paths[j]) for j in (np.flatnonzero(near) + k + 1).tolist())


def _bounds(assembly: Assembly, path: str, pose: Pose) -> NDArray[np.float64]:
    corners = apply(pose, assembly.leaf(path).part.mesh.box_corners)
    return np.array([corners.min(0), corners.max(0)])
