"""What a request has by the time that a view sees it."""

from django.http import HttpRequest
from django_htmx.middleware import HtmxDetails

from pulley.web.accounts.models import User


class UserRequest(HttpRequest):
    """A request of somebody signed in, which middleware has looked at; for types only, nobody makes one."""

    user: User
    htmx: HtmxDetails
    is_demo: bool
