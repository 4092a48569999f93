"""Subassemblies as families of units: what is set aside together and taken apart at its own place."""

from pulley.core.assembly import Assembly
from pulley.core.planning.blocking import Blocking


def has_families(assembly: Assembly) -> bool:
    """Whether any subassembly holds several of the leaves, and not all."""
    inside = (len(leaves) for path, leaves in assembly.below.items() if path not in assembly.leaf_places)
    return any(1 < count < len(assembly.leaves) for count in inside)


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
