"""Workers for tests: one that does everything at once, and one that runs beside a live server."""

import threading
from unittest import mock

from django.db import connection
from django.test import TestCase

from pulley.web.jobs import bell, services, worker
from pulley.web.jobs.queue import Listener
from tests.scenes import within_this_process


def at_once(case: TestCase) -> None:
    """Let the analyses that a test asks for be done where they are asked for: nobody else sees its transaction."""
    do = mock.Mock(side_effect=lambda job: worker.perform(str(job.pk)) if job.key else None)
    case.enterContext(mock.patch.object(services, "hand_over", do))
    without_heartbeat(case)


def without_heartbeat(case: TestCase) -> None:
    """Let work be done within a test's transaction: its heart would wait for the job's row until the database gives
    up, after 50 seconds."""
    case.enterContext(mock.patch.object(worker, "BEAT_EVERY", 3600.0))


def reading_here(case: TestCase) -> None:
    """Let files be read within the tests' process: one of its own, as users have, takes seconds to start."""
    case.enterContext(within_this_process())


class Beside:
    """A worker for analyses in a thread of its own, beside a live server, until it is told to end."""

    def __init__(self) -> None:
        self.worker = Listener([services.QUICK])
        self.thread = threading.Thread(target=self._run, daemon=True)
        self.thread.start()

    def _run(self) -> None:
        try:
            self.worker.listen()
        finally:
            connection.close()

    def end(self) -> None:
        """Finish what is in hand, and stop."""
        self.worker.running = False
        bell.ring()
        self.thread.join()
