"""Bringing in what a newcomer has: a nameless mesh of many bodies, and a folder of files."""

import base64
import io

import trimesh

from tests.browser.base import BrowserCase
from tests.exporting import scene_of
from tests.scenes import AS1, read

DROP = """async (files) => {
    const data = new DataTransfer();
    const whole = (bytes) => Uint8Array.from(atob(bytes), (letter) => letter.charCodeAt(0));
    for (const [name, bytes] of files) data.items.add(new File([whole(bytes)], name));
    document.querySelector("#bring-in").dispatchEvent(new DragEvent("drop", { dataTransfer: data, bubbles: true }));
}"""


def nameless() -> bytes:
    """as1 as one STL: loose triangles, no names, no unit."""
    buffer = io.BytesIO()
    scene_of(read(AS1)).export(buffer, file_type="stl")
    return buffer.getvalue()


class BringingInTests(BrowserCase):
    with_worker = True
    fresh = True

    def test_a_nameless_mesh_is_asked_about_once_and_then_taken_apart(self):
        page = self.page
        page.goto(self.live_server_url)
        page.set_input_files("#file", {"name": "found.stl", "mimeType": "model/stl", "buffer": nameless()})
        page.wait_for_selector(".question")
        self.soon(self.assertIn, "200 mm × 150 mm × 84 mm", lambda: page.inner_text(".question"))
        self.soon(self.assertTrue, lambda: page.is_checked("input[name=units][value=mm]"))
        self.assert_accessible()
        page.reload()  # a question waits for its answer
        page.wait_for_selector(".question")
        page.keyboard.press("Tab")
        page.check("input[name=up][value=z]")
        page.click("text=Bring it in")
        page.wait_for_selector("text=18 components of 5 parts")
        self.soon(self.assertEqual, lambda: page.locator(".question").count(), 0)
        page.click("text=Open in the editor")
        self.ready()
        self.revision = 0
        page.keyboard.press("Shift+R")
        page.click("text=Propose steps")
        page.wait_for_selector("#canvas[data-proposal=shown]")
        page.click("text=Take over what is ticked")
        self.changed()
        self.soon(self.assertRegex, lambda: page.inner_text("#step-summary"), "[3-9] steps, 1[5-8] moved")
        self.soon(self.assertRegex, lambda: page.inner_text("#steps"), "Screw")

    def test_several_dropped_files_are_one_assembly(self):
        page = self.page
        page.goto(self.live_server_url)
        files = []
        for k, name in enumerate(("lid.stl", "base.stl")):
            mesh = trimesh.creation.box((40, 30, 5), trimesh.transformations.translation_matrix((0, 0, 5 * k)))
            files.append([name, base64.b64encode(mesh.export(file_type="stl")).decode()])
        page.evaluate(DROP, files)
        page.wait_for_selector(".question")
        page.click("text=Bring it in")
        page.wait_for_selector("text=2 components of 2 parts")
        self.assert_accessible()
