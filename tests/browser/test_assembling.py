"""An assembly out of five loose part files, put together by pointing and exploded, as a newcomer does it."""

import tempfile
from pathlib import Path

import numpy as np
from playwright.sync_api import expect

from pulley.web.assembling import services as assembling
from pulley.web.jobs.models import Job
from pulley.web.library.models import Assembly
from pulley.web.library.services import add
from tests.browser.base import BrowserCase
from tests.loose import written
from tests.scenes import read

# where on the page a place in mm of a component's own frame is seen
SEEN = """([id, place]) => {
    const { stage } = window.pulley;
    const item = stage.items.get(id);
    const { x, y } = stage.project(item.box.min.clone().set(...place).applyMatrix4(item.motion));
    const { left, top } = document.querySelector('#canvas').getBoundingClientRect();
    return [left + x, top + y];
}"""
# how often a job is asked after, answered or not
COUNT_ASKING = """() => {
    window.asked = 0;
    document.body.addEventListener('htmx:confirm', ({ target }) => { window.asked += target.matches('.job'); });
}"""
FACING = np.array([1.0, -1.0, 0.0]) / np.sqrt(2)  # level, towards who looks at it at first


class AssemblingTests(BrowserCase):
    with_worker = True
    fresh = True

    def setUp(self):
        super().setUp()
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.files = written(self.folder)
        self.actions = 0

    def act(self, does):
        """Something that a user does, counted."""
        self.actions += 1
        return does()

    def revised(self, number: int):
        """Wait until the page shows a state of the arrangement."""
        self.page.wait_for_selector(f"#page-state [name=revision][value='{number}']", state="attached")

    def ids(self) -> dict[str, str]:
        """The id of each component by its name."""
        row = assembling.Row.objects.latest("created")
        return {piece.name: piece.id for piece in assembling.load(row).pieces}

    def press(self, name: str, place, prompt: str):
        """Point at a place of a component, in its own frame, and wait for what is asked for next."""
        x, y = self.page.evaluate(SEEN, [self.ids()[name], list(map(float, place))])
        self.act(lambda: self.page.mouse.click(x, y))
        expect(self.page.locator("#pointing .prompt")).to_contain_text(prompt)

    def lay(self, name: str, place, on: str, there):
        self.press(name, place, "Now at the place")
        self.press(on, there, "Point at a place")

    def test_five_loose_parts_are_put_together_and_exploded_in_twenty_actions(self):
        page = self.page
        page.goto(self.live_server_url)
        self.act(lambda: page.set_input_files("#file", list(self.files.values())))
        card = page.locator(".assembly", has_text="5 components of 4 parts")  # its job says so first
        self.act(lambda: card.get_by_text("Put together").click())
        page.wait_for_selector("#canvas[data-ready]")
        self.act(lambda: page.click("text=Lay out"))
        self.revised(1)
        self.assert_accessible()
        self.act(lambda: page.keyboard.press("p"))
        for k, (name, x) in enumerate((("Bolt 1", -28), ("Bolt 2", 28)), 2):
            hole = np.array([x, 0, 9]) - 3.2 * FACING
            self.lay(name, (*(3 * FACING[:2]), -4), "Plate", hole)
            self.revised(k)
        self.lay("Block", (115, 0, 0.8), "Plate", (0, -25, 9.2))  # an edge on an edge
        self.revised(4)
        self.lay("Axle", (*(6 * FACING[:2]), 55), "Block", (129, 19.9, 21.6))  # round faces
        self.revised(5)
        page.keyboard.press("Escape")
        self.act(lambda: page.click("text=Use it"))
        self.act(lambda: page.click("text=Open in the editor"))
        self.ready()
        self.revision = 0
        self.act(lambda: page.keyboard.press("Shift+R"))
        self.act(lambda: page.click("text=Propose steps"))
        page.wait_for_selector("#canvas[data-proposal=shown]")
        self.act(lambda: page.click("text=Take over what is ticked"))
        self.changed()
        self.soon(self.assertRegex, lambda: page.inner_text("#step-summary"), "[2-5] steps, 4 moved, 1 not")
        self.assertLessEqual(self.actions, 20)
        made = Assembly.objects.get(number=2)
        poses = {c.name: np.array(c.pose).reshape(4, 4) for c in made.components.exclude(part=None)}
        for name, x in (("Bolt 1", -28), ("Bolt 2", 28)):
            there = np.linalg.inv(poses["Plate"]) @ poses[name]
            np.testing.assert_allclose(there[:3, 3], [x, 0, 10], atol=1e-6)
        axle = np.linalg.inv(poses["Block"]) @ poses["Axle"]
        np.testing.assert_allclose(axle[1:3, 3], [15, 25], atol=1e-6)

    def test_what_was_added_is_shown_though_the_server_answers_slower_than_it_is_asked(self):
        row, page, held = assembling.begin(add(self.user, read(self.files["Plate"]))), self.page, []
        page.goto(f"{self.live_server_url}/put-together/{row.pk}/")
        page.wait_for_selector("#canvas[data-ready]")
        page.evaluate(COUNT_ASKING)
        page.route("**/jobs/**", lambda route: held.append(route))
        page.set_input_files("#part-files", self.files["Bolt 1"])
        page.wait_for_function("() => window.asked > 2")  # the first still waits for its answer
        self.soon(self.assertTrue, lambda: Job.objects.latest("created").ended)
        for route in held:
            route.continue_()
        page.unroute("**/jobs/**")
        page.wait_for_selector(".tree-line >> text=Bolt 1")

    def test_a_component_is_selected_moved_flipped_and_all_is_undone(self):
        row = assembling.begin(add(self.user, read(self.files["Plate"])))
        page = self.page
        page.goto(f"{self.live_server_url}/put-together/{row.pk}/")
        page.wait_for_selector("#canvas[data-ready]")
        page.set_input_files("#part-files", self.files["Bolt 1"])
        page.wait_for_selector(".tree-line >> text=Bolt 1")
        page.wait_for_selector("#canvas[data-ready]")
        page.click(".tree-line >> text=Bolt 1")
        expect(page.locator("#piece")).to_contain_text("It stands by itself")
        page.fill("#nudge-by", "25")
        page.click("#piece >> text=up")
        self.revised(2)
        bolt = self.ids()["Bolt 1"]
        height = "id => window.pulley.stage.items.get(id).motion.elements[14]"
        self.soon(self.assertAlmostEqual, lambda: page.evaluate(height, bolt), 25.0)
        page.keyboard.press("p")
        self.actions = 0
        self.press("Bolt 1", (*(3 * FACING[:2]), -4), "Now at the place")
        hole = np.array([-28, 0, 9]) - 3.2 * FACING
        page.mouse.move(*page.evaluate(SEEN, [self.ids()["Plate"], hole.tolist()]))
        page.wait_for_selector("#canvas[data-ghosts='1']")  # where it would go
        page.keyboard.press("Escape")
        page.wait_for_selector("#canvas[data-ghosts='0']")
        page.keyboard.press("p")
        self.lay("Bolt 1", (*(3 * FACING[:2]), -4), "Plate", hole)
        page.wait_for_selector("#canvas[data-ghosts='0']")
        page.keyboard.press("Escape")
        expect(page.locator("#pointing")).to_be_hidden()
        expect(page.locator("#piece")).to_contain_text("round on round")
        page.keyboard.press("x")
        self.revised(4)
        expect(page.locator("#piece")).to_contain_text("It is in Plate")
        self.assert_accessible()
        page.keyboard.press("Control+z")
        self.revised(5)
        expect(page.locator("#piece")).not_to_contain_text("It is in")
        page.fill("#piece [data-edit=set-off]", "nonsense")
        page.keyboard.press("Enter")
        self.expected = 1
        expect(page.locator("#piece-error")).to_contain_text("nonsense")
        page.keyboard.press("Escape")
        page.locator("#piece [data-edit=group]").fill("Fasteners")
        page.keyboard.press("Enter")
        expect(page.locator(".tree-group")).to_contain_text("Fasteners")
