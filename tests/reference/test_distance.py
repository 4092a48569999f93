"""Free travel against two independent distance computations: python-fcl on meshes, Open CASCADE on B-reps."""

from unittest import TestCase

import fcl
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from OCP.BRepExtrema import BRepExtrema_DistShapeShape
from OCP.gp import gp_Trsf, gp_Vec
from OCP.TopLoc import TopLoc_Location
from scipy.spatial.transform import Rotation

from pulley.core.contact.scene import Scene, home_scene
from pulley.core.contact.sweep import first_contact
from pulley.core.contact.turning import first_contact_turning
from pulley.core.geometry.frames import translation, unit
from pulley.core.geometry.mesh import Mesh, box_mesh
from pulley.core.kernel.shapes import mesh_shape
from pulley.core.motion import Axial, Axis, Path, Radial, Turn
from pulley.core.motion.travel import Screw
from pulley.core.score.compose import compose, displacement_at
from pulley.core.teardown import Step, Teardown
from shapes import box, cut, cylinder, fuse, sphere, torus
from tests.reference.fcl_bodies import fcl_model
from tests.scenes import DEMO, boxes, read

CHORD = 0.05


def distance(a: Mesh, a_pose: np.ndarray, b: Mesh, b_pose: np.ndarray) -> float:
    """Distance between two placed meshes in mm, by python-fcl."""
    objects = [
        fcl.CollisionObject(fcl_model(mesh), fcl.Transform(pose[:3, :3], pose[:3, 3]))
        for mesh, pose in ((a, a_pose), (b, b_pose))
    ]
    return fcl.distance(*objects, fcl.DistanceRequest(), fcl.DistanceResult())


def placed(generator: np.random.Generator, reach: float) -> np.ndarray:
    """A random pose."""
    pose = translation(generator.uniform(-reach, reach, 3))
    pose[:3, :3] = Rotation.random(random_state=generator).as_matrix()
    return pose


class RandomBoxTests(TestCase):
    def test_at_contact_the_distance_is_nothing_and_before_it_is_not(self):
        generator = np.random.default_rng(20261124)
        met = 0
        for _ in range(60):
            a, b = (box_mesh((0, 0, 0), tuple(generator.uniform(4, 30, 3))) for _ in range(2))
            a_pose, b_pose = placed(generator, 20), placed(generator, 20)
            b_pose[:3, 3] += 70
            along = unit(b_pose[:3, 3] - a_pose[:3, 3] + generator.uniform(-12, 12, 3))
            travel = first_contact(a, a_pose, b, b_pose, along).travel
            if not np.isfinite(travel):
                for share in np.linspace(0, 250, 100):
                    self.assertGreater(distance(a, translation(along * share) @ a_pose, b, b_pose), 0)
                continue
            met += 1
            self.assertLess(distance(a, translation(along * travel) @ a_pose, b, b_pose), 2e-3)
            for before in (1.0, 0.1, travel / 2):
                self.assertGreater(distance(a, translation(along * (travel - before)) @ a_pose, b, b_pose), 0)
        self.assertGreater(met, 20)


class DemoTests(TestCase):
    """Contacts of the rope block after some clear travel: touching there, apart 0.5 mm before."""

    def test_every_late_contact_of_the_demo(self):
        assembly = read(DEMO)
        scene, seen = home_scene(assembly), 0
        for leaf in {leaf.part.key: leaf for leaf in assembly.leaves}.values():
            for direction in np.vstack([np.eye(3), -np.eye(3)]):
                meeting = scene.first_meeting([leaf.path], direction)
                if meeting is None or meeting.travel < 0.9:
                    continue
                seen += 1
                other = assembly.by_path[meeting.blocker]
                at = translation(direction * meeting.travel) @ leaf.pose
                self.assertLess(distance(leaf.part.mesh, at, other.part.mesh, other.pose), 0.01, leaf.path)
                before = translation(direction * (meeting.travel - 0.5)) @ leaf.pose
                self.assertGreater(distance(leaf.part.mesh, before, other.part.mesh, other.pose), 0.0, leaf.path)
        self.assertGreater(seen, 5)


class ExactShapeTests(TestCase):
    """The exact distance between the B-reps at the reported contact lies within the chord error."""

    def test_round_things(self):
        plate = cut(box((-30, -30, 0), (30, 30, 5)), cylinder((0, 0, -1), (0, 0, 1), 6, 9))
        crossbar = cylinder((0, 0, 5), (0, 1, 0), 3, 30)
        mushroom = fuse(cylinder((0, 0, 0), (0, 0, 1), 5, 20), sphere((0, 0, 24), 9))
        movers = {
            "ball over a hole": (sphere((0, 0, 0), 10), plate, (0, 0, -1), (0, 0, 40)),
            "ring on a ball": (torus((0, 0, 0), (0, 0, 1), 9, 2), sphere((0, 0, 0), 10), (0, 0, -1), (1, 0, 35)),
            "pin beside a pin": (cylinder((0, 0, 0), (0, 0, 1), 4, 30), crossbar, (1, 0.3, 0), (-40, 0, 0)),
            "mushroom on a plate": (mushroom, plate, (0, 0, -1), (0, 0, 30)),
        }
        for name, (mover, rest, along, start) in movers.items():
            with self.subTest(name):
                direction = unit(np.array(along, float))
                a, b = mesh_shape(mover, CHORD), mesh_shape(rest, CHORD)
                pose = translation(np.array(start, float))
                travel = first_contact(a, pose, b, np.eye(4), direction).travel
                self.assertLess(self.exact(mover, pose[:3, 3] + direction * travel, rest), 2 * CHORD)
                self.assertGreater(self.exact(mover, pose[:3, 3] + direction * (travel - 1), rest), 0.05)

    def exact(self, mover: object, shift: np.ndarray, rest: object) -> float:
        transform = gp_Trsf()
        transform.SetTranslation(gp_Vec(*shift))
        return BRepExtrema_DistShapeShape(mover.Moved(TopLoc_Location(transform)), rest).Value()

    def test_ball_in_a_funnel_by_hand(self):
        # a ball of radius 10 comes to rest on the rim of a hole of radius 6 with its centre 8 above: 3-4-5 triangle
        plate = cut(box((-30, -30, 0), (30, 30, 5)), cylinder((0, 0, -1), (0, 0, 1), 6, 9))
        ball, hole = mesh_shape(sphere((0, 0, 0), 10), 0.01), mesh_shape(plate, 0.01)
        found = first_contact(ball, translation(np.array([0, 0, 40.0])), hole, np.eye(4), np.array([0, 0, -1.0]), 0.02)
        self.assertAlmostEqual(40 - found.travel, 5 + 8, delta=0.1)


number = st.floats(-40, 40, allow_nan=False).map(lambda x: round(x, 2))
size = st.floats(2, 20).map(lambda x: round(x, 2))
placed_box = st.tuples(st.tuples(size, size, size), st.tuples(number, number, number))


class PropertyTests(TestCase):
    @settings(max_examples=60, deadline=None, derandomize=True)
    @given(st.lists(placed_box, min_size=2, max_size=6), st.integers(0, 10_000), number, number)
    def test_moving_the_whole_scene_changes_nothing(self, placed_boxes, seed, x, y):
        assembly = boxes(**{f"b{k}": item for k, item in enumerate(placed_boxes)})
        along = unit(np.random.default_rng(seed).normal(size=3))
        away = translation(np.array([x, y, 3.0]))
        away[:3, :3] = Rotation.random(random_state=seed).as_matrix()
        here = home_scene(assembly).first_meeting(["b0"], along)
        there = Scene(assembly, {leaf.path: away @ leaf.pose for leaf in assembly.leaves})
        moved = there.first_meeting(["b0"], away[:3, :3] @ along)
        self.assertEqual(here is None, moved is None)
        if here:
            self.assertAlmostEqual(here.travel, moved.travel, places=5)

    @settings(max_examples=40, deadline=None, derandomize=True)
    @given(st.lists(placed_box, min_size=2, max_size=5), st.integers(0, 10_000), st.floats(-30, 30), st.floats(20, 300))
    def test_moving_the_whole_scene_changes_no_turn(self, placed_boxes, seed, advance, angle):
        assembly = boxes(**{f"b{k}": item for k, item in enumerate(placed_boxes)})
        generator = np.random.default_rng(seed)
        motion = Screw.about(tuple(generator.normal(size=3) * 10), tuple(generator.normal(size=3)), angle, advance)
        away = translation(np.array([500.0, -300.0, 200.0]))
        away[:3, :3] = Rotation.random(random_state=seed).as_matrix()
        moved_axis = (away[:3, :3] @ motion.origin + away[:3, 3], away[:3, :3] @ motion.direction)
        moved = Screw.about(*map(tuple, moved_axis), angle, advance)
        mover, *others = assembly.leaves
        for other in others:
            bodies = (mover.part.mesh, mover.pose, other.part.mesh, other.pose)
            here = first_contact_turning(*bodies, motion)
            bodies = (mover.part.mesh, away @ mover.pose, other.part.mesh, away @ other.pose)
            there = first_contact_turning(*bodies, moved)
            if min(here.deep, there.deep) < angle - 1:  # a contact just as the turn ends may fall on either side
                self.assertAlmostEqual(here.travel, there.travel, delta=0.2)

    @settings(max_examples=40, deadline=None, derandomize=True)
    @given(st.lists(st.tuples(st.sampled_from(range(4)), number, number, size), min_size=1, max_size=5))
    def test_explode_then_collapse_is_home_bit_for_bit(self, drawn):
        assembly = boxes(a=((4, 4, 4), (8, -2, 0)), b=((4, 4, 4), (-9, 3, 0)))
        axis = Axis((1.0, 2.0, 3.0), (0.0, 0.6, 0.8))
        kinds = (
            lambda x, y, d: Axial((x, y, 1.0), d),
            lambda x, y, d: Radial(d, axis),
            lambda x, y, d: Path(((x, y, 50.0), (x, y, 50.0 + d)), x > 0),
            lambda x, y, d: Turn(axis, 10 * d, x),
        )
        steps = [Step(f"s{k}", ("a", "b"), kinds[kind](x, y, d)) for k, (kind, x, y, d) in enumerate(drawn)]
        score = compose(assembly, Teardown("", tuple(steps)))
        for track in score.tracks.values():
            instants = np.linspace(score.duration, 0.0, 7)
            poses = [displacement_at(track, float(time)) for time in (*instants[::-1], *instants)]
            self.assertEqual(poses[0].tobytes(), np.eye(4).tobytes())
            self.assertEqual(poses[-1].tobytes(), np.eye(4).tobytes())
            self.assertEqual([p.tobytes() for p in poses], [p.tobytes() for p in reversed(poses)])

    @settings(max_examples=60, deadline=None, derandomize=True)
    @given(st.lists(placed_box, min_size=3, max_size=6), st.sampled_from(range(6)))
    def test_removing_a_component_never_shortens_a_way(self, placed_boxes, axis):
        assembly = boxes(**{f"b{k}": item for k, item in enumerate(placed_boxes)})
        along = np.vstack([np.eye(3), -np.eye(3)])[axis]
        before = home_scene(assembly).first_meeting(["b0"], along)
        after = home_scene(assembly, ["b1"]).first_meeting(["b0"], along)
        limit = np.inf if before is None else before.travel
        self.assertGreaterEqual(np.inf if after is None else after.travel, limit - 1e-9)
