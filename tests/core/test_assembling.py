"""Loose parts put together: where they come to stand against closed forms, what follows what, and what is refused."""

import json
import tempfile
from dataclasses import replace
from pathlib import Path
from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from pulley.core.assembling.arrangement import Arrangement
from pulley.core.assembling.changing import (
    added,
    arranged,
    doubled,
    grouped,
    made_of,
    named,
    painted,
    taken_out,
    ungrouped,
)
from pulley.core.assembling.document import from_document, to_document
from pulley.core.assembling.judging import clashes
from pulley.core.assembling.making import assembled, decided, flat
from pulley.core.assembling.placing import flip, lay_out, let_go, nudge, place, push, set_off, spin, turn
from pulley.core.contact.scene import home_scene
from pulley.core.drawing.rows import rows
from pulley.core.drawing.sheet import Sheet
from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import apply
from pulley.core.planning.pointing import Feature, feature_at
from pulley.core.teardown import Teardown
from tests.loose import written
from tests.scenes import boxes, read_here

UP, DOWN, X = (0.0, 0.0, 1.0), (0.0, 0.0, -1.0), (1.0, 0.0, 0.0)


class AssemblingCase(TestCase):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        with tempfile.TemporaryDirectory() as folder:
            cls.files = {name: read_here(path) for name, path in written(Path(folder)).items()}
        cls.meshes = {leaf.part.mesh.key: leaf.part.mesh for one in cls.files.values() for leaf in one.leaves}

    def setUp(self):
        self.now = Arrangement("Stand")
        for one in self.files.values():
            there = flat(self.now, self.meshes).bounds if self.now.pieces else None
            self.now = added(self.now, one, there)
        self.ids = {piece.name: piece.id for piece in self.now.pieces}

    def scene(self):
        return home_scene(flat(self.now, self.meshes))

    def at(self, name: str, point, normal, reach: float = 0.2) -> Feature:
        """What the pointer finds at a place and a normal in a part's own frame."""
        pose = self.now.poses[self.ids[name]]
        place = apply(pose, np.array(point, float))
        return feature_at(self.scene(), self.ids[name], place, pose[:3, :3] @ np.array(normal, float), reach)

    def place(self, moved: Feature, target: Feature):
        self.now = place(self.now, moved, target)

    def where(self, name: str, point=(0, 0, 0)) -> list[float]:
        return apply(self.now.poses[self.ids[name]], np.array(point, float)).round(6).tolist()

    def bolted(self, name: str, x: float):
        self.place(self.at(name, (3, 0, -2), X), self.at("Plate", (x + 3.2, 0, 9), (-1, 0, 0)))


class PlacingTests(AssemblingCase):
    def test_a_bolt_goes_into_its_hole_by_two_round_faces(self):
        """The shank's end below the head comes to the hole's upper end, both 0 and 10 in their own frames."""
        self.bolted("Bolt 1", -28)
        self.assertEqual(self.where("Bolt 1"), [-28, 0, 10])
        self.assertEqual(self.where("Bolt 1", (0, 0, 6)), [-28, 0, 16])
        self.assertEqual(self.now.by_id[self.ids["Bolt 1"]].on, self.ids["Plate"])

    def test_flat_faces_lie_against_one_another_and_what_held_before_still_does(self):
        self.bolted("Bolt 1", -28)
        self.now = set_off(self.now, self.ids["Bolt 1"], 30.0)
        self.place(self.at("Bolt 1", (4, 0, 0), DOWN), self.at("Plate", (20, 20, 10), UP))
        self.assertEqual(self.where("Bolt 1"), [-28, 0, 10])  # on the line of its hole, its head on the plate

    def test_a_face_is_laid_on_a_face_at_the_place_that_was_pointed_at(self):
        self.place(self.at("Block", (115, 15, 0), DOWN), self.at("Plate", (0, 0, 10), UP))
        self.assertEqual(self.where("Block", (115, 15, 0)), [0, 0, 10])
        self.assertEqual(self.where("Block", (115, 15, 40)), [0, 0, 50])

    def test_an_edge_on_an_edge_and_a_corner_on_a_corner(self):
        self.place(self.at("Block", (100, 15, 0), DOWN), self.at("Plate", (-40, 0, 10), UP))
        line = self.now.poses[self.ids["Block"]]
        self.assertEqual(self.where("Block", (100, 15, 0)), [-40, 0, 10])
        self.assertLess(np.abs(np.cross(line[:3, 1], (0, 1, 0))).max(), 1e-9)
        self.place(self.at("Axle", (2, 0, 60), UP), self.at("Block", (115, 15, 40), UP))
        self.now = let_go(self.now, self.ids["Block"])
        self.place(self.at("Block", (100, 0, 0), DOWN, 0.5), self.at("Plate", (40, 25, 10), UP, 0.5))
        self.assertEqual(self.where("Block", (100, 0, 0)), [40, 25, 10])

    def test_an_upright_axle_is_turned_into_a_lying_bore(self):
        self.place(self.at("Axle", (6, 0, 59), X), self.at("Block", (129, 15, 31), DOWN))
        ends = [self.where("Axle", (0, 0, z)) for z in (0, 60)]
        offset = np.array(self.where("Block", (0, 0, 0)))
        self.assertEqual({tuple(np.round(np.array(end) - offset, 6)[1:]) for end in ends}, {(15.0, 25.0)})
        self.assertIn(130.0, [round(end[0] - offset[0], 6) for end in ends])

    def test_flipped_turned_and_set_off_and_all_taken_back(self):
        self.bolted("Bolt 1", -28)
        id, before = self.ids["Bolt 1"], self.now.poses[self.ids["Bolt 1"]]
        self.now = flip(self.now, id)
        self.assertEqual(self.where("Bolt 1", (0, 0, 6)), [-28, 0, 4])
        self.now = turn(set_off(flip(self.now, id), id, 12.5), id, 90)
        self.assertEqual(self.where("Bolt 1"), [-28, 0, 22.5])
        self.now = turn(set_off(self.now, id, 0), id, 0)
        np.testing.assert_allclose(self.now.poses[id], before, atol=1e-9)

    def test_what_hangs_on_a_moved_piece_follows(self):
        self.place(self.at("Block", (115, 15, 0), DOWN), self.at("Plate", (0, 0, 10), UP))
        self.place(self.at("Axle", (6, 0, 59), X), self.at("Block", (129, 15, 31), DOWN))
        self.bolted("Bolt 2", 28)
        before = dict(self.now.poses)
        self.now = nudge(self.now, (self.ids["Plate"], self.ids["Block"]), (0, 0, 100))
        for name, id in self.ids.items():
            rise = (self.now.poses[id] - before[id])[:3, 3].tolist()
            self.assertEqual(np.round(rise, 6).tolist(), [0, 0, 0 if name == "Bolt 1" else 100], name)
        self.now = spin(self.now, self.scene(), self.ids["Plate"], UP, 180)
        self.assertEqual(self.where("Bolt 2"), [-28, 0, 110])

    def test_pushed_until_it_touches(self):
        """The block stands 70 mm above the plate's top: so far down it goes, to the tolerance of contact."""
        self.place(self.at("Block", (115, 15, 0), DOWN), self.at("Plate", (0, 0, 10), UP))
        self.place(self.at("Axle", (6, 0, 59), X), self.at("Block", (129, 15, 31), DOWN))
        self.now = set_off(self.now, self.ids["Block"], 70)
        self.now = push(self.now, self.scene(), (self.ids["Block"],), DOWN)
        self.assertAlmostEqual(self.where("Block", (115, 15, 0))[2], 10, delta=0.05)
        self.assertEqual(len(self.now.hanging(self.ids["Block"])), 2)
        with self.assertRaisesRegex(PulleyError, "nothing in that direction"):
            push(self.now, self.scene(), (self.ids["Block"],), UP)

    def test_laid_out_nothing_is_in_anything_else_and_what_hangs_together_stays(self):
        for id in self.ids.values():
            self.now = nudge(self.now, (id,), (*-self.now.poses[id][:2, 3], 0.0))  # all in one heap
        self.bolted("Bolt 1", -28)
        before = np.linalg.inv(self.now.poses[self.ids["Plate"]]) @ self.now.poses[self.ids["Bolt 1"]]
        self.now = lay_out(self.now, self.scene())
        after = np.linalg.inv(self.now.poses[self.ids["Plate"]]) @ self.now.poses[self.ids["Bolt 1"]]
        np.testing.assert_allclose(after, before, atol=1e-9)
        scene = self.scene()
        for id in self.ids.values():
            self.assertEqual(clashes(scene, id), [])
        roots = [self.ids[name] for name in ("Plate", "Block", "Axle", "Bolt 2")]
        boxes = scene.boxes[scene.places(roots)]
        self.assertLess(np.abs(boxes[1:, 0, 2]).max(), 1e-9)  # on one level
        apart = (boxes[:, None, 0] >= boxes[None, :, 1]) | (boxes[:, None, 1] <= boxes[None, :, 0])
        self.assertTrue((apart[:, :, :2].any(2) | np.eye(4, dtype=bool)).all())

    def test_what_two_share_is_said(self):
        """A head of 10 mm sunk 3 mm round a hole of 6.4 mm: a ring of pi (5 5 - 3.2 3.2) 3 mm3."""
        self.bolted("Bolt 1", -28)
        self.assertEqual(clashes(self.scene(), self.ids["Bolt 1"]), [])
        self.now = set_off(self.now, self.ids["Bolt 1"], -3)
        ((other, volume),) = clashes(self.scene(), self.ids["Bolt 1"])
        self.assertEqual(other, self.ids["Plate"])
        self.assertAlmostEqual(volume, np.pi * (25 - 10.24) * 3, delta=0.02 * 139)

    def test_nothing_hangs_on_itself(self):
        self.place(self.at("Block", (115, 15, 0), DOWN), self.at("Plate", (0, 0, 10), UP))
        with self.assertRaisesRegex(PulleyError, "Block hangs on Plate. Point at Block first"):
            self.place(self.at("Plate", (0, 0, 0), DOWN), self.at("Block", (115, 15, 40), UP))
        with self.assertRaisesRegex(PulleyError, "Both places are on Plate"):
            self.place(self.at("Plate", (0, 0, 0), DOWN), self.at("Plate", (0, 0, 10), UP))
        with self.assertRaisesRegex(PulleyError, "Axle is placed on nothing"):
            flip(self.now, self.ids["Axle"])

    def test_numbers_that_are_none_are_refused(self):
        for wrong in (float("nan"), float("inf"), 1e12):
            with self.assertRaises(PulleyError):
                nudge(self.now, (self.ids["Axle"],), (wrong, 0, 0))
        with self.assertRaises(PulleyError):
            nudge(nudge(self.now, (self.ids["Axle"],), (9e5, 0, 0)), (self.ids["Axle"],), (9e5, 0, 0))

    @settings(max_examples=25, deadline=None)
    @given(st.lists(st.tuples(st.integers(0, 4), st.integers(0, 4), st.floats(-200, 200)), max_size=12))
    def test_whatever_is_done_poses_stay_rigid_and_documents_give_them_back(self, moves):
        now = self.now
        names = list(self.ids)
        for a, b, number in moves:
            one, other = self.ids[names[a]], self.ids[names[b]]
            target = Feature("round", other, (number, 1.0, 2.0), (0.6, 0.0, 0.8), 3.0)
            try:
                now = place(now, Feature("round", one, (0.0, 0.0, number), (0.0, 1.0, 0.0), 3.0), target)
                now = set_off(turn(now, one, number), one, number)
            except PulleyError:
                now = nudge(now, (one,), (number, 0, 0))
        again = from_document(json.loads(json.dumps(to_document(now))))
        self.assertEqual(again, now)
        for pose in again.poses.values():
            np.testing.assert_allclose(pose[:3, :3] @ pose[:3, :3].T, np.eye(3), atol=1e-9)
            self.assertAlmostEqual(float(np.linalg.det(pose[:3, :3])), 1.0, 9)


class TreeTests(AssemblingCase):
    def test_the_assembly_has_its_tree_its_names_and_what_parts_are_made_of(self):
        bolts = [self.ids["Bolt 1"], self.ids["Bolt 2"]]
        now = grouped(self.now, bolts, "Bolts")
        now = named(named(now, bolts[0], "Bolt"), bolts[1], "Bolt")
        now = made_of(now, bolts[0], "steel", None)
        now = made_of(painted(now, (self.ids["Axle"],), (1.0, 0.0, 0.0)), self.ids["Axle"], "", 52.5)
        made, paths = assembled(now, self.meshes, {"file": "stand.json"})
        self.assertEqual([paths[id] for id in bolts], ["Stand/Bolts/Bolt", "Stand/Bolts/Bolt#2"])
        self.assertEqual(made.leaf("Stand/Axle").colour, (1.0, 0.0, 0.0))
        found = {row.texts["name"]: row.texts for row in rows(made, Sheet("", Teardown("")))}
        self.assertEqual(found["Axle"]["mass"], "52.5")
        bolt = next(texts for texts in found.values() if texts["material"] == "steel")
        volume = np.pi * (9 * 16 + 25 * 6) / 1000  # cm3
        self.assertAlmostEqual(float(bolt["mass"]), 7.85 * volume, delta=0.02 * 7.85 * volume)
        self.assertEqual(made.parts[[p.name for p, _ in made.parts].index("Bolt 1")][1], 2)

    def test_subassemblies_come_and_go(self):
        now = grouped(self.now, (self.ids["Axle"], self.ids["Block"]), "Top")
        now = grouped(now, (self.ids["Axle"],), "Inner")
        _, paths = assembled(now, self.meshes, {})
        self.assertEqual(paths[self.ids["Axle"]], "Stand/Top/Inner/Axle")
        self.assertEqual(now.within(now.groups[0].id), (self.ids["Block"], self.ids["Axle"]))
        now = ungrouped(now, (self.ids["Axle"],))
        self.assertEqual([group.name for group in now.groups], ["Top"])
        now = ungrouped(now, now.within(now.groups[0].id))
        self.assertEqual(now.groups, ())

    def test_what_is_taken_out_lets_go_of_what_hung_on_it(self):
        self.place(self.at("Block", (115, 15, 0), DOWN), self.at("Plate", (0, 0, 10), UP))
        before = self.now.poses[self.ids["Block"]]
        now = taken_out(self.now, (self.ids["Plate"],))
        np.testing.assert_allclose(now.poses[self.ids["Block"]], before, atol=1e-9)
        self.assertEqual(now.by_id[self.ids["Block"]].on, "")
        more = doubled(now, (self.ids["Axle"],), 25)
        self.assertEqual([piece.name for piece in more.pieces].count("Axle"), 2)
        self.assertEqual(len(set(more.ids)), len(more.ids))
        with self.assertRaisesRegex(PulleyError, "nothing in this assembly"):
            assembled(taken_out(now, [piece.id for piece in now.pieces]), self.meshes, {})

    def test_what_becomes_of_the_components_that_it_was_begun_from(self):
        old = boxes(low=((0, 0, 0), (9, 9, 9)), high=((0, 0, 9), (9, 9, 18)), lid=((0, 0, 18), (9, 9, 20)))
        now, before = arranged(old)
        ids = {piece.name: piece.id for piece in now.pieces}
        now = taken_out(named(now, ids["high"], "Upper"), (ids["lid"],))
        meshes = {leaf.part.mesh.key: leaf.part.mesh for leaf in old.leaves}
        made, paths = assembled(now, meshes, {})
        became = decided(before, paths)
        self.assertEqual([became[leaf.path] for leaf in old.leaves], [leaf.path for leaf in made.leaves] + [None])

    def test_documents_that_are_none_are_refused(self):
        good = to_document(self.now)
        axle = good["pieces"][2]
        for broken, words in (
            (good | {"version": 2}, "no arrangement"),
            (good | {"more": 1}, "arrangement"),
            (good | {"pieces": [axle, axle]}, "one id"),
            (good | {"pieces": [axle | {"pose": [0.0] * 15}]}, "16 numbers"),
            (good | {"pieces": [axle | {"pose": [float("nan")] * 16}]}, "16 numbers"),
            (good | {"pieces": [axle | {"on": "c99"}]}, "not there"),
            (good | {"pieces": [axle | {"on": axle["id"]}]}, "hangs on itself"),
            (good | {"groups": [{"id": "g", "name": "G", "group": "g"}]}, "within itself"),
        ):
            with self.subTest(words), self.assertRaisesRegex(PulleyError, words):
                from_document(broken)
        ring = [replace(piece, on=self.now.pieces[k - 1].id) for k, piece in enumerate(self.now.pieces)]
        with self.assertRaisesRegex(PulleyError, "hangs on itself"):
            from_document(to_document(replace(self.now, pieces=tuple(ring))))

    def test_more_than_fit_and_weights_that_are_none_are_refused(self):
        with self.assertRaisesRegex(PulleyError, "do not fit"):
            doubled(self.now, list(self.ids.values()) * 1001, 5)
        for mass in (0.0, -1.0, float("nan"), float("inf")):
            with self.assertRaisesRegex(PulleyError, "A mass"):
                made_of(self.now, self.ids["Axle"], "", mass)
        with self.assertRaisesRegex(PulleyError, "needs a name"):
            named(self.now, self.ids["Axle"], " \n ")
