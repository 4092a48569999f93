"""The bell that workers hear, and how often they ask the database."""

import threading
import time
from pathlib import Path
from unittest import mock

from django.contrib.auth import get_user_model
from django.test import TestCase

from pulley.web.jobs import bell, queue
from pulley.web.jobs.services import QUICK, enqueue

LONG = 120.0  # seconds: what is heard is heard long before


class BellTests(TestCase):
    def test_it_is_rung_once_what_is_queued_is_there_for_all(self):
        user = get_user_model().objects.create(username="ringer")
        before = bell.stroke()
        with self.captureOnCommitCallbacks(execute=True):
            enqueue(user, "bring in", "a file", {})
            self.assertEqual(bell.stroke(), before)
        self.assertNotEqual(bell.stroke(), before)

    def test_who_waits_hears_it_even_when_it_was_rung_just_before(self):
        before = bell.stroke()
        with self.captureOnCommitCallbacks(execute=True):
            bell.ring()
        with mock.patch.object(bell, "time", mock.Mock(wraps=time)) as watched:
            bell.wait(before, LONG)
        watched.sleep.assert_not_called()

    def test_nobody_waits_for_ever(self):
        bell.wait(bell.stroke(), 0.05)

    def test_a_disk_that_takes_nothing_stops_no_work(self):
        with mock.patch.object(bell, "BELL", Path("/proc/none/bell")), self.captureOnCommitCallbacks(execute=True):
            bell.ring()
            self.assertEqual(bell.stroke(), 0)


class ListenerTests(TestCase):
    def test_it_looks_into_the_queue_when_the_bell_is_rung_and_not_otherwise(self):
        looked = threading.Semaphore(0)
        listener = queue.Listener([QUICK])
        with mock.patch.object(queue, "ANYWAY", LONG), mock.patch.object(listener, "run", looked.release):
            thread = threading.Thread(target=listener.listen, daemon=True)
            thread.start()
            self.assertTrue(looked.acquire(timeout=LONG))
            self.assertFalse(looked.acquire(timeout=10 * bell.GLANCE))
            with self.captureOnCommitCallbacks(execute=True):
                bell.ring()
            self.assertTrue(looked.acquire(timeout=LONG))
            listener.running = False
            with self.captureOnCommitCallbacks(execute=True):
                bell.ring()
            thread.join()
