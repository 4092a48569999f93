"""The painter on a graphics card: one OpenGL context of a process, in a thread of its own."""

from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from functools import cache
from itertools import groupby
from typing import Any

import moderngl
import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from pulley.core.colours import WHITE, Colour, from_hex
from pulley.core.geometry.frames import Pose
from pulley.core.geometry.mesh import Mesh
from pulley.core.render import shaders
from pulley.core.render.lens import Lens, cropped, lens_of
from pulley.core.render.lights import (
    EARTH,
    HIDDEN_DASH,
    HIDDEN_INK,
    LAMP,
    MOST,
    REACH,
    SKY,
    STRENGTH,
    ball,
    ink_of,
    lamp_view,
    linear,
)
from pulley.core.render.outlines import outlines
from pulley.core.render.scene import PIXELS, Item, Scene, line_pixels

SAMPLES = 4  # to a pixel
TILE = 2048  # pixels; a larger picture is drawn in tiles
SHADOW = 2048  # pixels of the shadows' map
HELD = 512 * 2**20  # bytes of geometry kept ready for the next picture
Pixels = NDArray[np.uint8]
Tile = tuple[int, int, int, int]  # left, bottom, width, height

_thread = ThreadPoolExecutor(1, "card")


def paint(scene: Scene, size: tuple[int, int], soft: bool) -> Pixels:
    """The picture (height, width, 4) of a scene; see `painter.render`."""
    return _thread.submit(lambda: _painter().paint(scene, size, soft)).result()


def name() -> str | None:
    """The name that the driver gives what draws; None when there is no OpenGL."""
    try:
        return str(_thread.submit(lambda: _painter().context.info["GL_RENDERER"]).result())
    except Exception:  # whatever a driver fails with, the processor draws instead
        return None


@cache
def _painter() -> "Painter":
    return Painter()


@dataclass
class Shape:
    """A mesh as the driver has it: its faces and its edges, each with room for where and in what colour it stands."""

    faces: moderngl.VertexArray
    depths: moderngl.VertexArray
    edges: moderngl.VertexArray | None
    places: moderngl.Buffer
    inks: moderngl.Buffer
    held: list[Any] = field(default_factory=list)

    def release(self) -> None:
        """Give everything back to the driver."""
        for each in self.held:
            each.release()


class _Shapes(LRUCache[str, Shape]):
    """Shapes by the key of their mesh; those longest unused go when they take too much."""

    def popitem(self) -> tuple[str, Shape]:
        key, shape = super().popitem()
        shape.release()
        return key, shape


class Painter:
    """Draws scenes with one OpenGL context. Belongs to the thread in which it was made."""

    def __init__(self) -> None:
        self.context = moderngl.create_standalone_context(require=330, backend="egl")  # type: ignore[arg-type]
        program = self.context.program
        self.face: Any = program(vertex_shader=shaders.FACE_VERTEX, fragment_shader=shaders.FACE_FRAGMENT)
        self.depth: Any = program(vertex_shader=shaders.DEPTH_VERTEX, fragment_shader=shaders.DEPTH_FRAGMENT)
        self.band: Any = program(
            vertex_shader=shaders.EDGE_VERTEX,
            geometry_shader=shaders.BAND_GEOMETRY,
            fragment_shader=shaders.BAND_FRAGMENT,
        )
        self.shade: Any = program(vertex_shader=shaders.SCREEN_VERTEX, fragment_shader=shaders.SHADE_FRAGMENT)
        self.blur: Any = program(vertex_shader=shaders.SCREEN_VERTEX, fragment_shader=shaders.BLUR_FRAGMENT)
        corners = self.context.buffer(np.array([[-1, -1], [1, -1], [-1, 1], [1, 1]], "f4"))
        self.screens = [
            self.context.vertex_array(p, [(corners, "2f", "corner")], mode=moderngl.TRIANGLE_STRIP)
            for p in (self.shade, self.blur)
        ]
        self.shapes = _Shapes(HELD, getsizeof=lambda shape: sum(getattr(b, "size", 0) for b in shape.held))
        self.white = self.context.texture((1, 1), 1, b"\xff")
        self.shadow_map = self.context.depth_texture((SHADOW, SHADOW))
        self.shadow_map.compare_func = "<="
        self.shadows = self.context.framebuffer(depth_attachment=self.shadow_map)
        self.papers: LRUCache[tuple[int, int], Paper] = LRUCache(2)

    def paint(self, scene: Scene, size: tuple[int, int], soft: bool) -> Pixels:
        """See `painter.render`."""
        width, height = size
        edge = int(MOST * height) + 8
        if width <= TILE and height <= TILE:
            return self._tile(scene, size, (0, 0, width, height), soft)
        whole = np.empty((height, width, 4), np.uint8)
        for left in range(0, width, TILE):
            for low in range(0, height, TILE):
                right, high = min(left + TILE, width), min(low + TILE, height)
                x, y = max(left - edge, 0), max(low - edge, 0)
                wide, tall = min(right + edge, width) - x, min(high + edge, height) - y
                part = self._tile(scene, size, (x, y, wide, tall), soft)
                rows = slice(tall - (high - y), tall - (low - y))  # rows count from the top, tiles from the foot
                whole[height - high : height - low, left:right] = part[rows, left - x : right - x]
        return whole

    def _tile(self, scene: Scene, size: tuple[int, int], tile: Tile, soft: bool) -> Pixels:
        around = ball(scene)
        lens = lens_of(scene.camera, size[0] / size[1], around)
        clip = cropped(lens.clip, size, tile)
        paper = self._paper(tile[2:])
        ground = np.append(linear(scene.ground or WHITE), 1.0) if scene.lines_only else None
        stock = self._stocked(scene.solid, ground)
        soft = soft and not scene.lines_only
        if soft:
            self._shade(paper, lens, clip, stock, size, tile, around[1])
        self._lights(scene, clip @ lens.view, tile, paper.shade if soft else self.white, stock)
        paper.sheet.use()
        red, green, blue = scene.ground or (0.0, 0.0, 0.0)
        paper.sheet.clear(red, green, blue, 0.0 if scene.ground is None else 1.0)
        self._faces(stock)
        grain = line_pixels(size)
        self._edges(scene, clip @ lens.view, tile, grain)
        self._trails(scene, clip @ lens.view, tile, grain)
        self._clear(scene.clear)
        self.context.copy_framebuffer(paper.flat, paper.sheet)
        pixels = np.frombuffer(paper.flat.read(components=4, alignment=1), np.uint8)
        return _straight(pixels.reshape(tile[3], tile[2], 4)[::-1])

    def _stocked(
        self, items: Iterable[Item], colour: NDArray[np.float64] | None = None
    ) -> list[tuple[Shape, int, bool]]:
        """Shapes with their instances in place, how many, and whether their inner side is seen too."""
        stock = []
        for _, group in groupby(sorted(items, key=_mesh_key), key=_mesh_key):
            alike = list(group)
            mesh = alike[0].leaf.part.mesh
            shape = self._shape(mesh, len(alike))
            own = [np.append(linear(item.colour), item.opacity) if colour is None else colour for item in alike]
            shape.places.write(_instances(alike, own))
            stock.append((shape, len(alike), not mesh.closed))
        return stock

    def _shape(self, mesh: Mesh, count: int) -> Shape:
        held = self.shapes.get(mesh.key)
        if held is not None and held.places.size >= count * 80:
            return held
        shape = self._uploaded(mesh, max(count, 2 * held.places.size // 80 if held else 0))
        if held is not None:
            self.shapes.pop(mesh.key).release()
        if sum(getattr(b, "size", 0) for b in shape.held) <= HELD:
            self.shapes[mesh.key] = shape
        return shape

    def _uploaded(self, mesh: Mesh, count: int) -> Shape:
        new, array = self.context.buffer, self.context.vertex_array
        points = new(np.hstack([mesh.vertices, mesh.normals]).astype("f4"))
        corners = new(mesh.triangles.astype("i4"))
        places, inks = new(reserve=80 * count, dynamic=True), new(reserve=80 * count, dynamic=True)
        faces = array(
            self.face, [(points, "3f 3f", "position", "normal"), (places, "16f 4f /i", "pose", "tint")], corners
        )
        depths = array(self.depth, [(points, "3f 12x", "position"), (places, "16f 16x /i", "pose")], corners)
        held: list[Any] = [faces, depths, points, corners, places, inks]
        edges = None
        if len(mesh.edge_pairs):
            ends, pairs = new(mesh.edges.astype("f4")), new(mesh.edge_pairs.astype("i4"))
            edges = array(
                self.band,
                [(ends, "3f", "position"), (inks, "16f 4f /i", "pose", "tint")],
                pairs,
                mode=moderngl.LINES,
            )
            held += [edges, ends, pairs]
        return Shape(faces, depths, edges, places, inks, held)

    def _paper(self, size: tuple[int, ...]) -> "Paper":
        wide, tall = size
        if (wide, tall) not in self.papers:
            for old in self.papers.values():
                old.release()
            self.papers.clear()
            self.papers[wide, tall] = Paper(self.context, wide, tall)
        return self.papers[wide, tall]

    def _depths(self, target: moderngl.Framebuffer, through: Pose, stock: list[tuple[Shape, int, bool]]) -> None:
        """Draw the depths of what is in stock, seen through a matrix (4, 4)."""
        target.use()
        target.clear(depth=1.0)
        self.context.enable_only(moderngl.DEPTH_TEST)
        self.depth["view_clip"].write(_columns(through))
        for shape, count, _ in stock:
            shape.depths.render(instances=count)

    def _shade(
        self,
        paper: "Paper",
        lens: Lens,
        clip: Pose,
        stock: list[tuple[Shape, int, bool]],
        size: tuple[int, int],
        tile: Tile,
        radius: float,
    ) -> None:
        """Work out the soft shade of a tile into ``paper.shade``."""
        self._depths(paper.depths, clip @ lens.view, stock)
        self.context.enable_only(moderngl.NOTHING)
        shade, wide, tall = self.shade, *paper.depth.size
        shade["clip_view"].write(_columns(np.linalg.inv(clip)))
        shade["grain"] = 1 / wide, 1 / tall
        shade["reach"] = REACH * 2 * radius
        shade["scale"] = lens.scale * size[1] / tile[3]
        shade["arm"] = lens.arm if clip[3, 3] else 0.0
        shade["most"] = MOST * size[1] / tile[3]
        shade["offset"] = tile[0] // 2, tile[1] // 2
        shade["strength"] = STRENGTH
        paper.depth.use(0)
        paper.rough_frame.use()
        self.screens[0].render()
        self.blur["grain"] = 1 / wide, 1 / tall
        self.blur["depth_map"], self.blur["shade_map"] = 0, 1
        paper.rough.use(1)
        paper.shade_frame.use()
        self.screens[1].render()

    def _lights(
        self,
        scene: Scene,
        through: Pose,
        tile: Tile,
        shade: moderngl.Texture,
        stock: list[tuple[Shape, int, bool]],
    ) -> None:
        face = self.face
        way, from_mm = lamp_view(scene.camera, ball(scene), SHADOW)
        deep = 3 * float(np.linalg.norm(np.subtract(scene.camera.eye, scene.camera.target))) + 3 * ball(scene)[1]
        lamp = np.diag([2 / SHADOW, 2 / SHADOW, -2 / deep, 1.0]) @ from_mm
        lamp[:, 3] += [-1, -1, -1, 0]
        shadows = scene.look.shadows and not scene.lines_only
        if shadows:
            self._depths(self.shadows, lamp, stock)
        face["view_clip"].write(_columns(through))
        face["lamp_clip"].write(_columns(lamp))
        face["lamp"], face["lamp_strength"], face["shadowed"] = tuple(way), LAMP, shadows
        face["sky_axis"], face["sky"] = (0.0, 1.0, 0.0), (SKY,) * 3
        face["earth"] = tuple(SKY * linear(EARTH))
        face["grain"] = 1 / tile[2], 1 / tile[3]
        face["shade_map"], face["shadow_map"] = 0, 1
        face["flat_ground"] = scene.lines_only
        shade.use(0)
        self.shadow_map.use(1)

    def _faces(self, stock: list[tuple[Shape, int, bool]]) -> None:
        self.context.polygon_offset = 1.0, 1.0
        for shape, count, both_sides in stock:
            flags = moderngl.DEPTH_TEST if both_sides else moderngl.DEPTH_TEST | moderngl.CULL_FACE
            self.context.enable_only(flags)
            shape.faces.render(instances=count)
        self.context.polygon_offset = 0.0, 0.0

    def _edges(self, scene: Scene, through: Pose, tile: Tile, grain: float) -> None:
        if scene.look.display == "shaded":
            return
        self._bands(through, tile, grain)
        self.context.enable_only(moderngl.DEPTH_TEST)
        for edges, count in self._inked(scene.items, ink_of):
            edges.render(instances=count)
        for quiet in (False, True):
            some = [item for item in scene.items if item.quiet == quiet]
            if some:
                self._segments(outlines(some, scene.camera), ink_of(some[0]))
        if scene.look.display != "dashed":
            return
        span = 2 * ball(scene)[1]
        self.band["pattern"] = HIDDEN_DASH[0] * span, HIDDEN_DASH[1] * span
        self.context.depth_func, self.context.fbo.depth_mask = ">", False
        for edges, count in self._inked(scene.items, lambda item: HIDDEN_INK):
            edges.render(instances=count)
        self.context.depth_func, self.context.fbo.depth_mask = "<", True

    def _inked(self, items: Iterable[Item], ink: Callable[[Item], Colour]) -> list[tuple[moderngl.VertexArray, int]]:
        found = []
        for _, group in groupby(sorted(items, key=_mesh_key), key=_mesh_key):
            alike = list(group)
            shape = self._shape(alike[0].leaf.part.mesh, len(alike))
            if shape.edges is not None:
                shape.inks.write(_instances(alike, [np.array([*ink(item), 1.0]) for item in alike]))
                found.append((shape.edges, len(alike)))
        return found

    def _bands(self, through: Pose, tile: Tile, width: float) -> None:
        band = self.band
        band["view_clip"].write(_columns(through))
        band["size"], band["width"], band["pattern"] = tile[2:], width, (0.0, 0.0)

    def _trails(self, scene: Scene, through: Pose, tile: Tile, grain: float) -> None:
        if scene.dashes is None or not len(scene.dashes):
            return
        self._bands(through, tile, grain * max(scene.line.width * PIXELS, 0.75))
        self.context.enable_only(moderngl.NOTHING if scene.line.through else moderngl.DEPTH_TEST)
        self._segments(scene.dashes, from_hex(scene.line.colour))

    def _segments(self, segments: NDArray[np.float64], colour: Colour) -> None:
        """Draw segments (k, 2, 3) in mm as bands."""
        if not len(segments):
            return
        ends = self.context.buffer(segments.reshape(-1, 3).astype("f4"))
        place = self.context.buffer(np.hstack([np.eye(4).ravel(), [*colour, 1.0]]).astype("f4"))
        lines = self.context.vertex_array(
            self.band, [(ends, "3f", "position"), (place, "16f 4f /i", "pose", "tint")], mode=moderngl.LINES
        )
        lines.render(instances=1)
        for each in (lines, ends, place):
            each.release()

    def _clear(self, items: list[Item]) -> None:
        """Faces that one sees through; the soft shade is of what hides what is behind it."""
        self.white.use(0)
        self.face["flat_ground"] = False
        self.context.blend_func = (  # type: ignore[assignment]
            moderngl.SRC_ALPHA,
            moderngl.ONE_MINUS_SRC_ALPHA,
            moderngl.ONE,
            moderngl.ONE_MINUS_SRC_ALPHA,
        )
        self.context.polygon_offset = 1.0, 1.0
        for item in items:
            self.context.enable_only(moderngl.DEPTH_TEST | moderngl.BLEND | moderngl.CULL_FACE)
            ((shape, _, _),) = self._stocked([item])
            self.context.fbo.depth_mask = item.opacity > 0.6
            shape.faces.render(instances=1)
        self.context.fbo.depth_mask = True
        self.context.polygon_offset = 0.0, 0.0


class Paper:
    """What a picture of one size is drawn on: samples, the flat picture, and half-size maps for the soft shade."""

    def __init__(self, context: moderngl.Context, wide: int, tall: int) -> None:
        size, half = (wide, tall), (max(wide // 2, 1), max(tall // 2, 1))
        self.sheet = context.framebuffer(
            context.renderbuffer(size, 4, samples=SAMPLES), context.depth_renderbuffer(size, samples=SAMPLES)
        )
        self.flat = context.framebuffer(context.renderbuffer(size, 4))
        self.depth = context.depth_texture(half)
        self.depth.compare_func, self.depth.filter = "", (moderngl.NEAREST, moderngl.NEAREST)
        self.depths = context.framebuffer(depth_attachment=self.depth)
        self.rough, self.shade = context.texture(half, 1), context.texture(half, 1)
        self.rough_frame, self.shade_frame = context.framebuffer(self.rough), context.framebuffer(self.shade)

    def release(self) -> None:
        """Give everything back to the driver."""
        for each in vars(self).values():
            each.release()


def _mesh_key(item: Item) -> str:
    return item.leaf.part.mesh.key


def _columns(matrix: NDArray[Any]) -> bytes:
    """A matrix as OpenGL wants it: 32-bit, by columns."""
    return matrix.T.astype("f4").tobytes()


def _instances(items: list[Item], colours: list[NDArray[np.float64]]) -> bytes:
    """Where items stand and their colours, as their shapes' buffers hold them."""
    poses = np.array([item.pose for item in items]).transpose(0, 2, 1).reshape(len(items), 16)
    return np.hstack([poses, np.array(colours)]).astype("f4").tobytes()


def _straight(pixels: Pixels) -> Pixels:
    """Pixels (h, w, 4) with their opacity taken out of their colours again."""
    alpha = pixels[:, :, 3:]
    if (alpha == 255).all():
        return np.ascontiguousarray(pixels)
    colours = pixels[:, :, :3].astype(np.float32) * 255 / np.maximum(alpha, 1)
    return np.dstack([np.minimum(colours + 0.5, 255).astype(np.uint8), alpha])
