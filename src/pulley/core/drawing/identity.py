"""Which component is seen at each point of a view: a picture of names instead of colours."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import distance_transform_edt

from pulley.core.assembly import Assembly
from pulley.core.drawing.scene import Scene
from pulley.core.geometry.frames import apply
from pulley.core.geometry.raster import cover

LONGEST = 900  # pixels of the longer side
BEND = 0.25  # mm of depth a mm
LARGE = 0.25  # share of the room within a component that a face must have for a leader to end within it
EMPTY = 4  # pixels left free at each side


@dataclass(frozen=True, eq=False)
class Identity:
    """An identity buffer of a view.

    Attributes
    ----------
    owner : (h, w) int32, the place in ``paths`` of what is seen, -1 for nothing; row 0 is the top
    depth : (h, w) float64, mm away from the eye
    corner : (2,) float64, mm right and up in the picture of the upper left corner
    pixel : mm that a pixel takes
    own : pixels that each component would cover alone
    """

    paths: tuple[str, ...]
    owner: NDArray[np.int32]
    depth: NDArray[np.float64]
    corner: NDArray[np.float64]
    pixel: float
    own: NDArray[np.int64]
    frame: NDArray[np.float64]

    def picture(self, row: int, column: int) -> NDArray[np.float64]:
        """The middle of a pixel (2,) in mm right and up in the picture."""
        return self.corner + self.pixel * np.array([column + 0.5, -(row + 0.5)])

    def point(self, row: int, column: int) -> NDArray[np.float64]:
        """The point (3,) of the assembly that is seen at a pixel."""
        return np.asarray(np.array([*self.picture(row, column), -self.depth[row, column]]) @ self.frame)

    def at(self, spot: NDArray[np.float64]) -> str | None:
        """What is seen at a spot (2,) of the picture in mm; None where nothing is."""
        column, row = np.floor((spot - self.corner) / self.pixel * (1, -1)).astype(int)
        inside = 0 <= row < self.owner.shape[0] and 0 <= column < self.owner.shape[1]
        return self.paths[self.owner[row, column]] if inside and self.owner[row, column] >= 0 else None


@dataclass(frozen=True, eq=False)
class Spot:
    """The roomiest place of what is seen of a component, within a face if one is large enough: where it is in the
    picture (2,), the point (3,) of the assembly, how far in mm of the picture the edge of the component is, and the
    share of it that is seen."""

    path: str
    picture: NDArray[np.float64]
    point: NDArray[np.float64]
    room: float
    share: float


def identity(assembly: Assembly, scene: Scene, frame: NDArray[np.float64], bounds: NDArray[np.float64]) -> Identity:
    """The identity buffer of a scene.

    Parameters
    ----------
    assembly : Assembly
    scene : Scene
    frame : (3, 3) float64
        Rows right, up, back.
    bounds : (2, 2) float64
        The lowest and highest corner in the picture, in mm.
    """
    wide, tall = np.maximum(bounds[1] - bounds[0], 1e-3)
    pixel = float(max(wide, tall)) / (LONGEST - 2 * EMPTY)
    width, height = int(np.ceil(wide / pixel)) + 2 * EMPTY, int(np.ceil(tall / pixel)) + 2 * EMPTY
    corner = np.array([bounds[0, 0] - EMPTY * pixel, bounds[1, 1] + EMPTY * pixel])
    depth = np.full((height, width), np.inf)
    owner = np.full((height, width), -1, np.int32)
    stamp = np.full((height, width), -1, np.int32)
    own = np.zeros(len(scene.poses), np.int64)
    for k, (path, pose) in enumerate(scene.poses.items()):
        mesh = assembly.leaf(path).part.mesh
        seen = apply(pose, mesh.vertices) @ frame.T
        pixels = np.stack([(seen[:, 0] - corner[0]) / pixel, (corner[1] - seen[:, 1]) / pixel, -seen[:, 2]], axis=1)
        own[k] = cover(depth, owner, stamp, pixels, mesh.triangles, k)
    return Identity(tuple(scene.poses), owner, depth, corner, pixel, own, frame)


def _bent(found: Identity) -> NDArray[np.bool_]:
    """The pixels (h, w) at which a surface bends: where its slope changes by more than `BEND` from one to the next."""
    bent = np.zeros(found.owner.shape, bool)
    depth = np.where(found.owner >= 0, found.depth, 0.0)
    for axis in (0, 1):
        one, two, three = (np.roll(depth, by, axis) for by in (1, 0, -1))
        same = np.roll(found.owner, 1, axis) == np.roll(found.owner, -1, axis)
        bent |= same & (np.abs(one - 2 * two + three) > BEND * found.pixel)
    return bent


def spots(found: Identity) -> dict[str, Spot]:
    """The roomiest place of every component that is seen at all, by path."""
    height, width = found.owner.shape
    rows, columns = np.nonzero(found.owner >= 0)
    owners = found.owner[rows, columns]
    order = np.argsort(owners, kind="stable")
    owners, rows, columns = owners[order], rows[order], columns[order]
    starts = np.flatnonzero(np.diff(owners, prepend=-1))
    bent = _bent(found)
    result = {}
    for start, end in zip(starts, np.append(starts[1:], len(owners)), strict=True):
        k = int(owners[start])
        own_rows, own_columns = rows[start:end], columns[start:end]
        top, left = own_rows.min(), own_columns.min()
        mask = np.zeros((own_rows.max() - top + 3, own_columns.max() - left + 3), bool)
        mask[own_rows - top + 1, own_columns - left + 1] = True
        inside = distance_transform_edt(mask)
        mask[own_rows - top + 1, own_columns - left + 1] = ~bent[own_rows, own_columns]
        of_face = distance_transform_edt(mask)
        best = of_face if of_face.max() > LARGE * inside.max() else inside
        row, column = np.unravel_index(int(np.argmax(best)), best.shape)
        at = int(row) + top - 1, int(column) + left - 1
        result[found.paths[k]] = Spot(
            path=found.paths[k],
            picture=found.picture(*at),
            point=found.point(*at),
            room=float(inside[row, column]) * found.pixel,
            share=(end - start) / max(int(found.own[k]), 1),
        )
    return result
