"""The room in which an assembly is put together, and every change made in it."""

import uuid
from dataclasses import asdict, replace

import numpy as np
from django.http import Http404, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.utils.cache import patch_cache_control
from django.views.decorators.http import require_GET, require_POST

from pulley.core.assembling.arrangement import HOME, Arrangement
from pulley.core.assembly import Assembly as CoreAssembly
from pulley.core.contact.scene import home_scene
from pulley.core.formats import gltf
from pulley.core.planning.pointing import feature_at
from pulley.web.accounts.requests import UserRequest
from pulley.web.assembling import presenters, services
from pulley.web.assembling.commands import COMMANDS, ids_known, place_sent
from pulley.web.assembling.lookups import arrangement_of
from pulley.web.assembling.models import Arrangement as Row
from pulley.web.assembling.services import Changed
from pulley.web.door import sent_by, whole
from pulley.web.editor.parsing import direction_sent, json_sent, numbers
from pulley.web.jobs.answers import queued
from pulley.web.library.forms import files_sent
from pulley.web.library.lookups import assembly_of


@require_POST
def begin(request: UserRequest, assembly_id: uuid.UUID) -> HttpResponse:
    """Go on putting an assembly together, or begin to."""
    return redirect("arrangement", services.begin(assembly_of(request, assembly_id)).pk)


@require_GET
def room(request: UserRequest, arrangement_id: uuid.UUID) -> HttpResponse:
    """The room."""
    return render(
        request, "assembling/room.html", presenters.context(arrangement_of(request, arrangement_id), request.user)
    )


def _state(request: UserRequest, row: Row, changed: Changed | None = None) -> HttpResponse:
    """Every panel of the room, as it is now."""
    chosen = changed.selected if changed and changed.selected is not None else None
    selected = chosen if chosen is not None else ids_known(sent_by(request), services.load(row))
    response = render(request, "assembling/state.html", presenters.context(row, request.user, selected))
    response["HX-Trigger-After-Settle"] = "teardown-changed"
    return response


@require_GET
def state(request: UserRequest, arrangement_id: uuid.UUID) -> HttpResponse:
    """The panels after another window's change; nothing for a page that has what is kept."""
    row = arrangement_of(request, arrangement_id)
    if whole(sent_by(request).get("have")) == row.revision:
        return HttpResponse(status=204)
    return _state(request, row)


@require_GET
def piece(request: UserRequest, arrangement_id: uuid.UUID) -> HttpResponse:
    """What can be done with what is selected."""
    row = arrangement_of(request, arrangement_id)
    selected = ids_known(sent_by(request), services.load(row))
    return render(request, "assembling/piece.html", presenters.context(row, request.user, selected))


@require_GET
def model(request: UserRequest, arrangement_id: uuid.UUID) -> HttpResponse:
    """The GLB for the canvas: every piece at the origin, from where the page puts it into its place."""
    arrangement = services.load(arrangement_of(request, arrangement_id))
    pieces = tuple(replace(piece, pose=HOME, on="", joint=None) for piece in arrangement.pieces)
    at_origin = Arrangement(arrangement.name, pieces)
    response = HttpResponse(gltf.to_glb(services.flat_of(at_origin)), content_type="model/gltf-binary")
    patch_cache_control(response, private=True, max_age=31536000, immutable=True)
    return response


@require_POST
def point(request: UserRequest, arrangement_id: uuid.UUID) -> JsonResponse:
    """The face, edge or corner under the pointer, and where the first of two places would go when it is laid on it."""
    sent = sent_by(request)
    arrangement = services.load(arrangement_of(request, arrangement_id))
    flat = services.flat_of(arrangement)
    spot, normal = np.array(numbers(json_sent(sent, "point"), 3)), np.array(direction_sent(sent, "normal"))
    (reach,) = numbers([json_sent(sent, "reach")], 1)
    found = feature_at(home_scene(flat), sent.get("path", ""), spot, normal, min(max(reach, 0.0), flat.diagonal))
    about: dict[str, object] = {"words": found.words, "name": arrangement.by_id[found.component].name}
    if "moved" in sent:
        about["goes"] = presenters.goes(arrangement, place_sent(sent, "moved"), found)
    return JsonResponse(asdict(found) | about)


@require_POST
def edit(request: UserRequest, arrangement_id: uuid.UUID, verb: str) -> HttpResponse:
    """Carry out one change and show what has become of the arrangement."""
    row, sent = arrangement_of(request, arrangement_id), sent_by(request)
    if verb not in COMMANDS:
        raise Http404

    def does(arrangement: Arrangement, flat: CoreAssembly) -> Changed:
        return COMMANDS[verb](sent, arrangement, flat)

    row, changed = services.edit(row, whole(sent.get("revision"), -1), does, sent.get("asked", ""))
    return _state(request, row, changed)


@require_POST
def step(request: UserRequest, arrangement_id: uuid.UUID, by: int) -> HttpResponse:
    """Undo or redo."""
    revision = whole(sent_by(request).get("revision"), -1)
    return _state(request, services.step_through_history(arrangement_of(request, arrangement_id), revision, by))


@require_POST
def add(request: UserRequest, arrangement_id: uuid.UUID) -> HttpResponse:
    """Take part files in and queue their reading."""
    row, said = arrangement_of(request, arrangement_id), files_sent(request)
    return queued(request, services.accept(row, said["file"], said["places"].splitlines()), "arrangement", row.pk)


@require_POST
def take_over(request: UserRequest, arrangement_id: uuid.UUID) -> HttpResponse:
    """Queue making the next revision of the model of it."""
    row = arrangement_of(request, arrangement_id)
    return queued(request, services.ask_to_take_over(row), "arrangement", row.pk)
