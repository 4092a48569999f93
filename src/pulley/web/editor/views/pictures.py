"""Pictures of steps and of saved views, drawn once and kept."""

import io
import uuid
from collections.abc import Callable

from django.http import FileResponse, HttpResponse, HttpResponseBase
from django.utils.cache import patch_cache_control
from django.views.decorators.http import require_GET

from pulley.core import teardown as core
from pulley.core.assembly import Assembly
from pulley.core.camera import opened
from pulley.core.publish.cards import step_card
from pulley.core.render.painter import is_whole, png
from pulley.core.score.stages import displacements, poses_at
from pulley.web.accounts.requests import UserRequest
from pulley.web.door import sent_by, whole
from pulley.web.editor import presenters, services
from pulley.web.editor.lookups import teardown_of
from pulley.web.editor.models import Teardown
from pulley.web.editor.presenters.cards import pose_keys
from pulley.web.library.files import geometry, place_of
from pulley.web.library.services import core_assembly

CARD_PICTURE, VIEW_PICTURE = (256, 192), (312, 240)  # pixels


@require_GET
def step_picture(request: UserRequest, teardown_id: uuid.UUID, number: int) -> HttpResponseBase:
    """The pose after so many steps, small; drawn once and kept. Empty when the teardown has moved on since
    the card that asks (its address holds what the picture depends on): that card is about to go."""
    row = teardown_of(request, teardown_id)
    teardown = services.teardown_at(row, whole(sent_by(request).get("at")))
    key = pose_keys(teardown)[number] if number <= len(teardown.steps) else None
    if key is None or sent_by(request).get("v", "") != key:
        return HttpResponse(status=204, headers={"Cache-Control": "no-store"})
    return _kept(row, key, lambda assembly: step_card(assembly, teardown, number, CARD_PICTURE))


@require_GET
def view_picture(request: UserRequest, teardown_id: uuid.UUID, camera: str) -> HttpResponseBase:
    """What is seen from a saved view at the end; empty, as above, when the page is behind."""
    row = teardown_of(request, teardown_id)
    teardown = services.teardown_at(row)
    seen_from = next((view for view in teardown.cameras if view.id == camera), None)
    key = presenters.view_key(teardown, seen_from, pose_keys(teardown)[-1]) if seen_from else ""
    if seen_from is None or sent_by(request).get("v", "") != key:
        return HttpResponse(status=204, headers={"Cache-Control": "no-store"})
    return _kept(row, key, lambda assembly: _view_drawn(assembly, teardown, seen_from))


def _view_drawn(assembly: Assembly, teardown: core.Teardown, seen_from: core.Camera) -> bytes:
    """Everything as it stands at the end, from a saved view."""
    state = displacements(assembly, teardown)[-1]
    shown = {p: pose for p, pose in poses_at(assembly, state).items() if p not in set(teardown.hidden)}
    return png(assembly, shown, opened(seen_from, VIEW_PICTURE), VIEW_PICTURE)


def _kept(row: Teardown, key: str, drawn: Callable[[Assembly], bytes]) -> FileResponse:
    """A picture of that key; ``drawn`` once and kept."""
    name = place_of(f"{row.assembly.model[:8]}{key}", ".card.png")
    picture = geometry.found(name)
    if not is_whole(picture):
        picture = drawn(core_assembly(row.assembly))
        geometry.write(name, picture)
    response = FileResponse(io.BytesIO(picture), content_type="image/png")
    patch_cache_control(response, private=True, max_age=86400)
    return response
