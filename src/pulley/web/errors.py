"""What a user sees when something is refused or goes wrong: a sentence, a status, and what was kept."""

import errno
import logging
import sys
from collections.abc import Callable
from typing import Any

from django.contrib.auth.models import AnonymousUser
from django.core.exceptions import RequestDataTooBig
from django.db.utils import DatabaseError, InterfaceError, OperationalError
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render

from pulley.core.errors import PulleyError

Handler = Callable[[HttpRequest], HttpResponse]
DATABASE_AWAY = (
    "The database does not answer. Everything up to your last confirmed change is kept; "
    "this one was not made. Try again in a moment."
)
DISK_FULL = (
    "The disk of the machine that Pulley runs on is full, or may not be written to. Everything up to your last "
    "confirmed change is kept; this one was not made. Have room made there, then do it again."
)
NO_ROOM = (errno.ENOSPC, errno.EDQUOT, errno.EROFS)
# MariaDB's error codes for the same: writing failed, disk full, table full, read-only server, out of room in a log
DATABASE_NO_ROOM = (3, 1021, 1030, 1114, 1026, 1290, 1836)
ONLY_SENT_TO = "Nothing is to be seen at this address: it only takes what a page sends. Nothing was changed."
ONLY_SHOWS = "Nothing can be sent to this address: it only shows something. Nothing was changed."
TAKES_LONG = "That takes longer than Pulley waits for. It goes on meanwhile: ask for it again in a moment."


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
        response = get_response(request)
        return _other_method(request, response) if response.status_code == 405 else response

    def process_exception(request: HttpRequest, error: Exception) -> HttpResponse | None:
        if isinstance(error, PulleyError):
            if isinstance(error, Unsure):
                return say(request, str(error), 422, "#notice", sure=True)
            if not isinstance(error, Stale):
                return say(request, str(error), 422)
            response = say(request, str(error), 409, "#notice", differences=error.differences, again=True)
            response["HX-Trigger"] = "teardown-behind"
            return response
        if isinstance(error, TimeoutError):
            return say(request, TAKES_LONG, 503)
        return None

    middleware.process_exception = process_exception  # type: ignore[attr-defined]
    return middleware


def _other_method(request: HttpRequest, refusal: HttpResponse) -> HttpResponse:
    """405 in a sentence, with the methods that are answered, as RFC 9110 (15.5.6) asks for."""
    response = say(request, ONLY_SENT_TO if request.method in ("GET", "HEAD") else ONLY_SHOWS, 405)
    response["Allow"] = refusal["Allow"]
    return response


def say(request: HttpRequest, message: str, status: int, place: str | None = None, **more: Any) -> HttpResponse:
    """The message as a page, or in the page's notice (or ``place``) when htmx asked."""
    if request.headers.get("HX-Request") != "true":
        return render(request, "error.html", {"message": message}, status=status)
    response = render(request, "notice.html", {"message": message, **more}, status=status)
    response["HX-Retarget"] = place or request.headers.get("X-Notice") or "#notice"
    response["HX-Reswap"] = "innerHTML"
    return response


def unreadable(request: HttpRequest, exception: Exception | None = None) -> HttpResponse:
    """400, or 413 for what is too large."""
    if isinstance(exception, RequestDataTooBig):
        return _without_database(request, "That is more than Pulley takes in one go. Nothing was changed.", 413)
    message = "What was sent cannot be read. Reload the page and do that again; nothing was changed."
    return _without_database(request, message, 400)


def signed_out(request: HttpRequest) -> HttpResponse:
    """401, for a page whose session is over: it keeps what was asked for, and can sign in again where it is."""
    message = "You are signed out. Nothing is lost: sign in again, here or in another tab."
    return say(request, message, 401, "#notice", sign_in=True)


def locked_out(request: HttpRequest, *_: Any) -> HttpResponse:
    """429, after too many wrong passwords."""
    return say(request, "Too many wrong passwords. Wait a quarter of an hour, then try again.", 429)


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
    """507 when there is no room on the disk, 503 while the database is away; else 500, which is our mistake."""
    error = sys.exc_info()[1]
    if _no_room(error):
        logging.getLogger(__name__).error("There is no room to write: %s", error)
        return _without_database(request, DISK_FULL, 507)
    if isinstance(error, OperationalError | InterfaceError):
        logging.getLogger(__name__).warning("The database does not answer: %s", error)
        return _without_database(request, DATABASE_AWAY, 503)
    return _without_database(request, "Something went wrong in Pulley. Nothing was changed; reload the page.", 500)


def _no_room(error: BaseException | None) -> bool:
    """Whether an error says that a disk is full or read-only: ours, or the database's."""
    if isinstance(error, DatabaseError) and error.args:
        return error.args[0] in DATABASE_NO_ROOM
    return isinstance(error, OSError) and error.errno in NO_ROOM


def _without_database(request: HttpRequest, message: str, status: int) -> HttpResponse:
    """`say`, in templates that ask the database nothing (not even who is signed in)."""
    request.user = AnonymousUser()
    return say(request, message, status)
