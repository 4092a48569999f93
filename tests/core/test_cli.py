"""The headless commands: their JSON, their exit status, and what they say to bad input."""

import contextlib
import io
import json
import os
import tempfile
from pathlib import Path
from unittest import TestCase, mock

from pulley.core import cli
from pulley.core.assembly import Assembly
from pulley.core.cli import main
from pulley.core.formats.step import read_step_kept
from tests.scenes import DEMO, DEMO_TEARDOWN, read, store

SCREW = "Halyard block/Cheek screw"


def read_once(path: Path, folder: Path) -> Assembly:
    """The real reader, but the demo only once."""
    return read(DEMO) if path == DEMO else read_step_kept(path, folder)


class CommandTests(TestCase):
    def setUp(self):
        self.enterContext(mock.patch.dict(os.environ, PULLEY_STORE=str(store())))
        self.enterContext(mock.patch.object(cli, "read_step_kept", read_once))
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def run_command(self, *words: object) -> tuple[int, str, str]:
        out, err = io.StringIO(), io.StringIO()
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            status = main([str(word) for word in words])
        return status, out.getvalue(), err.getvalue()

    def answer(self, *words: object) -> tuple[int, dict]:
        status, out, err = self.run_command(*words, "--json")
        self.assertEqual(err, "")
        return status, json.loads(out)

    def refuse(self, advice: str, *words: object) -> None:
        status, out, err = self.run_command(*words)
        self.assertEqual((status, out), (2, ""))
        self.assertRegex(err, advice)
        self.assertEqual(err.count("\n"), 1)

    def test_inspect(self):
        status, answer = self.answer("inspect", DEMO)
        self.assertEqual((status, answer["units"]), (0, "mm"))
        self.assertEqual(set(answer), {"source", "units", "components", "parts", "notes"})
        self.assertEqual(set(answer["components"][0]), {"path", "name", "part", "bounds", "volume", "triangles"})
        self.assertEqual(len(answer["components"]), sum(part["quantity"] for part in answer["parts"]))
        self.assertEqual(len(answer["source"]["sha256"]), 64)

    def test_travel(self):
        words = ("travel", DEMO, "--move", SCREW, "--along")
        self.assertEqual(self.answer(*words, "0,0,1")[1], {"free": None, "blocker": None, "tolerance": 0.1})
        status, answer = self.answer(*words, "0,0,-1")
        self.assertEqual((status, answer["free"], answer["blocker"]), (0, 0.0, "Halyard block/Washer"))
        status, answer = self.answer(*words, "0,0,-1", "--removed", "Halyard block/Washer")
        self.assertAlmostEqual(answer["free"], 1.0, places=6)  # the washer is 1 mm high
        self.assertEqual(self.run_command(*words, "-1,0,0")[0], 0)

    def test_check(self):
        status, answer = self.answer("check", DEMO, DEMO_TEARDOWN)
        self.assertEqual((status, answer["clear"], answer["overlaps"]), (0, True, []))
        self.assertGreaterEqual(len(answer["steps"]), 8)

    def test_check_finds_a_snag(self):
        teardown = json.loads(DEMO_TEARDOWN.read_text())
        teardown["steps"].append(teardown["steps"].pop(0))  # the screws last: the washers run into their heads
        path = self.folder / "wrong.json"
        path.write_text(json.dumps(teardown))
        status, answer = self.answer("check", DEMO, path)
        self.assertEqual((status, answer["clear"]), (1, False))
        snag = answer["steps"][0]["snags"][0]
        self.assertEqual(set(snag), {"moving", "blocker", "at", "travel", "kind", "point", "remedies"})
        (order, *_) = snag["remedies"]
        self.assertEqual((order["kind"], order["steps"], len(order["components"])), ("order", ["s1"], 6))
        self.assertIn("Washer", snag["moving"])
        self.assertIn("Cheek screw", snag["blocker"])

    def test_ways_matches_riders_and_fits(self):
        ways = self.answer("travel", DEMO, "--move", SCREW, "--ways")[1]["ways"]
        self.assertEqual((ways[0]["axis"], ways[0]["free"], len(ways)), ("+Z", None, 6))
        answer = self.answer("matches", DEMO, DEMO_TEARDOWN, "s4")[1]
        self.assertEqual(answer, {"step": "s4", "matches": []})  # there is one axle nut
        along = self.answer("along", DEMO, "--move", "Halyard block/Cheek, near", "--along", "0,0,1")[1]["along"]
        self.assertEqual(sum("Cheek screw" in path for path in along), 6)
        self.assertEqual(len(self.answer("fits", DEMO)[1]["fits"]), 6)

    def test_warnings_and_clearance(self):
        step = {"id": "s1", "kind": "radial", "members": ["Halyard block/Shackle/Shackle pin"], "distance": 20}
        step |= {"axis": {"origin": [-50, 85, 0], "direction": [0, 0, 1]}}
        path = self.folder / "radial.json"
        path.write_text(json.dumps({"format": "pulley-teardown", "version": 1, "steps": [step]}))
        (answer,) = self.answer("check", DEMO, path, "--clearance")[1]["steps"]
        self.assertAlmostEqual(answer["warnings"][0]["angle"], 3.7, delta=0.3)
        self.assertIn("Shackle", answer["clearance"]["moving"])
        self.assertRegex(self.run_command("check", DEMO, path)[1], r"is 3\.\d° off its travel")

    def test_plain_answers(self):
        self.assertIn("42 components of 20 parts", self.run_command("inspect", DEMO)[1])
        self.assertIn(
            "then Halyard block/Washer", self.run_command("travel", DEMO, "--move", SCREW, "--along", "0,0,-1")[1]
        )
        self.assertIn("no snags", self.run_command("check", DEMO, DEMO_TEARDOWN)[1])

    def test_propose(self):
        out = self.folder / "proposed.json"
        status, answer = self.answer("propose", DEMO, "--part", "Halyard block/Axle nut", "-o", out)
        self.assertEqual((status, [s["members"] for s in answer["steps"]]), (0, [["Halyard block/Axle nut"]]))
        self.assertTrue(self.answer("check", DEMO, out)[1]["clear"])
        status, text, progress = self.run_command("propose", DEMO, "--after", out, "--most", 2, "--progress")
        self.assertEqual(status, 1)  # what is left is named
        self.assertIn("2 steps", text)
        self.assertIn("what blocks what", progress)
        self.refuse("above 0", "propose", DEMO, "--gap", "0")

    def test_bad_input(self):
        bad = self.folder / "bad.json"
        bad.write_text("{")
        move = ("--move", SCREW, "--along")
        self.refuse("cannot be opened", "inspect", self.folder / "none.step")
        self.refuse("is not a STEP file", "inspect", bad)
        self.refuse("not a direction", "travel", DEMO, *move, "0,0,0")
        self.refuse("not a direction", "travel", DEMO, *move, "up")
        self.refuse("not a direction", "travel", DEMO, *move, "nan,0,0")
        self.refuse("no component", "travel", DEMO, "--move", "nobody", "--along", "0,0,1")
        self.refuse("Say which way", "travel", DEMO, "--move", SCREW)
        self.refuse("no longer in the teardown", "matches", DEMO, DEMO_TEARDOWN, "s99")
        other = json.loads(DEMO_TEARDOWN.read_text()) | {"source": {"sha256": "0" * 64}}
        bad.with_name("other.json").write_text(json.dumps(other))
        self.refuse("made for another file", "check", DEMO, bad.with_name("other.json"))
        self.refuse("both moved and removed", "travel", DEMO, *move, "0,0,1", "--removed", SCREW)
        self.refuse("tolerance must be", "travel", DEMO, *move, "0,0,1", "--tolerance", "-1")
        self.refuse("JSON cannot be read", "check", DEMO, bad)
        self.refuse("cannot be opened", "check", DEMO, self.folder / "none.json")
        self.refuse("--help", "explode", DEMO)
        self.refuse("--help")
