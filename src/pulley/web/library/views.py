"""The library page, bringing files in, and handing out what was made of them."""

import uuid

from django.db.models import Count, Prefetch, Q, QuerySet
from django.http import FileResponse, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils.cache import patch_cache_control
from django.views.decorators.http import condition, require_GET, require_POST

from pulley.core.errors import PulleyError
from pulley.web.editor.models import Teardown
from pulley.web.library import services
from pulley.web.library.forms import BringInForm
from pulley.web.library.models import Assembly


def _assemblies(request: HttpRequest) -> QuerySet[Assembly]:
    counted = Assembly.objects.filter(owner=request.user).annotate(part_count=Count("parts", distinct=True))
    leaves = Count("components", distinct=True, filter=Q(components__part__isnull=False))
    kept, gone = (Teardown.objects.filter(deleted__isnull=shelved) for shelved in (True, False))
    return counted.annotate(leaf_count=leaves).prefetch_related(
        Prefetch("teardowns", kept, "shelved"), Prefetch("teardowns", gone, "taken_off")
    )


def assembly_of(request: HttpRequest, assembly_id: uuid.UUID) -> Assembly:
    """The user's own assembly, or 404."""
    return get_object_or_404(Assembly, pk=assembly_id, owner=request.user)


@require_GET
def index(request: HttpRequest) -> HttpResponse:
    """The library; only its shelf when htmx asks."""
    jobs = request.user.jobs.filter(dismissed=False).exclude(state__in=("done", "cancelled"))[:10]
    template = "library/shelf.html" if request.htmx else "library/index.html"
    return render(request, template, {"assemblies": _assemblies(request), "jobs": jobs})


@require_POST
def bring_in(request: HttpRequest) -> HttpResponse:
    """Take a file in and queue its reading."""
    form = BringInForm(request.POST, request.FILES)
    if not form.is_valid():
        raise PulleyError(" ".join(form.errors["file"]))
    job = services.accept(request.user, form.cleaned_data["file"])
    return render(request, "jobs/job.html", {"job": job}) if request.htmx else redirect("library")


@require_POST
def delete(request: HttpRequest, assembly_id: uuid.UUID) -> HttpResponse:
    """Delete an assembly with its teardowns."""
    assembly_of(request, assembly_id).delete()
    return HttpResponse()


def _model_etag(request: HttpRequest, assembly_id: uuid.UUID) -> str:
    return f'"{assembly_of(request, assembly_id).model}"'


def kept(key: str, ending: str, content_type: str) -> FileResponse:
    """A file of the store; its content never changes, so the browser may keep it."""
    response = FileResponse(services.store_file(key, ending).open("rb"), content_type=content_type)
    patch_cache_control(response, private=True, max_age=31536000, immutable=True)
    return response


@require_GET
@condition(etag_func=_model_etag)
def model(request: HttpRequest, assembly_id: uuid.UUID) -> FileResponse:
    """The GLB for the canvas."""
    return kept(assembly_of(request, assembly_id).model, "glb", "model/gltf-binary")


@require_GET
def picture(request: HttpRequest, assembly_id: uuid.UUID) -> FileResponse:
    """The picture on the library card."""
    return kept(assembly_of(request, assembly_id).picture, "png", "image/png")


@require_GET
def download(request: HttpRequest, assembly_id: uuid.UUID) -> FileResponse:
    """The file as it was brought in."""
    row = assembly_of(request, assembly_id)
    return FileResponse(services.uploaded(row.sha256).open("rb"), as_attachment=True, filename=row.file_name)
