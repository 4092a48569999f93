"""Scan conversion of projected triangles, for pictures and for counting what is seen; compiled."""

import math

from numba import njit


@njit(cache=True, nogil=True)
def pixel_box(a, b, c, height, width):  # noqa: ANN001, ANN201
    """The pixels (left, right, top, bottom), within a picture, whose middles a triangle of points (3,) may cover.

    Parameters
    ----------
    a, b, c : (3,) float64
        Corners: pixels from the upper left corner, and a depth.
    height, width : int
        Of the picture, in pixels.
    """
    left = max(int(math.ceil(min(a[0], b[0], c[0]) - 0.5)), 0)
    right = min(int(math.floor(max(a[0], b[0], c[0]) - 0.5)), width - 1)
    top = max(int(math.ceil(min(a[1], b[1], c[1]) - 0.5)), 0)
    bottom = min(int(math.floor(max(a[1], b[1], c[1]) - 0.5)), height - 1)
    return left, right, top, bottom


@njit(cache=True, nogil=True)
def area_of(a, b, c):  # noqa: ANN001, ANN201
    """Twice the area of a projected triangle, with its sense; 0 where it is not in front of the eye.

    Parameters
    ----------
    a, b, c : (3,) float64
        Corners: pixels from the upper left corner, and a depth.
    """
    if not (math.isfinite(a[2]) and math.isfinite(b[2]) and math.isfinite(c[2])):
        return 0.0
    return (b[0] - a[0]) * (c[1] - a[1]) - (c[0] - a[0]) * (b[1] - a[1])


@njit(cache=True, nogil=True)
def depth_at(x, y, a, b, c, area):  # noqa: ANN001, ANN201
    """The depth of a projected triangle at the middle of a pixel; infinite beside it.

    Parameters
    ----------
    x, y : int
        The pixel.
    a, b, c : (3,) float64
        Corners: pixels from the upper left corner, and a depth that is straight across the picture.
    area : float
        As `area_of` gives it.
    """
    u, v = x + 0.5 - a[0], y + 0.5 - a[1]
    s = (u * (c[1] - a[1]) - (c[0] - a[0]) * v) / area
    t = ((b[0] - a[0]) * v - u * (b[1] - a[1])) / area
    if s < 0.0 or t < 0.0 or s + t > 1.0:
        return math.inf
    return a[2] + s * (b[2] - a[2]) + t * (c[2] - a[2])


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
def cover(depth, owner, stamp, seen, triangles, k):  # noqa: ANN001, ANN201
    """Draw triangles as component ``k`` into an identity buffer; how many pixels they cover by themselves.

    Parameters
    ----------
    depth : (h, w) float64
        Of what is nearest so far, infinite where nothing is; it grows away from the eye.
    owner, stamp : (h, w) int32
        Whose the nearest is, and who was drawn last; -1 for nobody.
    seen : (m, 3) float64
        Points: pixels from the upper left corner, and a depth.
    triangles : (n, 3) int32
        Places in ``seen``.
    k : int
    """
    height, width = depth.shape
    covered = 0
    for i in range(len(triangles)):
        a, b, c = seen[triangles[i, 0]], seen[triangles[i, 1]], seen[triangles[i, 2]]
        area = area_of(a, b, c)
        if area == 0.0:
            continue
        left, right, top, bottom = pixel_box(a, b, c, height, width)
        for y in range(top, bottom + 1):
            for x in range(left, right + 1):
                w = depth_at(x, y, a, b, c, area)
                if math.isinf(w):
                    continue
                if stamp[y, x] != k:
                    stamp[y, x] = k
                    covered += 1
                if w < depth[y, x]:
                    depth[y, x] = w
                    owner[y, x] = k
    return covered
