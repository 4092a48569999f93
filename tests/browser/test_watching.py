"""The run chart by hand, camera moves, playing, trail lines by hand, views that show more, and the watching page."""

import numpy as np

from pulley.core import editing
from pulley.core import teardown as core
from pulley.core.camera import camera_frame
from pulley.core.score.compose import compose, displacement_at
from pulley.core.visibility import home_view
from pulley.web.editor import services
from pulley.web.editor.models import Teardown
from pulley.web.library.services import core_assembly
from tests.browser.test_authoring import AuthoringCase
from tests.scenes import RIGHT, ROOT, UP, axial

MAST, PIN, BOLT = "Mast foot/Mast", "Mast foot/Halyard pin", "Mast foot/Heel bolt"


class WatchingCase(AuthoringCase):
    def plan(self, *more: core.Step) -> Teardown:
        return self.scene("Mast foot", axial((PIN,), RIGHT, 80), axial((MAST,), UP, 100, "s2"), *more)


class RunChartTests(WatchingCase):
    def bar(self, id: str) -> dict:
        return self.page.locator(f"#bar-{id} .body").bounding_box()

    def times(self, row: Teardown) -> list[tuple[float, float]]:
        plan = self.kept(row)
        return [(round(b.start, 2), round(b.end, 2)) for b in compose(core_assembly(row.assembly), plan).steps]

    def test_bars_are_dragged_stretched_and_moved_by_keys(self):
        row = self.plan()
        page = self.page
        box = self.bar("s2")
        self.drag((box["x"] + 20, box["y"] + 10), (box["x"] + 20 + box["width"] / 3, box["y"] + 10))
        self.changed()
        self.assertEqual(self.times(row), [(0, 1.5), (2.0, 3.5)])
        page.wait_for_function("() => document.querySelector('#bar-s2').dataset.start === '2.0'")
        box = self.bar("s1")
        end = page.locator("#bar-s1 .end")
        page.hover("#bar-s1 .body")
        place = end.bounding_box()
        self.drag((place["x"] + 4, place["y"] + 8), (place["x"] + 4 + box["width"] / 3, place["y"] + 8))
        self.changed()
        self.assertEqual(self.times(row), [(0, 2.0), (2.5, 4.0)])
        page.focus("#bar-s2")
        page.keyboard.press("ArrowLeft")
        self.changed()
        page.keyboard.press("Shift+ArrowRight")
        self.changed()
        self.assertEqual(self.times(row), [(0, 2.0), (2.4, 4.0)])
        page.keyboard.press("ArrowUp")
        page.keyboard.press("Enter")
        page.wait_for_selector("#card-s1.open")
        self.assert_accessible()

    def test_order_by_drag_says_a_snag_before_it_happens(self):
        row = self.scene("Cam cleat", axial(("Cam cleat/Bolt",), UP, 60), axial(("Cam cleat/Top plate",), UP, 30, "s2"))
        box, first = self.bar("s2"), self.bar("s1")
        self.drag((box["x"] + 20, box["y"] + 10), (first["x"] - 30, box["y"] + 10))
        self.page.wait_for_selector("#notice >> text=Do it all the same")
        self.expected += 1
        self.assertEqual([s.id for s in self.kept(row).steps], ["s1", "s2"])
        self.page.click("text=Do it all the same")
        self.changed()
        self.assertEqual([s.id for s in self.kept(row).steps], ["s2", "s1"])

    def test_timing_for_all_and_for_several(self):
        row = self.plan()
        page = self.page
        page.click("#timing-menu summary")
        page.fill("#total-time", "9")
        page.press("#total-time", "Enter")
        self.changed()
        self.assertEqual(self.times(row), [(0, 4.5), (4.5, 9.0)])
        page.click("text=Innermost first")  # they lie so already: no entry in the history
        page.wait_for_function("() => !document.querySelector('.htmx-request')")
        page.click("#chart-in")
        page.wait_for_selector("#chart[data-zoom='2']")
        page.click("#head-s1", modifiers=["Control"])
        page.click("#head-s2", modifiers=["Control"])
        page.fill("#several-lasts", "2")
        page.press("#several-lasts", "Enter")
        self.changed()
        page.click("#several >> text=Together")
        self.changed()
        self.assertEqual(self.times(row), [(0, 2.0), (0, 2.0)])


class FilmTests(WatchingCase):
    def eye(self) -> list[float]:
        return self.page.evaluate("() => window.pulley.stage.view().eye")

    def test_captions_views_and_an_orbit(self):
        row = self.plan()
        page = self.page
        page.click("#head-s1")
        page.fill("#caption-s1", "Pull the pin")
        page.press("#caption-s1", "Enter")
        self.changed()
        page.wait_for_selector("#caption >> text=Pull the pin")
        page.click("[data-side=top]")
        page.locator("#canvas").focus()
        page.keyboard.press(".")
        self.changed()
        step = self.kept(row).steps[0]
        self.assertEqual((step.caption, step.view.camera), ("Pull the pin", "c1"))
        page.fill("#camera-move-s1", "0")
        page.press("#camera-move-s1", "Enter")
        self.changed()
        self.assertEqual(self.kept(row).steps[0].view.move, 0.0)
        page.click("#timing-menu summary")
        page.click("text=+ Orbit at the end")
        self.changed()
        page.fill("#orbit-lasts-o1", "1")
        page.press("#orbit-lasts-o1", "Enter")
        self.changed()
        page.click("[aria-label='The other way round']")
        self.changed()
        (orbit,) = self.kept(row).orbits
        self.assertEqual((orbit.angle, orbit.duration), (-360, 1))
        page.click("[data-side=front]")
        before = self.eye()
        page.click("#timing-menu summary")
        page.click("text=Try")
        page.wait_for_selector("#canvas[data-trying='']")
        for a, b in zip(before, self.eye(), strict=True):
            self.assertAlmostEqual(a, b, places=3)
        self.assert_accessible()

    def test_playing_by_steps_spread_loop_speed_and_presenting(self):
        row = self.plan()
        page = self.page
        page.keyboard.press("Home")
        page.wait_for_selector("#canvas[data-time='0.000']")
        page.keyboard.press("ArrowRight")
        page.wait_for_selector("#canvas[data-time='1.500']")
        page.keyboard.press("End")
        page.keyboard.press("ArrowLeft")
        page.wait_for_selector("#canvas[data-time='1.500']")
        self.soon(self.assertEqual, lambda: self.offset(PIN), [80, 0, 0])
        page.fill("#spread", "50")
        self.soon(self.assertEqual, lambda: self.offset(PIN), [40, 0, 0])
        page.fill("#spread", "150")
        self.soon(self.assertEqual, lambda: self.offset(PIN), [120, 0, 0])
        page.select_option("#speed", "4")
        page.click("#loop")
        page.click("#both")
        page.wait_for_function("() => window.pulley.player.playing === -1")
        page.wait_for_function("() => window.pulley.player.playing === 1")
        page.keyboard.press("z")
        page.wait_for_selector("#canvas[data-presenting=true]")
        page.keyboard.press("Escape")
        page.wait_for_selector("#canvas[data-presenting=false]")
        page.click("#pause")
        page.fill("#spread", "100")
        page.click('#ledger .row-name:text-is("Heel bolt")')  # stopped in the middle of a step, and edited from there
        self.ways()
        page.click("#ways .way >> nth=0")
        self.changed()
        self.assertEqual(len(self.kept(row).steps), 3)

    def test_a_tour_goes_through_the_views_that_were_chosen(self):
        row = self.plan()
        page = self.page
        for side in ("top", "front"):
            page.click(f"[data-side={side}]")
            self.open_menu("views")
            page.click("[data-save-view='']")
            self.changed()
        page.click("#timing-menu summary")
        page.click("text=+ Tour of the views")
        self.changed()
        page.click(".tour .off >> nth=0")
        self.changed()
        self.assertEqual(self.kept(row).orbits[0].views, ("c2",))
        page.select_option("#orbit-more-o1", index=1)
        self.changed()
        self.assertEqual(self.kept(row).orbits[0].views, ("c2", "c1"))
        self.assert_accessible()

    def test_playing_while_another_window_edits(self):
        row = self.plan()
        page = self.page
        page.keyboard.press("Home")
        page.select_option("#speed", "0.5")
        page.click("#explode")
        services.edit(row, 0, lambda t, a: services.Changed(editing.set_durations(t, ["s2"], 0.5), "elsewhere"))
        page.select_option("#speed", "4")
        page.wait_for_selector("#canvas[data-time='3.000']")  # what was begun is played to its end as it was
        self.at_rest()
        page.click("#trails")
        page.wait_for_selector("#notice >> text=changed in another window")
        self.expected = 1
        self.changed()
        page.keyboard.press("End")
        page.wait_for_selector("#canvas[data-time='2.000']")
        self.soon(self.assertEqual, lambda: self.offset(MAST), [0, 0, 100])
        self.assertTrue(self.kept(row).trails_shown)

    def test_the_same_instant_is_the_same_picture(self):
        row = self.plan()
        plan, assembly = self.kept(row), core_assembly(row.assembly)
        track = compose(assembly, plan).tracks[MAST]
        for time in (1.9, 2.6, 1.9):
            self.page.evaluate("time => window.pulley.player.seek(time)", time)
            ours = displacement_at(track, time)
            self.soon(
                lambda seen, ours=ours: self.assertLess(abs(seen - ours).max(), 1e-6), lambda: self.displacement(MAST)
            )

    def test_for_those_who_want_no_motion(self):
        self.page.emulate_media(reduced_motion="reduce")
        self.plan()
        seen = self.page.evaluate(
            """async (path) => {
              const { player, stage } = window.pulley, seen = new Set();
              player.seek(0, false);
              player.speed = 4;
              player.explode();
              while (player.playing) {
                seen.add(Math.round(stage.items.get(path).motion.elements[12]));
                await new Promise(requestAnimationFrame);
              }
              return [...seen];
            }""",
            PIN,
        )
        self.assertLessEqual(set(seen), {0, 80})

    def test_what_is_hidden_is_named_and_a_better_view_proposed(self):
        row = self.plan()
        page = self.page
        page.click("[data-side=base]")
        page.keyboard.press("Shift+Q")
        page.wait_for_selector("#seen >> text=can be seen from here")
        page.wait_for_selector("#ledger .share")
        page.click("#seen [data-better]")
        page.wait_for_selector("#better- >> text=%")
        self.assert_accessible()
        page.click("#head-s1")
        page.click("#card-s1 [data-better]")
        page.wait_for_selector("#better-s1 >> text=%")
        if page.locator("#better-s1 >> text=Use it").count():
            page.click("#better-s1 >> text=Use it")
            self.changed()
            self.assertEqual(self.kept(row).steps[0].view.camera, "c1")
        page.click("#timing-menu summary")
        page.click("text=Look at every step")
        page.wait_for_selector("#sights > *")


class TrailTests(WatchingCase):
    def test_a_line_is_dragged_aside_and_straightened(self):
        row = self.plan()
        page = self.page
        page.click('#ledger .row-name:text-is("Halyard pin")')
        self.ways()
        self.settled()
        knob = page.locator(".dogleg path").bounding_box()
        self.drag((knob["x"] + 8, knob["y"] + 8), (knob["x"] + 8, knob["y"] - 60))
        self.changed()
        (trail,) = self.kept(row).trails
        self.assertEqual((trail.component, trail.jogs[0].offset[0]), (PIN, 0.0))
        self.assertGreater(max(map(abs, trail.jogs[0].offset)), 0)
        self.settled()
        end = page.locator(".dogleg .end").nth(1).bounding_box()
        self.drag((end["x"] + 5, end["y"] + 5), (end["x"] + 25, end["y"] + 5))
        self.changed()
        (moved,) = self.kept(row).trails[0].jogs
        self.assertEqual((moved.start, moved.offset), (trail.jogs[0].start, trail.jogs[0].offset))
        self.assertGreater(abs(moved.end - trail.jogs[0].end), 0.01)
        page.keyboard.press("Shift+I")
        self.changed()
        self.assertEqual(self.kept(row).trails, ())

    def point_at(self, *places: tuple[str, tuple[float, float, float]], what: str):
        """Click places one after the other, and the last one again."""
        for k, place in enumerate((*places, places[-1]), 1):
            self.page.mouse.move(*self.spot(*place))
            self.page.mouse.click(*self.spot(*place))
            if k <= len(places):
                self.page.wait_for_selector(f"#pointing .prompt >> text={k} {what}{'' if k == 1 else 's'}.")
        self.changed()

    def test_anchors_and_a_line_of_stops(self):
        row = self.plan()
        page = self.page
        page.keyboard.press("Shift+N")
        page.wait_for_selector("#pointing:not([hidden])")
        page.mouse.move(*self.spot(MAST, (0.5, 0.0, 0.6)))
        page.mouse.click(*self.spot(MAST, (0.5, 0.0, 0.6)))
        self.changed()
        self.assertEqual([t.component for t in self.kept(row).trails], [MAST])
        block = "Mast foot/Foot block"
        page.click("#look-menu summary")
        page.click("text=Several anchors")
        self.point_at((block, (0.9, 0.5, 1.0)), (block, (0.1, 0.5, 1.0)), what="anchor")
        self.assertEqual(len(next(t for t in self.kept(row).trails if t.component == block).anchors), 2)
        page.keyboard.press("Shift+L")
        self.point_at((MAST, (0.5, 0.0, 0.6)), (block, (0.9, 0.5, 1.0)), (block, (0.1, 0.5, 1.0)), what="stop")
        (route,) = self.kept(row).routes
        self.assertEqual([path for path, _ in route.stops], [MAST, block, block])
        page.click("#look-menu summary")
        page.click("[aria-label^='Take stop 2']")
        self.changed()
        (shorter,) = self.kept(row).routes
        self.assertEqual(shorter.stops, (route.stops[0], route.stops[2]))
        page.click("text=Delete the line")
        self.changed()
        self.assertEqual(self.kept(row).routes, ())

    def test_line_type_display_colours_and_bearings(self):
        row = self.plan()
        page = self.page
        page.click("#look-menu summary")
        page.select_option("#line", "dashed")
        self.changed()
        page.click("text=End marks")
        self.changed()
        for display in ("shaded", "lines", "dashed"):
            page.select_option("#display", display)
            self.changed()
            self.soon(self.assertEqual, lambda: page.get_attribute("#canvas", "data-display"), display)
        page.click("text=Shadows")
        self.changed()
        self.assert_accessible()
        page.click('#ledger .row-name:text-is("Mast")')
        self.ways()
        page.click("#look-menu summary")
        page.fill("#opacity", "40")
        page.press("#opacity", "Enter")
        self.changed()
        kept = self.kept(row)
        self.assertEqual(
            (kept.line.line, kept.line.marks, kept.look.display, kept.look.shadows), ("dashed", True, "dashed", True)
        )
        self.assertEqual([(t.component, t.opacity) for t in kept.tints], [(MAST, 0.4)])
        page.click("[data-side=right]")
        page.click("#look-menu summary")
        page.click("text=What I see is the front")
        self.changed()
        self.assertEqual(self.kept(row).bearings.front, (1, 0, 0))
        page.click("[data-from=isometric]")
        x, y, z = page.evaluate(
            "() => { const v = window.pulley.stage.view(); return v.eye.map((c, k) => c - v.target[k]); }"
        )
        self.assertAlmostEqual(x / z, 1.0, places=3)
        self.assertAlmostEqual(abs(y / z), 1.0, places=3)


class HomeViewTests(WatchingCase):
    """What the canvas fits is what core fits for pictures and films, in the part of the canvas that no bar lies on."""

    IN_THE_BROWSER = """() => { const { stage } = window.pulley;
        stage.camera.updateMatrixWorld();
        const { elements } = stage.camera.matrixWorld;
        return { view: stage.view(), frame: [0, 4, 8].map((k) => [...elements.slice(k, k + 3)]),
                 clear: stage.clear() }; }"""

    def assert_home_as_in_core(self, plan: core.Teardown):
        row = services.create(self.brought_in(ROOT / "demo/mast_foot.step"), plan)
        self.open(row)
        self.page.evaluate("document.fonts.ready")  # with its fonts a bar may have another height
        self.page.keyboard.press("Shift+Home")
        seen = self.page.evaluate(self.IN_THE_BROWSER)
        assembly = core_assembly(row.assembly)
        home = home_view(assembly, plan, compose(assembly, plan), **seen["clear"])
        np.testing.assert_allclose(seen["view"]["target"], home.target, atol=1e-3)
        np.testing.assert_allclose(seen["view"]["eye"], home.eye, atol=1e-2)
        np.testing.assert_allclose(seen["frame"], camera_frame(home), atol=1e-5)

    def test_the_home_view_is_fitted_as_core_fits_it(self):
        steps = (axial((PIN,), RIGHT, 80), axial((MAST,), UP, 100, "s2"))
        self.assert_home_as_in_core(core.Teardown("Z up", steps))
        self.assert_home_as_in_core(core.Teardown("Y up", steps, bearings=core.Bearings((0, 0, 1), (0, 1, 0))))
        saved = core.Camera("c1", "Home", (300.0, 200.0, 400.0), (10.0, 0.0, 50.0), (0.0, 0.0, 1.0))
        self.assert_home_as_in_core(core.Teardown("Saved", steps, cameras=(saved,)))

    def test_a_change_leaves_the_angle_of_the_view(self):
        self.plan()
        fov = "window.pulley.stage.view().fov"
        self.page.evaluate("window.pulley.stage.setView({ ...window.pulley.stage.view(), fov: 50 })")
        self.page.keyboard.press("t")
        self.changed()
        self.soon(self.assertEqual, lambda: self.page.evaluate(fov), 50)
        self.page.keyboard.press("Shift+Home")
        self.soon(self.assertEqual, lambda: self.page.evaluate(fov), 35)

    def test_a_view_along_up_leans_as_core_lets_it_lean(self):
        self.plan()
        for side in ("top", "bottom", "top"):
            self.page.evaluate("side => window.pulley.stage.lookFrom([0, 0, side === 'top' ? 1 : -1])", side)
            seen = self.page.evaluate(self.IN_THE_BROWSER)
            view = seen["view"]
            exact = {**view, "eye": [*view["target"][:2], view["eye"][2]]}
            np.testing.assert_allclose(seen["frame"], camera_frame(core.Camera("", "", **exact)), atol=1e-4)


class LinkTests(WatchingCase):
    def test_a_link_is_made_watched_and_taken_back(self):
        self.plan()
        page = self.page
        page.click("#share-menu summary")
        page.click("text=+ New link")
        page.wait_for_selector(".link-address")
        address = page.input_value(".link-address")
        self.assert_accessible()
        watcher = self.new_page()
        watcher.goto(address)
        watcher.wait_for_selector("#canvas[data-ready]")
        self.soon(self.assertEqual, lambda: watcher.locator("[data-edit]").count(), 0)
        watcher.click(".watch-step >> nth=0")
        watcher.wait_for_selector("#canvas[data-time='1.500']")
        watcher.keyboard.press("End")
        watcher.wait_for_selector("#canvas[data-time='3.000']")
        self.page = watcher
        self.soon(self.assertEqual, lambda: self.offset(MAST), [0, 0, 100])
        self.assert_accessible()
        page.click("text=Take back")
        page.wait_for_selector(".link-address", state="detached")
        watcher.goto(address)
        watcher.wait_for_selector("text=leads nowhere")
        self.expected += 1
