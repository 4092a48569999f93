"""First contact of sweeps against closed forms."""

import math
from unittest import TestCase

import numpy as np

from pulley.core.contact.overlap import overlap_depth, shared_thickness
from pulley.core.contact.scene import home_scene
from pulley.core.contact.sweep import first_contact
from pulley.core.geometry.frames import translation
from pulley.core.geometry.mesh import Mesh, box_mesh, flat_mesh
from tests.scenes import UP, tower

CUBE = box_mesh((0, 0, 0), (10, 10, 10))
HOME = np.eye(4)


def travel(direction: tuple[float, float, float], shift: tuple[float, float, float], mover: Mesh = CUBE) -> float:
    """Free travel towards a cube that stands ``shift`` away."""
    return first_contact(mover, HOME, CUBE, translation(np.array(shift, float)), np.array(direction, float)).travel


def ring(outer: float, inner: float, height: float, sides: int = 64) -> Mesh:
    """A tube with facets, bore along Z."""
    angles = np.linspace(0, 2 * np.pi, sides, endpoint=False)
    circle = np.stack([np.cos(angles), np.sin(angles), np.zeros(sides)], axis=1)
    rings = [circle * (r, r, 0) + (0, 0, z) for r, z in ((outer, 0), (outer, height), (inner, height), (inner, 0))]
    quads = []
    for a, b in zip(rings, rings[1:] + rings[:1], strict=True):
        for k in range(sides):
            n = (k + 1) % sides
            quads += [(a[k], a[n], b[n]), (a[k], b[n], b[k])]
    return flat_mesh(np.array(quads))


def prism(radius: float, height: float, sides: int = 64) -> Mesh:
    """A faceted cylinder along Z."""
    angles = np.linspace(0, 2 * np.pi, sides, endpoint=False)
    foot = np.stack([radius * np.cos(angles), radius * np.sin(angles), np.zeros(sides)], axis=1)
    head, up = foot + (0, 0, height), np.array([0, 0, height])
    triangles = []
    for k in range(sides):
        n = (k + 1) % sides
        triangles += [(foot[k], foot[n], head[n]), (foot[k], head[n], head[k])]
        triangles += [(foot[n], foot[k], np.zeros(3)), (head[k], head[n], up)]
    return flat_mesh(np.array(triangles))


class BoxTests(TestCase):
    def test_gap_head_on(self):
        self.assertAlmostEqual(travel(UP, (0, 0, 25)), 15.0, places=9)

    def test_partial_overlap_counts(self):
        self.assertAlmostEqual(travel(UP, (9, 9, 25)), 15.0, places=9)

    def test_passing_beside_never_meets(self):
        self.assertEqual(travel(UP, (10, 0, 25)), math.inf)
        self.assertEqual(travel(UP, (12, 0, 25)), math.inf)

    def test_what_lies_behind_is_not_in_the_way(self):
        self.assertEqual(travel(UP, (0, 0, -25)), math.inf)

    def test_touching_and_facing_is_blocked_at_zero(self):
        self.assertEqual(travel(UP, (0, 0, 10)), 0.0)

    def test_touching_and_sliding_is_free(self):
        self.assertEqual(travel((1, 0, 0), (0, 0, 10)), math.inf)

    def test_diagonal_travel_is_measured_along_the_direction(self):
        self.assertAlmostEqual(travel((1, 1, 0), (20, 20, 0)), 10 * math.sqrt(2), places=9)

    def test_length_of_the_direction_does_not_matter(self):
        self.assertAlmostEqual(travel((0, 0, 7.5), (0, 0, 25)), 15.0, places=9)

    def test_what_overlaps_may_come_apart_and_go_no_deeper(self):
        for sunk in (0.05, 0.15, 0.5, 3.0):
            self.assertEqual(travel(UP, (0, 0, 10 - sunk)), 0.0)
            self.assertEqual(travel((0, 0, -1), (0, 0, 10 - sunk)), math.inf)
            self.assertEqual(travel((1, 0, 0), (0, 0, 10 - sunk)), math.inf)

    def test_the_contact_point_lies_on_both(self):
        contact = first_contact(CUBE, HOME, CUBE, translation(np.array([4.0, 3.0, 25.0])), np.array(UP))
        x, y, z = contact.point
        self.assertAlmostEqual(z, 25.0, places=6)
        self.assertTrue(4 - 1e-9 <= x <= 10 + 1e-9 and 3 - 1e-9 <= y <= 10 + 1e-9)

    def test_zero_or_infinite_direction_is_refused(self):
        for direction in ((0, 0, 0), (np.inf, 0, 0), (np.nan, 0, 1)):
            with self.assertRaises(ValueError):
                first_contact(CUBE, HOME, CUBE, HOME, np.array(direction, float))

    def test_an_open_surface_blocks_from_both_sides(self):
        sheet = flat_mesh(np.array([[[0, 0, 0], [10, 0, 0], [0, 10, 0]], [[10, 0, 0], [10, 10, 0], [0, 10, 0]]], float))
        self.assertFalse(sheet.closed)
        for sign in (1, -1):
            shift = translation(np.array([0, 0, 30.0 * sign + (0 if sign > 0 else 10)]))
            found = first_contact(CUBE, HOME, sheet, shift, np.array([0, 0, sign], float))
            self.assertAlmostEqual(found.travel, 20.0, places=9)


class PinInHoleTests(TestCase):
    """Tessellated pins in tessellated holes must not block themselves."""

    def test_pin_slides_along_its_hole(self):
        turned = np.eye(4)
        angle = math.pi / 64  # facets of the pin between those of the hole: the worst case
        turned[:2, :2] = [[math.cos(angle), -math.sin(angle)], [math.sin(angle), math.cos(angle)]]
        for pose in (np.eye(4), turned):
            found = first_contact(prism(5.0, 30.0), pose, ring(12.0, 5.0, 10.0), HOME, np.array(UP))
            self.assertEqual(found.travel, math.inf)

    def test_pin_meets_the_wall_sideways(self):
        found = first_contact(prism(4.0, 30.0), HOME, ring(12.0, 5.0, 10.0), HOME, np.array([1.0, 0, 0]))
        self.assertAlmostEqual(found.travel, 1.0, delta=0.02)  # chord error of 64 sides at 5 mm is 0.006 mm

    def test_head_stops_on_the_rim(self):
        screw = flat_mesh(np.concatenate([prism(4.0, 30.0).corners, prism(8.0, 5.0).corners + (0, 0, 30.0)]))
        found = first_contact(
            screw, HOME, ring(12.0, 4.5, 10.0), translation(np.array([0, 0, 5.0])), np.array([0, 0, -1.0])
        )
        self.assertAlmostEqual(found.travel, 15.0, places=6)


class SceneTests(TestCase):
    def test_the_nearest_of_several_is_named(self):
        meeting = home_scene(tower()).first_meeting(["high"], np.array(UP))
        self.assertEqual((meeting.blocker, meeting.travel), ("lid", 5.0))

    def test_movers_are_not_in_each_others_way(self):
        meeting = home_scene(tower()).first_meeting(["middle", "high"], np.array(UP))
        self.assertEqual((meeting.mover, meeting.blocker, meeting.travel), ("high", "lid", 5.0))

    def test_removed_components_block_nothing(self):
        self.assertIsNone(home_scene(tower(), ["lid"]).first_meeting(["high"], np.array(UP)))


class OverlapTests(TestCase):
    def test_depth_of_two_boxes(self):
        for sunk in (0.3, 1.0, 4.0):
            depth = overlap_depth(CUBE, HOME, CUBE, translation(np.array([0, 0, 10 - sunk])))
            self.assertAlmostEqual(depth, sunk, places=6)

    def test_touching_is_no_overlap(self):
        self.assertEqual(overlap_depth(CUBE, HOME, CUBE, translation(np.array([0, 0, 10.0]))), 0.0)

    def test_neither_is_what_round_off_leaves_between_faces_that_touch(self):
        plate = box_mesh((-1, -1, 0), (11, 11, 10))
        for sunk in (1e-7, 3e-7, 9e-7):
            bodies = CUBE, HOME, plate, translation(np.array([0, 0, 10 - sunk]))
            with self.subTest(sunk=sunk):
                self.assertEqual(overlap_depth(*bodies), 0.0)
                self.assertEqual(shared_thickness(*bodies), (0.0, None))

    def test_beside_it_a_pin_stands_as_deep_as_it_does(self):
        """A foot that touches but for 9e-7 mm, and a pin of 1 mm2 that stands 0.5 mm in the same cube."""
        pin, foot = box_mesh((4, 4, -0.5), (5, 5, 10)), box_mesh((6, 0, -9e-7), (10, 10, 10))
        both = flat_mesh(np.concatenate([body.vertices[body.triangles] for body in (pin, foot)]))
        bodies = CUBE, HOME, both, translation(np.array([0, 0, 10.0]))
        self.assertAlmostEqual(overlap_depth(*bodies), 0.5, places=5)
        self.assertAlmostEqual(shared_thickness(*bodies)[0], 2 * 0.5 / (2 + 4 * 0.5), places=5)
