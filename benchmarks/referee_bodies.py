"""Bodies for the referee, made with manifold3d alone, each as coarse or as fine as asked; and the ball that fits."""

from collections.abc import Callable

import manifold3d
import numpy as np
from numpy.typing import NDArray
from scipy.optimize import linprog

Solid = manifold3d.Manifold
Make = Callable[[int], Solid]  # from the number of segments of a circle


def box(x: float, y: float, z: float) -> Make:
    return lambda n: Solid.cube((x, y, z), True)


def rod(radius: float, length: float) -> Make:
    return lambda n: Solid.cylinder(length, radius, radius, n, True)


def tube(outer: float, inner: float, length: float) -> Make:
    return lambda n: rod(outer, length)(n) - rod(inner, length * 1.5)(n)


def plate(x: float, y: float, z: float, *holes: tuple[float, float, float]) -> Make:
    """A plate with round holes (x, y, radius) through it."""

    def made(n: int) -> Solid:
        body = box(x, y, z)(n)
        for at_x, at_y, radius in holes:
            body -= rod(radius, 2 * z)(n).translate((at_x, at_y, 0))
        return body

    return made


def screw(radius: float, length: float, head: float) -> Make:
    """Shank downward from the origin, head above it."""

    def made(n: int) -> Solid:
        shank = Solid.cylinder(length + head / 2, radius, radius, n).translate((0, 0, -length))
        return shank + Solid.cylinder(head, 1.8 * radius, 1.8 * radius, n)

    return made


def thread(radius: float, pitch: float, depth: float, turns: float) -> Make:
    """A round thread, right-handed, upward from the origin: a circle of ``radius`` whose middle winds round."""

    def made(n: int) -> Solid:
        layers = int(turns * n * 2 / 3) + 1
        height = np.linspace(0, turns * pitch, layers)[:, None]
        wound, round_ = 2 * np.pi * height / pitch, np.linspace(0, 2 * np.pi, n, endpoint=False)[None]
        x = radius * np.cos(round_) + depth / 2 * np.cos(wound)
        y = radius * np.sin(round_) + depth / 2 * np.sin(wound)
        side = np.stack([x, y, np.broadcast_to(height, x.shape)], axis=2).reshape(-1, 3)
        ends = [
            [depth / 2 * np.cos(at), depth / 2 * np.sin(at), z]
            for at, z in ((wound[0, 0], 0), (wound[-1, 0], height[-1, 0]))
        ]
        k = np.arange(n)
        row, on = (np.arange(layers - 1) * n)[:, None], (k + 1) % n
        a, b, c, d = row + k, row + on, row + n + on, row + n + k
        bottom, top = len(side), (layers - 1) * n
        faces = [np.stack(three, axis=-1).reshape(-1, 3) for three in ((a, b, c), (a, c, d))]
        faces += [
            np.column_stack([on, k, np.full(n, bottom)]),
            np.column_stack([top + k, top + on, np.full(n, bottom + 1)]),
        ]
        return Solid(manifold3d.Mesh64(np.vstack([side, ends]), np.vstack(faces).astype(np.uint64)))

    return made


def random_body(random: np.random.Generator, size: float) -> Make:
    """One of a dozen convex and hollow shapes, about ``size`` mm across."""
    a, b, c = size * random.uniform(0.3, 1.0, 3)
    shapes: list[Make] = [
        box(a, b, c),
        rod(a / 2, b),
        lambda n: Solid.cylinder(b, a / 2, a / 5, n, True),
        lambda n: Solid.sphere(a / 2, n),
        tube(size / 2, size / 3, c),
        plate(size, size, c / 3, (size / 6, 0, size / 5)),
        lambda n: rod(size / 2, b)(n) - rod(size / 3, b)(n).translate((0, 0, b / 4)),
        lambda n: box(size, b, c)(n) - box(size, b, c)(n).translate((size / 4, b / 4, 0)),
        lambda n: box(size, size, c / 2)(n) - box(size, size / 3, c)(n).translate((size / 4, 0, 0)),
        lambda n: box(size, c / 3, c / 3)(n) + box(c / 3, size, c / 3)(n),
        lambda n: Solid.revolve(manifold3d.CrossSection.circle(size / 8, max(n // 3, 8)).translate((size / 3, 0)), n),
        lambda n: tube(size / 2, size / 3, c)(n).trim_by_plane((0, 1, 0), 0),
        lambda n: Solid.extrude(
            manifold3d.CrossSection([[(-a / 3, 0), (a / 3, 0), (a / 2, b / 2), (-a / 2, b / 2)]]), c
        ),
    ]
    return shapes[int(random.integers(len(shapes)))]


def solid_of(corners: NDArray[np.float64], bodies: NDArray[np.int32]) -> Solid:
    """The solid that triangles (k, 3, 3) bound, body by body; what bounds nothing is left out."""
    made = []
    for body in np.unique(bodies):
        points, places = np.unique(corners[bodies == body].reshape(-1, 3).round(5), axis=0, return_inverse=True)
        triangles = places.reshape(-1, 3)
        sound = (np.diff(np.sort(triangles, axis=1), axis=1) > 0).all(1)
        mesh = manifold3d.Mesh64(points, triangles[sound].astype(np.uint64))
        mesh.merge()
        made.append(Solid(mesh))
    return Solid.batch_boolean(made, manifold3d.OpType.Add)


def corners_of(solid: Solid) -> NDArray[np.float64]:
    """Triangles (k, 3, 3) of a solid."""
    mesh = solid.to_mesh64()
    return np.asarray(mesh.vert_properties)[:, :3][np.asarray(mesh.tri_verts)]


def ball(shared: Solid) -> tuple[float, float]:
    """The diameter in mm of the ball that fits into a solid: between these two."""
    low = high = 0.0
    for piece in shared.decompose() if shared.volume() > 1e-12 else ():
        if piece.volume() < 1e-12:
            continue
        if piece.volume() > 0.995 * piece.hull().volume():
            found = _ball_in_convex(piece.hull())
            low, high = max(low, found), max(high, found)
        else:
            at_least, at_most = _ball_in_any(corners_of(piece))
            low, high = max(low, at_least), max(high, at_most)
    return low, high


def _ball_in_convex(piece: Solid) -> float:
    """The Chebyshev ball of a convex solid, by linear programming."""
    corners = corners_of(piece)
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    length = np.linalg.norm(normals, axis=1)
    keep = length > 1e-12
    normals, corners = normals[keep] / length[keep, None], corners[keep]
    middle = corners.mean((0, 1))
    offset = ((corners[:, 0] - middle) * normals).sum(1)
    rows = np.column_stack([normals, np.ones(len(normals))])
    found = linprog([0, 0, 0, -1], rows, offset, bounds=[(None, None)] * 3 + [(0, None)])
    return 2 * float(found.x[3]) if found.success else 0.0


def _ball_in_any(corners: NDArray[np.float64]) -> tuple[float, float]:
    """From how thick a solid is behind each facet: at most the thickest, and three times as thick as it is on the
    whole, as a ball is; at least a ball put in the middle there."""
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    length = np.linalg.norm(normals, axis=1)
    corners, normals = corners[length > 1e-12], normals[length > 1e-12] / length[length > 1e-12, None]
    chosen = np.linspace(0, len(corners) - 1, min(len(corners), 160)).astype(int)
    starts = corners[chosen].mean(1)
    thick = np.array([_behind(start, -normal, corners) for start, normal in zip(starts, normals[chosen], strict=True)])
    thick[~np.isfinite(thick)] = 0.0
    low = 0.0
    for k in np.argsort(-thick)[:24]:
        middle = starts[k] - normals[chosen][k] * thick[k] / 2
        low = max(low, 2 * _distance(middle, corners))
    area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1).sum() / 2
    volume = np.einsum("ij,ij->", corners[:, 0], np.cross(corners[:, 1], corners[:, 2])) / 6
    return low, max(low, min(float(thick.max(initial=0.0)), 6 * volume / area))


def _behind(start: NDArray[np.float64], along: NDArray[np.float64], corners: NDArray[np.float64]) -> float:
    """Way along a ray to the first of triangles (k, 3, 3), its own left out."""
    e1, e2 = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    p = np.cross(along, e2)
    det = (e1 * p).sum(1)
    with np.errstate(divide="ignore", invalid="ignore"):
        s = start - corners[:, 0]
        u = (s * p).sum(1) / det
        q = np.cross(s, e1)
        v = (q @ along) / det
        t = (e2 * q).sum(1) / det
        hit = (u >= -1e-9) & (v >= -1e-9) & (u + v <= 1 + 1e-9) & (t > 1e-9)
    return float(t[hit].min()) if hit.any() else np.inf


def _distance(point: NDArray[np.float64], corners: NDArray[np.float64]) -> float:
    """Distance in mm from a point to triangles (k, 3, 3)."""
    a, b, c = np.moveaxis(corners, 1, 0)
    normal = np.cross(b - a, c - a)
    normal /= np.linalg.norm(normal, axis=1, keepdims=True)
    away = ((point - a) * normal).sum(1)
    foot = point - away[:, None] * normal
    inside = np.ones(len(a), bool)
    best = np.full(len(a), np.inf)
    for p, q in ((a, b), (b, c), (c, a)):
        inside &= (np.cross(q - p, foot - p) * normal).sum(1) >= 0
        share = np.clip(((point - p) * (q - p)).sum(1) / np.maximum(((q - p) ** 2).sum(1), 1e-300), 0, 1)
        best = np.minimum(best, np.linalg.norm(point - p - share[:, None] * (q - p), axis=1))
    return float(np.where(inside, np.abs(away), best).min())
