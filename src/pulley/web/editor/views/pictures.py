"""Pictures of steps and of saved views, drawn once and kept."""

import io
import uuid

from django.http import FileResponse, HttpResponse, HttpResponseBase
from django.utils.cache import patch_cache_control
from django.views.decorators.http import require_GET

from pulley.core import teardown as core
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

CARD_PICTURE, VIEW_PICTURE = (104, 80), (312, 240)  # pixels


@require_GET
def step_picture(request: UserRequest, teardown_id: uuid.UUID, number: int) -> HttpResponseBase:
    """The pose after so many steps, small; drawn once and kept. Empty when the teardown has moved on since
    the card that asks (its address holds what the picture depends on): that card is about to go."""
    row = teardown_of(request, teardown_id)
    teardown = services.teardown_at(row, whole(sent_by(request).get("at")))
    key = pose_keys(teardown)[number] if number <= len(teardown.steps) else None
    if key is None or sent_by(request).get("v", "") != key:
        return HttpResponse(status=204, headers={"Cache-Control": "no-store"})
    return _picture(row, teardown, key, number, _step_camera(teardown, number), CARD_PICTURE)


@require_GET
def view_picture(request: UserRequest, teardown_id: uuid.UUID, camera: str) -> HttpResponseBase:
    """What is seen from a saved view at the end; empty, as above, when the page is behind."""
    row = teardown_of(request, teardown_id)
    teardown = services.teardown_at(row)
    seen_from = next((view for view in teardown.cameras if view.id == camera), None)
    key = presenters.view_key(teardown, seen_from, pose_keys(teardown)[-1]) if seen_from else ""
    if seen_from is None or sent_by(request).get("v", "") != key:
        return HttpResponse(status=204, headers={"Cache-Control": "no-store"})
    return _picture(row, teardown, key, len(teardown.steps), seen_from, VIEW_PICTURE)


def _picture(
    row: Teardown, teardown: core.Teardown, key: str, played: int, seen_from: core.Camera | None, size: tuple[int, int]
) -> FileResponse:
    """Everything as it stands after so many steps, drawn once and kept."""
    assembly = core_assembly(row.assembly)
    name = place_of(f"{row.assembly.model[:8]}{key}", ".card.png")
    picture = geometry.found(name)
    if not is_whole(picture):
        state = displacements(assembly, teardown)[played]
        shown = {p: pose for p, pose in poses_at(assembly, state).items() if p not in set(teardown.hidden)}
        picture = png(assembly, shown, seen_from, size)
        geometry.write(name, picture)
    response = FileResponse(io.BytesIO(picture), content_type="image/png")
    patch_cache_control(response, private=True, max_age=86400)
    return response


def _step_camera(teardown: core.Teardown, number: int) -> core.Camera | None:
    wanted = teardown.steps[number - 1].view.camera if number else None
    return next((camera for camera in teardown.cameras if camera.id == wanted), None)
