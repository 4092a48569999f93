"""Running an order in a process of its own: one kept ready, its limits, its progress, and how it can fail."""

import contextlib
import os
import queue
import re
import subprocess
import sys
import tempfile
import threading
from collections.abc import Callable
from dataclasses import dataclass
from typing import IO

from pulley.core.errors import PulleyError
from pulley.core.kernel.guard import confine
from pulley.core.kernel.protocol import Order, answer

QUIET = 1.0  # seconds of silence after which the last report is repeated

Report = Callable[[float, str], None]


@dataclass(frozen=True)
class Limits:
    """What a process may use: seconds, and bytes of address space, of which the kernel maps far more than it uses."""

    seconds: float = 600.0
    memory: int = 12 * 2**30


class TooSlow(Exception):  # noqa: N818
    """The work took longer than it may, and was stopped."""


class Broken(Exception):  # noqa: N818
    """The process died over its work: it ran out of memory, or met what the kernel cannot bear."""


@dataclass(frozen=True)
class _Process:
    """A kernel's process, what it is told and what it answers, and the file that its standard error goes to."""

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


_standby: list[_Process] = []


def prepare() -> None:
    """Start the next process ahead of time, so that the next file does not wait for the kernel to load."""
    if not _standby:
        _standby.append(_start(Limits().memory))


def run(order: Order, report: Report, limits: Limits = Limits()) -> None:  # noqa: B008 (frozen)
    """Have an order carried out; what it makes is in its folder afterwards.

    Parameters
    ----------
    order : Order
    report : callable(share, message)
        Told of progress, ``share`` from 0 to 1. What it raises stops the work.
    limits : Limits

    Raises
    ------
    PulleyError
        What the operation refuses, in a sentence.
    TooSlow, Broken
        When it goes past its limits, or dies.
    """
    running = _take(limits.memory)
    late = threading.Event()

    def stop() -> None:
        late.set()
        running.process.kill()

    timer = threading.Timer(limits.seconds, stop)
    timer.start()
    try:
        with contextlib.suppress(BrokenPipeError):
            running.orders.write(order.to_line() + "\n")
            running.orders.flush()
        error = _follow(running.answers, report) or _missing_library(running.errors)
        status = running.process.wait()
    finally:
        timer.cancel()
        with contextlib.suppress(BrokenPipeError):
            running.close()
    if late.is_set():
        raise TooSlow
    if error:
        raise PulleyError(error)
    if status:
        raise Broken


def _start(memory: int) -> _Process:
    errors = tempfile.TemporaryFile("w+", errors="replace")  # noqa: SIM115 (_Process.close closes it)
    process = subprocess.Popen(
        [sys.executable, "-m", "pulley.core.kernel.worker"],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        stderr=errors,
        text=True,
        preexec_fn=lambda: confine(memory),
        env=_no_secrets() | {"OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"},
    )
    assert process.stdin and process.stdout  # both are pipes
    return _Process(process, process.stdin, process.stdout, errors)


def _no_secrets() -> dict[str, str]:
    """The environment without what is Pulley's own: a kernel has no business with passwords."""
    return {name: value for name, value in os.environ.items() if not name.startswith("PULLEY_")}


def _take(memory: int) -> _Process:
    while _standby and memory == Limits().memory:
        ready = _standby.pop()
        if ready.process.poll() is None:
            return ready
        ready.answers.close()
        ready.close()
    return _start(memory)


def _missing_library(errors: IO[str]) -> str | None:
    """What to say when the process could not even load the kernel."""
    errors.seek(0)
    found = re.search(r"^(?:ImportError|ModuleNotFoundError): (.*)$", errors.read(), re.M)
    if found is None or "failed to map" in found[1]:  # the latter is the memory limit at work
        return None
    return f"The reader cannot start: {found[1]}. Start Pulley with ./pulley, which installs what is missing."


def _follow(answers: IO[str], report: Report) -> str | None:
    """Pass on progress until the process closes its output; its error line, if it gave one.

    While it is silent the last report is repeated, so that whoever is told can still stop it.
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
        said = answer(line)
        if "error" in said:
            error = said["error"]
        elif "progress" in said:
            told = said["progress"], said["message"]
            report(*told)
