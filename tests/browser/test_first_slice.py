"""A newcomer's first hour: bring in a file, take the rod off and then the bolt, play, leave, come back, undo."""

from tests.browser.base import BrowserCase
from tests.scenes import AS1

ROD = "as1/rod-assembly_1/rod_1"
BOLT = "as1/l-bracket-assembly_1/nut-bolt-assembly_1/bolt_1"


class FirstSliceTests(BrowserCase):
    with_worker = True
    fresh = True

    def test_the_whole_first_slice(self):
        page = self.page
        page.goto(self.live_server_url)
        page.wait_for_selector("text=Nothing here yet")
        self.assert_accessible()
        page.set_input_files("#file", AS1)
        page.click("text=Open in the editor")
        self.ready()
        self.revision = 0

        self.select("1 bolt_1", fold="bolt")
        self.soon(self.assertEqual, lambda: self.way("+Z"), "Up, 22.0 mm, then rod_1")
        self.select("rod_1")
        self.soon(self.assertEqual, lambda: self.way("+X"), "Right, clear")
        page.click('#ways [data-axis="+X"]')
        self.changed()
        self.soon(self.assertGreater, lambda: self.offset(ROD)[0], 100)

        self.select("1 bolt_1")
        self.soon(self.assertEqual, lambda: self.way("+Z"), "Up, clear")
        page.click('#ways [data-axis="+Z"]')
        self.changed()
        self.soon(self.assertIn, "2 steps, 2 moved, 16 not", lambda: page.inner_text("#step-summary"))
        page.wait_for_selector("#step-summary >> text=clear")
        self.soon(self.assertGreater, lambda: int(page.get_attribute("#canvas", "data-trails")), 10)
        exploded = [self.offset(path) for path in (ROD, BOLT)]

        page.click("#collapse")
        self.at_rest()
        self.soon(self.assertEqual, lambda: [self.offset(path) for path in (ROD, BOLT)], [[0, 0, 0], [0, 0, 0]])
        self.soon(self.assertEqual, lambda: page.get_attribute("#canvas", "data-trails"), "0")
        page.click("#explode")
        self.at_rest()
        self.soon(self.assertEqual, lambda: [self.offset(path) for path in (ROD, BOLT)], exploded)

        address = page.url
        page.close()
        self.context.clear_cookies()
        self.page = page = self.new_page()
        page.goto(address)
        self.ready()
        self.soon(self.assertIn, "2 steps", lambda: page.inner_text("#step-summary"))
        page.click("#undo")
        self.changed()
        self.soon(self.assertIn, "1 step, 1 moved, 17 not", lambda: page.inner_text("#step-summary"))
        self.soon(self.assertEqual, lambda: self.offset(BOLT), [0, 0, 0])
        page.keyboard.press("Control+Shift+z")
        self.changed()
        self.soon(self.assertEqual, lambda: self.offset(BOLT), exploded[1])

    def test_bad_files_are_explained_in_the_page(self):
        page = self.page
        page.goto(self.live_server_url)
        bad = {"empty.step": b"", "photo.step": b"\x89PNG", "half.stp": AS1.read_bytes()[:100_000]}
        for name, advice in (("empty.step", "is empty"), ("photo.step", "not a STEP file"), ("half.stp", "cut short")):
            page.set_input_files("#file", {"name": name, "mimeType": "application/step", "buffer": bad[name]})
            page.wait_for_selector(f"#notice >> text={advice}")
            self.expected += 1
        self.assert_accessible()
        page.evaluate("document.querySelector('#bring-in').dataset.limit = 1000")
        page.set_input_files("#file", AS1)
        page.wait_for_selector("#notice >> text=Nothing was brought in")

    def test_a_dropped_file_is_read_and_its_fault_is_shown(self):
        page = self.page
        page.goto(self.live_server_url)
        data = AS1.read_text(encoding="latin-1")
        script = """([text]) => {
            const data = new DataTransfer();
            data.items.add(new File([text], "broken.step"));
            const drop = new DragEvent("drop", { dataTransfer: data, bubbles: true });
            document.querySelector("#bring-in").dispatchEvent(drop);
        }"""
        page.evaluate(script, [data[:3000] + data[-3000:]])
        page.wait_for_selector(".job-failed")
        self.soon(
            self.assertRegex, lambda: page.inner_text(".job-failed"), "broken.step|no shape|no solids|cannot be read"
        )
        self.assert_accessible()
