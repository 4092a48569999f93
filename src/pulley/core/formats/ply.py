"""PLY (Stanford), text and binary: one mesh, read by trimesh."""

from pathlib import Path

import numpy as np
from trimesh.exchange.ply import load_ply

from pulley.core.errors import PulleyError
from pulley.core.formats.soup import Found, Item, fans, soup


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
    counts = np.array([len(face) for face in faces])
    triangles = fans(counts, np.concatenate([np.asarray(face, np.int64) for face in faces]))
    return Found([Item("", mesh=soup(found["vertices"], triangles, found.get("vertex_normals")))])
