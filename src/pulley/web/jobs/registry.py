"""Kinds of long work, by name: a module ``tasks`` of an app says what each one does."""

from collections.abc import Callable
from typing import Any, Protocol

from pulley.web.jobs.models import Job


class Report(Protocol):
    """What work calls to say how far it is, a share from 0 to 1, and what it is at; it may raise to end the work."""

    def __call__(self, share: float, message: str = "", /) -> None:
        """Say it."""


Work = Callable[[Job, Report], Any]
Chore = Callable[[], object]
WORK: dict[str, Work] = {}
CHORES: list[Chore] = []


def hourly(chore: Chore) -> Chore:
    """Decorator: a worker does this every hour; done twice, or by two workers at once, it does no harm."""
    CHORES.append(chore)
    return chore


def job(name: str) -> Callable[[Work], Work]:
    """Decorator: this is what a job of that kind does. What it returns, plain JSON values, is the job's result.

    A job may be begun again by another worker after the first has died over it: done twice, it adds nothing.
    """

    def register(work: Work) -> Work:
        WORK[name] = work
        return work

    return register
