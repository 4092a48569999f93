"""How much of a component is seen, against Embree: a ray caster of its own, and nothing of ours but the meshes."""

from unittest import TestCase

import numpy as np
from embreex.mesh_construction import TriangleMesh
from embreex.rtcore_scene import EmbreeScene

from pulley.core.camera import camera_frame, fitted
from pulley.core.formats import teardown as teardown_json
from pulley.core.geometry.frames import apply
from pulley.core.score.compose import compose
from pulley.core.teardown import Camera
from pulley.core.visibility import SIZE, poses_in, visible_shares
from tests.scenes import AS1, DEMO, DEMO_TEARDOWN, read

SMALL = 60  # pixels; of a smaller component one pixel at its rim is too much of it


def scene_of(corners: list[np.ndarray]) -> EmbreeScene:
    scene = EmbreeScene()
    TriangleMesh(scene, np.concatenate(corners).astype(np.float32))
    return scene


def rays(camera: Camera, width: int, height: int) -> tuple[np.ndarray, np.ndarray]:
    """A ray through the middle of every pixel, as a pinhole camera has them."""
    x, y = np.meshgrid(np.arange(width) + 0.5, np.arange(height) + 0.5)
    tall = np.tan(np.radians(camera.fov) / 2)
    local = np.stack([(x - width / 2) / height * 2 * tall, (height / 2 - y) / height * 2 * tall, -np.ones_like(x)], -1)
    ways = local.reshape(-1, 3) @ camera_frame(camera)
    return np.tile(np.array(camera.eye, np.float32), (len(ways), 1)), ways.astype(np.float32)


def by_rays(assembly, poses, camera) -> dict[str, tuple[float, int]]:
    """Share of each component that is seen, and how many pixels it would cover by itself."""
    corners = {}
    for path, pose in poses.items():
        mesh = assembly.leaf(path).part.mesh
        corners[path] = apply(pose, mesh.vertices)[mesh.triangles]
    owner = np.repeat(np.arange(len(corners)), [len(c) for c in corners.values()])
    origins, ways = rays(camera, *SIZE)
    hits = scene_of(list(corners.values())).run(origins, ways)
    seen = np.bincount(owner[hits[hits >= 0]], minlength=len(corners))
    found = {}
    for k, (path, own) in enumerate(corners.items()):
        alone = int((scene_of([own]).run(origins, ways) >= 0).sum())
        found[path] = (seen[k] / alone if alone else 0.0, alone)
    return found


class VisibilityTests(TestCase):
    def compare(self, assembly, poses, direction):
        points = np.concatenate([apply(pose, assembly.leaf(path).part.mesh.bounds) for path, pose in poses.items()])
        camera = fitted(points, direction)
        ours = visible_shares(assembly, poses, camera)
        counted = 0
        for path, (share, pixels) in by_rays(assembly, poses, camera).items():
            if pixels >= SMALL:
                counted += 1
                with self.subTest(path):
                    self.assertAlmostEqual(ours[path], share, delta=0.02)
        self.assertGreater(counted, len(poses) // 3)

    def test_as1_at_home(self):
        assembly = read(AS1)
        poses = {leaf.path: leaf.pose for leaf in assembly.leaves}
        for direction in ((0.6, -0.7, 0.4), (-0.5, 0.6, -0.6)):
            self.compare(assembly, poses, direction)

    def test_the_block_exploded(self):
        assembly, plan = read(DEMO), teardown_json.loads(DEMO_TEARDOWN.read_text())
        score = compose(assembly, plan)
        self.compare(assembly, poses_in(assembly, plan, score, score.duration), (0.62, -0.66, 0.43))
