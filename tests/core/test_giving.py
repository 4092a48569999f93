"""Parts that give: circlips, piston rings and O-rings, found by shape, marked, and taken off by proposals."""

from dataclasses import replace
from unittest import TestCase

import numpy as np
from benchmarks import mechanisms
from benchmarks.generate import assemble, lathe, mesh_of
from benchmarks.referee_bodies import Solid

from pulley.core.assembly import Assembly
from pulley.core.contact.check import check
from pulley.core.contact.giving import find_gives, ring_axis
from pulley.core.editing import set_give, set_tolerance
from pulley.core.errors import PulleyError
from pulley.core.formats import teardown as teardown_json
from pulley.core.geometry.mesh import Mesh
from pulley.core.planning.options import Options
from pulley.core.planning.proposal import propose
from pulley.core.planning.remedies import remedies
from pulley.core.teardown import Teardown
from tests.scenes import DOWN, RIGHT, UP, axial, teardown

HOME = np.eye(4)


def ring(inner: float, outer: float, height: float, slot: float = 0.0, z: float = 0.0) -> Mesh:
    """A flat ring along Z, slotted where asked."""
    body = Solid.cylinder(height, outer, outer, 64) - Solid.cylinder(height * 3, inner, inner, 64).translate((0, 0, -1))
    if slot:
        body -= Solid.cube((2 * outer, slot, 3 * height)).translate((0, -slot / 2, -1))
    return mesh_of(body.translate((0, 0, z)))


def torus(radius: float, thick: float, z: float) -> Mesh:
    angles = np.linspace(0, 2 * np.pi, 24, endpoint=False)
    return lathe([(radius + thick * np.cos(a), z + thick * np.sin(a)) for a in angles], 64)


def spindle() -> Assembly:
    """A shaft of 10 mm with a groove 0.5 mm deep, whose circlip holds a bearing against a shoulder."""
    profile = [(0, 0), (7, 0), (7, 10), (5, 10), (5, 20.05), (4.5, 20.05), (4.5, 21.15), (5, 21.15), (5, 30), (0, 30)]
    bodies = [("shaft", lathe(profile, 64)), ("bearing", ring(5, 12, 10, z=10)), ("circlip", ring(4.5, 7, 1, 3, 20.1))]
    return assemble("spindle", [(name, mesh, HOME) for name, mesh in bodies])


def piston() -> Assembly:
    """A piston of 40 mm with a slotted ring and an O-ring in their grooves."""
    profile = [(0, 0), (20, 0), (20, 5), (17.5, 5), (17.5, 7.1), (20, 7.1), (20, 12)]
    profile += [(18, 12), (18, 14.7), (20, 14.7), (20, 30), (0, 30)]
    bodies = [
        ("piston", lathe(profile, 64)),
        ("ring", ring(17.6, 20.3, 2, 1.5, 5.05)),
        ("seal", torus(19.3, 1.3, 13.35)),
    ]
    return assemble("piston", [(name, mesh, HOME) for name, mesh in bodies])


class FoundTests(TestCase):
    def test_by_shape_with_the_least_that_helps(self):
        (clip,) = find_gives(spindle())
        self.assertEqual((clip.component, clip.by, clip.why), ("circlip", 0.5, "a slotted ring"))
        found = {give.component: (give.by, give.why) for give in find_gives(piston())}
        self.assertEqual(found["seal"][1], "a torus")
        self.assertEqual((found["ring"][0], found["seal"][0]), (2.4, 2.0))  # from 17.6 and from 18 to 20 mm
        self.assertEqual(set(found), {"ring", "seal"})

    def test_a_ring_in_a_groove_gives_by_all_that_the_lands_stand_over_it(self):
        """The faces of the lands reach from the ring's inside to its outside: 30 - 27.1 mm, rounded up to a tenth."""
        assembly = mechanisms.piston()
        by = {give.component: give.by for give in find_gives(assembly)}
        self.assertEqual([by[f"ring{n}"] for n in ("", "#2", "#3")], [2.9] * 3)
        plan = teardown(axial(("ring#3",), UP, 40))
        for given, clear in ((2.5, False), (2.9, True)):
            self.assertIs(check(assembly, set_give(plan, "ring#3", given)).clear, clear)

    def test_a_circlip_in_a_groove_deeper_than_itself_closes_until_it_passes_the_bore(self):
        """9 mm outside, in a groove of 9.2 in a bore of 8.05: 0.95 mm, rounded up to a tenth."""
        by = {give.component: give.by for give in find_gives(mechanisms.piston())}
        self.assertEqual((by["circlip"], by["circlip#2"]), (1.0, 1.0))

    def test_a_ring_that_closes_does_not_pass_a_wall_without_a_bore(self):
        """The corners of the wall all lie outside the ring; its faces reach across the axis."""
        shut = mechanisms.rod(20, 5, (0, 0, 6)) + mechanisms.ring(8.05, 20, 6) - mechanisms.ring(7, 9.2, 1.3, (0, 0, 2))
        clip = mechanisms.ring(7.4, 9, 1.1, (0, 0, 2.1)) - mechanisms.box((4, 5, 12), (6, -2.5, 0))
        for give, down in ((1.0, True), (0.5, False)):
            assembly = mechanisms.made("pot", ("pot", shut), ("circlip", clip))
            for way, clear in ((1.0, False), (-1.0, down)):
                plan = set_give(teardown(axial(("circlip",), (0.0, 0.0, way), 40)), "circlip", give)
                self.assertIs(check(assembly, plan).clear, clear, (give, way))

    def test_a_washer_is_none(self):
        self.assertIsNotNone(ring_axis(ring(5, 8, 1)))
        held = assemble("washer", [("shaft", spindle().leaf("shaft").part.mesh, HOME), ("washer", ring(5, 9, 1), HOME)])
        self.assertEqual(find_gives(held), ())


class CheckedTests(TestCase):
    def verdict(self, by: float, direction=UP):
        plan = teardown(axial(("circlip",), direction, 40))
        return check(spindle(), set_give(plan, "circlip", by) if by else plan)

    def test_within_what_it_gives_it_passes_and_the_step_says_so(self):
        self.assertFalse(self.verdict(0).clear)
        self.assertFalse(self.verdict(0.3).clear)
        verdict = self.verdict(0.8)
        self.assertTrue(verdict.clear)
        self.assertEqual(verdict.gives, {"s1": (("circlip", 0.5),)})

    def test_what_it_cannot_pass_stops_it(self):
        snags = self.verdict(0.8, DOWN).snags["s1"]  # the bearing, and behind it the shoulder that it stands against
        self.assertEqual([snag.blocker for snag in sorted(snags, key=lambda snag: snag.travel)], ["bearing", "shaft"])
        (snag,) = self.verdict(0.8, RIGHT).snags["s1"]  # across its axis it does not open
        self.assertEqual(snag.blocker, "shaft")

    def test_the_remedy_is_to_let_it_give(self):
        plan = teardown(axial(("circlip",), UP, 40))
        found = {remedy.kind: remedy for remedy in remedies(spindle(), plan, check(spindle(), plan), "s1")}
        self.assertEqual((found["gives"].components, found["gives"].distance), (("circlip",), 0.5))


class ProposedTests(TestCase):
    def test_a_bearing_behind_a_circlip_and_a_piston_come_apart(self):
        for assembly, ring_off in ((spindle(), {"circlip": "0.5"}), (piston(), {"ring": "2.4", "seal": "2"})):
            proposal = propose(assembly)
            self.assertEqual(proposal.left, ())
            after = proposal.added_to(Teardown("All of it"))
            self.assertTrue(check(assembly, after).clear)
            self.assertEqual({give["component"] for give in after.gives}, ring_off.keys())
            notes = {path: step.note for step in proposal.steps for path in step.members}
            for path, by in ring_off.items():
                self.assertIn(f"{path} gives by {by} mm.", notes[path])

    def test_without_bending_they_stay(self):
        self.assertTrue(propose(spindle(), options=Options(bending=False)).left)


class KeptTests(TestCase):
    def test_in_the_open_format(self):
        plan = set_tolerance(set_give(teardown(axial(("circlip",), UP, 40)), "circlip", 0.6), 0.05)
        again = teardown_json.loads(teardown_json.dumps(plan))
        self.assertEqual((again.gives, again.tolerance), (plan.gives, 0.05))
        self.assertEqual(set_give(again, "circlip", 0.0).gives, ())
        with self.assertRaisesRegex(PulleyError, "gives names “no such ring”"):
            teardown_json.check_members(spindle(), replace(plan, gives=({"component": "no such ring", "by": 1.0},)))

    def test_what_makes_no_sense_is_refused(self):
        for tolerance in (0.0, -1.0, 11.0, float("nan"), float("inf")):
            with self.assertRaises(PulleyError):
                set_tolerance(Teardown("t"), tolerance)
        for by in (-0.1, 1e9, float("nan")):
            with self.assertRaises(PulleyError):
                set_give(Teardown("t"), "x", by)

    def test_a_finer_tolerance_sees_more(self):
        # the circlip has 0.05 mm of play in its groove, and may go in by the tolerance after that
        plan = teardown(axial(("circlip",), UP, 0.11))
        self.assertTrue(check(spindle(), plan).clear)
        self.assertFalse(check(spindle(), set_tolerance(plan, 0.02)).clear)
