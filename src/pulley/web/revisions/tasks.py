"""Background work of revisions: reading a later one and carrying everything over."""

from typing import Any

from pulley.web.jobs.models import Job
from pulley.web.jobs.registry import Report, job
from pulley.web.revisions import services


@job("revise")
def revise(job: Job, report: Report) -> dict[str, Any]:
    """Read the file of a job as the next revision of a model."""
    return services.revise(job, report)
