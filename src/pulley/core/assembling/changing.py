"""What else is changed about an arrangement: pieces come and go, are named, coloured, weighed and grouped."""

from collections.abc import Iterable, Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from pulley.core.assembling.arrangement import Arrangement, Piece, Subassembly
from pulley.core.assembling.placing import let_go
from pulley.core.assembly import Assembly, Group, Leaf, clean_name
from pulley.core.colours import Colour
from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import translation

MOST = 5000  # pieces
GAP = 0.2  # of what is added, between it and what is there
HEAVIEST = 1e9  # grams
LONGEST = 100  # characters of a material


def arranged(assembly: Assembly) -> tuple[Arrangement, dict[str, str]]:
    """An assembly as an arrangement, every leaf a piece that stands by itself; and the path in it of every piece."""
    arrangement = added(Arrangement(assembly.name), assembly)
    return arrangement, {piece.id: leaf.path for piece, leaf in zip(arrangement.pieces, assembly.leaves, strict=True)}


def added(arrangement: Arrangement, assembly: Assembly, bounds: NDArray[np.float64] | None = None) -> Arrangement:
    """An arrangement with the components of an assembly, its subassemblies as they are, beside what is there.

    ``bounds`` (2, 3) are those of what is there, in mm; without them the components stand where they do by themselves.
    """
    if len(arrangement.pieces) + len(assembly.leaves) > MOST:
        raise PulleyError(f"More than {MOST} components do not fit into one assembly. Add fewer.")
    tops = [c for c in assembly.components if c.parent is None]
    root = tops[0].path if len(tops) == 1 and isinstance(tops[0], Group) else None
    fresh = arrangement.fresh()
    groups: dict[str, Subassembly] = {}
    pieces: list[Piece] = []
    low, high = assembly.bounds
    gap = GAP * float((high - low).max())
    shift = np.eye(4) if bounds is None else translation(np.array([bounds[1, 0] + gap - low[0], 0.0, 0.0]))
    for component in assembly.components:
        holder = groups[component.parent].id if component.parent in groups else ""
        if isinstance(component, Group):
            if component.path != root:
                groups[component.path] = Subassembly(next(fresh), component.name, holder)
            continue
        pose = tuple((shift @ component.pose).ravel().tolist())
        pieces.append(_piece(next(fresh), component, pose, holder))
    return replace(arrangement, pieces=(*arrangement.pieces, *pieces), groups=(*arrangement.groups, *groups.values()))


def _piece(id: str, leaf: Leaf, pose: tuple[float, ...], group: str) -> Piece:
    part = leaf.part
    return Piece(
        id=id,
        mesh=part.mesh.key,
        part=part.name,
        name=leaf.name,
        pose=pose,
        group=group,
        colour=leaf.colour,
        material=part.material,
        mass=part.mass,
    )


def doubled(arrangement: Arrangement, ids: Sequence[str], by: float) -> Arrangement:
    """An arrangement with a copy of each piece that is selected, ``by`` mm beside it along X, hanging on nothing."""
    fresh = arrangement.fresh()
    if len(arrangement.pieces) + len(ids) > MOST:
        raise PulleyError(f"More than {MOST} components do not fit into one assembly. Add fewer.")
    made = []
    for id in ids:
        piece, pose = arrangement.piece(id), translation(np.array([by, 0.0, 0.0])) @ arrangement.poses[id]
        made.append(replace(piece, id=next(fresh), pose=tuple(pose.ravel().tolist()), on="", joint=None))
    return replace(arrangement, pieces=(*arrangement.pieces, *made))


def taken_out(arrangement: Arrangement, ids: Iterable[str]) -> Arrangement:
    """An arrangement without some pieces; what hung on one of them stands by itself where it is."""
    gone = {arrangement.piece(id).id for id in ids}
    for piece in arrangement.pieces:
        if piece.on in gone and piece.id not in gone:
            arrangement = let_go(arrangement, piece.id)
    return _tidy(replace(arrangement, pieces=tuple(piece for piece in arrangement.pieces if piece.id not in gone)))


def grouped(arrangement: Arrangement, ids: Sequence[str], name: str) -> Arrangement:
    """Pieces put into a subassembly of a name: the one that there is, else a new one within what they all are in."""
    name = clean_name(name, "Subassembly")
    holders = {arrangement.piece(id).group for id in ids}
    known = next((each for each in arrangement.groups if each.name == name), None)
    if known is None:
        known = Subassembly(next(arrangement.fresh()), name, holders.pop() if len(holders) == 1 else "")
        arrangement = replace(arrangement, groups=(*arrangement.groups, known))
    return _tidy(_each(arrangement, ids, group=known.id))


def ungrouped(arrangement: Arrangement, ids: Sequence[str]) -> Arrangement:
    """Pieces taken out of the subassembly that they are in, to the one that holds it."""
    outer = {each.id: each.group for each in arrangement.groups}
    for id in ids:
        arrangement = _each(arrangement, (id,), group=outer.get(arrangement.piece(id).group, ""))
    return _tidy(arrangement)


def named(arrangement: Arrangement, id: str, name: str) -> Arrangement:
    """Another name for a piece or a subassembly; PulleyError for an empty one."""
    name = clean_name(name, "")
    if not name:
        raise PulleyError("A component needs a name. Type one.")
    groups = tuple(replace(each, name=name) if each.id == id else each for each in arrangement.groups)
    if any(each.id == id for each in groups):
        return replace(arrangement, groups=groups)
    return _each(arrangement, (id,), name=name)


def painted(arrangement: Arrangement, ids: Sequence[str], colour: Colour) -> Arrangement:
    """Pieces in a colour."""
    return _each(arrangement, ids, colour=colour)


def made_of(arrangement: Arrangement, id: str, material: str, mass: float | None) -> Arrangement:
    """What a part is made of, and how many grams it has; said of every piece of it."""
    if mass is not None and not 0 < mass <= HEAVIEST:
        raise PulleyError("A mass is more than 0 g and at most 1,000 t. Type it in grams.")
    design, material = arrangement.piece(id).design, " ".join(material.split())[:LONGEST]
    alike = [piece.id for piece in arrangement.pieces if piece.design == design]
    return _each(arrangement, alike, material=material, mass=mass)


def _each(arrangement: Arrangement, ids: Iterable[str], **changes: object) -> Arrangement:
    chosen = {arrangement.piece(id).id for id in ids}
    pieces = tuple(
        replace(piece, **changes) if piece.id in chosen else piece  # type: ignore[arg-type]
        for piece in arrangement.pieces
    )
    return replace(arrangement, pieces=pieces)


def _tidy(arrangement: Arrangement) -> Arrangement:
    """An arrangement without subassemblies that nothing is in."""
    used = {piece.group for piece in arrangement.pieces}
    for each in reversed(arrangement.groups):  # those that hold others come before them
        if each.id in used:
            used.add(each.group)
    return replace(arrangement, groups=tuple(each for each in arrangement.groups if each.id in used))
