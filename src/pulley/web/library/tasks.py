"""Background work of the library: reading a file."""

from typing import Any

from pulley.web.jobs.models import Job
from pulley.web.jobs.registry import Report, hourly, job
from pulley.web.library import bin, services

hourly(bin.empty)


@job("bring in")
def bring_in(job: Job, report: Report) -> dict[str, Any]:
    """Read the file that a job names and keep its assembly."""
    return services.bring_in(job, report)
