"""Meshes as coal wants them; for tests and benchmarks."""

import coal
import numpy as np

from pulley.core.geometry.mesh import Mesh


def coal_model(mesh: Mesh) -> coal.BVHModelOBBRSS:
    """A mesh as a bounding-volume hierarchy."""
    made = coal.BVHModelOBBRSS()
    made.beginModel(len(mesh.triangles), len(mesh.vertices))
    made.addVertices(mesh.vertices)
    made.addTriangles(mesh.triangles.astype(np.int64))
    made.endModel()
    return made


def coal_distance(a: coal.BVHModelOBBRSS, a_pose: np.ndarray, b: coal.BVHModelOBBRSS, b_pose: np.ndarray) -> float:
    """Distance in mm between two placed models; 0 or less where they cross."""
    places = [coal.Transform3s(pose[:3, :3], pose[:3, 3]) for pose in (a_pose, b_pose)]
    return coal.distance(a, places[0], b, places[1], coal.DistanceRequest(), coal.DistanceResult())
