"""The headless commands: their JSON, their exit status, and what they say to bad input."""

import contextlib
import io
import json
import os
import tempfile
from pathlib import Path
from unittest import TestCase, mock

import av
from PIL import Image

from pulley.core import cli
from pulley.core.assembly import Assembly
from pulley.core.cli import main
from pulley.core.formats.reading import Wanted, read_kept
from tests.scenes import DEMO, DEMO_TEARDOWN, read, store, within_this_process

SCREW = "Halyard block/Cheek screw"


def read_once(path: Path, folder: Path, wanted: Wanted) -> Assembly:
    """The real reader, but the demo only once."""
    return read(DEMO) if path == DEMO else read_kept(path, folder, wanted)


class CommandCase(TestCase):
    """The commands as a shell runs them."""

    def setUp(self):
        self.enterContext(mock.patch.dict(os.environ, PULLEY_STORE=str(store())))
        self.enterContext(mock.patch.object(cli, "read_kept", read_once))
        self.enterContext(within_this_process())
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


class CommandTests(CommandCase):
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

    def test_what_must_be_held(self):
        answer = self.answer("check", DEMO, DEMO_TEARDOWN, "--held")[1]
        self.assertTrue(all(step["hands"] >= 1 for step in answer["steps"]))
        loosened = [each for step in answer["steps"] for each in step["loosens"]]
        self.assertTrue({each["does"] for each in loosened} & {"falls", "tips over", "stays only by friction"})
        self.assertNotIn("hands", self.answer("check", DEMO, DEMO_TEARDOWN)[1]["steps"][0])

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
        self.refuse("is of no kind that Pulley reads", "inspect", bad)
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


class ExportTests(CommandCase):
    """`export`: one command for all that leaves Pulley, and a status that a pipeline can trust."""

    def test_every_ending_that_is_made_makes_a_file(self):
        for ending, more in {
            "png": ("--at", "start", "--size", "96x64", "--ground", "clear"),
            "svg": ("--at", "1.5"),
            "glb": (),
            "stl": ("--at", "end"),
            "html": (),
            "csv": (),
            "xlsx": ("--of", "parts"),
            "json": (),
            "vtt": (),
            "gif": ("--size", "96x64", "--fps", "24", "--steps", "s1", "--speed", "6", "--hard"),
        }.items():
            out = self.folder / f"out.{ending}"
            status, answer = self.answer("export", DEMO, DEMO_TEARDOWN, "-o", out, *more)
            self.assertEqual((status, answer["bytes"]), (0, out.stat().st_size), ending)
        self.assertEqual(Image.open(self.folder / "out.png").size, (96, 64))
        self.assertEqual(list(self.folder.glob(".*")), [], "nothing is left beside them")

    def test_what_cannot_be_made_is_refused_and_nothing_is_written(self):
        words = ("export", DEMO, DEMO_TEARDOWN, "-o")
        for advice, *more in (
            ("ends with nothing that is made", self.folder / "x.avi"),
            ("0 x 720 pixels", self.folder / "x.mp4", "--size", "0x720"),
            ("100000 x 720", self.folder / "x.png", "--size", "100000x720"),
            ("no instant", self.folder / "x.png", "--at", "tomorrow"),
            ("no instant", self.folder / "x.step", "--at", "1e9"),
            ("24 to 60", self.folder / "x.mp4", "--fps", "5"),
            ("no saved view “Back”", self.folder / "x.png", "--view", "Back"),
            ("no step to film", self.folder / "x.mp4", "--steps", "gone"),
            ("no folder", self.folder / "none" / "x.png"),
            ("is of page or guide, not of film", self.folder / "x.html", "--of", "film"),
            ("steps", self.folder / "x.pdf", "--cells", "3"),
            ("No such file", self.folder / "x.mp4", "--logo", self.folder / "gone.png"),
        ):
            self.refuse(advice, *words, *more)
        self.assertEqual(list(self.folder.iterdir()), [])

    def test_settings_from_a_file_and_flags_before_them(self):
        kept = self.folder / "film.json"
        kept.write_text(json.dumps({"film": {"rate": 25, "size": [96, 64], "steps": ["s1"], "soft": False}}))
        out = self.folder / "x.mp4"
        self.answer("export", DEMO, DEMO_TEARDOWN, "-o", out, "--settings", kept, "--fps", "24", "--speed", "8")
        with av.open(str(out)) as film:
            stream = film.streams.video[0]
            self.assertEqual((stream.width, stream.height, stream.average_rate), (96, 64, 24))
        for text, advice in (("{", "no JSON"), ('{"film": {"rat": 25}}', "cannot be read"), ("[]", "cannot be read")):
            kept.write_text(text)
            self.refuse(advice, "export", DEMO, DEMO_TEARDOWN, "-o", out, "--settings", kept)

    def test_check_says_whether_there_are_snags_and_makes_the_file_all_the_same(self):
        wrong = json.loads(DEMO_TEARDOWN.read_text())
        wrong["steps"] = wrong["steps"][-1:]
        (self.folder / "wrong.json").write_text(json.dumps(wrong))
        out = self.folder / "x.csv"
        status, answer = self.answer("export", DEMO, DEMO_TEARDOWN, "-o", out, "--check")
        self.assertEqual((status, answer["snags"]), (0, 0))
        status, answer = self.answer("export", DEMO, self.folder / "wrong.json", "-o", out, "--check")
        self.assertEqual((status, answer["snags"] > 0, out.is_file()), (1, True, True))
