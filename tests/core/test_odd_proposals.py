"""Proposals for what is hard to propose for: odd assemblies, pages, wishes and ways down, and picks that contradict."""

import pickle
from dataclasses import replace
from functools import cache
from unittest import TestCase, mock

import numpy as np
from benchmarks import mechanisms
from benchmarks.generate import assemble
from benchmarks.mechanisms import at, box, made, screw
from manifold3d import Manifold

from pulley.core.assembly import Assembly
from pulley.core.contact.check import check
from pulley.core.contact.scene import Scene
from pulley.core.errors import PulleyError
from pulley.core.geometry.mesh import box_mesh, flat_mesh
from pulley.core.planning import blocking, groundwork
from pulley.core.planning.options import Options
from pulley.core.planning.page import Rooms
from pulley.core.planning.peeling import Enough
from pulley.core.planning.proposal import SHARES, propose
from pulley.core.teardown import Bearings, Teardown
from tests.core.test_holding import ceiling
from tests.scenes import axial

HOME = np.eye(4)


@cache
def solid_plates():
    """A lid on a base, screwed together, with no holes for the screws."""
    lid, holds = box((60, 60, 5), (0, 0, 10)), [at(10, 10, 15), at(50, 50, 15)]
    return made("solid", ("base", box((60, 60, 10))), ("lid", lid), ("screw", screw(2, 10), holds))


class AssemblyTests(TestCase):
    def test_one_part_stays(self):
        proposal = propose(made("one", ("only", box((10, 10, 10)))))
        self.assertEqual((proposal.steps, proposal.stay, proposal.left), ((), ("only",), ()))

    def test_loose_balls_all_come_off(self):
        middles = np.random.default_rng(5).uniform(0, 200, (120, 3))
        balls = made("balls", ("ball", Manifold.sphere(4, 16), [at(*middle) for middle in middles]))
        proposal = propose(balls)
        self.assertEqual(proposal.left, ())
        self.assertEqual(sum(len(step.members) for step in proposal.steps), 119)

    def test_overlapping_and_equal_parts(self):
        for second in ((5, 5, 5), (0, 0, 0)):
            scene = made("over", ("a", box((20, 20, 20))), ("b", box((20, 20, 20), second)))
            self.assertEqual((len(propose(scene).steps), propose(scene).left), (1, ()))

    def test_sheets(self):
        def sheet(z: float):
            corners = np.array([[0, 0, z], [40, 0, z], [40, 30, z], [0, 30, z]], float)
            return flat_mesh(corners[[[0, 1, 2], [0, 2, 3]]])

        between = ("box", box_mesh((5, 5, 1), (20, 20, 4)), HOME)
        proposal = propose(assemble("sheets", [("low", sheet(0.0), HOME), ("high", sheet(5.0), HOME), between]))
        self.assertEqual((len(proposal.steps), proposal.left), (2, ()))

    def test_screws_in_plates_without_holes_come_out(self):
        """A screw whose head lies flush on a plate that it is sunk in shares no more with it on its way out."""
        scene = solid_plates()
        proposal = propose(scene)
        self.assertEqual([step.label for step in proposal.steps], ["2 × screw", "lid"])
        self.assertEqual(proposal.left, ())
        self.assertTrue(check(scene, proposal.added_to(Teardown("t"))).clear)
        along = Teardown("t", (axial(("lid",), (1.0, 0.0, 0.0), 90), axial(("screw",), (0.0, 0.0, -1.0), 40)))
        self.assertFalse(check(scene, along).clear)  # its head goes through the plate then

    def test_down_askew(self):
        for up in ((0.6, 0.0, 0.8), (0.0, 0.0, -1.0), (1.0, 0.0, 0.0)):
            proposal = propose(solid_plates(), Teardown("t", bearings=Bearings((0.0, -1.0, 0.0), up)))
            self.assertEqual((len(proposal.steps), proposal.left), (2, ()), up)

    def test_a_base_that_nothing_holds(self):
        proposal = propose(ceiling(), options=Options(stay=("plate",)))
        self.assertEqual((proposal.stay, proposal.left), (("plate",), ()))


class Kept(dict):
    """A memory that another process finds: what is kept is copied."""

    def set(self, key: str, value: object) -> None:
        self[key] = pickle.dumps(value)

    def get(self, key: str, default: object = None) -> object:
        return pickle.loads(self[key]) if key in self else default


class Writing(Kept):
    """A memory that says how many contacts are written each time."""

    def __init__(self, written: list[int]) -> None:
        self.written = written

    def set(self, key: str, value: object) -> None:
        super().set(key, value)
        if isinstance(value, dict):
            self.written.append(len(value))


class PiecesTests(TestCase):
    def test_work_that_was_killed_goes_on_from_its_last_piece(self):
        memory, whole = Kept(), propose(mechanisms.gearbox())

        def killed(share: float, words: str) -> None:
            if share > 0.2:
                raise KeyboardInterrupt

        with mock.patch.object(blocking, "PIECE", 20):
            self.assertRaises(KeyboardInterrupt, propose, mechanisms.gearbox(), report=killed, memory=memory)
        self.assertTrue(memory)
        counted = mock.Mock(side_effect=Scene.contact)
        with mock.patch.object(Scene, "contact", lambda *sent: counted(*sent)):
            cold = self.asked(counted, Kept())
            self.assertLess(self.asked(counted, memory), 0.7 * cold)
            self.assertEqual(self.asked(counted, memory), 0)
        self.assertEqual(propose(mechanisms.gearbox(), memory=memory), whole)

    def test_pieces_grow_so_that_what_is_kept_is_not_written_over_and_over(self):
        written: list[int] = []
        with mock.patch.object(blocking, "PIECE", 20):
            propose(mechanisms.gearbox(), memory=Writing(written))
        pieces = [size for size in written if size]
        self.assertGreater(len(pieces), 2)
        self.assertLess(sum(pieces), 1 / (1 - 1 / blocking.LARGER) * pieces[-1] + pieces[-1])

    def test_the_order_is_kept_unless_it_was_broken_off(self):
        memory, whole = Kept(), propose(mechanisms.gearbox())

        def told(share: float, words: str) -> None:
            if "off" in words:
                raise Enough

        self.assertLess(len(propose(mechanisms.gearbox(), report=told, memory=memory).steps), len(whole.steps))
        self.assertEqual(propose(mechanisms.gearbox(), memory=memory), whole)
        with mock.patch.object(groundwork, "peel", side_effect=AssertionError):
            self.assertEqual(propose(mechanisms.gearbox(), memory=memory, options=Options(gap=9.0)).left, whole.left)
            for options in (Options(stay=("upper half",)), Options(fasteners_first=False), Options(manner="service")):
                self.assertRaises(AssertionError, propose, mechanisms.gearbox(), options=options, memory=memory)
            down = Teardown("t", bearings=Bearings((0.0, -1.0, 0.0), (0.0, 0.0, -1.0)))
            self.assertRaises(AssertionError, propose, mechanisms.gearbox(), down, memory=memory)

    def test_a_proposal_is_kept_for_what_it_was_worked_out_for_and_nothing_else(self):
        memory, gearbox, plan = Kept(), mechanisms.gearbox(), Teardown("t")
        whole = propose(gearbox, plan, memory=memory)
        first = gearbox.leaves[0]

        def but(**changed) -> Assembly:
            """The gearbox, with something else said of its first leaf."""
            rest = [each for each in gearbox.components if each is not first]
            return replace(gearbox, components=(replace(first, **changed), *rest))

        others = [
            but(name="Another name"),
            but(colour=(1.0, 0.0, 0.0)),
            but(part=replace(first.part, name="Circlip")),
            but(part=replace(first.part, mass=12.0)),
        ]
        with mock.patch("pulley.core.planning.proposal._worked_out", side_effect=AssertionError):
            self.assertEqual(propose(mechanisms.gearbox(), replace(plan, name="u"), memory=memory), whole)
            for other in others:
                self.assertRaises(AssertionError, propose, other, plan, memory=memory)
            for changed in ({"trails_shown": False}, {"wears": (first.path,)}, {"tolerance": 0.05}):
                self.assertRaises(AssertionError, propose, gearbox, replace(plan, **changed), memory=memory)

    def asked(self, counted: mock.Mock, memory: Kept) -> int:
        """How many contacts are worked out until the order is there."""
        counted.reset_mock()

        def told(share: float, words: str) -> None:
            if share >= SHARES[1]:
                raise InterruptedError

        self.assertRaises(InterruptedError, propose, mechanisms.gearbox(), report=told, memory=memory)
        return counted.call_count


class WishTests(TestCase):
    def refused(self, words: str, **wishes):
        with self.assertRaisesMessage(words):
            propose(ceiling(), options=Options(**wishes))

    def assertRaisesMessage(self, words: str):  # noqa: N802 - as unittest has it
        return self.assertRaisesRegex(PulleyError, words)

    def test_a_page_too_small_for_anything(self):
        for size in ((5.0, 200.0), (0.0, 0.0), (-4.0, 30.0)):
            self.refused("Choose larger paper", rooms=Rooms(sizes=(size,)))

    def test_numbers_that_are_none(self):
        for value in (0.0, -3.0, float("nan")):
            for wish in ({"gap": value}, {"length": value}, {"far": (("plate", value),)}):
                self.refused("a number of mm above 0", **wish)
        for value in (1e6, float("inf")):
            for wish in ({"gap": value}, {"length": value}, {"far": (("plate", value),)}):
                self.refused("at most", **wish)
        self.refused("has no direction", along=(0.0, 0.0, 0.0))

    def test_picks_that_contradict_one_another(self):
        self.refused("plate is to stay, and to be reached first", stay=("plate",), reach=("plate",))
        self.refused("plate is to stay, and to go far", stay=("plate",), far=(("plate", 30.0),))
        self.refused("Everything is to stay", stay=("plate", "beam", "screw", "screw#2"))

    def test_a_distance_that_is_picked_is_kept_and_the_rest_follows(self):
        plain, picked = propose(ceiling()), propose(ceiling(), options=Options(far=(("plate", 75.0),)))
        self.assertNotEqual(plain.far["plate"], 75.0)
        self.assertEqual(picked.far["plate"], 75.0)
        self.assertGreater(picked.far["screw"], plain.far["screw"])  # the screws stand beyond the plate
        self.assertEqual(picked.left, ())

    def test_a_distance_that_is_too_short_is_said(self):
        proposal = propose(ceiling(), options=Options(far=(("screw", 4.0),)))
        said = [left.sentence for left in proposal.left if left.path == "screw"]
        self.assertEqual(said, ["screw was left where it is: at 4 mm, as you picked, it would stand in something."])

    def test_the_distance_of_a_fan_is_that_of_its_nearest(self):
        stack = mechanisms.washers()
        (fan,) = propose(stack).steps
        far = fan.motion.distance + 20
        (picked,) = propose(stack, options=Options(far=((fan.members[0], far),))).steps
        self.assertEqual((picked.members, picked.motion.distance), (fan.members, far))
        self.assertGreater(picked.spacing, 0)

    def test_what_is_set_aside_goes_to_the_side_that_is_picked(self):
        coupling = next(a for a, _ in mechanisms.least_steps() if a.name == "coupling")
        plain = propose(coupling)
        path, (x, y, z) = next(iter(plain.sides.items()))
        other = (-x + 0.0, -y + 0.0, -z + 0.0)
        picked = propose(coupling, options=Options(sides=((path, other),)))
        self.assertEqual((picked.sides[path], picked.left), (other, ()))
        self.assertTrue(check(coupling, picked.added_to(Teardown("t"))).clear)
