"""Which stretches of line segments are hidden by triangles, seen from one side: exact, and pruned by a grid; compiled.

Each segment is cut at the cells of a grid over the picture; in a cell only the triangles that reach into it are asked,
the nearest first, until they lie behind the segment. A triangle hides the stretch of a segment over which it covers it
in the picture and lies in front of it: both are linear along the segment, so the ends of the stretch are exact
(A. Appel 1967, "The notion of quantitative invisibility", for the cutting of edges at what covers them; from memory).
"""

import math
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

import numpy as np
from numba import njit
from numpy.typing import NDArray

FLAT = 1e-9  # share of its longest side squared below which a triangle is seen edge on, and hides nothing
LOAD = 0.6  # triangles a cell that are aimed at
CELLS = 4_000_000  # of the grid, at most
BLOCK = 2_000  # segments between two reports
THREADS = 2


def stretches(
    segments: NDArray[np.float64],
    slack: NDArray[np.float64],
    owner: NDArray[np.int32],
    triangles: NDArray[np.float64],
    covers: NDArray[np.int32],
    give: NDArray[np.float64],
    report: Callable[[float], None] = lambda share: None,
) -> NDArray[np.float64]:
    """Segments told apart into stretches that are seen and stretches that some triangle hides.

    Parameters
    ----------
    segments : (n, 2, 3) float64
        Ends in mm, as the picture has them: right, up, and toward the eye.
    slack : (n,) float64
        Mm that a triangle of another owner must lie in front of a segment to hide it, on top of its own ``give``.
    owner : (n,) int32
        Whose each segment is.
    triangles : (m, 3, 3) float64
        Corners of what hides, in the same frame.
    covers : (m,) int32
        Whose each triangle is.
    give : (m,) float64
        Mm, as ``slack``.
    report : callable(share)
        Told of progress; what it raises stops the work.

    Returns
    -------
    (k, 4) float64
        The row of the segment, from and to as shares of it, and 1 where it is hidden; in the order of the segments.

    Examples
    --------
    >>> line = np.array([[[-2.0, 0, 0], [2, 0, 0]]])
    >>> cover = np.array([[[-1.0, -5, 1], [1, -5, 1], [1, 5, 1]], [[-1, -5, 1], [1, 5, 1], [-1, 5, 1]]])
    >>> none, zero = np.zeros(1), np.zeros(2)
    >>> mine, theirs = np.array([0], np.int32), np.array([1, 1], np.int32)
    >>> stretches(line, none, mine, cover, theirs, zero).round(6).tolist()
    [[0.0, 0.0, 0.25, 0.0], [0.0, 0.25, 0.75, 1.0], [0.0, 0.75, 1.0, 0.0]]
    """
    if not len(segments):
        return np.zeros((0, 4))
    order, planes, nearest, bounds = _prepared(triangles)
    if not len(order):
        every = np.arange(len(segments), dtype=float)
        return np.stack([every, 0 * every, 0 * every + 1, 0 * every], axis=1)
    size = max(bounds[2] - bounds[0], bounds[3] - bounds[1], float(nearest[0] - nearest[-1]))
    tiny = 1e-7 * max(size, 1e-3)
    grid = _grid(bounds, len(order))
    begins, members = _binned(triangles, order, *grid)
    facets = planes, nearest, covers[order], give[order]

    def work(start: int) -> NDArray[np.float64]:
        block = slice(start, start + BLOCK)
        found = _told_apart(segments[block], slack[block], owner[block], *facets, grid, begins, members, tiny)
        found[:, 0] += start
        return found

    starts, done = range(0, len(segments), BLOCK), []
    with ThreadPoolExecutor(THREADS) as pool:
        try:
            for found in pool.map(work, starts):
                done.append(found)
                report(len(done) / len(starts))
        except BaseException:
            pool.shutdown(cancel_futures=True)
            raise
    return np.concatenate(done)


def _prepared(
    triangles: NDArray[np.float64],
) -> tuple[NDArray[np.int64], NDArray[np.float64], NDArray[np.float64], tuple[float, float, float, float]]:
    """The triangles that cover any of the picture, the nearest first: their places, and what `_sides` gives of them."""
    kept, facets, nearest, bounds = _sides(triangles)
    places = kept[np.argsort(-nearest[kept], kind="stable")]
    return places, facets[places], nearest[places], bounds


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


@njit(cache=True, nogil=True)
def _apart(triangle, left, foot, cell):  # noqa: ANN001, ANN202
    """Whether a triangle (3, 3) lies beside a square of the picture, on the far side of one of its sides."""
    a, b, c = triangle[0], triangle[1], triangle[2]
    sign = 1.0 if (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]) > 0 else -1.0
    for k in range(3):
        p, q = triangle[k], triangle[(k + 1) % 3]
        dx, dy = (q[0] - p[0]) * sign, (q[1] - p[1]) * sign
        x = left + cell if dy < 0 else left  # the corner of the square that lies farthest inside of the side
        y = foot + cell if dx > 0 else foot
        if dx * (y - p[1]) - dy * (x - p[0]) < 0:
            return True
    return False


@njit(cache=True, nogil=True)
def _span(triangle, left, foot, cell, across, down):  # noqa: ANN001, ANN202
    """The cells (x0, x1, y0, y1) that the bounds of a triangle reach into."""
    low_x, high_x = (
        min(triangle[0, 0], triangle[1, 0], triangle[2, 0]),
        max(triangle[0, 0], triangle[1, 0], triangle[2, 0]),
    )
    low_y, high_y = (
        min(triangle[0, 1], triangle[1, 1], triangle[2, 1]),
        max(triangle[0, 1], triangle[1, 1], triangle[2, 1]),
    )
    x0 = max(int(math.floor((low_x - left) / cell - 1e-9)), 0)
    x1 = min(int(math.floor((high_x - left) / cell + 1e-9)), across - 1)
    y0 = max(int(math.floor((low_y - foot) / cell - 1e-9)), 0)
    y1 = min(int(math.floor((high_y - foot) / cell + 1e-9)), down - 1)
    return x0, x1, y0, y1


@njit(cache=True, nogil=True)
def _binned(triangles, order, left, foot, cell, across, down):  # noqa: ANN001, ANN202
    """The triangles of each cell, in their order: where each cell begins (cells + 1,), and their places in it."""
    begins = np.zeros(across * down + 1, np.int64)
    members = np.zeros(0, np.int32)
    at = np.zeros(0, np.int64)
    for turn in range(2):
        for i in range(len(order)):
            triangle = triangles[order[i]]
            x0, x1, y0, y1 = _span(triangle, left, foot, cell, across, down)
            wide = x1 > x0 and y1 > y0
            for y in range(y0, y1 + 1):
                for x in range(x0, x1 + 1):
                    if wide and _apart(triangle, left + x * cell, foot + y * cell, cell):
                        continue
                    if turn == 0:
                        begins[y * across + x + 1] += 1
                    else:
                        members[at[y * across + x]] = i
                        at[y * across + x] += 1
        if turn == 0:
            begins = np.cumsum(begins)
            members = np.zeros(begins[-1], np.int32)
            at = begins[:-1].copy()
    return begins, members


@njit(cache=True, nogil=True)
def _covered(px, py, pz, qx, qy, qz, s0, s1, facets, t, lead):  # noqa: ANN001, ANN202
    """The stretch (from, to) of the segment from p to q, between the shares s0 and s1, that triangle ``t`` hides when
    it lies more than ``lead`` mm in front of it; from > to for none."""
    u = facets[t, 0] * px + facets[t, 1] * py + facets[t, 2] - pz - lead
    v = facets[t, 0] * qx + facets[t, 1] * qy + facets[t, 2] - qz - lead
    low, high = u + s0 * (v - u), u + s1 * (v - u)
    if low <= 0 and high <= 0:
        return 1.0, 0.0
    if low <= 0:
        s0 = s0 - (s1 - s0) * low / (high - low)
    elif high <= 0:
        s1 = s0 + (s1 - s0) * low / (low - high)
    for k in range(3, 12, 3):
        u = facets[t, k] * px + facets[t, k + 1] * py + facets[t, k + 2]
        v = facets[t, k] * qx + facets[t, k + 1] * qy + facets[t, k + 2]
        if u < 0 and v < 0:
            return 1.0, 0.0
        if u < 0:
            s0 = max(s0, u / (u - v))
        elif v < 0:
            s1 = min(s1, u / (u - v))
    return s0, s1


@njit(cache=True, nogil=True)
def _within(p, d, low, high, s0, s1):  # noqa: ANN001, ANN202
    """What is left of the stretch from s0 to s1 where p + s d lies between two numbers."""
    if abs(d) < 1e-300:
        return (s0, s1) if low <= p <= high else (1.0, 0.0)
    a, b = (low - p) / d, (high - p) / d
    return max(s0, min(a, b)), min(s1, max(a, b))


@njit(cache=True, nogil=True)
def _next(p, d, place, origin, cell):  # noqa: ANN001, ANN202
    """The share at which p + s d leaves cell number ``place``; infinite where it never does."""
    if abs(d) < 1e-300:
        return math.inf
    return (origin + cell * (place + 1 if d > 0 else place) - p) / d


@njit(cache=True, nogil=True)
def _hidden(px, py, pz, qx, qy, qz, own, slack, facets, nearest, covers, give, grid, begins, members, tiny, buffer):  # noqa: ANN001, ANN202
    """The hidden stretches of one segment, walked through cell by cell, in a buffer (n, 2) that grows; and how many.

    J. Amanatides and A. Woo 1987, "A fast voxel traversal algorithm for ray tracing" (from memory).
    """
    left, foot, cell, across, down = grid
    m = 0
    dx, dy, dz = qx - px, qy - py, qz - pz
    s, last = _within(px, dx, left, left + cell * across, 0.0, 1.0)
    s, last = _within(py, dy, foot, foot + cell * down, s, last)
    if s >= last:
        return buffer, 0
    x = min(max(int((px + s * dx - left) / cell), 0), across - 1)
    y = min(max(int((py + s * dy - foot) / cell), 0), down - 1)
    while s < last and 0 <= x < across and 0 <= y < down:
        out_x, out_y = _next(px, dx, x, left, cell), _next(py, dy, y, foot, cell)
        end = max(min(out_x, out_y, last), s)
        least = min(pz + s * dz, pz + end * dz)
        for place in range(begins[y * across + x], begins[y * across + x + 1]):
            t = members[place]
            if nearest[t] <= least or end <= s:
                break
            lead = tiny if covers[t] == own else max(tiny, slack + give[t])
            a, b = _covered(px, py, pz, qx, qy, qz, s, end, facets, t, lead)
            if a < b:
                if m == len(buffer):
                    buffer = _grown(buffer)
                buffer[m, 0], buffer[m, 1] = a, b
                m += 1
                if a <= s and b >= end:
                    break
        s = end
        if out_x <= out_y:
            x += 1 if dx > 0 else -1
        else:
            y += 1 if dy > 0 else -1
    return buffer, m


@njit(cache=True, nogil=True)
def _sorted(buffer, m):  # noqa: ANN001, ANN202
    """Put the first m rows (n, 2) in order of their starts; they nearly are."""
    for i in range(1, m):
        a, b = buffer[i, 0], buffer[i, 1]
        j = i - 1
        while j >= 0 and buffer[j, 0] > a:
            buffer[j + 1, 0], buffer[j + 1, 1] = buffer[j, 0], buffer[j, 1]
            j -= 1
        buffer[j + 1, 0], buffer[j + 1, 1] = a, b


@njit(cache=True, nogil=True)
def _told_apart(segments, slack, owner, facets, nearest, covers, give, grid, begins, members, tiny):  # noqa: ANN001, ANN202
    """Stretches (k, 4) of segments: the row, from, to, and whether hidden."""
    found = np.empty((3 * len(segments) + 16, 4))
    n = 0
    buffer = np.empty((64, 2))
    for i in range(len(segments)):
        px, py, pz = segments[i, 0, 0], segments[i, 0, 1], segments[i, 0, 2]
        qx, qy, qz = segments[i, 1, 0], segments[i, 1, 1], segments[i, 1, 2]
        buffer, m = _hidden(
            px, py, pz, qx, qy, qz, owner[i], slack[i], facets, nearest, covers, give, grid, begins, members, tiny,
            buffer,
        )  # fmt: skip
        _sorted(buffer, m)
        at, k = 0.0, 0
        while at < 1.0 - 1e-12 or k < m:
            start = buffer[k, 0] if k < m else 1.0
            if n + 2 >= len(found):
                found = _grown(found)
            if start > at + 1e-9:
                found[n, 0], found[n, 1], found[n, 2], found[n, 3] = i, at, start, 0.0
                n += 1
            end = max(at, start)
            while k < m and buffer[k, 0] <= end + 1e-9:
                end = max(end, buffer[k, 1])
                k += 1
            if end > max(at, start) + 1e-9:
                found[n, 0], found[n, 1], found[n, 2], found[n, 3] = i, max(at, start), end, 1.0
                n += 1
            at = max(end, at)
            if k >= m and start >= 1.0:
                break
    return found[:n]


@njit(cache=True, nogil=True)
def _grown(rows):  # noqa: ANN001, ANN202
    """The same rows with twice the room."""
    more = np.empty((2 * len(rows), rows.shape[1]))
    more[: len(rows)] = rows
    return more
