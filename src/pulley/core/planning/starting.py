"""What a proposal starts from: what moves as one, what is there, what stays, and how the order is wanted."""

from collections.abc import Iterable
from dataclasses import replace

import numpy as np

from pulley.core.assembly import Assembly
from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import triple
from pulley.core.naming import component_name
from pulley.core.planning.blocking import SIX, Blocking, Direction, Unit
from pulley.core.planning.directions import SAME
from pulley.core.planning.families import families_of
from pulley.core.planning.options import Options
from pulley.core.planning.peeling import Wishes, fastener_kind
from pulley.core.planning.ways_out import shared_axis
from pulley.core.teardown import Teardown

FEW = 30  # units, up to which the orders of other manners are tried as well


def units_for(assembly: Assembly, options: Options) -> list[Unit]:
    """What moves as one: the leaves, and the subassemblies that stay whole in place of theirs."""
    whole = set(options.whole)
    for path in whole - assembly.by_path.keys():
        raise PulleyError(f"There is no component “{path}” in this assembly.")
    if options.depth is not None:
        depths = {c.path: sum(1 for _ in assembly.above(c.path)) for c in assembly.components}
        whole |= {path for path, depth in depths.items() if depth == options.depth and path not in assembly.leaf_places}
    found: dict[str, Unit] = {}
    for leaf in assembly.leaves:
        holders = [path for path in assembly.above(leaf.path) if path in whole]
        path = holders[-1] if holders else leaf.path
        found.setdefault(path, Unit(path, assembly.below[path]))
    return list(found.values())


def units_with(blocking: Blocking, paths: Iterable[str]) -> set[int]:
    """The units that have leaves of components."""
    return {blocking.unit_of[leaf] for leaf in blocking.scene.assembly.leaves_of(tuple(paths))}


def present_units(blocking: Blocking, teardown: Teardown, options: Options) -> tuple[set[int], set[int]]:
    """The units that a teardown has not moved, and those of them that are to be taken apart."""
    assembly = blocking.scene.assembly
    moved = {leaf for step in teardown.steps if not step.off for leaf in assembly.leaves_of(step.members)}
    chosen = set(assembly.leaves_of(options.parts)) if options.parts else {leaf.path for leaf in assembly.leaves}
    present = {k for k, unit in enumerate(blocking.units) if not moved & set(unit.leaves)}
    return present, {k for k in present if chosen >= set(blocking.units[k].leaves)}


def base_of(blocking: Blocking, present: Iterable[int]) -> int:
    """The unit that everything else is taken off: big, low, touching much, no fastener. Common practice, no source."""
    low, high = blocking.scene.assembly.bounds
    boxes, among = blocking.boxes((0.0, 0.0, 1.0)), sorted(present)

    def worth(k: int) -> float:
        size = float(np.prod(boxes[k, 1] - boxes[k, 0]) / max(np.prod(high - low), 1e-9))
        touched = len(blocking.touched(k)) / max(len(among) - 1, 1)
        lowness = 1 - (boxes[k, 0, 2] - low[2]) / max(high[2] - low[2], 1e-9)
        return size + 0.25 * touched + 0.5 * lowness

    return max(among, key=lambda k: (not fastener_kind(blocking, k), round(worth(k), 9), -k))


def refuse_contradictions(blocking: Blocking, present: set[int], stay: set[int], options: Options) -> None:
    assembly, still = blocking.scene.assembly, {leaf for k in stay for leaf in blocking.units[k].leaves}
    for paths, wish in ((options.reach, "to be reached first"), ([path for path, _ in options.far], "to go far")):
        both = [path for path in paths if still.issuperset(assembly.leaves_of((path,)))]
        if both:
            name = component_name(assembly, both[0])
            raise PulleyError(f"{name} is to stay, and {wish} as well. Take one of the two back.")
    if options.stay and present <= stay:
        raise PulleyError("Everything is to stay where it is. Let something go.")


def wishes_for(blocking: Blocking, present: set[int], options: Options, wears: Iterable[str]) -> Wishes:
    """How the order is wanted, for the manner that is asked for; as serviced, what wears out is reached first."""
    wishes = Wishes(options.fasteners_first, options.most, options.along)
    first = (*options.reach, *(wears if options.manner == "service" else ()))
    wishes = replace(wishes, reach=frozenset(present & units_with(blocking, first)))
    if options.manner == "line" and not options.along:
        return replace(wishes, along=_main_way(blocking, present), either=True)
    if options.manner == "families":
        return replace(wishes, families=families_of(blocking))
    return replace(wishes, serviced=options.manner == "service")


def other_wishes(blocking: Blocking, present: set[int], options: Options, wishes: Wishes) -> list[Wishes]:
    """The orders of other manners, in which what is to be drawn large may be drawn larger; of few units, as each order
    is laid out."""
    if options.manner != "compact" or options.along or options.length is not None or len(present) > FEW:
        return []
    return [
        replace(wishes, along=_main_way(blocking, present), either=True),
        replace(wishes, serviced=True),
    ]


def _main_way(blocking: Blocking, present: set[int]) -> Direction:
    """The axis along which the most units have their own, then the most can leave at once; upright if in doubt."""
    axes = [axis for k in present if (axis := shared_axis(blocking.scene, blocking.units[k].leaves)) is not None]

    def worth(way: Direction) -> tuple[int, int, float]:
        own = sum(abs(float(axis @ np.array(way))) >= SAME for axis in axes)
        both = way, triple(-np.array(way))
        free = sum(blocking.stopper(k, d, present) is None for k in present for d in both)
        return own, free, abs(way[2])

    return max((SIX[0], SIX[2], SIX[4]), key=worth)
