"""Distance between two surfaces at rest."""

from functools import lru_cache

import fcl

from pulley.core.geometry.frames import Pose
from pulley.core.geometry.mesh import Mesh


@lru_cache(maxsize=1024)
def _body(mesh: Mesh) -> fcl.BVHModel:
    body = fcl.BVHModel()
    body.beginModel(len(mesh.vertices), len(mesh.triangles))
    body.addSubModel(mesh.vertices, mesh.triangles)
    body.endModel()
    return body


def mesh_distance(a: Mesh, a_pose: Pose, b: Mesh, b_pose: Pose) -> float:
    """Least distance in mm between two surfaces; 0 where they touch or cross.

    By bounding-volume hierarchies (the Flexible Collision Library; Pan, Chitta, Manocha 2012, from memory).
    """
    bodies = [
        fcl.CollisionObject(_body(mesh), fcl.Transform(pose[:3, :3], pose[:3, 3]))
        for mesh, pose in ((a, a_pose), (b, b_pose))
    ]
    return max(fcl.distance(*bodies, fcl.DistanceRequest(), fcl.DistanceResult()), 0.0)
