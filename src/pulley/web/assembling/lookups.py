"""Finding what a request is about: an arrangement."""

import uuid

from pulley.web.accounts.policies import allowed_or_404
from pulley.web.accounts.requests import UserRequest
from pulley.web.assembling.models import Arrangement


def arrangement_of(request: UserRequest, arrangement_id: uuid.UUID) -> Arrangement:
    """An arrangement that the user may see, or 404."""
    shelf = Arrangement.objects.select_related("based__of").filter(deleted=None, based__deleted=None)
    return allowed_or_404(request.user, shelf, pk=arrangement_id)
