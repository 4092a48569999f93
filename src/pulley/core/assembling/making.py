"""An arrangement as an assembly: with its tree, for teardowns; and flat, with ids as paths, to be worked on."""

from collections.abc import Iterator, Mapping
from typing import Any

import numpy as np

from pulley.core.assembling.arrangement import Arrangement
from pulley.core.assembly import Assembly, Component, Group, Leaf, Part, clean_name, unique_names
from pulley.core.errors import PulleyError
from pulley.core.geometry.mesh import Mesh

Meshes = Mapping[str, Mesh]  # by their keys
Parts = Mapping[tuple[str, str], Part]  # by their designs


def flat(arrangement: Arrangement, meshes: Meshes) -> Assembly:
    """Every piece as a leaf whose path is its id, where it stands."""
    parts = _parts(arrangement, meshes)
    leaves = (
        Leaf(piece.id, piece.name, None, arrangement.poses[piece.id], parts[piece.design], piece.colour)
        for piece in arrangement.pieces
    )
    return Assembly(arrangement.name, tuple(leaves))


def assembled(arrangement: Arrangement, meshes: Meshes, source: dict[str, Any]) -> tuple[Assembly, dict[str, str]]:
    """The assembly that an arrangement is, and the path in it of every piece.

    Parameters
    ----------
    arrangement : Arrangement
    meshes : mapping of key to Mesh
        All that it has.
    source : dict
        Of which file the assembly is.

    Raises
    ------
    PulleyError
        When it has no piece at all.
    """
    if not arrangement.pieces:
        raise PulleyError("There is nothing in this assembly yet. Add part files first.")
    root = clean_name(arrangement.name, "Assembly")
    components: list[Component] = [Group(root, root, None, np.eye(4))]
    paths = dict(_fill("", root, arrangement, _parts(arrangement, meshes), components))
    return Assembly(root, tuple(components), source=source), paths


def _fill(
    group: str, path: str, arrangement: Arrangement, parts: Parts, components: list[Component]
) -> Iterator[tuple[str, str]]:
    """Put what a subassembly holds behind the components that there are, its own subassemblies first: ids and paths."""
    groups = [each for each in arrangement.groups if each.group == group]
    pieces = [piece for piece in arrangement.pieces if piece.group == group]
    unique = unique_names([each.name for each in groups] + [piece.name for piece in pieces])
    for each, name in zip(groups, unique, strict=False):
        own = f"{path}/{name}"
        components.append(Group(own, each.name, path, np.eye(4)))
        yield from _fill(each.id, own, arrangement, parts, components)
    for piece, name in zip(pieces, unique[len(groups) :], strict=True):
        own, pose = f"{path}/{name}", arrangement.poses[piece.id]
        components.append(Leaf(own, piece.name, path, pose, parts[piece.design], piece.colour))
        yield piece.id, own


def _parts(arrangement: Arrangement, meshes: Meshes) -> Parts:
    """The parts that pieces are of, each under its design, in order of first appearance."""
    firsts = {piece.design: piece for piece in reversed(arrangement.pieces)}
    order = dict.fromkeys(piece.design for piece in arrangement.pieces)
    return {
        design: Part(f"p{k}", piece.part, meshes[piece.mesh], piece.material, piece.mass)
        for k, design in enumerate(order, 1)
        for piece in (firsts[design],)
    }


def decided(before: Mapping[str, str], now: Mapping[str, str]) -> dict[str, str | None]:
    """What became of each leaf of the assembly that an arrangement was: its path now, or None.

    Parameters
    ----------
    before, now : mapping of id to path
        In the two assemblies.

    Examples
    --------
    >>> decided({"c1": "Pump/Lid", "c2": "Pump/Pin"}, {"c1": "Pump/Cover", "c3": "Pump/Pin"})
    {'Pump/Lid': 'Pump/Cover', 'Pump/Pin': None}
    """
    return {path: now.get(id) for id, path in before.items()}
