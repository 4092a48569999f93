"""Sheets on the web side: made, changed, undone, followed, issued, handed out; refused in a sentence."""

import io
import json
import re
from datetime import timedelta
from unittest import mock
from uuid import uuid4

import numpy as np
from django.utils import timezone
from PIL import Image

from pulley.core import teardown as core
from pulley.core.drawing.rows import rows
from pulley.core.errors import PulleyError
from pulley.core.formats import teardown as teardown_json
from pulley.web.analysis import services as analysis
from pulley.web.editor import services as editor
from pulley.web.jobs import services as jobs
from pulley.web.jobs import worker
from pulley.web.jobs.models import Job
from pulley.web.sheets import drawing, services
from pulley.web.sheets.commands import COMMANDS
from pulley.web.sheets.models import Pattern, Sheet
from tests.web.base import SignedInCase, tower_row, user


class SheetCase(SignedInCase):
    """The tower has a teardown with a step, and a sheet of it."""

    def setUp(self):
        super().setUp()
        self.lift()
        self.client.post(f"{self.address}sheets/new")
        self.sheet = Sheet.objects.get()
        self.at = f"/sheets/{self.sheet.pk}/"
        self.number = 0

    def change(self, verb: str, expect: int = 200, **sent: object):
        """Ask for a change as the page would."""
        values = {"revision": self.number, "page": "p1", **sent}
        response = self.client.post(f"{self.at}edit/{verb}", values, headers={"HX-Request": "true"})
        self.assertEqual(response.status_code, expect, response.content[:600])
        self.number += expect == 200
        return response

    def core(self):
        """The sheet as it is kept now."""
        return services.load(Sheet.objects.get(pk=self.sheet.pk))


class ChangeTests(SheetCase):
    def test_a_new_sheet_is_complete_and_its_page_shows_it(self):
        page = self.client.get(self.at)
        self.assertContains(page, 'data-tag="balloon:b1"')
        self.assertContains(page, 'value="Tower, First"')
        self.assertContains(self.client.get("/"), self.at)
        self.assertEqual(len(self.core().pages[0].balloons), 4)

    def test_every_command_refuses_what_it_was_not_sent(self):
        for verb in COMMANDS:
            response = self.client.post(
                f"{self.at}edit/{verb}", {"revision": self.number}, headers={"HX-Request": "true"}
            )
            with self.subTest(verb):
                self.assertIn(response.status_code, (200, 422))
                self.number = Sheet.objects.get(pk=self.sheet.pk).revision

    def test_moving_renaming_undo_and_redo(self):
        self.change("move-balloons", ids='["b1"]', x="3", y="-2")
        self.change("set-text", key=self.core_key("lid"), column="name", value="Cap")
        self.assertContains(self.client.get(self.at), 'value="Cap"')
        undone = self.client.post(f"{self.at}undo", {"revision": self.number}, headers={"HX-Request": "true"})
        self.assertNotContains(undone, 'value="Cap"')
        redone = self.client.post(f"{self.at}redo", {"revision": self.number + 1}, headers={"HX-Request": "true"})
        self.assertContains(redone, 'value="Cap"')
        self.assertContains(self.client.get(f"{self.at}history"), "Move a balloon")

    def core_key(self, name: str) -> str:
        assembly = self.core_assembly()
        return next(part.key for part, _ in assembly.parts if part.name == name)

    def core_assembly(self):
        from pulley.web.library.services import core_assembly

        return core_assembly(self.assembly)

    def test_items_are_counted_together_by_their_balloons(self):
        self.change("merge-balloons", ids='["b1", "b4"]')
        found = rows(self.core_assembly(), self.core())
        self.assertEqual([row.quantity for row in found], [2, 1, 1])
        self.change("merge-balloons", 422, ids='["b2"]')
        self.change("unmerge-rows", key=found[0].key)
        self.assertEqual(len(rows(self.core_assembly(), self.core())), 4)

    def test_items_are_sorted_by_a_column_of_ones_own(self):
        self.change("set-column", id="l1", key="Supplier", title="Supplier", shown="1")
        for name, supplier in (("high", "Ash"), ("lid", "Birch"), ("low", "Cedar"), ("middle", "Alder")):
            self.change("set-text", key=self.core_key(name), column="Supplier", value=supplier)
        page = self.client.get(self.at)
        self.assertContains(page, "By Supplier")
        self.assertContains(page, 'value="Alder" maxlength="500" data-edit="set-text" data-with-column="Supplier"')
        self.change("sort-rows", value="Supplier")
        names = [row.name for row in rows(self.core_assembly(), self.core())]
        self.assertEqual(names, ["middle", "high", "lid", "low"])

    def test_a_page_that_is_behind_loses_nothing(self):
        self.change("rename", value="One")
        response = self.client.post(
            f"{self.at}edit/rename", {"revision": 0, "value": "Two"}, headers={"HX-Request": "true"}
        )
        self.assertEqual(response.status_code, 409)
        self.assertContains(response, "changed in another window", status_code=409)
        self.assertEqual(self.core().name, "One")

    def test_a_change_asked_for_twice_is_made_once(self):
        for _ in range(2):
            self.client.post(
                f"{self.at}edit/add-page", {"revision": 0, "page": "p1", "asked": "abc"}, headers={"HX-Request": "true"}
            )
        self.assertEqual(len(self.core().pages), 2)

    def test_bad_numbers_and_things_that_are_gone(self):
        for verb, sent in (
            ("move-view", {"id": "v1", "x": "1e9", "y": "0"}),
            ("move-view", {"id": "v1", "x": "nan", "y": "0"}),
            ("move-view", {"id": "v9", "x": "1", "y": "0"}),
            ("scale-view", {"id": "v1", "value": "1:1e9"}),
            ("scale-view", {"id": "v1", "value": "-2"}),
            ("change-view", {"id": "v1", "field": "shown", "value": "step:gone"}),
            ("set-text", {"key": "gone", "value": "x"}),
            ("set-paper", {"value": "A9"}),
            ("use-pattern", {"value": "nowhere"}),
            ("move-balloons", {"ids": "[[[", "x": "1", "y": "1"}),
            ("add-balloon", {"view": "v1", "x": "1", "y": "1"}),
            ("remove-page", {}),
        ):
            with self.subTest(f"{verb} {sent}"):
                self.change(verb, 422, **sent)
        self.assertEqual(self.client.post(f"{self.at}edit/nonsense", {"revision": 0}).status_code, 404)
        self.assertEqual(self.core().pages[0].views[0].id, "v1")

    def paper(self, sheet: Sheet) -> str:
        """The drawing of a sheet's first page, as its page shows it."""
        page = self.client.get(f"/sheets/{sheet.pk}/").content.decode()
        return page[page.index('<div id="paper"') : page.index('<aside id="sheet-list"')]

    def test_names_everywhere_reach_paper_and_list_of_the_other_sheets_and_are_undone(self):
        self.client.post(f"{self.address}sheets/new")
        other = Sheet.objects.exclude(pk=self.sheet.pk).get()
        self.assertNotIn("Hood", self.paper(other))
        self.change("name-everywhere", key=self.core_key("lid"), value="Hood")
        self.assertContains(self.client.get(f"/sheets/{other.pk}/"), 'value="Hood"')
        self.assertIn("Hood", self.paper(other))
        self.client.post(f"/sheets/{other.pk}/edit/rename", {"revision": 0, "page": "p1", "value": "Other"})
        self.change("name-everywhere", key=self.core_key("lid"), value="Dome")
        self.assertIn("Dome", self.paper(other), "a name that came from everywhere is not made the sheet's own")
        for by, name in (("undo", "Hood"), ("redo", "Dome"), ("undo", "Hood")):
            self.client.post(f"{self.at}{by}", {"revision": self.number}, headers={"HX-Request": "true"})
            self.number += 1
            self.assertIn(name, self.paper(other), by)
        self.client.post(f"/sheets/{other.pk}/undo", {"revision": 1}, headers={"HX-Request": "true"})
        self.assertIn("Hood", self.paper(other), "undoing something else leaves the names everywhere alone")
        self.client.post(f"{self.address}sheets/new")
        self.assertIn("Hood", self.paper(Sheet.objects.latest("created")), "so does a new sheet, which has the name")
        self.assertIn("Hood", self.paper(other))

    def test_an_issued_sheet_keeps_its_names_whatever_parts_are_called_everywhere_later(self):
        self.client.post(f"{self.address}sheets/new")
        other = Sheet.objects.exclude(pk=self.sheet.pk).get()
        at = f"/sheets/{other.pk}/edit/name-everywhere"
        self.client.post(at, {"revision": 0, "key": self.core_key("lid"), "value": "Hood"})
        self.change("issue", date="2026-11-27", name="Ann")
        for revision, name, value in ((1, "lid", "Dome"), (2, "low", "Foot")):
            self.client.post(at, {"revision": revision, "key": self.core_key(name), "value": value})
        issued = self.paper(Sheet.objects.get(pk=self.sheet.pk))
        self.assertIn("Hood", issued)
        self.assertFalse("Dome" in issued or "Foot" in issued)
        self.change("begin-revision")
        self.assertIn("Foot", self.paper(self.sheet))
        self.assertIn("Dome", self.paper(other), "what another sheet gave is still there")

    def test_a_sheet_s_own_name_stands_before_the_one_everywhere(self):
        self.client.post(f"{self.address}sheets/new")
        other = Sheet.objects.exclude(pk=self.sheet.pk).get()
        self.change("set-text", key=self.core_key("lid"), column="name", value="Cap")
        self.client.post(
            f"/sheets/{other.pk}/edit/name-everywhere", {"revision": 0, "key": self.core_key("lid"), "value": "Hood"}
        )
        self.assertIn("Cap", self.paper(self.sheet))
        self.assertIn("Hood", self.paper(other))
        self.change("set-text", key=self.core_key("lid"), column="name", value="")
        self.assertIn("Hood", self.paper(self.sheet))


class FollowTests(SheetCase):
    def test_a_teardown_that_moved_on_is_told_and_taken_over(self):
        self.lift("high", "90")
        page = self.client.get(self.at)
        self.assertContains(page, "The teardown has moved on")
        self.change("take-over")
        self.assertNotContains(self.client.get(self.at), "The teardown has moved on")
        self.assertEqual(self.core().teardown, self.kept())

    def test_it_follows_by_itself_when_that_is_wanted(self):
        """The page asks for it, once for however many windows; a file shows it before; nothing is written on a GET."""
        self.change("automatic", value="1")
        self.lift("high", "90")
        page = self.client.get(self.at).content.decode()
        self.assertEqual(Sheet.objects.get(pk=self.sheet.pk).revision, self.number)
        asked = re.search(r'"asked": "(follow [^"]+)"', page)
        self.assertTrue(asked and 'hx-trigger="load, click"' in page)
        self.assertEqual(json.loads(self.client.get(f"{self.at}sheet.json").content)["teardown"]["steps"], self.steps())
        for _ in range(2):
            sent = {"revision": self.number, "page": "p1", "asked": asked[1]}
            answer = self.client.post(f"{self.at}edit/take-over", sent, headers={"HX-Request": "true"})
            self.assertEqual(answer.status_code, 200)
        self.assertNotContains(self.client.get(self.at), "The teardown has moved on")
        self.assertEqual(self.core().teardown, self.kept())

    def steps(self):
        return teardown_json.to_document(self.kept())["steps"]

    def test_an_issued_sheet_whose_teardown_moved_on_says_both(self):
        self.change("issue", date="2026-11-27", name="Ann", text="First")
        self.lift("high", "90")
        page = self.client.get(self.at)
        self.assertContains(page, "The teardown has moved on")
        self.assertContains(page, "Issued as revision A by")
        self.assertNotContains(page, "Issue(")
        self.assertNotContains(page, 'id="take-over"')

    def test_an_issued_sheet_is_frozen_until_the_next_revision(self):
        self.change("issue", date="2026-11-27", name="Ann", text="First")
        self.change("rename", 422, value="Other")
        self.change("begin-revision")
        self.change("rename", value="Other")
        self.assertEqual(self.core().issues[0].letter, "A")


class FileTests(SheetCase):
    def test_every_kind_of_file(self):
        begins = {
            "pdf": b"%PDF",
            "svg": b"<svg",
            "dxf": b"  0",
            "png": b"\x89PNG",
            "csv": b"\xef\xbb\xbfItem",
            "xlsx": b"PK",
            "json": b"{",
        }
        for kind, start in begins.items():
            response = self.client.get(f"{self.at}sheet.{kind}")
            with self.subTest(kind):
                self.assertEqual(response.status_code, 200)
                self.assertTrue(response.content.startswith(start), response.content[:20])
                self.assertIn("Tower-first".lower(), response["Content-Disposition"].lower())
        self.assertEqual(self.client.get(f"{self.at}sheet.exe").status_code, 404)

    def test_from_the_library_to_a_printed_pdf_in_three_actions(self):
        made = self.client.post(f"{self.address}sheets/new")  # New sheet
        page = self.client.get(made.url)  # Files
        link = f"{made.url}sheet.pdf"
        self.assertContains(page, link)
        self.assertTrue(self.client.get(link).content.startswith(b"%PDF"))  # PDF

    def test_deleted_brought_back_and_duplicated(self):
        self.client.post(f"{self.at}delete")
        self.assertEqual(self.client.get(self.at).status_code, 404)
        self.assertContains(self.client.get("/"), "Deleted:")
        self.client.post(f"{self.at}bring-back")
        copy = self.client.post(f"{self.at}duplicate")
        self.assertContains(self.client.get(copy.url), "Tower, First, copy")

    def test_a_sheet_is_nobody_elses(self):
        self.client.force_login(user("bob"))
        for address in (self.at, f"{self.at}sheet.pdf", f"{self.at}strip", f"{self.at}history"):
            self.assertEqual(self.client.get(address).status_code, 404)


class PatternTests(SheetCase):
    def logo(self, data: bytes):
        file = io.BytesIO(data)
        file.name = "logo.png"
        return file

    def test_a_pattern_with_a_logo_is_kept_and_used(self):
        buffer = io.BytesIO()
        Image.new("RGB", (40, 20), "navy").save(buffer, "PNG")
        values = {"revision": 0, "name": "Yard", "logo": self.logo(buffer.getvalue())}
        self.assertEqual(self.client.post(f"{self.at}pattern", values, headers={"HX-Request": "true"}).status_code, 200)
        self.assertEqual(Pattern.objects.get().name, "Yard")
        self.assertTrue(self.core().pattern.logo)
        made = self.client.post(f"{self.address}sheets/new", {"pattern": str(Pattern.objects.get().pk)})
        self.assertContains(self.client.get(made.url), "title/logo")

    def test_a_logo_that_is_no_picture_or_too_large_is_refused(self):
        for data in (b"no picture", b"\x89PNG" + b"x" * (3 << 20)):
            response = self.client.post(f"{self.at}pattern", {"revision": 0, "name": "Y", "logo": self.logo(data)}, headers={"HX-Request": "true"})  # fmt: skip  # noqa: E501
            self.assertContains(response, "logo", status_code=422)
        self.assertEqual(Pattern.objects.count(), 0)

    def test_a_pattern_is_handed_on_as_a_file(self):
        self.change("set-field", key="owner", value="Quay Works")
        self.change("style", field="line", value="0.35")
        file = self.client.get(f"{self.at}pattern.json")
        self.assertIn("attachment", file["Content-Disposition"])
        bob = user("bob")
        self.client.force_login(bob)
        handed = io.BytesIO(file.content.replace(b'"Workshop"', b'"Quay"'))
        handed.name = "quay.pattern.json"
        teardown = editor.create(tower_row(bob), core.Teardown("His"))
        self.client.post(f"/teardowns/{teardown.pk}/sheets/new")
        own = Sheet.objects.get(teardown=teardown)
        answer = self.client.post(
            f"/sheets/{own.pk}/read-pattern", {"revision": 0, "pattern": handed}, headers={"HX-Request": "true"}
        )
        self.assertEqual(answer.status_code, 200)
        self.assertEqual(Pattern.objects.get().owner, bob)
        drawn = services.load(Sheet.objects.get(pk=own.pk))
        self.assertEqual((drawn.pattern.line, drawn.pattern.values["owner"]), (0.35, "Quay Works"))

    def test_a_file_that_is_no_pattern_is_refused(self):
        for data in (b"", b"{", b"[]", b'{"format": "pulley-sheet"}', b"\xff\xfe", b" " * (9 << 20)):
            file = self.logo(data)
            sent = {"revision": 0, "pattern": file}
            answer = self.client.post(f"{self.at}read-pattern", sent, headers={"HX-Request": "true"})
            self.assertEqual(answer.status_code, 422, data[:20])
        self.assertEqual(self.client.post(f"{self.at}read-pattern", {"revision": 0}).status_code, 422)
        self.assertEqual(Pattern.objects.count(), 0)


class LongLinesTests(SheetCase):
    def setUp(self):
        super().setUp()
        self.enterContext(mock.patch.object(drawing, "QUICK", 10))

    def turned(self):
        """The page with its view turned as nobody has asked for it yet, in this run or one before."""
        return self.change("turn-view", id="v1", right=str(5 + uuid4().int % 80_000 / 1000), up="5")

    def test_lines_of_large_views_are_worked_out_by_a_worker_and_found_once(self):
        page = self.client.get(self.at)
        self.assertEqual(page.status_code, 200, page.content[-900:])
        self.assertContains(page, 'data-whole="1"')
        self.assertContains(page, 'data-layer="visible"')
        self.assertTrue(self.client.get(f"{self.at}sheet.pdf").content.startswith(b"%PDF"))

    def test_a_page_says_how_far_it_is_and_can_be_stopped(self):
        going = mock.Mock(return_value=analysis.Result(False, 0.25))
        with mock.patch.object(analysis, "request", going):
            page = self.turned()
            self.assertContains(page, "Working out which lines are hidden")
            self.assertContains(page, "being worked out: 25%")
            going.reset_mock()
            stopped = self.client.post(f"{self.at}stop", {"page": "p1"}, headers={"HX-Request": "true"})
            self.assertContains(stopped, "Work them out")
            self.assertNotContains(stopped, "load delay")  # it does not begin again by itself
            self.client.get(f"{self.at}small.svg?page=p1")
            going.assert_not_called()
            with self.assertRaisesRegex(PulleyError, "still being worked out"):
                drawing.whole(Sheet.objects.get(), self.core_assembly(), self.core())
        self.assertContains(self.client.get(f"{self.at}state", {"page": "p1"}), 'data-whole="1"')

    def test_a_worker_that_is_killed_meanwhile_costs_nothing(self):
        with mock.patch.object(jobs, "hand_over"):  # the worker that takes it up dies
            self.assertContains(self.turned(), "Working out which lines are hidden")
            job = Job.objects.get(kind="lines")
            late = timezone.now() - timedelta(minutes=1)
            Job.objects.filter(pk=job.pk).update(state="running", attempts=1, heartbeat=late)
            self.assertContains(self.client.get(self.at), "Working out which lines are hidden")
            self.assertEqual(jobs.revive_stale(), 1)
        worker.perform(str(job.pk))  # another one takes it up
        self.assertContains(self.client.get(self.at), 'data-whole="1"')
        self.assertEqual(Sheet.objects.get(pk=self.sheet.pk).revision, 1)

    def core_assembly(self):
        from pulley.web.library.services import core_assembly

        return core_assembly(self.assembly)

    def test_what_a_page_shows_is_what_the_json_says(self):
        kept = json.loads(self.client.get(f"{self.at}sheet.json").content)
        self.assertEqual(len(kept["pages"][0]["balloons"]), 4)
        np.testing.assert_allclose(kept["pages"][0]["size"], self.core().pages[0].sheet_of_paper.size)
