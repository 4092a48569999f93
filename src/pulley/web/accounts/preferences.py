"""Changing how the program works with a user."""

import re

from django.http import HttpResponse
from django.views.decorators.http import require_POST

from pulley.core.errors import PulleyError
from pulley.core.quantities import UNITS, parse_length
from pulley.web.accounts.models import preferences_of
from pulley.web.accounts.requests import UserRequest
from pulley.web.door import sent_by

LAST_OF_GUIDE = 6  # one more than its steps: it is done


@require_POST
def change(request: UserRequest) -> HttpResponse:
    """Take on what the page sent: unit, pitch (``auto``, ``off`` or a length), hints, step of the guide."""
    chosen, sent = preferences_of(request.user), sent_by(request)
    if "unit_wanted" in sent:
        if sent["unit_wanted"] not in UNITS:
            raise PulleyError("Choose mm, cm or in.")
        chosen.unit = sent["unit_wanted"]
    if "pitch" in sent:
        chosen.pitch = _pitch(sent["pitch"], chosen.unit)
    if "hints" in sent:
        chosen.hints = sent["hints"] == "on"
    if re.fullmatch("[0-9]{1,3}", sent.get("guide", "")):
        chosen.guide = min(int(sent["guide"]), LAST_OF_GUIDE)
    chosen.save()
    response = HttpResponse(status=204)
    response["HX-Trigger"] = "teardown-behind"
    return response


def _pitch(text: str, unit: str) -> float | None:
    if text.strip().lower() in ("", "auto"):
        return None
    if text.strip().lower() in ("off", "0"):
        return 0.0
    pitch = parse_length(text, unit)
    if not 0.001 <= pitch <= 1e4:
        raise PulleyError("A pitch is from 0.001 mm to 10 m. To let drags go anywhere, type off.")
    return pitch
