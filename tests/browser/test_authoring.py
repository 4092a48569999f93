"""Authoring by hand: selecting, every way to make a step, correcting, losing nothing, poses, keys and help."""

import json
from dataclasses import replace

import numpy as np
from benchmarks import effort

from pulley.core import teardown as core
from pulley.core.formats import teardown as teardown_json
from pulley.web.editor import persistence, services
from pulley.web.editor.models import Teardown
from tests.browser.base import BrowserCase
from tests.scenes import RIGHT, ROOT, UP, WINCH, WINCH_WRONG, axial, changed

SCENES = {
    "Friction pack": "friction_pack",
    "Round hatch": "round_hatch",
    "Cam cleat": "cam_cleat",
    "Mast foot": "mast_foot",
    "Roller": "roller",
    "Deck winch": "deck_winch",
}


class AuthoringCase(BrowserCase):
    """Editors on the demo's scenes."""

    def scene(self, name: str, *steps: core.Step) -> Teardown:
        """An editor on a new teardown of a demo scene."""
        row = services.create(self.brought_in(ROOT / f"demo/{SCENES[name]}.step"), core.Teardown("Plan", steps))
        self.open(row)
        return row

    def open(self, row: Teardown):
        self.page.goto(f"{self.live_server_url}/teardowns/{row.pk}/")
        self.ready()
        self.revision = 0

    def kept(self, row: Teardown) -> core.Teardown:
        return persistence.load(Teardown.objects.get(pk=row.pk))

    def ways(self, kind: str = "straight"):
        self.page.wait_for_selector(f'body:has(#canvas[data-ways=shown]) .ways-inner[data-kind="{kind}"]')

    def paths(self) -> list[str]:
        return self.page.evaluate("window.pulley.selection.paths()")

    def spot(self, path: str, share=(0.5, 0.5, 1.0)) -> tuple[float, float]:
        """Where on the page a place in a component's bounds is seen."""
        at = """([path, share]) => { const { stage } = window.pulley, { min, max } = stage.bounds([path]);
            const p = min.clone(); ['x', 'y', 'z'].forEach((k, i) => { p[k] += share[i] * (max[k] - min[k]); });
            const s = stage.project(p), r = stage.canvas.getBoundingClientRect();
            return [s.x + r.left, s.y + r.top]; }"""
        return tuple(self.page.evaluate(at, [path, list(share)]))

    def drag(self, start: tuple[float, float], *via: tuple[float, float], key: str = ""):
        self.page.mouse.move(*start)
        if key:
            self.page.keyboard.down(key)
        self.page.mouse.down()
        for x, y in via:
            self.page.mouse.move(x, y, steps=5)
        self.page.mouse.up()
        if key:
            self.page.keyboard.up(key)


class SelectingTests(AuthoringCase):
    def test_box_search_same_part_invert_and_all(self):
        self.scene("Cam cleat")
        page = self.page
        page.click("[data-side=front]")
        box = page.locator("#canvas").bounding_box()
        low = self.spot("Cam cleat/Cam", (0, 0, -0.4))
        self.drag((box["x"] + 68, box["y"] + 6), (box["x"] + box["width"] - 20, low[1]), key="Shift")
        self.ways()
        self.soon(
            self.assertEqual, lambda: {path.rpartition("/")[2] for path in self.paths()}, {"Cam", "Cam#2", "Top plate"}
        )
        page.keyboard.press("Escape")
        page.keyboard.press("/")
        page.fill("#search", "bolt")
        page.press("#search", "Enter")
        self.ways()
        self.soon(self.assertEqual, lambda: len(self.paths()), 4)
        page.fill("#search", "spring")  # while the ways out of the bolts are shown
        page.press("#search", "Enter")
        self.soon(self.assertEqual, lambda: {path.rpartition("/")[2] for path in self.paths()}, {"Spring", "Spring#2"})
        self.ways()
        page.fill("#search", "bolt")
        page.press("#search", "Enter")
        self.soon(self.assertEqual, lambda: len(self.paths()), 4)
        page.keyboard.press("i")
        page.wait_for_selector("#ways >> text=Base and")
        self.soon(self.assertEqual, lambda: len(self.paths()), 6)
        page.keyboard.press("Control+a")
        page.wait_for_function("() => window.pulley.selection.paths().length === 10")
        page.keyboard.press("Escape")
        self.soon(self.assertEqual, lambda: self.paths(), [])

    def test_what_lies_under_and_the_subassembly(self):
        self.scene("Deck winch")
        page = self.page
        page.click("[data-side=top]")
        page.mouse.move(*self.spot("Deck winch/Dust cap"))
        page.keyboard.press("u")
        self.ways()
        self.soon(self.assertEqual, lambda: self.paths(), ["Deck winch/Dust cap"])
        page.keyboard.press("u")
        page.wait_for_function("() => !window.pulley.selection.paths().includes('Deck winch/Dust cap')")
        page.click('#ledger .row-name:text-is("Carrier plate")')
        self.ways()
        page.keyboard.press("o")
        page.wait_for_selector("#ways strong:text-is('Carrier')")
        self.soon(self.assertEqual, lambda: self.paths(), ["Deck winch/Gears/Carrier"])
        self.soon(self.assertTrue, lambda: page.locator(".row-line.selected >> text=Carrier plate").count())
        page.keyboard.press("o")
        page.wait_for_selector("#ways >> text=Carrier plate and 6 more")

    def test_beyond_a_face(self):
        self.scene("Cam cleat")
        page = self.page
        page.keyboard.press("Shift+B")
        page.wait_for_selector("#canvas[data-pointing]")
        page.mouse.click(*self.spot("Cam cleat/Base", (0.5, 0.03, 1.0)))
        self.ways()
        parts = {"Cam cleat/Spring", "Cam cleat/Cam", "Cam cleat/Top plate"}
        self.soon(self.assertEqual, lambda: {path.partition("#")[0] for path in self.paths()}, parts)

    def test_bundles_are_named_used_edited_and_kept_with_the_assembly(self):
        row = self.scene("Cam cleat")
        page = self.page
        page.click('#ledger .row-name:text-is("Bolt")')
        self.ways()
        page.keyboard.press("k")
        self.changed()
        page.click(".bundle-menu summary")
        page.fill("#bundle-1", "براغي الغطاء")
        page.press("#bundle-1", "Enter")
        self.changed()
        self.assertEqual(self.kept(row).bundles[0].name, "براغي الغطاء")
        self.scene("Cam cleat")
        page.click("[data-bundle]")
        self.ways()
        self.soon(self.assertEqual, lambda: len(self.paths()), 4)
        page.select_option("#grouping", "bundle")
        page.wait_for_selector("#ledger >> text=in no bundle")
        self.assert_accessible()
        page.click(".bundle-menu summary")
        page.click("text=Untie the bundle")
        self.changed()

    def test_show_only_and_back(self):
        row = self.scene("Cam cleat")
        self.page.click('#ledger .row-name:text-is("Cam")')
        self.ways()
        self.page.keyboard.press("n")
        self.changed()
        self.assertEqual(len(self.kept(row).hidden), 8)
        self.page.keyboard.press("n")
        self.changed()
        self.assertEqual(self.kept(row).hidden, ())


class MakingTests(AuthoringCase):
    def test_a_path_of_clicked_legs_and_a_waypoint_dragged_up_to_the_contact(self):
        row = self.scene("Mast foot")
        page = self.page
        page.click('#ledger .row-name:text-is("Halyard pin")')
        self.ways()
        page.keyboard.press("Shift+5")
        self.ways("path")
        page.fill("#way-distance", "40")
        page.click('#ways [data-axis="+X"]')
        page.wait_for_selector("text=1 leg so far")
        self.ways("path")
        page.fill("#way-distance", "about 30")
        page.click('#ways [data-axis="+Z"]')
        page.wait_for_selector("#way-error >> text=is not a number")
        self.expected += 1
        page.fill("#way-distance", "2*15")
        page.click('#ways [data-axis="+Z"]')
        page.wait_for_selector("text=2 legs so far")
        page.click("#make-path")
        self.changed()
        self.assertEqual(self.kept(row).steps[0].motion.waypoints, ((40, 0, 0), (40, 0, 30)))
        knob = page.locator(".bend[data-leg='1'] rect")
        knob.wait_for()
        box = knob.bounding_box()
        self.drag((box["x"] + 7, box["y"] + 7), (box["x"] + 7, box["y"] - 60))
        self.changed()
        (step,) = self.kept(row).steps
        self.assertGreater(step.motion.waypoints[1][2], 30)
        self.assertEqual(step.motion.waypoints[0], (40, 0, 0))
        page.fill("#leg-s1-0", "2*25")
        page.press("#leg-s1-0", "Enter")
        self.changed()
        self.assertEqual(self.kept(row).steps[0].motion.waypoints[0], (50, 0, 0))

    def test_the_end_of_a_straight_step_is_dragged_and_stops(self):
        row = self.scene(
            "Mast foot", axial(("Mast foot/Halyard pin",), RIGHT, 40), axial(("Mast foot/Mast",), (0, 0, -1), 5, "s2")
        )
        page = self.page
        page.click("#head-s1")
        knob = page.locator(".bend rect")
        knob.wait_for()
        box = knob.bounding_box()
        self.drag((box["x"] + 7, box["y"] + 7), (box["x"] + 87, box["y"] + 30))
        self.changed()
        self.assertEqual(self.kept(row).steps[0].motion.distance % 5, 0)
        self.assertGreater(self.kept(row).steps[0].motion.distance, 40)

    def test_a_turn_with_the_ring_and_typed_with_an_advance(self):
        row = self.scene("Mast foot")
        page = self.page
        page.click('#ledger .row-name:text-is("Heel bolt")')
        self.ways()
        page.keyboard.press("Shift+4")
        self.ways("turn")
        self.soon(self.assertIn, "Anticlockwise", lambda: page.inner_text("#ways"))
        knob = page.locator(".turn-ring circle").bounding_box()
        centre = self.spot("Mast foot/Heel bolt", (0.5, 0.5, 0.5))
        start = (knob["x"] + 9, knob["y"] + 9)
        around = [(2 * centre[0] - start[0] + dx, 2 * centre[1] - start[1]) for dx in (0.0,)]
        self.drag(start, (start[0] + 40, start[1] + 60), *around)
        self.changed()
        first = self.kept(row).steps[0]
        self.assertEqual(
            (first.motion.kind, first.motion.angle % 5 == 0, first.motion.angle != 0), ("turn", True, True)
        )
        page.click("#undo")
        self.changed()
        page.click('#ledger .row-name:text-is("Heel bolt")')
        self.ways("turn")
        page.fill("#way-angle", "720")
        page.fill("#way-advance", "3/2")
        page.press("#way-advance", "Tab")
        page.wait_for_selector('.ways-inner[data-advance="1.5"]')
        self.soon(self.assertEqual, lambda: page.input_value("#way-angle"), "720")
        page.press("#way-angle", "Enter")
        self.changed()
        step = self.kept(row).steps[0]
        free = -720  # the other way round it would be screwed into the foot block
        self.assertEqual((step.motion.angle, step.motion.advance, step.motion.axis.direction[1:]), (free, 1.5, (0, 0)))

    def test_outward_from_an_axis_that_is_pointed_at_and_each_direction_is_seen_first(self):
        row = self.scene("Cam cleat")
        page = self.page
        page.click('#ledger .row-name:text-is("Bolt")')
        self.ways()
        page.keyboard.press("Shift+3")
        self.ways("outward")
        self.soon(self.assertEqual, lambda: page.locator(".rail-group").count(), 4)
        page.keyboard.press("Shift+D")
        page.wait_for_selector("#canvas[data-pointing]")
        page.mouse.click(*self.spot("Cam cleat/Bolt#4", (0.5, 0.0, 0.97)))
        page.wait_for_selector("#ways >> text=On the axis")
        self.soon(self.assertEqual, lambda: page.locator(".rail-group").count(), 3)
        page.keyboard.press("Shift+1")
        self.ways("straight")
        page.keyboard.press("Shift+3")
        self.ways("outward")
        page.fill("#way-distance", "30")
        page.press("#way-distance", "Enter")
        self.changed()
        step = self.kept(row).steps[0]
        self.assertEqual((step.motion.kind, step.motion.distance), ("radial", 30))

    def test_a_fan_by_one_drag_and_its_order_changed_on_the_card(self):
        row = self.scene("Friction pack")
        page = self.page
        page.keyboard.press("/")
        page.fill("#search", "disc")
        page.press("#search", "Enter")
        self.ways()
        page.keyboard.press("Shift+2")
        self.ways("fan")
        self.soon(self.assertEqual, lambda: page.locator(".order-mark").count(), 10)
        self.pull_rail("+Z", (0, -120))
        page.mouse.up()
        self.changed()
        step = self.kept(row).steps[0]
        self.assertEqual(
            (len(step.members), step.members[0], step.motion.fan.pitch == step.motion.distance),
            (10, "Friction pack/Disc 1", True),
        )
        page.wait_for_selector("#step-summary >> text=clear")
        self.soon(self.assertEqual, lambda: page.locator(".order-mark").count(), 10)
        first, third = page.locator(".layer .place").nth(0), page.locator(".layer .place").nth(2)
        first.drag_to(third)
        self.changed()
        self.assertNotEqual(self.kept(row).steps[0].members[0], "Friction pack/Disc 1")
        page.wait_for_selector("#step-summary >> text=snag")

    def test_moved_freely_in_a_plane_the_numbers_are_clean_and_the_odd_angle_is_pointed_out(self):
        row = self.scene("Mast foot")
        page = self.page
        page.click("[data-side=top]")
        page.click('#ledger .row-name:text-is("Mast")')
        self.ways()
        knob = page.locator(".grip path").bounding_box()
        self.drag((knob["x"] + 9, knob["y"] + 9), (knob["x"] + 69, knob["y"] - 21))
        self.changed()
        step = self.kept(row).steps[0]
        self.soon(self.assertLess, lambda: max(abs(v / 5 - round(v / 5)) for v in self.offset("Mast foot/Mast")), 1e-6)
        self.soon(self.assertAlmostEqual, lambda: self.offset("Mast foot/Mast")[2], 0)
        self.assertGreater(step.motion.distance, 0)
        self.soon(self.assertIn, "off", lambda: page.inner_text("#card-s1 .odd"))

    def test_pointing_at_a_direction_and_typing_one(self):
        row = self.scene("Mast foot", axial(("Mast foot/Mast",), UP, 100))
        page = self.page
        page.click("#head-s1")
        page.click('#card-s1 [data-point="direction"]')
        page.wait_for_selector("#canvas[data-pointing]")
        page.mouse.move(*self.spot("Mast foot/Foot block", (0.2, 0.0, 0.9)))
        page.wait_for_selector(".pointed text >> text=facing to the front")
        self.assert_accessible()
        page.mouse.click(*self.spot("Mast foot/Foot block", (0.2, 0.0, 0.9)))
        self.changed()
        self.assertEqual(self.kept(row).steps[0].motion.direction, (0, -1, 0))
        self.settled()
        page.click('#card-s1 [data-point="direction"]')
        page.wait_for_selector("#canvas[data-pointing]")
        page.fill("#pointing-typed", "0,3,4")
        page.press("#pointing-typed", "Enter")
        self.changed()
        np.testing.assert_allclose(self.kept(row).steps[0].motion.direction, (0, 0.6, 0.8))
        self.soon(self.assertIn, "36.9° off up", lambda: page.inner_text("#card-s1 .odd"))

    def test_bring_along_and_what_is_held_still(self):
        self.scene("Cam cleat")
        page = self.page
        page.click('#ledger .row-name:text-is("Top plate")')
        self.ways()
        page.keyboard.press("g")
        page.wait_for_function("() => window.pulley.selection.paths().length === 5")
        self.soon(self.assertIn, "Cam cleat/Bolt#4", lambda: self.paths())
        page.click('#ledger .row-name:text-is("Bolt")')
        self.ways()
        page.keyboard.press("l")
        page.wait_for_selector("#canvas[data-still*=Bolt]")
        page.click('#ledger .row-name:text-is("Top plate")')
        self.ways()
        page.keyboard.press("g")
        page.wait_for_selector("#notice >> text=Nothing sits on it")
        self.soon(self.assertEqual, lambda: self.paths(), ["Cam cleat/Top plate"])

    def test_the_same_for_matches_all_or_some(self):
        row = self.scene("Roller")
        page = self.page
        page.click('[aria-label="Show what is in Cap pin, right"]')
        page.click('#ledger .row-name:text-is("1 Cap pin, right")')
        self.ways()
        page.click("#ways .way")
        self.changed()
        page.wait_for_selector("text=1 more can do the same")
        page.hover("#same-for-matches")
        lit = "[...window.pulley.stage.lit]"
        self.soon(self.assertEqual, lambda: page.evaluate(lit), ["Roller/Cap pin, left"])
        page.evaluate("document.body.dispatchEvent(new Event('teardown-changed'))")  # an answer comes meanwhile
        self.assertEqual(page.evaluate(lit), ["Roller/Cap pin, left"])
        page.mouse.move(640, 300)
        self.soon(self.assertEqual, lambda: page.evaluate(lit), ["Roller/Cap pin, right"])
        page.keyboard.press("m")
        self.changed()
        moved = {member for step in self.kept(row).steps for member in step.members}
        self.assertEqual(moved, {"Roller/Cap pin, right", "Roller/Cap pin, left"})

    def test_placed_on_something_and_put_back(self):
        row = self.scene("Mast foot")
        page = self.page
        page.click('#ledger .row-name:text-is("Fore plug")')
        self.ways()
        page.keyboard.press("Shift+P")
        page.wait_for_selector("#canvas[data-pointing]")
        page.mouse.click(*self.spot("Mast foot/Fore plug", (0.5, 0.0, 0.5)))
        page.wait_for_selector("#pointing >> text=where it belongs")
        page.mouse.click(*self.spot("Mast foot/Foot block", (0.2, 0.1, 1.0)))
        self.changed()
        (placed,) = self.kept(row).placed
        self.assertEqual(placed.component, "Mast foot/Fore plug")
        self.soon(self.assertGreater, lambda: np.abs(self.displacement("Mast foot/Fore plug") - np.eye(4)).max(), 1)
        page.click('#ledger .row-name:text-is("Fore plug")')
        self.ways()
        page.click("text=Put back")
        self.changed()
        self.assertEqual(self.kept(row).placed, ())
        np.testing.assert_allclose(self.displacement("Mast foot/Fore plug"), np.eye(4), atol=1e-9)

    def test_units_arithmetic_and_the_snapping_pitch(self):
        row = self.scene("Mast foot")
        page = self.page
        page.click("#settings summary")
        page.select_option("#unit-wanted", "in")
        page.wait_for_selector('#page-state [name=unit][value="in"]', state="attached")
        page.click('#ledger .row-name:text-is("Mast")')
        self.ways()
        page.keyboard.press("3")
        self.soon(self.assertEqual, lambda: page.input_value("#way-distance"), "3")
        page.keyboard.type("/8*10")
        page.keyboard.press("Enter")
        self.changed()
        self.assertAlmostEqual(self.kept(row).steps[0].motion.distance, 95.25)
        self.soon(self.assertEqual, lambda: page.input_value("#quick-s1"), "3.75")
        self.soon(self.assertIn, "in", lambda: page.inner_text("#card-s1 .card-line"))
        page.click("#settings summary")
        page.select_option("#unit-wanted", "cm")
        page.wait_for_selector('#page-state [name=unit][value="cm"]', state="attached")
        page.click('#ledger .row-name:text-is("Halyard pin")')
        self.ways()
        page.fill("#way-distance", "2*3, 0, 1/2")
        page.press("#way-distance", "Enter")
        self.changed()
        self.soon(self.assertEqual, lambda: self.offset("Mast foot/Halyard pin"), [60, 0, 5])
        page.click("#settings summary")
        page.select_option("#unit-wanted", "mm")
        page.wait_for_selector('#page-state [name=unit][value="mm"]', state="attached")


class CorrectingTests(AuthoringCase):
    def plan(self) -> Teardown:
        names = ("Bolt", "Top plate", "Cam", "Cam#2")
        return self.scene(
            "Cam cleat", *(axial((f"Cam cleat/{n}",), UP, 80.0 - 10 * k, f"s{k + 1}") for k, n in enumerate(names))
        )

    def choose(self, *ids: str):
        for id in ids:
            self.page.click(f"#head-{id}", modifiers=["Control"])

    def test_several_at_once(self):
        row = self.plan()
        page = self.page
        self.choose("s1", "s2", "s4")
        page.wait_for_selector("#several >> text=3 steps")
        self.assert_accessible()
        page.fill("#several-same", "45")
        page.press("#several-same", "Enter")
        self.changed()
        self.assertEqual([s.motion.distance for s in self.kept(row).steps], [45, 45, 60, 45])
        page.fill("#several-scale", "2")
        page.press("#several-scale", "Enter")
        self.changed()
        page.fill("#several-farther", "-10")
        page.press("#several-farther", "Enter")
        self.changed()
        self.assertEqual([s.motion.distance for s in self.kept(row).steps], [80, 80, 60, 80])
        page.click('#several [data-several="off"]')
        self.changed()
        self.assertEqual([s.off for s in self.kept(row).steps], [True, True, False, True])
        page.click('#several [data-several="off"]')
        self.changed()
        page.click('#several [data-several="merge"]')
        self.changed()
        self.assertEqual(
            [s.members for s in self.kept(row).steps][0], ("Cam cleat/Bolt", "Cam cleat/Top plate", "Cam cleat/Cam#2")
        )
        page.click("#split-s1")
        self.changed()
        self.assertEqual(len(self.kept(row).steps), 4)

    def test_cards_are_dragged_and_moved_by_keys(self):
        row = self.plan()
        page = self.page
        self.settled()
        first, third = (page.locator(f"#head-s{k}").bounding_box() for k in (1, 3))
        start = (first["x"] + 40, first["y"] + 10)
        self.drag(start, (start[0], start[1] + 20), (third["x"] + 40, third["y"] + third["height"] + 22))
        page.wait_for_selector("#notice >> text=In that order")  # the bolt would run into what it is under
        self.expected += 1
        page.wait_for_function("() => document.querySelector('.step-card').dataset.step === 's1'")
        page.click("text=Do it all the same")
        self.changed()
        order = [step.id for step in self.kept(row).steps]
        self.assertNotEqual(order[0], "s1")
        self.soon(
            self.assertEqual,
            order,
            lambda: page.eval_on_selector_all(".step-card", "cards => cards.map(card => card.dataset.step)"),
        )
        page.click("#head-s1")
        page.wait_for_selector("#card-s1.open")
        page.keyboard.press("Alt+ArrowUp")
        self.changed()
        place = order.index("s1")
        self.assertEqual([s.id for s in self.kept(row).steps].index("s1"), place - 1)
        page.keyboard.press("x")
        self.changed()
        page.keyboard.press("d")
        self.changed()
        self.assertEqual(len(self.kept(row).steps), 5)

    def test_members_marks_and_notes_on_the_card(self):
        row = self.plan()
        page = self.page
        page.click("#head-s1")
        page.wait_for_selector("#card-s1.open")
        page.click('[aria-label="Show what is in Bolt"]')
        page.click('#ledger .row-name:text-is("2 Bolt#2")')
        self.ways()
        page.keyboard.press("Shift+A")
        self.changed()
        self.assertEqual(len(self.kept(row).steps[0].members), 2)
        page.select_option("#mark-s1", "sea")
        self.changed()
        page.fill("#note-s1", "Left-hand thread")
        page.press("#note-s1", "Tab")
        self.changed()
        step = self.kept(row).steps[0]
        self.assertEqual((step.colour, step.note), ("sea", "Left-hand thread"))
        self.assert_accessible()

    def test_every_step_of_a_component_and_sent_home(self):
        row = self.plan()
        page = self.page
        page.click('#ledger .row-name:text-is("Top plate")')
        self.ways()
        self.soon(self.assertEqual, lambda: page.inner_text(".ways-movers"), "Moved by 2")
        page.keyboard.press("Shift+O")
        self.changed()
        self.assertEqual(self.kept(row).home, ("Cam cleat/Top plate",))
        self.soon(self.assertEqual, lambda: self.offset("Cam cleat/Top plate"), [0, 0, 0])
        page.click('#ledger .row-name:text-is("Top plate")')
        self.ways()
        page.click(".ways-movers [data-open=s2]")
        page.wait_for_selector("#card-s2.open")

    def test_the_table_like_a_spreadsheet(self):
        row = self.plan()
        page = self.page
        page.keyboard.press("Shift+T")
        field = 'tr[data-step="s1"] [data-column="distance"]'
        page.fill(field, "2*60")
        page.press(field, "Enter")
        self.changed()
        page.wait_for_selector(f'{field}[value="120"]')
        self.assert_accessible()
        page.evaluate(
            """selector => {
                const data = new DataTransfer();
                data.setData('text', '50\\n50\\n50\\n50');
                const paste = new ClipboardEvent('paste', { clipboardData: data, bubbles: true, cancelable: true });
                document.querySelector(selector).dispatchEvent(paste);
            }""",
            field,
        )
        self.changed()
        self.assertEqual([s.motion.distance for s in self.kept(row).steps], [50] * 4)
        page.fill(field, "-3")
        page.press(field, "Enter")
        page.wait_for_selector("#table-error >> text=Row 1, distance")
        self.expected = 1

    def held_table(self, text: str):
        """Type a distance of 120 mm into the table; it is drawn anew only by calling what this returns."""
        page, held = self.page, []
        page.keyboard.press("Shift+T")
        page.wait_for_selector("#cell-s1-distance")
        page.route("**/table**", lambda route: held.append(route))
        page.fill("#cell-s1-distance", text)
        page.press("#cell-s1-distance", "Enter")
        self.changed()

        def draw():
            self.soon(self.assertTrue, lambda: held)
            held[0].continue_()
            page.wait_for_selector("#cell-s1-distance[value='120']")
            page.unroute("**/table**")

        return draw

    def test_what_is_typed_while_the_table_is_drawn_anew_stays(self):
        row = self.plan()
        page = self.page
        draw = self.held_table("120")
        page.wait_for_selector("#cell-s2-distance:focus")
        page.keyboard.type("33")
        draw()
        self.assertEqual(page.input_value("#cell-s2-distance:focus"), "33")
        page.keyboard.press("Enter")
        self.changed()
        self.assertEqual([s.motion.distance for s in self.kept(row).steps], [120, 33, 60, 50])

    def test_a_cell_that_one_returns_to_shows_what_came_of_it(self):
        self.plan()
        page = self.page
        draw = self.held_table("100+20")
        page.press("#cell-s2-distance", "ArrowUp")
        page.wait_for_selector("#cell-s1-distance:focus")
        draw()
        self.soon(self.assertEqual, lambda: page.input_value("#cell-s1-distance:focus"), "120")

    def test_next_to_another_in_the_stack(self):
        row = self.scene("Cam cleat", axial(("Cam cleat/Top plate",), UP, 120), axial(("Cam cleat/Cam",), UP, 60, "s2"))
        page = self.page
        page.click('[aria-label="Show what is in Cam"]')
        page.click('#ledger .row-name:text-is("1 Cam")')
        self.ways()
        page.keyboard.press("f")
        page.keyboard.press("Shift+ArrowUp")
        page.wait_for_selector("#canvas[data-pointing]")
        page.mouse.click(*self.spot("Cam cleat/Top plate", (0.5, 0.5, 1.0)))
        self.changed()
        cam, plate = (f"Cam cleat/{name}" for name in ("Cam", "Top plate"))
        self.soon(self.assertGreater, lambda: self.offset(cam)[2], lambda: self.offset(plate)[2])
        self.assertEqual([s.id for s in self.kept(row).steps], ["s2", "s1"])

    def test_a_snag_and_its_remedy_as_a_button(self):
        row = self.scene(
            "Cam cleat",
            axial(("Cam cleat/Top plate",), UP, 60),
            axial(tuple(f"Cam cleat/Bolt{n}" for n in ("", "#2", "#3", "#4")), UP, 100, "s2"),
        )
        page = self.page
        page.wait_for_selector("#step-summary >> text=snag")
        page.click("#head-s1")
        page.click(".remedy >> text=Play")
        self.changed()
        page.wait_for_selector("#step-summary >> text=clear")
        self.assertEqual([s.id for s in self.kept(row).steps], ["s2", "s1"])


class JudgingTests(AuthoringCase):
    def test_the_tolerance_and_what_gives(self):
        row = self.scene("Mast foot", axial(("Mast foot/Mast",), UP, 100))
        page = self.page
        page.wait_for_selector("#step-summary >> text=clear at 0.1 mm")
        page.click("#settings summary")
        page.fill("#tolerance-wanted", "30")
        page.press("#tolerance-wanted", "Enter")
        page.wait_for_selector("#settings-error >> text=between 0.001 and 10 mm")
        self.expected = 1
        self.assert_accessible()
        page.fill("#tolerance-wanted", "0.05")
        page.press("#tolerance-wanted", "Enter")
        self.changed()
        page.wait_for_selector("#step-summary >> text=clear at 0.05 mm")
        page.keyboard.press("Escape")
        page.click('#ledger .row-name:text-is("Aft plug")')
        self.ways()
        self.soon(self.assertIn, "Tolerance 0.05 mm", lambda: page.inner_text("#ways"))
        page.fill("#way-give", "0.4")
        page.press("#way-give", "Enter")
        self.changed()
        self.assertEqual(self.kept(row).gives, ({"component": "Mast foot/Aft plug", "by": 0.4},))
        self.assertEqual(self.kept(row).tolerance, 0.05)
        page.click("#undo")
        self.changed()
        self.assertEqual(self.kept(row).gives, ())


class NothingLostTests(AuthoringCase):
    def test_history_is_looked_at_and_gone_on_from(self):
        row = self.scene("Mast foot")
        page = self.page
        for name in ("Mast", "Aft plug"):
            page.click(f'#ledger .row-name:text-is("{name}")')
            self.ways()
            page.click("#ways .way")
            self.changed()
        page.reload()
        self.ready()
        page.keyboard.press("y")
        page.click(".entry >> text=Mast up")
        page.wait_for_selector(".looking")
        self.soon(self.assertEqual, lambda: page.inner_text("#step-summary").split("\n")[0], "1 step, 1 moved, 5 not")
        self.soon(self.assertEqual, lambda: self.offset("Mast foot/Aft plug"), [0, 0, 0])
        self.assert_accessible()
        page.click("#to-latest")
        page.wait_for_selector("#step-summary >> text=2 steps")
        page.keyboard.press("y")
        page.click(".entry >> text=Mast up")
        page.wait_for_selector(".looking")
        page.click("text=Go on from here")
        self.changed()
        self.assertEqual(len(self.kept(row).steps), 1)
        page.click("#redo")
        self.changed()
        self.assertEqual(len(self.kept(row).steps), 2)

    def test_two_people_at_once(self):
        row = self.scene("Mast foot", axial(("Mast foot/Mast",), UP, 100))
        page = self.page
        services.edit(
            row, 0, lambda t, a: services.Changed(replace(t, steps=(changed(t.steps[0], distance=77.0),)), "elsewhere")
        )
        page.click('#ledger .row-name:text-is("Aft plug")')
        self.ways()
        page.click("#ways .way")
        page.wait_for_selector("#notice >> text=77 mm")
        self.expected = 1
        self.changed()
        self.assert_accessible()
        self.assertEqual([s.motion.distance for s in self.kept(row).steps], [77])
        page.click("text=Do mine on top of it")
        self.changed()
        self.assertEqual([s.members[0].rpartition("/")[2] for s in self.kept(row).steps], ["Mast", "Aft plug"])

    def test_a_check_that_answers_late_takes_nothing_back(self):
        """What it found was found before a distance was changed and a card was closed."""
        row = self.scene("Mast foot")
        page, late = self.page, []

        def hold_the_first(route):
            if late:
                route.continue_()
            else:
                late.append((route, route.fetch()))

        page.route("**/verdict?*", hold_the_first)
        page.click('#ledger .row-name:text-is("Mast")')
        self.ways()
        page.click("#ways .way")
        self.changed()
        self.wait_until(lambda: page.evaluate("1") and late, 20)
        page.fill("#distance-s1", "45")
        page.press("#distance-s1", "Enter")
        self.changed()
        page.click("#head-s1")
        page.wait_for_selector("#card-s1:not(.open)")
        ((route, answer),) = late
        route.fulfill(response=answer)
        page.wait_for_selector("#step-summary >> text=clear")
        self.soon(self.assertEqual, lambda: page.get_attribute("#canvas", "data-revision"), "2")
        self.soon(self.assertEqual, lambda: page.locator("#card-s1.open").count(), 0)
        page.click("#trails")
        self.changed()
        self.assertEqual(self.kept(row).steps[0].motion.distance, 45)

    def test_a_connection_that_drops_in_the_middle_of_a_drag(self):
        row = self.scene("Mast foot")
        page = self.page
        page.click('#ledger .row-name:text-is("Mast")')
        self.ways()
        self.pull_rail("+Z", (0, -60))
        page.route("**/edit/**", lambda route: route.abort())
        page.mouse.up()
        page.wait_for_selector("#kept >> text=1 change is not kept")
        self.assertEqual(self.kept(row).steps, ())
        page.unroute("**/edit/**")
        self.changed()
        self.assertEqual(self.kept(row).steps[0].members, ("Mast foot/Mast",))
        self.complaints = [text for text in self.complaints if "htmx:" not in text]

    def test_half_made_steps_are_left_without_harm(self):
        row = self.scene("Mast foot", axial(("Mast foot/Mast",), UP, 100))
        page = self.page
        for leave in ("Escape", "e", "q", "c", "/", "y"):
            page.click('#ledger .row-name:text-is("Aft plug")')
            page.wait_for_selector("#canvas[data-ways=shown]")
            page.keyboard.press("Shift+5")
            self.ways("path")
            page.click("#ways .way")
            page.wait_for_selector("text=1 leg so far")
            page.keyboard.press(leave)
            page.keyboard.press("Escape")
            page.evaluate("document.activeElement.blur()")
            page.keyboard.press("Escape")
            page.keyboard.press("Escape")
        self.assertEqual(len(self.kept(row).steps), 1)
        self.assertEqual(Teardown.objects.get(pk=row.pk).revision, 0)


class PosesAndHelpTests(AuthoringCase):
    def test_poses_and_one_key_for_exploded_or_assembled(self):
        row = self.scene(
            "Mast foot", axial(("Mast foot/Mast",), UP, 100), axial(("Mast foot/Aft plug",), (0, 1, 0), 60, "s2")
        )
        page = self.page
        page.keyboard.press("q")
        self.soon(self.assertEqual, lambda: self.offset("Mast foot/Mast"), [0, 0, 0])
        page.evaluate("window.pulley.player.seek(2.25, false)")
        page.keyboard.press("Shift+V")
        self.changed()
        self.assertEqual(self.kept(row).poses, (core.KeptPose("p1", "Pose 1", "s2", 0.5),))
        page.keyboard.press("q")
        self.open_menu("views")
        page.click("[data-pose=p1]")
        self.soon(self.assertEqual, lambda: page.get_attribute("#canvas", "data-time"), "2.250")
        np.testing.assert_allclose(self.offset("Mast foot/Aft plug"), (0, 30, 0), atol=1e-6)

    def test_the_list_of_commands_and_hints(self):
        self.scene("Mast foot", axial(("Mast foot/Mast",), UP, 100))
        page = self.page
        page.keyboard.press("?")
        page.wait_for_selector("#commands input:focus")
        self.assert_accessible()
        self.soon(self.assertGreater, lambda: page.locator(".command").count(), 45)
        page.keyboard.type("assembled")
        page.keyboard.press("Enter")
        self.soon(self.assertEqual, lambda: self.offset("Mast foot/Mast"), [0, 0, 0])
        page.hover("#head-s1")
        self.soon(self.assertIn, "Alt and the arrow keys", lambda: page.inner_text("#hint"))
        page.keyboard.press("Shift+K")
        page.wait_for_selector("#hint", state="hidden")
        page.keyboard.press("Shift+K")
        page.wait_for_selector("#hint", state="visible")

    def test_the_guide_watches_can_be_left_and_goes_on(self):
        self.scene("Cam cleat")
        page = self.page
        page.keyboard.press("Shift+G")
        page.wait_for_selector("#guide >> text=of 5")
        while page.inner_text(".guide-count") != "2 of 5":
            page.click("#guide-skip")
        page.click('#ledger .row-name:text-is("Bolt")')
        page.wait_for_selector("#guide >> text=3 of 5")
        self.assert_accessible()
        page.click("#guide-leave")
        page.wait_for_selector("#guide", state="hidden")
        page.keyboard.press("Shift+G")
        page.wait_for_selector("#guide >> text=3 of 5")

    def test_side_by_side(self):
        row = self.scene("Mast foot", axial(("Mast foot/Mast",), UP, 100))
        drawn = core.Look("lines", paper=True)
        other = services.create(row.assembly, core.Teardown("Other", (axial(("Mast foot/Mast",), UP, 60),), look=drawn))
        self.page.goto(f"{self.live_server_url}/teardowns/{row.pk}/beside/{other.pk}")
        self.page.wait_for_selector(".beside-canvas[data-ready] >> nth=1")
        self.soon(self.assertIn, "is now 1 component up, 60 mm", lambda: self.page.inner_text(".beside"))
        boxes = self.page.locator(".beside-canvas")
        self.assertEqual([boxes.nth(k).get_attribute("data-display") for k in (0, 1)], ["edges", "lines"])
        left, right = self.page.evaluate("window.pulley.scenes.map(({ stage }) => stage.view())")
        self.assertEqual(left, right)
        self.page.evaluate("window.pulley.scenes[0].stage.setScale(3)")
        views = "window.pulley.scenes.map(({ stage }) => stage.view().eye.map(Math.round).join())"
        self.soon(self.assertEqual, lambda: len(set(self.page.evaluate(views))), 1)
        self.assert_accessible()

    def test_names_in_any_script_and_direction(self):
        self.scene("Mast foot", replace(axial(("Mast foot/Mast",), UP, 100), label="الصاري 桅杆 мачта"))
        self.soon(self.assertEqual, lambda: self.page.locator("#card-s1 .card-label").get_attribute("dir"), "auto")
        self.page.click("#head-s1")
        self.page.wait_for_selector("#card-s1.open")
        self.soon(self.assertEqual, lambda: self.page.input_value("#label-s1"), "الصاري 桅杆 мачта")


class EffortTests(AuthoringCase):
    """The jobs of the effort table, done and counted as the benchmark does."""

    def test_every_job_within_its_actions(self):
        for title, (scene, job, most) in effort.JOBS.items():
            with self.subTest(title):
                if job is effort.wrong_way:
                    self.wrong()
                else:
                    self.scene(scene)
                self.assertLessEqual(effort.do(self.page, job).total, most)

    def wrong(self):
        assembly = self.brought_in(WINCH)
        self.open(services.create(assembly, teardown_json.loads(WINCH_WRONG.read_bytes())))


class ManyStepsTests(AuthoringCase):
    def test_five_hundred_steps(self):
        members = [f"Friction pack/Disc {k % 10 + 1}" for k in range(500)]
        row = self.scene("Friction pack", *(axial((m,), UP, 5.0, f"s{k}") for k, m in enumerate(members)))
        page = self.page
        self.soon(self.assertEqual, lambda: page.locator(".step-card").count(), 500)
        page.click("#head-s499")
        page.wait_for_selector("#card-s499.open")
        page.fill("#label-s499", "The last")
        page.press("#label-s499", "Enter")
        self.changed()
        self.assertEqual(self.kept(row).steps[499].label, "The last")
        self.soon(
            self.assertEqual, lambda: len(json.loads(page.get_attribute("#state", "data-json"))["score"]["steps"]), 500
        )
