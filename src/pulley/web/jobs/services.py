"""Asking for long work, stopping it, and taking it up again when a worker has died."""

from datetime import timedelta
from typing import Any

from django.db import transaction
from django.utils import timezone
from django_tasks import task

from pulley.web.jobs.models import Job

STALE = timedelta(seconds=15)  # a running job whose heart has not beaten for so long has lost its worker
UNTAKEN = timedelta(minutes=1)  # a job that has waited so long may have lost its place in the queue
ATTEMPTS = 3
KEPT = timedelta(hours=1)  # for which the row of an analysis is kept after it has ended
PATIENT, QUICK = "default", "analysis"  # queues: what users wait for with a progress bar, and what a page waits for
LONG = "publishing"  # the queue of what takes minutes; workers of its own see to it, so that nobody else waits
LONG_KINDS = ("publish",)


def enqueue(owner: Any, kind: str, title: str, arguments: dict[str, Any]) -> Job:
    """Put a piece of work in the queue."""
    job = Job.objects.create(owner=owner, kind=kind, title=title[:255], arguments=arguments)
    hand_over(job)
    return job


@task(queue_name=PATIENT)
def run(job_id: str) -> None:
    """The one task that the queues run; it finds out from its row what to do."""
    from pulley.web.jobs.worker import perform

    perform(job_id)


def hand_over(job: Job) -> None:
    """Give a job that waits to whichever backend the setting TASKS names."""
    queue = QUICK if job.key else LONG if job.kind in LONG_KINDS else PATIENT
    transaction.on_commit(lambda: run.using(queue_name=queue).enqueue(str(job.pk)))


def ask_to_stop(job: Job) -> None:
    """Stop a job: at once when it waits, at its next report when it runs."""
    Job.objects.filter(pk=job.pk).update(stop_asked=True)
    Job.objects.filter(pk=job.pk, state=Job.State.QUEUED).update(state=Job.State.CANCELLED, message="Stopped")


def revive_stale() -> int:
    """Queue again whatever lost its worker half-way, or as it was about to begin; how many lost it half-way.

    What waits is put in the queue once more: a worker that finds it begun by another leaves it.
    """
    revived = 0
    now = timezone.now()
    late = now - STALE
    waiting = Job.objects.filter(state=Job.State.QUEUED, heartbeat__lt=now - UNTAKEN)
    for job in waiting:
        if waiting.filter(pk=job.pk).update(heartbeat=now):
            hand_over(job)
    with transaction.atomic():
        for job in Job.objects.select_for_update().filter(state=Job.State.RUNNING, heartbeat__lt=late):
            if job.attempts >= ATTEMPTS:
                job.state = Job.State.FAILED
                job.message = f"The worker broke off {ATTEMPTS} times on this. Nothing was changed; the file is kept."
            else:
                job.state, job.message = Job.State.QUEUED, "The worker broke off; waiting to start again"
                hand_over(job)
            job.save(update_fields=["state", "message"])
            revived += 1
    return revived


def forget_analyses() -> int:
    """Take out the rows of analyses that ended some time ago; what they found stays in the store. How many."""
    old = timezone.now() - KEPT
    return Job.objects.exclude(key=None).exclude(state=Job.State.RUNNING).filter(heartbeat__lt=old).delete()[0]


def take_up_all() -> int:
    """Queue again whatever was under way or waiting when Pulley was last stopped, or the power went; how many.

    For the start, while no worker runs. It counts as no try: the file was not at fault. Analyses are forgotten: whoever
    still wants one asks again.
    """
    Job.objects.exclude(key=None).delete()
    with transaction.atomic():
        left = list(Job.objects.select_for_update().filter(state__in=(Job.State.RUNNING, Job.State.QUEUED)))
        for job in left:
            if job.state == Job.State.RUNNING:
                give_back(job)
            else:
                hand_over(job)
    return len(left)


def give_back(job: Job) -> None:
    """Let a job wait again as if this try had not been, unless another worker has it by now."""
    mine = Job.objects.filter(pk=job.pk, lease=job.lease, state=Job.State.RUNNING)
    message = "Pulley was stopped; waiting to start again"
    attempts = max(job.attempts - 1, 0)
    if mine.update(state=Job.State.QUEUED, attempts=attempts, progress=0.0, message=message):
        hand_over(job)
