"""Hidden lines: shapes whose visible edges can be worked out by hand, what cuts what, threads by convention."""

from unittest import TestCase

import numpy as np
from benchmarks.generate import COARSE, assemble, threaded_nut, threaded_rod
from hypothesis import given, settings
from hypothesis import strategies as st

from pulley.core.camera import camera_frame
from pulley.core.drawing.hidden import Asked, Placed, stretches
from pulley.core.drawing.projection import CUT, KINDS, Lines, project_lines
from pulley.core.drawing.screens import screen_of
from pulley.core.drawing.threads import threads
from pulley.core.drawing.turned import EDGE, OUTLINE, forget, turned
from pulley.core.geometry.frames import translation
from pulley.core.geometry.mesh import box_mesh
from pulley.core.geometry.rims import SMOOTH, rims
from pulley.core.teardown import Camera
from tests.scenes import DEMO, WINCH, boxes, read

TOP = camera_frame(Camera("", "", (0, 0, 1), (0, 0, 0)))
FRONT = camera_frame(Camera("", "", (0, -1, 0), (0, 0, 0)))
QUARTER = camera_frame(Camera("", "", (0.62, -0.66, 0.43), (0, 0, 0)))


def home(assembly):
    """Every leaf where it belongs."""
    return {leaf.path: leaf.pose for leaf in assembly.leaves}


def seen_length(lines: Lines, kind: str | None = None, hidden: bool = False) -> float:
    """Mm of lines that are seen, or hidden, those on the same place once."""
    wanted = lines.hidden == hidden
    if kind:
        wanted &= lines.kind == KINDS.index(kind)
    return float(np.linalg.norm(np.diff(lines.points[wanted], axis=1)[:, 0], axis=1).sum())


class BoxTests(TestCase):
    def test_a_box_seen_from_a_corner_shows_nine_of_its_twelve_edges(self):
        assembly = boxes(box=((10.0, 20.0, 30.0), (0, 0, 0)))
        lines = project_lines(assembly, home(assembly), QUARTER)
        every = np.linalg.norm(np.stack([row[:2] for row in QUARTER.T]), axis=1) * (10, 20, 30)  # edges as they appear
        self.assertAlmostEqual(seen_length(lines), 3 * every.sum(), places=6)
        self.assertAlmostEqual(seen_length(lines, hidden=True), every.sum(), places=6)

    def test_a_box_behind_another_loses_exactly_what_is_covered(self):
        assembly = boxes(near=((10.0, 10.0, 10.0), (0, 0, 20)), far=((20.0, 4.0, 10.0), (5, 3, 0)))
        lines = project_lines(assembly, home(assembly), TOP)
        # from above: the far box is 20 x 4; of its two long edges 5 mm lie under the near one, its left edge is gone
        self.assertAlmostEqual(lines.length("far"), 2 * 15.0 + 4.0, places=6)
        self.assertAlmostEqual(lines.length("near"), 40.0, places=6)

    def test_what_is_covered_only_by_its_own_faces_is_told_too(self):
        assembly = boxes(box=((10.0, 10.0, 10.0), (0, 0, 0)))
        lines = project_lines(assembly, home(assembly), TOP)
        self.assertAlmostEqual(seen_length(lines), 40.0, places=6)  # the lower edges lie under the upper ones

    def test_parts_that_overlap_show_the_line_in_which_they_cut(self):
        assembly = boxes(plate=((40.0, 40.0, 10.0), (0, 0, 0)), post=((10.0, 10.0, 30.0), (15, 15, 5)))
        lines = project_lines(assembly, home(assembly), QUARTER)
        seen = (
            np.linalg.norm(QUARTER[:2, 0]) * 10 + np.linalg.norm(QUARTER[:2, 1]) * 10
        )  # the two near sides of the foot
        self.assertAlmostEqual(seen_length(lines, CUT), seen, places=6)

    def test_a_cut_in_a_face_that_ends_what_two_parts_share_is_seen_from_all_sides(self):
        """The upper face of the low box is the top of what it shares with the tall one, whatever rounding does."""
        assembly = boxes(low=((1.0, 1.0, 1.0), (0, 0, 0)), tall=((1.0, 1.0, 2.0), (0, 0.5, 0)))
        for angle in np.linspace(0, 6.28, 40):
            turn = np.array([[np.cos(angle), np.sin(angle), 0], [-np.sin(angle), np.cos(angle), 0], [0, 0, 1]])
            lines = project_lines(assembly, home(assembly), turn @ QUARTER)
            self.assertAlmostEqual(seen_length(lines, CUT), np.linalg.norm(QUARTER[:2, 0]), places=6)

    def test_parts_that_only_touch_show_no_cut(self):
        assembly = boxes(low=((10.0, 10.0, 10.0), (0, 0, 0)), high=((10.0, 10.0, 10.0), (3, 3, 10)))
        self.assertEqual(seen_length(project_lines(assembly, home(assembly), QUARTER), CUT), 0.0)

    def test_a_trail_line_ends_where_a_part_hides_it_and_hides_nothing(self):
        assembly = boxes(box=((10.0, 10.0, 10.0), (0, 0, 0)))
        trail = np.array([[-10.0, 5, -5], [30.0, 5, -5]])
        lines = project_lines(assembly, home(assembly), TOP, [trail])
        on_trail = lines.owner == -1
        spans = sorted(lines.points[on_trail & ~lines.hidden][:, :, 0].tolist())
        np.testing.assert_allclose(spans, [[-10, 0], [10, 30]], atol=1e-6)
        self.assertAlmostEqual(lines.length("box"), 40.0, places=6)

    def test_parts_that_are_alike_share_what_they_hide_of_themselves_and_remembering_changes_nothing(self):
        rng = np.random.default_rng(4)
        mesh = box_mesh((0, 0, 0), (4, 6, 9))
        items = [(f"b{k}", mesh, translation(rng.uniform(0, 30, 3))) for k in range(20)]
        assembly = assemble("alike", items)
        forget()
        fresh = project_lines(assembly, home(assembly), QUARTER)
        again = project_lines(assembly, home(assembly), QUARTER)
        self.assertIs(*turned([mesh, mesh], [QUARTER, QUARTER + 1e-15], True))
        for name in ("points", "owner", "kind", "hidden"):
            np.testing.assert_array_equal(getattr(fresh, name), getattr(again, name))
        apart = assemble("apart", [(name, box_mesh((0, 0, 0), (4, 6, 9)), pose) for name, _, pose in items])
        others = project_lines(apart, home(apart), QUARTER)  # meshes of their own, nothing shared
        for path in fresh.paths:
            self.assertAlmostEqual(fresh.length(path), others.length(path), places=9)

    def test_a_report_that_raises_stops_the_work(self):
        class StopError(Exception):
            pass

        def stop(_share):
            raise StopError

        assembly = boxes(box=((10.0, 10.0, 10.0), (0, 0, 0)))
        with self.assertRaises(StopError):
            project_lines(assembly, home(assembly), TOP, report=stop)

    @settings(deadline=None, max_examples=25)
    @given(
        st.lists(st.tuples(*[st.floats(0, 30)] * 3, *[st.floats(1, 20)] * 3), min_size=2, max_size=6),
        st.floats(0, 6.28),
    )
    def test_turning_the_paper_changes_no_length_and_seen_and_hidden_make_the_whole(self, items, angle):
        assembly = boxes(**{f"b{k}": (item[3:], item[:3]) for k, item in enumerate(items)})
        turn = np.array([[np.cos(angle), np.sin(angle), 0], [-np.sin(angle), np.cos(angle), 0], [0, 0, 1]])
        one = project_lines(assembly, home(assembly), QUARTER)
        two = project_lines(assembly, home(assembly), turn @ QUARTER)
        for path in one.paths:
            self.assertAlmostEqual(one.length(path), two.length(path), delta=1e-3)
        edges = np.linalg.norm(QUARTER[:2], axis=0) @ np.array([4 * np.array(item[3:]) for item in items]).T
        kinds = (EDGE, OUTLINE)
        whole = sum(seen_length(one, kind, hidden) for kind in kinds for hidden in (False, True))
        self.assertAlmostEqual(whole, float(edges.sum()), delta=1e-4)


class StretchTests(TestCase):
    def test_against_dense_sampling_of_random_triangles(self):
        rng = np.random.default_rng(7)
        triangles = rng.uniform(0, 10, (60, 3, 3))
        segments = rng.uniform(0, 10, (40, 2, 3))
        halves = [Placed(screen_of(triangles[k::2] - (1.0, 2.0, 3.0)), np.array([1.0, 2.0, 3.0])) for k in (0, 1)]
        told = stretches([Asked(segments[:25]), Asked(segments[25:])], halves)
        shares = (np.arange(400) + 0.5) / 400
        for k in range(40):
            points = segments[k, 0] + shares[:, None] * (segments[k, 1] - segments[k, 0])
            covered = np.any([_in_front(triangle, points) for triangle in triangles], axis=0)
            own = told[told[:, 0] == k]
            hidden = np.zeros(400, bool)
            for _, start, end, is_hidden in own:
                hidden |= (shares > start) & (shares < end) & bool(is_hidden)
            self.assertLessEqual(np.count_nonzero(covered != hidden), 2 * len(own), f"segment {k}")
            self.assertAlmostEqual((own[:, 2] - own[:, 1]).sum(), 1.0, places=6)


def _in_front(triangle, points):
    """Which points a triangle covers, by barycentric coordinates."""
    a, b, c = triangle
    area = (b[0] - a[0]) * (c[1] - a[1]) - (c[0] - a[0]) * (b[1] - a[1])
    u, v = points[:, 0] - a[0], points[:, 1] - a[1]
    s = (u * (c[1] - a[1]) - (c[0] - a[0]) * v) / area
    t = ((b[0] - a[0]) * v - u * (b[1] - a[1])) / area
    depth = a[2] + s * (b[2] - a[2]) + t * (c[2] - a[2])
    return (s >= 0) & (t >= 0) & (s + t <= 1) & (depth > points[:, 2])


class EdgeTests(TestCase):
    def test_a_ball_has_no_sharp_edge_and_a_cheek_has_some(self):
        parts = {part.name: part.mesh for part, _ in read(DEMO).parts}
        frame_lines = project_lines(
            read(DEMO), {p: q for p, q in home(read(DEMO)).items() if p.endswith("Ball")}, QUARTER
        )
        self.assertEqual(seen_length(frame_lines, EDGE), 0.0)
        self.assertGreater(seen_length(frame_lines, OUTLINE), 10.0)
        self.assertGreater(np.count_nonzero(rims(parts["Cheek, near"]).kind != SMOOTH), 12)

    def test_where_a_flat_side_runs_into_a_rounding_the_edge_is_smooth(self):
        eye = next(part.mesh for part, _ in read(DEMO).parts if part.name == "Becket eye")
        self.assertGreater(np.count_nonzero(rims(eye).kind == SMOOTH), 0)

    def test_the_demo_has_no_modelled_threads(self):
        for file in (DEMO, WINCH):
            for part, _ in read(file).parts:
                self.assertEqual(threads(part.mesh), (), part.name)


class ThreadTests(TestCase):
    """Sizes and pitches of ISO 261 and the form of ISO 68-1 (from memory) stand in benchmarks/generate.py."""

    def test_a_modelled_thread_is_found_with_its_axis_crest_and_root(self):
        for size in (6, 10, 16):
            (found,) = threads(threaded_rod(size, 10, 32))
            self.assertTrue(found.outside)
            self.assertAlmostEqual(found.crest, size / 2, delta=0.03)
            self.assertAlmostEqual(found.root, size / 2 - 0.541266 * COARSE[size], delta=0.05)
            self.assertAlmostEqual(abs(found.axis[2]), 1.0, places=6)

    def test_a_nut_has_its_thread_inside(self):
        (found,) = threads(threaded_nut(10, 6))
        self.assertFalse(found.outside)
        self.assertLess(found.crest, found.root)

    def test_by_convention_a_rod_is_a_plain_cylinder_and_far_fewer_lines(self):
        assembly = assemble("rod", [("rod", threaded_rod(10, 12, 32), np.eye(4))])
        plain = project_lines(assembly, home(assembly), FRONT, simple_threads=True)
        real = project_lines(assembly, home(assembly), FRONT, simple_threads=False)
        self.assertLess(len(plain.points), len(real.points) / 10)
        wide = plain.points[~plain.hidden & (plain.kind == KINDS.index(OUTLINE))]
        np.testing.assert_allclose(np.abs(wide[:, :, 0]).max(), 5.0, atol=0.05)

    def test_a_plain_turned_part_has_no_thread(self):
        from benchmarks.generate import lathe

        bolt = lathe([(0, 0), (5, 0), (5, 6), (3, 6), (3, 20), (2, 21), (0, 21)], 96)
        self.assertEqual(threads(bolt), ())

    def test_a_thread_keeps_hiding_what_is_behind_it(self):
        rod, plate = threaded_rod(10, 12, 32), box_mesh((0, 0, 0), (40, 1, 10))
        assembly = assemble("s", [("rod", rod, np.eye(4)), ("plate", plate, translation(np.array([-20.0, 20, 4])))])
        for simple in (True, False):
            lines = project_lines(assembly, home(assembly), FRONT, simple_threads=simple)
            self.assertAlmostEqual(lines.length("plate"), 2 * 30 + 2 * 10, delta=2.5)
