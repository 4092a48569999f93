"""What a hand must hold while the steps are done on the bench."""

import uuid

from django.http import HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET

from pulley.core.planning.holding import TWO, hold_sentences
from pulley.web.accounts.requests import UserRequest
from pulley.web.analysis import services as analysis
from pulley.web.analysis.registry import Case
from pulley.web.door import sent_by, whole
from pulley.web.editor import progress, services
from pulley.web.editor.lookups import teardown_of
from pulley.web.library.services import core_assembly


@require_GET
def holding(request: UserRequest, teardown_id: uuid.UUID) -> HttpResponse:
    """Every step that loosens something or takes more hands than one has, in sentences."""
    row, sent = teardown_of(request, teardown_id), sent_by(request)
    assembly, teardown = core_assembly(row.assembly), services.teardown_at(row, whole(sent.get("at")))
    asked = analysis.request("holds", row.assembly, Case(assembly, teardown), analysis.SOON)
    if not asked.done:
        return render(request, "editor/so_far.html", progress.shown(sent, asked.progress, len(teardown.steps), "steps"))
    found = {hold.step: hold for hold in asked.value}
    lines = [
        {"number": number, "step": step, "many": hold.hands > TWO, "words": " ".join(hold_sentences(assembly, hold))}
        for number, step in enumerate(teardown.steps, 1)
        if (hold := found.get(step.id))
    ]
    count, hands = len(lines), max((hold.hands for hold in asked.value), default=1)
    context = {"lines": [line for line in lines if line["words"]], "count": count, "hands": hands}
    return render(request, "editor/holding.html", context)
