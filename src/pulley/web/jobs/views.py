"""Following and stopping a piece of long work."""

import uuid

from django.http import HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_POST

from pulley.web.accounts.policies import allowed_or_404
from pulley.web.accounts.requests import UserRequest
from pulley.web.jobs import services
from pulley.web.jobs.models import Job


def show(request: UserRequest, job_id: uuid.UUID) -> HttpResponse:
    """How far a job is; asks again by itself until it has ended."""
    job = allowed_or_404(request.user, Job, pk=job_id)
    response = render(request, "jobs/job.html", {"job": job})
    if job.ended and request.htmx:
        response["HX-Trigger"] = "job-ended"
        response["HX-Reswap"] = "outerHTML"  # until then it is morphed: a button may be pressed just now
    return response


@require_POST
def stop(request: UserRequest, job_id: uuid.UUID) -> HttpResponse:
    """Ask a job to stop."""
    services.ask_to_stop(allowed_or_404(request.user, Job, pk=job_id))
    return show(request, job_id)


@require_POST
def dismiss(request: UserRequest, job_id: uuid.UUID) -> HttpResponse:
    """Take an ended job out of sight."""
    allowed_or_404(request.user, Job, pk=job_id)
    Job.objects.filter(pk=job_id).update(dismissed=True)
    return HttpResponse()
