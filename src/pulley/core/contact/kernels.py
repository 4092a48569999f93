"""The compiled inner loop: the least gap along an axis between two sets of projected facets.

Facets are triangles (k, 3, 3) in a view frame whose third coordinate w runs along the travel.
"""

import math

import numpy as np
from numba import carray, njit, types  # type: ignore[attr-defined]
from numba.extending import intrinsic
from numpy.typing import NDArray

NEVER = math.inf
THIN = 1e-7  # mm; overlaps narrower than this in projection are round-off
ROUND_OFF = 1e-6  # mm by which facets that have met may seem to have passed, where a leg of a motion ends at a contact
STEEPEST = 1e-3  # sine of a slope; what leads to a contact on a steeper flank is looked for no farther along it
EDGE_ON = 1e-6  # sine of the slope below which a facet lies along the travel: it gains 1 mm in a kilometre
OVERLAPPING = 2e-3  # mm; what overlaps by less where a motion starts is not told from what touches


@njit(cache=True, nogil=True, error_model="numpy")
def _clip(poly, count, out, a, b, c):  # noqa: ANN001, ANN202
    """Keep the side a*u + b*v + c >= 0 of a polygon (count, 2); returns the new count."""
    kept = 0
    for i in range(count):
        j = i + 1 if i + 1 < count else 0
        here = a * poly[i, 0] + b * poly[i, 1] + c
        there = a * poly[j, 0] + b * poly[j, 1] + c
        if here >= 0.0:
            out[kept, 0] = poly[i, 0]
            out[kept, 1] = poly[i, 1]
            kept += 1
        if (here > 0.0 and there < 0.0) or (here < 0.0 and there > 0.0):
            s = here / (here - there)
            out[kept, 0] = poly[i, 0] + s * (poly[j, 0] - poly[i, 0])
            out[kept, 1] = poly[i, 1] + s * (poly[j, 1] - poly[i, 1])
            kept += 1
    return kept


@njit(cache=True, nogil=True, error_model="numpy")
def _is_thin(poly, count):  # noqa: ANN001, ANN202
    area = 0.0
    around = 0.0
    for i in range(count):
        j = i + 1 if i + 1 < count else 0
        area += (poly[i, 0] - poly[0, 0]) * (poly[j, 1] - poly[0, 1])
        area -= (poly[j, 0] - poly[0, 0]) * (poly[i, 1] - poly[0, 1])
        around += math.hypot(poly[j, 0] - poly[i, 0], poly[j, 1] - poly[i, 1])
    return abs(area) <= THIN * around


@njit(cache=True, nogil=True, error_model="numpy")
def _height(facet):  # noqa: ANN001, ANN202
    """Coefficients of w = a*u + b*v + c over a facet, and twice its signed projected area."""
    u1, v1, w1 = facet[1, 0] - facet[0, 0], facet[1, 1] - facet[0, 1], facet[1, 2] - facet[0, 2]
    u2, v2, w2 = facet[2, 0] - facet[0, 0], facet[2, 1] - facet[0, 1], facet[2, 2] - facet[0, 2]
    area = u1 * v2 - u2 * v1
    a = (w1 * v2 - w2 * v1) / area
    b = (u1 * w2 - u2 * w1) / area
    return a, b, facet[0, 2] - a * facet[0, 0] - b * facet[0, 1], area


@njit(cache=True, nogil=True, error_model="numpy")
def _facet_gap(mover, rest, slack, poly, work):  # noqa: ANN001, ANN202
    """Least gap >= -slack over the overlap of two facets, and where; infinite when there is none."""
    for k in range(3):
        poly[k, 0] = mover[k, 0]
        poly[k, 1] = mover[k, 1]
    ra, rb, rc, area = _height(rest)
    sign = 1.0 if area > 0.0 else -1.0
    count = 3
    for k in range(3):
        j = k + 1 if k < 2 else 0
        a = -sign * (rest[j, 1] - rest[k, 1])
        b = sign * (rest[j, 0] - rest[k, 0])
        count = _clip(poly, count, work, a, b, -(a * rest[k, 0] + b * rest[k, 1]))
        poly, work = work, poly
        if count < 3:
            return NEVER, 0.0, 0.0
    if _is_thin(poly, count):
        return NEVER, 0.0, 0.0
    ma, mb, mc, _ = _height(mover)
    ga, gb, gc = ra - ma, rb - mb, rc - mc
    count = _clip(poly, count, work, ga, gb, gc + slack)
    best, at_u, at_v = NEVER, 0.0, 0.0
    for k in range(count):
        gap = ga * work[k, 0] + gb * work[k, 1] + gc
        if gap < best:
            best, at_u, at_v = gap, work[k, 0], work[k, 1]
    return best, at_u, at_v


@njit(cache=True, nogil=True, error_model="numpy")
def height_at(facet: NDArray[np.float64], u: float, v: float) -> float:
    """The w of a facet's (3, 3) plane over (u, v).

    Parameters
    ----------
    facet : (3, 3) float64
        Corners as (u, v, w).
    u, v : float
    """
    a, b, c, _ = _height(facet)
    return a * u + b * v + c


@njit(cache=True, nogil=True, error_model="numpy")
def _upward(facet, scale):  # noqa: ANN001, ANN202
    """The w of a facet's unit normal, where ``scale`` is mm for each unit of w; 0 edge-on or without an area."""
    u1, v1, w1 = facet[1, 0] - facet[0, 0], facet[1, 1] - facet[0, 1], (facet[1, 2] - facet[0, 2]) * scale
    u2, v2, w2 = facet[2, 0] - facet[0, 0], facet[2, 1] - facet[0, 1], (facet[2, 2] - facet[0, 2]) * scale
    x, y, z = v1 * w2 - w1 * v2, w1 * u2 - u1 * w2, u1 * v2 - v1 * u2
    return z / max(math.sqrt(x * x + y * y + z * z), 1e-300)


@njit(cache=True, nogil=True, error_model="numpy")
def upward(facets: NDArray[np.float64]) -> NDArray[np.float64]:
    """The w (k,) of the unit normals of facets (k, 3, 3)."""
    found = np.empty(len(facets))
    for k in range(len(facets)):
        found[k] = _upward(facets[k], 1.0)
    return found


@njit(cache=True, nogil=True, error_model="numpy")
def _near(boxes, u, v, w, reach, reach_w):  # noqa: ANN001, ANN202
    """Numbers of the facets whose bounds come near a point."""
    found = np.empty(len(boxes), np.int64)
    count = 0
    for i in range(len(boxes)):
        if (
            boxes[i, 0] <= u + reach
            and boxes[i, 3] >= u - reach
            and boxes[i, 1] <= v + reach
            and boxes[i, 4] >= v - reach
            and boxes[i, 2] <= w + reach_w
            and boxes[i, 5] >= w - reach_w
        ):
            found[count] = i
            count += 1
    return found[:count]


@njit(cache=True, nogil=True, error_model="numpy")
def _beside(a, b):  # noqa: ANN001, ANN202
    """Whether the bounds of two facets in (u, v) do not overlap."""
    for axis in range(2):
        if max(a[0, axis], a[1, axis], a[2, axis]) <= min(b[0, axis], b[1, axis], b[2, axis]):
            return True
        if min(a[0, axis], a[1, axis], a[2, axis]) >= max(b[0, axis], b[1, axis], b[2, axis]):
            return True
    return False


@njit(cache=True, nogil=True, error_model="numpy")
def _later(true, thin, sense):  # noqa: ANN001, ANN202
    """By how much of w, in the given sense, a true facet's plane lies ahead of its thinned one's corners at least."""
    least = NEVER
    for k in range(3):
        least = min(least, sense * (height_at(true, thin[k, 0], thin[k, 1]) - thin[k, 2]))
    return least


@njit(cache=True, nogil=True, error_model="numpy")
def where_it_begins(  # noqa: C901
    mover: NDArray[np.float64],
    mover_thin: NDArray[np.float64],
    mover_boxes: NDArray[np.float64],
    rest: NDArray[np.float64],
    rest_thin: NDArray[np.float64],
    rest_boxes: NDArray[np.float64],
    shift: NDArray[np.float64],
    met: NDArray[np.float64],
    pair: tuple[int, int],
    gap: float,
    reach: float,
    depth: float,
    scale: float,
) -> tuple[float, float, float, float]:
    """Where the true surfaces meet that lead to a contact of thinned ones: gap, and (u, v, w) on the mover.

    Parameters
    ----------
    mover, rest, mover_thin, rest_thin : (k, 3, 3) float64
        True facets in the view frame, and the same thinned.
    mover_boxes, rest_boxes : (k, 6) float64
        Bounds of the thinned ones, by which those near the contact are found.
    shift : (3,) float64
        How far the rest stands from where its facets say.
    met : (3,) float64
        Where the mover's thinned facet meets the other after travelling ``gap``.
    pair : two ints
        Those two facets.
    reach : float
        How far in mm from there, across the facets that meet, what leads to the contact may lie.
    depth : float
        How deep in mm the two overlap where the motion starts; what overlaps then meets at 0.
    scale : float
        Mm of travel for each unit of w.

    Notes
    -----
    Two facets meet sooner than their thinned ones by what their planes lie ahead of those, the more the steeper they
    are. Those that meet only a little sooner merely slide, and do not lead to the contact.
    """
    steep = max(min(abs(_upward(mover_thin[pair[0]], scale)), abs(_upward(rest_thin[pair[1]], scale))), STEEPEST)
    along = reach / (steep * scale)
    near = _near(mover_boxes, met[0], met[1], met[2], reach, along)
    there = _near(rest_boxes, met[0] - shift[0], met[1] - shift[1], met[2] + gap - shift[2], reach, along)
    poly, work, here = np.empty((12, 2)), np.empty((12, 2)), np.empty((3, 3))
    best, u, v, w = NEVER, met[0], met[1], met[2]
    latest = NEVER
    slopes, others = np.empty(len(there)), np.empty(len(there))
    for n in range(len(there)):
        slopes[n] = abs(_upward(rest[there[n]], scale))
        others[n] = _later(rest[there[n]], rest_thin[there[n]], -1.0) if slopes[n] >= EDGE_ON else NEVER
    for i in near:
        for k in range(3):
            for axis in range(3):
                here[k, axis] = mover[i, k, axis] - shift[axis]
        slope = abs(_upward(here, scale))
        if slope < EDGE_ON:
            continue
        later = _later(mover[i], mover_thin[i], 1.0)
        for n in range(len(there)):
            j, other, sooner = there[n], slopes[n], later + others[n]
            if other < EDGE_ON:
                continue
            latest = min(latest, sooner)
            if _beside(here, rest[j]):
                continue
            slack = (depth + OVERLAPPING) * max(1.0 / slope, 1.0 / other) / scale
            found, at_u, at_v = _facet_gap(here, rest[j], slack, poly, work)
            if found < best and found <= gap - 0.9 * max(sooner, 0.0):
                best, u, v = found, at_u + shift[0], at_v + shift[1]
                w = height_at(mover[i], u, v)
    if best == NEVER:
        best = gap - max(min(latest, gap), 0.0) if latest < NEVER else gap
    return (best if best * scale > ROUND_OFF else 0.0), u, v, w


@njit(cache=True, nogil=True, error_model="numpy")
def bounds_of(facets: NDArray[np.float64]) -> NDArray[np.float64]:
    """Bounds (k, 6) of facets (k, 3, 3): least u, v, w, then greatest."""
    boxes = np.empty((len(facets), 6))
    for i in range(len(facets)):
        for axis in range(3):
            x, y, z = facets[i, 0, axis], facets[i, 1, axis], facets[i, 2, axis]
            boxes[i, axis] = min(x, y, z)
            boxes[i, 3 + axis] = max(x, y, z)
    return boxes


@njit(cache=True, nogil=True, error_model="numpy")
def _cell(x, low, size, cells):  # noqa: ANN001, ANN202
    return min(max(int((x - low) / size), 0), cells - 1)


@njit(cache=True, nogil=True, error_model="numpy")
def grid_of(
    boxes: NDArray[np.float64], cells: int
) -> tuple[NDArray[np.int32], NDArray[np.int32], NDArray[np.float64], NDArray[np.float64]]:
    """Facets by cells of a square grid over (u, v): where each cell's share of the list starts, the list of
    facet numbers, the least w in each cell, and the grid's least u and v and its cells' sizes.

    Parameters
    ----------
    boxes : (k, 6) float64
        As `bounds_of` gives them.
    cells : int
        On each side of the grid.
    """
    frame = np.empty(4)
    for axis in range(2):
        frame[axis] = boxes[:, axis].min()
        frame[2 + axis] = max(boxes[:, 3 + axis].max() - frame[axis], 1e-9) / cells
    low_u, low_v, size_u, size_v = frame
    starts, lowest = np.zeros(cells * cells + 1, np.int32), np.full(cells * cells, NEVER)
    listed = np.empty(0, np.int32)
    place = starts
    for filling in range(2):
        if filling:
            starts[1:] = np.cumsum(starts[1:])
            listed = np.empty(starts[-1], np.int32)
            place = starts[:-1].copy()
        for i in range(len(boxes)):
            for cu in range(_cell(boxes[i, 0], low_u, size_u, cells), _cell(boxes[i, 3], low_u, size_u, cells) + 1):
                for cv in range(_cell(boxes[i, 1], low_v, size_v, cells), _cell(boxes[i, 4], low_v, size_v, cells) + 1):
                    cell = cu * cells + cv
                    if filling:
                        listed[place[cell]] = i
                        place[cell] += 1
                        lowest[cell] = min(lowest[cell], boxes[i, 2])
                    else:
                        starts[cell + 1] += 1
    return starts, listed, lowest, frame


@njit(cache=True, nogil=True, error_model="numpy")
def least_gap(  # noqa: C901
    mover: NDArray[np.float64],
    mover_boxes: NDArray[np.float64],
    slack: NDArray[np.float64],
    rest: NDArray[np.float64],
    rest_boxes: NDArray[np.float64],
    starts: NDArray[np.int32],
    listed: NDArray[np.int32],
    lowest: NDArray[np.float64],
    frame: NDArray[np.float64],
    limits: NDArray[np.float64],
    shift: NDArray[np.float64],
) -> tuple[float, float, float, int, int]:
    """Least gap along w from facets of the mover to facets of the rest, the (u, v) where it is, and which two meet.

    Parameters
    ----------
    mover, rest : (k, 3, 3) float64
        Triangles in the view frame, none of them edge-on, in order of falling greatest w.
    mover_boxes, rest_boxes : (k, 6) float64
        As `bounds_of` gives them.
    slack : (k,) float64
        For each facet of the mover: gaps below ``-slack`` lie behind.
    starts, listed, lowest, frame
        The rest's grid, as `grid_of` gives it.
    limits : (6,) float64
        Bounds of the whole rest.
    shift : (3,) float64
        How far the rest stands from where its facets say.

    Returns
    -------
    gap, u, v : float
        ``gap`` is infinite when nothing is ever in the way; it may be as low as ``-slack``.
    i, j : int
        The facets of the mover and of the rest that meet there; -1 when none do.

    Notes
    -----
    Over the overlap of two projected triangles both are planar, so the gap is linear there and
    least at a corner of the overlap polygon: exact, up to the tessellation. The grid keeps the pairs
    few; a pair that shares several cells is looked at only in the one with the least corner of the
    overlap of its bounds.
    """
    best, best_u, best_v, best_i, best_j = NEVER, 0.0, 0.0, -1, -1
    cells = int(math.sqrt(len(starts) - 1) + 0.5)
    low_u, low_v, size_u, size_v = frame
    poly, work, here = np.empty((12, 2)), np.empty((12, 2)), np.empty((3, 3))
    for i in range(len(mover)):
        u0, v0, w0 = mover_boxes[i, 0] - shift[0], mover_boxes[i, 1] - shift[1], mover_boxes[i, 2] - shift[2]
        u1, v1, w1 = mover_boxes[i, 3] - shift[0], mover_boxes[i, 4] - shift[1], mover_boxes[i, 5] - shift[2]
        if limits[2] - w1 >= best:
            break
        if limits[5] - w0 < -slack[i] or u0 >= limits[3] or u1 <= limits[0] or v0 >= limits[4] or v1 <= limits[1]:
            continue
        for k in range(3):
            for axis in range(3):
                here[k, axis] = mover[i, k, axis] - shift[axis]
        for cu in range(_cell(u0, low_u, size_u, cells), _cell(u1, low_u, size_u, cells) + 1):
            for cv in range(_cell(v0, low_v, size_v, cells), _cell(v1, low_v, size_v, cells) + 1):
                cell = cu * cells + cv
                if lowest[cell] - w1 >= best:
                    continue
                for at in range(starts[cell], starts[cell + 1]):
                    j = listed[at]
                    if rest_boxes[j, 5] - w0 < -slack[i]:
                        break  # a cell lists its facets in order of falling greatest w
                    if (
                        rest_boxes[j, 2] - w1 >= best
                        or rest_boxes[j, 0] >= u1
                        or rest_boxes[j, 3] <= u0
                        or rest_boxes[j, 1] >= v1
                        or rest_boxes[j, 4] <= v0
                        or _cell(max(u0, rest_boxes[j, 0]), low_u, size_u, cells) != cu
                        or _cell(max(v0, rest_boxes[j, 1]), low_v, size_v, cells) != cv
                    ):
                        continue
                    gap, u, v = _facet_gap(here, rest[j], slack[i], poly, work)
                    if gap < best:
                        best, best_u, best_v, best_i, best_j = gap, u + shift[0], v + shift[1], i, j
    return best, best_u, best_v, best_i, best_j


@njit(cache=True, nogil=True, error_model="numpy")
def in_the_way(
    boxes: NDArray[np.float64], mover: int, moving: NDArray[np.bool_], tolerance: float
) -> tuple[NDArray[np.intp], NDArray[np.float64]]:
    """What may be met along w, going by bounds (n, 2, 3): the places, nearest first, and the travel that each needs.

    ``moving`` (n,) are those that come along, the mover among them; what lies up to ``tolerance`` behind counts.
    """
    places, least, count = np.empty(len(boxes), np.intp), np.empty(len(boxes)), 0
    for k in range(len(boxes)):
        if (
            not moving[k]
            and boxes[k, 1, 2] > boxes[mover, 0, 2] - tolerance
            and boxes[k, 0, 0] < boxes[mover, 1, 0]
            and boxes[k, 1, 0] > boxes[mover, 0, 0]
            and boxes[k, 0, 1] < boxes[mover, 1, 1]
            and boxes[k, 1, 1] > boxes[mover, 0, 1]
        ):
            places[count], least[count] = k, max(boxes[k, 0, 2] - boxes[mover, 1, 2], 0.0)
            count += 1
    order = np.argsort(least[:count], kind="mergesort")
    return places[order], least[order]


RECORD = 9  # whole numbers that tell where facets lie in memory: their count, seven addresses, the number of cells


@intrinsic
def _floats_at(_context, address):  # noqa: ANN001, ANN202
    def point(context, builder, signature, arguments):  # noqa: ANN001, ANN202
        return builder.inttoptr(arguments[0], context.get_value_type(signature.return_type))

    return types.CPointer(types.float64)(address), point


@intrinsic
def _ints_at(_context, address):  # noqa: ANN001, ANN202
    def point(context, builder, signature, arguments):  # noqa: ANN001, ANN202
        return builder.inttoptr(arguments[0], context.get_value_type(signature.return_type))

    return types.CPointer(types.int32)(address), point


@njit(cache=True, nogil=True, error_model="numpy")
def first_of(
    sides: NDArray[np.int64],
    shifts: NDArray[np.float64],
    least: NDArray[np.float64],
    depths: NDArray[np.float64],
    reaches: NDArray[np.float64],
    best: float,
) -> tuple[int, float, float, float, float, float]:
    """Which of several pairs meets first: its number (-1: none before ``best``), the gap, (u, v, w), and how late deep.

    Parameters
    ----------
    sides : (k, 2, RECORD) int64
        For each pair where the facets of the mover and of the rest lie in memory, as `Facing.record` tells; whoever
        calls keeps them there.
    shifts : (k, 3) float64
        How far each rest stands from where its facets say.
    least : (k,) float64
        The gap that each pair has at least, rising.
    depths, reaches : (k,) float64
        As `where_it_begins` takes them.
    best : float
        The gap that is to be bettered.

    Notes
    -----
    One call for all pairs, since calling from Python costs more than the geometry of a small pair.
    """
    number, u, v, w, deep = -1, 0.0, 0.0, 0.0, NEVER
    for c in range(len(sides)):
        if least[c] >= best:
            break
        k, m = sides[c, 0, 0], sides[c, 1, 0]
        facets = carray(_floats_at(sides[c, 0, 1]), (k, 3, 3))  # type: ignore[call-arg]  # numba adds the context
        boxes = carray(_floats_at(sides[c, 0, 4]), (k, 6))
        rest, theirs = carray(_floats_at(sides[c, 1, 1]), (m, 3, 3)), carray(_floats_at(sides[c, 1, 4]), (m, 6))
        slack, grid = carray(_floats_at(sides[c, 0, 3]), (k,)), carray(_floats_at(sides[c, 1, 3]), (m + 10,))[m:]
        cells = sides[c, 1, 8]
        starts = carray(_ints_at(sides[c, 1, 5]), (cells + 1,))
        listed = carray(_ints_at(sides[c, 1, 6]), (max(starts[cells], 1),))
        lowest = carray(_floats_at(sides[c, 1, 7]), (cells,))
        gap, at_u, at_v, i, j = least_gap(
            facets, boxes, slack, rest, theirs, starts, listed, lowest, grid[:4], grid[4:], shifts[c]
        )
        if gap == NEVER:
            continue
        met = np.array([at_u, at_v, height_at(facets[i], at_u, at_v)])
        true, other = carray(_floats_at(sides[c, 0, 2]), (k, 3, 3)), carray(_floats_at(sides[c, 1, 2]), (m, 3, 3))
        begun, at_u, at_v, at_w = where_it_begins(
            true, facets, boxes, other, rest, theirs, shifts[c], met, (i, j), gap, reaches[c], depths[c], 1.0
        )
        if begun < best:
            number, best, u, v, w, deep = c, begun, at_u, at_v, at_w, gap
    return number, best, u, v, w, deep


DEEPEST = 60  # halvings of a facet, at most


@njit(cache=True, nogil=True, error_model="numpy")
def _bend(p, q, core):  # noqa: ANN001, ANN202
    """How far in mm the middle of an edge lies from the middle of its image in cylindrical coordinates.

    An advance shears those coordinates along the axis, in proportion to the angle, and so bends nothing.
    """
    if math.sqrt((q[0] - p[0]) ** 2 + (q[1] - p[1]) ** 2 + (q[2] - p[2]) ** 2) < core:
        return 0.0
    x, y = (p[0] + q[0]) / 2, (p[1] + q[1]) / 2
    radius_p, radius, radius_q = math.hypot(p[0], p[1]), math.hypot(x, y), math.hypot(q[0], q[1])
    if min(radius_p, radius_q) < 1e-9:
        return NEVER
    angle = math.atan2(y, x)
    behind = (math.atan2(p[1], p[0]) - angle + math.pi) % (2 * math.pi) - math.pi
    ahead = (math.atan2(q[1], q[0]) - angle + math.pi) % (2 * math.pi) - math.pi
    return math.hypot(radius - (radius_p + radius_q) / 2, radius * (behind + ahead) / 2)


@njit(cache=True, nogil=True, error_model="numpy")
def straighten(  # noqa: C901
    corners: NDArray[np.float64], carried: NDArray[np.float64], chord: float, core: float
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.int64]]:
    """Facets cut up until each is straight in cylindrical coordinates about the third axis.

    Parameters
    ----------
    corners, carried : (k, 3, 3) float64
        The facets in mm, and a vector at each corner that is interpolated along.
    chord : float
        The most in mm that an edge may lie off its image.
    core : float
        Facets within this radius are left out, and edges shorter than it left whole.

    Returns
    -------
    corners, carried : (m, 3, 3) float64
    source : (m,) int64
        Of which facet each is a piece.

    Notes
    -----
    The worst edge of a facet is halved, by its own measure alone, so the facets on both its sides agree.
    """
    out, source, kept = np.empty((2 * len(corners) + 16, 2, 3, 3)), np.empty(2 * len(corners) + 16, np.int64), 0
    stack, depth, facet = np.empty((DEEPEST + 2, 2, 3, 3)), np.empty(DEEPEST + 2, np.int64), np.empty((2, 3, 3))
    for i in range(len(corners)):
        stack[0, 0], stack[0, 1], depth[0] = corners[i], carried[i], 0
        top = 1
        while top:
            top -= 1
            facet[:] = stack[top]
            level = depth[top]
            radius, worst, edge = 0.0, 0.0, 0
            for k in range(3):
                radius = max(radius, math.hypot(facet[0, k, 0], facet[0, k, 1]))
                bend = _bend(facet[0, k], facet[0, (k + 1) % 3], core)
                if bend > worst:
                    worst, edge = bend, k
            if radius <= core:
                continue
            if worst <= chord or level >= DEEPEST:
                if kept == len(out):
                    larger = np.empty((2 * kept, 2, 3, 3))
                    larger[:kept] = out
                    longer = np.empty(2 * kept, np.int64)
                    longer[:kept] = source
                    out, source = larger, longer
                out[kept], source[kept] = facet, i
                kept += 1
                continue
            a, b = edge, (edge + 1) % 3
            for end in (b, a):
                stack[top] = facet
                for part in range(2):
                    for axis in range(3):
                        stack[top, part, end, axis] = (facet[part, a, axis] + facet[part, b, axis]) / 2
                depth[top] = level + 1
                top += 1
    return out[:kept, 0].copy(), out[:kept, 1].copy(), source[:kept].copy()


@njit(cache=True, nogil=True)
def farthest_reach(movers, rest, gap, near):  # noqa: ANN001, ANN201
    """How far in mm beyond the rear of a mover what it lies among goes on, for the mover for which that is most.

    What lies about a mover goes on as long as nothing leaves room for it, and twice the ``gap``, to stand free.

    Parameters
    ----------
    movers, rest : (m, 2, 3), (n, 2, 3) float64
        Bounds in a view frame whose w is the direction of travel.
    gap : float
        In mm.
    near : float
        What is no farther than so many mm across the travel lies about a mover.
    """
    farthest = 0.0
    for i in range(len(movers)):
        low, high = movers[i, 0], movers[i, 1]
        place = np.empty(len(rest), np.int64)
        count = 0
        for k in range(len(rest)):
            beside = rest[k, 1, 2] > low[2]
            for axis in range(2):
                beside &= rest[k, 0, axis] < high[axis] + near and rest[k, 1, axis] > low[axis] - near
            if beside:
                place[count] = k
                count += 1
        about = place[:count]
        reach, room = low[2], high[2] - low[2] + 2 * gap
        for k in about[np.argsort(rest[about, 0, 2])]:
            if rest[k, 0, 2] - reach > room:
                break
            reach = max(reach, rest[k, 1, 2])
        farthest = max(farthest, reach - low[2])
    return farthest
