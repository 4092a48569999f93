"""Proposed teardowns: known answers, order, reasons, options, bad input; each passes the contact check."""

import os
import sys
from dataclasses import replace
from subprocess import PIPE, Popen
from unittest import TestCase

import numpy as np
from benchmarks import generate
from benchmarks.generate import assemble, drilled, flanges, mesh_of
from manifold3d import Manifold, OpType

from pulley.core.assembly import Assembly
from pulley.core.contact.check import check
from pulley.core.errors import PulleyError
from pulley.core.formats.teardown import to_document
from pulley.core.formats.teardown.schema import check_document
from pulley.core.geometry.features import Cylinder
from pulley.core.geometry.frames import translation
from pulley.core.geometry.mesh import Mesh
from pulley.core.part_kinds import kind_of
from pulley.core.planning.options import Options
from pulley.core.planning.peeling import Enough
from pulley.core.planning.proposal import Proposal, propose
from pulley.core.teardown import Teardown
from tests.scenes import AS1, DEMO, ROOT, UP, WINCH, axial, boxes, read, teardown, tower


class ProposalCase(TestCase):
    def proposed(self, assembly: Assembly, before: Teardown | None = None, **wishes) -> Proposal:
        """A proposal, checked from its first step to its end pose."""
        before = before or Teardown("By hand")
        proposal = propose(assembly, before, Options(**wishes))
        verdict = check(assembly, proposal.added_to(before))
        self.assertEqual([s for snags in verdict.snags.values() for s in snags], [])
        self.assertEqual(verdict.overlaps, ())
        check_document(to_document(proposal.added_to(before)))  # what is kept are plain numbers
        return proposal

    def off(self, assembly: Assembly, proposal: Proposal) -> set[str]:
        return {leaf for step in proposal.steps for leaf in assembly.leaves_of(step.members)}

    def order(self, proposal: Proposal) -> list[tuple[str, ...]]:
        return [step.members for step in proposal.steps]


def box_with_a_well() -> Assembly:
    """Three unlike blocks in a well, and one beside it."""
    well = Manifold.cube((40.0, 40.0, 40.0)) - Manifold.cube((20.0, 20.0, 35.0)).translate((10.0, 10.0, 5.0))
    blocks = {"low": (19.0, 10.0, 5.05), "middle": (16.0, 9.0, 15.1), "high": (13.0, 8.0, 24.15)}
    items = [
        (name, mesh_of(Manifold.cube((wide, wide, tall)).translate((10.5, 10.5, z))), np.eye(4))
        for name, (wide, tall, z) in blocks.items()
    ]
    beside = mesh_of(Manifold.cube((10.0, 10.0, 10.0)).translate((50.0, 0.0, 0.0)))
    return assemble("well", [("well", mesh_of(well), np.eye(4)), *items, ("beside", beside, np.eye(4))])


class KnownAnswerTests(ProposalCase):
    def test_as1_comes_apart(self):
        """CAx-IF as1: all 18 but the base leave; the rod before the bolts beneath it; nuts down or outward."""
        assembly = read(AS1)
        proposal = self.proposed(assembly)
        self.assertEqual(len(self.off(assembly, proposal)), 17)
        self.assertEqual((proposal.left, proposal.stay), ((), ("as1/plate_1",)))
        place = {leaf: k for k, s in enumerate(proposal.steps) for leaf in assembly.leaves_of(s.members)}
        rod = next(path for path in place if path.endswith("rod_1"))
        under = [path for path in place if path.endswith("nut-bolt-assembly_1/bolt_1")]
        self.assertTrue(all(place[rod] < place[bolt] for bolt in under))
        for step in proposal.steps:
            if step.members[0].endswith("bolt_1"):
                self.assertEqual(step.motion.direction, UP)
            elif "nut" in step.members[0].rpartition("/")[2]:
                self.assertIn(step.motion.direction, ((0, 0, -1), (1, 0, 0), (-1, 0, 0)))

    def test_each_step_says_what_it_sets_free(self):
        """Blocks in a well, one on the other: each is freed by the one above, the block beside it by nobody."""
        well = box_with_a_well()
        notes = {step.members[0]: step.note for step in self.proposed(well, gap=2.0).steps}
        self.assertTrue(notes["high"].endswith("Then middle can leave."), notes)
        self.assertTrue(notes["middle"].endswith("Then low can leave."), notes)
        self.assertNotIn("can leave", notes["low"] + notes["beside"])

    def test_a_stack_with_a_bolt_leaves_in_the_only_order(self):
        plate = drilled(20.0, 5.0, 4.2, [], 0.0, 48)
        bolt = generate.lathe([(0, -31), (4, -31), (4, 0), (7, 0), (7, 5), (0, 5)])
        items = [(f"plate#{k}", plate, translation(np.array([0.0, 0.0, 5.0 * k]))) for k in range(6)]
        assembly = assemble("bolted", [*items, ("bolt", bolt, translation(np.array([0.0, 0.0, 30.0])))])
        proposal = self.proposed(assembly, stay=("plate#0",))
        self.assertEqual(proposal.steps[0].members, ("bolt",))
        self.assertLessEqual(len(proposal.steps), 7)
        self.assertEqual(len(self.off(assembly, proposal)), 6)

    def test_nested_cups_leave_from_the_inside(self):
        assembly = generate.nested(5)
        proposal = self.proposed(assembly)
        self.assertEqual(self.order(proposal), [("cup#0",), ("cup#1",), ("cup#2",), ("cup#3",)])

    def test_two_halves_that_only_leave_together(self):
        """An arm of each reaches over the other: a strongly connected set of the blocking graph."""
        assembly = _hooked()
        proposal = self.proposed(assembly, stay=("tray",))
        first, second = proposal.steps
        self.assertEqual((set(first.members), first.motion.direction), ({"left", "right"}, UP))
        self.assertIn("only leave together", first.note)
        self.assertEqual((len(second.members), abs(second.motion.direction[0])), (1, 1.0))

    def test_a_linked_ring_is_named_and_never_faked(self):
        ring = generate.lathe([(8, -1), (10, -1), (10, 1), (8, 1)])
        quarter = np.array([[1.0, 0, 0, 9], [0, 0, -1, 0], [0, 1, 0, 0], [0, 0, 0, 1]])
        assembly = assemble("chain", [("ring#0", ring, np.eye(4)), ("ring#1", ring, quarter)])
        proposal = self.proposed(assembly)
        self.assertEqual((proposal.steps, len(proposal.left)), ((), 1))
        self.assertRegex(proposal.left[0].sentence, "cannot leave .*: ring#[01] is in the way")

    def test_a_modelled_thread_is_unscrewed(self):
        assembly = generate.threaded_pair()
        proposal = self.proposed(assembly)
        turn, rest = proposal.steps
        self.assertEqual(
            (turn.motion.kind, turn.motion.advance, rest.motion.kind), ("turn", generate.COARSE[6], "axial")
        )
        self.assertIn("A thread holds it", turn.note)

    def test_a_bayonet_is_turned_and_pulled(self):
        """A lug under a collar with a notch 60 degrees on; walls all round, so that nothing leaves aside."""
        cylinder, cube = Manifold.cylinder, Manifold.cube
        lug = cube((14.0, 4.0, 3.0)).translate((0, -2.0, 0))
        pin = mesh_of(cylinder(30, 9.8, 9.8, 96) + lug.rotate((0, 0, 60)))
        pin = replace(pin, cylinders=(Cylinder((0.0, 0.0, 15.0), (0.0, 0.0, 1.0), 9.8, 30.0, hole=False),))
        notch = cube((20.0, 5.0, 9.0)).translate((0, -2.5, 2.0))
        collar = cylinder(5, 20, 20, 96).translate((0, 0, 4)) - cylinder(20, 10.2, 10.2, 96) - notch
        cup = cylinder(12, 25, 25, 96).translate((0, 0, -3)) - cylinder(20, 20.5, 20.5, 96)
        housing = mesh_of(collar + cup + (cylinder(2, 22, 22, 96) - cylinder(9, 19.9, 19.9, 96)).translate((0, 0, 5)))
        assembly = assemble("bayonet", [("pin", pin, np.eye(4)), ("housing", housing, np.eye(4))])
        turn, pull = self.proposed(assembly, stay=("housing",)).steps
        self.assertEqual((turn.motion.kind, abs(turn.motion.angle), pull.motion.direction), ("turn", 60, UP))
        self.assertIn("It is locked", turn.note)

    def test_a_key_that_needs_two_legs(self):
        """A T in a slot that is open on one side only: up is shut by a lid that stays, so aside and then up."""
        assembly = boxes(
            floor=((60, 60, 5), (0, 0, 0)),
            back=((60, 5, 30), (0, 55, 5)),
            east=((5, 50, 30), (55, 5, 5)),
            west=((5, 50, 30), (0, 5, 5)),
            front=((60, 5, 30), (0, 0, 5)),
            lid=((50, 25, 5), (5, 30, 25)),
            key=((40, 20, 10), (10, 32, 5)),
        )
        stay = ("floor", "back", "east", "west", "front", "lid")
        proposal = self.proposed(assembly, stay=stay)
        (step,) = proposal.steps
        self.assertEqual((step.motion.kind, len(step.motion.waypoints)), ("path", 2))
        self.assertIn("first to the front, then up", step.note)


class WishTests(ProposalCase):
    def test_a_gap_and_a_length_to_fill(self):
        assembly = tower()
        wide = self.proposed(assembly, gap=30.0)
        self.assertGreater(wide.extent, self.proposed(assembly, gap=5.0).extent)
        filled = self.proposed(assembly, length=150.0)
        self.assertLessEqual(filled.extent, 150.0)
        self.assertGreater(filled.extent, 120.0)

    def test_subassemblies_stay_whole(self):
        assembly = read(WINCH)
        gears = "Deck winch/Gears"
        proposal = self.proposed(assembly, whole=(f"{gears}/Carrier",))
        self.assertIn((f"{gears}/Carrier",), self.order(proposal))
        self.assertFalse(any(path.startswith(f"{gears}/Carrier/") for step in proposal.steps for path in step.members))

    def test_a_selection_and_what_is_left_after_steps_by_hand(self):
        assembly = tower()
        self.assertEqual(self.order(self.proposed(assembly, parts=("lid",))), [("lid",)])
        by_hand = teardown(axial(("lid",), UP, 60.0))
        rest = self.proposed(assembly, by_hand, stay=("low",))
        self.assertEqual(self.order(rest), [("high",), ("middle",)])
        self.assertEqual(rest.added_to(by_hand).steps[0], by_hand.steps[0])
        self.assertEqual([s.id for s in rest.added_to(by_hand, ["p2"]).steps], ["s1", "p2"])
        off = replace(by_hand, steps=(replace(by_hand.steps[0], off=True),))
        self.assertEqual(self.order(self.proposed(assembly, off, stay=("low",)))[0], ("lid",))

    def test_at_most_so_many_steps_and_fasteners_last(self):
        assembly = flanges(1)
        short = self.proposed(assembly, most=2)
        self.assertEqual(len(short.steps), 2)
        self.assertTrue(any("its turn did not come" in left.sentence for left in short.left))
        first = self.proposed(assembly).steps[0]
        self.assertTrue(first.members[0].startswith("nut"))
        loose = boxes(base=((80, 80, 10), (0, 0, 0)), cap=((20, 20, 10), (5, 5, 10)))
        pin = generate.lathe([(0, 0), (2, 0), (2, 12), (0, 12)])
        mixed = assemble("mixed", [
            *((leaf.name, leaf.part.mesh, leaf.pose) for leaf in loose.leaves),
            ("pin", pin, translation(np.array([60.0, 60.0, 10.0]))),
        ])  # fmt: skip
        self.assertEqual(self.order(self.proposed(mixed)), [("pin",), ("cap",)])
        self.assertEqual(self.order(self.proposed(mixed, fasteners_first=False)), [("cap",), ("pin",)])

    def test_the_same_file_gives_the_same_proposal(self):
        self.assertEqual(propose(read(DEMO)), propose(read(DEMO)))

    def test_another_process_gives_the_same_proposal(self):
        """Sets of names come in another order in each process, as their hashes begin anew."""
        script = (
            "from benchmarks.generate import flanges; from pulley.core.planning.proposal import propose;"
            "print(propose(flanges(4, sizes=4)).steps)"
        )
        runs = [
            Popen([sys.executable, "-c", script], env=os.environ | {"PYTHONHASHSEED": seed}, cwd=ROOT, stdout=PIPE)
            for seed in ("1", "2")
        ]
        first, second = (run.communicate()[0] for run in runs)
        self.assertEqual(first, second)
        self.assertGreater(len(first), 1000)

    def test_wishes_that_make_no_sense(self):
        for wishes in ({"gap": 0.0}, {"gap": -1.0}, {"gap": float("nan")}, {"length": float("inf")}, {"most": 0}):
            with self.assertRaises(PulleyError):
                propose(tower(), None, Options(**wishes))
        for wishes in ({"whole": ("nothing",)}, {"parts": ("nothing",)}, {"stay": ("nothing",)}):
            with self.assertRaisesRegex(PulleyError, "There is no component"):
                propose(tower(), None, Options(**wishes))


class OddAssemblyTests(ProposalCase):
    def test_one_component_and_everything_moved(self):
        self.assertEqual(self.proposed(boxes(only=((5, 5, 5), (0, 0, 0)))).steps, ())
        with self.assertRaisesRegex(PulleyError, "has been moved already"):
            propose(tower(), teardown(axial(("low", "middle", "high", "lid"), UP, 60.0)))

    def test_everything_overlaps(self):
        sizes = ((20, 20, 20), (20, 20, 20), (20, 20, 20))
        heap = boxes(**{f"b{k}": (size, (4.0 * k, 3.0 * k, 2.0 * k)) for k, size in enumerate(sizes)})
        self.proposed(heap)

    def test_an_open_mesh(self):
        assembly = tower()
        lid = assembly.by_path["lid"]
        torn = replace(lid.part.mesh, triangles=lid.part.mesh.triangles[:-2])
        components = [replace(c, part=replace(c.part, mesh=torn)) if c is lid else c for c in assembly.components]
        self.assertEqual(len(self.proposed(replace(assembly, components=tuple(components))).steps), 3)

    def test_loose_balls(self):
        arc = [(4 * np.cos(a), 4 * np.sin(a)) for a in np.linspace(-np.pi / 2, np.pi / 2, 9)]
        ball = generate.lathe([(max(r, 0.0), z) for r, z in arc], 16)
        places = [(9.0 * (k % 5), 9.0 * (k // 5 % 5), 9.0 * (k // 25)) for k in range(100)]
        heap = assemble("balls", [(f"ball#{k}", ball, translation(np.array(p))) for k, p in enumerate(places)])
        proposal = self.proposed(heap)
        self.assertEqual(len(self.off(heap, proposal)), 99)

    def test_cancelled_half_way(self):
        def stop(share: float, words: str) -> None:
            if share > 0.5:
                raise InterruptedError(words)

        with self.assertRaisesRegex(InterruptedError, "off"):
            propose(read(DEMO), report=stop)

    def test_stopped_half_way_keeps_what_was_found(self):
        def stop(share: float, words: str) -> None:
            if words.startswith("2"):
                raise Enough

        proposal = propose(flanges(1), report=stop)
        self.assertGreaterEqual(len(proposal.steps), 1)
        self.assertGreater(len(proposal.left), 0)

    def test_a_snag_made_by_hand_does_not_spoil_what_is_proposed(self):
        by_hand = teardown(axial(("middle",), UP, 4.0))  # into what lies on it
        proposal = propose(tower(), by_hand, Options(stay=("low",)))
        self.assertEqual({path for step in proposal.steps for path in step.members}, {"high", "lid"})
        verdict = check(tower(), proposal.added_to(by_hand))
        self.assertEqual([id for id, snags in verdict.snags.items() if snags], ["s1"])

    def test_what_stands_outside_is_not_run_into(self):
        """The lid was put 40 mm up by hand: what lies under it stays below it."""
        by_hand = teardown(axial(("lid",), UP, 40.0))
        proposal = self.proposed(tower(), by_hand, stay=("low",), gap=5.0)
        self.assertEqual(len(proposal.steps), 2)


class KindTests(TestCase):
    def test_kinds_by_shape(self):
        """The demo's parts, by what their makers call them (their names say it, their shapes are asked)."""
        expected = {
            WINCH: {
                "Base bolt": "screw",
                "Crown nut": "nut",
                "Top washer": "washer",
                "Roller": "pin",
                "Drum shell": "",
            },
            DEMO: {"Ball": "ball", "Cheek screw": "screw", "Axle nut": "nut", "Sheave": "", "Cheek, far": ""},
            ROOT / "demo/cam_cleat.step": {"Bolt": "screw", "Spring": "spring", "Base": ""},
            AS1: {"nut": "nut", "bolt": "screw", "plate": "", "l-bracket": ""},
        }
        for file, kinds in expected.items():
            parts = {part.name: part for part, _ in read(file).parts}
            shaped = {
                name: kind for name, kind in kinds.items() if kind != "spring" and name != "nut"
            }  # as1's are plates
            self.assertEqual({name: kind_of(replace(parts[name], name="part 7")) for name in shaped}, shaped)
            self.assertEqual({name: kind_of(parts[name]) for name in kinds}, kinds)


def _hooked() -> Assembly:
    """Two blocks in a tray, each with an arm over the foot of the other."""

    def block(*spans: tuple[float, ...]) -> Mesh:
        cubes = [Manifold.cube((x1 - x0, y1 - y0, z1 - z0)).translate((x0, y0, z0)) for x0, x1, y0, y1, z0, z1 in spans]
        return mesh_of(Manifold.batch_boolean(cubes, OpType.Add))

    left = block((0, 20, 0, 30, 0, 5), (0, 20, 0, 15, 0, 15), (0, 30, 0, 15, 10, 15))
    right = block((20, 40, 0, 30, 0, 5), (20, 40, 15, 30, 0, 15), (10, 40, 15, 30, 10, 15))
    walls = [
        (-5, 45, -5, 35, -5, 0),
        (-5, 0, -5, 35, 0, 8),
        (40, 45, -5, 35, 0, 8),
        (0, 40, -5, 0, 0, 8),
        (0, 40, 30, 35, 0, 8),
    ]
    return assemble(
        "hooked", [("tray", block(*walls), np.eye(4)), ("left", left, np.eye(4)), ("right", right, np.eye(4))]
    )
