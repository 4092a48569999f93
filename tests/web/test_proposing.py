"""Proposed steps as the page asks for them: progress, stopping, taking over, and what is refused."""

import html
import json
import re
import time
from dataclasses import replace
from unittest import mock
from uuid import uuid4

from benchmarks.mechanisms import thirds
from django.core.cache import cache
from django.test import override_settings
from django_tasks_db.models import DBTaskResult

from pulley.core import teardown as core
from pulley.core.contact.scene import Scene
from pulley.core.errors import PulleyError
from pulley.core.planning import proposal
from pulley.web.analysis import kinds, services
from pulley.web.editor import services as editor
from pulley.web.jobs import services as jobs
from pulley.web.jobs import worker
from pulley.web.jobs.models import Job
from pulley.web.library import ahead
from pulley.web.library import services as library
from tests.web.base import SignedInCase, tower_row


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
        panel = self.proposed(run="r")
        self.assertIn("3 steps proposed, 3 components", panel)
        self.assertEqual(self.kept().steps, ())
        score = json.loads(html.unescape(re.search(r'data-score="([^"]*)"', panel).group(1)))
        self.assertEqual([bar["id"] for bar in score["steps"]], ["p1", "p2", "p3"])
        self.edit("accept", steps='["p1", "p3"]', run="r")
        self.assertEqual([step.id for step in self.kept().steps], ["p1", "p3"])
        self.assertIn("nothing is in the way", self.kept().steps[1].note.lower())
        rest = self.proposed()
        self.assertIn("1 step proposed", rest)

    def test_the_manner_that_is_shown_stays_chosen_while_the_others_are_worked_out(self):
        with mock.patch.object(services, "request", return_value=services.Result(False)):
            cards = self.client.post(f"{self.address}propose/offers", {"run": uuid4().hex, "manner": "line"})
        line, compact = (
            re.search(f'<input[^>]*value="{name}"[^>]*>', cards.content.decode())[0] for name in ("line", "compact")
        )
        self.assertIn("checked", line)
        self.assertNotIn("disabled", line)  # a page does not send what is disabled, and asks again with what it sends
        self.assertIn("disabled", compact)

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

    def test_picks(self):
        panel = self.proposed(picks=json.dumps({"stay": ["lid"], "far": {"high": "4.5 cm"}}))
        self.assertIn("lid stays where it is", panel)
        self.assertIn('data-unwish="stay" value="lid"', panel)
        self.assertRegex(panel, r'data-far="high" value="45"')
        nonsense = (
            "[]",
            "{",
            '{"stay": 3}',
            '{"stay": ["nothing"]}',
            '{"far": {"high": "x"}}',
            '{"far": {"high": "-2"}}',
        )
        for picks in (*nonsense, '{"whole": ["lid"]}', '{"stay": ["lid"], "reach": ["lid"]}'):
            self.ask(expect=422, picks=picks)
        self.assertEqual(self.kept().steps, ())

    def test_what_must_be_held(self):
        self.lift("lid")
        answer = self.answered(lambda: self.client.get(f"{self.address}holding"))
        self.assertContains(answer, "what stays stands by itself")

    def test_nothing_chosen_or_nothing_known(self):
        self.edit("accept", expect=422, steps="[]")
        self.edit("accept", expect=422, steps='["p9"]')
        self.lift("lid")
        self.assertContains(self.edit("accept", 422, steps='["p1"]'), "not known any more", status_code=422)
        self.assertEqual(len(self.kept().steps), 1)

    def test_what_one_server_process_found_another_takes_over(self):
        run = uuid4().hex
        self.proposed(run=run)
        services._near.clear()  # another process, or the same after a restart
        with mock.patch.object(kinds, "propose", side_effect=AssertionError):
            self.edit("accept", steps='["p2"]', run=run)
        gone = self.edit("accept", expect=422, steps='["p2"]', run=uuid4().hex)
        self.assertContains(gone, "not known any more", status_code=422)

    def test_it_says_how_far_it_is_while_no_worker_is_done(self):
        run = uuid4().hex
        self.client.post(f"{self.address}propose/ready")
        with mock.patch.object(jobs, "hand_over"):
            first = self.ask(run=run, most="3").content.decode()
            self.assertIn("Enough: take what was found", first)
            Job.objects.update(state="running", progress=0.4)
            self.assertIn('value="40"', self.ask(run=run, most="3", looked="1").content.decode())
            delays = [
                re.search(r"delay:(\d+)ms", self.ask(run=run, looked=str(k)).content.decode()) for k in (0, 3, 30)
            ]
        self.assertEqual([int(found.group(1)) for found in delays], [150, 412, 2000])
        self.assertEqual(
            Job.objects.filter(kind="proposal").count(), 2
        )  # one each for two questions, however often asked

    def test_stopped_it_shows_what_was_found(self):
        told, whole = [], kinds.propose

        def patiently(assembly, teardown, options, report, memory):
            for done in range(400):
                told.append(done)
                try:
                    report(done / 400, "working")
                except kinds.Enough:
                    return whole(assembly, teardown, options)
                self.ask(run="r", most="3", stop="1")
            return None

        with mock.patch.object(kinds, "propose", patiently), mock.patch.object(worker, "TELL_EVERY", 0.0):
            self.assertIn("3 steps proposed", self.ask(run="r", most="3").content.decode())
        self.assertEqual(told, [0, 1])

    def test_the_open_menu_gives_a_head_start_that_the_proposal_waits_for(self):
        self.edit("tolerance", value="0.083")  # nobody has asked with this one
        with mock.patch.object(jobs, "hand_over"):
            for _ in range(2):
                self.assertEqual(self.client.post(f"{self.address}propose/ready").json(), {})
            (job,) = Job.objects.filter(kind="ready")
            Job.objects.update(state="running", progress=0.5)
            self.assertIn('value="22"', self.ask(run="w", most="3").content.decode())
            self.assertIn('value="50"', self.ask(run="w").content.decode())
            self.assertFalse(Job.objects.filter(kind="proposal").exists())
            Job.objects.update(progress=0.95)
            self.assertIn('value="40"', self.ask(run="w", most="3").content.decode())
            self.assertTrue(Job.objects.filter(kind="proposal").exists())
        for each in Job.objects.order_by("created"):
            Job.objects.filter(pk=each.pk).update(state="queued")
            worker.perform(str(each.pk))
        self.assertIn("3 steps proposed", self.proposed(run="w", most="3"))

    def test_enough_while_the_contacts_are_still_worked_out_ends_that_as_well(self):
        self.edit("tolerance", value="0.082")  # nobody has asked with this one
        with mock.patch.object(jobs, "hand_over"):
            self.ask(run="w", most="3")
            self.assertIn("load delay", self.ask(run="w", most="3", stop="1").content.decode())
            found = dict(Job.objects.values_list("kind", "stop_asked"))
        self.assertEqual(found, {"ready": True, "proposal": True})
        for job in Job.objects.order_by("created"):
            worker.perform(str(job.pk))
        self.assertEqual(Job.objects.get(kind="ready").state, "cancelled")
        self.assertIn("proposed", self.ask(run="w", most="3", stop="1").content.decode())

    def test_of_two_that_leave_at_once_one_alone_is_warned_of(self):
        self.assembly = library.add(
            self.ann, replace(thirds(), name="Thirds", source={"file": "t.step", "sha256": "1" * 64})
        )
        self.teardown = editor.create(self.assembly, core.Teardown("First"))
        self.address = f"/teardowns/{self.teardown.pk}/"
        whole = self.proposed(run="t")
        first, second = re.findall(r'name="proposed" id="[^"]*" value="([^"]*)"', whole)[:2]
        self.assertNotIn("tick both", whole)
        for alone in (first, second):
            self.assertEqual(self.ask(run="t", ticked=json.dumps([alone])).content.decode().count("tick both"), 1)
        self.assertNotIn("tick both", self.ask(run="t", ticked="[]").content.decode())

    def test_a_fault_of_ours_is_said_and_asked_again_it_is_tried_again(self):
        with mock.patch.object(kinds, "propose", side_effect=KeyError("p9")):
            said = self.ask(expect=422, run="k")
        self.assertContains(said, "A fault in Pulley ended this (KeyError)", status_code=422)
        self.assertNotContains(said, "worker broke off", status_code=422)
        self.assertIn("3 steps proposed", self.proposed(run="k"))

    def test_work_that_died_begins_again(self):
        with mock.patch.object(kinds, "propose", side_effect=PulleyError("The processor caught fire.")):
            self.assertContains(self.ask(expect=422, run="a"), "caught fire", status_code=422)
        self.assertIn("3 steps proposed", self.proposed(run=uuid4().hex))
        self.assertEqual(self.kept().steps, ())


@override_settings(LOOK_AHEAD=1000)
class LookingAheadTests(SignedInCase):
    def setUp(self):
        super().setUp()
        cache.clear()
        services._near.clear()

    def worked_out(self, do) -> int:
        """How many contacts are worked out while something is done, all that this process knew of them forgotten."""
        library._load.cache_clear()
        counted = mock.Mock(side_effect=Scene.contact)
        with mock.patch.object(Scene, "contact", lambda *sent: counted(*sent)):
            do()
        return counted.call_count

    def asked_for(self) -> list[str]:
        """The assemblies that wait to be looked at."""
        waiting = DBTaskResult.objects.filter(task_path=ahead.look_ahead.module_path)
        return [each.args_kwargs["args"][0] for each in waiting]

    def test_what_has_come_in_is_looked_at_before_anybody_asks(self):
        with self.captureOnCommitCallbacks(execute=True):
            row = tower_row(self.ann)
        self.assertEqual(self.asked_for(), [str(row.pk)])
        self.assertGreater(self.worked_out(lambda: ahead.look_ahead.call(str(row.pk))), 0)
        self.assertEqual(self.worked_out(lambda: self.client.post(f"{self.address}propose/ready")), 0)
        self.assertEqual(Job.objects.get(kind="ready").state, "done")

    def test_the_usual_proposals_are_there_when_they_are_asked_for(self):
        ahead.look_ahead.call(str(self.assembly.pk))
        sent = {"run": uuid4().hex, "paper": "A3"}
        with mock.patch.object(proposal, "_worked_out", side_effect=AssertionError("It is worked out again.")):
            cards = self.client.post(f"{self.address}propose/offers", sent)
            self.assertContains(cards, "In one line")
            self.assertNotContains(cards, "Working")
            self.assertContains(self.client.post(f"{self.address}propose", sent), "3 steps proposed")
        self.assertFalse(Job.objects.filter(kind="ready").exists())
        with mock.patch.object(proposal, "_worked_out", side_effect=PulleyError("It is worked out again.")):
            said = self.client.post(f"{self.address}propose", sent | {"paper": "A4"})
        self.assertContains(said, "worked out again", status_code=422)

    def test_it_makes_way_for_what_was_asked_for(self):
        for state in ("queued", "running"):
            Job.objects.create(owner=self.ann, kind="publish", title="A film", state=state)
            with mock.patch.object(proposal, "_proposal", side_effect=AssertionError("It came to an end.")):
                ahead.look_ahead.call(str(self.assembly.pk))
            self.assertEqual(self.asked_for(), [str(self.assembly.pk)])
            self.assertFalse(DBTaskResult.objects.ready().exists())  # not at once
            Job.objects.all().delete()
            DBTaskResult.objects.all().delete()

    def test_it_leaves_alone_what_is_gone_or_would_take_minutes(self):
        with mock.patch.object(ahead, "propose_usual", side_effect=AssertionError):
            ahead.look_ahead.call(str(uuid4()))
        with override_settings(LOOK_AHEAD=2), self.captureOnCommitCallbacks(execute=True):
            tower_row(self.ann)
        self.assertEqual(self.asked_for(), [])
