"""Headless Chromium on the live server, with a real worker; every page is watched while tests use it."""

import atexit
import io
import os
import subprocess
import sys
import time
from functools import cache
from pathlib import Path
from urllib.parse import urlsplit

import numpy as np
from django.contrib.auth import get_user_model
from django.core.management import call_command
from django.db import connection
from django.templatetags.static import static
from django.test import LiveServerTestCase, override_settings
from PIL import Image
from playwright.sync_api import Browser, Page, expect, sync_playwright

from pulley.core import teardown as core
from pulley.web.accounts.models import Preferences
from pulley.web.editor import services
from pulley.web.editor.models import Teardown
from pulley.web.library.models import Assembly
from pulley.web.library.services import add
from tests.browser.chromium import CHROMIUM, FLAGS
from tests.scenes import AS1, ROOT, read
from tests.workers import Beside

# ms; tests wait for what the page says, never for a time; less only while writing them. A worker and the reader that it
# starts need a minute to load while four groups of tests share two cores, and twice that on a slow day
PATIENCE = int(os.environ.get("PULLEY_PATIENCE", "300000"))
# the room as somebody left it who had everything open: what the tests are about can be seen and pressed
ROOM = '{"pinned": true, "chart": "open", "topics": ["time", "view", "trail", "note"], "follow": false}'
expect.set_options(timeout=PATIENCE)
AXE = ROOT / "node_modules/axe-core/axe.min.js"
# once what is seen of the page's changes has reached its end: half-way through a transition colours are none of its own
SETTLED = """async () => {
    await new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)));
    const ending = document.getAnimations().filter((each) =>
        each.effect.target.checkVisibility() && Number.isFinite(each.effect.getComputedTiming().endTime));
    await Promise.allSettled(ending.map((each) => each.finished));
}"""


@cache
def browser() -> Browser:
    """One browser for the whole run."""
    playwright = sync_playwright().start()
    found = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
    atexit.register(playwright.stop)
    atexit.register(found.close)
    return found


@override_settings(FINE=0.5)  # the processor draws, and draws a coarse picture in about half the time
class BrowserCase(LiveServerTestCase):
    """One browser and one database content a run; each test gets a page and, if it wants, a teardown.

    What a class brings in the next one finds, unless it starts with an empty library (``fresh``).
    """

    with_worker = False
    room = ROOM  # what the browser remembers of it at first
    fresh = False

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        if cls.fresh:
            call_command("flush", verbosity=0, interactive=False)
        Preferences.objects.all().delete()
        cls.context = browser().new_context(viewport={"width": 1280, "height": 800})
        kept = f"localStorage.getItem('pulley.room') ?? localStorage.setItem('pulley.room', '{cls.room}')"
        cls.context.add_init_script(f"try {{ {kept} }} catch {{ }}")  # a page that was refused keeps nothing
        cls.context.new_page().goto(cls.live_server_url + static("pulley/mark.svg"))  # the site's process stays for all
        cls.user, _ = get_user_model().objects.get_or_create(username="demo")
        cls.worker = None
        cls.beside = Beside()
        if cls.with_worker:
            cls.worker = cls.start_worker()

    @classmethod
    def start_worker(cls, *words: str) -> subprocess.Popen[bytes]:
        """A worker on the database of the run; with ``--long`` one that makes films."""
        env = {**os.environ, "PULLEY_DB_NAME": connection.settings_dict["NAME"]}
        command = [sys.executable, str(ROOT / "manage.py"), "work", *words]
        return subprocess.Popen(command, env=env, stderr=subprocess.DEVNULL, stdout=subprocess.DEVNULL)

    @classmethod
    def tearDownClass(cls):
        cls.beside.end()
        if cls.worker:
            cls.worker.terminate()
            cls.worker.wait(30)
        cls.context.close()
        super().tearDownClass()

    def _fixture_teardown(self):
        """What one test brought in stays for the next."""

    def setUp(self):
        self.expected = 0  # responses with an error status that the test provokes
        self.page = self.new_page()

    def new_page(self) -> Page:
        """A page whose console, requests and answers are watched; scripts stay in the browser's cache."""
        page = self.context.new_page()
        self.addCleanup(page.close)
        page.set_default_timeout(PATIENCE)
        self.complaints, self.failures = [], []
        page.on("console", lambda m: m.type in ("error", "warning") and self.complaints.append(m.text))
        page.on("pageerror", lambda error: self.complaints.append(str(error)))
        page.on("response", lambda r: r.status >= 400 and self.failures.append(f"{r.status} {r.url}"))
        page.on("request", self.watch_host)
        return page

    def watch_host(self, request):
        if request.url.startswith(("http:", "https:", "ws:")) and urlsplit(request.url).hostname != "localhost":
            self.complaints.append(f"request to another host: {request.url}")

    def tearDown(self):
        status = [c for c in self.complaints if c.startswith("Failed to load resource")]
        software = [c for c in self.complaints if "GPU stall" in c or "swiftshader" in c.lower()]
        self.assertEqual([c for c in self.complaints if c not in status and c not in software], [])
        self.assertEqual(len(self.failures), self.expected, self.failures)
        super().tearDown()

    @classmethod
    def brought_in(cls, file: Path) -> Assembly:
        """An assembly, brought in once a run."""
        assembly = read(file)
        return Assembly.objects.filter(name=assembly.name).first() or add(cls.user, assembly)

    @classmethod
    def as1(cls) -> Assembly:
        """The test assembly."""
        return cls.brought_in(AS1)

    def open_editor(self, *steps: core.Step, name: str = "Plan") -> Teardown:
        """An editor on a new teardown of as1."""
        row = services.create(self.as1(), core.Teardown(name, steps))
        self.page.goto(f"{self.live_server_url}/teardowns/{row.pk}/")
        self.ready()
        self.revision = 0
        return row

    def ready(self):
        """Wait until the canvas has drawn the assembly."""
        self.page.wait_for_selector("#canvas[data-ready]")

    def changed(self, by: int = 1):
        """Wait until the page shows the next revision."""
        self.revision += by
        self.page.wait_for_selector(f'#canvas[data-revision="{self.revision}"]')

    def settled(self):
        """Wait until all that was found about a change is there, so that nothing moves under the pointer."""
        self.page.wait_for_function("""() => !document.querySelector("#checking, .checker, .htmx-request")
            && !document.querySelector("#cards")?.textContent.includes("Looking for")""")

    def select(self, name: str, fold: str = ""):
        """Select in the ledger and wait for the ways out."""
        if not self.page.is_visible("#ledger"):
            self.page.click("#side-open")
        if fold:
            self.page.click(f'[aria-label="Show what is in {fold}"]')
        self.page.click(f'#ledger .row-name:text-is("{name}")')
        self.page.wait_for_selector("#canvas[data-ways=shown]")

    def open_menu(self, name: str):
        """Open a menu of the page, if it is not: ``views``, ``look``, ``timing``."""
        if not self.page.locator(f"#{name}-menu[open]").count():
            self.page.click(f"#{name}-menu > summary")
            self.page.wait_for_selector(f"#{name}-menu[open]")

    def hold_rail(self, axis: str) -> tuple[float, float]:
        """Press a rail near its start, once the pointer is seen to be over it; where that is on the page."""
        rail = f'.rail-group[data-axis="{axis}"]'
        at = """grip => { const [x1, y1, x2, y2] = ['x1', 'y1', 'x2', 'y2'].map(k => Number(grip.getAttribute(k)));
            const { left, top } = document.querySelector('#canvas').getBoundingClientRect();
            return [left + x1 + (x2 - x1) / 5, top + y1 + (y2 - y1) / 5]; }"""
        x, y = self.page.locator(f"{rail} .rail-grip").evaluate(at)
        self.page.mouse.move(x, y)
        self.page.wait_for_selector(f"{rail} .rail-grip:hover", state="attached")
        self.page.mouse.down()
        self.page.wait_for_selector(f"{rail}.held", state="attached")
        return x, y

    def pull_rail(self, axis: str, by: tuple[float, float]):
        """Pull a rail that is held, until the page says how far, without letting go."""
        x, y = self.hold_rail(axis)
        self.page.mouse.move(x + by[0], y + by[1], steps=6)
        self.page.wait_for_function("() => document.querySelector('.rail-group.held .rail-label').textContent !== ''")

    def way(self, axis: str) -> str:
        """What the list says of one way out."""
        return self.page.get_attribute(f'#ways [data-axis="{axis}"]', "data-sentence")

    def offset(self, path: str) -> list[float]:
        """Where the canvas has a component, in mm from home."""
        return self.displacement(path)[:3, 3].tolist()

    def displacement(self, path: str) -> np.ndarray:
        """The rigid displacement (4, 4) from home that the canvas gives a component."""
        columns = self.page.evaluate("path => window.pulley.stage.items.get(path).motion.elements", path)
        return np.array(columns, float).reshape(4, 4).T

    def at_rest(self):
        """Wait until playing is over."""
        self.page.wait_for_selector('#canvas[data-playing="0"]')

    def soon(self, check, *values):
        """Assert what the page will show once it has followed: values that are functions are read until it holds."""
        until = time.monotonic() + PATIENCE / 1000
        while True:
            try:
                return check(*(value() if callable(value) else value for value in values))
            except AssertionError:
                if time.monotonic() > until:
                    raise
                self.page.wait_for_timeout(30)  # lets the page go on

    def pixels(self, locator, mode: str = "L") -> np.ndarray:
        """What an element looks like: grey values, or colours in the mode "RGB"."""
        return np.asarray(Image.open(io.BytesIO(locator.screenshot())).convert(mode)).astype(int)

    def assert_accessible(self):
        """No violation by axe-core, an independent engine for the WCAG rules (npm package)."""
        self.page.evaluate(SETTLED)
        self.page.evaluate(AXE.read_text())
        violations = self.page.evaluate("axe.run().then(result => result.violations)")
        self.assertEqual([(v["id"], [node["target"] for node in v["nodes"]]) for v in violations], [])

    def wait_until(self, holds, seconds: float = PATIENCE / 1000):
        """Wait for something outside the page."""
        until = time.monotonic() + seconds
        while not holds():
            self.assertLess(time.monotonic(), until, "waited in vain")
            time.sleep(0.05)

    def picture(self, name: str):
        """Keep the page as a picture, for docs when PULLEY_PICTURES says so."""
        folder = Path(os.environ.get("PULLEY_PICTURES") or ROOT / "var/test/pictures")
        folder.mkdir(parents=True, exist_ok=True)
        self.page.screenshot(path=folder / f"{name}.png")
        return folder / f"{name}.png"
