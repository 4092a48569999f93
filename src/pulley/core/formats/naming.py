"""Names for what has none: what a part is by its shape, and its sizes."""

import re

import numpy as np

from pulley.core.assembly import Part
from pulley.core.geometry.features import main_axis
from pulley.core.geometry.frames import view_frame
from pulley.core.geometry.mesh import Mesh
from pulley.core.part_kinds import kind_of

MADE_UP = re.compile(r"(mesh|node|object|geometry|solid|group|default|body|shape|untitled|unnamed)*[\W_]*\d*$", re.I)

SQUARE = 0.02  # cosine of two faces that are at right angles


def spoken(name: str) -> str:
    """A name, or nothing where a program made it up.

    >>> spoken("mesh_012"), spoken("Bolt 7")
    ('', 'Bolt 7')
    """
    return "" if MADE_UP.match(name.strip()) else name.strip()


def described_name(mesh: Mesh) -> str:
    """A name for a part that has none: what it is by its shape, and its sizes in mm.

    >>> from pulley.core.geometry.mesh import box_mesh
    >>> described_name(box_mesh((0, 0, 0), (40, 5, 30)))
    'Body 40 × 30 × 5'
    """
    kind = kind_of(Part("", "", mesh))
    axis = main_axis(mesh.cylinders)
    if kind and kind != "ball" and axis is not None:
        along = np.array(axis.direction)
        heights = (mesh.vertices - np.array(axis.origin)) @ along
        arms = mesh.vertices - np.array(axis.origin) - heights[:, None] * along
        width = 2 * float(np.linalg.norm(arms, axis=1).max())
        return f"{kind.capitalize()} {width:.3g} × {np.ptp(heights):.3g}"
    sides = sorted(np.ptp(mesh.vertices @ _frame(mesh).T, axis=0).tolist(), reverse=True)
    if kind == "ball":
        return f"Ball {sides[0]:.3g}"
    return f"{kind.capitalize() or 'Body'} {' × '.join(f'{side:.3g}' for side in sides)}"


def _frame(mesh: Mesh) -> np.ndarray:
    """Rows of the frame (3, 3) that a person would measure a part in: along its largest flat faces."""
    planes = sorted(mesh.planes, key=lambda plane: -plane.area)
    if not planes:
        return np.eye(3)
    first = np.array(planes[0].normal)
    ways = [np.array(plane.normal) for plane in planes[1:]] + [np.array(c.direction) for c in mesh.cylinders]
    second = next((way for way in ways if abs(way @ first) < SQUARE), None)
    if second is None:
        return view_frame(first)
    second = second - (second @ first) * first
    second /= np.linalg.norm(second)
    return np.array([first, second, np.cross(first, second)])
