"""Reading STEP files: what exporters do, and what happens to files that are no good."""

import os
import tempfile
from pathlib import Path
from unittest import TestCase, mock

import numpy as np
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge
from OCP.gp import gp_Pnt

from pulley.core.assembly import leaf_bounds
from pulley.core.contact.scene import home_scene
from pulley.core.errors import PulleyError
from pulley.core.formats import reading, registry
from pulley.core.kernel import process
from pulley.core.kernel.process import Limits
from pulley.core.store import Folder
from shapes import Item, box, cylinder, prism, write_step
from tests.scenes import DEMO, store, within_this_process


def wire() -> object:
    """A body without surface."""
    return BRepBuilderAPI_MakeEdge(gp_Pnt(0, 0, 0), gp_Pnt(10, 0, 0)).Edge()


class TidyTests(TestCase):
    """The tree after tidying: files written here as other exporters would."""

    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.enterContext(within_this_process())

    def read(self, root: Item, unit: str = "MM"):
        path = self.folder / "made.step"
        write_step(root, path, unit)
        return reading.read_file(path, Folder(store()))

    def test_tree_names_positions_and_colours(self):
        block = Item("Block", box((0, 0, 0), (10, 20, 30)), "#ff8000")
        pair = Item("Pair", items=[block, Item("Block", block.shape, "#ff8000", (0, 0, 50))])
        made = self.read(Item("Top", items=[pair, Item("Pin", cylinder((0, 0, 0), (0, 0, 1), 2, 8), shift=(5, 0, 0))]))
        self.assertEqual([c.path for c in made.leaves], ["Top/Pair/Block", "Top/Pair/Block#2", "Top/Pin"])
        self.assertEqual([(p.name, q) for p, q in made.parts], [("Block", 2), ("Pin", 1)])
        np.testing.assert_allclose(leaf_bounds(made.leaves[1]), [[0, 0, 50], [10, 20, 80]], atol=1e-6)
        np.testing.assert_allclose(made.leaves[0].colour, (1.0, 0.502, 0.0), atol=0.005)
        self.assertIs(made.leaves[0].part.mesh, made.leaves[1].part.mesh)

    def test_what_was_read_is_kept_until_the_file_or_its_name_changes(self):
        path, folder = self.folder / "made.step", self.folder / "store"
        write_step(Item("Top", items=[Item("Block", box((0, 0, 0), (10, 20, 30)))]), path)
        with mock.patch.object(reading, "read_file", wraps=reading.read_file) as calls:
            first, again = (reading.read_kept(path, Folder(folder)) for _ in range(2))
            self.assertEqual(calls.call_count, 1)
            self.assertEqual([leaf.path for leaf in again.leaves], [leaf.path for leaf in first.leaves])
            self.assertEqual(again.source, first.source)
            for mesh in folder.glob("*/*.npz"):
                mesh.unlink()
            self.assertEqual(reading.read_kept(path, Folder(folder)).leaves[0].part.mesh.volume, 6000)
            reading.read_kept(path.rename(path.with_name("other.step")), Folder(folder))
            self.assertEqual(calls.call_count, 3)

    def test_inches_become_millimetres(self):
        made = self.read(Item("Top", items=[Item("A", box((0, 0, 0), (25.4, 10, 10))), Item("B", wire())]), "INCH")
        np.testing.assert_allclose(made.bounds, [[0, 0, 0], [25.4, 10, 10]], atol=1e-5)

    def test_wrapper_round_one_solid_collapses(self):
        solid = Item("Body", box((0, 0, 0), (5, 5, 5)))
        wrapped = Item("Wheel", items=[solid, Item("Sketch", wire())], shift=(7, 0, 0))
        made = self.read(Item("Top", items=[wrapped, Item("Axle", box((0, 0, 0), (1, 1, 1)))]))
        self.assertEqual([c.path for c in made.leaves], ["Top/Wheel", "Top/Axle"])
        self.assertAlmostEqual(leaf_bounds(made.leaves[0])[0, 0], 7.0)
        self.assertTrue(any("wires only" in note for note in made.notes), made.notes)

    def test_missing_and_awkward_names(self):
        cube = box((0, 0, 0), (5, 5, 5))
        items = [
            Item("", cube),
            Item("", box((9, 0, 0), (12, 3, 3))),
            Item("<script>alert(1)</script>", cylinder((0, 0, 0), (0, 0, 1), 1, 1)),
        ]
        made = self.read(
            Item(
                "Top",
                items=[
                    *items,
                    Item("n" * 500, box((20, 0, 0), (21, 1, 1))),
                    Item("M6/20", box((30, 0, 0), (31, 1, 1))),
                ],
            )
        )
        names = [c.name for c in made.leaves]
        self.assertTrue(all(names))
        self.assertEqual(len(set(names)), 5)
        self.assertIn("<script>alert(1)<∕script>", names)
        self.assertIn("M6∕20", names)
        self.assertEqual(max(map(len, names)), 120)

    def test_a_file_without_solids(self):
        with self.assertRaisesRegex(PulleyError, "holds no solids"):
            self.read(Item("Top", items=[Item("Sketch", wire()), Item("Other", wire())]))

    def test_features_of_a_pin(self):
        made = self.read(
            Item(
                "Top",
                items=[Item("Pin", cylinder((1, 2, 3), (0, 0, 1), 4, 10)), Item("B", box((9, 9, 9), (10, 10, 10)))],
            )
        )
        mesh = made.leaves[0].part.mesh
        (round_face,) = mesh.cylinders
        self.assertEqual((round_face.radius, round_face.length, round_face.hole), (4.0, 10.0, False))
        self.assertAlmostEqual(abs(round_face.direction[2]), 1.0)
        self.assertEqual(sorted(p.normal[2] for p in mesh.planes), [-1.0, 1.0])
        self.assertTrue(mesh.closed)
        self.assertEqual(len(mesh.edge_starts) - 1, 2)  # two circles; the seam is no edge

    def test_a_face_too_narrow_for_a_triangle(self):
        """The kernel leaves a chamfer of less than a millionth of a millimetre without any."""
        width = 5e-7
        corners = [(0, 0, 0), (10, 0, 0), (10, 10 - width, 0), (10 - width, 10, 0), (0, 10, 0)]
        bar, cap = prism(corners, (0, 0, 1), 1000), box((0, 0, 1025), (10, 10, 1030))
        made = self.read(Item("Top", items=[Item("Bar", bar), Item("Cap", cap)]))
        self.assertEqual(len(made.leaf("Top/Bar").part.mesh.triangles), 14)  # 16 with the chamfer
        self.assertIsNone(made.leaf("Top/Bar").part.mesh.fault)
        met = home_scene(made).first_meeting(["Top/Bar"], np.array([0, 0, 1.0]))
        self.assertAlmostEqual(met.travel, 25.0, places=6)


class BadFileTests(TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def refuse(self, data: bytes, advice: str, **limits: float):
        path = self.folder / "bad.step"
        path.write_bytes(data)
        with self.assertRaisesRegex(PulleyError, advice):
            reading.read_file(path, Folder(store()), **limits)

    def test_empty(self):
        self.refuse(b"", "is empty")

    def test_not_step(self):
        self.refuse(b"PK\x03\x04 a zip file", "is not a STEP file")

    def test_cut_short(self):
        self.refuse(DEMO.read_bytes()[:200_000], "cut short")

    def test_cut_out_of_the_middle(self):
        data = DEMO.read_bytes()
        self.refuse(data[:60_000] + data[-200:], "no shape|no solids|cannot be read|broke the reader")

    def test_garbage_between_head_and_tail(self):
        self.refuse(
            b"ISO-10303-21;\n" + b"\xff#1=(((;" * 999 + b"\nEND-ISO-10303-21;",
            "cannot be read|no solids|no shape|broke",
        )

    def test_too_large(self):
        with mock.patch.object(registry, "SIZE_LIMIT", 1000):
            self.refuse(DEMO.read_bytes(), "the limit is")

    def test_missing_file(self):
        with self.assertRaisesRegex(PulleyError, "cannot be opened"):
            reading.read_file(self.folder / "none.step", Folder(store()))

    def test_time_limit(self):
        self.refuse(DEMO.read_bytes(), "longer than 0.05 s", limits=Limits(seconds=0.05))

    def test_memory_limit(self):
        self.refuse(DEMO.read_bytes(), "broke the reader", limits=Limits(memory=300 * 2**20))

    def test_a_crash_costs_one_reading_and_a_reader_kept_ready_is_used(self):
        process.prepare()
        process._standby[0].process.kill()
        process._standby[0].process.wait()
        self.assertEqual(len(reading.read_file(DEMO, Folder(store())).leaves), 42)

    def test_a_kernel_that_cannot_be_loaded_is_not_the_files_fault(self):
        with mock.patch.dict(os.environ, PYTHONPATH=str(self.folder)):
            (self.folder / "OCP").mkdir()
            (self.folder / "OCP" / "__init__.py").write_text("raise ImportError('libGL.so.1: no such file')")
            process._take(Limits().memory).close()  # one kept ready has loaded the real kernel already
            with self.assertRaisesRegex(PulleyError, "cannot start: libGL.so.1"):
                reading.read_file(DEMO, Folder(store()))

    def test_whoever_is_told_can_stop_it(self):
        def stop(_share: float, _message: str) -> None:
            raise InterruptedError

        with self.assertRaises(InterruptedError):
            reading.read_file(DEMO, Folder(store()), stop)
