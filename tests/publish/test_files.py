"""3D files, guides and tables read back: by Khronos's validator, trimesh, Open CASCADE, lib3mf and Poppler."""

import base64
import contextlib
import csv
import io
import json
import re
import subprocess
import tempfile
import zipfile
import zlib
from collections.abc import Callable
from functools import cache
from pathlib import Path
from unittest import TestCase

import lib3mf
import networkx as nx
import numpy as np
import openpyxl
import pygltflib
import trimesh
from OCP.BRepGProp import BRepGProp
from OCP.GProp import GProp_GProps
from OCP.STEPControl import STEPControl_Reader
from OCP.TopAbs import TopAbs_SOLID
from OCP.TopExp import TopExp_Explorer
from PIL import Image
from scipy.interpolate import CubicHermiteSpline
from scipy.spatial.transform import Rotation, Slerp

from pulley.core.formats import teardown as teardown_json
from pulley.core.geometry.frames import apply
from pulley.core.motion import Turn
from pulley.core.motion.base import Axis
from pulley.core.publish import data, model, pictures, solids
from pulley.core.publish.guide import Guide, guide_html, guide_pdf, present
from pulley.core.score.compose import compose, displacement_at
from pulley.core.store import Folder
from pulley.core.teardown import Camera, Step, Teardown, Tint
from pulley.core.visibility import poses_in
from tests.reference import test_demo_parts
from tests.scenes import (
    AS1,
    DEMO,
    DEMO_TEARDOWN,
    ROOT,
    UP,
    WINCH,
    WINCH_TEARDOWN,
    axial,
    read,
    store,
    teardown,
    tower,
    within_this_process,
)

INSTANTS = 50


@cache
def winch():
    return read(WINCH), teardown_json.loads(WINCH_TEARDOWN.read_text())


@cache
def halyard():
    return read(DEMO), teardown_json.loads(DEMO_TEARDOWN.read_text())


def turning() -> tuple:
    """A tower whose lid is turned twice about an axis beside it while it rises, then goes aside."""
    axis = Axis((20.0, 5.0, 0.0), UP)
    steps = (Step("s1", ("lid",), Turn(axis, 720.0, 4.0)), axial(("lid", "high"), (1.0, 1.0, 0.0), 300.0, "s2"))
    return tower(), Teardown("Turned", steps, tints=(Tint("low", "#336699"),), cameras=VIEWS)


VIEWS = (
    Camera("c1", "Near", (0.0, -90.0, 60.0), (5.0, 5.0, 15.0)),
    Camera("c2", "Flat", (0.0, -90.0, 60.0), (5.0, 5.0, 15.0), projection="parallel"),
)


def validated(glb: bytes) -> dict:
    """What gltf-validator, the Khronos Group's reference validator, says of a GLB."""
    done = subprocess.run(
        ["node", "-e", test_demo_parts.KhronosValidatorTests.SCRIPT],
        input=glb,
        capture_output=True,
        cwd=ROOT,
        check=True,
    )
    return json.loads(done.stdout)


class Read:
    """A GLB read with pygltflib alone: the places of its nodes at an instant of one of its clips."""

    def __init__(self, glb: bytes) -> None:
        self.gltf = pygltflib.GLTF2.load_from_bytes(glb)
        self.blob = self.gltf.binary_blob()

    def numbers(self, accessor: int) -> np.ndarray:
        found = self.gltf.accessors[accessor]
        wide = {"SCALAR": 1, "VEC3": 3, "VEC4": 4}[found.type]
        view = self.gltf.bufferViews[found.bufferView]
        start = view.byteOffset + (found.byteOffset or 0)
        return np.frombuffer(self.blob, "<f4", found.count * wide, start).reshape(found.count, wide).astype(float)

    def clip(self, name: str):
        return next(each for each in self.gltf.animations if each.name == name)

    def places(self, name: str, times: np.ndarray) -> dict[str, np.ndarray]:
        """The poses (n, 4, 4) in mm of every node with a path, by it, at instants (n,) of a clip; interpolated by SciPy
        as the glTF 2.0 specification says."""
        nodes = [node for node in self.gltf.nodes if "path" in (node.extras or {})]
        poses = {node.extras["path"]: np.tile(np.eye(4), (len(times), 1, 1)) for node in nodes}
        for node in nodes:
            poses[node.extras["path"]][:, :3, :3] = Rotation.from_quat(node.rotation or [0, 0, 0, 1]).as_matrix()
            poses[node.extras["path"]][:, :3, 3] = node.translation or [0, 0, 0]
        clip = self.clip(name)
        for channel in clip.channels:
            path = (self.gltf.nodes[channel.target.node].extras or {}).get("path")
            if path:
                value = self.sampled(clip.samplers[channel.sampler], times, channel.target.path)
                if channel.target.path == "translation":
                    poses[path][:, :3, 3] = value
                else:
                    poses[path][:, :3, :3] = Rotation.from_quat(value).as_matrix()
        return poses

    def sampled(self, sampler, at: np.ndarray, path: str) -> np.ndarray:
        times, values = self.numbers(sampler.input)[:, 0], self.numbers(sampler.output)
        at = np.clip(at, times[0], times[-1])
        if sampler.interpolation == "CUBICSPLINE":
            into, value, out = values.reshape(-1, 3, values.shape[1]).transpose(1, 0, 2)
            np.testing.assert_array_equal(into, out)  # one speed at each instant: SciPy's spline has no other
            return CubicHermiteSpline(times, value, into)(at)
        if path == "rotation":
            return Slerp(times, Rotation.from_quat(values))(at).as_quat()
        return np.column_stack([np.interp(at, times, values[:, axis]) for axis in range(values.shape[1])])


@cache
def animated(made: Callable[[], tuple]) -> Read:
    """The GLB that plays one of the plans above, read; once a run, as it takes seconds."""
    return Read(model.animated_glb(*made()))


class AnimatedGlbTests(TestCase):
    def test_the_validator_has_nothing_to_say(self):
        for assembly, plan in (winch(), halyard(), turning(), (tower(), Teardown("No steps"))):
            report = validated(model.animated_glb(assembly, plan))
            self.assertEqual(report["issues"]["numErrors"] + report["issues"]["numWarnings"], 0, report["issues"])
            poses = poses_in(assembly, plan, compose(assembly, plan), 1.0)
            self.assertEqual(validated(model.posed_glb(assembly, plan, poses))["issues"]["numErrors"], 0)

    def test_poses_at_fifty_instants_are_the_scores(self):
        """Within 0.01 mm and 0.01 degrees, both clips."""
        for made in (winch, halyard, turning):
            (assembly, plan), found = made(), animated(made)
            score = compose(assembly, plan)
            times = np.linspace(0, score.duration, INSTANTS)
            for clip, at in (("Explode", times), ("Collapse", score.duration - times)):
                places = found.places(clip, at)
                self.assertLessEqual({leaf.path for leaf in assembly.leaves}, places.keys())
                for path, track in score.tracks.items():
                    wanted = np.array([displacement_at(track, time) for time in times]) @ assembly.leaf(path).pose
                    off = np.linalg.norm(places[path][:, :3, 3] - wanted[:, :3, 3], axis=1)
                    between = places[path][:, :3, :3].transpose(0, 2, 1) @ wanted[:, :3, :3]
                    turned = np.degrees(Rotation.from_matrix(between).magnitude())
                    self.assertLess(off.max(), 0.01, f"mm of {path}, {clip}, at {times[off.argmax()]:.2f} s")
                    self.assertLess(turned.max(), 0.01, f"degrees of {path}, {clip}, at {times[turned.argmax()]:.2f} s")

    def test_names_hierarchy_colours_views_and_trails_are_in_it(self):
        assembly, plan = winch()
        gltf = animated(winch).gltf
        named = {node.extras["path"]: node for node in gltf.nodes if "path" in (node.extras or {})}
        for component in assembly.components:
            self.assertEqual(named[component.path].name, component.name)
            if component.parent:
                inside = {gltf.nodes[k].extras.get("path") for k in named[component.parent].children}
                self.assertIn(component.path, inside)
        self.assertEqual([camera.name for camera in gltf.cameras], [camera.name for camera in plan.cameras])
        self.assertGreater(sum((node.name or "").startswith("Trail of") for node in gltf.nodes), 20)
        tinted = animated(turning).gltf
        colours = [material.pbrMetallicRoughness.baseColorFactor[:3] for material in tinted.materials]
        self.assertEqual(sum(np.allclose(colour, LINEAR_336699, atol=1e-3) for colour in colours), 1)
        self.assertEqual({camera.type for camera in tinted.cameras}, {"perspective", "orthographic"})

    def test_trimesh_finds_everything_where_the_pose_has_it(self):
        assembly, plan = halyard()
        score = compose(assembly, plan)
        poses = poses_in(assembly, plan, score, score.duration)
        scene = trimesh.load(io.BytesIO(model.posed_glb(assembly, plan, poses)), file_type="glb")
        corners = np.concatenate([apply(pose, assembly.leaf(p).part.mesh.vertices) for p, pose in poses.items()])
        low, high = corners.min(0), corners.max(0)
        wanted = np.array([[low[0], low[2], -high[1]], [high[0], high[2], -low[1]]]) / 1000  # metres, Y up
        np.testing.assert_allclose(scene.bounds, wanted, atol=1e-6)


LINEAR_336699 = [0.033105, 0.132868, 0.318547]  # of #336699 by IEC 61966-2-1, worked out by hand


class SolidTests(TestCase):
    def setUp(self):
        self.enterContext(within_this_process())

    def exact(self, content: bytes) -> list[tuple[float, np.ndarray]]:
        """Volume and centre of mass of every solid of a STEP file, by Open CASCADE's plain reader."""
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "pose.step"
            path.write_bytes(content)
            reader = STEPControl_Reader()
            reader.ReadFile(str(path))
            reader.TransferRoots()
            explorer, found = TopExp_Explorer(reader.OneShape(), TopAbs_SOLID), []
            while explorer.More():
                measured = GProp_GProps()
                BRepGProp.VolumeProperties_s(explorer.Current(), measured)
                found.append((measured.Mass(), np.array(measured.CentreOfMass().Coord())))
                explorer.Next()
        return found

    def test_step_has_the_solids_of_the_file_that_came_in(self):
        for path in (DEMO, AS1):
            assembly = read(path)
            home = poses_in(assembly, Teardown("Home"), compose(assembly, Teardown("Home")), 0.0)
            ours = sorted(self.exact(solids.step(assembly, Teardown("Home"), home, Folder(store()))), key=_by_place)
            came = sorted(self.exact(path.read_bytes()), key=_by_place)
            self.assertEqual(len(ours), len(came))
            np.testing.assert_allclose([v for v, _ in ours], [v for v, _ in came], rtol=1e-6)
            np.testing.assert_allclose([c for _, c in ours], [c for _, c in came], atol=1e-4)

    def test_step_has_them_where_the_pose_has_them(self):
        assembly, plan = winch()
        score = compose(assembly, plan)
        home, away = (poses_in(assembly, plan, score, time) for time in (0.0, score.duration))
        at_home, found = (self.exact(solids.step(assembly, plan, poses, Folder(store()))) for poses in (home, away))
        self.assertEqual((len(at_home), len(found)), (len(assembly.leaves), len(assembly.leaves)))
        moved = [away[leaf.path] @ np.linalg.inv(home[leaf.path]) for leaf in assembly.leaves]
        wanted = [apply(pose, middle) for pose, (_, middle) in zip(moved, at_home, strict=True)]
        np.testing.assert_allclose([middle for _, middle in found], wanted, atol=1e-5)

    def test_step_keeps_parts_once_and_names(self):
        assembly, plan = winch()
        text = solids.step(assembly, plan, poses_in(assembly, plan, compose(assembly, plan), 0.0), Folder(store()))
        self.assertEqual(len(re.findall(rb"=\s*MANIFOLD_SOLID_BREP", text)), len(assembly.parts))
        self.assertIn(b"'Dust cap screw", text)

    def test_stl_and_3mf_have_the_volumes(self):
        assembly, plan = halyard()
        poses = poses_in(assembly, plan, compose(assembly, plan), 5.0)
        volume = sum(trimesh.Trimesh(*_shape(assembly.leaf(p)), process=False).volume for p in poses)
        read_back = trimesh.load(io.BytesIO(solids.stl(assembly, poses)), file_type="stl")
        self.assertAlmostEqual(read_back.volume / volume, 1.0, places=5)
        wrapper = lib3mf.get_wrapper()
        found = wrapper.CreateModel()
        reader = found.QueryReader("3mf")
        reader.SetStrictModeActive(True)
        reader.ReadFromBuffer(solids.threemf(assembly, plan, poses))
        self.assertEqual(reader.GetWarningCount(), 0)
        items = found.GetBuildItems()
        self.assertEqual((items.Count(), found.GetUnit()), (len(poses), lib3mf.ModelUnit.MilliMeter))
        total = 0.0
        for path in poses:
            items.MoveNext()
            item = items.GetCurrent()
            body = found.GetMeshObjectByID(item.GetObjectResource().GetResourceID())
            self.assertTrue(body.IsManifoldAndOriented(), path)
            placed = np.array([list(row) for row in item.GetObjectTransform().Fields])
            corners = np.array([list(v.Coordinates) for v in body.GetVertices()]) @ placed[:3] + placed[3]
            triangles = np.array([list(t.Indices) for t in body.GetTriangleIndices()])
            total += trimesh.Trimesh(corners, triangles, process=False).volume
            box = apply(poses[path], assembly.leaf(path).part.mesh.vertices)
            np.testing.assert_allclose([corners.min(0), corners.max(0)], [box.min(0), box.max(0)], atol=1e-3)
        self.assertAlmostEqual(total / volume, 1.0, places=4)


def _by_place(solid):
    volume, centre = solid
    return (round(volume, 2), *np.round(centre, 2))


def _shape(leaf):
    return apply(leaf.pose, leaf.part.mesh.vertices), leaf.part.mesh.triangles


class GuideTests(TestCase):
    """The PDF by Poppler's tools."""

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        assembly, plan = halyard()
        first = plan.steps[0].id
        cls.said = {"Tool": "4 mm hex key", "Torque": "5 N m", "Warning": "The balls roll away.", "Grease": "None"}
        cls.guide = Guide(paper="A4 tall", cells=2, fields={first: cls.said})
        cls.folder = Path(cls.enterClassContext(tempfile.TemporaryDirectory()))
        cls.pdf = cls.folder / "guide.pdf"
        cls.pdf.write_bytes(guide_pdf(assembly, plan, cls.guide))
        cls.steps = [step for step in plan.steps if not step.off]

    def tool(self, *words: str) -> str:
        return subprocess.run([*words], capture_output=True, text=True, check=True).stdout

    def test_pages_paper_and_page_numbers(self):
        info = self.tool("pdfinfo", str(self.pdf))
        pages = int(re.search(r"Pages:\s+(\d+)", info)[1])
        self.assertIn("595.276 x 841.89 pts (A4)", info)
        self.assertTrue(1 + len(self.steps) / 2 <= pages <= 2 + len(self.steps), pages)
        last = self.tool("pdftotext", "-f", str(pages), "-l", str(pages), str(self.pdf), "-")
        self.assertIn(f"{pages} / {pages}", last)

    def test_steps_are_read_in_their_order_with_what_is_said_of_them(self):
        text = " ".join(self.tool("pdftotext", str(self.pdf), "-").split())
        places = [text.find(step.caption or step.label) for step in self.steps]
        self.assertNotIn(-1, places)
        self.assertEqual(places, sorted(places))
        for name, words in self.said.items():
            self.assertIn(name, text)
            self.assertIn(words, text)
        for heading in ("Parts", "Fasteners", "Taking it apart"):
            self.assertIn(heading, text)

    def test_it_is_tagged_and_says_what_its_pictures_show(self):
        self.assertIn("Tagged: yes", " ".join(self.tool("pdfinfo", str(self.pdf)).split()))
        tree = self.tool("pdfinfo", "-struct", str(self.pdf))
        self.assertEqual(len(re.findall(r"^\s*H2", tree, re.M)), len(self.steps) + 2)
        self.assertGreater(tree.count("Figure"), len(self.steps))
        raw = self.pdf.read_bytes()
        self.assertIn(b"/Alt", raw + b"".join(_inflated(raw)))

    def test_pictures_are_in_it(self):
        listed = self.tool("pdfimages", "-list", str(self.pdf)).splitlines()[2:]
        wide = [line for line in listed if int(line.split()[3]) > 1000]
        self.assertGreaterEqual(len(wide), len(self.steps))

    def test_readable_in_black_and_white(self):
        """In grey, what moves is darker than what stays: compared where a picture with and one without it differ."""
        assembly, plan = tower(), teardown(axial(("lid",), UP, 30.0))
        page = guide_html(assembly, plan, Guide(cells=1, cover=False, list_of_parts=False))
        drawn = base64.b64decode(re.search(r'src="data:image/svg\+xml;base64,([^"]+)"', page)[1]).decode()
        png = base64.b64decode(re.search(r'href="data:image/png;base64,([^"]+)"', drawn)[1])
        grey = np.asarray(Image.open(io.BytesIO(png)).convert("L")).astype(int)
        rows = np.nonzero((grey < 250).any(1))[0]
        lid = grey[rows[0] : rows[0] + len(rows) // 6]
        rest = grey[rows[-1] - len(rows) // 3 : rows[-1]]
        self.assertLess(np.median(lid[lid < 250]), np.median(rest[rest < 250]) - 25)
        self.assertIn("<polygon", drawn, "an arrow along the motion")

    def test_the_web_page_has_everything_in_it(self):
        assembly, plan = halyard()
        page = guide_html(assembly, plan, Guide(cells=4, cover=False, list_of_parts=False))
        self.assertEqual(page.count('class="cell"'), len(self.steps))
        self.assertNotRegex(page, r'(src|href)="(?!data:|#)')

    def test_what_went_away_for_good_is_not_shown_and_the_rest_is(self):
        assembly, plan = tower(), teardown(axial(("lid",), UP, 9.0, "a"), axial(("high",), UP, 9.0, "b"))
        shown, moving = present(assembly, plan, [plan.steps[1]])
        self.assertEqual((shown, moving), ({"low", "middle", "high"}, {"high"}))
        self.assertEqual(present(assembly, plan, [plan.steps[0]])[0], {"low", "middle", "high", "lid"})

    def test_put_together_it_runs_backward_and_joined_steps_share_a_picture(self):
        assembly, plan = tower(), teardown(*(axial((name,), UP, 9.0, name) for name in ("lid", "high", "middle")))
        page = guide_html(assembly, plan, Guide(way="together", cover=False))
        order = [page.find(f">Step {name}<") for name in ("middle", "high", "lid")]
        self.assertEqual(order, sorted(order))
        self.assertIn("Step 1: Step middle. Add 1 × middle.", page)
        joined = guide_html(assembly, plan, Guide(joined=("high",)))
        self.assertEqual(joined.count('class="cell"'), 2)
        self.assertIn("Step lid and Step high", joined)


def _inflated(raw: bytes) -> list[bytes]:
    """The streams of a PDF, unpacked as far as they are packed with zlib."""
    found = []
    for piece in re.findall(rb"stream\r?\n(.*?)\r?\nendstream", raw, re.S):
        with contextlib.suppress(zlib.error):
            found.append(zlib.decompress(piece))
    return found


class PictureTests(TestCase):
    def test_a_picture_of_every_step_named_by_step(self):
        assembly, plan = tower(), teardown(axial(("lid",), UP, 9.0, "a"), axial(("high",), UP, 9.0, "b"))
        with zipfile.ZipFile(io.BytesIO(pictures.step_set(assembly, plan, (96, 64)))) as pack:
            self.assertEqual(pack.namelist(), ["00 assembled.png", "01 Step a.png", "02 Step b.png"])
            for name in pack.namelist():
                self.assertEqual(Image.open(io.BytesIO(pack.read(name))).size, (96, 64))

    def test_up_to_8k_and_no_further(self):
        assembly, plan = tower(), teardown(axial(("lid",), UP, 9.0))
        image = Image.open(io.BytesIO(pictures.picture(assembly, plan, 1.0, (7680, 100), "clear", soft=False)))
        self.assertEqual((image.size, image.mode), ((7680, 100), "RGBA"))
        with self.assertRaisesRegex(Exception, "64 to 8192"):
            pictures.picture(assembly, plan, 1.0, (9000, 100))

    def test_a_line_drawing_is_svg_with_lines(self):
        assembly, plan = halyard()
        for time in (0.0, 3.3, compose(assembly, plan).duration):
            drawn = pictures.line_drawing(assembly, plan, time)
            self.assertIn("<svg", drawn[:200])
            self.assertGreater(drawn.count("<path"), 20)


class TableTests(TestCase):
    def test_steps_as_csv_and_xlsx(self):
        assembly, plan = halyard()
        lines = list(csv.reader(io.StringIO(data.steps_csv(assembly, plan).decode("utf-8-sig"))))
        self.assertEqual(len(lines), len(plan.steps) + 1)
        self.assertEqual(lines[0][:4], ["Step", "Label", "Parts", "Motion"])
        page = openpyxl.load_workbook(io.BytesIO(data.steps_xlsx(assembly, plan))).active
        self.assertEqual([cell.value for cell in page[2]][:2], [1, plan.steps[0].label])
        bars = compose(assembly, plan).steps
        self.assertAlmostEqual(page.cell(3, 8).value, bars[1].end, places=3)

    def test_what_blocks_what_has_the_known_answers_of_as1(self):
        """CAx-IF assembly as1: every nut under the plate is free along -Z; no bolt is; GraphML read by networkx."""
        assembly = read(AS1)
        graph = nx.read_graphml(io.BytesIO(data.graphml(data.blocking_graph(assembly, Teardown("as1")))))
        self.assertEqual(graph.number_of_nodes(), 18)
        down = {a for a, _, e in graph.edges(data=True) if e["direction"] == "0 0 -1"}
        nuts = [leaf.path for leaf in assembly.leaves if leaf.part.name == "nut" and "rod" not in leaf.path]
        bolts = [leaf.path for leaf in assembly.leaves if leaf.part.name == "bolt"]
        self.assertEqual((len(nuts), len(bolts)), (6, 6))
        self.assertFalse(down & set(nuts))
        self.assertTrue(set(bolts) <= down)
        told = json.loads(data.graph_json(data.blocking_graph(assembly, Teardown("as1"))))
        self.assertEqual(len(told["edges"]), graph.number_of_edges())
