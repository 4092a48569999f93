"""The compiled half of the software painter: triangles, lines and soft shade on a grid of four samples to a pixel.

Triangles are drawn by their edge functions in homogeneous coordinates, so that one that reaches behind the eye needs no
clipping (M. Olano and T. Greer, Triangle scan conversion using 2D homogeneous coordinates, 1997). What is kept of a
sample is which triangle is nearest; a pixel is lit afterwards, once for each triangle that it sees.

"Nearness" grows toward the eye and is straight across the picture: 1 / distance in perspective, minus the distance in
a parallel view.
"""

import math

import numpy as np
from numba import njit

NOTHING = -1  # the triangle of a sample that sees none
BEHIND = 1e-6  # mm before the eye; what is nearer, or behind it, has no place in the picture
SHORT = 8.0  # pixels of a line that is covered when it is at three places
ON_PLANE = 1e-4  # of the distance: how far a line may lie behind the face that it bounds


@njit(cache=True, nogil=True)
def place(vertices, normals, spans, items, poses, view, focal, middle, parallel, seen, turned):
    """Put every item's vertices on the grid: ``seen`` (k, 6) gets x w, y w, w, distance, x, y; ``turned`` the normals.

    Parameters
    ----------
    vertices, normals : (n, 3) float32
        Of all parts, end to end.
    spans : (p, 2) int64
        Where each part's begin and end.
    items : (m,) int64
        The part of each item.
    poses : (m, 3, 4) float64
    view : (3, 4) float64
        From mm to right, up, back of the eye.
    focal : float
        Samples to a unit of slope; to a mm in a parallel view.
    middle : (2,) float64
        The sample that the axis of the view meets.
    parallel : bool
    """
    k = 0
    for i in range(len(items)):
        pose = poses[i]
        both = np.empty((3, 4))
        for r in range(3):
            for c in range(4):
                both[r, c] = view[r, 0] * pose[0, c] + view[r, 1] * pose[1, c] + view[r, 2] * pose[2, c]
            both[r, 3] += view[r, 3]
        for j in range(spans[items[i], 0], spans[items[i], 1]):
            x, y, z = vertices[j, 0], vertices[j, 1], vertices[j, 2]
            right = both[0, 0] * x + both[0, 1] * y + both[0, 2] * z + both[0, 3]
            up = both[1, 0] * x + both[1, 1] * y + both[1, 2] * z + both[1, 3]
            far = -(both[2, 0] * x + both[2, 1] * y + both[2, 2] * z + both[2, 3])
            w = 1.0 if parallel else far
            seen[k, 0] = middle[0] * w + focal * right
            seen[k, 1] = middle[1] * w - focal * up
            seen[k, 2] = w
            seen[k, 3] = far
            if w > BEHIND:
                seen[k, 4] = seen[k, 0] / w
                seen[k, 5] = seen[k, 1] / w
            x, y, z = normals[j, 0], normals[j, 1], normals[j, 2]
            for r in range(3):
                turned[k, r] = pose[r, 0] * x + pose[r, 1] * y + pose[r, 2] * z
            k += 1


@njit(cache=True, nogil=True)
def _edges_of(a, b, c, out):
    """The edge functions (3, 3) of a triangle of homogeneous points; its determinant, the sense in which it is seen."""
    out[0, 0] = b[1] * c[2] - b[2] * c[1]
    out[0, 1] = b[2] * c[0] - b[0] * c[2]
    out[0, 2] = b[0] * c[1] - b[1] * c[0]
    out[1, 0] = c[1] * a[2] - c[2] * a[1]
    out[1, 1] = c[2] * a[0] - c[0] * a[2]
    out[1, 2] = c[0] * a[1] - c[1] * a[0]
    out[2, 0] = a[1] * b[2] - a[2] * b[1]
    out[2, 1] = a[2] * b[0] - a[0] * b[2]
    out[2, 2] = a[0] * b[1] - a[1] * b[0]
    return a[0] * out[0, 0] + a[1] * out[0, 1] + a[2] * out[0, 2]


@njit(cache=True, nogil=True)
def _reach(a, b, c, axis, size):
    """The first and the last row or column of samples that a triangle may cover."""
    if a[2] <= BEHIND or b[2] <= BEHIND or c[2] <= BEHIND:
        return 0, size - 1
    p, q, r = a[axis + 4], b[axis + 4], c[axis + 4]
    low, high = min(p, q, r) - 0.5, max(p, q, r) - 0.5
    if high < 0.0 or low > size - 1.0:
        return 1, 0
    return max(int(math.ceil(low)), 0), min(int(math.floor(high)), size - 1)


@njit(cache=True, nogil=True)
def faces(seen, triangles, spans, starts, items, both_sides, parallel, limit, nearness, owner, planes, owners):
    """Draw items' triangles into ``nearness`` and ``owner`` (h, w); a triangle's number runs on from item to item.

    Parameters
    ----------
    seen : (k, 6) float64
        As `place` fills it.
    triangles : (t, 3) int32
        Of all parts, end to end: places among the part's own vertices.
    spans : (p, 2) int64
        Where each part's triangles begin and end.
    starts : (m,) int64
        Where each item's vertices begin in ``seen``.
    items : (m,) int64
    both_sides : (p,) bool
        Whether a part's inner side is seen too.
    parallel : bool
    limit : (h, w) float32
        What is not nearer than this is not drawn.
    nearness : (h, w) float32
    owner : (h, w) int32
    planes : (n, 3) float64
        Gets each triangle's nearness as a function of the sample: of x, of y, and at the corner.
    owners : (n,) int32
        Gets the item of each triangle.
    """
    height, width = nearness.shape
    edge = np.empty((3, 3))
    number = 0
    for i in range(len(items)):
        part = items[i]
        first = starts[i]
        for t in range(spans[part, 0], spans[part, 1]):
            a, b, c = seen[first + triangles[t, 0]], seen[first + triangles[t, 1]], seen[first + triangles[t, 2]]
            n = number
            number += 1
            owners[n] = i
            if a[2] > BEHIND and b[2] > BEHIND and c[2] > BEHIND:
                turn = (b[4] - a[4]) * (c[5] - a[5]) - (c[4] - a[4]) * (b[5] - a[5])
                if turn == 0.0 or (turn > 0.0 and not both_sides[part]):  # rows count downward: outsides run clockwise
                    continue
            elif a[2] <= BEHIND and b[2] <= BEHIND and c[2] <= BEHIND:
                continue
            left, right = _reach(a, b, c, 0, width)
            if left > right:
                continue
            top, bottom = _reach(a, b, c, 1, height)
            if top > bottom:
                continue
            det = _edges_of(a, b, c, edge)
            if abs(det) < 1e-12 or (det > 0.0 and not both_sides[part]):
                continue
            p, q, r = (-a[3], -b[3], -c[3]) if parallel else (1.0, 1.0, 1.0)
            for k in range(3):
                planes[n, k] = (p * edge[0, k] + q * edge[1, k] + r * edge[2, k]) / det
            sign = 1.0 if det > 0.0 else -1.0
            e0x, e1x, e2x = sign * edge[0, 0], sign * edge[1, 0], sign * edge[2, 0]
            nx = planes[n, 0]
            for y in range(top, bottom + 1):
                v = y + 0.5
                u = left + 0.5
                e0 = e0x * u + sign * (edge[0, 1] * v + edge[0, 2])
                e1 = e1x * u + sign * (edge[1, 1] * v + edge[1, 2])
                e2 = e2x * u + sign * (edge[2, 1] * v + edge[2, 2])
                near = nx * u + planes[n, 1] * v + planes[n, 2]
                for x in range(left, right + 1):
                    if e0 >= 0.0 and e1 >= 0.0 and e2 >= 0.0 and near > nearness[y, x] and near > limit[y, x]:
                        nearness[y, x] = near
                        owner[y, x] = n
                    e0 += e0x
                    e1 += e1x
                    e2 += e2x
                    near += nx


@njit(cache=True, nogil=True)
def lit(
    owner,
    owners,
    first_of,
    starts,
    items,
    spans,
    triangles,
    seen,
    turned,
    colours,
    opacities,
    lamp,
    sky,
    earth,
    strength,
    soft,
    table,
    lamp_map,
    lamp_view,
    eye,
    out,
):
    """Blend what is seen of each pixel into ``out`` (h, w, 4), 0 to 1: Lambert's law under a sky and a lamp.

    Parameters
    ----------
    owner : (2h, 2w) int32
        The triangle of each sample.
    owners, first_of : (n,) int32, (m,) int64
        The item of each triangle, and the number of each item's first triangle.
    colours : (m, 3) float64
        Linear light.
    opacities : (m,) float64
    lamp, sky, earth : (3,) float64
        The way to the lamp; the light from above (+Y, as on the canvas) and from below.
    strength : float
        Of the lamp; below 0 everything has its own colour and no light falls.
    soft : (h / 2, w / 2) float32
        How much of the light reaches a pixel into its cleft; with one row and column all of it does.
    table : (k,) float64
        sRGB of evenly spaced linear values from 0 to 1.
    lamp_map : (s, s) float32
        The nearness to the lamp of what it meets first; with one row nothing throws a shadow.
    lamp_view : (3, 4) float64
        From right, up and back of the eye to the lamp map: column, row, nearness.
    eye : (4,) float64
        The focal length in samples, the sample that the axis meets, and 1 in a parallel view.
    """
    height, width = out.shape[:2]
    edge = np.empty((3, 3))
    most = len(table) - 1
    found = np.empty(4, np.int32)
    for y in range(height):
        for x in range(width):
            count = 0
            for dy in range(2):
                for dx in range(2):
                    n = owner[2 * y + dy, 2 * x + dx]
                    if n >= 0:
                        found[count] = n
                        count += 1
            if count == 0:
                continue
            shade = 1.0
            if soft.shape[0] > 1:
                shade = soft[min(y // 2, soft.shape[0] - 1), min(x // 2, soft.shape[1] - 1)]
            red = green = blue = alpha = 0.0
            k = 0
            while k < count:
                n = found[k]
                times = 1
                for j in range(k + 1, count):  # samples of one triangle are lit once
                    if found[j] == n:
                        found[j] = found[k + times]
                        found[k + times] = n
                        times += 1
                k += times
                i = owners[n]
                light_r = light_g = light_b = 1.0
                if strength >= 0.0:
                    part = items[i]
                    t = spans[part, 0] + n - first_of[i]
                    p, q, r = starts[i] + triangles[t, 0], starts[i] + triangles[t, 1], starts[i] + triangles[t, 2]
                    det = _edges_of(seen[p], seen[q], seen[r], edge)
                    u, v = 2.0 * x + 1.0, 2.0 * y + 1.0
                    f = edge[0, 0] * u + edge[0, 1] * v + edge[0, 2]
                    g = edge[1, 0] * u + edge[1, 1] * v + edge[1, 2]
                    h = edge[2, 0] * u + edge[2, 1] * v + edge[2, 2]
                    sign = 1.0 if det > 0.0 else -1.0
                    f, g, h = max(f * sign, 0.0), max(g * sign, 0.0), max(h * sign, 0.0)
                    total = max(f + g + h, 1e-300)
                    f, g, h = f / total, g / total, h / total
                    nx = f * turned[p, 0] + g * turned[q, 0] + h * turned[r, 0]
                    ny = f * turned[p, 1] + g * turned[q, 1] + h * turned[r, 1]
                    nz = f * turned[p, 2] + g * turned[q, 2] + h * turned[r, 2]
                    length = math.sqrt(nx * nx + ny * ny + nz * nz)
                    side = (-1.0 if det > 0.0 else 1.0) / max(length, 1e-12)
                    toward = max((nx * lamp[0] + ny * lamp[1] + nz * lamp[2]) * side, 0.0) * strength
                    if lamp_map.shape[0] > 1 and toward > 0.0:
                        far = f * seen[p, 3] + g * seen[q, 3] + h * seen[r, 3]
                        grain = (1.0 if eye[3] > 0.0 else far) / eye[0]
                        toward *= _reached(lamp_map, lamp_view, (u - eye[1]) * grain, (eye[2] - v) * grain, -far)
                    up = 0.5 * ny * side + 0.5
                    light_r = (earth[0] + up * (sky[0] - earth[0]) + toward) / math.pi
                    light_g = (earth[1] + up * (sky[1] - earth[1]) + toward) / math.pi
                    light_b = (earth[2] + up * (sky[2] - earth[2]) + toward) / math.pi
                share = times * opacities[i]
                red += share * shade * table[int(min(colours[i, 0] * light_r, 1.0) * most + 0.5)]
                green += share * shade * table[int(min(colours[i, 1] * light_g, 1.0) * most + 0.5)]
                blue += share * shade * table[int(min(colours[i, 2] * light_b, 1.0) * most + 0.5)]
                alpha += share
            rest = 1.0 - alpha / 4.0
            out[y, x, 0] = red / 4.0 + rest * out[y, x, 0]  # colours are multiplied by their opacity
            out[y, x, 1] = green / 4.0 + rest * out[y, x, 1]
            out[y, x, 2] = blue / 4.0 + rest * out[y, x, 2]
            out[y, x, 3] = alpha / 4.0 + rest * out[y, x, 3]


@njit(cache=True, nogil=True)
def _reached(lamp_map, lamp_view, x, y, z):
    """The share of the lamp's light that reaches a point of the eye's frame: nine looks into the lamp's map."""
    column = lamp_view[0, 0] * x + lamp_view[0, 1] * y + lamp_view[0, 2] * z + lamp_view[0, 3]
    row = lamp_view[1, 0] * x + lamp_view[1, 1] * y + lamp_view[1, 2] * z + lamp_view[1, 3]
    near = lamp_view[2, 0] * x + lamp_view[2, 1] * y + lamp_view[2, 2] * z + lamp_view[2, 3]
    height, width = lamp_map.shape
    reached = 0
    for dy in range(-1, 2):
        for dx in range(-1, 2):
            m, k = int(row) + dy, int(column) + dx
            if m < 0 or k < 0 or m >= height or k >= width or lamp_map[m, k] <= near:
                reached += 1
    return reached / 9.0


@njit(cache=True, nogil=True)
def clefts(nearness, eye, reach, most, strength, first, out):
    """How much light comes into corners and clefts, for every other pixel: ``out`` (h, w) from 0 to 1.

    Around each point of the picture a dozen others are looked at: those that rise over the plane of the point within
    ``reach`` mm take light from it.

    Parameters
    ----------
    nearness : (4h, 4w) float32
        Of samples; minus infinite where nothing is seen.
    eye : (4,) float64
        As in `lit`.
    reach : float
    most : float
        Samples that the neighbourhood reaches at most.
    strength : float
    first : (2,) int64
        Column and row of the first pixel in the whole picture, so that tiles of one have the same grain.
    """
    height, width = out.shape
    places = np.empty((height, width, 3), np.float32)
    for y in range(height):
        for x in range(width):
            near = nearness[4 * y + 2, 4 * x + 2]
            if near == -np.inf:
                places[y, x, 2] = np.inf
                continue
            far = -near if eye[3] > 0.0 else 1.0 / near
            grain = (1.0 if eye[3] > 0.0 else far) / eye[0]
            places[y, x, 0] = (4 * x + 2.5 - eye[1]) * grain
            places[y, x, 1] = (eye[2] - 4 * y - 2.5) * grain
            places[y, x, 2] = -far
    for y in range(height):
        for x in range(width):
            out[y, x] = 1.0
            here = places[y, x]
            if here[2] == np.inf:
                continue
            ax, ay, az = _slope(places, y, x, 0, 1)
            bx, by, bz = _slope(places, y, x, -1, 0)
            nx, ny, nz = ay * bz - az * by, az * bx - ax * bz, ax * by - ay * bx
            length = math.sqrt(nx * nx + ny * ny + nz * nz)
            if length < 1e-12:
                continue
            nx, ny, nz = nx / length, ny / length, nz / length
            speck = 0.06711056 * (x + first[0]) + 0.00583715 * (y + first[1])
            turn = 2.0 * math.pi * ((52.9829189 * (speck - math.floor(speck))) % 1.0)
            radius = min(reach * eye[0] / (1.0 if eye[3] > 0.0 else -here[2]), most) / 4.0
            covered = 0.0
            for k in range(12):
                angle = turn + 2.39996 * k
                arm = radius * math.sqrt((k + 0.5) / 12.0)
                m, n = int(y + arm * math.sin(angle) + 0.5), int(x + arm * math.cos(angle) + 0.5)
                if m < 0 or n < 0 or m >= height or n >= width or places[m, n, 2] == np.inf:
                    continue
                dx, dy, dz = places[m, n, 0] - here[0], places[m, n, 1] - here[1], places[m, n, 2] - here[2]
                far = dx * dx + dy * dy + dz * dz
                rise = dx * nx + dy * ny + dz * nz - 0.02 * reach
                if rise > 0.0 and far < reach * reach:
                    covered += rise / math.sqrt(far) * (1.0 - far / (reach * reach))
            out[y, x] = max(1.0 - strength * covered / 12.0, 0.0)


@njit(cache=True, nogil=True)
def _slope(places, y, x, down, across):
    """The way (3,) along the surface from a point to the next one, taken on the side where it changes less."""
    height, width = places.shape[:2]
    here = places[y, x]
    best = np.inf
    sx = sy = sz = 0.0
    for sign in (1, -1):
        m, n = y + sign * down, x + sign * across
        if m < 0 or n < 0 or m >= height or n >= width or places[m, n, 2] == np.inf:
            continue
        dz = places[m, n, 2] - here[2]
        if abs(dz) < best:
            best = abs(dz)
            sx, sy, sz = sign * (places[m, n, 0] - here[0]), sign * (places[m, n, 1] - here[1]), sign * dz
    return sx, sy, sz


@njit(cache=True, nogil=True)
def smoothed(rough, nearness, out):
    """Even out what `clefts` found, over four by four, within a surface and not across its border."""
    height, width = rough.shape
    for y in range(height):
        for x in range(width):
            here = nearness[4 * y + 2, 4 * x + 2]
            if here == -np.inf:
                out[y, x] = 1.0
                continue
            total, weight = 0.0, 0.0
            for m in range(max(y - 2, 0), min(y + 2, height)):
                for n in range(max(x - 2, 0), min(x + 2, width)):
                    there = nearness[4 * m + 2, 4 * n + 2]
                    if there != -np.inf and abs(there - here) < 0.02 * abs(here):
                        total += rough[m, n]
                        weight += 1.0
            out[y, x] = total / weight


@njit(cache=True, nogil=True)
def inked(out, cover, inks, colours):
    """Lay ink over a picture (h, w, 4) as far as it covers each pixel; ``colours`` (k, 3) are the inks'."""
    height, width = cover.shape
    for y in range(height):
        for x in range(width):
            share = cover[y, x]
            if share > 0.0:
                ink = inks[y, x]
                for k in range(3):
                    out[y, x, k] += share * (colours[ink, k] - out[y, x, k])
                out[y, x, 3] += share * (1.0 - out[y, x, 3])


@njit(cache=True, nogil=True)
def bytes_of(picture, out):
    """A picture (h, w, 4) from 0 to 1 as bytes, its colours no longer multiplied by its opacity."""
    height, width = picture.shape[:2]
    for y in range(height):
        for x in range(width):
            alpha = picture[y, x, 3]
            if alpha <= 0.0:
                out[y, x, 0] = out[y, x, 1] = out[y, x, 2] = out[y, x, 3] = 0
                continue
            for k in range(3):
                out[y, x, k] = int(min(max(picture[y, x, k] / alpha, 0.0), 1.0) * 255.0 + 0.5)
            out[y, x, 3] = int(min(alpha, 1.0) * 255.0 + 0.5)


@njit(cache=True, nogil=True)
def bands(
    ends,
    owner,
    nearness,
    planes,
    width,
    ink,
    parallel,
    hidden,
    on,
    off,
    cover,
    inks,
):
    """Draw lines as bands of an even width: how much of a pixel they cover, and in which ink.

    Parameters
    ----------
    ends : (k, 2, 4) float64
        Ends of lines as `place` gives points, in samples.
    owner, nearness, planes : as `faces` fills them
    width : float
        In pixels; a band goes on for half of it beyond its ends, so that the next one joins.
    ink : int
    hidden : int
        0: what faces cover is left out. 1: it alone is drawn. 2: all is drawn.
    on, off : float
        Dash and gap in mm along a line; ``off`` 0 for none. Needs (k, 2, 5) ends with the mm at each.
    cover : (h, w) float32
        Gets the greatest share so far.
    inks : (h, w) uint8
    """
    height, wide = cover.shape
    half = width / 2.0
    for i in range(len(ends)):
        wa, wb = ends[i, 0, 2], ends[i, 1, 2]
        if wa <= 1e-6 and wb <= 1e-6:
            continue
        ta, tb = 0.0, 1.0
        if wa <= 1e-6 or wb <= 1e-6:
            cut = (1e-5 - wa) / (wb - wa)
            if wa < wb:
                ta = cut
            else:
                tb = cut
        xa, ya, wa, fa = _between(ends[i], ta)
        xb, yb, wb, fb = _between(ends[i], tb)
        xa, ya, xb, yb = xa / wa / 2.0, ya / wa / 2.0, xb / wb / 2.0, yb / wb / 2.0  # pixels
        na, nb = (-fa, -fb) if parallel else (1.0 / wa, 1.0 / wb)
        dx, dy = xb - xa, yb - ya
        span = math.sqrt(dx * dx + dy * dy)
        ux, uy = (dx / span, dy / span) if span > 1e-9 else (1.0, 0.0)
        steep = abs(uy) > abs(ux)
        edge = width + 1.0
        low, high = (min(ya, yb), max(ya, yb)) if steep else (min(xa, xb), max(xa, xb))
        size, aside = (height, wide) if steep else (wide, height)
        if high < -edge or low > size + edge:
            continue
        if hidden == 0 and span < SHORT and _covered(xa, ya, xb, yb, na, nb, owner, planes):
            continue
        thick = edge / max(abs(uy) if steep else abs(ux), 0.5)
        for m in range(max(int(low - edge), 0), min(int(high + edge) + 1, size - 1) + 1):
            if steep:
                at = xa + (min(max(m + 0.5, low), high) - ya) * (dx / dy if abs(dy) > 1e-9 else 0.0)
            else:
                at = ya + (min(max(m + 0.5, low), high) - xa) * (dy / dx if abs(dx) > 1e-9 else 0.0)
            for k in range(max(int(at - thick), 0), min(int(at + thick) + 1, aside - 1) + 1):
                x, y = (k, m) if steep else (m, k)
                px, py = x + 0.5 - xa, y + 0.5 - ya
                along = px * ux + py * uy
                beyond = max(-along, along - span) - half
                share = min(half + 0.5 - abs(px * uy - py * ux), 0.5 - beyond, 1.0)
                share = min(share, width)
                if share <= 0.0 or (share <= cover[y, x] and hidden != 0):
                    continue
                s = min(max(along / span, 0.0), 1.0) if span > 1e-9 else 0.0
                near = na + s * (nb - na)
                if off > 0.0:
                    t = s if parallel else s * nb / max(near, 1e-300)
                    length = ends[i, 0, 4] if ends.shape[2] > 4 else 0.0
                    if (ta + t * (tb - ta)) * length % (on + off) > on:
                        continue
                if hidden != 2:
                    lx, ly = 2.0 * (xa + s * dx), 2.0 * (ya + s * dy)
                    free = 0
                    for sy in range(2 * y, 2 * y + 2):
                        for sx in range(2 * x, 2 * x + 2):
                            n = owner[sy, sx]
                            if n < 0:
                                free += 1
                                continue
                            face = planes[n, 0] * lx + planes[n, 1] * ly + planes[n, 2]
                            face = min(face, nearness[sy, sx])
                            slack = ON_PLANE * abs(face)
                            if near + slack >= face:
                                free += 1
                    share *= free / 4.0 if hidden == 0 else 1.0 - free / 4.0
                if share > cover[y, x]:
                    cover[y, x] = share
                    inks[y, x] = ink


@njit(cache=True, nogil=True)
def _covered(xa, ya, xb, yb, na, nb, owner, planes):
    """Whether faces cover a short line at both ends and in its middle: most edges of a part are on its far side."""
    for k in range(3):
        s = 0.5 * k
        x, y = 2.0 * (xa + s * (xb - xa)), 2.0 * (ya + s * (yb - ya))
        near = (na + s * (nb - na)) + 2 * ON_PLANE * abs(na)
        for sy in range(int(y) - 1, int(y) + 2):
            for sx in range(int(x) - 1, int(x) + 2):
                if sx < 0 or sy < 0 or sy >= owner.shape[0] or sx >= owner.shape[1]:
                    return False
                n = owner[sy, sx]
                if n < 0 or near >= planes[n, 0] * x + planes[n, 1] * y + planes[n, 2]:
                    return False
    return True


@njit(cache=True, nogil=True)
def ends_of(seen, points, point_spans, pairs, pair_spans, starts, items, out):
    """The edges of items as `bands` wants them: ``out`` (k, 2, 5), the length in mm last; how many.

    Parameters
    ----------
    seen : (n, 6) float64
        Ends as `place` fills them, each item's from its ``starts`` on.
    points : (p, 3) float32
        The ends of all parts' edges, between ``point_spans``.
    pairs : (q, 2) int32
        Which ends an edge joins, between ``pair_spans``.
    items : (m,) int64
    """
    k = 0
    for i in range(len(items)):
        part = items[i]
        for j in range(pair_spans[part, 0], pair_spans[part, 1]):
            a, b = starts[i] + pairs[j, 0], starts[i] + pairs[j, 1]
            p, q = points[point_spans[part, 0] + pairs[j, 0]], points[point_spans[part, 0] + pairs[j, 1]]
            length = math.sqrt((p[0] - q[0]) ** 2 + (p[1] - q[1]) ** 2 + (p[2] - q[2]) ** 2)
            out[k, 0, :4], out[k, 1, :4] = seen[a, :4], seen[b, :4]
            out[k, 0, 4] = out[k, 1, 4] = length
            k += 1
    return k


@njit(cache=True, nogil=True)
def _between(pair, t):
    """A point on the way between two homogeneous ones: x, y, w and distance."""
    a, b = pair[0], pair[1]
    return a[0] + t * (b[0] - a[0]), a[1] + t * (b[1] - a[1]), a[2] + t * (b[2] - a[2]), a[3] + t * (b[3] - a[3])
