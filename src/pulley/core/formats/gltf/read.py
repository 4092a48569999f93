"""Reading glTF 2.0, text and binary, with the compressions of Draco and meshopt."""

import base64
import binascii
import json
import re
import struct
from functools import cached_property
from pathlib import Path
from typing import Any
from urllib.parse import unquote

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from pulley.core.colours import Colour
from pulley.core.errors import PulleyError
from pulley.core.formats.soup import DEEPEST, ITEMS, MOST, Found, Item, fans, soup
from pulley.core.geometry.mending import Soup

TYPES = {5120: "<i1", 5121: "<u1", 5122: "<i2", 5123: "<u2", 5125: "<u4", 5126: "<f4"}
WIDTHS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
DRACO, MESHOPT = "KHR_draco_mesh_compression", ("EXT_meshopt_compression", "KHR_meshopt_compression")
KNOWN = (DRACO, *MESHOPT, "KHR_mesh_quantization", "KHR_texture_transform", "KHR_materials_unlit")
SURFACES = (4, 5, 6)  # modes of primitives: triangles, a strip, a fan
JSON, BIN = 0x4E4F534A, 0x004E4942  # chunks of a GLB


def read(path: Path) -> Found:
    """The scene of a glTF file: its nodes, each with its mesh, and the colours of their materials.

    Notes
    -----
    glTF 2.0 (Khronos, ISO/IEC 12113): metres, Y up. Textures, animations, skins and morph targets are left aside.

    Raises
    ------
    PulleyError
        When it is of another version, needs an extension that is not known, or is damaged.
    """
    document, blob = _chunks(path.read_bytes(), path.name)
    version = str((document.get("asset") or {}).get("version", ""))
    if not version.startswith("2"):
        raise PulleyError(
            f"{path.name} is glTF {version[:10] or 'of no version'}; version 2.0 is read. Export it anew."
        )
    needed = [name for name in document.get("extensionsRequired", []) if not _optional(str(name))]
    if needed:
        raise PulleyError(
            f"{path.name} needs {', '.join(map(str, needed))[:200]}, which is not read. Export it without."
        )
    book = _Book(document, blob, path)
    return Found(book.roots(), unit=1000.0, up="y", sure=False, missing=list(dict.fromkeys(book.missing)))


def _optional(name: str) -> bool:
    """Whether a shape can be had without an extension, or it is one that is read: materials change no shape."""
    return name in KNOWN or name.startswith(("KHR_materials", "KHR_texture", "EXT_texture", "KHR_lights", "KHR_xmp"))


def _chunks(data: bytes, name: str) -> tuple[dict[str, Any], bytes]:
    """The JSON and the binary chunk of a file."""
    blob, text = b"", data
    if data[:4] == b"glTF":
        at, text = 12, b""
        while at + 8 <= len(data):
            size, kind = struct.unpack_from("<II", data, at)
            chunk = data[at + 8 : at + 8 + size]
            text = chunk if kind == JSON and not text else text
            blob = chunk if kind == BIN and not blob else blob
            at += 8 + size + (-size % 4)
    try:
        document = json.loads(text.decode("utf-8-sig"))
    except (ValueError, RecursionError):
        raise PulleyError(f"{name} is damaged: its description cannot be read. Export it again.") from None
    if not isinstance(document, dict) or "asset" not in document:
        raise PulleyError(f"{name} is not a glTF file. Export it as glTF 2.0 (.glb, or .gltf with its files).")
    return document, blob


class _Book:
    """The tables of a glTF file, each buffer and mesh worked out once."""

    def __init__(self, document: dict[str, Any], blob: bytes, path: Path) -> None:
        self.document, self.blob, self.path = document, blob, path
        self.missing: list[str] = []
        self._buffers: dict[int, bytes] = {}
        self._views: dict[int, bytes] = {}
        self._meshes: dict[int, tuple[Soup | None, Colour | None]] = {}
        self._count = 0

    def table(self, name: str) -> list[dict[str, Any]]:
        """One of the tables; nothing where the file has none."""
        return self.document.get(name) or []

    def entry(self, name: str, number: Any) -> dict[str, Any]:
        """An entry of a table; PulleyError when it is not there."""
        table = self.table(name)
        if not isinstance(number, int) or not 0 <= number < len(table):
            raise PulleyError(f"{self.path.name} is damaged: it names {name} {number}, and there are {len(table)}.")
        return table[number]

    def roots(self) -> list[Item]:
        """The nodes at the top of the scene that is shown first; of a file without scenes all that are in no other."""
        nodes, scenes = self.table("nodes"), self.table("scenes")
        if scenes:
            tops = self.entry("scenes", self.document.get("scene", 0)).get("nodes", [])
        else:
            below = {child for node in nodes for child in node.get("children", [])}
            tops = [k for k in range(len(nodes)) if k not in below]
        if not nodes:
            return [self._item_of(k, Item(str(mesh.get("name", "")))) for k, mesh in enumerate(self.table("meshes"))]
        return [self.node(k, ()) for k in tops]

    def node(self, number: int, above: tuple[int, ...]) -> Item:
        """A node with all below it."""
        self._count += 1
        if number in above:
            raise PulleyError(f"{self.path.name} is damaged: node {number} lies within itself. Export it again.")
        if len(above) > DEEPEST or self._count > ITEMS:
            raise PulleyError(
                f"Its nodes are nested over {DEEPEST} levels deep, or there are over {ITEMS:,}. Flatten it."
            )
        node = self.entry("nodes", number)
        item = Item(str(node.get("name") or ""), _matrix(node))
        item.children = [self.node(child, (*above, number)) for child in node.get("children", [])]
        if "mesh" in node:
            return self._with_mesh(node["mesh"], item)
        return item

    def _with_mesh(self, number: int, item: Item) -> Item:
        """A node with a mesh; one that has nodes below it, too, becomes a subassembly of all of them."""
        if not item.children:
            return self._item_of(number, item)
        own = self._item_of(number, Item(""))
        item.children.insert(0, own)
        return item

    def _item_of(self, number: int, item: Item) -> Item:
        item.mesh, item.colour = self.mesh(number)
        item.product = str(self.entry("meshes", number).get("name") or "")
        item.name = item.name or item.product
        return item

    def mesh(self, number: int) -> tuple[Soup | None, Colour | None]:
        """The triangles of a mesh, all its primitives in one, and the colour that most of them have."""
        if number not in self._meshes:
            primitives = self.entry("meshes", number).get("primitives", [])
            found = [(self._primitive(p), self.colour(p)) for p in primitives if p.get("mode", 4) in SURFACES]
            made = [(part, colour) for part, colour in found if part is not None and len(part.triangles)]
            whole = _together([part for part, _ in made])
            most = max(made, key=lambda pair: len(pair[0].triangles), default=(None, None))
            self._meshes[number] = whole, most[1]
        return self._meshes[number]

    def colour(self, primitive: dict[str, Any]) -> Colour | None:
        """The colour of a primitive's material, as sRGB; None where it has none."""
        if "material" not in primitive:
            return None
        pbr = self.entry("materials", primitive["material"]).get("pbrMetallicRoughness") or {}
        linear = np.clip(np.array(pbr.get("baseColorFactor", [1, 1, 1, 1]), float)[:3], 0, 1)
        red, green, blue = np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * linear ** (1 / 2.4) - 0.055).tolist()
        return (round(red, 4), round(green, 4), round(blue, 4))

    def _primitive(self, primitive: dict[str, Any]) -> Soup | None:
        packed = (primitive.get("extensions") or {}).get(DRACO)
        if packed:
            return self._unpacked(packed)
        attributes = primitive.get("attributes") or {}
        if "POSITION" not in attributes:
            return None
        position = self.entry("accessors", attributes["POSITION"])
        vertices = self.numbers(attributes["POSITION"])
        shading = self.numbers(attributes["NORMAL"]) if "NORMAL" in attributes else None
        corners = np.arange(len(vertices))
        if "indices" in primitive:
            corners = self.numbers(primitive["indices"]).reshape(-1).astype(np.int64)
        return soup(vertices, _triangles(corners, primitive.get("mode", 4)), shading, _grain(position))

    def _unpacked(self, packed: dict[str, Any]) -> Soup:
        import DracoPy  # in the reader's process alone

        data = self.view(packed.get("bufferView"))
        try:
            mesh = DracoPy.decode(data)
        except Exception as error:  # whatever the decoder says of damaged data
            raise PulleyError(
                f"{self.path.name} is damaged: a mesh of it cannot be unpacked. Export it again."
            ) from error
        vertices = np.asarray(mesh.points, float)
        bits = int(getattr(getattr(mesh, "encoding_options", None), "quantization_bits", 0) or 0)
        grain = float(np.ptp(vertices, axis=0).max()) / (2**bits - 1) if bits > 0 and len(vertices) else 0.0
        return soup(vertices, np.asarray(mesh.faces), getattr(mesh, "normals", None), grain)

    def numbers(self, number: Any) -> NDArray[np.float64]:
        """The rows of an accessor (n, k) as plain numbers."""
        accessor = self.entry("accessors", number)
        count, kind = accessor.get("count", 0), TYPES.get(accessor.get("componentType", 0))
        width = WIDTHS.get(accessor.get("type", ""), 0)
        if kind is None or not width or not isinstance(count, int) or not 0 <= count <= 3 * MOST:
            raise PulleyError(f"{self.path.name} is damaged: accessor {number} is of no kind that there is.")
        rows = np.zeros((count, width))
        if "bufferView" in accessor:
            stride = self.entry("bufferViews", accessor["bufferView"]).get("byteStride", 0)
            rows = self._rows(
                self.view(accessor["bufferView"]), kind, count, width, stride, accessor.get("byteOffset", 0)
            )
        sparse = accessor.get("sparse")
        if sparse:
            some, at = sparse["count"], sparse["indices"]
            where = self._rows(
                self.view(at["bufferView"]), TYPES[at["componentType"]], some, 1, 0, at.get("byteOffset", 0)
            )
            values = sparse["values"]
            rows[where.reshape(-1).astype(int)] = self._rows(
                self.view(values["bufferView"]), kind, some, width, 0, values.get("byteOffset", 0)
            )
        if accessor.get("normalized"):
            rows = np.maximum(rows / np.iinfo(np.dtype(kind)).max, -1.0)
        return rows

    def _rows(self, data: bytes, kind: str, count: int, width: int, stride: int, offset: int) -> NDArray[np.float64]:
        size = np.dtype(kind).itemsize * width
        stride = stride or size
        if count and offset + stride * (count - 1) + size > len(data):
            raise PulleyError(f"{self.path.name} is damaged: {count} rows are announced, and fewer are there.")
        if not count:
            return np.zeros((0, width))
        return np.ndarray((count, width), kind, data, offset, (stride, np.dtype(kind).itemsize)).astype(float)

    def view(self, number: Any) -> bytes:
        """The bytes of a buffer view, unpacked."""
        view = self.entry("bufferViews", number)
        if number not in self._views:
            packed = next((e for name in MESHOPT if (e := (view.get("extensions") or {}).get(name))), None)
            self._views[number] = self._meshopt(packed) if packed else self._slice(view)
        return self._views[number]

    def _slice(self, view: dict[str, Any]) -> bytes:
        data, start, size = self.buffer(view.get("buffer")), view.get("byteOffset", 0), view.get("byteLength", 0)
        if start < 0 or size < 0 or start + size > len(data):
            raise PulleyError(
                f"{self.path.name} is cut short: {start + size} bytes are announced, {len(data)} are there."
            )
        return data[start : start + size]

    def _meshopt(self, packed: dict[str, Any]) -> bytes:
        from pulley.core.formats.gltf.meshopt import unpacked

        count, stride = packed.get("count", 0), packed.get("byteStride", 0)
        if not 0 <= count <= 3 * MOST or not 1 <= stride <= 256:
            raise PulleyError(f"{self.path.name} is damaged: a packed buffer announces {count} rows of {stride} bytes.")
        try:
            return unpacked(self._slice(packed), count, stride, packed.get("mode", ""), packed.get("filter", "NONE"))
        except (ValueError, RuntimeError) as error:
            raise PulleyError(f"{self.path.name} is damaged: a buffer of it cannot be unpacked.") from error

    def buffer(self, number: Any) -> bytes:
        """The bytes of a buffer: the file's own chunk, from its text, or from a file beside it."""
        if number not in self._buffers:
            uri = self.entry("buffers", number).get("uri")
            self._buffers[number] = self.blob if uri is None else self._from(str(uri))
        return self._buffers[number]

    def _from(self, uri: str) -> bytes:
        if uri.startswith("data:"):
            try:
                return base64.b64decode(uri.partition(",")[2], validate=False)
            except (ValueError, binascii.Error):
                raise PulleyError(f"{self.path.name} is damaged: its data is no base64. Export it again.") from None
        name = re.split(r"[\\/]", unquote(uri))[-1]
        beside = self._folder.get(unquote(uri).replace("\\", "/").removeprefix("./")) or self._folder.get(name)
        if beside is None:
            raise PulleyError(f"{self.path.name} needs {name[:80]}, which was not brought in with it. Bring in both.")
        return beside.read_bytes()

    @cached_property
    def _folder(self) -> dict[str, Path]:
        """The files beside this one and below, by where they lie and, of those of one name, the first by that name."""
        files = sorted(p for p in self.path.parent.rglob("*") if p.is_file())
        return {p.name: p for p in reversed(files)} | {str(p.relative_to(self.path.parent)): p for p in files}


def _matrix(node: dict[str, Any]) -> NDArray[np.float64]:
    """The matrix (4, 4) of a node, from its own or from shift, turn and scale."""
    if "matrix" in node:
        return np.array(node["matrix"], float).reshape(4, 4).T
    matrix = np.eye(4)
    turn = np.array(node.get("rotation", [0, 0, 0, 1]), float)
    length = float(np.linalg.norm(turn))
    if np.isfinite(length) and length > 0:
        matrix[:3, :3] = Rotation.from_quat(turn).as_matrix()
    matrix[:3, :3] = matrix[:3, :3] * np.array(node.get("scale", [1, 1, 1]), float)
    matrix[:3, 3] = np.array(node.get("translation", [0, 0, 0]), float)
    return matrix


def _triangles(corners: NDArray[np.int64], mode: int) -> NDArray[np.int64]:
    """The triangles (m, 3) of a list, a strip or a fan of corners."""
    if mode == 6:
        return fans(np.array([len(corners)]), corners)
    if mode == 5:
        rows = (
            np.stack([corners[:-2], corners[1:-1], corners[2:]], axis=1) if len(corners) > 2 else np.zeros((0, 3), int)
        )
        rows[1::2] = rows[1::2, [1, 0, 2]]
        return rows
    return corners[: len(corners) // 3 * 3].reshape(-1, 3)


def _grain(accessor: dict[str, Any]) -> float:
    """By how much a quantized coordinate may be off, in the mesh's own unit; 0 for single precision."""
    kind = TYPES.get(accessor.get("componentType", 0), "<f4")
    if kind == "<f4":
        return 0.0
    return 1 / np.iinfo(np.dtype(kind)).max if accessor.get("normalized") else 0.5


def _together(parts: list[Soup]) -> Soup | None:
    """Several primitives as one mesh."""
    if len(parts) < 2:
        return parts[0] if parts else None
    before = np.cumsum([0, *(len(part.vertices) for part in parts)])
    triangles = np.concatenate([part.triangles + k for part, k in zip(parts, before, strict=False)])
    own = [part.shading for part in parts if part.shading is not None]
    shading = np.concatenate(own) if len(own) == len(parts) else None
    return soup(np.concatenate([p.vertices for p in parts]), triangles, shading, max(p.grain for p in parts))
