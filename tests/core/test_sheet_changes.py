"""Changes to a sheet by hand, its JSON, how it follows its teardown, and how it is issued."""

import io
import json
from dataclasses import replace
from unittest import TestCase

import ezdxf
import numpy as np
from PIL import Image

from pulley.core.drawing import changes, document, follow
from pulley.core.drawing.balloons import look_at
from pulley.core.drawing.draw import draw
from pulley.core.drawing.layout import blocked, first_sheet
from pulley.core.drawing.lists import list_box
from pulley.core.drawing.marks import seen_view, true_distance
from pulley.core.drawing.model import Circle, Lines, Picture, Text
from pulley.core.drawing.paper import Paper
from pulley.core.drawing.patterns import PATTERNS, pattern_text, read_pattern
from pulley.core.drawing.rows import rows
from pulley.core.drawing.sheet import Shown, Target
from pulley.core.drawing.views import bounds_of, caption_box
from pulley.core.drawing.writers import write
from pulley.core.errors import PulleyError
from pulley.core.teardown import Teardown
from tests.core.test_sheet_files import halyard
from tests.core.test_sheets import given_teardown
from tests.scenes import AS1, WINCH, WINCH_TEARDOWN, axial, boxes, changed, read, teardown, tower


def by_name(assembly, sheet, name):
    """The row of a name."""
    return next(row for row in rows(assembly, sheet) if row.name == name)


class RowTests(TestCase):
    def setUp(self):
        self.assembly, self.sheet = halyard()

    def names(self, sheet):
        return [row.name for row in rows(self.assembly, sheet)]

    def test_a_row_dragged_to_the_top_is_item_1_and_balloons_follow(self):
        row = by_name(self.assembly, self.sheet, "Cheek, far")
        sheet = changes.put_first(self.assembly, self.sheet, row.key)
        self.assertEqual(by_name(self.assembly, sheet, "Cheek, far").item, 1)
        (balloon,) = [b for b in sheet.pages[0].balloons if b.target.component in row.components]
        texts = [
            i.text
            for i in draw(self.assembly, sheet)[0].items
            if isinstance(i, Text) and i.tag == f"balloon:{balloon.id}"
        ]
        self.assertEqual(texts, ["1"])

    def test_sorted_by_columns_the_tree_and_the_teardown(self):
        by = {
            by: self.names(changes.sort_rows(self.sheet, by))
            for by in ("name", "tree", "teardown", "assembly", "quantity")
        }
        self.assertEqual(by["name"], sorted(by["name"], key=str.casefold))
        self.assertEqual(by["tree"], [part.name for part, _ in self.assembly.parts])
        self.assertEqual(by["teardown"][0], "Cheek screw")  # the first step takes the screws out
        self.assertEqual(by["assembly"][0], "Cheek, far")  # which no step moves
        with self.assertRaisesRegex(PulleyError, "nothing called"):
            changes.sort_rows(self.sheet, "colour")

    def test_leaving_out_closes_the_gap_unless_numbers_are_kept(self):
        key = by_name(self.assembly, self.sheet, "Washer").key
        closed = changes.leave_out(self.assembly, self.sheet, key)
        self.assertEqual([row.item for row in rows(self.assembly, closed)], list(range(1, 20)))
        kept = changes.leave_out(self.assembly, changes.fix_numbers(self.assembly, self.sheet), key)
        self.assertEqual([row.item for row in rows(self.assembly, kept)], [1, *range(3, 21)])
        again = changes.close_gaps(kept)
        self.assertEqual([row.item for row in rows(self.assembly, again)], list(range(1, 20)))
        self.assertIn(
            "points at parts that the list leaves out",
            " ".join(f.sentence for f in follow.faults(self.assembly, closed)),
        )
        self.assertEqual(len(follow.remove_strays(self.assembly, closed).pages[0].balloons), 19)
        self.assertEqual(len(rows(self.assembly, changes.leave_out(self.assembly, closed, key, out=False))), 20)

    def test_numbers_typed_on_purpose_and_what_cannot_be_typed(self):
        key = by_name(self.assembly, self.sheet, "Washer").key
        sheet = changes.set_text(self.assembly, self.sheet, key, "item", "40")
        self.assertEqual(by_name(self.assembly, sheet, "Washer").item, 40)
        for column, text in (("item", "0"), ("item", "two"), ("quantity", "7"), ("mass", "3")):
            with self.subTest(column), self.assertRaises(PulleyError):
                changes.set_text(self.assembly, self.sheet, key, column, text)

    def test_quantities_come_from_the_assembly_whatever_is_merged(self):
        one, two = (by_name(self.assembly, self.sheet, f"Rope guard, {side}").key for side in ("left", "right"))
        sheet = changes.merge_rows(self.assembly, self.sheet, [one, two])
        self.assertEqual(by_name(self.assembly, sheet, "Rope guard, left").quantity, 2)
        self.assertEqual(len(rows(self.assembly, changes.unmerge_rows(sheet, one))), 20)
        every = changes.change_items(self.assembly, self.sheet, each="instance")
        self.assertEqual(len(rows(self.assembly, every)), len(self.assembly.leaves))

    def test_a_subassembly_kept_whole_is_one_row(self):
        sheet = changes.change_items(self.assembly, self.sheet, whole=["Halyard block/Bearing"])
        self.assertEqual(by_name(self.assembly, sheet, "Bearing").quantity, 1)
        self.assertNotIn("Ball", self.names(sheet))
        with self.assertRaisesRegex(PulleyError, "no subassembly"):
            changes.change_items(self.assembly, self.sheet, whole=["Halyard block/Cheek, far"])

    def test_two_of_a_subassembly_are_one_row_of_two(self):
        assembly = read(AS1)
        sheet = first_sheet(assembly, Teardown("T"))
        groups = [c.path for c in assembly.components if c.name.startswith("l-bracket-assembly")]
        sheet = changes.change_items(assembly, sheet, whole=groups)
        self.assertEqual([row.quantity for row in rows(assembly, sheet) if "l-bracket" in row.name], [2])

    def test_mass_by_volume_and_material(self):
        """Steel 7.85 g/cm3 (handbook value, from memory): a plate of 100 x 50 x 2 mm weighs 78.5 g."""
        assembly = boxes(plate=((100.0, 50.0, 2.0), (0, 0, 0)))
        sheet = changes.set_text(assembly, first_sheet(assembly, Teardown("T")), "p0", "material", "Steel")
        self.assertEqual(rows(assembly, sheet)[0].texts["mass"], "78.5")
        self.assertEqual(
            rows(assembly, changes.set_text(assembly, sheet, "p0", "material", "Cheese"))[0].texts["mass"], ""
        )

    def test_columns_and_the_look_of_a_list(self):
        sheet = changes.set_column(self.sheet, "p1", "l1", "quantity", shown=False)
        narrow = list_box(sheet.pages[0].lists[0], rows(self.assembly, sheet))
        wide = list_box(self.sheet.pages[0].lists[0], rows(self.assembly, self.sheet))
        self.assertAlmostEqual(wide[2] - wide[0] - (narrow[2] - narrow[0]), 11.0)
        own = changes.set_column(self.sheet, "p1", "l1", "Supplier", shown=True)
        own = changes.set_text(self.assembly, own, by_name(self.assembly, own, "Ball").key, "Supplier", "Kugel & Sons")
        self.assertIn("Kugel & Sons", [i.text for i in draw(self.assembly, own)[0].items if isinstance(i, Text)])
        across = changes.change_list(self.sheet, "p1", "l1", across=2, title="Parts", upward=True)
        box = list_box(across.pages[0].lists[0], rows(self.assembly, across))
        self.assertGreater(box[2] - box[0], 1.9 * (wide[2] - wide[0]))
        for given in ({"across": 0}, {"height": 100}):
            with self.assertRaises(PulleyError):
                changes.change_list(self.sheet, "p1", "l1", **given)
        goes_on = changes.continue_list(self.assembly, self.sheet, "p1", "l1", 12)
        self.assertEqual([len(p.lists) for p in goes_on.pages], [1, 1])
        self.assertEqual(goes_on.pages[1].lists[0].first, 12)
        later = changes.continue_list(self.assembly, goes_on, "p1", "l1", 9)
        self.assertEqual([[(parts.first, parts.most) for parts in p.lists] for p in later.pages], [[(0, 9)], [(9, 0)]])
        alone = changes.remove_page(later, later.pages[1].id)
        again = changes.continue_list(self.assembly, alone, "p1", "l1", 5)
        self.assertEqual([p.lists[0].first for p in again.pages], [0, 5])


class ViewTests(TestCase):
    def setUp(self):
        self.assembly, self.sheet = halyard()

    def view(self, sheet, id="v1"):
        return sheet.pages[0].view(id)

    def test_moving_takes_balloons_along_and_scaling_keeps_what_was_placed_by_hand_at_its_part(self):
        moved = changes.move_view(self.assembly, self.sheet, "p1", "v1", (5.0, -3.0))
        before, after = self.sheet.pages[0].balloons, moved.pages[0].balloons
        for one, two in zip(before, after, strict=True):
            np.testing.assert_allclose(np.subtract(two.centre, one.centre), (5, -3), atol=1e-9)
        placed = changes.move_balloons(self.sheet, "p1", ["b3"], (-4.0, 2.0))
        halved = changes.scale_view(self.assembly, placed, "p1", "v1", (1.0, 2.0))
        self.assertEqual(self.view(halved).scale, (1.0, 2.0))
        missing = [fault.sentence for fault in follow.faults(self.assembly, halved)]
        self.assertEqual(len(halved.pages[0].balloons) + len(missing), 20, missing)  # what has no room is named
        self.assertTrue(next(b for b in halved.pages[0].balloons if b.id == "b3").placed)

    def test_largest_that_fits_is_found_again_after_shrinking(self):
        small = changes.scale_view(self.assembly, self.sheet, "p1", "v1", (1.0, 10.0))
        self.assertEqual(self.view(changes.fit_view(self.assembly, small, "p1", "v1")).scale, (1.0, 1.0))

    def test_the_assembled_view_beside_the_exploded_one(self):
        sheet = changes.add_view(self.assembly, self.sheet, "p1", Shown("home"))
        boxes_ = [bounds_of(self.assembly, sheet.teardown, view) for view in sheet.pages[0].views]
        apart = (
            boxes_[0][2] < boxes_[1][0]
            or boxes_[1][2] < boxes_[0][0]
            or boxes_[0][3] < boxes_[1][1]
            or boxes_[1][3] < boxes_[0][1]
        )
        self.assertTrue(apart, boxes_)
        captions = [
            i.text for i in draw(self.assembly, sheet)[0].items if isinstance(i, Text) and i.tag.endswith("/caption")
        ]
        self.assertEqual(captions[0], "Exploded, 1:1")
        self.assertRegex(captions[1], "Assembled, ")

    def test_orthographic_views_line_up_by_first_and_third_angle(self):
        """ISO 5456-2 (from memory): first angle puts the view from above below the front view, third angle above."""
        assembly = boxes(post=((10.0, 20.0, 40.0), (0, 0, 0)))
        for projection, top_side in (("first", "below"), ("third", "above")):
            sheet = first_sheet(
                assembly, Teardown("T"), replace(PATTERNS["workshop"], projection=projection), Paper("A3"), (1.0, 1.0)
            )
            sheet = changes.look_from(assembly, sheet, "p1", "v1", "front")
            sheet = changes.add_projected(assembly, sheet, "p1", "v1", top_side)
            front, top = sheet.pages[0].views
            box = bounds_of(assembly, sheet.teardown, top)
            self.assertAlmostEqual(box[3] - box[1], 20.0, places=6)  # its depth stands upright: that is the top view
            self.assertGreater(np.subtract(top.camera.eye, top.camera.target)[2], 0)
            own = bounds_of(assembly, sheet.teardown, front)
            self.assertAlmostEqual(box[0], own[0], places=6)
            moved = changes.move_view(assembly, sheet, "p1", top.id, (30.0, -7.0))
            self.assertAlmostEqual(bounds_of(assembly, sheet.teardown, moved.pages[0].views[1])[0], own[0], places=6)

    def test_a_shaded_view_is_drawn_once_and_goes_where_the_view_goes(self):
        sheet = changes.change_view(self.assembly, self.sheet, "p1", "v1", style="shaded")
        one = self.picture(sheet)
        image = np.array(Image.open(io.BytesIO(one.png)))
        look = look_at(self.assembly, sheet, self.view(sheet))
        left, _, right, top = one.box
        for path in ("Halyard block/Axle pin", "Halyard block/Becket/Becket eye"):
            spot = look.placing.paper(look.spots[path].picture)
            place = ((spot - (left, top)) * (1, -1) * image.shape[1] / (right - left)).astype(int)
            self.assertEqual(image[place[1], place[0], 3], 255, path)
        self.assertEqual(image[0, 0, 3], 0)
        moved = self.picture(changes.move_view(self.assembly, sheet, "p1", "v1", (30.0, -7.0)))
        self.assertIs(moved.png, one.png)
        np.testing.assert_allclose(np.subtract(moved.box, one.box), (30, -7, 30, -7), atol=1e-9)
        other = changes.scale_view(self.assembly, sheet, "p1", "v1", (1.0, 2.0))
        self.assertNotEqual(self.picture(other).png, one.png)

    def picture(self, sheet):
        return next(item for item in draw(self.assembly, sheet)[0].items if isinstance(item, Picture))

    def test_what_is_added_stands_clear_of_balloons_notes_and_the_title_block(self):
        sheet = changes.add_note(self.sheet, "p1", (300.0, 60.0), "Torque 9 Nm\nEvery second year")
        sheet = changes.add_view(self.assembly, sheet, "p1", Shown("home"))
        sheet = changes.add_detail(self.assembly, sheet, "p1", "v1", self.view(sheet).at, 9.0)
        page, radius = sheet.pages[0], sheet.pattern.radius
        taken = [*blocked(self.assembly, sheet, replace(page, views=()))]
        taken += [(x - radius, y - radius, x + radius, y + radius) for b in page.balloons for x, y in [b.centre]]
        for view in page.views[1:]:
            own = bounds_of(self.assembly, sheet.teardown, view)
            caption = caption_box(self.assembly, sheet.teardown, view, sheet.pattern)
            for one in (own, caption):
                clear = [b for b in taken if one[0] < b[2] and one[2] > b[0] and one[1] < b[3] and one[3] > b[1]]
                self.assertEqual(clear, [], view.id)
        for kind in ("pdf", "svg", "dxf", "png"):
            self.assertGreater(len(write(self.assembly, sheet, kind)), 10_000, kind)
        text = write(self.assembly, sheet, "dxf").decode()
        self.assertEqual(ezdxf.read(io.StringIO(text)).audit().errors, [])
        self.assertTrue("Detail A" in text and "Assembled" in text)

    def test_an_enlarged_detail_shows_what_lies_in_its_circle(self):
        sheet = changes.add_detail(self.assembly, self.sheet, "p1", "v1", self.view(self.sheet).at, 12.0)
        detail = sheet.pages[0].views[1]
        self.assertGreaterEqual(detail.scale[0] / detail.scale[1], 2.0)
        items = draw(self.assembly, sheet)[0].items
        radius = detail.region.radius * detail.scale[0] / detail.scale[1]
        for item in items:
            if isinstance(item, Lines) and item.tag.startswith(f"view:{detail.id}"):
                for line in item.polylines:
                    self.assertLess(np.linalg.norm(line - detail.at, axis=1).max(), radius + 1e-6)
        circles = [i for i in items if isinstance(i, Circle) and i.tag == f"view:{detail.id}/circle"]
        self.assertAlmostEqual(circles[0].radius, 12.0, places=6)
        gone = changes.remove_view(self.assembly, sheet, "p1", "v1")
        self.assertEqual((gone.pages[0].views, gone.pages[0].balloons), ((), ()))

    def test_styles_poses_and_subassemblies(self):
        for given in (
            {"style": "hidden"},
            {"style": "shaded lines"},
            {"style": "shaded"},
            {"smooth": "off"},
            {"trails": False},
        ):
            sheet = changes.change_view(self.assembly, self.sheet, "p1", "v1", **given)
            self.assertTrue(draw(self.assembly, sheet)[0].items)
        with self.assertRaises(PulleyError):
            changes.change_view(self.assembly, self.sheet, "p1", "v1", style="watercolour")
        only = changes.show_only(self.assembly, self.sheet, "p1", "v1", ["Halyard block/Shackle"])
        tags = {i.tag for i in draw(self.assembly, only)[0].items if i.tag.startswith("view:v1/Halyard")}
        self.assertTrue(tags and all("/Shackle/" in tag for tag in tags))
        turned = changes.turn_view(self.assembly, self.sheet, "p1", "v1", 30, 10)
        self.assertNotEqual(self.view(turned).camera.eye, self.view(self.sheet).camera.eye)
        missing = [fault.sentence for fault in follow.faults(self.assembly, turned)]
        self.assertEqual(len(turned.pages[0].balloons) + len(missing), 20, missing)

    def test_a_view_of_a_step_that_is_gone_says_so_and_the_rest_is_drawn(self):
        sheet = changes.change_view(
            self.assembly, self.sheet, "p1", "v1", shown=Shown("step", self.sheet.teardown.steps[2].id)
        )
        lost = replace(sheet, teardown=replace(sheet.teardown, steps=sheet.teardown.steps[:2]))
        texts = [i.text for i in draw(self.assembly, lost)[0].items if isinstance(i, Text)]
        self.assertTrue(any("no longer in the teardown" in text for text in texts))
        self.assertIn("no longer in the teardown", " ".join(f.sentence for f in follow.faults(self.assembly, lost)))

    def test_numbers_out_of_range_are_refused(self):
        for move in ((1e9, 0), (float("nan"), 0), (float("inf"), 1)):
            with self.assertRaisesRegex(PulleyError, "far off"):
                changes.move_view(self.assembly, self.sheet, "p1", "v1", move)
        for scale in ((0, 1), (1, 0), (1, 1e9), (-1, 2)):
            with self.assertRaisesRegex(PulleyError, "scale"):
                changes.scale_view(self.assembly, self.sheet, "p1", "v1", scale)


class BalloonTests(TestCase):
    def setUp(self):
        self.assembly, self.sheet = halyard()

    def test_removed_and_added_by_clicking_a_part(self):
        gone = changes.remove_balloons(self.sheet, "p1", ["b5"])
        named = [f.sentence for f in follow.faults(self.assembly, gone)]
        target = next(b for b in self.sheet.pages[0].balloons if b.id == "b5").target
        self.assertTrue(any("without a balloon" in sentence for sentence in named))
        back = changes.add_balloon(self.assembly, gone, "p1", "v1", target)
        self.assertEqual(len(back.pages[0].balloons), 20)
        with self.assertRaisesRegex(PulleyError, "no room|has one"):
            changes.add_balloon(self.assembly, self.sheet, "p1", "v1", target)

    def test_tidying_leaves_what_was_placed_by_hand(self):
        placed = changes.move_balloons(self.sheet, "p1", ["b1"], (-6.0, 4.0))
        where = next(b for b in placed.pages[0].balloons if b.id == "b1").centre
        tidied, left = changes.tidy(self.assembly, placed, "p1")
        self.assertEqual((next(b for b in tidied.pages[0].balloons if b.id == "b1").centre, left), (where, ()))
        self.assertEqual(len(tidied.pages[0].balloons), 20)
        every, _ = changes.tidy(self.assembly, placed, "p1", all_of_them=True)
        self.assertFalse(any(b.placed for b in every.pages[0].balloons))

    def test_stacked_on_one_leader_and_apart_again(self):
        rows_ = {row.name: row for row in rows(self.assembly, self.sheet)}
        ids = [
            b.id
            for b in self.sheet.pages[0].balloons
            if b.target.component in rows_["Cheek screw"].components + rows_["Washer"].components
        ]
        stacked = changes.stack_balloons(self.sheet, "p1", ids)
        self.assertEqual(len(stacked.pages[0].balloons), 19)
        self.assertEqual(follow.faults(self.assembly, stacked), [])
        apart = changes.unstack_balloon(self.assembly, stacked, "p1", ids[0])
        self.assertEqual(len(apart.pages[0].balloons), 20)

    def test_the_end_of_a_leader_stays_on_what_is_visible_of_its_part(self):
        moved = changes.move_attachment(self.assembly, self.sheet, "p1", "b1", (0.0, 0.0))
        balloon = next(b for b in moved.pages[0].balloons if b.id == "b1")
        self.assertEqual(
            balloon.target.component, next(b for b in self.sheet.pages[0].balloons if b.id == "b1").target.component
        )
        self.assertTrue(balloon.placed)

    def test_every_instance_and_rows_and_all_round(self):
        sheet, left = changes.balloons_for(self.assembly, self.sheet, "p1", {"v1"}, each="instance")
        self.assertGreater(len(sheet.pages[0].balloons) + len(left), 25)
        for arranged in ("around", "rows"):
            sheet, left = changes.balloons_for(self.assembly, self.sheet, "p1", {"v1"}, arranged=arranged)
            self.assertEqual((len(sheet.pages[0].balloons), left), (20, ()))


class NoteTests(TestCase):
    def test_notes_dimensions_centre_lines_and_travels(self):
        assembly, sheet = halyard()
        sheet = changes.add_note(sheet, "p1", (60.0, 40.0), "Torque 9 Nm\nLoctite", height=3.4)
        self.assertEqual(sheet.pages[0].notes[0].height, 3.5)  # the standard height nearest to it
        pin = next(leaf.path for leaf in assembly.leaves if leaf.name == "Axle pin")
        sheet = changes.add_centre_lines(assembly, sheet, "p1", "v1", pin)
        sheet = changes.add_table(sheet, "p1", (30.0, 100.0))
        items = draw(assembly, sheet)[0].items
        self.assertTrue({"note:n1", "centre:c1", "table:t1"} <= {i.tag for i in items})
        for id, what in (("c1", {"text": "x"}), ("c1", {"height": 5.0}), ("t1", {"text": "x"})):
            with self.assertRaisesRegex(PulleyError, "of its own. Nothing was changed"):
                changes.change_item(sheet, "p1", id, **what)
        for id in ("n1", "c1", "t1"):
            sheet = changes.remove_item(sheet, "p1", id)
        with self.assertRaisesRegex(PulleyError, "empty"):
            changes.add_note(sheet, "p1", (0, 0), "  ")
        plate = next(leaf.path for leaf in assembly.leaves if leaf.name == "Rope guard, left")
        with self.assertRaisesRegex(PulleyError, "no round face|straight at the eye"):
            changes.add_centre_lines(assembly, sheet, "p1", "v1", plate)

    def test_a_dimension_stays_on_its_parts(self):
        assembly = tower()
        sheet = first_sheet(assembly, teardown(axial(("lid",), (0, 0, 1), 60)))
        sheet = changes.add_dimension(sheet, "p1", "v1", Target("high", (0, 0, 10)), Target("lid", (0, 0, 0)))
        dimension = sheet.pages[0].dimensions[0]
        self.assertAlmostEqual(
            true_distance(assembly, seen_view(assembly, sheet, sheet.pages[0].views[0]), dimension), 65.0
        )
        home = changes.change_view(assembly, sheet, "p1", "v1", shown=Shown("home"))
        self.assertAlmostEqual(
            true_distance(assembly, seen_view(assembly, home, home.pages[0].views[0]), dimension), 5.0
        )


class PageTests(TestCase):
    def test_pages_come_go_and_change_places(self):
        assembly, sheet = halyard()
        sheet = changes.add_page(sheet, "p1")
        sheet = changes.duplicate_page(sheet, "p1")
        self.assertEqual([page.id for page in sheet.pages], ["p1", "p3", "p2"])
        sheet = changes.move_page(sheet, "p2", 0)
        self.assertEqual([page.id for page in sheet.pages], ["p2", "p1", "p3"])
        sheet = changes.remove_page(changes.remove_page(sheet, "p2"), "p3")
        with self.assertRaisesRegex(PulleyError, "one page at least"):
            changes.remove_page(sheet, "p1")

    def test_on_other_paper_lists_stay_in_their_corner_and_everything_in_the_frame(self):
        assembly, sheet = halyard()
        for paper in (Paper("A2"), Paper("A3", wide=False), Paper("ANSI B")):
            changed_ = changes.set_paper(assembly, sheet, "p1", paper)
            box = list_box(changed_.pages[0].lists[0], rows(assembly, changed_))
            np.testing.assert_allclose(box[2:], (paper.frame[2], paper.frame[3]), atol=1e-6)
            self.assertEqual(len(changed_.pages[0].balloons), 20)

    def test_patterns_ship_are_read_back_and_used_for_other_paper(self):
        assembly, sheet = halyard()
        self.assertEqual(len(PATTERNS), 3)
        for name, pattern in PATTERNS.items():
            self.assertEqual(document.pattern_from(json.loads(pattern_text(pattern))), pattern)
            self.assertTrue(draw(assembly, changes.use_pattern(assembly, sheet, read_pattern(name)))[0].items)
        other = changes.use_pattern(assembly, sheet, replace(PATTERNS["workshop"], paper="A1", wide=True))
        self.assertEqual(other.pages[0].paper, "A1")
        with self.assertRaises(PulleyError):
            document.pattern_from({"format": "pulley-page-pattern", "line": -1})


class JsonTests(TestCase):
    def test_a_round_trip_changes_nothing(self):
        for files in ((None, None), (WINCH, WINCH_TEARDOWN)):
            assembly, sheet = halyard() if files[0] is None else (read(WINCH), first_sheet(*given_teardown(*files)))
            sheet = changes.add_note(changes.add_page(sheet, "p1"), "p1", (5.0, 5.0), "x")
            found = document.from_document(json.loads(document.dumps(assembly, sheet)), assembly)
            self.assertEqual(found, sheet)
            self.assertEqual(document.to_document(assembly, found), document.to_document(assembly, sheet))
            self.assertEqual(document.from_document(document.to_document(None, sheet), None), sheet)

    def test_only_what_is_promised_is_enough(self):
        assembly, sheet = halyard()
        whole = document.to_document(assembly, sheet)
        page = whole["pages"][0]
        keep = {
            "views": ("id", "pose", "scale", "bounds"),
            "balloons": ("view", "item", "component", "center", "radius", "leader", "end"),
            "lists": ("columns", "bounds", "rows"),
        }
        lean = {key: whole[key] for key in ("format", "version", "source", "teardown")}
        lean["pages"] = [{"paper": page["paper"], "size": page["size"], **{k: [{n: i[n] for n in names} for i in page[k]] for k, names in keep.items()}}]  # fmt: skip  # noqa: E501
        for view in lean["pages"][0]["views"]:
            view["camera"] = {}
        found = document.to_document(assembly, document.from_document(lean, assembly))["pages"][0]
        np.testing.assert_allclose(found["views"][0]["bounds"], page["views"][0]["bounds"], atol=0.01)
        for one, two in zip(found["balloons"], page["balloons"], strict=True):
            np.testing.assert_allclose(one["leader"], two["leader"], atol=0.2)
            self.assertEqual(one["item"], two["item"])
        self.assertEqual(found["lists"][0]["rows"], page["lists"][0]["rows"])

    def test_broken_documents_are_refused_with_the_place(self):
        assembly, sheet = halyard()
        for path, value, why in (
            (("pages",), [], "pages"),
            (("pages", 0, "paper"), "A9", "paper"),
            (("pages", 0, "views", 0, "scale"), [0, 1], "scale"),
            (("pages", 0, "balloons", 0, "center"), [1], "center"),
            (("pattern", "logo"), "not a picture", "logo"),
            (("version",), 2, "version"),
            (("pages", 0, "balloons", 0, "id"), "v1", "two things"),
        ):
            broken = json.loads(document.dumps(assembly, sheet))
            at = broken
            for key in path[:-1]:
                at = at.setdefault(key, {}) if isinstance(at, dict) else at[key]
            at[path[-1]] = value
            with self.subTest(path), self.assertRaisesRegex(PulleyError, why):
                document.from_document(broken, assembly)


class FollowTests(TestCase):
    def setUp(self):
        self.assembly = tower()
        self.plan = teardown(axial(("lid",), (0, 0, 1), 60), axial(("high",), (0, 0, 1), 30, id="s2"))
        self.sheet = first_sheet(self.assembly, self.plan)

    def test_what_changed_is_said_and_taken_over_with_what_was_placed_by_hand(self):
        self.assertEqual(follow.behind(self.sheet, self.plan), [])
        placed = changes.move_balloons(self.sheet, "p1", ["b1"], (-3.0, 3.0))
        now = replace(self.plan, steps=(changed(self.plan.steps[0], distance=90.0), self.plan.steps[1]))
        self.assertEqual(
            follow.behind_sentence(follow.behind(placed, now)),
            "“Step s1”: 1 component up, 60 mm is now 1 component up, 90 mm.",
        )
        taken = follow.take_over(self.assembly, placed, now)
        self.assertEqual(follow.behind(taken, now), [])
        self.assertTrue(next(b for b in taken.pages[0].balloons if b.id == "b1").placed)
        self.assertEqual(follow.faults(self.assembly, taken), [])

    def test_parts_that_are_gone_lose_what_points_at_them_and_new_ones_get_a_balloon(self):
        size = (10.0, 10.0, 10.0)
        newer = boxes(
            low=(size, (0, 0, 0)), middle=(size, (0, 0, 10)), high=(size, (0, 0, 20)), knob=(size, (0, 0, 35))
        )
        now = teardown(axial(("knob",), (0, 0, 1), 60), axial(("high",), (0, 0, 1), 30, id="s2"))
        taken = follow.take_over(newer, self.sheet, now)
        pointed = {b.target.component for b in taken.pages[0].balloons}
        self.assertEqual(pointed, {"low", "middle", "high", "knob"})

    def test_an_issued_sheet_stays_until_the_next_revision_is_begun(self):
        with self.assertRaisesRegex(PulleyError, "name is empty"):
            follow.issue(self.sheet, "2026-11-27", " ")
        issued = follow.issue(self.sheet, "2026-11-27", "A. Fitter", "First issue")
        texts = [i.text for i in draw(self.assembly, issued)[0].items if isinstance(i, Text) and i.tag == "issues"]
        self.assertEqual(texts, ["A", "2026-11-27", "A. Fitter", "First issue"])
        with self.assertRaisesRegex(PulleyError, "issued and stays"):
            follow.take_over(self.assembly, issued, replace(self.plan, name="Other"))
        with self.assertRaisesRegex(PulleyError, "issued and stays"):
            follow.check_open(issued)
        again = follow.issue(follow.begin_revision(issued), "2026-12-01", "A. Fitter", "Longer travel")
        self.assertEqual([done.letter for done in again.issues], ["A", "B"])
