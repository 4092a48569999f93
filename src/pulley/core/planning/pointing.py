"""What a pointer is on: a flat face, a round one, an edge or a corner of a component, where it now stands."""

from dataclasses import dataclass

import numpy as np
from scipy.spatial.transform import Rotation

from pulley.core.contact.scene import Scene
from pulley.core.errors import PulleyError
from pulley.core.geometry.features import Cylinder
from pulley.core.geometry.frames import Pose, Vector, Vector3, apply, inverse, translation, unit
from pulley.core.geometry.mesh import Mesh
from pulley.core.planning.directions import name_of, plain_direction

LEAN = np.cos(np.radians(20.0))  # how far a facet's normal may lean from its face's


@dataclass(frozen=True)
class Feature:
    """A ``face`` with its outward normal, a ``round`` face with its axis, an ``edge`` with its line, or a ``corner``
    without a direction; ``origin`` is the point that counts: on a round face, on its axis at the nearer end; ``radius``
    is a round face's, in mm."""

    kind: str
    component: str
    origin: Vector3
    direction: Vector3 | None
    radius: float = 0.0

    @property
    def words(self) -> str:
        """What it is, in short: ``flat face, facing up``."""
        if self.direction is None:
            return "corner"
        way = name_of(np.array(self.direction))[1].lower()
        return {"face": "flat face, facing ", "round": "round face, axis ", "edge": "edge, running "}[self.kind] + way


def feature_at(scene: Scene, path: str, point: Vector, normal: Vector, reach: float) -> Feature:
    """The feature of a leaf that a point (3,) on its surface, with the facet's normal (3,) there, belongs to.

    ``reach`` is how near in mm the pointer has to be to a corner or an edge to mean it. Where the part
    has no face there that was kept from its model, the facet itself stands for one.

    Parameters
    ----------
    scene : Scene
    path : str
        Of the leaf.
    point, normal : (3,) float64
        In mm, and of length 1, where the scene has the leaf.
    reach : float
        In mm.
    """
    if path not in scene.poses:
        raise PulleyError("There is nothing to point at there. Point at a component.")
    mesh, pose = scene.body(path)
    back = inverse(pose)
    local, facet = apply(back, point), back[:3, :3] @ unit(normal)
    edge = _edge(mesh, local, reach)
    if edge:
        start, way, corner = edge
        direction = None if corner else _triple(plain_direction(pose[:3, :3] @ way))
        return Feature("corner" if corner else "edge", path, _triple(apply(pose, start)), direction)
    face = _round_face(mesh, local, facet, scene.tolerance)
    if face:
        axis = unit(np.array(face.direction))
        centre = _nearer_end(face, axis, local)
        along = _triple(plain_direction(pose[:3, :3] @ axis))
        return Feature("round", path, _triple(apply(pose, centre)), along, face.radius)
    return Feature(
        "face", path, _triple(point), _triple(plain_direction(pose[:3, :3] @ _flat_face(mesh, local, facet)))
    )


def _edge(mesh: Mesh, point: Vector, reach: float) -> tuple[Vector, Vector, bool] | None:
    """The nearest place on an edge within reach, the edge's direction there, and whether the place is a corner."""
    if not len(mesh.edge_pairs):
        return None
    start, end = mesh.edges[mesh.edge_pairs].transpose(1, 0, 2)
    way = end - start
    share = np.einsum("ij,ij->i", point - start, way) / np.maximum(np.einsum("ij,ij->i", way, way), 1e-300)
    nearest = start + np.clip(share, 0, 1)[:, None] * way
    off = np.linalg.norm(nearest - point, axis=1)
    k = int(np.argmin(off))
    if off[k] > reach:
        return None
    if _is_bent(mesh, k):
        return None
    ends = [p for p in (start[k], end[k]) if np.linalg.norm(p - point) <= reach and _is_corner(mesh, p)]
    if ends:
        return min(ends, key=lambda p: float(np.linalg.norm(p - point))), way[k], True
    return nearest[k], way[k], False


def _is_bent(mesh: Mesh, k: int) -> bool:
    """Whether a piece of an edge is one of a curve's: it runs on into a neighbour at a slight bend."""
    start, end = mesh.edges[mesh.edge_pairs].transpose(1, 0, 2)
    own = unit(end[k] - start[k])
    for place in (start[k], end[k]):
        here = (np.abs(start - place).max(1) < 1e-6) | (np.abs(end - place).max(1) < 1e-6)
        here[k] = False
        if any(0.8 < abs(float(unit(way) @ own)) < 0.9998 for way in (end - start)[here]):
            return True
    return False


def _is_corner(mesh: Mesh, point: Vector) -> bool:
    """Whether edges of different directions meet at a point: three or more, or two at a sharp bend."""
    start, end = mesh.edges[mesh.edge_pairs].transpose(1, 0, 2)
    here = (np.abs(start - point).max(1) < 1e-6) | (np.abs(end - point).max(1) < 1e-6)
    ways = [unit(way) for way in (end - start)[here]]
    return any(abs(float(a @ b)) < 0.8 for a in ways for b in ways)


def _round_face(mesh: Mesh, point: Vector, facet: Vector, tolerance: float) -> Cylinder | None:
    """The round face that a point lies on, its facet facing along the radius."""

    def off(face: Cylinder) -> float:
        axis = unit(np.array(face.direction))
        arm = point - np.array(face.origin)
        across = arm - (arm @ axis) * axis
        length = float(np.linalg.norm(across))
        lies = abs(arm @ axis) <= face.length / 2 + 1.0 and length > 0 and abs(across @ facet) / length > LEAN
        return abs(length - face.radius) if lies else np.inf

    best = min(mesh.cylinders, key=off, default=None)
    return best if best is not None and off(best) <= max(2 * tolerance, 0.02 * best.radius) else None


def _nearer_end(face: Cylinder, axis: Vector, point: Vector) -> Vector:
    along = float((point - np.array(face.origin)) @ axis)
    return np.array(face.origin) + np.copysign(face.length / 2, along) * axis


def _flat_face(mesh: Mesh, point: Vector, facet: Vector) -> Vector:
    """The normal of the flat face that a point lies on, else the facet's."""
    for plane in mesh.planes:
        normal = np.array(plane.normal)
        if normal @ facet > LEAN and abs((point - np.array(plane.origin)) @ normal) < 0.05:
            return normal
    return facet


def onto(moved: Feature, target: Feature, flip: bool = False) -> Pose:
    """The rigid displacement (4, 4) that brings one feature onto another.

    Lines are laid on lines, turned the shorter way (the other way with ``flip``), faces face to face,
    and the points that count on each other; with a corner in it, points only.

    Parameters
    ----------
    moved, target : Feature
    flip : bool

    Returns
    -------
    (4, 4) float64
        From where the first feature is now, in mm.
    """
    turned = np.eye(4)
    if moved.direction and target.direction:
        a, b = unit(np.array(moved.direction)), unit(np.array(target.direction))
        facing = moved.kind == target.kind == "face"
        sense = -1.0 if facing or a @ b < 0 else 1.0
        turned[:3, :3] = _turning(a, b * (-sense if flip else sense))
    origin, goal = np.array(moved.origin), np.array(target.origin)
    return translation(goal) @ turned @ translation(-origin)


def _turning(a: Vector, b: Vector) -> np.ndarray:
    """The least rotation (3, 3) that takes one unit vector to another; about an axis square to both when opposite."""
    if a @ b > 1 - 1e-12:
        return np.eye(3)
    if a @ b < -1 + 1e-12:
        side = unit(np.cross(a, np.eye(3)[int(np.argmin(np.abs(a)))]))
        return Rotation.from_rotvec(np.pi * side).as_matrix()
    axis = np.cross(a, b)
    return Rotation.from_rotvec(unit(axis) * np.arccos(np.clip(a @ b, -1, 1))).as_matrix()


def beyond(scene: Scene, origin: Vector, normal: Vector) -> tuple[str, ...]:
    """The leaves that lie wholly on the side of a plane that its normal (3,) points to, touching it at most.

    Parameters
    ----------
    scene : Scene
    origin, normal : (3,) float64
        A point of the plane in mm, and the direction of the side that is meant.
    """
    along = unit(normal)
    low = scene.boxes_along(along)[:, 0, 2]
    level = float(np.asarray(origin) @ along)
    return tuple(path for path, least in zip(scene.paths, low, strict=True) if least >= level - scene.tolerance)


def _triple(vector: Vector) -> Vector3:
    return tuple((np.asarray(vector, float) + 0.0).tolist())
