"""Whole-teardown checks, ways out and the Score, on towers of boxes whose answers are plain."""

from dataclasses import replace
from unittest import TestCase

import numpy as np

from pulley.core.contact.check import check
from pulley.core.contact.scene import home_scene
from pulley.core.errors import PulleyError
from pulley.core.planning.ways_out import ways_out
from pulley.core.quantities import round_down
from pulley.core.score.compose import bars, compose, displacement_at, ease
from pulley.core.score.stages import displacements, poses_at
from pulley.core.teardown import Camera
from tests.scenes import DOWN, LEFT, RIGHT, UP, axial, changed, teardown, tower


class CheckTests(TestCase):
    def setUp(self):
        self.tower = tower()

    def test_a_free_step_is_clear(self):
        verdict = check(self.tower, teardown(axial(("lid",), UP, 30)))
        self.assertTrue(verdict.clear)

    def test_a_snag_names_both_and_says_where(self):
        verdict = check(self.tower, teardown(axial(("high",), UP, 20)))
        sweep = [snag for snag in verdict.snags["s1"] if snag.kind == "sweep"]
        self.assertEqual([(s.moving, s.blocker) for s in sweep], [("high", "lid")])
        self.assertAlmostEqual(sweep[0].travel, 5.0)
        self.assertAlmostEqual(sweep[0].at, 0.25)
        self.assertAlmostEqual(sweep[0].point[2], 35.0)

    def test_order_decides(self):
        lid_first = teardown(axial(("lid",), UP, 60), axial(("high",), UP, 30, "s2"))
        high_first = teardown(axial(("high",), UP, 30), axial(("lid",), UP, 60, "s2"))
        self.assertTrue(check(self.tower, lid_first).clear)
        self.assertFalse(check(self.tower, high_first).clear)

    def test_ending_inside_another_is_a_snag_of_the_last_mover(self):
        apart = teardown(axial(("high",), RIGHT, 40), axial(("lid",), RIGHT, 40, "s2"), axial(("lid",), DOWN, 12, "s3"))
        verdict = check(self.tower, apart)
        self.assertEqual([(o.a, o.b) for o in verdict.overlaps], [("high", "lid")])
        self.assertAlmostEqual(verdict.overlaps[0].depth, 7.0, places=6)
        self.assertIn("end", [snag.kind for snag in verdict.snags["s3"]])

    def test_a_confirmed_fit_may_overlap(self):
        step = teardown(axial(("high",), UP, 20))
        fitted = replace(step, fits=({"a": "high", "b": "lid"},))
        self.assertTrue(check(self.tower, fitted).clear)

    def test_fan_members_are_checked_against_each_other(self):
        together = teardown(axial(("middle", "high", "lid"), UP, 20))
        self.assertTrue(check(self.tower, together).clear)
        reversed_fan = changed(axial(("high", "middle"), UP, 2), pitch=5.0)
        snags = check(self.tower, teardown(reversed_fan)).snags["s1"]
        self.assertIn(("middle", "high"), [(s.moving, s.blocker) for s in snags])

    def test_renaming_and_timing_do_not_change_the_verdict(self):
        step = axial(("high",), UP, 20)
        plain = check(self.tower, teardown(step)).snags["s1"]
        renamed = check(self.tower, teardown(changed(step, label="Other", duration=9.0))).snags["s1"]
        self.assertEqual(plain, renamed)

    def test_unknown_members_are_refused(self):
        with self.assertRaisesMessage("no component “nobody”"):
            check(self.tower, teardown(axial(("nobody",), UP, 20)))

    def assertRaisesMessage(self, text):  # noqa: N802
        return self.assertRaisesRegex(PulleyError, text)


class WaysOutTests(TestCase):
    def test_clear_ways_come_first_and_blockers_are_named(self):
        ways = ways_out(home_scene(tower()), ["high"])
        self.assertEqual([way.free for way in ways[:4]], [None] * 4)
        self.assertEqual({way.axis for way in ways[:4]}, {"+X", "-X", "+Y", "-Y"})
        self.assertEqual([(w.axis, w.free, w.blocker) for w in ways[4:]], [("+Z", 5.0, "lid"), ("-Z", 0.0, "middle")])

    def test_suggested_distances_are_round_and_never_past_the_stop(self):
        for way in ways_out(home_scene(tower()), ["high"]):
            self.assertAlmostEqual(way.suggested % 5, 0.0)
            self.assertLessEqual(way.suggested, way.free if way.free is not None else np.inf)

    def test_taking_the_suggested_way_is_clear(self):
        scene = home_scene(tower())
        for way in ways_out(scene, ["lid"]):
            if way.suggested > 0:
                self.assertTrue(check(scene.assembly, teardown(axial(("lid",), way.direction, way.suggested))).clear)

    def test_round_down(self):
        self.assertEqual([round_down(t) for t in (22.0, 25.0, 3.57, 0.04)], [20.0, 25.0, 3.5, 0.0])
        self.assertEqual(round_down(22.04, 0.1), 22.0)


class ScoreTests(TestCase):
    def setUp(self):
        self.tower = tower()
        self.plan = teardown(axial(("lid",), UP, 60), axial(("high", "lid"), LEFT, 30, "s2"))

    def test_steps_follow_one_another(self):
        first, second = self.plan.steps
        timed = bars((first, second, changed(first, id="s3", start="with"), changed(first, id="s4", start=0.5)))
        spans = [(bar.start, bar.end) for bar in timed]
        self.assertEqual(spans, [(0.0, 1.5), (1.5, 3.0), (1.5, 3.0), (3.5, 5.0)])

    def test_travels_add_up(self):
        track = compose(self.tower, self.plan).tracks["lid"]
        np.testing.assert_array_equal(displacement_at(track, 1.5)[:3, 3], [0, 0, 60])
        np.testing.assert_array_equal(displacement_at(track, 99.0)[:3, 3], [-30, 0, 60])
        np.testing.assert_allclose(displacement_at(track, 0.75)[:3, 3], [0, 0, 30])

    def test_explode_then_collapse_is_home_exactly(self):
        score = compose(self.tower, self.plan)
        for track in score.tracks.values():
            for time in (score.duration, 0.0):
                displacement = displacement_at(track, time)
            np.testing.assert_array_equal(displacement, np.eye(4))
        home = poses_at(self.tower, displacements(self.tower, self.plan)[0])
        self.assertTrue(all(np.array_equal(home[leaf.path], leaf.pose) for leaf in self.tower.leaves))

    def test_the_score_and_the_check_agree_on_the_end(self):
        score, end = compose(self.tower, self.plan), displacements(self.tower, self.plan)[-1]
        for path, track in score.tracks.items():
            np.testing.assert_array_equal(displacement_at(track, score.duration), end[path])

    def test_easing_is_exact_at_both_ends_and_half_way(self):
        self.assertEqual([ease(t) for t in (-1, 0, 0.5, 1, 2)], [0.0, 0.0, 0.5, 1.0, 1.0])

    def test_trails_run_from_home_to_where_the_part_is(self):
        trail = next(t for t in compose(self.tower, self.plan).trails if t.component == "lid")
        ends = [np.subtract(point, trail.anchor).tolist() for _, point in trail.points]
        self.assertEqual(ends, [[0, 0, 60], [-30, 0, 60]])

    def test_a_step_with_a_view_moves_the_camera(self):
        view = Camera("c1", "Front", (0, -100, 0), (0, 0, 0))
        seen = replace(self.plan, steps=(self.plan.steps[0], changed(self.plan.steps[1], camera="c1")), cameras=(view,))
        shots = compose(self.tower, seen).shots
        self.assertEqual([(s.start, s.end, s.camera.id) for s in shots], [(1.5, 2.3, "c1")])
