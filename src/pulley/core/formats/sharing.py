"""Parts of a format that knows no instances: bodies that are copies of one another made one part, and given a name."""

from collections.abc import Iterator

import numpy as np

from pulley.core.formats.naming import described_name
from pulley.core.geometry.congruence import copies
from pulley.core.geometry.mending import Body as Triangles
from pulley.core.geometry.mesh import Mesh
from pulley.core.kernel.tree import Body, Node


def shared(roots: list[Node]) -> list[Node]:
    """Trees whose equal bodies are one part each, and whose nameless ones are called by what they are.

    Bodies are compared by their meshes, which the kernel makes alike of alike shapes.
    """
    leaves = [leaf for root in roots for leaf in _leaves(root)]
    meshes = [leaf.body.meshed(np.eye(4)) for leaf in leaves if leaf.body]
    for leaf, copy in zip(leaves, copies([_triangles(mesh) for mesh in meshes]), strict=True):
        first = leaves[copy.of].body
        if first is not leaf.body:
            leaf.body, leaf.pose = first, leaf.pose @ copy.map
        leaf.entry = f"shape {copy.of}"
        leaf.product = leaf.product or leaf.name or described_name(meshes[copy.of])
        leaf.name = leaf.name or leaf.product
    return roots


def _leaves(node: Node) -> Iterator[Node]:
    if node.body is not None and not node.body.nothing and _meshable(node.body):
        yield node
    for child in node.children:
        yield from _leaves(child)


def _meshable(body: Body) -> bool:
    return len(body.meshed(np.eye(4)).triangles) > 0


def _triangles(mesh: Mesh) -> list[Triangles]:
    return [Triangles(piece.vertices, piece.sound, piece.fault is None) for piece in mesh.pieces]
