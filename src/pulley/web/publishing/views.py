"""Making and revoking links, and the page that they lead to."""

import json
import uuid

from django.contrib.auth.decorators import login_not_required
from django.http import FileResponse, Http404, HttpResponse
from django.shortcuts import render
from django.utils import timezone
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_GET, require_POST

from pulley.core.publish.watched import seen
from pulley.core.score.compose import compose
from pulley.web.accounts.requests import UserRequest
from pulley.web.editor import presenters, services
from pulley.web.editor.lookups import teardown_of
from pulley.web.library.services import core_assembly
from pulley.web.library.views import made
from pulley.web.publishing.models import Link

GONE = "This link leads nowhere: it was taken back, or its address is incomplete. Ask whoever sent it for another."


def _link(token: str) -> Link:
    """The link behind an address; 404 when there is none, or it was revoked, or the teardown deleted."""
    found = Link.objects.select_related("teardown__assembly").filter(token=token, revoked=None).first()
    if found is None or found.teardown.deleted or found.teardown.assembly.deleted:
        raise Http404(GONE)
    return found


def _list(request: UserRequest, teardown_id: uuid.UUID) -> HttpResponse:
    row = teardown_of(request, teardown_id)
    links = [
        {"token": link.token, "created": link.created, "address": request.build_absolute_uri(f"/watch/{link.token}/")}
        for link in row.links.filter(revoked=None)
    ]
    return render(request, "publishing/links.html", {"teardown": row, "links": links})


@require_GET
def links(request: UserRequest, teardown_id: uuid.UUID) -> HttpResponse:
    """The links of a teardown that still lead to it."""
    return _list(request, teardown_id)


@require_POST
def share(request: UserRequest, teardown_id: uuid.UUID) -> HttpResponse:
    """One link more."""
    Link.objects.create(teardown=teardown_of(request, teardown_id))
    return _list(request, teardown_id)


@require_POST
def revoke(request: UserRequest, teardown_id: uuid.UUID, token: str) -> HttpResponse:
    """A link taken back: whoever has it sees nothing from now on."""
    teardown_of(request, teardown_id).links.filter(token=token).update(revoked=timezone.now())
    return _list(request, teardown_id)


@require_GET
@login_not_required
@never_cache
def watch(request: UserRequest, token: str) -> HttpResponse:
    """The teardown to be watched: canvas, steps and playing, and nothing of the editor."""
    try:
        row = _link(token).teardown
    except Http404:
        return render(request, "error.html", {"message": GONE}, status=404)
    assembly, teardown = core_assembly(row.assembly), services.teardown_at(row)
    score = compose(assembly, teardown)
    context = {
        "token": token,
        "teardown": row,
        "assembly": row.assembly,
        "steps": [(step, bar) for step, bar in zip(teardown.steps, score.steps, strict=True) if not step.off],
        "cameras": teardown.cameras,
        "duration": score.duration,
        "speeds": presenters.SPEEDS,
        "state": json.dumps(seen(assembly, teardown, score)),
    }
    return render(request, "publishing/watch.html", context)


@require_GET
@login_not_required
def model(request: UserRequest, token: str) -> FileResponse:
    """The GLB of what is watched."""
    return made(_link(token).teardown.assembly, "model", "model/gltf-binary")
