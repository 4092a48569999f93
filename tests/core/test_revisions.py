"""Two revisions of a model: what is which, and what was made for one on the other."""

import contextlib
import io
import json
import tempfile
from dataclasses import replace
from itertools import pairwise
from pathlib import Path
from unittest import TestCase, mock
from zlib import crc32

import numpy as np
from scipy.spatial.transform import Rotation

from pulley.core.assembly import Assembly, Leaf, Part
from pulley.core.contact.check import check
from pulley.core.formats import teardown as teardown_json
from pulley.core.formats.teardown import check_members
from pulley.core.geometry.frames import translation
from pulley.core.geometry.mesh import box_mesh
from pulley.core.geometry.warping import warped
from pulley.core.kernel import shapes
from pulley.core.revisions.carrying import carry
from pulley.core.revisions.describing import sentence, summary
from pulley.core.revisions.judging import fresh_snags
from pulley.core.revisions.matching import SURE, compare
from pulley.core.teardown import Placed
from tests.scenes import (
    AS1,
    DEMO,
    DEMO_TEARDOWN,
    UP,
    WINCH,
    WINCH_TEARDOWN,
    axial,
    boxes,
    read,
    read_here,
    teardown,
    within_this_process,
)

THREE = (AS1, AS1.parent / "as1-tu-203.stp", AS1.parent / "as1_pe_203.stp")


def changed(assembly: Assembly, change) -> tuple[Assembly, dict[str, str | None]]:
    """Another revision of an assembly, and the truth: the new path of every leaf. ``change`` of a leaf gives another
    leaf, several, or None."""
    made, truth = [], {}
    for component in assembly.components:
        if not isinstance(component, Leaf):
            made.append(component)
            continue
        new = change(component)
        some = new if isinstance(new, list) else [new] if new else []
        truth[component.path] = some[0].path if some else None
        made += some
    return replace(assembly, components=tuple(made), source={"file": "new.step", "sha256": "1" * 64}), truth


def moved(leaf: Leaf, *way: float) -> Leaf:
    return replace(leaf, pose=translation(np.array(way, float)) @ leaf.pose)


def renamed(leaf: Leaf, name: str) -> Leaf:
    return replace(leaf, name=name, path=f"{leaf.parent}/{name}" if leaf.parent else name)


def grown(leaf: Leaf, by: float) -> Leaf:
    """A leaf whose part is so many times as large."""
    mesh = warped(leaf.part.mesh, np.diag([by, by, by, 1.0]))
    return replace(leaf, part=replace(leaf.part, key=f"{leaf.part.key} grown", mesh=mesh))


def mirrored(leaf: Leaf) -> Leaf:
    """A leaf whose part is as a mirror shows it, where it was."""
    mesh = warped(leaf.part.mesh, np.diag([-1.0, 1.0, 1.0, 1.0]))
    back = translation(np.array([leaf.part.mesh.bounds[:, 0].sum(), 0.0, 0.0]))
    return replace(leaf, pose=leaf.pose @ back, part=replace(leaf.part, key=f"{leaf.part.key} mirrored", mesh=mesh))


class MatchingTests(TestCase):
    def score(self, old: Assembly, new: Assembly, truth: dict[str, str | None]) -> tuple[float, float]:
        """Precision and recall of the pairs that were found."""
        found = {(pair.old, pair.new) for pair in compare(old, new).pairs if pair.old and pair.new}
        wanted = {(a, b) for a, b in truth.items() if b}
        return len(found & wanted) / max(len(found), 1), len(found & wanted) / max(len(wanted), 1)

    def test_the_files_of_three_exporters_are_one_assembly(self):
        """One of them is 25.4 times as large, another way up and with longer bolts: it says inches of numbers in mm."""
        for old, new in pairwise(map(read, THREE)):
            comparison = compare(old, new)
            kinds = {(stem(pair.old), stem(pair.new)) for pair in comparison.pairs}
            self.assertEqual(kinds, {(name, name) for name in ("nut", "rod", "bolt", "l-bracket", "plate")})
            self.assertEqual(len(comparison.pairs), 18)
            self.assertEqual(comparison.common, 1.0)

    def test_generated_revisions_of_the_winch_with_known_truth(self):
        """The table in docs/methods.md: every change found, nothing taken for another."""
        winch = read(WINCH)
        first = next(leaf.path for leaf in winch.leaves if "screw" in leaf.name.lower())
        changes = {
            "the same": lambda leaf: leaf,
            "moved": lambda leaf: moved(leaf, 3, 0, 0) if "screw" in leaf.name.lower() else leaf,
            "renamed": lambda leaf: renamed(leaf, f"PRT-{crc32(leaf.path.encode()):08x}"),
            "renumbered": lambda leaf: renamed(leaf, leaf.name.partition("#")[0] + f"_{len(leaf.path)}"),
            "grown": lambda leaf: grown(leaf, 1.06) if "Drum" in leaf.name else leaf,
            "gone": lambda leaf: None if "Pawl" in leaf.name else leaf,
            "mirrored": lambda leaf: mirrored(leaf) if "Pawl" in leaf.name else leaf,
            "a screw more": lambda leaf: (
                [leaf, moved(renamed(leaf, "Extra"), 15, 0, 0)] if leaf.path == first else leaf
            ),
            "a swapped part": lambda leaf: (
                replace(leaf, part=Part("new", "Box", box_mesh((-5, -5, -5), (5, 5, 5))))
                if leaf.name == "Clip"
                else leaf
            ),
        }
        for name, change in changes.items():
            new, truth = changed(winch, change)
            if name == "a swapped part":
                truth = {path: other for path, other in truth.items() if not path.endswith("/Clip")}
            with self.subTest(name):
                self.assertGreaterEqual(min(self.score(winch, new, truth)), 0.98)

    def test_another_tessellation_is_the_same_model(self):
        """The winch meshed four times as coarsely, as another exporter would."""
        with mock.patch.object(shapes, "ANGLE", 0.4), mock.patch.object(shapes, "ANGLE_CURVED", 0.8):
            coarse = read_here(WINCH)
        winch = read(WINCH)
        facets = [sum(len(part.mesh.triangles) for part, _ in one.parts) for one in (winch, coarse)]
        self.assertLess(facets[1], 0.6 * facets[0])
        self.assertEqual(min(self.score(winch, coarse, {leaf.path: leaf.path for leaf in winch.leaves})), 1.0)
        self.assertEqual({pair.kind for pair in compare(winch, coarse).pairs}, {"same"})

    def test_a_model_that_was_turned_and_moved_as_a_whole(self):
        frame = np.array([[0.0, -1, 0, 500], [1, 0, 0, -20], [0, 0, 1, 7], [0, 0, 0, 1]])
        new, truth = changed(read(WINCH), lambda leaf: replace(leaf, pose=frame @ leaf.pose))
        comparison = compare(read(WINCH), new)
        np.testing.assert_allclose(comparison.frame, frame, atol=1e-3)
        self.assertEqual({pair.kind for pair in comparison.pairs}, {"same"})

    def test_what_a_person_settled_stays(self):
        old = boxes(a=((5, 5, 5), (0, 0, 0)), b=((5, 5, 5), (20, 0, 0)))
        self.assertEqual(compare(old, old).to_new, {"a": "a", "b": "b"})
        other = compare(old, old, {"a": "b", "b": "a"})
        self.assertEqual((other.to_new, other.pairs[0].reason), ({"a": "b", "b": "a"}, "you said so"))
        self.assertEqual(compare(old, old, {"a": None}).pairs[0].kind, "gone")

    def test_another_model_and_the_same_again(self):
        self.assertRegex(summary(compare(read(WINCH), read(AS1))), "looks like another model")
        self.assertEqual(summary(compare(read(AS1), read(AS1))), "All 18 components are the same.")
        old = boxes(lid=((40, 30, 5), (0, 0, 0)), base=((40, 30, 20), (0, 0, -20)))
        strange = boxes(lid=((2, 2, 90), (0, 0, 0)), base=((90, 3, 3), (400, 0, -20)))  # the same names on other shapes
        self.assertTrue(
            all(pair.confidence < SURE or pair.new is None for pair in compare(old, strange).pairs if pair.old)
        )

    def test_changes_in_words(self):
        old = boxes(cover=((40, 30, 5), (0, 0, 0)), base=((40, 30, 20), (0, 0, -20)))
        new = boxes(cover=((52, 30, 5), (0, 0, 0)), base=((40, 30, 20), (0, 0, -20)))
        comparison = compare(old, new)
        self.assertEqual(
            [sentence(pair, comparison) for pair in comparison.pairs], ["cover is 12 mm wider.", "base is the same."]
        )


def stem(path: str) -> str:
    """What a component of as1 is, whoever wrote it down."""
    return path.rpartition("/")[2].split("_")[0].split(":")[0].split("#")[0].lower()


class CarryingTests(TestCase):
    def carried(self, file: Path, document: Path, change):
        old = read(file)
        made = teardown_json.loads(document.read_bytes())
        new, _ = changed(old, change)
        return old, made, new, carry(made, compare(old, new))

    def test_renamed_components_keep_their_steps_views_trails_and_fits(self):
        old, made, new, carried = self.carried(DEMO, DEMO_TEARDOWN, lambda leaf: renamed(leaf, f"X {leaf.name}"))
        self.assertEqual(carried.lost, ())
        check_members(new, carried.teardown)
        for before, after in zip(made.steps, carried.teardown.steps, strict=True):
            self.assertEqual(len(before.members), len(after.members))
            self.assertEqual(
                before.motion,
                replace(
                    after.motion, **{k: getattr(before.motion, k) for k in ("follow",) if hasattr(before.motion, k)}
                ),
            )
        self.assertEqual(carried.teardown.cameras, made.cameras)
        self.assertEqual(check(new, carried.teardown).clear, check(old, made).clear)

    def test_what_is_gone_leaves_its_step_and_is_said(self):
        old, made, new, carried = self.carried(
            WINCH, WINCH_TEARDOWN, lambda leaf: None if "Pawl" in leaf.name and "spring" not in leaf.name else leaf
        )
        self.assertTrue(carried.lost)
        self.assertTrue(all("gone" in one.sentence for one in carried.lost))
        check_members(new, carried.teardown)

    def test_a_cover_that_grew_meets_what_it_passed_and_only_that_is_told(self):
        old = boxes(cover=((40, 30, 5), (0, 0, 0)), post=((5, 30, 60), (50, 0, -20)), base=((40, 30, 20), (0, 0, -20)))
        new = boxes(cover=((52, 30, 5), (0, 0, 0)), post=((5, 30, 30), (50, 0, 10)), base=((40, 30, 20), (0, 0, -20)))
        plan = teardown(axial(("cover",), UP, 60.0), axial(("base",), (0.0, 0.0, -1.0), 60.0, "s2"))
        comparison = compare(old, new)
        _, fresh = fresh_snags(plan, carry(plan, comparison).teardown, comparison)
        self.assertEqual([(id, snag.blocker) for id, snag in fresh], [("s1", "post")])

    def test_a_seventh_screw_is_offered_to_the_step_of_the_six(self):
        old = read(DEMO)
        screws = [leaf for leaf in old.leaves if leaf.part.name == "Cheek screw"]

        def one_more(leaf: Leaf):
            return [leaf, renamed(moved(leaf, 0, 7, 0), "Cheek screw, new")] if leaf is screws[0] else leaf

        _, made, new, carried = self.carried(DEMO, DEMO_TEARDOWN, one_more)
        step = next(step for step in made.steps if set(old.leaves_of(step.members)) & {screw.path for screw in screws})
        self.assertEqual(
            [(offer.step, offer.component.rpartition("/")[2]) for offer in carried.offers],
            [(step.id, "Cheek screw, new")],
        )

    def test_axes_and_views_go_along_with_a_model_that_was_moved(self):
        frame = translation(np.array([100.0, 0, 0]))
        old, made, new, carried = self.carried(
            WINCH, WINCH_TEARDOWN, lambda leaf: replace(leaf, pose=frame @ leaf.pose)
        )
        self.assertEqual(check(new, carried.teardown).clear, check(old, made).clear)
        for before, after in zip(made.cameras, carried.teardown.cameras, strict=True):
            np.testing.assert_allclose(np.subtract(after.target, before.target), [100, 0, 0], atol=1e-6)

    def test_what_stands_elsewhere_turns_with_the_model(self):
        turn = np.eye(4)
        turn[:3, :3], turn[:3, 3] = Rotation.from_euler("z", 90, degrees=True).as_matrix(), (5, 0, 0)
        old = boxes(a=((5, 6, 7), (20, 0, 0)), b=((9, 4, 3), (0, 30, 0)), c=((2, 2, 8), (0, 0, 40)))
        new, _ = changed(old, lambda leaf: replace(leaf, pose=turn @ leaf.pose))
        aside = Placed("a", (3.0, 0.0, 1.0), tuple(Rotation.from_euler("x", 30, degrees=True).as_quat()))
        comparison = compare(old, new)
        (found,) = carry(replace(teardown(), placed=(aside,)), comparison).teardown.placed
        point = np.array([7.0, -2.0, 4.0])
        here = Rotation.from_quat(aside.turn).apply(point) + aside.offset
        there = Rotation.from_quat(found.turn).apply(turn[:3, :3] @ point + turn[:3, 3]) + found.offset
        np.testing.assert_allclose(there, turn[:3, :3] @ here + turn[:3, 3], atol=1e-3)


class CommandTests(TestCase):
    def test_compare_and_carry_from_the_command_line(self):
        from pulley.core import cli

        quietly = contextlib.redirect_stdout(io.StringIO())
        with tempfile.TemporaryDirectory() as folder, within_this_process(), quietly:
            out = Path(folder) / "new.json"
            self.assertEqual(cli.main(["compare", str(THREE[0]), str(THREE[1]), "--json"]), 0)
            plan = teardown(axial(("as1/plate_1",), UP, 60.0))
            (Path(folder) / "old.json").write_text(teardown_json.dumps(plan))
            words = ["carry", str(THREE[0]), str(THREE[1]), f"{folder}/old.json", "-o", str(out), "--json"]
            self.assertIn(cli.main(words), (0, 1))
            self.assertEqual(json.loads(out.read_text())["steps"][0]["members"], ["as1/PLATE"])
