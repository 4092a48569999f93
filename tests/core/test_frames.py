"""Frames of a Score: what core says of an instant, and that the canvas says the same, number by number."""

import json
import subprocess
import tempfile
from dataclasses import asdict, replace
from pathlib import Path
from unittest import TestCase

import numpy as np

from pulley.core.formats import teardown as teardown_json
from pulley.core.motion import Axis, Radial, Turn
from pulley.core.motion import Path as PathMotion
from pulley.core.score.compose import Score, compose
from pulley.core.score.frame import dashes, frame_at
from pulley.core.teardown import Camera, Jog, Orbit, Placed, Route, Step, Teardown, Timing, TrailLine, TrailOf, View
from pulley.core.trails import PATTERNS
from tests.scenes import DEMO, DEMO_BENCH, RIGHT, ROOT, UP, WINCH, WINCH_TEARDOWN, axial, read, tower

STATIC = ROOT / "src/pulley/web/static/pulley"
FRONT = Camera("c1", "Front", (0.0, -200.0, 30.0), (0.0, 0.0, 30.0))
SIDE = Camera("c2", "Side", (100.0, 0.0, 30.0), (0.0, 0.0, 30.0))
# what the canvas makes of each Score at each instant
IN_THE_BROWSER = """
import { readFileSync } from "node:fs";
import { captionAt, dashes, stepsDone, trailLines } from "%(static)s/play/frame.js";
import { poseAt, viewAt } from "%(static)s/play/score.js";
const { score, asked, patterns, before } = JSON.parse(readFileSync(process.argv[2], "utf8"));
const frames = asked.map(({ time, spread, hidden }) => ({
  poses: Object.fromEntries(Object.entries(score.tracks).map(([path, track]) => [path, poseAt(track, time, spread)])),
  ...trailLines(score, time, spread, new Set(hidden)),
  caption: captionAt(score, time),
  done: stepsDone(score, time),
  view: viewAt(score.shots, time, before),
  dashed: patterns.map((pattern) => trailLines(score, time, spread).lines.map((line) => dashes(line, pattern, 0.4))),
}));
console.log(JSON.stringify(frames));
"""


def everything() -> Teardown:
    """A teardown with every kind of motion, camera move and trail."""
    steps = (
        replace(axial(("lid",), UP, 50.0), caption="Lid off", view=View("c1")),
        Step("s2", ("high",), Turn(Axis((5.0, 5.0, 0.0), UP), 500.0, 8.0), timing=Timing(2.0, "with"), view=View("c2")),
        Step(
            "s3", ("high",), PathMotion(((30.0, 0.0, 0.0), (30.0, 10.0, 20.0)), smooth=True), timing=Timing(start=0.5)
        ),
        Step("s4", ("middle", "low"), Radial(25.0, Axis((-40.0, 0.0, 0.0), UP)), caption="Apart", trails=False),
        axial(("low",), RIGHT, 15.0, "s5"),
        axial(("lid",), UP, 20.0, "s6"),
    )
    trails = (
        TrailOf("lid", marks=True, jogs=(Jog(0, 0.3, 0.7, (6.0, 0.0, 0.0)), Jog(1, 0.1, 0.5, (0.0, 4.0, 0.0)))),
        TrailOf("high", anchors=((5.0, 5.0, 20.0), (2.0, 3.0, 25.0))),
    )
    route = Route("r1", (("lid", (5.0, 5.0, 35.0)), ("low", (5.0, 5.0, 10.0)), ("middle", (0.0, 0.0, 15.0))))
    placed = (Placed("low", (1.0, 2.0, 0.0), (0.0, 0.0, 0.6, 0.8)),)
    orbits = (Orbit("o1", "s4", 2.0, 200.0), Orbit("o2", views=("c1", "c2")))
    line = TrailLine(marks=True)
    return Teardown(
        "Everything", steps, (FRONT, SIDE), placed=placed, trails=trails, routes=(route,), orbits=orbits, line=line
    )


def instants(score: Score, few: int | None = None) -> list[dict]:
    """Times at, between and beyond the stops, exploded whole and in part; once with a component hidden."""
    stops = score.stops if few is None else ()
    times = np.unique([*stops, *np.linspace(0.0, score.duration + 0.5, few or 8)]).tolist()
    found = [{"time": time, "spread": spread, "hidden": []} for time in times for spread in (1.0, 0.4)]
    hidden = sorted(score.tracks)[:1]
    return [*found, {"time": score.duration, "spread": 1.0, "hidden": hidden}]


class BothLanguagesTests(TestCase):
    def frames(self, score: Score, asked: list[dict], before: Camera, patterns) -> list[dict]:
        """What the canvas' script says."""
        with tempfile.TemporaryDirectory() as folder:
            script, values = Path(folder) / "run.mjs", Path(folder) / "score.json"
            script.write_text(IN_THE_BROWSER % {"static": STATIC.as_uri()})
            sent = {
                "score": score.to_json(),
                "asked": asked,
                "patterns": list(patterns.values()),
                "before": asdict(before),
            }
            values.write_text(json.dumps(sent))
            done = subprocess.run(["node", script, values], capture_output=True, text=True)
        self.assertEqual(done.returncode, 0, done.stderr)
        return json.loads(done.stdout)

    def assert_alike(self, score: Score, few: int | None = None, patterns=PATTERNS):
        asked, before = instants(score, few), replace(FRONT, eye=(50.0, -80.0, 90.0))
        for one, theirs in zip(asked, self.frames(score, asked, before, patterns), strict=True):
            ours = frame_at(score, one["time"], one["spread"], one["hidden"], before)
            with self.subTest(**one):
                self.compare(ours, theirs)
                ended = [bar.end <= one["time"] + 1e-6 for bar in score.steps]
                self.assertEqual(theirs["done"], [*ended, False].index(False))
                for pattern, lines in () if one["hidden"] else zip(patterns.values(), theirs["dashed"], strict=True):
                    for line, drawn in zip(ours.lines, lines, strict=True):
                        wanted = dashes(line, pattern, 0.4)
                        np.testing.assert_allclose(np.array(drawn).reshape(-1, 2, 3), wanted, atol=1e-6)

    def compare(self, ours, theirs):
        for path, pose in ours.displaced.items():
            np.testing.assert_allclose(theirs["poses"][path]["offset"], pose[:3, 3], atol=1e-6)
            np.testing.assert_allclose(matrix(theirs["poses"][path]["turn"]), pose[:3, :3], atol=1e-7)
        for line, wanted in zip(theirs["lines"], ours.lines, strict=True):
            np.testing.assert_allclose(line, wanted, atol=1e-6)
        np.testing.assert_allclose(
            np.array(theirs["marks"]).reshape(-1, 3), np.array(ours.marks).reshape(-1, 3), atol=1e-6
        )
        self.assertEqual(theirs["caption"], ours.caption)
        self.assertEqual(theirs["view"] is None, ours.camera is None)
        for field in ("eye", "target", "up", "fov") if ours.camera else ():
            np.testing.assert_allclose(theirs["view"][field], getattr(ours.camera, field), atol=1e-6)

    def test_every_kind_of_motion_and_trail(self):
        score = compose(tower(), everything())
        self.assert_alike(score)

    def test_the_demo_teardowns(self):
        for file, plan in ((DEMO, DEMO_BENCH), (WINCH, WINCH_TEARDOWN)):
            with self.subTest(plan.name):
                self.assert_alike(compose(read(file), teardown_json.loads(plan.read_bytes())), few=5, patterns={})


def matrix(quaternion) -> np.ndarray:
    """The rotation (3, 3) of a quaternion (x, y, z, w), by the formula of any textbook."""
    x, y, z, w = quaternion
    return np.array(
        [
            [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
            [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
            [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
        ]
    )


class FrameTests(TestCase):
    def setUp(self):
        self.score = compose(tower(), everything())

    def test_a_trail_grows_with_its_component_and_its_dogleg_with_it(self):
        half, whole = (frame_at(self.score, time).lines for time in (0.75, 1.5))
        jogs = [next(line for line in lines if len(line) >= 6)[:, 0] for lines in (half, whole)]
        self.assertAlmostEqual(np.ptp(jogs[1]), 6.0)
        self.assertAlmostEqual(np.ptp(jogs[0]), 3.0)  # half its way: the easing is half done at half the time

    def test_the_caption_in_force(self):
        said = [frame_at(self.score, time).caption for time in (-1.0, 0.0, 0.5, 2.2, 4.5, 99.0)]
        self.assertEqual(said, ["", "", "Lid off", "", "Apart", ""])

    def test_what_is_hidden_has_no_trail_and_what_is_silent_no_leg(self):
        shown, less = (len(frame_at(self.score, 99.0, hidden=hidden).lines) for hidden in ((), ("lid",)))
        self.assertEqual(shown - less, 1)
        self.assertEqual(
            frame_at(self.score, 0.0).lines[0].tolist()[0], frame_at(self.score, 0.0).lines[0].tolist()[-1]
        )

    def test_before_and_beyond_the_ends_nothing_moves(self):
        for inside, outside in ((0.0, -3.0), (self.score.duration, self.score.duration + 3.0)):
            for path, pose in frame_at(self.score, inside).displaced.items():
                np.testing.assert_allclose(frame_at(self.score, outside).displaced[path], pose, atol=1e-9)

    def test_a_very_long_line_has_a_coarser_pattern(self):
        far = np.array([[0.0, 0, 0], [1e5, 0, 0]])
        self.assertLessEqual(len(dashes(far, PATTERNS["dashed"], 0.1)), 301)
        self.assertEqual(dashes(far, (), 0.1).tolist(), [far.tolist()])
