"""The parts ledger: a line a part, a subassembly or a bundle, with who moves it."""

import json
from collections.abc import Callable
from dataclasses import dataclass

from pulley.core import editing
from pulley.core import teardown as core
from pulley.core.assembly import Assembly, Component
from pulley.core.colours import PLAIN, to_hex

Maker = Callable[..., "Row"]


@dataclass(frozen=True)
class Row:
    """A line of the ledger: a part, a subassembly or one component."""

    path: str
    name: str
    members: str
    colour: str
    count: int
    steps: str
    hidden: bool
    home: bool
    wears: bool
    level: int
    below: "list[Row]"


def ledger(assembly: Assembly, teardown: core.Teardown, grouping: str) -> list[Row]:
    """The lines, grouped by ``part``, by ``tree`` or by ``bundle``; not to be altered.

    Most changes change none: they are worked out once for all that they depend on.
    """
    steps = tuple((step.members, step.off) for step in teardown.steps)
    bundles = tuple((bundle.name, bundle.members) for bundle in teardown.bundles)
    key = ("ledger", grouping, steps, bundles, teardown.hidden, teardown.home, teardown.wears)
    return assembly.once(key, lambda: _lines(assembly, teardown, grouping))


def _lines(assembly: Assembly, teardown: core.Teardown, grouping: str) -> list[Row]:
    mover: dict[str, list[str]] = {}
    home = set(assembly.leaves_of(teardown.home)) if teardown.home else set()
    for number, step in enumerate(teardown.steps, 1):
        for leaf in assembly.leaves_of(step.members):
            if leaf not in home and not step.off:
                mover.setdefault(leaf, []).append(str(number))
    hidden, wears = set(teardown.hidden), set(assembly.leaves_of(teardown.wears)) if teardown.wears else set()

    def row(paths: list[str], leaves: list[str], name: str, level: int, below: list[Row]) -> Row:
        numbers = dict.fromkeys(n for leaf in leaves for n in mover.get(leaf, ()))
        return Row(
            path=paths[0],
            name=name,
            members=json.dumps(paths),
            colour=to_hex(assembly.leaf(leaves[0]).colour or PLAIN),
            count=len(leaves),
            steps=" ".join(numbers),
            hidden=hidden.issuperset(leaves),
            home=home.issuperset(leaves),
            wears=wears.issuperset(leaves),
            level=level,
            below=below,
        )

    if grouping == "tree":
        return _tree_rows(assembly, row)
    if grouping == "bundle":
        return _bundle_rows(assembly, teardown, row)
    return _part_rows(assembly, row)


def _part_rows(assembly: Assembly, row: Maker) -> list[Row]:
    lines = []
    for part, quantity in assembly.parts:
        leaves = [leaf.path for leaf in assembly.leaves if leaf.part.key == part.key]
        if quantity == 1:
            lines.append(row(leaves, leaves, assembly.by_path[leaves[0]].name, 0, []))
            continue
        named = [(path, f"{k} {assembly.by_path[path].name}") for k, path in enumerate(leaves, 1)]
        below = [row([path], [path], name, 1, []) for path, name in named]
        lines.append(row(leaves, leaves, part.name, 0, below))
    return lines


def _tree_rows(assembly: Assembly, row: Maker) -> list[Row]:
    children: dict[str | None, list[Component]] = {}
    for component in assembly.components:
        children.setdefault(component.parent, []).append(component)

    def walk(component: Component, level: int) -> Row:
        below = [walk(child, level + 1) for child in children.get(component.path, ())]
        leaves = list(assembly.leaves_of([component.path]))
        return row([component.path], leaves, component.name, level, below)

    roots = children[None]
    top = children.get(roots[0].path, ()) if len(roots) == 1 else roots
    return [walk(component, 0) for component in top]


def _bundle_rows(assembly: Assembly, teardown: core.Teardown, row: Maker) -> list[Row]:
    """A line for each bundle that still has members, and one for what is in none."""
    lines, tied = [], set()
    for bundle in teardown.bundles:
        members = editing.known_in(assembly, bundle)
        leaves = list(assembly.leaves_of(members)) if members else []
        tied.update(leaves)
        if leaves:
            below = [row([m], list(assembly.below[m]), assembly.by_path[m].name, 1, []) for m in members]
            lines.append(row(list(members), leaves, bundle.name, 0, below))
    rest = [leaf.path for leaf in assembly.leaves if leaf.path not in tied]
    if rest:
        below = [row([path], [path], assembly.by_path[path].name, 1, []) for path in rest]
        lines.append(row(rest, rest, "in no bundle", 0, below))
    return lines
