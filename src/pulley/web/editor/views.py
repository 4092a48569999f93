"""The editor page and every change made on it."""

import uuid

from django.http import FileResponse, Http404, HttpResponse, HttpResponseBase
from django.shortcuts import get_object_or_404, redirect, render
from django.utils.cache import patch_cache_control
from django.utils.text import slugify
from django.views.decorators.http import require_GET, require_POST

from pulley.core import describe
from pulley.core import teardown as core
from pulley.core.assembly import Assembly
from pulley.core.errors import PulleyError
from pulley.core.files import write_once
from pulley.core.formats import teardown as teardown_json
from pulley.core.publish.picture import is_whole, png
from pulley.core.score.stages import displacements, poses_at
from pulley.web.analysis import services as analysis
from pulley.web.analysis.registry import Case
from pulley.web.door import sent_by, whole
from pulley.web.editor import page, persistence, services
from pulley.web.editor.changes import REORDERING, VERBS
from pulley.web.editor.changes.sent import Sent
from pulley.web.editor.forms import TeardownFileForm
from pulley.web.editor.models import Teardown
from pulley.web.editor.page.cards import pose_keys
from pulley.web.errors import Unsure
from pulley.web.library import bin
from pulley.web.library.models import Assembly as AssemblyRow
from pulley.web.library.services import core_assembly, store_file
from pulley.web.library.views import assembly_of
from pulley.web.requests import UserRequest

CARD_PICTURE, VIEW_PICTURE = (104, 80), (312, 240)  # pixels
CHECKING = 15.0  # seconds that an edit waits for a contact check


def teardown_of(request: UserRequest, teardown_id: uuid.UUID, deleted: bool = False) -> Teardown:
    """The user's own teardown, or 404; one that was deleted only when asked for."""
    mine = Teardown.objects.select_related("assembly").filter(assembly__owner=request.user, assembly__deleted=None)
    return get_object_or_404(mine, pk=teardown_id, deleted__isnull=not deleted)


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
    context = page.context(row, request.user, open_step, grouping, 0.0, None if at == row.cursor else at, teardown)
    more = {"verdict_only": verdict_only, "ledger_shown": sent.get("ledger")}
    response = render(request, "editor/state.html", context | more)
    response["HX-Trigger-After-Settle"] = "teardown-changed"
    return response


@require_GET
def editor(request: UserRequest, teardown_id: uuid.UUID) -> HttpResponse:
    """The editor page."""
    return render(request, "editor/editor.html", page.context(teardown_of(request, teardown_id), request.user))


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
    if page.checked(row, case, analysis.SOON)[0] is None and as_shown:
        return HttpResponse(status=204)
    return _state(request, row, sent.get("open", ""), verdict_only=as_shown)


@require_POST
def edit(request: UserRequest, teardown_id: uuid.UUID, verb: str) -> HttpResponse:
    """Carry out one change and show what has become of the teardown."""
    if verb not in VERBS:
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
    changed = VERBS[verb](sent, teardown, assembly)
    if verb in REORDERING and sent.get("sure") != "1":
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
    return render(request, "editor/history_list.html", {"teardown": row, "entries": services.history(row)})


@require_GET
def table(request: UserRequest, teardown_id: uuid.UUID) -> HttpResponse:
    """All travels as a table."""
    row = teardown_of(request, teardown_id)
    at = whole(sent_by(request).get("at"))
    return render(request, "editor/table.html", page.context(row, request.user, at=None if at == row.cursor else at))


@require_GET
def compare(request: UserRequest, teardown_id: uuid.UUID, other_id: uuid.UUID) -> HttpResponse:
    """Two teardowns of one assembly side by side, with what tells them apart."""
    left, right = teardown_of(request, teardown_id), teardown_of(request, other_id)
    if left.assembly_id != right.assembly_id:
        raise PulleyError("These are teardowns of two assemblies. Choose two of the same one to compare.")
    sides = [page.context(row, request.user, patience=CHECKING) for row in (left, right)]
    apart = describe.differences(*(persistence.load(row) for row in (left, right)))
    return render(request, "editor/compare.html", {"assembly": left.assembly, "sides": sides, "apart": apart})


@require_GET
def step_picture(request: UserRequest, teardown_id: uuid.UUID, number: int) -> HttpResponseBase:
    """The pose after so many steps, small; drawn once and kept. Empty when the teardown has moved on since
    the card that asks (its address holds what the picture depends on): that card is about to go."""
    row = teardown_of(request, teardown_id)
    teardown = services.teardown_at(row, whole(sent_by(request).get("at")))
    key = pose_keys(teardown)[number] if number <= len(teardown.steps) else None
    if key is None or sent_by(request).get("v", "") != key:
        return HttpResponse(status=204, headers={"Cache-Control": "no-store"})
    return _picture(row, teardown, key, number, _step_camera(teardown, number), CARD_PICTURE)


@require_GET
def view_picture(request: UserRequest, teardown_id: uuid.UUID, camera: str) -> HttpResponseBase:
    """What is seen from a saved view at the end; empty, as above, when the page is behind."""
    row = teardown_of(request, teardown_id)
    teardown = services.teardown_at(row)
    seen_from = next((view for view in teardown.cameras if view.id == camera), None)
    key = page.view_key(teardown, seen_from) if seen_from else ""
    if seen_from is None or sent_by(request).get("v", "") != key:
        return HttpResponse(status=204, headers={"Cache-Control": "no-store"})
    return _picture(row, teardown, key, len(teardown.steps), seen_from, VIEW_PICTURE)


def _picture(
    row: Teardown, teardown: core.Teardown, key: str, played: int, seen_from: core.Camera | None, size: tuple[int, int]
) -> FileResponse:
    """Everything as it stands after so many steps, drawn once and kept."""
    assembly = core_assembly(row.assembly)
    file = store_file(f"{row.assembly.model[:8]}{key}", "step.png")
    if not is_whole(file):
        state = displacements(assembly, teardown)[played]
        shown = {p: pose for p, pose in poses_at(assembly, state).items() if p not in set(teardown.hidden)}
        write_once(file, png(assembly, shown, seen_from, size))
    response = FileResponse(file.open("rb"), content_type="image/png")
    patch_cache_control(response, private=True, max_age=86400)
    return response


def _step_camera(teardown: core.Teardown, number: int) -> core.Camera | None:
    wanted = teardown.steps[number - 1].view.camera if number else None
    return next((camera for camera in teardown.cameras if camera.id == wanted), None)


@require_GET
def download(request: UserRequest, teardown_id: uuid.UUID) -> HttpResponse:
    """The teardown as JSON."""
    row = teardown_of(request, teardown_id)
    name = slugify(f"{row.assembly.name} {row.name}") or "teardown"
    headers = {"Content-Disposition": f'attachment; filename="{name}.teardown.json"'}
    return HttpResponse(teardown_json.dumps(persistence.load(row)), "application/json", headers=headers)


@require_POST
def new(request: UserRequest, assembly_id: uuid.UUID) -> HttpResponse:
    """Start an empty teardown."""
    assembly = assembly_of(request, assembly_id)
    row = services.create(assembly, core.Teardown(services.new_name(assembly)))
    return redirect("editor", row.pk)


@require_POST
def duplicate(request: UserRequest, teardown_id: uuid.UUID) -> HttpResponse:
    """A copy of a teardown, opened."""
    return redirect("editor", services.duplicate(teardown_of(request, teardown_id)).pk)


@require_POST
def delete(request: UserRequest, teardown_id: uuid.UUID) -> HttpResponse:
    """Take a teardown off the shelf."""
    bin.put_in(teardown_of(request, teardown_id))
    return redirect("library")


@require_POST
def bring_back(request: UserRequest, teardown_id: uuid.UUID) -> HttpResponse:
    """Put a deleted teardown on the shelf again."""
    bin.put_in(teardown_of(request, teardown_id, deleted=True), gone=False)
    return redirect("library")


@require_POST
def read(request: UserRequest, assembly_id: uuid.UUID) -> HttpResponse:
    """Open a teardown JSON file on an assembly."""
    form = TeardownFileForm(request.POST, request.FILES)
    if not form.is_valid():
        raise PulleyError(" ".join(map(str, form.errors["file"])))
    teardown = teardown_json.loads(form.cleaned_data["file"].read(teardown_json.SIZE_LIMIT + 1))
    row = services.create(assembly_of(request, assembly_id), teardown)
    response = redirect("editor", row.pk)
    return HttpResponse(headers={"HX-Redirect": response.url}) if request.htmx else response
