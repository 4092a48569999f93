"""Signing in: on a page of its own, or in the page that was being worked on."""

from django.contrib.auth.forms import AuthenticationForm
from django.contrib.auth.views import LoginView
from django.http import HttpResponse

from pulley.web.accounts.requests import UserRequest
from pulley.web.errors import say

WRONG = "Name and password do not match. Check both and try again."


class SignIn(LoginView):
    """Django's own, and for a page that asks by itself an answer without another page."""

    template_name = "accounts/sign_in.html"
    request: UserRequest

    def form_valid(self, form: AuthenticationForm) -> HttpResponse:
        """Signed in: on to where the user wanted to go, or on with what waits in the page."""
        response = super().form_valid(form)
        return HttpResponse(status=204, headers={"HX-Trigger": "signed-in"}) if self.request.htmx else response

    def form_invalid(self, form: AuthenticationForm) -> HttpResponse:
        """Not signed in: the form again."""
        if self.request.htmx:
            name = form.data.get("username", "")[:150]
            return say(self.request, WRONG, 422, "#notice", sign_in=True, name=name)
        return super().form_invalid(form)
