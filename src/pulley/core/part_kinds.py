"""What a part is by its shape: screw, nut, washer, pin, ball, spring; names help where the shape leaves it open."""

import re
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from pulley.core.assembly import Part
from pulley.core.geometry.features import Cylinder
from pulley.core.geometry.frames import unit
from pulley.core.geometry.mesh import Mesh
from pulley.core.geometry.symmetry import symmetry_axis

FASTENERS = ("screw", "nut", "washer", "pin")
THIN = 0.35  # of its width: how high a washer is at most
SLIM = 1.2  # of its width: how long a pin is at least
FULL = 0.85  # of the cylinder around it: what a pin fills at least
SPARSE = 0.25  # of the cylinder around it: what a spring fills at most
HEAD = 1.2  # of the radius at the other end: what a screw's head has at least
END = 0.1  # of a part's height: how far an end goes
SAME = np.cos(np.radians(1.0))
NAMES = {
    "screw": r"screw|bolt|stud|schraube",
    "nut": r"nut|mutter",
    "washer": r"washer|shim|scheibe",
    "pin": r"pin|dowel|rivet|key|cotter|circlip|clip|stift",
    "spring": r"spring|feder",
}


@lru_cache(maxsize=4096)
def kind_of(part: Part) -> str:
    """What a part is: one of screw, nut, washer, pin, ball, spring, or an empty string.

    Rotational symmetry, a hexagon, a thin ring, a head on a shank and how much of the cylinder around it a
    part fills tell the kinds apart; the name decides where the shape says nothing against it. Common practice,
    no source.
    """
    mesh = part.mesh
    if _is_ball(mesh):
        return "ball"
    axis = symmetry_axis(mesh)
    if axis is None:
        return _by_name(part.name, mesh)
    along = unit(axis.direction)
    height, width = _extent(mesh, along, axis.origin)
    coaxial = [c for c in mesh.cylinders if _on_axis(c, along, axis.origin)]
    fills = abs(mesh.volume or 0.0) / max(np.pi * width**2 / 4 * height, 1e-9)
    bored, hexagon = any(c.hole for c in coaxial), _sides(mesh, along) == 6
    if hexagon and bored:
        return "nut"
    if not bored and height > 0.8 * width and _has_head(mesh, along, axis.origin):
        return "screw"
    if bored and height <= THIN * width and fills / (1 - (2 * _bore(coaxial) / width) ** 2) >= FULL:
        return "washer"
    if not bored and coaxial and fills >= FULL and height >= SLIM * width:
        return "pin"
    return "spring" if fills < SPARSE and _by_name(part.name, mesh) == "spring" else _by_name(part.name, mesh)


def _by_name(name: str, mesh: Mesh) -> str:
    """The kind that whole words of a name say, for small parts that are not built of many faces."""
    if len(mesh.planes) + len(mesh.cylinders) > 60:
        return ""
    words = re.sub(r"[_\W\d]+", " ", name.lower())
    return next((kind for kind, pattern in NAMES.items() if re.search(rf"\b({pattern})s?\b", words)), "")


def _extent(mesh: Mesh, along: NDArray[np.float64], origin: NDArray[np.float64]) -> tuple[float, float]:
    """Height along an axis, and width across it."""
    arms = mesh.vertices - origin
    heights = arms @ along
    across = arms - heights[:, None] * along
    return float(np.ptp(heights)), 2 * float(np.linalg.norm(across, axis=1).max(initial=0.0))


def _on_axis(cylinder: Cylinder, along: NDArray[np.float64], origin: NDArray[np.float64]) -> bool:
    direction = unit(np.array(cylinder.direction))
    arm = np.array(cylinder.origin) - origin
    return abs(float(direction @ along)) >= SAME and float(np.linalg.norm(np.cross(arm, along))) < 0.05


def _sides(mesh: Mesh, along: NDArray[np.float64]) -> int:
    """How many directions the flat faces that run along an axis have."""
    normals = np.array([plane.normal for plane in mesh.planes]).reshape(-1, 3)
    beside = normals[np.abs(normals @ along) < 0.02]
    distinct: list[NDArray[np.float64]] = []
    for normal in beside:
        if all(float(normal @ other) < SAME for other in distinct):
            distinct.append(normal)
    return len(distinct)


def _has_head(mesh: Mesh, along: NDArray[np.float64], origin: NDArray[np.float64]) -> bool:
    """Whether one end of a part is wider than the other, as a head is wider than its shank."""
    arms = mesh.vertices - origin
    heights = arms @ along
    radii = np.linalg.norm(arms - heights[:, None] * along, axis=1)
    share = (heights - heights.min()) / max(np.ptp(heights), 1e-9)
    ends = sorted(float(radii[end].max()) for end in (share < END, share > 1 - END))
    return ends[1] >= HEAD * ends[0]


def _bore(coaxial: list[Cylinder]) -> float:
    return max(c.radius for c in coaxial if c.hole)


def _is_ball(mesh: Mesh) -> bool:
    """Whether a part is as wide one way as another and fills what a ball does."""
    sides = mesh.bounds[1] - mesh.bounds[0]
    return bool(
        np.ptp(sides) < 0.03 * sides.max() and abs((mesh.volume or 0.0) / (np.pi / 6 * sides.prod()) - 1) < 0.06
    )
