"""The sheet page in a browser: made in one action, changed by hand, at 1024 pixels, by keyboard, in two windows."""

import re
import threading
import time
from dataclasses import replace
from unittest import mock

from benchmarks import sheet_effort

from pulley.core import teardown as core
from pulley.core.drawing import follow
from pulley.core.formats import teardown as teardown_json
from pulley.core.planning.options import Options
from pulley.core.planning.proposal import propose
from pulley.web.analysis.registry import KINDS, Kind
from pulley.web.editor import services as editor
from pulley.web.jobs.models import Job
from pulley.web.library.services import core_assembly
from pulley.web.sheets import drawing, services
from pulley.web.sheets.models import Sheet
from tests.browser.base import BrowserCase
from tests.scenes import DEMO, DEMO_TEARDOWN, ROOT, WINCH, WINCH_TEARDOWN, changed


class SheetCase(BrowserCase):
    """The halyard block with a sheet, made anew for each test."""

    def setUp(self):
        super().setUp()
        self.plan = editor.create(self.brought_in(DEMO), teardown_json.loads(DEMO_TEARDOWN.read_bytes()))
        self.sheet = services.create(self.plan)
        self.page.goto(f"{self.live_server_url}/sheets/{self.sheet.pk}/")
        self.page.wait_for_selector("#editor[data-ready]")
        self.revision = 0

    def changed(self, by: int = 1):
        """Wait until the paper shows the next revision."""
        self.revision += by
        self.page.wait_for_selector(f'#paper[data-revision="{self.revision}"]')
        self.page.wait_for_function("() => !document.querySelector('.htmx-request')")

    def box(self, tag: str):
        return self.page.locator(f'#paper g[data-tag="{tag}"]').first.bounding_box()

    def middle(self, tag: str) -> tuple[float, float]:
        box = self.box(tag)
        return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2

    def drag(self, tag: str, by: tuple[float, float]):
        x, y = self.middle(tag)
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + by[0], y + by[1], steps=5)
        self.page.mouse.up()

    def drag_number(self, numbers: str, place: int):
        """Drag what is at a place of a list to its top, by its number."""
        top, own = (self.page.locator(numbers).nth(k).bounding_box() for k in (0, place))
        mouse = self.page.mouse
        mouse.move(own["x"] + 9, own["y"] + 9)
        mouse.down()
        mouse.move(own["x"] + 9, own["y"] - 6, steps=3)
        mouse.move(top["x"] + 9, top["y"] + 3, steps=8)
        mouse.up()

    def pick(self, tag: str):
        self.page.mouse.click(*self.middle(tag))
        self.page.wait_for_selector("#strip strong")

    def kept(self):
        return services.load(Sheet.objects.get(pk=self.sheet.pk))


class HandTests(SheetCase):
    def test_a_balloon_and_its_leaders_end_are_dragged(self):
        before = {b.id: b for b in self.kept().pages[0].balloons}
        self.drag("balloon:b1", (-30, 20))
        self.changed()
        after = {b.id: b for b in self.kept().pages[0].balloons}
        self.assertTrue(after["b1"].placed and after["b1"].centre[0] < before["b1"].centre[0])
        self.assertEqual(after["b2"], before["b2"])
        leader = self.page.locator('#paper g[data-tag="balloon:b1/leader"] path').get_attribute("d")
        self.drag("balloon:b1/tip", (4, 6))
        self.changed()
        self.soon(
            self.assertNotEqual,
            lambda: self.page.locator('#paper g[data-tag="balloon:b1/leader"] path').get_attribute("d"),
            leader,
        )
        self.assertEqual(
            {b.id: b for b in self.kept().pages[0].balloons}["b1"].target.component, after["b1"].target.component
        )

    def test_a_view_is_dragged_with_its_balloons_and_escape_takes_a_drag_back(self):
        before = self.kept().pages[0]
        x, y = self.middle("view:v1/caption")
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + 40, y - 10, steps=4)
        self.page.keyboard.press("Escape")
        self.page.mouse.up()
        self.assertEqual(self.kept().pages[0], before)
        self.drag("view:v1/caption", (40, -10))
        self.changed()
        after = self.kept().pages[0]
        moved = after.views[0].at[0] - before.views[0].at[0]
        self.assertGreater(moved, 5)
        for one, two in zip(before.balloons, after.balloons, strict=True):
            self.assertAlmostEqual(two.centre[0] - one.centre[0], moved, places=3)

    def test_the_strip_says_what_can_be_done_with_what_is_selected(self):
        page = self.page
        top = page.locator("#desk").bounding_box()
        self.pick("view:v1/caption")
        self.soon(self.assertEqual, lambda: page.input_value("#strip [list=scales]"), "1:1")
        self.assertEqual(page.locator("#desk").bounding_box(), top)  # nothing moves when something is selected
        page.select_option('#strip [aria-label="How it is drawn"]', "shaded lines")
        self.changed()
        self.soon(self.assertEqual, lambda: page.locator("#paper image").count(), 1)
        page.fill("#strip [list=scales]", "1:9e9")
        page.keyboard.press("Enter")
        page.wait_for_selector("#notice >> text=cannot be drawn")
        self.expected += 1
        page.click("#notice [data-dismiss]")
        page.select_option('#strip [aria-label="What it shows"]', "home")
        self.changed()
        self.soon(
            self.assertRegex, lambda: page.locator('#paper g[data-tag="view:v1/caption"]').text_content(), "Assembled"
        )
        page.click("#strip >> text=Largest that fits")
        self.changed()
        self.pick("title/owner")
        page.fill('#strip [aria-label="Legal owner"]', "Kestrel Yard")
        page.keyboard.press("Enter")
        self.changed()
        self.soon(
            self.assertIn, "Kestrel Yard", lambda: page.locator('#paper g[data-tag="title/owner"]').text_content()
        )
        self.assert_accessible()

    def test_names_order_and_columns_of_the_list(self):
        page = self.page
        page.fill('[aria-label="Name of item 3"]', "Long pin")
        page.keyboard.press("Enter")
        self.changed()
        self.soon(self.assertIn, "Long pin", lambda: page.locator("#paper").text_content())
        self.drag_number("#items .item-number", 2)
        self.changed()
        names = [page.input_value(f'[aria-label="Name of item {k}"]') for k in (1, 2)]
        self.assertIn("Long pin", names)
        self.pick("list:l1//name")
        page.click("#columns-menu > summary")
        page.check('[aria-label="Show Material"]')
        self.changed()
        self.soon(
            self.assertIn, "Material", lambda: page.locator('#paper g[data-tag="list:l1//material"]').text_content()
        )

    def test_columns_are_made_named_sized_and_moved(self):
        page = self.page
        self.pick("list:l1//name")
        page.click("#columns-menu > summary")
        page.fill("[data-new-column]", "Supplier")
        page.keyboard.press("Enter")
        self.changed()
        page.fill('[aria-label="Heading of name"]', "What it is")
        page.keyboard.press("Tab")
        self.changed()
        page.fill('[aria-label="Width of Supplier in mm"]', "44")
        page.keyboard.press("Enter")
        self.changed()
        page.click('[aria-label="Move Supplier to the left"]')
        self.changed()
        columns = self.kept().pages[0].lists[0].columns
        self.assertEqual((columns[-2].key, columns[-2].width), ("Supplier", 44.0))
        page.click(".item-menu >> nth=0")
        page.fill('.item [data-with-column="Supplier"] >> nth=0', "Quay Works")
        page.keyboard.press("Enter")
        self.changed()
        self.soon(
            self.assertEqual, lambda: page.input_value('.item [data-with-column="Supplier"] >> nth=0'), "Quay Works"
        )
        self.soon(
            self.assertTrue,
            lambda: page.is_visible('.item [data-with-column="Supplier"] >> nth=0'),
            "its menu stays open",
        )
        drawn = page.locator("#paper").text_content()
        self.assertTrue(all(words in drawn for words in ("Supplier", "What it is", "Quay Works")))

    def test_every_menu_is_seen_whole_on_a_small_screen(self):
        page = self.page
        page.set_viewport_size({"width": 1024, "height": 700})
        whole = """id => {
            const menu = document.getElementById(id);
            const box = menu.querySelector(".menu-sheet").getBoundingClientRect();
            const corners = [[box.left + 9, box.top + 4], [box.right - 9, box.top + 4],
                             [box.left + 9, box.bottom - 4], [box.right - 9, box.bottom - 4]];
            return corners.every(([x, y]) => menu.contains(document.elementFromPoint(x, y)));
        }"""
        seen = []
        for chosen, menu in (("", ""), ("list:l1//name", "#columns-menu"), ("view:v1/caption", "#view-more")):
            if chosen:
                self.pick(chosen)
                page.wait_for_selector(menu)
            for menu in page.locator("details.menu").all():
                id = menu.get_attribute("id")
                if id in seen:
                    continue
                menu.locator("summary").click()
                page.wait_for_function(whole, arg=id)
                page.keyboard.press("Escape")
                seen.append(id)
        self.assertEqual(len(seen), 7, seen)

    def test_what_is_typed_while_a_change_is_under_way_is_kept(self):
        page = self.page
        self.pick("title")
        fields = page.locator("#strip input")
        held = []
        page.route("**/edit/set-field", lambda route: route.continue_() if held else held.append(route))
        fields.nth(0).fill("First")
        with page.expect_request("**/edit/set-field"):
            page.keyboard.press("Tab")
        fields.nth(1).fill("Second")
        page.keyboard.press("Tab")
        page.keyboard.type("Third")
        held[0].continue_()
        self.changed(2)
        self.soon(
            self.assertEqual, lambda: [fields.nth(k).input_value() for k in range(3)], ["First", "Second", "Third"]
        )
        page.keyboard.press("Tab")
        self.changed()
        for word in ("First", "Second", "Third"):
            self.soon(self.assertIn, word, lambda: page.locator("#paper").text_content())

    def test_a_drag_goes_on_while_an_answer_comes(self):
        page, held = self.page, []
        page.route("**/edit/move-balloons", lambda route: route.continue_() if held else held.append(route))
        first, second = self.middle("balloon:b1"), self.middle("balloon:b2")
        with page.expect_request("**/edit/move-balloons"):
            self.drag("balloon:b1", (-15, 0))
        page.mouse.move(*second)
        page.mouse.down()
        page.mouse.move(second[0] - 10, second[1], steps=3)
        held[0].continue_()
        self.changed()
        page.mouse.move(second[0] - 20, second[1], steps=3)
        page.mouse.up()
        self.changed()
        moved = [self.middle(f"balloon:{id}")[0] for id in ("b1", "b2")]
        self.assertAlmostEqual(moved[0], first[0] - 15, delta=1)
        self.assertAlmostEqual(moved[1], second[0] - 20, delta=1)
        page.wait_for_function("() => document.querySelector('#strip strong')?.textContent.startsWith('Item 2')")
        page.keyboard.press("Delete")
        self.changed()
        self.assertEqual({"b1", "b2"} & {b.id for b in self.kept().pages[0].balloons}, {"b1"})

    def test_a_row_is_dragged_while_an_answer_comes(self):
        page, held = self.page, []
        page.route("**/edit/set-text", lambda route: route.continue_() if held else held.append(route))
        key = page.get_attribute(".item >> nth=4", "data-with-key")
        page.fill('[aria-label="Name of item 1"]', "Spanner")
        with page.expect_request("**/edit/set-text"):
            page.keyboard.press("Enter")
        top, own = (page.locator(".item-number").nth(k).bounding_box() for k in (0, 4))
        page.mouse.move(own["x"] + 9, own["y"] + 9)
        page.mouse.down()
        page.mouse.move(own["x"] + 9, own["y"] - 6, steps=3)
        held[0].continue_()
        self.changed()
        was = page.get_attribute(".item >> nth=0", "data-with-key")
        for k in range(60):  # rows give way one after the other, each in its time
            page.mouse.move(top["x"] + 9, top["y"] + 1 + k % 3, steps=2)
            if page.get_attribute(".item >> nth=0", "data-with-key") != was:
                break
        page.mouse.up()
        self.changed()
        self.soon(self.assertEqual, lambda: page.get_attribute(".item >> nth=0", "data-with-key"), key)
        self.soon(self.assertEqual, lambda: page.input_value('[aria-label="Name of item 2"]'), "Spanner")

    def test_the_menu_of_any_row_is_seen_whole(self):
        page, rows = self.page, self.page.locator("#items .item")
        for place in (0, rows.count() - 1):
            rows.nth(place).locator("summary").click()
            page.wait_for_function("""() => {
                const menu = document.querySelector(".item-menu[open] .view-fields")?.getBoundingClientRect();
                return menu && menu.top >= 0 && menu.bottom <= innerHeight;
            }""")
            menu = rows.nth(place).locator(".view-fields")
            outer, inner = menu.bounding_box(), menu.locator("text=Leave it out").bounding_box()
            self.assertLessEqual(inner["y"] + inner["height"], outer["y"] + outer["height"], "buttons within the menu")
            page.keyboard.press("Escape")

    def test_pages_are_added_dragged_and_put_elsewhere_by_keyboard(self):
        page = self.page
        page.click("text=+ Page")
        self.changed()
        self.assertEqual([p.id for p in self.kept().pages], ["p1", "p2"])
        self.drag_number("#page-list .page-number", 1)
        self.changed()
        self.assertEqual([p.id for p in self.kept().pages], ["p2", "p1"])
        page.focus("#page-menu > summary")
        page.keyboard.press("Enter")
        page.focus("#page-menu >> text=later")
        page.keyboard.press("Enter")
        self.changed()
        self.assertEqual([p.id for p in self.kept().pages], ["p1", "p2"])

    def test_a_view_that_is_dragged_catches_where_it_lines_up_with_another(self):
        page = self.page
        page.click("text=+ Assembled")
        self.changed()
        page.wait_for_selector("#strip strong")
        (one, two) = self.kept().pages[0].views
        first, second = self.middle(f"view:{one.id}/caption"), self.middle(f"view:{two.id}/caption")
        per_mm = page.locator("#paper svg").bounding_box()["width"] / float(page.get_attribute("#paper", "data-width"))
        page.mouse.move(*second)
        page.mouse.down()
        page.mouse.move(first[0] + 1.2 * per_mm, second[1] + 12, steps=6)
        page.wait_for_selector(".guide-line", state="attached")
        page.mouse.up()
        self.changed()
        after = self.kept().pages[0].views
        self.assertAlmostEqual(after[1].at[0], after[0].at[0], delta=0.6)
        self.soon(self.assertEqual, lambda: page.locator(".guide-line").count(), 0)

    def test_tools_a_note_a_balloon_a_dimension_a_detail(self):
        page = self.page
        page.click("[data-tool=note]")
        page.mouse.click(*self.middle("view:v1/Halyard block/Becket/Becket eye"))
        self.changed()
        page.wait_for_selector("#note-text")
        page.fill("#note-text", "Grease here")
        page.locator("#note-text").blur()
        self.changed()
        self.soon(self.assertIn, "Grease here", lambda: page.locator('#paper g[data-tag="note:n1"]').text_content())
        page.mouse.click(self.box("view:v1/caption")["x"] - 250, self.box("view:v1/caption")["y"])
        page.wait_for_selector("[data-tool=dimension]")
        page.click("[data-tool=dimension]")
        page.mouse.click(*self.middle("view:v1/Halyard block/Becket/Becket pin"))
        page.wait_for_selector("#sheet-hint >> text=second point")
        page.mouse.click(*self.middle("view:v1/Halyard block/Axle pin"))
        self.changed()
        self.soon(
            self.assertRegex, lambda: page.locator('#paper g[data-tag="dimension:d1"]').last.text_content(), r"\d"
        )
        self.pick("view:v1/caption")
        page.click("[data-tool=detail]")
        x, y = self.middle("view:v1/Halyard block/Bearing/Cage")
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + 18, y, steps=3)
        page.mouse.up()
        self.changed()
        self.soon(self.assertIn, "Detail A", lambda: page.locator("#paper").text_content())

    def test_by_keyboard_alone(self):
        page = self.page
        page.focus("#desk")
        page.keyboard.press("n")
        for _ in range(60):
            if page.locator("#page-state [name=selected]").input_value() == "balloon:b1":
                break
            page.keyboard.press("n")
        self.soon(self.assertEqual, lambda: page.locator("#page-state [name=selected]").input_value(), "balloon:b1")
        before = self.kept().pages[0].balloons[0].centre
        page.keyboard.press("Shift+ArrowLeft")
        self.changed()
        self.assertAlmostEqual(self.kept().pages[0].balloons[0].centre[0], before[0] - 10, places=3)
        page.keyboard.press("Control+z")
        self.changed()
        self.assertEqual(self.kept().pages[0].balloons[0].centre, before)
        page.focus("#desk")
        page.wait_for_selector("#strip [data-remove]")
        page.keyboard.press("Delete")
        self.changed()
        page.wait_for_selector(".fault")
        self.assertEqual(len(self.kept().pages[0].balloons), 19)

    def test_two_windows_and_what_is_issued(self):
        row = Sheet.objects.get(pk=self.sheet.pk)  # what another window does meanwhile
        services.edit(row, 0, lambda s, _a: services.Changed(follow.issue(s, "2026-11-27", "A. Fitter"), "Issue"))
        self.page.fill("#sheet-name", "Mine")
        self.page.keyboard.press("Enter")
        self.page.wait_for_selector("#notice >> text=changed in another window")
        self.expected += 1
        self.page.wait_for_selector('#paper[data-revision="1"]')
        self.page.wait_for_selector("text=Begin revision B")
        self.assertEqual(self.kept().issues[0].name, "A. Fitter")

    def test_at_1024_by_700_everything_is_there(self):
        self.page.set_viewport_size({"width": 1024, "height": 700})
        fits = (
            "() => document.querySelector('#paper svg').clientWidth <= document.querySelector('#desk').clientWidth - 40"
        )
        self.page.wait_for_function(fits)  # it is laid again after the window was resized
        self.pick("view:v1/caption")
        strip = self.page.locator("#strip").bounding_box()
        last = self.page.locator("#strip [data-remove]").bounding_box()
        self.assertLessEqual(last["x"] + last["width"], strip["x"] + strip["width"] + 1)
        paper = self.page.locator("#paper svg").bounding_box()
        desk = self.page.locator("#desk").bounding_box()
        self.assertTrue(paper["width"] <= desk["width"] and paper["height"] <= desk["height"])
        self.assert_accessible()

    def test_lines_that_take_long_can_be_stopped_and_asked_for_again(self):
        going = threading.Event()

        def slowly(case, report):
            going.set()
            while True:  # until it is stopped
                report(0.3, "Working")
                time.sleep(0.02)

        with (
            mock.patch.object(drawing, "QUICK", 10),
            mock.patch.dict(KINDS, lines=Kind(slowly, KINDS["lines"].depends)),
        ):
            self.page.click("text=+ Assembled")
            self.page.wait_for_selector("#lines-going >> text=Stop")
            self.wait_until(going.is_set)
            self.page.click("#lines-going >> text=Stop")
            self.page.wait_for_selector("#lines-stopped")
            self.wait_until(lambda: not Job.objects.filter(kind="lines", state="running").exists())
            self.soon(self.assertIn, "not worked out", lambda: self.page.locator("#paper").text_content())
        self.page.click("text=Work them out")
        self.page.wait_for_selector('#paper[data-whole="1"]')
        self.soon(self.assertEqual, lambda: self.page.locator("#lines-stopped").count(), 0)

    def test_the_pdf_is_two_clicks_from_the_page(self):
        self.page.click("#file-menu > summary")
        link = self.page.get_attribute("[data-file=pdf]", "href")
        answer = self.page.request.get(f"{self.live_server_url}{link}")
        self.assertTrue(re.match(rb"%PDF-1\.\d", answer.body()))


class EffortTests(SheetCase):
    """The jobs of the effort table on sheets, done and counted."""

    def test_every_job_takes_no_more_actions_than_it_may(self):
        self.library()
        for title, (job, most) in sheet_effort.JOBS.items():
            with self.subTest(title):
                self.begin(job)
                hand = sheet_effort.SheetHand(self.page)
                self.assertTrue(job(hand), title)
                self.assertLessEqual(hand.total, most)

    def library(self):
        """Teardowns of the winch and of the friction pack, as somebody would have them."""
        if not Sheet.objects.filter(teardown__name="Winter strip").exists():
            editor.create(self.brought_in(WINCH), teardown_json.loads(WINCH_TEARDOWN.read_bytes()))
        pack = self.brought_in(ROOT / "demo/friction_pack.step")
        assembly = core_assembly(pack)
        if not pack.teardowns.exists():
            empty = core.Teardown("Apart", source=assembly.source)
            editor.create(pack, propose(assembly, empty, Options()).added_to(empty))

    def begin(self, job):
        """Where a job begins."""
        if job in (sheet_effort.winch_sheet, sheet_effort.renamed_and_lean):
            self.page.goto(self.live_server_url)
            name = "Deck winch" if job is sheet_effort.winch_sheet else "Friction pack"
            return self.page.locator(f'article:has(h2:text-is("{name}"))').scroll_into_view_if_needed()
        self.sheet = services.create(self.plan)
        self.page.goto(f"{self.live_server_url}/sheets/{self.sheet.pk}/")
        self.page.wait_for_selector("#editor[data-ready]")
        if job is sheet_effort.shaded:
            self.pick("view:v1/caption")
        if job is sheet_effort.updated:
            self.edit_a_step()
            self.page.reload()
            self.page.wait_for_selector("#take-over")
        return None

    def edit_a_step(self):
        """Another window changes how far a step goes."""

        def farther(teardown, _assembly):
            steps = (changed(teardown.steps[0], distance=teardown.steps[0].motion.distance + 20), *teardown.steps[1:])
            return editor.Changed(replace(teardown, steps=steps), "Farther")

        row = type(self.plan).objects.get(pk=self.plan.pk)
        editor.edit(row, row.revision, farther)
