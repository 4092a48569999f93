"""Hundreds of first contacts, straight and turning, against the distances that two other libraries compute.

python-fcl (Flexible Collision Library) and coal measure the distance of the same meshes at the contact, where it
must be nothing, and before it, where there must be some. Half of the shapes are not convex.
"""

from unittest import TestCase

import manifold3d
import numpy as np
from benchmarks.generate import mesh_of
from scipy.spatial.transform import Rotation

from pulley.core.contact.distance import mesh_distance
from pulley.core.contact.sweep import first_contact
from pulley.core.contact.turning import first_contact_turning
from pulley.core.geometry.frames import translation, unit
from pulley.core.geometry.mesh import Mesh
from pulley.core.motion.travel import Screw
from tests.reference.coal_bodies import coal_distance, coal_model

STRAIGHT, TURNING = 160, 120
LEAST = 1e-3  # mm; nearer than this, two meshes touch
TURNED = 0.08  # mm that a turn's contact may lie off: the chords of what its coordinates bend, on both sides


def shapes() -> list[Mesh]:
    """Convex and hollow solids about 20 mm across, round their origins."""
    solid = manifold3d.Manifold
    cube, rod = solid.cube((20.0, 12.0, 8.0), True), solid.cylinder(18, 6, 6, 24, True)
    cone, ball = solid.cylinder(16, 8, 3, 20, True), solid.sphere(9, 24)
    ring = solid.cylinder(8, 11, 11, 32, True) - solid.cylinder(10, 7, 7, 32, True)
    angle = cube - solid.cube((14.0, 14.0, 14.0)).translate((-6.0, -10.0, -1.0))
    fork = solid.cube((20.0, 16.0, 6.0), True) - solid.cube((14.0, 6.0, 10.0), True).translate((5.0, 0, 0))
    cup = solid.cylinder(14, 9, 9, 28, True) - solid.cylinder(14, 7, 7, 28, True).translate((0, 0, 3.0))
    return [mesh_of(body) for body in (cube, rod, cone, ball, ring, angle, fork, cup)]


class Measured(TestCase):
    """Two placed shapes, and their distance by both libraries."""

    def setUp(self):
        self.meshes = shapes()
        self.models = [coal_model(mesh) for mesh in self.meshes]
        self.random = np.random.default_rng(20261125)

    def pose(self, at: np.ndarray) -> np.ndarray:
        pose = translation(at)
        pose[:3, :3] = Rotation.random(random_state=self.random).as_matrix()
        return pose

    def distances(self, a: int, a_pose: np.ndarray, b: int, b_pose: np.ndarray) -> list[float]:
        return [
            mesh_distance(self.meshes[a], a_pose, self.meshes[b], b_pose),
            coal_distance(self.models[a], a_pose, self.models[b], b_pose),
        ]

    def pair(self) -> tuple[int, int]:
        return tuple(self.random.integers(0, len(self.meshes), 2).tolist())


class StraightTests(Measured):
    def test_at_the_contact_there_is_none_and_before_it_there_is(self):
        met = missed = 0
        for _ in range(STRAIGHT):
            (a, b), a_pose = self.pair(), self.pose(np.zeros(3))
            b_pose = self.pose(unit(self.random.normal(size=3)) * 60)
            along = unit(b_pose[:3, 3] + self.random.normal(size=3) * 12)
            travel = first_contact(self.meshes[a], a_pose, self.meshes[b], b_pose, along, LEAST).travel
            if not np.isfinite(travel):
                missed += 1
                for way in np.linspace(0, 120, 60):
                    self.assertGreater(min(self.distances(a, translation(along * way) @ a_pose, b, b_pose)), 0)
                continue
            met += 1
            self.assertLess(max(self.distances(a, translation(along * travel) @ a_pose, b, b_pose)), LEAST)
            for before in (0.05, 1.0, travel / 2):
                here = translation(along * (travel - before)) @ a_pose
                self.assertGreater(min(self.distances(a, here, b, b_pose)), 0)
        self.assertGreater(met, STRAIGHT / 2)
        self.assertGreater(missed, 5)


class TurningTests(Measured):
    def test_at_the_contact_there_is_none_and_before_it_there_is(self):
        met = missed = 0
        for _ in range(TURNING):
            (a, b), arm = self.pair(), self.random.uniform(18, 40)
            a_pose, b_pose = self.pose(np.array([arm, 0.0, 0.0])), self.pose(np.array([-arm, 0.0, 0.0]))
            b_pose[:3, 3] += self.random.normal(size=3) * 6
            angle, advance = float(self.random.choice([-320, 320])), self.random.uniform(-20, 20)
            motion = Screw.about((0, 0, 0), (0.0, 0.0, 1.0), angle, advance)
            if min(self.distances(a, a_pose, b, b_pose)) <= 0.5:
                continue
            found = first_contact_turning(self.meshes[a], a_pose, self.meshes[b], b_pose, motion)
            span = abs(motion.angle)
            if not np.isfinite(found.travel):
                missed += 1
                for share in np.linspace(0, 1, 80):
                    self.assertGreater(min(self.distances(a, motion.at(share) @ a_pose, b, b_pose)), 0)
                continue
            met += 1
            self.assertLess(max(self.distances(a, motion.at(found.travel / span) @ a_pose, b, b_pose)), TURNED)
            pace = np.radians(1) * arm
            for before in (2 * TURNED / pace + 0.3, 3.0, found.travel / 2):
                here = motion.at((found.travel - before) / span)
                self.assertGreater(min(self.distances(a, here @ a_pose, b, b_pose)), 0)
        self.assertGreater(met, TURNING / 2)
        self.assertGreater(missed, 3)
