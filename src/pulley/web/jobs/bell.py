"""A bell that workers on this machine hear when work is put in the queue.

To look at a file takes next to nothing; to ask the database many times a second keeps it and every worker busy all day.
"""

import os
import time
from contextlib import suppress

from django.conf import settings
from django.db import transaction

BELL = settings.VAR / "bell"
GLANCE = 0.02  # seconds between two looks at it


def ring(**_signal: object) -> None:
    """Let every worker know, once it is there for all to see, that something is in the queue."""
    transaction.on_commit(_strike)


def _strike() -> None:
    with suppress(OSError):  # of a full disk: what is in the queue is found all the same, a second later
        BELL.touch()
        os.utime(BELL, ns=(time.time_ns(),) * 2)


def stroke() -> int:
    """When it was last rung, in ns; 0 when it never was."""
    try:
        return BELL.stat().st_mtime_ns
    except OSError:
        return 0


def wait(since: int, seconds: float) -> None:
    """Wait until it is rung, if it has not been since a stroke; some seconds at most."""
    until = time.monotonic() + seconds
    while stroke() == since and time.monotonic() < until:
        time.sleep(GLANCE)
