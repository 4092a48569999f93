"""Contact checks of whole teardowns, and what follows from them, worked out aside so that no edit waits long."""

import json
import threading
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from concurrent.futures import TimeoutError as Unfinished
from typing import Any

from pulley.core import teardown as core
from pulley.core.assembly import Assembly
from pulley.core.contact.check import Verdict, check

PATIENCE = 90.0
SOON = 0.4  # seconds in which an answer comes without saying how far it is
KEPT = 200

_pool = ThreadPoolExecutor(2, "check")
_found: OrderedDict[Any, Future] = OrderedDict()
_shares: dict[Any, float] = {}  # of the work of a key that is done
_lock = threading.Lock()


def _key(assembly_id: Any, teardown: core.Teardown) -> Any:
    motions = tuple((s.id, s.start, s.duration, core.motion_only(s)) for s in teardown.steps)
    return (
        assembly_id,
        motions,
        json.dumps([teardown.fits, teardown.gives, teardown.tolerance]),
        teardown.home,
        teardown.placed,
    )


def _future(key: Any, work: Callable[[], Any]) -> Future:
    """Work under way or done for a key; the least lately asked for is forgotten."""
    with _lock:
        if key not in _found:
            _found[key] = _pool.submit(work)
        _found.move_to_end(key)
        while len(_found) > KEPT:
            _found.popitem(last=False)[1].cancel()
        return _found[key]


def verdict(assembly_id: Any, assembly: Assembly, teardown: core.Teardown, patience: float = 0.0) -> Verdict | None:
    """The check of a teardown; None when it is not done within ``patience`` seconds (it goes on meanwhile).

    Without patience only what is known already counts, and nothing is begun: a check would take from the
    processor what the answer to an edit needs. The page asks for it right after.
    """
    key = _key(assembly_id, teardown)
    if not patience and key not in _found:
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
    if not patience and key not in _found:
        return None
    return _future(key, work).result(PATIENCE)


def aside(what: Any, assembly_id: Any, teardown: core.Teardown, work: Callable[[], Any]) -> Any:
    """Something else that follows from a teardown's motions, worked out once."""
    return _future((what, _key(assembly_id, teardown)), work).result(PATIENCE)


def forget(what: Any, assembly_id: Any, teardown: core.Teardown) -> None:
    """Have something worked out anew when it is asked for again."""
    with _lock:
        future = _found.pop((what, _key(assembly_id, teardown)), None)
    if future:
        future.cancel()


def under_way(
    what: Any, assembly_id: Any, teardown: core.Teardown, work: Callable[[Callable[[float], None]], Any]
) -> tuple[Any, float]:
    """The same where it takes longer: what came of it, None as long as it goes on, and the share that is done.

    ``work`` is given what to report that share to.
    """
    key = (what, _key(assembly_id, teardown))
    future = _future(key, lambda: work(lambda share: _shares.update({key: share})))
    try:
        found = future.result(SOON)
    except Unfinished:
        return None, _shares.get(key, 0.0)
    _shares.pop(key, None)
    return found, 1.0
