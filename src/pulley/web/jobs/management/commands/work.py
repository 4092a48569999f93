"""The background worker: the queue's own worker, with a reader kept ready, taking up what a dead one left."""

import logging
import threading
import time
from types import FrameType
from typing import Any

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandParser
from django.db import Error, close_old_connections

from pulley.core.kernel.process import prepare
from pulley.core.priority import stand_back
from pulley.core.warm import warm
from pulley.web.jobs.queue import Listener
from pulley.web.jobs.registry import CHORES
from pulley.web.jobs.services import LONG, revive_stale
from pulley.web.jobs.worker import leaving

LOOK_EVERY = 5.0  # seconds
EMPTY_EVERY = 3600.0  # seconds
DATABASE = "django_tasks_db.DatabaseBackend"


class Leaving(Listener):
    """A worker that, told to end, gives back what it has in hand instead of finishing it."""

    def shutdown(self, signum: int, frame: FrameType | None) -> None:
        """End soon."""
        leaving.set()
        super().shutdown(signum, frame)


class Command(BaseCommand):
    """``manage.py work``."""

    help = "Run one background worker."

    def add_arguments(self, parser: CommandParser) -> None:
        """Which work it does."""
        parser.add_argument("--long", action="store_true", help="what takes minutes, and nothing else")

    def handle(self, *args: Any, **options: Any) -> None:
        """Run until told to stop; whoever waits for a page comes first."""
        stand_back()
        backend = settings.TASKS["default"]["BACKEND"]
        if backend != DATABASE:
            self.stderr.write(
                f"Tasks are done by the workers of {backend}, which are started on their own; tending only."
            )
            _tend_for_ever()
        threading.Thread(target=_tend_for_ever, daemon=True).start()
        worker = Leaving([LONG]) if options["long"] else Leaving(["*"], but=[LONG])
        worker.configure_signals()
        worker.listen()


def _tend_for_ever() -> None:
    """Keep a reader ready, look for work that has lost its worker, and clear up what is over."""
    prepare()  # first of all: a file to read is what a worker is likely to find at its start
    warm()
    emptied = -EMPTY_EVERY
    while True:
        prepare()
        try:
            close_old_connections()
            revive_stale()
            if time.monotonic() - emptied > EMPTY_EVERY:
                emptied = time.monotonic()
                for chore in CHORES:
                    chore()
                call_command("clearsessions")
                call_command("prune_db_task_results", verbosity=0)
        except Error as error:
            logging.getLogger(__name__).warning("The database does not answer: %s", error)
        time.sleep(LOOK_EVERY)
