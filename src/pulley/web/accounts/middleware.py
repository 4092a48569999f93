"""Who asks: the demo user on this very machine, somebody signed in, or nobody."""

import re
from collections.abc import Callable
from typing import Any

from django.conf import settings
from django.contrib.auth import get_user_model
from django.contrib.auth.middleware import LoginRequiredMiddleware
from django.contrib.auth.models import AnonymousUser
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.urls import reverse

from pulley.web.errors import say, signed_out

OPEN = ("/alive", "/watch/")  # for whoever has the address, signed in or not
LOOPBACK = ("127.0.0.1", "::1")
NAMES = ("127.0.0.1", "localhost", "[::1]")  # what this machine is called by whoever sits at it
# what a proxy adds, or leaves out: a browser on this machine speaks HTTP/1.1 and sends none of them
PASSED_ON: tuple[str, ...] = (
    "HTTP_FORWARDED",
    "HTTP_X_FORWARDED_FOR",
    "HTTP_X_FORWARDED_HOST",
    "HTTP_X_FORWARDED_PROTO",
)
PASSED_ON += ("HTTP_X_REAL_IP", "HTTP_VIA", "HTTP_CF_CONNECTING_IP", "HTTP_X_FORWARDED_SERVER")
ELSEWHERE = (
    "The demo answers on its own machine only, to whoever sits at it. "
    "To let others in, start Pulley with ./pulley serve and make users for them."
)


def from_here(request: HttpRequest) -> bool:
    """Whether a request comes from this very machine, and not through a proxy on it."""
    sent = request.META
    host = re.sub(r":\d+$", "", sent.get("HTTP_HOST", NAMES[0]))
    passed_on = any(name in sent for name in PASSED_ON) or sent.get("SERVER_PROTOCOL") == "HTTP/1.0"
    return sent.get("REMOTE_ADDR") in LOOPBACK and host in NAMES and not passed_on


def sign_in_on_demo(get_response: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Middleware: in demo mode, whoever comes from this very machine is the demo user, without a session; nobody
    else gets an answer."""

    def middleware(request: HttpRequest) -> HttpResponse:
        request.is_demo = settings.DEMO  # type: ignore[attr-defined]
        if settings.DEMO and not request.path.startswith(OPEN):
            if not from_here(request):
                request.user = AnonymousUser()
                return say(request, ELSEWHERE, 403)
            if not request.user.is_authenticated:
                user = get_user_model().objects.filter(username=settings.DEMO_USER).first()
                request.user = user or request.user
        return get_response(request)

    return middleware


class SignedIn(LoginRequiredMiddleware):
    """Nobody in particular is sent to sign in; a page that asks by itself is told, since it would follow unseen."""

    def handle_no_permission(self, request: HttpRequest, view_func: Any) -> HttpResponse:  # type: ignore[override]
        """The sign-in page for a browser that goes to an address, 401 for what a page asks for."""
        goes_there = request.headers.get("Sec-Fetch-Mode", "navigate") == "navigate"
        if request.headers.get("HX-Request") == "true" or not goes_there:
            return signed_out(request)
        if request.method != "GET":  # what was pressed is not done, and its address cannot be gone to afterwards
            return redirect(f"{reverse('login')}?next=/&again=1")
        return super().handle_no_permission(request, view_func)


def kept_nowhere(get_response: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Middleware: a browser keeps no copy of an answer that does not say for how long it holds."""

    def middleware(request: HttpRequest) -> HttpResponse:
        response = get_response(request)
        response.headers.setdefault("Cache-Control", "no-store, private")
        return response

    return middleware
