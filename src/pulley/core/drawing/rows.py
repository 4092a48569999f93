"""The rows of the parts list: what each stands for, its number, quantity and texts; worked out from the assembly."""

from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from pulley.core.assembly import Assembly, Leaf, Part
from pulley.core.drawing.sheet import Items, Sheet
from pulley.core.errors import PulleyError
from pulley.core.quantities import plain
from pulley.core.teardown import Teardown

SORTS = ("assembly", "teardown", "tree", "item", "quantity", "name", "part", "material", "mass", "description")
MOST_ROWS = 5000

# g/cm3, round values of usual grades from memory; a mass is as good as the material that was typed
DENSITIES = {
    "steel": 7.85,
    "stainless steel": 7.9,
    "cast iron": 7.2,
    "aluminium": 2.7,
    "aluminum": 2.7,
    "bronze": 8.8,
    "brass": 8.5,
    "copper": 8.96,
    "titanium": 4.5,
    "zinc": 7.14,
    "acetal": 1.41,
    "nylon": 1.14,
    "polyethylene": 0.95,
    "rubber": 1.2,
}


@dataclass(frozen=True)
class Row:
    """A row: its key, item number, the components that it counts, and its texts by column."""

    key: str
    item: int
    components: tuple[str, ...]
    texts: dict[str, str]

    @property
    def quantity(self) -> int:
        """How many components it counts."""
        return len(self.components)

    @property
    def name(self) -> str:
        """What it is called on this sheet."""
        return self.texts["name"]


def rows(assembly: Assembly, sheet: Sheet) -> tuple[Row, ...]:
    """The rows of a sheet's parts list, in their order.

    Raises
    ------
    PulleyError
        When there are more than anybody lists.
    """
    items = sheet.items
    counted = _counted(assembly, items, set(sheet.teardown.hidden))
    for key, into in items.merged.items():
        if key in counted and into in counted and key != into:
            counted[into] = (*counted[into], *counted.pop(key))
    counted = {key: paths for key, paths in counted.items() if key not in items.left_out}
    if len(counted) > MOST_ROWS:
        raise PulleyError(f"The parts list would have {len(counted):,} rows; {MOST_ROWS:,} fit. List parts instead.")
    texts = {key: _texts(assembly, items, key, paths) for key, paths in counted.items()}
    order = _order(assembly, sheet.teardown, items, counted, texts)
    numbers = _numbers(order, items.numbers)
    return tuple(Row(key, numbers[key], counted[key], texts[key] | {"item": str(numbers[key])}) for key in order)


def _counted(assembly: Assembly, items: Items, hidden: set[str]) -> dict[str, tuple[str, ...]]:
    """The components that each row counts, by the row's key, in tree order."""
    inside: dict[str, str] = {}
    for path in items.whole:
        for below in assembly.below.get(path, ()):
            inside.setdefault(below, path)
    found: dict[str, list[str]] = {}
    alike: dict[object, str] = {}
    for leaf in assembly.leaves:
        if leaf.path in hidden:
            continue
        whole = inside.get(leaf.path)
        if whole is None:
            key = leaf.part.key if items.each == "part" else leaf.path
            found.setdefault(key, []).append(leaf.path)
        else:
            key = alike.setdefault(_make(assembly, whole), whole) if items.each == "part" else whole
            if whole not in found.setdefault(key, []):
                found[key].append(whole)
    return {key: tuple(paths) for key, paths in found.items()}


def _make(assembly: Assembly, path: str) -> frozenset[tuple[str, int]]:
    """What a subassembly is made of: each part with how many there are."""
    return frozenset(Counter(assembly.leaf(leaf).part.key for leaf in assembly.below[path]).items())


def _texts(assembly: Assembly, items: Items, key: str, paths: tuple[str, ...]) -> dict[str, str]:
    """What stands in each column of a row."""
    first = assembly.by_path[paths[0]]
    part = first.part.name if isinstance(first, Leaf) else first.name
    typed = items.texts.get(key, {})
    own = first.name if items.each == "instance" or not isinstance(first, Leaf) else part
    name = items.names.get(key) or items.everywhere.get(key) or own
    texts = {"quantity": str(len(paths)), "name": name, "part": part}
    texts["mass"] = _mass(assembly, paths[0], typed.get("material", ""))
    material = first.part.material if isinstance(first, Leaf) else ""
    return {"material": material, "description": "", **texts, **typed}


def _mass(assembly: Assembly, path: str, material: str) -> str:
    """Grams of one component: as somebody said, else by its exact volume and material; empty when that is not known."""
    found = [_grams(assembly.leaf(leaf).part, material) for leaf in assembly.below[path]]
    if None in found:
        return ""
    return plain(float(f"{sum(grams for grams in found if grams):.3g}"))


def _grams(part: Part, material: str) -> float | None:
    """What a part weighs: as was said of it, else its volume of a material that is known, the one typed first."""
    if part.mass is not None:
        return part.mass
    density = DENSITIES.get((material or part.material).strip().lower())
    return part.mesh.volume / 1000 * density if density and part.mesh.volume else None


def _order(
    assembly: Assembly,
    teardown: Teardown,
    items: Items,
    counted: Mapping[str, tuple[str, ...]],
    texts: Mapping[str, Mapping[str, str]],
) -> list[str]:
    """The keys of the rows in their order: those that were put in order, then the others as they are sorted."""
    keys = list(counted)
    if items.sort in ("teardown", "assembly"):
        leaves = _removal(assembly, teardown)
        last = len(teardown.steps)
        when = {key: min(leaves.get(leaf, last) for leaf in _leaves(assembly, counted[key])) for key in keys}
        keys.sort(key=when.__getitem__, reverse=items.sort == "assembly")
    elif items.sort not in ("tree", "item"):
        keys.sort(key=lambda key: _collated(texts[key].get(items.sort, "")))
    if items.down:
        keys.reverse()
    wanted = [key for key in items.order if key in counted]
    return wanted + [key for key in keys if key not in set(wanted)]


def _leaves(assembly: Assembly, paths: Iterable[str]) -> list[str]:
    return [leaf for path in paths for leaf in assembly.below[path]]


def _removal(assembly: Assembly, teardown: Teardown) -> dict[str, int]:
    """The number of the first step that moves each leaf."""
    first: dict[str, int] = {}
    for k, step in enumerate(teardown.steps):
        members = [path for path in step.members if path in assembly.by_path and not step.off]
        for leaf in assembly.leaves_of(members) if members else ():
            first.setdefault(leaf, k)
    return first


def _collated(text: str) -> tuple[int, float, str]:
    """How a text sorts: numbers by their worth, before words."""
    try:
        return 0, float(text), ""
    except ValueError:
        return 1, 0.0, text.casefold()


def _numbers(order: list[str], given: Mapping[str, int]) -> dict[str, int]:
    """The item number of each row: those given on purpose, the others the next ones that are free."""
    kept = {key: number for key, number in given.items() if key in set(order)}
    taken, number, numbers = set(kept.values()), 0, {}
    for key in order:
        if key in kept:
            numbers[key] = kept[key]
            number = max(number, kept[key])
            continue
        number += 1
        while number in taken:
            number += 1
        numbers[key] = number
    return numbers


def row_of(assembly: Assembly, found: Iterable[Row], path: str) -> Row | None:
    """The row that counts a component, or a subassembly that holds it; None when it is left out."""
    holders = {path, *assembly.above(path)} if path in assembly.by_path else set()
    return next((row for row in found if holders & set(row.components)), None)
