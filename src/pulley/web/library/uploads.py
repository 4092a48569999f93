"""Refusing what is too large before anything reads it into memory or onto the disk."""

from collections.abc import Callable

from django.conf import settings
from django.http import HttpRequest, HttpResponse

from pulley.web.errors import say

CHUNK = 2**20
PATIENCE = 2**31  # bytes that are read and thrown away so that the browser gets to see the answer


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
        request.user = None
        return say(request, message, 413)

    return middleware
