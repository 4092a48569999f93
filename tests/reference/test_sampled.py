"""Whole random teardowns against brute force: the Score played in small steps, python-fcl at each instant."""

from unittest import TestCase

import numpy as np

from pulley.core.contact.check import check
from pulley.core.contact.distance import mesh_distance
from pulley.core.contact.overlap import overlap_depth
from pulley.core.geometry.frames import apply
from pulley.core.motion import Axial, Axis, Fan, Path, Radial, Turn
from pulley.core.score.compose import compose, displacement_at
from pulley.core.teardown import Step, Teardown, Timing
from tests.scenes import boxes

INSTANTS = 120  # a second; at the speeds here neighbouring instants lie a mm or so apart
DEEP, NEAR = 0.6, 1.2  # mm; what the samples are sure to see, and what they may have missed


class SampledTests(TestCase):
    def setUp(self):
        self.random = np.random.default_rng(7)

    def scene(self):
        """Six boxes with 3 mm or more between them."""
        places = [(15 * (k % 3), 15 * (k // 3), float(self.random.uniform(0, 6))) for k in range(6)]
        return boxes(**{f"b{k}": (tuple(self.random.uniform(6, 12, 3)), place) for k, place in enumerate(places)})

    def step(self, number: int, assembly) -> Step:
        kind = ("axial", "radial", "path", "turn")[number % 4]
        names = [leaf.path for leaf in assembly.leaves]
        members = tuple(self.random.choice(names, self.random.integers(1, 3), replace=False).tolist())
        axis = Axis(tuple(self.random.uniform(0, 40, 3)), tuple(self.random.normal(size=3)))
        direction, distance = tuple(self.random.normal(size=3)), float(self.random.uniform(5, 40))
        fan = Fan(float(self.random.choice([0.0, 8.0]))) if kind in ("axial", "path") else Fan()
        waypoints = tuple(map(tuple, self.random.uniform(-25, 25, (2, 3)))) if kind == "path" else ()
        smooth = bool(self.random.integers(0, 2))
        angle, advance = float(self.random.uniform(-200, 200)), float(self.random.uniform(-20, 20))
        motion = {
            "axial": Axial(direction, distance, fan=fan),
            "radial": Radial(distance, axis),
            "path": Path(waypoints, smooth, fan=fan),
            "turn": Turn(axis, angle, advance),
        }[kind]
        duration = float(self.random.uniform(0.6, 1.2))
        start = [None, None, "with"][self.random.integers(0, 3)] if number else None
        return Step(f"s{number}", members, motion, timing=Timing(duration, start))

    def seen(self, assembly, plan: Teardown) -> dict[frozenset[str], tuple[float, float]]:
        """For each pair its least distance and its greatest depth over all instants, at which anything moves."""
        score = compose(assembly, plan)
        found: dict[frozenset[str], tuple[float, float]] = {}
        for time in np.linspace(0, score.duration, int(INSTANTS * score.duration)):
            poses = {
                leaf.path: displacement_at(score.tracks.get(leaf.path, []), time) @ leaf.pose
                for leaf in assembly.leaves
            }
            for i, a in enumerate(assembly.leaves):
                for b in assembly.leaves[i + 1 :]:
                    if self.apart(a, poses[a.path], b, poses[b.path]) > NEAR:
                        found.setdefault(frozenset((a.path, b.path)), (np.inf, 0.0))
                        continue
                    bodies = (a.part.mesh, poses[a.path], b.part.mesh, poses[b.path])
                    distance = mesh_distance(*bodies)
                    depth = overlap_depth(*bodies) if distance <= 0 else 0.0
                    least, most = found.get(frozenset((a.path, b.path)), (np.inf, 0.0))
                    found[frozenset((a.path, b.path))] = (min(least, distance), max(most, depth))
        return found

    def apart(self, a, a_pose: np.ndarray, b, b_pose: np.ndarray) -> float:
        """A distance in mm that two leaves stay apart by, going by the balls round them."""
        middles = [apply(pose, leaf.part.mesh.bounds.mean(0)) for leaf, pose in ((a, a_pose), (b, b_pose))]
        radii = [np.linalg.norm(np.ptp(leaf.part.mesh.bounds, axis=0)) / 2 for leaf in (a, b)]
        return float(np.linalg.norm(middles[0] - middles[1]) - sum(radii))

    def test_what_is_seen_to_cross_is_a_snag_and_the_other_way_round(self):
        crossed = 0
        for _ in range(8):
            assembly = self.scene()
            plan = Teardown("Random", tuple(self.step(k, assembly) for k in self.random.permutation(4).tolist()))
            verdict = check(assembly, plan)
            snagged = {frozenset((s.moving, s.blocker)) for snags in verdict.snags.values() for s in snags}
            for pair, (least, most) in self.seen(assembly, plan).items():
                if most > DEEP:
                    crossed += 1
                    self.assertIn(pair, snagged, (plan, most))
                elif least > NEAR:
                    self.assertNotIn(pair, snagged, (plan, least))
        self.assertGreater(crossed, 8)
