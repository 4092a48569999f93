"""What tells a component from others in any revision: its shape, where it stands, its name and place in the tree."""

import re
from collections.abc import Iterable
from dataclasses import dataclass
from difflib import SequenceMatcher
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from pulley.core.assembly import Assembly, leaf_bounds
from pulley.core.geometry.frames import Pose, apply
from pulley.core.geometry.mesh import Mesh, surface_moments

NUMBER = re.compile(r"[\W_]*\d+$")


@dataclass(frozen=True, eq=False)
class Shape:
    """A mesh's volume in mm3 (0 of an open one), surface in mm2, and its principal radii of gyration (3,) in mm."""

    volume: float
    area: float
    radii: NDArray[np.float64]
    centre: NDArray[np.float64]
    axes: NDArray[np.float64]


@lru_cache(maxsize=8192)
def shape_of(mesh: Mesh) -> Shape:
    """What does not change when a part is moved, and hardly when it is meshed anew."""
    area, centre, second = surface_moments(mesh.corners)
    moments, axes = np.linalg.eigh(second / area)
    return Shape(abs(mesh.volume or 0.0), area, np.sqrt(np.maximum(moments, 0)), centre, axes)


@dataclass(frozen=True, eq=False)
class Traits:
    """The leaves of an assembly, in their order.

    Attributes
    ----------
    paths : paths of the leaves
    shapes : (n, 5) float64, cube root of the volume, root of the surface, and the radii of gyration, all in mm
    middles, sides : (n, 3) float64, of the bounds at home, in mm
    meshes : keys of the meshes
    errors : (n,) float64, share of its size that a mesh may be off the true surface
    """

    assembly: Assembly
    paths: tuple[str, ...]
    shapes: NDArray[np.float64]
    middles: NDArray[np.float64]
    sides: NDArray[np.float64]
    centres: NDArray[np.float64]
    meshes: tuple[str, ...]
    errors: NDArray[np.float64]


def traits_of(assembly: Assembly, frame: Pose | None = None) -> Traits:
    """The traits of all leaves where ``frame`` (4, 4) has moved the assembly to, and as large as it makes them."""
    frame = np.eye(4) if frame is None else frame
    scale = scale_of(frame)
    leaves = assembly.leaves
    forms = [shape_of(leaf.part.mesh) for leaf in leaves]
    rows = scale * np.array([[np.cbrt(f.volume), np.sqrt(f.area), *f.radii] for f in forms]).reshape(-1, 5)
    boxes = np.array([leaf_bounds(leaf, frame @ leaf.pose) for leaf in leaves]).reshape(-1, 2, 3)
    centres = np.array([apply(frame @ leaf.pose, f.centre[None])[0] for leaf, f in zip(leaves, forms, strict=True)])
    return Traits(
        assembly,
        tuple(leaf.path for leaf in leaves),
        rows,
        boxes.mean(1),
        boxes[:, 1] - boxes[:, 0],
        centres.reshape(-1, 3),
        tuple(leaf.part.mesh.key if scale == 1.0 else f"{leaf.part.mesh.key} scaled" for leaf in leaves),
        np.array([leaf.part.mesh.error for leaf in leaves]) * scale / np.maximum(rows[:, 2:].max(1, initial=0), 1e-9),
    )


def scale_of(frame: Pose) -> float:
    """How many times larger a map (4, 4) makes things; exactly 1 for a rigid one.

    >>> scale_of(np.diag([2.0, 2.0, 2.0, 1.0]))
    2.0
    """
    scale = float(np.cbrt(abs(np.linalg.det(frame[:3, :3]))))
    return 1.0 if abs(scale - 1) < 1e-6 else round(scale, 9)


def stem(name: str) -> str:
    """A name without the number at its end, in small letters.

    >>> stem("Bolt_12"), stem("7")
    ('bolt', '7')
    """
    return (NUMBER.sub("", name) or name).lower()


def name_likeness(old: Iterable[str], new: Iterable[str]) -> NDArray[np.float64]:
    """How alike names are (n, m), 1 for equal ones, a little less for those that differ in a number at their end."""
    old, new = list(old), list(new)
    firsts, seconds = list(dict.fromkeys(map(stem, old))), list(dict.fromkeys(map(stem, new)))
    table = np.array([[_ratio(a, b) for b in seconds] for a in firsts]).reshape(len(firsts), len(seconds))
    rows = [firsts.index(stem(name)) for name in old]
    columns = [seconds.index(stem(name)) for name in new]
    same = np.array(old, object)[:, None] == np.array(new, object)[None, :]
    return np.where(same, 1.0, 0.9 * table[np.ix_(rows, columns)])


@lru_cache(maxsize=100_000)
def _ratio(a: str, b: str) -> float:
    if a == b:
        return 1.0
    matcher = SequenceMatcher(None, a[:60], b[:60], autojunk=False)
    return 0.0 if matcher.real_quick_ratio() < 0.5 or matcher.quick_ratio() < 0.5 else matcher.ratio()
