"""A revision as its user brings it in: what changed is seen, what is on offer taken, film and sheet are there again."""

import tempfile
from pathlib import Path

from playwright.sync_api import expect

from pulley.core.publish.settings import Film
from pulley.core.publish.wishes import Wish
from pulley.web.editor import services
from pulley.web.library.services import add
from pulley.web.publishing import services as publishing
from pulley.web.sheets import services as sheets
from tests.browser.base import PATIENCE, BrowserCase
from tests.revised import frame, written
from tests.scenes import UP, axial, read, teardown

SMALL = Film(size=(160, 90), rate=24, soft=False, steps=("s2",))


class RevisionTests(BrowserCase):
    with_worker = True
    fresh = True

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        cls.publisher = cls.start_worker("--long")

    @classmethod
    def tearDownClass(cls):
        cls.publisher.terminate()
        cls.publisher.wait(30)
        super().tearDownClass()

    def planned(self):
        """The frame with its screws, its cover and its post taken off, to be filmed and drawn."""
        row = add(self.user, read(written(frame(100, 6), self.folder)))
        screws = tuple(row.components.filter(name__startswith="Screw").values_list("path", flat=True))
        cover = axial(("Frame/Cover",), UP, 60.0, "s2")
        plan = services.create(row, teardown(axial(screws, UP, 60.0), cover))
        sheets.create(plan)
        publishing.add(plan, Wish("mp4", film=SMALL))
        publishing.add(plan, Wish("pdf", of="sheet"))
        return row

    def test_a_cover_grew_a_screw_was_added_a_part_renamed_film_and_sheet_in_five_actions(self):
        row, page = self.planned(), self.page
        page.goto(self.live_server_url)
        page.set_input_files(f"#revision-{row.pk}", written(frame(112, 7, "Stand"), self.folder, "frame_b.step"))  # 1
        page.click("text=See what changed")  # 2
        page.wait_for_selector("#later [data-ready]")
        for said in ("Cover is 12 mm wider.", "Post is called Stand now.", "is new."):
            expect(page.locator(".changes-list")).to_contain_text(said)
        page.click("text=Add it to the step")  # 3
        expect(page.locator(".work .done")).to_have_count(1)
        page.click("text=Publish")  # 4
        page.wait_for_load_state()  # what is pressed before the page's scripts are there is not heard
        page.get_by_role("button", name="Publish 2 files").click()  # 5
        expect(page.locator("[data-state=made]")).to_have_count(2, timeout=PATIENCE)
        expect(page.locator(".publish-head")).to_contain_text("Frame, revision 2")
        made = row.of.revisions.get(number=2).teardowns.get()
        self.assertEqual(len(services.teardown_at(made).steps[0].members), 7)

    def test_what_changed_is_seen_side_by_side_and_one_over_the_other(self):
        row, page = self.planned(), self.page
        page.goto(self.live_server_url)
        page.set_input_files(f"#revision-{row.pk}", written(frame(112, 7, "Stand"), self.folder, "frame_c.step"))
        page.click("text=See what changed")
        for side in ("#earlier", "#later"):
            page.wait_for_selector(f"{side} [data-ready]")
        self.assert_accessible()
        colour = "([k, path]) => window.pulley.stages[k].items.get(path).surface.material.color.getHexString()"
        self.soon(
            self.assertEqual,
            lambda: [page.evaluate(colour, [k, "Frame/Cover"]) for k in (0, 1)],
            ["b4553b", "b4553b"],
        )
        self.assertEqual(page.evaluate(colour, [1, "Frame/Base"]), "d9d6cf")
        page.click("[data-pair]:has-text('Post is called Stand now')")
        lit = "() => window.pulley.stages.map((stage) => [...stage.lit])"
        self.soon(self.assertEqual, lambda: page.evaluate(lit), [["Frame/Post"], ["Frame/Stand"]])
        page.check("[name=arranged][value=over]")
        page.wait_for_function("() => window.pulley.stages[1].items.has('old:Frame/Cover')")
        shown = "path => window.pulley.stages[1].items.get(path).object.visible"
        self.soon(
            self.assertEqual,
            lambda: [page.evaluate(shown, p) for p in ("old:Frame/Cover", "Frame/Cover")],
            [True, True],
        )
        self.soon(self.assertFalse, lambda: page.evaluate(shown, "old:Frame/Base"))
        page.focus("#fade")
        page.keyboard.press("End")
        self.soon(self.assertEqual, lambda: page.evaluate(shown, "old:Frame/Cover"), False)
        self.assert_accessible()
        page.check("[name=arranged][value=beside]")
        self.soon(self.assertEqual, lambda: page.evaluate(shown, "Frame/Cover"), True)
        page.click("text=Go back to revision 1")
        expect(page.locator(f"#assembly-{row.pk}")).to_contain_text("Its revisions")
