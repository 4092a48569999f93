"""Bringing files in, background jobs, the library page, and what users see when something fails."""

import tempfile
import zipfile
from datetime import timedelta
from pathlib import Path
from unittest import mock

import trimesh
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection
from django.db.utils import OperationalError
from django.test import TestCase, override_settings
from django.test.utils import CaptureQueriesContext
from django.utils import timezone

from pulley.web.editor.models import Teardown
from pulley.web.jobs import services as jobs
from pulley.web.jobs import worker
from pulley.web.jobs.models import Job
from pulley.web.library import services
from pulley.web.library.files import place_of, uploads
from pulley.web.library.models import Assembly, Model
from tests.scenes import AS1, DEMO, read
from tests.web.base import SignedInCase, user
from tests.workers import reading_here, without_heartbeat

HTMX = {"HX-Request": "true"}


class BringInTests(TestCase):
    def setUp(self):
        without_heartbeat(self)
        reading_here(self)
        self.ann = user()
        self.client.force_login(self.ann)

    def send(self, data: bytes, name: str = "made.step", expect: int = 200):
        response = self.client.post("/bring-in", {"file": SimpleUploadedFile(name, data)}, headers=HTMX)
        self.assertEqual(response.status_code, expect)
        return response

    def test_a_file_becomes_rows_with_a_picture_and_a_model(self):
        self.assertContains(self.send(AS1.read_bytes(), "as1.stp"), "Waiting for the worker")
        job = Job.objects.get()
        worker.perform(str(job.pk))
        response = self.client.get(f"/jobs/{job.pk}/", headers=HTMX)
        self.assertContains(response, "18 components of 5 parts")
        self.assertEqual(response["HX-Trigger"], "job-ended")
        row = Assembly.objects.get()
        self.assertEqual((row.name, row.file_name, row.owner), ("as1", "as1.stp", self.ann))
        self.assertEqual(row.components.filter(part=None).count(), 10)
        self.assertContains(self.client.get("/"), "18</span> components")
        model = self.client.get(f"/assemblies/{row.pk}/model.glb")
        self.assertEqual(b"".join(model.streaming_content)[:4], b"glTF")
        again = self.client.get(f"/assemblies/{row.pk}/model.glb", headers={"If-None-Match": model["ETag"]})
        self.assertEqual(again.status_code, 304)
        source = self.client.get(f"/assemblies/{row.pk}/source")
        self.assertEqual(b"".join(source.streaming_content), AS1.read_bytes())

    def test_the_rows_hold_the_assembly_that_was_read(self):
        made = read(DEMO)
        again = services.core_assembly(services.add(self.ann, made))
        self.assertEqual([c.path for c in again.components], [c.path for c in made.components])
        self.assertEqual([c.parent for c in again.components], [c.parent for c in made.components])
        for a, b in zip(again.leaves, made.leaves, strict=True):
            self.assertEqual((a.pose.tolist(), a.colour, a.part.key), (b.pose.tolist(), b.colour, b.part.key))

    def test_bad_files_are_refused_at_the_door(self):
        for data, advice in ((b"", "is empty"), (b"hello", "not a STEP file"), (AS1.read_bytes()[:9999], "cut short")):
            self.assertContains(self.send(data, expect=422), advice, status_code=422)
        self.assertContains(self.client.post("/bring-in", headers=HTMX), "No file was chosen", status_code=422)
        self.assertEqual((Job.objects.count(), Assembly.objects.count()), (0, 0))

    def test_a_file_without_solids_fails_with_a_sentence(self):
        from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge
        from OCP.gp import gp_Pnt

        from shapes import Item, write_step

        wire = BRepBuilderAPI_MakeEdge(gp_Pnt(0, 0, 0), gp_Pnt(9, 0, 0)).Edge()
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "wires.step"
            write_step(Item("Top", items=[Item("A", wire), Item("B", wire)]), path)
            self.send(path.read_bytes())
        worker.perform(str(Job.objects.get().pk))
        job = Job.objects.get()
        self.assertEqual(job.state, "failed")
        self.assertContains(self.client.get("/"), "holds no solids")

    def test_several_files_are_one_set_and_what_is_missing_can_be_added_later(self):
        folder = AS1.parent / "s1_pe_214"  # CAx-IF: an assembly that is split over thirteen files
        names = ("s1_pe_214.stp", "head_asm.stp", "head_back_prt.stp", "head_front_prt.stp", "notes.txt")
        data = [(folder / name).read_bytes() if name != "notes.txt" else b"x" for name in names]
        files = [SimpleUploadedFile(name, one) for name, one in zip(names, data, strict=True)]
        places = "\n".join(f"saddle/{name}" for name in names)
        self.client.post("/bring-in", {"file": files, "places": places}, headers=HTMX)
        job = Job.objects.get()
        self.assertEqual(job.title, "saddle.zip")
        worker.perform(str(job.pk))
        row = Assembly.objects.get()
        self.assertEqual(row.component_count, 2)
        self.assertEqual(sorted(row.missing), ["foot_asm.stp", "mainbody_asm.stp", "tail_asm.stp"])
        self.assertContains(self.client.get("/"), "Not brought in with it")
        more = [SimpleUploadedFile(p.name, p.read_bytes()) for p in sorted(folder.glob("tail*.stp"))]
        answer = self.client.post(f"/assemblies/{row.pk}/add-missing", {"file": more}, headers=HTMX)
        self.assertContains(answer, "saddle.zip")
        again = Job.objects.exclude(pk=job.pk).get()
        worker.perform(str(again.pk))
        whole = Assembly.objects.get(job=again.pk)
        self.assertEqual((whole.component_count, sorted(whole.missing)), (5, ["foot_asm.stp", "mainbody_asm.stp"]))

    def test_a_missing_file_lies_beside_the_one_that_needs_it(self):
        text = "mtllib paint.mtl\nusemtl red\nv 0 0 0\nv 9 0 0\nv 0 9 0\nv 0 0 9\nf 1 3 2\nf 1 2 4\nf 2 3 4\nf 1 4 3\n"
        files = [SimpleUploadedFile(name, text.encode()) for name in ("a.obj", "b.obj")]
        self.client.post("/bring-in", {"file": files, "places": "toys/a.obj\ntoys/b.obj"}, headers=HTMX)
        job = Job.objects.get()
        worker.perform(str(job.pk))
        self.client.post(f"/bring-in/{job.pk}/answer", {"units": "mm", "up": "z"}, headers=HTMX)
        worker.perform(str(Job.objects.exclude(pk=job.pk).get().pk))
        row = Assembly.objects.get()
        self.assertEqual(row.missing, ["paint.mtl"])
        paint = SimpleUploadedFile("paint.mtl", b"newmtl red\nKd 1 0 0\n")
        self.client.post(f"/assemblies/{row.pk}/add-missing", {"file": paint}, headers=HTMX)
        again = Job.objects.exclude(state="done").get()
        worker.perform(str(again.pk))
        whole = Assembly.objects.get(job=again.pk)
        self.assertEqual(
            (whole.missing, {tuple(c.colour) for c in whole.components.exclude(part=None)}), ([], {(1, 0, 0)})
        )

    def test_places_that_lead_elsewhere_are_not_believed(self):
        part = trimesh.creation.box((5, 6, 7)).export(file_type="stl")
        files = [SimpleUploadedFile(name, part) for name in ("a.stl", "b.stl")]
        self.client.post("/bring-in", {"file": files, "places": "../../etc/a.stl\n/root/b.stl"}, headers=HTMX)
        job = Job.objects.get()
        with uploads().open(place_of(job.arguments["sha256"])) as kept, zipfile.ZipFile(kept) as archive:
            self.assertEqual(archive.namelist(), ["a.stl", "b.stl"])

    def test_a_unit_is_asked_once_and_the_answer_is_kept(self):
        self.send(trimesh.creation.box((5, 6, 7)).export(file_type="stl"), "lid.stl")
        job = Job.objects.get()
        worker.perform(str(job.pk))
        self.assertEqual(Assembly.objects.count(), 0)
        self.assertContains(self.client.get("/"), "in what unit it is")
        picture = self.client.get(f"/bring-in/{job.pk}/y.png")
        self.assertEqual(b"".join(picture.streaming_content)[:4], b"\x89PNG")
        self.assertEqual(self.client.get(f"/bring-in/{job.pk}/x.png").status_code, 404)
        wrong = self.client.post(f"/bring-in/{job.pk}/answer", {"units": "miles", "up": "z"}, headers=HTMX)
        self.assertContains(wrong, "Choose one of the units", status_code=422)
        self.client.post(f"/bring-in/{job.pk}/answer", {"units": "cm", "up": "y"}, headers=HTMX)
        worker.perform(str(Job.objects.exclude(pk=job.pk).get().pk))
        row = Assembly.objects.get()
        made = services.core_assembly(row)
        self.assertEqual((made.bounds[1] - made.bounds[0]).round(6).tolist(), [50, 70, 60])
        self.assertEqual((row.read_as["units"], row.read_as["up"]), ("cm", "y"))
        self.assertNotContains(self.client.get("/"), "in what unit it is")
        self.client.post(f"/assemblies/{row.pk}/read", {"units": "mm"}, headers=HTMX)
        again = Job.objects.exclude(state="done").get()
        worker.perform(str(again.pk))
        made = services.core_assembly(Assembly.objects.get(job=again.pk))
        self.assertEqual((made.bounds[1] - made.bounds[0]).round(6).tolist(), [5, 7, 6])  # up as it was

    def test_nobody_answers_for_somebody_else(self):
        self.send(trimesh.creation.box((5, 6, 7)).export(file_type="stl"), "lid.stl")
        job = Job.objects.get()
        worker.perform(str(job.pk))
        self.client.force_login(user("bob"))
        self.assertEqual(self.client.post(f"/bring-in/{job.pk}/answer", {"units": "mm"}).status_code, 404)
        self.assertEqual(self.client.get(f"/bring-in/{job.pk}/z.png").status_code, 404)

    def test_a_hostile_name_is_only_text(self):
        response = self.send(AS1.read_bytes(), "<script>alert(1)<script>.stp")
        self.assertContains(response, "&lt;script&gt;")
        self.assertNotContains(response, "<script>alert")

    @override_settings(UPLOAD_LIMIT=100_000)
    def test_too_large_a_request_is_refused_unread(self):
        with mock.patch("pulley.web.door.CHUNK", 1000):
            response = self.send(AS1.read_bytes(), expect=413)
        self.assertContains(response, "Nothing was brought in", status_code=413)


class JobTests(SignedInCase):
    def queue(self) -> Job:
        return jobs.enqueue(self.ann, "bring in", "x.step", {"sha256": "0" * 64, "name": "x.step"})

    def run_with(self, work, job: Job) -> Job:
        with mock.patch.object(services, "bring_in", work):
            worker.perform(str(job.pk))
        return Job.objects.get(pk=job.pk)

    def test_progress_reaches_the_row_and_a_stop_ends_the_work(self):
        job = self.queue()

        def work(running, report):
            report(0.4, "Half of it")
            self.assertEqual(Job.objects.get(pk=running.pk).percent, 40)
            jobs.ask_to_stop(running)
            with mock.patch.object(worker, "TELL_EVERY", 0):
                report(0.5, "More")

        self.assertEqual(self.run_with(work, job).state, "cancelled")

    def test_a_waiting_job_is_stopped_at_once(self):
        job = self.queue()
        response = self.client.post(f"/jobs/{job.pk}/stop", headers=HTMX)
        self.assertContains(response, "Stopped")
        self.assertEqual(self.run_with(mock.Mock(), job).state, "cancelled")

    def test_a_job_whose_worker_died_is_taken_up_again_and_adds_nothing_twice(self):
        job = self.queue()
        Job.objects.filter(pk=job.pk).update(
            state="running", attempts=1, heartbeat=timezone.now() - timedelta(minutes=1)
        )
        self.assertEqual(jobs.revive_stale(), 1)
        self.assertEqual(Job.objects.get(pk=job.pk).state, "queued")
        self.assembly.job = job.pk  # it had been read already
        self.assembly.save()
        worker.perform(str(job.pk))
        self.assertEqual(Job.objects.get(pk=job.pk).state, "done")
        self.assertEqual(Assembly.objects.count(), 1)

    def test_a_job_that_kills_its_worker_is_given_up(self):
        job = self.queue()
        Job.objects.filter(pk=job.pk).update(
            state="running", attempts=3, heartbeat=timezone.now() - timedelta(minutes=1)
        )
        jobs.revive_stale()
        self.assertEqual(Job.objects.get(pk=job.pk).state, "failed")

    def test_stopping_pulley_counts_as_no_try_and_the_job_goes_on_at_the_next_start(self):
        job = self.queue()

        def work(running, report):
            worker.leaving.set()  # Ctrl-C, or SIGTERM
            self.addCleanup(worker.leaving.clear)
            report(0.5, "Half of it")

        for _ in range(5):
            job = self.run_with(work, job)
            self.assertEqual((job.state, job.attempts), ("queued", 0))
        worker.leaving.clear()
        self.assertEqual(self.run_with(mock.Mock(return_value={"summary": "read"}), job).state, "done")

    def test_a_power_cut_counts_as_no_try(self):
        job = self.queue()
        for _ in range(5):
            Job.objects.filter(pk=job.pk).update(state="running", attempts=1)
            self.assertEqual(jobs.take_up_all(), 1)
            job.refresh_from_db()
            self.assertEqual((job.state, job.attempts), ("queued", 0))
        self.assertEqual(self.run_with(mock.Mock(return_value={"summary": "read"}), job).state, "done")
        self.assertEqual(jobs.take_up_all(), 0)

    def test_a_job_whose_worker_died_before_it_began_is_queued_again_once_a_minute(self):
        job = self.queue()
        with mock.patch.object(jobs, "hand_over") as handed:
            jobs.revive_stale()
            handed.assert_not_called()  # it may still be waiting for its turn
            Job.objects.filter(pk=job.pk).update(heartbeat=timezone.now() - timedelta(minutes=2))
            jobs.revive_stale()
            jobs.revive_stale()
        handed.assert_called_once_with(job)
        self.assertEqual(Job.objects.get(pk=job.pk).state, "queued")

    def test_a_live_job_is_left_alone(self):
        job = self.queue()
        Job.objects.filter(pk=job.pk).update(state="running", heartbeat=timezone.now())
        self.assertEqual(jobs.revive_stale(), 0)
        self.run_with(mock.Mock(side_effect=AssertionError), job)  # a second worker does not take it either

    def test_a_full_disk_is_said(self):
        job = self.run_with(mock.Mock(side_effect=OSError(28, "No space left on device")), self.queue())
        self.assertEqual(job.state, "failed")
        self.assertIn("No space left", job.message)

    def test_jobs_of_others_are_missing(self):
        job = self.queue()
        self.client.force_login(user("ben"))
        self.assertEqual(self.client.get(f"/jobs/{job.pk}/").status_code, 404)
        self.assertEqual(self.client.post(f"/jobs/{job.pk}/stop").status_code, 404)
        self.assertEqual(self.client.post(f"/jobs/{job.pk}/dismiss").status_code, 404)


class LibraryPageTests(SignedInCase):
    def test_as_many_questions_to_the_database_however_much_there_is(self):
        with CaptureQueriesContext(connection) as few:
            self.client.get("/")
        models = Model.objects.bulk_create(Model() for _ in range(200))
        size = {"component_count": 2000, "part_count": 1600}
        made = [Assembly(owner=self.ann, of=model, name=f"Assembly {k}", **size) for k, model in enumerate(models)]
        Assembly.objects.bulk_create(made)
        for model, row in zip(models, made, strict=True):
            model.current = row
        Model.objects.bulk_update(models, ["current"])
        Teardown.objects.bulk_create(Teardown(assembly=row, name=f"{n}") for row in made for n in range(3))
        with CaptureQueriesContext(connection) as many:
            page = self.client.get("/")
        self.assertEqual(len(many), len(few))
        self.assertFalse([query for query in many if "COUNT" in query["sql"]])
        self.assertContains(page, '2000</span> components of <span class="num">1600</span> parts', 40)
        seen, start = 40, 40
        while f'"from": "{start}"' in page.content.decode():
            page = self.client.get(f"/?from={start}", headers=HTMX)
            seen += page.content.decode().count('<article class="assembly"')
            start += 40
        self.assertEqual(seen, 201)

    def test_cards(self):
        page = self.client.get("/")
        self.assertContains(page, '4</span> components of <span class="num">4</span> parts')
        self.assertContains(page, self.address)
        self.assertEqual(self.client.get(f"/assemblies/{self.assembly.pk}/picture.png")["Content-Type"], "image/png")

    def test_an_empty_library_explains_the_first_move(self):
        self.client.post(f"/assemblies/{self.assembly.pk}/delete")
        page = self.client.get("/")
        self.assertContains(page, "Nothing here yet")
        self.assertContains(page, "bring it in above")

    def test_new_teardowns_get_names_of_their_own(self):
        for number in (1, 2):
            response = self.client.post(f"/assemblies/{self.assembly.pk}/teardowns/new")
            self.assertContains(self.client.get(response.url), f"Teardown {number}")


class TroubleTests(SignedInCase):
    def test_a_full_disk_is_not_blamed_on_the_database(self):
        self.client.raise_request_exception = False
        for error in (
            OperationalError(1021, "Disk full"),
            OperationalError(1114, "The table 'editor_entry' is full"),
            OperationalError(1290, "running with --read-only"),
            OSError(28, "No space left on device"),
            OSError(30, "Read-only file system"),
        ):
            with mock.patch("pulley.web.editor.services.edit", side_effect=error), self.assertLogs(level="ERROR"):
                response = self.lift(expect=507)
            self.assertContains(response, "disk", status_code=507)
            self.assertNotContains(response, "database", status_code=507)

    def test_a_database_that_is_away_is_said_with_503(self):
        self.client.raise_request_exception = False
        with mock.patch("pulley.web.editor.services.edit", side_effect=OperationalError(2006, "gone away")):
            response = self.lift(expect=503)
        self.assertContains(response, "Everything up to your last confirmed change is kept", status_code=503)
        self.assertEqual(response["HX-Retarget"], "#notice")
        with mock.patch("pulley.web.library.views._assemblies", side_effect=OperationalError(2002, "no server")):
            self.assertContains(self.client.get("/"), "does not answer", status_code=503)

    def test_our_own_mistakes_show_no_traceback(self):
        self.client.raise_request_exception = False
        with (
            mock.patch("pulley.web.editor.services.edit", side_effect=ZeroDivisionError),
            self.assertLogs(level="ERROR"),
        ):
            response = self.lift(expect=500)
        self.assertNotContains(response, "Traceback", status_code=500)

    def test_missing_pages(self):
        self.assertContains(self.client.get("/nothing"), "There is nothing here", status_code=404)

    def test_a_forged_form_is_refused(self):
        from django.test import Client

        strict = Client(enforce_csrf_checks=True)
        strict.force_login(self.ann)
        response = strict.post(f"{self.address}edit/rename", {"value": "Mine", "revision": 0})
        self.assertContains(response, "out of date", status_code=403)
