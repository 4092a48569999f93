"""Remedies, riders, matches and fits, on small scenes whose answers are plain and on the demo."""

from dataclasses import replace
from unittest import TestCase

import numpy as np
from benchmarks.generate import assemble, flanges, lathe, nested, stack, threaded_pair

from pulley.core.contact.check import check
from pulley.core.contact.fits import find_fits
from pulley.core.contact.scene import home_scene
from pulley.core.describe import remedy_sentence
from pulley.core.formats import teardown as teardown_json
from pulley.core.geometry.mesh import flat_mesh
from pulley.core.motion import Axis, Path, Turn
from pulley.core.planning.companions import bring_along, matches, with_matches
from pulley.core.planning.remedies import apply_remedy, remedies
from pulley.core.teardown import Step, Teardown
from tests.scenes import AS1, DEMO, DEMO_BENCH, DOWN, LEFT, RIGHT, UP, axial, boxes, read, teardown, tower

BLOCK = "Halyard block"
BRACKETS = [f"as1/l-bracket-assembly_{k}" for k in (1, 2)]


def cures(assembly, plan: Teardown, id: str = "s1") -> dict:
    """The remedies of a step by kind; every one is applied once more and must clear the step."""
    found = remedies(assembly, plan, check(assembly, plan), id)
    for remedy in found:
        assert not check(assembly, apply_remedy(plan, id, remedy)).snags[id], remedy
        assert remedy_sentence(remedy.to_json())
    return {remedy.kind: remedy for remedy in found}


class RemedyTests(TestCase):
    def test_a_later_step_that_moves_what_is_in_the_way_comes_first(self):
        found = cures(tower(), teardown(axial(("high",), UP, 30), axial(("lid",), UP, 60, "s2")))
        self.assertEqual((found["order"].steps, found["order"].components), (("s2",), ("lid",)))

    def test_else_the_smallest_set_that_can_leave_goes_first(self):
        found = cures(tower(), teardown(axial(("middle",), UP, 60)))
        self.assertEqual(set(found["first"].components), {"high", "lid"})
        self.assertNotIn("order", found)

    def test_as_far_as_it_is_clear_and_no_farther(self):
        self.assertEqual(cures(tower(), teardown(axial(("high",), UP, 30)))["shorten"].distance, 5.0)
        self.assertNotIn("shorten", cures(tower(), teardown(axial(("middle",), UP, 60))))

    def test_the_nearest_direction_that_is_free(self):
        wedge = boxes(block=((10, 10, 10), (0, 0, 0)), roof=((40, 10, 2), (-30, 0, 12)))
        self.assertEqual(cures(wedge, teardown(axial(("block",), (0.5, 0.0, 1.0), 60)))["direction"].direction, RIGHT)

    def test_a_turn_is_shortened_in_degrees_and_a_path_along_its_legs(self):
        scene = boxes(bar=((20, 2, 5), (0, -1, 0)), wall=((60, 2, 5), (-30, 10, 0)))
        turned = Step("s1", ("bar",), Turn(Axis((0, 0, 0), UP), 90))
        found = cures(scene, teardown(turned))["shorten"]
        self.assertEqual((found.distance, remedy_sentence(found.to_json())), (27.0, "go only 27°"))
        path = Step("s1", ("bar",), Path(((0, 0, 3), (0, 30, 3))))
        self.assertEqual(cures(scene, teardown(path))["shorten"].waypoints, ((0, 0, 3), (0, 8.9, 3)))

    def test_a_thread_is_confirmed_as_a_fit(self):
        pair = threaded_pair()
        found = cures(pair, teardown(axial(("nut",), UP, 30)))
        self.assertEqual(set(found["fit"].components), {"rod", "nut"})

    def test_a_clear_step_needs_none(self):
        self.assertEqual(cures(tower(), teardown(axial(("lid",), UP, 30))), {})

    def test_a_bolt_under_the_rod(self):
        bolt, rod = f"{BRACKETS[0]}/nut-bolt-assembly_1/bolt_1", "as1/rod-assembly_1/rod_1"
        found = cures(read(AS1), teardown(axial((bolt,), UP, 100)))
        self.assertEqual((found["first"].components, found["first"].direction), ((rod,), RIGHT))
        self.assertEqual(found["shorten"].distance, 20.0)
        self.assertEqual(remedy_sentence(found["shorten"].to_json()), "go only 20 mm")
        self.assertEqual(remedy_sentence(found["shorten"].to_json(), "in"), "go only 0.787 in")


class SwappedDemoTests(TestCase):
    """The demo's mixed teardown: clear as it is; with two steps swapped, what a fitter would run into."""

    def setUp(self):
        self.assembly = read(DEMO)
        self.plan = teardown_json.loads(DEMO_BENCH.read_bytes())
        self.assertEqual({step.motion.kind for step in self.plan.steps}, {"axial", "radial", "path", "turn"})

    def swapped(self, first: str, second: str) -> Teardown:
        steps = list(self.plan.steps)
        a, b = (next(k for k, step in enumerate(steps) if step.label.startswith(label)) for label in (first, second))
        steps[a], steps[b] = steps[b], steps[a]
        return replace(self.plan, steps=tuple(steps))

    def assert_snags(self, plan: Teardown, expected: dict[str, set[tuple[str, str]]]):
        """Snags by the label's first word, as (mover, blocker) names less their numbers."""
        verdict = check(self.assembly, plan)
        found = {}
        for step in plan.steps:
            pairs = {(self.name(s.moving), self.name(s.blocker)) for s in verdict.snags[step.id]}
            if pairs:
                found[step.label.split()[0]] = pairs
        self.assertEqual(found, expected)
        self.assertEqual(verdict.overlaps, ())

    def name(self, path: str) -> str:
        return path.rpartition("/")[2].partition("#")[0]

    def test_clear_as_it_is(self):
        self.assert_snags(self.plan, {})
        self.assertTrue(self.plan.fits)

    def test_balls_before_the_cage(self):
        plan = self.swapped("Cage", "Balls")
        self.assert_snags(plan, {"Balls": {("Ball", "Cage")}})
        id = next(step.id for step in plan.steps if step.label.startswith("Balls"))
        self.assertEqual(len(check(self.assembly, plan).snags[id]), 10)
        order = cures(self.assembly, plan, id)["order"]
        self.assertTrue(check(self.assembly, apply_remedy(plan, id, order)).clear)

    def test_washers_before_their_screws(self):
        plan = self.swapped("Cheek screws", "Washers")
        pairs = {"Washers": {("Washer", "Cheek screw")}, "Cheek": {("Cheek screw", "Washer")}}
        self.assert_snags(plan, pairs)
        id = next(step.id for step in plan.steps if step.label.startswith("Washers"))
        self.assertTrue(check(self.assembly, apply_remedy(plan, id, cures(self.assembly, plan, id)["order"])).clear)


class RiderTests(TestCase):
    def test_what_stands_on_it_comes_along_and_nothing_else(self):
        scene = home_scene(stack(5))
        self.assertEqual(bring_along(scene, ["plate#2"], np.array(UP)), ("plate#3", "plate#4"))
        self.assertEqual(bring_along(scene, ["plate#2"], np.array(RIGHT)), ())
        self.assertEqual(bring_along(scene, ["plate#2"], np.array(UP), still=["plate#3"]), ())

    def test_held_by_everything_nothing_sits_on_it(self):
        self.assertEqual(bring_along(home_scene(stack(5)), ["plate#0"], np.array(UP)), ())

    def test_a_lid_brings_its_bolts_whatever_the_tree_says(self):
        riders = bring_along(home_scene(flanges(2)), ["lid#0"], np.array(UP))
        self.assertEqual(set(riders), {f"bolt#0.{k}" for k in range(8)})


class MatchTests(TestCase):
    def test_every_bolt_of_a_circle(self):
        ring = flanges(1)
        found = matches(ring, axial(("bolt#0.0",), UP, 100))
        self.assertEqual({match.member for match in found}, {f"bolt#0.{k}" for k in range(1, 8)})
        grown = with_matches(teardown(axial(("bolt#0.0",), UP, 100)), "s1", found)
        self.assertEqual(len(grown.steps), 1)
        self.assertEqual(len(grown.steps[0].members), 8)
        self.assertTrue(check(ring, grown).clear)

    def test_the_other_side(self):
        bolt = "nut-bolt-assembly_1/bolt_1"
        found = {
            m.member: m.step.motion.direction for m in matches(read(AS1), axial((f"{BRACKETS[0]}/{bolt}",), UP, 22))
        }
        self.assertEqual(found[f"{BRACKETS[1]}/{bolt}"], UP)
        self.assertEqual(len(found), 5)  # so far, up to the rod, every bolt can go
        (nut,) = matches(read(AS1), axial(("as1/rod-assembly_1/nut_1",), LEFT, 50))
        self.assertEqual(
            (nut.member, nut.kind, nut.step.motion.direction), ("as1/rod-assembly_1/nut_2", "rotation", RIGHT)
        )

    def test_steps_that_correspond_but_differ_play_together(self):
        plan = teardown(axial(("as1/rod-assembly_1/nut_1",), RIGHT, 50))
        grown = with_matches(plan, "s1", matches(read(AS1), plan.steps[0]))
        self.assertEqual([(s.motion.direction, s.timing.start) for s in grown.steps], [(RIGHT, None), (LEFT, "with")])
        self.assertTrue(check(read(AS1), grown).clear)

    def test_bolts_under_the_rod_are_no_match_for_those_that_are_not(self):
        step = axial((f"{BRACKETS[0]}/nut-bolt-assembly_2/bolt_1",), UP, 100)
        self.assertNotIn(f"{BRACKETS[0]}/nut-bolt-assembly_1/bolt_1", [m.member for m in matches(read(AS1), step)])

    def test_a_mirror_turns_the_other_way_round(self):
        mirror = np.diag([-1.0, 1.0, 1.0, 1.0])
        screwed = Step("s1", ("a",), Turn(Axis((5, 0, 0), RIGHT), 90, advance=2))
        image = replace(screwed, motion=screwed.motion.mapped(mirror))
        self.assertEqual(
            (image.motion.axis, image.motion.angle, image.motion.advance), (Axis((-5, 0, 0), (-1.0, 0.0, 0.0)), -90, -2)
        )


class FitTests(TestCase):
    def test_modelled_threads_are_found_with_their_pitch(self):
        (fit,) = find_fits(threaded_pair(8))
        self.assertEqual((fit.a, fit.b, fit.kind, fit.pitch), ("rod", "nut", "thread", 1.25))

    def test_screws_at_their_greatest_diameter_in_tapped_holes(self):
        fits = find_fits(read(DEMO))
        self.assertEqual([self.names(fit) for fit in fits], [("Cheek screw", "Cheek, far")] * 6)
        np.testing.assert_allclose([fit.depth for fit in fits], 0.4, atol=1e-9)  # M5 in a 4.2 mm hole

    def names(self, fit) -> tuple[str, ...]:
        return tuple(path.rpartition("/")[2].partition("#")[0] for path in (fit.a, fit.b))

    def test_clearances_are_none(self):
        self.assertEqual(find_fits(read(AS1)), ())
        self.assertEqual(find_fits(nested(3)), ())

    def test_a_confirmed_thread_passes_and_the_head_does_not(self):
        pair = threaded_pair(6, turns=12)
        pull = teardown(axial(("rod",), UP, 60))
        self.assertFalse(check(pair, pull).clear)
        fitted = replace(pull, fits=({"a": "rod", "b": "nut", "depth": 0.41},))
        self.assertTrue(check(pair, fitted).clear)
        headed = self.with_head(pair)
        (snag,) = check(headed, fitted).snags["s1"]
        self.assertEqual((snag.moving, snag.blocker), ("rod", "nut"))
        self.assertAlmostEqual(snag.travel, 4.0, places=6)  # from the head at 0 to the nut's foot at 4

    def with_head(self, pair):
        """The same rod with a disc of 10 mm at its foot."""

        rod, nut = pair.leaves
        head = lathe([(0, -3), (5, -3), (5, 0), (0, 0)])
        mesh = flat_mesh(np.concatenate([rod.part.mesh.corners, head.corners]))
        return assemble("headed", [("rod", mesh, rod.pose), ("nut", nut.part.mesh, nut.pose)])

    def test_a_pair_that_is_no_fit_by_shape_passes_whole(self):
        plan = replace(teardown(axial(("high",), UP, 60)), fits=({"a": "high", "b": "lid"},))
        self.assertTrue(check(tower(), plan).clear)


class GeneratedTests(TestCase):
    """The answers that come with the generated assemblies."""

    def free(self, assembly, path: str, direction) -> float | None:
        met = home_scene(assembly).first_meeting([path], np.array(direction, float))
        return met.travel if met else None

    def test_stack(self):
        pile = stack(6)
        self.assertIsNone(self.free(pile, "plate#5", UP))
        self.assertEqual([self.free(pile, f"plate#{k}", UP) for k in range(5)], [0.0] * 5)

    def test_nested(self):
        cups = nested(5, play=1.0)
        for k in range(5):
            within = [f"cup#{j}" for j in range(k)]
            self.assertEqual(self.free(cups, f"cup#{k}", UP), 0.0 if within else None)
            self.assertEqual(bring_along(home_scene(cups), [f"cup#{k}"], np.array(UP)), tuple(within) if k < 4 else ())
        self.assertAlmostEqual(self.free(cups, "cup#2", RIGHT), 1.0, delta=0.01)
        self.assertEqual(self.free(cups, "cup#0", DOWN), 0.0)

    def test_flanges(self):
        bolted = flanges(1)
        for what, up, down in (("bolt", None, 0.0), ("nut", 0.0, None), ("washer", 0.0, 0.0)):
            self.assertEqual((self.free(bolted, f"{what}#0.3", UP), self.free(bolted, f"{what}#0.3", DOWN)), (up, down))
        self.assertEqual(self.free(bolted, "lid#0", UP), 0.0)
        self.assertEqual(self.free(bolted, "gasket#0", UP), 0.0)
