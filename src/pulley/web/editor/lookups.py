"""Finding what a request is about: a teardown."""

import uuid

from pulley.web.accounts.policies import allowed_or_404
from pulley.web.accounts.requests import UserRequest
from pulley.web.editor.models import Teardown


def teardown_of(request: UserRequest, teardown_id: uuid.UUID, deleted: bool = False) -> Teardown:
    """A teardown that the user may see, or 404; one that was deleted only when asked for."""
    shelf = Teardown.objects.select_related("assembly").filter(assembly__deleted=None)
    return allowed_or_404(request.user, shelf, pk=teardown_id, deleted__isnull=not deleted)
