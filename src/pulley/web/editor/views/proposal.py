"""Proposed steps: asked for, stopped without losing what was found, and shown before they count."""

import json
import uuid
from dataclasses import replace
from typing import Any

from django.http import HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_POST

from pulley.core import teardown as core
from pulley.core.assembly import Assembly
from pulley.core.planning.proposal import Proposal
from pulley.core.score.compose import compose
from pulley.web.accounts.requests import UserRequest
from pulley.web.analysis import services as analysis
from pulley.web.door import sent_by
from pulley.web.editor import progress, proposal_request, services
from pulley.web.editor.lookups import teardown_of
from pulley.web.editor.parsing import paths_sent
from pulley.web.library.services import core_assembly


@require_POST
def propose_steps(request: UserRequest, teardown_id: uuid.UUID) -> HttpResponse:
    """Begin to work out steps, or say how far it is, or show them; ``stop`` takes what was found so far."""
    row = teardown_of(request, teardown_id)
    assembly, teardown, sent = core_assembly(row.assembly), services.teardown_at(row, None), sent_by(request)
    case, stopping = proposal_request.case_of(sent, teardown, assembly), bool(sent.pop("stop", ""))
    if stopping:
        analysis.stop("proposal", case)
    asked = analysis.request("proposal", row.assembly, case, analysis.SOON)
    if not asked.done:
        context = {**progress.shown(sent, asked.progress, 100, "percent"), "stopping": stopping}
        return render(request, "editor/proposing.html", context)
    found = asked.value
    ticked = set(paths_sent(sent, "ticked")) if sent.get("ticked") else {step.id for step in found.steps}
    return render(request, "editor/proposal.html", _shown(assembly, teardown, found, ticked))


def _shown(assembly: Assembly, teardown: core.Teardown, found: Proposal, ticked: set[str]) -> dict[str, Any]:
    """The steps in a list, and how it plays with those that are ticked."""
    score = compose(assembly, found.added_to(replace(teardown, orbits=()), ticked))
    count = sum(len(assembly.leaves_of(step.members)) for step in found.steps)
    lines = [{"step": step, "members": json.dumps(step.members), "ticked": step.id in ticked} for step in found.steps]
    stay = [assembly.by_path[path].name for path in found.stay]
    return {"lines": lines, "score": json.dumps(score.to_json()), "found": found, "count": count, "stay": stay}
