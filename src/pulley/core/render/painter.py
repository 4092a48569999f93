"""Scenes to pixels: by a graphics card where the machine has one, else by the processor; both draw the same."""

import io
import logging
from collections.abc import Mapping
from functools import cache
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from pulley.core.assembly import Assembly
from pulley.core.geometry.frames import Pose
from pulley.core.render import software
from pulley.core.render.scene import Scene, plain_scene
from pulley.core.teardown import Camera

Pixels = NDArray[np.uint8]
DEVICES = "/dev/dri/renderD*", "/dev/nvidia0"  # where Linux shows a graphics card
log = logging.getLogger(__name__)


def render(scene: Scene, size: tuple[int, int], soft: bool = True) -> Pixels:
    """A picture of a scene.

    Parameters
    ----------
    scene : Scene
    size : width and height in pixels
    soft : bool
        Whether corners and clefts are darker, so that depth is read.

    Returns
    -------
    (height, width, 4) uint8
        sRGB and opacity, not multiplied into the colours.
    """
    if has_card():
        from pulley.core.render import card

        try:
            return card.paint(scene, size, soft)
        except Exception:  # whatever a driver fails with, out of memory or taken away
            log.exception("The graphics card failed over a picture; the processor draws it")
    return software.paint(scene, size, soft)


@cache
def has_card() -> bool:
    """Whether the machine has a graphics card that draws by itself; software that poses as one is slower than ours."""
    if not any(found for pattern in DEVICES for found in Path("/").glob(pattern.lstrip("/"))):
        return False
    from pulley.core.render import card

    name = card.name()
    log.info("Pictures are drawn by %s", name or "the processor")
    return name is not None and "llvmpipe" not in name and "softpipe" not in name and "SwiftShader" not in name


def png(
    assembly: Assembly,
    poses: Mapping[str, Pose],
    camera: Camera | None = None,
    size: tuple[int, int] = (320, 240),
) -> bytes:
    """A PNG of the leaves in ``poses`` where they stand; by default in a quarter view fitted to them."""
    return encoded(render(plain_scene(assembly, poses, camera, size[0] / size[1]), size))


def encoded(pixels: Pixels) -> bytes:
    """A picture (h, w, 4) as PNG; without opacity where all of it is opaque."""
    buffer = io.BytesIO()
    opaque = bool((pixels[:, :, 3] == 255).all())
    Image.fromarray(pixels[:, :, :3] if opaque else pixels).save(buffer, "PNG")
    return buffer.getvalue()


def is_whole(picture: bytes) -> bool:
    """Whether a picture is there down to its last chunk (ISO/IEC 15948, 5.6: a PNG ends with IEND)."""
    return picture.endswith(b"IEND\xaeB`\x82")
