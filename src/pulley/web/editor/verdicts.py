"""Contact checks of whole teardowns, and what follows from them, worked out aside so that no edit waits long.

What one web server process has found the others find in the cache, and what one works on the others wait for.
"""

import contextlib
import hashlib
import json
import os
import threading
import time
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from concurrent.futures import TimeoutError as Unfinished
from pathlib import Path
from typing import Any

from django.core.cache import cache

from pulley.core import teardown as core
from pulley.core.assembly import Assembly
from pulley.core.contact.check import Verdict, check

PATIENCE = 90.0
SOON = 0.4  # seconds in which an answer comes without saying how far it is
KEPT = 200
LOOK_EVERY = 0.1  # seconds between two looks at whether another process is done
TELL_EVERY = 0.3  # seconds between two reports to the other processes

_pool = ThreadPoolExecutor(4, "check")
_found: OrderedDict[Any, Future] = OrderedDict()
_lock = threading.Lock()


def _key(assembly_id: Any, teardown: core.Teardown) -> Any:
    motions = tuple((s.id, s.timing, s.moves) for s in teardown.steps)
    return (
        assembly_id,
        motions,
        json.dumps([teardown.fits, teardown.gives, teardown.tolerance]),
        teardown.home,
        teardown.placed,
    )


def _name(key: Any) -> str:
    """What the processes call a piece of work among them: equal keys are written the same way."""
    return hashlib.sha256(repr(key).encode()).hexdigest()


def _begun(pid: int) -> str:
    """When a process began, in the kernel's ticks: a number may be used again. Nothing when it is over."""
    with contextlib.suppress(OSError):
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[19]
    return ""


def _once_in_all(name: str, work: Callable[[], Any]) -> Any:
    """What ``work`` finds, done by one of the processes; by the next one when that has died over it."""
    while (found := cache.get(name)) is None:
        if not _taken(name):
            time.sleep(LOOK_EVERY)
            continue
        try:
            found = (work(),)
            _share(name, found)
        finally:
            cache.delete(f"{name}-at")
    return found[0]


def _taken(name: str) -> bool:
    """Take a piece of work on, unless another process that lives has done so."""
    pid, begun = cache.get(f"{name}-at", (0, ""))
    if pid and _begun(pid) == begun:
        return False
    _share(f"{name}-at", (os.getpid(), _begun(os.getpid())))
    return True


def _share(name: str, value: Any) -> None:
    """Let the other processes know something; where there is no room to write it down they work it out themselves."""
    with contextlib.suppress(OSError):
        cache.set(name, value)


def _future(key: Any, work: Callable[[], Any]) -> Future:
    """Work under way or done for a key; the least lately asked for is forgotten."""
    with _lock:
        future = _found.get(key)
        new = future is None
        if future is None:
            future = _found[key] = _pool.submit(_once_in_all, _name(key), work)
        _found.move_to_end(key)
        while len(_found) > KEPT:
            _found.popitem(last=False)[1].cancel()
    if new:
        future.add_done_callback(lambda done: _forget_failed(key, done))  # at once, when it has failed already
    return future


def _forget_failed(key: Any, done: Future) -> None:
    """Let what failed be tried again when it is asked for again."""
    if not done.cancelled() and done.exception():
        with _lock:
            _found.pop(key, None)


def _known(key: Any) -> bool:
    return key in _found or _name(key) in cache


def verdict(assembly_id: Any, assembly: Assembly, teardown: core.Teardown, patience: float = 0.0) -> Verdict | None:
    """The check of a teardown; None when it is not done within ``patience`` seconds (it goes on meanwhile).

    Without patience only what is known already counts, and nothing is begun: a check would take from the
    processor what the answer to an edit needs. The page asks for it right after.
    """
    key = _key(assembly_id, teardown)
    if not patience and not _known(key):
        return None
    future = _future(key, lambda: check(assembly, teardown))
    try:
        return future.result(patience)
    except Unfinished:
        return None


def crossed(assembly_id: Any, teardown: core.Teardown, work: Callable[[], Any], patience: float = 0.0) -> Any:
    """Where trail lines pass through foreign parts, as ``work`` finds it; None while that is not known, as above."""
    silent = tuple(step.trails for step in teardown.steps)
    key = ("crossed", teardown.trails, teardown.hidden, teardown.trails_shown, silent, _key(assembly_id, teardown))
    if not patience and not _known(key):
        return None
    return _future(key, work).result(PATIENCE)


def aside(what: Any, assembly_id: Any, teardown: core.Teardown, work: Callable[[], Any]) -> Any:
    """Something else that follows from a teardown's motions, worked out once."""
    return _future((what, _key(assembly_id, teardown)), work).result(PATIENCE)


def known(what: Any, assembly_id: Any, teardown: core.Teardown) -> bool:
    """Whether that has been asked for before."""
    return _known((what, _key(assembly_id, teardown)))


def under_way(
    what: Any, assembly_id: Any, teardown: core.Teardown, work: Callable[[Callable[[float], None]], Any]
) -> tuple[Any, float]:
    """The same where it takes longer: what came of it, None as long as it goes on, and the share that is done.

    ``work`` is given what to report that share to.
    """
    key = (what, _key(assembly_id, teardown))
    name = _name(key)
    report = every_so_often(lambda share: _share(f"{name}-share", share))
    try:
        return _future(key, lambda: work(report)).result(SOON), 1.0
    except Unfinished:
        return None, cache.get(f"{name}-share", 0.0)


def every_so_often(act: Callable[..., None]) -> Callable[..., None]:
    """The same, done at most once in `TELL_EVERY`."""
    last = 0.0

    def seldom(*values: Any) -> None:
        nonlocal last
        if time.monotonic() - last >= TELL_EVERY:
            last = time.monotonic()
            act(*values)

    return seldom
