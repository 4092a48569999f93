"""Links: made, limited and taken back by the owner; and the page that they lead to, for whoever has one."""

import json
import re
import uuid
from datetime import date
from typing import Any

from csp.decorators import csp_replace
from django.contrib.auth.decorators import login_not_required
from django.db.models import F
from django.http import FileResponse, Http404, HttpResponse, HttpResponseNotAllowed
from django.http.response import HttpResponseBase
from django.shortcuts import redirect, render
from django.utils import timezone
from django.views.decorators.cache import never_cache
from django.views.decorators.clickjacking import xframe_options_exempt
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from pulley.core.errors import PulleyError
from pulley.core.publish.watched import seen
from pulley.core.score.compose import compose
from pulley.web.accounts.policies import allowed_or_404
from pulley.web.accounts.requests import UserRequest
from pulley.web.door import sent_by
from pulley.web.editor import presenters, services
from pulley.web.editor.lookups import teardown_of
from pulley.web.library.services import core_assembly
from pulley.web.library.views import made
from pulley.web.publishing.models import Link, Publication
from pulley.web.publishing.presenters import name_of
from pulley.web.publishing.views import send

GONE = "This link leads nowhere: it was taken back, or its address is incomplete. Ask whoever sent it for another."
OVER = "This link was good until {day}. Ask whoever sent it for another."
SITE = re.compile(r"https?://[A-Za-z0-9.-]{1,200}(:\d{1,5})?")


def _link(token: str) -> Link:
    """The link behind an address; 404 when there is none, it was revoked or is over, or its owner has left."""
    found = Link.objects.select_related("teardown__assembly__owner").filter(token=token, revoked=None).first()
    if found is None or found.teardown.deleted or found.teardown.assembly.deleted:
        raise Http404(GONE)
    if not found.teardown.assembly.owner.is_active:
        raise Http404(GONE)
    if found.expired and found.expires:
        raise Http404(OVER.format(day=f"{found.expires:%-d %B %Y}"))
    return found


def _list(request: UserRequest, teardown_id: uuid.UUID) -> HttpResponse:
    row = teardown_of(request, teardown_id)
    links = [
        {"link": link, "address": request.build_absolute_uri(f"/watch/{link.token}/")}
        for link in row.links.filter(revoked=None)
    ]
    return render(request, "publishing/links.html", {"teardown": row, "links": links})


@require_GET
def links(request: UserRequest, teardown_id: uuid.UUID) -> HttpResponse:
    """The links of a teardown that still lead to it."""
    return _list(request, teardown_id)


@require_POST
def share(request: UserRequest, teardown_id: uuid.UUID) -> HttpResponse:
    """One link more."""
    Link.objects.create(teardown=teardown_of(request, teardown_id))
    return _list(request, teardown_id)


def _own(request: UserRequest, teardown_id: uuid.UUID, token: str) -> Link:
    row = teardown_of(request, teardown_id)
    return allowed_or_404(request.user, Link.objects.filter(teardown=row, revoked=None), token=token)


@require_POST
def revoke(request: UserRequest, teardown_id: uuid.UUID, token: str) -> HttpResponse:
    """A link taken back: whoever has it sees nothing from now on."""
    row = teardown_of(request, teardown_id)
    row.links.filter(token=token).update(revoked=timezone.now())
    return _list(request, teardown_id)


@require_POST
def limit(request: UserRequest, teardown_id: uuid.UUID, token: str) -> HttpResponse:
    """What a link allows, until when, and to whom."""
    link, asked = _own(request, teardown_id, token), sent_by(request)
    link.expires = _day(asked.get("expires", ""))
    link.sites = _sites(asked.get("sites", ""))
    link.downloads = "downloads" in asked
    if "no_password" in asked:
        link.set_password("")
    elif asked.get("password"):
        link.set_password(asked["password"][:100])
    if link.sites and link.password:
        raise PulleyError(
            "A page on another site cannot ask for a password. Give up one of the two; nothing was changed."
        )
    link.save(update_fields=["expires", "sites", "downloads", "password"])  # it may be taken back, and seen, just now
    return _list(request, teardown_id)


def _day(text: str) -> date | None:
    if not text:
        return None
    try:
        return date.fromisoformat(text)
    except ValueError as error:
        raise PulleyError("That is no day. Choose one from the calendar; nothing was changed.") from error


def _sites(text: str) -> str:
    sites = text.replace(",", " ").split()
    for site in sites:
        if not SITE.fullmatch(site.rstrip("/")):
            raise PulleyError(
                f"“{site[:60]}” is no site. Give its address alone, such as https://shop.example; nothing was changed."
            )
    return " ".join(site.rstrip("/") for site in sites)[:1000]


def _may_see(request: UserRequest, link: Link) -> bool:
    return not link.password or request.session.get(f"watch-{link.pk}") == link.password[-20:]


@require_http_methods(["GET", "POST"])
@login_not_required
@never_cache
@xframe_options_exempt
def watch(request: UserRequest, token: str) -> HttpResponseBase:
    """The teardown to be watched: canvas, steps and playing, and nothing of the editor."""
    try:
        link = _link(token)
    except Http404 as error:
        return render(request, "error.html", {"message": str(error)}, status=404)
    if request.method == "POST" and not link.password:
        return HttpResponseNotAllowed(["GET"])
    if request.method == "POST" and link.opens_with(sent_by(request).get("password", "")):
        request.session[f"watch-{link.pk}"] = link.password[-20:]
        return redirect("watch", token)
    if not _may_see(request, link):
        wrong = request.method == "POST"
        return render(request, "publishing/password.html", {"wrong": wrong}, status=403 if wrong else 200)
    if link.teardown.assembly.owner != request.user:
        Link.objects.filter(pk=link.pk).update(views=F("views") + 1)
    response = render(request, "publishing/watch.html", _watched(link))
    return csp_replace({"frame-ancestors": link.sites.split()})(lambda _: response)(request) if link.sites else response


def _watched(link: Link) -> dict[str, Any]:
    row = link.teardown
    assembly, teardown = core_assembly(row.assembly), services.teardown_at(row)
    score = compose(assembly, teardown)
    files = row.publications.exclude(file="") if link.downloads else []
    return {
        "token": link.token,
        "teardown": row,
        "assembly": row.assembly,
        "steps": [(step, bar) for step, bar in zip(teardown.steps, score.steps, strict=True) if not step.off],
        "cameras": teardown.cameras,
        "duration": score.duration,
        "speeds": presenters.SPEEDS,
        "state": json.dumps(seen(assembly, teardown, score)),
        "files": [(publication, name_of(publication.wish)) for publication in files],
    }


@require_GET
@login_not_required
def model(request: UserRequest, token: str) -> FileResponse:
    """The GLB of what is watched."""
    link = _link(token)
    if not _may_see(request, link):
        raise Http404(GONE)
    return made(link.teardown.assembly, "model", "model/gltf-binary")


@require_GET
@login_not_required
def download(request: UserRequest, token: str, publication_id: uuid.UUID) -> HttpResponseBase:
    """A file of what is watched, where the link allows it."""
    link = _link(token)
    publication = Publication.objects.filter(pk=publication_id, teardown=link.teardown).first()
    if not link.downloads or not _may_see(request, link) or publication is None:
        raise Http404(GONE)
    return send(request, publication, True)
