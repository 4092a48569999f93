"""Whether points lie inside of closed surfaces: the solid angle that these fill, seen from there."""

from math import atan2, pi, sqrt

import numpy as np
from numba import njit
from numpy.typing import NDArray


@njit(cache=True, nogil=True)
def winding(corners: NDArray[np.float64], point: NDArray[np.float64]) -> float:
    """How often a closed surface goes round a point: 1 inside, 0 outside (van Oosterom and Strackee 1983, from memory).

    Parameters
    ----------
    corners : (k, 3, 3) float64
        Triangles, anticlockwise seen from outside.
    point : (3,) float64

    Examples
    --------
    >>> from pulley.core.geometry.mesh import box_mesh
    >>> box = box_mesh((0, 0, 0), (1, 2, 3))
    >>> round(winding(box.vertices[box.triangles], np.array([0.5, 0.5, 0.5])), 9)
    1.0
    """
    angle = 0.0
    for k in range(len(corners)):
        ax, ay, az = corners[k, 0, 0] - point[0], corners[k, 0, 1] - point[1], corners[k, 0, 2] - point[2]
        bx, by, bz = corners[k, 1, 0] - point[0], corners[k, 1, 1] - point[1], corners[k, 1, 2] - point[2]
        cx, cy, cz = corners[k, 2, 0] - point[0], corners[k, 2, 1] - point[1], corners[k, 2, 2] - point[2]
        a, b, c = (
            sqrt(ax * ax + ay * ay + az * az),
            sqrt(bx * bx + by * by + bz * bz),
            sqrt(cx * cx + cy * cy + cz * cz),
        )
        top = ax * (by * cz - bz * cy) + ay * (bz * cx - bx * cz) + az * (bx * cy - by * cx)
        ab, bc, ca = ax * bx + ay * by + az * bz, bx * cx + by * cy + bz * cz, cx * ax + cy * ay + cz * az
        angle += atan2(top, a * b * c + ab * c + bc * a + ca * b)
    return angle / (2 * pi)
