"""A file's tree before it becomes an assembly: its items, what each is made of, and how the tree is made tidy."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Protocol

import numpy as np

from pulley.core.colours import Colour
from pulley.core.geometry.frames import Pose
from pulley.core.geometry.mesh import Mesh


class Body(Protocol):
    """What an item is made of, in its own frame, in mm."""

    @property
    def nothing(self) -> str:
        """Why there is nothing to see of it, in words that follow its name; empty where there is something."""

    @property
    def notes(self) -> Sequence[str]:
        """What is wrong with it or was done to it, in words that follow its name."""

    def meshed(self, warp: Pose, error: float | None = None) -> Mesh:
        """Its mesh, reflected and scaled by a warp (4, 4), to within ``error`` mm where that is to be had."""

    def bodies(self) -> "Sequence[Body]":
        """Its separate solids."""

    def save(self, path: Path, warp: Pose) -> None:
        """Keep its exact shape, where it has one."""


@dataclass
class Node:
    """One item of a file's tree: a subassembly, or what has a body. ``entry`` is the same for all that share one.

    The pose may mirror and scale; it is told from the parent's.
    """

    name: str
    pose: Pose
    colour: Colour | None = None
    body: Body | None = None
    product: str = ""
    entry: str = ""
    children: list["Node"] = field(default_factory=list)


def tidy(node: Node, notes: list[str], where: str = "") -> Node | None:
    """Drop what has no surface and collapse a wrapper around one leaf; None when nothing is left."""
    if node.body is not None:
        if not node.body.nothing:
            return node
        notes.append(f"{where or node.name or 'A body'} {node.body.nothing} and was left out.")
        return None
    before = len(notes)
    here = node.name or where
    kept = [child for child in (tidy(c, notes, f"A body in {here or 'the file'}") for c in node.children) if child]
    if not kept:
        del notes[before:]
        notes.append(f"{here or 'A subassembly'} holds no solid and was left out.")
        return None
    if len(kept) == 1 and kept[0].body is not None:
        only = kept[0]
        only.pose, only.colour = node.pose @ only.pose, only.colour or node.colour
        only.product = only.product or node.product or node.name
        only.name = node.name or only.name
        return only
    node.children = kept
    return node


def split_bodies(node: Node, name: str = "Solid") -> Node:
    """An item of several solids as a subassembly of them; any other as it is."""
    bodies = node.body.bodies() if node.body is not None else []
    if len(bodies) < 2:
        return node
    children = [
        Node(f"{name} {k}" if name else "", np.eye(4), node.colour, body, entry=f"{node.entry} {name} {k}")
        for k, body in enumerate(bodies, 1)
    ]
    return Node(node.name, node.pose, node.colour, product=node.product, entry=node.entry, children=children)


def count(node: Node) -> int:
    """How many items a tree has."""
    return 1 + sum(map(count, node.children))
