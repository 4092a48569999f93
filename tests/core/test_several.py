"""Changes to several steps at once, to members, to places in a stack, bundles, kept poses, placed components."""

from dataclasses import replace
from unittest import TestCase

import numpy as np

from pulley.core import editing
from pulley.core.contact.check import check
from pulley.core.errors import PulleyError
from pulley.core.formats import teardown as teardown_json
from pulley.core.geometry.frames import apply, translation
from pulley.core.motion import Axis, Path, Turn
from pulley.core.motion.travel import screw_pose
from pulley.core.score.compose import bars, compose, displacement_at
from pulley.core.score.stages import displacements
from pulley.core.teardown import Step, Teardown
from tests.scenes import DOWN, LEFT, RIGHT, UP, axial, boxes, changed, teardown, tower

Z_AXIS = Axis((0.0, 0.0, 0.0), UP)


def ends(plan: Teardown) -> dict[str, list[float]]:
    """Where the tower's boxes end, in mm from home."""
    return {path: pose[:3, 3].round(6).tolist() for path, pose in displacements(tower(), plan)[-1].items()}


class DistanceTests(TestCase):
    def setUp(self):
        self.plan = teardown(axial(("lid",), UP, 60), axial(("high",), UP, 30, "s2"), axial(("middle",), UP, 10, "s3"))

    def distances(self, plan: Teardown) -> list[float]:
        return [step.motion.distance for step in plan.steps]

    def test_same_scaled_and_farther(self):
        self.assertEqual(self.distances(editing.same_distance(self.plan, ["s1", "s3"], 45)), [45, 30, 45])
        self.assertEqual(self.distances(editing.scale_distances(self.plan, ["s1", "s2"], 1.5)), [90, 45, 10])
        self.assertEqual(self.distances(editing.shift_distances(self.plan, ["s2", "s3"], -5)), [60, 25, 5])

    def test_none_may_end_below_nothing(self):
        for change, by in ((editing.shift_distances, -10), (editing.scale_distances, 0), (editing.same_distance, -3)):
            with self.subTest(change.__name__), self.assertRaises(PulleyError):
                change(self.plan, ["s1", "s3"], by)
        with self.assertRaisesRegex(PulleyError, "No step is chosen"):
            editing.same_distance(self.plan, [], 10)

    def test_a_path_scales_and_a_turn_has_no_distance(self):
        path = Step("s4", ("low",), Path(((0, 0, 10.0), (20.0, 0, 10.0))))
        turn = Step("s5", ("low",), Turn(Z_AXIS, 90))
        plan = replace(self.plan, steps=(*self.plan.steps, path, turn))
        self.assertEqual(editing.scale_distances(plan, ["s4", "s5"], 2).steps[3].motion.waypoints[1], (40, 0, 20))
        with self.assertRaisesRegex(PulleyError, "no single distance"):
            editing.same_distance(plan, ["s4", "s5"], 20)

    def test_switched_off_it_moves_nothing_and_takes_no_time(self):
        off = editing.switch(self.plan, ["s2"], True)
        self.assertNotIn("high", ends(off))
        self.assertEqual([(bar.start, bar.end) for bar in bars(off.steps)], [(0, 1.5), (1.5, 1.5), (1.5, 3.0)])
        self.assertTrue(check(tower(), editing.switch(self.plan, ["s1", "s2", "s3"], True)).clear)
        self.assertEqual(editing.switch(off, ["s2"], False), self.plan)

    def test_off_beside_a_step_that_plays_with_it(self):
        plan = teardown(axial(("lid",), UP, 60), changed(axial(("high",), UP, 10, "s2"), start="with", off=True))
        self.assertTrue(check(tower(), plan).clear)

    def test_order_duplicates_and_deletion(self):
        moved = editing.put_before(self.plan, ["s2", "s3"], "s1")
        self.assertEqual([step.id for step in moved.steps], ["s2", "s3", "s1"])
        self.assertEqual([s.id for s in editing.put_before(self.plan, ["s1"], None).steps], ["s2", "s3", "s1"])
        self.assertEqual([s.id for s in editing.shift_steps(self.plan, ["s1", "s2"], 1).steps], ["s3", "s1", "s2"])
        twice, made = editing.duplicate(self.plan, ["s1", "s2"])
        self.assertEqual(([s.id for s in twice.steps], made), (["s1", "s2", "s4", "s5", "s3"], ["s4", "s5"]))
        self.assertEqual([s.id for s in editing.delete_steps(twice, ["s4", "s1"]).steps], ["s2", "s5", "s3"])

    def test_marks_and_notes(self):
        marked = editing.mark(self.plan, ["s1"], "moss")
        self.assertEqual(editing.set_note(marked, "s1", " two\r\nlines ").steps[0].note, "two\nlines")
        again = teardown_json.loads(teardown_json.dumps(editing.set_note(marked, "s1", "mind the spring")))
        self.assertEqual((again.steps[0].colour, again.steps[0].note), ("moss", "mind the spring"))
        with self.assertRaisesRegex(PulleyError, "no mark"):
            editing.mark(self.plan, ["s1"], "#ff0000")
        with self.assertRaisesRegex(PulleyError, "Shorten it"):
            editing.set_note(self.plan, "s1", "x" * 2001)


class MergeTests(TestCase):
    def test_equal_motions_become_one_and_part_again(self):
        plan = teardown(axial(("lid",), UP, 40), axial(("high",), UP, 40, "s2"))
        merged, step = editing.merge(plan, ["s1", "s2"])
        self.assertEqual((step.members, len(merged.steps)), (("lid", "high"), 1))
        apart = editing.split(merged, tower(), step.id)
        self.assertEqual([(s.members, s.timing.start) for s in apart.steps], [(("lid",), None), (("high",), "with")])
        self.assertEqual(ends(apart), ends(plan))

    def test_even_distances_become_a_fan_and_keep_their_ends(self):
        plan = teardown(axial(("lid",), UP, 60), axial(("high",), UP, 40, "s2"), axial(("middle",), UP, 20, "s3"))
        merged, step = editing.merge(plan, ["s1", "s2", "s3"])
        self.assertEqual(
            (step.members, step.motion.distance, step.motion.fan.pitch), (("middle", "high", "lid"), 20, 20)
        )
        self.assertEqual(ends(merged), ends(plan))
        self.assertEqual(ends(editing.split(merged, tower(), step.id)), ends(plan))

    def test_layers_where_distances_are_shared(self):
        plan = teardown(axial(("lid", "high"), UP, 40), axial(("middle",), UP, 20, "s2"))
        merged, step = editing.merge(plan, ["s1", "s2"])
        self.assertEqual(step.motion.fan.layers, (1, 2))
        self.assertEqual(ends(merged), ends(plan))

    def test_what_cannot_be_one_says_why(self):
        up, aside = axial(("lid",), UP, 40), axial(("high",), RIGHT, 40, "s2")
        for other, advice in (
            (aside, "go different ways"),
            (axial(("lid",), UP, 40, "s2"), "moves it only once"),
            (replace(aside, motion=Turn(Z_AXIS, 90)), "go different ways"),
        ):
            with self.subTest(advice), self.assertRaisesRegex(PulleyError, advice):
                editing.merge(teardown(up, other), ["s1", "s2"])
        uneven = teardown(up, axial(("high",), UP, 30, "s2"), axial(("middle",), UP, 5, "s3"))
        with self.assertRaisesRegex(PulleyError, "not evenly spaced"):
            editing.merge(uneven, ["s1", "s2", "s3"])
        with self.assertRaisesRegex(PulleyError, "nothing to split"):
            editing.split(uneven, tower(), "s1")


class OtherSideTests(TestCase):
    def setUp(self):
        size = (10.0, 10.0, 10.0)
        part = boxes(a=(size, (-30, 0, 0)), b=(size, (20, 0, 0)), bed=((100.0, 40.0, 5.0), (-50, -15, -5)))
        first = part.leaf("a").part
        alike = [
            replace(c, part=first, pose=translation(np.array([20.0, 0, 0]))) if c.path == "b" else c
            for c in part.components
        ]
        alike[0] = replace(alike[0], pose=translation(np.array([-30.0, 0, 0])))
        self.pair = replace(part, components=tuple(alike))

    def test_the_same_on_the_other_side(self):
        plan, made = editing.mirror(teardown(axial(("a",), LEFT, 40)), self.pair, ["s1"], "x")
        self.assertEqual((plan.steps[1].members, plan.steps[1].motion.direction, made), (("b",), RIGHT, ["s2"]))

    def test_what_has_no_counterpart_is_named(self):
        with self.assertRaisesRegex(PulleyError, "a has no counterpart"):
            editing.mirror(teardown(axial(("a",), LEFT, 40)), self.pair, ["s1"], "z")
        with self.assertRaisesRegex(PulleyError, "across which axis"):
            editing.mirror(teardown(axial(("a",), LEFT, 40)), self.pair, ["s1"], "w")


class NeighbourTests(TestCase):
    def test_in_a_fan_the_order_changes_and_the_spacing_stays(self):
        plan = teardown(changed(axial(("middle", "high", "lid"), UP, 20), pitch=20.0))
        swapped = editing.put_next_to(plan, tower(), "middle", "lid")
        self.assertEqual(swapped.steps[0].members, ("high", "lid", "middle"))
        self.assertEqual(sorted(place[2] for place in ends(swapped).values()), [20, 40, 60])

    def test_among_steps_the_gaps_stay_and_the_place_left_closes_up(self):
        plan = teardown(axial(("lid",), UP, 60), axial(("high",), UP, 40, "s2"), axial(("middle",), UP, 20, "s3"))
        gaps = self.gaps(plan)
        moved = editing.put_next_to(plan, tower(), "middle", "lid", in_front=True)
        self.assertEqual([step.id for step in moved.steps], ["s3", "s1", "s2"])
        self.assertEqual(self.order(moved), ["high", "lid", "middle"])
        self.assertEqual(self.gaps(moved), gaps)
        back = editing.put_next_to(moved, tower(), "middle", "high", in_front=False)
        self.assertEqual((self.order(back), self.gaps(back)), (["middle", "high", "lid"], gaps))

    def extents(self, plan: Teardown) -> list[tuple[float, float, str]]:
        home = {"middle": (10, 20), "high": (20, 30), "lid": (35, 45)}
        return sorted((home[k][0] + z[2], home[k][1] + z[2], k) for k, z in ends(plan).items())

    def order(self, plan: Teardown) -> list[str]:
        return [name for _, _, name in self.extents(plan)]

    def gaps(self, plan: Teardown) -> list[float]:
        reach = self.extents(plan)
        return [round(b[0] - a[1], 6) for a, b in zip(reach, reach[1:], strict=False)]

    def test_only_along_one_line(self):
        plan = teardown(axial(("lid",), UP, 60), axial(("high",), RIGHT, 40, "s2"))
        for mover, neighbour, advice in (
            ("lid", "high", "one line"),
            ("lid", "lid", "another component"),
            ("low", "lid", "no straight step"),
            ("lid", "nothing", "no such component"),
        ):
            with self.subTest(advice), self.assertRaisesRegex(PulleyError, advice):
                editing.put_next_to(plan, tower(), mover, neighbour)


class MemberTests(TestCase):
    def test_added_members_keep_layers(self):
        plan = teardown(changed(axial(("low", "middle"), UP, 10), pitch=10.0, layers=(2,)))
        more = editing.add_members(plan, tower(), "s1", ["lid"])
        self.assertEqual((more.steps[0].members, more.steps[0].motion.fan.layers), (("low", "middle", "lid"), (2, 1)))
        less = editing.drop_member(more, "s1", "low")
        self.assertEqual((less.steps[0].members, less.steps[0].motion.fan.layers), (("middle", "lid"), (1, 1)))
        with self.assertRaisesRegex(PulleyError, "already"):
            editing.add_members(plan, tower(), "s1", ["low"])

    def test_a_fan_in_layers_by_what_lies_in_front_of_what(self):
        pair = boxes(
            bed=((40.0, 40.0, 5.0), (0, 0, 0)),
            left=((10.0, 10.0, 10.0), (0, 0, 5)),
            right=((10.0, 10.0, 10.0), (20, 0, 5)),
        )
        plan = teardown(changed(axial(("left", "right", "bed"), UP, 10), pitch=10.0))
        step = editing.layer_alike(plan, pair, "s1").steps[0]
        self.assertEqual((step.members, step.motion.fan.layers), (("bed", "left", "right"), (1, 2)))


class KeptTests(TestCase):
    def test_bundles(self):
        plan = editing.tie(Teardown("Plan"), tower(), "Upper  half", ["high", "lid"])
        plan = editing.tie(plan, tower(), "Upper half", ["lid"])
        self.assertEqual([(b.name, b.members) for b in plan.bundles], [("Upper half", ("lid",))])
        named = editing.rename_bundle(editing.tie(plan, tower(), "نصف", ["low"]), "Upper half", "Top")
        self.assertEqual([b.name for b in named.bundles], ["Top", "نصف"])
        again = teardown_json.loads(teardown_json.dumps(named))
        self.assertEqual(again.bundles, named.bundles)
        self.assertEqual([b.name for b in editing.untie(named, "Top").bundles], ["نصف"])
        for change in (
            lambda: editing.rename_bundle(named, "Top", "نصف"),
            lambda: editing.untie(named, "Gone"),
            lambda: editing.tie(named, tower(), "", ["low"]),
            lambda: editing.tie(named, tower(), "Empty", []),
        ):
            with self.assertRaises(PulleyError):
                change()

    def test_poses_follow_their_step(self):
        plan = teardown(axial(("lid",), UP, 60), axial(("high",), UP, 30, "s2"))
        kept, pose = editing.keep_pose(plan, "Half open", "s2", 0.5)
        again = teardown_json.loads(teardown_json.dumps(kept))
        self.assertEqual(again.poses, (pose,))
        self.assertEqual(editing.rename_pose(kept, pose.id, "Open").poses[0].name, "Open")
        self.assertEqual(editing.delete_pose(kept, pose.id).poses, ())
        for step, share in (("s9", 0.5), ("s1", 1.5)):
            with self.assertRaises(PulleyError):
                editing.keep_pose(plan, "Bad", step, share)


class PlacedTests(TestCase):
    def test_a_placed_component_begins_elsewhere_and_travels_from_there(self):
        turned = screw_pose(np.zeros(3), np.array([0, 0, 1.0]), 90, 0)
        plan = editing.place(
            teardown(axial(("lid",), UP, 60)), tower(), "lid", translation(np.array([50.0, 0, 0])) @ turned
        )
        again = teardown_json.loads(teardown_json.dumps(plan))
        score = compose(tower(), again)
        start, end = (displacement_at(score.tracks["lid"], time) for time in (0.0, score.duration))
        corner = np.array([10.0, 0.0, 35.0])
        self.assertEqual(apply(start, corner).round(6).tolist(), [50, 10, 35])
        self.assertEqual(apply(end, corner).round(6).tolist(), [50, 10, 95])
        (trail,) = score.trails
        self.assertEqual((np.array(trail.points[-1][1]) - trail.origin).round(6).tolist(), [0, 0, 60])

    def test_it_is_checked_where_it_stands(self):
        down = teardown(axial(("lid",), DOWN, 20))
        self.assertFalse(check(tower(), down).clear)
        aside = editing.place(down, tower(), "lid", translation(np.array([50.0, 0, 0])))
        self.assertTrue(check(tower(), aside).clear)
        into = editing.place(Teardown("Plan"), tower(), "lid", translation(np.array([0, 0, -10.0])))
        self.assertFalse(check(tower(), into).clear)  # placed into the box below

    def test_put_back(self):
        plan = editing.place(Teardown("Plan"), tower(), "lid", translation(np.array([50.0, 0, 0])))
        self.assertEqual(editing.put_back(plan, "lid").placed, ())
        with self.assertRaisesRegex(PulleyError, "where the file has it"):
            editing.put_back(plan, "low")
