"""First sheets: what every one keeps to, on the demo assemblies, as1 and random scenes; papers, scales, rows."""

from functools import cache
from unittest import TestCase

import numpy as np
from benchmarks.generate import assemble

from pulley.core.drawing import changes
from pulley.core.drawing.balloons import look_at
from pulley.core.drawing.follow import faults
from pulley.core.drawing.labelling import crossing, label
from pulley.core.drawing.layout import blocked, first_sheet, inner
from pulley.core.drawing.marks import leader_of, seen_view
from pulley.core.drawing.model import Text
from pulley.core.drawing.paper import SIZES, Paper, paper_of, zones
from pulley.core.drawing.rows import row_of, rows
from pulley.core.drawing.sheet import PagePattern, Shown
from pulley.core.drawing.title import draw_frame
from pulley.core.drawing.views import bounds_of
from pulley.core.errors import PulleyError
from pulley.core.formats import teardown as teardown_json
from pulley.core.geometry.frames import translation
from pulley.core.geometry.mesh import box_mesh
from pulley.core.planning.options import Options
from pulley.core.planning.proposal import propose
from pulley.core.scales import SCALES, checked_scale, factor, parse_scale
from pulley.core.teardown import Teardown
from tests.scenes import AS1, DEMO, DEMO_TEARDOWN, ROOT, WINCH, WINCH_TEARDOWN, axial, boxes, read, teardown

SMALL = ("cam_cleat", "friction_pack", "mast_foot", "roller", "round_hatch")
# the same assembly as other systems export it, in the same npm package
AS1_OTHERS = sorted(AS1.parent.glob("as1*.stp"))


def random_scene(seed: int):
    """Boxes of random sizes, scattered so that some hide others."""
    rng = np.random.default_rng(seed)
    items = []
    for k in range(int(rng.integers(3, 30))):
        size = rng.uniform(4, 30, 3)
        items.append((f"part {k}", box_mesh((0, 0, 0), tuple(size.tolist())), translation(rng.uniform(-80, 80, 3))))
    return assemble("scene", items)


@cache
def proposed(file):
    """An assembly with the teardown that Pulley proposes for it."""
    assembly = read(file)
    empty = Teardown("Proposed", source=assembly.source)
    return assembly, propose(assembly, empty, Options()).added_to(empty)


def given_teardown(file, teardown_file):
    """An assembly with a teardown from a file."""
    return read(file), teardown_json.loads(teardown_file.read_bytes())


def covered(look, centres, radius):
    """The places of the balloons under which something of a view is seen, by its identity buffer."""
    found = look.identity
    rows_, columns = np.nonzero(found.owner >= 0)
    middles = found.corner + found.pixel * np.stack([columns + 0.5, -(rows_ + 0.5)], axis=1)
    shown = look.placing.paper(middles)
    return [k for k, centre in enumerate(centres) if (np.linalg.norm(shown - centre, axis=1) < radius).any()]


def leader_lengths(assembly, sheet):
    """Mm of leader on the first page."""
    page = sheet.pages[0]
    seen = seen_view(assembly, sheet, page.views[0])
    leaders = [leader_of(assembly, seen, balloon, sheet.pattern.radius) for balloon in page.balloons]
    return sum(float(np.linalg.norm(a - b)) for a, b in leaders)


class RuleTests(TestCase):
    """What every sheet that Pulley lays out keeps to (ISO 6433: item references outside the outline, one for each
    item, leaders that do not cross; from memory)."""

    def keeps_the_rules(self, assembly, sheet):
        page = sheet.pages[0]
        found, radius = rows(assembly, sheet), sheet.pattern.radius
        (view,) = page.views
        seen, look = seen_view(assembly, sheet, view), look_at(assembly, sheet, view)
        leaders = np.array([leader_of(assembly, seen, balloon, radius) for balloon in page.balloons])
        centres = np.array([balloon.centre for balloon in page.balloons])
        self.assertFalse(crossing(leaders[:, 0], leaders[:, 1], leaders[:, 0], leaders[:, 1]).any(), "leaders cross")
        apart = np.linalg.norm(centres[:, None] - centres[None], axis=2) + 1e9 * np.eye(len(centres))
        self.assertGreater(apart.min(), 2 * radius, "balloons overlap")
        boxes_ = blocked(assembly, sheet, page)
        if view.arranged == "near":
            self.assertEqual(covered(look, centres, radius), [], "a balloon lies on the view")
        else:
            boxes_.append(bounds_of(assembly, sheet.teardown, view))
        for left, foot, right, top in boxes_:
            gap = np.linalg.norm(centres - np.clip(centres, (left, foot), (right, top)), axis=1)
            self.assertGreater(gap.min(), radius, "a balloon lies on something")
        left, foot, right, top = page.sheet_of_paper.frame
        self.assertTrue(((centres - radius > (left, foot)) & (centres + radius < (right, top))).all(), "off the page")
        for balloon, leader in zip(page.balloons, leaders, strict=True):
            row = row_of(assembly, found, balloon.target.component)
            self.assertIn(balloon.target.component, row.components)
            self.assertEqual(look.identity.at(look.placing.picture(leader[1])), balloon.target.component, row.name)
        pointed = {row_of(assembly, found, b.target.component).key for b in page.balloons}
        named = " ".join(fault.sentence for fault in faults(assembly, sheet))
        unseen = [row.name for row in found if row.key not in pointed]
        self.assertTrue(all(name in named or "more" in named for name in unseen), unseen)
        self.assertEqual(len(pointed), len(page.balloons))
        inside = bounds_of(assembly, sheet.teardown, view)
        self.assertTrue(inside[0] > left and inside[1] > foot and inside[2] < right and inside[3] < top)

    def test_the_halyard_block_and_the_deck_winch_have_every_item(self):
        for files in ((DEMO, DEMO_TEARDOWN), (WINCH, WINCH_TEARDOWN)):
            assembly, own = given_teardown(*files)
            sheet = first_sheet(assembly, own)
            with self.subTest(assembly.name):
                self.keeps_the_rules(assembly, sheet)
                self.assertEqual(len(sheet.pages[0].balloons), len(rows(assembly, sheet)))
                self.assertEqual(faults(assembly, sheet), [])

    def test_balloons_near_their_parts_cover_nothing_and_stay_so(self):
        for files in ((DEMO, DEMO_TEARDOWN), (WINCH, WINCH_TEARDOWN)):
            assembly, own = given_teardown(*files)
            sheet = first_sheet(assembly, own)
            near, left = changes.balloons_for(assembly, sheet, "p1", {"v1"}, arranged="near")
            with self.subTest(assembly.name):
                self.assertEqual(left, ())
                self.keeps_the_rules(assembly, near)
                self.assertLess(leader_lengths(assembly, near), 0.8 * leader_lengths(assembly, sheet))
                again, _ = changes.tidy(assembly, near, "p1")
                self.assertEqual(again.pages[0].balloons, near.pages[0].balloons)

    def test_the_small_demo_assemblies(self):
        for name in SMALL:
            assembly, own = proposed(ROOT / f"demo/{name}.step")
            with self.subTest(name):
                sheet = first_sheet(assembly, own)
                self.keeps_the_rules(assembly, sheet)
                self.assertEqual(faults(assembly, sheet), [])

    def test_as1_from_several_systems(self):
        self.assertGreaterEqual(len(AS1_OTHERS), 1)
        for file in AS1_OTHERS:
            assembly, own = proposed(file)
            with self.subTest(file.name):
                self.keeps_the_rules(assembly, first_sheet(assembly, own))

    def test_forty_random_scenes(self):
        for seed in range(40):
            assembly = random_scene(seed)
            with self.subTest(seed):
                self.keeps_the_rules(
                    assembly, first_sheet(assembly, teardown(axial((assembly.leaves[0].path,), (1, 0, 0), 20)))
                )

    def test_the_same_teardown_gives_the_same_sheet(self):
        assembly, own = given_teardown(WINCH, WINCH_TEARDOWN)
        self.assertEqual(first_sheet(assembly, own), first_sheet(assembly, own))


class LabellingTests(TestCase):
    def test_a_hundred_items_are_placed_without_a_crossing(self):
        rng = np.random.default_rng(3)
        sites = rng.uniform((150, 150), (650, 440), (100, 2))
        found = label(sites, (140, 140, 660, 450), (14, 14, 827, 580), 4.5)
        self.assertEqual(found.unplaced, [])
        self.assertFalse(crossing(sites, found.centres, sites, found.centres).any())

    def test_what_has_no_room_is_told_and_the_rest_stands(self):
        sites = np.random.default_rng(1).uniform(40, 60, (60, 2))
        found = label(sites, (38, 38, 62, 62), (10, 10, 90, 90), 5.0)
        self.assertTrue(0 < len(found.unplaced) < 60)

    def test_balloons_that_stand_are_kept_clear_of(self):
        sites = np.array([[50.0, 50], [52, 60], [54, 40]])
        standing = np.array([[20.0, 50.0]])
        leaders = np.array([[[50.0, 55.0], [20.0, 50.0]]])
        found = label(sites, (40, 30, 70, 70), (0, 0, 120, 100), 5.0, standing=standing, leaders=leaders)
        self.assertEqual(found.unplaced, [])
        self.assertFalse(crossing(sites, found.centres, leaders[:, 0], leaders[:, 1]).any())


class PaperTests(TestCase):
    def test_sizes_of_iso_216_halve_and_round_down(self):
        """ISO 216 (from memory): A0 has 1 m2 and sides in the ratio of 1 to the root of 2; each is half of the last."""
        self.assertEqual(SIZES["A0"], (841.0, 1189.0))
        for larger, smaller in (("A0", "A1"), ("A1", "A2"), ("A2", "A3"), ("A3", "A4")):
            self.assertEqual(SIZES[smaller][1], SIZES[larger][0])
            self.assertEqual(SIZES[smaller][0], SIZES[larger][1] // 2)

    def test_ansi_sizes_in_inches(self):
        """ASME Y14.1 (from memory): A 8.5 x 11, B 11 x 17, C 17 x 22, D 22 x 34, E 34 x 44 in."""
        inches = {"A": (8.5, 11), "B": (11, 17), "C": (17, 22), "D": (22, 34), "E": (34, 44)}
        for letter, size in inches.items():
            np.testing.assert_allclose(np.array(SIZES[f"ANSI {letter}"]) / 25.4, size, atol=1e-9)

    def test_margins_and_zones_of_iso_5457(self):
        """ISO 5457 (from memory): 20 mm at the filing edge, 10 at the others; A3 has zones 1 to 8 and A to F."""
        self.assertEqual(Paper("A3").frame, (20.0, 10.0, 410.0, 287.0))
        self.assertEqual(len(zones(390)) - 1, 8)
        self.assertEqual(len(zones(277)) - 1, 6)
        self.assertTrue(all(len(zones(length)) % 2 == 1 for length in range(180, 1170, 7)))

    def test_zones_are_counted_as_the_standard_of_the_paper_says(self):
        """ISO 5457: 1 at the left, A at the top. ASME Y14.1: 1 at the right, A at the foot. Both from memory."""
        for name, corner in (("A3", ("1", "A")), ("ANSI B", ("8", "F"))):
            paper = Paper(name)
            left, _, right, top = paper.frame
            found = [item for item in draw_frame(paper, PagePattern()) if isinstance(item, Text)]
            numbers = [item for item in found if item.at[1] > top]
            letters = [item for item in found if item.at[0] < left]
            first = min(numbers, key=lambda item: item.at[0]).text, max(letters, key=lambda item: item.at[1]).text
            self.assertEqual(first, corner, name)

    def test_scales_of_iso_5455(self):
        """ISO 5455, table 1 (from memory)."""
        enlarged = ["50:1", "20:1", "10:1", "5:1", "2:1"]
        reduced = [f"1:{n}" for n in (2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000, 10000)]
        self.assertEqual([f"{a}:{b}" for a, b in SCALES], [*enlarged, "1:1", *reduced])

    def test_scales_that_are_none_are_refused_in_a_sentence(self):
        for text in ("0", "-1", "1:0", "1:1e9", "", "big", "1:2:3", "nan", "inf", "1e9"):
            with self.subTest(text), self.assertRaisesRegex(PulleyError, "scale"):
                parse_scale(text)
        self.assertEqual(checked_scale((2.0, 4.0)), (1.0, 2.0))

    def test_paper_by_name(self):
        self.assertEqual(paper_of("a3 tall").size, (297.0, 420.0))
        with self.assertRaisesRegex(PulleyError, "no paper"):
            paper_of("A9")


class ChoiceTests(TestCase):
    def test_asked_for_paper_and_scale_are_kept_to(self):
        assembly, own = given_teardown(DEMO, DEMO_TEARDOWN)
        sheet = first_sheet(assembly, own, paper=Paper("A2"), scale=(1.0, 2.0))
        self.assertEqual((sheet.pages[0].paper, sheet.pages[0].views[0].scale), ("A2", (1.0, 2.0)))

    def test_a_scale_that_does_not_fit_is_refused(self):
        assembly, own = given_teardown(DEMO, DEMO_TEARDOWN)
        with self.assertRaisesRegex(PulleyError, "does not fit on A4 at that scale"):
            first_sheet(assembly, own, paper=Paper("A4"), scale=(5.0, 1.0))

    def test_the_view_is_as_large_as_a_standard_scale_allows(self):
        assembly, own = given_teardown(DEMO, DEMO_TEARDOWN)
        view = first_sheet(assembly, own, paper=Paper("A3")).pages[0].views[0]
        larger = [s for s in SCALES if factor(s) > factor(view.scale)][-1]
        with self.assertRaises(PulleyError):
            first_sheet(assembly, own, paper=Paper("A3"), scale=larger)

    def test_a_sheet_of_nothing_is_refused(self):
        assembly = boxes(a=((1, 1, 1), (0, 0, 0)))
        with self.assertRaisesRegex(PulleyError, "hidden|nothing"):
            first_sheet(assembly, Teardown("x", hidden=("a",)))

    def test_two_thousand_rows_go_on_on_further_pages(self):
        mesh = box_mesh((0, 0, 0), (5, 5, 5))
        items = [
            (f"part {k:04}", mesh, translation(np.array([8.0 * (k % 50), 8.0 * (k // 50), 0]))) for k in range(2000)
        ]
        sheet = first_sheet(assemble("many", items), Teardown("x"))
        sheet = changes.change_items(assemble("many", items), sheet, each="instance")
        self.assertEqual(len(rows(assemble("many", items), sheet)), 2000)

    def test_shown_at_a_step(self):
        assembly, own = given_teardown(DEMO, DEMO_TEARDOWN)
        sheet = first_sheet(assembly, own)
        before = bounds_of(assembly, own, sheet.pages[0].views[0])
        sheet = changes.change_view(assembly, sheet, "p1", "v1", shown=Shown("home"))
        after = bounds_of(assembly, own, sheet.pages[0].views[0])
        self.assertLess(after[3] - after[1], before[3] - before[1])
        self.assertTrue(inner(Paper("A3")))
