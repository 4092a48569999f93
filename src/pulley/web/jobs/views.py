"""Following and stopping a piece of long work."""

import uuid

from django.http import HttpResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_POST

from pulley.web.jobs import services
from pulley.web.jobs.models import Job
from pulley.web.requests import UserRequest


def show(request: UserRequest, job_id: uuid.UUID) -> HttpResponse:
    """How far a job is; asks again by itself until it has ended."""
    job = get_object_or_404(Job, pk=job_id, owner=request.user)
    response = render(request, "jobs/job.html", {"job": job})
    if job.ended and request.htmx:
        response["HX-Trigger"] = "job-ended"
    return response


@require_POST
def stop(request: UserRequest, job_id: uuid.UUID) -> HttpResponse:
    """Ask a job to stop."""
    services.ask_to_stop(get_object_or_404(Job, pk=job_id, owner=request.user))
    return show(request, job_id)


@require_POST
def dismiss(request: UserRequest, job_id: uuid.UUID) -> HttpResponse:
    """Take an ended job out of sight."""
    get_object_or_404(Job, pk=job_id, owner=request.user)
    Job.objects.filter(pk=job_id).update(dismissed=True)
    return HttpResponse()
