"""What comes in, before anything works with it: not too large, and text that can be kept."""

import re
from collections.abc import Callable
from typing import overload

from django.conf import settings
from django.contrib.auth.models import AnonymousUser
from django.http import HttpRequest, HttpResponse

from pulley.core.errors import PulleyError
from pulley.core.formats.strict_json import writable
from pulley.web.errors import say

CHUNK = 2**20
PATIENCE = 2**31  # bytes that are read and thrown away so that the browser gets to see the answer
UNREADABLE = "The page sent something that cannot be read. Reload it and do that again; nothing was changed."


def sent_by(request: HttpRequest) -> dict[str, str]:
    """What a page sent, each field once; PulleyError for text that cannot be kept."""
    sent = (request.POST if request.method == "POST" else request.GET).dict()
    if not all(writable(key + value) for key, value in sent.items()):
        raise PulleyError(UNREADABLE)
    return sent


@overload
def whole(text: str | None) -> int | None: ...


@overload
def whole(text: str | None, otherwise: int) -> int: ...


def whole(text: str | None, otherwise: int | None = None) -> int | None:
    """A whole number that the page sent, or ``otherwise``."""
    return int(text) if text and re.fullmatch(r"-?[0-9]{1,9}", text) else otherwise


def refuse_huge(get_response: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Middleware: a request larger than any file that Pulley reads gets 413 and a sentence."""

    def middleware(request: HttpRequest) -> HttpResponse:
        size = int(request.META.get("CONTENT_LENGTH") or 0)
        if size <= settings.UPLOAD_LIMIT + CHUNK:
            return get_response(request)
        left = min(size, PATIENCE)
        while left > 0 and (chunk := request.META["wsgi.input"].read(min(CHUNK, left))):
            left -= len(chunk)
        limit = settings.UPLOAD_LIMIT // 2**20
        message = f"The file has {size / 2**20:.0f} MB; {limit} MB fit. Split the assembly. Nothing was brought in."
        request.user = AnonymousUser()
        return say(request, message, 413)

    return middleware
