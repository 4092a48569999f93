"""Triangles as files have them: joined, put right where that is safe, told apart into bodies, copies found."""

from unittest import TestCase

import numpy as np
import trimesh
from scipy.spatial.transform import Rotation

from pulley.core.geometry.congruence import copies
from pulley.core.geometry.mending import Body, Soup, bodies_of
from pulley.core.geometry.mesh import box_mesh, mesh_volume
from tests.scenes import WINCH, read


def box(low=(0, 0, 0), high=(10, 20, 30)) -> np.ndarray:
    """A box as loose triangles (12, 3, 3)."""
    return box_mesh(low, high).corners.copy()


def loose(*corners: np.ndarray) -> Soup:
    every = np.concatenate(corners)
    return Soup(every.reshape(-1, 3), np.arange(3 * len(every), dtype=np.int32).reshape(-1, 3))


def volumes(bodies) -> list[float]:
    return [round(mesh_volume(body.vertices[body.triangles]), 6) for body in bodies]


class MendingTests(TestCase):
    def mend(self, *corners: np.ndarray):
        return bodies_of(loose(*corners))

    def test_a_sound_box_is_left_alone(self):
        mended = self.mend(box())
        self.assertEqual((volumes(mended.bodies), mended.notes), ([6000.0], []))

    def test_inside_out_and_single_wrong_triangles_are_turned(self):
        for wrong in (box()[:, ::-1], np.concatenate([box()[:1, ::-1], box()[1:]])):
            mended = self.mend(wrong)
            self.assertEqual(volumes(mended.bodies), [6000.0])
            self.assertRegex(mended.notes[0], "turned")

    def test_what_is_there_twice_is_taken_once(self):
        mended = self.mend(box(), box()[:5])
        self.assertEqual((volumes(mended.bodies), mended.notes), ([6000.0], ["had 5 triangles twice, left out"]))
        mended = self.mend(box(), box()[:, ::-1])
        self.assertEqual(volumes(mended.bodies), [6000.0])
        self.assertRegex(mended.notes[0], "both directions")

    def test_narrow_gaps_and_small_holes_are_closed_and_large_ones_are_not(self):
        parted = box()
        parted[:2, :, 0] -= 0.002
        mended = self.mend(parted)
        self.assertTrue(mended.bodies[0].solid)
        self.assertRegex(mended.notes[0], "gaps")
        ball = trimesh.creation.icosphere(subdivisions=5, radius=20)
        holed = bodies_of(Soup(np.asarray(ball.vertices), np.asarray(ball.faces[1:], np.int32)))
        self.assertTrue(holed.bodies[0].solid)
        self.assertEqual(holed.notes, ["had a small hole, filled"])
        self.assertFalse(self.mend(box()[2:]).bodies[0].solid)  # a box without its lid is an open box

    def test_a_hollow_belongs_to_the_body_around_it(self):
        mended = self.mend(box(), box((2, 2, 2), (4, 4, 4))[:, ::-1])
        self.assertEqual(volumes(mended.bodies), [5992.0])
        apart = self.mend(box(), box((2, 2, 2), (4, 4, 4)))
        self.assertEqual(volumes(apart.bodies), [6000.0, 8.0])  # turned outward it is a body of its own

    def test_bodies_that_touch_along_an_edge_or_a_face_are_told_apart(self):
        for other in (box((10, 20, 0), (15, 25, 30)), box((10, 0, 0), (20, 20, 30)), box((0, 0, 30), (10, 20, 40))):
            bodies = self.mend(box(), other).bodies
            self.assertEqual(len(bodies), 2)
            self.assertTrue(all(body.solid for body in bodies))

    def test_numbers_that_are_none(self):
        broken = box()
        broken[3, 1, 2] = np.nan
        broken[4, 0, 0] = np.inf
        mended = self.mend(broken)
        self.assertRegex(mended.notes[0], "2 triangles without a place")
        self.assertEqual(self.mend(np.full((4, 3, 3), np.nan)).bodies, [])
        self.assertEqual(self.mend(np.zeros((4, 3, 3))).bodies, [])


class CopiesTests(TestCase):
    def test_turned_shuffled_mirrored_and_scaled_copies_of_every_part_of_the_winch(self):
        chance = np.random.default_rng(4)
        bodies, truth = [], []
        for part, _ in read(WINCH).parts:
            own = bodies_of(Soup(part.mesh.vertices, part.mesh.triangles)).bodies
            for kind in ("itself", "turned", "mirrored", "scaled"):
                bodies.append([self.changed(body, kind, chance) for body in own])
                truth.append((part.mesh.key, kind))
        found = copies(bodies)
        self.assertEqual([truth[copy.of] for copy in found], [(key, "itself") for key, _ in truth])
        for copy, own, (_, kind) in zip(found, bodies, truth, strict=True):
            mapped = np.concatenate([b.vertices for b in bodies[copy.of]]) @ copy.map[:3, :3].T + copy.map[:3, 3]
            theirs = np.concatenate([b.vertices for b in own])
            self.assertLess(np.linalg.norm(mapped.mean(0) - theirs.mean(0)), 0.01)
            self.assertAlmostEqual(abs(np.linalg.det(copy.map[:3, :3])), 8.0 if kind == "scaled" else 1.0, places=3)

    @staticmethod
    def changed(body: Body, kind: str, chance: np.random.Generator) -> Body:
        if kind == "itself":
            return body
        turn = Rotation.random(random_state=chance).as_matrix() * (2.0 if kind == "scaled" else 1.0)
        triangles = body.triangles
        if kind == "mirrored":
            turn, triangles = turn @ np.diag([-1.0, 1.0, 1.0]), triangles[:, ::-1]
        order = chance.permutation(len(body.vertices))
        place = np.argsort(order)
        moved = (body.vertices @ turn.T + chance.uniform(-50, 50, 3)).astype(np.float32).astype(float)
        return Body(moved[order], place[triangles].astype(np.int32), body.solid)

    def test_nearly_alike_is_not_alike(self):
        sizes = [(10, 20, 30), (10, 20, 30.05), (10, 20.2, 30)]
        found = copies([bodies_of(loose(box((0, 0, 0), size))).bodies for size in sizes])
        self.assertEqual([copy.of for copy in found], [0, 1, 2])
