"""Which stretches of line segments are hidden by triangles, seen from one side: exact, and pruned by a grid; compiled.

Each segment is cut at the cells of a grid over the picture; in a cell only the triangles that reach into it are asked,
the nearest first, until they lie behind the segment. A triangle hides the stretch of a segment over which it covers it
in the picture and lies in front of it: both are linear along the segment, so the ends of the stretch are exact
(A. Appel 1967, "The notion of quantitative invisibility", for the cutting of edges at what covers them; from memory).
"""

import math
from collections.abc import Callable

import numpy as np
from numba import njit
from numpy.typing import NDArray

FLAT = 1e-9  # share of its longest side squared below which a triangle is seen edge on, and hides nothing
LOAD = 3.0  # triangles a cell that are aimed at
CELLS = 4_000_000  # of the grid, at most
BLOCK = 20_000  # segments between two reports


def visible_stretches(
    segments: NDArray[np.float64],
    slack: NDArray[np.float64],
    owner: NDArray[np.int32],
    triangles: NDArray[np.float64],
    covers: NDArray[np.int32],
    give: NDArray[np.float64],
    report: Callable[[float], None] = lambda share: None,
) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """The stretches of segments that no triangle hides.

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
    rows : (k,) int64
        The place of the segment that each stretch lies on.
    spans : (k, 2) float64
        From and to, as shares of the segment.

    Examples
    --------
    >>> line = np.array([[[-2.0, 0, 0], [2, 0, 0]]])
    >>> cover = np.array([[[-1.0, -5, 1], [1, -5, 1], [1, 5, 1]], [[-1, -5, 1], [1, 5, 1], [-1, 5, 1]]])
    >>> none, zero = np.zeros(1), np.zeros(2)
    >>> visible_stretches(line, none, np.array([0], np.int32), cover, np.array([1, 1], np.int32), zero)[1].round(6).tolist()
    [[0.0, 0.25], [0.75, 1.0]]
    """
    if not len(segments):
        return np.zeros(0, np.int64), np.zeros((0, 2))
    triangles, covers, give = _seen_flat(triangles, covers, give)
    if not len(triangles):
        return np.arange(len(segments)), np.tile([0.0, 1.0], (len(segments), 1))
    size = float(max(np.ptp(segments.reshape(-1, 3), axis=0).max(), np.ptp(triangles.reshape(-1, 3), axis=0).max()))
    tiny = 1e-7 * max(size, 1e-3)
    low, cell, across, down = _grid(triangles)
    begins, members = _binned(triangles, low, cell, across, down)
    nearest = triangles[:, :, 2].max(1)
    _sort_cells(begins, members, nearest)
    rows, spans = [], []
    for start in range(0, len(segments), BLOCK):
        block = slice(start, start + BLOCK)
        found, share = _cut(
            segments[block], slack[block], owner[block], triangles, covers, give, nearest,
            low, cell, across, down, begins, members, tiny,
        )  # fmt: skip
        rows.append(found + start)
        spans.append(share)
        report(min(start + BLOCK, len(segments)) / len(segments))
    return np.concatenate(rows), np.concatenate(spans)


def _seen_flat(
    triangles: NDArray[np.float64], covers: NDArray[np.int32], give: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.int32], NDArray[np.float64]]:
    """The triangles that cover any of the picture, turned anticlockwise."""
    a, b, c = triangles[:, 0, :2], triangles[:, 1, :2], triangles[:, 2, :2]
    area = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    longest = np.maximum(np.maximum(((b - a) ** 2).sum(1), ((c - b) ** 2).sum(1)), ((a - c) ** 2).sum(1))
    kept = np.abs(area) > FLAT * np.maximum(longest, 1e-18)
    turned = np.where(area[kept, None, None] < 0, triangles[kept][:, ::-1], triangles[kept])
    return np.ascontiguousarray(turned), covers[kept], give[kept]


def _grid(triangles: NDArray[np.float64]) -> tuple[NDArray[np.float64], float, int, int]:
    """The lower left corner (2,) of a grid over triangles, the side of a cell in mm, and how many cells there are."""
    low, high = triangles[:, :, :2].min((0, 1)), triangles[:, :, :2].max((0, 1))
    wide, tall = np.maximum(high - low, 1e-6)
    cells = min(max(len(triangles) / LOAD, 64.0), CELLS)
    cell = float(max(np.sqrt(wide * tall / cells), max(wide, tall) / 4000))
    return low, cell, int(wide / cell) + 1, int(tall / cell) + 1


@njit(cache=True, nogil=True)
def _apart(triangle, left, bottom, cell):  # noqa: ANN001, ANN202
    """Whether an anticlockwise triangle (3, 3) lies beside a square of the picture."""
    for k in range(3):
        p, q = triangle[k], triangle[(k + 1) % 3]
        dx, dy = q[0] - p[0], q[1] - p[1]
        x = left + cell if dy < 0 else left  # the corner of the square that lies farthest inside of the side
        y = bottom + cell if dx > 0 else bottom
        if dx * (y - p[1]) - dy * (x - p[0]) < 0:
            return True
    return False


@njit(cache=True, nogil=True)
def _span(triangle, low, cell, across, down):  # noqa: ANN001, ANN202
    """The cells (left, right, bottom, top) that the bounds of a triangle reach into."""
    x0 = min(triangle[0, 0], triangle[1, 0], triangle[2, 0])
    x1 = max(triangle[0, 0], triangle[1, 0], triangle[2, 0])
    y0 = min(triangle[0, 1], triangle[1, 1], triangle[2, 1])
    y1 = max(triangle[0, 1], triangle[1, 1], triangle[2, 1])
    left = max(int(math.floor((x0 - low[0]) / cell - 1e-9)), 0)
    right = min(int(math.floor((x1 - low[0]) / cell + 1e-9)), across - 1)
    bottom = max(int(math.floor((y0 - low[1]) / cell - 1e-9)), 0)
    top = min(int(math.floor((y1 - low[1]) / cell + 1e-9)), down - 1)
    return left, right, bottom, top


@njit(cache=True, nogil=True)
def _binned(triangles, low, cell, across, down):  # noqa: ANN001, ANN202
    """The triangles of each cell: where each cell begins (cells + 1,), and which they are."""
    begins = np.zeros(across * down + 1, np.int64)
    members = np.zeros(0, np.int32)
    at = np.zeros(0, np.int64)
    for turn in range(2):
        for i in range(len(triangles)):
            left, right, bottom, top = _span(triangles[i], low, cell, across, down)
            wide = right > left or top > bottom
            for y in range(bottom, top + 1):
                for x in range(left, right + 1):
                    if wide and _apart(triangles[i], low[0] + x * cell, low[1] + y * cell, cell):
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
def _sort_cells(begins, members, nearest):  # noqa: ANN001, ANN202
    """Put the triangles of each cell in order, the nearest to the eye first."""
    for k in range(len(begins) - 1):
        own = members[begins[k] : begins[k + 1]]
        if len(own) > 1:
            order = np.argsort(-nearest[own])
            members[begins[k] : begins[k + 1]] = own[order]


@njit(cache=True, nogil=True)
def _covered(p, q, s0, s1, triangle, lead):  # noqa: ANN001, ANN202
    """The stretch (from, to) of the segment from ``p`` to ``q`` (3,), between the shares s0 and s1, that a triangle
    hides which lies more than ``lead`` mm in front of it; from > to for none."""
    for k in range(3):
        a, b = triangle[k], triangle[(k + 1) % 3]
        dx, dy = b[0] - a[0], b[1] - a[1]
        reach = 1e-9 * (abs(dx) + abs(dy))  # a line along the side of a triangle is covered by it
        u = dx * (p[1] - a[1]) - dy * (p[0] - a[0]) + reach * (abs(dx) + abs(dy))
        v = dx * (q[1] - a[1]) - dy * (q[0] - a[0]) + reach * (abs(dx) + abs(dy))
        if u < 0 and v < 0:
            return 1.0, 0.0
        if u < 0:
            s0 = max(s0, u / (u - v))
        elif v < 0:
            s1 = min(s1, u / (u - v))
        if s0 >= s1:
            return 1.0, 0.0
    a, b, c = triangle[0], triangle[1], triangle[2]
    area = (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])
    gx = ((b[2] - a[2]) * (c[1] - a[1]) - (c[2] - a[2]) * (b[1] - a[1])) / area
    gy = ((b[0] - a[0]) * (c[2] - a[2]) - (c[0] - a[0]) * (b[2] - a[2])) / area
    u = a[2] + gx * (p[0] - a[0]) + gy * (p[1] - a[1]) - p[2] - lead
    v = a[2] + gx * (q[0] - a[0]) + gy * (q[1] - a[1]) - q[2] - lead
    at0, at1 = u + s0 * (v - u), u + s1 * (v - u)
    if at0 <= 0 and at1 <= 0:
        return 1.0, 0.0
    if at0 <= 0:
        s0 = s0 + (s1 - s0) * (-at0) / (at1 - at0)
    elif at1 <= 0:
        s1 = s0 + (s1 - s0) * at0 / (at0 - at1)
    return s0, s1


@njit(cache=True, nogil=True)
def _stations(p, q, low, cell, across, down):  # noqa: ANN001, ANN202
    """The shares of the segment from ``p`` to ``q`` (3,), in order, at which it passes from a cell to the next."""
    count = 2
    for axis in range(2):
        count += int(abs(q[axis] - p[axis]) / cell) + 2
    shares = np.empty(count)
    shares[0], shares[1] = 0.0, 1.0
    n = 2
    for axis in range(2):
        d = q[axis] - p[axis]
        if abs(d) < 1e-12:
            continue
        a, b = (p[axis] - low[axis]) / cell, (q[axis] - low[axis]) / cell
        most = across if axis == 0 else down
        first = max(int(math.ceil(min(a, b))), 0)
        last = min(int(math.floor(max(a, b))), most)
        for line in range(first, last + 1):
            s = (line - a) / (b - a)
            if 0.0 < s < 1.0 and n < count:
                shares[n] = s
                n += 1
    found = shares[:n]
    found.sort()
    return found


@njit(cache=True, nogil=True)
def _cut(
    segments, slack, owner, triangles, covers, give, nearest, low, cell, across, down, begins, members, tiny
):  # noqa: ANN001, ANN202
    """The visible stretches of segments: rows (k,) and shares (k, 2)."""
    rows = np.empty(2 * len(segments) + 16, np.int64)
    spans = np.empty((2 * len(segments) + 16, 2))
    n = 0
    hidden = np.empty((64, 2))
    for i in range(len(segments)):
        p, q = segments[i, 0], segments[i, 1]
        stations = _stations(p, q, low, cell, across, down)
        open_at = -1.0  # where the visible stretch that is under way began
        for j in range(len(stations) - 1):
            s0, s1 = stations[j], stations[j + 1]
            if s1 - s0 < 1e-12:
                continue
            mid = (s0 + s1) / 2
            x = int(math.floor((p[0] + mid * (q[0] - p[0]) - low[0]) / cell))
            y = int(math.floor((p[1] + mid * (q[1] - p[1]) - low[1]) / cell))
            m = 0
            if 0 <= x < across and 0 <= y < down:
                least = min(p[2] + s0 * (q[2] - p[2]), p[2] + s1 * (q[2] - p[2]))
                for place in range(begins[y * across + x], begins[y * across + x + 1]):
                    t = members[place]
                    if nearest[t] <= least:
                        break
                    lead = tiny if covers[t] == owner[i] else max(tiny, slack[i] + give[t])
                    a, b = _covered(p, q, s0, s1, triangles[t], lead)
                    if a < b:
                        if m == len(hidden):
                            more = np.empty((2 * m, 2))
                            more[:m] = hidden
                            hidden = more
                        hidden[m, 0], hidden[m, 1] = a, b
                        m += 1
                        if a <= s0 and b >= s1:
                            break
            at = s0
            if m > 1:
                own = hidden[:m].copy()
                hidden[:m] = own[np.argsort(own[:, 0])]
            for k in range(m + 1):
                a = hidden[k, 0] if k < m else s1
                b = hidden[k, 1] if k < m else s1
                if a > at + 1e-9:
                    if open_at < 0:
                        open_at = at
                    if k < m:  # a hidden stretch ends the visible one
                        if n + 1 >= len(rows):
                            rows, spans = _more(rows, spans)
                        rows[n], spans[n, 0], spans[n, 1] = i, open_at, a
                        n += 1
                        open_at = -1.0
                elif k < m and open_at >= 0:
                    if n + 1 >= len(rows):
                        rows, spans = _more(rows, spans)
                    rows[n], spans[n, 0], spans[n, 1] = i, open_at, at
                    n += 1
                    open_at = -1.0
                at = max(at, b)
        if open_at >= 0:
            if n + 1 >= len(rows):
                rows, spans = _more(rows, spans)
            rows[n], spans[n, 0], spans[n, 1] = i, open_at, 1.0
            n += 1
    return rows[:n], spans[:n]


@njit(cache=True, nogil=True)
def _more(rows, spans):  # noqa: ANN001, ANN202
    """The same arrays with twice the room."""
    wide, long = np.empty(2 * len(rows), np.int64), np.empty((2 * len(rows), 2))
    wide[: len(rows)], long[: len(rows)] = rows, spans
    return wide, long
