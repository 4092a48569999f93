"""Background work of assembling: reading part files, and taking an arrangement over as a revision."""

from typing import Any

from pulley.web.assembling import services
from pulley.web.jobs.models import Job
from pulley.web.jobs.registry import Report, job


@job(services.ADD)
def add_parts(job: Job, report: Report) -> dict[str, Any]:
    """Read part files and put what is in them beside an arrangement."""
    return services.add_parts(job, report)


@job(services.TAKE_OVER)
def take_over(job: Job, report: Report) -> dict[str, Any]:
    """Make the next revision of a model of an arrangement."""
    return services.take_over(job, report)
