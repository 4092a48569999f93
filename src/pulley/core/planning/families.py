"""Subassemblies as families of units: what is set aside together and taken apart at its own place."""

from pulley.core.assembly import Assembly
from pulley.core.planning.blocking import Blocking
from pulley.core.planning.options import MANNERS


def manners_for(assembly: Assembly) -> list[str]:
    """The manners that make a difference: by family only where a subassembly holds several leaves, and not all."""
    inside = [len(leaves) for path, leaves in assembly.below.items() if path not in assembly.leaf_places]
    some = any(1 < count < len(assembly.leaves) for count in inside)
    return [manner for manner, kind in MANNERS.items() if some or kind != "families"]


def families_of(blocking: Blocking) -> tuple[tuple[str, frozenset[int]], ...]:
    """Subassemblies with several units, by path, the largest first; not the whole assembly."""
    assembly, found = blocking.scene.assembly, []
    for component in assembly.components:
        if component.path not in assembly.leaf_places:
            leaves = set(assembly.below[component.path])
            units = frozenset(k for k, unit in enumerate(blocking.units) if leaves >= set(unit.leaves))
            if 1 < len(units) < len(blocking.units):
                found.append((component.path, units))
    return tuple(sorted(found, key=lambda each: -len(each[1])))
