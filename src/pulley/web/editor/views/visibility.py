"""What the page asks about what is seen: shares of components, steps that hide what they move, better views."""

import json
import uuid
from dataclasses import asdict
from typing import Any

from django.http import HttpResponse, JsonResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET, require_POST

from pulley.core import editing, visibility
from pulley.core import teardown as core
from pulley.core.assembly import Assembly
from pulley.core.naming import component_name
from pulley.core.score.compose import Score, compose
from pulley.core.score.shots import view_at
from pulley.web.accounts.requests import UserRequest
from pulley.web.analysis import services as analysis
from pulley.web.analysis.registry import Case
from pulley.web.door import sent_by, whole
from pulley.web.editor import progress, services
from pulley.web.editor.lookups import teardown_of
from pulley.web.editor.models import Teardown
from pulley.web.editor.parsing import camera_sent, json_sent, numbers
from pulley.web.library.services import core_assembly

NAMED = 5  # hidden components that a sentence names


def _shown(request: UserRequest, teardown_id: uuid.UUID) -> tuple[Teardown, Assembly, core.Teardown, Score]:
    """The teardown as the page shows it, with its assembly and its Score."""
    row = teardown_of(request, teardown_id)
    at = sent_by(request).get("at")
    assembly, teardown = core_assembly(row.assembly), services.teardown_at(row, whole(at))
    return row, assembly, teardown, compose(assembly, teardown)


@require_POST
def seen(request: UserRequest, teardown_id: uuid.UUID) -> JsonResponse:
    """The share of each component that is visible in the canvas' view, and the hidden ones by name."""
    _, assembly, teardown, score = _shown(request, teardown_id)
    camera, time = camera_sent(sent_by(request), "now", "this view"), _time(request, score)
    sight = visibility.sight(assembly, teardown, score, [(time, camera)])
    hidden = [component_name(assembly, path) for path in sight.hidden]
    words = f"{len(sight.shares) - len(hidden)} of {len(sight.shares)} can be seen from here"
    if hidden:
        more = f" and {len(hidden) - NAMED} more" if len(hidden) > NAMED else ""
        words += f"; hidden: {', '.join(hidden[:NAMED])}{more}"
    shares = {path: round(100 * share) for path, share in sight.shares.items()}
    return JsonResponse({"shares": shares, "hidden": sight.hidden, "words": words})


def _time(request: UserRequest, score: Score) -> float:
    (time,) = numbers([json_sent(sent_by(request), "time")], 1)
    return min(max(time, 0.0), score.duration)


@require_GET
def sights(request: UserRequest, teardown_id: uuid.UUID) -> HttpResponse:
    """Every step that hides something that it moves, with what and how much of it is seen."""
    row, assembly, teardown, score = _shown(request, teardown_id)
    asked = analysis.request("sights", row.assembly, Case(assembly, teardown), analysis.SOON)
    if not asked.done:
        return _so_far(request, asked.progress, len(teardown.steps), "steps")
    found = asked.value
    lines = [
        _sight_line(assembly, number, step, found[step.id])
        for number, step in enumerate(teardown.steps, 1)
        if step.id in found
    ]
    return render(
        request, "editor/sights.html", {"lines": [line for line in lines if line["hidden"]], "count": len(lines)}
    )


def _so_far(request: UserRequest, share: float, count: int, what: str) -> HttpResponse:
    """How far something is that takes a while; what shows it asks the same again, less and less often."""
    return render(request, "editor/so_far.html", progress.shown(sent_by(request), share, count, what))


def _sight_line(assembly: Assembly, number: int, step: core.Step, sight: visibility.Sight) -> dict[str, Any]:
    names = [f"{component_name(assembly, p)} {sight.shares[p]:.0%}" for p in sight.hidden]
    return {"number": number, "id": step.id, "label": step.label, "hidden": names[:NAMED], "more": len(names) - NAMED}


@require_POST
def better(request: UserRequest, teardown_id: uuid.UUID) -> HttpResponse:
    """The standard direction that shows a step, or what the canvas shows, better; and by how much."""
    row, assembly, teardown, score = _shown(request, teardown_id)
    id = sent_by(request).get("step", "")
    now = camera_sent(sent_by(request), "now", "this view")
    if id:
        step = editing.find_step(teardown, id)
        bar = next(bar for bar in score.steps if bar.id == id)
        now = view_at(score.shots, bar.end, now) if step.view.camera else now
    case = Case(assembly, teardown, {"step": id, "now": asdict(now), "time": _time(request, score)})
    asked = analysis.request("better", row.assembly, case, analysis.SOON)
    if not asked.done:
        return _so_far(request, asked.progress, len(visibility.standard_directions(teardown)), "directions")
    best = asked.value
    view = {key: value for key, value in asdict(best.camera).items() if key not in ("id", "name", "extra")}
    context = {
        "id": id,
        "best": best,
        "same": best.word == "this view",
        "view": json.dumps(view),
        "now": round(100 * best.now.mean),
        "then": round(100 * best.then.mean),
        "least_now": round(100 * best.now.least),
        "least_then": round(100 * best.then.least),
        "hidden_now": len(best.now.hidden),
        "hidden_then": len(best.then.hidden),
    }
    return render(request, "editor/better.html", context)
