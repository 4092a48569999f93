"""What the readers of mesh formats give: the file's tree, its triangles, and what it says of unit and upright axis."""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from pulley.core.colours import Colour
from pulley.core.errors import PulleyError
from pulley.core.geometry.mending import Soup

DEEPEST = 64  # levels of nesting
MOST = 20_000_000  # triangles, or corners, of a file
ITEMS = 50_000  # of a file's tree, with all that is in it more than once


@dataclass
class Item:
    """One item of a file's tree. ``matrix`` (4, 4) places it in its parent, in the file's unit.

    ``mesh`` is shared by all items made of it.
    """

    name: str
    matrix: NDArray[np.float64] = field(default_factory=lambda: np.eye(4))
    mesh: Soup | None = None
    colour: Colour | None = None
    product: str = ""
    children: list["Item"] = field(default_factory=list)


@dataclass
class Found:
    """What a file holds: its trees, mm to its unit and the axis that points up in it, each None where it says nothing.

    The unit is ``sure`` where the file itself states it, and not only its format. ``missing`` are files that it refers
    to and that did not come with it.
    """

    roots: list[Item]
    unit: float | None = None
    up: str | None = None
    sure: bool = True
    notes: list[str] = field(default_factory=list)
    missing: list[str] = field(default_factory=list)


def soup(
    vertices: NDArray[np.float64],
    triangles: NDArray[np.integer],
    shading: NDArray[np.float64] | None = None,
    grain: float = 0.0,
) -> Soup:
    """Triangles that have been looked over: numbers of corners that are there, no more of them than can be worked with.

    Raises
    ------
    PulleyError
        When a triangle names a corner that is not there, or there are too many.
    """
    vertices = np.asarray(vertices, float).reshape(-1, 3)
    rows = np.asarray(triangles).reshape(-1, 3)
    if max(len(vertices), len(rows)) > MOST:
        raise PulleyError(f"It has more than {MOST:,} triangles or corners. Make it coarser, or split it.")
    if len(rows) and (rows.min() < 0 or rows.max() >= len(vertices)):
        raise PulleyError(
            f"It is damaged: a triangle names corner {int(rows.max())}, and there are {len(vertices)}. Export it again."
        )
    fits = shading is not None and np.shape(shading) == vertices.shape and bool(np.isfinite(shading).all())
    return Soup(vertices, rows.astype(np.int32), np.asarray(shading, float) if fits else None, grain)


def fans(counts: NDArray[np.integer], corners: NDArray[np.integer]) -> NDArray[np.int64]:
    """Polygons, their corners laid end to end, as triangles (m, 3) from the first corner of each.

    >>> fans(np.array([4, 3]), np.array([0, 1, 2, 3, 7, 8, 9])).tolist()
    [[0, 1, 2], [0, 2, 3], [7, 8, 9]]
    """
    counts, corners = np.asarray(counts, np.int64), np.asarray(corners, np.int64)
    starts = np.cumsum(counts) - counts
    each = np.maximum(counts - 2, 0)
    first = np.repeat(starts, each)
    step = np.arange(int(each.sum())) - np.repeat(np.cumsum(each) - each, each) + 1
    return np.stack([corners[first], corners[first + step], corners[first + step + 1]], axis=1)
