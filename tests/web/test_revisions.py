"""A later revision of a model on the web: everything that was made is there again, and what needs a person is told."""

import tempfile
from pathlib import Path

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase

from pulley.core.formats import teardown as teardown_json
from pulley.web.editor import persistence
from pulley.web.editor import services as editor
from pulley.web.jobs import worker
from pulley.web.jobs.models import Job
from pulley.web.library.models import Assembly
from pulley.web.library.services import add, core_assembly
from pulley.web.sheets import services as sheets
from shapes import Item, box, cylinder, write_step
from tests.scenes import DOWN, UP, axial, read_here, teardown
from tests.web.base import user
from tests.workers import without_heartbeat

HTMX = {"HX-Request": "true"}
SCREW = cylinder((0, 0, -12), (0, 0, 1), 2, 20)


def frame(cover: float, screws: int, post: str = "Post"):
    """A base with a cover that screws hold, so wide, and a post beside it that hangs over."""
    items = [
        Item("Base", box((0, 0, -20), (100, 60, 0))),
        Item("Cover", box((0, 0, 0), (cover, 60, 5))),
        *(Item("Screw", SCREW, shift=(10 + 12 * k, 10, 8)) for k in range(screws)),
    ]
    items.append(Item(post, box((105, 0, 10), (120, 60, 40))))
    return Item("Frame", items=items)


class RevisionTests(TestCase):
    def setUp(self):
        without_heartbeat(self)
        self.ann = user()
        self.client.force_login(self.ann)
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        old = self.with_source(read_here(self.file(frame(100, 6))))
        self.row = add(self.ann, old)
        screws = tuple(leaf.path for leaf in old.leaves if leaf.name.startswith("Screw"))
        cover, post = axial(("Frame/Cover",), UP, 60.0, "s2"), axial(("Frame/Post",), DOWN, 5.0, "s3")
        self.plan = editor.create(self.row, teardown(axial(screws, UP, 60.0), cover, post))
        self.sheet = sheets.create(self.plan)

    @staticmethod
    def with_source(assembly):
        assembly.source.update({"file": "frame.step", "sha256": "0" * 64})
        return assembly

    def file(self, item: Item, name: str = "frame.step") -> Path:
        path = self.folder / name
        write_step(item, path)
        return path

    def revise(self, item: Item, expect: str = "done") -> Job:
        data = SimpleUploadedFile("frame_b.step", self.file(item, "frame_b.step").read_bytes())
        self.client.post(f"/assemblies/{self.row.pk}/revise", {"file": data}, headers=HTMX)
        job = Job.objects.filter(kind="revise").first()
        worker.perform(str(job.pk))
        job.refresh_from_db()
        self.assertEqual(job.state, expect, job.message)
        return job

    def test_a_cover_that_grew_a_screw_that_was_added_and_a_part_that_was_renamed(self):
        job = self.revise(frame(112, 7, "Stand"))
        new = self.row.of.revisions.get(number=2)
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
        self.assertContains(page, "it may go with step s1")
        self.assertContains(page, "Cover meets Stand after 5.0 mm", msg_prefix=str(new.matched["work"]))
        self.assertContains(self.client.get(f"/jobs/{job.pk}/", headers=HTMX), "See what changed")

    def test_components_keep_their_identity_and_bundles_come_along(self):
        self.row.bundles = [{"name": "Screws", "members": ["Frame/Screw", "Frame/Screw#2"]}]
        self.row.save()
        before = dict(self.row.components.values_list("path", "identity"))
        self.revise(frame(100, 6, "Stand"))
        new = self.row.of.revisions.get(number=2)
        after = dict(new.components.values_list("path", "identity"))
        self.assertEqual(after["Frame/Stand"], before["Frame/Post"])
        self.assertEqual(len(set(after.values())), len(after))
        self.assertEqual([bundle["members"] for bundle in new.bundles], [["Frame/Screw", "Frame/Screw#2"]])

    def test_going_back_is_one_action_and_both_stay(self):
        self.revise(frame(112, 6))
        self.assertContains(self.client.get("/"), '<article class="assembly"', 1)
        self.assertContains(self.client.get("/"), "Revision 2: what changed")
        self.client.post(f"/assemblies/{self.row.pk}/make-current")
        self.assertNotContains(self.client.get("/"), "Revision 2: what changed")
        self.assertEqual(Assembly.objects.count(), 2)
        self.assertEqual(persistence.load(self.plan).steps[1].members, ("Frame/Cover",))

    def test_another_model_is_refused_and_nothing_was_changed(self):
        ball, rod = Item("Ball", box((900, 0, 0), (901, 1, 1))), Item("Rod", cylinder((0, 0, 0), (1, 0, 0), 1, 900))
        job = self.revise(Item("Other", items=[ball, rod]), "failed")
        self.assertIn("next to nothing in common", job.message)
        self.assertEqual(self.row.of.revisions.count(), 1)

    def test_the_same_file_again(self):
        self.revise(frame(100, 6))
        new = self.row.of.revisions.get(number=2)
        self.assertRegex(new.matched["summary"], "All 9 components are the same")
        self.assertEqual(new.matched["work"], [])

    def test_done_twice_it_adds_nothing_and_deleting_takes_all_revisions(self):
        job = self.revise(frame(112, 6))
        Job.objects.filter(pk=job.pk).update(state="queued")
        worker.perform(str(job.pk))
        self.assertEqual(Assembly.objects.count(), 2)
        new = self.row.of.revisions.get(number=2)
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
        made = self.row.of.revisions.get(number=2).teardowns.get()
        document = teardown_json.to_document(persistence.load(made))
        self.assertEqual(document["source"]["file"], "frame_b.step")
        self.assertEqual(core_assembly(made.assembly).source["file"], "frame_b.step")
