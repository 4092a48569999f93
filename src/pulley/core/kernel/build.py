"""From a file's tidy tree to an assembly: paths, parts that share a mesh, notes, and exact shapes kept beside."""

import re
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from pulley.core.assembly import Assembly, Component, Group, Leaf, Part, clean_name, leaf_bounds, unique_names
from pulley.core.colours import Colour
from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import Pose, without_warp
from pulley.core.geometry.mesh import FAULTS
from pulley.core.kernel.tree import Body, Node, count
from pulley.core.store import shape_name

FINE = 0.05  # mm that a mesh may be off at most: half of the greatest tolerance
NEAR = (
    1.0  # mm between the bounds of two components at home, within which the finer mesh of one wants that of the other
)


def wanted_error(wall: float) -> float:
    """Mm that a mesh may be off: less than half of the tolerance that applies to a part with such a thinnest wall.

    >>> wanted_error(float("inf")), round(wanted_error(0.1), 6)
    (0.05, 0.0125)
    """
    return min(FINE, wall / 8)


@dataclass(frozen=True)
class _Form:
    """What a part was meshed from: its body, and the reflection and scale (4, 4) that its instances have in common."""

    body: Body
    warp: Pose


class Builder:
    """Walks the tidy tree and collects components, making each part's mesh once."""

    def __init__(self, total: int, report: Callable[[float, str], None]) -> None:
        self.total, self.report = total, report
        self.components: list[Component] = []
        self.notes: list[str] = []
        self._parts: dict[tuple[str, bytes], Part] = {}
        self._by_shape: dict[tuple[str, str], Part] = {}
        self._forms: dict[str, _Form] = {}

    def part(self, node: Node, body: Body, warp: Pose) -> Part:
        """The part of an item, whose instances are reflected and scaled by a warp (4, 4)."""
        key = node.entry, warp.round(9).tobytes()
        if key not in self._parts:
            mesh = body.meshed(warp)
            name = clean_name(node.product or node.name, f"Part {len(self._by_shape) + 1}") + _warped(warp)
            same = (re.sub(r"[._\s#-]?\d+$", "", name), mesh.key)
            if same not in self._by_shape:
                part = self._by_shape[same] = Part(f"p{len(self._by_shape) + 1}", name, mesh)
                self._forms[part.key] = _Form(body, warp)
                self._note(part)
            self._parts[key] = self._by_shape[same]
        return self._parts[key]

    def _note(self, part: Part) -> None:
        if part.mesh.fault and len(part.mesh.triangles):
            self.notes.append(f"{part.name} {FAULTS[part.mesh.fault]}.")
        self.notes += [f"{part.name} {note}." for note in self._forms[part.key].body.notes]

    def add(self, nodes: list[Node], parent: str | None, pose: Pose, colour: Colour | None) -> None:
        """Items that hang below a path, and all below them."""
        fallbacks = [node.product or ("Part" if node.body is not None else "Subassembly") for node in nodes]
        named = [clean_name(n.name, clean_name(f, "Part")) for n, f in zip(nodes, fallbacks, strict=True)]
        for node, name in zip(nodes, unique_names(named), strict=True):
            path = f"{parent}/{name}" if parent else name
            placed, shade = pose @ node.pose, node.colour or colour
            rigid, warp = without_warp(placed)
            if node.body is None:
                self.components.append(Group(path, name, parent, rigid))
                self.add(node.children, path, placed, shade)
                continue
            part = self.part(node, node.body, warp)
            if not len(part.mesh.triangles):
                self.notes.append(f"{name} has no face that could be meshed and was left out.")
                continue
            self.components.append(Leaf(path, name, parent, rigid, part, shade))
            self.report(0.3 + 0.7 * len(self.components) / self.total, f"Meshing {name}")

    def save(self, folder: Path) -> None:
        """Keep the exact shape of each part in a folder, in the frame of its mesh."""
        for part in dict.fromkeys(c.part for c in self.components if isinstance(c, Leaf)):
            form = self._forms[part.key]
            form.body.save(folder / shape_name(part.mesh.key), form.warp)

    def drop_empty(self) -> None:
        """Take out subassemblies in which nothing is left."""
        held = {c.path for c in self.components if isinstance(c, Leaf)}
        above = {path[:k] for path in held for k, letter in enumerate(path) if letter == "/"}
        self.components = [c for c in self.components if c.path in held or c.path in above]

    def refine(self) -> None:
        """Mesh again what lies beside thin walls, so that neither of the two is coarser than their tolerance allows."""
        leaves = [component for component in self.components if isinstance(component, Leaf)]
        boxes = np.array([leaf_bounds(leaf) for leaf in leaves])
        wanted = {leaf.part.key: wanted_error(leaf.part.mesh.wall) for leaf in leaves}
        least = dict(wanted)
        for k, leaf in enumerate(leaves):
            if wanted[leaf.part.key] < FINE:
                near = (boxes[:, 0] <= boxes[k, 1] + NEAR).all(1) & (boxes[:, 1] >= boxes[k, 0] - NEAR).all(1)
                for other in np.flatnonzero(near):
                    key = leaves[other].part.key
                    least[key] = min(least[key], wanted[leaf.part.key])
        finer = {leaf.part.key: leaf.part for leaf in leaves if least[leaf.part.key] < leaf.part.mesh.error}
        for key, part in finer.items():
            mesh = self._forms[key].body.meshed(self._forms[key].warp, least[key])
            finer[key] = replace(part, mesh=mesh)
            if mesh.error > least[key]:
                self.notes.append(
                    f"{part.name} is meshed to within {mesh.error:.2g} mm, not {least[key]:.2g}: "
                    "contacts with it are no more exact than that."
                )
        self.components = [
            replace(component, part=finer.get(component.part.key, component.part))
            if isinstance(component, Leaf)
            else component
            for component in self.components
        ]

    def note_warped(self) -> None:
        """Say which parts are mirror images or scaled copies of another."""
        for part in dict.fromkeys(c.part for c in self.components if isinstance(c, Leaf)):
            words = _warped(self._forms[part.key].warp)
            if words:
                self.notes.append(
                    f"{part.name} counts as a part of its own: it is{words.replace(',', '')} in the file."
                )


def _warped(warp: Pose) -> str:
    """What a part's name says of a reflection and a scale; nothing of neither.

    >>> _warped(np.diag([-2.0, 2.0, 2.0, 1.0]))
    ', mirrored, scaled by 2'
    """
    mirrored = ", mirrored" if warp[0, 0] < 0 else ""
    return mirrored + (f", scaled by {warp[1, 1]:.6g}" if abs(warp[1, 1] - 1) > 1e-9 else "")


def built(
    roots: list[Node], title: str, notes: list[str], report: Callable[[float, str], None], folder: Path
) -> Assembly:
    """The assembly of a tidy tree; the exact shapes of its parts are kept in a folder.

    Parameters
    ----------
    roots : list of Node
        As `tree.tidy` leaves them; at least one.
    title : str
        What an assembly without a name of its own is called.
    notes : list of str
        What has been said of the file so far.
    report : callable(share, message)
    folder : Path
    """
    if len(roots) > 1 or roots[0].body is not None:
        roots = [Node(title, np.eye(4), children=roots)]
    roots[0].name = roots[0].name or title
    builder = Builder(count(roots[0]), report)
    builder.add(roots, None, np.eye(4), None)
    builder.drop_empty()
    if not builder.components:
        raise PulleyError(f"{title} has no face that could be meshed. Export it again.")
    builder.refine()
    builder.note_warped()
    builder.save(folder)
    return Assembly(builder.components[0].name, tuple(builder.components), (*notes, *builder.notes))
