"""Who may do what: the one place where that is decided.

Today everything belongs to one user, who may do everything with it, and nobody else anything. What a team may do will
be decided here as well.
"""

from typing import TypeVar

from django.contrib.auth.models import AnonymousUser
from django.db.models import Model, QuerySet
from django.shortcuts import get_object_or_404

from pulley.web.accounts.models import User

OWNER = {  # the way from what is asked for to the user whose it is
    "library.Assembly": "owner",
    "editor.Teardown": "assembly__owner",
    "sheets.Sheet": "teardown__assembly__owner",
    "sheets.Pattern": "owner",
    "jobs.Job": "owner",
    "assembling.Arrangement": "owner",
    "publishing.Publication": "teardown__assembly__owner",
    "publishing.Link": "teardown__assembly__owner",
}
M = TypeVar("M", bound=Model)


def allowed(user: User | AnonymousUser, of: type[M]) -> "QuerySet[M]":
    """All of a kind that a user may see and change."""
    return of._default_manager.filter(**{OWNER[of._meta.label]: user})


def allowed_or_404(user: User | AnonymousUser, of: "type[M] | QuerySet[M]", **wanted: object) -> M:
    """The one of a kind that is wanted; 404 when there is none, or it is somebody else's: nobody learns which."""
    model = of if isinstance(of, type) else of.model
    some = allowed(user, model) if isinstance(of, type) else of.filter(**{OWNER[model._meta.label]: user})
    return get_object_or_404(some, **wanted)
