"""What a pointer means, what lies round an axis, what a fan's layers are, and lengths as people type them."""

from unittest import TestCase

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from pulley.core.contact.scene import home_scene
from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import apply
from pulley.core.motion.travel import Screw
from pulley.core.planning.outward import common_axis, free_turn, outward, own_axis
from pulley.core.planning.pointing import Feature, beyond, feature_at, onto
from pulley.core.planning.stacking import stack_layers
from pulley.core.planning.ways_out import ways_out
from pulley.core.quantities import parse_length, round_pitch, shown
from tests.scenes import ROOT, UP, boxes, read, tower

HATCH, CLEAT, FOOT = (ROOT / f"demo/{name}.step" for name in ("round_hatch", "cam_cleat", "mast_foot"))


TYPED = [
    ("2*35", "mm", 70),
    ("3/8 in", "mm", 9.525),
    ("1 1/2", "in", 38.1),
    ('1 1/2"', "mm", 38.1),
    ("2", "in", 50.8),
    ("5 cm", "mm", 50),
    ("(2+3)*4", "cm", 200),
    ("35mm+1/2in", "mm", 47.7),
    ("2 in", "cm", 50.8),
    ("-5", "mm", -5),
    ("1e3", "mm", 1000),
    *(
        (bad, "mm", None)
        for bad in ("22,5", "9**9**9", "1/0", "5 apples", "__import__('os')", "9*" * 60 + "9", "2*s", "")
    ),
]


class PointingTests(TestCase):
    @classmethod
    def setUpClass(cls):
        cls.scene = home_scene(read(FOOT))

    def at(self, name: str, point, normal, reach: float = 0.5) -> Feature:
        return feature_at(self.scene, f"Mast foot/{name}", np.array(point, float), np.array(normal, float), reach)

    def test_a_flat_face_gives_its_normal(self):
        found = self.at("Foot block", (-20, -40, 35), (0, -1, 0))
        self.assertEqual((found.kind, found.direction), ("face", (0, -1, 0)))
        self.assertEqual(found.words, "flat face, facing to the front")

    def test_a_round_face_gives_its_axis_at_the_nearer_end(self):
        found = self.at("Mast", (20, 0, 100), (1, 0, 0))
        self.assertEqual((found.kind, np.abs(found.direction).tolist()), ("round", [0, 0, 1]))
        self.assertEqual(np.round(found.origin, 6).tolist(), [0, 0, 120])

    def test_an_edge_gives_its_line_and_a_corner_a_point(self):
        edge = self.at("Foot block", (0, -39.8, 50), (0, 0, 1))
        self.assertEqual((edge.kind, np.abs(edge.direction).tolist()), ("edge", [1, 0, 0]))
        corner = self.at("Foot block", (39.8, -39.9, 50), (0, 0, 1))
        self.assertEqual((corner.kind, corner.direction, corner.origin), ("corner", None, (40, -40, 50)))

    def test_the_rim_of_a_round_face_is_no_straight_edge(self):
        self.assertEqual(self.at("Mast", (20, 0, 119.8), (1, 0, 0)).kind, "round")

    def test_nothing_there(self):
        with self.assertRaisesRegex(PulleyError, "nothing to point at"):
            self.at("Gone", (0, 0, 0), (0, 0, 1))

    def test_round_face_on_round_face_face_on_face_point_on_point(self):
        pin = self.at("Halyard pin", (50, 8, 15), (0, 1, 0))
        mast = self.at("Mast", (20, 0, 100), (1, 0, 0))
        laid = onto(pin, mast)
        self.assertEqual(apply(laid, np.array(pin.origin)).round(6).tolist(), [0, 0, 120])
        self.assertAlmostEqual(abs((laid[:3, :3] @ pin.direction)[2]), 1)
        flipped = onto(pin, mast, flip=True)
        np.testing.assert_allclose(laid[:3, :3] @ pin.direction, -(flipped[:3, :3] @ pin.direction), atol=1e-9)
        top = Feature("face", "a", (0, 0, 50), (0, 0, 1))
        side = Feature("face", "b", (40, 0, 15), (1, 0, 0))
        met = onto(side, top)
        np.testing.assert_allclose(met[:3, :3] @ (1, 0, 0), (0, 0, -1), atol=1e-9)
        self.assertEqual(np.linalg.det(met[:3, :3]).round(9), 1)
        points = onto(Feature("corner", "a", (1, 2, 3), None), Feature("corner", "b", (5, 5, 5), None))
        self.assertEqual(points[:3, 3].tolist(), [4, 3, 2])

    def test_everything_beyond_a_face(self):
        scene = home_scene(tower())
        self.assertEqual(beyond(scene, np.array([0, 0, 20.0]), np.array(UP)), ("high", "lid"))


class AxisTests(TestCase):
    def test_a_circle_has_an_axis_and_two_have_one_between(self):
        scene = home_scene(read(HATCH))
        screws = [f"Round hatch/Rim screw{'' if k == 1 else f'#{k}'}" for k in range(1, 7)]
        axis = common_axis(scene, screws)
        np.testing.assert_allclose(axis.origin, (0, 0, 12), atol=1e-3)
        self.assertEqual(axis.direction, UP)
        out = outward(scene, screws, axis, 5.0)
        self.assertIsNone(out.free)
        self.assertEqual(out.directions[screws[0]], (1, 0, 0))
        pair = common_axis(scene, screws[:1] + screws[3:4])
        np.testing.assert_allclose(pair.origin, (0, 0, 12), atol=1e-3)
        self.assertEqual(pair.direction, UP)
        self.assertIsNone(common_axis(scene, screws[:1]))
        self.assertIsNone(common_axis(home_scene(tower()), ["low", "middle", "lid"]))

    def test_a_member_on_the_axis_has_no_direction(self):
        scene = home_scene(read(HATCH))
        axis = common_axis(scene, [f"Round hatch/Rim screw#{k}" for k in (2, 3, 4)])
        self.assertIsNone(outward(scene, ["Round hatch/Lid"], axis, 5.0).directions["Round hatch/Lid"])

    def test_turning_about_its_own_axis_and_against_a_wall(self):
        scene = home_scene(read(FOOT))
        axis = own_axis(scene, ["Mast foot/Heel bolt"])
        self.assertEqual(np.abs(axis.direction).tolist(), [1, 0, 0])
        self.assertEqual(
            free_turn(scene, ["Mast foot/Heel bolt"], Screw.about(axis.origin, axis.direction, 360, 0)), (None, None)
        )
        bar = boxes(bar=((20.0, 2.0, 2.0), (0, -1, 0)), wall=((2.0, 20.0, 2.0), (-1, 5, 0)))
        free, blocker = free_turn(home_scene(bar), ["bar"], Screw.about((0, 0, 0), UP, 360, 0))
        self.assertEqual(blocker, "wall")
        self.assertTrue(60 < free < 90)


class StackTests(TestCase):
    def test_a_bolt_lies_in_front_of_the_plate_that_its_head_holds(self):
        assembly = read(CLEAT)
        members = [component.path for component in assembly.leaves]
        layers = [
            [path.rpartition("/")[2].partition("#")[0] for path in layer]
            for layer in stack_layers(home_scene(assembly), members, UP)
        ]
        self.assertEqual(layers, [["Base"], ["Spring"] * 2, ["Cam"] * 2, ["Top plate"], ["Bolt"] * 4])

    def test_side_by_side_each_is_a_layer(self):
        pair = boxes(a=((5.0, 5.0, 5.0), (0, 0, 10)), b=((5.0, 5.0, 5.0), (20, 0, 0)))
        self.assertEqual(stack_layers(home_scene(pair), ["a", "b"], UP), (("b",), ("a",)))

    def test_the_best_way_out_is_along_the_own_axis(self):
        scene = home_scene(read(FOOT))
        for name, axis in (
            ("Mast", "+Z"),
            ("Halyard pin", "+X"),
            ("Heel bolt", "-X"),
            ("Aft plug", "+Y"),
            ("Fore plug", "-Y"),
        ):
            with self.subTest(name):
                self.assertEqual(ways_out(scene, [f"Mast foot/{name}"])[0].axis, axis)


class LengthTests(TestCase):
    """25.4 mm to the inch: international yard and pound agreement of 1959, from memory."""

    def test_arithmetic_and_units(self):
        for text, unit, wanted in TYPED:
            with self.subTest(text):
                if wanted is None:
                    self.assertRaises(PulleyError, parse_length, text, unit)
                else:
                    self.assertAlmostEqual(parse_length(text, unit), wanted)

    @given(st.floats(0.01, 5000), st.sampled_from(["mm", "cm", "in"]))
    def test_what_is_shown_is_read_back(self, mm: float, unit: str):
        self.assertAlmostEqual(parse_length(shown(mm, unit), unit), mm, delta=0.014)

    @given(st.text(max_size=30))
    def test_anything_typed_is_a_length_or_refused(self, text: str):
        try:
            parse_length(text)
        except PulleyError as error:
            self.assertTrue(str(error))

    def test_a_round_pitch(self):
        self.assertEqual([round_pitch(size) for size in (80, 270, 2700)], [2, 5, 50])
        self.assertEqual(round_pitch(270, "in"), 25.4 / 4)
