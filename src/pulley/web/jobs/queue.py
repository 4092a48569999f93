"""The queue's own worker, which looks into the queue when the bell is rung."""

from collections.abc import Sequence

from django.utils.crypto import get_random_string
from django_tasks_db.management.commands.db_worker import Worker

from pulley.web.jobs import bell

ANYWAY = 1.0  # seconds after which it looks all the same: for what is due later, or comes from another machine


class Listener(Worker):
    """A worker for some queues; ``*`` is all of them."""

    def __init__(self, queues: Sequence[str], but: Sequence[str] = ()) -> None:
        super().__init__(
            queue_names=list(queues),
            excluded_queue_names=list(but),
            interval=ANYWAY,  # between two looks while the database says that it is locked
            batch=True,  # `run` comes back when nothing is left to do
            backend_name="default",
            startup_delay=False,
            max_tasks=None,
            worker_id=get_random_string(32),
        )

    def listen(self) -> None:
        """Do all there is to do, and wait for more, until told to end."""
        while self.running:
            heard = bell.stroke()
            self.run()
            bell.wait(heard, ANYWAY)
