"""What every page is told besides what its view tells it."""

from django.conf import settings
from django.http import HttpRequest


def fineness(_request: HttpRequest) -> dict[str, float]:
    """How fine the canvas is drawn where no graphics card does it: its pixels to one of the page."""
    return {"fine": settings.FINE}
