"""Which way comes first, what else would be when none is free, trials of steps, and measures between two things."""

from dataclasses import replace
from unittest import TestCase

import numpy as np
from scipy.optimize import minimize

from pulley.core import crossings, describe, editing
from pulley.core.camera import fitted, opened, project, tightened
from pulley.core.contact.check import check
from pulley.core.contact.scene import home_scene
from pulley.core.errors import PulleyError
from pulley.core.formats import teardown as teardown_json
from pulley.core.motion import Axial, Axis, Fan, Path
from pulley.core.planning.companions import matches
from pulley.core.planning.measuring import measure
from pulley.core.planning.otherwise import otherwise
from pulley.core.planning.outward import common_axis, odd_one, outward
from pulley.core.planning.pointing import Feature
from pulley.core.planning.scenes import scene_after
from pulley.core.planning.stacking import fan_layers, fan_step
from pulley.core.planning.trial import trial
from pulley.core.planning.ways_out import best_for, ways_out
from pulley.core.publish.frames import Take
from pulley.core.publish.settings import Film
from pulley.core.quantities import PITCH
from pulley.core.render.outlines import outlines
from pulley.core.render.scene import plain_scene
from pulley.core.score.compose import bars, compose
from pulley.core.teardown import STARTS, Camera, Step, Teardown
from tests.scenes import AS1, DEMO, DOWN, RIGHT, ROOT, UP, axial, boxes, read, teardown, tower

BOLT = "as1/l-bracket-assembly_1/nut-bolt-assembly_1/bolt_1"


def between(**corners):
    """An assembly of boxes: name=(lower corner, upper corner)."""
    return boxes(**{name: (tuple(np.subtract(high, low).tolist()), low) for name, (low, high) in corners.items()})


def in_a_box(lid: float = 200.0) -> dict:
    """A block in a box without a lid on the right; above it, ``lid`` mm up, a roof."""
    return {
        "floor": ((-50, -50, -10), (50, 50, 0)),
        "left": ((-50, -50, 0), (-40, 50, 60)),
        "back": ((-40, 40, 0), (50, 50, 60)),
        "front": ((-40, -50, 0), (50, -40, 60)),
        "roof": ((-50, -50, lid), (50, 50, lid + 10)),
        "block": ((-40, -40, 0), (20, 40, 30)),
    }


class OrderTests(TestCase):
    """The order of a fitter (common practice, no source)."""

    def test_up_is_free_far_enough_and_comes_before_aside(self):
        """The way aside is never stopped, the one up only after 170 mm: by free travel alone aside would be first."""
        ways = ways_out(home_scene(between(**in_a_box())), ["block"])
        self.assertEqual([way.word for way in ways[:2]], ["Up", "Right"])
        up, right = ways[:2]
        self.assertIsNone(right.free)
        self.assertAlmostEqual(up.free, 170, places=3)
        self.assertTrue(up.clears and right.clears)
        self.assertTrue(all(not way.clears for way in ways[2:]))

    def test_a_way_that_is_stopped_before_it_clears_comes_after_those_that_clear(self):
        ways = ways_out(home_scene(between(**in_a_box(lid=50.0))), ["block"])
        self.assertEqual(ways[0].word, "Right")
        up = next(way for way in ways if way.word == "Up")
        self.assertEqual((up.clears, up.suggested > 0), (False, True))

    def test_a_typed_distance_chooses_among_those_that_are_free_so_far(self):
        ways = ways_out(home_scene(between(**in_a_box())), ["block"])
        self.assertEqual([best_for(ways, mm).word for mm in (40, 169, 171)], ["Up", "Up", "Right"])
        held = ways_out(home_scene(tower()), ["middle"])
        self.assertEqual(best_for(held, 1e5).free or np.inf, max(way.free or np.inf for way in held))

    def test_a_screw_leaves_along_its_own_axis_and_far_enough_to_be_seen(self):
        assembly = read(DEMO)
        screw = next(leaf.path for leaf in assembly.leaves if leaf.part.name == "Cheek screw")
        best = ways_out(home_scene(assembly), [screw])[0]
        self.assertEqual((best.word, best.free), ("Up", None))
        self.assertGreater(best.suggested, 0.06 * assembly.diagonal)

    def test_no_suggested_distance_of_a_clearing_way_falls_short_of_standing_free(self):
        for way in ways_out(home_scene(between(**in_a_box())), ["block"])[:2]:
            low = np.array([-40.0, -40, 0]) + np.array(way.direction) * way.suggested
            axis = int(np.argmax(np.abs(way.direction)))
            walls = {0: 50.0, 2: 60.0}[axis]
            self.assertGreaterEqual(low[axis], walls)


class OtherwiseTests(TestCase):
    def ring(self):
        """Six screws in a flange that each leave only outward: above and below is something, beside them too."""
        pins = {}
        for k in range(4):
            side = np.array([(1, 0), (0, 1), (-1, 0), (0, -1)][k])
            low, high = sorted([tuple((side * r - 2).tolist()) for r in (30, 40)]), None
            (x0, y0), (x1, y1) = low
            high = (max(x0, x1) + 4, max(y0, y1) + 4)
            pins[f"pin{k}"] = ((min(x0, x1), min(y0, y1), 0), (*high, 4))
        return pins | {
            "above": ((-60, -60, 4), (60, 60, 8)),
            "below": ((-60, -60, -4), (60, 60, 0)),
            "core": ((-27, -27, 0), (27, 27, 4)),
        }

    def test_a_ring_that_is_held_along_every_line_may_go_outward(self):
        scene = home_scene(between(**self.ring()))
        pins = [f"pin{k}" for k in range(4)]
        ways = ways_out(scene, pins)
        self.assertFalse(any(way.clears for way in ways))
        found = otherwise(scene, pins, ways, PITCH)
        self.assertIsNone(found.outward.free)
        self.assertGreaterEqual(found.outward.suggested, 30 + 0.06 * scene.assembly.diagonal - 5)  # out from the plates

    def test_two_legs_and_what_to_take_off_first(self):
        """A block under a roof that is open to the right only above a sill."""
        around = {
            "floor": ((-50, -50, -10), (50, 50, 0)),
            "left": ((-50, -50, 0), (-40, 50, 60)),
            "back": ((-40, 40, 0), (50, 50, 60)),
            "front": ((-40, -50, 0), (50, -40, 60)),
            "roof": ((-50, -50, 60), (50, 50, 70)),
            "sill": ((40, -40, 0), (50, 40, 20)),
            "block": ((-40, -40, 0), (20, 40, 30)),
        }
        assembly = between(**around)
        scene = home_scene(assembly)
        ways = ways_out(scene, ["block"])
        self.assertFalse(any(way.clears for way in ways))
        found = otherwise(scene, ["block"], ways, PITCH)
        self.assertEqual((found.legs.first.word, found.legs.then.word), ("Up", "Right"))
        path = Step("s1", ("block",), Path(found.legs.waypoints))
        self.assertEqual(check(assembly, teardown(path)).snags["s1"], ())
        self.assertEqual(len(found.before), 1)
        without = [leaf.path for leaf in assembly.leaves if leaf.path not in found.before]
        rest = replace(scene, poses={path: scene.poses[path] for path in without})
        self.assertTrue(any(way.clears and way.word == found.way.word for way in ways_out(rest, ["block"])))

    def test_what_lies_on_the_axis_has_no_outward(self):
        scene = home_scene(between(a=((-2, -2, 0), (2, 2, 4)), b=((8, -2, 0), (12, 2, 4))))
        axis = Axis((0.0, 0.0, 0.0), UP)
        alone = outward(scene, ["a"], axis, PITCH)
        self.assertEqual((alone.suggested, alone.directions["a"]), (0.0, None))
        both = outward(scene, ["a", "b"], axis, PITCH)
        self.assertEqual((both.directions["a"], both.directions["b"]), (None, (1.0, 0.0, 0.0)))
        self.assertGreater(both.suggested, 0)

    def test_the_one_that_lies_on_no_common_circle_is_named(self):
        ring = {
            f"p{k}": ((30 * x - 2, 30 * y - 2, 0), (30 * x + 2, 30 * y + 2, 4))
            for k, (x, y) in enumerate([(1, 0), (0, 1), (-1, 0), (0, -1)])
        }
        scene = home_scene(between(**ring, odd=((50, 6, 0), (54, 10, 4))))
        self.assertIsNone(common_axis(scene, [*ring, "odd"]))
        self.assertEqual(odd_one(scene, [*ring, "odd"]), "odd")
        self.assertIsNone(odd_one(scene, list(ring)[:3]))


class TrialTests(TestCase):
    def test_a_trial_finds_what_the_check_of_the_step_finds(self):
        assembly = tower()
        for members, direction in ((("high",), RIGHT), (("high", "lid"), UP), (("low",), DOWN)):
            step = axial(members, direction, 60)
            made = check(assembly, teardown(step)).snags["s1"]
            self.assertEqual([s.blocker for s in trial(assembly, Teardown("t"), step, 0)], [s.blocker for s in made])

    def test_a_fan_whose_ways_are_free_one_by_one_may_snag_as_a_fan(self):
        """Two blocks on one line with a wall behind the nearer one: each is free by itself the way it came from."""
        assembly = between(
            base=((0, 0, -5), (60, 20, 0)),
            near=((0, 0, 0), (10, 20, 10)),
            far=((20, 0, 0), (30, 20, 10)),
            wall=((45, 0, 0), (50, 20, 10)),
        )
        scene = home_scene(assembly)
        layers = fan_layers(scene, ("near", "far"), RIGHT)
        self.assertTrue(trial(assembly, Teardown("t"), fan_step(layers, RIGHT, 10), 0))
        self.assertFalse(trial(assembly, Teardown("t"), fan_step(fan_layers(scene, ("near", "far"), UP), UP, 10), 0))


class MatchTests(TestCase):
    def test_all_six_bolts_of_as1_can_do_the_same_once_the_rod_is_out(self):
        """as1-oc-214.stp (public test assembly): three bolts in each of two brackets, two under the rod."""
        assembly = read(AS1)
        plan = teardown(axial(("as1/rod-assembly_1",), RIGHT, 205), axial((BOLT,), UP, 60, "s2"))
        found = matches(assembly, plan.steps[1], scene_after(assembly, plan, 1))
        self.assertEqual(len(found), 5)
        self.assertEqual({m.step.motion.direction for m in found}, {UP})
        before = matches(assembly, plan.steps[1])
        self.assertEqual(len(before), 1)  # with the rod in place the step itself runs into it: only the one like it

    def test_a_label_that_was_made_up_says_the_new_count(self):
        assembly = read(AS1)
        plan, step = editing.add_step(Teardown("t"), assembly, [BOLT], UP, 60)
        bolts = [path for path in (leaf.path for leaf in assembly.leaves) if path.endswith("bolt_1")]
        grown = editing.add_members(plan, assembly, step.id, bolts[1:])
        self.assertEqual(editing.relabelled(plan, grown, assembly).steps[0].label, "6 × bolt")
        named = editing.rename_step(plan, step.id, "Undo the bolts")
        self.assertEqual(
            editing.relabelled(named, editing.add_members(named, assembly, step.id, bolts[1:]), assembly)
            .steps[0]
            .label,
            "Undo the bolts",
        )


class CrossingTests(TestCase):
    def found(self, assembly, plan):
        return {(c.component, c.blocker) for c in crossings.crossings(assembly, plan, compose(assembly, plan))}

    def test_discs_that_slide_along_their_shaft_are_understood(self):
        """Ten discs fanned along the shaft that they sit on: no line is misread, though each runs within the shaft."""
        assembly = read(ROOT / "demo/friction_pack.step")
        discs = tuple(leaf.path for leaf in assembly.leaves if "Disc" in leaf.path)
        plan = teardown(Step("s1", discs, Axial(UP, 5.0, fan=Fan(5.0))))
        self.assertEqual(self.found(assembly, plan), set())

    def test_what_moved_along_is_understood_and_what_only_lies_there_is_not(self):
        stack = {"low": ((0, 0, 0), (10, 10, 5)), "high": ((0, 0, 20), (10, 10, 25)), "side": ((40, 0, 0), (50, 10, 5))}
        assembly = between(**stack)
        alone = teardown(axial(("low",), UP, 60))
        self.assertEqual(self.found(assembly, alone), {("low", "high")})
        together = teardown(axial(("low", "high"), UP, 60))
        self.assertEqual(self.found(assembly, together), set())


class TimingTests(TestCase):
    def test_a_bar_drawn_back_over_the_end_of_the_one_before_overlaps_it_in_part(self):
        plan = teardown(axial(("lid",), UP, 60), axial(("high",), UP, 30, "s2"))
        for start, shown in ((0.9, 0.9), (0.04, 0.0), (1.5, 1.5), (2.2, 2.2)):
            moved = editing.drag_bar(plan, "s2", start)
            self.assertEqual([round(bar.start, 6) for bar in bars(moved.steps)], [0.0, shown])
        self.assertEqual(editing.drag_bar(plan, "s2", 0.9).steps[1].timing.later, 0.9)
        twice = editing.scale_times(editing.drag_bar(plan, "s2", 0.9), 2.0)
        self.assertEqual([bar.start for bar in bars(twice.steps)], [0.0, 1.8])


class StartTests(TestCase):
    def test_a_film_starts_as_the_teardown_says(self):
        plan = teardown(axial(("lid",), UP, 60))
        ways = {start: Take(tower(), editing.set_begins(plan, start), Film()).line.spans for start in STARTS}
        self.assertEqual([(spans[0].start, spans[-1].end) for spans in ways.values()], [(0.0, 1.5), (1.5, 0.0)])
        kept = teardown_json.loads(teardown_json.dumps(editing.set_begins(plan, "exploded")))
        self.assertEqual(kept.begins, "exploded")
        with self.assertRaisesRegex(PulleyError, "assembled or exploded"):
            editing.set_begins(plan, "sideways")


class ViewTests(TestCase):
    def test_all_that_a_view_was_framed_for_is_in_a_picture_of_any_shape(self):
        rng = np.random.default_rng(15)
        points = rng.uniform(-50, 50, (40, 3)) * (1, 1, 2)
        for aspect in (0.5, 1.0, 1.78, 3.0):
            view = fitted(points, aspect=aspect)
            for size in ((1000, 400), (400, 400), (300, 900)):
                x, y, _ = project(opened(view, size), points, *size).T
                self.assertTrue((x > 0).all() and (x < size[0]).all() and (y > 0).all() and (y < size[1]).all())

    def test_a_tightened_view_fills_what_it_is_opened_for(self):
        points = np.random.default_rng(3).uniform(-50, 50, (60, 3)) * (1, 1, 3)
        view = tightened(fitted(points, aspect=1.25), points)
        self.assertLess(view.aspect, 1.0)  # what is framed is upright
        for size in ((1920, 1080), (1280, 800), (600, 900)):
            x, y, _ = project(opened(view, size), points, *size).T
            self.assertGreater(max(np.ptp(x) / size[0], np.ptp(y) / size[1]), 0.8)


class MeasureTests(TestCase):
    def features(self, rng):
        def one(kind):
            along = tuple(rng.normal(size=3).tolist())
            return Feature(kind, "x", tuple(rng.uniform(-20, 20, 3).tolist()), None if kind == "corner" else along)

        return [one(kind) for kind in ("corner", "edge", "round", "corner", "edge")]

    def test_against_a_search_for_the_nearest_points(self):
        """SciPy's minimiser finds the same distance between points and lines."""
        rng = np.random.default_rng(7)
        for _ in range(4):
            a, *others = self.features(rng)
            for first in (a, others[0]):
                for second in others:
                    ends = [
                        lambda t, f=f: np.array(f.origin) + (t * np.array(f.direction) if f.direction else 0.0)
                        for f in (first, second)
                    ]
                    apart = minimize(lambda t, e=ends: float(np.sum((e[0](t[0]) - e[1](t[1])) ** 2)), (0.0, 0.0)).fun
                    self.assertAlmostEqual(measure(first, second).distance, float(np.sqrt(apart)), places=3)

    def test_closed_forms(self):
        floor = Feature("face", "a", (3.0, 4.0, 0.0), UP)
        roof = Feature("face", "b", (0.0, 0.0, 25.0), DOWN)
        ramp = Feature("face", "c", (0.0, 0.0, 0.0), (0.0, 1.0, 1.0))
        pin = Feature("round", "d", (0.0, 0.0, 12.0), RIGHT, 4.0)
        corner = Feature("corner", "e", (1.0, 1.0, 7.0), None)
        self.assertEqual((measure(floor, roof).distance, measure(floor, roof).angle), (25.0, 0.0))
        self.assertEqual((measure(floor, pin).distance, measure(pin, floor).distance), (12.0, 12.0))
        self.assertIsNone(measure(floor, ramp).distance)
        self.assertAlmostEqual(measure(floor, ramp).angle, 45.0)
        self.assertEqual((measure(corner, floor).distance, measure(corner, floor).angle), (7.0, None))
        words = describe.measure_sentence(measure(floor, pin), floor, pin)
        self.assertEqual(words, "12 mm apart (x 0, y 0, z 12), parallel, radius 4 mm")


class OutlineTests(TestCase):
    def test_a_rod_has_a_line_on_either_side_and_a_box_none(self):
        """Seen from the front, a cylinder's outline lies a radius to either side of its axis."""
        assembly = read(AS1)
        rod = "as1/rod-assembly_1/rod_1"
        leaf = assembly.leaf(rod)
        low, high = leaf.part.mesh.bounds
        own = np.eye(3)[int(np.argmax(high - low))]  # it is a plain rod: as long as its bounds, as thick as they are
        length, radius = float((high - low).max()), float((high - low).min()) / 2
        axis = leaf.pose[:3, :3] @ own
        centre = leaf.pose[:3, :3] @ ((low + high) / 2) + leaf.pose[:3, 3]
        across = np.cross(axis, (0, 0, 1.0))
        eye = centre + 5000 * across
        camera = Camera("", "", tuple(eye), tuple(centre), projection="parallel")
        lines = outlines(plain_scene(assembly, {rod: leaf.pose}).items, camera)
        along = [line for line in lines if np.linalg.norm(line[1] - line[0]) > 0.5 * length]
        heights = sorted(float((line.mean(0) - centre) @ (0, 0, 1.0)) for line in along)
        self.assertGreaterEqual(len(heights), 2)
        np.testing.assert_allclose((heights[0], heights[-1]), (-radius, radius), rtol=0.02)
        box = between(a=((0, 0, 0), (5, 5, 5)))
        self.assertEqual(len(outlines(plain_scene(box, {"a": np.eye(4)}).items, camera)), 0)
