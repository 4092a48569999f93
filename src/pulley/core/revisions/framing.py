"""How a whole model was moved between two revisions: another origin, another axis up, another unit."""

from collections.abc import Iterator
from itertools import product

import numpy as np
from scipy.spatial import cKDTree

from pulley.core.assembly import Assembly, Leaf
from pulley.core.geometry.frames import Pose
from pulley.core.revisions.traits import shape_of, traits_of

ALIKE = 5e-3  # share by which the sizes of one shape may differ
NEAR = 2e-3  # of an assembly's size: how near a component has to come to one of its shape
ANCHORS = 4  # of the rarest shapes that are tried
UNITS = (1.0, 10.0, 25.4, 100.0, 304.8, 1000.0)  # times that a model is larger whose unit was taken for another
BETTER = 1.05  # times as many components in place, before a model counts as moved


def frame_between(old: Assembly, new: Assembly) -> Pose:
    """The map (4, 4) that takes most components of an old revision to where their like stand in a new one.

    It is rigid, but where one of the two was written in another unit than it says.

    The models stay where they are unless a map brings clearly more of them into place. Candidates come from the rarest
    shapes: each as it was placed then and now, and by its principal axes, which do not depend on who wrote the file.
    """
    best, most = np.eye(4), _in_place(old, new, np.eye(4))
    if most >= 0.6 * min(len(old.leaves), len(new.leaves)):
        return best
    for frame in _candidates(old, new, _unit_ratio(old, new)):
        count = _in_place(old, new, frame)
        if count > BETTER * most + 0.5:
            best, most = frame, count
    return best


def _unit_ratio(old: Assembly, new: Assembly) -> float:
    """How many times larger the new revision is, if that is what two units differ by; else 1."""
    ratio = new.diagonal / max(old.diagonal, 1e-9)
    likely = min((*UNITS, *(1 / unit for unit in UNITS)), key=lambda unit: abs(np.log(ratio / unit)))
    return likely if abs(np.log(ratio / likely)) < np.log(1.3) else 1.0


def _candidates(old: Assembly, new: Assembly, scale: float) -> Iterator[Pose]:
    """Maps that take a rare shape of the old, so many times larger, to one like it of the new."""
    larger = np.diag([scale, scale, scale, 1.0])
    before, after = traits_of(old, larger), traits_of(new)
    off = np.abs(before.shapes[:, None] - after.shapes[None]) / np.maximum(after.shapes[None], 1e-9)
    alike = np.asarray((off < ALIKE).all(2))
    times = alike.sum(1) * 1000 + (np.abs(before.shapes[:, None] - before.shapes[None]) < 1e-9).all(2).sum(1)
    anchors = [i for i in np.argsort(times, kind="stable") if alike[i].any()][:ANCHORS]
    for i in anchors:
        for j in np.flatnonzero(alike[i])[:ANCHORS]:
            a, b = old.leaves[i], new.leaves[j]
            yield b.pose @ larger @ np.linalg.inv(a.pose)
            yield from _by_axes(a, b, scale)


def _by_axes(a: Leaf, b: Leaf, scale: float) -> Iterator[Pose]:
    """Maps that take the principal axes of one leaf to those of another: four, since axes have two ends."""
    first, second = shape_of(a.part.mesh), shape_of(b.part.mesh)
    ours, theirs = a.pose[:3, :3] @ first.axes, b.pose[:3, :3] @ second.axes
    start = a.pose[:3, :3] @ first.centre + a.pose[:3, 3]
    end = b.pose[:3, :3] @ second.centre + b.pose[:3, 3]
    for x, y in product((1.0, -1.0), repeat=2):
        turn = theirs @ np.diag([x, y, 1.0]) @ ours.T
        if np.linalg.det(turn) < 0:
            turn = theirs @ np.diag([x, y, -1.0]) @ ours.T
        neat = np.round(turn)
        turn = neat if np.abs(turn - neat).max() < 1e-3 else turn
        frame = np.eye(4)
        frame[:3, :3], frame[:3, 3] = scale * turn, end - scale * turn @ start
        yield frame


def _in_place(old: Assembly, new: Assembly, frame: Pose) -> int:
    """How many old components come to stand where one of like size stands in the new revision."""
    before, after = traits_of(old, frame), traits_of(new)
    if not len(after.paths):
        return 0
    reach = NEAR * max(new.diagonal, 1e-9)
    away, nearest = cKDTree(after.centres).query(before.centres)
    off = np.abs(before.shapes - after.shapes[nearest]) / np.maximum(after.shapes[nearest], 1e-9)
    return int(((away <= reach) & (off < 5 * ALIKE).all(1)).sum())
