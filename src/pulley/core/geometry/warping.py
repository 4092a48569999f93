"""Meshes reflected and scaled, with all that is known of them."""

from dataclasses import replace

import numpy as np

from pulley.core.geometry.features import Cylinder, Plane, Point
from pulley.core.geometry.frames import Pose, apply
from pulley.core.geometry.mesh import Mesh


def warped(mesh: Mesh, warp: Pose) -> Mesh:
    """A mesh scaled and mirrored by a warp (4, 4) as `without_warp` gives it.

    >>> from pulley.core.geometry.mesh import box_mesh
    >>> round(float(warped(box_mesh((0, 0, 0), (1, 2, 3)), np.diag([-2.0, 2.0, 2.0, 1.0])).volume), 9)
    48.0
    """
    scale, sign = warp[1, 1], np.sign(np.diag(warp)[:3])

    def place(point: Point) -> Point:
        return tuple((np.diag(warp)[:3] * np.array(point)).tolist())

    def direct(direction: Point) -> Point:
        return tuple((sign * np.array(direction)).tolist())

    mirrored = sign[0] < 0
    return replace(
        mesh,
        vertices=apply(warp, mesh.vertices),
        normals=mesh.normals * sign,
        triangles=np.ascontiguousarray(mesh.triangles[:, ::-1]) if mirrored else mesh.triangles,
        edges=apply(warp, mesh.edges) if len(mesh.edges) else mesh.edges,
        planes=tuple(Plane(place(p.origin), direct(p.normal), p.area * scale**2) for p in mesh.planes),
        cylinders=tuple(
            Cylinder(place(c.origin), direct(c.direction), c.radius * scale, c.length * scale, c.hole)
            for c in mesh.cylinders
        ),
        volume=None if mesh.volume is None else mesh.volume * scale**3,
        thickness=mesh.walls * np.float32(scale),
        error=mesh.error * scale,
    )
