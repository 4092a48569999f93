"""Which stretches of line segments are hidden by triangles, seen from one side: exact, and pruned by grids; compiled.

Each body's triangles lie in a grid of their own (`screens`), so that bodies that are alike and turned alike share one.
A segment is asked about at the bodies whose bounds it passes behind, the nearest first, cut at the cells of each one's
grid; in a cell only the triangles that reach into it are asked, the nearest first, until they lie behind the segment.
A triangle hides the stretch of a segment over which it covers it in the picture and lies in front of it: both are
linear along the segment, so the ends of the stretch are exact (A. Appel 1967, "The notion of quantitative
invisibility", for the cutting of edges at what covers them; from memory).
"""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numba import njit
from numpy.typing import NDArray

from pulley.core.drawing.pool import in_threads
from pulley.core.drawing.screens import Screen

BLOCK = 2_000  # segments between two reports
TINY = 1e-7  # share of the picture's size that a triangle must lie in front of a line of its own body

Floats = NDArray[np.float64]
Whole = NDArray[np.int64]
Packed = tuple[Floats, Whole, Floats, Floats, Whole, NDArray[np.int32]]
Rules = tuple[Floats, Whole, Whole]
Setting = tuple[Rules, Floats, Packed]  # who may hide whom, where the bodies are, and what they hide with


@dataclass(frozen=True, eq=False)
class Placed:
    """A screen where it stands: moved by ``at`` (3,) in the picture; its triangles may lie ``give`` mm off."""

    screen: Screen
    at: NDArray[np.float64]
    give: float = 0.0


@dataclass(frozen=True, eq=False)
class Asked:
    """Segments (n, 2, 3) that are asked about together, in mm, as the picture has them: right, up, toward the eye.

    ``own`` is the place of the screen that is of the same body, -1 for none: that hides whatever it lies in front of,
    others only what they lie in front of by ``slack`` mm and their ``give``; when it is ``done`` it is not asked again.
    """

    segments: NDArray[np.float64]
    own: int = -1
    slack: float = 0.0
    done: bool = False


def stretches(
    asked: Sequence[Asked], placed: Sequence[Placed], report: Callable[[float], None] = lambda share: None
) -> NDArray[np.float64]:
    """Segments told apart into stretches that are seen and stretches that some triangle hides.

    Parameters
    ----------
    asked : sequence of Asked
    placed : sequence of Placed
    report : callable(share)
        Told of progress; what it raises stops the work.

    Returns
    -------
    (k, 4) float64
        The row of the segment, counted through all that were asked; from and to as shares of it; 1 where it is hidden.

    Examples
    --------
    >>> from pulley.core.drawing.screens import screen_of
    >>> line = np.array([[[-2.0, 0, 0], [2, 0, 0]]])
    >>> cover = np.array([[[-1.0, -5, 1], [1, -5, 1], [1, 5, 1]], [[-1, -5, 1], [1, 5, 1], [-1, 5, 1]]])
    >>> stretches([Asked(line)], [Placed(screen_of(cover), np.zeros(3))]).round(6).tolist()
    [[0.0, 0.0, 0.25, 0.0], [0.0, 0.25, 0.75, 1.0], [0.0, 0.75, 1.0, 0.0]]
    """
    asked_of = [each for each in asked if len(each.segments)]
    if not asked_of:
        return np.zeros((0, 4))
    segments = np.concatenate([each.segments for each in asked_of])
    group = np.repeat(np.arange(len(asked_of)), [len(each.segments) for each in asked_of])
    bodies = _bodies(placed)
    setting = _rules(asked_of, bodies), bodies, _packed([each.screen for each in placed])
    return _worked_out(segments, group, setting, report)


def own_stretches(
    segments: NDArray[np.float64], screen: Screen, report: Callable[[float], None] = lambda share: None
) -> NDArray[np.float64]:
    """The stretches (k, 4) of the lines of one body that it hides itself, as `stretches` gives them."""
    if not len(segments):
        return np.zeros((0, 4))
    box = box_of(segments)
    lead = TINY * max(float((box[3:] - box[:3]).max()), 1e-3)
    rules = np.array([[0.0, 0.0, 0.0, lead]]), np.array([0, 1]), np.array([0])
    setting = rules, _bodies([Placed(screen, np.zeros(3))]), _packed([screen])
    return _worked_out(segments, np.zeros(len(segments), np.int64), setting, report)


def _worked_out(
    segments: Floats, group: Whole, setting: Setting, report: Callable[[float], None]
) -> NDArray[np.float64]:
    """Stretches (k, 4) of segments, worked out in blocks."""

    def work(start: int) -> NDArray[np.float64]:
        block = slice(start, start + BLOCK)
        found = _told(segments[block], group[block], setting)
        found[:, 0] += start
        return found

    return np.concatenate(in_threads(work, range(0, len(segments), BLOCK), report))


def _told(segments: Floats, group: Whole, setting: Setting) -> NDArray[np.float64]:
    """Stretches (k, 4) of segments."""
    room, count = 64, -1
    while count < 0:
        buffer, found = np.empty((room, 2)), np.empty((2 * len(segments) + room, 4))
        count = _told_apart(segments, group, *setting, buffer, found)
        room *= 8
    return found[:count]


def _bodies(placed: Sequence[Placed]) -> NDArray[np.float64]:
    """Of each body (b, 9): left, foot, right, top, the nearest depth, where it is moved to, its give."""
    rows = np.empty((len(placed), 9))
    for row, each in zip(rows, placed, strict=True):
        nearest = each.screen.nearest
        row[:4] = each.screen.box + np.tile(each.at[:2], 2)
        row[4] = nearest[0] + each.at[2] if len(nearest) else -np.inf
        row[5:8], row[8] = each.at, each.give
    return rows


def _rules(asked: Sequence[Asked], bodies: NDArray[np.float64]) -> Rules:
    """Of each group (g, 4): its own body, whether that is done, its slack, the least lead; where in ``near`` the
    bodies begin that may hide it (g + 1,); and these bodies, the nearest first."""
    boxes = np.array([box_of(each.segments) for each in asked])
    low, high = boxes[:, :3], boxes[:, 3:]
    size = max(float((high.max(0) - low.min(0)).max()), 1e-3)
    rules = np.array([(each.own, each.done, each.slack, TINY * size) for each in asked], float)
    order = np.argsort(-bodies[:, 4], kind="stable")
    left, foot, right, top, nearest = bodies[order, :5].T
    meets = (low[:, :1] <= right) & (high[:, :1] >= left) & (low[:, 1:2] <= top) & (high[:, 1:2] >= foot)
    meets &= low[:, 2:] < nearest
    begins = np.concatenate([[0], np.cumsum(meets.sum(1))])
    return rules, begins.astype(np.int64), order[np.nonzero(meets)[1]].astype(np.int64)


@njit(cache=True, nogil=True)
def box_of(shapes):  # noqa: ANN001, ANN201
    """The lowest and highest corner (6,) of segments or triangles (n, k, 3)."""
    box = np.array([np.inf, np.inf, np.inf, -np.inf, -np.inf, -np.inf])
    for i in range(len(shapes)):
        for k in range(shapes.shape[1]):
            for x in range(3):
                value = shapes[i, k, x]
                box[x], box[3 + x] = min(box[x], value), max(box[3 + x], value)
    return box


def _packed(screens: Sequence[Screen]) -> Packed:
    """Screens laid end to end, each once: grids (b, 3), cells across and up and where triangles, cells and members
    begin (b, 5); planes, nearest depths, beginnings and members."""
    each = {id(screen): screen for screen in screens}
    at, first = {}, np.zeros(3, np.int64)
    for key, screen in each.items():
        at[key] = first.copy()
        first += (len(screen.planes), len(screen.begins), len(screen.members))
    grids = np.array([screen.grid[:3] for screen in screens]).reshape(-1, 3)
    cells = np.array([(*screen.grid[3:], *at[id(screen)]) for screen in screens], np.int64).reshape(-1, 5)
    parts = list(each.values())
    if len(parts) == 1:
        return grids, cells, parts[0].planes, parts[0].nearest, parts[0].begins, parts[0].members
    return (
        grids,
        cells,
        np.concatenate([s.planes for s in parts] or [np.zeros((0, 12))]),
        np.concatenate([s.nearest for s in parts] or [np.zeros(0)]),
        np.concatenate([s.begins for s in parts] or [np.zeros(0, np.int64)]),
        np.concatenate([s.members for s in parts] or [np.zeros(0, np.int32)]),
    )


@njit(cache=True, nogil=True)
def _clipped(s0, s1, u, v):  # noqa: ANN001, ANN202
    """What is left of the stretch from s0 to s1 where u + s (v - u) is above 0; from > to for nothing."""
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
def _merged(buffer, m):  # noqa: ANN001, ANN202
    """Join those of the first m stretches (n, 2) that meet, in order of their starts; how many are left."""
    _sorted(buffer, m)
    n = 0
    for k in range(m):
        if n and buffer[k, 0] <= buffer[n - 1, 1] + 1e-9:
            buffer[n - 1, 1] = max(buffer[n - 1, 1], buffer[k, 1])
        else:
            buffer[n, 0], buffer[n, 1] = buffer[k, 0], buffer[k, 1]
            n += 1
    return n


@njit(cache=True, nogil=True)
def _hidden(px, py, pz, qx, qy, qz, lead, body, packed, buffer, m):  # noqa: ANN001, ANN202, C901
    """Add the stretches of one segment that a screen hides, walked through cell by cell, to a buffer (n, 2) of which m
    rows are in use; how many it holds then, -1 when there was no room (an array that grows would slow the loop).

    J. Amanatides and A. Woo 1987, "A fast voxel traversal algorithm for ray tracing" (from memory).
    """
    grids, cells, planes, nearest, begins, members = packed
    left, foot, cell = grids[body, 0], grids[body, 1], grids[body, 2]
    across, down = cells[body, 0], cells[body, 1]
    facet, start, first = cells[body, 2], cells[body, 3], cells[body, 4]
    dx, dy, dz = qx - px, qy - py, qz - pz
    s, last = _within(px, dx, left, left + cell * across, 0.0, 1.0)
    s, last = _within(py, dy, foot, foot + cell * down, s, last)
    if s >= last:
        return m
    x = min(max(int((px + s * dx - left) / cell), 0), across - 1)
    y = min(max(int((py + s * dy - foot) / cell), 0), down - 1)
    while s < last and 0 <= x < across and 0 <= y < down:
        out_x, out_y = _next(px, dx, x, left, cell), _next(py, dy, y, foot, cell)
        end = max(min(out_x, out_y, last), s)
        least = min(pz + s * dz, pz + end * dz)
        place = start + y * across + x
        for k in range(first + begins[place], first + begins[place + 1]):
            t = facet + members[k]
            if nearest[t] <= least or end <= s:
                break
            u = planes[t, 0] * px + planes[t, 1] * py + planes[t, 2] - pz - lead
            v = planes[t, 0] * qx + planes[t, 1] * qy + planes[t, 2] - qz - lead
            low, high = u + s * (v - u), u + end * (v - u)
            if low <= 0 and high <= 0:
                continue  # it lies behind
            a = s if low > 0 else s - (end - s) * low / (high - low)
            b = end if high > 0 else s + (end - s) * low / (low - high)
            for side in range(3, 12, 3):
                u = planes[t, side] * px + planes[t, side + 1] * py + planes[t, side + 2]
                v = planes[t, side] * qx + planes[t, side + 1] * qy + planes[t, side + 2]
                a, b = _clipped(a, b, u, v)
                if a >= b:
                    break
            if a < b:
                if m == len(buffer):
                    m = _merged(buffer, m)
                    if m == len(buffer):
                        return -1
                buffer[m, 0], buffer[m, 1] = a, b
                m += 1
                if a <= s and b >= end:
                    break
        s = end
        if out_x <= out_y:
            x += 1 if dx > 0 else -1
        else:
            y += 1 if dy > 0 else -1
    return m


@njit(cache=True, nogil=True)
def _beside(px, py, qx, qy, box):  # noqa: ANN001, ANN202
    """Whether the bounds of a segment lie beside a box: left, foot, right, top."""
    return max(px, qx) < box[0] or max(py, qy) < box[1] or min(px, qx) > box[2] or min(py, qy) > box[3]


@njit(cache=True, nogil=True)
def _told_apart(segments, group, rules, bodies, packed, buffer, found):  # noqa: ANN001, ANN202, C901
    """Write stretches of segments to ``found`` (k, 4): the row, from, to, and whether hidden; how many there are, -1
    when there was no room for them, or in the buffer (n, 2)."""
    whose, begins, near = rules
    n = 0
    for i in range(len(segments)):
        g, m = group[i], 0
        px, py, pz = segments[i, 0, 0], segments[i, 0, 1], segments[i, 0, 2]
        qx, qy, qz = segments[i, 1, 0], segments[i, 1, 1], segments[i, 1, 2]
        for place in range(begins[g], begins[g + 1]):
            body = near[place]
            own = body == whose[g, 0]
            if bodies[body, 4] <= min(pz, qz):
                break  # as all that follow
            if (own and whose[g, 1]) or _beside(px, py, qx, qy, bodies[body]):
                continue
            x, y, z = bodies[body, 5], bodies[body, 6], bodies[body, 7]
            lead = whose[g, 3] if own else max(whose[g, 3], whose[g, 2] + bodies[body, 8])
            m = _hidden(px - x, py - y, pz - z, qx - x, qy - y, qz - z, lead, body, packed, buffer, m)
            if m < 0:
                return -1
            if m:
                m = _merged(buffer, m)
                if buffer[0, 0] <= 1e-9 and buffer[0, 1] >= 1.0 - 1e-9:
                    break
        if n + 2 * m + 1 > len(found):
            return -1
        at = 0.0
        for k in range(m):
            a, b = max(buffer[k, 0], at), min(buffer[k, 1], 1.0)
            if b <= at + 1e-9:
                continue
            if a > at + 1e-9:
                found[n, 0], found[n, 1], found[n, 2], found[n, 3] = i, at, a, 0.0
                n += 1
            found[n, 0], found[n, 1], found[n, 2], found[n, 3] = i, a, b, 1.0
            n += 1
            at = b
        if at < 1.0 - 1e-9:
            found[n, 0], found[n, 1], found[n, 2], found[n, 3] = i, at, 1.0, 0.0
            n += 1
    return n


def cut_to(segments: NDArray[np.float64], told: NDArray[np.float64]) -> NDArray[np.float64]:
    """The ends (k, 2, 3) of stretches (k, 4) of segments (n, 2, 3).

    >>> cut_to(np.array([[[0.0, 0, 0], [4, 0, 8]]]), np.array([[0.0, 0.25, 0.5, 1.0]])).tolist()
    [[[1.0, 0.0, 2.0], [2.0, 0.0, 4.0]]]
    """
    cut: NDArray[np.float64] = _cut_to(segments, told)
    return cut


@njit(cache=True, nogil=True)
def _cut_to(segments, told):  # noqa: ANN001, ANN202
    points = np.empty((len(told), 2, 3))
    for i in range(len(told)):
        row = int(told[i, 0])
        for end in range(2):
            for axis in range(3):
                start = segments[row, 0, axis]
                points[i, end, axis] = start + told[i, 1 + end] * (segments[row, 1, axis] - start)
    return points
