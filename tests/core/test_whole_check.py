"""The check of a whole teardown as a process: what it keeps, reports, measures and refuses; picked directions."""

import json
from dataclasses import replace
from unittest import TestCase, mock

import numpy as np
from benchmarks.generate import assemble, flange_teardown, flanges

from pulley.core import editing
from pulley.core.contact import check as checking
from pulley.core.contact.check import check
from pulley.core.contact.clearance import clearance
from pulley.core.contact.scene import Scene, home_scene
from pulley.core.contact.sweep import first_contact
from pulley.core.errors import PulleyError
from pulley.core.formats import teardown as teardown_json
from pulley.core.geometry.frames import translation
from pulley.core.geometry.mesh import Mesh, box_mesh, flat_mesh
from pulley.core.motion import Axis, Radial, Turn
from pulley.core.motion.travel import screw_pose
from pulley.core.planning.direction_text import parse_direction
from pulley.core.planning.ways_out import ways_out
from pulley.core.score.stages import displacements, skew_members, stages, travels
from pulley.core.teardown import Step
from tests.scenes import DEMO, DEMO_TEARDOWN, LEFT, RIGHT, UP, axial, boxes, changed, read, teardown, tower

HOME = np.eye(4)
BLOCK = "Halyard block"
UPRIGHT = {"origin": [0, 0, 0], "direction": [0, 0, 1]}


class KeptTests(TestCase):
    def setUp(self):
        self.assembly, self.plan = flanges(3), flange_teardown(3)

    def counted(self, plan) -> int:
        """How many groups of steps are worked out in a check."""
        with mock.patch.object(checking, "_found", wraps=checking._found) as worked:
            self.assertTrue(check(self.assembly, plan).clear)
        return worked.call_count

    def test_only_what_depends_on_a_change_is_checked_again(self):
        self.assertEqual(self.counted(self.plan), 21)
        self.assertEqual(self.counted(self.plan), 0)
        steps = list(self.plan.steps)
        steps[6] = changed(steps[6], distance=15.0)  # the foot of the first unit, with nothing near it
        self.assertEqual(self.counted(replace(self.plan, steps=tuple(steps))), 1)
        steps[0] = changed(steps[0], distance=70.0)  # the first unit's nuts: what passes them below is checked again
        self.assertLess(self.counted(replace(self.plan, steps=tuple(steps))), 7)

    def test_a_member_turns_with_the_one_it_follows(self):
        cross = boxes(arm=((4, 4, 4), (8, -2, 0)), screw=((1, 1, 1), (10, 3, 1)), post=((1, 9, 4), (20, -2, 0)))
        out = Step("s2", ("screw",), Radial(30, Axis((0, 0, 0), UP), follow=(("screw", "arm"),)))
        for shift, clear in ((0.001, False), (60.0, True)):  # moved first, the arm leads the screw past the post
            plan = teardown(axial(("arm",), (0.0, -1.0, 0.0), shift), out)
            self.assertEqual(check(cross, plan).clear, clear)

    def test_it_reports_every_step_and_can_be_cancelled(self):
        heard = []
        check(self.assembly, self.plan, report=lambda done, number: heard.append((done, number)))
        self.assertEqual(heard, [(k, 21) for k in range(1, 22)])

        def stop(done: int, number: int) -> None:
            if done == 5:
                raise InterruptedError

        with self.assertRaises(InterruptedError):
            check(self.assembly, self.plan, report=stop)


class ClearanceTests(TestCase):
    def nearest(self, assembly, step: Step):
        return clearance(assembly, stages(assembly, teardown(step))[0])

    def test_what_is_passed_half_way(self):
        scene = boxes(peg=((4, 4, 10), (0, 0, 0)), post=((4, 4, 10), (7, 0, 20)), far=((4, 4, 4), (0, 30, 50)))
        found = self.nearest(scene, axial(("peg",), UP, 60))
        self.assertEqual((found.moving, found.still), ("peg", "post"))
        self.assertAlmostEqual(found.distance, 3.0, places=6)

    def test_a_turn_passes_a_corner(self):
        scene = boxes(bar=((20, 2, 5), (0, -1, 0)), post=((4, 4, 5), (18, 18, 0)))
        step = Step("s1", ("bar",), Turn(Axis((0, 0, 0), UP), 90))
        # the bar's corner runs at radius sqrt(401), the post's nearest corner stands at 18 sqrt(2)
        self.assertAlmostEqual(self.nearest(scene, step).distance, 18 * 2**0.5 - 401**0.5, delta=0.1)

    def test_what_touches_as_it_starts_is_left_out(self):
        self.assertEqual(self.nearest(tower(), axial(("lid",), UP, 9)).still, "high")
        self.assertEqual(self.nearest(tower(), axial(("high",), RIGHT, 30)).still, "lid")


class UnsoundMeshTests(TestCase):
    def test_what_is_wrong_is_named(self):
        box = box_mesh((0, 0, 0), (10, 10, 10))
        corners = box.corners
        flap = np.array([[[0, 0, 0], [10, 0, 0], [5, -8, 0]]], float)
        for fault, mesh in (
            (None, box),
            ("open", flat_mesh(corners[1:])),
            ("inside out", flat_mesh(corners[:, ::-1])),
            ("tangled", flat_mesh(np.concatenate([corners, flap, flap[:, ::-1] + (0, 0, 0)]))),
            ("twisted", flat_mesh(np.concatenate([corners[:1, ::-1], corners[1:]]))),
        ):
            self.assertEqual(mesh.fault, fault)

    def test_they_stop_what_runs_into_them_from_either_side(self):
        corners = box_mesh((0, 0, 0), (10, 10, 10)).corners
        above = translation(np.array([0, 0, 30.0]))
        mover = box_mesh((2, 2, 0), (4, 4, 4))
        for mesh in (flat_mesh(corners[:, ::-1]), flat_mesh(corners[1:])):
            self.assertAlmostEqual(first_contact(mover, above, mesh, HOME, np.array([0, 0, -1.0])).travel, 20.0)
            self.assertAlmostEqual(first_contact(mesh, HOME, mover, above, np.array([0, 0, 1.0])).travel, 20.0)

    def test_at_the_end_crossing_one_counts_though_its_depth_is_unknown(self):
        open_box = flat_mesh(box_mesh((0, 0, 0), (10, 10, 10)).corners[1:])
        post = box_mesh((2, 2, 0), (4, 4, 40))
        for shift, crossing in ((3.0, True), (30.0, False)):
            places = translation(np.array([0, 0, 5.0])), translation(np.array([40.0, 0, 0]))
            scene = assemble("pair", [("open", open_box, places[0]), ("post", post, places[1])])
            moved = check(scene, teardown(axial(("post",), LEFT, 43 - shift)))
            self.assertEqual([(o.a, o.b, o.depth) for o in moved.overlaps], [("open", "post", 0.0)] * crossing)


class WaysTests(TestCase):
    def test_a_part_that_leans_leaves_along_its_own_axis(self):
        lean = screw_pose(np.zeros(3), np.array([0.0, 1.0, 0.0]), 30, 0)
        assembly = read(DEMO)
        scene = Scene(assembly, {leaf.path: lean @ leaf.pose for leaf in assembly.leaves})
        best = ways_out(scene, [f"{BLOCK}/Cheek screw"])[0]
        self.assertIsNone(best.free)
        np.testing.assert_allclose(best.direction, lean[:3, 2], atol=1e-9)
        self.assertEqual(best.word, "Along 0.5, 0, 0.866")

    def test_contact_normals_are_tried(self):
        lean = screw_pose(np.zeros(3), np.array([0.0, 1.0, 0.0]), 30, 0)
        assembly = read(DEMO)
        scene = Scene(assembly, {leaf.path: lean @ leaf.pose for leaf in assembly.leaves})
        directions = np.array([way.direction for way in ways_out(scene, [f"{BLOCK}/Rope guard, right"])])
        for normal in (lean[:3, 2], -lean[:3, 0], lean[:3, 0]):
            self.assertGreater((directions @ normal).max(), 0.9999)
        self.assertTrue((np.triu(directions @ directions.T, 1) < np.cos(np.radians(1))).all())


class PickTests(TestCase):
    def along(self, text: str) -> list[float]:
        return np.round(parse_direction(read(DEMO), text), 6).tolist()

    def test_typed_points_axes_faces_and_edges(self):
        self.assertEqual(self.along("0,0,-3"), [0, 0, -1])
        self.assertEqual(self.along("1,1,1:1,4,5"), [0, 0.6, 0.8])
        self.assertEqual(np.abs(self.along(f"axis:{BLOCK}/Axle pin")).tolist(), [0, 0, 1])
        self.assertEqual(np.abs(self.along(f"axis:{BLOCK}/Shackle/Bow@12,88,15")).tolist(), [1, 0, 0])
        self.assertEqual(self.along(f"normal:{BLOCK}/Head/Head block@16,50,10"), [1, 0, 0])
        self.assertEqual(np.abs(self.along(f"edge:{BLOCK}/Head/Head block@16,60,9")).tolist(), [0, 0, 1])

    def test_refusals(self):
        for text, advice in (
            ("0,0", "not a direction"),
            ("0,0,0", "All three numbers are 0"),
            ("1,2,3:1,2,3", "two points are one"),
            ("axis:nobody", "no single component"),
            (f"axis:{BLOCK}", "no single component"),
            (f"normal:{BLOCK}/Sheave", "a point on it"),
            (f"normal:{BLOCK}/Bearing/Ball@0,0,0", "has no flat face"),
        ):
            with self.subTest(text), self.assertRaisesRegex(PulleyError, advice):
                self.along(text)


class MemberTests(TestCase):
    def test_radial_from_a_point_and_following(self):
        cross = boxes(east=((4, 4, 4), (8, -2, 10)), screw=((1, 1, 1), (10, 3, 12)))
        step = Step("s1", ("east", "screw"), Radial(10, point=(0.0, 0.0, 12.0)))
        np.testing.assert_allclose(travels(cross, step)["east"].points[-1], [10, 0, 0], atol=1e-9)
        self.assertGreater(travels(cross, step)["screw"].points[-1][1], 2)
        follows = changed(step, follow=(("screw", "east"),))
        np.testing.assert_allclose(travels(cross, follows)["screw"].points[-1], [10, 0, 0], atol=1e-9)

    def test_a_member_off_its_own_axis_is_told_the_angle(self):
        assembly = read(DEMO)
        pin = f"{BLOCK}/Shackle/Shackle pin"  # lies along X through y = 88
        for origin, angle in (((-50, 88, 0), 0), ((-50, 85, 0), 3.7)):
            step = Step("s1", (pin,), Radial(10, Axis(origin, (0, 0, 1))))
            found = skew_members(assembly, stages(assembly, teardown(step))[0])
            self.assertEqual([member for member, _ in found], [pin] if angle else [])
            if angle:
                self.assertAlmostEqual(found[0][1], angle, delta=0.3)
        step = Step("s1", (pin,), Radial(10, Axis((-50, 85, 0), (0, 0, 1))))
        self.assertIn("s1", check(assembly, teardown(step)).skew)

    def test_a_fan_by_total_and_in_the_order_of_the_stack(self):
        step = changed(axial(("lid", "middle", "high"), UP, 10), total=60.0)
        self.assertEqual(step.spacing, 30.0)
        sorted_ = editing.order_nearest_first(teardown(step), tower(), "s1").steps[0]
        self.assertEqual(sorted_.members, ("middle", "high", "lid"))
        self.assertFalse(check(tower(), teardown(step)).clear)
        self.assertTrue(check(tower(), teardown(sorted_)).clear)

    def test_the_layered_stack_is_one_step(self):
        fanned = editing.set_fan(teardown(axial(("middle", "high", "lid"), UP, 20)), "s1", pitch=20.0)
        ends = {path: pose[2, 3] for path, pose in displacements(tower(), fanned)[-1].items()}
        self.assertEqual(ends, {"middle": 20, "high": 40, "lid": 60})

    def test_one_component_is_sent_home(self):
        plan = teardown(axial(("high", "lid"), UP, 20), axial(("lid",), RIGHT, 5, "s2"))
        home = editing.send_home(plan, tower(), ["lid"])
        self.assertEqual(set(displacements(tower(), home)[-1]), {"high"})
        self.assertFalse(check(tower(), home).clear)  # the lid is now in the way
        again = editing.send_home(home, tower(), ["lid"], home=False)
        self.assertEqual((again.home, len(home.steps)), ((), 2))


class BadInputTests(TestCase):
    def refuse(self, advice: str, **step: object) -> None:
        document = {"format": "pulley-teardown", "version": 1, "steps": [{"id": "s7", "members": ["lid"], **step}]}
        with self.subTest(advice), self.assertRaisesRegex(PulleyError, advice):
            teardown_json.check_members(tower(), teardown_json.loads(json.dumps(document)))

    def test_each_names_the_step_and_the_field(self):
        lift = {"kind": "axial", "direction": [0, 0, 1], "distance": 5}
        turned = {"kind": "turn", "axis": UPRIGHT, "angle": 90}
        radial = {"kind": "radial", "axis": UPRIGHT, "distance": 5}
        self.refuse("s7: direction is no direction", **lift | {"direction": [0, 0, 0]})
        self.refuse("s7: axis.direction is no direction", **radial | {"axis": UPRIGHT | {"direction": [0, 0, 0]}})
        self.refuse("s7: distance: 0 is not above 0", **lift | {"distance": 0})
        self.refuse("s7: distance: 1000000000.0 is greater than the maximum", **lift | {"distance": 1e9})
        there_and_back = [[0, 0, 9], [9, 0, 9], [0, 0, 0]]
        self.refuse("s7: waypoints: number 3 brings the path back", kind="path", waypoints=there_and_back)
        self.refuse("s7: angle is 400 degrees, more than a whole turn", **turned | {"angle": 400})
        self.refuse("s7: angle is 0", **turned | {"angle": 0})
        self.refuse("s7: members: “lid” is listed twice", **lift | {"members": ["lid", "lid"]})
        self.refuse("s7: members names “nobody”", **lift | {"members": ["nobody"]})
        self.refuse("s7: follow: “high” is not a member", **radial | {"follow": {"high": "lid"}})
        self.refuse("s7: follow names “nobody”", **radial | {"follow": {"lid": "nobody"}})
        self.refuse("s7: needs one of “axis”, “point”", **radial | {"point": [0, 0, 0]})
        self.refuse("s7: fan: needs one of “pitch”, “total”", **lift | {"fan": {}})

    def test_many_turns_are_fine_with_an_advance(self):
        axis = {"kind": "turn", "axis": UPRIGHT, "angle": 4000, "advance": 1}
        document = {"format": "pulley-teardown", "version": 1, "steps": [{"id": "s7", "members": ["lid"], **axis}]}
        self.assertEqual(teardown_json.from_document(document).steps[0].motion.angle, 4000)

    def test_a_subassembly_with_its_own_child(self):
        plan = teardown(axial((f"{BLOCK}/Bearing", f"{BLOCK}/Bearing/Cage"), UP, 5))
        for refuse in (lambda: teardown_json.check_members(read(DEMO), plan), lambda: check(read(DEMO), plan)):
            with self.assertRaisesRegex(PulleyError, "Step s1: members: “Halyard block/Bearing/Cage” is"):
                refuse()

    def test_a_teardown_made_for_another_file(self):
        plan = teardown_json.loads(DEMO_TEARDOWN.read_bytes())
        teardown_json.check_source(read(DEMO), plan)
        other = replace(plan, source={"file": "winch.step", "sha256": "0" * 64})
        with self.assertRaisesRegex(PulleyError, r"source.sha256: .*winch\.step"):
            teardown_json.check_source(read(DEMO), other)


class OddMotionTests(TestCase):
    def test_members_that_part_by_round_off_only_move_as_one(self):
        pair = boxes(a=((4, 4, 4), (8, -2, 0)), b=((4, 4, 4), (12, -2, 0)))
        step = Step("s1", ("a", "b"), Radial(30, Axis((1e-9, 0.0, 0.0), (1e-12, 0.0, 1.0))))
        self.assertTrue(check(pair, teardown(step)).clear)

    def test_a_step_whose_members_all_stay_home_does_nothing(self):
        plan = replace(teardown(axial(("lid",), UP, 20)), home=("lid",))
        self.assertTrue(check(tower(), plan).clear)
        self.assertEqual(displacements(tower(), plan)[-1], {})

    def test_a_member_that_goes_nowhere_stands_still(self):
        fanned = changed(axial(("high", "lid"), UP, 0.0), pitch=20.0)
        self.assertTrue(check(tower(), teardown(fanned)).clear)
        self.assertEqual(displacements(tower(), teardown(fanned))[-1]["high"].tolist(), np.eye(4).tolist())

    def test_what_followed_is_dropped_with_its_member(self):
        step = Step("s1", ("high", "lid"), Radial(9, point=(0, 0, 0), follow=(("lid", "high"),)))
        dropped = editing.drop_member(teardown(step), "s1", "lid")
        self.assertEqual(dropped.steps[0].motion.follow, ())
        self.assertEqual(teardown_json.loads(teardown_json.dumps(dropped)).steps, dropped.steps)

    def test_an_empty_teardown_is_clear(self):
        self.assertTrue(check(tower(), teardown()).clear)
        self.assertIsInstance(home_scene(tower()).body("lid")[0], Mesh)
