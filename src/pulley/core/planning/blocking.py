"""What blocks what: for each unit and direction, the units that it would run into on its way to infinity."""

from collections.abc import Callable, Collection, Iterator, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import networkx as nx
import numpy as np
from numpy.typing import NDArray

from pulley.core.contact.kernels import in_the_way
from pulley.core.contact.scene import Scene
from pulley.core.geometry.directions import AXES
from pulley.core.geometry.frames import triple
from pulley.core.planning.directions import SAME, candidates
from pulley.core.planning.ways_out import shared_axis

Direction = tuple[float, float, float]
Ahead = tuple[int, NDArray[np.intp], NDArray[np.float64]]
SIX: tuple[Direction, ...] = tuple(direction for _, _, direction in AXES)
LATELY = 2 * len(SIX)  # units and directions of which it is at hand what lies ahead
PIECE = 4000  # pairs and directions that make a piece of the work, at least
LARGER = 1.5  # times what was kept before: since each piece is kept with all before it, few large ones cost less
TOUCHING = 0.5  # mm of travel within which what is met is touched


@dataclass(frozen=True)
class Unit:
    """What a proposal moves as one: a component's path, and its leaves."""

    path: str
    leaves: tuple[str, ...]


@dataclass(eq=False)
class Blocking:
    """Which units block which, where everything stands in ``scene``; what was asked for is kept.

    The directional blocking graph of Wilson and Latombe 1994 (from memory), with exact first contact: for a
    direction, an arrow from each unit to those that it meets on a straight way to infinity. Arrows are looked for as
    they are asked for, since of a large assembly most never are.
    """

    scene: Scene
    units: Sequence[Unit]
    travels: dict[tuple[str, str, Direction], float | None] = field(default_factory=dict)  # None: they never meet
    _blockers: dict[tuple[int, Direction], dict[int, float]] = field(default_factory=dict)
    _stoppers: dict[tuple[int, Direction], list[int]] = field(default_factory=dict)
    _touched: dict[int, frozenset[int]] = field(default_factory=dict)
    _lately: dict[tuple[int, Direction], list[Ahead]] = field(default_factory=dict)
    _own: dict[int, tuple[Direction, ...]] = field(default_factory=dict)
    _boxes: dict[Direction, NDArray[np.float64]] = field(default_factory=dict)
    views: dict[bytes, Any] = field(default_factory=dict)  # how it looks, which others work out and keep here
    kinds: dict[int, str] = field(default_factory=dict)  # which fastener each unit is, likewise

    @cached_property
    def unit_of(self) -> dict[str, int]:
        """The unit that each leaf is in."""
        return {leaf: k for k, unit in enumerate(self.units) for leaf in unit.leaves}

    @cached_property
    def _owners(self) -> NDArray[np.int64]:
        """The unit of each leaf of the scene; -1 for what is in none."""
        return np.array([self.unit_of.get(path, -1) for path in self.scene.paths], np.int64)

    def blockers(self, k: int, direction: Direction) -> dict[int, float]:
        """The units that unit ``k`` meets along a direction, with the travel in mm to each."""
        key = k, direction
        if key not in self._blockers:
            self._blockers[key] = self._find(k, direction)
        return self._blockers[key]

    def _find(self, k: int, direction: Direction) -> dict[int, float]:
        found: dict[int, float] = {}
        for leaf, near, _ in self._ahead(k, direction):
            for other in near.tolist():
                travel, place = self._meet(leaf, other, direction), self._owners[other]
                if travel is not None and travel < found.get(place, np.inf):
                    found[int(place)] = travel
        return found

    def stopper(self, k: int, direction: Direction, present: Collection[int]) -> int | None:
        """One of the units that are present that stops unit ``k`` along a direction; None where nothing does."""
        known = self._stoppers.setdefault((k, direction), [])
        for j in known:
            if j in present:
                return j
        for leaf, near, _ in self._ahead(k, direction):
            for other, place in zip(near.tolist(), self._owners[near].tolist(), strict=True):
                if place in present and self._meet(leaf, other, direction) is not None:
                    known.append(place)
                    return int(place)
        return None

    def _ahead(self, k: int, direction: Direction) -> list[Ahead]:
        """For each leaf of unit ``k`` the leaves (by place) whose bounds lie in its way, the nearest first, and the
        least travel that it takes to each; the last few that were asked for are at hand."""
        found = self._lately.get((k, direction))
        if found is None:
            own, scene = (self._owners == k) | (self._owners < 0), self.scene
            boxes, places = scene.boxes_along(np.array(direction)), scene.places(self.units[k].leaves).tolist()
            found = [(place, *in_the_way(boxes, place, own, scene.tolerance)) for place in places]
            if len(self._lately) == LATELY:
                self._lately.clear()
            self._lately[k, direction] = found
        return found

    def _meet(self, leaf: int, other: int, direction: Direction) -> float | None:
        """Travel to the contact of two leaves, by place; what one does along a direction the other does against it."""
        paths = self.scene.paths
        key = paths[leaf], paths[other], direction
        if key not in self.travels:
            contact = self.scene.contact(*key[:2], np.array(direction))
            travel = contact.travel if contact.point is not None else None
            against = triple(-np.array(direction))
            self.travels[key] = self.travels[key[1], key[0], against] = travel
        return self.travels[key]

    def own_directions(self, k: int) -> tuple[Direction, ...]:
        """Both ways along the axis that all of a unit's leaves share, where it is none of the six."""
        if k not in self._own:
            axis = shared_axis(self.scene, self.units[k].leaves)
            six = axis is None or max(abs(float(axis @ np.array(each))) for each in SIX) >= SAME
            self._own[k] = () if axis is None or six else (triple(axis), triple(-axis))
        return self._own[k]

    def more_directions(self, k: int) -> tuple[Direction, ...]:
        """Every direction worth trying for a unit that neither the six axes nor its own let go."""
        known = np.array([*SIX, *self.own_directions(k)])
        found = candidates(self.scene, self.units[k].leaves)
        return tuple(triple(d) for d in found if (known @ d).max() < SAME)

    def boxes(self, direction: Direction) -> NDArray[np.float64]:
        """Bounds (n, 2, 3) of every unit in the view frame of a direction."""
        if direction not in self._boxes:
            self._boxes[direction] = self._around(self.scene.boxes_along(np.array(direction)))
        return self._boxes[direction]

    @cached_property
    def bounds(self) -> NDArray[np.float64]:
        """Bounds (n, 2, 3) of every unit."""
        return self._around(self.scene.boxes)

    def _around(self, leaves: NDArray[np.float64]) -> NDArray[np.float64]:
        each = [leaves[self.scene.places(unit.leaves)] for unit in self.units]
        return np.array([(found[:, 0].min(0), found[:, 1].max(0)) for found in each])

    def touched(self, k: int) -> frozenset[int]:
        """The units that a unit touches along one of the six axes."""
        if k not in self._touched:
            self._touched[k] = frozenset(j for d in SIX for j in self._met_at_once(k, d))
        return self._touched[k]

    def _met_at_once(self, k: int, direction: Direction) -> Iterator[int]:
        for leaf, near, least in self._ahead(k, direction):
            for other in near[least <= TOUCHING].tolist():
                travel = self._meet(leaf, other, direction)
                if travel is not None and travel <= TOUCHING:
                    yield int(self._owners[other])

    def knots(self, present: set[int], direction: Direction) -> list[set[int]]:
        """Sets of units that can leave together along a direction, with nothing of ``present`` in their way.

        They are the strongly connected components of the blocking graph from which no arrow leads on.
        """
        graph = nx.DiGraph()
        graph.add_nodes_from(sorted(present))
        graph.add_edges_from(
            (k, j) for k in sorted(present) for j in sorted(self.blockers(k, direction)) if j in present
        )
        condensed = nx.condensation(graph)
        return [condensed.nodes[node]["members"] for node in condensed if not condensed.out_degree(node)]

    def prepare(self, present: Sequence[int], report: Callable[[float], None], piece: Callable[[], object]) -> None:
        """Work out which units are free along the six axes and what each touches, saying how far it is, and after each
        ``piece`` of it."""
        known, here = len(self.travels), set(present)
        for done, k in enumerate(present, 1):
            self.touched(k)
            for direction in SIX:
                self.stopper(k, direction, here)
            if len(self.travels) >= max(known + PIECE, LARGER * known) or (
                done == len(present) and len(self.travels) > known
            ):
                known = len(self.travels)
                piece()
            report(done / len(present))
