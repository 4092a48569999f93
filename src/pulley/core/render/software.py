"""The painter without a graphics card: compiled for the processor, the same pixels on every machine."""

import math
import threading
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from cachetools import LRUCache, cached
from numpy.typing import NDArray

from pulley.core.camera import camera_frame, project
from pulley.core.colours import EDGE_INK, WHITE, from_hex
from pulley.core.geometry.frames import Pose
from pulley.core.geometry.mesh import Mesh
from pulley.core.render import raster
from pulley.core.render.lights import (
    EARTH,
    HIDDEN_DASH,
    HIDDEN_INK,
    LAMP,
    MOST,
    QUIET_INK,
    REACH,
    SKY,
    STRENGTH,
    ball,
    lamp_view,
    linear,
)
from pulley.core.render.outlines import outlines
from pulley.core.render.scene import PIXELS, Item, Scene, line_pixels
from pulley.core.teardown import Camera

TILE = 2048  # pixels; a larger picture is drawn in tiles
SHADOW = 2048  # samples of the map of what the lamp meets
TABLE = np.round(
    np.where((c := np.linspace(0, 1, 8193)) <= 0.0031308, 12.92 * c, 1.055 * c ** (1 / 2.4) - 0.055), 6
)  # sRGB of linear light (IEC 61966-2-1)
NONE = np.full((1, 1), np.inf, np.float32)
Pixels = NDArray[np.uint8]


@dataclass(frozen=True, eq=False)
class Stock:
    """The meshes of a scene end to end, as the compiled half reads them."""

    vertices: NDArray[np.float32]
    normals: NDArray[np.float32]
    spans: NDArray[np.int64]
    triangles: NDArray[np.int32]
    triangle_spans: NDArray[np.int64]
    both_sides: NDArray[np.bool_]
    edges: NDArray[np.float32]
    edge_spans: NDArray[np.int64]
    pairs: NDArray[np.int32]
    pair_spans: NDArray[np.int64]
    numbers: dict[str, int]

    def of(self, items: Sequence[Item]) -> NDArray[np.int64]:
        """The place (m,) of each item's mesh."""
        return np.array([self.numbers[item.leaf.part.mesh.key] for item in items], np.int64)


@dataclass(frozen=True, eq=False)
class Grid:
    """A camera on a grid of samples: from mm to right, up, back (3, 4), the focal length, the middle, the kind."""

    view: NDArray[np.float64]
    focal: float
    middle: NDArray[np.float64]
    parallel: bool

    @property
    def eye(self) -> NDArray[np.float64]:
        """As the compiled half wants it (4,)."""
        return np.array([self.focal, *self.middle, float(self.parallel)])


@dataclass(frozen=True, eq=False)
class Cast:
    """Items drawn on a grid: the nearest triangle of each sample, and what is needed to light it."""

    nearness: NDArray[np.float32]
    owner: NDArray[np.int32]
    planes: NDArray[np.float64]
    owners: NDArray[np.int32]
    parts: NDArray[np.int64]
    starts: NDArray[np.int64]
    first_of: NDArray[np.int64]
    seen: NDArray[np.float64]
    turned: NDArray[np.float32]


def paint(scene: Scene, size: tuple[int, int], soft: bool) -> Pixels:
    """The picture (height, width, 4) of a scene; see `painter.render`."""
    width, height = size
    ground = (*(int(255 * c + 0.5) for c in scene.ground), 255) if scene.ground else (0, 0, 0, 0)
    plain = np.full((height, width), np.array(ground, np.uint8).view(np.uint32)[0])
    whole: Pixels = plain.view(np.uint8).reshape(height, width, 4)
    edge = (int(MOST * height) + 8) // 2 * 2
    first_x, first_y, last_x, last_y = _covered(scene, size)
    for left in range(first_x, last_x, TILE):
        for top in range(first_y, last_y, TILE):
            right, low = min(left + TILE, last_x), min(top + TILE, last_y)
            x, y = max(left - edge, first_x), max(top - edge, first_y)
            tile = (x, y, min(right + edge, last_x) - x, min(low + edge, last_y) - y)
            part = _tile(scene, size, tile, soft)
            whole[top:low, left:right] = part[top - y : low - y, left - x : right - x]
    return whole


def _covered(scene: Scene, size: tuple[int, int]) -> tuple[int, int, int, int]:
    """The pixels outside of which there is nothing but ground: left, top, right and foot, the first two even."""
    width, height = size
    corners = np.array([item.leaf.part.mesh.box_corners for item in scene.items]).reshape(-1, 8, 3)
    poses = np.array([item.pose for item in scene.items]).reshape(-1, 4, 4)
    points = (np.einsum("nij,nkj->nki", poses[:, :3, :3], corners) + poses[:, None, :3, 3]).reshape(-1, 3)
    if scene.dashes is not None:
        points = np.concatenate([points, scene.dashes.reshape(-1, 3)])
    if not len(points):
        return 0, 0, 0, 0
    flat = project(scene.camera, points, width, height)
    if not np.isfinite(flat).all():  # something is beside or behind the eye
        return 0, 0, width, height
    room = 4 + 2 * line_pixels(size) * max(scene.line.width * PIXELS, 1.0)
    low = np.clip(np.floor(flat[:, :2].min(0) - room), 0, size).astype(int) // 2 * 2
    high = np.clip(np.ceil(flat[:, :2].max(0) + room), 0, size).astype(int)
    return int(low[0]), int(low[1]), int(high[0]), int(high[1])


def _tile(scene: Scene, size: tuple[int, int], tile: tuple[int, int, int, int], soft: bool) -> Pixels:
    solid = scene.solid
    stock = _stock(scene.items)
    lens = _lens(scene.camera, size, tile)
    ground = scene.ground or WHITE
    picture = _scratch("picture", (tile[3], tile[2], 4), np.float32)
    picture[:] = (*ground, 1.0) if scene.ground else 0.0
    cast = _cast(stock, solid, lens, (2 * tile[3], 2 * tile[2]))
    light = _Light(scene, lens, stock, solid)
    shade = _shade(cast, lens, scene, size, tile) if soft and not scene.lines_only else np.ones((1, 1), np.float32)
    light.falls(cast, solid, shade, picture)
    for item in scene.clear:
        beyond = _cast(stock, [item], lens, cast.nearness.shape, "beyond", cast.nearness)
        light.falls(beyond, [item], np.ones((1, 1), np.float32), picture)
    _ink(scene, stock, lens, cast, picture, line_pixels(size))
    out = np.empty(picture.shape, np.uint8)
    raster.bytes_of(picture, out)
    return out


class _Light:
    """The lights of a scene, and the map of what the lamp meets where there are shadows."""

    def __init__(self, scene: Scene, lens: Grid, stock: Stock, items: Sequence[Item]) -> None:
        self.stock, self.lens, self.flat = stock, lens, linear(scene.ground or WHITE) if scene.lines_only else None
        self.way, from_mm = lamp_view(scene.camera, ball(scene), SHADOW)
        self.map, self.view = NONE, np.zeros((3, 4))
        if scene.look.shadows and not scene.lines_only and items:
            nearness = _cast(stock, items, _lamp_lens(from_mm), (SHADOW, SHADOW), "lamp").nearness
            self.map = nearness
            self.view = (from_mm @ np.linalg.inv(np.vstack([lens.view, [0, 0, 0, 1]])))[:3]

    def falls(
        self, cast: Cast, items: Sequence[Item], shade: NDArray[np.float32], picture: NDArray[np.float64]
    ) -> None:
        """Blend items into a picture (h, w, 4)."""
        if not items:
            return
        colours = np.array([linear(item.colour) if self.flat is None else self.flat for item in items])
        opacity = np.array([item.opacity if self.flat is None else 1.0 for item in items])
        strength = LAMP if self.flat is None else -1.0
        sky, earth = np.full(3, SKY), SKY * linear(EARTH)
        raster.lit(
            cast.owner, cast.owners, cast.first_of, cast.starts, cast.parts, self.stock.triangle_spans,
            self.stock.triangles, cast.seen, cast.turned, colours, opacity, self.way, sky, earth, strength, shade,
            TABLE, self.map, self.view, self.lens.eye, picture,
        )  # fmt: skip


def _lamp_lens(from_mm: Pose) -> Grid:
    """The lamp's view as a lens: its rows give samples at once, and the nearness is minus the distance."""
    view = from_mm[:3].copy()
    view[1] *= -1
    return Grid(view, 1.0, np.zeros(2), True)


def _lens(camera: Camera, size: tuple[int, int], tile: tuple[int, int, int, int]) -> Grid:
    tall = float(np.tan(np.radians(camera.fov) / 2))
    view = np.zeros((3, 4))
    view[:, :3] = camera_frame(camera)
    view[:, 3] = -view[:, :3] @ np.array(camera.eye, float)
    parallel = camera.projection == "parallel"
    arm = float(np.linalg.norm(np.subtract(camera.eye, camera.target))) if parallel else 1.0
    middle = np.array([size[0] - 2.0 * tile[0], size[1] - 2.0 * tile[1]])
    return Grid(view, size[1] / (tall * arm), middle, parallel)


def _stock(items: Sequence[Item]) -> Stock:
    meshes = {item.leaf.part.mesh.key: item.leaf.part.mesh for item in items}
    return _stocked(tuple(meshes), tuple(meshes.values()))


@cached(
    LRUCache(2**29, getsizeof=lambda stock: sum(getattr(a, "nbytes", 0) for a in vars(stock).values())),
    key=lambda keys, meshes: keys,
    lock=threading.Lock(),
)
def _stocked(keys: tuple[str, ...], meshes: tuple[Mesh, ...]) -> Stock:
    def joined(arrays: list[NDArray[np.generic]], wide: int, kind: type) -> tuple[NDArray, NDArray[np.int64]]:  # type: ignore[type-arg]
        ends = np.cumsum([0, *(len(a) for a in arrays)])
        return np.concatenate([*arrays, np.empty((0, wide))]).astype(kind), np.column_stack([ends[:-1], ends[1:]])

    vertices, spans = joined([m.vertices for m in meshes], 3, np.float32)
    triangles, triangle_spans = joined([m.triangles for m in meshes], 3, np.int32)
    edges, edge_spans = joined([m.edges for m in meshes], 3, np.float32)
    pairs, pair_spans = joined([m.edge_pairs for m in meshes], 2, np.int32)
    normals, _ = joined([m.normals for m in meshes], 3, np.float32)
    open_ = np.array([not m.closed for m in meshes], bool)
    numbers = {key: k for k, key in enumerate(keys)}
    return Stock(
        vertices, normals, spans, triangles, triangle_spans, open_, edges, edge_spans, pairs, pair_spans, numbers
    )


def _cast(
    stock: Stock,
    items: Sequence[Item],
    lens: Grid,
    size: tuple[int, ...],
    use: str = "picture",
    limit: NDArray[np.float32] | None = None,
) -> Cast:
    """Draw items on a grid of ``size`` (rows, columns) samples; what is not nearer than ``limit`` is left out."""
    number = stock.of(items)
    starts, seen, turned = _placed(stock.vertices, stock.normals, stock.spans, number, items, lens)
    many = np.diff(stock.triangle_spans, axis=1)[number, 0]
    first_of = _starts(many)
    nearness, owner = _scratch(f"{use} nearness", size, np.float32), _scratch(f"{use} owner", size, np.int32)
    nearness.fill(-np.inf)
    owner.fill(raster.NOTHING)
    planes, owners = np.empty((many.sum(), 3)), np.empty(many.sum(), np.int32)
    raster.faces(
        seen, stock.triangles, stock.triangle_spans, starts, number, stock.both_sides, lens.parallel,
        nearness if limit is None else limit, nearness, owner, planes, owners,
    )  # fmt: skip
    return Cast(nearness, owner, planes, owners, number, starts, first_of, seen, turned)


_kept = threading.local()


def _scratch(name: str, size: tuple[int, ...], kind: type) -> NDArray[Any]:
    """An array of this thread's to draw on, with whatever is on it: fresh memory for every picture would cost more."""
    held: NDArray[Any] | None = getattr(_kept, name, None)
    count = math.prod(size)
    if held is None or held.size < count:
        held = np.empty(count, kind)
        setattr(_kept, name, held)
    return held[:count].reshape(size)


def _placed(
    points: NDArray[np.float32],
    normals: NDArray[np.float32],
    spans: NDArray[np.int64],
    number: NDArray[np.int64],
    items: Sequence[Item],
    lens: Grid,
) -> tuple[NDArray[np.int64], NDArray[np.float64], NDArray[np.float32]]:
    """Where each item's points begin (m,), all of them on the grid (k, 4), and their normals as they stand (k, 3)."""
    counts = np.diff(spans, axis=1)[number, 0]
    seen, turned = np.empty((counts.sum(), 6)), np.empty((counts.sum(), 3), np.float32)
    poses = np.array([item.pose[:3] for item in items]).reshape(-1, 3, 4)
    raster.place(points, normals, spans, number, poses, lens.view, lens.focal, lens.middle, lens.parallel, seen, turned)
    return _starts(counts), seen, turned


def _starts(counts: NDArray[np.int64]) -> NDArray[np.int64]:
    """Where each of so many begins, end to end."""
    return np.cumsum(counts) - counts


def _shade(
    cast: Cast, lens: Grid, scene: Scene, size: tuple[int, int], tile: tuple[int, int, int, int]
) -> NDArray[np.float32]:
    """The soft shade of a tile (h / 2, w / 2)."""
    rough = np.empty((tile[3] // 2, tile[2] // 2), np.float32)
    first = np.array([tile[0] // 2, tile[1] // 2])
    reach = REACH * 2 * ball(scene)[1]
    raster.clefts(cast.nearness, lens.eye, reach, MOST * 2 * size[1], STRENGTH, first, rough)
    even = np.empty_like(rough)
    raster.smoothed(rough, cast.nearness, even)
    return even


def _ink(scene: Scene, stock: Stock, lens: Grid, cast: Cast, picture: NDArray[np.float64], grain: float) -> None:
    """Lay edges, trail lines and hidden lines over a picture (h, w, 4), ``grain`` times as wide as on the canvas."""
    cover = np.zeros(picture.shape[:2], np.float32)
    inks = np.zeros(picture.shape[:2], np.uint8)
    colours = np.array([EDGE_INK, HIDDEN_INK, from_hex(scene.line.colour), QUIET_INK])
    quiet = [item for item in scene.items if item.quiet]
    plain = [item for item in scene.items if not item.quiet]

    def draw(
        ends: NDArray[np.float64], width: float, ink: int, hidden: int = 0, dash: tuple[float, float] = (0.0, 0.0)
    ) -> None:
        raster.bands(
            ends, cast.owner, cast.nearness, cast.planes, width, ink, lens.parallel, hidden, *dash, cover, inks
        )

    if scene.look.display != "shaded":
        for some, ink in ((plain, 0), (quiet, 3)):
            if some:
                draw(_edges(stock, some, lens), grain, ink)
                draw(_lines(outlines(some, scene.camera), lens), grain, ink)
    if scene.dashes is not None and len(scene.dashes):
        width = grain * max(scene.line.width * PIXELS, 0.75)
        draw(_lines(scene.dashes, lens), width, 2, 2 if scene.line.through else 0)
    if scene.look.display == "dashed":
        size = 2 * ball(scene)[1]
        draw(_edges(stock, scene.items, lens), grain, 1, 1, dash=(HIDDEN_DASH[0] * size, HIDDEN_DASH[1] * size))
    raster.inked(picture, cover, inks, colours)


def _edges(stock: Stock, items: Sequence[Item], lens: Grid) -> NDArray[np.float64]:
    """The edges of items (k, 2, 5) on the grid, the length of each in mm last."""
    number = stock.of(items)
    starts, seen, _ = _placed(stock.edges, stock.edges, stock.edge_spans, number, items, lens)
    ends = np.empty((np.diff(stock.pair_spans, axis=1)[number, 0].sum(), 2, 5))
    raster.ends_of(seen, stock.edges, stock.edge_spans, stock.pairs, stock.pair_spans, starts, number, ends)
    return ends


def _lines(dashes: NDArray[np.float64], lens: Grid) -> NDArray[np.float64]:
    """Lines in mm (k, 2, 3) on the grid (k, 2, 5)."""
    local = dashes @ lens.view[:, :3].T + lens.view[:, 3]
    w = np.ones(local.shape[:2]) if lens.parallel else -local[:, :, 2]
    x, y = lens.middle[0] * w + lens.focal * local[:, :, 0], lens.middle[1] * w - lens.focal * local[:, :, 1]
    return np.stack([x, y, w, -local[:, :, 2], np.zeros_like(w)], axis=2)
