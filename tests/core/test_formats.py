"""Teardown JSON, the geometry store, glTF, cameras and pictures."""

import io
import json
import struct
import tempfile
from pathlib import Path
from unittest import TestCase

import numpy as np
from PIL import Image

from pulley.core.camera import camera_frame, fitted, project
from pulley.core.errors import PulleyError
from pulley.core.formats import teardown as teardown_json
from pulley.core.formats.gltf import linear, to_glb
from pulley.core.formats.teardown.upgrade import UPGRADES, VERSION, upgraded
from pulley.core.geometry.frames import unit, view_frame
from pulley.core.geometry.mesh import Mesh, box_mesh
from pulley.core.render.painter import png, render
from pulley.core.render.scene import plain_scene
from pulley.core.store import Folder, from_record, to_record
from pulley.core.teardown import Camera
from pulley.core.trails import anchor
from tests.scenes import DEMO, DEMO_TEARDOWN, ROOT, boxes, read, tower

SAMPLE = {
    "format": "pulley-teardown",
    "version": 1,
    "name": "Sample",
    "units": "mm",
    "steps": [
        {"id": "s1", "kind": "axial", "members": ["lid"], "direction": [0, 0, 1], "distance": 60, "mood": "calm"},
        {"id": "s2", "kind": "path", "members": ["high"], "waypoints": [[0, 0, 30]], "smooth": False},
    ],
    "cameras": [{"id": "c1", "name": "Front", "eye": [0, -9, 0], "target": [0, 0, 0], "lens": "old"}],
    "weather": {"sky": "grey"},
}

CAMERA = SAMPLE["cameras"][0]


class TeardownJsonTests(TestCase):
    def test_unknown_keys_survive_a_round_trip(self):
        again = json.loads(teardown_json.dumps(teardown_json.from_document(SAMPLE)))
        self.assertEqual(again["weather"], {"sky": "grey"})
        self.assertEqual(again["steps"][0]["mood"], "calm")
        self.assertEqual(again["steps"][1]["waypoints"], [[0, 0, 30]])
        self.assertEqual(again["cameras"][0]["lens"], "old")

    def test_writing_and_reading_again_is_the_same(self):
        teardown = teardown_json.loads(DEMO_TEARDOWN.read_bytes())
        self.assertEqual(teardown_json.loads(teardown_json.dumps(teardown)), teardown)

    def test_the_published_schema_is_the_one_in_force(self):
        written = ROOT / "docs/teardown.schema.json"
        how = "run: .venv/bin/python -m pulley.core.formats.teardown.schema > docs/teardown.schema.json"
        self.assertEqual(json.loads(written.read_text()), teardown_json.schema(), how)

    def test_documents_are_upgraded_version_by_version(self):
        steps = {
            1: lambda old: old | {"version": 2, "way": [*old.get("way", ()), "1 to 2"]},
            2: lambda old: old | {"version": 3, "way": [*old["way"], "2 to 3"]},
        }
        self.assertEqual(upgraded({"version": 1}, steps, 3)["way"], ["1 to 2", "2 to 3"])
        self.assertEqual(upgraded({"version": 2, "way": []}, steps, 3)["way"], ["2 to 3"])
        self.assertEqual(upgraded({"version": 3}, steps, 3), {"version": 3})
        with self.assertRaisesRegex(PulleyError, "version 4; this Pulley reads up to 3"):
            upgraded({"version": 4}, steps, 3)
        self.assertEqual(
            set(UPGRADES), set(range(1, VERSION)), "an upgrade, and a test with a file, for each old version"
        )

    def test_refusals(self):
        step = SAMPLE["steps"][0]
        wrong = {
            "cannot be read": "{",
            '"format"': json.dumps({"version": 1, "steps": []}),
            "version": json.dumps(SAMPLE | {"version": 2}),
            "Infinity": json.dumps(SAMPLE | {"steps": [step | {"distance": float("inf")}]}),
            "NaN": json.dumps(SAMPLE | {"steps": [step | {"distance": float("nan")}]}),
            "Step s1: distance: -3 is not above 0": json.dumps(SAMPLE | {"steps": [step | {"distance": -3}]}),
            "Step s1: direction is no direction": json.dumps(SAMPLE | {"steps": [step | {"direction": [0, 0, 0]}]}),
            "two steps have the id s1": json.dumps(SAMPLE | {"steps": [step, step]}),
            "Step s1: members": json.dumps(SAMPLE | {"steps": [step | {"members": []}]}),
            "not a teardown": "[" * 100_000,
            "24 levels deep": json.dumps(SAMPLE | {"weather": json.loads("[" * 60 + "]" * 60)}),
            "larger than any number": json.dumps(SAMPLE)[:-1] + ', "far": 1e999}',
            "400 digits": json.dumps(SAMPLE)[:-1] + f', "far": {"9" * 400}}}',
            "half a character": json.dumps(SAMPLE | {"weather": "\ud83d"}),
            "steps has 100,000 entries; 2,000 fit": json.dumps(SAMPLE | {"steps": [{"id": "s"}] * 100_000}),
            "steps: 5": json.dumps(SAMPLE | {"steps": 5}),
            "does not know take 97 KB; 64 KB": json.dumps(SAMPLE | {"weather": "x" * 100_000}),
            "not know take": json.dumps(SAMPLE | {"steps": [step | {"mood": "x" * 100_000}]}),
            "over 8 MB": " " * (9 * 2**20),
            "eye is where its target is": json.dumps(SAMPLE | {"cameras": [CAMERA | {"eye": CAMERA["target"]}]}),
            "has no up": json.dumps(SAMPLE | {"cameras": [CAMERA | {"up": [0, 0, 0]}]}),
            "fits has": json.dumps(SAMPLE | {"fits": [{"a": "a", "b": "b"}] * 30_000}),
        }
        for advice, text in wrong.items():
            with self.subTest(advice), self.assertRaisesRegex(PulleyError, advice):
                teardown_json.loads(text)

    def test_members_must_exist(self):
        with self.assertRaisesRegex(PulleyError, "“high”, which this assembly does not have"):
            teardown_json.check_members(boxes(lid=((1, 1, 1), (0, 0, 0))), teardown_json.from_document(SAMPLE))


class StoreTests(TestCase):
    def test_an_assembly_survives_the_store(self):
        made = read(DEMO)
        with tempfile.TemporaryDirectory() as folder:
            again = from_record(json.loads(json.dumps(to_record(made, Folder(Path(folder))))), Folder(Path(folder)))
        self.assertEqual([c.path for c in again.components], [c.path for c in made.components])
        for a, b in zip(again.leaves, made.leaves, strict=True):
            np.testing.assert_array_equal(a.pose, b.pose)
            self.assertEqual(a.part.mesh.key, b.part.mesh.key)
            self.assertEqual(a.part.mesh.cylinders, b.part.mesh.cylinders)

    def test_lost_geometry_is_said(self):
        with tempfile.TemporaryDirectory() as folder:
            record = to_record(tower(), Folder(Path(folder)))
            for file in Path(folder).rglob("*.npz"):
                file.unlink()
            with self.assertRaisesRegex(PulleyError, "is missing"):
                from_record(record, Folder(Path(folder)))

    def test_mesh_bytes_round_trip(self):
        mesh = read(DEMO).leaves[0].part.mesh
        self.assertEqual(Mesh.from_bytes(mesh.to_bytes()).key, mesh.key)


class GltfTests(TestCase):
    def document(self, data: bytes) -> dict:
        length = struct.unpack_from("<I", data, 12)[0]
        return json.loads(data[20 : 20 + length])

    def test_instances_share_one_mesh_and_carry_their_paths(self):
        made = read(DEMO)
        document = self.document(to_glb(made))
        nodes = [n for n in document["nodes"] if "mesh" in n]
        self.assertEqual([n["extras"]["path"] for n in nodes], [leaf.path for leaf in made.leaves])
        self.assertEqual(len(document["meshes"]), len(made.parts))
        balls = {n["mesh"] for n in nodes if "/Ball" in n["extras"]["path"]}
        self.assertEqual(len(balls), 1)

    def test_millimetres_z_up_become_metres_y_up(self):
        document = self.document(to_glb(boxes(a=((1, 1, 1), (0, 0, 100)))))
        matrix = np.array(document["nodes"][0]["matrix"]).reshape(4, 4).T
        np.testing.assert_allclose(matrix @ [0, 0, 100, 1], [0, 0.1, 0, 1])

    def test_colours_are_made_linear(self):
        # IEC 61966-2-1, from memory: sRGB 0.5 is 0.2140 linear
        self.assertAlmostEqual(linear((0.5, 0, 1))[0], 0.2140, places=4)

    def test_the_same_assembly_gives_the_same_bytes(self):
        self.assertEqual(to_glb(tower()), to_glb(tower()))


class FrameTests(TestCase):
    def test_view_frames_are_right_handed_and_exact_on_axes(self):
        for direction in np.vstack([np.eye(3), -np.eye(3), [[1, 2, 3]]]):
            frame = view_frame(direction)
            np.testing.assert_allclose(frame @ frame.T, np.eye(3), atol=1e-12)
            self.assertAlmostEqual(np.linalg.det(frame), 1.0)
        self.assertEqual(set(np.unique(view_frame(np.array([0, 0, -1.0])))), {-1.0, 0.0, 1.0})

    def test_no_direction(self):
        with self.assertRaises(ValueError):
            unit(np.zeros(3))


class CameraTests(TestCase):
    def test_every_view_has_a_frame_also_along_its_up_and_without_any(self):
        for up in ((0.0, 0.0, 1.0), (0.0, 0.0, -1.0), (0.0, 0.0, 0.0), (0.0, 1.0, 0.0)):
            for eye in ((0.0, 0.0, 9.0), (0.0, 0.0, -9.0), (0.0, -9.0, 0.0), (0.0, 9.0, 0.0)):
                frame = camera_frame(Camera("", "", eye, (0.0, 0.0, 0.0), up))
                np.testing.assert_allclose(frame @ frame.T, np.eye(3), atol=1e-12)
                np.testing.assert_allclose(frame[2], np.array(eye) / 9)
                self.assertAlmostEqual(float(np.linalg.det(frame)), 1.0)

    def test_a_fitted_view_holds_everything_and_wastes_little(self):
        points = np.random.default_rng(7).uniform(-50, 80, (200, 3))
        for direction in ((0.62, -0.66, 0.43), (0, 0, 1), (0, -1, 0)):
            seen = project(fitted(points, direction, aspect=1.5), points, 300, 200)
            self.assertTrue((seen[:, 0] > 0).all() and (seen[:, 0] < 300).all())
            self.assertTrue((seen[:, 1] > 0).all() and (seen[:, 1] < 200).all())
            used = np.ptp(seen[:, :2], axis=0) / (300, 200)
            self.assertGreater(used.max(), 0.75)

    def test_projection_by_hand(self):
        # a pinhole by similar triangles: 10 mm at 100 mm under 2 atan(0.5) of height 200 px is 20 px
        view = Camera("", "", (0, -100, 0), (0, 0, 0), fov=float(np.degrees(2 * np.arctan(0.5))))
        np.testing.assert_allclose(project(view, np.array([[10.0, 0, 0]]), 200, 200)[0, :2], [120, 100])
        self.assertEqual(project(view, np.array([[0.0, -200, 0]]), 200, 200)[0, 2], -np.inf)

    def test_looking_straight_down_has_a_frame(self):
        frame = camera_frame(Camera("", "", (0, 0, 9), (0, 0, 0)))
        np.testing.assert_allclose(frame @ frame.T, np.eye(3), atol=1e-12)


class PictureTests(TestCase):
    def test_a_picture_shows_what_is_there(self):
        made = tower()
        home = {leaf.path: leaf.pose for leaf in made.leaves}
        image = Image.open(io.BytesIO(png(made, home, size=(80, 60))))
        self.assertEqual((image.format, image.size), ("PNG", (80, 60)))
        pixels = np.asarray(image).reshape(-1, 3)
        paper = (pixels == pixels[0]).all(1).mean()
        self.assertTrue(0.3 < paper < 0.95, paper)

    def test_the_nearer_component_hides_the_other(self):
        made = boxes(near=((10, 1, 10), (0, 0, 0)), far=((10, 1, 10), (0, 20, 0)))
        for leaf, colour in zip(made.leaves, ((1.0, 0.0, 0.0), (0.0, 0.0, 1.0)), strict=True):
            object.__setattr__(leaf, "colour", colour)
        view = Camera("", "", (5, -100, 5), (5, 0, 5))
        middle = render(plain_scene(made, {leaf.path: leaf.pose for leaf in made.leaves}, view), (60, 60))[30, 30]
        self.assertGreater(int(middle[0]), int(middle[2]) + 100)

    def test_nothing_to_draw_is_paper(self):
        self.assertEqual(len(np.unique(render(plain_scene(tower(), {}), (8, 6)).reshape(-1, 4), axis=0)), 1)


class AnchorTests(TestCase):
    def test_a_screw_is_anchored_on_its_axis_at_the_trailing_end(self):
        made = read(DEMO)
        screw = made.by_path["Halyard block/Cheek screw"]
        x, y, _ = screw.pose[:3, 3]
        np.testing.assert_allclose(
            anchor(screw, np.array([0, 0, 60.0])), [x, y, 1.0], atol=1e-6
        )  # z of the tip: 20 + 1 - 20

    def test_other_travels_and_shapes_start_at_the_middle(self):
        made = read(DEMO)
        screw = made.by_path["Halyard block/Cheek screw"]
        self.assertAlmostEqual(anchor(screw, np.array([50.0, 0, 0]))[2], (1 + 26) / 2, places=6)
        np.testing.assert_allclose(anchor(tower().leaves[3], np.array([0, 0, 9.0])), [5, 5, 40])

    def test_box_volume(self):
        self.assertAlmostEqual(box_mesh((0, 0, 0), (2, 3, 4)).volume, 24.0)
