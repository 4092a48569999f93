"""Bare triangles as files hold them, joined, put right where that is safe, and told apart into bodies."""

from dataclasses import dataclass, field

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy.sparse import coo_array
from scipy.sparse.csgraph import breadth_first_order, connected_components
from scipy.spatial import cKDTree

from pulley.core.geometry.mesh import WELD, mesh_volume, runs
from pulley.core.geometry.solid_angle import winding

SINGLE = 2.0**-22  # of the greatest coordinate: what single precision may part two corners by
CLOSED = 1e-4  # of a body's size: corners of an open surface nearer than this are joined, if that closes it
SMALL = 0.02  # of a body's size: a hole of three or four edges no longer than this is filled
COPIED = 0.9  # of all triangles: a surface with so many of them in both directions was written twice


@dataclass(frozen=True, eq=False)
class Soup:
    """Triangles as a file has them, in its unit.

    Attributes
    ----------
    vertices : (n, 3) float64
    triangles : (m, 3) int32
    shading : (n, 3) float64 or None, the file's own normals at the vertices
    grain : by how much the file may have rounded a coordinate
    """

    vertices: NDArray[np.float64]
    triangles: NDArray[np.int32]
    shading: NDArray[np.float64] | None = None
    grain: float = 0.0


@dataclass(frozen=True, eq=False)
class Body:
    """One body: triangles (m, 3) joined at their seams, anticlockwise seen from outside.

    A ``solid`` one is closed. ``shading`` (m, 3, 3) are the file's normals at the corners of each triangle.
    """

    vertices: NDArray[np.float64]
    triangles: NDArray[np.int32]
    solid: bool
    grain: float = 0.0
    shading: NDArray[np.float64] | None = None


@dataclass(eq=False)
class Mended:
    """The bodies of some triangles, and what was done to them, in words that follow the part's name."""

    bodies: list[Body]
    notes: list[str] = field(default_factory=list)


def bodies_of(soup: Soup) -> Mended:
    """The bodies that triangles in mm bound, joined, without doubles and turned outward.

    What bounds nothing stays as it is, an open surface. A hollow within a body belongs to it.

    Examples
    --------
    >>> from pulley.core.geometry.mesh import box_mesh
    >>> box = box_mesh((0, 0, 0), (1, 2, 3))
    >>> [len(body.triangles) for body in bodies_of(Soup(box.vertices, box.triangles[:, ::-1])).bodies]
    [12]
    """
    notes: list[str] = []
    good = np.asarray(np.isfinite(soup.vertices).all(1))
    rows = np.flatnonzero(good[soup.triangles].all(axis=1))
    if len(rows) < len(soup.triangles):
        notes.append(f"had {_counted(len(soup.triangles) - len(rows), 'triangle')} without a place, left out")
    used, place = np.unique(soup.triangles[rows], return_inverse=True)
    vertices, triangles = soup.vertices[used], place.reshape(-1, 3)
    near = max(WELD, SINGLE * float(np.abs(vertices).max(initial=0)))
    joined, first = _joined(vertices, near)
    triangles = joined[triangles]
    rows, triangles = _single(rows, triangles, notes)
    if not len(rows):
        return Mended([], notes)
    vertices, triangles = _closed(vertices[first], triangles, notes)
    keep = _sound(triangles)
    rows, triangles = _coherent(vertices, rows[keep], triangles[keep], notes)
    shading = None if soup.shading is None else soup.shading[soup.triangles[rows]]
    return Mended(_parted(vertices, triangles, shading, max(soup.grain, 0.0), notes), notes)


def _counted(count: int, noun: str) -> str:
    return f"one {noun}" if count == 1 else f"{count} {noun}s"


def _joined(vertices: NDArray[np.float64], near: float) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """Vertices nearer than ``near`` as one: which stands for each (n,), and where those first stood (k,)."""
    _, first, place = np.unique(
        np.round(vertices / near).astype(np.int64), axis=0, return_index=True, return_inverse=True
    )
    pairs = cKDTree(vertices[first]).query_pairs(near, output_type="ndarray")
    if not len(pairs):
        return place.reshape(-1), first
    web = coo_array((np.ones(len(pairs), np.int8), pairs.T), [len(first)] * 2)
    own = connected_components(web, directed=False)[1]
    _, earliest = np.unique(own, return_index=True)
    return own[place.reshape(-1)], first[earliest]


def _sound(triangles: NDArray[np.intp]) -> NDArray[np.bool_]:
    """Which triangles have three different corners."""
    a, b, c = triangles.T
    return (a != b) & (b != c) & (c != a)


def _single(
    rows: NDArray[np.intp], triangles: NDArray[np.intp], notes: list[str]
) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """Each triangle once: of equal ones the first, and of a surface written in both directions one of the two."""
    sound = _sound(triangles)
    rows, triangles = rows[sound], triangles[sound]
    turned = np.take_along_axis(triangles, (triangles.argmin(1)[:, None] + np.arange(3)) % 3, axis=1)
    _, first = np.unique(turned, axis=0, return_index=True)
    first.sort()
    if len(first) < len(rows):
        notes.append(f"had {_counted(len(rows) - len(first), 'triangle')} twice, left out")
    rows, triangles = rows[first], triangles[first]
    _, once, times = np.unique(np.sort(triangles, axis=1), axis=0, return_index=True, return_counts=True)
    if len(rows) and times[times > 1].sum() > COPIED * len(rows):
        notes.append("was written in both directions, of which one was kept")
        once.sort()
        rows, triangles = rows[once], triangles[once]
    return rows, triangles


def _edges(triangles: NDArray[np.intp]) -> tuple[NDArray[np.int64], NDArray[np.bool_], NDArray[np.intp]]:
    """The edges of triangles, each as often as it is met: a key (3 m,), whether it runs upward, and the triangle."""
    ends = triangles[:, [0, 1, 1, 2, 2, 0]].reshape(-1, 2).astype(np.int64)
    low, high = ends.min(1), ends.max(1)
    return low << 32 | high, ends[:, 0] == low, np.repeat(np.arange(len(triangles)), 3)


def _border(triangles: NDArray[np.intp]) -> NDArray[np.int64]:
    """The edges (k, 2) that only one triangle has, as that triangle runs along them."""
    keys, upward, _ = _edges(triangles)
    _, first, times = np.unique(keys, return_index=True, return_counts=True)
    single = first[times == 1]
    ends = np.stack([keys[single] >> 32, keys[single] & 0xFFFFFFFF], axis=1)
    return np.where(upward[single][:, None], ends, ends[:, ::-1])


def _closed(
    vertices: NDArray[np.float64], triangles: NDArray[np.intp], notes: list[str]
) -> tuple[NDArray[np.float64], NDArray[np.intp]]:
    """A surface with its narrow gaps joined, where that leaves fewer open edges."""
    open_edges = _border(triangles)
    if not len(open_edges):
        return vertices, triangles
    rim = np.unique(open_edges)
    near = CLOSED * float(np.linalg.norm(np.ptp(vertices, axis=0)))
    pairs = cKDTree(vertices[rim]).query_pairs(near, output_type="ndarray")
    if len(pairs):
        web = coo_array((np.ones(len(pairs), np.int8), rim[pairs].T), [len(vertices)] * 2)
        own = connected_components(web, directed=False)[1]
        _, first = np.unique(own, return_index=True)
        joined = own[triangles]
        if len(_border(joined[_sound(joined)])) < len(open_edges):
            notes.append(f"had gaps of less than {near:.2g} mm, closed")
            return vertices[first], joined
    return vertices, triangles


def _coherent(
    vertices: NDArray[np.float64], rows: NDArray[np.intp], triangles: NDArray[np.intp], notes: list[str]
) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
    """Triangles that all run the same way round as those beside them."""
    keys, upward, owner = _edges(triangles)
    order = np.argsort(keys, kind="stable")
    keys, upward, owner = keys[order], upward[order], owner[order]
    first = np.flatnonzero(np.diff(keys, prepend=-1))
    first = first[np.diff(first, append=len(keys)) == 2]
    against = upward[first] == upward[first + 1]
    if not against.any():
        return rows, triangles
    a, b = owner[first], owner[first + 1]
    flipped = _flips(a, b, against, len(triangles))
    notes.append(f"had {_counted(int(flipped.sum()), 'triangle')} the wrong way round, turned")
    return rows, np.where(flipped[:, None], triangles[:, ::-1], triangles)


def _flips(a: NDArray[np.intp], b: NDArray[np.intp], against: NDArray[np.bool_], count: int) -> NDArray[np.bool_]:
    """Which of ``count`` triangles to turn, from pairs of neighbours and whether they run against one another."""
    value = np.where(against, 2, 1)
    web = coo_array((np.r_[value, value], (np.r_[a, b], np.r_[b, a])), [count] * 2).tocsr()
    flipped, seen = np.zeros(count, bool), np.zeros(count, bool)
    group = connected_components(web, directed=False)[1]
    for start in np.unique(group, return_index=True)[1]:
        if seen[start]:
            continue
        order, before = breadth_first_order(web, start, directed=False)
        seen[order] = True
        if len(order) > 1:
            turn = np.asarray(web[order[1:], before[order[1:]]]).reshape(-1) > 1
            _spread(order, before, turn, flipped)
            if flipped[order].mean() > 0.5:
                flipped[order] = ~flipped[order]
    return flipped


@njit(cache=True)
def _spread(order, before, turn, flipped):  # noqa: ANN001, ANN202
    for k in range(1, len(order)):
        flipped[order[k]] = flipped[before[order[k]]] != turn[k - 1]


def _parted(
    vertices: NDArray[np.float64],
    triangles: NDArray[np.intp],
    shading: NDArray[np.float64] | None,
    grain: float,
    notes: list[str],
) -> list[Body]:
    """Bodies that hang together by edges, their holes filled where small, each with the hollows within it."""
    found = []
    for rows in _surfaces(vertices, triangles):
        used, own = np.unique(triangles[rows], return_inverse=True)
        body = _filled(vertices[used], own.reshape(-1, 3), notes)
        own_shading = shading[rows] if shading is not None and len(body) == len(rows) else None
        solid = all(runs(body))
        found.append(Body(vertices[used], body.astype(np.int32), solid, grain, own_shading))
    return _outward(found, notes)


def _surfaces(vertices: NDArray[np.float64], triangles: NDArray[np.intp]) -> list[NDArray[np.intp]]:
    """The rows of triangles that hang together."""
    pairs = _joints(vertices, triangles)
    web = coo_array((np.ones(len(pairs), np.int8), pairs.T), [len(triangles)] * 2)
    surface = connected_components(web, directed=False)[1]
    order = np.argsort(surface, kind="stable")
    return np.split(order, np.flatnonzero(np.diff(surface[order])) + 1)


def _outward(found: list[Body], notes: list[str]) -> list[Body]:
    """Closed surfaces turned outward, but for those within another, which are its hollows."""
    whole = [k for k, body in enumerate(found) if body.solid]
    inward = {k for k in whole if mesh_volume(found[k].vertices[found[k].triangles]) < 0}
    holders = {k: _holder(found, k, [j for j in whole if j not in inward]) for k in inward}
    alone = [k for k, holder in holders.items() if holder is None]
    if alone:
        many = f"had {len(alone)} bodies turned inside out: turned about"
        notes.append(many if len(found) > 1 else "had its faces turned inward: they were turned about")
    bodies = [_turned(body) if k in alone else body for k, body in enumerate(found)]
    hollows = {k: holder for k, holder in holders.items() if holder is not None}
    return [
        _with_hollows(body, [bodies[h] for h, holder in hollows.items() if holder == k])
        for k, body in enumerate(bodies)
        if k not in hollows
    ]


def _joints(vertices: NDArray[np.float64], triangles: NDArray[np.intp]) -> NDArray[np.intp]:
    """Pairs (k, 2) of triangles that hang together at an edge.

    Where more than two meet, as where bodies touch along an edge, two belong together between which there is material:
    turning from the back of one about the edge, the other is the first that is met and faces away.
    """
    keys, upward, owner = _edges(triangles)
    order = np.argsort(keys, kind="stable")
    keys, upward, owner = keys[order], upward[order], owner[order]
    first = np.flatnonzero(np.diff(keys, prepend=-1))
    times = np.diff(first, append=len(keys))
    two = first[times == 2]
    plain = np.stack([owner[two], owner[two + 1]], axis=1)
    if times.max(initial=0) <= 2:
        return plain
    run = np.repeat(np.arange(len(first)), times)
    near = np.flatnonzero(times[run] > 2)
    low, high = vertices[keys[near] >> 32], vertices[keys[near] & 0xFFFFFFFF]
    third = triangles[owner[near]].sum(1) - (keys[near] >> 32) - (keys[near] & 0xFFFFFFFF)
    angles = _angles(low, high, vertices[third])
    met = _met(run[near], upward[near], angles)
    return np.concatenate([plain, owner[near][met]])


def _angles(low: NDArray[np.float64], high: NDArray[np.float64], third: NDArray[np.float64]) -> NDArray[np.float64]:
    """Where points (k, 3) lie about edges from ``low`` to ``high`` (k, 3), in radians."""
    along = (high - low) / np.maximum(np.linalg.norm(high - low, axis=1, keepdims=True), 1e-300)
    helper = np.eye(3)[np.abs(along).argmin(1)]
    u = np.cross(along, helper)
    u /= np.maximum(np.linalg.norm(u, axis=1, keepdims=True), 1e-300)
    arm = third - low
    return np.arctan2(np.einsum("ij,ij->i", arm, np.cross(along, u)), np.einsum("ij,ij->i", arm, u))


@njit(cache=True)
def _met(run, upward, angles):  # noqa: ANN001, ANN202
    """For each triangle that runs up its edge, the one that runs down it and lies next behind it: pairs of rows."""
    pairs = np.empty((len(run), 2), np.int64)
    count, start = 0, 0
    while start < len(run):
        end = start
        while end < len(run) and run[end] == run[start]:
            end += 1
        for i in range(start, end):
            best, least = -1, 1e9
            for j in range(start, end):
                if upward[i] and not upward[j]:
                    back = (angles[i] - angles[j]) % (2 * np.pi)
                    back = 2 * np.pi if back < 1e-7 else back
                    if back < least:
                        best, least = j, back
            if best >= 0:
                pairs[count, 0], pairs[count, 1] = i, best
                count += 1
        start = end
    return pairs[:count]


def _filled(vertices: NDArray[np.float64], triangles: NDArray[np.intp], notes: list[str]) -> NDArray[np.intp]:
    """A surface with the small holes of three or four edges filled, if that closes it."""
    rim = _border(triangles)
    if not 3 <= len(rim) <= 40:
        return triangles
    limit = SMALL * float(np.linalg.norm(np.ptp(vertices, axis=0)))
    onward = {int(b): int(a) for a, b in rim}  # against the triangle beside
    patches: list[tuple[int, int, int]] = []
    while onward:
        loop = [next(iter(onward))]
        while loop[-1] in onward and len(loop) < 6:
            loop.append(onward.pop(loop[-1]))
        sides = np.linalg.norm(np.diff(vertices[loop], axis=0), axis=1)
        if loop[0] != loop[-1] or len(loop) > 5 or sides.max() > limit:
            return triangles
        patches += [(loop[0], loop[k], loop[k + 1]) for k in range(1, len(loop) - 2)]
    filled = np.concatenate([triangles, np.array(patches, triangles.dtype)])
    if not all(runs(filled)):
        return triangles
    notes.append("had a small hole, filled" if len(patches) < 3 else "had small holes, filled")
    return filled


def _turned(body: Body) -> Body:
    shading = None if body.shading is None else body.shading[:, ::-1]
    return Body(body.vertices, np.ascontiguousarray(body.triangles[:, ::-1]), body.solid, body.grain, shading)


def _with_hollows(body: Body, hollows: list[Body]) -> Body:
    if not hollows:
        return body
    every = [body, *hollows]
    before = np.cumsum([0, *(len(one.vertices) for one in every)])
    triangles = np.concatenate([one.triangles + k for one, k in zip(every, before, strict=False)]).astype(np.int32)
    own = [one.shading for one in every if one.shading is not None]
    shading = np.concatenate(own) if len(own) == len(every) else None
    return Body(np.concatenate([one.vertices for one in every]), triangles, True, body.grain, shading)


def _holder(bodies: list[Body], k: int, others: list[int]) -> int | None:
    """The smallest of the other bodies that a body turned inward lies in; None for none."""
    point = bodies[k].vertices[0]
    around = []
    for j in others:
        corners = bodies[j].vertices[bodies[j].triangles]
        low, high = bodies[j].vertices.min(0), bodies[j].vertices.max(0)
        if ((point > low) & (point < high)).all() and abs(winding(corners, point)) > 0.5:
            around.append((float(np.prod(high - low)), j))
    return min(around)[1] if around else None
