"""An arrangement as an assembly: with its tree, for teardowns; and flat, with ids as paths, to be worked on."""

from collections.abc import Iterable, Mapping
from dataclasses import replace
from typing import Any

import numpy as np

from pulley.core.assembling.arrangement import Arrangement, Piece
from pulley.core.assembly import Assembly, Component, Group, Leaf, Part, unique_names
from pulley.core.errors import PulleyError

Parts = Mapping[str, Part]


def flat(arrangement: Arrangement, parts: Parts) -> Assembly:
    """Every piece as a leaf whose path is its id, where it stands."""
    leaves = (
        Leaf(piece.id, piece.name, None, arrangement.poses[piece.id], _part(piece, parts), piece.colour)
        for piece in arrangement.pieces
    )
    return Assembly(arrangement.name, tuple(leaves))


def assembled(arrangement: Arrangement, parts: Parts, source: dict[str, Any]) -> tuple[Assembly, dict[str, str]]:
    """The assembly that an arrangement is, and the path in it of every piece.

    Parameters
    ----------
    arrangement : Arrangement
    parts : mapping of key to Part
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
    components: list[Component] = [Group(arrangement.name, arrangement.name, None, np.eye(4))]
    paths: dict[str, str] = {}
    _fill("", arrangement.name, arrangement, parts, components, paths)
    return Assembly(arrangement.name, tuple(components), source=source), paths


def _fill(
    group: str,
    path: str,
    arrangement: Arrangement,
    parts: Parts,
    components: list[Component],
    paths: dict[str, str],
) -> None:
    """The components of a subassembly, its own subassemblies first, behind those that there are."""
    groups = [each for each in arrangement.groups if each.group == group]
    pieces = [piece for piece in arrangement.pieces if piece.group == group]
    unique = unique_names([each.name for each in groups] + [piece.name for piece in pieces])
    for each, name in zip(groups, unique, strict=False):
        components.append(Group(f"{path}/{name}", each.name, path, np.eye(4)))
        _fill(each.id, f"{path}/{name}", arrangement, parts, components, paths)
    for piece, name in zip(pieces, unique[len(groups) :], strict=True):
        own = f"{path}/{name}"
        paths[piece.id] = own
        pose = arrangement.poses[piece.id]
        components.append(Leaf(own, piece.name, path, pose, _part(piece, parts), piece.colour))


def _part(piece: Piece, parts: Parts) -> Part:
    part = parts[piece.part]
    if (part.material, part.mass) == (piece.material, piece.mass):
        return part
    return replace(part, material=piece.material, mass=piece.mass)


def decided(arrangement: Arrangement, paths: Mapping[str, str], old: Iterable[str]) -> dict[str, str | None]:
    """What became of each leaf of the assembly that an arrangement was begun from: its path now, or None."""
    now = {piece.was: paths[piece.id] for piece in arrangement.pieces if piece.was}
    return {path: now.get(path) for path in old}
