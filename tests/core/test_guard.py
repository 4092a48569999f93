"""What the reader of a stranger's file can reach, how long it lives, and geometry that was damaged on the disk."""

import os
import re
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from unittest import TestCase, mock, skipUnless

from pulley.core import files
from pulley.core.errors import PulleyError
from pulley.core.formats.reading import read_file
from pulley.core.kernel import process
from pulley.core.store import Folder, load_mesh, mesh_name
from tests.scenes import AS1, ROOT, WINCH, tower

# CAx-IF public test assembly that is split over several files; its top level names four others
SPLIT = AS1.parent / "s1_pe_214/s1_pe_214.stp"
FENCED = """
import socket, sys
from pathlib import Path
from pulley.core.kernel.guard import fence, python_places
assert fence([Path(sys.argv[1]), *python_places()], [Path(sys.argv[2])])
def refused(act):
    try:
        act()
    except PermissionError:
        return True
print(Path(sys.argv[1], "own").read_text())
Path(sys.argv[2], "made").write_text("made")
print(refused(lambda: Path(sys.argv[3]).read_text()), refused(lambda: Path(sys.argv[1], "new").write_text("x")),
      refused(lambda: open("/dev/zero", "rb")), refused(lambda: socket.create_connection(("127.0.0.1", 9))))
import subprocess
print(refused(lambda: subprocess.run(["cat", sys.argv[3]], check=True)) or "ran")
"""
PARENT = """
import sys
from pathlib import Path
from pulley.core.formats import reading
from pulley.core.kernel import process
process.prepare()
from pulley.core.store import Folder
print(process._standby[0].process.pid, flush=True)
reading.read_file(Path(sys.argv[1]), Folder(Path(sys.argv[2])), lambda share, message: print(message, flush=True))
"""


def has_ended(pid: int) -> bool:
    """Whether a process is over, or waits only to be buried."""
    stat = Path(f"/proc/{pid}/stat")
    return not stat.exists() or stat.read_text().rsplit(")", 1)[1].split()[0] in "ZX"


def fence_there() -> bool:
    """Whether this machine's kernel has Landlock."""
    code = "from pulley.core.kernel.guard import fence; raise SystemExit(not fence([], []))"
    return subprocess.run([sys.executable, "-c", code]).returncode == 0


class FolderCase(TestCase):
    def setUp(self):
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))


class OtherFilesTests(FolderCase):
    def attempt(self, *names: str):
        """Read the split assembly with other names for the first files that it refers to."""
        text = SPLIT.read_text("latin-1")
        for old, new in zip(("mainbody_asm.stp", "head_asm.stp", "tail_asm.stp", "foot_asm.stp"), names, strict=False):
            text = text.replace(old, new)
        path = self.folder / "top.stp"
        path.write_text(text, "latin-1")
        return read_file(path, Folder(self.folder / "store"))

    def test_a_file_whose_parts_are_in_others_is_refused_with_their_names(self):
        with self.assertRaisesRegex(PulleyError, "top.stp needs parts.*: mainbody_asm.stp, head_asm.stp, tail_asm.stp"):
            self.attempt()

    def test_no_way_of_naming_it_opens_a_file_that_was_not_brought_in(self):
        beside = self.folder / "secret.stp"
        beside.write_bytes(AS1.read_bytes())
        up = "../" * 15 + str(beside)[1:]
        with self.assertRaisesRegex(PulleyError, "not brought in with it: secret.stp, zero, 0"):
            self.attempt(str(beside), up, "/dev/zero", "/proc/self/fd/0")

    def test_what_is_no_step_file_is_not_asked_for_and_not_opened_either(self):
        disguised = self.folder / "drawing.pdf"
        disguised.write_bytes(AS1.read_bytes())
        # as1's 18 components are not in it; where there is no fence, names that lead elsewhere are refused
        with self.assertRaisesRegex(PulleyError, "holds no|not brought in with it"):
            self.attempt(*4 * [str(disguised)])


class FenceTests(FolderCase):
    @skipUnless(fence_there(), "this kernel has no Landlock")
    def test_a_fenced_process_opens_its_own_files_and_nothing_else(self):
        own, made, other = self.folder / "in", self.folder / "out", self.folder / "other"
        own.mkdir()
        made.mkdir()
        (own / "own").write_text("own")
        other.write_text("other")
        words = [sys.executable, "-c", FENCED, str(own), str(made), str(other)]
        done = subprocess.run(words, capture_output=True, text=True)
        self.assertEqual(done.stdout.split(), ["own", *4 * ["True"]], done.stderr)
        self.assertIn("Permission denied", done.stderr)  # what it starts is fenced, too
        self.assertEqual((made / "made").read_text(), "made")

    def test_the_reader_is_told_no_password(self):
        with mock.patch.dict(os.environ, {"PULLEY_DB_PASSWORD": "secret", "LANG": "C.UTF-8"}):
            self.assertNotIn("PULLEY_DB_PASSWORD", process._no_secrets())
            self.assertIn("LANG", process._no_secrets())

    def test_the_reader_ends_with_its_parent_however_that_ends(self):
        words = [sys.executable, "-c", PARENT, str(WINCH), str(self.folder)]
        parent = subprocess.Popen(words, stdout=subprocess.PIPE, text=True, cwd=ROOT)
        reader = int(parent.stdout.readline())
        while not parent.stdout.readline().startswith("Meshing"):
            self.assertIsNone(parent.poll())
        parent.send_signal(signal.SIGKILL)
        parent.wait()
        parent.stdout.close()
        until = time.monotonic() + 60
        while not has_ended(reader):
            self.assertLess(time.monotonic(), until)
            time.sleep(0.02)


class DamageTests(FolderCase):
    def test_damaged_geometry_is_said_and_bringing_the_file_in_again_mends_it(self):
        part = read_file(AS1, Folder(self.folder)).parts[0][0]
        path = self.folder / mesh_name(part.mesh.key)
        whole = path.read_bytes()
        middle = len(whole) // 2
        flipped = whole[:middle] + bytes([whole[middle] ^ 255]) + whole[middle + 1 :]
        for damaged in (b"", whole[:100], whole[:-30], flipped, tower().parts[0][0].mesh.to_bytes()):
            path.write_bytes(damaged)
            with self.assertRaisesRegex(PulleyError, "Bring the file in again"):
                load_mesh(Folder(self.folder), part.mesh.key)
        read_file(AS1, Folder(self.folder))
        self.assertEqual(load_mesh(Folder(self.folder), part.mesh.key).key, part.mesh.key)

    def test_a_file_is_whole_or_not_there(self):
        path = self.folder / "a" / "b"
        files.write_whole(path, b"one")
        with self.assertRaises(TypeError):
            files.write_whole(path, "no bytes")
        self.assertEqual((path.read_bytes(), [p.name for p in path.parent.iterdir()]), (b"one", ["b"]))

    def test_an_empty_or_cut_secret_is_made_anew(self):
        path = self.folder / "secret"
        first = files.secret(path)
        self.assertEqual((files.secret(path), oct(path.stat().st_mode & 0o777)), (first, "0o600"))
        for damaged in ("", first[:5], "\0\0\0"):
            path.write_text(damaged)
            again = files.secret(path)
            self.assertTrue(re.fullmatch(r"[\w-]{40,}", again))
            self.assertNotEqual(again, first)
