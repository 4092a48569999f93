"""Everything in its place at one moment, and sweeps of a selection through it."""

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import cached_property, lru_cache
from typing import Any
from weakref import WeakValueDictionary

import numpy as np
from numpy.typing import NDArray

from pulley.core.assembly import Assembly
from pulley.core.contact.giving import opened
from pulley.core.contact.kernels import NEVER, first_of, in_the_way
from pulley.core.contact.start import TOLERANCE, Allowed, allowed, placed_within
from pulley.core.contact.sweep import APART, REACH, Contact, Facing, facing_along, first_contact
from pulley.core.contact.terms import Terms
from pulley.core.contact.turning import first_contact_turning
from pulley.core.geometry.frames import Pose, Vector, unit, view_frame
from pulley.core.geometry.mesh import Mesh
from pulley.core.motion.travel import Screw

FEW = 8  # leaves; of more it pays to look which stand alike


@dataclass(frozen=True)
class Meeting:
    """One leaf that runs into another: their paths, the travel in mm, and the point (3,)."""

    mover: str
    blocker: str
    travel: float
    point: tuple[float, float, float]


@dataclass(frozen=True, eq=False)
class Scene:
    """Leaves of an assembly at given poses; ``poses`` holds those that are present, by path.

    ``terms`` says how contacts are judged. ``start`` has the poses where the motion starts, of what stands elsewhere
    there: what overlaps then may do so all along.
    """

    assembly: Assembly
    poses: Mapping[str, Pose]
    terms: Terms = field(default_factory=Terms)
    start: Mapping[str, Pose] = field(default_factory=dict)

    @property
    def tolerance(self) -> float:
        """The tolerance in mm, before walls are looked at."""
        return self.terms.tolerance

    @cached_property
    def paths(self) -> tuple[str, ...]:
        """Paths of the leaves that are present, in the order of ``poses``."""
        return tuple(self.poses)

    @cached_property
    def _corners(self) -> NDArray[np.float64]:
        """The eight corners of each leaf's own bounding box, placed (n, 8, 3)."""
        poses = np.array(list(self.poses.values())).reshape(-1, 4, 4)
        corners = np.array([_own_corners(self.assembly, path) for path in self.paths]).reshape(-1, 8, 3)
        return corners @ poses[:, :3, :3].transpose(0, 2, 1) + poses[:, None, :3, 3]

    @cached_property
    def boxes(self) -> NDArray[np.float64]:
        """Bounds (n, 2, 3) of every leaf in the assembly's frame, a little wide where it stands askew."""
        return np.stack([self._corners.min(1), self._corners.max(1)], axis=1)

    def boxes_along(self, direction: Vector) -> NDArray[np.float64]:
        """Bounds (n, 2, 3) of every leaf in the view frame of ``direction``."""
        key = np.asarray(direction, float).tobytes()
        if key not in self._boxes:
            corners = self._corners @ view_frame(direction).T
            self._boxes[key] = np.stack([corners.min(1), corners.max(1)], axis=1)
        return self._boxes[key]

    @cached_property
    def _boxes(self) -> dict[bytes, NDArray[np.float64]]:
        return {}

    def contact(self, mover: str, blocker: str, direction: Vector) -> Contact:
        """First contact of one leaf with another along ``direction``."""
        pair = self._pair(self._place[mover], self._place[blocker], unit(direction))
        if pair is None:
            return APART
        mesh, other, may = pair
        return first_contact(mesh, self.poses[mover], other, self.poses[blocker], direction, may=may)

    def contact_turning(self, mover: str, blocker: str, turn: Screw) -> Contact:
        """First contact of one leaf with another in a turn; its travel is in degrees."""
        pair = self._pair(self._place[mover], self._place[blocker], turn.direction)
        if pair is None:
            return APART
        mesh, other, may = pair
        return first_contact_turning(mesh, self.poses[mover], other, self.poses[blocker], turn, may=may)

    def _pair(self, mover: int, other: int, along: Vector) -> tuple[Mesh, Mesh, Allowed] | None:
        """What counts of two leaves (by place) in a motion along a unit vector, and what they may penetrate.

        Less what makes a confirmed fit, and what a ring that gives bends clear of; None when nothing is left.
        """
        give = self.terms.give(self.paths[mover], self.paths[other])
        key = mover, other, along.tobytes() if give else b""
        if key not in self._pairs:
            self._pairs[key] = self._judged(self.paths[mover], self.paths[other], along, give)
        return self._pairs[key]

    def _judged(self, mover: str, other: str, along: Vector, give: float) -> tuple[Mesh, Mesh, Allowed] | None:
        meshes = self.terms.fits.get(frozenset((mover, other)), {})
        if meshes is None:
            return None
        mesh, rest = (meshes.get(path, self.assembly.leaf(path).part.mesh) for path in (mover, other))
        poses = [self.start.get(path, self.poses[path]) for path in (mover, other)]
        bends = self.terms.gives.get(mover, 0.0), self.terms.gives.get(other, 0.0)
        if bends[0] and (bare := opened(mesh, poses[0], rest, poses[1], bends[0], along)):
            rest, give = bare, give - bends[0]
        if bends[1] and (bare := opened(rest, poses[1], mesh, poses[0], bends[1], along)):
            mesh, give = bare, give - bends[1]
        return mesh, rest, allowed(mesh, rest, placed_within(*poses).tobytes(), self.tolerance, give)

    @cached_property
    def _pairs(self) -> dict[tuple[int, int, bytes], tuple[Mesh, Mesh, Allowed] | None]:
        return {}

    @property
    def exceptions(self) -> dict[tuple[str, str], Allowed]:
        """Of the pairs judged so far those to which another tolerance applied, or that were judged by their growth."""
        found = {}
        for (mover, other, _), pair in self._pairs.items():
            if pair and (pair[2].sunk or abs(pair[2].tolerance - self.tolerance) > 1e-9):
                first, second = sorted((self.paths[mover], self.paths[other]))
                found[first, second] = pair[2]
        return found

    def body(self, path: str) -> tuple[Mesh, Pose]:
        """The mesh and the pose (4, 4) of a leaf."""
        return self.assembly.leaf(path).part.mesh, self.poses[path]

    def swept(self, place: int, travel: Vector | Screw) -> NDArray[np.float64]:
        """Bounds (2, 3) of all that a leaf passes through on a straight travel (3,) in mm or in a turn."""
        if isinstance(travel, Screw):
            return turn_bounds(self._corners[place], travel)
        low, high = self.boxes[place]
        return np.array([np.minimum(low, low + travel), np.maximum(high, high + travel)])

    def pace(self, path: str, move: Vector | Screw) -> float:
        """The most in mm that any point of a leaf moves on a straight travel (3,) or in a turn."""
        if isinstance(move, Screw):
            return max(move.length(1.0, corner) for corner in self._corners[self._place[path]])
        return float(np.linalg.norm(move))

    def may_meet(self, mover: int, other: int, direction: Vector) -> bool:
        """Whether the bounds of one leaf (by place) reach those of another along ``direction``."""
        mine, theirs = (self._corners[[mover, other]] @ view_frame(direction).T).transpose(0, 2, 1)
        beside = (theirs[:2].min(1) < mine[:2].max(1)) & (theirs[:2].max(1) > mine[:2].min(1))
        return bool(beside.all() and theirs[2].max() > mine[2].min() - self.tolerance)

    def candidates(self, mover: str, others: NDArray[np.intp], direction: Vector) -> Iterator[tuple[float, str]]:
        """Leaves whose bounds lie in the way of ``mover``, nearest first, with the least travel possible.

        ``others`` are places in ``paths``, the mover's own not among them.
        """
        moving = np.ones(len(self.paths), bool)
        moving[others] = False
        near, least = in_the_way(self.boxes_along(direction), self._place[mover], moving, self.tolerance)
        for place, travel in zip(near.tolist(), least.tolist(), strict=True):
            yield travel, self.paths[place]

    def places(self, paths: Iterable[str]) -> NDArray[np.intp]:
        """Where leaves stand in ``paths``."""
        return np.array([self._place[path] for path in paths], np.intp)

    @cached_property
    def _place(self) -> dict[str, int]:
        return {path: k for k, path in enumerate(self.paths)}

    def first_meeting(self, movers: Iterable[str], direction: Vector) -> Meeting | None:
        """The first thing that any of ``movers`` runs into along ``direction``; None when nothing ever.

        The movers travel together, so they are never in each other's way.
        """
        direction = unit(direction)
        places, moving = np.sort(self.places(movers)), np.zeros(len(self.paths), bool)
        moving[places] = True
        boxes = self.boxes_along(direction)
        best: Meeting | None = None
        judged = set()  # what stands among others just as one before it did meets the same, equally far
        for mover in places.tolist():
            near, least = in_the_way(boxes, mover, moving, self.tolerance)
            soon = near[least < best.travel] if best else near
            setting = self.setting(mover, soon) if len(places) > FEW else None
            if len(soon) and (setting is None or setting not in judged):
                judged.add(setting)
                best = self._first_of(mover, soon.tolist(), least[: len(soon)], direction, best) or best
        return best

    def setting(self, place: int, others: NDArray[np.intp]) -> tuple[Any, ...] | None:
        """What a leaf among others (places) has in common with any that stands just so among its like: the same meshes,
        turned alike, equally far from it. None where one of them is judged by its own name."""
        if self._named and not self._named.isdisjoint((place, *others.tolist())):
            return None
        kinds, at = self._kinds
        return int(kinds[place]), kinds[others].tobytes(), (np.round(at[others] - at[place], 6) + 0.0).tobytes()

    @cached_property
    def _kinds(self) -> tuple[NDArray[np.intp], NDArray[np.float64]]:
        """A number for the mesh and the turn of each leaf (n,), and its origin (n, 3)."""
        poses = np.array(list(self.poses.values())).reshape(-1, 4, 4)
        turns = (np.round(poses[:, :3, :3], 9) + 0.0).reshape(len(poses), -1)
        known: dict[tuple[str, bytes], int] = {}
        kinds = [
            known.setdefault((self.assembly.leaf(path).part.mesh.key, turn.tobytes()), len(known))
            for path, turn in zip(self.paths, turns, strict=True)
        ]
        return np.array(kinds, np.intp), poses[:, :3, 3]

    @cached_property
    def _named(self) -> set[int]:
        """Places of the leaves that a fit or a give names, or that started elsewhere."""
        named = {path for pair in self.terms.fits for path in pair} | set(self.terms.gives) | set(self.start)
        return {place for path, place in self._place.items() if path in named}

    def _first_of(
        self, mover: int, near: list[int], least: NDArray[np.float64], direction: Vector, best: Meeting | None
    ) -> Meeting | None:
        """What one leaf meets among others (by place, with the ``least`` travels, rising) before ``best``; or None."""
        frame = view_frame(direction)
        key, at = frame.tobytes(), self.poses[self.paths[mover]][:3, 3]
        chosen, kept, sides, shifts, depths, reaches = [], [], [], [], [], []
        for number, place in enumerate(near):
            pair = self._pair(mover, place, direction)
            if pair is None:
                continue
            mesh, other, may = pair
            if may.sunk:
                best = self._sunk(mover, place, direction, best) or best
                continue
            ahead = self._facing(mover, mesh, key, 1.0, may.mover)
            behind = self._facing(place, other, key, -1.0, may.rest)
            chosen.append(number)
            kept += [ahead, behind]  # `first_of` is told only where they lie in memory
            sides.append((ahead.record, behind.record))
            shifts.append(self.poses[self.paths[place]][:3, 3] - at)
            depths.append(may.depth)
            reaches.append(REACH * (may.mover + may.rest))
        if not chosen:
            return best
        number, travel, u, v, w, _ = first_of(
            np.array(sides),
            np.array(shifts) @ frame.T,
            least[chosen],
            np.array(depths),
            np.array(reaches),
            best.travel if best else NEVER,
        )
        if number < 0:
            return best
        point = np.array([u, v, w]) @ frame + at + travel * direction
        return Meeting(self.paths[mover], self.paths[near[chosen[number]]], travel, tuple(point.tolist()))

    def _sunk(self, mover: int, place: int, direction: Vector, best: Meeting | None) -> Meeting | None:
        """What `first_of` cannot judge: a pair that overlaps too deep to be thinned; None when it is not the first."""
        contact = self.contact(self.paths[mover], self.paths[place], direction)
        if contact.point is None or (best and contact.travel >= best.travel):
            return None
        return Meeting(self.paths[mover], self.paths[place], contact.travel, contact.point)

    def _facing(self, place: int, mesh: Mesh, frame: bytes, sense: float, radius: float) -> Facing:
        """The facets of a leaf that face along or against the w of a view frame, kept as long as somebody else does."""
        key = place, mesh, frame, sense, radius
        found = self._facings.get(key)
        if found is None:
            turn = np.frombuffer(frame).reshape(3, 3) @ self.poses[self.paths[place]][:3, :3]
            found = self._facings[key] = facing_along(mesh, (turn.round(9) + 0.0).tobytes(), sense, radius)
        return found

    @cached_property
    def _facings(self) -> WeakValueDictionary[tuple[Any, ...], Facing]:
        return WeakValueDictionary()


@lru_cache(maxsize=100_000)
def _own_corners(assembly: Assembly, path: str) -> NDArray[np.float64]:
    """The eight corners (8, 3) of a leaf's bounding box in its own frame."""
    pick = np.array([[x, y, z] for x in (0, 1) for y in (0, 1) for z in (0, 1)])
    return assembly.leaf(path).part.mesh.bounds[pick, [0, 1, 2]]


@lru_cache(maxsize=16)
def home_boxes(assembly: Assembly) -> NDArray[np.float64]:
    """Bounds (n, 2, 3) of every leaf at home, in tree order, a little wide where one is askew; not to be altered."""
    return home_scene(assembly).boxes


def turn_bounds(corners: NDArray[np.float64], turn: Screw) -> NDArray[np.float64]:
    """Bounds (2, 3) of the cylinder that corners (8, 3) stay in when they turn, advance included.

    Parameters
    ----------
    corners : (8, 3) float64
        In mm, where the turn finds them.
    turn : Screw
    """
    along = (corners - turn.origin) @ turn.direction
    radius = np.linalg.norm(corners - turn.origin - along[:, None] * turn.direction, axis=1).max()
    onward = turn.advance * turn.angle / 360
    ends = turn.origin + np.outer((along.min() + min(onward, 0.0), along.max() + max(onward, 0.0)), turn.direction)
    reach = radius * np.sqrt(np.maximum(1 - turn.direction**2, 0.0))
    return np.array([ends.min(0) - reach, ends.max(0) + reach])


def home_scene(assembly: Assembly, removed: Iterable[str] = (), tolerance: float = TOLERANCE) -> Scene:
    """The assembled state, less the components (leaves or subassemblies) named in ``removed``.

    Parameters
    ----------
    assembly : Assembly
    removed : iterable of str
    tolerance : float
        In mm.
    """
    gone = set(assembly.leaves_of(removed))
    poses = {leaf.path: leaf.pose for leaf in assembly.leaves if leaf.path not in gone}
    return Scene(assembly, poses, Terms(tolerance))
