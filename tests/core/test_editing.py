"""Editing functions, typed numbers and the sentences that describe them."""

from unittest import TestCase

from pulley.core import describe, editing
from pulley.core.assembly import Assembly, Group, Leaf, clean_name, unique_names
from pulley.core.contact.check import check
from pulley.core.contact.scene import home_scene
from pulley.core.errors import PulleyError
from pulley.core.naming import component_name
from pulley.core.planning.ways_out import ways_out
from pulley.core.quantities import parse_distance, parse_duration, plain
from pulley.core.teardown import Camera
from tests.scenes import RIGHT, UP, axial, teardown, tower

VIEW = Camera("", "Front", (0, -100, 0), (0, 0, 0))


class TypedNumberTests(TestCase):
    def test_good_distances(self):
        for text, mm in (("25", 25), (" 22.5 mm ", 22.5), ("1e2", 100), ("0.01", 0.01)):
            self.assertEqual(parse_distance(text), mm)
        self.assertEqual(parse_duration("1.5 s"), 1.5)

    def test_bad_distances_say_what_to_type(self):
        wrong = {
            "": "empty",
            "  ": "empty",
            "-20": "turn the direction round",
            "1e300": "at most 100,000 mm",
            "inf": "at most 100,000 mm",
            "NaN": "not a number",
            "12,5": "12.5",
            "0": "above 0",
            "far": "not a number",
        }
        for text, advice in wrong.items():
            with self.subTest(text), self.assertRaisesRegex(PulleyError, advice):
                parse_distance(text)

    def test_plain(self):
        self.assertEqual([plain(n) for n in (60.0, 22.5, 3.57149, 1e5)], ["60", "22.5", "3.571", "100000"])


class StepTests(TestCase):
    def setUp(self):
        self.tower = tower()
        self.plan = teardown(axial(("lid",), UP, 60), axial(("high",), UP, 30, "s2"))

    def add(self, *args, **more):
        return editing.add_step(self.plan, self.tower, *args, **more)

    def test_adding_numbers_labels_and_places_a_step(self):
        after, step = self.add(["middle"], RIGHT, 25, after=1)
        self.assertEqual([s.id for s in after.steps], ["s1", "s3", "s2"])
        self.assertEqual((step.label, step.motion.distance), ("middle", 25.0))
        self.assertEqual(len(self.plan.steps), 2)

    def test_adding_refuses_nonsense(self):
        for members, direction, distance in (
            ([], UP, 5),
            (["nobody"], UP, 5),
            (["lid"], (0, 0, 0), 5),
            (["lid"], (float("nan"), 0, 0), 5),
            (["lid"], UP, 0),
            (["lid"], UP, -5),
            (["lid"], UP, float("nan")),
            (["lid"], UP, 1e300),
        ):
            with self.subTest((members, direction, distance)), self.assertRaises(PulleyError):
                self.add(members, direction, distance)

    def test_turning_round_twice_is_nothing(self):
        once = editing.turn_round(self.plan, "s1")
        self.assertEqual(once.steps[0].motion.direction, (0.0, 0.0, -1.0))
        self.assertEqual(editing.turn_round(once, "s1"), self.plan)

    def test_shifting_stays_within_the_ends(self):
        self.assertEqual([s.id for s in editing.shift_steps(self.plan, ["s2"], -1).steps], ["s2", "s1"])
        self.assertEqual(editing.shift_steps(self.plan, ["s2"], 5), self.plan)

    def test_a_step_keeps_at_least_one_member(self):
        both, step = self.add(["middle", "low"], RIGHT, 25)
        self.assertEqual(editing.drop_member(both, step.id, "low").steps[-1].members, ("middle",))
        with self.assertRaisesRegex(PulleyError, "Delete the step"):
            editing.drop_member(self.plan, "s1", "lid")

    def test_a_missing_step_is_said(self):
        for change in (lambda plan, id: editing.delete_steps(plan, [id]), editing.turn_round):
            with self.assertRaisesRegex(PulleyError, "no longer in the teardown"):
                change(self.plan, "s9")

    def test_labels_are_one_line_and_not_endless(self):
        self.assertEqual(editing.rename_step(self.plan, "s1", " Lid \n off ").steps[0].label, "Lid off")
        for label in ("", "   ", "x" * 201):
            with self.assertRaises(PulleyError):
                editing.rename_step(self.plan, "s1", label)

    def test_views(self):
        kept, view = editing.save_camera(self.plan, VIEW)
        self.assertEqual(view.id, "c1")
        seen = editing.set_step_camera(kept, "s1", "c1")
        self.assertIsNone(editing.delete_camera(seen, "c1").steps[0].view.camera)
        with self.assertRaises(PulleyError):
            editing.set_step_camera(self.plan, "s1", "c1")

    def test_views_that_show_nothing_are_refused(self):
        for eye, up, fov in (
            ((0, 0, 0), UP, 35),
            ((float("nan"), 0, 0), UP, 35),
            ((1, 0, 0), UP, 0),
            ((1e9, 0, 0), UP, 35),
        ):
            with self.assertRaises(PulleyError):
                editing.save_camera(self.plan, Camera("", "x", eye, (0, 0, 0), up, fov=fov))

    def test_hiding_and_showing(self):
        hidden = editing.set_hidden(self.plan, self.tower, ["lid", "low"], True)
        self.assertEqual(hidden.hidden, ("low", "lid"))
        self.assertEqual(editing.set_hidden(hidden, self.tower, ["low"], False).hidden, ("lid",))
        self.assertEqual(editing.show_all(hidden).hidden, ())


class NameTests(TestCase):
    def test_names_for_paths(self):
        self.assertEqual(clean_name("M6/20\n x", "part"), "M6∕20 x")
        self.assertEqual(len(clean_name("n" * 500, "part")), 120)
        self.assertEqual(unique_names(["a", "a", "a#2", "a"]), ["a", "a#2", "a#2#2", "a#3"])

    def test_namesakes_are_told_apart_by_their_parents(self):
        part = tower().leaves[0].part
        tree = [Group("top", "top", None, None)]
        for side in ("left", "right"):
            tree.append(Group(f"top/{side}", side, "top", None))
            tree.append(Leaf(f"top/{side}/pin", "pin", f"top/{side}", None, part))
        assembly = Assembly("top", tuple(tree))
        self.assertEqual(component_name(assembly, "top/left/pin"), "pin in left")
        self.assertEqual(component_name(assembly, "top/left"), "left")
        self.assertEqual(assembly.leaves_of(["top/right"]), ("top/right/pin",))

    def test_sentences(self):
        scene = home_scene(tower())
        ways = {way.axis: describe.way_sentence(scene.assembly, way) for way in ways_out(scene, ["high"])}
        self.assertEqual(ways["+Z"], "Up, 5.0 mm, then lid")
        self.assertEqual(ways["-Z"], "Down, blocked by middle")
        self.assertEqual(ways["-X"], "Left, clear")
        self.assertEqual(
            describe.step_sentence(axial(("a", "b"), (1, 1, 0), 12.5)), "2 components along 0.707, 0.707, 0, 12.5 mm"
        )
        snag = check(scene.assembly, teardown(axial(("high",), UP, 9))).snags["s1"][0]
        self.assertRegex(
            describe.snag_sentence(scene.assembly, snag), r"^high meets lid after 5\.0 mm, at \(.*, 35\.0\)$"
        )
