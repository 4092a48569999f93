"""What a step's card asks by itself: its legs, what else can move like it, what to do about its snags."""

import json
import uuid
from dataclasses import asdict, replace

from django.http import HttpResponse, JsonResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET, require_POST

from pulley.core import teardown as core
from pulley.core.naming import component_name
from pulley.core.planning import scenes
from pulley.core.planning.companions import matches as core_matches
from pulley.web.accounts.requests import UserRequest
from pulley.web.analysis import services as analysis
from pulley.web.analysis.registry import Case
from pulley.web.door import sent_by, whole
from pulley.web.editor import progress, services
from pulley.web.editor.lookups import teardown_of
from pulley.web.editor.models import Teardown
from pulley.web.editor.parsing import unit_sent
from pulley.web.library.services import core_assembly


def _asked(request: UserRequest, teardown_id: uuid.UUID, step: str) -> tuple[Teardown, Case, core.Step | None]:
    """The teardown as the page shows it, and its step: none when that has gone since the page began to ask by itself,
    which is nothing to tell anybody."""
    row = teardown_of(request, teardown_id)
    case = Case(core_assembly(row.assembly), services.teardown_at(row, whole(sent_by(request).get("at"))))
    return row, case, next((each for each in case.teardown.steps if each.id == step), None)


@require_POST
def legs(request: UserRequest, teardown_id: uuid.UUID, step: str) -> JsonResponse:
    """Each leg of a straight step or a path: its direction, its length, and where a drag of its end has to stop."""
    _, case, moving = _asked(request, teardown_id, step)
    found = scenes.legs(case.assembly, case.teardown, step) if moving else []
    return JsonResponse({"legs": [asdict(leg) for leg in found]})


@require_GET
def matches(request: UserRequest, teardown_id: uuid.UUID, step: str) -> HttpResponse:
    """What else can make a step's motion, for its card."""
    _, case, moving = _asked(request, teardown_id, step)
    if moving is None:
        return HttpResponse(status=204)
    assembly, steps = case.assembly, case.teardown.steps
    busy = {leaf for s in steps if s.motion.kind == moving.motion.kind for leaf in assembly.leaves_of(s.members)}
    scene = scenes.scene_after(assembly, case.teardown, steps.index(moving))
    found = [m for m in core_matches(assembly, moving, scene) if busy.isdisjoint(assembly.below[m.member])]
    items = [{"path": m.member, "name": component_name(assembly, m.member), "kind": m.kind} for m in found]
    everything = json.dumps([m.member for m in found])
    return render(
        request, "editor/matches.html", {"teardown_id": teardown_id, "id": step, "items": items, "all": everything}
    )


@require_GET
def remedies(request: UserRequest, teardown_id: uuid.UUID, step: str) -> HttpResponse:
    """What can be done about a step's snags, each checked, for its card."""
    row, case, snagged = _asked(request, teardown_id, step)
    if snagged is None:
        return HttpResponse(status=204)
    wanted = replace(case, asked={"step": step, "unit": unit_sent(sent_by(request))})
    asked = analysis.request("remedies", row.assembly, wanted, analysis.SOON)
    if not asked.done:
        return render(request, "editor/so_far.html", progress.shown(sent_by(request), 0.0, 0, ""))
    items = [{"sentence": item["sentence"], "values": json.dumps(item["values"])} for item in asked.value]
    return render(request, "editor/remedies.html", {"teardown_id": teardown_id, "id": step, "items": items})
