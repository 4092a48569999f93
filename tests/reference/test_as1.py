"""Known answers for the CAx-IF public test assembly as1, and for the same assembly from other exporters."""

from unittest import TestCase

import numpy as np
from scipy.spatial.transform import Rotation

from pulley.core.assembly import Assembly, leaf_bounds
from pulley.core.contact.check import check
from pulley.core.contact.scene import Scene, home_scene
from pulley.core.geometry.frames import translation
from pulley.core.planning.ways_out import ways_out
from tests.scenes import AS1, DOWN, LEFT, RIGHT, UP, axial, read, teardown

AXES = (UP, DOWN, RIGHT, LEFT, (0.0, 1.0, 0.0), (0.0, -1.0, 0.0))
ROD = "as1/rod-assembly_1/rod_1"
BRACKETS = ("as1/l-bracket-assembly_1", "as1/l-bracket-assembly_2")


def named(assembly: Assembly, word: str) -> list[str]:
    """Leaves with a word in their own name."""
    return [leaf.path for leaf in assembly.leaves if word in leaf.name]


class As1Tests(TestCase):
    """Counts: the file itself, by the CAx-IF test suite's description. Travels: the bolt's tip lies
    22 mm below the rod's underside (z 33 of the head's top to z 55), as the bounds in the file say."""

    @classmethod
    def setUpClass(cls):
        cls.assembly = read(AS1)
        cls.scene = home_scene(cls.assembly)

    def free(self, path: str, direction: tuple[float, float, float], removed: tuple[str, ...] = ()):
        scene = home_scene(self.assembly, removed) if removed else self.scene
        meeting = scene.first_meeting([path], np.array(direction))
        return (meeting.travel, meeting.blocker) if meeting else (None, None)

    def test_components_and_parts(self):
        self.assertEqual(len(self.assembly.leaves), 18)
        quantities = {part.name: quantity for part, quantity in self.assembly.parts}
        self.assertEqual(quantities, {"nut": 8, "rod": 1, "bolt": 6, "l-bracket": 2, "plate": 1})

    def test_first_bolt_of_each_bracket_meets_the_rod_after_22_mm(self):
        for bracket in BRACKETS:
            travel, blocker = self.free(f"{bracket}/nut-bolt-assembly_1/bolt_1", UP)
            self.assertAlmostEqual(travel, 22.0, delta=0.1)
            self.assertEqual(blocker, ROD)

    def test_22_mm_is_what_the_bounds_say(self):
        bolt = leaf_bounds(self.assembly.by_path[f"{BRACKETS[0]}/nut-bolt-assembly_1/bolt_1"])
        rod = leaf_bounds(self.assembly.by_path[ROD])
        self.assertAlmostEqual(rod[0, 2] - bolt[1, 2], 22.0, places=6)

    def test_the_other_four_bolts_are_free_upward(self):
        bolts = [path for path in named(self.assembly, "bolt_1") if "nut-bolt-assembly_1" not in path]
        self.assertEqual([self.free(path, UP) for path in bolts], [(None, None)] * 4)

    def test_without_the_rod_all_six_are(self):
        bolts = named(self.assembly, "bolt_1")
        self.assertEqual([self.free(path, UP, (ROD,)) for path in bolts], [(None, None)] * 6)

    def test_nuts_under_the_plate_are_free_downward(self):
        nuts = named(self.assembly, "nut_3")
        self.assertEqual([self.free(path, DOWN) for path in nuts], [(None, None)] * 6)

    def test_a_pressed_bolt_is_blocked_at_once(self):
        self.assertEqual([self.free(path, DOWN)[0] for path in named(self.assembly, "bolt_1")], [0.0] * 6)

    def test_rod_leaves_both_ways_and_its_nuts_outward_only(self):
        self.assertEqual([self.free(ROD, d)[0] for d in (RIGHT, LEFT)], [None, None])
        for nut in named(self.assembly, "nut_1") + named(self.assembly, "nut_2"):
            middle = leaf_bounds(self.assembly.by_path[nut]).mean(0)[0]
            outward = RIGHT if middle > 90 else LEFT
            free = {direction: self.free(nut, direction)[0] for direction in AXES}
            self.assertEqual([d for d, travel in free.items() if travel is None], [outward])

    def test_plate_and_brackets_are_blocked_all_round(self):
        for path in named(self.assembly, "plate") + named(self.assembly, "l-bracket_1"):
            for direction in AXES:
                self.assertIsNotNone(self.free(path, direction)[0], (path, direction))

    def test_rod_first_then_the_bolt(self):
        bolt = f"{BRACKETS[0]}/nut-bolt-assembly_1/bolt_1"
        self.assertTrue(check(self.assembly, teardown(axial((ROD,), RIGHT, 205), axial((bolt,), UP, 100, "s2"))).clear)
        snags = check(self.assembly, teardown(axial((bolt,), UP, 100), axial((ROD,), RIGHT, 205, "s2"))).snags["s1"]
        self.assertEqual(
            [(s.moving, s.blocker, round(s.travel, 1)) for s in snags if s.kind == "sweep"], [(bolt, ROD, 22.0)]
        )


class MovedTests(TestCase):
    """The same assembly turned any way and a metre from the origin: the same answers."""

    def test_turned_and_a_metre_away(self):
        assembly = read(AS1)
        for seed in range(3):
            away = translation(np.array([600.0, -700.0, 400.0]))
            away[:3, :3] = Rotation.random(random_state=seed).as_matrix()
            scene = Scene(assembly, {leaf.path: away @ leaf.pose for leaf in assembly.leaves})
            for path in (*named(assembly, "bolt_1"), *named(assembly, "nut"), ROD):
                for direction in AXES:
                    here = home_scene(assembly).first_meeting([path], np.array(direction))
                    there = scene.first_meeting([path], away[:3, :3] @ direction)
                    self.assertEqual(here is None, there is None, (path, direction))
                    if here:
                        self.assertAlmostEqual(there.travel, here.travel, delta=0.1)
            ways = ways_out(scene, named(assembly, "nut_3")[:1])
            np.testing.assert_allclose(ways[0].direction, away[:3, :3] @ DOWN, atol=1e-3)


class OtherExportersTests(TestCase):
    """The same assembly written by other systems, one of them as if its millimetres were inches.

    Same counts, and two of the six bolts meet the rod after 22.0 of the file's own millimetres; a bolt
    is 37 long in one file and 40 in the other, which tells what the file's millimetre is.
    """

    def assert_same(self, name: str, length: float):
        assembly = read(AS1.with_name(name))
        quantity = {part.key: count for part, count in assembly.parts}
        self.assertEqual(sorted(quantity.values()), [1, 1, 2, 6, 8])
        bolts = [leaf for leaf in assembly.leaves if quantity[leaf.part.key] == 6]
        extent = np.ptp(leaf_bounds(bolts[0]), axis=0)
        along = np.eye(3)[np.argmax(extent)]
        scene, travels = home_scene(assembly), []
        for direction in (along, -along):
            meetings = [scene.first_meeting([bolt.path], direction) for bolt in bolts]
            travels += [meeting.travel / extent.max() for meeting in meetings if meeting]
        travels = [travel for travel in travels if travel > 0.03]
        np.testing.assert_allclose(travels, [22 / length] * 2, atol=0.1 / length)

    def test_ap203_in_other_names(self):
        self.assert_same("as1-tu-203.stp", 37)

    def test_ap203_from_a_third_system(self):
        self.assert_same("as1_pe_203.stp", 40)
