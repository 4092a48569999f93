"""The painter: light by its formula, places by projection, tiles without seams, and both painters the same."""

from dataclasses import replace
from unittest import TestCase, mock

import numpy as np

from pulley.core.camera import project
from pulley.core.colours import PAPER
from pulley.core.formats import teardown as teardown_json
from pulley.core.geometry.frames import translation
from pulley.core.render import card, painter, software
from pulley.core.render.painter import render
from pulley.core.render.scene import Item, Scene, frame_scene, plain_scene
from pulley.core.score.compose import compose
from pulley.core.score.frame import dashes, frame_at
from pulley.core.teardown import Camera, Look, TrailLine
from pulley.core.trails import PATTERNS
from pulley.core.visibility import home_view
from tests.scenes import DEMO, WINCH, WINCH_TEARDOWN, boxes, read, tower

FRONT = Camera("", "", (5.0, -100.0, 5.0), (5.0, 5.0, 5.0))
FACES = Look("shaded")


def cube(colour=(0.8, 0.4, 0.2), look=FACES, **more) -> Scene:
    """A cube of 10 mm seen from its front."""
    (leaf,) = boxes(cube=((10, 10, 10), (0, 0, 0))).leaves
    return Scene((Item(leaf, leaf.pose, colour, **more),), FRONT, look)


def lambert(colour, normal, camera) -> np.ndarray:
    """The colour of a face (sRGB bytes) by Lambert's law under a hemisphere of light and a lamp (Lambert 1760; the
    hemisphere light of three.js; IEC 61966-2-1 for the coding), worked out here apart from the painter."""

    def light(c):
        return np.where(np.array(c) <= 0.04045, np.array(c) / 12.92, ((np.array(c) + 0.055) / 1.055) ** 2.4)

    eye, target = np.array(camera.eye), np.array(camera.target)
    way = eye + [0, 0, 0.4 * np.linalg.norm(eye - target)] - target
    toward = max(float(normal @ way) / float(np.linalg.norm(way)), 0.0)
    earth = light([0xC9 / 255, 0xBF / 255, 0xAE / 255])
    around = 1.5 * (earth + (0.5 * normal[1] + 0.5) * (1 - earth))
    linear = light(colour) * (around + 1.9 * toward) / np.pi
    coded = np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * np.minimum(linear, 1) ** (1 / 2.4) - 0.055)
    return coded * 255


class LightTests(TestCase):
    def test_a_face_has_the_colour_of_lamberts_law(self):
        for colour in ((0.8, 0.4, 0.2), (0.1, 0.1, 0.9), (1.0, 1.0, 1.0)):
            middle = render(cube(colour), (100, 100), soft=False)[50, 50]
            np.testing.assert_allclose(middle[:3], lambert(colour, np.array([0, -1.0, 0]), FRONT), atol=1.5)

    def test_an_edge_of_the_picture_lies_where_projection_says(self):
        pixels = render(cube(), (200, 100), soft=False)
        covered = (pixels[:, :, :3] != np.round(np.array(PAPER) * 255)).any(2)
        corners = project(FRONT, np.array([[0, 0, 0], [10.0, 0, 10.0]]), 200, 100)
        rows, columns = np.nonzero(covered)
        self.assertAlmostEqual(columns.min(), corners[0, 0], delta=1)
        self.assertAlmostEqual(columns.max() + 1, corners[1, 0], delta=1)
        self.assertAlmostEqual(rows.min(), corners[1, 1], delta=1)
        self.assertAlmostEqual(rows.max() + 1, corners[0, 1], delta=1)

    def test_clear_ground_is_clear_and_borders_are_half_so(self):
        alpha = render(replace(cube(), ground=None), (101, 77), soft=False)[:, :, 3]
        self.assertEqual((alpha[0, 0], alpha[38, 50]), (0, 255))
        self.assertTrue(set(np.unique(alpha)) <= {0, 64, 128, 191, 255}, "four samples to a pixel")

    def test_what_is_seen_through_lets_the_ground_show(self):
        whole, half = (render(cube(opacity=o), (60, 60), soft=False)[30, 30, :3].astype(int) for o in (1.0, 0.5))
        np.testing.assert_allclose(half, (whole + np.array(PAPER) * 255) / 2, atol=2)

    def test_clefts_are_darker_and_open_faces_are_not(self):
        stand = boxes(floor=((60, 60, 2), (0, 0, 0)), block=((20, 20, 20), (0, 0, 2)), wall=((2, 60, 40), (-2, 0, 0)))
        view = Camera("", "", (90, -60, 80), (10, 25, 5))
        scene = replace(plain_scene(stand, {leaf.path: leaf.pose for leaf in stand.leaves}, view), look=FACES)
        hard, soft = render(scene, (240, 240), False).astype(int), render(scene, (240, 240), True).astype(int)
        self.assertLess((soft - hard)[:, :, :3].min(), -12)
        self.assertLess((soft < hard - 3)[:, :, 0].mean(), 0.2)
        self.assertEqual((soft > hard).any(), False)

    def test_one_thing_throws_its_shadow_on_another(self):
        stand = boxes(floor=((200, 200, 1), (-100, -100, 0)), block=((20, 20, 20), (-10, -10, 30)))
        poses = {leaf.path: leaf.pose for leaf in stand.leaves}
        view = Camera("", "", (0, -200, 100), (0, 0, 0))
        scene = replace(plain_scene(stand, poses, view), look=replace(FACES, shadows=True))
        dark = render(scene, (200, 150), False).astype(int).sum(2)
        bright = render(replace(scene, look=FACES), (200, 150), False).astype(int).sum(2)
        self.assertGreater((bright - dark > 60).sum(), 100)
        self.assertEqual((dark - bright > 0).sum(), 0)

    def test_an_eye_within_the_model_and_pictures_of_nothing(self):
        inside = replace(cube(), camera=Camera("", "", (5.0, 5.0, 5.0), (5.0, 9.0, 5.0)))
        self.assertEqual(render(inside, (64, 64)).shape, (64, 64, 4))
        nothing = render(Scene((), FRONT), (64, 48))
        self.assertEqual(len(np.unique(nothing.reshape(-1, 4), axis=0)), 1)

    def test_a_picture_in_tiles_is_the_picture(self):
        scene = plain_scene(tower(), {leaf.path: leaf.pose for leaf in tower().leaves}, aspect=1.25)
        whole = render(scene, (500, 400))
        with mock.patch.object(software, "TILE", 128):
            tiled = render(scene, (500, 400))
        far = np.abs(whole.astype(int) - tiled).max(2)
        self.assertLess((far > 8).mean(), 0.003)  # the soft shade has a grain that begins with the tile


class LineTests(TestCase):
    def test_trail_lines_are_covered_by_parts_unless_they_show_through(self):
        line = np.array([[[5.0, 50.0, -20.0], [5.0, 50.0, 30.0]]])
        behind = replace(cube(), dashes=line, line=TrailLine(colour="#ff0000", width=0.5))
        through = replace(behind, line=replace(behind.line, through=True))
        middle = {name: render(scene, (100, 100), False)[50, 50] for name, scene in (("b", behind), ("t", through))}
        self.assertLess(int(middle["b"][0]) - int(middle["b"][2]), 200)
        self.assertEqual(middle["t"][:3].tolist(), [255, 0, 0])

    def test_dashes_add_up_to_their_share_of_the_line(self):
        line = np.array([[0, 0, 0], [30.0, 0, 0], [30.0, 40.0, 0]])
        for pattern in PATTERNS.values():
            cut = dashes(line, pattern, 0.5)
            drawn = np.linalg.norm(cut[:, 1] - cut[:, 0], axis=1).sum()
            share = sum(pattern[::2]) / sum(pattern) if pattern else 1.0
            self.assertAlmostEqual(drawn / 70, share, delta=0.2)

    def test_hidden_edges_are_dashed_and_set_back_edges_faint(self):
        screw = read(DEMO).leaf("Halyard block/Cheek screw")
        low, high = screw.part.mesh.bounds
        middle = (low + high) / 2
        view = Camera("", "", tuple(middle + [40.0, -60.0, 50.0]), tuple(middle))
        at_home = Scene((Item(screw, np.eye(4), (0.6, 0.6, 0.6)),), view, Look("lines"))

        def ink(scene):
            return int((render(scene, (200, 200))[:, :, 0] < 200).sum())

        self.assertGreater(ink(at_home), 100)
        self.assertGreater(ink(replace(at_home, look=Look("dashed"))), ink(at_home))
        quiet = replace(at_home, items=(replace(at_home.items[0], quiet=True),))
        self.assertGreater(render(quiet, (200, 200)).min(), render(at_home, (200, 200)).min() + 60)


class BothPaintersTests(TestCase):
    """The graphics card's painter on Mesa's llvmpipe, an OpenGL of its own, draws what the processor's does."""

    def test_they_agree(self):
        assembly, plan = read(WINCH), teardown_json.loads(WINCH_TEARDOWN.read_text())
        score = compose(assembly, plan)
        view = home_view(assembly, plan, score)
        frame = frame_at(score, score.duration * 0.6, before=view)
        scene = frame_scene(assembly, plan, frame, frame.camera or view)
        self.assertIsNotNone(card.name())
        for look in (Look("edges"), Look("shaded", shadows=True), Look("lines"), Look("dashed")):
            for projection in ("perspective", "parallel"):
                seen = replace(scene, look=look, camera=replace(scene.camera, projection=projection))
                ours, other = (paint(seen, (480, 270), True) for paint in (software.paint, card.paint))
                far = np.abs(ours.astype(int) - other).max(2)
                said = f"{look.display}, {projection}: mean {far.mean():.2f}, far off {(far > 64).mean():.4f}"
                self.assertLess(far.mean(), 4.0, said)  # of 255, over the whole picture
                self.assertLess((far > 64).mean(), 0.02, said)

    def test_a_card_that_fails_is_said_and_the_processor_draws(self):
        scene = cube()
        with (
            mock.patch.object(painter, "has_card", return_value=True),
            mock.patch.object(card, "paint", side_effect=RuntimeError("out of memory")),
            self.assertLogs("pulley.core.render.painter", "ERROR"),
        ):
            drawn = render(scene, (64, 48))
        np.testing.assert_array_equal(drawn, software.paint(scene, (64, 48), True))

    def test_clear_ground_and_what_is_seen_through(self):
        (leaf,) = boxes(cube=((10, 10, 10), (0, 0, 0))).leaves
        behind = Item(leaf, translation(np.array([0, 30.0, 0])), (0.1, 0.2, 0.9))
        scene = Scene((Item(leaf, leaf.pose, (0.8, 0.4, 0.2), 0.5), behind), FRONT, Look("edges"), ground=None)
        far = np.abs(software.paint(scene, (160, 120), False).astype(int) - card.paint(scene, (160, 120), False)).max(2)
        self.assertLess((far > 12).mean(), 0.03)
