"""Directions worth trying: the six axes, a selection's own round faces, and the planes it rests on."""

from collections.abc import Iterable, Iterator

import numpy as np
from numpy.typing import NDArray

from pulley.core.contact.scene import FEW, Scene
from pulley.core.geometry.directions import AXES
from pulley.core.geometry.frames import Vector, apply
from pulley.core.geometry.symmetry import inertia_axis

SAME = np.cos(np.radians(1.0))  # directions nearer to each other than this are one
MOST = 12  # directions beside the axes; a part with more has no direction of its own


def candidates(scene: Scene, movers: Iterable[str]) -> NDArray[np.float64]:
    """Unit directions (k, 3) for a selection of leaves: the six axes first, then its own, none twice within 1 degree.

    Its own are the axes of its round faces, both ways, and both normals of every plane with which it
    touches something that stays.

    Parameters
    ----------
    scene : Scene
    movers : iterable of str
        Paths of leaves.
    """
    chosen = list(movers)
    found = [np.array(direction) for _, _, direction in AXES]
    for axis in (*_round_axes(scene, chosen), *_contact_normals(scene, chosen)):
        for direction in (axis, -axis):
            if max(float(direction @ other) for other in found) < SAME:
                found.append(direction)
        if len(found) >= len(AXES) + MOST:
            break
    return np.array(found)


def _round_axes(scene: Scene, movers: list[str]) -> Iterator[Vector]:
    """Axis directions (3,) of the movers' round faces, the greatest face first; of symmetry where one has none."""
    rounds = [(c, scene.poses[path]) for path in movers for c in scene.assembly.leaf(path).part.mesh.cylinders]
    for cylinder, pose in sorted(rounds, key=lambda entry: -entry[0].radius * entry[0].length):
        yield plain_direction(pose[:3, :3] @ np.array(cylinder.direction))
    if len(movers) == 1 and not rounds:
        mesh, pose = scene.body(movers[0])
        balanced = inertia_axis(mesh)
        if balanced:
            yield plain_direction(pose[:3, :3] @ balanced.direction)


def _contact_normals(scene: Scene, movers: list[str]) -> Iterator[Vector]:
    """Normals (3,) of the movers' planes that lie on a plane of something else, facing it."""
    chosen, seen = set(movers), set()
    for path in movers:
        own = int(scene.places([path])[0])
        box = scene.boxes[own]
        near = (scene.boxes[:, 0] <= box[1] + scene.tolerance) & (scene.boxes[:, 1] >= box[0] - scene.tolerance)
        about = np.flatnonzero(near.all(1))
        setting = scene.setting(own, about) if len(movers) > FEW else None
        if setting is not None and setting in seen:
            continue
        seen.add(setting)
        mine = _planes(scene, path)
        for place in about:
            other = scene.paths[place]
            if other in chosen or not len(mine):
                continue
            theirs = _planes(scene, other)
            facing = mine[:, 3:] @ theirs[:, 3:].T < -SAME
            apart = np.einsum("ijk,ik->ij", theirs[None, :, :3] - mine[:, None, :3], mine[:, 3:])
            for row in np.flatnonzero((facing & (np.abs(apart) <= scene.tolerance)).any(1)):
                yield plain_direction(mine[row, 3:])


def _planes(scene: Scene, path: str) -> NDArray[np.float64]:
    """Origins and normals (k, 6) of a leaf's flat faces where it stands."""
    mesh, pose = scene.body(path)
    rows = np.array([[*plane.origin, *plane.normal] for plane in mesh.planes]).reshape(-1, 6)
    return np.hstack([apply(pose, rows[:, :3]), rows[:, 3:] @ pose[:3, :3].T])


def plain_direction(direction: Vector) -> Vector:
    """The direction without round-off beside an axis, so that aligned models keep exact numbers.

    Examples
    --------
    >>> plain_direction(np.array([1e-12, 0.0, 1.0])).tolist()
    [0.0, 0.0, 1.0]
    """
    direction = direction / np.linalg.norm(direction)
    whole = np.round(direction)
    return whole if np.abs(direction - whole).max() < 1e-9 else direction


def name_of(direction: Vector) -> tuple[str, str]:
    """The axis name and word for a direction; no name, and its numbers, for one that is no axis.

    >>> name_of(np.array([0, 0, 1.0])), name_of(np.array([0.6, 0, 0.8]))
    (('+Z', 'Up'), ('', 'Along 0.6, 0, 0.8'))
    """
    for name, word, axis in AXES:
        if np.abs(direction - axis).max() < 1e-9:
            return name, word
    return "", "Along " + ", ".join(f"{c:.3f}".rstrip("0").rstrip(".") for c in np.round(direction, 3) + 0.0)
