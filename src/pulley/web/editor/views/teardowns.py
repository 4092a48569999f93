"""Teardowns made, copied, read from a file, downloaded, deleted and brought back."""

import uuid

from django.http import HttpResponse
from django.shortcuts import redirect
from django.utils.text import slugify
from django.views.decorators.http import require_GET, require_POST

from pulley.core import teardown as core
from pulley.core.errors import PulleyError
from pulley.core.formats import teardown as teardown_json
from pulley.web.accounts.requests import UserRequest
from pulley.web.editor import persistence, services
from pulley.web.editor.forms import TeardownFileForm
from pulley.web.editor.lookups import teardown_of
from pulley.web.library import bin
from pulley.web.library.lookups import assembly_of


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
