"""Assembly, Component, Part: the tree that a file brought in, and where each item stands."""

import hashlib
import re
import threading
from collections import Counter
from collections.abc import Callable, Hashable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, TypeVar

import numpy as np
from cachetools import LRUCache
from numpy.typing import NDArray

from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import Pose, apply
from pulley.core.geometry.mesh import Mesh

T = TypeVar("T")
REMEMBERED = 20_000  # answers about an assembly that are kept with it
SPREAD = 3  # times its own arrays that a mesh takes with what is worked out of it
NAME_LIMIT = 120  # characters kept of a name; a longer one is cut with an ellipsis


@dataclass(frozen=True, eq=False)
class Part:
    """A design that one or more components share; ``mass`` is in grams, where somebody said it."""

    key: str
    name: str
    mesh: Mesh
    material: str = ""
    mass: float | None = None


@dataclass(frozen=True, eq=False)
class Leaf:
    """A placed part. ``pose`` is the home pose (4, 4) in the assembly's frame; ``colour`` is sRGB, 0 to 1."""

    path: str
    name: str
    parent: str | None
    pose: Pose
    part: Part
    colour: tuple[float, float, float] | None = None


@dataclass(frozen=True, eq=False)
class Group:
    """A placed subassembly. ``pose`` is its home pose (4, 4) in the assembly's frame."""

    path: str
    name: str
    parent: str | None
    pose: Pose


Component = Leaf | Group


def placed(
    path: str,
    name: str,
    parent: str | None,
    pose: Sequence[float],
    part: Part | None,
    colour: Sequence[float] | None,
) -> Component:
    """A component from plain values, its pose as 16 numbers by rows: a leaf when it has a part, else a subassembly."""
    home = np.array(pose, float).reshape(4, 4)
    if part is None:
        return Group(path, name, parent, home)
    return Leaf(path, name, parent, home, part, (colour[0], colour[1], colour[2]) if colour else None)


@dataclass(frozen=True, eq=False)
class Assembly:
    """Components in tree order, every parent before its children. Never altered once made.

    ``asked`` says what the file left open and was assumed: ``unit``, ``up``, or whether its bodies are ``bodies apart``
    or ``bodies together``. ``missing`` are files that it refers to and that did not come with it. ``unit`` is mm to the
    unit that was taken where one is asked for. ``source`` says of which file it is and, of a model that is kept in
    several, of which revision.
    """

    name: str
    components: tuple[Component, ...]
    notes: tuple[str, ...] = ()
    source: dict[str, Any] = field(default_factory=dict)
    asked: tuple[str, ...] = ()
    missing: tuple[str, ...] = ()
    unit: float = 1.0

    @property
    def title(self) -> str:
        """What it is called where it is shown: its name, with the number of its revision from the second on."""
        number = self.source.get("revision", 1)
        return self.name if number == 1 else f"{self.name}, revision {number}"

    @cached_property
    def _memory(self) -> LRUCache[Hashable, Any]:
        return LRUCache(REMEMBERED)

    @cached_property
    def _lock(self) -> threading.Lock:
        return threading.Lock()

    def once(self, key: tuple[Hashable, ...], work: Callable[[], T]) -> T:
        """What ``work`` gives for a key, worked out once: it is remembered here, and goes when the assembly does."""
        with self._lock:
            if key in self._memory:
                known: T = self._memory[key]
                return known
        found = work()
        with self._lock:
            self._memory[key] = found
        return found

    @cached_property
    def size(self) -> int:
        """About how many bytes its geometry takes in memory."""
        meshes = {id(leaf.part.mesh): leaf.part.mesh for leaf in self.leaves}.values()
        arrays = (a for mesh in meshes for a in vars(mesh).values() if isinstance(a, np.ndarray))
        return SPREAD * sum(array.nbytes for array in arrays)

    @cached_property
    def by_path(self) -> dict[str, Component]:
        """Every component under its path."""
        return {component.path: component for component in self.components}

    @cached_property
    def leaves(self) -> tuple[Leaf, ...]:
        """The components that are placed parts, in tree order."""
        return tuple(c for c in self.components if isinstance(c, Leaf))

    @cached_property
    def _leaf_by_path(self) -> dict[str, Leaf]:
        return {leaf.path: leaf for leaf in self.leaves}

    def leaf(self, path: str) -> Leaf:
        """The leaf of a path; KeyError when there is none, or it is a subassembly."""
        return self._leaf_by_path[path]

    @cached_property
    def key(self) -> str:
        """The assembly's address by content: the same parts in the same places, under the same names.

        Whatever is kept under it may depend on all that is said of components: a name tells a fastener, a mass what
        falls, a colour how a film looks.
        """
        digest = hashlib.sha256()
        for component in self.components:
            said: list[object] = [component.path, component.name]
            if isinstance(component, Leaf):
                part, colour = component.part, component.colour and tuple(component.colour)
                said += [part.key, part.name, part.material, part.mass, part.mesh.key, colour]
                digest.update(component.pose.tobytes())
            digest.update(repr(said).encode())
        return digest.hexdigest()[:32]

    @cached_property
    def leaf_places(self) -> dict[str, int]:
        """Where each leaf stands in ``leaves``, by path."""
        return {leaf.path: k for k, leaf in enumerate(self.leaves)}

    @cached_property
    def parts(self) -> tuple[tuple[Part, int], ...]:
        """Each part with its quantity, in order of first appearance."""
        count = Counter(c.part.key for c in self.leaves)
        first = {c.part.key: c.part for c in reversed(self.leaves)}
        return tuple((first[key], count[key]) for key in dict.fromkeys(c.part.key for c in self.leaves))

    @cached_property
    def bounds(self) -> NDArray[np.float64]:
        """Lowest and highest corner (2, 3) of everything at home, in mm."""
        boxes = np.array([leaf_bounds(c) for c in self.leaves])
        return np.array([boxes[:, 0].min(0), boxes[:, 1].max(0)])

    @cached_property
    def diagonal(self) -> float:
        """Length in mm of the diagonal of the bounds: the assembly's size in one number."""
        return float(np.linalg.norm(self.bounds[1] - self.bounds[0]))

    def leaves_of(self, paths: Iterable[str]) -> tuple[str, ...]:
        """Paths of all leaves named by ``paths`` or inside the subassemblies they name, in tree order.

        Raises PulleyError when a path names nothing.
        """
        wanted = set(paths)
        for path in sorted(wanted - self.by_path.keys()):
            raise PulleyError(f"There is no component “{path}” in this assembly.")
        if len(wanted) == 1:
            return self.below[wanted.pop()]
        chosen = {leaf for path in wanted for leaf in self.below[path]}
        return tuple(leaf.path for leaf in self.leaves if leaf.path in chosen)

    def above(self, path: str) -> Iterator[str]:
        """Paths of the subassemblies that hold a component, from the nearest to the root."""
        holder = self.by_path[path].parent
        while holder is not None:
            yield holder
            holder = self.by_path[holder].parent

    @cached_property
    def below(self) -> dict[str, tuple[str, ...]]:
        """For every component, the paths of its leaves in tree order; a leaf's own path for a leaf."""
        found: dict[str, list[str]] = {component.path: [] for component in self.components}
        for leaf in self.leaves:
            for path in (leaf.path, *self.above(leaf.path)):
                found[path].append(leaf.path)
        return {path: tuple(leaves) for path, leaves in found.items()}


def leaf_bounds(leaf: Leaf, pose: Pose | None = None) -> NDArray[np.float64]:
    """Lowest and highest corner (2, 3) of a leaf at ``pose`` (home when None), in mm.

    Parameters
    ----------
    leaf : Leaf
    pose : (4, 4) float64, optional
    """
    points = apply(leaf.pose if pose is None else pose, leaf.part.mesh.vertices)
    return np.array([points.min(0), points.max(0)])


def clean_name(name: str, fallback: str) -> str:
    """A name fit for a path: one line, no slash, not empty, not endless.

    >>> clean_name("M6/20", "part 1")
    'M6\u221520'
    >>> clean_name("  ", "part 1")
    'part 1'
    """
    name = re.sub(r"[\x00-\x1f\x7f\s]+", " ", name).strip().replace("/", "\u2215") or fallback
    return name if len(name) <= NAME_LIMIT else name[: NAME_LIMIT - 1] + "…"


def unique_names(names: list[str]) -> list[str]:
    """Sibling names made distinct: the second of a kind gets ``#2``, the third ``#3``.

    >>> unique_names(["nut", "bolt", "nut"])
    ['nut', 'bolt', 'nut#2']
    """
    taken: set[str] = set()
    unique = []
    for name in names:
        number, candidate = 1, name
        while candidate in taken:
            number += 1
            candidate = f"{name}#{number}"
        taken.add(candidate)
        unique.append(candidate)
    return unique
