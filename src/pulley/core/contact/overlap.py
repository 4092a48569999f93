"""Overlap of two solids at rest: how deep one stands in the other."""

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache

import manifold3d
import numpy as np
from numpy.typing import NDArray

from pulley.core.assembly import Assembly
from pulley.core.contact.distance import mesh_distance
from pulley.core.contact.thinning import solid_bodies
from pulley.core.geometry.bounds import near_pairs
from pulley.core.geometry.frames import Pose
from pulley.core.geometry.mesh import Mesh

Point = tuple[float, float, float]
FLAT = 1e-6  # mm; what is thinner is a flap
LEAST = 1e-9  # mm3 or mm2; less is round-off


@dataclass(frozen=True)
class Overlap:
    """Two leaves that overlap, and how deep in mm; 0 where they cross but one of them bounds no solid."""

    a: str
    b: str
    depth: float


@lru_cache(maxsize=1024)
def _solid(mesh: Mesh) -> manifold3d.Manifold:
    """All that a part's bodies fill; open surfaces as the thin sheets that they count as."""
    return manifold3d.Manifold.batch_boolean([_solid_of(*body) for body in solid_bodies(mesh)], manifold3d.OpType.Add)


def _solid_of(vertices: NDArray[np.float64], triangles: NDArray[np.int32]) -> manifold3d.Manifold:
    return manifold3d.Manifold(manifold3d.Mesh64(vertices.astype(np.float64), triangles.astype(np.uint64)))


def overlap_depth(a: Mesh, a_pose: Pose, b: Mesh, b_pose: Pose) -> float:
    """How deep in mm two closed meshes stand in each other; 0 when apart, touching, or not closed.

    The volume they share, divided by the lesser of the two pieces of surface that bound it, each
    from one of the two: exact for a flat face sunk into another solid and for a thin press fit.

    >>> from pulley.core.geometry.mesh import box_mesh
    >>> lifted = np.eye(4); lifted[2, 3] = 7.0
    >>> small = box_mesh((2, 2, 0), (8, 8, 10))
    >>> round(overlap_depth(box_mesh((0, 0, 0), (10, 10, 10)), np.eye(4), small, lifted), 6)
    3.0
    """
    if not (a.closed and b.closed):
        return 0.0
    common = _common(a, a_pose, b, b_pose)
    if common.volume < LEAST:
        return 0.0
    ends = np.asarray(common.mesh.run_index) // 3
    runs = [common.areas[start:end].sum() - common.flaps / 2 for start, end in zip(ends[:-1], ends[1:], strict=True)]
    return float(common.volume / min([run for run in runs if run > LEAST] or [np.inf]))


def shared_volume(a: Mesh, a_pose: Pose, b: Mesh, b_pose: Pose) -> float:
    """How much two closed meshes share, in mm3; 0 when apart, touching, or not closed.

    >>> from pulley.core.geometry.mesh import box_mesh
    >>> lifted = np.eye(4); lifted[2, 3] = 7.0
    >>> small = box_mesh((2, 2, 0), (8, 8, 10))
    >>> round(shared_volume(box_mesh((0, 0, 0), (10, 10, 10)), np.eye(4), small, lifted), 6)
    108.0
    """
    return _common(a, a_pose, b, b_pose).volume if a.closed and b.closed else 0.0


def shared_thickness(a: Mesh, a_pose: Pose, b: Mesh, b_pose: Pose) -> tuple[float, Point | None]:
    """How thick in mm on the whole is what two meshes share, open ones as thin sheets, and a point (3,) of it.

    Twice its volume over its surface: the thickness of a plate, two thirds of a ball's diameter.

    Parameters
    ----------
    a, b : Mesh
    a_pose, b_pose : (4, 4) float64

    Returns
    -------
    thickness : float
        In mm; 0 when they share nothing.
    point : (3,) or None
        In mm, in the frame that the poses lead to.
    """
    common = _common(a, a_pose, b, b_pose)
    if common.volume < LEAST:
        return 0.0, None
    middle = a_pose[:3, :3] @ np.asarray(common.mesh.vert_properties)[:, :3].mean(0) + a_pose[:3, 3]
    return float(2 * common.volume / (common.areas.sum() - common.flaps)), tuple(middle.tolist())


@dataclass(frozen=True)
class _Common:
    """What two meshes share, as the first has it: its mesh and its triangles' areas in mm2; how much of these are both
    sides of flaps, where faces lie on one another but for round-off; and its volume in mm3 without what flaps hold."""

    mesh: manifold3d.Mesh64
    areas: NDArray[np.float64]
    flaps: float
    volume: float


def _common(a: Mesh, a_pose: Pose, b: Mesh, b_pose: Pose) -> _Common:
    relative = np.linalg.inv(a_pose) @ b_pose
    return _common_of(a, b, (np.round(relative[:3], 7) + 0.0).tobytes())


@lru_cache(maxsize=2048)
def _common_of(a: Mesh, b: Mesh, relative: bytes) -> _Common:
    common = _solid(a) ^ _solid(b).transform(np.frombuffer(relative).reshape(3, 4))
    shape = common.to_mesh64()
    corners = np.asarray(shape.vert_properties)[:, :3][np.asarray(shape.tri_verts)]
    areas = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1) / 2
    thick = common.as_original().simplify(FLAT)
    return _Common(shape, areas, max(float(areas.sum() - thick.surface_area()), 0.0), thick.volume())


def new_overlaps(
    assembly: Assembly,
    poses: Mapping[str, Pose],
    boxes: NDArray[np.float64],
    moved: Collection[str],
    fits: Mapping[frozenset[str], float],
    tolerance: float,
) -> tuple[Overlap, ...]:
    """Pairs that overlap at ``poses`` by more than the tolerance, and by more than they did at home.

    ``boxes`` (n, 2, 3) bound the leaves in the order of ``poses``. ``fits`` says how deep in mm each
    confirmed pair may overlap. Only pairs of which one or both have ``moved`` are looked at.

    Parameters
    ----------
    assembly : Assembly
    poses : mapping of path to (4, 4)
    boxes : (n, 2, 3) float64
    moved : collection of str
    fits : mapping of a pair of paths to float
    tolerance : float
        In mm.
    """
    meshes = {path: assembly.leaf(path).part.mesh for path in poses}
    found = []
    for a, b in _near_pairs(list(poses), boxes, moved, tolerance):
        if not (meshes[a].closed and meshes[b].closed):
            if _crosses_anew(assembly, a, b, poses):
                found.append(Overlap(a, b, 0.0))
            continue
        depth = overlap_depth(meshes[a], poses[a], meshes[b], poses[b])
        if depth <= tolerance + fits.get(frozenset((a, b)), 0.0):
            continue
        home = overlap_depth(meshes[a], assembly.by_path[a].pose, meshes[b], assembly.by_path[b].pose)
        if depth > home + tolerance:
            found.append(Overlap(a, b, depth))
    return tuple(found)


def _crosses_anew(assembly: Assembly, a: str, b: str, poses: Mapping[str, Pose]) -> bool:
    """Whether two surfaces cross or touch at ``poses`` that are apart at home."""
    one, other = assembly.leaf(a), assembly.leaf(b)
    now = mesh_distance(one.part.mesh, poses[a], other.part.mesh, poses[b])
    return now <= 0 < mesh_distance(one.part.mesh, one.pose, other.part.mesh, other.pose)


def _near_pairs(
    paths: Sequence[str], boxes: NDArray[np.float64], moved: Collection[str], tolerance: float
) -> Iterator[tuple[str, str]]:
    """Pairs, in order, whose bounds (n, 2, 3) overlap by the tolerance or more, and of which one has moved."""
    went = np.array([path in moved for path in paths], bool)
    pairs = near_pairs(boxes, -tolerance)
    for i, j in pairs[went[pairs].any(1)].tolist():
        yield paths[i], paths[j]
