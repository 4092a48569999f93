"""The editor page, every change made on it, and its history."""

import uuid
from dataclasses import replace

from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_GET, require_POST

from pulley.core import describe, editing
from pulley.core import teardown as core
from pulley.core.assembly import Assembly
from pulley.core.errors import PulleyError
from pulley.web.accounts.requests import UserRequest
from pulley.web.analysis import services as analysis
from pulley.web.analysis.registry import Case
from pulley.web.door import sent_by, whole
from pulley.web.editor import persistence, presenters, services
from pulley.web.editor.commands import COMMANDS
from pulley.web.editor.lookups import teardown_of
from pulley.web.editor.models import Teardown
from pulley.web.editor.parsing import Sent
from pulley.web.errors import Unsure
from pulley.web.history import entries
from pulley.web.library.models import Assembly as AssemblyRow
from pulley.web.library.services import core_assembly

CHECKING = 15.0  # seconds that an edit waits for a contact check


def _state(
    request: UserRequest,
    row: Teardown,
    open_step: str = "",
    verdict_only: bool = False,
    teardown: core.Teardown | None = None,
) -> HttpResponse:
    """Every panel of the page, as it is now; or those that a contact check changes, once it is done."""
    sent = sent_by(request)
    grouping = sent.get("group_by") or sent.get("grouping", "part")
    at = whole(sent.get("at")) if request.method == "GET" else None
    context = presenters.context(
        row, request.user, open_step, grouping, 0.0, None if at == row.cursor else at, teardown
    )
    more = {"verdict_only": verdict_only, "ledger_shown": sent.get("ledger")}
    response = render(request, "editor/state.html", context | more)
    response["HX-Trigger-After-Settle"] = "teardown-changed"
    return response


@require_GET
def editor(request: UserRequest, teardown_id: uuid.UUID) -> HttpResponse:
    """The editor page."""
    return render(request, "editor/editor.html", presenters.context(teardown_of(request, teardown_id), request.user))


@require_GET
def state(request: UserRequest, teardown_id: uuid.UUID) -> HttpResponse:
    """The panels: with another card open, grouped otherwise, or after another window's change; nothing for a page
    that says it has what is kept."""
    row, sent = teardown_of(request, teardown_id), sent_by(request)
    if whole(sent.get("have")) == row.revision:
        return HttpResponse(status=204)
    return _state(request, row, sent.get("open", ""))


@require_GET
def verdict(request: UserRequest, teardown_id: uuid.UUID) -> HttpResponse:
    """What the contact check has found; nothing while it goes on; everything when the page is behind."""
    row, sent = teardown_of(request, teardown_id), sent_by(request)
    as_shown = whole(sent.get("revision")) == row.revision
    case = Case(core_assembly(row.assembly), services.teardown_at(row, whole(sent.get("at"))))
    if None in presenters.checked(row, case, analysis.SOON) and as_shown:
        return HttpResponse(status=204)
    return _state(request, row, sent.get("open", ""), verdict_only=as_shown)


@require_POST
def edit(request: UserRequest, teardown_id: uuid.UUID, verb: str) -> HttpResponse:
    """Carry out one change and show what has become of the teardown."""
    if verb not in COMMANDS:
        raise Http404
    row, sent = teardown_of(request, teardown_id), sent_by(request)
    row, changed = services.edit(
        row,
        whole(sent.get("revision"), -1),
        lambda teardown, assembly: _sure(sent, row.assembly, verb, teardown, assembly),
        at=whole(sent.get("at")),
        shown=whole(sent.get("entry")),
        asked=sent.get("asked", ""),
    )
    opened = sent.get("open", "") if changed.open is None else changed.open
    return _state(request, row, opened, teardown=changed.teardown)


def _sure(sent: Sent, row: AssemblyRow, verb: str, teardown: core.Teardown, assembly: Assembly) -> services.Changed:
    """The change; Unsure when another order of the steps would make one run into something that it passed before."""
    command = COMMANDS[verb]
    changed = command.does(sent, teardown, assembly)
    changed = replace(changed, teardown=editing.relabelled(teardown, changed.teardown, assembly))
    if command.reorders and sent.get("sure") != "1":
        plans = (teardown, changed.teardown)
        before, after = (analysis.request("check", row, Case(assembly, plan), CHECKING).value for plan in plans)
        if before is None or after is None:
            raise Unsure("Whether steps run into something in that order takes long to check. Nothing was changed.")
        had = {(snag.moving, snag.blocker) for found in before.snags.values() for snag in found}
        for id, found in after.snags.items():
            new = next((snag for snag in found if (snag.moving, snag.blocker) not in had), None)
            if new:
                label = next(step.label for step in changed.teardown.steps if step.id == id)
                sentence = describe.snag_sentence(assembly, new)
                raise Unsure(f"In that order {sentence}, in “{label}”. Nothing was changed.")
    return changed


@require_POST
def history(request: UserRequest, teardown_id: uuid.UUID, by: int) -> HttpResponse:
    """Undo or redo."""
    row = services.step_through_history(
        teardown_of(request, teardown_id), whole(sent_by(request).get("revision"), -1), by
    )
    return _state(request, row, sent_by(request).get("open", ""))


@require_POST
def return_to(request: UserRequest, teardown_id: uuid.UUID, number: int) -> HttpResponse:
    """Make an earlier state the present one."""
    row = services.return_to(teardown_of(request, teardown_id), whole(sent_by(request).get("revision"), -1), number)
    return _state(request, row, sent_by(request).get("open", ""))


@require_GET
def history_list(request: UserRequest, teardown_id: uuid.UUID) -> HttpResponse:
    """Every change, newest first."""
    row = teardown_of(request, teardown_id)
    return render(request, "editor/history_list.html", {"teardown": row, "entries": entries(row)})


@require_GET
def table(request: UserRequest, teardown_id: uuid.UUID) -> HttpResponse:
    """All travels as a table."""
    row = teardown_of(request, teardown_id)
    at = whole(sent_by(request).get("at"))
    return render(
        request, "editor/table.html", presenters.context(row, request.user, at=None if at == row.cursor else at)
    )


@require_GET
def compare(request: UserRequest, teardown_id: uuid.UUID, other_id: uuid.UUID) -> HttpResponse:
    """Two teardowns of one assembly side by side, with what tells them apart."""
    left, right = teardown_of(request, teardown_id), teardown_of(request, other_id)
    if left.assembly_id != right.assembly_id:
        raise PulleyError("These are teardowns of two assemblies. Choose two of the same one to compare.")
    sides = [presenters.context(row, request.user, patience=CHECKING) for row in (left, right)]
    apart = describe.differences(*(persistence.load(row) for row in (left, right)))
    return render(request, "editor/compare.html", {"assembly": left.assembly, "sides": sides, "apart": apart})
