"""What stands and what falls, against closed forms of statics (textbook cases, from memory)."""

from unittest import TestCase

import numpy as np
from benchmarks.mechanisms import at, box, made

from pulley.core.contact.patches import patch_of
from pulley.core.planning.standing import Body, Contact, must_be_held

DOWN = np.array([0.0, 0.0, -1.0])
UP = -DOWN


def feet(*xs: float, z: float = 0.0, deep: float = 10.0) -> np.ndarray:
    return np.array([[x, y, z] for x in xs for y in (0.0, deep)])


def on(upper: str, lower: str, points: np.ndarray, normal=UP) -> Contact:
    return Contact(upper, lower, points, np.tile(normal, (len(points), 1)))


class OverhangTests(TestCase):
    """Blocks of length 20 over the edge of a table: the greatest overhang of n of them is 10 (1 + 1/2 + ... + 1/n)."""

    def held(self, overhangs: list[float]) -> dict[str, float]:
        """Blocks from the highest down, each standing out over the next by so much; the last over the table."""
        fronts = np.cumsum(overhangs[::-1])[::-1]  # of each block, over the edge of the table
        bodies = [Body(f"b{k}", 1.0, np.array([front - 10.0, 5.0, 10.0])) for k, front in enumerate(fronts)]
        contacts = []
        for k, front in enumerate(fronts):
            below = fronts[k + 1] if k + 1 < len(fronts) else 0.0
            back = max(front - 20.0, below - 20.0)
            contacts.append(on(f"b{k}", f"b{k + 1}" if k + 1 < len(fronts) else "table", feet(back, below)))
        return must_be_held(bodies, contacts, ["table"], DOWN)

    def test_one_block_to_half_its_length(self):
        self.assertEqual(self.held([9.9]), {})
        self.assertEqual(set(self.held([10.6])), {"b0"})

    def test_the_harmonic_stack(self):
        harmonic = [10.0, 5.0, 10.0 / 3, 2.5]
        self.assertEqual(self.held([0.98 * each for each in harmonic]), {})
        self.assertTrue(self.held([1.05 * each for each in harmonic]))


class FrictionTests(TestCase):
    def test_a_block_on_a_slope_slides_beyond_the_angle_of_friction(self):
        """It stays as long as tan a is at most the coefficient."""
        block = Body("block", 1.0, np.array([5.0, 5.0, 2.0]))
        contact = on("block", "slope", feet(0.0, 10.0))
        for degrees, stays in ((16.0, True), (18.0, False)):  # atan 0.3 is 16.7 degrees
            down = np.array([np.sin(np.radians(degrees)), 0.0, -np.cos(np.radians(degrees))])
            self.assertIs(not must_be_held([block], [contact], ["slope"], down, 0.3), stays, degrees)
            self.assertTrue(must_be_held([block], [contact], ["slope"], down, 0.0))

    def test_a_ladder_against_a_smooth_wall_slips_below_an_angle(self):
        """With friction f on the floor alone it stands where tan a is at least 1 / (2 f)."""
        for degrees, stands in ((61.0, True), (57.0, False)):  # f = 0.3: 59.04 degrees
            a, length = np.radians(degrees), 100.0
            foot, head = np.array([[0.0, 0.0, 0.0]]), np.array([[length * np.cos(a), 0.0, length * np.sin(a)]])
            ladder = Body("ladder", 1.0, head[0] / 2)
            floor = Contact("ladder", "floor", foot, UP[None])
            wall = Contact("ladder", "wall", head, np.array([[-1.0, 0.0, 0.0]]), smooth=True)
            held = must_be_held([ladder], [floor, wall], ["floor", "wall"], DOWN, 0.3)
            self.assertIs(not held, stands, degrees)


class ArchTests(TestCase):
    def arch(self, abutments: tuple[str, ...], friction: float = 0.4) -> dict[str, float]:
        """Three wedges of 40 degrees each between abutments, radii 50 and 70."""
        edges = np.radians([30.0, 70.0, 110.0, 150.0])
        bodies, contacts = [], []
        for k in range(3):
            middle = (edges[k] + edges[k + 1]) / 2
            bodies.append(Body(f"w{k}", 1.0, np.array([60 * np.cos(middle), 5.0, 60 * np.sin(middle)])))
        names = ["right", "w0", "w1", "w2", "left"]
        for k, angle in enumerate(edges):
            points = np.array([[r * np.cos(angle), y, r * np.sin(angle)] for r in (50.0, 70.0) for y in (0.0, 10.0)])
            normal = np.array([-np.sin(angle), 0.0, np.cos(angle)])  # toward the next wedge
            if {names[k], names[k + 1]} & {"right", "left"} <= set(abutments):
                contacts.append(on(names[k + 1], names[k], points, normal))
        return must_be_held(bodies, contacts, abutments, DOWN, friction)

    def test_an_arch_stands_between_its_abutments_and_falls_without_one(self):
        self.assertEqual(self.arch(("right", "left")), {})
        self.assertTrue(self.arch(("right",)))


class PatchTests(TestCase):
    def test_the_patch_of_two_blocks_is_their_common_rectangle(self):
        two = made("two", ("low", box((40, 30, 10))), ("high", box((20, 50, 10), (10, -10, 10.05))))
        low, high = two.leaves
        patch = patch_of(high.part.mesh, high.pose, low.part.mesh, low.pose)
        self.assertTrue(np.allclose(patch.normals, UP))
        self.assertTrue(
            np.allclose(patch.points[:, :2].min(0), (10, 0)) and np.allclose(patch.points[:, :2].max(0), (30, 30))
        )
        turned = made("turned", ("low", box((40, 30, 10))), ("high", box((5, 5, 5)), [at(10, 10, 10.3)]))
        apart = patch_of(turned.leaves[1].part.mesh, turned.leaves[1].pose, turned.leaves[0].part.mesh, np.eye(4))
        self.assertEqual(len(apart.points), 0)
