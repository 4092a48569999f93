"""The main views on the demo data, kept as pictures for the README; run by `./pulley pictures`, not with the tests."""

import subprocess
import tempfile
from pathlib import Path

import av
import numpy as np
from django.test import override_settings
from PIL import Image

from pulley.core import editing
from pulley.core import teardown as core
from pulley.core.assembling.placing import lay_out, place
from pulley.core.contact.scene import home_scene
from pulley.core.formats import teardown as teardown_json
from pulley.core.geometry.frames import apply, triple
from pulley.core.planning.pointing import Feature
from pulley.core.publish.film import make
from pulley.core.publish.frames import Take
from pulley.core.publish.guide import Guide, guide_pdf
from pulley.core.publish.settings import Film
from pulley.core.revisions.matching import compare
from pulley.web.accounts.models import Preferences
from pulley.web.assembling import services as assembling
from pulley.web.editor import services
from pulley.web.editor.models import Teardown
from pulley.web.jobs import worker
from pulley.web.library.services import core_assembly
from pulley.web.publishing import services as publishing
from pulley.web.revisions import services as revisions
from pulley.web.sheets import services as sheets
from shapes import Item, Z, cylinder, write_step
from small_scenes import round_hatch
from tests.browser.base import BrowserCase
from tests.scenes import DEMO, DEMO_BENCH, DEMO_TEARDOWN, ROOT, WINCH, WINCH_TEARDOWN, axial, read


@override_settings(FINE=1.5)
class PictureTests(BrowserCase):
    room = "{}"  # as somebody finds it who comes for the first time

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        assembly = cls.brought_in(DEMO)
        cls.row = services.create(assembly, teardown_json.loads(DEMO_TEARDOWN.read_bytes()))
        cls.bench = services.create(assembly, teardown_json.loads(DEMO_BENCH.read_bytes()))
        winch = cls.brought_in(WINCH)
        cls.winch = services.create(winch, teardown_json.loads(WINCH_TEARDOWN.read_bytes()))
        Preferences.objects.create(user=cls.user, guide=0)

    def keep(self, name: str):
        self.page.wait_for_load_state("networkidle")
        if self.page.locator(".left").count():
            self.page.wait_for_selector(".left[data-pictures=drawn]", state="attached")
        image = Image.open(self.picture(name))
        self.assertEqual(image.size, (1280, 800))
        self.assertGreater(len(image.convert("RGB").getcolors(2**20)), 100)

    def open_demo(self, row: Teardown | None = None):
        self.page.goto(f"{self.live_server_url}/teardowns/{(row or self.row).pk}/")
        self.ready()
        self.page.wait_for_selector("#step-summary >> text=clear")

    def test_library(self):
        self.page.goto(self.live_server_url)
        self.page.wait_for_selector("text=Service strip-down")
        self.keep("library")

    def test_editor(self):
        self.open_demo()
        self.assertIn("13 steps, 41 moved, 1 not", self.page.inner_text("#step-summary"))
        self.page.click("#head-s6")
        self.page.wait_for_selector("#card-s6.open")
        self.keep("editor")

    def test_publishing(self):
        for publication in publishing.published(self.winch):
            if publication.document["ending"] != "mp4":
                publishing.ask(publication, self.user)
                worker.perform(str(publication.job.pk))
        self.page.goto(f"{self.live_server_url}/teardowns/{self.winch.pk}/publish")
        self.page.get_by_role("button", name="+ New link").click()
        self.page.locator("summary", has_text="Settings").first.click()
        self.page.get_by_role("button", name="Show the first frame").wait_for()
        self.keep("publish")

    def test_a_film_frame_and_a_guide_page(self):
        """Made by core, and looked at by another program: PyAV's decoder, Poppler."""
        assembly, plan = read(WINCH), teardown_json.loads(WINCH_TEARDOWN.read_bytes())
        folder = self.picture("publish").parent
        with tempfile.TemporaryDirectory() as made:
            film = Take(assembly, plan, Film(steps=("s24", "s25")))
            path = make(film, Path(made))
            with av.open(str(path)) as found:
                frames = list(found.decode(video=0))
            frames[len(frames) // 2].to_image().save(folder / "film-frame.png")
            pdf = Path(made) / "guide.pdf"
            said = {"s8": {"Tool": "5 mm hex key", "Torque": "6 N m", "Warning": "The drum cap lifts by itself."}}
            pdf.write_bytes(guide_pdf(assembly, plan, Guide(fields=said)))
            command = ["pdftoppm", "-r", "90", "-png", "-f", "5", "-l", "5", "-singlefile", str(pdf)]
            subprocess.run([*command, str(folder / "guide-page")], check=True)

    def test_sheet(self):
        self.row.refresh_from_db()
        sheet = sheets.create(self.row)
        self.page.goto(f"{self.live_server_url}/sheets/{sheet.pk}/")
        self.page.wait_for_selector("#editor[data-ready]")
        box = self.page.locator('#paper g[data-tag="balloon:b3"]').first.bounding_box()
        self.page.mouse.click(box["x"] + 8, box["y"] + 8)
        self.page.wait_for_selector("#strip >> text=Tidy the others")
        self.keep("sheet")

    def test_ways_out(self):
        self.open_demo()
        self.page.evaluate("window.pulley.player.seek(0, false)")
        self.open_menu("views")
        self.page.click("[data-camera=c1]")
        self.select("Cheek screw")
        self.keep("ways-out")

    def test_the_winch(self):
        self.open_demo(self.winch)
        self.open_menu("views")
        self.page.click("[data-camera=c1]")
        self.page.wait_for_load_state("networkidle")
        self.keep("deck-winch")

    def test_a_snag_with_what_clears_it(self):
        plan = teardown_json.loads(DEMO_TEARDOWN.read_bytes())
        early = services.create(self.row.assembly, editing.put_before(plan, ["s6"], "s2"))
        self.page.goto(f"{self.live_server_url}/teardowns/{early.pk}/")
        self.ready()
        self.page.click("#head-s6")
        self.page.wait_for_selector("#card-s6 .found summary >> text=meets")
        if not self.page.locator("#card-s6 .found[open]").count():
            self.page.click("#card-s6 .found summary")
        self.page.wait_for_selector(".remedy")
        self.assertIn("meets", self.page.inner_text("#card-s6"))
        self.keep("snag")

    def test_a_fan_with_its_order(self):
        cleat = self.brought_in(ROOT / "demo/cam_cleat.step")
        self.page.goto(f"{self.live_server_url}/teardowns/{services.create(cleat, core.Teardown('Layers')).pk}/")
        self.ready()
        self.page.keyboard.press("Control+a")
        self.page.wait_for_selector("#canvas[data-ways=shown]")
        self.page.keyboard.press("Shift+2")
        self.page.wait_for_selector("body:has(#canvas[data-ways=shown]) .ways-inner[data-kind=fan]")
        self.assertEqual(self.page.locator(".order-mark").count(), 9)
        self.keep("fan")

    def test_a_turn_pointing_and_an_earlier_state(self):
        self.open_demo()
        page = self.page
        page.evaluate("window.pulley.player.seek(0, false)")
        self.open_menu("views")
        page.click("[data-camera=c2]")
        self.select("Axle nut")
        page.keyboard.press("Shift+4")
        page.wait_for_selector("body:has(#canvas[data-ways=shown]) .ways-inner[data-kind=turn]")
        self.assertEqual(page.locator(".turn-ring").count(), 1)
        self.keep("turn")
        page.click("#head-s2")
        page.wait_for_selector("#card-s2.open")
        page.fill("#distance-s2", "95")
        page.press("#distance-s2", "Enter")
        page.wait_for_selector('#canvas[data-revision="1"]')
        page.keyboard.press("Escape")
        page.evaluate("document.activeElement.blur()")
        page.keyboard.press("y")
        page.click(".entry >> text=Where it began")
        page.wait_for_selector(".looking")
        page.mouse.move(600, 400)
        page.keyboard.press("y")
        page.wait_for_selector(".entries")
        self.keep("history")

    def test_two_revisions(self):
        """The demo's hatch, and a later one: its lid is thicker and has another name, a knob is new, a screw gone."""
        hatch = self.brought_in(ROOT / "demo/round_hatch.step")
        screws = tuple(hatch.components.filter(name__startswith="Rim screw").values_list("path", flat=True))
        plan = services.create(hatch, core.Teardown("Open it", (axial(screws[:5], (0.0, 0.0, 1.0), 60.0),)))
        sheets.create(plan)
        later = round_hatch()
        later.items[1] = Item("Hatch lid", cylinder((0, 0, 20), Z, 95, 9), later.items[1].colour)
        later.items[-1] = Item("Knob", cylinder((0, 0, 29), Z, 12, 18), later.items[-1].colour)
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "round_hatch_b.step"
            write_step(later, path)
            comparison = compare(core_assembly(hatch), read(path))
        made = revisions.keep(hatch, comparison)
        self.page.goto(f"{self.live_server_url}/assemblies/{made.pk}/changes")
        for side in ("#earlier", "#later"):
            self.page.wait_for_selector(f"{side} [data-ready]")
        self.keep("revisions")

    def test_parts_put_together(self):
        row = assembling.begin(self.brought_in(ROOT / "demo/cam_cleat.step"))

        def change(now, flat):
            now = lay_out(now, home_scene(flat))
            ids = {piece.name: piece.id for piece in now.pieces}
            ends = [
                apply(now.poses[ids[name]], np.array(at))
                for name, at in (("Bolt", (0, 0, -36)), ("Base", (-32, -16, 10)))
            ]
            moved, target = (
                Feature("round", ids[name], triple(at), (0.0, 0.0, 1.0), 3.0)
                for name, at in zip(("Bolt", "Base"), ends, strict=True)
            )
            return assembling.Changed(place(now, moved, target), "Bolt on Base")

        assembling.edit(row, 0, change)
        self.page.goto(f"{self.live_server_url}/put-together/{row.pk}/")
        self.page.wait_for_selector("#canvas[data-ready]")
        self.page.click(".tree-line >> text=Bolt >> nth=0")
        self.page.wait_for_selector("#piece >> text=round on round")
        self.keep("put-together")

    def test_the_film(self):
        self.open_demo(self.winch)
        page = self.page
        page.click("#head-s12")
        page.wait_for_selector("#card-s12.open")
        page.click("#timing-menu summary")
        page.click("text=Look at every step")
        page.wait_for_selector("#sights >> text=can be seen")
        self.keep("timing")
        page.click("#timing-menu summary")
        page.keyboard.press("Escape")
        page.click("#share-menu summary")
        page.click("text=+ New link")
        page.wait_for_selector(".link-address")
        page.goto(page.input_value(".link-address"))
        page.wait_for_selector("#canvas[data-ready]")
        page.click(".watch-step >> nth=23")
        page.wait_for_load_state("networkidle")
        image = Image.open(self.picture("watching"))
        self.assertEqual(image.size, (1280, 800))

    def test_what_is_seen_and_a_trail_led_aside(self):
        self.open_demo(self.winch)
        page = self.page
        page.click("#seen-here")
        page.wait_for_selector("#seen >> text=can be seen from here")
        page.click("#seen [data-better]")
        page.wait_for_selector("#better- >> text=%")
        self.keep("seen")
        page.click("#seen-here")
        self.select("Feeder arm")
        self.keep("trail")

    def test_a_proposal(self):
        row = services.create(self.winch.assembly, core.Teardown("Proposed"))
        self.page.goto(f"{self.live_server_url}/teardowns/{row.pk}/")
        self.ready()
        self.page.keyboard.press("Shift+R")
        self.page.click("text=Propose steps")
        self.page.wait_for_selector("#canvas[data-proposal=shown]")
        ready = "() => document.querySelector('.manner') && !document.querySelector('.manner-wait')"
        self.page.wait_for_function(ready, timeout=120_000)
        self.page.wait_for_load_state("networkidle")
        self.picture("proposal")
