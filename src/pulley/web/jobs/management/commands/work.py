"""The background worker: the queue's own worker, with a reader kept ready, taking up what a dead one left."""

import logging
import threading
import time
from typing import Any

from django.core.management import call_command
from django.core.management.base import BaseCommand
from django.db import Error, close_old_connections

from pulley.core.formats.step import prepare_reader
from pulley.core.warm import warm
from pulley.web.jobs.services import revive_stale

LOOK_EVERY = 5.0  # seconds


class Command(BaseCommand):
    """``manage.py work``."""

    help = "Run one background worker."

    def handle(self, *args: Any, **options: Any) -> None:
        """Run until told to stop."""
        threading.Thread(target=_tend_for_ever, daemon=True).start()
        call_command("db_worker", interval=0.2, startup_delay=False, reload=False)


def _tend_for_ever() -> None:
    """Keep a reader ready and look for work that has lost its worker."""
    warm()
    while True:
        prepare_reader()
        try:
            close_old_connections()
            revive_stale()
        except Error as error:
            logging.getLogger(__name__).warning("The database does not answer: %s", error)
        time.sleep(LOOK_EVERY)
