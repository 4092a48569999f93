"""Analyses asked for and followed: `request` says how far one is, and what came of it.

Whoever asks for the same finds the same, whichever process asks and whichever worker finds it. What was found lies in
the shared store (Django's cache) under a key of all that it depends on; while it is being found, a job stands for it.
"""

import time
from dataclasses import dataclass
from hashlib import sha256
from threading import Lock
from typing import Any

from cachetools import LRUCache
from django.core.cache import cache
from django.db import IntegrityError, transaction

from pulley.core.errors import PulleyError
from pulley.core.formats import teardown as teardown_json
from pulley.web.analysis.registry import KINDS, Case
from pulley.web.jobs import services as jobs
from pulley.web.jobs.models import Job
from pulley.web.library.models import Assembly

SOON = 0.4  # seconds that a request for something quick may wait; the page asks again
GLANCES = (0.01, 0.02, 0.04, 0.08, 0.16)  # seconds between looks at whether it is there; the last one over and over


@dataclass(frozen=True)
class Result:
    """How an analysis stands: what came of it when it is ``done``, else the share of it that is."""

    done: bool
    progress: float = 0.0
    value: Any = None


_near: LRUCache[str, tuple[Any]] = LRUCache(200)  # what this process has read from the store, by key
_near_lock = Lock()  # each request has a thread of its own, and an LRUCache changes also when it is read


def key_of(kind: str, case: Case) -> str:
    """What an analysis is known by: equal for equal assemblies, teardowns as far as they matter, and questions."""
    asked = (kind, case.assembly.key, KINDS[kind].depends(case.teardown), case.asked)
    return sha256(repr(asked).encode()).hexdigest()


def known(kind: str, case: Case) -> Result:
    """What was found before; nothing is begun."""
    value = _stored(key_of(kind, case))
    return Result(True, 1.0, value[0]) if value else Result(False)


def request(kind: str, row: Assembly, case: Case, wait: float = 0.0, topic: str = "") -> Result:
    """What an analysis has found, or how far it is; it is begun unless somebody has.

    Parameters
    ----------
    kind : str
        One of those in `analysis.kinds`.
    row : Assembly
    case : Case
    wait : float
        Seconds for which to wait for it.
    topic : str
        Of the analyses that still wait for a worker, this one takes the place of others with the same topic.

    Raises
    ------
    PulleyError
        What the analysis refused, or the fault that ended it. Asked for again it is tried again.
    """
    key, until = key_of(kind, case), time.monotonic() + wait
    value = _stored(key)
    if value is None:
        job = _begun(kind, key, row, case, topic)
        value = _awaited(key, job, until)
    if value is not None:
        return Result(True, 1.0, value[0])
    return Result(False, Job.objects.filter(key=key).values_list("progress", flat=True).first() or 0.0)


def begun(kind: str, case: Case) -> bool:
    """Whether somebody has asked for an analysis, and it is neither done nor given up."""
    return Job.objects.filter(key=key_of(kind, case), state__in=(Job.State.QUEUED, Job.State.RUNNING)).exists()


def stop(kind: str, case: Case) -> None:
    """Let an analysis come to an end with what it has; any process may say so, also before a worker has begun."""
    Job.objects.filter(key=key_of(kind, case)).update(stop_asked=True)


def _stored(key: str) -> tuple[Any] | None:
    with _near_lock:
        if key in _near:
            return _near[key]
    value: tuple[Any] | None = cache.get(key)
    if value is not None:
        with _near_lock:
            _near[key] = value
    return value


def _begun(kind: str, key: str, row: Assembly, case: Case, topic: str) -> Job:
    """The job that stands for an analysis: one that is under way, or a new one."""
    job = Job.objects.filter(key=key).first()
    if job and job.state == Job.State.FAILED:
        job.delete()
        raise PulleyError(job.message)
    if job and not job.ended:
        return job
    if job:  # done, and the store has lost it; or cancelled
        job.delete()
    document = teardown_json.to_document(case.teardown)
    arguments = {"assembly": str(row.pk), "document": document, "asked": case.asked}
    try:
        with transaction.atomic():
            job = Job.objects.create(kind=kind, key=key, topic=topic, title=row.name[:255], arguments=arguments)
    except IntegrityError:  # another process was quicker
        return Job.objects.get(key=key)
    if topic:
        others = Job.objects.filter(topic=topic, state=Job.State.QUEUED).exclude(pk=job.pk)
        others.update(state=Job.State.CANCELLED, message="Something newer was asked for")
    jobs.hand_over(job)
    return job


def _awaited(key: str, job: Job, until: float) -> tuple[Any] | None:
    """What was found, once it is there; None when it is not by then."""
    glances = iter(GLANCES)
    glance = GLANCES[-1]
    while (value := _stored(key)) is None:
        job.refresh_from_db(fields=["state", "message"])
        if job.state == Job.State.FAILED:
            job.delete()
            raise PulleyError(job.message)
        if job.state == Job.State.CANCELLED or time.monotonic() >= until:
            return None
        glance = next(glances, glance)
        time.sleep(min(glance, max(until - time.monotonic(), 0.0)))
    return value
