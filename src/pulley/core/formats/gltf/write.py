"""glTF 2.0 binary (Khronos): the assembly as one GLB, each part's mesh once and one node a component."""

from dataclasses import dataclass, field
from typing import Any

import numpy as np
import pygltflib as gltf
from numpy.typing import NDArray

from pulley.core.assembly import Assembly, Leaf
from pulley.core.colours import EDGE_INK, PLAIN, Colour
from pulley.core.geometry.mesh import Mesh

TO_GLTF = [0.001, 0, 0, 0, 0, 0, -0.001, 0, 0, 0.001, 0, 0, 0, 0, 0, 1]  # mm, Z up -> metres, Y up; by column


def to_glb(assembly: Assembly, grain: float = 0.0) -> bytes:
    """The assembly at home as GLB bytes.

    One node a leaf, named by its path (also in ``extras.path``), under one root node that turns
    millimetres with Z up into metres with Y up. Equal parts share their vertex data; each mesh has
    its triangles and, as a second primitive, its exact edges as lines.

    Parameters
    ----------
    assembly : Assembly
    grain : float
        Mm that points are rounded to, for a file that packs well; normals then have 1/256 as theirs.
    """
    book = Book(grain)
    nodes = [book.node(leaf) for leaf in assembly.leaves]
    root = gltf.Node(name="assembly", matrix=TO_GLTF, children=[k + 1 for k in range(len(nodes))])
    return book.to_bytes([root, *nodes])


def linear(colour: Colour) -> list[float]:
    """An sRGB colour (0 to 1) as the linear RGBA that glTF wants (IEC 61966-2-1).

    >>> linear((0.0, 1.0, 0.0))
    [0.0, 1.0, 0.0, 1.0]
    """
    c = np.clip(np.array(colour, float), 0, 1)
    return [*np.where(c <= 0.04045, c / 12.92, ((c + 0.055) / 1.055) ** 2.4).round(6).tolist(), 1.0]


@dataclass
class Book:
    """The tables of a glTF file while it is written; whatever was entered before is shared."""

    grain: float = 0.0
    data: bytearray = field(default_factory=bytearray)
    views: list[gltf.BufferView] = field(default_factory=list)
    accessors: list[gltf.Accessor] = field(default_factory=list)
    materials: list[gltf.Material] = field(default_factory=list)
    meshes: list[gltf.Mesh] = field(default_factory=list)
    _shapes: dict[str, list[gltf.Primitive]] = field(default_factory=dict)
    _mesh_of: dict[tuple[str, int], int] = field(default_factory=dict)
    _numbers_of: dict[tuple[bytes, str], int] = field(default_factory=dict)
    _material_of: dict[tuple[Any, ...], int] = field(default_factory=dict)

    def to_bytes(self, nodes: list[gltf.Node], top: tuple[int, ...] = (0,), **more: Any) -> bytes:
        """The file: its nodes, those at the top of its scene, and whatever else of glTF's tables there is."""
        document = gltf.GLTF2(
            asset=gltf.Asset(version="2.0", generator="Pulley"),
            scene=0,
            scenes=[gltf.Scene(nodes=list(top))],
            nodes=nodes,
            meshes=self.meshes,
            materials=self.materials,
            accessors=self.accessors,
            bufferViews=self.views,
            buffers=[gltf.Buffer(byteLength=len(self.data))],
            **more,
        )
        document.set_binary_blob(bytes(self.data))
        return b"".join(document.save_to_bytes())

    def numbers(self, rows: NDArray[np.float64], kind: str, bounded: bool = False) -> int:
        """Plain numbers, as animations have them: rows (n, k), or (n,) of SCALAR, which alone may be ``bounded``;
        equal ones are entered once."""
        rows = rows.astype(np.float32)
        key = rows.tobytes(), kind
        if key not in self._numbers_of:
            low, high = ([float(rows.min())], [float(rows.max())]) if bounded else (None, None)
            self._numbers_of[key] = self._enter(rows, None, gltf.FLOAT, kind, len(rows), low, high)
        return self._numbers_of[key]

    def node(self, leaf: Leaf, colour: Colour | None = None) -> gltf.Node:
        """The node of a leaf at home, in its own colour unless another is given."""
        material = self.material(colour or leaf.colour or PLAIN, not leaf.part.mesh.closed)
        key = leaf.part.mesh.key, material
        if key not in self._mesh_of:
            surface, *lines = self.shape(leaf.part.mesh)
            coloured = gltf.Primitive(attributes=surface.attributes, indices=surface.indices, material=material)
            self.meshes.append(gltf.Mesh(name=leaf.part.name, primitives=[coloured, *lines]))
            self._mesh_of[key] = len(self.meshes) - 1
        node = gltf.Node(name=leaf.path, mesh=self._mesh_of[key], extras={"path": leaf.path, "part": leaf.part.key})
        if not np.array_equal(leaf.pose, np.eye(4)):
            node.matrix = leaf.pose.T.ravel().tolist()
        return node

    def material(self, colour: Colour, both_sides: bool = False) -> int:
        key = (*colour, both_sides)
        if key not in self._material_of:
            pbr = gltf.PbrMetallicRoughness(baseColorFactor=linear(colour), metallicFactor=0.0, roughnessFactor=0.7)
            self.materials.append(gltf.Material(pbrMetallicRoughness=pbr, doubleSided=both_sides))
            self._material_of[key] = len(self.materials) - 1
        return self._material_of[key]

    def shape(self, mesh: Mesh) -> list[gltf.Primitive]:
        """Triangles and, where there are any, edges; entered once for each mesh."""
        if mesh.key not in self._shapes:
            points = gltf.Attributes(POSITION=self.points(mesh.vertices), NORMAL=self.vectors(self._normals(mesh)))
            primitives = [gltf.Primitive(attributes=points, indices=self.indices(mesh.triangles))]
            if len(mesh.edges):
                ends = gltf.Attributes(POSITION=self.points(mesh.edges))
                ink = self.material(EDGE_INK)
                pairs = mesh.edge_pairs
                primitives.append(
                    gltf.Primitive(attributes=ends, indices=self.indices(pairs), mode=gltf.LINES, material=ink)
                )
            self._shapes[mesh.key] = primitives
        return self._shapes[mesh.key]

    def points(self, rows: NDArray[np.float64]) -> int:
        """Points in mm (n, 3)."""
        return self.vectors(np.round(rows / self.grain) * self.grain if self.grain else rows)

    def _normals(self, mesh: Mesh) -> NDArray[np.float64]:
        normals = _unit_normals(mesh)
        return np.round(normals * 256) / 256 if self.grain else normals

    def vectors(self, rows: NDArray[np.float64]) -> int:
        rows = rows.astype(np.float32)
        low, high = rows.min(0).tolist(), rows.max(0).tolist()
        return self._enter(rows, gltf.ARRAY_BUFFER, gltf.FLOAT, gltf.VEC3, len(rows), low, high)

    def indices(self, rows: NDArray[np.int32]) -> int:
        return self._enter(
            rows.astype(np.uint32), gltf.ELEMENT_ARRAY_BUFFER, gltf.UNSIGNED_INT, gltf.SCALAR, rows.size, None, None
        )

    def _enter(
        self,
        rows: NDArray[Any],
        target: int | None,
        component: int,
        kind: str,
        count: int,
        low: list[float] | None,
        high: list[float] | None,
    ) -> int:
        raw = np.ascontiguousarray(rows).tobytes()
        self.views.append(gltf.BufferView(buffer=0, byteOffset=len(self.data), byteLength=len(raw), target=target))
        self.data += raw
        self.accessors.append(
            gltf.Accessor(
                bufferView=len(self.views) - 1, componentType=component, count=count, type=kind, min=low, max=high
            )
        )
        return len(self.accessors) - 1


def _unit_normals(mesh: Mesh) -> NDArray[np.float64]:
    """Normals of unit length; where the kernel gave none, straight up rather than nothing."""
    length = np.linalg.norm(mesh.normals, axis=1, keepdims=True)
    return np.where(length > 1e-6, mesh.normals / np.maximum(length, 1e-12), [0.0, 0.0, 1.0])
