"""A later revision of a model on the web: everything that was made is there again, and what needs a person is told."""

import tempfile
from pathlib import Path

import numpy as np
import trimesh
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase

from pulley.core.drawing.title import title_values
from pulley.core.formats import teardown as teardown_json
from pulley.core.publish.frames import Take
from pulley.core.publish.guide import Guide, guide_html
from pulley.core.publish.settings import Film
from pulley.core.publish.wishes import Wish
from pulley.web.editor import persistence
from pulley.web.editor import services as editor
from pulley.web.jobs import worker
from pulley.web.jobs.models import Job
from pulley.web.library.models import Assembly
from pulley.web.library.services import add, core_assembly
from pulley.web.publishing import services as publishing
from pulley.web.publishing.models import Link
from pulley.web.sheets import services as sheets
from shapes import Item, box, cylinder
from tests.revised import frame, written
from tests.scenes import DOWN, UP, axial, read_here, teardown
from tests.web.base import user
from tests.workers import reading_here, without_heartbeat

HTMX = {"HX-Request": "true"}


class RevisionTests(TestCase):
    def setUp(self):
        without_heartbeat(self)
        reading_here(self)
        self.ann = user()
        self.client.force_login(self.ann)
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        old = self.with_source(read_here(written(frame(100, 6), self.folder)))
        self.row = add(self.ann, old)
        screws = tuple(leaf.path for leaf in old.leaves if leaf.name.startswith("Screw"))
        cover, post = axial(("Frame/Cover",), UP, 60.0, "s2"), axial(("Frame/Post",), DOWN, 5.0, "s3")
        self.plan = editor.create(self.row, teardown(axial(screws, UP, 60.0), cover, post))
        self.sheet = sheets.create(self.plan)

    @staticmethod
    def with_source(assembly):
        assembly.source.update({"file": "frame.step", "sha256": "0" * 64})
        return assembly

    def revise(self, item: Item, expect: str = "done") -> Job:
        data = SimpleUploadedFile("frame_b.step", written(item, self.folder, "frame_b.step").read_bytes())
        self.client.post(f"/assemblies/{self.row.pk}/revise", {"file": data}, headers=HTMX)
        job = Job.objects.filter(kind="revise").first()
        return self.performed(job, expect)

    def performed(self, job: Job, expect: str = "done") -> Job:
        worker.perform(str(job.pk))
        job.refresh_from_db()
        self.assertEqual(job.state, expect, job.message)
        return job

    def latest(self) -> Assembly:
        return self.row.of.revisions.get(number=2)

    def test_a_cover_that_grew_a_screw_that_was_added_and_a_part_that_was_renamed(self):
        job = self.revise(frame(112, 7, "Stand"))
        new = self.latest()
        self.assertEqual(new.current_of, self.row.of)
        made = new.teardowns.get()
        steps = persistence.load(made).steps
        self.assertEqual([len(step.members) for step in steps], [6, 1, 1])
        self.assertEqual(steps[2].members, ("Frame/Stand",))
        self.assertEqual(made.sheets.get().name, self.sheet.name)
        self.assertEqual(sheets.load(made.sheets.get()).teardown.steps, steps)
        page = self.client.get(f"/assemblies/{new.pk}/changes")
        self.assertContains(page, "Cover is 12 mm wider.")
        self.assertContains(page, "Post is called Stand now.")
        self.assertContains(page, "is new.")
        self.assertContains(page, "is new and like what Step 1")
        self.assertContains(page, "Cover is 12 mm wider; Cover meets Stand after 5.0 mm")
        self.assertContains(self.client.get(f"/jobs/{job.pk}/", headers=HTMX), "See what changed")

    def test_components_keep_their_identity_and_bundles_come_along(self):
        self.row.bundles = [{"name": "Screws", "members": ["Frame/Screw", "Frame/Screw#2"]}]
        self.row.save()
        before = dict(self.row.components.values_list("path", "identity"))
        self.revise(frame(100, 6, "Stand"))
        new = self.latest()
        after = dict(new.components.values_list("path", "identity"))
        self.assertEqual(after["Frame/Stand"], before["Frame/Post"])
        self.assertEqual(len(set(after.values())), len(after))
        self.assertEqual([bundle["members"] for bundle in new.bundles], [["Frame/Screw", "Frame/Screw#2"]])

    def test_going_back_is_one_action_and_both_stay(self):
        self.revise(frame(112, 6))
        self.assertContains(self.client.get("/"), '<article class="assembly"', 1)
        self.assertContains(self.client.get("/"), "What changed")
        self.client.post(f"/assemblies/{self.row.pk}/make-current")
        self.assertContains(self.client.get("/"), "Its revisions")
        self.assertEqual(Assembly.objects.count(), 2)
        self.assertEqual(persistence.load(self.plan).steps[1].members, ("Frame/Cover",))

    def test_another_model_is_refused_and_nothing_was_changed(self):
        ball, rod = Item("Ball", box((900, 0, 0), (901, 1, 1))), Item("Rod", cylinder((0, 0, 0), (1, 0, 0), 1, 900))
        job = self.revise(Item("Other", items=[ball, rod]), "failed")
        self.assertIn("next to nothing in common", job.message)
        self.assertEqual(self.row.of.revisions.count(), 1)

    def test_the_same_file_again(self):
        self.revise(frame(100, 6))
        new = self.latest()
        self.assertRegex(new.matched["summary"], "All 9 components are the same")
        self.assertEqual(new.matched["work"], [])

    def test_done_twice_it_adds_nothing_and_deleting_takes_all_revisions(self):
        job = self.revise(frame(112, 6))
        Job.objects.filter(pk=job.pk).update(state="queued")
        worker.perform(str(job.pk))
        self.assertEqual(Assembly.objects.count(), 2)
        new = self.latest()
        self.client.post(f"/assemblies/{new.pk}/delete", headers=HTMX)
        self.client.post(f"/assemblies/{new.pk}/delete-for-good", headers=HTMX)
        self.assertEqual(Assembly.objects.count(), 0)

    def test_nobody_else_may(self):
        self.client.force_login(user("bob"))
        for address in ("revise", "make-current"):
            self.assertEqual(self.client.post(f"/assemblies/{self.row.pk}/{address}").status_code, 404)
        self.assertEqual(self.client.get(f"/assemblies/{self.row.pk}/changes").status_code, 404)

    def test_the_document_says_of_which_file_it_is(self):
        self.revise(frame(112, 6))
        made = self.latest().teardowns.get()
        document = teardown_json.to_document(persistence.load(made))
        self.assertEqual(document["source"]["file"], "frame_b.step")
        self.assertEqual(core_assembly(made.assembly).source["file"], "frame_b.step")

    def test_what_is_on_offer_is_taken_with_a_button_and_what_was_seen_goes_off_the_list(self):
        self.revise(frame(112, 7, "Stand"))
        new = self.latest()
        work = new.matched["work"]
        offer = next(k for k, item in enumerate(work) if "offer" in item)
        self.client.post(f"/assemblies/{new.pk}/settle/{offer}", {"take": "1"})
        made = new.teardowns.get()
        self.assertIn(work[offer]["offer"], persistence.load(made).steps[0].members)
        self.assertEqual(made.revision, 1)  # one entry of its history, which can be undone
        again = self.client.post(f"/assemblies/{new.pk}/settle/{offer}", {"take": "1"}, headers=HTMX)
        self.assertContains(again, "moves what is selected already", status_code=422)
        for k in range(len(work)):
            self.client.post(f"/assemblies/{new.pk}/settle/{k}")
        self.assertTrue(all(item["done"] for item in self.latest().matched["work"]))
        self.assertNotContains(self.client.get(f"/assemblies/{new.pk}/changes"), "It is fine")
        late = self.client.post(f"/assemblies/{new.pk}/settle/99", headers=HTMX)
        self.assertContains(late, "no longer on the list", status_code=422)

    def test_what_is_published_comes_along_and_links_follow_when_told_to(self):
        publishing.add(self.plan, Wish("gif"))
        link = Link.objects.create(teardown=self.plan)
        self.revise(frame(112, 6))
        new = self.latest()
        made = new.teardowns.get()
        self.assertEqual([one.wish.ending for one in made.publications.all()], ["gif"])
        page = self.client.get(f"/assemblies/{new.pk}/changes")
        self.assertContains(page, "1 link that you handed out still shows revision 1.")
        self.client.post(f"/assemblies/{new.pk}/move-links")
        self.assertContains(self.client.get(f"/watch/{link.token}/"), "Frame, revision 2")
        self.client.post(f"/assemblies/{new.pk}/move-links", {"back": "1"})
        self.assertNotContains(self.client.get(f"/watch/{link.token}/"), "revision 2")

    def test_sheets_guides_and_films_say_of_which_revision_they_are(self):
        self.revise(frame(112, 6))
        made = self.latest().teardowns.get()
        drawn = sheets.load(made.sheets.get())
        self.assertIn("model revision 2", title_values(drawn, drawn.pages[0])["title"])
        self.assertNotIn("model revision", title_values(sheets.load(self.sheet), drawn.pages[0])["title"])
        plan, of = persistence.load(made), core_assembly(made.assembly)
        self.assertIn("Frame, revision 2", guide_html(of, plan, Guide(cover=False)))
        film = Film(size=(160, 90), rate=24, title="", soft=False)
        first = Take(core_assembly(self.row), persistence.load(self.plan), film).picture(0)
        second = Take(of, plan, film).picture(0)
        corner = np.s_[:14, : 160 // 3, :3]  # 0.03 of 90 pixels from the edge
        self.assertEqual(len(np.unique(first[corner].reshape(-1, 3), axis=0)), 1)
        self.assertGreater(len(np.unique(second[corner].reshape(-1, 3), axis=0)), 3)

    def test_a_person_says_what_became_of_what_is_not_sure(self):
        job = self.revise(frame(112, 6, lid="Plate 7"))
        self.assertEqual(self.row.of.revisions.count(), 1)
        page = self.client.get("/")
        self.assertContains(page, "could be one or the other")
        unsure = [pair["old"] for pair in job.result["unsure"]]
        self.assertIn("Frame/Cover", unsure)
        answers = {f"pair-{k}": pair["new"] or "" for k, pair in enumerate(job.result["unsure"])}
        answers[f"pair-{unsure.index('Frame/Cover')}"] = "Frame/Plate 7"
        self.client.post(f"/revise/{job.pk}/answer", answers, headers=HTMX)
        self.performed(Job.objects.exclude(state="done").get())
        pairs = {pair["old"]: pair for pair in self.latest().matched["pairs"]}
        self.assertEqual(pairs["Frame/Cover"]["new"], "Frame/Plate 7")
        self.assertEqual(pairs["Frame/Cover"]["reason"], "you said so")
        self.assertEqual(persistence.load(self.latest().teardowns.get()).steps[1].members, ("Frame/Plate 7",))

    def test_a_revision_without_a_unit_is_asked_about(self):
        mesh = trimesh.util.concatenate([trimesh.creation.box((100, 60, 20)), trimesh.creation.box((9, 9, 60))])
        file = SimpleUploadedFile("frame.stl", mesh.export(file_type="stl"))
        self.client.post(f"/assemblies/{self.row.pk}/revise", {"file": file}, headers=HTMX)
        job = self.performed(Job.objects.get(kind="revise"))
        self.assertContains(self.client.get("/"), "in what unit it is")
        self.client.post(f"/bring-in/{job.pk}/answer", {"units": "mm", "up": "z"}, headers=HTMX)
        again = Job.objects.exclude(state="done").get()
        self.assertEqual((again.kind, again.arguments["onto"]), ("revise", str(self.row.pk)))

    def test_a_model_that_was_deleted_while_its_revision_was_read_is_left_alone(self):
        data = SimpleUploadedFile("frame_b.step", written(frame(112, 6), self.folder, "frame_b.step").read_bytes())
        self.client.post(f"/assemblies/{self.row.pk}/revise", {"file": data}, headers=HTMX)
        self.client.post(f"/assemblies/{self.row.pk}/delete", headers=HTMX)
        job = self.performed(Job.objects.get(kind="revise"), "failed")
        self.assertIn("was deleted meanwhile", job.message)
        self.assertEqual(self.row.of.revisions.count(), 1)
