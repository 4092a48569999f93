"""A view shaded: a picture of its faces on clear ground, drawn without a graphics card."""

import io

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from pulley.core.assembly import Assembly
from pulley.core.colours import PLAIN
from pulley.core.drawing.paper import Box
from pulley.core.drawing.scene import Placing, Scene, picture_bounds
from pulley.core.geometry.frames import apply
from pulley.core.publish.picture import fill
from pulley.core.teardown import Teardown

PER_MM = 8.0  # pixels a mm of paper, about 200 to the inch
MOST = 3000  # pixels of the longer side
SMOOTHING = 2
LIGHT = np.array([0.35, 0.55, 0.76])  # right, up, toward the eye


def shaded(
    assembly: Assembly,
    scene: Scene,
    place: Placing,
    teardown: Teardown,
    circle: tuple[NDArray[np.float64], float] | None = None,
) -> tuple[Box, bytes]:
    """The faces of a scene as a PNG with clear ground, and the box of paper that it fills.

    Parameters
    ----------
    assembly : Assembly
    scene : Scene
    place : Placing
    teardown : Teardown
        Whose tints the components have.
    circle : centre (2,) and radius in mm of paper, optional
        What lies outside is left out.
    """
    bounds = place.paper(picture_bounds(assembly, scene, place.frame))
    if circle:
        bounds = np.array([circle[0] - circle[1], circle[0] + circle[1]])
    size = np.maximum(bounds[1] - bounds[0], 1e-3)
    fine = min(PER_MM, MOST / float(size.max()))
    wide, tall = (np.ceil(size * fine).astype(int) + 1).tolist()
    height, width = tall * SMOOTHING, wide * SMOOTHING
    depth, image = np.full((height, width), np.inf), np.ones((height, width, 3))
    tints = {tint.component: tint.colour for tint in teardown.tints if tint.colour}
    for path, pose in scene.poses.items():
        leaf = assembly.leaf(path)
        mesh = leaf.part.mesh
        seen = apply(pose, mesh.vertices) @ place.frame.T
        flat = place.paper(seen[:, :2])
        pixels = np.stack(
            [
                (flat[:, 0] - bounds[0, 0]) * fine * SMOOTHING,
                (bounds[1, 1] - flat[:, 1]) * fine * SMOOTHING,
                -seen[:, 2],
            ],
            axis=1,
        )
        bright = (mesh.normals @ (place.frame @ pose[:3, :3]).T) @ LIGHT
        tone = np.array(_rgb(tints[path]) if path in tints else leaf.colour or PLAIN)
        tones = 0.62 + 0.38 * np.clip(bright, 0, 1)[mesh.triangles].mean(1)
        fill(image, depth, pixels[mesh.triangles], tones, 0.25 + 0.75 * tone)
    seen_at = np.isfinite(depth)
    if circle:
        rows, columns = np.mgrid[0:height, 0:width]
        middle = circle[1] * fine * SMOOTHING
        seen_at &= (rows - middle) ** 2 + (columns - middle) ** 2 <= middle**2
    box = (bounds[0, 0], bounds[1, 1] - tall / fine, bounds[0, 0] + wide / fine, bounds[1, 1])
    return tuple(float(v) for v in box), _png(image, seen_at)  # type: ignore[return-value]


def _rgb(colour: str) -> tuple[float, ...]:
    return tuple(int(colour[k : k + 2], 16) / 255 for k in (1, 3, 5))


def _png(image: NDArray[np.float64], seen: NDArray[np.bool_]) -> bytes:
    """An image (h, w, 3) averaged down, clear where nothing was drawn."""
    tall, wide = seen.shape[0] // SMOOTHING, seen.shape[1] // SMOOTHING
    cover = seen.reshape(tall, SMOOTHING, wide, SMOOTHING).mean((1, 3))
    colour = (image * seen[:, :, None]).reshape(tall, SMOOTHING, wide, SMOOTHING, 3).mean((1, 3))
    colour = colour / np.maximum(cover, 1e-9)[:, :, None]
    pixels = (np.dstack([np.clip(colour, 0, 1), cover]) * 255 + 0.5).astype(np.uint8)
    buffer = io.BytesIO()
    Image.fromarray(pixels, "RGBA").save(buffer, "PNG")
    return buffer.getvalue()
