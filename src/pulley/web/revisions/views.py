"""Bringing a revision in, what changed in it, what is left to do, and going back to another."""

import json
import uuid
from typing import Any

from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from pulley.web.accounts.policies import allowed_or_404
from pulley.web.accounts.requests import UserRequest
from pulley.web.door import sent_by
from pulley.web.jobs.answers import queued
from pulley.web.jobs.models import Job
from pulley.web.library.forms import files_sent
from pulley.web.library.lookups import assembly_of
from pulley.web.library.models import Assembly
from pulley.web.revisions import services

KINDS = {  # of what became of a component: the sign that goes with its colour, and the words
    "shape": ("◆", "Changed in shape"),
    "moved": ("→", "Moved"),
    "renamed": ("≈", "Called otherwise"),
    "regrouped": ("↳", "In another subassembly"),
    "added": ("+", "New"),
    "gone": ("−", "Gone"),
    "same": ("=", "The same"),
}


@require_POST
def revise(request: UserRequest, assembly_id: uuid.UUID) -> HttpResponse:
    """Take files in as the next revision of a model and queue their reading."""
    row, said = assembly_of(request, assembly_id), files_sent(request)
    return queued(request, services.accept(row, said["file"], said["places"].splitlines()), "library")


@require_POST
def add_missing(request: UserRequest, assembly_id: uuid.UUID) -> HttpResponse:
    """Take in files that an assembly refers to and that did not come with it: all of them are its next revision."""
    row = assembly_of(request, assembly_id)
    return queued(request, services.add_missing(row, files_sent(request)["file"]), "library")


@require_POST
def answer(request: UserRequest, job_id: uuid.UUID) -> HttpResponse:
    """Read a revision again, with what its user said of the components that were not sure."""
    job = allowed_or_404(request.user, Job, pk=job_id, kind=services.KIND)
    assembly_of(request, uuid.UUID(job.arguments["onto"]))
    sent = sent_by(request)
    unsure = (job.result or {}).get("unsure", [])
    again = services.decided(job, {pair["old"]: sent.get(f"pair-{k}") or None for k, pair in enumerate(unsure)})
    Job.objects.filter(pk=job.pk).update(dismissed=True)
    return queued(request, again, "library")


@require_GET
def changes(request: UserRequest, assembly_id: uuid.UUID) -> HttpResponse:
    """What became of each component since the revision before, in a list and on the canvas, and what is left to do."""
    row = assembly_of(request, assembly_id)
    Job.objects.filter(pk__in=[row.job]).update(dismissed=True)  # its note in the library led here
    before = row.of.revisions.filter(number=row.number - 1).first()
    found = row.matched.get("pairs", [])
    groups = [(kind, *words, [pair for pair in found if pair["kind"] == kind]) for kind, words in KINDS.items()]
    linked, moved = services.links_of(row)
    return render(
        request,
        "revisions/changes.html",
        {
            "assembly": row,
            "before": before,
            "others": row.of.revisions.exclude(pk=row.pk).order_by("number"),
            "current": row.of.current_id == row.pk,
            "groups": [group for group in groups if group[-1]],
            "work": list(enumerate(row.matched.get("work", []))),
            "made": row.teardowns.filter(deleted=None).prefetch_related("sheets"),
            "linked": linked,
            "moved": moved,
            "state": json.dumps(_state(before, row)) if before else "",
        },
    )


def _state(before: Assembly, row: Assembly) -> dict[str, Any]:
    """What the canvas needs: both models, what became of each component, and how the old one lies in the new one."""
    return {
        "models": [f"{reverse('assembly-model', args=[one.pk])}?v={one.model}" for one in (before, row)],
        "pairs": [[pair["old"], pair["new"], pair["kind"]] for pair in row.matched.get("pairs", [])],
        "frame": row.matched.get("frame"),
    }


@require_POST
def settle(request: UserRequest, assembly_id: uuid.UUID, number: int) -> HttpResponse:
    """Take what needed a person off the list; where a component is on offer to a step, it may be taken first."""
    row = assembly_of(request, assembly_id)
    (services.take_offer if sent_by(request).get("take") else services.settle)(row, number)
    return redirect("changes", row.pk)


@require_POST
def move_links(request: UserRequest, assembly_id: uuid.UUID) -> HttpResponse:
    """Let links that were handed out show this revision, or the one before again."""
    row = assembly_of(request, assembly_id)
    services.move_links(row, back=bool(sent_by(request).get("back")))
    return redirect("changes", row.pk)


@require_POST
def make_current(request: UserRequest, assembly_id: uuid.UUID) -> HttpResponse:
    """Go back, or forward, to a revision."""
    services.go_to(assembly_of(request, assembly_id))
    return redirect("library")
