"""Work done before anybody asks for it: the usual proposals for an assembly that has just come in."""

import time
from collections.abc import Callable
from datetime import timedelta

from django.conf import settings
from django.core.cache import cache
from django.db import transaction
from django.utils import timezone
from django_tasks import task

from pulley.core.drawing.layout import usual_rooms
from pulley.core.planning.proposal import propose_usual
from pulley.core.teardown import Teardown
from pulley.web.jobs.models import Job
from pulley.web.jobs.services import LONG
from pulley.web.jobs.worker import leaving
from pulley.web.library.models import Assembly

LOOK_EVERY = 0.5  # seconds between two looks at whether something was asked for
LATER = timedelta(seconds=5)  # until it is tried again, when something was


class MakesWay(Exception):  # noqa: N818 - no fault
    """Somebody waits for work that he asked for."""


def look_ahead_at(row: Assembly) -> None:
    """Have the usual proposals for an assembly worked out, once its rows are there; not of one that is too large."""
    if row.component_count <= settings.LOOK_AHEAD:
        transaction.on_commit(lambda: look_ahead.enqueue(str(row.pk)))


@task(queue_name=LONG)
def look_ahead(pk: str) -> None:
    """Work out the usual proposals for an assembly, so that they are there when they are asked for.

    Nobody waits for it, so it makes way for what was asked for, and goes on afterwards from its last piece.
    """
    from pulley.web.library.services import core_assembly

    row = Assembly.objects.filter(pk=pk, deleted=None).first()
    if row is None:
        return
    try:
        assembly = core_assembly(row)
        propose_usual(assembly, usual_rooms(assembly, Teardown("")), _making_way(), cache)
    except MakesWay:
        look_ahead.using(run_after=timezone.now() + LATER).enqueue(pk)


def _making_way() -> Callable[[float, str], None]:
    """What the work tells how far it is: time to look, now and then, whether it should make way."""
    looked = 0.0

    def report(share: float, words: str) -> None:
        nonlocal looked
        if time.monotonic() - looked >= LOOK_EVERY:
            looked = time.monotonic()
            asked = Job.objects.filter(state__in=(Job.State.QUEUED, Job.State.RUNNING))
            if leaving.is_set() or asked.exists():
                raise MakesWay

    return report
