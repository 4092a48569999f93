"""The demo's parts against handbook formulas: volumes of solids of revolution and prisms, and their bounds.

Formulas as in any engineering handbook, from memory: cylinder pi r2 h, hexagonal prism sqrt(3)/2 s2 h,
sphere 4/3 pi r3, torus 2 pi2 R r2. Fastener dimensions: ISO 4762 (M5 screw: dk 8.5, k 5, s 4), ISO 7089
(washer 5: 5.3, 10, 1), ISO 3290-1 (ball 5), from memory.
"""

import json
import subprocess
from math import pi, sqrt
from unittest import TestCase

import numpy as np

from pulley.core.assembly import leaf_bounds
from pulley.core.contact.check import check
from pulley.core.formats import teardown as teardown_json
from pulley.core.formats.gltf import to_glb
from pulley.core.geometry.mesh import mesh_volume
from tests.scenes import AS1, DEMO, DEMO_TEARDOWN, ROOT, read


def round_bar(d: float, h: float) -> float:
    """Volume of a cylinder of diameter ``d``."""
    return pi * d * d / 4 * h


VOLUMES = {
    "Washer": round_bar(10, 1) - round_bar(5.3, 1),
    "Cheek screw": round_bar(8.5, 5) + round_bar(5, 20) - sqrt(3) / 2 * 4**2 * 2.5,
    "Spacer": round_bar(9, 14) - round_bar(5.4, 14),
    "Bearing/Ball": 4 / 3 * pi * 2.5**3,
    "Bearing/Race": round_bar(12, 14) - round_bar(8.1, 14),
    "Axle pin": round_bar(14, 3) + round_bar(8, 29),
    "Becket/Becket pin": round_bar(10, 2) + round_bar(6, 21),
    "Head/Swivel post": round_bar(10, 4) + round_bar(8, 23),
    "Shackle/Split ring": 2 * pi**2 * 5 * 0.7**2,
}


class DemoPartTests(TestCase):
    @classmethod
    def setUpClass(cls):
        cls.assembly = read(DEMO)

    def mesh(self, name: str):
        return self.assembly.leaf(f"Halyard block/{name}").part.mesh

    def test_exact_volumes(self):
        for name, volume in VOLUMES.items():
            with self.subTest(name):
                self.assertAlmostEqual(self.mesh(name).volume, volume, delta=1e-3 * volume)

    def test_meshes_enclose_nearly_the_same(self):
        for name, volume in VOLUMES.items():
            with self.subTest(name):
                self.assertAlmostEqual(mesh_volume(self.mesh(name).corners), volume, delta=0.05 * volume)

    def test_bounds(self):
        screw = leaf_bounds(self.assembly.by_path["Halyard block/Cheek screw"])
        np.testing.assert_allclose(screw[1] - screw[0], [8.5, 8.5, 25.0], atol=0.05)
        self.assertAlmostEqual(screw[1, 2], 20 + 1 + 5)  # on the cheek, on the washer, the head's height

    def test_every_part_is_a_closed_solid(self):
        self.assertEqual(self.assembly.notes, ())
        self.assertTrue(all(part.mesh.closed for part, _ in self.assembly.parts))

    def test_about_forty_components(self):
        self.assertEqual((len(self.assembly.leaves), len(self.assembly.parts)), (42, 20))

    def test_the_demo_teardown_is_free_of_snags(self):
        teardown = teardown_json.loads(DEMO_TEARDOWN.read_bytes())
        self.assertTrue(check(self.assembly, teardown).clear)
        self.assertGreaterEqual(len(teardown.steps), 8)
        self.assertEqual(len(teardown.cameras), 3)
        self.assertTrue(teardown.trails_shown)


class KhronosValidatorTests(TestCase):
    """The GLB passes gltf-validator, the Khronos Group's reference validator (npm package)."""

    SCRIPT = (
        "const v=require('gltf-validator');const c=[];process.stdin.on('data',d=>c.push(d)).on('end',()=>"
        "v.validateBytes(new Uint8Array(Buffer.concat(c))).then(r=>console.log(JSON.stringify(r))))"
    )

    def test_no_errors_and_no_warnings(self):
        for path in (DEMO, AS1):
            done = subprocess.run(
                ["node", "-e", self.SCRIPT], input=to_glb(read(path)), capture_output=True, cwd=ROOT, check=True
            )
            report = json.loads(done.stdout)
            self.assertEqual((report["issues"]["numErrors"], report["issues"]["numWarnings"]), (0, 0), report["issues"])
            self.assertEqual(report["info"]["version"], "2.0")
