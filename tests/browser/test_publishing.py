"""Publishing as a newcomer does it; the page that stands alone; the film beside the canvas; GLB played by three.js."""

import tempfile
from dataclasses import replace
from pathlib import Path

import av
import numpy as np
from playwright.sync_api import expect

from pulley.core.formats import teardown as teardown_json
from pulley.core.publish import model
from pulley.core.publish.frames import instant
from pulley.core.publish.page import takeaway
from pulley.core.render.painter import render
from pulley.core.score.compose import compose, displacement_at
from pulley.core.teardown import Camera
from pulley.web.editor import services
from pulley.web.publishing.models import Link
from pulley.web.publishing.services import add, published
from tests.browser.base import AXE, PATIENCE, SETTLED, BrowserCase, browser
from tests.scenes import AS1, DEMO, DEMO_TEARDOWN, ROOT, WINCH, WINCH_TEARDOWN, axial, read
from tests.scenes import teardown as plan_of


def assert_accessible(case, page) -> None:
    """No violation by axe-core (npm package) on any page, also of another context."""
    page.evaluate(SETTLED)
    page.evaluate(AXE.read_text())
    found = page.evaluate("axe.run().then(result => result.violations)")
    case.assertEqual([(each["id"], [node["html"][:120] for node in each["nodes"]]) for each in found], [])


class PublishTests(BrowserCase):
    """From the library to a film, a GLB and a guide."""

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.publisher = cls.start_worker("--long")

    @classmethod
    def tearDownClass(cls):
        cls.publisher.terminate()
        cls.publisher.wait(30)
        super().tearDownClass()

    def short(self, name: str):
        """A teardown of as1 with one quick step, and its usual files, the film small."""
        path = next(leaf.path for leaf in read(AS1).leaves if leaf.part.name == "nut")
        row = services.create(self.as1(), plan_of(axial((path,), (0.0, 0.0, -1.0), 30.0)))
        row.name = name
        row.save()
        for publication in published(row):
            if publication.document["ending"] == "mp4":
                publication.document["film"] = {"size": [320, 180], "rate": 24, "soft": False}
                publication.save()
        return row

    def test_from_the_library_to_a_film_a_glb_and_a_guide_in_five_actions(self):
        row, page = self.short("To be shown"), self.page
        page.goto(self.live_server_url)
        page.get_by_label("Publish To be shown").click()  # 1
        page.get_by_role("button", name="Publish 5 files").click()  # 2
        expect(page.locator("[data-state=made]")).to_have_count(5, timeout=PATIENCE)
        expect(page.get_by_text("All that is ticked is made")).to_be_visible()
        endings = {}
        for name in ("Film, MP4", "3D model, GLB", "Guide, PDF"):  # 3, 4, 5
            with page.expect_download() as found:
                page.get_by_label(f"Download {name}").click()
            path = Path(found.value.path())
            endings[found.value.suggested_filename.rpartition(".")[2]] = path.read_bytes()[:4]
            if name.startswith("Film"):
                with av.open(str(path)) as film:
                    self.assertEqual(film.streams.video[0].width, 320)
        self.assertEqual((endings["glb"], endings["pdf"]), (b"glTF", b"%PDF"))
        with page.expect_popup() as opened:
            page.get_by_label("Open Page that stands alone, HTML").click()
        opened.value.wait_for_selector("#canvas[data-ready]", timeout=PATIENCE)
        opened.value.close()
        page.get_by_role("button", name="Look").click()
        expect(page.locator("video")).to_be_visible()
        page.wait_for_function("() => document.querySelector('video').readyState >= 2")
        self.soon(self.assertGreater, lambda: page.evaluate("document.querySelector('video').duration"), 1.0)
        self.sound(page)
        services.edit(row, 0, lambda teardown, _assembly: renamed(teardown))
        page.reload()
        expect(page.locator("[data-state=behind]")).to_have_count(5)
        page.get_by_label("Make 3D model, GLB again").click()
        expect(page.locator("[data-state=made]")).to_have_count(1, timeout=PATIENCE)

    def sound(self, page):
        """No axe violations, at the smallest window."""
        page.set_viewport_size({"width": 1024, "height": 700})
        assert_accessible(self, page)
        page.set_viewport_size({"width": 1280, "height": 800})

    def test_a_film_can_be_stopped_and_settings_stay_open_while_others_are_made(self):
        row, page = self.short("Stopped"), self.page
        long = add(row, published(row)[0].wish)
        long.document = {"ending": "mp4", "film": {"speed": 0.05, "size": [640, 360]}}
        long.save()
        page.goto(f"{self.live_server_url}/teardowns/{row.pk}/publish")
        line = page.locator(f"#file-{long.pk}")
        line.get_by_role("button", name="Make").click()
        expect(line.get_by_role("status")).to_contain_text("Frame", timeout=PATIENCE)
        page.locator("summary", has_text="Settings").nth(2).click()
        title = page.get_by_role("form", name="Settings of Guide, PDF").get_by_label("Title")
        title.fill("Typed meanwhile")
        self.press_slowly(line.get_by_role("button", name="Stop"), f"/published/{long.pk}/state")
        expect(line.get_by_text("Stopped")).to_be_visible(timeout=PATIENCE)
        expect(title).to_have_value("Typed meanwhile")
        page.get_by_role("form", name="Settings of Guide, PDF").get_by_role("button", name="Keep").click()
        expect(page.get_by_role("form", name="Settings of Guide, PDF")).to_be_hidden()
        self.assertTrue(any(p.wish.guide.title == "Typed meanwhile" for p in published(row)))

    def test_a_file_that_is_taken_away_while_it_is_asked_for_is_asked_for_once(self):
        (row, page), held = (self.short("Crossed"), self.page), []
        page.goto(f"{self.live_server_url}/teardowns/{row.pk}/publish")
        page.route("**/make", lambda route: held.append(route))
        page.get_by_label("Make Guide, PDF").click()
        self.soon(self.assertTrue, lambda: held)
        page.get_by_label("Remove Guide, PDF").click()
        expect(page.get_by_label("Make Guide, PDF")).to_have_count(0)
        held[0].continue_()
        expect(page.locator("#notice")).to_contain_text("It may have been deleted")
        expect(page.locator("#waiting")).to_be_hidden()
        self.assertEqual(len(held), 1)
        self.expected = 1

    def press_slowly(self, button, address: str):
        """Press a button, and let go only when its line has been drawn anew twice: it has to be the same button."""
        box = button.bounding_box()
        self.page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        self.page.mouse.down()
        for _ in range(2):
            self.page.wait_for_event("response", lambda response: response.url.endswith(address))
        self.page.mouse.up()

    def test_settings_show_the_first_frame_and_say_what_is_wrong(self):
        row, page = self.short("Set"), self.page
        page.goto(f"{self.live_server_url}/teardowns/{row.pk}/publish")
        page.locator("summary", has_text="Settings").first.press("Enter")
        form = page.get_by_role("form", name="Settings of Film, MP4")
        form.get_by_label("Background").select_option("white")
        form.get_by_role("button", name="Show the first frame").click()
        expect(form.get_by_alt_text("The first frame")).to_be_visible()
        form.get_by_label("Own size").fill("0x9")
        form.get_by_role("button", name="Keep these settings").click()
        expect(form.get_by_role("alert")).to_contain_text("0 x 9 pixels cannot be made")
        self.sound(page)

    def test_a_link_with_a_password_and_files(self):
        row, page = self.short("Linked"), self.page
        page.goto(f"{self.live_server_url}/teardowns/{row.pk}/publish")
        page.get_by_role("button", name="+ New link").click()
        page.get_by_text("Limits and embedding").click()
        page.get_by_label("Password", exact=True).fill("spinnaker")
        page.get_by_role("button", name="Keep", exact=True).click()
        expect(page.get_by_text("with a password")).to_be_visible()
        self.sound(page)
        address = page.locator(".link-address").input_value()
        context = browser().new_context()
        self.addCleanup(context.close)
        stranger = context.new_page()
        stranger.goto(address)
        assert_accessible(self, stranger)
        stranger.get_by_label("Password").fill("spinnaker")
        stranger.get_by_role("button", name="Watch").click()
        expect(stranger.locator("#canvas[data-ready]")).to_be_visible(timeout=PATIENCE)
        self.assertEqual(Link.objects.get(teardown=row).views, 1)


class CanvasTests(BrowserCase):
    """The film shows what the canvas shows."""

    # as on a graphics card, where a pixel of the picture is one of the screen: the processor draws finer ones
    UNNAMED = """(() => {
      const { getExtension } = WebGL2RenderingContext.prototype;
      WebGL2RenderingContext.prototype.getExtension = function (name) {
        return name === "WEBGL_debug_renderer_info" ? null : getExtension.call(this, name);
      };
    })()"""
    BARE = """() => {
      for (const bar of document.querySelectorAll("[data-edge], .rose, .caption, #loading")) bar.style.display = "none";
      document.querySelector("#canvas").style.background = "#ffffff";
      document.querySelector("#drawing").style.background = "#ffffff";
      const { stage } = window.pulley, box = document.querySelector("#canvas");
      stage.setSize(box.clientWidth, box.clientHeight);
    }"""
    SHOW = """(time) => new Promise((done) => {
      const { stage, player } = window.pulley;
      player.seek(time);
      document.querySelector("#caption").hidden = true;
      stage.canvas.addEventListener("drawn", () => done(stage.view()), { once: true });
      stage.invalidate();
    })"""

    def test_picture_by_picture(self):
        """At five instants: on average within 5 of 255 over what is drawn, and one pixel in a hundred far off at most.

        The canvas has no soft shade; with it the film is darker in clefts, by less than 8 on average.
        """
        assembly, plan = read(DEMO), teardown_json.loads(DEMO_TEARDOWN.read_text())
        row = services.create(self.brought_in(DEMO), plan)
        link = Link.objects.create(teardown=row)
        score, page = compose(assembly, plan), self.page
        page.add_init_script(self.UNNAMED)
        page.goto(f"{self.live_server_url}/watch/{link.token}/")
        page.wait_for_selector("#canvas[data-ready]")
        page.evaluate(self.BARE)
        for time in np.linspace(0, score.duration, 5):
            seen = page.evaluate(self.SHOW, float(time))
            shown = self.pixels(page.locator("#drawing"), "RGB")
            camera = Camera("", "", *(tuple(seen[k]) for k in ("eye", "target", "up")), seen["projection"], seen["fov"])
            size = (shown.shape[1], shown.shape[0])
            scene = instant(assembly, plan, score, float(time), size, camera, camera)
            scene = replace(scene, ground=(1.0, 1.0, 1.0))
            for soft, mean in ((False, 5.0), (True, 8.0)):
                far = np.abs(render(scene, size, soft)[:, :, :3].astype(int) - shown).max(2)
                drawn = (shown < 250).any(2)
                said = f"{time:.1f} s, soft {soft}: mean {far[drawn].mean():.2f}, far {(far[drawn] > 64).mean():.4f}"
                self.assertLess(far[drawn].mean(), mean, said)
                self.assertLess((far > 64).mean(), 0.01, said)


class TakeawayTests(BrowserCase):
    """The page that stands alone, from the disk, with no network."""

    def test_it_opens_plays_and_asks_for_nothing(self):
        assembly, plan = read(WINCH), teardown_json.loads(WINCH_TEARDOWN.read_text())
        text = takeaway(assembly, plan)
        self.assertLess(len(text.encode()), 3_000_000)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "winch.html"
            path.write_text(text)
            context = browser().new_context(offline=True, viewport={"width": 1280, "height": 800})
            self.addCleanup(context.close)
            page = context.new_page()
            page.set_default_timeout(PATIENCE)
            asked, said = [], []
            page.on("request", lambda r: r.url.startswith(("data:", "blob:")) or asked.append(r.url))
            page.on("console", lambda m: m.type == "error" and said.append(m.text))
            page.on("pageerror", lambda error: said.append(str(error)))
            page.goto(path.as_uri())
            page.wait_for_selector("#canvas[data-ready]")
            page.get_by_role("button", name="Crown nut unscrewed").click()
            expect(page.locator("#caption")).to_have_text("Unscrew the crown nut, anticlockwise")
            expect(page.locator("[aria-current=step]")).to_contain_text("Crown nut unscrewed")
            page.get_by_role("button", name="Cap screw").last.click()
            self.soon(self.assertEqual, lambda: page.evaluate("window.pulley.stage.lit.size"), 6)
            page.get_by_role("button", name="From below").click()
            page.select_option("#speed", "4")
            page.get_by_role("button", name="Explode").click()
            page.wait_for_function("() => window.pulley.player.time > 8")
            page.keyboard.press(" ")
            assert_accessible(self, page)
            page.set_viewport_size({"width": 390, "height": 800})
            assert_accessible(self, page)
            self.assertLessEqual(page.evaluate("document.documentElement.scrollWidth"), 390)
        self.assertEqual((asked, said), ([path.as_uri()], []))


class ThreeTests(BrowserCase):
    """The GLB in three.js: loaded and played by its own mixer, everything is where the Score has it."""

    PAGE = """<!doctype html><script type="importmap">{"imports": {"three": "/three/build/three.module.js",
      "three/addons/": "/three/examples/jsm/"}}</script><script type="module">
      import * as THREE from "three";
      import { GLTFLoader } from "three/addons/loaders/GLTFLoader.js";
      const gltf = await new GLTFLoader().loadAsync("/model.glb");
      const mixer = new THREE.AnimationMixer(gltf.scene);
      window.at = (name, time) => {
        mixer.stopAllAction();
        const action = mixer.clipAction(THREE.AnimationClip.findByName(gltf.animations, name));
        action.clampWhenFinished = true; action.loop = THREE.LoopOnce; action.play();
        mixer.setTime(time);
        gltf.scene.updateMatrixWorld(true);
        const found = {};
        const keep = (node) => { if (node.userData.path) found[node.userData.path] = node.matrixWorld.toArray(); };
        gltf.scene.traverse(keep);
        return found;
      };
      window.cameras = gltf.cameras.length;
      document.title = "ready";
    </script>"""

    def test_poses_are_the_scores(self):
        assembly, plan = read(WINCH), teardown_json.loads(WINCH_TEARDOWN.read_text())
        glb, score, page = model.animated_glb(assembly, plan), compose(assembly, plan), self.page
        root = f"{self.live_server_url}/three/"

        def served(route):
            place = ROOT / "node_modules/three" / route.request.url.removeprefix(root)
            route.fulfill(body=place.read_bytes(), content_type="text/javascript")

        page.route(f"{root}**", lambda route: served(route))
        page.route("**/model.glb", lambda route: route.fulfill(body=glb, content_type="model/gltf-binary"))
        page.route("**/blank", lambda route: route.fulfill(body=self.PAGE, content_type="text/html"))
        page.goto(f"{self.live_server_url}/blank")
        page.wait_for_function("() => document.title === 'ready'")
        self.assertEqual(page.evaluate("window.cameras"), len(plan.cameras))
        to_metres = np.array([[0.001, 0, 0, 0], [0, 0, 0.001, 0], [0, -0.001, 0, 0], [0, 0, 0, 1]])
        for time in np.linspace(0.1, score.duration - 0.1, 7):
            for clip, at in (("Explode", time), ("Collapse", score.duration - time)):
                found = page.evaluate("([name, time]) => window.at(name, time)", [clip, float(at)])
                for path, track in score.tracks.items():
                    wanted = to_metres @ displacement_at(track, time) @ assembly.leaf(path).pose
                    got = np.array(found[path]).reshape(4, 4).T
                    self.assertLess(np.abs(got - wanted)[:3, 3].max() * 1000, 0.01, f"{path}, {time:.2f} s, {clip}")
                    self.assertLess(np.abs(got - wanted)[:3, :3].max() * 1000, 2e-4, f"{path}, {time:.2f} s, {clip}")


def renamed(teardown):
    return services.Changed(replace(teardown, name="Changed"), "rename", "")
