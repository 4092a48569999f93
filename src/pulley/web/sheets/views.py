"""The sheet page, every change made on it, its files; page patterns."""

import uuid
from collections.abc import Callable
from dataclasses import replace
from typing import Any

from django.db import transaction
from django.http import Http404, HttpResponse
from django.shortcuts import redirect, render
from django.utils.cache import patch_cache_control
from django.utils.text import slugify
from django.views.decorators.http import require_GET, require_POST

from pulley.core.assembly import Assembly
from pulley.core.drawing import changes, document, follow, writers
from pulley.core.drawing.patterns import LIMIT as PATTERN_LIMIT
from pulley.core.drawing.patterns import PATTERNS, pattern_of, pattern_of_sheet, pattern_text
from pulley.core.drawing.rows import rows
from pulley.core.drawing.sheet import PagePattern, Sheet
from pulley.core.drawing.title import LOGO_LIMIT, checked_logo
from pulley.core.errors import PulleyError
from pulley.web.accounts.policies import allowed_or_404
from pulley.web.accounts.requests import UserRequest
from pulley.web.door import sent_by, whole
from pulley.web.editor.lookups import teardown_of
from pulley.web.history import entries
from pulley.web.library import bin
from pulley.web.library.services import core_assembly
from pulley.web.sheets import drawing, presenters, services
from pulley.web.sheets.commands import COMMANDS
from pulley.web.sheets.lookups import page_of, sheet_of
from pulley.web.sheets.models import Pattern
from pulley.web.sheets.models import Sheet as SheetRow
from pulley.web.sheets.services import Changed

ANY_TIME = ("automatic",)  # commands that an issued sheet takes as well


def _state(request: UserRequest, row: SheetRow, changed: Changed | None = None, begin: bool = True) -> HttpResponse:
    """Every panel of the page, as it is now."""
    sent = sent_by(request)
    page = changed.page if changed and changed.page else sent.get("page", "")
    selected = changed.selected if changed and changed.selected is not None else sent.get("selected", "")
    response = render(request, "sheets/state.html", presenters.context(row, page, selected, request.user, begin))
    response["HX-Trigger-After-Settle"] = "teardown-changed"
    return response


@require_GET
def menu(request: UserRequest, teardown_id: uuid.UUID) -> HttpResponse:
    """The sheets of a teardown, and a way to a new one."""
    row = teardown_of(request, teardown_id)
    return render(request, "sheets/menu.html", {"teardown": row, "sheets": row.sheets.filter(deleted=None)})


@require_POST
def new(request: UserRequest, teardown_id: uuid.UUID) -> HttpResponse:
    """A first sheet of a teardown."""
    row = services.create(teardown_of(request, teardown_id), _pattern(request, sent_by(request).get("pattern", "")))
    return redirect("sheet", row.pk)


@require_GET
def sheet(request: UserRequest, sheet_id: uuid.UUID) -> HttpResponse:
    """The sheet page."""
    page = sent_by(request).get("page", "")
    return render(request, "sheets/sheet.html", presenters.context(sheet_of(request, sheet_id), page, "", request.user))


@require_GET
def state(request: UserRequest, sheet_id: uuid.UUID) -> HttpResponse:
    """The panels: of another page, or after another window's change; nothing for a page that has what is kept."""
    row, sent = sheet_of(request, sheet_id), sent_by(request)
    if whole(sent.get("have")) == row.revision:
        return HttpResponse(status=204)
    return _state(request, row)


@require_GET
def strip(request: UserRequest, sheet_id: uuid.UUID) -> HttpResponse:
    """What can be done with what is selected."""
    row, sent = sheet_of(request, sheet_id), sent_by(request)
    drawn, assembly = services.load(row), core_assembly(row.teardown.assembly)
    page = page_of(drawn, sent.get("page", ""))
    found = rows(assembly, drawn)
    context = presenters.strip(assembly, drawn, page, found, sent.get("selected", ""))
    return render(
        request, "sheets/strip.html", context | {"sheet": row, "core": drawn, "page": page, "frozen": drawn.frozen}
    )


@require_POST
def edit(request: UserRequest, sheet_id: uuid.UUID, verb: str) -> HttpResponse:
    """Carry out one change and show what has become of the sheet."""
    row, sent = sheet_of(request, sheet_id), sent_by(request)
    special: dict[str, Callable[[Sheet, Assembly], Changed]] = {
        "take-over": services.taken_over(row),
        "begin-revision": lambda s, a: Changed(follow.begin_revision(s), "Begin the next revision"),
        "use-pattern": lambda s, a: _with_pattern(request, a, s, sent.get("value", "")),
    }
    if verb in special:
        does = special[verb]
    elif verb in COMMANDS:

        def does(sheet: Sheet, assembly: Assembly) -> Changed:
            return COMMANDS[verb](sent, sheet, assembly)

    else:
        raise Http404
    issued = verb in ANY_TIME or verb == "begin-revision"
    row, changed = services.edit(row, whole(sent.get("revision"), -1), does, sent.get("asked", ""), issued)
    return _state(request, row, changed)


def _with_pattern(request: UserRequest, assembly: Assembly, drawn: Sheet, name: str) -> Changed:
    pattern = _pattern(request, name)
    return Changed(changes.use_pattern(assembly, drawn, pattern or PagePattern()), "Use a page pattern", "")


@require_POST
def history(request: UserRequest, sheet_id: uuid.UUID, by: int) -> HttpResponse:
    """Undo or redo."""
    revision = whole(sent_by(request).get("revision"), -1)
    return _state(request, services.step_through_history(sheet_of(request, sheet_id), revision, by))


@require_POST
def return_to(request: UserRequest, sheet_id: uuid.UUID, number: int) -> HttpResponse:
    """Make an earlier state the present one."""
    revision = whole(sent_by(request).get("revision"), -1)
    return _state(request, services.return_to(sheet_of(request, sheet_id), revision, number))


@require_GET
def history_list(request: UserRequest, sheet_id: uuid.UUID) -> HttpResponse:
    """Every change, newest first."""
    row = sheet_of(request, sheet_id)
    return render(request, "sheets/history_list.html", {"sheet": row, "entries": entries(row)})


@require_POST
def stop(request: UserRequest, sheet_id: uuid.UUID) -> HttpResponse:
    """Stop working out the lines of a page, and show it without them."""
    row = sheet_of(request, sheet_id)
    drawn = services.load(row)
    drawing.stop(core_assembly(row.teardown.assembly), drawn, page_of(drawn, sent_by(request).get("page", "")))
    return _state(request, row, begin=False)


@require_GET
def small(request: UserRequest, sheet_id: uuid.UUID) -> HttpResponse:
    """A page as the list of pages shows it: as it is drawn already, in letters that the browser has."""
    row = sheet_of(request, sheet_id)
    drawn = services.load(row)
    page = page_of(drawn, sent_by(request).get("page", ""))
    shown = drawing.page_svg(row, core_assembly(row.teardown.assembly), drawn, page, begin=False)
    response = HttpResponse(shown.svg, content_type="image/svg+xml")
    patch_cache_control(response, private=True, max_age=600 if shown.progress == 1.0 else 0)
    return response


@require_GET
def file(request: UserRequest, sheet_id: uuid.UUID, kind: str) -> HttpResponse:
    """The sheet as a file; of SVG and PNG, one page. Without ``download`` a browser shows what it can."""
    if kind not in writers.KINDS:
        raise Http404
    row, sent = sheet_of(request, sheet_id), sent_by(request)
    drawn, assembly = services.to_hand_out(row), core_assembly(row.teardown.assembly)
    drawing.whole(row, assembly, drawn)
    place = next((k for k, page in enumerate(drawn.pages) if page.id == sent.get("page")), 0)
    response = HttpResponse(writers.write(assembly, drawn, kind, place), content_type=writers.KINDS[kind])
    how = "attachment" if sent.get("download") or kind not in ("pdf", "png") else "inline"
    response["Content-Disposition"] = f'{how}; filename="{slugify(drawn.name)[:80] or "sheet"}.{kind}"'
    patch_cache_control(response, private=True, no_cache=True)
    return response


@require_POST
def duplicate(request: UserRequest, sheet_id: uuid.UUID) -> HttpResponse:
    """A copy of a sheet."""
    return redirect("sheet", services.duplicate(sheet_of(request, sheet_id)).pk)


@require_POST
def delete(request: UserRequest, sheet_id: uuid.UUID) -> HttpResponse:
    """Take a sheet off the shelf."""
    bin.put_in(sheet_of(request, sheet_id))
    return redirect("library")


@require_POST
def bring_back(request: UserRequest, sheet_id: uuid.UUID) -> HttpResponse:
    """Put a deleted sheet on the shelf again."""
    bin.put_in(sheet_of(request, sheet_id, deleted=True), gone=False)
    return redirect("library")


def _pattern(request: UserRequest, name: str) -> PagePattern | None:
    """A pattern of Pulley's by name, or one of the user's by number; None for no name."""
    if not name:
        return None
    if name in PATTERNS:
        return PATTERNS[name]
    own = whole(name)
    if own is None:
        raise PulleyError("There is no such page pattern. Choose another one.")
    return document.pattern_from(allowed_or_404(request.user, Pattern, pk=own).document)


@require_POST
def keep_pattern(request: UserRequest, sheet_id: uuid.UUID) -> HttpResponse:
    """Keep a sheet's paper, title block, columns and styles as a page pattern of the user's, with a logo if wanted."""
    row, sent = sheet_of(request, sheet_id), sent_by(request)
    logo: Any = request.FILES.get("logo")
    given: dict[str, Any] = {"logo": checked_logo(logo.read(LOGO_LIMIT + 1))} if logo else {}
    return _kept(request, row, replace(pattern_of_sheet(services.load(row)), name=sent.get("name", ""), **given))


@require_POST
def take_pattern(request: UserRequest, sheet_id: uuid.UUID) -> HttpResponse:
    """Keep a page pattern that someone handed on as a file, and use it."""
    file: Any = request.FILES.get("pattern")
    if file is None:
        raise PulleyError("No file came along. Choose a page pattern.")
    return _kept(request, sheet_of(request, sheet_id), pattern_of(file.read(PATTERN_LIMIT + 1)))


@require_GET
def pattern_file(request: UserRequest, sheet_id: uuid.UUID) -> HttpResponse:
    """A sheet's page pattern as a file, to be handed on."""
    pattern = pattern_of_sheet(services.load(sheet_of(request, sheet_id)))
    response = HttpResponse(pattern_text(pattern), content_type="application/json")
    name = slugify(pattern.name)[:80] or "page"
    response["Content-Disposition"] = f'attachment; filename="{name}.pattern.json"'
    return response


def _kept(request: UserRequest, row: SheetRow, pattern: PagePattern) -> HttpResponse:
    """Keep a page pattern under its name, and draw the sheet by it."""
    name = " ".join(pattern.name.split())[:200]
    if not name:
        raise PulleyError("The page pattern needs a name. Type one.")
    pattern = replace(pattern, name=name)
    with transaction.atomic():
        Pattern.objects.update_or_create(
            owner=request.user, name=name, defaults={"document": document.pattern_document(pattern)}
        )

        def does(sheet: Sheet, assembly: Assembly) -> Changed:
            return Changed(changes.use_pattern(assembly, sheet, pattern), f"Use the page pattern “{name}”", "")

        row, changed = services.edit(row, whole(sent_by(request).get("revision"), row.revision), does)
    return _state(request, row, changed) if request.htmx else redirect("sheet", row.pk)
