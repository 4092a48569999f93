"""What is kept: the bin and what goes from it, files that were damaged, and a first start that was stopped."""

import io
import tempfile
from datetime import timedelta
from pathlib import Path
from unittest import mock

from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase, override_settings
from django.utils import timezone

from pulley.core import teardown as core
from pulley.core.files import write_once
from pulley.web.editor import services as editor_services
from pulley.web.editor.management.commands import prepare
from pulley.web.editor.models import Teardown
from pulley.web.editor.presenters.cards import pose_keys
from pulley.web.jobs import services as jobs
from pulley.web.jobs import worker
from pulley.web.jobs.models import Job
from pulley.web.library import bin, services
from pulley.web.library.files import place_of
from pulley.web.library.models import Assembly
from pulley.web.publishing.models import Link
from tests.scenes import AS1, DEMO, read
from tests.web.base import SignedInCase, user

HTMX = {"HX-Request": "true"}


def in_folder(folder: Path):
    """Settings with which files are kept in a folder of the test's own."""
    kept = {"geometry": "store", "uploads": "files"}
    places = {name: {**settings.STORAGES[name], "OPTIONS": {"location": folder / own}} for name, own in kept.items()}
    return override_settings(STORAGES=settings.STORAGES | places)


class GoneTests(SignedInCase):
    def test_a_file_that_is_no_longer_kept_is_said_to_be(self):
        file = SimpleUploadedFile("bolt.step", b"ISO-10303-21;")
        answer = self.client.post(f"/assemblies/{self.assembly.pk}/add-missing", {"file": file}, headers=HTMX)
        self.assertContains(answer, "no longer kept. Bring it in again.", status_code=422)


class BinTests(SignedInCase):
    """Deleted assemblies and teardowns, and the files that nothing uses any more."""

    def setUp(self):
        super().setUp()
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.enterContext(in_folder(self.folder))
        made = read(DEMO)
        self.row = services.add(self.ann, made)
        write_once(self.uploaded(), DEMO.read_bytes())
        self.at = f"/assemblies/{self.row.pk}"

    def uploaded(self) -> Path:
        return self.folder / "files" / place_of(self.row.sha256)

    def files(self) -> list[Path]:
        return [file for file in self.folder.rglob("*") if file.is_file()]

    def later(self, days: float):
        return timezone.now() + timedelta(days=days)

    def test_a_deleted_assembly_is_brought_back_as_it_was(self):
        plan = editor_services.create(self.row, core.Teardown("Plan"))
        shelf = self.client.post(f"{self.at}/delete", headers=HTMX)
        self.assertContains(shelf, "1 deleted assembly")
        self.assertContains(shelf, "goes for good in 30 days")
        gone = (f"{self.at}/model.glb", f"/teardowns/{plan.pk}/", f"/teardowns/{plan.pk}/download")
        self.assertEqual({self.client.get(address).status_code for address in gone}, {404})
        link = Link.objects.create(teardown=plan)
        self.assertEqual(self.client.get(f"/watch/{link.token}/").status_code, 404)
        self.assertEqual(self.client.post(f"{self.at}/delete").status_code, 404)
        shelf = self.client.post(f"{self.at}/bring-back", headers=HTMX)
        self.assertNotContains(shelf, "deleted assembly")
        self.assertEqual(self.client.get(gone[0]).status_code, 200)
        self.assertEqual(self.client.get(gone[1]).status_code, 200)

    def test_after_thirty_days_it_goes_with_the_files_that_nothing_else_uses(self):
        again = services.add(self.ann, read(DEMO))  # the same file, brought in twice
        before = len(self.files())
        self.client.post(f"{self.at}/delete")
        self.assertEqual(bin.empty(self.later(29)), [])
        self.assertEqual(bin.empty(self.later(31)), [])  # the other one uses them all
        self.assertEqual(list(Assembly.objects.filter(name=again.name)), [again])
        self.assertEqual(len(self.files()), before)
        self.client.post(f"/assemblies/{again.pk}/delete")
        self.assertEqual(len(bin.empty(self.later(31))), before)
        self.assertEqual(self.files(), [])

    def test_files_of_work_under_way_stay(self):
        self.row.delete()
        self.assertEqual(bin.sweep(), [])  # fresh: somebody may be about to use them
        job = jobs.enqueue(self.ann, "bring in", "x", {"sha256": self.row.sha256, "name": "x.step"})
        bin.sweep(self.later(2))
        self.assertEqual(self.files(), [self.uploaded()])
        Job.objects.filter(pk=job.pk).update(state="done")
        bin.sweep(self.later(2))
        self.assertEqual(self.files(), [])

    def test_a_deleted_teardown_goes_after_thirty_days_as_well(self):
        bin.put_in(self.teardown)
        bin.empty(self.later(29))
        self.assertTrue(Teardown.objects.filter(pk=self.teardown.pk).exists())
        bin.empty(self.later(31))
        self.assertFalse(Teardown.objects.filter(pk=self.teardown.pk).exists())

    def test_what_lies_in_the_bin_can_be_deleted_now_by_its_owner(self):
        self.client.post(f"{self.at}/delete")
        self.client.force_login(user("ben"))
        for what in ("bring-back", "delete-for-good"):
            self.assertEqual(self.client.post(f"{self.at}/{what}").status_code, 404)
        self.client.force_login(self.ann)
        self.client.post(f"{self.at}/delete-for-good", headers=HTMX)
        self.assertFalse(Assembly.objects.filter(pk=self.row.pk).exists())


class DamagedFileTests(SignedInCase):
    """What was damaged on the disk is made anew, or said."""

    def setUp(self):
        super().setUp()
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.enterContext(in_folder(self.folder))
        services._load.cache_clear()
        self.addCleanup(services._load.cache_clear)
        self.row = services.add(self.ann, read(AS1))
        write_once(self.uploaded(), AS1.read_bytes())

    def uploaded(self) -> Path:
        return self.folder / "files" / place_of(self.row.sha256)

    def answer(self, what: str) -> bytes:
        response = self.client.get(f"/assemblies/{self.row.pk}/{what}")
        self.assertEqual(response.status_code, 200)
        return b"".join(response.streaming_content)

    def test_models_and_pictures_are_made_again(self):
        for what, field, ending in (("model.glb", "model", "glb"), ("picture.png", "picture", "png")):
            file = self.folder / "store" / place_of(getattr(self.row, field), f".{ending}")
            whole = file.read_bytes()
            for damaged in (whole[:50], b"", None):
                file.unlink()
                if damaged is not None:
                    file.write_bytes(damaged)
                self.assertEqual(self.answer(what), whole)
                self.assertEqual(file.read_bytes(), whole)

    def test_a_picture_of_a_step_is_drawn_again(self):
        row = editor_services.create(self.row, core.Teardown("Plan"))
        editor = self.client.get(f"/teardowns/{row.pk}/steps/0/picture.png?v={pose_keys(core.Teardown('Plan'))[0]}")
        whole = b"".join(editor.streaming_content)
        (file,) = (self.folder / "store").glob("??/*.card.png")
        file.write_bytes(whole[:40])
        again = self.client.get(f"/teardowns/{row.pk}/steps/0/picture.png?v={pose_keys(core.Teardown('Plan'))[0]}")
        self.assertEqual(b"".join(again.streaming_content), whole)

    def test_cut_geometry_is_said_and_mended_by_bringing_the_file_in_again(self):
        row = editor_services.create(self.row, core.Teardown("Plan"))
        services._load.cache_clear()
        for file in (self.folder / "store").glob("??/*.npz"):
            file.write_bytes(file.read_bytes()[:100])
        page = self.client.get(f"/teardowns/{row.pk}/")
        self.assertContains(page, "Bring the file in again", status_code=422)
        self.uploaded().write_bytes(b"cut")  # and what was brought in is damaged, too
        self.assertEqual(self.client.get(f"/assemblies/{self.row.pk}/source").status_code, 422)
        self.client.post("/bring-in", {"file": SimpleUploadedFile("as1.stp", AS1.read_bytes())}, headers=HTMX)
        worker.perform(str(Job.objects.first().pk))
        self.assertContains(self.client.get(f"/teardowns/{row.pk}/"), "Plan")
        self.assertEqual(self.answer("source"), AS1.read_bytes())


class PrepareTests(TestCase):
    """The first start, stopped half-way."""

    def test_the_demo_is_loaded_whole_or_at_the_next_start(self):
        scenes = {"roller": [], "mast_foot": [], "cam_cleat": []}
        reading = mock.patch.object(prepare, "read_file", lambda file, store: read(file))
        command = prepare.Command(stdout=io.StringIO())
        with mock.patch.object(prepare, "SCENES", scenes), reading:
            with (
                mock.patch.object(prepare, "add", side_effect=[services.add, KeyboardInterrupt]),
                self.assertRaises(KeyboardInterrupt),
            ):
                command.make_ready(demo=True)
            self.assertEqual(Assembly.objects.count(), 0)
            for _ in range(2):
                command.make_ready(demo=True)
                self.assertEqual(Assembly.objects.count(), 3)
