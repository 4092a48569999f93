"""Doing a job: under a lease, with a heart that beats by itself, and with a true word on how it ended."""

import logging
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from django.db import Error, connection
from django.db.models import F, QuerySet
from django.utils import timezone

from pulley.core.errors import PulleyError
from pulley.web.jobs.models import Job
from pulley.web.jobs.registry import WORK, Report
from pulley.web.jobs.services import give_back

BEAT_EVERY = 3.0  # seconds
TELL_EVERY = 0.2  # seconds between two progress reports that reach the database
leaving = threading.Event()  # set when this worker is told to end
log = logging.getLogger(__name__)


class Stopped(Exception):  # noqa: N818
    """The user asked the job to stop."""


class Interrupted(Exception):  # noqa: N818
    """Pulley is being stopped in the middle of a job."""


class LostLease(Exception):  # noqa: N818
    """The job was taken from this worker, which had not been heard of for too long: what it found counts no more."""


def perform(job_id: str) -> None:
    """Do a job that is queued; whatever else its state, somebody else has it or it is over."""
    job = _take(job_id)
    if job is None:
        return
    mine = Job.objects.filter(pk=job.pk, lease=job.lease, state=Job.State.RUNNING)
    try:
        with _heart(mine) as lost:
            result = WORK[job.kind](job, _reporter(mine, lost))
        _end(mine, Job.State.DONE, "Done", result, progress=1.0)
    except LostLease:
        log.warning("Job %s was taken over by another worker", job_id)
    except Interrupted:
        give_back(job)
    except Stopped:
        _end(mine, Job.State.CANCELLED, "Stopped; nothing was changed")
    except PulleyError as error:
        _end(mine, Job.State.FAILED, str(error))
    except (OSError, MemoryError) as error:
        log.exception("Job %s failed", job_id)
        _end(mine, Job.State.FAILED, f"The machine could not do it: {error}. Nothing was changed; the file is kept.")
    except Exception as error:
        log.exception("Job %s failed", job_id)
        _end(mine, Job.State.FAILED, _unexpected(job, error))


def _take(job_id: str) -> Job | None:
    """The job, with a lease of our own; None when it does not wait."""
    waiting = Job.objects.filter(pk=job_id, state=Job.State.QUEUED)
    taken = waiting.update(
        state=Job.State.RUNNING,
        lease=F("lease") + 1,
        attempts=F("attempts") + 1,
        heartbeat=timezone.now(),
        progress=0.0,
        message="Starting",
    )
    return Job.objects.get(pk=job_id) if taken else None


def _end(mine: QuerySet[Job], state: str, message: str, result: Any = None, **more: Any) -> None:
    """Write down how a job ended, unless it is another worker's by now."""
    mine.update(state=state, message=message[:255], result=result, heartbeat=timezone.now(), **more)


def _unexpected(job: Job, error: Exception) -> str:
    """What to say of a fault of our own: that it is one, what was lost, and where it is written down."""
    number = str(job.pk)[:8]
    return (
        f"A fault in Pulley ended this ({type(error).__name__}). Nothing was changed; what was brought in is kept. "
        f"The log has it under {number}: send that to whoever looks after Pulley."
    )


@contextmanager
def _heart(mine: QuerySet[Job]) -> Iterator[threading.Event]:
    """Let the row know that its worker lives, however long the work says nothing; the event is set when it is lost."""
    over, lost = threading.Event(), threading.Event()

    def beat() -> None:
        try:
            while not over.wait(BEAT_EVERY):
                if not mine.update(heartbeat=timezone.now()):
                    lost.set()
        except Error as error:
            log.warning("The database does not answer: %s", error)
        finally:
            connection.close()

    heart = threading.Thread(target=beat, daemon=True)
    heart.start()
    try:
        yield lost
    finally:
        over.set()
        heart.join()


def _reporter(mine: QuerySet[Job], lost: threading.Event) -> Report:
    told = 0.0

    def report(share: float, message: str = "", /) -> None:
        nonlocal told
        if leaving.is_set():
            raise Interrupted
        if lost.is_set():
            raise LostLease
        if time.monotonic() - told < TELL_EVERY:
            return
        told = time.monotonic()
        if not mine.update(progress=share, message=message[:255], heartbeat=timezone.now()):
            raise LostLease
        if mine.filter(stop_asked=True).exists():
            raise Stopped

    return report
