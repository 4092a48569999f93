"""What a user sees when something is refused or goes wrong: a sentence, a status, and what was kept."""

import logging
import sys
from collections.abc import Callable
from typing import Any

from django.db.utils import InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render

from pulley.core.errors import PulleyError

Handler = Callable[[HttpRequest], HttpResponse]
DATABASE_AWAY = (
    "The database does not answer. Everything up to your last confirmed change is kept; "
    "this one was not made. Try again in a moment."
)


class Stale(PulleyError):  # noqa: N818
    """A change was asked for on an older state of a teardown than the one that is kept; ``differences`` say what
    that has which the older had not."""

    def __init__(self, message: str, differences: list[str] | None = None) -> None:
        super().__init__(message)
        self.differences = differences or []


class Unsure(PulleyError):  # noqa: N818
    """A change that the user should know more about before it is made: it can be asked for again, to be sure."""


def explain(get_response: Handler) -> Handler:
    """Middleware: what core refuses becomes a sentence in the page."""

    def middleware(request: HttpRequest) -> HttpResponse:
        return get_response(request)

    def process_exception(request: HttpRequest, error: Exception) -> HttpResponse | None:
        if isinstance(error, PulleyError):
            if isinstance(error, Unsure):
                return say(request, str(error), 422, "#notice", sure=True)
            if not isinstance(error, Stale):
                return say(request, str(error), 422)
            response = say(request, str(error), 409, "#notice", differences=error.differences, again=True)
            response["HX-Trigger"] = "teardown-behind"
            return response
        return None

    middleware.process_exception = process_exception
    return middleware


def say(request: HttpRequest, message: str, status: int, place: str | None = None, **more: Any) -> HttpResponse:
    """The message as a page, or in the page's notice (or ``place``) when htmx asked."""
    if request.headers.get("HX-Request") != "true":
        return render(request, "error.html", {"message": message}, status=status)
    response = render(request, "notice.html", {"message": message, **more}, status=status)
    response["HX-Retarget"] = place or request.headers.get("X-Notice") or "#notice"
    response["HX-Reswap"] = "innerHTML"
    return response


def refused(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    """403."""
    return say(request, "That is not yours to see. Sign in with the user it belongs to.", 403)


def forged(request: HttpRequest, reason: str = "") -> HttpResponse:
    """403 where the form's token is missing or old."""
    return say(request, "This page is out of date. Reload it and do that again; nothing was changed.", 403)


def missing(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    """404."""
    return say(request, "There is nothing here. It may have been deleted, or the address is incomplete.", 404)


def broken(request: HttpRequest) -> HttpResponse:
    """503 while the database is away; else 500, which is our mistake, never the user's."""
    if isinstance(sys.exc_info()[1], OperationalError | InterfaceError):
        logging.getLogger(__name__).warning("The database does not answer: %s", sys.exc_info()[1])
        return _without_database(request, DATABASE_AWAY, 503)
    return _without_database(request, "Something went wrong in Pulley. Nothing was changed; reload the page.", 500)


def _without_database(request: HttpRequest, message: str, status: int) -> HttpResponse:
    """`say`, in templates that ask the database nothing (not even who is signed in)."""
    request.user = None
    return say(request, message, status)
