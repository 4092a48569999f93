"""Radial steps, paths and fans: closed forms, whole checks, the Score, and the file format."""

import json
from math import hypot, sqrt
from unittest import TestCase

import numpy as np

from pulley.core.contact.check import check
from pulley.core.errors import PulleyError
from pulley.core.formats import teardown as teardown_json
from pulley.core.geometry.curves import catmull_rom
from pulley.core.motion import Axis, Fan, Path, Radial
from pulley.core.score.compose import compose, displacement_at, ease
from pulley.core.score.stages import travels
from pulley.core.teardown import Step
from tests.scenes import RIGHT, UP, axial, boxes, changed, teardown, tower

Z_AXIS = Axis((0.0, 0.0, 0.0), (0.0, 0.0, 2.0))


def ends(assembly, step: Step) -> dict[str, np.ndarray]:
    """How far each leaf that a step moves has come at its end."""
    return {path: way.at(1.0)[:3, 3] for path, way in travels(assembly, step).items()}


def radial(members: tuple[str, ...], distance: float) -> Step:
    """A step away from the Z axis."""
    return Step("s1", members, Radial(distance, Z_AXIS))


def path(members: tuple[str, ...], *waypoints: tuple[float, float, float], **more) -> Step:
    """A step along waypoints."""
    return Step("s1", members, Path(waypoints, **more))


class RadialTests(TestCase):
    def setUp(self):
        size = (4.0, 4.0, 4.0)
        self.cross = boxes(
            east=(size, (8, -2, 0)), north=(size, (-2, 8, 0)), corner=(size, (4, 4, 0)), hub=(size, (-2, -2, 0))
        )

    def test_each_member_goes_its_own_way(self):
        moved = ends(self.cross, radial(("east", "north", "corner"), 10))
        np.testing.assert_allclose(moved["east"], [10, 0, 0], atol=1e-12)
        np.testing.assert_allclose(moved["north"], [0, 10, 0], atol=1e-12)
        np.testing.assert_allclose(moved["corner"], [10 / sqrt(2), 10 / sqrt(2), 0], atol=1e-12)

    def test_height_on_the_axis_does_not_matter(self):
        lifted = changed(radial(("east",), 10), axis=Axis((0.0, 0.0, 500.0), (0.0, 0.0, 1.0)))
        np.testing.assert_allclose(ends(self.cross, lifted)["east"], [10, 0, 0], atol=1e-12)

    def test_a_member_on_the_axis_is_named(self):
        with self.assertRaisesRegex(PulleyError, "Step s1: hub lies on the axis"):
            travels(self.cross, radial(("east", "hub"), 10))

    def test_members_part_without_a_snag_and_meet_what_is_in_the_way(self):
        self.assertTrue(check(self.cross, teardown(radial(("east", "north", "corner"), 30))).clear)
        ring = boxes(east=((4, 4, 4), (8, -2, 0)), wall=((1, 20, 20), (19, -10, -8)))
        snag = check(ring, teardown(radial(("east",), 30))).snags["s1"][0]
        self.assertEqual((snag.blocker, round(snag.travel, 6)), ("wall", 7.0))


class PathTests(TestCase):
    """A key under a ledge: only up-and-then-sideways is barred, sideways-and-then-up is free."""

    def setUp(self):
        self.lock = boxes(
            key=((10, 10, 10), (0, 0, 0)), ledge=((30, 10, 2), (0, 0, 15)), floor=((60, 10, 2), (-20, 0, -2))
        )

    def test_the_two_leg_way_out_is_clear_and_the_straight_ones_are_not(self):
        self.assertTrue(check(self.lock, teardown(path(("key",), (-15, 0, 0), (-15, 0, 30)))).clear)
        self.assertFalse(check(self.lock, teardown(axial(("key",), UP, 30))).clear)
        self.assertFalse(check(self.lock, teardown(path(("key",), (0, 0, 30), (-15, 0, 30)))).clear)

    def test_a_snag_on_the_second_leg_is_placed_along_the_whole_way(self):
        snags = check(self.lock, teardown(path(("key",), (0, 0, 3), (12, 0, 3), (12, 0, 20)))).snags["s1"]
        (sweep,) = [snag for snag in snags if snag.kind == "sweep"]
        # 3 up, 12 across, then the ledge after 2 more: 17 of 32
        self.assertAlmostEqual(sweep.travel, 17.0, places=6)
        self.assertAlmostEqual(sweep.at, 17 / 32, places=9)
        self.assertAlmostEqual(sweep.point[2], 15.0, places=6)

    def test_shares_follow_the_length_of_the_way(self):
        way = travels(self.lock, path(("key",), (0, 0, 30), (10, 0, 30)))["key"]
        np.testing.assert_allclose(way.shares, [0, 0.75, 1])
        np.testing.assert_allclose(way.at(0.875)[:3, 3], [5, 0, 30])
        self.assertEqual(way.length(1.0), 40.0)

    def test_a_fan_goes_on_along_the_last_leg(self):
        fanned = path(("middle", "high", "lid"), (0, 0, 30), (50, 0, 30), fan=Fan(12.0))
        moved = ends(tower(), fanned)
        self.assertEqual([moved[m].tolist() for m in fanned.members], [[50, 0, 30], [62, 0, 30], [74, 0, 30]])

    def test_fanned_members_are_swept_along_their_relative_ways(self):
        # of two boxes side by side the rear one goes farther: they meet where its lead has used up the gap of 5
        row = boxes(rear=((10, 10, 10), (0, 0, 0)), front=((10, 10, 10), (15, 0, 0)))
        snag = check(row, teardown(path(("front", "rear"), (20, 0, 0), fan=Fan(20.0)))).snags["s1"][0]
        self.assertEqual({snag.moving, snag.blocker}, {"front", "rear"})
        self.assertAlmostEqual(snag.at, 5 / 20, places=6)


class CurveTests(TestCase):
    POINTS = np.array([[0, 0, 0], [0, 0, 30], [40, 0, 30], [40, 25, 60.0]])

    def test_it_passes_through_every_point(self):
        curve = catmull_rom(self.POINTS)
        for point in self.POINTS:
            self.assertEqual(np.linalg.norm(curve - point, axis=1).min(), 0.0)

    def test_its_polyline_is_within_the_chord_error_of_a_finer_one(self):
        coarse, fine = catmull_rom(self.POINTS, 0.05), catmull_rom(self.POINTS, 1e-5)
        for point in fine:
            a, b = coarse[:-1], coarse[1:]
            s = np.clip(np.einsum("ij,ij->i", point - a, b - a) / np.einsum("ij,ij->i", b - a, b - a), 0, 1)
            self.assertLess(np.linalg.norm(a + s[:, None] * (b - a) - point, axis=1).min(), 0.06)

    def test_points_in_a_row_give_a_straight_line(self):
        curve = catmull_rom(np.array([[0, 0, 0], [1, 0, 0], [5, 0, 0], [30, 0, 0.0]]))
        self.assertLess(np.abs(curve[:, 1:]).max(), 1e-12)
        self.assertTrue((np.diff(curve[:, 0]) > 0).all())

    def test_two_points_are_a_line(self):
        self.assertEqual(catmull_rom(self.POINTS[:2]).tolist(), self.POINTS[:2].tolist())

    def test_a_smooth_path_is_checked_along_the_curve(self):
        smooth = path(("lid",), (0, 0, 30), (40, 0, 30), smooth=True)
        self.assertGreater(len(travels(tower(), smooth)["lid"].points), 8)
        self.assertTrue(check(tower(), teardown(smooth)).clear)


class ScoreTests(TestCase):
    def test_bends_are_reached_in_time_and_trails_have_them(self):
        bent = path(("lid",), (0, 0, 30), (10, 0, 30))
        score = compose(tower(), teardown(bent))
        (trail,) = score.trails
        bend, end = trail.points
        self.assertAlmostEqual(ease(bend[0] / 1.5), 0.75)
        np.testing.assert_allclose(np.subtract(bend[1], trail.anchor), [0, 0, 30], atol=1e-9)
        np.testing.assert_allclose(displacement_at(score.tracks["lid"], bend[0])[:3, 3], [0, 0, 30], atol=1e-9)
        self.assertEqual(displacement_at(score.tracks["lid"], end[0])[:3, 3].tolist(), [10, 0, 30])

    def test_steps_that_play_together_add_up_at_every_instant(self):
        both = (axial(("lid",), UP, 40), changed(axial(("lid",), RIGHT, 30, "s2"), start="with", duration=3.0))
        track = compose(tower(), teardown(*both)).tracks["lid"]
        for time in np.linspace(0, 3, 13):
            np.testing.assert_allclose(
                displacement_at(track, time)[:3, 3], [30 * ease(time / 3), 0, 40 * ease(time / 1.5)], atol=1e-12
            )
        self.assertAlmostEqual(hypot(*displacement_at(track, 3.0)[:3, 3]), 50.0)


class FileTests(TestCase):
    def document(self, **step) -> dict:
        return {"format": "pulley-teardown", "version": 1, "steps": [{"id": "s1", "members": ["lid"], **step}]}

    def test_every_kind_survives_a_round_trip(self):
        axis = {"origin": [0, 0, 0], "direction": [0, 0, 1]}
        for step in (
            {"kind": "radial", "axis": axis, "distance": 40},
            {"kind": "path", "waypoints": [[0, 0, 30], [50, 0, 30]], "smooth": True, "fan": {"pitch": 5}},
            {"kind": "turn", "axis": axis, "angle": 90, "advance": 1.25},
        ):
            with self.subTest(step["kind"]):
                again = json.loads(teardown_json.dumps(teardown_json.from_document(self.document(**step))))["steps"][0]
                self.assertEqual({key: again[key] for key in step}, step)

    def test_refusals_name_the_step_and_the_field(self):
        flat = {"origin": [0, 0, 0], "direction": [0, 0, 0]}
        for advice, step in (
            ("Step s1: needs one of “axis”, “point”", {"kind": "radial", "distance": 4}),
            ("Step s1: axis.direction is no direction", {"kind": "radial", "distance": 4, "axis": flat}),
            ('"waypoints" is a required', {"kind": "path"}),
            ("Step s1: waypoints", {"kind": "path", "waypoints": []}),
            ("Step s1: waypoints: number 2 is where", {"kind": "path", "waypoints": [[0, 0, 3], [0, 0, 3]]}),
            ("Step s1: waypoints: number 1 is where", {"kind": "path", "waypoints": [[0, 0, 0]]}),
            ('"angle" is a required', {"kind": "turn", "axis": {"origin": [0, 0, 0], "direction": [0, 0, 1]}}),
            ("Step s1: kind", {"kind": "wobble"}),
        ):
            with self.subTest(advice), self.assertRaisesRegex(PulleyError, advice):
                teardown_json.from_document(self.document(**step))
