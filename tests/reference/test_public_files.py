"""Public files from the package registries: read, or refused with a true reason, as an independent reader counts them.

`assimp-testmodels` (Debian, installed at test set-up) holds files like those of Khronos' samples, and many that are
wrong on purpose; `occt-import-js` (npm) carries the CAx-IF files. The independent reader is trimesh.
"""

from pathlib import Path
from unittest import TestCase

import numpy as np
import trimesh

from pulley.core.errors import PulleyError
from tests.scenes import AS1, read_here

MODELS = Path("/usr/share/assimp/models")
REFUSED = {  # why, in words of the message
    "OBJ/point_cloud.obj": "holds no solids",
    "OBJ/testline.obj": "holds no solids",
    "OBJ/testpoints.obj": "holds no solids",
    "OBJ/number_formats.obj": "no three numbers",
    "PLY/issue623.ply": "cloud of points",
    "PLY/points.ply": "cloud of points",
    "PLY/pond.0.ply": "cut short or damaged",
    "glTF2/BoxTextured-glTF-techniqueWebGL/BoxTextured.gltf": "needs KHR_technique_webgl",
    "glTF2/BoxWithInfinites-glTF-Binary/BoxWithInfinites.glb": "holds no solids",
    "glTF2/IndexOutOfRange/AllIndicesOutOfRange.gltf": "names corner 65535",
    "glTF2/IndexOutOfRange/IndexOutOfRange.gltf": "names corner 255",
    "glTF2/MissingBin/BoxTextured.gltf": "needs BoxTextured0.bin",
    "glTF2/RecursiveNodes/RecursiveNodes.gltf": "lies within itself",
    "glTF2/SchemaFailures/sceneWrongType.gltf": "names scenes hello",
    "glTF2/TestNoRootNode/NoScene.gltf": "holds no solids",
    "glTF2/TestNoRootNode/SceneWithoutNodes.gltf": "holds no solids",
    "glTF2/wrongTypes/badArray.gltf": "damaged",
    "glTF2/wrongTypes/badObject.gltf": "damaged",
    "invalid/empty.obj": "is empty",
    "invalid/empty.ply": "is empty",
    "invalid/malformed.obj": "names corner 12",
    "invalid/malformed2.obj": "a face of 0 corners",
}
LONG = ("2CylinderEngine",)  # 110,000 triangles, many of them free shapes: a quarter of a minute each
KINDS = (".gltf", ".glb", ".obj", ".ply", ".stl", ".3mf")


class PublicFileTests(TestCase):
    def test_every_file_is_read_or_refused_for_what_is_wrong_with_it(self):
        every = [p for p in sorted(MODELS.rglob("*")) if p.suffix.lower() in KINDS]
        self.assertGreater(len(every), 80, "assimp-testmodels is not installed")
        for path in every:
            name = str(path.relative_to(MODELS))
            if any(long in name for long in LONG):
                continue
            with self.subTest(file=name):
                self.look(path, name)

    def look(self, path: Path, name: str) -> None:
        lines = {f"Mesh_PrimitiveMode_{k:02}" for k in (0, 1, 2, 3, 7, 8, 9, 10)}  # points and lines
        wanted = "holds no solids" if path.stem in lines else REFUSED.get(name)
        wanted = "is glTF 1|cut short" if name.startswith("glTF/") else wanted
        if wanted is None:
            self.assertTrue(read_here(path).leaves)
        else:
            with self.assertRaisesRegex(PulleyError, wanted):
                read_here(path)

    def test_sound_meshes_have_as_many_corners_and_triangles_as_trimesh_counts(self):
        for name in ("OBJ/box.obj", "PLY/cube_binary.ply", "STL/sphereWithHole.stl", "3MF/box.3mf"):
            if name.endswith("3mf"):
                counts = (8, 12)  # its XML says so; trimesh reads 3MF only beside another library
            else:
                mesh = trimesh.load(MODELS / name, force="mesh")
                mesh.merge_vertices(merge_norm=True, merge_tex=True)
                counts = len(np.unique(mesh.vertices.round(5), axis=0)), len(mesh.faces)
            made = read_here(MODELS / name)
            corners = np.concatenate([leaf.part.mesh.vertices for leaf in made.leaves])
            found = len(np.unique(corners.round(5), axis=0)), sum(len(leaf.part.mesh.triangles) for leaf in made.leaves)
            self.assertEqual(found, counts, name)

    def test_the_public_assemblies_of_cax_if(self):
        for name, leaves in (
            ("as1-tu-203.stp", 18),
            ("as1_pe_203.stp", 18),
            ("dm1-oc-214.stp", 7),
            ("io1-cm-214.stp", 1),
            ("../cax-if-brep/as1_pe_203.brep", 18),
            ("../cube-10x10mm/Cube 10x10.igs", 1),
            ("../cube-10x10mm/Cube 10x10.stl", 1),
        ):
            made = read_here(AS1.parent / name)
            self.assertEqual(len(made.leaves), leaves, name)
            self.assertTrue(all(leaf.part.mesh.closed for leaf in made.leaves), name)
