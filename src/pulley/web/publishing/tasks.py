"""What workers do for publishing: make a file, and clear up what nothing uses."""

from typing import Any

from pulley.web.jobs.models import Job
from pulley.web.jobs.registry import Report, hourly, job
from pulley.web.publishing import services

hourly(services.sweep)


@job(services.KIND)
def publish(job: Job, report: Report) -> dict[str, Any]:
    """Make the file that a job names."""
    return services.make(job, report)
