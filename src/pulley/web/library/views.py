"""The library page, bringing files in, and handing out what was made of them."""

import io
import uuid
from typing import Any

from django.apps import apps
from django.db.models import Exists, Model, OuterRef, Prefetch, Q, QuerySet
from django.http import FileResponse, Http404, HttpResponse
from django.shortcuts import render
from django.utils.cache import patch_cache_control
from django.views.decorators.http import condition, require_GET, require_POST

from pulley.core.errors import PulleyError
from pulley.core.formats.reading import Wanted
from pulley.core.formats.registry import ENDINGS, SIZE_LIMIT, UNITS, readable
from pulley.web.accounts.policies import allowed, allowed_or_404
from pulley.web.accounts.requests import UserRequest
from pulley.web.door import sent_by, whole
from pulley.web.jobs.answers import queued
from pulley.web.jobs.models import Job
from pulley.web.library import bin, services
from pulley.web.library.files import geometry, place_of
from pulley.web.library.forms import ReadAsForm, files_sent
from pulley.web.library.lookups import assembly_of
from pulley.web.library.models import Assembly

READING = ("bring in", "revise", "add parts")  # kinds of jobs that read a file
AT_ONCE = 40  # cards on the library page; the next ones come when the last is reached


def _assemblies(request: UserRequest) -> QuerySet[Assembly]:
    """The user's assemblies with what their cards show, in as many questions to the database however many there are."""
    kept, gone = (_teardowns().filter(deleted__isnull=shelved) for shelved in (True, False))
    sheets = apps.get_model("sheets", "Sheet")._default_manager.only("name", "page_count", "teardown_id", "deleted")
    for to, shelved in (("shelved_sheets", True), ("sheets_gone", False)):
        kept = kept.prefetch_related(Prefetch("sheets", sheets.filter(deleted__isnull=shelved), to))
    return (
        allowed(request.user, Assembly)
        .filter(deleted=None, current_of__isnull=False)
        .defer("bundles", "matched")
        .annotate(has_others=Exists(Assembly.objects.filter(of=OuterRef("of")).exclude(pk=OuterRef("pk"))))
        .prefetch_related(Prefetch("teardowns", kept, "shelved"), Prefetch("teardowns", gone, "taken_off"))
    )


def _teardowns() -> QuerySet[Model]:
    """What the shelf shows of teardowns: the editor's, which knows the library, and not the other way round."""
    teardown = apps.get_model("editor", "Teardown")
    return teardown._default_manager.only("name", "step_count", "assembly_id", "deleted", "created")


@require_GET
def index(request: UserRequest) -> HttpResponse:
    """The library; only its shelf when htmx asks."""
    start = whole(sent_by(request).get("from"), 0)
    if request.htmx and start > 0:
        return render(request, "library/cards.html", _cards(request, start))
    waiting = request.user.jobs.filter(kind__in=READING, dismissed=False).exclude(state="cancelled")
    jobs = waiting.filter(
        ~Q(state="done") | Q(result__has_key="ask") | Q(result__has_key="unsure") | Q(result__has_key="see")
    )[:10]
    return _library(request, "library/shelf.html" if request.htmx else "library/index.html", jobs=jobs)


def _library(request: UserRequest, template: str, **more: Any) -> HttpResponse:
    binned = (
        allowed(request.user, Assembly).exclude(deleted=None).filter(current_of__isnull=False).only("name", "deleted")
    )
    thrown = [(row, bin.days_left(row)) for row in binned]
    kinds = {"endings": ",".join(ENDINGS), "readable": readable(), "limit": SIZE_LIMIT, "units": list(UNITS)}
    return render(request, template, {**_cards(request), "binned": thrown, **kinds, **more})


def _cards(request: UserRequest, start: int = 0) -> dict[str, Any]:
    """The cards of so many assemblies from one on, and where the next ones begin, if there are any."""
    found = list(_assemblies(request)[start : start + AT_ONCE + 1])
    return {"assemblies": found[:AT_ONCE], "more": start + AT_ONCE if len(found) > AT_ONCE else None}


@require_POST
def bring_in(request: UserRequest) -> HttpResponse:
    """Take files in and queue their reading."""
    said = files_sent(request)
    return queued(request, services.accept(request.user, said["file"], said["places"].splitlines()), "library")


@require_POST
def answer(request: UserRequest, job_id: uuid.UUID) -> HttpResponse:
    """Read a file again with the answer to what it left open; the question is taken out of sight."""
    job = _reading(request, job_id)
    again = services.answered(job, _wanted(request))
    Job.objects.filter(pk=job.pk).update(dismissed=True)
    return queued(request, again, "library")


def _reading(request: UserRequest, job_id: uuid.UUID) -> Job:
    """The job that reads a file; 404 for one of another kind."""
    return allowed_or_404(request.user, Job.objects.filter(kind__in=READING), pk=job_id)


def _wanted(request: UserRequest) -> Wanted:
    form = ReadAsForm(request.POST)
    if not form.is_valid():
        raise PulleyError("Choose one of the units and one of the axes that are shown.")
    return form.wanted


@require_GET
def question_picture(request: UserRequest, job_id: uuid.UUID, up: str) -> FileResponse:
    """The picture of a file that is asked about, with that axis up."""
    job = _reading(request, job_id)
    key = ((job.result or {}).get("ask") or {}).get("pictures", {}).get(up)
    data = geometry.found(place_of(key, ".png")) if key else b""
    if not data:
        raise Http404
    return FileResponse(io.BytesIO(data), content_type="image/png")


@require_POST
def read_differently(request: UserRequest, assembly_id: uuid.UUID) -> HttpResponse:
    """Read the file of an assembly once more, in another unit or with its bodies apart, as an assembly of its own."""
    row = assembly_of(request, assembly_id)
    return queued(request, services.read_differently(request.user, row, _wanted(request)), "library")


@require_POST
def delete(request: UserRequest, assembly_id: uuid.UUID) -> HttpResponse:
    """Put an assembly with its teardowns in the bin."""
    bin.put_in(assembly_of(request, assembly_id))
    return _library(request, "library/shelf.html")


@require_POST
def bring_back(request: UserRequest, assembly_id: uuid.UUID) -> HttpResponse:
    """Take an assembly out of the bin."""
    bin.put_in(assembly_of(request, assembly_id, deleted=True), gone=False)
    return _library(request, "library/shelf.html")


@require_POST
def delete_for_good(request: UserRequest, assembly_id: uuid.UUID) -> HttpResponse:
    """Delete what lies in the bin now, with the files that nothing else uses."""
    assembly_of(request, assembly_id, deleted=True).of.delete()
    bin.sweep()
    return _library(request, "library/shelf.html")


def _model_etag(request: UserRequest, assembly_id: uuid.UUID) -> str:
    return f'"{assembly_of(request, assembly_id).model}"'


def made(row: Assembly, field: str, content_type: str) -> FileResponse:
    """The model or the picture of an assembly; its content never changes, so the browser may keep it."""
    response = FileResponse(io.BytesIO(services.made_file(row, field)), content_type=content_type)
    patch_cache_control(response, private=True, max_age=31536000, immutable=True)
    return response


@require_GET
@condition(etag_func=_model_etag)
def model(request: UserRequest, assembly_id: uuid.UUID) -> FileResponse:
    """The GLB for the canvas."""
    return made(assembly_of(request, assembly_id), "model", "model/gltf-binary")


@require_GET
def picture(request: UserRequest, assembly_id: uuid.UUID) -> FileResponse:
    """The picture on the library card."""
    return made(assembly_of(request, assembly_id), "picture", "image/png")


@require_GET
def download(request: UserRequest, assembly_id: uuid.UUID) -> FileResponse:
    """The file as it was brought in."""
    row = assembly_of(request, assembly_id)
    return FileResponse(services.source_file(row), as_attachment=True, filename=row.file_name)
