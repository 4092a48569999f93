"""Finding what a request is about: an assembly."""

import uuid

from pulley.web.accounts.policies import allowed_or_404
from pulley.web.accounts.requests import UserRequest
from pulley.web.library.models import Assembly


def assembly_of(request: UserRequest, assembly_id: uuid.UUID, deleted: bool = False) -> Assembly:
    """An assembly that the user may see, or 404; one that was deleted only when asked for."""
    return allowed_or_404(request.user, Assembly, pk=assembly_id, deleted__isnull=not deleted)
