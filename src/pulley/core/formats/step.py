"""STEP (ISO 10303-21; AP203, AP214, AP242): checked at the door, then read in a process of its own."""

import contextlib
import hashlib
import json
import os
import queue
import re
import subprocess
import sys
import tempfile
import threading
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path
from typing import IO

from pulley.core.assembly import Assembly
from pulley.core.errors import PulleyError
from pulley.core.files import write_once
from pulley.core.formats.guard import confine
from pulley.core.formats.store import adopt, load_record, to_record

MEMORY_LIMIT = 12 * 2**30  # bytes of address space; the kernel maps far more than it uses
TIME_LIMIT = 600.0  # seconds
SIZE_LIMIT = 256 * 2**20  # bytes
QUIET = 1.0  # seconds of silence after which the last report is repeated

Report = Callable[[float, str], None]


def _silent(_share: float, _message: str) -> None:
    """Report progress to nobody."""


def sha256_of(path: Path) -> str:
    """SHA-256 of a file's bytes, as 64 hexadecimal digits."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def check_file(path: Path, name: str) -> None:
    """Raise PulleyError when the file cannot be a whole STEP file; costs one look at its ends."""
    try:
        size = path.stat().st_size
        with path.open("rb") as file:
            head = file.read(4096)
            file.seek(max(0, size - 4096))
            tail = file.read()
    except OSError as error:
        raise PulleyError(f"{name} cannot be opened: {error.strerror}.") from error
    if size == 0:
        raise PulleyError(f"{name} is empty. Export the assembly again and bring in the new file.")
    if size > SIZE_LIMIT:
        raise PulleyError(f"{name} is {size / 2**20:.0f} MB; the limit is {SIZE_LIMIT >> 20} MB. Split the assembly.")
    if b"ISO-10303-21" not in head:
        raise PulleyError(f"{name} is not a STEP file. Export the assembly as STEP (.step, .stp).")
    if b"END-ISO-10303-21" not in tail:
        raise PulleyError(f"{name} is cut short: its end is missing. Copy or export it again.")


def read_step(
    path: Path,
    store: Path,
    report: Report = _silent,
    name: str | None = None,
    time_limit: float = TIME_LIMIT,
    memory_limit: int = MEMORY_LIMIT,
) -> Assembly:
    """Read a STEP assembly.

    Parameters
    ----------
    path : Path
    store : Path
        Folder of the geometry store; meshes are added to it by content.
    report : callable(share, message)
        Told of progress, ``share`` from 0 to 1. What it raises stops the reading.
    name : str, optional
        What the user calls the file, for messages and for the source; the path's name by default.
    time_limit, memory_limit : seconds, bytes
        What the reader process may use.

    Returns
    -------
    Assembly
        Tidy: wrappers around one solid collapsed, empty and wire-only bodies left out with a note,
        missing names made up, equal sibling names numbered. Millimetres whatever the file's unit.

    Raises
    ------
    PulleyError
        When the file is no good or goes past the limits. The reader is a process of its own, so a
        file that crashes or hangs the kernel costs this call and nothing else. It sees this file and
        nothing else that anybody keeps: a file that needs others names them and is refused.
    """
    name = name or path.name
    check_file(path, name)
    with tempfile.TemporaryDirectory() as folder:
        link = Path(folder) / "input" / (Path(name).stem[:100].replace("\0", "") + ".stp")
        link.parent.mkdir()
        link.symlink_to(path.resolve())
        made = Path(folder) / "made"
        made.mkdir()
        _run_reader([str(link), str(made)], name, report, time_limit, memory_limit)
        assembly = load_record(made / "record.json", made)
        adopt(assembly, made, store)
    return replace(assembly, source={"file": name, "sha256": sha256_of(path)})


def read_step_kept(path: Path, store: Path) -> Assembly:
    """`read_step`, or what it found the last time: kept in the store by the file's content and name, and by the
    source of the reader, so that a newer reader reads anew."""
    check_file(path, path.name)
    sources = b"".join(file.read_bytes() for file in sorted(Path(__file__).parent.glob("*.py")))
    told = hashlib.sha256(sources + path.name.encode()).hexdigest()
    kept = store / "read" / f"{sha256_of(path)}-{told[:16]}.json"
    if kept.exists():
        with contextlib.suppress(PulleyError, ValueError, KeyError):  # the store has lost a mesh: read it again
            return load_record(kept, store)
    assembly = read_step(path, store)
    write_once(kept, json.dumps(to_record(assembly, store)).encode())
    return assembly


def prepare_reader() -> None:
    """Start the next reader ahead of time, so that the next file does not wait for the kernel to load."""
    if not _standby:
        _standby.append(_start_reader(MEMORY_LIMIT))


@dataclass(frozen=True)
class _Reader:
    """A reader process, what it is told and what it answers, and the file that its standard error goes to."""

    process: subprocess.Popen[str]
    orders: IO[str]
    answers: IO[str]
    errors: IO[str]

    def close(self) -> None:
        """End it, if it has not ended, and let go of its files."""
        self.process.kill()
        self.process.wait()
        self.orders.close()
        self.errors.close()


_standby: list[_Reader] = []


def _start_reader(memory_limit: int) -> _Reader:
    errors = tempfile.TemporaryFile("w+", errors="replace")  # noqa: SIM115 (_Reader.close closes it)
    process = subprocess.Popen(
        [sys.executable, "-m", "pulley.core.formats.step_reader"],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        stderr=errors,
        text=True,
        preexec_fn=lambda: confine(memory_limit),
        env=_no_secrets() | {"OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"},
    )
    assert process.stdin and process.stdout  # both are pipes
    return _Reader(process, process.stdin, process.stdout, errors)


def _no_secrets() -> dict[str, str]:
    """The environment without what is Pulley's own: a reader has no business with passwords."""
    return {name: value for name, value in os.environ.items() if not name.startswith("PULLEY_")}


def _take_reader(memory_limit: int) -> _Reader:
    while _standby and memory_limit == MEMORY_LIMIT:
        reader = _standby.pop()
        if reader.process.poll() is None:
            return reader
        reader.answers.close()
        reader.close()
    return _start_reader(memory_limit)


def _run_reader(arguments: list[str], name: str, report: Report, time_limit: float, memory_limit: int) -> None:
    reader = _take_reader(memory_limit)
    process = reader.process
    late = threading.Event()

    def stop() -> None:
        late.set()
        process.kill()

    timer = threading.Timer(time_limit, stop)
    timer.start()
    try:
        with contextlib.suppress(BrokenPipeError):
            reader.orders.write(json.dumps(arguments) + "\n")
            reader.orders.flush()
        error = _follow(reader.answers, report) or _missing_library(reader.errors)
        status = process.wait()
    finally:
        timer.cancel()
        with contextlib.suppress(BrokenPipeError):
            reader.close()
    if late.is_set():
        raise PulleyError(f"{name} took longer than {time_limit:g} s to read and was stopped. Split the assembly.")
    if error:
        raise PulleyError(error)
    if status:
        raise PulleyError(
            f"{name} broke the reader (it ran out of memory or met a damaged shape). "
            "Nothing else was touched; export the file again or leave out the part at fault."
        )


def _missing_library(errors: IO[str]) -> str | None:
    """What to say when the reader could not even load the kernel."""
    errors.seek(0)
    found = re.search(r"^(?:ImportError|ModuleNotFoundError): (.*)$", errors.read(), re.M)
    if found is None or "failed to map" in found[1]:  # the latter is the memory limit at work
        return None
    return f"The reader cannot start: {found[1]}. Start Pulley with ./pulley, which installs what is missing."


def _follow(answers: IO[str], report: Report) -> str | None:
    """Pass on progress until the reader closes its output; its error line, if it gave one.

    While the reader is silent the last report is repeated, so that whoever is told can still stop it.
    """
    lines: queue.SimpleQueue[str | None] = queue.SimpleQueue()

    def listen() -> None:
        with answers:
            for line in answers:
                lines.put(line)
        lines.put(None)

    threading.Thread(target=listen, daemon=True).start()
    error, told = None, (0.0, "Starting the reader")
    while True:
        try:
            line = lines.get(timeout=QUIET)
        except queue.Empty:
            report(*told)
            continue
        if line is None:
            return error
        try:
            said = json.loads(line)
        except ValueError:
            continue  # the kernel itself prints now and then
        if "error" in said:
            error = said["error"]
        elif "progress" in said:
            told = said["progress"], said["message"]
            report(*told)
