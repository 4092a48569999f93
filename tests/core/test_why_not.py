"""What a proposal says of what it has left: all that holds it, and what would help, tried before it is said."""

from dataclasses import replace
from unittest import mock

import numpy as np
from benchmarks import mechanisms
from benchmarks.generate import threaded_pair
from benchmarks.mechanisms import box, made

from pulley.core.assembly import Assembly, Group
from pulley.core.contact.check import check
from pulley.core.contact.terms import set_give
from pulley.core.planning import hard_ways
from pulley.core.planning.proposal import propose
from pulley.core.planning.why_not import TRIED
from pulley.core.teardown import Teardown
from tests.core.test_proposal import ProposalCase
from tests.scenes import UP, axial, teardown


def snapped() -> Assembly:
    """A block 19.6 mm wide in a well of 20 whose mouth is 19: each side must give by 0.3."""
    well = box((40, 40, 40)) - box((20, 20, 20), (10, 10, 10)) - box((19, 19, 20), (10.5, 10.5, 25))
    return made("snap", ("well", well), ("block", box((19.6, 19.6, 12), (10.2, 10.2, 10.05))))


class WhyNotTests(ProposalCase):
    def sentence(self, assembly: Assembly, path: str, **wishes) -> str:
        proposal = self.proposed(assembly, **wishes)
        return next(left.sentence for left in proposal.left if left.path == path)

    def test_all_that_holds_it_is_named(self):
        said = self.sentence(mechanisms.piston(), "connecting rod", bending=False)
        self.assertRegex(said, "cannot leave down: pin is in the way")
        self.assertRegex(said, r"piston and 2 × circlip hold it the other ways|circlips? .*hold it the other ways")

    def test_giving_helps_by_as_much_as_is_said(self):
        assembly = snapped()
        said = self.sentence(assembly, "block", stay=("well",))
        self.assertRegex(said, r"block cannot leave up: well is in the way\. It would if it gave by [\d.]+ mm\.")
        by = float(said.split("gave by ")[1].split(" mm")[0])
        plan = teardown(axial(("block",), UP, 60))
        self.assertTrue(check(assembly, set_give(plan, "block", by)).clear)
        self.assertFalse(check(assembly, set_give(plan, "block", by / 4)).clear)

    def test_nothing_is_said_to_help_a_closed_link(self):
        for left in propose(mechanisms.chain()).left:
            self.assertNotIn("would", left.sentence)

    def test_where_nothing_helps_it_is_said_what_was_tried_if_all_of_it_was(self):
        hollow = box((40, 40, 40)) - box((30, 30, 30), (5, 5, 5))
        shut = made("shut", ("box", hollow), ("cube", box((28, 28, 28), (5.5, 5.5, 5.5))))
        self.assertTrue(self.sentence(shut, "cube", stay=("box",)).endswith(TRIED))
        with mock.patch.object(hard_ways, "WINDING", 6):
            self.assertNotIn(TRIED, self.sentence(shut, "cube", stay=("box",)))

    def test_a_thread_that_holds_a_subassembly_is_a_fit_to_confirm(self):
        """A rod and its knob stay in one piece, which is not unscrewed; confirmed, the thread is no obstacle."""
        rod, nut = threaded_pair(6, 12).leaves
        (knob,) = made("knob", ("knob", box((4, 4, 4), (-2, -2, 12.5)))).leaves
        inside = [replace(leaf, path=f"pack/{leaf.name}", parent="pack") for leaf in (rod, knob)]
        assembly = Assembly("pack", (Group("pack", "pack", None, np.eye(4)), *inside, nut))
        said = self.sentence(assembly, "pack", whole=("pack",), stay=("nut",))
        self.assertRegex(said, r"were the fit of rod and nut confirmed")
        fitted = Teardown("", (axial(("pack",), UP, 60),), fits=({"a": "pack/rod", "b": "nut", "depth": 0.5},))
        self.assertTrue(check(assembly, fitted).clear)
