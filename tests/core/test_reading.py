"""Files of every format as they come: what they say, what they leave open, and what is wrong with them."""

import io
import json
import tempfile
import zipfile
from pathlib import Path
from unittest import TestCase, mock

import numpy as np
import trimesh
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox
from OCP.BRepTools import BRepTools

from pulley.core.assembly import Assembly
from pulley.core.errors import PulleyError
from pulley.core.formats import registry, sets
from pulley.core.formats.gltf import to_glb
from pulley.core.formats.gltf.read import read as read_gltf
from pulley.core.formats.reading import Wanted
from tests import loose
from tests.exporting import scene_of
from tests.mutations import outcomes
from tests.scenes import AS1, boxes, read, read_here

CAX = AS1.parent
OBJ = """mtllib paint.mtl
o Frame
g rail
usemtl red
v 0 0 0
v 10 0 0
v 10 10 0
v 0 10 0
v 0 0 5
v 10 0 5
v 10 10 5
v 0 10 5
f 4 3 2 1
f 5 6 7 8
f 1 2 6 5
f 2 3 7 6
f -6 -5 -1 -2
f 4 1 5 8
"""


class FolderCase(TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def write(self, name: str, data: bytes | str) -> Path:
        path = self.folder / name
        path.write_bytes(data.encode() if isinstance(data, str) else data)
        return path

    def bring(self, name: str, data: bytes | str, **wanted) -> Assembly:
        return read_here(self.write(name, data), **wanted)

    def refuse(self, advice: str, name: str, data: bytes | str) -> None:
        with self.assertRaisesRegex(PulleyError, advice):
            self.bring(name, data)

    def zipped(self, **files: bytes | str) -> bytes:
        buffer = io.BytesIO()
        with zipfile.ZipFile(buffer, "w") as archive:
            for name, data in files.items():
                archive.writestr(name.replace("__", "/").replace("_DOT_", "."), data)
        return buffer.getvalue()


class ObjTests(FolderCase):
    def test_objects_groups_colours_quads_and_numbers_that_count_back(self):
        made = self.bring("frame.zip", self.zipped(frame_DOT_obj=OBJ, paint_DOT_mtl="newmtl red\nKd 1 0 0.5\n"))
        (leaf,) = made.leaves
        self.assertEqual((leaf.name, leaf.colour, leaf.part.mesh.volume), ("Frame", (1.0, 0.0, 0.5), 500.0))
        self.assertEqual(made.asked, ("unit", "up"))

    def test_a_missing_colour_file_is_named_and_the_rest_is_there(self):
        made = self.bring("frame.obj", OBJ)
        self.assertEqual((made.missing, len(made.leaves)), (("paint.mtl",), 1))
        self.assertTrue(any("paint.mtl" in note for note in made.notes), made.notes)

    def test_units_and_axes_that_were_said(self):
        for unit, scale in (("mm", 1), ("cm", 10), ("m", 1000), ("in", 25.4)):
            made = self.bring("frame.obj", OBJ, units=unit, up="y")
            np.testing.assert_allclose(made.bounds[1] - made.bounds[0], np.array([10, 5, 10]) * scale, rtol=1e-9)
            self.assertEqual(made.asked, ())
        with self.assertRaisesRegex(PulleyError, "Units of miles are not known"):
            Wanted(units="miles")

    def test_what_is_wrong_is_said_with_its_line(self):
        for line, advice in (
            ("f 1 2", "line 23 is a face of 2"),
            ("f 1 2 x", "“x” where"),
            ("f 1 2 99", "names corner 99"),
        ):
            self.refuse(advice, "frame.obj", OBJ + "\n\n\n\n" + line + "\n")
        self.refuse("no three numbers", "frame.obj", OBJ + "v 1 two 3\n")
        self.refuse("holds no solids", "frame.obj", "v 0 0 0\nv 1 1 1\n")

    def test_names_in_any_script_and_a_thousand_materials(self):
        text = OBJ.replace("Frame", "Кришка 盖子 غطاء").replace(
            "usemtl red", "\n".join(f"usemtl m{k}" for k in range(1000))
        )
        self.assertEqual(self.bring("frame.obj", text).leaves[0].name, "Кришка 盖子 غطاء")


class GltfTests(FolderCase):
    def test_metres_and_y_up_become_mm_and_z_up(self):
        found = self.bring("own.glb", to_glb(boxes(a=((10, 20, 30), (0, 0, 0)), b=((5, 5, 5), (50, 0, 0)))))
        np.testing.assert_allclose(found.bounds, [[0, 0, 0], [55, 20, 30]], atol=1e-4)
        self.assertEqual(found.asked, ())

    def test_meshes_that_copies_share_or_do_not_are_one_part(self):
        scene = trimesh.Scene()
        for k in range(4):
            shape = trimesh.creation.box((10, 20, 30))
            shape.apply_transform(trimesh.transformations.random_rotation_matrix())
            shape.apply_translation((60 * k, 0, 0))
            scene.add_geometry(shape, node_name=f"node_{k}", geom_name=f"mesh_{k}")
        made = self.bring("four.glb", scene.export(file_type="glb"), units="mm", firm=True)
        self.assertEqual([(part.name, count) for part, count in made.parts], [("Body 30 × 20 × 10", 4)])

    def test_a_model_of_a_size_that_no_machine_has_is_asked_about(self):
        scene = trimesh.Scene([trimesh.creation.box((120, 80, 40))])  # mm, where glTF has metres
        self.assertEqual(self.bring("large.glb", scene.export(file_type="glb")).asked, ("unit",))
        mended = self.bring("large.glb", scene.export(file_type="glb"), units="mm", firm=True)
        np.testing.assert_allclose(mended.bounds[1] - mended.bounds[0], [120, 40, 80], atol=1e-3)

    def test_packed_by_draco_and_by_meshopt(self):
        plain = read_gltf(self.write("plain.glb", to_glb(read(AS1))))
        count = sum(len(item.mesh.triangles) for item in plain.roots[0].children)
        for name, packed in (("draco", self.draco), ("meshopt", self.meshopt)):
            made = self.bring(f"{name}.glb", packed())
            self.assertEqual((len(made.leaves), len(made.parts)), (18, 5), name)
            self.assertEqual(sum(len(leaf.part.mesh.triangles) for leaf in made.leaves), count, name)
            rod = next(leaf for leaf in made.leaves if "rod" in leaf.name and leaf.part.mesh.volume < 20_000)
            self.assertLess(abs(rod.part.mesh.cylinders[0].radius - 5), 0.05)

    def document(self) -> tuple[dict, bytearray]:
        data = to_glb(read(AS1))
        size = int.from_bytes(data[12:16], "little")
        return json.loads(data[20 : 20 + size]), bytearray(data[28 + size :])

    def whole(self, document: dict, blob: bytes) -> bytes:
        text = json.dumps(document).encode()
        text += b" " * (-len(text) % 4)
        blob = bytes(blob) + b"\0" * (-len(blob) % 4)
        chunks = len(text).to_bytes(4, "little") + b"JSON" + text + len(blob).to_bytes(4, "little") + b"BIN\0" + blob
        return b"glTF" + (2).to_bytes(4, "little") + (12 + len(chunks)).to_bytes(4, "little") + chunks

    def rows(self, document: dict, blob: bytes, number: int, kind: str, width: int) -> np.ndarray:
        accessor = document["accessors"][number]
        view = document["bufferViews"][accessor["bufferView"]]
        return np.frombuffer(bytes(blob), kind, accessor["count"] * width, view["byteOffset"]).reshape(-1, width)

    def draco(self) -> bytes:
        """The file with every surface packed by DracoPy, in 14 bits a coordinate, as common tools do."""
        import DracoPy

        document, blob = self.document()
        for mesh in document["meshes"]:
            mesh["primitives"] = mesh["primitives"][:1]
            surface = mesh["primitives"][0]
            points = self.rows(document, blob, surface["attributes"]["POSITION"], "<f4", 3)
            faces = self.rows(document, blob, surface["indices"], "<u4", 1).reshape(-1, 3)
            packed = DracoPy.encode(points, faces, quantization_bits=14)
            document["bufferViews"].append({"buffer": 0, "byteOffset": len(blob), "byteLength": len(packed)})
            blob += packed
            where = {"bufferView": len(document["bufferViews"]) - 1, "attributes": {"POSITION": 0}}
            surface["extensions"] = {"KHR_draco_mesh_compression": where}
        document["buffers"][0]["byteLength"] = len(blob)
        document["extensionsRequired"] = ["KHR_draco_mesh_compression"]
        return self.whole(document, blob)

    def meshopt(self) -> bytes:
        """The file with its corners and triangles packed by meshoptimizer's encoders."""
        import meshoptimizer

        document, blob = self.document()
        made = bytearray()
        for accessor in document["accessors"]:
            view = document["bufferViews"][accessor["bufferView"]]
            raw = bytes(blob[view["byteOffset"] : view["byteOffset"] + view["byteLength"]])
            stride = 12 if accessor["type"] == "VEC3" else 4
            if stride == 12:
                rows = np.frombuffer(raw, np.float32).reshape(-1, 3)
                packed = bytes(meshoptimizer.encode_vertex_buffer(rows, len(rows), 12))
                mode = "ATTRIBUTES"
            else:
                rows = np.frombuffer(raw, np.uint32)
                lines = len(rows) % 3 or accessor["count"] != len(rows)
                mode = "INDICES" if lines else "TRIANGLES"
                encode = meshoptimizer.encode_index_sequence if lines else meshoptimizer.encode_index_buffer
                packed = bytes(encode(rows, len(rows), int(rows.max()) + 1))
            held = {"buffer": 0, "byteOffset": len(made), "byteLength": len(packed), "byteStride": stride}
            view["extensions"] = {"EXT_meshopt_compression": held | {"mode": mode, "count": len(raw) // stride}}
            made += packed
        document["buffers"][0]["byteLength"] = len(made)
        return self.whole(document, made)

    def test_damaged_tables(self):
        document, blob = self.document()
        for change, advice in (
            (lambda d: d["nodes"][0]["children"].append(0), "lies within itself"),
            (lambda d: d["nodes"][1].update(mesh=99), "names meshes 99"),
            (lambda d: d["accessors"][0].update(count=10**9), "of no kind"),
            (lambda d: d["accessors"][0].update(count=10**6), "fewer are there"),
            (lambda d: d["bufferViews"][0].update(byteOffset=10**9), "cut short"),
            (lambda d: d["asset"].update(version="1.0"), "is glTF 1.0"),
            (lambda d: d.update(extensionsRequired=["X_secret"]), "needs X_secret"),
            (lambda d: d["nodes"][1].update(matrix=[1e300] * 16), "beyond all measure|holds no"),
            (lambda d: d["buffers"][0].update(uri="far.bin"), "needs far.bin"),
        ):
            broken = json.loads(json.dumps(document))
            change(broken)
            self.refuse(advice, "broken.glb", self.whole(broken, blob))


class StlTests(FolderCase):
    def test_several_solids_of_a_text_file(self):
        scene = scene_of(boxes(a=((1, 2, 3), (0, 0, 0)), b=((4, 4, 4), (9, 9, 9))))
        text = "".join(
            trimesh.exchange.stl.export_stl_ascii(shape).replace("solid", f"solid {name}", 1)
            for name, shape in zip(("Lid", "Base"), scene.dump(), strict=True)
        )
        made = self.bring("two.stl", text)
        self.assertEqual([leaf.name for leaf in made.leaves], ["Lid a", "Base b"])

    def test_separate_bodies_come_apart_by_themselves_or_as_asked(self):
        one = trimesh.util.concatenate(
            [
                trimesh.creation.box((5, 5, 5), trimesh.transformations.translation_matrix((9 * k, 0, 0)))
                for k in range(3)
            ]
        )
        data = one.export(file_type="stl")
        self.assertEqual(
            [len(self.bring("three.stl", data, split=split).leaves) for split in (None, True, False)], [3, 3, 1]
        )

    def test_wrong_counts_and_words(self):
        data = trimesh.creation.box((5, 5, 5)).export(file_type="stl")
        self.refuse("is cut short", "cut.stl", data[:-60])
        self.refuse("is not an STL file|cut short", "huge.stl", data[:80] + b"\xff\xff\xff\xff" + data[84:])
        self.refuse("is empty", "none.stl", b"")
        self.refuse(
            "no three numbers",
            "words.stl",
            b"solid a\nfacet\nouter loop\nvertex 1 2 x\nvertex 1 2 3\nvertex 3 2 1\nendsolid\n",
        )


class PlyTests(FolderCase):
    HEAD = "ply\nformat ascii 1.0\nelement vertex 5\nproperty float x\nproperty float y\nproperty float z\n"

    def test_polygons_of_any_number_of_corners(self):
        text = self.HEAD + "element face 1\nproperty list uchar int vertex_indices\nend_header\n"
        text += "0 0 0\n4 0 0\n5 3 0\n2 5 0\n-1 3 0\n5 0 1 2 3 4\n"
        mesh = self.bring("five.ply", text).leaves[0].part.mesh
        self.assertEqual(len(mesh.triangles), 3)

    def test_points_and_nonsense(self):
        self.refuse("cloud of points", "points.ply", self.HEAD + "end_header\n" + "0 0 0\n" * 5)
        self.refuse(
            "holds no faces|cut short", "bad.ply", self.HEAD.replace("vertex 5", "vertex 999999999999") + "end_header\n"
        )


class SetTests(FolderCase):
    def split(self, *left_out: str) -> bytes:
        """The CAx-IF test assembly that is split over thirteen files (from occt-import-js), without some."""
        files = [p for p in sorted((CAX / "s1_pe_214").glob("*.stp")) if p.name not in left_out]
        return self.zipped(**{p.name.replace(".", "_DOT_"): p.read_bytes() for p in files})

    def test_an_assembly_that_is_split_over_thirteen_files(self):
        made = self.bring("s1.zip", self.split())
        self.assertEqual((len(made.leaves), len(made.parts), made.missing), (11, 8, ()))
        self.assertEqual(made.leaves[0].path, "S1_PE_TOP/MAINBODY/MAIN_BODY_BACK")

    def test_parts_that_have_nothing_to_do_with_each_other_keep_their_shapes(self):
        """Each file counts its items from the first on: the first of one is not the first of another."""
        files = {path.name.replace(".", "_DOT_"): path.read_bytes() for path in loose.written(self.folder).values()}
        made = self.bring("parts.zip", self.zipped(**files))
        self.assertEqual((len(made.leaves), len(made.parts)), (5, 4))  # the two bolts are one part
        found = {leaf.name: leaf.part.mesh.volume for leaf in made.leaves}
        block, bore = 30 * 30 * 40, np.pi * 36 * 30
        for name, volume in (("Axle", np.pi * 36 * 60), ("Block", block - bore), ("Bolt 1", found["Bolt 2"])):
            self.assertAlmostEqual(found[name], volume, delta=0.01 * volume)
        for ending in ("stl", "obj", "ply", "glb"):
            boxes = {f"b{k}_DOT_{ending}": trimesh.creation.box((k, 2, 3)).export(file_type=ending) for k in (4, 5, 6)}
            made = self.bring(f"{ending}.zip", self.zipped(**boxes), units="mm", up="z")
            scale = 1e9 if ending == "glb" else 1  # glTF is in metres
            volumes = [leaf.part.mesh.volume / scale for leaf in made.leaves]
            np.testing.assert_allclose(sorted(volumes), [24, 30, 36], rtol=1e-5, err_msg=ending)

    def test_what_is_missing_is_named_and_the_rest_is_there(self):
        made = self.bring("s1.zip", self.split("tail_asm.stp", "foot_back_prt.stp"))
        self.assertEqual(set(made.missing), {"tail_asm.stp", "foot_back_prt.stp"})
        # what only the missing file told the place of is there, too, for itself
        self.assertEqual(len(made.leaves), 8)

    def test_names_from_another_machine_are_found_in_the_set(self):
        files = {p.name: p.read_bytes() for p in (CAX / "s1_pe_214").glob("*.stp")}
        top = files["s1_pe_214.stp"]
        for name in ("mainbody_asm", "tail_asm", "head_asm", "foot_asm"):
            top = top.replace(f"'{name}.stp'".encode(), f"'C:\\\\work\\\\{name}.stp'".encode())
        files["s1_pe_214.stp"] = top
        made = self.bring("s1.zip", self.zipped(**{name.replace(".", "_DOT_"): data for name, data in files.items()}))
        self.assertEqual(len(made.leaves), 11)

    def test_files_that_refer_to_each_other_in_a_circle(self):
        files = {p.name: p.read_bytes() for p in (CAX / "s1_pe_214").glob("*.stp")}
        files["tail_asm.stp"] = files["tail_asm.stp"].replace(b"'tail_turbine_prt.stp'", b"'s1_pe_214.stp'")
        self.refuse("in a circle", "s1.zip", self.zipped(**{n.replace(".", "_DOT_"): d for n, d in files.items()}))

    def test_several_models_come_in_together_each_under_its_name(self):
        part = trimesh.creation.box((5, 6, 7)).export(file_type="stl")
        made = self.bring("parts.zip", self.zipped(a_DOT_stl=part, b_DOT_obj=OBJ, b_DOT_txt="b"))
        self.assertEqual([leaf.path for leaf in made.leaves], ["parts/a", "parts/Frame"])

    def test_one_model_in_two_formats_comes_in_once(self):
        part = trimesh.creation.box((5, 6, 7))
        made = self.bring(
            "one.zip", self.zipped(lid_DOT_stl=part.export(file_type="stl"), lid_DOT_glb=part.export(file_type="glb"))
        )
        self.assertEqual(len(made.leaves), 1)
        self.assertTrue(any("lid.stl was left aside" in note for note in made.notes), made.notes)

    def test_hostile_archives(self):
        part = trimesh.creation.box((5, 6, 7)).export(file_type="stl")
        self.refuse("leads out of it", "up.zip", self.zipped(**{"../up_DOT_stl": part}))
        self.refuse("leads out of it", "root.zip", self.zipped(**{"__etc__up_DOT_stl": part}))
        self.refuse("holds no model", "none.zip", self.zipped(readme_DOT_txt="x"))
        self.refuse("is cut short", "cut.zip", self.zipped(a_DOT_stl=part)[:-30])
        buffer = io.BytesIO()
        with zipfile.ZipFile(buffer, "w") as archive:
            link = zipfile.ZipInfo("a.stl")
            link.external_attr = 0o120777 << 16
            archive.writestr(link, "/etc/passwd")
        self.refuse("a link instead of a file", "link.zip", buffer.getvalue())
        with zipfile.ZipFile(buffer := io.BytesIO(), "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("bomb.stl", bytes(2**20))
        with mock.patch.object(sets, "UNPACKED", 2**19), self.assertRaisesRegex(PulleyError, "unpacks to more than"):
            sets.unpack(self.write("bomb.zip", buffer.getvalue()), self.folder, "bomb.zip")

    def test_an_archive_that_lies_about_what_it_unpacks_to_is_stopped_on_the_way(self):
        with zipfile.ZipFile(buffer := io.BytesIO(), "w", zipfile.ZIP_DEFLATED) as archive:
            archive.writestr("bomb.stl", bytes(2**21))
        data = buffer.getvalue().replace((2**21).to_bytes(4, "little"), (1000).to_bytes(4, "little"))
        with mock.patch.object(sets, "UNPACKED", 2**20), self.assertRaisesRegex(PulleyError, "damaged|unpacks to more"):
            sets.unpack(self.write("bomb.zip", data), self.folder, "bomb.zip")


class BrepTests(FolderCase):
    def test_a_unit_that_was_said_makes_the_shapes_themselves_larger(self):
        BRepTools.Write_s(BRepPrimAPI_MakeBox(1, 2, 3).Shape(), str(self.folder / "block.brep"))
        made = read_here(self.folder / "block.brep", units="in")
        (leaf,) = made.leaves
        self.assertAlmostEqual(leaf.part.mesh.volume, 6 * 25.4**3, places=3)
        self.assertNotIn("scaled", leaf.part.name)
        self.assertEqual((made.asked, made.notes), ((), ()))


class AnyFormatTests(FolderCase):
    def samples(self) -> dict[str, bytes]:
        """A small file of every format that other libraries write."""
        assembly = boxes(a=((10, 20, 30), (0, 0, 0)), b=((4, 4, 4), (50, 9, 9)))
        scene = scene_of(assembly)
        made = {f"a.{ending}": scene.export(file_type=ending) for ending in ("glb", "obj", "ply", "stl")}
        files = scene_of(assembly, 0.001).export(file_type="gltf")
        made["a.zip"] = self.zipped(**{name.replace(".", "_DOT_"): data for name, data in files.items()})
        return {name: data.encode() if isinstance(data, str) else data for name, data in made.items()}

    def test_cut_at_any_byte_or_mutated_each_is_read_or_refused_in_a_sentence(self):
        """The smaller one of the two: `benchmarks/mutated.py` does ten thousand, of all formats."""
        files = [self.write(name, data) for name, data in self.samples().items()]
        count, odd = outcomes(files, range(40))
        self.assertEqual(odd, [])
        self.assertGreater(count["refused"], 40, count)
        self.assertGreater(count["read"], 10, count)

    def test_too_large_and_of_no_kind(self):
        with mock.patch.object(registry, "SIZE_LIMIT", 1000):
            self.refuse("the limit is 0 MB", "large.obj", OBJ * 10)
        self.refuse("is of no kind that Pulley reads. Bring in STEP, glTF, 3MF, OBJ", "notes.txt", "hello")
        for name in ("a.glb", "a.3mf", "a.stl", "a.ply", "a.igs", "a.brep", "a.zip"):
            self.refuse("is not an? |is cut short", name, "hello, this is no model")
