"""Walls, thinned bodies, and what a pair may penetrate."""

from dataclasses import replace
from math import inf, sqrt
from unittest import TestCase

import manifold3d
import numpy as np
from benchmarks.generate import mesh_of

from pulley.core.contact.start import allowed, pair_tolerance, placed_within
from pulley.core.contact.sweep import first_contact
from pulley.core.contact.thinning import SHEET, skin
from pulley.core.geometry.frames import translation, without_warp
from pulley.core.geometry.mesh import Mesh, box_mesh, flat_mesh
from tests.core.test_contact import prism, ring
from tests.scenes import DOWN, UP

HOME = np.eye(4)


def at(x: float, y: float, z: float) -> np.ndarray:
    return translation(np.array([x, y, z], float))


def tips() -> Mesh:
    """Two boxes that share a point."""
    return flat_mesh(np.concatenate([box_mesh((0, 0, 0), (1, 1, 1)).corners, box_mesh((1, 1, 1), (2, 2, 2)).corners]))


def sheet(x: float, y: float) -> Mesh:
    """A flat open surface in the plane z = 0."""
    return flat_mesh(np.array([[[0, 0, 0], [x, 0, 0], [x, y, 0]], [[0, 0, 0], [x, y, 0], [0, y, 0]]], float))


class WallTests(TestCase):
    def test_plates_tubes_and_balls(self):
        for mesh, wall in (
            (box_mesh((0, 0, 0), (500, 300, 0.1)), 0.1),
            (ring(5.1, 5.0, 20.0), 0.1),
            (mesh_of(manifold3d.Manifold.sphere(3, 64)), 6.0),
        ):
            self.assertAlmostEqual(mesh.wall, wall, delta=0.03 * wall)

    def test_an_edge_is_no_wall(self):
        roof = manifold3d.CrossSection([[(0, 0), (10, 0), (5, 5)]])  # 45 degrees at either foot
        self.assertGreater(mesh_of(manifold3d.Manifold.extrude(roof, 30)).wall, 1.0)

    def test_only_a_part_of_its_own_body_is_behind(self):
        two = np.concatenate([box_mesh((0, 0, 0), (10, 10, 5)).corners, box_mesh((0, 0, 5), (10, 10, 10)).corners])
        mesh = replace(flat_mesh(two), bodies=np.repeat(np.array([0, 1], np.int32), 12))
        self.assertTrue(mesh.closed)
        self.assertAlmostEqual(mesh.wall, 5.0, places=5)

    def test_the_thinner_part_sets_the_tolerance(self):
        foil, block = box_mesh((0, 0, 0), (20, 20, 0.1)), box_mesh((0, 0, 0), (20, 20, 20))
        self.assertAlmostEqual(pair_tolerance(foil, block), 0.025, places=6)
        self.assertEqual(pair_tolerance(block, block), 0.1)
        self.assertEqual(pair_tolerance(sheet(5, 5), block), 0.1)


class ThinnedTests(TestCase):
    def test_a_box_keeps_its_planes(self):
        corners, left = skin(box_mesh((0, 0, 0), (4, 6, 8))).thinned(0.05)
        self.assertTrue(left.all())
        np.testing.assert_allclose(corners.min((0, 1)), 0.05)
        np.testing.assert_allclose(corners.max((0, 1)), (3.95, 5.95, 7.95))

    def test_a_hole_gets_wider_and_a_pin_thinner(self):
        corners, _ = skin(ring(12, 5, 10)).thinned(0.05)
        radius = np.hypot(corners[..., 0], corners[..., 1])
        self.assertAlmostEqual(radius.min(), 5.05, delta=0.001)
        self.assertAlmostEqual(radius.max(), 11.95, delta=0.001)

    def test_thin_walls_never_vanish(self):
        corners, left = skin(box_mesh((0, 0, 0), (20, 20, 0.1))).thinned(5.0)
        self.assertTrue(left.all())
        self.assertGreater(np.ptp(corners[..., 2]), 0.02)

    def test_roundings_smaller_than_the_radius_are_left_out(self):
        body = manifold3d.Manifold.cube((4.0, 4.0, 4.0)).minkowski_sum(manifold3d.Manifold.sphere(0.01, 12))
        corners, left = skin(mesh_of(body)).thinned(0.05)
        self.assertFalse(left.all())
        self.assertGreater(corners[left].min(), -0.011)

    def test_a_sheet_has_two_sides_and_an_edge(self):
        bounds = skin(sheet(10, 10))
        self.assertEqual(len(bounds.corners), 2 + 2 + 8)
        np.testing.assert_allclose(np.abs(bounds.corners[..., 2]).max(), SHEET)
        self.assertFalse(bounds.both.any())

    def test_corners_of_one_number_are_one_however_much_it_is_thinned(self):
        for mesh in (box_mesh((0, 0, 0), (4, 6, 8)), ring(12, 5, 10), sheet(10, 10), tips()):
            bounds = skin(mesh)
            for radius in (0.0, 0.05, 5.0):
                corners = bounds.thinned(radius)[0].reshape(-1, 3)
                _, first, same = np.unique(bounds.vertices, return_index=True, return_inverse=True)
                np.testing.assert_array_equal(corners, corners[first][same.reshape(-1)])
        self.assertEqual(len(np.unique(bounds.vertices)), 16)  # of the two boxes

    def test_surfaces_that_share_a_point_are_thinned_each_for_itself(self):
        corners, _ = skin(tips()).thinned(0.1)
        near = np.abs(corners - 1).max(-1) < 0.2
        self.assertEqual(sorted(np.unique(corners[near].round(6)).tolist()), [0.9, 1.1])


class AllowedTests(TestCase):
    def may(self, a: Mesh, b: Mesh, b_pose: np.ndarray):
        return allowed(a, b, placed_within(HOME, b_pose).tobytes(), 0.1)

    def test_the_depth_at_the_start_comes_on_top(self):
        cube = box_mesh((0, 0, 0), (10, 10, 10))
        for sunk in (0.0, 0.03, 0.15, 0.6, 2.0):
            may = self.may(cube, cube, at(0, 0, 10 - sunk))
            self.assertAlmostEqual(may.depth, sunk, delta=0.03 + 0.1 * sunk)
            self.assertAlmostEqual(may.mover + may.rest, may.depth + 0.1, places=9)

    def test_what_is_inside_counts_as_overlapping(self):
        self.assertTrue(self.may(box_mesh((4, 4, 4), (5, 5, 5)), box_mesh((0, 0, 0), (10, 10, 10)), HOME).sunk)

    def test_sunk_deeper_than_the_walls_it_is_judged_by_growth(self):
        foil, block = box_mesh((0, 0, 0), (10, 10, 0.2)), box_mesh((-10, -10, -15), (20, 20, 15))
        self.assertTrue(self.may(foil, block, HOME).sunk)
        self.assertEqual(first_contact(foil, HOME, block, HOME, np.array(DOWN)).travel, inf)
        both = flat_mesh(np.concatenate([foil.corners, box_mesh((0, 0, 20), (10, 10, 25)).corners]))
        found = first_contact(both, HOME, block, HOME, np.array(DOWN))
        self.assertAlmostEqual(found.travel, 5.0, delta=0.4)  # what follows the foil meets the block's top


class SheetTests(TestCase):
    def test_edge_on_into_a_block(self):
        upright = flat_mesh(sheet(10, 10).corners[..., [0, 2, 1]])  # in the plane y = 0
        block = box_mesh((2, -4, 20), (8, 4, 30))
        self.assertAlmostEqual(first_contact(upright, HOME, block, HOME, np.array(UP)).travel, 10.0, places=6)
        self.assertAlmostEqual(first_contact(block, HOME, upright, HOME, np.array(DOWN)).travel, 10.0, places=6)

    def test_sheets_that_touch_come_apart(self):
        for other in (sheet(10, 10), box_mesh((0, 0, -5), (10, 10, 0))):
            for along in (UP, (1, 0, 0.0), (1, 1, 1.0)):
                self.assertEqual(first_contact(sheet(10, 10), HOME, other, HOME, np.array(along)).travel, inf)

    def test_and_do_not_pass_into_a_block(self):
        block = box_mesh((0, 0, -5), (10, 10, 0))
        self.assertAlmostEqual(
            first_contact(sheet(10, 10), at(0, 0, 7), block, HOME, np.array(DOWN)).travel, 7, places=6
        )
        self.assertEqual(first_contact(sheet(10, 10), HOME, block, HOME, np.array(DOWN)).travel, 0.0)


class FlankTests(TestCase):
    def test_a_cone_in_its_seat_begins_to_bind_where_they_touch(self):
        """However steep: of a cone 5 mm above its own seat, the flanks touch after 5 mm."""
        for slope in (0.02, 0.1, 0.5):
            plug = mesh_of(manifold3d.Manifold.cylinder(10, 5, 5 + 10 * slope, 48))
            body = manifold3d.Manifold.cylinder(10, 12, 12, 48)
            seat = mesh_of(body - manifold3d.Manifold.cylinder(10, 5, 5 + 10 * slope, 48))
            found = first_contact(plug, at(0, 0, 5), seat, HOME, np.array(DOWN))
            self.assertAlmostEqual(found.travel, 5.0, delta=0.05, msg=slope)

    def test_a_pin_onto_a_sheet_edge(self):
        found = first_contact(prism(1.0, 10), at(0, 0, 30), box_mesh((-9, -0.5, 0), (9, 0.5, 9)), HOME, np.array(DOWN))
        self.assertAlmostEqual(found.travel, 21.0, places=6)


class WarpTests(TestCase):
    def test_reflection_and_scale_are_split_off(self):
        turned = at(3, 4, 5)
        turned[:3, :3] = [[0, -1, 0], [1, 0, 0], [0, 0, 1]]
        for factors in ((1, 1, 1), (-1, 1, 1), (2, 2, 2), (-0.5, -0.5, -0.5), (3, -3, 3)):
            pose = turned @ np.diag([*factors, 1.0])
            rigid, warp = without_warp(pose)
            np.testing.assert_allclose(rigid @ warp, pose, atol=1e-12)
            np.testing.assert_allclose(rigid[:3, :3] @ rigid[:3, :3].T, np.eye(3), atol=1e-12)
            self.assertAlmostEqual(np.linalg.det(rigid[:3, :3]), 1.0)
            self.assertAlmostEqual(np.abs(np.diag(warp)[:3]).std(), 0.0)

    def test_oblique_lift_offs_from_a_plane(self):
        """However a body lies on a table, in any direction off it nothing is in the way."""
        random = np.random.default_rng(10101)
        table = box_mesh((-60, -60, -10), (60, 60, 0))
        for _ in range(60):
            body = manifold3d.Manifold.cylinder(8, 6, 2, 24).rotate(tuple(random.uniform(0, 360, 3)))
            mesh = mesh_of(body.translate((0, 0, -body.bounding_box()[2])))
            along = random.normal(size=3)
            along[2] = abs(along[2]) + 1e-3
            self.assertEqual(first_contact(mesh, HOME, table, HOME, along / sqrt(along @ along)).travel, inf)
