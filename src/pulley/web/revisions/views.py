"""Bringing a revision in, what changed in it, and going back to another."""

import uuid
from typing import Any

from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from pulley.core.errors import PulleyError
from pulley.web.accounts.policies import allowed_or_404
from pulley.web.accounts.requests import UserRequest
from pulley.web.door import sent_by
from pulley.web.editor import presenters
from pulley.web.jobs.models import Job
from pulley.web.library.forms import BringInForm
from pulley.web.library.lookups import assembly_of
from pulley.web.library.models import Assembly
from pulley.web.revisions import services

KINDS = ("shape", "moved", "renamed", "regrouped", "added", "gone", "same")
HEADINGS = {
    "shape": "Changed in shape",
    "moved": "Moved",
    "renamed": "Called otherwise",
    "regrouped": "In another subassembly",
    "added": "New",
    "gone": "Gone",
    "same": "The same",
}
CHECKING = 2.0  # seconds that the page waits for checks


def _queued(request: UserRequest, job: Job) -> HttpResponse:
    return render(request, "jobs/job.html", {"job": job}) if request.htmx else redirect("library")


@require_POST
def revise(request: UserRequest, assembly_id: uuid.UUID) -> HttpResponse:
    """Take files in as the next revision of a model and queue their reading."""
    row, form = assembly_of(request, assembly_id), BringInForm(request.POST, request.FILES)
    if not form.is_valid():
        raise PulleyError(" ".join(map(str, next(iter(form.errors.values())))))
    said = form.cleaned_data
    return _queued(request, services.accept(row, said["file"], said["places"].splitlines()))


@require_POST
def answer(request: UserRequest, job_id: uuid.UUID) -> HttpResponse:
    """Read a revision again, with what its user said of the components that were not sure."""
    job = allowed_or_404(request.user, Job, pk=job_id, kind="revise")
    row = assembly_of(request, uuid.UUID(job.arguments["onto"]))
    sent = sent_by(request)
    unsure = (job.result or {}).get("unsure", [])
    decided = {pair["old"]: sent.get(f"pair-{k}") or None for k, pair in enumerate(unsure)}
    again = services.ask(row, job.arguments["name"], job.arguments["sha256"], decided, sure=True)
    Job.objects.filter(pk=job.pk).update(dismissed=True)
    return _queued(request, again)


@require_GET
def changes(request: UserRequest, assembly_id: uuid.UUID) -> HttpResponse:
    """What became of each component since the revision before, side by side, and what is left to do."""
    row = assembly_of(request, assembly_id)
    before = row.of.revisions.filter(number=row.number - 1).first()
    pairs = row.matched.get("pairs", [])
    groups = [(HEADINGS[kind], [p for p in pairs if p["kind"] == kind]) for kind in KINDS]
    return render(
        request,
        "revisions/changes.html",
        {
            "assembly": row,
            "before": before,
            "revisions": row.of.revisions.order_by("number"),
            "groups": [(heading, found) for heading, found in groups if found],
            "work": row.matched.get("work", []),
            "sides": _sides(request, before, row),
        },
    )


def _sides(request: UserRequest, before: Assembly | None, row: Assembly) -> list[dict[str, Any]]:
    """The first teardown that both revisions have, as the page that compares two shows it."""
    if before is None:
        return []
    now = {teardown.name: teardown for teardown in row.teardowns.filter(deleted=None)}
    both = [(old, now[old.name]) for old in before.teardowns.filter(deleted=None) if old.name in now]
    return [presenters.context(teardown, request.user, patience=CHECKING) for teardown in (both[0] if both else ())]


@require_POST
def make_current(request: UserRequest, assembly_id: uuid.UUID) -> HttpResponse:
    """Go back, or forward, to a revision."""
    services.go_back(assembly_of(request, assembly_id))
    return redirect("library")
