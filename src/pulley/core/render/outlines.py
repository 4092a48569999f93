"""Silhouettes: the edges at which a surface turns away from the eye, as canvas/silhouettes.js draws them."""

from collections.abc import Sequence
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from pulley.core.geometry.frames import apply, unit
from pulley.core.geometry.mesh import Mesh
from pulley.core.geometry.rims import SHARP, facet_normals, rims
from pulley.core.render.scene import Item
from pulley.core.teardown import Camera

FLAT = 1 - 1e-7  # cosine; across a flat face nothing ever turns away
Edges = tuple[NDArray[np.float64], NDArray[np.float64]]


def outlines(items: Sequence[Item], camera: Camera) -> NDArray[np.float64]:
    """The silhouettes (k, 2, 3) of items from a camera, in mm; what is drawn as an edge anyway is left out.

    Parameters
    ----------
    items : sequence of Item
    camera : Camera
    """
    found = [np.empty((0, 2, 3))]
    eye, back = np.array(camera.eye, float), unit(np.subtract(camera.eye, camera.target))
    for item in items:
        ends, normals = _turning(item.leaf.part.mesh)
        if not len(ends):
            continue
        turn = item.pose[:3, :3]
        if camera.projection == "parallel":
            sides = normals @ (turn.T @ back)
        else:
            toward = turn.T @ (eye - item.pose[:3, 3]) - ends[:, 0]
            sides = np.einsum("kij,kj->ki", normals, toward)
        found.append(apply(item.pose, ends[sides[:, 0] * sides[:, 1] <= 0]))
    return np.concatenate(found)


@lru_cache(maxsize=512)
def _turning(mesh: Mesh) -> Edges:
    """The edges of a mesh that may become silhouettes: both ends (k, 2, 3), and the normals of both sides (k, 2, 3)."""
    known = rims(mesh)
    normals = facet_normals(known.vertices[known.triangles])
    joined = (known.sides >= 0).all(1) & (known.kind != SHARP)
    sides = normals[known.sides[joined]]
    bent = np.einsum("ki,ki->k", sides[:, 0], sides[:, 1]) < FLAT
    return known.vertices[known.ends[joined][bent]], sides[bent]
