"""Signing in on the demo."""

from collections.abc import Callable

from django.conf import settings
from django.contrib.auth import get_user_model, login
from django.http import HttpRequest, HttpResponse

OPEN = ("/alive", "/watch/")  # for whoever has the address, signed in or not
LOOPBACK = ("127.0.0.1", "::1")


def sign_in_on_demo(get_response: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Middleware: in demo mode, whoever comes from this very machine is the demo user."""

    def middleware(request: HttpRequest) -> HttpResponse:
        request.is_demo = settings.DEMO
        wanted = settings.DEMO and request.META.get("REMOTE_ADDR") in LOOPBACK and not request.path.startswith(OPEN)
        if wanted and not request.user.is_authenticated:
            user = get_user_model().objects.filter(username=settings.DEMO_USER).first()
            if user:
                login(request, user, "django.contrib.auth.backends.ModelBackend")
        return get_response(request)

    return middleware
