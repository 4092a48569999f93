"""PLY (Stanford), text and binary: one mesh, read by trimesh."""

from pathlib import Path

import numpy as np
from trimesh.exchange.ply import load_ply

from pulley.core.errors import PulleyError
from pulley.core.formats.soup import Found, Item, soup

ROUNDED = 0.5e-6  # of a coordinate: half of the last digit of those that text usually has


def read(path: Path) -> Found:
    """The mesh of a PLY file, without the colours of its corners.

    Raises
    ------
    PulleyError
        When it holds no faces: a cloud of points bounds nothing.
    """
    with path.open("rb") as file:
        found = load_ply(file, fix_texture=False)
    faces = found.get("faces")
    if faces is None or not len(faces):
        raise PulleyError(f"{path.name} holds no faces: a cloud of points cannot be taken apart. Mesh it first.")
    vertices = np.asarray(found["vertices"], float)
    return Found([Item("", mesh=soup(vertices, faces, found.get("vertex_normals")))])
