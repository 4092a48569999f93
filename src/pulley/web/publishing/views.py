"""The publish page: the files of a teardown, their settings, and what was made."""

import base64
import uuid

from django.http import Http404, HttpResponse
from django.http.response import HttpResponseBase
from django.shortcuts import render
from django.utils.text import slugify
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_GET, require_POST

from pulley.core.errors import PulleyError
from pulley.core.publish.settings import CODECS, film_for
from pulley.core.publish.wishes import ENDINGS, Wish
from pulley.web.accounts.policies import allowed_or_404
from pulley.web.accounts.requests import UserRequest
from pulley.web.door import sent_by
from pulley.web.editor import services as editor
from pulley.web.editor.lookups import teardown_of
from pulley.web.jobs import services as jobs
from pulley.web.publishing import presenters, services
from pulley.web.publishing.forms import WishForm
from pulley.web.publishing.models import Publication
from pulley.web.publishing.ranged import sent

SCRIPTED = ("html", "svg")
# a file that shows itself runs its scripts apart from Pulley: with no cookies, no address of ours, no network
SANDBOX = "sandbox allow-scripts; default-src 'none'; script-src 'unsafe-inline' data:; style-src 'unsafe-inline'; font-src data:; img-src data: blob:; connect-src blob: data:"  # noqa: E501

STOP_ASKING = 286  # htmx takes that status for the end of asking again and again


def publication_of(request: UserRequest, publication_id: uuid.UUID) -> Publication:
    """A file of a teardown that the user may see; 404 when there is none."""
    shelf = Publication.objects.select_related("teardown__assembly", "job").filter(
        teardown__deleted=None, teardown__assembly__deleted=None
    )
    return allowed_or_404(request.user, shelf, pk=publication_id)


@require_GET
@never_cache
def publish(request: UserRequest, teardown_id: uuid.UUID) -> HttpResponse:
    """The publish page."""
    return render(request, "publishing/publish.html", presenters.context(teardown_of(request, teardown_id)))


def _line(request: UserRequest, publication: Publication, form: WishForm | None = None) -> HttpResponse:
    """A file's whole line; with its settings open when something is wrong with them."""
    row = presenters.Row(publication, form)
    return _told(render(request, "publishing/file.html", {"file": row, "open": form is not None}))


def _state(request: UserRequest, publication: Publication) -> HttpResponse:
    """What a file's line says of how far it is; whoever has its settings open keeps them as they are."""
    return _told(render(request, "publishing/state.html", {"file": presenters.Row(publication)}))


def _told(response: HttpResponse) -> HttpResponse:
    """A response by which the page learns that what is to be made may have changed."""
    response["HX-Trigger"] = "files-changed"
    return response


@require_POST
def publish_all(request: UserRequest, teardown_id: uuid.UUID) -> HttpResponse:
    """Have all that is kept up to date made, as far as it is not."""
    row = teardown_of(request, teardown_id)
    services.ask_for_all(row, request.user)
    return render(request, "publishing/count.html", presenters.context(row) | {"with_states": True})


@require_GET
@never_cache
def count(request: UserRequest, teardown_id: uuid.UUID) -> HttpResponse:
    """The line above the files: how many are to be made."""
    return render(request, "publishing/count.html", presenters.context(teardown_of(request, teardown_id)))


@require_POST
def add(request: UserRequest, teardown_id: uuid.UUID) -> HttpResponse:
    """One more file that is wanted."""
    ending, _, of = sent_by(request).get("kind", "").partition(":")
    wish = Wish(ending, of, film=film_for(ending)) if ending in CODECS else Wish(ending, of)
    return _line(request, services.add(teardown_of(request, teardown_id), wish))


@require_GET
@never_cache
def state(request: UserRequest, publication_id: uuid.UUID) -> HttpResponse:
    """How far a file is; what is shown asks again by itself until it is made, and only then is that news. Once the file
    is taken away it is told to ask no more."""
    try:
        publication = publication_of(request, publication_id)
    except Http404:
        if not request.htmx:
            raise
        return HttpResponse(status=STOP_ASKING, headers={"HX-Reswap": "none"})
    response = render(request, "publishing/state.html", {"file": presenters.Row(publication)})
    if publication.under_way:
        return response
    response["HX-Reswap"] = "outerHTML"  # until then it is morphed: a button may be pressed just now
    return _told(response)


@require_POST
def make(request: UserRequest, publication_id: uuid.UUID) -> HttpResponse:
    """Have a file made, of the teardown as it is now."""
    publication = publication_of(request, publication_id)
    services.ask(publication, request.user)
    return _state(request, publication)


@require_POST
def stop(request: UserRequest, publication_id: uuid.UUID) -> HttpResponse:
    """Stop making a file; what is finished of a film is kept."""
    publication = publication_of(request, publication_id)
    if publication.job:
        jobs.ask_to_stop(publication.job)
        publication.job.refresh_from_db()
    return _state(request, publication)


@require_POST
def keep(request: UserRequest, publication_id: uuid.UUID) -> HttpResponse:
    """Let "Publish" bring a file up to date, or leave it."""
    publication = publication_of(request, publication_id)
    services.keep(publication, kept="kept" in sent_by(request))
    return _told(HttpResponse())


@require_POST
def settings(request: UserRequest, publication_id: uuid.UUID) -> HttpResponse:
    """How a file is to be made from now on."""
    publication = publication_of(request, publication_id)
    teardown = editor.teardown_at(publication.teardown)
    sent_by(request)
    form = presenters.settings_form(publication, teardown, request.POST, request.FILES)
    if form is None:
        return _line(request, publication)
    try:
        if form.is_valid():
            services.change(publication, form.wanted())
            return _line(request, publication)
    except PulleyError as error:
        form.add_error(None, str(error))
    return _line(request, publication, form)


@require_POST
def first(request: UserRequest, publication_id: uuid.UUID) -> HttpResponse:
    """What a film would begin with, with the settings as they are typed; nothing is kept."""
    publication = publication_of(request, publication_id)
    teardown = editor.teardown_at(publication.teardown)
    form = presenters.settings_form(publication, teardown, request.POST, request.FILES)
    if form is None or not form.is_valid():
        wrong = "; ".join(f"{name}: {words[0]}" for name, words in form.errors.items()) if form else "no settings"
        raise PulleyError(f"There is nothing to show yet. {wrong}")
    picture = services.first_look(publication.teardown, form.wanted())
    address = f"data:image/png;base64,{base64.b64encode(picture).decode()}"
    return render(request, "publishing/first.html", {"address": address})


@require_POST
def remove(request: UserRequest, publication_id: uuid.UUID) -> HttpResponse:
    """Take a file away, with what was made."""
    services.remove(publication_of(request, publication_id))
    return _told(HttpResponse())


@require_GET
def file(request: UserRequest, publication_id: uuid.UUID) -> HttpResponseBase:
    """What was made, to be looked at or downloaded."""
    return send(request, publication_of(request, publication_id), "download" in sent_by(request))


def send(request: UserRequest, publication: Publication, download: bool) -> HttpResponseBase:
    """The file of a publication; 404 when it was never made, or the storage has lost it."""
    storage = services.made()
    if not publication.file or not storage.exists(publication.file):
        raise Http404("This file is not there any more. Make it again.")
    ending = publication.file.rpartition(".")[2]
    name = f"{slugify(publication.teardown.name) or 'teardown'}.{ending}"
    found = storage.open(publication.file)
    response = sent(request, found, storage.size(publication.file), ENDINGS[ending], name, download)
    if ending in SCRIPTED:
        response["Content-Security-Policy"] = SANDBOX
    response["Cache-Control"] = "private, no-cache"
    response["X-Content-Type-Options"] = "nosniff"
    return response
