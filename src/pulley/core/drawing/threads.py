"""Modelled threads, found by their shape and drawn by convention: a plain cylinder, a thin line for the root.

A screw motion leaves a thread as it is, so the normal of each of its facets stands square to the way that such a
motion takes its points: that gives the pitch facet by facet, and it is the same all over the thread. The drawing is
that of ISO 6410-1 (from memory): the crest as a wide line, the root as a narrow one, three quarters of a circle on
the end face.
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from pulley.core.geometry.frames import view_frame
from pulley.core.geometry.mesh import Mesh
from pulley.core.geometry.rims import Rims, facet_normals, rims, rims_of

FLANK = 0.2  # least share of a facet's normal along the axis for it to be a flank
TURNS = 1.5  # least length of a thread, in pitches
ALIKE = 0.2  # share by which the pitches of facets of one thread may differ
CREST = 0.35  # of the pitch: how far crest and root may lie beside the flanks
LEAST = 0.05  # mm, the finest pitch
SHARE = 0.25  # of the flanks' area that must have the one pitch
FACETS = 200  # of a mesh with a thread, at least
LEFT = 0.05  # share of a surface in which no further thread is looked for
SAMPLE = 6_000  # facets by which an axis is found
AXES = 6  # that are tried, the axes of the most and longest cylinders first
SIDES = 48  # of the plain cylinder
LIFT = 0.02  # mm that a thin line stands off the face that it is drawn on


@dataclass(frozen=True, eq=False)
class Thread:
    """A thread in its part's frame, in mm: a point of its axis, the axis, the radii of crest and root, from and to
    along the axis from the point, whether it is on the outside, and which facets it is made of (m,)."""

    origin: NDArray[np.float64]
    axis: NDArray[np.float64]
    crest: float
    root: float
    start: float
    end: float
    outside: bool
    facets: NDArray[np.bool_]


@lru_cache(maxsize=512)
def threads(mesh: Mesh) -> tuple[Thread, ...]:
    """The modelled threads of a mesh.

    Examples
    --------
    >>> from pulley.core.geometry.mesh import box_mesh
    >>> threads(box_mesh((0, 0, 0), (1, 2, 3)))
    ()
    """
    if len(mesh.triangles) < FACETS:
        return ()
    corners = mesh.vertices[mesh.triangles]
    normals = facet_normals(corners)
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    area = np.linalg.norm(np.cross(b - a, c - a), axis=1) / 2
    middle = (a + b + c) / 3
    left, found = np.ones(len(area), bool), []
    for origin, axis in _axes(mesh, middle, area):
        if area[left].sum() < LEFT * area.sum():
            break
        thread = _thread(corners, middle, normals, area, left, origin, axis)
        if thread is not None:
            found.append(thread)
            left &= ~thread.facets
    return tuple(found)


def _axes(
    mesh: Mesh, middle: NDArray[np.float64], area: NDArray[np.float64]
) -> list[tuple[NDArray[np.float64], NDArray[np.float64]]]:
    """Axes that a thread may have: of the part's cylinders, and its principal axes."""
    lines: list[tuple[NDArray[np.float64], NDArray[np.float64]]] = []
    for cylinder in sorted(mesh.cylinders, key=lambda c: -c.radius * c.length):
        origin, axis = np.array(cylinder.origin), np.array(cylinder.direction)
        if not any(abs(axis @ d) > 1 - 1e-6 and np.linalg.norm(np.cross(origin - o, d)) < 1e-3 for o, d in lines):
            lines.append((origin, axis))
        if len(lines) == AXES:
            return lines
    centre = (middle * area[:, None]).sum(0) / max(float(area.sum()), 1e-12)
    _, vectors = np.linalg.eigh(np.cov((middle - centre).T, aweights=np.maximum(area, 1e-12)))
    return lines + [(centre, vectors[:, k]) for k in (2, 1, 0)]


def _thread(
    corners: NDArray[np.float64],
    middle: NDArray[np.float64],
    normals: NDArray[np.float64],
    area: NDArray[np.float64],
    left: NDArray[np.bool_],
    origin: NDArray[np.float64],
    axis: NDArray[np.float64],
) -> Thread | None:
    """The thread about an axis, of facets that are left; None when there is none."""
    some = slice(None, None, max(len(area) // SAMPLE, 1))  # enough to find the axis by
    for loose in (0.8, 0.5, 0.3, ALIKE):
        found = _wound(middle[some], normals[some], area[some], left[some], origin, axis, loose)
        if found is None:
            return None
        own, flank, _ = found
        origin, axis = _screw_axis(middle[some][own], normals[some][own], area[some][own], axis)
        origin = _centred(corners[some][own].reshape(-1, 3), origin, axis)
    if area[some][own].sum() < SHARE * area[some][flank].sum():
        return None
    found = _wound(middle, normals, area, left, origin, axis, ALIKE)
    if found is None:
        return None
    own, flank, common = found
    if area[own].sum() < SHARE * area[flank].sum():
        return None
    along = (middle - origin) @ axis
    out = middle - origin - along[:, None] * axis
    radial = out / np.maximum(np.linalg.norm(out, axis=1), 1e-9)[:, None]
    n_axis = normals @ axis
    span = (corners[own] - origin) @ axis
    start, end = float(span.min()), float(span.max())
    off = corners - origin
    reach = np.linalg.norm(off - (off @ axis)[:, :, None] * axis, axis=2)
    low, high = float(reach[own].min()), float(reach[own].max())
    beside = CREST * abs(common)
    with_crests = (
        left & _inside(corners, origin, axis, (low - beside, high + beside), (start, end)) & (np.abs(n_axis) < 0.99)
    )
    low, high = float(reach[with_crests | own].min()), float(reach[with_crests | own].max())
    if end - start < TURNS * abs(common) or high - low > 2 * abs(common):
        return None
    outside = bool((np.einsum("ij,ij->i", normals[own], radial[own]) * area[own]).sum() > 0)
    facets = left & _inside(corners, origin, axis, (low, high), (start, end)) & (np.abs(n_axis) < 0.99)
    return Thread(origin, axis, high if outside else low, low if outside else high, start, end, outside, facets | own)


def _wound(
    middle: NDArray[np.float64],
    normals: NDArray[np.float64],
    area: NDArray[np.float64],
    left: NDArray[np.bool_],
    origin: NDArray[np.float64],
    axis: NDArray[np.float64],
    loose: float,
) -> tuple[NDArray[np.bool_], NDArray[np.bool_], float] | None:
    """The facets (m,) whose pitch about an axis is that of most within a share, those that are flanks, the pitch."""
    out = middle - origin - ((middle - origin) @ axis)[:, None] * axis
    radius = np.linalg.norm(out, axis=1)
    tangent = np.cross(axis, out / np.maximum(radius, 1e-9)[:, None])
    n_axis, n_turn = normals @ axis, np.einsum("ij,ij->i", normals, tangent)
    flank = left & (np.abs(n_axis) > FLANK) & (np.abs(n_axis) < 0.99) & (radius > 1e-6)
    pitch = np.zeros(len(area))
    pitch[flank] = -2 * np.pi * radius[flank] * n_turn[flank] / n_axis[flank]
    wound = flank & (np.abs(pitch) > LEAST)
    if not wound.any():
        return None
    order = np.argsort(pitch[wound])
    weight = np.cumsum(area[wound][order])
    common = float(pitch[wound][order][np.searchsorted(weight, weight[-1] / 2)])
    own = wound & (np.abs(pitch - common) < loose * abs(common))
    return (own, flank, common) if own.sum() > 12 else None


def _screw_axis(
    points: NDArray[np.float64], normals: NDArray[np.float64], area: NDArray[np.float64], near: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """A point of the axis and the axis of the screw motion that best leaves facets as they are.

    H. Pottmann and T. Randrup 1998, "Rotational and helical surface approximation for reverse engineering" (from
    memory): n . (v + w x p) = 0 is linear in v and w; v is eliminated, w the least eigenvector of what is left.
    """
    centre = points.mean(0)
    moment = np.cross(points - centre, normals)
    a = (moment * area[:, None]).T @ moment
    b = (moment * area[:, None]).T @ normals
    d = (normals * area[:, None]).T @ normals + 1e-12 * float(area.sum()) * np.eye(3)
    back = np.linalg.solve(d, b.T)
    _, vectors = np.linalg.eigh(a - b @ back)
    axis = vectors[:, 0] * (np.sign(vectors[:, 0] @ near) or 1.0)
    return centre + np.cross(axis, -back @ axis), axis


def _centred(
    points: NDArray[np.float64], origin: NDArray[np.float64], axis: NDArray[np.float64]
) -> NDArray[np.float64]:
    """A point of the axis in the middle of the circle on which the outermost points lie, seen along the axis."""
    right, up = view_frame(axis)[:2]
    flat = (points - origin) @ np.array([right, up]).T
    middle = np.zeros(2)
    for _ in range(4):
        radius = np.linalg.norm(flat - middle, axis=1)
        outer = flat[radius >= np.percentile(radius, 75)]
        rows = np.column_stack([2 * outer, np.ones(len(outer))])
        middle = np.linalg.lstsq(rows, (outer**2).sum(1), rcond=None)[0][:2]
    return np.asarray(origin + middle @ np.array([right, up]))


def _inside(
    corners: NDArray[np.float64],
    origin: NDArray[np.float64],
    axis: NDArray[np.float64],
    radii: tuple[float, float],
    span: tuple[float, float],
) -> NDArray[np.bool_]:
    """Which facets lie between two radii and two places along an axis."""
    off = corners - origin
    along = off @ axis
    radius = np.linalg.norm(off - along[:, :, None] * axis, axis=2)
    tiny = 1e-3 + 0.02 * (radii[1] - radii[0])
    fits = (radius > radii[0] - tiny) & (radius < radii[1] + tiny) & (along > span[0] - tiny) & (along < span[1] + tiny)
    return np.asarray(fits.all(1))


@lru_cache(maxsize=512)
def simplified(mesh: Mesh) -> Rims:
    """The edges and facets of a mesh, its threads replaced by plain cylinders."""
    found = threads(mesh)
    if not found:
        return rims(mesh)
    kept = ~np.any([thread.facets for thread in found], axis=0)
    plain = [_cylinder(thread) for thread in found]
    used, place = np.unique(mesh.triangles[kept], return_inverse=True)
    starts = np.cumsum([len(used), *(len(points) for points, _ in plain)])
    own = place.reshape(-1, 3).astype(np.int32)
    whole = rims_of(
        np.concatenate([mesh.vertices[used], *(points for points, _ in plain)]),
        np.concatenate([own, *(t + s for (_, t), s in zip(plain, starts, strict=False))]).astype(np.int32),
        np.concatenate([mesh.faces[kept], *(np.full(len(t), -2 - k, np.int32) for k, (_, t) in enumerate(plain))]),
        *_edges_outside(mesh, found),
    )
    return _without_seams(whole, found)


def _cylinder(thread: Thread) -> tuple[NDArray[np.float64], NDArray[np.int32]]:
    """Points (n, 3) and triangles (m, 3) of a thread's plain cylinder, with rings over its ends down to the root."""
    right, up = view_frame(thread.axis)[:2]
    angles = np.arange(SIDES) * 2 * np.pi / SIDES
    circle = np.cos(angles)[:, None] * right + np.sin(angles)[:, None] * up
    ends = [thread.origin + thread.axis * place for place in (thread.start, thread.end)]
    rings = [ends[0] + circle * thread.root, ends[0] + circle * thread.crest]
    rings += [ends[1] + circle * thread.crest, ends[1] + circle * thread.root]
    k = np.arange(SIDES)
    after = (k + 1) % SIDES
    triangles = []
    for ring in range(3):
        a, b = ring * SIDES, (ring + 1) * SIDES
        triangles += [np.stack([a + k, a + after, b + after], 1), np.stack([a + k, b + after, b + k], 1)]
    faces = np.concatenate(triangles).astype(np.int32)
    turned = np.cross(up, thread.axis) @ right  # whether right, up and axis are right-handed
    outward = (turned > 0) == thread.outside
    return np.concatenate(rings), faces if outward else np.ascontiguousarray(faces[:, ::-1])


def _edges_outside(mesh: Mesh, found: tuple[Thread, ...]) -> tuple[NDArray[np.float64], NDArray[np.int32]]:
    """The mesh's own edges without those of its threads: points (n, 3) and pairs (k, 2) of places in them."""
    pairs = mesh.edge_pairs
    ends = mesh.edges[pairs] if len(pairs) else np.zeros((0, 2, 3))
    kept = np.ones(len(ends), bool)
    for thread in found:
        low, high = sorted((thread.root, thread.crest))
        kept &= (
            ~_inside(ends, thread.origin, thread.axis, (low, high), (thread.start, thread.end)) if len(ends) else kept
        )
    return mesh.edges, pairs[kept]


def _without_seams(whole: Rims, found: tuple[Thread, ...]) -> Rims:
    """The edges less those where what replaced a thread only abuts on what was kept."""
    ends = whole.vertices[whole.ends]
    abuts = np.zeros(len(ends), bool)
    for thread in found:
        low, high = sorted((thread.root, thread.crest))
        abuts |= _inside(ends, thread.origin, thread.axis, (low, high), (thread.start, thread.end))
    gone = abuts & (whole.sides[:, 1] < 0)
    kept = ~gone
    return Rims(whole.vertices, whole.triangles, whole.ends[kept], whole.sides[kept], whole.kind[kept], whole.closed)


def root_lines(mesh: Mesh, back: NDArray[np.float64]) -> NDArray[np.float64]:
    """The thin lines (n, 2, 3) for the roots of a mesh's threads, seen along ``-back`` (3,), in its own frame.

    Two along an outer thread, where its root cylinder would end in the picture, on the face of the plain one; three
    quarters of a circle on the end face that is seen.
    """
    found: list[NDArray[np.float64]] = []
    for thread in threads(mesh):
        across = np.cross(thread.axis, back)
        slant = float(np.linalg.norm(across))
        if thread.outside and slant > 0.05:
            across /= slant
            toward = np.cross(across, thread.axis)
            toward *= np.sign(toward @ back) or 1.0
            rise = toward * (np.sqrt(max(thread.crest**2 - thread.root**2, 0.0)) + LIFT)
            for side in (-1, 1):
                foot = thread.origin + across * side * thread.root + rise
                found.append(np.array([[foot + thread.axis * place for place in (thread.start, thread.end)]]))
        if slant < 0.999:
            place = thread.end + LIFT if thread.axis @ back > 0 else thread.start - LIFT
            found.append(_three_quarters(thread, place))
    return np.concatenate(found) if found else np.zeros((0, 2, 3))


def _three_quarters(thread: Thread, place: float) -> NDArray[np.float64]:
    right, up = view_frame(thread.axis)[:2]
    angles = np.linspace(0.1, 0.1 + 1.5 * np.pi, SIDES)
    points = thread.origin + thread.axis * place
    points = points + thread.root * (np.cos(angles)[:, None] * right + np.sin(angles)[:, None] * up)
    return np.stack([points[:-1], points[1:]], axis=1)
