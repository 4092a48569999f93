"""What a page gets that has asked for long work."""

from django.http import HttpResponse
from django.shortcuts import redirect, render

from pulley.web.accounts.requests import UserRequest
from pulley.web.jobs.models import Job


def queued(request: UserRequest, job: Job, page: str, *about: object) -> HttpResponse:
    """The line that says how far a job is; without htmx the page of that name, about what is given, which shows it."""
    return render(request, "jobs/job.html", {"job": job}) if request.htmx else redirect(page, *about)
