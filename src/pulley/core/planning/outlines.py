"""How a lay-out looks on the page: the outline of every unit in a view, put one before the other."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numba import njit
from numpy.typing import NDArray
from scipy.ndimage import binary_erosion, binary_fill_holes

from pulley.core.geometry.frames import Vector, view_frame
from pulley.core.geometry.mesh import Mesh
from pulley.core.geometry.raster import cover
from pulley.core.planning.blocking import Blocking, Direction

FINE = 320  # pixels of the assembly's diagonal at home
FINER = 500  # the same where there are many units, which are small then
MANY = 150  # units
FAR_OFF = 6  # times as wide and tall as everything at home: what stands farther off is not looked at

Pixels = NDArray[np.int64]
Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Outline:
    """Pixels (n, 2) that a unit covers at home, right and up, the depth (n,) in mm of each, larger is farther; and its
    bounds (2, 2) in mm."""

    at: Pixels
    depth: Floats
    box: Floats

    @cached_property
    def span(self) -> Pixels:
        """Its lowest and its highest pixel (2, 2)."""
        return np.array([self.at.min(0), self.at.max(0)])

    @cached_property
    def edges(self) -> tuple[int, int, int, int]:
        """The same as plain numbers: left, bottom, right, top."""
        left, bottom, right, top = self.span.ravel().tolist()
        return left, bottom, right, top


@dataclass(frozen=True)
class Outlines:
    """The outlines of all units in one parallel view: its frame (3, 3), rows right, up, back, and mm a pixel."""

    frame: Floats
    pixel: float
    units: tuple[Outline, ...]

    def moved(self, shift: Vector) -> tuple[int, int, float]:
        """A displacement (3,) in mm as pixels right and up, and mm farther away."""
        right, up, back = (self.frame @ shift).tolist()
        return round(right / self.pixel), round(up / self.pixel), -back

    def extent(self, shifts: Mapping[int, Vector]) -> Floats:
        """Width and height (2,) in mm of everything, the units displaced by ``shifts`` (3,) in mm."""
        boxes = self.boxes.copy()
        for k, shift in shifts.items():
            boxes[k] += self.frame[:2] @ shift
        size: Floats = boxes[:, 1].max(0) - boxes[:, 0].min(0)
        return size

    @cached_property
    def span(self) -> Pixels:
        """The lowest and the highest pixel (2, 2) of all units at home."""
        spans = np.array([unit.span for unit in self.units])
        return np.array([spans[:, 0].min(0), spans[:, 1].max(0)])

    @cached_property
    def own(self) -> Pixels:
        """How many pixels each unit covers by itself."""
        return np.array([len(unit.at) for unit in self.units])

    @cached_property
    def boxes(self) -> Floats:
        """Bounds (n, 2, 2) in mm of all units at home."""
        return np.array([unit.box for unit in self.units])


def outlines_of(blocking: Blocking, frame: Floats) -> Outlines:
    """The outlines of all units where they stand, looked at along the last row of a frame (3, 3); worked out once.

    Copies of a part that stand the same way share one outline, so thousands of screws cost no more than one.
    """
    known = blocking.views
    key = frame.tobytes()
    if key not in known:
        known[key] = _seen_along(blocking, frame)
    found: Outlines = known[key]
    return found


def _seen_along(blocking: Blocking, frame: Floats) -> Outlines:
    scene, units = blocking.scene, blocking.units
    reach = float(np.linalg.norm(scene.boxes[:, 1].max(0) - scene.boxes[:, 0].min(0)))
    pixel = max(reach, 1e-6) / (FINE if len(units) < MANY else FINER)
    known: dict[tuple[str, bytes], Outline] = {}

    def placed(leaf: str) -> Outline:
        part, pose = scene.assembly.leaf(leaf).part, scene.poses[leaf]
        key = part.key, np.round(pose[:3, :3], 9).tobytes()
        if key not in known:
            known[key] = _outline(part.mesh, frame @ pose[:3, :3], pixel)
        return _moved(known[key], frame @ pose[:3, 3], pixel)

    return Outlines(frame, pixel, tuple(_together([placed(leaf) for leaf in unit.leaves]) for unit in units))


def _outline(mesh: Mesh, turn: Floats, pixel: float) -> Outline:
    """The outline of a mesh turned by (3, 3), its origin at pixel 0, 0."""
    seen = mesh.vertices @ turn.T
    box = np.array([seen[:, :2].min(0), seen[:, :2].max(0)])
    low = np.floor(box[0] / pixel).astype(np.int64)
    wide, tall = (np.ceil(box[1] / pixel).astype(np.int64) - low + 1).tolist()
    depth = np.full((tall, wide), np.inf)
    flat = np.column_stack([seen[:, :2] / pixel - low, -seen[:, 2]])
    nobody = np.full(depth.shape, -1, np.int32)
    cover(depth, nobody, nobody.copy(), flat, mesh.triangles, 0)
    rows, columns = np.nonzero(np.isfinite(depth))
    if len(rows) == 0:  # thinner than a pixel: it counts as one
        middle = np.round(seen[:, :2].mean(0) / pixel).astype(np.int64)
        return Outline(middle[None], np.array([-float(seen[:, 2].max())]), box)
    return Outline(np.column_stack([columns, rows]) + low, depth[rows, columns], box)


def _moved(outline: Outline, shift: Vector, pixel: float) -> Outline:
    at = outline.at + np.round(shift[:2] / pixel).astype(np.int64)
    return Outline(at, outline.depth - shift[2], outline.box + shift[:2])


def _together(outlines: Sequence[Outline]) -> Outline:
    """One outline of several leaves, of each pixel the nearest."""
    if len(outlines) == 1:
        return outlines[0]
    at, depth = np.concatenate([o.at for o in outlines]), np.concatenate([o.depth for o in outlines])
    order = np.lexsort((depth, at[:, 1], at[:, 0]))
    first = np.ones(len(order), bool)
    first[1:] = (np.diff(at[order], axis=0) != 0).any(1)
    kept = order[first]
    boxes = np.array([o.box for o in outlines])
    return Outline(at[kept], depth[kept], np.array([boxes[:, 0].min(0), boxes[:, 1].max(0)]))


@dataclass(eq=False)
class Shadows:
    """Which units lie before, behind or within one another along a direction, by their outlines with holes filled.

    A pin in a bore lies within it, though nothing stops it; a block in the corner of an L does not lie before it.
    """

    blocking: Blocking
    _masks: dict[Direction, list[tuple[Pixels, NDArray[np.bool_]]]] = field(default_factory=dict)
    _meet: dict[tuple[Direction, int, int], bool] = field(default_factory=dict)

    def meet(self, direction: Direction, k: int, j: int) -> bool:
        """Whether two units, where they stand at home, cover one another along a direction."""
        key = direction, min(k, j), max(k, j)
        if key not in self._meet:
            masks = self._all(direction)
            self._meet[key] = _overlap(*masks[k], *masks[j])
        return self._meet[key]

    def _all(self, direction: Direction) -> list[tuple[Pixels, NDArray[np.bool_]]]:
        if direction not in self._masks:
            outlines = outlines_of(self.blocking, view_frame(np.array(direction)))
            self._masks[direction] = [_filled(outline) for outline in outlines.units]
        return self._masks[direction]


def _filled(outline: Outline) -> tuple[Pixels, NDArray[np.bool_]]:
    """The lowest pixel (2,) of an outline, and its pixels (rows, columns) with holes filled and its rim taken off, as
    what only touches shares a rim; what is all rim keeps it."""
    low, high = outline.span
    mask = np.zeros((high - low + 1)[::-1], bool)
    mask[tuple((outline.at - low).T[::-1])] = True
    filled: NDArray[np.bool_] = binary_fill_holes(mask)
    inside: NDArray[np.bool_] = binary_erosion(filled)
    return low, inside if inside.any() else filled


def _overlap(low: Pixels, mask: NDArray[np.bool_], other_low: Pixels, other: NDArray[np.bool_]) -> bool:
    start = np.maximum(low, other_low)
    end = np.minimum(low + mask.shape[::-1], other_low + other.shape[::-1])
    if (end <= start).any():
        return False
    one, two = (
        each[tuple(slice(a, b) for a, b in zip((start - at)[::-1], (end - at)[::-1], strict=True))]
        for at, each in ((low, mask), (other_low, other))
    )
    return bool((one & two).any())


@dataclass(eq=False)
class Page:
    """Units put down one after the other, and how much of each is seen: an identity buffer that grows as it must."""

    outlines: Outlines
    origin: tuple[int, int] = field(init=False)
    depth: Floats = field(init=False)
    owner: NDArray[np.int32] = field(init=False)
    seen: Pixels = field(init=False)
    limits: tuple[int, int, int, int] = field(init=False)

    def __post_init__(self) -> None:
        (left, bottom), (right, top) = self.outlines.span.tolist()
        wide, tall = right - left + 1, top - bottom + 1
        self.origin = left - wide, bottom - tall
        self.limits = left - FAR_OFF * wide, bottom - FAR_OFF * tall, right + FAR_OFF * wide, top + FAR_OFF * tall
        wide, tall = 3 * wide, 3 * tall
        self.depth, self.owner = np.full((tall, wide), np.inf), np.full((tall, wide), -1, np.int32)
        self.seen = np.zeros(len(self.outlines.units), np.int64)
        self._lost = np.zeros(len(self.outlines.units), np.int64)
        self._here = np.zeros(len(self.outlines.units), bool)

    @property
    def shares(self) -> Floats:
        """The share (n,) of each unit that is seen; 0 for what was not put down."""
        return self.seen / self.outlines.own

    def put(self, k: int, shift: Vector) -> None:
        """Put unit ``k`` down, displaced by (3,) in mm; far off it covers nothing, and nothing covers it."""
        outline, (right, up, away) = self.outlines.units[k], self.outlines.moved(shift)
        left, bottom, far, top = outline.edges
        left, bottom, far, top = left + right, bottom + up, far + right, top + up
        self._here[k] = True
        if left < self.limits[0] or bottom < self.limits[1] or far > self.limits[2] or top > self.limits[3]:
            self.seen[k] = self.outlines.own[k]
            return
        self._grow(left, bottom, far, top)
        x, y = self.origin
        _put(outline.at, outline.depth, right - x, up - y, away, k, self.depth, self.owner, self.seen)

    def _grow(self, left: int, bottom: int, right: int, top: int) -> None:
        """Make room for pixels, and for some more, as others will follow."""
        (x, y), (tall, wide) = self.origin, self.depth.shape
        if left >= x and bottom >= y and right < x + wide and top < y + tall:
            return
        more = max(tall, wide)
        start = left - more if left < x else x, bottom - more if bottom < y else y
        stop = right + 1 + more if right >= x + wide else x + wide, top + 1 + more if top >= y + tall else y + tall
        margins = (y - start[1], stop[1] - y - tall), (x - start[0], stop[0] - x - wide)
        self.depth = np.pad(self.depth, margins, constant_values=np.inf)
        self.owner = np.pad(self.owner, margins, constant_values=-1)
        self.origin = start

    def least_share(self, k: int, shift: Vector, enough: float) -> float:
        """What would be seen least if a unit were put down: its own share, or that of one that it covers.

        What is seen less than ``enough`` already, and would be covered still more, counts as 0.
        """
        outline, moved = self.outlines.units[k], self.outlines.moved(shift)
        buffers = self.depth, self.owner, self.origin, self.seen, self.outlines.own, self._lost
        return float(_least_share(outline.at, outline.depth, *moved, *buffers, enough))

    def first_free(self, units: Sequence[int], places: Floats, shifts: Floats, margin: int) -> int:
        """The first of displacements (n, 3) in mm with which units, at places (k, 3) from home, keep ``margin`` pixels
        from all that was put down, sideways, above and below; the last where there is none."""
        shown = [self.outlines.units[k].at for k in units]
        moved = (places[:, None] + shifts) @ self.outlines.frame[:2].T / self.outlines.pixel
        whose = np.repeat(np.arange(len(units)), [len(at) for at in shown])
        offsets = np.rint(moved).astype(np.int64) - self.origin
        return int(_first_free(np.concatenate(shown), whose, offsets, margin, self.owner))

    def overlapped(self) -> float:
        """The share of all outlines that lies behind others."""
        whole = int(self.outlines.own[self._here].sum())
        return 1.0 - float(self.seen[self._here].sum()) / whole if whole else 0.0


@njit(cache=True, nogil=True)
def _put(at, depth, right, up, away, k, buffer, owner, seen):  # noqa: ANN001, ANN202
    for i in range(len(at)):
        x, y = at[i, 0] + right, at[i, 1] + up
        if depth[i] + away < buffer[y, x]:
            if owner[y, x] >= 0:
                seen[owner[y, x]] -= 1
            buffer[y, x] = depth[i] + away
            owner[y, x] = k
            seen[k] += 1


@njit(cache=True, nogil=True)
def _least_share(at, depth, right, up, away, buffer, owner, origin, seen, own, lost, enough):  # noqa: ANN001, ANN202
    height, width = owner.shape
    kept = 0
    for i in range(len(at)):
        x, y = at[i, 0] + right - origin[0], at[i, 1] + up - origin[1]
        if x < 0 or y < 0 or x >= width or y >= height or owner[y, x] < 0:
            kept += 1
        elif depth[i] + away < buffer[y, x]:
            kept += 1
            lost[owner[y, x]] += 1
    least = kept / len(at)
    for i in range(len(at)):
        x, y = at[i, 0] + right - origin[0], at[i, 1] + up - origin[1]
        if x < 0 or y < 0 or x >= width or y >= height or owner[y, x] < 0:
            continue
        other = owner[y, x]
        if lost[other] > 0:
            share = (seen[other] - lost[other]) / own[other]
            if seen[other] < enough * own[other]:
                share = 0.0
            least = min(least, share)
            lost[other] = 0
    return least


@njit(cache=True, nogil=True)
def _first_free(at, whose, offsets, margin, owner):  # noqa: ANN001, ANN202
    met = 0  # the pixel at which it was not free the last time, which is likely to be so again
    for n in range(offsets.shape[1]):
        right, up = offsets[whose[met], n]
        free = not _is_taken(at[met, 0] + right, at[met, 1] + up, margin, owner)
        i = 0
        while free and i < len(at):
            right, up = offsets[whose[i], n]
            if _is_taken(at[i, 0] + right, at[i, 1] + up, margin, owner):
                free, met = False, i
            i += 1
        if free:
            return n
    return offsets.shape[1] - 1


@njit(cache=True, nogil=True)
def _is_taken(x, y, margin, owner):  # noqa: ANN001, ANN202
    height, width = owner.shape
    for dx, dy in ((0, 0), (margin, 0), (-margin, 0), (0, margin), (0, -margin)):
        u, v = x + dx, y + dy
        if 0 <= u < width and 0 <= v < height and owner[v, u] >= 0:
            return True
    return False
