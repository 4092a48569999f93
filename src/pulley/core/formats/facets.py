"""From what a mesh format holds to a tree of parts: units and axes, bodies, copies of one part, and names."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from scipy.linalg import polar

from pulley.core.errors import PulleyError
from pulley.core.formats.naming import described_name, spoken
from pulley.core.formats.soup import Found, Item
from pulley.core.geometry.congruence import copies
from pulley.core.geometry.frames import UPRIGHT, Pose
from pulley.core.geometry.mending import Body, Mended, Soup, bodies_of
from pulley.core.geometry.mesh import Mesh
from pulley.core.geometry.recognition.describing import described
from pulley.core.geometry.warping import warped
from pulley.core.kernel.tree import Node

FARTHEST = 1e9  # mm from the origin: what lies beyond is no machine
SMALLEST = 1e-6  # of a mesh's size: a scale that flattens it


@dataclass(frozen=True, eq=False)
class Facets:
    """Bodies of triangles as what an item of a file's tree is made of (`kernel.tree.Body`)."""

    parts: Sequence[Body]
    notes: Sequence[str] = ()

    @property
    def nothing(self) -> str:
        """Why there is no surface to see."""
        return "" if self.parts else "holds no triangles"

    @cached_property
    def mesh(self) -> Mesh:
        """The mesh with its faces recognised."""
        return described(self.parts)

    def meshed(self, warp: Pose, error: float | None = None) -> Mesh:
        """The mesh, reflected and scaled; it is as fine as the file has it."""
        return self.mesh if np.array_equal(warp, np.eye(4)) else warped(self.mesh, warp)

    def bodies(self) -> "list[Facets]":
        """Each body for itself."""
        return [Facets([body]) for body in self.parts]

    def save(self, path: Path, warp: Pose) -> None:
        """Nothing: there is no exact shape."""


@dataclass(eq=False)
class _Placed:
    """An item with its place in the assembly: rigid but for a mirror, mm; what it is made of, and what lies below."""

    item: Item
    pose: Pose
    mended: Mended | None = None
    children: list["_Placed"] = field(default_factory=list)


def tree_of(
    found: Found, unit: float, up: str, split: bool | None, report: Callable[[float, str], None]
) -> tuple[list[Node], list[str], str]:
    """The trees of a mesh file in mm with Z up, equal bodies made one part; notes; and how it is with several bodies.

    That is ``apart`` where items of several were split, ``together`` where they were not, empty where there are none.

    Parameters
    ----------
    found : Found
    unit : float
        Mm to the file's unit.
    up : str
        Which axis of the file points up, ``y`` or ``z``.
    split : bool or None
        Whether each separate body becomes a component; None where the whole file is a single item of several.
    report : callable(share, message)
    """
    mender = _Mender(unit, report)
    placed = [mender.place(item, UPRIGHT[up]) for item in found.roots]
    leaves = [one for root in placed for one in _leaves(root)]
    several = any(sum(body.solid for body in leaf.mended.bodies) > 1 for leaf in leaves if leaf.mended)
    alone = len(leaves) == 1 and several
    notes = list(found.notes)
    apart = bool(split or (split is None and alone))
    if apart:
        for leaf in leaves:
            _split(leaf, notes)
        leaves = [one for root in placed for one in _leaves(root)]
    report(0.2, "Looking for copies of one part")
    distinct = {id(leaf.mended): leaf.mended for leaf in leaves if leaf.mended and leaf.mended.bodies}
    numbers = {key: k for k, key in enumerate(distinct)}
    same = copies([mended.bodies for mended in distinct.values()])
    forms = [Facets(m.bodies, m.notes) for m in distinct.values()]
    shared = {key: (forms[same[k].of], same[k].map, f"shape {same[k].of}") for key, k in numbers.items()}
    nodes = [_node(one, np.eye(4), shared, report) for one in placed]
    return nodes, notes, ("apart" if apart else "together") if several else ""


def _leaves(one: _Placed) -> list[_Placed]:
    if one.mended is not None:
        return [one]
    return [leaf for child in one.children for leaf in _leaves(child)]


class _Mender:
    """Places items, and mends each mesh once for each way that it is stretched."""

    def __init__(self, unit: float, report: Callable[[float, str], None]) -> None:
        self.unit, self.report = unit, report
        self.mended: dict[tuple[int, bytes], Mended] = {}

    def place(self, item: Item, above: NDArray[np.float64]) -> _Placed:
        """An item and all below it; ``above`` (4, 4) is where its parent stands, in the file's unit, or stretched."""
        whole = above @ item.matrix
        if not np.isfinite(whole).all() or np.abs(whole[:3, 3]).max() * self.unit > FARTHEST:
            raise PulleyError(f"“{item.name or 'An item'}” is placed beyond all measure. Export the file again.")
        turn, stretch = _apart(whole[:3, :3])
        pose = np.eye(4)
        pose[:3, :3], pose[:3, 3] = turn, whole[:3, 3] * self.unit
        one = _Placed(item, pose)
        if item.mesh is not None:
            one.mended = self.mend(item.mesh, stretch)
        one.children = [self.place(child, whole) for child in item.children]
        return one

    def mend(self, mesh: Soup, stretch: NDArray[np.float64]) -> Mended:
        """The bodies of a mesh that was stretched by a matrix (3, 3), in mm."""
        key = id(mesh), stretch.round(9).tobytes()
        if key not in self.mended:
            self.report(0.05 + 0.1 * (1 - 0.99 ** len(self.mended)), f"Looking over mesh {len(self.mended) + 1}")
            grain = mesh.grain * self.unit * float(np.abs(stretch).max())
            with np.errstate(over="ignore", invalid="ignore"):
                vertices = mesh.vertices @ (self.unit * stretch).T
            vertices[np.abs(vertices).max(axis=1, initial=0) > FARTHEST] = np.nan
            flat = float(np.abs(np.linalg.det(stretch))) < SMALLEST**3
            triangles = mesh.triangles[:0] if flat else mesh.triangles
            self.mended[key] = bodies_of(Soup(vertices, triangles, mesh.shading, grain))
        return self.mended[key]


def _apart(linear: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """A linear map (3, 3) as a turn, which mirrors its first axis where the map does, after a stretch."""
    mirror = np.diag([-1.0, 1.0, 1.0]) if np.linalg.det(linear) < 0 else np.eye(3)
    if np.abs(linear.T @ linear - np.eye(3)).max() < 1e-6:
        turn, stretch = polar(linear @ mirror)[0], np.eye(3)
    else:
        turn, stretch = polar(linear @ mirror)
    neat = np.round(turn)
    turn = neat if np.abs(turn - neat).max() < 1e-7 else turn
    stretch = mirror @ stretch @ mirror
    return turn @ mirror, np.where(np.abs(stretch - np.eye(3)) < 1e-6, np.eye(3), stretch)


def _split(leaf: _Placed, notes: list[str]) -> None:
    """Make each body of an item an item of its own below it."""
    if leaf.mended is None or len(leaf.mended.bodies) < 2:
        return
    notes.append(f"{leaf.item.name or 'The mesh'} holds {len(leaf.mended.bodies)} bodies: each is a component.")
    notes += [f"{leaf.item.name or 'The mesh'} {note}." for note in leaf.mended.notes]
    colour = leaf.item.colour
    leaf.children = [_Placed(Item("", colour=colour), leaf.pose, Mended([body])) for body in leaf.mended.bodies]
    leaf.mended = None


def _node(
    one: _Placed, above: Pose, shared: dict[int, tuple[Facets, Pose, str]], report: Callable[[float, str], None]
) -> Node:
    """An item as a node; ``above`` is where its parent stands."""
    name, product = spoken(one.item.name), spoken(one.item.product)
    back = np.linalg.inv(above)
    if one.mended is None:
        rigid = one.pose.copy()
        rigid[:3, :3] = rigid[:3, :3] if np.linalg.det(rigid[:3, :3]) > 0 else rigid[:3, :3] @ np.diag([-1.0, 1, 1])
        children = [_node(child, rigid, shared, report) for child in one.children]
        return Node(name, back @ rigid, one.item.colour, product=product, children=children)
    if id(one.mended) not in shared:
        return Node(name or product, back @ one.pose, one.item.colour, Facets([]))
    body, place, entry = shared[id(one.mended)]
    report(0.25, f"Recognising {name or product or 'its faces'}")
    fallback = product or name or described_name(body.mesh)
    return Node(name or fallback, back @ one.pose @ place, one.item.colour, body, fallback, entry)
