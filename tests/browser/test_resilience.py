"""Nothing lost silently: signed out while working, answers that never come, Escape, and pages that may be older."""

from dataclasses import replace

import numpy as np
from django.conf import settings
from django.contrib.auth import get_user_model
from django.contrib.sessions.models import Session
from django.test import Client, override_settings

from pulley.core import teardown as core
from pulley.web.editor import services
from pulley.web.editor.commands import COMMANDS
from pulley.web.editor.models import Teardown
from pulley.web.jobs.models import Job
from pulley.web.library.services import add
from pulley.web.publishing.models import Link
from tests.browser.test_authoring import AuthoringCase
from tests.scenes import AS1, RIGHT, UP, axial, read

ROD = "as1/rod-assembly_1/rod_1"
PASSWORD = "a rope, a block"
# something in the editor asks for something and leaves the page meanwhile; the editor is marked when it was answered
ASK_AND_LEAVE = """([verb, values]) => {
    const room = document.querySelector('#editor');
    const asking = room.appendChild(document.createElement('p'));
    room.addEventListener('htmx:beforeRequest', ({ detail: { xhr } }) =>
        xhr.addEventListener('loadend', () => { room.dataset.answered = 'true'; }), { once: true });
    const at = verb === 'GET' ? room.dataset.atState : room.dataset.atEdit.replace('VERB', 'distance');
    window.htmx.ajax(verb, at, { source: asking, swap: 'none', values }).catch(() => {});
    asking.remove();
}"""


class ResilienceCase(AuthoringCase):
    def lost(self):
        """What the page could not send is on its console, and meant to be."""
        self.complaints = [text for text in self.complaints if "htmx:" not in text]
        self.failures = []

    def rename(self, name: str):
        self.page.fill("#teardown-name", name)
        self.page.press("#teardown-name", "Enter")

    def not_kept(self, count: int, why: str = ""):
        """Wait until the page says that changes are not kept, and why."""
        words = "1 change is" if count == 1 else f"{count} changes are"
        self.page.wait_for_selector(f"#kept >> text={words} not kept")
        self.page.wait_for_selector(f"#waiting >> text={why or words}")

    def name(self, row: Teardown) -> str:
        return Teardown.objects.get(pk=row.pk).name


@override_settings(DEMO=False)
class SignedOutTests(ResilienceCase):
    """The session ends, elsewhere or of itself, while the editor is open."""

    def setUp(self):
        super().setUp()
        self.user.set_password(PASSWORD)
        self.user.save()
        self.sign_in(self.user)

    def sign_in(self, user):
        """As a browser would be after signing in."""
        client = Client()
        client.force_login(user, settings.AUTHENTICATION_BACKENDS[-1])
        cookie = {"name": "sessionid", "value": client.cookies["sessionid"].value, "url": self.live_server_url}
        self.context.add_cookies([cookie])

    def fill_in(self, page, password: str, name: str = "demo"):
        page.fill("[name=username]", name)
        page.fill("[name=password]", password)
        page.click("button:text-is('Sign in')")

    def test_changes_wait_and_are_sent_after_signing_in_in_the_page(self):
        row = self.open_editor(axial((ROD,), RIGHT, 205))
        Session.objects.all().delete()
        self.rename("Mine")
        self.not_kept(1, "you are signed out")
        self.page.click("#trails")
        self.not_kept(2)
        self.assertEqual((self.name(row), self.page.input_value("#teardown-name")), ("Plan", "Mine"))
        self.assert_accessible()
        self.fill_in(self.page, "wrong")
        self.page.wait_for_selector("#notice >> text=do not match")
        self.soon(self.assertEqual, lambda: self.page.input_value("#name-here"), "demo")
        self.fill_in(self.page, PASSWORD)
        self.changed(2)
        self.page.wait_for_selector("#kept >> text=all kept")
        self.assertEqual((self.name(row), self.kept(row).trails_shown), ("Mine", False))
        self.assertTrue(self.page.is_hidden("#waiting"))
        self.lost()

    def test_signing_in_in_another_tab_sends_what_waits(self):
        row = self.open_editor(axial((ROD,), RIGHT, 205))
        first = self.page
        Session.objects.all().delete()
        first.click("#head-s1")  # a question: asked in vain, and said
        first.wait_for_selector("#notice >> text=You are signed out")
        self.rename("Mine")
        self.not_kept(1)
        other = self.new_page()
        other.goto(f"{self.live_server_url}/")
        self.fill_in(other, PASSWORD)
        other.wait_for_selector("text=Library")
        first.wait_for_selector("#kept >> text=all kept")
        self.assertEqual(self.name(row), "Mine")
        first.click("#trails")
        first.wait_for_selector('#canvas[data-revision="2"]')
        self.lost()

    def test_undo_preferences_and_links_wait_as_well(self):
        row = self.open_editor(axial((ROD,), RIGHT, 205))
        self.page.click("#trails")
        self.changed()
        self.page.click("#share-menu summary")
        self.page.wait_for_selector("#links >> text=+ New link")
        Session.objects.all().delete()
        self.page.click("#links >> text=+ New link")
        self.not_kept(1)
        self.page.click("#undo")
        self.not_kept(2)
        self.page.click("#settings summary")
        self.page.select_option("#unit-wanted", "cm")
        self.not_kept(3)
        self.fill_in(self.page, PASSWORD)
        self.page.wait_for_selector("#kept >> text=all kept")
        self.page.wait_for_selector("#settings >> text=cm, snap")
        self.assertEqual(Link.objects.filter(teardown=row).count(), 1)
        self.assertTrue(self.kept(row).trails_shown)
        self.lost()

    def test_the_library_s_changes_wait_as_well(self):
        row = self.as1()
        page = self.page
        page.goto(self.live_server_url)
        page.wait_for_selector(f"#assembly-{row.pk}")
        Job.objects.all().delete()  # whatever other tests have left
        Session.objects.all().delete()
        page.set_input_files("#file", AS1)
        page.wait_for_selector("#waiting >> text=1 change is not kept yet: you are signed out")
        page.click(f"#assembly-{row.pk} summary[aria-label='More for as1']")
        page.click(f"#assembly-{row.pk} [aria-label='Delete as1']")
        page.wait_for_selector("#waiting >> text=2 changes are not kept")
        self.fill_in(page, PASSWORD)
        page.wait_for_selector("#jobs >> text=Waiting for the worker")
        page.wait_for_selector("#bin >> text=1 deleted assembly")
        self.assertTrue(page.is_hidden("#waiting"))
        self.assertEqual(Job.objects.filter(title=AS1.name).count(), 1)
        page.click("#bin summary")
        page.click("#bin >> text=Bring back")
        page.wait_for_selector(f"#assembly-{row.pk}")
        Job.objects.all().delete()
        self.lost()

    def test_somebody_else_signed_in_is_no_reason_to_lose_it(self):
        row = self.open_editor(axial((ROD,), RIGHT, 205))
        ben, _ = get_user_model().objects.get_or_create(username="ben")
        self.sign_in(ben)
        self.rename("Mine")
        self.not_kept(1, "There is nothing here")
        self.assertEqual(self.name(row), "Plan")
        self.sign_in(self.user)
        self.page.click("#waiting-send")
        self.changed()
        self.assertEqual(self.name(row), "Mine")
        self.lost()


class AnswerTests(ResilienceCase):
    """Answers that say that a change was not made, or that are none."""

    def answering(self, answer: int | str):
        """What answers a request instead of Pulley."""
        page = {"body": "<html><p>Something</p></html>", "content_type": "text/html"}
        elsewhere = {"status": 302, "headers": {"Location": f"{self.live_server_url}/"}}
        return {
            "none": lambda route: route.abort(),
            "late": lambda route: None,
            "stand-in": lambda route: route.fulfill(status=200, **page),
            "elsewhere": lambda route: route.fulfill(**elsewhere),
        }.get(answer, lambda route: route.fulfill(status=answer, **page))

    def test_no_answer_but_the_right_one_counts_as_kept(self):
        row = self.open_editor(axial((ROD,), RIGHT, 205))
        page = self.page
        for number, answer in enumerate((403, 404, 413, 500, 504, "stand-in", "elsewhere", "late", "none")):
            with self.subTest(answer):
                page.route("**/edit/rename", self.answering(answer))
                page.evaluate("late => { window.htmx.config.timeout = late ? 300 : 100000; }", answer == "late")
                self.rename(f"Name {number}")
                self.not_kept(1)
                self.soon(self.assertEqual, lambda: page.input_value("#teardown-name"), f"Name {number}")
                page.evaluate("window.htmx.config.timeout = 100000")
                page.unroute("**/edit/rename")
                page.click("#waiting-send")
                self.changed()
                page.wait_for_selector("#kept >> text=all kept")
                self.assertEqual(self.name(row), f"Name {number}")
        self.lost()

    def test_a_change_whose_answer_was_lost_is_made_once(self):
        row = self.open_editor(axial((ROD,), RIGHT, 205))

        def lose(route):
            route.fetch()  # it reaches the server, and is carried out
            route.abort()

        self.page.click("#head-s1")
        self.page.wait_for_selector("#card-s1.open")
        self.page.route("**/edit/duplicate", lose)
        self.page.click("#duplicate-s1")
        self.not_kept(1, "does not answer")
        self.page.unroute("**/edit/duplicate")
        self.page.click("#waiting-send")
        self.changed()
        self.page.wait_for_selector("#kept >> text=all kept")
        self.assertEqual(len(self.kept(row).steps), 2)
        self.assertEqual(row.history.count(), 2)
        self.lost()

    def test_what_waits_behind_what_has_left_the_page_is_sent_all_the_same(self):
        row, page, held = self.open_editor(axial((ROD,), RIGHT, 205)), self.page, []
        page.click("#head-s1")
        page.wait_for_selector("#card-s1.open")
        page.route("**/edit/rename", lambda route: held.append(route))
        self.rename("Mine")
        self.soon(self.assertEqual, lambda: len(held), 1)
        page.evaluate(ASK_AND_LEAVE, ["GET", {}])
        page.click("#duplicate-s1")
        held[0].continue_()
        self.changed(2)
        kept = self.kept(row)
        self.assertEqual((kept.name, len(kept.steps)), ("Mine", 2))
        self.lost()

    def test_that_a_change_was_refused_is_said_though_what_asked_has_left_the_page(self):
        self.open_editor(axial((ROD,), RIGHT, 205))
        self.page.evaluate(ASK_AND_LEAVE, ["POST", {"step": "s1", "value": "-5"}])
        self.page.wait_for_selector("#notice >> text=turn the direction round")
        self.page.wait_for_selector("#kept >> text=all kept")
        self.expected = 1

    def test_what_a_page_asked_that_nobody_waits_for_any_more_is_not_said(self):
        self.open_editor(axial((ROD,), RIGHT, 205))
        gone = {
            "status": 404,
            "headers": {"HX-Retarget": "#notice"},
            "body": "<p class='notice-line'><span>no</span></p>",
        }
        self.page.route("**/state**", lambda route: route.fulfill(**gone))
        self.page.evaluate(ASK_AND_LEAVE, ["GET", {}])
        self.page.wait_for_selector("#editor[data-answered]")
        self.assertEqual(self.page.inner_text("#notice"), "")
        self.expected = 1

    def test_what_waits_can_be_let_go_of_and_the_page_shows_what_is_kept(self):
        row = self.open_editor(axial((ROD,), RIGHT, 205))
        self.page.route("**/edit/rename", lambda route: route.fulfill(status=500, body="no"))
        self.rename("Mine")
        self.not_kept(1, "Pulley answered with 500")
        self.page.click("#waiting-drop")
        self.page.wait_for_selector("#kept >> text=all kept")
        self.soon(self.assertEqual, lambda: self.page.input_value("#teardown-name"), "Plan")
        self.assertEqual(self.name(row), "Plan")
        self.lost()

    def test_a_refusal_among_waiting_changes_is_read_before_they_go_on(self):
        row = self.open_editor(axial((ROD,), RIGHT, 205))
        page = self.page
        page.click("#head-s1")
        page.wait_for_selector("#card-s1.open")
        page.route("**/edit/*", lambda route: route.abort())
        page.click("#turn-s1")
        self.not_kept(1)
        self.rename("Mine")
        self.not_kept(2)
        page.unroute("**/edit/*")
        with_other = Teardown.objects.get(pk=row.pk)
        services.edit(
            with_other, 0, lambda teardown, assembly: COMMANDS["trails"].does({"value": "off"}, teardown, assembly)
        )
        page.click("#waiting-send")
        page.wait_for_selector("#notice >> text=changed in another window")
        self.not_kept(1)
        self.assertEqual(self.name(row), "Plan")
        page.click("text=Do mine on top of it")
        page.wait_for_selector("#kept >> text=all kept")
        kept = self.kept(row)
        self.assertEqual((kept.name, kept.trails_shown, kept.steps[0].motion.direction), ("Mine", False, (-1, 0, 0)))
        self.lost()


class EscapeTests(ResilienceCase):
    """Escape takes back what is under way, and nothing else."""

    def test_a_drag_on_a_rail_and_turning_the_view(self):
        row = self.open_editor()
        self.select("rod_1")
        self.pull_rail("+X", (60, 22))
        self.assertNotEqual(self.offset(ROD), [0, 0, 0])
        self.page.keyboard.press("Escape")
        self.soon(self.assertEqual, lambda: self.offset(ROD), [0, 0, 0])
        self.page.mouse.up()
        self.assertTrue(self.page.is_visible("#ways"))  # still selected
        self.page.keyboard.press("Escape")
        self.page.wait_for_selector("#ways", state="hidden")
        self.assertEqual(self.kept(row).steps, ())
        self.turn_the_view_and_escape()

    def turn_the_view_and_escape(self):
        view = "JSON.stringify(window.pulley.stage.view().eye.map((v) => Math.round(v)))"
        before, canvas = self.page.evaluate(view), self.page.locator("#drawing").bounding_box()
        self.page.mouse.move(canvas["x"] + 80, canvas["y"] + 300)
        self.page.mouse.down()
        self.page.mouse.move(canvas["x"] + 200, canvas["y"] + 340, steps=4)
        self.soon(self.assertNotEqual, lambda: self.page.evaluate(view), before)
        self.page.keyboard.press("Escape")
        self.page.mouse.move(canvas["x"] + 240, canvas["y"] + 360, steps=2)
        self.page.mouse.up()
        self.soon(self.assertEqual, lambda: self.page.evaluate(view), before)

    def drag_and_escape(self, handle: str, by: tuple[float, float]):
        """Take hold of something, move it, press Escape, let go."""
        self.page.wait_for_selector(handle, state="attached")
        box = self.page.locator(handle).first.bounding_box()
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + by[0], y + by[1], steps=5)
        moved = [round(v) for v in self.offset(ROD)]
        self.page.keyboard.press("Escape")
        self.page.mouse.up()
        return moved

    def test_the_diamond_the_ring_and_a_travel_handle(self):
        row = self.open_editor(axial((ROD,), RIGHT, 205))
        page = self.page
        page.keyboard.press("c")
        page.wait_for_selector('#canvas[data-time="0.000"]')
        self.select("plate_1")
        plate = "as1/plate_1"
        self.drag_and_escape(".grip path", (70, 10))
        self.soon(self.assertEqual, lambda: self.offset(plate), [0, 0, 0])
        page.keyboard.press("Escape")
        self.select("rod_1")
        page.keyboard.press("Shift+4")
        self.drag_and_escape(".turn-ring circle", (40, 40))
        self.soon(np.testing.assert_allclose, lambda: self.displacement(ROD), np.eye(4))
        page.keyboard.press("Escape")
        page.click("#head-s1")
        page.wait_for_selector(".bend rect", state="attached")
        moved = self.drag_and_escape(".bend rect", (40, 15))
        self.assertNotEqual(moved, [205, 0, 0])
        self.soon(self.assertEqual, lambda: self.offset(ROD), [205, 0, 0])
        page.wait_for_selector("#card-s1.open")
        self.assertEqual(self.kept(row).steps[0].motion.distance, 205)
        self.assertEqual(row.history.count(), 1)

    def test_the_run_chart_a_box_and_a_card(self):
        row = self.open_editor(axial((ROD,), RIGHT, 205), axial((ROD,), UP, 50, "s2"))
        where = "bar => [bar.x.baseVal.valueInSpecifiedUnits, bar.width.baseVal.valueInSpecifiedUnits]"
        before = self.page.locator("#bar-s2").evaluate(where)
        self.drag_and_escape("#bar-s2 .body", (60, 0))
        self.assertEqual(self.page.locator("#bar-s2").evaluate(where), before)
        canvas = self.page.locator("#drawing").bounding_box()
        self.page.keyboard.down("Shift")
        self.page.mouse.move(canvas["x"] + 90, canvas["y"] + 120)
        self.page.mouse.down()
        self.page.mouse.move(canvas["x"] + 500, canvas["y"] + 300, steps=4)
        self.page.wait_for_selector(".marquee")
        self.page.keyboard.press("Escape")
        self.page.mouse.up()
        self.page.keyboard.up("Shift")
        self.page.wait_for_selector(".marquee", state="hidden")
        self.assertTrue(self.page.is_hidden("#ways"))
        page = self.page
        first, second = (page.locator(f"#head-{id}").bounding_box() for id in ("s1", "s2"))
        page.mouse.move(first["x"] + 90, first["y"] + 10)
        page.mouse.down()
        page.mouse.move(second["x"] + 90, second["y"] + second["height"] - 4, steps=8)
        page.keyboard.press("Escape")
        page.mouse.up()
        order = "[...document.querySelectorAll('#cards > li')].map((card) => card.dataset.step)"
        self.soon(self.assertEqual, lambda: page.evaluate(order), ["s1", "s2"])
        self.assertEqual(row.history.count(), 1)

    def test_fields_and_every_menu_and_nothing_else(self):
        row = self.open_editor(axial((ROD,), RIGHT, 205))
        page = self.page
        page.click("#head-s1")
        page.wait_for_selector("#card-s1.open")
        fields = ("#label-s1", "#distance-s1", "#duration-s1", "#caption-s1", "#note-s1", "#teardown-name")
        for field in fields:
            before = page.input_value(field)
            page.fill(field, "77")
            page.press(field, "Escape")
            self.assertEqual(page.input_value(field), before, field)
            self.assertFalse(page.locator(field).evaluate("field => field === document.activeElement"), field)
        page.wait_for_selector("#card-s1.open")
        page.click("#trails")
        self.changed()
        self.assertEqual(row.history.count(), 2)  # only the last press was a change
        page.click("#head-s1")
        self.open_menu("views")
        page.click("#save-view")
        self.changed()
        page.click("#keep-pose")
        self.changed()
        self.select("rod_1")
        menus = [
            "#sheets-menu",
            "#share-menu",
            "#settings",
            "#look-menu",
            "#propose-menu",
            "#timing-menu",
            "#history-menu",
            "#views-menu",
        ]
        count = page.locator("details.menu").count()
        self.assertEqual(count, len(menus))
        for menu in [*menus, ".view:nth-child(2) .view-menu", ".view:nth-last-child(2) .view-menu"]:
            if ".view-menu" in menu:
                self.open_menu("views")
            page.click(f"{menu} > summary")
            page.wait_for_selector(f"{menu}[open]")
            page.keyboard.press("Escape")
            page.wait_for_selector(f"{menu}:not([open])")
            focused = page.locator(f"{menu} > summary").evaluate("each => each === document.activeElement")
            self.assertTrue(focused, menu)
        page.click("#settings > summary")
        page.fill("#tolerance-wanted", "0.3")
        page.keyboard.press("Escape")
        page.wait_for_selector("#settings[open]")  # first what is typed, then the menu
        self.assertNotEqual(page.input_value("#tolerance-wanted"), "0.3")
        page.keyboard.press("Escape")
        page.wait_for_selector("#settings:not([open])")
        self.assertTrue(page.is_visible("#ways"))
        self.assertEqual(row.history.count(), 4)


class FreshnessTests(ResilienceCase):
    """What is shown is what is kept."""

    def test_back_and_forward_show_the_teardown_as_it_is(self):
        row = self.open_editor()
        self.select("rod_1")
        self.page.click("#ways .way:enabled")
        self.changed()
        self.page.click("text=Library")
        self.page.wait_for_selector("h1:text-is('Library')")
        self.page.go_back()
        self.ready()
        self.page.wait_for_selector("#step-summary >> text=1 step")
        self.page.click("#trails")
        self.page.wait_for_selector('#canvas[data-revision="2"]')
        self.page.go_back()
        self.page.go_forward()
        self.ready()
        self.page.wait_for_selector('#canvas[data-revision="2"]')
        self.assertFalse(self.kept(row).trails_shown)

    def test_a_page_that_was_asleep_looks_again(self):
        row = self.open_editor(axial((ROD,), RIGHT, 205))
        services.edit(
            Teardown.objects.get(pk=row.pk),
            0,
            lambda teardown, assembly: COMMANDS["rename"].does({"value": "Theirs"}, teardown, assembly),
        )
        for event in ("focus", "pageshow", "online"):
            self.page.evaluate("name => window.dispatchEvent(new Event(name))", event)
        self.changed()
        self.soon(self.assertEqual, lambda: self.page.input_value("#teardown-name"), "Theirs")

    def test_a_menu_on_the_shelf_stays_open_when_something_else_has_come_in(self):
        first = add(self.user, replace(read(AS1), name="First", notes=("It says little.",)))
        self.page.goto(self.live_server_url)
        card = self.page.locator(f"#assembly-{first.pk}")
        card.locator("text=1 note on the file").click()
        card.locator("summary:text-is('More')").click()
        card.locator("text=Download its file").focus()
        second = add(self.user, replace(read(AS1), name="Second"))
        self.page.evaluate("() => document.body.dispatchEvent(new Event('job-ended'))")
        self.page.wait_for_selector(f"#assembly-{second.pk} >> text=Second")
        self.assertTrue(card.locator("text=It says little.").is_visible())
        self.assertEqual(self.page.evaluate("() => document.activeElement.textContent"), "Download its file")

    def test_a_copy_kept_by_the_browser_is_not_shown(self):
        row = services.create(self.as1(), core.Teardown("Plan"))
        for address in ("/", f"/teardowns/{row.pk}/", f"/teardowns/{row.pk}/state"):
            answer = self.page.request.get(f"{self.live_server_url}{address}")
            self.assertIn("no-store", answer.headers["cache-control"], address)
