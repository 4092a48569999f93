"""Models with known answers that an independent referee found wrong once, from the command line.

Each STEP file was made by the referee with Open CASCADE; the answers are closed forms, or what its own Booleans and
exact distances say.
"""

import contextlib
import io
import json
import os
from pathlib import Path
from unittest import TestCase, mock

import numpy as np

from pulley.core.cli import main
from pulley.core.contact.scene import home_scene
from tests.scenes import read, store, within_this_process

CASES = Path(__file__).with_name("cases")


class CaseTests(TestCase):
    def setUp(self):
        self.enterContext(mock.patch.dict(os.environ, PULLEY_STORE=str(store())))
        self.enterContext(within_this_process())

    def asked(self, *words: str) -> dict:
        with contextlib.redirect_stdout(io.StringIO()) as out:
            self.assertLess(main([*words, "--json"]), 2)
        return json.loads(out.getvalue())

    def travel(self, file: str, mover: str, along: str) -> dict:
        return self.asked("travel", str(CASES / file), "--move", mover, "--along", along)

    def test_known_distances(self):
        for file, mover, along, free, blocker in (
            ("sunk015.step", "scene/a", "0,0,1", 0.0, "scene/b"),
            ("sunk015.step", "scene/a", "0,0,-1", None, None),
            ("cross.step", "scene/upper", "1,1,1", None, None),
            ("cabinet.step", "scene/shelf", "0,-1,0", 24.0, "scene/door"),
            ("mirrorlid.step", "scene/plate", "0,0,1", 10.0, "scene/lid"),
            ("scaled.step", "scene/cube", "0,0,-1", 10.0, "scene/plate"),
            ("weldments.step", "scene/upper", "0,0,1", None, None),
        ):
            found = self.travel(file, mover, along)
            self.assertEqual(found["blocker"], blocker, file)
            if free is None:
                self.assertIsNone(found["free"], file)
            else:
                self.assertAlmostEqual(found["free"], free, places=3, msg=file)
            self.assertEqual(found["tolerance"], 0.1)

    def test_a_bar_pulled_askew_creeps_into_its_guide(self):
        # 0.05 mm of play on either side, used up after 0.05 over the sine of the angle
        for degrees in (0.1, 0.28, 0.5):
            lean = np.sin(np.radians(degrees))
            found = self.travel("skewbar.step", "scene/bar", f"{lean},0,{np.sqrt(1 - lean**2)}")
            self.assertAlmostEqual(found["free"], 0.05 / lean, delta=0.2)
        self.assertIsNone(self.travel("skewbar.step", "scene/bar", "0,0,1")["free"])

    def test_a_coarse_screw_ends(self):
        found = self.asked("check", str(CASES / "turnhang.step"), str(CASES / "turnhang.json"))
        self.assertFalse(found["clear"])

    def test_names_that_are_there_are_kept(self):
        components = self.asked("inspect", str(CASES / "rob_bodynames.step"))["components"]
        names = [component["name"] for component in components]
        self.assertEqual(names, ["Body", "Shell", "SOLID", "Body 2", "Shape"])

    def test_mirrored_and_scaled_parts_are_said_to_be(self):
        (mirrored,) = self.asked("inspect", str(CASES / "mirrorlid.step"))["notes"]
        self.assertIn("lid, mirrored counts as a part of its own", mirrored)
        (scaled,) = self.asked("inspect", str(CASES / "scaled.step"))["notes"]
        self.assertIn("scaled by 2", scaled)

    def test_bodies_that_touch_lift_off_each_other(self):
        # random solids laid on each other: whichever way it leaves the plane between the two, nothing is in the way
        for file, mover, other in (
            ("axial_10101.step", "scene/torus1", "scene/Ub3"),
            ("axial_10101.step", "scene/dovetail2", "scene/screw0"),
            ("turn_20030.step", "scene/boxhole1", "scene/plate0"),
        ):
            scene = home_scene(read(CASES / file), set(read(CASES / file).below["scene"]) - {mover, other})
            directions = np.random.default_rng(1).normal(size=(60, 3))
            free = [scene.contact(mover, other, d).point is None for d in directions]
            self.assertGreater(sum(free), 12, file)
            blocked = [scene.contact(other, mover, -d).point is None for d in directions]
            self.assertEqual(free, blocked, file)  # seen from the other, it is the same
