"""Shaded pictures with edges, drawn without a graphics card: for thumbnails, and the same on every machine."""

import io
import math
from collections.abc import Mapping

import numpy as np
from numba import njit
from numpy.typing import NDArray
from PIL import Image

from pulley.core.assembly import Assembly
from pulley.core.camera import camera_frame, fitted, project
from pulley.core.colours import EDGE_INK, PAPER, PLAIN
from pulley.core.geometry.frames import Pose, apply
from pulley.core.geometry.raster import area_of, depth_at, pixel_box
from pulley.core.teardown import Camera

SMOOTHING = 2  # the picture is drawn this many times larger, then averaged down
EDGE_LIFT = 0.004  # share of the depth range by which an edge may lie behind its own face and still show


def png(
    assembly: Assembly,
    poses: Mapping[str, Pose],
    camera: Camera | None = None,
    size: tuple[int, int] = (320, 240),
) -> bytes:
    """A PNG of the leaves in ``poses`` where they stand.

    Parameters
    ----------
    assembly : Assembly
    poses : mapping of path to (4, 4) float64
        Leaves that are left out are not drawn.
    camera : Camera, optional
        By default a quarter view fitted to what is drawn.
    size : width and height in pixels
    """
    pixels = render(assembly, poses, camera, size)
    buffer = io.BytesIO()
    Image.fromarray(pixels).save(buffer, "PNG", optimize=True)
    return buffer.getvalue()


def is_whole(picture: bytes) -> bool:
    """Whether a picture is there down to its last chunk (ISO/IEC 15948, 5.6: a PNG ends with IEND)."""
    return picture.endswith(b"IEND\xaeB`\x82")


def render(
    assembly: Assembly, poses: Mapping[str, Pose], camera: Camera | None, size: tuple[int, int]
) -> NDArray[np.uint8]:
    """The picture of `png` as an array (height, width, 3) of sRGB bytes."""
    if camera is None:
        corners = [apply(poses[path], _box(assembly, path)) for path in poses]
        camera = fitted(np.concatenate(corners or [np.zeros((1, 3))]), aspect=size[0] / size[1])
    width, height = size[0] * SMOOTHING, size[1] * SMOOTHING
    depth = np.full((height, width), np.inf)
    image = np.tile(np.array(PAPER), (height, width, 1))
    light = camera_frame(camera).T @ np.array([0.35, 0.55, 0.76])
    placed = [(assembly.leaf(path), pose) for path, pose in poses.items()]
    for leaf, pose in placed:
        mesh = leaf.part.mesh
        seen = project(camera, apply(pose, mesh.vertices), width, height)
        bright = (mesh.normals @ pose[:3, :3].T) @ light
        tone = np.array(leaf.colour or PLAIN)
        fill(image, depth, seen[mesh.triangles], 0.58 + 0.42 * np.clip(bright, 0, 1)[mesh.triangles].mean(1), tone)
    drawn = depth[np.isfinite(depth)]
    lift = EDGE_LIFT * float(np.ptp(drawn)) if len(drawn) else 0.0
    for leaf, pose in placed:
        ends = project(camera, apply(pose, leaf.part.mesh.edges), width, height)
        _lines(image, depth, ends[leaf.part.mesh.edge_pairs], lift, np.array(EDGE_INK))
    shrunk = image.reshape(size[1], SMOOTHING, size[0], SMOOTHING, 3).mean((1, 3))
    return (shrunk * 255 + 0.5).astype(np.uint8)


def _box(assembly: Assembly, path: str) -> NDArray[np.float64]:
    low, high = assembly.leaf(path).part.mesh.bounds
    pick = np.array([[x, y, z] for x in (0, 1) for y in (0, 1) for z in (0, 1)], bool)
    return np.where(pick, high, low)


@njit(cache=True, nogil=True)
def fill(image, depth, triangles, tones, colour):  # noqa: ANN001, ANN201
    """Draw triangles, each in its tone of the colour, where nothing nearer was drawn.

    Parameters
    ----------
    image : (h, w, 3) float64
        sRGB from 0 to 1.
    depth : (h, w) float64
        Of what is nearest so far; it grows away from the eye.
    triangles : (k, 3, 3) float64
        Corners: pixels from the upper left corner, and a depth.
    tones : (k,) float64
    colour : (3,) float64
    """
    height, width = depth.shape
    for i in range(len(triangles)):
        a, b, c = triangles[i, 0], triangles[i, 1], triangles[i, 2]
        area = area_of(a, b, c)
        if area == 0.0:
            continue
        left, right, top, bottom = pixel_box(a, b, c, height, width)
        for y in range(top, bottom + 1):
            for x in range(left, right + 1):
                w = depth_at(x, y, a, b, c, area)
                if w < depth[y, x]:
                    depth[y, x] = w
                    for k in range(3):
                        image[y, x, k] = colour[k] * tones[i]


@njit(cache=True, nogil=True)
def _lines(image, depth, lines, lift, colour):  # noqa: ANN001, ANN202
    """Draw projected lines (k, 2, 3) two samples wide wherever no face lies in front of them."""
    height, width = depth.shape
    for i in range(len(lines)):
        a, b = lines[i, 0], lines[i, 1]
        if not (np.isfinite(a[2]) and np.isfinite(b[2])):
            continue
        count = int(min(max(abs(b[0] - a[0]), abs(b[1] - a[1])), 4.0 * (width + height))) + 1
        for n in range(count + 1):
            s = n / count
            w = a[2] + s * (b[2] - a[2]) - lift
            for dx in range(2):
                for dy in range(2):
                    x = int(math.floor(a[0] + s * (b[0] - a[0]))) + dx
                    y = int(math.floor(a[1] + s * (b[1] - a[1]))) + dy
                    if 0 <= x < width and 0 <= y < height and w <= depth[y, x]:
                        for k in range(3):
                            image[y, x, k] = colour[k]
