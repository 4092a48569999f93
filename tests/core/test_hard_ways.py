"""Ways out that are hard to find: many corners, two at once, and heads that a tool must get at."""

from dataclasses import replace
from unittest import mock

import numpy as np
from benchmarks import mechanisms
from benchmarks.mechanisms import at, box, made, rod, screw
from manifold3d import CrossSection, Manifold

from pulley.core.contact.check import check
from pulley.core.contact.scene import home_scene
from pulley.core.motion import Path
from pulley.core.planning import hard_ways
from pulley.core.planning.proposal import propose
from pulley.core.planning.reach import tool_width
from pulley.core.planning.winding import winding_way
from pulley.core.teardown import Teardown
from tests.core.test_proposal import ProposalCase


class WindingTests(ProposalCase):
    def test_the_channel_is_followed_and_its_dead_end_is_not(self):
        (step,) = self.proposed(mechanisms.labyrinth()).steps
        assert isinstance(step.motion, Path)
        points = np.array([(0.0, 0.0, 0.0), *step.motion.waypoints])
        legs = np.diff(points, axis=0)
        self.assertEqual([np.flatnonzero(leg).tolist() for leg in legs], [[0], [1], [2], [0], [1], [0]])
        known = [
            (50, 0, 0),
            (0, 40, 0),
            (0, 0, -30),
            (-30, 0, 0),
            (0, 35, 0),
        ]  # as cut, with 0.4 of play
        self.assertLess(np.abs(legs[:5] - known).max(), 0.5)
        self.assertLess(legs[5, 0], -45)

    def test_the_same_way_twice(self):
        ways = [winding_way(home_scene(mechanisms.labyrinth()), ["block"], 1000) for _ in range(2)]
        self.assertEqual(*([leg.tolist() for leg in legs] for legs, _, _ in ways))

    def test_no_more_sweeps_than_allowed(self):
        legs, way, spent = winding_way(home_scene(mechanisms.labyrinth()), ["block"], 30)
        self.assertEqual((legs, way), ([], None))
        self.assertLess(spent, 30 + 6)

    def test_no_way_out_of_what_is_shut(self):
        shut = made(
            "shut", ("box", box((40, 40, 40)) - box((30, 30, 30), (5, 5, 5))), ("cube", box((10, 10, 10), (9, 9, 9)))
        )
        self.assertIsNone(winding_way(home_scene(shut), ["cube"], 2000)[1])


class AtOnceTests(ProposalCase):
    def test_two_thirds_leave_the_last_one_at_the_same_time(self):
        """Pegs square to every joint: each third would have to leave along two normals at once."""
        assembly = mechanisms.thirds()
        proposal = self.proposed(assembly)
        first, second = proposal.steps
        self.assertEqual((second.timing.start, proposal.left, proposal.hands), ("with", (), 2))
        self.assertIn("at the same time", first.note)
        ways = [np.array(step.motion.direction) for step in (first, second)]
        self.assertAlmostEqual(float(ways[0] @ ways[1]), 0.5)  # 60 degrees: each along its joint's normal
        self.assertTrue(check(assembly, proposal.added_to(Teardown("t"))).clear)
        after = replace(Teardown("t"), steps=(first, replace(second, timing=first.timing)))
        self.assertFalse(check(assembly, after).clear)

    def test_either_hand_takes_along_what_it_cannot_leave(self):
        """A key in a pocket of each joint leaves only across it: one third goes with its key, and that leaves later."""
        assembly = mechanisms.keyed_thirds()
        proposal = self.proposed(assembly)
        first, second, *rest = proposal.steps
        self.assertEqual((second.timing.start, proposal.left, proposal.hands), ("with", (), 2))
        taken = sorted(len(step.members) for step in (first, second))
        self.assertEqual((taken, sorted(member for step in rest for member in step.members)), ([1, 2], KEYS))
        with mock.patch.object(hard_ways, "IN_HAND", 1):
            self.assertIn("third 2", {left.path for left in propose(mechanisms.keyed_thirds()).left})


KEYS = ["key 1", "key 2", "key 3"]


def hexagonal() -> Manifold:
    """A screw with a head of 13 mm across flats, as M8 has: ISO 4014, from memory."""
    corners = [(7.5 * np.cos(a), 7.5 * np.sin(a)) for a in np.radians(np.arange(0, 360, 60))]
    return rod(4, 20, (0, 0, -20)) + Manifold.extrude(CrossSection([corners]), 5.3)


def beside(head: Manifold) -> list[str]:
    """What leaves first of a screw, and a bush around a pin whose wall is 9 mm off the screw's axis."""
    plate = box((60, 40, 10)) - rod(4.1, 30, (20, 20, -5))
    bush = mechanisms.ring(5, 10, 30, (39, 20, 10.1))
    scene = made(
        "beside", ("plate", plate), ("clip", box((20, 12, 3), (10, 14, 10)) - rod(4.1, 30, (20, 20, 0))),
        ("M8 screw", head, [at(20, 20, 13)]), ("bush", bush), mesh_of=mechanisms.described_mesh,
    )  # fmt: skip
    return [step.label for step in propose(scene).steps]


class ReachTests(ProposalCase):
    def test_the_width_of_sockets(self):
        """ISO 2725-1, greatest outer diameters for 10, 13, 17, 19 and 24 mm, from memory: within a mm."""
        for flats, width in ((10, 15.5), (13, 19.5), (17, 24.7), (19, 27.0), (24, 32.5)):
            self.assertAlmostEqual(tool_width(flats), width, delta=1.0)

    def test_what_is_in_the_way_of_the_socket_leaves_first(self):
        self.assertEqual(beside(hexagonal())[:2], ["bush", "M8 screw"])

    def test_a_round_head_is_turned_from_inside_and_leaves_first(self):
        self.assertEqual(beside(screw(4, 20, 5.3))[:1], ["M8 screw"])
