"""Fits: pairs that overlap or interlock by design, found by their shape, and how a check treats them.

A thread modelled as a helix holds its nut as surely as the real one, and a screw drawn at its greatest
radius stands in a hole drawn at its least. Whether that is meant is the user's to say, so what is found
here is a suggestion; what a teardown lists is confirmed. Of a confirmed pair the flanks and walls that
make the fit count for nothing; all else of the two still does, so that a head cannot pass through its nut.
"""

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from itertools import product
from typing import Any

import numpy as np
from numpy.typing import NDArray

from pulley.core.assembly import Assembly, leaf_bounds
from pulley.core.contact.start import TOLERANCE
from pulley.core.geometry.frames import Pose, apply
from pulley.core.geometry.mesh import Mesh
from pulley.core.geometry.symmetry import Line, Thread, cylindrical, direction_between, find_thread, inertia_axis

DEEPEST = 0.25  # of the radius: a coarse thread is 0.18 deep at M3, and less above
COAXIAL = 0.2  # mm between two axes that are meant to be one
ASKEW = 1.0  # degrees between them; a short thread pulls the inertia's axis a little askew
FACING = 0.1  # least share of a normal along the radius, of a surface that faces outward or inward
SAME_PITCH = 0.03  # share by which two pitches that are meant to be one may differ


@dataclass(frozen=True)
class Fit:
    """Leaf ``a`` goes into leaf ``b``, and how deep they overlap in mm.

    ``kind`` is ``thread`` for a modelled one, ``plain`` for a press fit or a thread drawn without its helix.
    ``pitch`` in mm is above 0 for a right-hand thread and 0 for none. ``origin`` and ``direction`` are
    the axis at home, ``low`` and ``high`` the radii between which the fit lies.
    """

    a: str
    b: str
    depth: float
    kind: str
    pitch: float
    origin: tuple[float, float, float]
    direction: tuple[float, float, float]
    low: float
    high: float


@dataclass(frozen=True)
class _Wall:
    """A surface round an axis: its radius towards the other body, from one height to another, and the thread on it."""

    radius: float
    low: float
    high: float
    thread: Thread | None = None


def find_fits(assembly: Assembly) -> tuple[Fit, ...]:
    """Every pair of leaves that is a fit by its shape, in tree order.

    Both have an axis in common, and one of them reaches there by up to a quarter of its radius into the
    other; or both carry the same thread.

    Returns
    -------
    tuple of Fit
        Pairs with their common axis (mm) and how deep in mm they reach into one another.
    """
    return tuple(fit for a, b in _neighbours(assembly) for fit in [find_fit(assembly, a, b)] if fit)


def _neighbours(assembly: Assembly) -> Iterator[tuple[str, str]]:
    boxes = np.array([leaf_bounds(leaf) for leaf in assembly.leaves])
    for i, leaf in enumerate(assembly.leaves):
        near = (boxes[i + 1 :, 0] < boxes[i, 1]).all(1) & (boxes[i + 1 :, 1] > boxes[i, 0]).all(1)
        for j in np.flatnonzero(near) + i + 1:
            yield leaf.path, assembly.leaves[j].path


@lru_cache(maxsize=4096)
def find_fit(assembly: Assembly, a: str, b: str) -> Fit | None:
    """The fit between two leaves at home, whichever goes into the other; None when there is none."""
    for axis in _shared_axes(assembly, a, b):
        points = {path: _round(assembly, path, axis) for path in (a, b)}
        low = max(points[path][:, 2].min() for path in (a, b))
        high = min(points[path][:, 2].max() for path in (a, b))
        for inner, outer in ((a, b), (b, a)):
            fit = _fit(assembly, axis, (inner, outer), points, (low, high))
            if fit:
                return fit
    return None


def _fit(
    assembly: Assembly,
    axis: Line,
    pair: tuple[str, str],
    points: Mapping[str, NDArray[np.float64]],
    span: tuple[float, float],
) -> Fit | None:
    """The fit of the first of a pair in the second, over a span of heights."""
    inner, outer = pair
    holes = _walls(assembly, outer, points[outer], axis, span, False, np.inf)
    widest = max((hole.radius for hole in holes), default=0.0) / (1 - DEEPEST)
    shafts = _walls(assembly, inner, points[inner], axis, span, True, widest) if holes else []
    for shaft, hole in product(shafts, holes):
        depth = shaft.radius - hole.radius
        engaged = min(shaft.high, hole.high) - max(shaft.low, hole.low)
        threads = [wall.thread for wall in (shaft, hole) if wall.thread]
        if not TOLERANCE < depth <= DEEPEST * shaft.radius or engaged <= TOLERANCE:
            continue
        if len(threads) == 2 and not _same_thread(*threads):
            continue
        radii = [hole.radius, shaft.radius, *(r for thread in threads for r in (thread.root, thread.crest))]
        pitch = round(threads[0].pitch * threads[0].hand, 3) if threads else 0.0
        place = (tuple(axis.origin.tolist()), tuple(axis.direction.tolist()))
        kind = "thread" if threads else "plain"
        return Fit(inner, outer, float(depth), kind, pitch, *place, float(min(radii)), float(max(radii)))
    return None


def _same_thread(one: Thread, other: Thread) -> bool:
    return one.hand == other.hand and abs(one.pitch - other.pitch) < SAME_PITCH * one.pitch


def _walls(
    assembly: Assembly,
    path: str,
    points: NDArray[np.float64],
    axis: Line,
    span: tuple[float, float],
    outward: bool,
    within: float,
) -> list[_Wall]:
    """The shafts (``outward``) or holes of a leaf round an axis that reach into a span of heights, up to a radius."""
    there = points[(points[:, 2] >= span[0]) & (points[:, 2] <= span[1]) & (points[:, 0] <= within)]
    there = there[there[:, 3] > FACING] if outward else there[there[:, 3] < -FACING]
    thread = find_thread(_near_wall(there, outward), outward) if len(there) else None
    if thread and 0 < abs(thread.crest - thread.root) <= DEEPEST * max(thread.crest, thread.root):
        return [_Wall(float(thread.crest), *span, thread)]
    found = []
    for cylinder, line in _rounds(assembly, path):
        middle = cylindrical(line.origin[None], axis)[0, 2]
        low, high = max(middle - cylinder.length / 2, span[0]), min(middle + cylinder.length / 2, span[1])
        coaxial = direction_between(axis, line, COAXIAL, ASKEW) is not None
        if coaxial and low < high and cylinder.hole != outward and cylinder.radius <= within:
            found.append(_Wall(cylinder.radius, low, high))
    return found


def _near_wall(points: NDArray[np.float64], outward: bool) -> NDArray[np.float64]:
    """The points within a thread's depth of a shaft's greatest, or a hole's least, radius."""
    edge = points[:, 0].max() * (1 - DEEPEST) if outward else points[:, 0].min() / (1 - DEEPEST)
    return points[points[:, 0] >= edge] if outward else points[points[:, 0] <= edge]


def _rounds(assembly: Assembly, path: str) -> Iterator[tuple[Any, Line]]:
    """Every round face of a leaf, with its axis at home."""
    leaf = assembly.leaf(path)
    for cylinder in leaf.part.mesh.cylinders:
        yield cylinder, _placed(Line(np.array(cylinder.origin), np.array(cylinder.direction)), leaf.pose)


def _placed(line: Line, pose: Pose) -> Line:
    return Line(apply(pose, line.origin), pose[:3, :3] @ line.direction)


def _round(assembly: Assembly, path: str, axis: Line) -> NDArray[np.float64]:
    """A leaf's vertices (n, 4) at home, as radius, angle and height about an axis, and their normals' share outward."""
    leaf = assembly.leaf(path)
    points = apply(leaf.pose, leaf.part.mesh.vertices)
    arm = points - axis.origin
    arm -= np.outer(arm @ axis.direction, axis.direction)
    outward = np.einsum("ij,ij->i", arm, leaf.part.mesh.normals @ leaf.pose[:3, :3].T)
    return np.column_stack([cylindrical(points, axis), outward / np.maximum(np.linalg.norm(arm, axis=1), 1e-12)])


def _shared_axes(assembly: Assembly, a: str, b: str) -> list[Line]:
    """The axes that two leaves have in common, each once."""
    found: list[Line] = []
    for one in _lines(assembly, a):
        for other in _lines(assembly, b):
            new = all(direction_between(one, line, COAXIAL, ASKEW) is None for line in found)
            if new and direction_between(one, other, COAXIAL, ASKEW) is not None:
                found.append(one)
    return found


@lru_cache(maxsize=4096)
def _lines(assembly: Assembly, path: str) -> tuple[Line, ...]:
    """The axes of a leaf's round faces, each once, and that of its inertia, at home."""
    found: list[Line] = []
    for _, line in _rounds(assembly, path):
        if all(direction_between(line, other, COAXIAL, ASKEW) is None for other in found):
            found.append(line)
    balanced = inertia_axis(assembly.leaf(path).part.mesh)
    return (*found, *([_placed(balanced, assembly.leaf(path).pose)] if balanced else ()))


Bare = Mapping[frozenset[str], dict[str, Mesh] | None]  # by confirmed pair, its meshes less the fit; None: all of it


def bare_meshes(assembly: Assembly, confirmed: Iterable[Mapping[str, Any]]) -> dict[frozenset[str], Any]:
    """What is left of each confirmed pair (``a``, ``b``) when the surfaces that make the fit are taken away.

    A pair in which no fit is found by shape loses all of its surfaces: None.

    Parameters
    ----------
    assembly : Assembly
    confirmed : iterable of mappings
        The teardown's fits, each with ``a`` and ``b``.
    """
    left: dict[frozenset[str], Any] = {}
    for listed in confirmed:
        pair = (listed["a"], listed["b"])
        fit = find_fit(assembly, *pair) if pair[0] != pair[1] else None
        left[frozenset(pair)] = {path: _bare(assembly, path, fit) for path in pair} if fit else None
    return left


@lru_cache(maxsize=4096)
def _bare(assembly: Assembly, path: str, fit: Fit) -> Mesh:
    """A leaf's mesh less the facets that lie between the two radii of a fit."""
    leaf = assembly.leaf(path)
    axis = Line(np.array(fit.origin), np.array(fit.direction))
    radius = cylindrical(apply(leaf.pose, leaf.part.mesh.vertices), axis)[:, 0]
    inside = (radius >= fit.low - TOLERANCE) & (radius <= fit.high + TOLERANCE)
    mesh = leaf.part.mesh
    return replace(mesh, bare=~np.asarray(inside[mesh.triangles].all(1)), thickness=mesh.walls)
