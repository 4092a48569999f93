"""Asking for long work, following it, stopping it, and taking it up again when a worker has died."""

import logging
import threading
import time
from collections.abc import Callable
from datetime import timedelta
from typing import Any

from django.db import transaction
from django.utils import timezone
from django.utils.module_loading import import_string
from django_tasks import task

from pulley.core.errors import PulleyError
from pulley.web.jobs.models import Job

STALE = timedelta(seconds=15)  # a running job that has not been heard of for so long has lost its worker
ATTEMPTS = 3
TELL_EVERY = 0.2  # seconds between two progress reports that reach the database
KINDS = {"bring in": "pulley.web.library.services.bring_in"}  # kind -> function(job, report) -> result
Report = Callable[[float, str], None]
leaving = threading.Event()  # set when this worker is told to end


class Stopped(Exception):  # noqa: N818
    """The user asked the job to stop."""


class Interrupted(Exception):  # noqa: N818
    """Pulley is being stopped in the middle of a job."""


def enqueue(owner: Any, kind: str, title: str, arguments: dict[str, Any]) -> Job:
    """Put a piece of work in the queue."""
    job = Job.objects.create(owner=owner, kind=kind, title=title[:255], arguments=arguments)
    _hand_over(job)
    return job


@task()
def run(job_id: str) -> None:
    """The one task that the queue runs; it finds out from its row what to do."""
    perform(job_id)


def _hand_over(job: Job) -> None:
    transaction.on_commit(lambda: run.enqueue(str(job.pk)))


def ask_to_stop(job: Job) -> None:
    """Stop a job: at once when it waits, at its next report when it runs."""
    Job.objects.filter(pk=job.pk).update(stop_asked=True)
    Job.objects.filter(pk=job.pk, state=Job.State.QUEUED).update(state=Job.State.CANCELLED, message="Stopped")


def revive_stale() -> int:
    """Queue again whatever lost its worker half-way; how many that were."""
    revived = 0
    late = timezone.now() - STALE
    with transaction.atomic():
        for job in Job.objects.select_for_update().filter(state=Job.State.RUNNING, heartbeat__lt=late):
            if job.attempts >= ATTEMPTS:
                job.state = Job.State.FAILED
                job.message = f"The worker broke off {ATTEMPTS} times on this. Nothing was changed; the file is kept."
            else:
                job.state, job.message = Job.State.QUEUED, "The worker broke off; waiting to start again"
                _hand_over(job)
            job.save(update_fields=["state", "message"])
            revived += 1
    return revived


def take_up_all() -> int:
    """Queue again whatever was under way or waiting when Pulley was last stopped, or the power went; how many.

    For the start, while no worker runs. It counts as no try: the file was not at fault.
    """
    with transaction.atomic():
        left = list(Job.objects.select_for_update().filter(state__in=(Job.State.RUNNING, Job.State.QUEUED)))
        for job in left:
            if job.state == Job.State.RUNNING:
                _give_back(job)
            else:
                _hand_over(job)
    return len(left)


def _give_back(job: Job) -> None:
    """Let a job wait again as if this try had not been."""
    job.state, job.attempts = Job.State.QUEUED, max(job.attempts - 1, 0)
    job.progress, job.message = 0.0, "Pulley was stopped; waiting to start again"
    job.save(update_fields=["state", "attempts", "progress", "message"])
    _hand_over(job)


def perform(job_id: str) -> None:
    """Do a job that is queued; whatever else its state, somebody else has it or it is over."""
    taken = Job.objects.filter(pk=job_id, state=Job.State.QUEUED)
    if not taken.update(state=Job.State.RUNNING, heartbeat=timezone.now(), progress=0.0, message="Starting"):
        return
    job = Job.objects.get(pk=job_id)
    job.attempts += 1
    job.save(update_fields=["attempts"])
    try:
        result = import_string(KINDS[job.kind])(job, _reporter(job_id))
        _end(job, Job.State.DONE, "Done", result, progress=1.0)
    except Interrupted:
        _give_back(job)
    except Stopped:
        _end(job, Job.State.CANCELLED, "Stopped; nothing was changed")
    except PulleyError as error:
        _end(job, Job.State.FAILED, str(error))
    except (OSError, MemoryError) as error:
        logging.getLogger(__name__).exception("Job %s failed", job_id)
        _end(job, Job.State.FAILED, f"The machine could not do it: {error}. Nothing was changed; the file is kept.")


def _end(job: Job, state: str, message: str, result: Any = None, **more: Any) -> None:
    """Write down how a job ended."""
    Job.objects.filter(pk=job.pk).update(
        state=state, message=message[:255], result=result, heartbeat=timezone.now(), **more
    )


def _reporter(job_id: str) -> Report:
    told = 0.0

    def report(share: float, message: str) -> None:
        nonlocal told
        if leaving.is_set():
            raise Interrupted
        if time.monotonic() - told < TELL_EVERY:
            return
        told = time.monotonic()
        mine = Job.objects.filter(pk=job_id)
        mine.update(progress=share, message=message[:255], heartbeat=timezone.now())
        if mine.filter(stop_asked=True).exists():
            raise Stopped

    return report
