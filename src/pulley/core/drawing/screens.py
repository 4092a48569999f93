"""Facets made ready to hide what lies behind them: their planes, the nearest first, in the cells of a grid."""

import math
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

FLAT = 1e-9  # share of its longest side squared below which a triangle is seen edge on, and hides nothing
LOAD = 1.0  # triangles a cell that are aimed at
CELLS = 4_000_000  # of the grid, at most
EDGE = 1e-9  # of a cell that what lies on its edge is let in


@dataclass(frozen=True, eq=False)
class Screen:
    """What hides, in a picture with right, up, and toward the eye.

    Attributes
    ----------
    planes : (m, 12) float64
        Factors of x, y and 1 that give the depth of each triangle, and three that are above 0 inside of it.
    nearest : (m,) float64, the depth of each triangle's nearest corner; the nearest triangle first
    begins, members : (cells + 1,) and (k,), which triangles reach into each cell of the grid
    grid : left and foot in mm, the side of a cell, and how many cells there are across and up
    box : (4,) float64, left, foot, right, top
    """

    planes: NDArray[np.float64]
    nearest: NDArray[np.float64]
    begins: NDArray[np.int64]
    members: NDArray[np.int32]
    grid: tuple[float, float, float, int, int]
    box: NDArray[np.float64]

    @property
    def nbytes(self) -> int:
        """The memory that it takes."""
        return self.planes.nbytes + self.nearest.nbytes + self.begins.nbytes + self.members.nbytes


def screen_of(triangles: NDArray[np.float64]) -> Screen:
    """Triangles (m, 3, 3) in mm, as the picture has them, made ready to hide.

    Examples
    --------
    >>> screen_of(np.array([[[0.0, 0, 5], [2, 0, 5], [0, 2, 5]], [[0.0, 0, 1], [0, 2, 1], [0, 2, 3]]])).nearest.tolist()
    [5.0]
    """
    kept, planes, nearest, box = _sides(triangles)
    order = kept[np.argsort(-nearest[kept], kind="stable")]
    if not len(order):
        empty = np.zeros(0, np.int32)
        return Screen(planes[:0], nearest[:0], np.zeros(2, np.int64), empty, (0.0, 0.0, 1.0, 1, 1), np.zeros(4))
    grid = _grid(box, len(order))
    begins, members = _binned(triangles, order, grid)
    return Screen(planes[order], nearest[order], begins, members, grid, np.array(box))


@njit(cache=True, nogil=True)
def _sides(triangles):  # noqa: ANN001, ANN202
    """Which triangles (m, 3, 3) are not seen edge on; their planes and the lines along their sides (m, 12), as factors
    of x, y and 1 that give the depth, and more than 0 inside; their nearest depths (m,); left, foot, right, top."""
    count = len(triangles)
    kept = np.empty(count, np.int64)
    facets, nearest = np.empty((count, 12)), np.empty(count)
    n = 0
    left, foot, right, top = np.inf, np.inf, -np.inf, -np.inf
    for i in range(count):
        a, b, c = triangles[i, 0], triangles[i, 1], triangles[i, 2]
        left, right = min(left, a[0], b[0], c[0]), max(right, a[0], b[0], c[0])
        foot, top = min(foot, a[1], b[1], c[1]), max(top, a[1], b[1], c[1])
        ux, uy, vx, vy = b[0] - a[0], b[1] - a[1], c[0] - a[0], c[1] - a[1]
        area = ux * vy - uy * vx
        longest = max(ux * ux + uy * uy, vx * vx + vy * vy, (c[0] - b[0]) ** 2 + (c[1] - b[1]) ** 2)
        nearest[i] = max(a[2], b[2], c[2])
        if not abs(area) > FLAT * max(longest, 1e-18):
            continue
        kept[n] = i
        n += 1
        gx = ((b[2] - a[2]) * vy - (c[2] - a[2]) * uy) / area
        gy = (ux * (c[2] - a[2]) - vx * (b[2] - a[2])) / area
        facets[i, 0], facets[i, 1], facets[i, 2] = gx, gy, a[2] - gx * a[0] - gy * a[1]
        sign = 1.0 if area > 0 else -1.0
        for k in range(3):
            p, q = triangles[i, k], triangles[i, (k + 1) % 3]
            dx, dy = (q[0] - p[0]) * sign, (q[1] - p[1]) * sign
            edge = 1e-9 * (dx * dx + dy * dy)  # a line along the side of a triangle is covered by it
            facets[i, 3 + 3 * k], facets[i, 4 + 3 * k] = -dy, dx
            facets[i, 5 + 3 * k] = dy * p[0] - dx * p[1] + edge
    return kept[:n], facets, nearest, (left, foot, right, top)


def _grid(bounds: tuple[float, float, float, float], count: int) -> tuple[float, float, float, int, int]:
    """A grid for so many triangles: its left and foot, the side of a cell in mm, and how many cells there are."""
    left, foot, right, top = bounds
    wide, tall = max(right - left, 1e-6), max(top - foot, 1e-6)
    cells = min(max(count / LOAD, 64.0), CELLS)
    cell = max(math.sqrt(wide * tall / cells), max(wide, tall) / 4000)
    return left, foot, cell, int(wide / cell) + 1, int(tall / cell) + 1


def _binned(
    triangles: NDArray[np.float64], order: NDArray[np.int64], grid: tuple[float, float, float, int, int]
) -> tuple[NDArray[np.int64], NDArray[np.int32]]:
    """The triangles of each cell, in their order: where each cell begins (cells + 1,), and their places in it."""
    rows = _rows(triangles, order, grid)
    spans, begins = np.empty((rows[:, 1].sum(), 2), np.int32), np.zeros(grid[3] * grid[4] + 1, np.int64)
    _counted(triangles, order, grid, rows, spans, begins[1:])
    begins = np.cumsum(begins)
    members = np.empty(begins[-1], np.int32)
    _filled(rows, spans, begins[:-1].copy(), members)
    return begins, members


@njit(cache=True, nogil=True)
def _rows(triangles, order, grid):  # noqa: ANN001, ANN202
    """The lowest row of cells that each triangle reaches into, and how many (m, 2)."""
    _, foot, cell, _, up = grid
    rows = np.empty((len(order), 2), np.int64)
    for i in range(len(order)):
        t = order[i]
        a, b, c = triangles[t, 0, 1] - foot, triangles[t, 1, 1] - foot, triangles[t, 2, 1] - foot
        low, high = _cells(min(a, b, c), max(a, b, c), cell, up)
        rows[i, 0], rows[i, 1] = low, high - low + 1
    return rows


@njit(cache=True, nogil=True)
def _counted(triangles, order, grid, rows, spans, counts):  # noqa: ANN001, ANN202
    """Write to ``spans`` (k, 2) the first of the cells that each triangle reaches into in each of its rows, and one
    beyond the last; count the triangles of each cell (cells,)."""
    left, foot, cell, across, _ = grid
    k = 0
    for i in range(len(order)):
        t = order[i]
        ax, bx, cx = triangles[t, 0, 0] - left, triangles[t, 1, 0] - left, triangles[t, 2, 0] - left
        ay, by, cy = triangles[t, 0, 1] - foot, triangles[t, 1, 1] - foot, triangles[t, 2, 1] - foot
        ab, bc, ca = _slope(ax, ay, bx, by), _slope(bx, by, cx, cy), _slope(cx, cy, ax, ay)
        for y in range(rows[i, 0], rows[i, 0] + rows[i, 1]):
            low, high = (y - EDGE) * cell, (y + 1 + EDGE) * cell
            one, two = _within(ax, ay, bx, by, ab, low, high)
            three, four = _within(bx, by, cx, cy, bc, low, high)
            five, six = _within(cx, cy, ax, ay, ca, low, high)
            first, last = _cells(min(one, three, five), max(two, four, six), cell, across)
            spans[k, 0], spans[k, 1] = y * across + first, y * across + last + 1
            for place in range(spans[k, 0], spans[k, 1]):
                counts[place] += 1
            k += 1


@njit(cache=True, nogil=True)
def _filled(rows, spans, at, members):  # noqa: ANN001, ANN202
    """Write the places of the triangles to the ``members`` (k,) of each cell, from where it begins, ``at`` (cells,)."""
    k = 0
    for i in range(len(rows)):
        for _ in range(rows[i, 1]):
            for place in range(spans[k, 0], spans[k, 1]):
                members[at[place]] = i
                at[place] += 1
            k += 1


@njit(cache=True, nogil=True)
def _cells(low, high, cell, count):  # noqa: ANN001, ANN202
    """The first and last cell of a row that reach from low to high."""
    return max(int(math.floor(low / cell - EDGE)), 0), min(int(math.floor(high / cell + EDGE)), count - 1)


@njit(cache=True, nogil=True)
def _slope(ax, ay, bx, by):  # noqa: ANN001, ANN202
    """How far a segment goes along x for each mm of height; 0 for a level one."""
    return (bx - ax) / (by - ay) if by != ay else 0.0


@njit(cache=True, nogil=True)
def _within(ax, ay, bx, by, slope, low, high):  # noqa: ANN001, ANN202
    """From where to where a segment reaches along x between two heights; infinitely far back where it does not."""
    if ay > by:
        ax, ay, bx, by = bx, by, ax, ay
    if by < low or ay > high:
        return math.inf, -math.inf
    start = ax + slope * (low - ay) if ay < low else ax
    end = ax + slope * (high - ay) if by > high else bx
    return min(start, end), max(start, end)
