"""The editor's room and what is under the hand there: where things stand, focus, what stays in view, first ways."""

import numpy as np

from pulley.core import teardown as core
from pulley.core.motion import Axial
from pulley.web.accounts.models import Preferences
from pulley.web.editor import persistence, services
from pulley.web.editor.models import Teardown
from tests.browser.base import BrowserCase
from tests.scenes import AS1, DEMO, RIGHT, ROOT, UP, axial

ROD = "as1/rod-assembly_1/rod_1"
BOLT = "as1/l-bracket-assembly_1/nut-bolt-assembly_1/bolt_1"
SIZES = ((1024, 700), (1280, 800), (1920, 1080), (3840, 2160))
# what is seen at points of a grid over where the model is
COVERED = """() => {
    const { stage } = window.pulley;
    const box = document.querySelector('#canvas').getBoundingClientRect();
    const spots = stage.corners().map((corner) => stage.project(corner));
    const [x0, x1] = [Math.min(...spots.map((s) => s.x)), Math.max(...spots.map((s) => s.x))];
    const [y0, y1] = [Math.min(...spots.map((s) => s.y)), Math.max(...spots.map((s) => s.y))];
    const found = new Set();
    for (let i = 1; i < 20; i += 1) for (let j = 1; j < 20; j += 1) {
        const at = document.elementFromPoint(box.left + x0 + (x1 - x0) * i / 20, box.top + y0 + (y1 - y0) * j / 20);
        if (at && !at.closest('#drawing, #overlay') && at.id !== 'canvas') found.add(at.id || at.className);
    }
    return [...found];
}"""
# pairs of things to be pressed in the header and the foot that lie on one another, and what sticks out
CROWDED = """() => {
    const pressed = '.top .btn, .top a, .top input, .bottom .btn, .left-tools .btn, .tools .tool';
    const shown = [...document.querySelectorAll(pressed)]
        .filter((each) => each.offsetParent && !each.closest('.menu-sheet'));
    const boxes = shown.map((each) => [each, each.getBoundingClientRect()]);
    const found = [];
    for (const [a, p] of boxes) {
        if (p.right > innerWidth + 0.5 || p.left < -0.5) found.push(`${a.textContent.trim()} sticks out`);
        for (const [b, q] of boxes) {
            if (a === b || a.contains(b) || b.contains(a)) continue;
            const wide = Math.min(p.right, q.right) - Math.max(p.left, q.left);
            const tall = Math.min(p.bottom, q.bottom) - Math.max(p.top, q.top);
            if (wide > 1 && tall > 1) found.push(`${a.textContent.trim()} on ${b.textContent.trim()}`);
        }
    }
    return found;
}"""
PLACES = """() => [...document.querySelectorAll('.left button, .left input, .left summary, .tools > *, .bottom .btn')]
    .filter((each) => each.offsetParent && each.id).map((each) => {
        const { x, y, width, height } = each.getBoundingClientRect();
        return [each.id, ...[x, y, width, height].map(Math.round)];
    })"""


# pixels by which the header's buttons of changes reach out of their place, over or under their neighbours
CUT = "(({ scrollWidth, clientWidth }) => scrollWidth - clientWidth)(document.querySelector('#history'))"


class RoomCase(BrowserCase):
    room = "{}"

    def setUp(self):
        super().setUp()
        self.page.goto(f"{self.live_server_url}/alive")
        self.page.evaluate("localStorage.clear()")  # as if nobody had been here

    def kept(self, row: Teardown) -> core.Teardown:
        row.refresh_from_db()
        return persistence.load(row)

    def brought(self, file, name: str) -> Teardown:
        """An editor on a new teardown of a file."""
        row = services.create(self.brought_in(file), core.Teardown(name))
        self.page.goto(f"{self.live_server_url}/teardowns/{row.pk}/")
        self.ready()
        self.revision = 0
        return row

    def pick(self, path: str):
        """Click a component where it can be seen: the first place on its bounds' middle line that shows it."""
        at = self.page.evaluate(
            """path => {
            const { stage } = window.pulley;
            const place = document.querySelector('#drawing').getBoundingClientRect();
            const { min, max } = stage.bounds([path]);
            for (let k = 0; k < 400; k += 1) {
                const spot = min.clone();
                for (const [axis, pace] of [['x', 1.3], ['y', 2.1], ['z', 3.7]]) {
                    spot[axis] += (max[axis] - min[axis]) * (0.5 + 0.49 * Math.sin(k * pace));
                }
                const { x, y } = stage.project(spot);
                const event = { clientX: place.left + x, clientY: place.top + y };
                const top = document.elementFromPoint(event.clientX, event.clientY);
                if (stage.pick(event)[0] === path && top?.closest('#canvas')) return [event.clientX, event.clientY];
            }
            return null;
        }""",
            path,
        )
        self.page.mouse.click(*at)
        return at


class RoomTests(RoomCase):
    def test_the_model_has_two_thirds_of_every_window_and_nothing_lies_on_it(self):
        row = services.create(self.as1(), core.Teardown("Plan", (axial((ROD,), RIGHT, 205),)))
        for size in SIZES:
            with self.subTest(size=size):
                self.page.set_viewport_size({"width": size[0], "height": size[1]})
                self.page.goto(f"{self.live_server_url}/teardowns/{row.pk}/")
                self.ready()
                box = self.page.locator("#drawing").bounding_box()
                self.assertGreaterEqual(box["width"] * box["height"] / (size[0] * size[1]), 0.65)
                self.page.click("#fit")
                self.soon(self.assertEqual, lambda: self.page.evaluate(COVERED), [])
                self.assertEqual(self.page.evaluate(CROWDED), [])
                self.assertLessEqual(self.page.evaluate("document.documentElement.scrollWidth"), size[0])
                self.assertLessEqual(self.page.evaluate(CUT), 1)

    def test_the_column_comes_with_a_selection_moves_nothing_and_goes_to_the_other_edge(self):
        self.open_editor(axial((ROD,), RIGHT, 205))
        page = self.page
        self.soon(self.assertFalse, lambda: page.is_visible("#side"))
        where = f"(() => {{ const s = window.pulley.stage; return s.project(s.bounds(['{BOLT}']).min); }})()"
        before = page.evaluate(where)
        self.pick(BOLT)
        page.wait_for_selector("#canvas[data-ways=shown]")
        self.soon(self.assertTrue, lambda: page.is_visible("#ways"))
        after = page.evaluate(where)
        self.assertAlmostEqual(before["x"], after["x"], places=6)
        self.assertEqual(page.evaluate(COVERED), [])  # fitted clear of where the column comes
        page.keyboard.press("Escape")
        page.wait_for_selector("#side", state="hidden")
        page.click("#side-open")
        page.click("#side-over")
        canvas, side = (page.locator(each).bounding_box() for each in ("#canvas", "#side"))
        self.assertAlmostEqual(canvas["x"], side["x"], delta=1)
        page.reload()
        self.ready()
        self.soon(self.assertTrue, lambda: page.is_visible("#side"))
        self.assertAlmostEqual(page.locator("#side").bounding_box()["x"], side["x"], delta=1)
        head = page.locator(".side-head h2").bounding_box()
        page.mouse.move(head["x"] + 8, head["y"] + 8)
        page.mouse.down()
        page.mouse.move(head["x"] + 300, head["y"] + 8, steps=4)
        page.mouse.up()
        self.soon(self.assertGreater, lambda: page.locator("#side").bounding_box()["x"], side["x"] + 300)

    def test_hints_and_what_a_task_waits_for_stand_in_the_status_line(self):
        self.open_editor(axial((ROD,), RIGHT, 205))
        page = self.page
        status, canvas = (page.locator(each).bounding_box() for each in (".status", "#canvas"))
        self.assertGreaterEqual(status["y"], canvas["y"] + canvas["height"] - 1)
        page.hover("#fit")
        self.soon(self.assertIn, "Fit all", lambda: page.inner_text("#hint"))
        page.keyboard.press("Shift+M")
        page.wait_for_selector(".status .pointing .prompt >> text=Measure from")
        self.assertEqual(page.locator("#canvas .pointing").count(), 0)
        self.assert_accessible()

    def test_the_run_chart_is_a_line_that_opens_and_steps_fold_to_pictures(self):
        self.open_editor(axial((ROD,), RIGHT, 205), axial((BOLT,), UP, 100, "s2"))
        page = self.page
        self.assertLess(page.locator("#bottom").bounding_box()["height"], 50)
        self.soon(self.assertEqual, lambda: page.locator(".slim-bar").count(), 2)
        self.soon(self.assertFalse, lambda: page.is_visible(".bar"))
        page.click("#chart-open")
        page.wait_for_selector(".bar >> nth=0")
        page.click("#fold-left")
        self.soon(self.assertLess, lambda: page.locator("#left").bounding_box()["width"], 70)
        page.reload()
        self.ready()
        self.soon(self.assertTrue, lambda: page.is_visible(".bar >> nth=0"))
        self.soon(self.assertLess, lambda: page.locator("#left").bounding_box()["width"], 70)
        page.click("#card-s2 .card-picture", force=True)
        page.wait_for_selector("#card-s2.open")
        self.soon(self.assertGreater, lambda: page.locator("#left").bounding_box()["width"], 200)

    def test_topics_of_a_card_stay_as_they_were_left(self):
        self.open_editor(axial((ROD,), RIGHT, 205), axial((BOLT,), UP, 100, "s2"))
        page = self.page
        page.click("#head-s1")
        page.wait_for_selector("#card-s1.open")
        self.assertFalse(page.is_visible("#duration-s1"))
        page.click("#card-s1 [data-topic=time] summary")
        page.wait_for_selector("#duration-s1")
        page.click("#head-s2")
        page.wait_for_selector("#duration-s2")
        self.assertFalse(page.is_visible("#note-s2"))

    def test_in_dark_the_canvas_and_the_pictures_are_dark_too(self):
        self.page.emulate_media(color_scheme="dark")
        row = services.create(self.as1(), core.Teardown("Plan", (axial((ROD,), RIGHT, 205),)))
        self.page.goto(f"{self.live_server_url}/teardowns/{row.pk}/")
        self.ready()
        self.page.wait_for_selector(".left[data-pictures=drawn]", state="attached")
        pixels = self.pixels(self.page.locator("#drawing"))
        self.assertLess(np.median(pixels), 90)
        self.assertLess(np.percentile(self.pixels(self.page.locator(".card-picture img").first), 50), 140)
        self.assert_accessible()

    def test_a_check_that_answers_moves_nothing_that_can_be_pressed(self):
        self.open_editor(axial((BOLT,), UP, 20), axial((ROD,), RIGHT, 205, "s2"))
        page = self.page
        page.click("#head-s1")
        page.wait_for_selector("#card-s1.open")
        self.settled()
        held = []
        page.route("**/verdict*", lambda route: held.append(route))
        page.fill("#distance-s1", "90")  # into the rod
        page.press("#distance-s1", "Enter")
        self.changed()
        page.wait_for_selector("#step-summary >> text=checking")
        page.wait_for_selector("#card-s1 .offered:has-text('No other'), #card-s1 #same-for-matches")
        before = page.evaluate(PLACES)
        self.soon(self.assertTrue, lambda: bool(held))
        for route in held:
            route.continue_()
        page.unroute("**/verdict*")
        page.wait_for_selector("#card-s1 .found summary >> text=meets")
        self.assertEqual(page.evaluate(PLACES), before)
        page.click("#card-s1 .found summary")
        page.wait_for_selector(".remedy")


class HandTests(RoomCase):
    def test_everything_that_has_the_keyboard_shows_it(self):
        self.open_editor(axial((ROD,), RIGHT, 205))
        page = self.page
        page.keyboard.press("Tab")
        seen, bare = set(), []
        for _ in range(60):
            page.keyboard.press("Tab")
            name, style = page.evaluate(
                "() => { const at = document.activeElement; const name = at.id || at.getAttribute('class'); "
                "return [at === document.body ? 'BODY' : name, getComputedStyle(at).outlineStyle]; }"
            )
            seen.add(name)
            if name != "BODY" and style == "none" and "range" not in name:
                bare.append(name)
        self.assertEqual(bare, [])
        self.assertGreater(len(seen), 15)

    def test_enter_hands_the_keyboard_back_to_the_work(self):
        row = self.open_editor(axial((ROD,), RIGHT, 205))
        page = self.page
        page.fill("#quick-s1", "155")
        page.press("#quick-s1", "Enter")
        self.changed()
        self.soon(self.assertEqual, lambda: page.evaluate("document.activeElement.id"), "canvas")
        page.evaluate("window.pulley.stage.setScale(1)")
        page.keyboard.press("f")  # fits, and is typed nowhere
        self.soon(self.assertNotEqual, lambda: round(page.evaluate("window.pulley.stage.scale()"), 3), 1.0)
        self.soon(self.assertEqual, lambda: page.input_value("#quick-s1"), "155")
        self.assertEqual(self.kept(row).steps[0].motion.distance, 155)

    def test_alt_and_the_arrows_move_the_card_that_has_the_keyboard(self):
        row = self.open_editor(axial((ROD,), RIGHT, 205), axial((BOLT,), UP, 20, "s2"))
        page = self.page
        page.focus("#head-s2")
        page.keyboard.press("Alt+ArrowUp")
        self.changed()
        self.soon(self.assertEqual, lambda: [s.id for s in self.kept(row).steps], ["s2", "s1"])
        page.wait_for_function("() => document.activeElement.id === 'head-s2'")

    def test_what_moved_is_in_view_unless_that_is_switched_off(self):
        row = self.open_editor()
        page = self.page
        page.click("#fit")
        self.settled()
        seen = "window.pulley.stage.seesAll(window.pulley.stage.corners())"
        for wanted in (True, False):
            if not wanted:
                page.keyboard.press("Shift+Y")
            self.pick(ROD if wanted else BOLT)
            page.wait_for_selector("#canvas[data-ways=shown]")
            page.keyboard.press("7")
            page.keyboard.type("00")
            page.keyboard.press("Enter")
            self.changed()
            if wanted:
                self.soon(self.assertTrue, lambda: page.evaluate(seen))
            else:
                page.wait_for_selector("#step-summary >> text=2 steps")
                self.soon(self.assertFalse, lambda: page.evaluate(seen))
        self.assertEqual(len(self.kept(row).steps), 2)

    def test_a_saved_view_keeps_what_it_framed_in_windows_of_other_shapes(self):
        row = self.open_editor(axial((ROD,), RIGHT, 205))
        page = self.page
        page.click("[data-side=front]")
        page.keyboard.press("v")
        self.changed()
        (camera,) = self.kept(row).cameras
        extent = """() => { const s = window.pulley.stage; const p = s.corners().map((c) => s.project(c));
            const box = document.querySelector('#drawing');
            const [w, h] = ['x', 'y'].map((k) => Math.max(...p.map((q) => q[k])) - Math.min(...p.map((q) => q[k])));
            return [w / box.clientWidth, h / box.clientHeight, s.seesAll(s.corners())]; }"""
        for size in ((1024, 700), (1920, 1080), (1100, 1400)):
            page.set_viewport_size({"width": size[0], "height": size[1]})
            page.evaluate("window.pulley.stage.setView(window.pulley.stage.view())")
            self.soon(self.assertTrue, lambda: page.evaluate(extent)[2])
            wide, tall, _ = page.evaluate(extent)
            self.assertGreater(max(wide, tall), 0.5, size)
        self.assertEqual(camera.aspect, page.evaluate("window.pulley.stage.view().aspect"))

    def test_a_line_display_draws_the_sides_of_round_faces(self):
        """The rod of as1 from the front: with its outlines there is ink along both sides, without them none."""
        self.open_editor()
        page = self.page
        page.wait_for_selector("#canvas[data-outlines=drawn]", state="attached")
        page.evaluate(
            """rod => { const { stage } = window.pulley;
            for (const path of stage.items.keys()) stage.show(path, path === rod);
            stage.lookFrom([0, -1, 0]); }""",
            ROD,
        )
        ink = """() => new Promise((done) => document.querySelector('#drawing').addEventListener('drawn', () => {
            const from = document.querySelector('#drawing');
            const flat = Object.assign(document.createElement('canvas'), { width: from.width, height: from.height });
            const pen = flat.getContext('2d');
            pen.drawImage(from, 0, 0);
            const { data } = pen.getImageData(Math.round(from.width / 2), 0, 1, from.height);
            done([...Array(from.height).keys()].filter((y) => data[4 * y + 3] > 60 && data[4 * y] < 90).length);
        }, { once: true }) || window.pulley.stage.invalidate())"""
        page.evaluate("(() => { const s = window.pulley.stage; s.setProjection('parallel'); })()")
        self.assertGreaterEqual(page.evaluate(ink), 2)


class FirstWayTests(RoomCase):
    def test_the_guide_is_followed_to_its_end_on_three_assemblies(self):
        """Doing only what it says, each time on something else."""
        page = self.page
        alike = {
            AS1: BOLT,
            DEMO: "Halyard block/Cheek screw",
            ROOT / "demo/round_hatch.step": "Round hatch/Rim screw",
        }
        for file, path in alike.items():
            with self.subTest(file.name):
                Preferences.objects.update_or_create(user=self.user, defaults={"guide": 1})
                self.brought(file, "Guided")
                page.wait_for_selector("#guide [data-page='1']:visible")
                box = page.locator("#canvas").bounding_box()
                page.mouse.move(box["x"] + box["width"] / 2, box["y"] + 30)
                page.mouse.down()
                page.mouse.move(box["x"] + box["width"] / 2 + 12, box["y"] + 34, steps=3)
                page.mouse.up()
                page.wait_for_selector("#guide [data-page='2']:visible")
                at = self.pick(path)
                page.mouse.click(*at)
                page.wait_for_selector("#guide [data-page='3']:visible")
                page.click("#ways .way:enabled >> nth=0")
                page.wait_for_selector("#guide [data-page='4']:visible")
                page.keyboard.press("e")
                page.wait_for_selector("#guide [data-page='5']:visible")
                self.at_rest()
                page.keyboard.press("Control+z")
                page.wait_for_selector("#guide", state="hidden")
                self.soon(self.assertEqual, 6, lambda: Preferences.objects.get(user=self.user).guide)

    def test_commands_are_found_by_other_words_and_say_when_nothing_is_found(self):
        self.open_editor()
        page = self.page
        page.click("#open-commands")
        for typed, found in (
            ("rotate", "Turn"),
            ("distance", "Measure between"),
            ("revert", "Undo"),
            ("inches", "Lengths in in"),
        ):
            page.fill("#commands input", typed)
            self.soon(self.assertIn, found, lambda: page.inner_text("#commands .command-list"))
        page.fill("#commands input", "qwertz")
        self.soon(self.assertIn, "Nothing is called that", lambda: page.inner_text("#commands .command-none"))
        page.keyboard.press("Escape")
        page.fill("#teardown-name", "Spring service")
        page.press("#teardown-name", "Enter")
        self.changed()
        self.soon(self.assertTrue, lambda: page.title().startswith("Spring service, as1"))

    def test_a_minus_and_the_matches_and_what_is_held_still(self):
        row = self.open_editor(axial(("as1/rod-assembly_1",), RIGHT, 205))
        page = self.page
        self.settled()
        self.pick(BOLT)
        page.wait_for_selector("#canvas[data-ways=shown]")
        page.keyboard.press("-")
        page.keyboard.type("60")
        self.soon(self.assertEqual, lambda: page.input_value("#way-distance"), "-60")
        page.fill("#way-distance", "60")
        page.keyboard.press("Enter")
        self.changed()
        page.wait_for_selector("#same-for-matches")
        for _ in range(2):
            page.keyboard.press("m")
            self.changed()
            self.assertEqual(len(self.kept(row).steps[1].members), 6)
            self.soon(self.assertIn, "6 × bolt", lambda: page.inner_text("#head-s2"))
            page.keyboard.press("Control+z")
            self.changed()
            self.soon(self.assertNotIn, "6 ×", lambda: page.inner_text("#head-s2"))
            page.wait_for_selector("#same-for-matches")
        page.keyboard.press("l")
        page.keyboard.press("Control+a")
        self.soon(self.assertNotIn, BOLT, lambda: page.evaluate("window.pulley.selection.paths()"))
        self.soon(self.assertTrue, lambda: page.locator(".is-still").count())

    def test_a_neighbour_is_taken_from_the_list_and_an_empty_drag_leaves_no_entry(self):
        row = self.brought(ROOT / "demo/friction_pack.step", "Layers")
        page = self.page
        page.keyboard.press("Control+a")
        page.wait_for_selector("#canvas[data-ways=shown]")
        page.keyboard.press("Shift+2")
        page.wait_for_selector(".ways-inner[data-kind=fan]")
        asked = []
        page.on("request", lambda request: "/ways-out" in request.url and asked.append(request.url))
        page.click("#ways .way.clear-text >> nth=0")
        self.changed()
        self.assertEqual(asked, [])  # a click on a way makes the step, and asks for nothing else
        self.soon(self.assertEqual, lambda: page.locator("#card-s1 .snag-text").count(), 0)
        page.wait_for_selector("#step-summary >> text=clear")  # what was offered as clear is clear
        count = row.history.count()
        page.click("#chart-open")
        page.focus("[data-bar=s1]")
        page.keyboard.press("ArrowLeft")  # it begins at 0 already
        page.wait_for_function("() => !document.querySelector('.htmx-request')")
        self.assertEqual(row.history.count(), count)

    def test_measured_between_two_faces(self):
        self.brought(DEMO, "Measure")
        page = self.page
        page.keyboard.press("Shift+M")
        page.wait_for_selector("#canvas[data-pointing]")
        self.pick("Halyard block/Cheek, near")
        page.wait_for_selector(".pointing >> text=To: point at")
        self.soon(self.assertEqual, lambda: page.locator(".pointed.held circle").count(), 1)
        self.pick("Halyard block/Axle pin")
        page.wait_for_selector("#canvas[data-measured]", state="attached")
        self.soon(
            self.assertRegex, lambda: page.get_attribute("#canvas", "data-measured"), r"mm apart|between them|parallel"
        )
        page.keyboard.press("Escape")
        page.wait_for_selector(".pointing", state="hidden")

    def test_bars_overlap_in_part(self):
        row = self.open_editor(axial((ROD,), RIGHT, 205), core.Step("s2", (BOLT,), Axial(UP, 20.0)))
        page = self.page
        page.click("#chart-open")
        bar = page.locator("[data-bar=s2] .body")
        box = bar.bounding_box()
        y = box["y"] + box["height"] / 2
        page.mouse.move(box["x"] + 20, y)
        page.mouse.down()
        page.mouse.move(box["x"] + 20 - box["width"] / 3, y, steps=6)
        page.mouse.up()
        self.changed()
        timing = self.kept(row).steps[1].timing
        self.assertEqual(timing.start, "with")
        self.assertAlmostEqual(timing.later, 1.0, delta=0.15)
