"""Turns, screw motions and steps that play together: what a fitter knows about them, and closed forms."""

from math import asin, atan, atan2, degrees, hypot, inf, tan
from unittest import TestCase

import manifold3d
import numpy as np
from benchmarks.generate import COARSE, assemble, mesh_of, threaded_pair
from benchmarks.referee_bodies import box, corners_of, thread

from pulley.core.contact.check import check
from pulley.core.contact.turning import first_contact_turning
from pulley.core.geometry.mesh import Mesh, box_mesh, flat_mesh
from pulley.core.motion import Axis, Path, Radial, Turn
from pulley.core.motion.travel import Screw, screw_of, screw_pose
from pulley.core.score.compose import compose, displacement_at
from pulley.core.score.stages import displacements, stages, travels
from pulley.core.teardown import Step
from tests.core.test_contact import prism, ring
from tests.scenes import DOWN, RIGHT, ROOT, UP, axial, boxes, changed, read, teardown, tower

HOME = np.eye(4)
Z_AXIS = Axis((0.0, 0.0, 0.0), (0.0, 0.0, 1.0))
BAR = box_mesh((0, -1, 0), (20, 1, 5))


def turning(members: tuple[str, ...], angle: float, advance: float = 0.0, axis: Axis = Z_AXIS, id: str = "s1") -> Step:
    """A step about an axis."""
    return Step(id, members, Turn(axis, angle, advance=advance), label="Turn")


def eased(t: float) -> float:
    """The easing by its polynomial."""
    return t**3 * (t * (6 * t - 15) + 10)


def free(mover: Mesh, rest: Mesh, angle: float, advance: float = 0.0, origin=(0, 0, 0), along=(0, 0, 1)) -> float:
    """Degrees that a mover turns freely."""
    return first_contact_turning(mover, HOME, rest, HOME, Screw.about(origin, along, angle, advance)).travel


class PlainTurnTests(TestCase):
    def test_a_bar_meets_a_wall_where_its_corner_reaches_it(self):
        # the corner (20, 1) runs on a circle and reaches y = 10; 0.02 mm at radius 20 are 0.06 degrees
        expected = degrees(asin(10 / hypot(20, 1)) - atan2(1, 20))
        wall = box_mesh((-30, 10, 0), (30, 12, 5))
        self.assertAlmostEqual(free(BAR, wall, 90), expected, delta=0.06)
        self.assertAlmostEqual(free(BAR, box_mesh((-30, -12, 0), (30, -10, 5)), -90), expected, delta=0.06)
        self.assertEqual(free(BAR, wall, expected - 1), inf)

    def test_what_is_round_slides_and_what_is_off_the_axis_does_not(self):
        pin, bore = prism(4, 20), ring(10, 4, 20)
        self.assertEqual(free(pin, bore, 360), inf)
        self.assertAlmostEqual(free(pin, bore, 360, origin=(0.5, 0, 0)), 0.0, delta=0.05)

    def test_a_box_on_a_table_turns_on_it_lifts_off_it_and_not_into_it(self):
        box, table = box_mesh((0, 0, 0), (10, 10, 10)), box_mesh((-50, -50, -5), (50, 50, 0))
        self.assertEqual(free(box, table, 360), inf)
        self.assertEqual(free(box, table, 90, along=(0, 1, 0)), 0.0)
        self.assertAlmostEqual(free(box, table, -120, along=(0, 1, 0)), 90.0, delta=0.1)

    def test_more_than_half_round_and_round_again(self):
        post = box_mesh((15, -4, 0), (19, -2, 5))  # just behind the bar: it is met after nearly a whole turn
        expected = 360 - degrees(atan(4 / 15)) - degrees(asin(1 / hypot(15, 4)))  # its far corner (15, -4)
        self.assertAlmostEqual(free(BAR, post, 360), expected, delta=0.1)
        self.assertEqual(free(BAR, post, 340), inf)

    def test_advance_carries_it_over(self):
        wall = box_mesh((-30, 10, 0), (30, 12, 5))
        self.assertEqual(free(BAR, wall, 360, advance=100), inf)  # 27 degrees in, the bar is 7.5 mm up

    def test_what_stands_on_the_axis_counts_as_well(self):
        # a screw that advances on its axis meets a pin of 1 mm radius on it, whichever way it turns
        plug, pin = prism(4, 10), box_mesh((-1, -1, 15), (1, 1, 20))
        self.assertAlmostEqual(free(plug, pin, 3600, advance=1.0) / 360, 5.0, delta=0.05)
        self.assertAlmostEqual(free(plug, pin, -3600, advance=-1.0) / 360, 5.0, delta=0.05)


class ThreadTests(TestCase):
    """A modelled thread of ISO 261 coarse pitch with 0.15 mm play in radius, so 0.15 tan 30 degrees along the axis."""

    PLAY = 0.15 * tan(np.pi / 6)

    def setUp(self):
        self.pair = threaded_pair(6)
        self.rod, self.nut = (leaf.part.mesh for leaf in self.pair.leaves)
        self.nut_pose = self.pair.by_path["nut"].pose

    def test_held_along_the_axis_free_as_a_screw(self):
        for direction in (UP, DOWN):
            (snag,) = check(self.pair, teardown(axial(("rod",), direction, 30))).snags["s1"]
            self.assertAlmostEqual(snag.travel, self.PLAY, delta=0.002)
        self.assertTrue(check(self.pair, teardown(turning(("rod",), 360 * 16, COARSE[6]))).clear)
        self.assertTrue(check(self.pair, teardown(turning(("nut",), -360 * 10, COARSE[6]))).clear)

    def test_any_other_pitch_binds_where_the_play_is_used_up(self):
        for advance, lost in ((0.0, COARSE[6]), (-COARSE[6], 2 * COARSE[6]), (1.25, 0.25)):
            found = first_contact_turning(
                self.rod, HOME, self.nut, self.nut_pose, Screw.about((0, 0, 0), (0, 0, 1), 7200, advance)
            )
            self.assertAlmostEqual(found.travel * lost / 360, self.PLAY, delta=0.01)


class CutThreadTests(TestCase):
    def test_with_interference_it_unscrews_past_the_flat_ends(self):
        """The bolt's lower end leaves through the nut's upper face: two tips as sharp as 30 degrees, 0.1 mm deep."""
        radius, pitch, depth = 8.6, 4.0, 2.2
        block = box(30, 30, 2 * pitch)(56).translate((0, 0, 2 * pitch))
        bolt, nut = thread(radius, pitch, depth, 4)(48), block - thread(radius - 0.1, pitch, depth, 4)(56)
        bolt, nut = flat_mesh(corners_of(bolt)), flat_mesh(corners_of(nut))
        self.assertEqual(free(bolt, nut, 1440, pitch), inf)
        self.assertLess(free(bolt, nut, 1440, 0.8 * pitch), 90)


class BayonetTests(TestCase):
    """A pin with a lug under a collar with a notch 60 degrees on: it needs a turn, then a pull."""

    def setUp(self):
        cylinder, cube = manifold3d.Manifold.cylinder, manifold3d.Manifold.cube
        lug = cube((14.0, 4.0, 3.0)).translate((0, -2.0, 0))
        pin = cylinder(30, 9.8, 9.8, 96) + lug.rotate((0, 0, 60))
        notch = cube((20.0, 5.0, 9.0)).translate((0, -2.5, 2.0))
        collar = cylinder(5, 20, 20, 96).translate((0, 0, 4)) - cylinder(20, 10.2, 10.2, 96) - notch
        self.lock = assemble("bayonet", [("pin", mesh_of(pin), HOME), ("collar", mesh_of(collar), HOME)])

    def test_only_the_right_turn_frees_it(self):
        for angle, clear in ((-60, True), (0.001, False), (-40, False), (60, False)):
            plan = teardown(turning(("pin",), angle), axial(("pin",), UP, 40, "s2"))
            self.assertEqual(check(self.lock, plan).clear, clear, angle)

    def test_the_snag_of_a_straight_pull(self):
        (snag,) = check(self.lock, teardown(axial(("pin",), UP, 40))).snags["s1"]
        self.assertAlmostEqual(snag.travel, 1.0)  # the lug is 3 high, the collar begins at 4
        self.assertAlmostEqual(snag.point[2], 4.0, places=6)


class ScoreTests(TestCase):
    def test_the_score_the_check_and_the_screw_agree(self):
        axis = Axis((30.0, -4.0, 7.0), (0.3, -0.2, 1.0))
        plan = teardown(turning(("lid",), 510, 8, axis), axial(("lid",), RIGHT, 25, "s2"))
        (track,) = compose(tower(), plan).tracks.values()
        end = displacements(tower(), plan)[-1]["lid"]
        np.testing.assert_allclose(displacement_at(track, 99), end, atol=1e-9)
        self.assertEqual(len(track[0].poses), 7)
        for share in (0.13, 0.5, 0.77):
            wanted = screw_pose(np.array(axis.origin), np.array(axis.direction), 510 * eased(share), 8)
            np.testing.assert_allclose(displacement_at(track, 1.5 * share), wanted, atol=1e-9)

    def test_explode_then_collapse_is_home_bit_for_bit(self):
        plan = teardown(turning(("lid",), 725.5, 3.3), axial(("lid", "high"), UP, 12.3, "s2"))
        for track in compose(tower(), plan).tracks.values():
            for time in (99.0, 1.0, 0.3, 0.0):
                displacement = displacement_at(track, time)
            self.assertEqual(displacement.tobytes(), np.eye(4).tobytes())

    def test_trails_follow_the_arc(self):
        (trail,) = compose(tower(), teardown(turning(("lid",), 180))).trails
        radii = [hypot(*point[:2]) for _, point in trail.points]
        np.testing.assert_allclose(radii, hypot(*trail.anchor[:2]), atol=1e-9)
        self.assertGreater(len(radii), 20)

    def test_every_displacement_is_a_screw(self):
        for angle, advance in ((40.0, 3.0), (179.0, -7.0), (1e-3, 500.0)):
            wanted = screw_pose(np.array([3.0, -8.0, 2.0]), np.array([1.0, 2.0, -0.5]), angle, advance)
            np.testing.assert_allclose(screw_of(wanted).at(1.0), wanted, atol=1e-9)
        self.assertIsNone(screw_of(HOME))


class NestingTests(TestCase):
    def test_what_is_inside_follows_and_then_goes_its_own_way(self):
        both = teardown(turning(("high", "lid"), 90), axial(("lid",), UP, 20, "s2"))
        *_, last = stages(tower(), both)
        end = last.displaced(1.0)
        quarter = screw_pose(np.zeros(3), np.array(UP), 90, 0)
        np.testing.assert_allclose(end["high"], quarter, atol=1e-12)
        np.testing.assert_allclose(end["lid"][:3, 3], [0, 0, 20], atol=1e-12)
        np.testing.assert_allclose(end["lid"][:3, :3], quarter[:3, :3], atol=1e-12)

    def test_radial_directions_do_not_depend_on_how_a_part_is_turned(self):
        """Six screws about a rim; one turned by 60 degrees has lopsided bounds along the axes."""
        assembly = read(ROOT / "demo/round_hatch.step")
        screws = tuple(leaf.path for leaf in assembly.leaves if "screw" in leaf.name.lower())
        step = Step("s1", screws, Radial(50, Axis((0, 0, 12), UP)))
        ways = travels(assembly, step)
        angles = sorted(np.degrees(np.arctan2(*way.points[-1][1::-1])) % 360 for way in ways.values())
        np.testing.assert_allclose(angles, range(0, 360, 60), atol=1e-9)

    def test_radial_directions_are_taken_where_things_stand(self):
        away = Step("s2", ("lid",), Radial(10, Z_AXIS))
        moved = stages(tower(), teardown(turning(("lid",), 90), away))[1].travels["lid"].points[-1]
        np.testing.assert_allclose(moved, [-10 / 2**0.5, 10 / 2**0.5, 0], atol=1e-9)


class TogetherTests(TestCase):
    def test_side_by_side_at_one_speed_is_clear_and_at_two_is_not(self):
        first = axial(("high",), UP, 40)
        for duration, clear in ((1.5, True), (3.0, False)):
            second = changed(axial(("lid",), UP, 40, "s2"), start="with", duration=duration)
            self.assertEqual(check(tower(), teardown(first, second)).clear, clear)

    def test_the_slower_one_is_met_when_its_lead_is_used_up(self):
        slow = changed(axial(("lid",), UP, 40, "s2"), start="with", duration=3.0)
        (snag,) = check(tower(), teardown(axial(("high",), UP, 40), slow)).snags["s1"]
        times = np.linspace(0, 1.5, 30_001)
        ahead = 40 * eased(times / 1.5) - 40 * eased(times / 3)
        self.assertAlmostEqual(snag.travel, 40 * eased(times[np.argmax(ahead >= 5)] / 1.5), delta=0.05)

    def test_what_presses_from_the_start_is_found_however_slowly_it_starts(self):
        aside = changed(axial(("lid",), RIGHT, 40, "s2"), start="with", duration=3.0)
        snag, *_ = check(tower(), teardown(axial(("high",), DOWN, 40), aside)).snags["s1"]
        self.assertEqual((snag.blocker, round(snag.travel, 1)), ("middle", 0.0))

    def test_touching_and_sliding_on_is_no_snag(self):
        under = Step("s1", ("high",), Path(((0, 0, 5), (30, 0, 5))), label="Under the lid")
        self.assertTrue(check(tower(), teardown(under)).clear)
        self.assertTrue(check(tower(), teardown(under, changed(axial(("low",), DOWN, 9, "s2"), start="with"))).clear)

    def test_a_turn_meets_what_slides_into_its_way(self):
        scene = boxes(bar=((20, 2, 5), (0, -1, 0)), block=((4, 4, 5), (-2, 40, 0)))
        slide = changed(axial(("block",), (0.0, -1.0, 0.0), 25, "s2"), start="with")
        self.assertTrue(check(scene, teardown(turning(("bar",), 90))).clear)
        self.assertFalse(check(scene, teardown(turning(("bar",), 90), slide)).clear)
