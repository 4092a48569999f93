"""Loose parts put together on the web: every verb, files added later, and the revision that is made of it."""

import json
import tempfile
from pathlib import Path

import numpy as np
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase

from pulley.core.assembling.making import flat
from pulley.web.assembling import services
from pulley.web.assembling.commands import COMMANDS
from pulley.web.assembling.models import Arrangement
from pulley.web.editor import persistence
from pulley.web.editor import services as editor
from pulley.web.jobs import worker
from pulley.web.jobs.models import Job
from pulley.web.library import bin
from pulley.web.library.models import Assembly
from pulley.web.library.services import add, core_assembly
from tests.loose import written
from tests.scenes import UP, axial, read, teardown
from tests.web.base import user
from tests.workers import reading_here, without_heartbeat

HTMX = {"HX-Request": "true"}


class AssemblingTests(TestCase):
    def setUp(self):
        without_heartbeat(self)
        reading_here(self)
        self.ann = user()
        self.client.force_login(self.ann)
        self.files = written(Path(self.enterContext(tempfile.TemporaryDirectory())))
        self.base = add(self.ann, read(self.files["Plate"]))
        page = self.client.post(f"/assemblies/{self.base.pk}/put-together")
        self.address = page["Location"]
        self.row = Arrangement.objects.get()
        for name in ("Block", "Axle", "Bolt 1", "Bolt 2"):
            self.add(name)

    def add(self, name: str):
        data = SimpleUploadedFile(self.files[name].name, self.files[name].read_bytes())
        self.client.post(f"{self.address}add", {"file": data}, headers=HTMX)
        return self.done(Job.objects.filter(kind="add parts").first())

    def done(self, job: Job, expect: str = "done") -> Job:
        worker.perform(str(job.pk))
        job.refresh_from_db()
        self.assertEqual(job.state, expect, job.message)
        return job

    def now(self):
        self.row.refresh_from_db()
        return services.load(self.row)

    def id_of(self, name: str) -> str:
        return next(piece.id for piece in self.now().pieces if piece.name == name)

    def edit(self, verb: str, *names: str, expect: int = 200, **sent: str):
        ids = json.dumps([self.id_of(name) for name in names])
        values = {"revision": self.now() and self.row.revision, "selected": ids, "unit": "mm", **sent}
        response = self.client.post(f"{self.address}edit/{verb}", values, headers=HTMX)
        self.assertEqual(response.status_code, expect, response.content[:500])
        return response

    def point(self, name: str, point, normal, **sent: str) -> dict:
        """What the pointer finds at a place in the assembly's frame."""
        values = {
            "path": self.id_of(name),
            "point": json.dumps(point),
            "normal": json.dumps(normal),
            "reach": 0.2,
        } | sent
        return self.client.post(f"{self.address}point", values).json()

    def bolted(self, name: str = "Bolt 1", x: float = -28.0):
        at = self.now().poses[self.id_of(name)][:3, 3]
        moved = self.point(name, [at[0] + 3, at[1], at[2] - 2], [1, 0, 0])
        target = self.point("Plate", [x + 3.2, 0, 9], [-1, 0, 0])
        self.assertEqual((moved["kind"], target["kind"]), ("round", "round"))
        return self.edit("place", moved=json.dumps(moved), target=json.dumps(target))

    def test_files_are_added_beside_what_is_there(self):
        self.assertEqual([piece.name for piece in self.now().pieces], ["Plate", "Block", "Axle", "Bolt 1", "Bolt 2"])
        job = Job.objects.filter(kind="add parts").first()
        Job.objects.filter(pk=job.pk).update(state="queued")
        self.done(job)  # done twice, it adds nothing
        self.assertEqual(len(self.now().pieces), 5)
        boxes = [leaf.part.mesh.bounds + pose[:3, 3] for leaf, pose in self.standing()]
        for k, box in enumerate(boxes):
            for other in boxes[k + 1 :]:
                self.assertTrue((box[1] <= other[0] + 1e-6).any() or (other[1] <= box[0] + 1e-6).any())
        self.assertEqual(len(self.row.files), 4)

    def standing(self):
        now = self.now()
        return [(leaf, now.poses[leaf.path]) for leaf in flat(now, services.meshes(now)).leaves]

    def test_a_bolt_is_placed_moved_and_everything_is_undone(self):
        page = self.bolted()
        self.assertContains(page, "round on round")
        self.assertContains(page, "Undo: Bolt 1 on Plate")
        self.assertEqual(self.now().poses[self.id_of("Bolt 1")][:3, 3].round(6).tolist(), [-28, 0, 10])
        self.edit("set-off", "Bolt 1", value="1/2 in")
        self.edit("turn", "Bolt 1", value="90")
        self.edit("flip", "Bolt 1")
        self.edit("flip", "Bolt 1")
        self.edit("nudge", "Plate", by="2", direction="[0,0,1]")
        self.assertEqual(self.now().poses[self.id_of("Bolt 1")][:3, 3].round(6).tolist(), [-28, 0, 24.7])
        page = self.edit("nudge", "Bolt 1", direction="[0,0,-1]", touch="1", by="")
        self.assertAlmostEqual(self.now().poses[self.id_of("Bolt 1")][2, 3], 12, delta=0.05)
        for _ in range(7):
            page = self.client.post(f"{self.address}undo", {"revision": self.row.revision}, headers=HTMX)
            self.row.refresh_from_db()
        self.assertContains(page, "add bolt_2.step")
        self.assertEqual(self.now().by_id[self.id_of("Bolt 1")].on, "")
        self.client.post(f"{self.address}redo", {"revision": self.row.revision}, headers=HTMX)
        self.assertEqual(self.now().by_id[self.id_of("Bolt 1")].on, self.id_of("Plate"))

    def test_where_it_would_go_is_where_it_goes(self):
        self.bolted()
        axle, hole = self.point("Plate", [-24.8, 0, 9], [-1, 0, 0]), ([31.2, 0, 9], [-1, 0, 0])
        seen = self.point("Plate", *hole, moved=json.dumps(axle))
        self.assertEqual(seen["goes"], {})  # a component is not laid on itself
        bolt = self.point("Bolt 1", [-25, 0, 8], [1, 0, 0])
        self.assertEqual(
            self.point("Bolt 1", [-25, 0, 8], [1, 0, 0], moved=json.dumps(axle))["goes"], {}
        )  # nor in a circle
        seen = self.point("Plate", *hole, moved=json.dumps(bolt))
        self.assertEqual(list(seen["goes"]), [self.id_of("Bolt 1")])
        self.edit("place", moved=json.dumps(bolt), target=json.dumps(seen))
        np.testing.assert_allclose(seen["goes"][self.id_of("Bolt 1")], self.now().poses[self.id_of("Bolt 1")].ravel())

    def test_what_is_in_something_else_is_said(self):
        self.bolted()
        self.assertNotContains(self.edit("turn", "Bolt 1", value="10"), "It is in")
        self.assertContains(self.edit("set-off", "Bolt 1", value="-3"), "It is in Plate: they share 1")

    def test_the_tree_names_colours_and_weights(self):
        self.edit("group", "Bolt 1", "Bolt 2", value="Bolts")
        self.edit("name", "Axle", value="Spindle")
        self.edit("paint", "Spindle", value="#ff0000")
        self.edit("make", "Spindle", material="steel")
        self.edit("make", "Block", mass="120,5 g")
        self.edit("spin", "Block", direction="[1,0,0]")
        self.edit("double", "Spindle")
        self.edit("take-out", "Bolt 2")
        self.edit("rename", value="Stand")
        self.edit("make", "Block", mass="heavy", expect=422)
        self.edit("name", "Block", value=" ", expect=422)
        self.edit("ungroup", "Bolt 1")
        self.edit("group", "Bolt 1", value="Fasteners")
        job = self.taken_over()
        made = Assembly.objects.get(job=job.pk)
        self.assertEqual((made.name, made.number, made.file_name), ("Stand", 2, "Stand.arrangement.json"))
        assembly = core_assembly(made)
        self.assertEqual(
            [leaf.path for leaf in assembly.leaves],
            ["Stand/Fasteners/Bolt 1", "Stand/Plate", "Stand/Block", "Stand/Spindle", "Stand/Spindle#2"],
        )
        parts = {part.name: part for part, _ in assembly.parts}
        self.assertEqual((parts["Axle"].material, parts["Block"].mass), ("steel", 120.5))
        self.assertEqual(assembly.leaf("Stand/Spindle").colour, (1.0, 0.0, 0.0))

    def taken_over(self) -> Job:
        self.client.post(f"{self.address}take-over", headers=HTMX)
        return self.done(Job.objects.filter(kind="take over").first())

    def test_taken_over_it_is_a_revision_and_teardowns_come_along(self):
        plate = core_assembly(self.base).leaves[0].path
        plan = editor.create(self.base, teardown(axial((plate,), UP, 60.0)))
        self.bolted()
        job = self.taken_over()
        made = Assembly.objects.get(job=job.pk)
        self.assertEqual((made.of, made.current_of), (self.base.of, self.base.of))
        self.assertEqual([p["kind"] for p in made.matched["pairs"]].count("added"), 4)
        steps = persistence.load(made.teardowns.get()).steps
        self.assertEqual(steps[0].members, ("plate/Plate",))
        self.assertEqual(persistence.load(plan).steps[0].members, (plate,))  # the earlier one is as it was
        self.assertContains(self.client.get(f"/jobs/{job.pk}/", headers=HTMX), "See what changed")
        source = b"".join(self.client.get(f"/assemblies/{made.pk}/source").streaming_content)
        self.assertEqual(json.loads(source)["format"], "pulley-arrangement")
        Job.objects.filter(pk=job.pk).update(state="queued")
        self.done(job)  # done twice, it adds nothing
        self.assertEqual(self.base.of.revisions.count(), 2)
        self.edit("take-out", "Axle")
        third = Assembly.objects.get(job=self.taken_over().pk)
        kinds = {pair["old"]: pair["kind"] for pair in third.matched["pairs"]}
        self.assertEqual((third.number, kinds["plate/Axle"], kinds["plate/Plate"]), (3, "gone", "same"))
        again = self.client.post(f"/assemblies/{third.pk}/put-together")
        self.assertEqual(again["Location"], self.address)  # goes on where it was left

    def test_nobody_else_may_and_who_is_behind_is_told(self):
        behind = self.row.revision
        self.edit("nudge", "Axle", by="1", direction="[1,0,0]")
        late = {"revision": behind, "selected": json.dumps([self.id_of("Axle")]), "by": "1", "direction": "[1,0,0]"}
        response = self.client.post(f"{self.address}edit/nudge", late, headers=HTMX)
        self.assertContains(response, "changed in another window", status_code=409)
        self.client.force_login(user("bob"))
        for address in ("", "model.glb", "state", "piece"):
            self.assertEqual(self.client.get(f"{self.address}{address}").status_code, 404)
        for address in ("edit/flip", "undo", "add", "take-over", "point"):
            self.assertEqual(self.client.post(f"{self.address}{address}").status_code, 404)
        self.assertEqual(self.client.post(f"/assemblies/{self.base.pk}/put-together").status_code, 404)

    def test_no_verb_falls_over_what_it_is_sent(self):
        fields = ("value", "direction", "by", "angle", "mass", "material", "moved", "target", "group", "touch")
        for verb in COMMANDS:
            for text in ("", "null", "[]", '["c99"]', "{}", "1e999", "[[[[", "😀" * 300, '{"kind":"face"}'):
                for selected in (text, json.dumps([self.id_of("Axle")]) if self.now().pieces else "[]"):
                    sent = dict.fromkeys(fields, text) | {"selected": selected, "revision": self.row.revision}
                    response = self.client.post(f"{self.address}edit/{verb}", sent, headers=HTMX)
                    with self.subTest(f"{verb} {text[:12]}"):
                        self.assertIn(response.status_code, (200, 422), response.content[:300])
                    if response.status_code == 200:
                        self.row.refresh_from_db()
                        self.client.post(f"{self.address}undo", {"revision": self.row.revision}, headers=HTMX)
                        self.row.refresh_from_db()
        self.assertEqual(self.client.post(f"{self.address}edit/else", headers=HTMX).status_code, 404)

    def test_nothing_that_it_needs_is_swept_and_an_empty_one_is_refused(self):
        names = {piece.mesh for piece in self.now().pieces}
        swept = bin.sweep(now=self.row.changed.replace(year=self.row.changed.year + 1))
        self.assertFalse([name for name in swept if Path(name).name.split(".")[0] in names])
        services.flat_of(self.now())
        self.edit("take-out", *(piece.name for piece in self.now().pieces))
        response = self.client.post(f"{self.address}take-over", headers=HTMX)
        self.assertContains(response, "nothing in this assembly", status_code=422)

    def test_a_file_that_is_no_good_changes_nothing(self):
        data = SimpleUploadedFile("bad.step", b"ISO-10303-21;\nnothing\nEND-ISO-10303-21;")
        self.client.post(f"{self.address}add", {"file": data}, headers=HTMX)
        self.done(Job.objects.filter(kind="add parts").first(), "failed")
        self.assertEqual(len(self.now().pieces), 5)

    def test_a_mesh_without_a_unit_is_asked_about(self):
        corners = "\n".join(f"v {x} {y} {z}" for x, y, z in ((0, 0, 0), (9, 0, 0), (0, 9, 0), (0, 0, 9)))
        data = SimpleUploadedFile("rib.obj", f"{corners}\nf 1 3 2\nf 1 2 4\nf 2 3 4\nf 1 4 3\n".encode())
        self.client.post(f"{self.address}add", {"file": data}, headers=HTMX)
        job = self.done(Job.objects.filter(kind="add parts").first())
        self.assertContains(self.client.get(f"/jobs/{job.pk}/", headers=HTMX), "in what unit it is")
        self.client.post(f"/bring-in/{job.pk}/answer", {"units": "cm", "up": "z"}, headers=HTMX)
        self.done(Job.objects.filter(kind="add parts").exclude(pk=job.pk).first())
        self.assertEqual(len(self.now().pieces), 6)

    def test_what_was_deleted_meanwhile_is_not_gone_on_with(self):
        self.client.post(f"{self.address}take-over", headers=HTMX)
        data = SimpleUploadedFile("bolt_1.step", self.files["Bolt 1"].read_bytes())
        self.client.post(f"{self.address}add", {"file": data}, headers=HTMX)
        waiting = list(Job.objects.filter(state="queued", kind__in=("add parts", "take over")))
        self.assertEqual(len(waiting), 2)
        self.base.of.delete()
        for job in waiting:
            self.assertIn("was deleted meanwhile", self.done(job, "failed").message)

    def test_a_subassembly_is_renamed_where_all_of_it_is_selected(self):
        self.edit("group", "Bolt 1", "Bolt 2", value="Bolts")
        group = self.now().groups[0]
        page = self.client.get(f"{self.address}piece", {"selected": json.dumps(self.now().within(group.id))})
        self.assertContains(page, f'value="Bolts" data-edit="name" data-with-group="{group.id}"')
        self.assertNotContains(self.edit("nudge", "Axle", by="1", direction="[1,0,0]"), "This subassembly")
        self.edit("name", "Bolt 1", group=group.id, value="Fasteners")
        self.assertEqual([each.name for each in self.now().groups], ["Fasteners"])
