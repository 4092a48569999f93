"""What comes loose in each step, how many hands it takes, and that proposals mind it."""

from unittest import TestCase, mock

import numpy as np
from benchmarks import mechanisms
from benchmarks.mechanisms import at, box, made, ring, rod, screw

from pulley.core.assembly import Assembly
from pulley.core.planning import loosening
from pulley.core.planning.holding import hold_sentences, holds
from pulley.core.planning.loosening import FALLS, RUBS, TIPS, Support
from pulley.core.planning.options import Options
from pulley.core.planning.proposal import propose
from pulley.core.teardown import Bearings, Teardown
from tests.scenes import DOWN as BELOW
from tests.scenes import UP as ABOVE
from tests.scenes import axial

DOWN = np.array([0.0, 0.0, -1.0])


def ceiling() -> Assembly:
    """A plate under a beam, held by two screws from below."""
    beam = box((100, 40, 20), (0, 0, 20)) - rod(2.0, 12, (20, 20, 18)) - rod(2.0, 12, (80, 20, 18))
    plate = box((100, 40, 10), (0, 0, 10)) - rod(2.2, 12, (20, 20, 9)) - rod(2.2, 12, (80, 20, 9))
    hung = [at(x, 20, 10, (180, 0, 0)) for x in (20, 80)]
    return made("ceiling", ("beam", beam), ("plate", plate), ("screw", screw(2, 20), hung))


def loosened(assembly: Assembly, teardown: Teardown, fixed: tuple[str, ...] = ()) -> list[list[tuple[str, ...]]]:
    """For each step the leaves that it loosens, each with what they do."""
    return [[(*each.leaves, each.does) for each in hold.loosens] for hold in holds(assembly, teardown, fixed)]


class LooseTests(TestCase):
    def test_a_plate_under_a_beam_falls_with_its_last_screw(self):
        plan = Teardown(
            "t",
            (axial(("screw",), BELOW, 40), axial(("screw#2",), BELOW, 40, "s2"), axial(("plate",), BELOW, 30, "s3")),
        )
        self.assertEqual(loosened(ceiling(), plan, ("beam",)), [[], [("plate", FALLS)], []])
        self.assertEqual([hold.hands for hold in holds(ceiling(), plan, ("beam",))], [1, 2, 1])

    def test_down_is_as_the_teardown_has_it(self):
        plan = Teardown("t", (axial(("screw", "screw#2"), BELOW, 40),), bearings=Bearings((0, -1, 0), (0, 0, -1)))
        self.assertEqual(loosened(ceiling(), plan, ("beam",)), [[]])  # upside down it lies on the beam
        aside = Teardown("t", plan.steps, bearings=Bearings((0, 0, 1), (0, 1, 0)))
        self.assertEqual(loosened(ceiling(), aside, ("beam",)), [[("plate", FALLS)]])

    def test_a_block_tips_over_an_edge_once_its_counterweight_is_gone(self):
        table = box((50, 20, 10))
        block, weight = box((50, 20, 10), (20, 0, 10)), box((20, 20, 20), (20, 0, 20))
        scene = made("edge", ("table", table), ("block", block), ("weight", weight))
        plan = Teardown("t", (axial(("weight",), ABOVE, 40),))
        self.assertEqual(loosened(scene, plan, ("table",)), [[]])  # its middle is over the table: at 45 of 50
        farther = made(
            "edge", ("table", table), ("block", block.translate((9, 0, 0))), ("weight", weight.translate((9, 0, 0)))
        )
        self.assertEqual(loosened(farther, plan, ("table",)), [[("block", TIPS)]])  # at 54

    def test_groups_that_are_alike_are_judged_once_and_those_that_only_have_the_same_parts_are_not(self):
        """Three blocks on tables: two with their middle off the edge, as above, one with it on the table."""
        over, rows = (29, 29, 20), range(3)
        block, weight = box((50, 20, 10)), box((20, 20, 20))
        scene = made(
            "edges",
            ("table", box((50, 20, 10)), [at(0, 100 * k, 0) for k in rows]),
            ("block", block, [at(over[k], 100 * k, 10) for k in rows]),
            ("weight", weight, [at(over[k], 100 * k, 20) for k in rows]),
        )
        poses = {leaf.path: leaf.pose for leaf in scene.leaves}
        support = Support(scene, poses, {path for path in poses if path.startswith("table")}, DOWN)
        with mock.patch.object(loosening, "must_be_held", wraps=loosening.must_be_held) as judged:
            found = support.loose([path for path in poses if not path.startswith("weight")])
        self.assertEqual([(each.leaves, each.does) for each in found], [(("block",), TIPS), (("block#2",), TIPS)])
        self.assertEqual(judged.call_count, 3)  # what tips without and with friction, what stands once

    def test_what_only_friction_holds_is_said(self):
        plate = box((40, 40, 20), (0, 0, 10)) - rod(5.0, 22, (20, 20, 9))
        scene = made("bore", ("foot", box((40, 40, 10))), ("plate", plate), ("pin", rod(5.0, 30, (20, 20, 10))))
        support = Support(scene, {leaf.path: leaf.pose for leaf in scene.leaves}, {"plate"}, DOWN)
        self.assertEqual(support.loose(["foot", "plate", "pin"]), ())
        (pin,) = support.loose(["plate", "pin"])  # it stood on the foot
        self.assertEqual((pin.leaves, pin.does, pin.held), (("pin",), RUBS, False))

    def test_a_screw_clamps_as_long_as_its_nut_is_there(self):
        upper, lower = (box((40, 20, 8), (0, 0, z)) - rod(3.2, 10, (20, 10, z - 1)) for z in (8, 0))
        bolt = screw(3.0, 24).translate((20, 10, 16))
        nut = ring(3.05, 6, 5, (20, 10, -5))
        scene = made("bolted", ("upper", upper), ("lower", lower), ("Hex bolt", bolt), ("Hex nut", nut))
        support = Support(scene, {leaf.path: leaf.pose for leaf in scene.leaves}, {"upper"}, DOWN)
        every = ["upper", "lower", "Hex bolt", "Hex nut"]
        self.assertEqual(support.loose(every), ())
        self.assertEqual([each.leaves for each in support.loose(every[:3])], [("lower",)])

    def test_of_very_many_that_bear_one_another_nothing_is_said(self):
        """A pile of 60 plates is judged; of 110 it would take too long."""
        for count, loose in ((60, 1), (110, 0)):
            pile = made("pile", ("plate", box((50, 40, 5)), [at(0, 0, 5.0 * k) for k in range(count)]))
            paths = [leaf.path for leaf in pile.leaves]
            support = Support(pile, {leaf.path: leaf.pose for leaf in pile.leaves}, {paths[0]}, DOWN)
            self.assertEqual(len(support.loose(paths[:1] + paths[2:])), loose)

    def test_what_hangs_in_the_air_at_home_is_not_said_to_fall(self):
        scene = made(
            "air",
            ("base", box((50, 50, 10))),
            ("tag", box((5, 5, 5), (0, 0, 40))),
            ("top", box((9, 9, 9), (20, 20, 10))),
        )
        self.assertEqual(loosened(scene, Teardown("t", (axial(("top",), ABOVE, 40),)), ("base",)), [[]])

    def test_parts_in_one_another_hold_one_another(self):
        """A stud pressed 0.05 mm all round into a block: nothing between them to stand on, and it does not fall."""
        block = box((30, 30, 20), (0, 0, 20)) - rod(5.0, 12, (15, 15, 15))
        scene = made("pressed", ("block", block), ("stud", rod(5.05, 25, (15, 15, 2))))
        self.assertEqual(loosened(scene, Teardown("t", ()), ("block",)), [])
        support = Support(scene, {leaf.path: leaf.pose for leaf in scene.leaves}, {"block"}, DOWN)
        self.assertEqual(support.loose(["block", "stud"]), ())


class ProposedTests(TestCase):
    def test_the_door_that_is_bolted_from_inside_falls_with_its_screws(self):
        proposal = propose(next(a for a, _ in mechanisms.least_steps() if a.name == "door bolted from inside"))
        noted = [step for step in proposal.steps if "door then falls unless held." in step.note]
        self.assertEqual([step.label for step in noted], ["6 × screw"])
        self.assertEqual(proposal.hands, 2)

    def test_what_would_fall_leaves_before_something_else_is_loosened(self):
        """Two plates under one beam, each with its screw: with one hand for the plate, the first is taken off first."""
        beam = box((120, 40, 20), (0, 0, 20)) - rod(2.0, 12, (30, 20, 18)) - rod(2.0, 12, (90, 20, 18))
        plates, screws = [], []
        for name, x in (("left", 30.0), ("right", 90.0)):
            plates.append((f"{name} plate", box((50, 40, 10), (x - 25, 0, 10)) - rod(2.2, 12, (x, 20, 9))))
            screws.append((f"{name} screw", screw(2, 20 if name == "left" else 21), [at(x, 20, 10, (180, 0, 0))]))
        proposal = propose(made("two plates", ("beam", beam), *plates, *screws))
        self.assertEqual((proposal.left, proposal.hands), ((), 2))
        order = [step.label.split(" ") for step in proposal.steps]
        self.assertEqual([what for _, what in order], ["screw", "plate"] * 2)
        self.assertEqual(order[0][0], order[1][0])

    def test_what_makes_two_things_fall_waits_for_what_leaves_with_nothing_to_hold(self):
        """Two plates hang under a beam on screws that are one step; a block stands loose on the beam."""
        beam = box((120, 40, 20), (0, 0, 20)) - rod(2.0, 12, (30, 20, 18)) - rod(2.0, 12, (90, 20, 18))
        plate = box((50, 40, 10), (-25, -20, 0)) - rod(2.2, 12, (0, 0, -1))
        hung = [at(x, 20, 10) for x in (30, 90)], [at(x, 20, 10, (180, 0, 0)) for x in (30, 90)]
        block = box((20, 20, 5), (50, 10, 40))
        scene = made(
            "hung", ("beam", beam), ("plate", plate, hung[0]), ("screw", screw(2, 20), hung[1]), ("block", block)
        )
        proposal = propose(scene, options=Options(manner="service"))
        self.assertEqual([step.label for step in proposal.steps], ["block", "2 × screw", "2 × plate"])
        self.assertEqual((proposal.left, proposal.hands), ((), 3))

    def test_steps_by_hand_that_take_three_hands_are_named(self):
        """A beam with two plates under it, and both screws out before a plate is taken."""
        beam = box((120, 40, 20), (0, 0, 20)) - rod(2.0, 12, (30, 20, 18)) - rod(2.0, 12, (90, 20, 18))
        plates = [(f"plate {x}", box((50, 40, 10), (x - 25, 0, 10)) - rod(2.2, 12, (x, 20, 9))) for x in (30, 90)]
        hung = [at(x, 20, 10, (180, 0, 0)) for x in (30, 90)]
        scene = made("two plates", ("beam", beam), *plates, ("screw", screw(2, 20), hung))
        plan = Teardown("t", (axial(("screw", "screw#2"), BELOW, 40), axial(("plate 30",), BELOW, 30, "s2")))
        first, second = holds(scene, plan, ("beam",))
        self.assertEqual((first.hands, second.hands), (3, 2))
        self.assertEqual(
            list(hold_sentences(scene, first)), ["plate 30 and plate 90 then fall unless held.", "That takes 3 hands."]
        )
        self.assertEqual(list(hold_sentences(scene, second)), [])
