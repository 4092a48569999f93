"""Proposals for every test assembly, against the contact check that knows nothing of how they were made.

Sources: CAx-IF as1 from three systems (npm package occt-import-js); the demo's own files; bolted flanges with a
known least number of steps; mechanisms of our own, burrs among them: the classic six-piece burr with a solid key comes
apart bar by bar (from memory). Directional blocking graphs: Wilson and Latombe 1994, "Geometric reasoning about
mechanical assembly" (from memory): what no translation frees is a strongly connected set, and is said to be one.
"""

from unittest import TestCase

from benchmarks.generate import flanges
from benchmarks.mechanisms import least_steps
from benchmarks.referee_player import Player

from pulley.core.assembly import Assembly
from pulley.core.contact.check import check
from pulley.core.planning.proposal import Proposal, propose
from pulley.core.teardown import Teardown
from tests.scenes import AS1, DEMO, ROOT, WINCH, read

HELD = {"chain of links": 4}  # components that stay, beside the base
SCENES = ("friction_pack", "round_hatch", "cam_cleat", "mast_foot", "roller")


class EveryAssemblyTests(TestCase):
    def clear(self, assembly: Assembly) -> Proposal:
        """A proposal whose every step and whose end pose the contact check lets pass."""
        proposal = propose(assembly)
        self.assertTrue(check(assembly, proposal.added_to(Teardown("Proposed"))).clear, assembly.name)
        return proposal

    def test_the_demo(self):
        for file in (WINCH, DEMO, *(ROOT / f"demo/{name}.step" for name in SCENES)):
            with self.subTest(file.name):
                assembly = read(file)
                proposal = self.clear(assembly)
                moved = {leaf for step in proposal.steps for leaf in assembly.leaves_of(step.members)}
                self.assertEqual(len(moved), len(assembly.leaves) - len(assembly.leaves_of(proposal.stay)))
                held = [left.path.rpartition("/")[2] for left in proposal.left]
                self.assertEqual(held, ["Shackle pin", "Split ring"] if file == DEMO else [])

    def test_as1_from_three_systems(self):
        for name in ("as1-oc-214.stp", "as1-tu-203.stp", "as1_pe_203.stp"):
            file = AS1.parent / name
            if file.exists():
                with self.subTest(name):
                    proposal = self.clear(read(file))
                    self.assertEqual(proposal.left, ())

    def test_flanges_in_the_least_number_of_steps(self):
        """Nuts, washers, bolts, lids, gaskets, and the feet but one: common practice, no source."""
        proposal = self.clear(flanges(4))
        self.assertLessEqual(len(proposal.steps), 6)
        self.assertEqual(proposal.left, ())

    def test_mechanisms_by_another_player(self):
        """What comes off, in no fewer steps than can be; and the referee's player, whose kinematics and Booleans are
        its own, finds nothing that passes through anything."""
        for assembly, least in least_steps():
            with self.subTest(assembly.name):
                proposal = self.clear(assembly)
                self.assertEqual(len(proposal.left), HELD.get(assembly.name, 0))
                if assembly.name not in HELD:
                    self.assertGreaterEqual(len(proposal.steps), least or 1)
                    self.assertLessEqual(len(proposal.steps), 2 * (least or 3) + 1)
                after = proposal.added_to(Teardown("Proposed"))
                gives = {give["component"]: give["by"] for give in after.gives}
                self.assertEqual(Player(assembly, gives, 4).wrong(after), [])
