"""A way out round many corners: a tree of straight legs that is grown towards random places until one leads out."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from pulley.core.contact.scene import Scene
from pulley.core.geometry.frames import Vector, apply, translation
from pulley.core.planning.blocking import SIX

LEAST = 1.0  # mm of a leg, so that play is no way
MISSES = 60  # places in a row that nothing can be grown towards, after which a tree is given up
PLAIN = 0.3  # share of the places that are any, the others line up with the faces round about
SEED = 1  # any; the same, so that answers are
AXES = np.array(SIX)


@dataclass(frozen=True)
class Corner:
    """A place on the way: displacement (3,) in mm from home, where it came from, and how far it is free along each of
    the six axes (6,), infinite where nothing is met."""

    at: Vector
    before: int
    free: NDArray[np.float64]


@dataclass(eq=False)
class _Tree:
    """Places that leaves can get to, with ``tries`` sweeps left for more."""

    scene: Scene
    leaves: Sequence[str]
    tries: int
    corners: list[Corner] = field(default_factory=list)

    def add(self, at: Vector, before: int) -> Corner:
        """A place that can be got to, with how far it goes from there."""
        poses = {leaf: translation(at) @ self.scene.poses[leaf] for leaf in self.leaves}
        there = replace(self.scene, poses={**self.scene.poses, **poses})
        met = [there.first_meeting(self.leaves, axis) for axis in AXES]
        self.tries -= len(AXES)
        self.corners.append(Corner(at, before, np.array([np.inf if each is None else each.travel for each in met])))
        return self.corners[-1]

    def grow(self, target: Vector) -> Corner | None:
        """A new place, one leg nearer to a target than the nearest that has one to go; None where nothing is new."""
        places = np.array([corner.at for corner in self.corners])
        for n in np.abs(target - places).sum(1).argsort(kind="stable").tolist():
            corner = self.corners[n]
            wanted = AXES @ (target - corner.at)
            leg = np.floor(np.minimum(wanted, corner.free) * 10) / 10
            way = int(leg.argmax())
            at = np.round(corner.at + AXES[way] * leg[way], 6)
            if leg[way] >= LEAST and np.abs(places - at).max(1).min() >= LEAST / 2:
                return self.add(at, n)
        return None

    def way_to(self, corner: Corner) -> list[Vector]:
        """The displacements (3,) on the way to a place, home left out, each straight from the one before."""
        found = [corner.at]
        while corner.before >= 0:
            corner = self.corners[corner.before]
            found.append(corner.at)
        return found[-2::-1]


def winding_way(scene: Scene, leaves: Sequence[str], tries: int) -> tuple[list[Vector], Vector | None, int]:
    """Legs along the axes after which leaves can leave straight, the way that they then go, and the sweeps it took.

    A rapidly-exploring random tree (LaValle 1998; grown greedily as by Kuffner and LaValle 2000; from memory) whose
    edges are exact sweeps along the six axes. Most of the random places line up with the faces round about, as a
    channel's mouth would hardly ever be hit by chance. The same input gives the same way.

    Parameters
    ----------
    scene : Scene
        What is there, the leaves among it.
    leaves : sequence of str
        What moves as one.
    tries : int
        Sweeps at most.

    Returns
    -------
    legs : list of (3,) float64
        Displacements in mm one after the other, none where no way was found.
    way : (3,) float64 or None
        The axis along which the leaves are free then.
    spent : int
        Sweeps done.
    """
    tree, misses = _Tree(scene, leaves, tries), 0
    corner: Corner | None = tree.add(np.zeros(3), -1)
    targets = _targets(scene, leaves)
    while tree.tries > 0 and misses < MISSES:
        if corner is not None and np.isinf(corner.free).any():
            way = AXES[int(np.isinf(corner.free).argmax())]
            return _shortened(tree, corner), way, tries - tree.tries
        if len(tree.corners) == 1 and tree.corners[0].free.max() < LEAST:
            break
        corner = tree.grow(next(targets))
        misses = 0 if corner is not None else misses + 1
    return [], None, tries - tree.tries


def _targets(scene: Scene, leaves: Sequence[str]) -> Iterator[Vector]:
    """Random displacements (3,) that leave the leaves within the bounds of everything, most of them lined up."""
    rng = np.random.default_rng(SEED)
    mine = scene.boxes[scene.places(leaves)]
    low, high = mine[:, 0].min(0), mine[:, 1].max(0)
    least, most = scene.boxes[:, 0].min(0) - low, scene.boxes[:, 1].max(0) - high
    lined = [_lined_up(scene, leaves, axis, low[axis], high[axis]) for axis in range(3)]
    while True:
        target = rng.uniform(least, most)
        for axis in range(3):
            if len(lined[axis]) and rng.random() > PLAIN:
                target[axis] = rng.choice(lined[axis])
        yield target


def _lined_up(scene: Scene, leaves: Sequence[str], axis: int, low: float, high: float) -> NDArray[np.float64]:
    """Displacements (n,) along an axis at which a side of what spans ``low`` to ``high`` comes to lie on a face."""
    faces = []
    for path in scene.paths:
        if path not in set(leaves):
            corners = apply(scene.poses[path], scene.assembly.leaf(path).part.mesh.corners.reshape(-1, 3))
            along = corners.reshape(-1, 3, 3)[:, :, axis]
            faces.append(along[np.ptp(along, axis=1) < 1e-3, 0])
    levels = np.unique(np.round(np.concatenate([np.zeros(0), *faces]), 1))
    return np.unique(np.round(np.concatenate([levels - low, levels - high]), 1))


def _shortened(tree: _Tree, corner: Corner) -> list[Vector]:
    """The way to a place without the corners that a single leg along an axis gets past."""
    ends = [np.zeros(3), *tree.way_to(corner)]
    known = {place.at.tobytes(): place.free for place in tree.corners}
    kept = [ends[0]]
    while len(ends) > 1:
        reach = next(n for n in range(len(ends) - 1, 0, -1) if n == 1 or _straight(known, ends[0], ends[n]))
        kept.append(ends[reach])
        ends = ends[reach:]
    return [after - before for before, after in zip(kept, kept[1:], strict=False)]


def _straight(known: dict[bytes, NDArray[np.float64]], start: Vector, end: Vector) -> bool:
    """Whether one leg along an axis leads from a place to another."""
    legs = AXES @ (end - start)
    way = int(legs.argmax())
    return bool(np.count_nonzero(end - start) == 1 and legs[way] <= known[start.tobytes()][way])
