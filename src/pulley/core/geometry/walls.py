"""How thick a body's walls are: from each facet inwards to the facet that lies opposite."""

import math

import numpy as np
from numba import njit
from numpy.typing import NDArray

OPPOSITE = math.cos(math.radians(27))  # at more they bound an edge, as a cut thread does (30)
SPARE = 1e-6  # mm behind its own facet at which a ray starts
CELLS = 64  # of the grid along each side, at most
SAMPLES = ((4 / 6, 1 / 6, 1 / 6), (1 / 6, 4 / 6, 1 / 6), (1 / 6, 1 / 6, 4 / 6))


def wall_thickness(corners: NDArray[np.float64], bodies: NDArray[np.int32]) -> NDArray[np.float32]:
    """Thickness in mm (m,) of the wall behind each facet.

    Parameters
    ----------
    corners : (m, 3, 3) float64
        Triangles in mm, counter-clockwise seen from outside.
    bodies : (m,) int32
        Which body each belongs to; only the same body's facets are opposite.

    Returns
    -------
    (m,) float32
        The least way inwards, along the normal, from three points of the facet to the first facet behind it. Infinite
        where that one does not face away (the two meet in an edge), or where there is none.

    Examples
    --------
    >>> from pulley.core.geometry.mesh import box_mesh
    >>> plate = box_mesh((0, 0, 0), (50, 30, 0.2))
    >>> round(float(wall_thickness(plate.corners, plate.bodies).min()), 6)
    0.2
    """
    if not len(corners):
        return np.zeros(0, np.float32)
    # of one kind always, so that the kernels are compiled once: a fenced reader cannot write what it compiles
    corners, bodies = np.ascontiguousarray(corners, float), np.ascontiguousarray(bodies, np.int32)
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-300)
    low, high = corners.min((0, 1)), corners.max((0, 1))
    extent = np.maximum(high - low, 1e-6)
    size = max(float((np.prod(extent) / (2 * len(corners))) ** (1 / 3)), float(extent.max()) / CELLS)
    cells = np.maximum(np.ceil(extent / size).astype(np.int64), 1)
    starts, listed = _grid(corners, low, size, cells)
    return _walls(corners, normals, bodies, starts, listed, low, size, cells, np.array(SAMPLES)).astype(np.float32)


@njit(cache=True)
def _span(corners, i, low, size, cells, axis):  # noqa: ANN001, ANN202
    """First and last cell along one axis that a facet's bounds reach into."""
    least = min(corners[i, 0, axis], corners[i, 1, axis], corners[i, 2, axis])
    most = max(corners[i, 0, axis], corners[i, 1, axis], corners[i, 2, axis])
    top = cells[axis] - 1
    return min(max(int((least - low[axis]) / size), 0), top), min(max(int((most - low[axis]) / size), 0), top)


@njit(cache=True)
def _grid(corners, low, size, cells):  # noqa: ANN001, ANN202
    """Facets by cells of a grid in space: where each cell's share of the list starts, and the list."""
    starts = np.zeros(cells[0] * cells[1] * cells[2] + 1, np.int64)
    listed = np.empty(0, np.int32)
    place = starts
    for filling in range(2):
        if filling:
            starts[1:] = np.cumsum(starts[1:])
            listed = np.empty(starts[-1], np.int32)
            place = starts[:-1].copy()
        for i in range(len(corners)):
            x0, x1 = _span(corners, i, low, size, cells, 0)
            y0, y1 = _span(corners, i, low, size, cells, 1)
            z0, z1 = _span(corners, i, low, size, cells, 2)
            for x in range(x0, x1 + 1):
                for y in range(y0, y1 + 1):
                    for z in range(z0, z1 + 1):
                        cell = (x * cells[1] + y) * cells[2] + z
                        if filling:
                            listed[place[cell]] = i
                            place[cell] += 1
                        else:
                            starts[cell + 1] += 1
    return starts, listed


@njit(cache=True)
def _dot(a, b):  # noqa: ANN001, ANN202
    return a[0] * b[0] + a[1] * b[1] + a[2] * b[2]


@njit(cache=True)
def _hit(origin, along, facet):  # noqa: ANN001, ANN202
    """Way along a ray to a facet; infinite when it misses (Moeller and Trumbore 1997, from memory)."""
    ax, ay, az = facet[1, 0] - facet[0, 0], facet[1, 1] - facet[0, 1], facet[1, 2] - facet[0, 2]
    bx, by, bz = facet[2, 0] - facet[0, 0], facet[2, 1] - facet[0, 1], facet[2, 2] - facet[0, 2]
    px, py, pz = along[1] * bz - along[2] * by, along[2] * bx - along[0] * bz, along[0] * by - along[1] * bx
    determinant = ax * px + ay * py + az * pz
    if abs(determinant) < 1e-300:
        return math.inf
    sx, sy, sz = origin[0] - facet[0, 0], origin[1] - facet[0, 1], origin[2] - facet[0, 2]
    u = (sx * px + sy * py + sz * pz) / determinant
    if u < -1e-9 or u > 1 + 1e-9:
        return math.inf
    qx, qy, qz = sy * az - sz * ay, sz * ax - sx * az, sx * ay - sy * ax
    v = (along[0] * qx + along[1] * qy + along[2] * qz) / determinant
    if v < -1e-9 or u + v > 1 + 1e-9:
        return math.inf
    return (bx * qx + by * qy + bz * qz) / determinant


@njit(cache=True)
def _first(origin, along, own, corners, normals, bodies, starts, listed, low, size, cells, place, step, until, stride):  # noqa: ANN001, ANN202
    """The first facet of the same body along a ray, cell by cell: its number (-1: none), and the way."""
    for axis in range(3):
        place[axis] = min(max(int((origin[axis] - low[axis]) / size), 0), cells[axis] - 1)
        step[axis] = 1 if along[axis] > 0 else -1
        stride[axis] = size / abs(along[axis]) if abs(along[axis]) > 1e-12 else math.inf
        edge = low[axis] + (place[axis] + (1 if along[axis] > 0 else 0)) * size
        until[axis] = (edge - origin[axis]) / along[axis] if abs(along[axis]) > 1e-12 else math.inf
    best, found = math.inf, -1
    while True:
        cell = (place[0] * cells[1] + place[1]) * cells[2] + place[2]
        for at in range(starts[cell], starts[cell + 1]):
            j = listed[at]
            if j == own or bodies[j] != bodies[own] or _dot(normals[j], along) <= 1e-9:
                continue
            way = _hit(origin, along, corners[j])
            if 0.0 < way < best:
                best, found = way, j
        axis = 0 if until[0] <= until[1] and until[0] <= until[2] else (1 if until[1] <= until[2] else 2)
        if best <= until[axis]:
            return found, best
        place[axis] += step[axis]
        until[axis] += stride[axis]
        if place[axis] < 0 or place[axis] >= cells[axis] or until[axis] == math.inf:
            return found, best


@njit(cache=True)
def _walls(corners, normals, bodies, starts, listed, low, size, cells, samples):  # noqa: ANN001, ANN202
    walls = np.full(len(corners), math.inf)
    origin, along, until, stride = np.empty(3), np.empty(3), np.empty(3), np.empty(3)
    place, step = np.empty(3, np.int64), np.empty(3, np.int64)
    for i in range(len(corners)):
        for axis in range(3):
            along[axis] = -normals[i, axis]
        for sample in range(len(samples)):
            for axis in range(3):
                origin[axis] = SPARE * along[axis]
                for k in range(3):
                    origin[axis] += samples[sample, k] * corners[i, k, axis]
            j, way = _first(
                origin, along, i, corners, normals, bodies, starts, listed, low, size, cells, place, step, until, stride
            )
            if j >= 0 and _dot(normals[j], along) > OPPOSITE:
                walls[i] = min(walls[i], way + SPARE)
    return walls
