"""Hidden lines beside Open CASCADE's two methods and beside an identity buffer, component by component."""

from unittest import TestCase

import numpy as np
from benchmarks import occt

from pulley.core.camera import camera_frame
from pulley.core.drawing.identity import identity
from pulley.core.drawing.projection import CUT, KINDS, Lines, project_lines
from pulley.core.drawing.scene import Scene, picture_bounds
from pulley.core.formats import teardown as teardown_json
from pulley.core.score.compose import compose
from pulley.core.store import Folder
from pulley.core.teardown import Camera
from pulley.core.visibility import poses_in
from tests.core.test_sheets import proposed, random_scene
from tests.scenes import AS1, DEMO, DEMO_TEARDOWN, WINCH, WINCH_TEARDOWN, read, store

FRAME = camera_frame(Camera("", "", (0.62, -0.66, 0.43), (0, 0, 0)))


def exploded(file, teardown_file):
    """An assembly with everything where its teardown leaves it."""
    assembly = read(file)
    teardown = teardown_json.loads(teardown_file.read_bytes())
    score = compose(assembly, teardown)
    return assembly, poses_in(assembly, teardown, score, score.duration)


def without_cuts(lines: Lines, path: str) -> float:
    """The visible length of a component; where parts overlap Open CASCADE draws no line."""
    wanted = (lines.owner == lines.paths.index(path)) & ~lines.hidden & np.isin(lines.kind, [0, 1])
    return float(np.linalg.norm(np.diff(lines.points[wanted], axis=1)[:, 0], axis=1).sum())


class OpenCascadeTests(TestCase):
    def compare(self, assembly, poses, method, each: float, whole: float):
        shapes = occt.placed_shapes(assembly, Folder(store()), poses)
        lines = project_lines(assembly, poses, FRAME, simple_threads=False)
        found = method(list(shapes.values()), FRAME)
        own = {path: without_cuts(lines, path) for path in poses}
        theirs = {path: occt.length(occt.lines(found, shape)) for path, shape in shapes.items()}
        for path in poses:
            with self.subTest(path):
                self.assertAlmostEqual(own[path], theirs[path], delta=max(each * theirs[path], 1.0))
        self.assertAlmostEqual(sum(own.values()), sum(theirs.values()), delta=whole * sum(theirs.values()))

    def test_the_winch_exploded_within_a_hundredth_of_a_percent_of_the_polygonal_method(self):
        self.compare(*exploded(WINCH, WINCH_TEARDOWN), occt.polygonal, each=0.01, whole=1e-4)

    def test_the_winch_exploded_beside_the_exact_method(self):
        self.compare(*exploded(WINCH, WINCH_TEARDOWN), occt.exact, each=0.02, whole=0.01)

    def test_the_halyard_block_exploded(self):
        # the bow's pin stands 0.35 mm into its thread: what the cut takes away is no line of Open CASCADE's
        assembly, poses = exploded(DEMO, DEMO_TEARDOWN)
        self.compare(assembly, {p: q for p, q in poses.items() if not p.endswith("Bow")}, occt.polygonal, 0.03, 0.01)

    def test_as1_exploded(self):
        # assembled, its rod fills the holes: there the polygonal method loses one of the rod's outlines, the exact one
        # both ends of it; so as1 is compared where nothing touches, and assembled beside the identity buffer
        assembly, own = proposed(AS1)
        score = compose(assembly, own)
        self.compare(assembly, poses_in(assembly, own, score, score.duration), occt.polygonal, each=0.03, whole=0.01)


class IdentityBufferTests(TestCase):
    def check(self, assembly, poses):
        """Every stretch that is seen lies beside its own component in the buffer, every one that is not does not."""
        scene = Scene(poses, ())
        lines = project_lines(assembly, poses, FRAME)
        buffer = identity(assembly, scene, FRAME, picture_bounds(assembly, scene, FRAME))
        wanted = ~lines.hidden & (lines.kind != KINDS.index(CUT)) & (lines.owner >= 0)
        points = lines.points[wanted].mean(1)
        owners = lines.owner[wanted]
        columns, rows = np.floor((points - buffer.corner) / buffer.pixel * (1, -1)).astype(int).T
        near = np.zeros(len(points), bool)
        for dx in (-1, 0, 1):
            for dy in (-1, 0, 1):
                near |= buffer.owner[rows + dy, columns + dx] == owners
        self.assertGreater(near.mean(), 0.98)  # what is seen of a part may be less than a pixel

    def test_the_demo_assemblies_and_as1(self):
        self.check(*exploded(DEMO, DEMO_TEARDOWN))
        self.check(*exploded(WINCH, WINCH_TEARDOWN))
        self.check(read(AS1), {leaf.path: leaf.pose for leaf in read(AS1).leaves})

    def test_random_scenes(self):
        for seed in range(20):
            with self.subTest(seed):
                assembly = random_scene(seed)
                self.check(assembly, {leaf.path: leaf.pose for leaf in assembly.leaves})
