"""Directions that a person points out: typed, from point to point, or a feature of the model."""

import numpy as np

from pulley.core.assembly import Assembly, Leaf
from pulley.core.errors import PulleyError
from pulley.core.geometry.features import Plane, Point
from pulley.core.geometry.frames import Vector, apply, inverse
from pulley.core.geometry.mesh import Mesh
from pulley.core.geometry.symmetry import symmetry_axis
from pulley.core.planning.directions import plain_direction


def parse_direction(assembly: Assembly, text: str) -> Vector:
    """A unit direction (3,) from what a person wrote.

    ``0,0,1``; ``0,0,0:10,0,0`` from one point to another; ``axis:PATH`` along a component's greatest
    round face, ``axis:PATH@X,Y,Z`` along the round face nearest to a point; ``normal:PATH@X,Y,Z`` off
    the flat face nearest to it, ``edge:PATH@X,Y,Z`` along the edge nearest to it. At home.

    Raises
    ------
    PulleyError
        With what to write instead.

    Examples
    --------
    >>> parse_direction(Assembly("empty", ()), "0,0,0:10,0,0").tolist()
    [1.0, 0.0, 0.0]
    """
    kind, colon, rest = text.partition(":")
    if kind in ("axis", "normal", "edge") and colon:
        path, at, where = rest.rpartition("@")
        path, point = (path, _numbers(where)) if at else (rest, None)
        if not isinstance(assembly.by_path.get(path), Leaf):
            raise PulleyError(f"“{path[:200]}” is no single component of this assembly.")
        return pick_direction(assembly.leaf(path), kind, point)
    if colon:
        start, end = _numbers(kind), _numbers(rest)
        return _unit(end - start, "Its two points are one")
    return _unit(_numbers(text), "All three numbers are 0")


def _numbers(text: str) -> Vector:
    try:
        numbers = np.array([float(number) for number in text.split(",")])
    except ValueError:
        numbers = np.zeros(0)
    if numbers.shape != (3,) or not np.isfinite(numbers).all():
        raise PulleyError(f"“{text[:100]}” is not a direction. Write three numbers, such as 0,0,1.")
    return numbers


def _unit(vector: Vector, otherwise: str) -> Vector:
    if not np.linalg.norm(vector) > 1e-9:
        raise PulleyError(f"That is not a direction. {otherwise}; write another, such as 0,0,1.")
    return plain_direction(vector)


def pick_direction(leaf: Leaf, kind: str, point: Vector | None) -> Vector:
    """The direction (3,) of a leaf's feature at home nearest to a point (3,): ``axis``, ``normal`` or ``edge``.

    Without a point, the axis of the greatest round face, or of symmetry. Raises PulleyError when the
    leaf has no such feature.
    """
    mesh = leaf.part.mesh
    local = None if point is None else apply(inverse(leaf.pose), point)
    if kind == "axis":
        found = _nearest_round(mesh, local)
    elif local is None:
        raise PulleyError(f"Say which {kind} of “{leaf.path}”: write @X,Y,Z after it, a point on it.")
    else:
        found = _nearest_normal(mesh, local) if kind == "normal" else _nearest_edge(mesh, local)
    if found is None:
        what = {"axis": "round face", "normal": "flat face", "edge": "edge"}[kind]
        raise PulleyError(f"“{leaf.path}” has no {what}.")
    return plain_direction(leaf.pose[:3, :3] @ found)


def _nearest_round(mesh: Mesh, point: Vector | None) -> Vector | None:
    if point is None or not mesh.cylinders:
        axis = symmetry_axis(mesh)
        return axis.direction if axis else None
    face = min(mesh.cylinders, key=lambda c: abs(_off_line(point, c.origin, c.direction) - c.radius))
    return np.array(face.direction)


def _off_line(point: Vector, origin: Point, direction: Point) -> float:
    """Distance in mm of a point from a line."""
    return float(np.linalg.norm(np.cross(point - np.array(origin), direction)) / np.linalg.norm(direction))


def _nearest_normal(mesh: Mesh, point: Vector) -> Vector | None:
    def off(plane: Plane) -> tuple[float, float]:
        arm = point - np.array(plane.origin)
        return round(abs(float(arm @ np.array(plane.normal))), 6), float(np.linalg.norm(arm))

    return np.array(min(mesh.planes, key=off).normal) if mesh.planes else None


def _nearest_edge(mesh: Mesh, point: Vector) -> Vector | None:
    """The direction of the piece of an edge that passes nearest to a point."""
    if not len(mesh.edge_pairs):
        return None
    start, end = mesh.edges[mesh.edge_pairs].transpose(1, 0, 2)
    way = end - start
    share = np.einsum("ij,ij->i", point - start, way) / np.maximum(np.einsum("ij,ij->i", way, way), 1e-300)
    off = np.linalg.norm(start + np.clip(share, 0, 1)[:, None] * way - point, axis=1)
    return way[np.argmin(off)]
