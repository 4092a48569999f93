"""Proposed steps as the page asks for them: progress, stopping, taking over, and what is refused."""

import html
import json
import re
import time
from concurrent.futures import Future
from unittest import mock
from uuid import uuid4

from pulley.core.errors import PulleyError
from pulley.web.editor import proposals, verdicts
from tests.web.base import SignedInCase


class ProposingTests(SignedInCase):
    def ask(self, expect: int = 200, **sent: str):
        response = self.client.post(f"{self.address}propose", sent, headers={"HX-Request": "true"})
        self.assertEqual(response.status_code, expect, response.content[:300])
        return response

    def proposed(self, **sent: str) -> str:
        """The panel once it has come."""
        sent = {"run": uuid4().hex, **sent}
        response = self.ask(**sent)
        for _ in range(2000):
            if "data-score" in response.content.decode():
                return response.content.decode()
            time.sleep(0.05)
            response = self.ask(**sent)
        return self.fail("no proposal came")

    def test_steps_are_shown_and_only_then_taken_over(self):
        panel = self.proposed()
        self.assertIn("3 steps proposed, 3 components", panel)
        self.assertEqual(self.kept().steps, ())
        score = json.loads(html.unescape(re.search(r'data-score="([^"]*)"', panel).group(1)))
        self.assertEqual([bar["id"] for bar in score["steps"]], ["p1", "p2", "p3"])
        self.edit("accept", steps='["p1", "p3"]')
        self.assertEqual([step.id for step in self.kept().steps], ["p1", "p3"])
        self.assertIn("nothing is in the way", self.kept().steps[1].note.lower())
        rest = self.proposed()
        self.assertIn("1 step proposed", rest)

    def test_wishes(self):
        wide, near = (self.proposed(gap=gap) for gap in ("4 cm", "5"))
        self.assertNotEqual(wide, near)
        self.assertIn("1 step proposed", self.proposed(scope="selection", members='["lid"]'))
        self.assertIn("2 steps proposed", self.proposed(most="2"))
        part = self.ask(most="2", ticked='["p2"]').content.decode()
        self.assertEqual(part.count(" checked"), 1)
        self.assertIn("lid stays where it is", self.proposed(stay="still", still='["lid"]'))
        for sent in ({"gap": "-1"}, {"length": "x"}, {"scope": "selection", "members": '["nothing"]'}, {"most": "0"}):
            self.ask(expect=422, **sent)

    def test_nothing_chosen_or_nothing_known(self):
        self.edit("accept", expect=422, steps="[]")
        self.edit("accept", expect=422, steps='["p9"]')
        self.lift("lid")
        self.edit("accept", steps='["p1"]')  # never asked for: worked out anew, as the same comes of it
        self.assertEqual(len(self.kept().steps), 2)

    def test_what_one_server_process_found_another_takes_over(self):
        run = uuid4().hex
        self.proposed(run=run)
        verdicts._found.clear()  # another process, or the same after a restart
        with mock.patch.object(proposals, "propose", side_effect=AssertionError):
            self.edit("accept", steps='["p2"]', run=run)
        gone = self.edit("accept", expect=422, steps='["p2"]', run=uuid4().hex)
        self.assertContains(gone, "not known any more", status_code=422)

    def test_it_says_how_far_it_is_and_stops_with_what_was_found(self):
        told, whole = [], proposals.propose

        def patiently(assembly, teardown, options, report):
            for done in range(400):
                time.sleep(0.01)
                told.append(done)
                try:
                    report(done / 400, "working")
                except proposals.Enough:
                    break
            return whole(assembly, teardown, options)

        with mock.patch.object(proposals, "propose", patiently):
            run = uuid4().hex
            first = self.ask(run=run, most="3").content.decode()
            self.assertIn("Enough: take what was found", first)
            self.assertRegex(first, r'value="\d+"')
            stopping = self.ask(run=run, most="3", stop="1").content.decode()
            for _ in range(100):
                if "data-score" in stopping:
                    break
                time.sleep(0.05)
                stopping = self.ask(run=run, most="3").content.decode()
        self.assertIn("3 steps proposed", stopping)
        self.assertLess(len(told), 400)

    def test_work_that_fails_before_anybody_looks_is_said(self):
        failed: Future = Future()
        failed.set_exception(PulleyError("The processor caught fire."))
        with mock.patch.object(verdicts, "_pool", mock.Mock(submit=mock.Mock(return_value=failed))):
            self.assertContains(self.ask(expect=422, run=uuid4().hex), "caught fire", status_code=422)

    def test_work_that_died_begins_again(self):
        with mock.patch.object(proposals, "propose", side_effect=PulleyError("The processor caught fire.")):
            self.assertContains(self.ask(expect=422, run="a"), "caught fire", status_code=422)
        self.assertIn("3 steps proposed", self.proposed(run=uuid4().hex))
        self.assertEqual(self.kept().steps, ())
