"""The exact shapes that are kept beside the meshes: Open CASCADE says that they are what the meshes were made of."""

from pathlib import Path
from unittest import TestCase

import numpy as np
from OCP.BinTools import BinTools
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeVertex
from OCP.BRepExtrema import BRepExtrema_DistShapeShape
from OCP.BRepGProp import BRepGProp
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox
from OCP.gp import gp_Pnt
from OCP.GProp import GProp_GProps
from OCP.TopAbs import TopAbs_FACE
from OCP.TopoDS import TopoDS_Shape

from pulley.core.kernel.shapes import mesh_shape, subshapes, unwarped, warped
from pulley.core.store import shape_name
from tests.scenes import AS1, DEMO, read, store


def read_shape(file: Path) -> TopoDS_Shape:
    """The shape of a kept file."""
    shape = TopoDS_Shape()
    assert BinTools.Read_s(shape, str(file)), file
    return shape


def volume(shape) -> float:
    """Volume in mm3 as the kernel works it out from the exact surfaces."""
    properties = GProp_GProps()
    BRepGProp.VolumeProperties_s(shape, properties)
    return properties.Mass()


def apart(shape, point) -> float:
    """Mm between a shape and a point."""
    vertex = BRepBuilderAPI_MakeVertex(gp_Pnt(*map(float, point))).Vertex()
    return BRepExtrema_DistShapeShape(shape, vertex).Value()


class KeptShapeTests(TestCase):
    def test_every_part_has_its_exact_shape(self):
        for file in (AS1, DEMO):
            for part, _ in read(file).parts:
                shape = read_shape(store() / shape_name(part.mesh.key))
                with self.subTest(part.name):
                    self.assertAlmostEqual(volume(shape), part.mesh.volume, delta=1e-6 * part.mesh.volume)

    def test_every_triangle_lies_on_the_face_whose_number_it_has(self):
        for part, _ in read(AS1).parts:
            faces = subshapes(read_shape(store() / shape_name(part.mesh.key)), TopAbs_FACE)
            mesh = part.mesh
            self.assertEqual(set(mesh.faces), set(range(len(faces))), part.name)
            for row in range(0, len(mesh.triangles), max(len(mesh.triangles) // 25, 1)):
                off = max(apart(faces[mesh.faces[row]], corner) for corner in mesh.corners[row])
                self.assertLess(off, 1e-6, f"{part.name}, triangle {row}")  # corners are points of the surface

    def test_a_mirrored_and_scaled_shape_is_that_of_its_mesh(self):
        box = BRepPrimAPI_MakeBox(gp_Pnt(1, 2, 3), gp_Pnt(4, 7, 11)).Shape()
        warp = np.diag([-2.0, 2.0, 2.0, 1.0])
        mesh, shape = warped(mesh_shape(box, 0.05), warp), unwarped(box, warp)
        self.assertAlmostEqual(volume(shape), mesh.volume, places=6)
        faces = subshapes(shape, TopAbs_FACE)
        for row, face in enumerate(mesh.faces):
            self.assertLess(max(apart(faces[face], corner) for corner in mesh.corners[row]), 1e-6)
