"""Child processes that end with their parent, and are started again when they fall over."""

import os
import subprocess
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

from pulley.core.kernel.guard import end_with_parent

SETTLED = 10.0  # seconds a child must have lived for the next restart to be at once


def _apart() -> None:
    """In a new child: it ends when we do, however that comes about; Ctrl-C stays with us."""
    end_with_parent()
    os.setsid()


def start(
    command: list[str], log: Path | None = None, env: dict[str, str] | None = None, pass_fds: Sequence[int] = ()
) -> subprocess.Popen[bytes]:
    """Start a child that ends with this process; its output goes to ``log``, or where ours goes. It shares the open
    files whose numbers are in ``pass_fds``."""
    output = log.open("ab") if log else None
    try:
        return subprocess.Popen(
            command,
            stdin=subprocess.DEVNULL,
            stdout=output,
            stderr=output,
            env={**os.environ, **(env or {})},
            preexec_fn=_apart,
            pass_fds=pass_fds,
        )
    finally:
        if output:
            output.close()


def stop(process: subprocess.Popen[bytes], patience: float = 20.0) -> None:
    """Ask a child to end, and make it."""
    process.terminate()
    try:
        process.wait(patience)
    except subprocess.TimeoutExpired:
        process.kill()
        process.wait()


@dataclass
class Watched:
    """A child with a name and the way to start it again."""

    name: str
    launch: Callable[[], subprocess.Popen[bytes]]
    process: subprocess.Popen[bytes] | None = None
    since: float = 0.0

    def ensure(self) -> bool:
        """Start the child when it does not run; whether it had to be started."""
        if self.process and self.process.poll() is None:
            return False
        now = time.monotonic()
        if self.process and now - self.since < SETTLED:
            time.sleep(1.0)
        self.process, self.since = self.launch(), time.monotonic()
        return True


def watch(children: list[Watched], say: Callable[[str], None]) -> None:
    """Keep the children running until this process is told to stop."""
    while True:
        for child in children:
            if child.ensure():
                say(f"The {child.name} had stopped and was started again.")
        time.sleep(0.5)
