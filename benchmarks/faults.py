"""Harm done to a running Pulley on purpose: what was done, what happened, and what was kept, as a table.

`./pulley bench faults` runs all of it on a Pulley of its own and writes the table into docs/reliability.md.
"""

import itertools
import os
import re
import shutil
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path

from benchmarks.house import Answer, House, Visitor, aside, state_of, wait_for
from benchmarks.scenes import AS1, ROOT

PASSWORD = "four sheaves, one rope"
PAGE = ROOT / "docs/reliability.md"
BEGIN, END = "<!-- table begins -->", "<!-- table ends -->"
SPLIT = AS1.parent / "s1_pe_214/s1_pe_214.stp"  # CAx-IF: an assembly whose parts are in other files
BIG = ROOT / "demo/deck_winch.step"


@dataclass
class Scene:
    """A Pulley with a user and an assembly; `done` names what is being tried, `rows` are what came of it."""

    house: House
    visitor: Visitor
    assembly: str = ""
    rows: list[tuple[str, str, str]] = field(default_factory=list)

    def row(self, done: str, happened: str, kept: str) -> None:
        """One line of the table."""
        self.rows.append((done, happened, kept))
        print(f"{len(self.rows):3}  {done}\n       {happened}\n       {kept}", flush=True)

    def editor(self) -> str:
        """The address of a new teardown with nothing in it."""
        page = self.visitor.get("/").text
        before = set(re.findall(r"/teardowns/[0-9a-f-]{36}/", page))
        self.visitor.post(f"{self.assembly}/teardowns/new")
        after = set(re.findall(r"/teardowns/[0-9a-f-]{36}/", self.visitor.get("/").text))
        return (after - before).pop()

    def rename(self, editor: str, name: str, revision: int, **more: str) -> Answer:
        """A change as the editor's page asks for it."""
        return self.visitor.post(f"{editor}edit/rename", {"value": name, "revision": revision, **more})

    def kept(self, editor: str) -> str:
        """The teardown's name as it is kept."""
        return state_of(self.visitor.get(editor).text)["name"]


def signed_in(house: House, name: str = "ann") -> Visitor:
    """Somebody who is signed in."""
    visitor = Visitor(house.address)
    visitor.sign_in(name, PASSWORD)
    return visitor


def the_database_is_killed(scene: Scene) -> None:
    editor = scene.editor()
    scene.rename(editor, "Before", 0)
    scene.house.kill("mariadbd")
    answer = scene.rename(editor, "During", 1)
    wait_for(lambda: scene.rename(editor, "After", 1).status == 200)
    kept = f"the change before, and the one after the launcher has started the database again: {scene.kept(editor)}"
    scene.row("database killed while a teardown is edited", f"{answer.status}: {answer.sentence}", kept)


def one_web_process_is_killed(scene: Scene) -> None:
    os.kill(scene.house.pids("pulley.web.server")[0], signal.SIGKILL)
    answers = [scene.visitor.get("/").status for _ in range(20)]
    back = wait_for(lambda: len(scene.house.pids("pulley.web.server")) == 2)
    scene.row(
        "one of two web server processes killed",
        f"20 pages asked for at once: {_counted(answers)}",
        f"everything; a new process runs: {'yes' if back else 'no'}",
    )


def _counted(answers: list[int]) -> str:
    kinds = [(status, answers.count(status)) for status in sorted(set(answers))]
    return ", ".join(f"{count} × {status or 'no answer'}" for status, count in kinds)


def every_web_process_is_killed(scene: Scene) -> None:
    editor = scene.editor()
    scene.house.kill("pulley.web.server")
    answer = scene.rename(editor, "During", 0)
    happened = (
        f"{answer.status or 'no answer'} after {answer.seconds:.0f} s: what comes meanwhile waits for the next process"
    )
    scene.row("all web server processes killed, then a change", happened, f"the change: {scene.kept(editor)}")


def the_worker_is_killed(scene: Scene) -> None:
    job = scene.visitor.bring_in("winch.step", BIG.read_bytes())
    scene.visitor.read(job, "Reading|Meshing")
    scene.house.kill("manage.py work")
    page = scene.visitor.read(job)
    scene.row("worker killed while it reads a file", "taken up again by the next worker", _outcome(page))


def the_reader_is_killed(scene: Scene) -> None:
    job = scene.visitor.bring_in("winch.step", BIG.read_bytes())
    scene.visitor.read(job, "Reading|Meshing")
    for pid in scene.house.pids("kernel.worker"):
        os.kill(pid, signal.SIGKILL)
    page = scene.visitor.read(job)
    scene.row("reader process killed in the middle of a file", _outcome(page), "everything else; the worker goes on")


def _outcome(page: str) -> str:
    found = re.search(r"(✓[^<]*|▲[^<]*)<", page)
    return found[1].strip() if found else "no outcome"


def stopped_while_reading(scene: Scene) -> None:
    stops = {"Ctrl-C": signal.SIGINT, "SIGTERM": signal.SIGTERM, "power cut (all processes killed)": signal.SIGKILL}
    for words, how in stops.items():
        job = scene.visitor.bring_in("winch.step", BIG.read_bytes())
        times = []
        for _ in range(4):  # one more than the tries that a file has
            scene.visitor.read(job, "Reading|Meshing")
            times.append(scene.house.stop(how))
            scene.house.start()
        kept = f"the job goes on each time and counts no try: {_outcome(scene.visitor.read(job))}"
        happened = f"ended within {max(times):.1f} s, then started again"
        scene.row(f"{words} {len(times)} times while the same file is read", happened, kept)


def signed_out_while_editing(scene: Scene) -> None:
    editor = scene.editor()
    scene.visitor.jar.clear("127.0.0.1", "/", "sessionid")
    answer = scene.rename(editor, "Mine", 0)
    scene.visitor.sign_in("ann", PASSWORD)
    scene.rename(editor, "Mine", 0)
    scene.row(
        "session ended, then a change",
        f"{answer.status}: {answer.sentence}",
        f"the change, sent after signing in: {scene.kept(editor)}",
    )


def the_answer_is_lost(scene: Scene) -> None:
    editor = scene.editor()
    first, again = (scene.rename(editor, "Once", 0, asked="change-1") for _ in range(2))
    history = scene.visitor.get(f"{editor}history").text.count('class="entry"')
    scene.row(
        "answer lost, so the page sends the same change again",
        f"{first.status}, then {again.status}",
        f"one entry in the history, not two: {history - 1}",
    )


def two_editors(scene: Scene) -> None:
    editor = scene.editor()
    scene.rename(editor, "Hers", 0)
    answer = scene.rename(editor, "His", 0)
    scene.row(
        "two windows change one teardown",
        f"{answer.status}: {answer.sentence}",
        f"the first change: {scene.kept(editor)}",
    )


def somebody_elses(scene: Scene) -> None:
    other, editor = signed_in(scene.house, "ben"), scene.editor()
    addresses = [editor, f"{editor}download", f"{scene.assembly}/model.glb", f"{scene.assembly}/source"]
    answers = [other.get(address).status for address in addresses] + [
        other.post(f"{editor}edit/rename", {"value": "His"}).status
    ]
    scene.row(
        "another user asks for a teardown, its model and its file", _counted(answers), "nothing is shown or changed"
    )


def files_that_name_others(scene: Scene) -> None:
    own = next(file for file in (scene.house.folder / "files").glob("??/*") if file.read_bytes() == AS1.read_bytes())
    for words, name in (
        ("another user's file in the store", str(own)),
        ("/dev/zero", "/dev/zero"),
        ("../ and so on", "../" * 12 + str(own)[1:]),
    ):
        text = SPLIT.read_text("latin-1").replace("mainbody_asm.stp", name)
        begun = time.monotonic()
        page = scene.visitor.read(scene.visitor.bring_in("top.stp", text.encode("latin-1")))
        scene.row(
            f"STEP file that refers to {words}",
            f"{_outcome(page)} ({time.monotonic() - begun:.1f} s)",
            "the other file is not opened",
        )


def bad_step_files(scene: Scene) -> None:
    for words, data in (("empty", b""), ("cut short", AS1.read_bytes()[:90_000]), ("no STEP at all", b"PK\3\4 a zip")):
        scene.row(f"file that is {words}", scene.visitor.bring_in("bad.step", data), "nothing is kept of it")
    answer = scene.visitor.ask(_claiming(scene.house.address, 10**12))
    scene.row(
        "upload that says it has 1 TB",
        f"{answer.status or 'connection closed'}: {answer.sentence or 'before any of it is taken'}",
        "nothing is kept of it",
    )


def _claiming(address: str, size: int) -> urllib.request.Request:
    """An upload that says it has so many bytes."""
    headers = {"Content-Length": str(size), "HX-Request": "true"}
    return urllib.request.Request(f"{address}/bring-in", b"x", headers)


def teardown_files(scene: Scene) -> None:
    step = '{"id": "s%d", "kind": "axial", "members": ["as1/plate_1"], "direction": [0,0,1], "distance": 5}'
    head = '{"format": "pulley-teardown", "version": 1, "steps": [%s]%s}'
    tries = {
        "100,000 steps": head % (",".join(['{"id": "s"}'] * 100_000), ""),
        "100,000 whole steps": head % (",".join(step % k for k in range(100_000)), ""),
        "an unknown key of 10 MB": head % ("", f', "weather": "{"x" * 10**7}"'),
        "an unknown key of 5 MB": head % ("", f', "weather": "{"x" * (5 * 10**6)}"'),
        "the number 1e999": head % ("", ', "weather": 1e999'),
        "60 levels of nesting": head % ("", ', "weather": ' + "[" * 60 + "]" * 60),
        "half a character": head % ("", ', "weather": "\\ud83d"'),
    }
    for words, text in tries.items():
        answer = scene.visitor.post(f"{scene.assembly}/teardowns/read", files={"file": ("a.json", text.encode())})
        scene.row(
            f"teardown file with {words}",
            f"{answer.status} after {answer.seconds:.1f} s: {answer.sentence}",
            "no teardown is made",
        )


def slow_connections(scene: Scene) -> None:
    slow = [socket.create_connection(("127.0.0.1", scene.house.port)) for _ in range(240)]
    for number, connection in enumerate(slow):
        connection.sendall(
            (b"", b"G", b"POST /bring-in HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Length: 9999\r\n\r\nx")[number % 3]
        )
    times = sorted(scene.visitor.get("/").seconds for _ in range(9))
    for connection in slow:
        connection.close()
    scene.row(
        "240 connections that send next to nothing",
        f"the library page meanwhile: median {times[4] * 1000:.0f} ms",
        "everybody is served",
    )


def wrong_passwords(scene: Scene) -> None:
    guesser = Visitor(scene.house.address)
    answers = [guesser.sign_in("ben", f"guess {k}").status for k in range(9)]
    scene.row(
        "wrong password 9 times", f"{_counted(answers)}", "the name is locked for a quarter of an hour, from that place"
    )
    done = scene.house.run("user", "carl", typed="password1\n")
    scene.row(
        "user with a weak password",
        f"exit status {done.returncode}: {done.stderr.strip().splitlines()[-1]}",
        "no user is made",
    )


def damaged_store(scene: Scene) -> None:
    editor = scene.editor()
    for ending, address in (("glb", f"{scene.assembly}/model.glb"), ("png", f"{scene.assembly}/picture.png")):
        before = scene.visitor.get(address).text
        for file in (scene.house.folder / "geometry").glob(f"??/*.{ending}"):
            file.write_bytes(file.read_bytes()[:100])
        again = scene.visitor.get(address)
        what = "model" if ending == "glb" else "pictures"
        kept = "whole, as before" if again.text == before else "another one"
        scene.row(f"{what} in the store cut to 100 bytes", f"{again.status}: made again when it is asked for", kept)
    for file in (scene.house.folder / "geometry").glob("??/*.npz"):
        file.write_bytes(file.read_bytes()[:100])
    scene.house.stop()
    scene.house.start()
    answer = scene.visitor.get(editor)
    page = scene.visitor.read(scene.visitor.bring_in("as1.stp", AS1.read_bytes()))
    scene.row(
        "geometry in the store cut to 100 bytes",
        f"{answer.status}: {answer.sentence}",
        f"{_outcome(page)}; then the editor answers {scene.visitor.get(editor).status}",
    )


def empty_secrets(scene: Scene) -> None:
    scene.house.stop()
    for file in ("secret_key", "mariadb/password"):
        (scene.house.folder / file).write_text("")
    scene.house.start()
    scene.visitor = signed_in(scene.house)
    lengths = [len((scene.house.folder / file).read_text()) for file in ("secret_key", "mariadb/password")]
    happened = f"new ones of {lengths[0]} and {lengths[1]} characters at the next start"
    kept = f"all data; whoever was signed in signs in again: {scene.visitor.get('/').status}"
    scene.row("files with the secret key and the database's password emptied", happened, kept)


def the_bin(scene: Scene) -> None:
    editor = scene.editor()
    scene.visitor.post(f"{scene.assembly}/delete")
    gone = scene.visitor.get(editor).status
    scene.visitor.post(f"{scene.assembly}/bring-back")
    scene.row(
        "assembly deleted by mistake",
        f"its teardowns answer {gone}; it lies in the bin for 30 days",
        f"brought back with all its teardowns: {scene.visitor.get(editor).status}",
    )


@contextmanager
def small_disk(size: str) -> Iterator[Path | None]:
    """A file system of so much room; None where we may not make one."""
    folder = aside()
    made = subprocess.run(["mount", "-t", "tmpfs", "-o", f"size={size}", "tmpfs", str(folder)], capture_output=True)
    try:
        yield folder if made.returncode == 0 else None
    finally:
        subprocess.run(["umount", "-l", str(folder)], capture_output=True)


def full_disk_at_the_start(scene: Scene) -> None:
    with small_disk("20m") as folder:
        done = House(folder / "var").run("serve") if folder else None
    if done:
        scene.row(
            "started on a disk with 20 MB", f"exit status {done.returncode}: {done.stderr.strip()}", "nothing was begun"
        )
    done = House(Path("/proc/pulley")).run("serve")
    scene.row(
        "started where nothing can be written",
        f"exit status {done.returncode}: {done.stderr.strip()}",
        "nothing was begun",
    )


def full_disk_while_running(scene: Scene) -> None:
    with small_disk("460m") as folder:
        if not folder:
            return
        house = House(folder / "var")
        house.start()
        house.run("user", "ann", typed=f"{PASSWORD}\n")
        full = Scene(house, signed_in(house))
        full.visitor.read(full.visitor.bring_in("as1.stp", AS1.read_bytes()))
        full.assembly = _assembly(full.visitor)
        editor = full.editor()
        fill = folder / "fill"
        subprocess.run(["dd", "if=/dev/zero", f"of={fill}", "bs=64k"], capture_output=True)
        answer = full.visitor.bring_in("winch.step", BIG.read_bytes())
        fill.unlink()
        full.rename(editor, "Afterwards", 0)
        scene.row(
            "disk filled while it runs, then a file is brought in",
            answer,
            f"everything; with room again, a change is kept: {full.kept(editor)}",
        )
        house.stop()


def first_start_stopped(_scene: Scene) -> None:
    folder = aside()
    house = House(folder, "demo")
    house.process = subprocess.Popen(
        [sys.executable, "-m", "pulley.local", "demo"],
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        text=True,
        env=house.environment(),
        cwd=ROOT,
    )
    for line in house.process.stdout:
        if "Loading the demo data" in line:
            break
    time.sleep(4)  # some scenes are read by now, others are not
    house.stop(signal.SIGKILL)
    house.start()
    shelf = Visitor(house.address).get("/")
    proxied = Visitor(house.address).get("/", **{"X-Forwarded-For": "203.0.113.7"})
    _scene.row(
        "first start of the demo killed while it loads its data",
        "the next start loads it",
        f"{shelf.text.count('class=' + chr(34) + 'assembly' + chr(34))} of 7 assemblies",
    )
    _scene.row("demo reached through a proxy", f"{proxied.status}: {proxied.sentence}", "nothing is shown")
    house.stop()
    shutil.rmtree(folder, ignore_errors=True)


def random_requests(scene: Scene) -> None:
    more = os.environ | {"PULLEY_TRIES": "1000", "PULLEY_SEED": "1"}
    done = subprocess.run(
        ["./pulley", "test", "tests.web.test_fuzz"],
        cwd=ROOT,
        env=more | {"PULLEY_VAR": str(aside())},
        capture_output=True,
        text=True,
    )
    found = re.search(r"(\d+) requests at (\d+) addresses", done.stdout)
    words = (
        f"{found[1]} requests at {found[2]} addresses: {'no 500' if done.returncode == 0 else 'a 500'}"
        if found
        else "not run"
    )
    scene.row("random requests at every address", words, "the teardown they are about")


FAULTS: list[Callable[[Scene], None]] = [
    the_database_is_killed,
    one_web_process_is_killed,
    every_web_process_is_killed,
    the_worker_is_killed,
    the_reader_is_killed,
    signed_out_while_editing,
    the_answer_is_lost,
    two_editors,
    somebody_elses,
    files_that_name_others,
    bad_step_files,
    teardown_files,
    slow_connections,
    wrong_passwords,
    the_bin,
    damaged_store,
    empty_secrets,
    stopped_while_reading,
    full_disk_at_the_start,
    full_disk_while_running,
    first_start_stopped,
    random_requests,
]


def _assembly(visitor: Visitor) -> str:
    return re.search(r"(/assemblies/[0-9a-f-]{36})/", visitor.get("/").text)[1]


def run() -> None:
    """Do all the harm, and write the table."""
    folder = aside()
    house = House(folder)
    house.start()
    for name in ("ann", "ben"):
        house.run("user", name, typed=f"{PASSWORD}\n")
    scene = Scene(house, signed_in(house))
    try:
        scene.visitor.read(scene.visitor.bring_in("as1.stp", AS1.read_bytes()))
        scene.assembly = _assembly(scene.visitor)
        for fault in FAULTS:
            try:
                fault(scene)
            except Exception as error:
                scene.row(fault.__name__.replace("_", " "), f"NOT AS EXPECTED: {error!r}", "?")
                raise
    finally:
        if house.process.poll() is None:
            house.stop()
        shutil.rmtree(folder, ignore_errors=True)
    write(scene.rows)


def write(rows: list[tuple[str, str, str]]) -> None:
    """The table into docs/reliability.md."""
    lines = ["| | what was done | what happened | what was kept |", "|---|---|---|---|"]
    for number, cells in zip(itertools.count(1), rows, strict=False):
        lines.append(
            "| " + " | ".join([str(number), *(cell.replace("|", "/").replace("\n", " ") for cell in cells)]) + " |"
        )
    text = PAGE.read_text()
    before, after = text[: text.index(BEGIN) + len(BEGIN)], text[text.index(END) :]
    PAGE.write_text("\n".join([before, *lines, after]))
    print(f"{len(rows)} rows written to {PAGE.relative_to(ROOT)}")
