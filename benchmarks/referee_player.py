"""The referee's own player: goes through the steps of a teardown and looks whether anything penetrates anything.

What two components share at an instant is an exact Boolean by manifold3d.
"""

from collections.abc import Iterable, Iterator

import numpy as np
from numpy.typing import NDArray

from benchmarks.referee_bodies import Solid, ball, solid_of
from benchmarks.referee_moves import moves
from benchmarks.referee_scenes import TOLERANCE
from pulley.core.assembly import Assembly
from pulley.core.teardown import Step, Teardown

SAMPLES = 16  # instants of a step that are looked at

Pose = NDArray[np.float64]


class Player:
    """Plays a teardown of an assembly, whose parts it has as solids of its own."""

    def __init__(self, assembly: Assembly, gives: dict[str, float] | None = None, samples: int = SAMPLES) -> None:
        self.assembly, self.samples, self.gives = assembly, samples, gives or {}
        made = {part.key: solid_of(part.mesh.corners, part.mesh.bodies) for part, _ in assembly.parts}
        self.solids = {leaf.path: made[leaf.part.key] for leaf in assembly.leaves}
        self.corners = {leaf.path: _box(leaf.part.mesh.vertices) for leaf in assembly.leaves}
        self.poses: dict[str, Pose] = {leaf.path: leaf.pose for leaf in assembly.leaves}

    def wrong(self, teardown: Teardown) -> list[str]:
        """What goes through what, step by step; empty when nothing does."""
        return [line for steps in _together(teardown.steps) for line in self._play(steps)]

    def _play(self, steps: list[Step]) -> Iterator[str]:
        made = [move for step in steps for move in moves(step, self._middle)]
        movers = {leaf: move for member, move in made for leaf in self.assembly.below[member]}
        start = dict(self.poses)
        seen: set[frozenset[str]] = set()
        for share in np.linspace(0, 1, self.samples)[1:]:
            self.poses |= {path: move(float(share)) @ start[path] for path, move in movers.items()}
            boxes = {path: self._bounds(path) for path in self.poses}
            for mover in movers:
                for other in self._near(mover, boxes):
                    pair = frozenset((mover, other))
                    if pair not in seen and self._deeper(mover, other, start):
                        seen.add(pair)
                        yield f"{steps[0].id}: {mover} goes into {other} at {share:.2f}"

    def _near(self, mover: str, boxes: dict[str, NDArray[np.float64]]) -> list[str]:
        mine = boxes[mover]
        names = [path for path in boxes if path != mover]
        others = np.array([boxes[path] for path in names]).reshape(-1, 2, 3)
        hit = (others[:, 0] < mine[1]).all(1) & (others[:, 1] > mine[0]).all(1)
        return [names[k] for k in np.flatnonzero(hit)]

    def _deeper(self, a: str, b: str, start: dict[str, Pose]) -> bool:
        allowed = TOLERANCE * 1.25 + self.gives.get(a, 0.0) + self.gives.get(b, 0.0)
        shared = self._shared(a, b, self.poses)
        if 6 * shared.volume() / max(shared.surface_area(), 1e-12) <= allowed:
            return False
        now = ball(shared)[0]
        return now > allowed and now > allowed + ball(self._shared(a, b, start))[1]

    def _shared(self, a: str, b: str, poses: dict[str, Pose]) -> Solid:
        return self.solids[a].transform(poses[a][:3]) ^ self.solids[b].transform(poses[b][:3])

    def _bounds(self, path: str) -> NDArray[np.float64]:
        points = self.corners[path] @ self.poses[path][:3, :3].T + self.poses[path][:3, 3]
        return np.array([points.min(0), points.max(0)])

    def _middle(self, member: str) -> NDArray[np.float64]:
        boxes = np.array([self._bounds(leaf) for leaf in self.assembly.below[member]])
        return (boxes[:, 0].min(0) + boxes[:, 1].max(0)) / 2


def _together(steps: Iterable[Step]) -> list[list[Step]]:
    """Steps that play at the same time, all of them just as long."""
    groups: list[list[Step]] = []
    for step in steps:
        if step.timing.start == "with":
            assert step.timing.duration == groups[-1][0].timing.duration and not step.timing.later
            groups[-1].append(step)
        else:
            groups.append([step])
    return groups


def _box(points: NDArray[np.float64]) -> NDArray[np.float64]:
    low, high = points.min(0), points.max(0)
    return np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])])
