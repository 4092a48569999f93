"""Meshes as python-fcl wants them; for tests and benchmarks."""

import fcl

from pulley.core.geometry.mesh import Mesh


def fcl_model(mesh: Mesh) -> fcl.BVHModel:
    """A mesh as a bounding-volume hierarchy."""
    made = fcl.BVHModel()
    made.beginModel(len(mesh.vertices), len(mesh.triangles))
    made.addSubModel(mesh.vertices, mesh.triangles)
    made.endModel()
    return made
