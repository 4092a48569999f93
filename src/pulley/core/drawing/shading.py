"""A view shaded: a picture of its faces on clear ground, drawn without a graphics card."""

import io

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from pulley.core.assembly import Assembly
from pulley.core.colours import PLAIN, from_hex
from pulley.core.drawing.paper import Box
from pulley.core.drawing.scene import Placing, Scene, picture_bounds
from pulley.core.geometry.frames import apply
from pulley.core.geometry.raster import fill
from pulley.core.geometry.rims import rims
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
    tints = {tint.component: tint.colour for tint in teardown.tints if tint.colour}
    poses = tuple((path, pose.tobytes()) for path, pose in scene.poses.items())
    around = (place.picture(circle[0]).round(6).tobytes(), circle[1]) if circle else None
    key = ("shaded", place.frame.tobytes(), poses, place.factor, tuple(tints.items()), around)
    png = assembly.once(
        key, lambda: _drawn(assembly, scene, place, tints, (bounds[0, 0], bounds[1, 1]), (wide, tall, fine), circle)
    )
    box = (bounds[0, 0], bounds[1, 1] - tall / fine, bounds[0, 0] + wide / fine, bounds[1, 1])
    return tuple(float(v) for v in box), png  # type: ignore[return-value]


def _drawn(
    assembly: Assembly,
    scene: Scene,
    place: Placing,
    tints: dict[str, str],
    corner: tuple[float, float],
    size: tuple[int, int, float],
    circle: tuple[NDArray[np.float64], float] | None,
) -> bytes:
    """The PNG, whose upper left ``corner`` is a point of paper, of a ``size`` across and down with so many to a mm."""
    wide, tall, fine = size
    height, width, fine = tall * SMOOTHING, wide * SMOOTHING, fine * SMOOTHING
    depth, image = np.full((height, width), np.inf), np.ones((height, width, 3))
    for path, pose in scene.poses.items():
        leaf = assembly.leaf(path)
        seen = apply(pose, leaf.part.mesh.vertices) @ place.frame.T
        flat = (place.paper(seen[:, :2]) - corner) * (fine, -fine)
        triangles = np.column_stack([flat, -seen[:, 2]])[leaf.part.mesh.triangles]
        toward = _toward(triangles) | ~rims(leaf.part.mesh).closed
        bright = (leaf.part.mesh.normals @ (place.frame @ pose[:3, :3]).T) @ LIGHT
        tone = np.array(from_hex(tints[path]) if path in tints else leaf.colour or PLAIN)
        tones = 0.62 + 0.38 * np.clip(bright, 0, 1)[leaf.part.mesh.triangles].mean(1)
        fill(image, depth, triangles[toward], tones[toward], 0.25 + 0.75 * tone)
    shown = np.isfinite(depth)
    if circle:
        rows, columns = np.ogrid[0:height, 0:width]
        middle = circle[1] * fine
        shown &= (rows - middle) ** 2 + (columns - middle) ** 2 <= middle**2
    return _png(image, shown)


def _toward(triangles: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Which triangles (m, 3, 3) of pixels show their outside: those that run clockwise, as pixels count downward."""
    a, b = triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0]
    return np.asarray(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0] < 0)


def _png(image: NDArray[np.float64], seen: NDArray[np.bool_]) -> bytes:
    """An image (h, w, 3) averaged down, clear where nothing was drawn."""
    pixels = np.empty((*seen.shape, 4), np.uint8)
    np.multiply(image, 255, out=pixels[:, :, :3], casting="unsafe")
    pixels[:, :, 3] = np.where(seen, 255, 0)
    buffer = io.BytesIO()
    Image.fromarray(pixels, "RGBA").reduce(SMOOTHING).save(buffer, "PNG")
    return buffer.getvalue()
