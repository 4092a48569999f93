"""Whether a fastener's head can be got at: what stands in the way of the tool that turns it."""

import numpy as np
from numpy.typing import NDArray

from pulley.core.contact.giving import nearest_to_axis
from pulley.core.geometry.frames import Vector, apply, view_frame
from pulley.core.geometry.mesh import Mesh
from pulley.core.planning.blocking import Blocking, Direction

OUTSIDE = 0.8  # of its greatest radius: how far from its axis the flats lie that a tool goes round
HEAD = 0.9  # of its greatest radius, from which something is of the head


def tool_width(across_flats: float) -> float:
    """The diameter in mm of a socket for a hexagon, by its width across flats in mm.

    A line through the largest diameters that ISO 2725-1 lets sockets have, from memory: 15.5 mm for 10, 26.8 for 19.

    >>> tool_width(10.0), tool_width(19.0)
    (15.5, 26.75)
    """
    return 1.25 * across_flats + 3.0


def across_flats(mesh: Mesh, along: Vector, middle: Vector) -> float:
    """The width in mm across the flats that a tool goes round, of a part about an axis; 0 where there are none.

    Parameters
    ----------
    mesh : Mesh
    along, middle : (3,) float64
        The direction of the axis, and a point of it, as the mesh has them.
    """
    arms = mesh.vertices - middle
    radius = float(np.linalg.norm(arms - (arms @ along)[:, None] * along, axis=1).max(initial=0.0))
    flats = [plane for plane in mesh.planes if abs(float(np.array(plane.normal) @ along)) < 0.02]
    far = [float((np.array(plane.origin) - middle) @ np.array(plane.normal)) for plane in flats]
    outside = [each for each in far if each >= OUTSIDE * radius]
    return 2 * max(outside) if len(outside) >= 6 else 0.0


def in_the_tools_way(blocking: Blocking, k: int, direction: Direction) -> frozenset[int]:
    """The units that the tool would run into with which a fastener is turned that leaves along a direction.

    A socket goes round a hexagon, from where it is seated on; a driver or key needs no more room than the head itself,
    whose way out is known to be free. What the fastener touches does not count: it is clamped, and cannot go first.

    Parameters
    ----------
    blocking : Blocking
    k : int
        A unit of one leaf.
    direction : (3,)
        A unit vector along its axis.
    """
    scene, along, leaf = blocking.scene, np.array(direction), blocking.units[k].leaves[0]
    mesh, pose = scene.body(leaf)
    turn = view_frame(along) @ pose[:3, :3]
    points = mesh.vertices @ turn.T + view_frame(along) @ pose[:3, 3]
    middle = (points.min(0) + points.max(0)) / 2
    flats = across_flats(mesh, turn[2], mesh.bounds.mean(0))
    if not flats:
        return frozenset()
    radii = np.linalg.norm((points - middle)[:, :2], axis=1)
    seat, radius = float(points[radii >= HEAD * radii.max(), 2].min()), tool_width(flats) / 2
    boxes = blocking.boxes(direction)
    beside = (boxes[:, 0, :2] < middle[:2] + radius).all(1) & (boxes[:, 1, :2] > middle[:2] - radius).all(1)
    near = np.flatnonzero(beside & (boxes[:, 1, 2] > seat))
    others = [j for j in near.tolist() if j != k and j not in blocking.touched(k)]
    return frozenset(j for j in others if _reaches(blocking, j, view_frame(along), middle, seat, radius))


def _reaches(
    blocking: Blocking, j: int, frame: NDArray[np.float64], middle: Vector, seat: float, radius: float
) -> bool:
    """Whether a unit comes within a radius of an axis along the last row of a frame, above a seat."""
    for leaf in blocking.units[j].leaves:
        mesh, pose = blocking.scene.body(leaf)
        corners = (apply(pose, mesh.corners.reshape(-1, 3)) @ frame.T - middle).reshape(-1, 3, 3)
        above = corners[corners[:, :, 2].max(1) > seat - middle[2]]
        if len(above) and nearest_to_axis(above[:, :, :2]).min() < radius:
            return True
    return False
