"""Finding what a request is about: a sheet, a page of it."""

import uuid

from pulley.core.drawing.sheet import Page
from pulley.core.drawing.sheet import Sheet as CoreSheet
from pulley.web.accounts.policies import allowed_or_404
from pulley.web.accounts.requests import UserRequest
from pulley.web.sheets.models import Sheet


def sheet_of(request: UserRequest, sheet_id: uuid.UUID, deleted: bool = False) -> Sheet:
    """A sheet that the user may see, or 404; one that was deleted only when asked for."""
    shelf = Sheet.objects.select_related("teardown__assembly").filter(teardown__assembly__deleted=None)
    return allowed_or_404(request.user, shelf, pk=sheet_id, deleted__isnull=not deleted)


def page_of(sheet: CoreSheet, id: str) -> Page:
    """The page with this id, else the first."""
    return next((page for page in sheet.pages if page.id == id), sheet.pages[0])
