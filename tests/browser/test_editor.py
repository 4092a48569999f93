"""The editor by mouse and keyboard: rails, cards, snags, views, playback, hiding, and what goes wrong."""

from typing import Any
from unittest import mock
from urllib.parse import urlsplit

import numpy as np
from django.db.utils import OperationalError

from pulley.core import teardown as core
from pulley.core.motion import Axis, Path, Radial, Turn
from pulley.core.score.compose import compose, displacement_at
from pulley.web.analysis import services as analysis
from pulley.web.editor import persistence
from pulley.web.editor.models import Teardown
from pulley.web.library.services import core_assembly
from tests.browser.base import BrowserCase
from tests.scenes import LEFT, RIGHT, UP, axial, changed

ROD = "as1/rod-assembly_1/rod_1"
BOLT = "as1/l-bracket-assembly_1/nut-bolt-assembly_1/bolt_1"
OTHER_BOLT = "as1/l-bracket-assembly_2/nut-bolt-assembly_2/bolt_1"

# ask for a frame and wait until it, and with it whatever waited, is drawn: how often the scene has been drawn by then,
# and what the canvas itself shows, as handles may come to lie on it
FRAME = """(ask) => new Promise((done) => {
      const { stage } = window.pulley;
      stage.canvas.addEventListener("drawn", () => done([stage.scenes, stage.canvas.toDataURL()]), { once: true });
      stage[ask]();
    })"""


# where everything in the cards is that was there before anything was found about them
PLACES = """() => [...document.querySelectorAll("#cards :is(button, input, select, summary, .chip)")]
    .filter((each) => each.checkVisibility() && !each.closest(".asked, .offered"))
    .map((each) => [each.id || each.textContent, each.getBoundingClientRect().y])"""

# keep what the canvas says from now on of whether and in which direction it plays
HEED_PLAYING = """() => {
    const { dataset } = document.querySelector("#canvas");
    window.played = [];
    new MutationObserver(() => window.played.at(-1) !== dataset.playing && window.played.push(dataset.playing))
        .observe(document.querySelector("#canvas"), { attributeFilter: ["data-playing"] });
}"""


class EditorTests(BrowserCase):
    def kept(self, row: Teardown):
        return persistence.load(Teardown.objects.get(pk=row.pk))

    def drag_rail(self, axis: str, by: tuple[float, float], key: str = ""):
        """Drag a rail from near its start by some pixels."""
        if key:
            self.page.keyboard.down(key)
        self.pull_rail(axis, by)
        self.page.mouse.up()
        if key:
            self.page.keyboard.up(key)

    def test_dragging_a_rail_stops_at_the_contact(self):
        row = self.open_editor()
        self.select("1 bolt_1", fold="bolt")
        self.drag_rail("+Z", (0, -250))
        self.changed()
        (step,) = self.kept(row).steps
        self.assertEqual((step.motion.direction, step.motion.distance), (UP, 22.0))
        self.page.wait_for_selector("#step-summary >> text=clear")
        self.soon(self.assertEqual, lambda: self.offset(BOLT), [0, 0, 22])

    def test_dragging_a_clear_rail_gives_a_round_distance(self):
        row = self.open_editor()
        self.select("rod_1")
        self.drag_rail("+X", (60, 22))
        self.changed()
        (step,) = self.kept(row).steps
        self.assertEqual(step.motion.direction, RIGHT)
        self.assertEqual(step.motion.distance % 5, 0)

    def test_pulling_through_is_shown_as_a_snag(self):
        self.open_editor()
        self.select("1 bolt_1", fold="bolt")
        self.drag_rail("+Z", (0, -250), key="Shift")
        self.changed()
        card = self.page.locator("#card-s1")
        card.locator("text=meets rod_1 after 22.0 mm").wait_for()
        self.soon(self.assertIn, "snag", lambda: self.page.inner_text("#step-summary"))
        self.soon(self.assertIn, "22.0 mm", lambda: self.page.text_content(".snag-label"))
        self.assert_accessible()

    def test_what_a_card_finds_out_late_moves_nothing_in_it(self):
        """Others like it and what clears its snags come while one may be about to press something."""
        self.open_editor(axial((BOLT,), UP, 60))
        self.page.wait_for_selector("#step-summary >> text=snag")
        held: list[Any] = []
        self.page.route("**/steps/s1/*", lambda route: held.append(route))
        self.page.click("#head-s1")
        asked = {"legs", "matches", "remedies"}
        self.soon(lambda: self.assertEqual({urlsplit(each.request.url).path.split("/")[-1] for each in held}, asked))
        before = self.page.evaluate(PLACES)
        for route in held:
            route.continue_()
        self.page.unroute("**/steps/s1/*")
        self.page.wait_for_selector("#card-s1 .remedy")
        self.page.wait_for_selector("#same-for-matches")
        self.settled()
        self.assertEqual(self.page.evaluate(PLACES), before)

    def test_a_card_is_edited_in_place(self):
        row = self.open_editor(axial((ROD,), RIGHT, 205))
        page = self.page
        page.click("#head-s1")
        page.fill("#distance-s1", "150.5")
        page.press("#distance-s1", "Enter")
        self.changed()
        self.soon(self.assertEqual, lambda: self.offset(ROD), [150.5, 0, 0])
        page.fill("#label-s1", "Rod out")
        page.press("#label-s1", "Tab")
        self.changed()
        page.click("#turn-s1")
        self.changed()
        self.soon(self.assertEqual, lambda: self.offset(ROD), [-150.5, 0, 0])
        page.keyboard.press("r")
        self.changed()
        page.select_option("#direction-s1", "[-1.0, 0.0, 0.0]")
        self.changed()
        (step,) = self.kept(row).steps
        self.assertEqual((step.label, step.motion.direction, step.motion.distance), ("Rod out", LEFT, 150.5))
        page.press("body", "Delete")
        self.changed()
        self.assertEqual(self.kept(row).steps, ())
        self.soon(self.assertEqual, lambda: self.offset(ROD), [0, 0, 0])

    def test_presses_while_a_contact_check_or_another_change_is_under_way_all_count(self):
        row = self.open_editor(axial((ROD,), RIGHT, 205))
        self.page.click("#head-s1")
        self.page.wait_for_selector("#turn-s1")
        with mock.patch.object(analysis, "SOON", 0.2):
            for _ in range(7):
                self.page.keyboard.press("r")
            self.page.fill("#label-s1", "Turned")
            self.page.press("#label-s1", "Tab")
            self.changed(8)
        (step,) = self.kept(row).steps
        self.assertEqual((step.label, step.motion.direction), ("Turned", LEFT))

    def test_bad_distances_are_explained_beside_the_field_and_kept(self):
        row = self.open_editor(axial((ROD,), RIGHT, 205))
        page = self.page
        page.click("#head-s1")
        for typed, advice in (
            ("", "is empty"),
            ("-5", "turn the direction round"),
            ("1e300", "at most"),
            ("12,5", "12.5"),
        ):
            page.fill("#distance-s1", typed)
            page.press("#distance-s1", "Enter")
            page.wait_for_selector(f"#error-s1 >> text={advice}")
            self.expected += 1
            self.soon(self.assertEqual, lambda: page.input_value("#distance-s1"), typed)
        self.soon(self.assertIn, "The step keeps 205 mm", lambda: page.inner_text("#error-s1"))
        self.assert_accessible()
        self.assertEqual(self.kept(row).steps[0].motion.distance, 205)

    def test_order_is_changed_on_the_card(self):
        row = self.open_editor(axial((BOLT,), UP, 100), axial((ROD,), RIGHT, 205, "s2"))
        page = self.page
        page.wait_for_selector("#step-summary >> text=snag")
        page.click("#head-s2")
        page.click("#earlier-s2")
        self.changed()
        self.assertEqual([step.id for step in self.kept(row).steps], ["s2", "s1"])
        page.wait_for_selector("#step-summary >> text=clear")

    def test_selecting_several_and_all_of_a_part(self):
        row = self.open_editor()
        page = self.page
        self.select("1 bolt_1", fold="bolt")
        page.click('#ledger .row-name:text-is("2 bolt_1")', modifiers=["Control"])
        page.wait_for_selector("#ways >> text=2 × bolt")
        page.keyboard.press("a")
        page.wait_for_selector("#ways >> text=6 × bolt")
        self.soon(self.assertEqual, lambda: page.locator("#ledger .row-line.selected").count(), 7)
        page.keyboard.press("h")
        self.changed()
        self.assertEqual(len(self.kept(row).hidden), 6)
        self.soon(
            self.assertFalse, lambda: page.evaluate("p => window.pulley.stage.items.get(p).object.visible", OTHER_BOLT)
        )
        page.click("text=Show all")
        self.changed()
        self.soon(
            self.assertTrue, lambda: page.evaluate("p => window.pulley.stage.items.get(p).object.visible", OTHER_BOLT)
        )
        page.keyboard.press("Escape")
        self.soon(self.assertEqual, lambda: page.locator("#ledger .row-line.selected").count(), 0)

    def test_selecting_on_the_canvas(self):
        self.open_editor()
        spot = self.page.evaluate(
            """path => {
                const { stage } = window.pulley, box = stage.bounds([path]);
                const at = stage.project(box.max.clone().add(box.min).multiplyScalar(0.5).setZ(box.max.z));
                const place = stage.canvas.getBoundingClientRect();
                return [at.x + place.left, at.y + place.top];
            }""",
            BOLT,
        )
        self.page.mouse.click(*spot)
        self.page.wait_for_selector("#ways >> text=bolt_1")
        self.soon(self.assertEqual, lambda: self.page.evaluate("window.pulley.selection.paths()"), [BOLT])
        self.page.mouse.dblclick(*spot)
        self.page.wait_for_selector("#ways >> text=6 × bolt")

    def test_a_subassembly_moves_as_one(self):
        row = self.open_editor()
        self.page.select_option("#grouping", "tree")
        self.page.click('#ledger .row-name:text-is("rod-assembly_1")')
        self.page.wait_for_selector("#canvas[data-ways=shown]")
        self.soon(self.assertRegex, lambda: self.way("+X"), "^Right, blocked by l-bracket_1")
        self.soon(self.assertEqual, lambda: self.page.evaluate("window.pulley.stage.lit.size"), 3)
        self.drag_rail("-X", (-90, -30), key="Shift")
        self.changed()
        (step,) = self.kept(row).steps
        self.assertEqual(step.members, ("as1/rod-assembly_1",))
        self.soon(self.assertEqual, lambda: self.offset(ROD), lambda: self.offset("as1/rod-assembly_1/nut_1"))

    def test_views_are_saved_given_to_a_step_and_played(self):
        row = self.open_editor(axial((ROD,), RIGHT, 205), axial((BOLT,), UP, 100, "s2"))
        page = self.page
        page.click("[data-side=front]")
        self.open_menu("views")
        page.click("#save-view")
        self.changed()
        (camera,) = self.kept(row).cameras
        self.assertLess(camera.eye[1], camera.target[1])
        page.click(".view-menu summary")
        page.fill("#view-name-c1", "Front")
        page.press("#view-name-c1", "Enter")
        self.changed()
        page.click("#head-s2")
        page.select_option("#camera-s2", label="Front")
        self.changed()
        page.click("[data-side=top]")
        page.click("#explode")
        self.at_rest()
        eye = "window.pulley.stage.view().eye"
        self.soon(lambda now: np.testing.assert_allclose(now, camera.eye, atol=1e-3), lambda: page.evaluate(eye))
        self.open_menu("look")
        page.click("#projection")
        self.soon(self.assertEqual, lambda: page.evaluate("window.pulley.stage.view().projection"), "parallel")
        self.open_menu("views")
        page.click("[data-camera=c1]")
        self.soon(self.assertEqual, lambda: page.evaluate("window.pulley.stage.view().projection"), "perspective")

    def test_any_instant_can_be_dragged_to_and_looks_the_same_each_time(self):
        self.open_editor(axial((ROD,), RIGHT, 200), axial((BOLT,), UP, 100, "s2"))
        page = self.page

        def drag_to(time: float) -> list[list[float]]:
            page.evaluate(
                """time => {
                    const scrub = document.querySelector('#scrub');
                    scrub.value = time;
                    scrub.dispatchEvent(new Event('input', { bubbles: true }));
                }""",
                time,
            )
            page.wait_for_selector(f'#canvas[data-time="{time:.3f}"]')
            return [self.offset(ROD), self.offset(BOLT)]

        self.assertEqual(drag_to(0.75), [[100, 0, 0], [0, 0, 0]])
        middle = drag_to(2.0)
        self.assertEqual(middle[0], [200, 0, 0])
        drag_to(0.3)
        self.assertEqual(drag_to(2.0), middle)

    def test_the_canvas_puts_parts_where_python_says(self):
        axis = Axis((30.0, 20.0, 10.0), (0.2, -0.3, 1.0))
        steps = (
            axial((ROD, BOLT), RIGHT, 123.4),
            changed(axial((BOLT,), UP, 77, "s2"), start="with", duration=2.5),
            core.Step("s3", (ROD, BOLT), Turn(axis, -500.0, advance=12.0), label="Turn"),
            core.Step("s4", (BOLT,), Path(((0, 0, 30), (40, 5, 60)), smooth=True), label="Path"),
            changed(core.Step("s5", (ROD,), Radial(33.0, axis), label="Out"), start="with"),
        )
        row = self.open_editor(*steps)
        score = compose(core_assembly(row.assembly), self.kept(row))
        for time in (0.0, 0.31, 1.1, 1.5, 2.2, 2.9, 3.3, 3.9, 4.4, 5.0, score.duration):
            self.page.evaluate("time => window.pulley.player.seek(time, false)", time)
            for path in (ROD, BOLT):
                wanted = displacement_at(score.tracks[path], time)
                np.testing.assert_allclose(self.displacement(path), wanted, atol=1e-9)

    def test_pausing_and_there_and_back(self):
        self.open_editor(changed(axial((ROD,), RIGHT, 200), duration=30.0))  # long enough to be stopped in
        page = self.page
        page.click("#both")
        page.wait_for_selector('#canvas[data-playing="1"]')
        page.click("#pause")
        self.at_rest()
        self.soon(self.assertGreater, lambda: self.offset(ROD)[0], 0)
        page.evaluate(HEED_PLAYING)
        page.evaluate("window.pulley.player.speed = 20")
        page.click("#both")
        self.at_rest()
        self.assertEqual(page.evaluate("window.played"), ["1", "-1", "0"])  # the way back may last but a frame
        self.soon(self.assertEqual, lambda: self.offset(ROD), [0, 0, 0])

    def test_trail_lines_on_and_off(self):
        row = self.open_editor(axial((ROD,), RIGHT, 205))
        self.soon(self.assertGreater, lambda: int(self.page.get_attribute("#canvas", "data-trails")), 5)
        self.page.keyboard.press("t")
        self.changed()
        self.soon(self.assertEqual, lambda: self.page.get_attribute("#canvas", "data-trails"), "0")
        self.assertFalse(self.kept(row).trails_shown)

    def test_an_idle_page_draws_nothing(self):
        self.open_editor(axial((ROD,), RIGHT, 205))
        self.settled()

        def drawn() -> int:
            """Frames that are drawn in a second and a half."""
            frames = int(self.page.get_attribute("#drawing", "data-frames"))
            self.page.wait_for_timeout(1500)
            return int(self.page.get_attribute("#drawing", "data-frames")) - frames

        self.soon(self.assertEqual, drawn, 0)

    def frame(self, ask: str) -> list[Any]:
        """How often the scene has been drawn, and what the canvas shows, once a frame was asked for."""
        return self.page.evaluate(FRAME, ask)

    def test_an_outline_is_drawn_over_the_picture_that_is_there(self):
        """Pointing at what a step moves draws no model again, however large; and what is shown is the same."""
        self.open_editor(axial((BOLT, OTHER_BOLT), UP, 60))
        self.page.click("#head-s1")
        self.page.wait_for_selector("#card-s1.open")
        self.settled()
        self.page.wait_for_selector("#canvas[data-outlines=drawn]")
        scenes, plain = self.frame("refresh")
        self.page.hover("#card-s1 .chip")
        self.soon(self.assertEqual, lambda: self.page.evaluate("[...window.pulley.stage.lit]"), [BOLT])
        drawn, copied = self.frame("refresh")
        self.assertEqual(drawn, scenes)
        self.assertNotEqual(copied, plain)
        self.assertEqual(self.frame("invalidate"), [scenes + 1, copied])

    def test_the_model_is_drawn_again_after_the_graphics_card_was_lost(self):
        self.open_editor(axial((ROD,), RIGHT, 205))
        self.settled()
        self.page.wait_for_selector("#canvas[data-outlines=drawn]")
        scenes, _ = self.frame("refresh")
        self.page.evaluate("""() => new Promise((done) => {
            const canvas = document.querySelector("#drawing");
            const card = canvas.getContext("webgl2").getExtension("WEBGL_lose_context");
            canvas.addEventListener("webglcontextlost", () => setTimeout(() => card.restoreContext()), { once: true });
            canvas.addEventListener("webglcontextrestored", () => done(), { once: true });
            card.loseContext();
        })""")
        self.soon(self.assertGreater, lambda: self.page.evaluate("window.pulley.stage.scenes"), scenes)

    def test_the_whole_way_by_keyboard(self):
        row = self.open_editor()
        page = self.page
        page.focus('#ledger .row-name:text-is("rod_1")')
        page.keyboard.press("Enter")
        page.wait_for_selector("#canvas[data-ways=shown]")
        page.keyboard.press("w")
        page.keyboard.press("Enter")
        self.changed()
        self.assertEqual(len(self.kept(row).steps), 1)
        page.keyboard.press("c")
        page.wait_for_selector('#canvas[data-time="0.000"]')
        page.keyboard.press("e")
        page.wait_for_selector('#canvas[data-time="1.500"]')

    def test_two_windows_on_one_teardown(self):
        row = self.open_editor(axial((ROD,), RIGHT, 205))
        first, address = self.page, self.page.url
        self.page = self.new_page()
        self.page.goto(address)
        self.ready()
        self.page.click("#head-s1")
        self.page.click("#turn-s1")
        self.page.wait_for_selector('#canvas[data-revision="1"]')
        first.bring_to_front()
        first.click("#trails")
        first.wait_for_selector("#notice >> text=changed in another window")
        self.expected = 1
        first.wait_for_selector('#canvas[data-revision="1"]')
        self.assertTrue(self.kept(row).trails_shown)
        first.click("#trails")
        first.wait_for_selector('#canvas[data-revision="2"]')
        self.assertFalse(self.kept(row).trails_shown)

    def test_a_database_that_goes_away_and_comes_back(self):
        row = self.open_editor(axial((ROD,), RIGHT, 205))
        with mock.patch("pulley.web.editor.services.edit", side_effect=OperationalError(2013, "lost")) as edit:
            self.page.click("#trails")
            self.page.wait_for_selector("#kept >> text=1 change is not kept")
            self.page.fill("#teardown-name", "Later")
            self.page.press("#teardown-name", "Enter")
            self.page.wait_for_selector("#kept >> text=2 changes are not kept")
            self.assertTrue(self.kept(row).trails_shown)
        self.changed(2)  # sent in order, without anybody asking again
        self.assertEqual((self.kept(row).trails_shown, self.kept(row).name), (False, "Later"))
        self.page.wait_for_selector("#kept >> text=all kept")
        self.expected = edit.call_count

    def test_a_server_that_is_gone(self):
        row = self.open_editor(axial((ROD,), RIGHT, 205))
        self.page.route("**/edit/trails", lambda route: route.abort())
        self.page.click("#trails")
        self.page.wait_for_selector("#kept >> text=1 change is not kept")
        self.assertTrue(self.kept(row).trails_shown)
        self.page.unroute("**/edit/trails")
        self.changed()
        self.assertFalse(self.kept(row).trails_shown)
        self.complaints = [text for text in self.complaints if "htmx:" not in text]  # it reports the lost request

    def test_accessible_in_every_state(self):
        self.open_editor(axial((ROD,), RIGHT, 205), axial((BOLT,), UP, 100, "s2"))
        self.assert_accessible()
        self.page.click("#head-s1")
        self.page.wait_for_selector("#card-s1.open")
        self.open_menu("views")
        self.page.click("#save-view")
        self.changed()
        self.page.click(".view-menu summary")
        self.assert_accessible()
        self.select("plate_1")
        self.assert_accessible()
        self.page.emulate_media(color_scheme="dark")
        self.assert_accessible()

    def test_a_larger_window(self):
        self.page.set_viewport_size({"width": 1920, "height": 1080})
        self.open_editor(axial((ROD,), RIGHT, 205))
        box = self.page.locator("#drawing").bounding_box()
        self.assertGreater(box["width"], 1300)
        self.soon(self.assertEqual, lambda: self.page.evaluate("document.documentElement.scrollWidth"), 1920)
