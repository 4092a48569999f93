"""Contacts whose answers are known without a computer, and thread sizes from published tables."""

from math import cos, inf, radians, tan
from unittest import TestCase

import manifold3d
import numpy as np
from benchmarks.generate import COARSE, assemble, mesh_of, threaded_rod

from pulley.core.assembly import Assembly
from pulley.core.contact.check import check
from pulley.core.contact.scene import home_scene
from pulley.core.contact.sweep import first_contact
from pulley.core.geometry.frames import translation
from pulley.core.geometry.mesh import Mesh, box_mesh
from pulley.core.motion.travel import screw_pose
from pulley.core.planning.remedies import remedies
from pulley.core.teardown import Step
from tests.core.test_contact import prism, ring
from tests.scenes import DOWN, UP, axial, boxes, changed, teardown

HOME = np.eye(4)
# nominal diameter: (coarse pitch, minor diameter D1 of the internal thread), ISO 261 and ISO 724 (from memory)
ISO_724 = {5: (0.8, 4.134), 6: (1.0, 4.917), 8: (1.25, 6.647), 10: (1.5, 8.376), 12: (1.75, 10.106)}


def extruded(points: list[tuple[float, float]], length: float) -> Mesh:
    """A prism along Y of a polygon in (x, z), from y = 0."""
    section = manifold3d.CrossSection([points])
    solid = manifold3d.Manifold.extrude(section, length).rotate((90, 0, 0)).translate((0, length, 0))
    return mesh_of(solid)


class SlotTests(TestCase):
    def test_a_box_in_a_slot(self):
        slot = boxes(box=((10, 30, 10), (0, 0, 0)), left=((5, 30, 20), (-5.5, 0, 0)), right=((5, 30, 20), (10.7, 0, 0)))
        scene = home_scene(slot)
        met = [scene.first_meeting(["box"], np.array(d, float)) for d in ((1, 0, 0), (-1, 0, 0), (0, 0, 1), (0, 1, 0))]
        travels = [meeting.travel if meeting else None for meeting in met]
        self.assertAlmostEqual(travels[0], 0.7)
        self.assertAlmostEqual(travels[1], 0.5)
        self.assertEqual(travels[2:], [None, None])


class PegTests(TestCase):
    """A peg 10 wide over a hole with 0.05 mm clearance all round."""

    CLEARANCE, LEAN = 0.05, radians(1.0)

    def walls(self) -> list[Mesh]:
        edge = 5 + self.CLEARANCE
        return [box_mesh((-30, -30, -60), (-edge, 30, 0)), box_mesh((edge, -30, -60), (30, 30, 0))]

    def enter(self, pose: np.ndarray) -> float:
        peg = box_mesh((-5, -5, 0), (5, 5, 40))
        return min(first_contact(peg, pose, wall, HOME, np.array(DOWN)).travel for wall in self.walls())

    def test_upright_it_is_free(self):
        self.assertEqual(self.enter(translation(np.array([0, 0, 2.0]))), inf)
        self.assertEqual(first_contact(prism(5, 40), HOME, ring(12, 5.05, 20), HOME, np.array(UP)).travel, inf)

    def test_leaning_by_a_degree_it_jams_where_trigonometry_says(self):
        # its side is at x = 5 / cos a + z tan a, z from its foot's middle, and reaches the edge at 5 + clearance
        pose = translation(np.array([0, 0, 2.0])) @ screw_pose(np.zeros(3), np.array([0.0, 1.0, 0.0]), 1.0, 0.0)
        expected = 2 + (5 + self.CLEARANCE - 5 / cos(self.LEAN)) / tan(self.LEAN)
        self.assertAlmostEqual(self.enter(pose), expected, places=5)


class DovetailTests(TestCase):
    def test_free_along_its_groove_only(self):
        tail = extruded([(-5, 0), (5, 0), (10, 8), (-10, 8)], 40)  # wider above: z grows upward
        groove = extruded([(-30, 8), (-30, -10), (30, -10), (30, 8), (10, 8), (5, 0), (-5, 0), (-10, 8)], 40)
        upside_down = screw_pose(np.zeros(3), np.array([0.0, 1.0, 0.0]), 180, 0)  # wider below: it cannot be lifted
        joint = assemble("dovetail", [("tail", tail, upside_down), ("groove", groove, upside_down)])
        self.assertEqual(self.free(joint), {(0, 1, 0), (0, -1, 0), (0, 0, -1)})

    def test_turned_over_it_is_held_upward_as_well(self):
        tail = extruded([(-10, 0), (10, 0), (5, 8), (-5, 8)], 40)
        groove = extruded([(-30, 8), (-30, -10), (30, -10), (30, 8), (5, 8), (10, 0), (-10, 0), (-5, 8)], 40)
        joint = assemble("dovetail", [("tail", tail, HOME), ("groove", groove, HOME)])
        self.assertEqual(self.free(joint), {(0, 1, 0), (0, -1, 0)})

    def free(self, joint: Assembly) -> set[tuple[float, ...]]:
        """The axis directions in which the tail is never stopped."""
        directions = map(tuple, np.vstack([np.eye(3), -np.eye(3)]).tolist())
        return {d for d in directions if home_scene(joint).first_meeting(["tail"], np.array(d)) is None}


class KeyTests(TestCase):
    """A key at the end of an L-shaped channel: neither leg alone lets it out."""

    def setUp(self):
        block = manifold3d.Manifold.cube((60.0, 30.0, 40.0))
        across = manifold3d.Manifold.cube((40.4, 10.4, 10.4)).translate((9.8, 9.8, 9.8))
        upward = manifold3d.Manifold.cube((10.4, 10.4, 60.0)).translate((39.8, 9.8, 9.8))
        self.lock = assemble(
            "key",
            [("key", box_mesh((10, 10, 10), (20, 20, 20)), HOME), ("block", mesh_of(block - across - upward), HOME)],
        )

    def test_no_single_way_is_free(self):
        scene = home_scene(self.lock)
        for direction in np.vstack([np.eye(3), -np.eye(3)]):
            self.assertIsNotNone(scene.first_meeting(["key"], direction))
        self.assertAlmostEqual(scene.first_meeting(["key"], np.array([1.0, 0, 0])).travel, 30.2)

    def test_the_remedy_for_a_straight_pull_is_a_path_of_two_legs(self):
        plan = teardown(axial(("key",), UP, 60))
        found = {remedy.kind: remedy for remedy in remedies(self.lock, plan, check(self.lock, plan), "s1")}
        self.assertEqual(found["path"].waypoints, ((30.0, 0.0, 0.0), (30.0, 0.0, 60.0)))


class SpeedTests(TestCase):
    def test_two_boxes_moving_at_different_speeds(self):
        row = boxes(rear=((10, 10, 10), (0, 0, 0)), front=((10, 10, 10), (15, 0, 0)))
        apart = check(row, teardown(axial_fan(("rear", "front"), 20, 30)))
        self.assertTrue(apart.clear)
        (snag, *_) = check(row, teardown(axial_fan(("front", "rear"), 20, 30))).snags["s1"]
        self.assertAlmostEqual(snag.at, 5 / 30)


def axial_fan(members: tuple[str, ...], distance: float, pitch: float) -> Step:
    """Members to the right, each farther than the one before."""
    return changed(axial(members, (1.0, 0.0, 0.0), distance), pitch=float(pitch))


class ThreadSizeTests(TestCase):
    def test_generated_threads_have_the_sizes_of_the_tables(self):
        for size, (pitch, minor) in ISO_724.items():
            self.assertEqual(COARSE[size], pitch)
            rod = threaded_rod(size, 2)
            radius = np.hypot(*rod.vertices[:, :2].T)
            self.assertAlmostEqual(2 * radius.max(), size, places=6)
            self.assertAlmostEqual(2 * radius[radius > 0.1].min(), minor, delta=0.001)
