"""What people watch: timing, camera moves, spread, trail lines, doglegs and what they pass through, visibility."""

import json
from dataclasses import replace
from math import atan2, degrees
from unittest import TestCase

import numpy as np
from scipy.spatial.transform import Rotation, Slerp

from pulley.core import crossings, editing, visibility
from pulley.core.camera import camera_frame, fitted
from pulley.core.errors import PulleyError
from pulley.core.formats import teardown as teardown_json
from pulley.core.motion import Axis, Turn
from pulley.core.motion.easing import ease
from pulley.core.score.compose import bars, compose, displacement_at
from pulley.core.score.shots import view_at
from pulley.core.teardown import Bearings, Camera, Jog, Orbit, Route, Step, Teardown, TrailOf
from pulley.core.trails import PATTERNS
from tests.scenes import (
    DEMO,
    DEMO_TEARDOWN,
    RIGHT,
    UP,
    WINCH,
    WINCH_TEARDOWN,
    axial,
    boxes,
    changed,
    read,
    teardown,
    tower,
)

VIEW = Camera("c1", "Front", (0.0, -200.0, 30.0), (0.0, 0.0, 30.0))
SIDE = Camera("c2", "Side", (100.0, 0.0, 30.0), (0.0, 0.0, 30.0))


def times(plan: Teardown) -> list[tuple[float, float]]:
    return [(bar.start, bar.end) for bar in bars(plan.steps)]


class TimingTests(TestCase):
    def setUp(self):
        self.plan = teardown(
            *(axial((name,), UP, 50.0, f"s{k}") for k, name in enumerate(("lid", "high", "middle"), 1))
        )

    def test_a_bar_is_dragged_later_together_and_past_another(self):
        later = editing.drag_bar(self.plan, "s2", 2.04)
        self.assertEqual(times(later), [(0, 1.5), (2.0, 3.5), (3.5, 5.0)])
        self.assertEqual(times(editing.drag_bar(later, "s2", 1.5)), times(self.plan))
        joined = editing.drag_bar(self.plan, "s2", 1.0)
        self.assertEqual(times(joined), [(0, 1.5), (1.0, 2.5), (2.5, 4.0)])
        self.assertEqual(times(editing.drag_bar(self.plan, "s2", 0.04)), [(0, 1.5), (0, 1.5), (1.5, 3.0)])
        self.assertEqual([s.id for s in editing.drag_bar(self.plan, "s3", 0.4).steps], ["s1", "s3", "s2"])
        self.assertEqual([s.id for s in editing.drag_bar(self.plan, "s1", 9.0).steps], ["s2", "s3", "s1"])

    def test_times_of_several_and_of_the_whole(self):
        paused = editing.set_start(self.plan, "s2", 1.0)
        orbiting, _ = editing.add_orbit(paused)
        whole = editing.set_total(orbiting, tower(), 23.0)
        self.assertAlmostEqual(compose(tower(), whole).duration, 23.0, places=5)
        outlasting = editing.change_orbit(orbiting, "o1", step="s3", duration=40.0)
        whole = editing.set_total(outlasting, tower(), 10.0)
        self.assertAlmostEqual(compose(tower(), whole).duration, 10.0, places=5)
        self.assertEqual(
            [s.timing.duration for s in editing.set_durations(self.plan, ["s1", "s3"], 0.4).steps], [0.4, 1.5, 0.4]
        )
        gathered = editing.one_after_another(self.plan, ["s1", "s3"], together=True)
        self.assertEqual([(s.id, s.timing.start) for s in gathered.steps], [("s1", None), ("s3", "with"), ("s2", None)])
        apart = editing.one_after_another(gathered, ["s1", "s3"], together=False)
        self.assertEqual([s.timing.start for s in apart.steps], [None, None, None])

    def test_times_that_make_no_sense(self):
        for change in (
            lambda: editing.set_durations(self.plan, ["s1"], 0.0),
            lambda: editing.set_durations(self.plan, ["s1"], -1.0),
            lambda: editing.set_durations(self.plan, ["s1"], float("nan")),
            lambda: editing.set_durations(self.plan, ["s1"], 3601.0),
            lambda: editing.set_start(self.plan, "s1", float("inf")),
            lambda: editing.set_total(self.plan, tower(), 1e-9),
            lambda: editing.set_total(teardown(), tower(), 10.0),
            lambda: editing.scale_times(self.plan, 1e6),
            lambda: editing.set_start(self.plan, "s9", None),
        ):
            with self.assertRaises(PulleyError):
                change()
        self.assertEqual(editing.set_durations(self.plan, ["s1"], 3600.0).steps[0].timing.duration, 3600.0)

    def test_in_the_order_of_depth(self):
        """A box in a box in a box: the inner ones are seen from nowhere until the outer ones are gone."""
        shells = {}
        for name, half in (("inner", 10.0), ("mid", 20.0), ("outer", 30.0)):
            shells[name] = ((2 * half,) * 3, (-half,) * 3)
        assembly = boxes(**shells)
        self.assertEqual(visibility.peels(assembly), {"inner": 2, "mid": 1, "outer": 0})
        plan = teardown(*(axial((name,), UP, 50.0, name) for name in ("mid", "inner", "outer")))
        self.assertEqual([s.id for s in editing.order_by_depth(plan, assembly, False).steps], ["outer", "mid", "inner"])
        self.assertEqual([s.id for s in editing.order_by_depth(plan, assembly, True).steps], ["inner", "mid", "outer"])


class CameraTests(TestCase):
    def film(self, **more) -> Teardown:
        return replace(
            teardown(axial(("lid",), UP, 50.0), axial(("high",), UP, 40.0, "s2")), cameras=(VIEW, SIDE), **more
        )

    def test_an_orbit_swings_the_view_about_the_middle(self):
        plan = self.film(orbits=(Orbit("o1", "", 4.0, -90.0),))
        score = compose(tower(), plan)
        self.assertEqual(score.duration, 7.0)
        centre = tower().bounds.mean(0)
        for share in (0.25, 0.5, 1.0):
            seen = view_at(score.shots, 3.0 + 4.0 * share, VIEW)
            turn = Rotation.from_rotvec([0, 0, np.radians(-90.0 * ease(share))])
            np.testing.assert_allclose(seen.eye, turn.apply(np.array(VIEW.eye) - centre) + centre, atol=1e-9)

    def test_a_tour_goes_through_its_views_and_a_cut_is_at_once(self):
        plan = self.film(orbits=(Orbit("o1", "s2", 4.0, views=("c2", "c1")),))
        score = compose(tower(), plan)
        moves = score.shots
        self.assertEqual(score.duration, 5.5)  # the film lasts until the tour is over
        self.assertEqual([(s.start, s.end, s.camera.id) for s in moves], [(1.5, 3.5, "c2"), (3.5, 5.5, "c1")])
        self.assertEqual(view_at(moves, 3.5, VIEW).eye, SIDE.eye)
        cut = editing.change_camera_move(editing.set_step_camera(plan, "s1", "c2"), "s1", 0.0)
        self.assertEqual(view_at(compose(tower(), cut).shots, 0.0, VIEW), SIDE)

    def test_the_view_gets_there_in_the_pause_before_its_step(self):
        plan = editing.set_start(editing.set_step_camera(self.film(), "s2", "c2"), "s2", 1.0)
        (shot,) = compose(tower(), plan).shots
        self.assertEqual((round(shot.start, 6), round(shot.end, 6)), (1.7, 2.5))

    def test_a_view_that_is_gone(self):
        plan = self.film(orbits=(Orbit("o1", views=("c1", "c2")), Orbit("o2", views=("c2",))))
        plan = editing.delete_camera(editing.set_step_camera(plan, "s1", "c2"), "c2")
        self.assertEqual((plan.steps[0].view.camera, [o.views for o in plan.orbits]), (None, [("c1",)]))
        lost = replace(plan, steps=(changed(plan.steps[0], camera="c9"), plan.steps[1]))
        self.assertEqual([shot.camera.id for shot in compose(tower(), lost).shots], ["c1"])

    def test_two_views_at_one_instant(self):
        """Steps that play together, each with a view: the later one in the list counts."""
        plan = self.film()
        steps = (changed(plan.steps[0], camera="c1"), changed(plan.steps[1], camera="c2", start="with"))
        self.assertEqual(view_at(compose(tower(), replace(plan, steps=steps)).shots, 1.5, VIEW), SIDE)

    def test_from_one_side_right_to_the_other(self):
        back = replace(VIEW, id="c3", eye=(0.0, 200.0, 30.0))
        plan = replace(self.film(), cameras=(VIEW, back))
        moves = compose(tower(), editing.set_step_camera(plan, "s1", "c3")).shots
        middle = view_at(moves, (moves[0].start + moves[0].end) / 2, VIEW)
        self.assertAlmostEqual(float(np.linalg.norm(np.subtract(middle.eye, middle.target))), 200.0, places=6)

    def test_front_and_up_are_what_the_user_says(self):
        turned = replace(teardown(), bearings=Bearings((1.0, 0.0, 0.0), (0.0, 1.0, 0.0)))
        sides = visibility.standard_directions(turned)
        np.testing.assert_allclose(sides["front"], (1, 0, 0), atol=1e-12)
        np.testing.assert_allclose(sides["top"], (0, 1, 0), atol=1e-12)
        np.testing.assert_allclose(sides["right"], (0, 0, -1), atol=1e-12)
        self.assertEqual(len(sides), 26)
        both = editing.set_bearings(teardown(), up=(0.0, -1.0, 0.0))  # what was the front becomes the top
        self.assertLess(abs(np.dot(both.bearings.front, both.bearings.up)), 1e-9)

    def test_pictorial_directions(self):
        """Angles of the drawn axes to the horizontal, and their scales: ISO 5456-3 (from memory)."""

        def drawn(word: str) -> list[tuple[float, float]]:
            eye = visibility.pictorial_directions(teardown())[word]
            frame = camera_frame(Camera("", "", eye, (0, 0, 0)))
            found = []
            for axis in ((1, 0, 0), (0, 1, 0), (0, 0, 1)):
                x, y = (frame @ np.array(axis, float))[:2]
                found.append((abs(degrees(atan2(y, abs(x)))), float(np.hypot(x, y))))
            return found

        for (angle, scale), wanted in zip(drawn("isometric"), (30.0, 30.0, 90.0), strict=True):
            self.assertAlmostEqual(angle, wanted, places=6)
            self.assertAlmostEqual(scale, 0.8165, places=4)
        (wide, one), (deep, half), (_, tall) = drawn("dimetric")
        self.assertAlmostEqual(wide, 7.18, places=2)
        self.assertAlmostEqual(deep, 41.41, places=2)
        self.assertAlmostEqual(one / tall, 1.0, places=9)
        self.assertAlmostEqual(half / tall, 0.5, places=9)
        scales = [scale for _, scale in drawn("trimetric")]
        self.assertGreater(min(abs(np.diff(sorted(scales)))), 0.05)


class ScoreTests(TestCase):
    def test_named_instants_of_the_demo_by_hand(self):
        """The block's first steps, worked out by hand from the plan: half the time is half the way."""
        assembly, plan = read(DEMO), teardown_json.loads(DEMO_TEARDOWN.read_text())
        score = compose(assembly, plan)
        for step, bar in zip(plan.steps, score.steps, strict=True):
            if step.motion.kind != "axial" or step.spacing:
                continue
            path = assembly.leaves_of(step.members)[0]
            start, middle, end = (
                displacement_at(score.tracks[path], bar.start + share * (bar.end - bar.start))[:3, 3]
                for share in (0.0, 0.5, 1.0)
            )
            way = np.array(step.motion.direction) / np.linalg.norm(step.motion.direction) * step.motion.distance
            with self.subTest(step.label):
                np.testing.assert_allclose(end - start, way, atol=1e-9)
                np.testing.assert_allclose(middle - start, way / 2, atol=1e-9)

    def test_a_turn_between_its_poses_against_slerp(self):
        """SciPy's slerp between home and a quarter turn."""
        step = Step("s1", ("lid",), Turn(Axis((10, 0, 0), UP), 90.0, advance=8.0))
        track = compose(tower(), teardown(step)).tracks["lid"]
        between = Slerp([0, 1], Rotation.from_rotvec([[0, 0, 0], [0, 0, np.pi / 2]]))
        for share in (0.2, 0.5, 0.9):
            pose = displacement_at(track, 1.5 * share)
            wanted = between(ease(share)).as_matrix()
            np.testing.assert_allclose(pose[:3, :3], wanted, atol=1e-9)
            np.testing.assert_allclose(pose @ [10, 0, 0, 1], [10, 0, 2 * ease(share), 1], atol=1e-9)

    def test_spread_scales_travels_and_angles(self):
        turned = Step("s2", ("lid",), Turn(Axis((0, 0, 0), UP), 80.0))
        track = compose(tower(), teardown(axial(("lid",), RIGHT, 60.0), turned)).tracks["lid"]
        half = displacement_at(track, 99.0, spread=0.5)
        wanted = Rotation.from_rotvec([0, 0, np.radians(40)]).as_matrix()
        np.testing.assert_allclose(half[:3, :3], wanted, atol=1e-9)
        np.testing.assert_allclose(half[:3, 3], wanted @ [30, 0, 0], atol=1e-9)
        np.testing.assert_allclose(displacement_at(track, 99.0, spread=0.0), np.eye(4), atol=1e-12)

    def test_a_big_score_is_small(self):
        """300 steps and 1,000 components: under 1 MB compressed."""
        import gzip

        grid = boxes(**{f"b{k}": ((5, 5, 5), (10.0 * (k % 40), 10.0 * (k // 40), 0)) for k in range(1000)})
        leaves = [leaf.path for leaf in grid.leaves]
        steps = [axial(tuple(leaves[k % 100 * 10 : k % 100 * 10 + 10]), UP, 20.0, f"s{k}") for k in range(300)]
        text = json.dumps(compose(grid, teardown(*steps)).to_json())
        self.assertLess(len(gzip.compress(text.encode())), 1_000_000)


class TrailTests(TestCase):
    """A rod flies 100 mm to the right; a wall stands across its line."""

    def setUp(self):
        self.assembly = boxes(
            rod=((10, 10, 10), (0, 0, 0)), wall=((4, 40, 40), (60, -15, -15)), floor=((9, 9, 9), (0, 0, -90))
        )
        self.plan = teardown(axial(("rod",), RIGHT, 100.0), axial(("floor",), RIGHT, 80.0, "s2"))

    def crossed(self, plan: Teardown) -> list[crossings.Crossing]:
        return crossings.crossings(self.assembly, plan, compose(self.assembly, plan))

    def test_a_line_through_a_wall_is_found_and_led_aside(self):
        (found,) = self.crossed(self.plan)
        self.assertEqual((found.component, found.blocker, found.leg), ("rod", "wall", 0))
        self.assertAlmostEqual(found.point[0], 60.0, places=6)
        score = compose(self.assembly, self.plan)
        self.assertEqual(crossings.clearing_jogs(self.assembly, self.plan, score, ["floor"]), {})
        jog = crossings.clearing_jogs(self.assembly, self.plan, score)["rod"]
        led = editing.add_jog(self.plan, "rod", jog)
        self.assertEqual(self.crossed(led), [])
        (trail,) = [t for t in compose(self.assembly, led).trails if t.component == "rod"]
        self.assertEqual(trail.jogs, (jog,))
        self.assertEqual(editing.straighten(led, self.assembly, ["rod"]).trails, ())
        hidden = editing.set_hidden(self.plan, self.assembly, ["wall"], True)
        self.assertEqual(self.crossed(hidden), [])

    def test_doglegs_that_make_no_sense(self):
        for jog in (
            Jog(0, 0.5, 0.5, (0, 5, 0)),
            Jog(0, 0.7, 0.2, (0, 5, 0)),
            Jog(0, 0.2, 0.7, (0, 0, 0)),
            Jog(-1, 0.2, 0.7, (0, 5, 0)),
        ):
            with self.assertRaises(PulleyError):
                editing.add_jog(self.plan, "rod", jog)

    def test_off_for_a_component_a_step_and_a_leg(self):
        off = editing.set_trails(self.plan, self.assembly, ["rod"], shown=False)
        self.assertEqual([t.component for t in compose(self.assembly, off).trails], ["floor"])
        two = teardown(axial(("rod",), UP, 20.0), axial(("rod",), RIGHT, 30.0, "s2"))
        silent = editing.show_step_trails(two, ["s1"], False)
        self.assertEqual(compose(self.assembly, silent).trails[0].off, (0,))
        marked = editing.set_trails(editing.set_line(self.plan, marks=True), self.assembly, ["rod"], marks=False)
        self.assertEqual(
            {t.component: t.marks for t in compose(self.assembly, marked).trails}, {"rod": False, "floor": True}
        )

    def test_anchors_of_ones_own(self):
        corners = [(0.0, 0.0, 0.0), (0.0, 10.0, 0.0)]
        plan = editing.set_anchors(self.plan, self.assembly, "rod", corners)
        trails = [t for t in compose(self.assembly, plan).trails if t.component == "rod"]
        self.assertEqual([t.origin for t in trails], corners)
        self.assertEqual(trails[1].points[-1][1], (100.0, 10.0, 0.0))
        self.assertEqual(editing.set_anchors(plan, self.assembly, "rod", []).trails, ())

    def test_lines_on_one_line_are_one(self):
        assembly = boxes(a=((10, 10, 5), (0, 0, 0)), b=((10, 10, 5), (0, 0, 5)), c=((10, 10, 5), (30, 0, 5)))
        plan = teardown(axial(("b",), UP, 60.0), axial(("a",), UP, 30.0, "s2"), axial(("c",), UP, 30.0, "s3"))
        groups = {t.component: t.group for t in compose(assembly, plan).trails}
        self.assertEqual(groups["a"], groups["b"])
        self.assertGreaterEqual(groups["a"], 0)
        self.assertEqual(groups["c"], -1)

    def test_a_line_of_stops_runs_along_the_axes(self):
        stops = [("floor", (4.0, 4.0, -81.0)), ("rod", (5.0, 5.0, 0.0)), ("wall", (60.0, 5.0, 0.0))]
        plan, route = editing.add_route(self.plan, self.assembly, stops)
        (run,) = compose(self.assembly, plan).routes
        self.assertEqual(run.orders, ((2, 0, 1), (0,)))  # up 81, right 21, back 1; then left 45
        shorter = editing.set_stops(plan, self.assembly, route.id, route.stops[:-1])
        self.assertEqual(len(shorter.routes[0].stops), 2)
        self.assertEqual(editing.set_stops(shorter, self.assembly, route.id, route.stops[:1]).routes, ())
        with self.assertRaises(PulleyError):
            editing.add_route(self.plan, self.assembly, [("floor", (0, 0, 0)), ("nothing", (0, 0, 0))])

    def test_line_types(self):
        """Lengths in widths of the line, ISO 128-2 (from memory): long dash 24, dash 12, gap 3, dot at most 0.5."""
        self.assertEqual(PATTERNS["chain"], (24, 3, 0.5, 3))
        self.assertEqual(PATTERNS["double chain"], (24, 3, 0.5, 3, 0.5, 3))
        self.assertEqual((PATTERNS["dashed"], PATTERNS["dotted"], PATTERNS["continuous"]), ((12, 3), (0.5, 3), ()))

    def test_everything_seen_is_kept_in_the_file(self):
        plan = replace(
            editing.add_jog(self.plan, "rod", Jog(0, 0.2, 0.8, (0.0, 5.0, 0.0))),
            routes=(Route("l1", (("rod", (0.0, 0.0, 0.0)), ("wall", (60.0, 0.0, 0.0)))),),
            orbits=(Orbit("o1", "s1", 3.0, -45.0),),
            bearings=Bearings((1.0, 0.0, 0.0), (0.0, 0.0, 1.0)),
        )
        plan = editing.set_tint(plan, self.assembly, ["wall"], colour="#AA5500", opacity=0.4)
        plan = editing.set_look(editing.set_line(plan, "dotted", 0.5, "#112233", True), "dashed", True, True)
        plan = editing.set_caption(editing.show_step_trails(plan, ["s2"], False), "s1", "Pull the rod out")
        plan = editing.set_anchors(plan, self.assembly, "floor", [(1.0, 2.0, 3.0)])
        again = teardown_json.loads(teardown_json.dumps(plan))
        self.assertEqual(again, plan)
        self.assertEqual(again.tints[0].colour, "#aa5500")

    def test_files_that_make_no_sense(self):
        good = teardown_json.to_document(self.plan)
        for wrong in (
            {"bearings": {"front": [0, 0, 1]}},
            {"bearings": {"up": [0, 0, 0]}},
            {"look": {"display": "sparkling"}},
            {"tints": [{"component": "rod", "opacity": 0}]},
            {"trails": {"width": -1}},
            {"trails": {"of": [{"component": "rod", "jogs": [{"leg": 0, "start": 2, "end": 3, "offset": [0, 0, 1]}]}]}},
            {"routes": [{"id": "l1", "stops": []}]},
            {"orbits": [{"id": "o1"}, {"id": "o1"}]},
            {"orbits": [{"id": "o1", "duration": 0}]},
        ):
            with self.subTest(wrong), self.assertRaises(PulleyError):
                teardown_json.from_document(good | wrong)
        stray = replace(self.plan, trails=(TrailOf("ghost", shown=False),))
        with self.assertRaisesRegex(PulleyError, "trails names “ghost”"):
            teardown_json.check_members(self.assembly, stray)


class SeenTests(TestCase):
    def test_shares_that_are_known(self):
        """Seen square on from far away: a screen half as wide hides half of what is behind it."""
        assembly = boxes(
            back=((40, 2, 40), (0, 50, 0)), screen=((20, 2, 40), (0, 0, 0)), free=((10, 2, 10), (60, 0, 0))
        )
        eye = Camera("", "", (30.0, -20000.0, 20.0), (30.0, 0.0, 20.0), fov=0.3)
        poses = {leaf.path: leaf.pose for leaf in assembly.leaves}
        shares = visibility.visible_shares(assembly, poses, eye)
        self.assertAlmostEqual(shares["back"], 0.5, delta=0.01)
        self.assertEqual((shares["screen"], shares["free"]), (1.0, 1.0))
        away = replace(eye, target=(30.0, -40000.0, 20.0))
        self.assertEqual(set(visibility.visible_shares(assembly, poses, away).values()), {0.0})

    def test_what_moves_as_one_counts_as_one(self):
        assembly = boxes(shell=((30, 30, 30), (0, 0, 0)), core=((10, 10, 10), (10, 10, 10)))
        whole = teardown(axial(("shell", "core"), UP, 50.0))
        sights = visibility.step_sights(assembly, whole, compose(assembly, whole))
        self.assertGreater(sights["s1"].least, 0.8)
        alone = teardown(axial(("core",), UP, 5.0))
        sights = visibility.step_sights(assembly, alone, compose(assembly, alone))
        self.assertEqual(sights["s1"].hidden, ["core"])

    def test_a_better_view_is_found_and_by_how_much(self):
        assembly = boxes(plate=((80, 2, 80), (0, 0, 0)), peg=((6, 6, 6), (37, 20, 37)))
        plan = teardown(axial(("peg",), (0, 1, 0), 20.0))
        score = compose(assembly, plan)
        front = fitted(
            np.concatenate([leaf.part.mesh.bounds + leaf.pose[:3, 3] for leaf in assembly.leaves]), (0, -1, 0)
        )
        told = []
        best = visibility.better_view(assembly, plan, score, "s1", front, told.append)
        self.assertLess(best.now.least, 0.05)
        self.assertGreater(best.then.least, 0.95)
        self.assertEqual(told[-1], 1.0)
        same = visibility.better_view(assembly, plan, score, "s1", best.camera)
        self.assertGreaterEqual(same.then.mean, best.then.mean - 1e-9)


class FilmTests(TestCase):
    def test_the_winch_is_a_film(self):
        """Every step captioned and seen while it plays, no line through a foreign part, an orbit at the end."""
        assembly, plan = read(WINCH), teardown_json.loads(WINCH_TEARDOWN.read_text())
        score = compose(assembly, plan)
        self.assertTrue(all(bar.caption for bar in score.steps))
        hidden = {
            id: sight.hidden for id, sight in visibility.step_sights(assembly, plan, score).items() if sight.hidden
        }
        self.assertEqual(hidden, {})
        self.assertEqual(crossings.crossings(assembly, plan, score), [])
        self.assertEqual(score.shots[-1].angle, 360.0)
        self.assertEqual(score.duration, score.shots[-1].end)
