"""What comes loose: which parts stand by themselves, and which must be held, where some have been taken off."""

from collections.abc import Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import lru_cache

import networkx as nx
import numpy as np
from numpy.typing import NDArray

from pulley.core.assembly import Assembly
from pulley.core.contact.overlap import overlap_depth
from pulley.core.contact.patches import NEAR, Patch, patch_of
from pulley.core.geometry.frames import Pose, Vector, apply
from pulley.core.geometry.mesh import Mesh
from pulley.core.part_kinds import kind_of
from pulley.core.planning.standing import FRICTION, Body, Contact, must_be_held

FAR = 1.0  # mm by which what hangs in the air may sink until it rests
MOST = 100  # bodies that bear one another and are judged; of more nothing is said, as that would take minutes
PRESSED = 0.005  # mm that two parts overlap by, from which one is pressed or screwed into the other
STEEL = 7.85e-3  # g/mm3, of parts of which nobody has said what they weigh
UPWARD = 0.5  # cosine to upright, from which a contact bears from below
FALLS, TIPS, RUBS = "falls", "tips over", "stays only by friction"


@dataclass(frozen=True)
class Loose:
    """Leaves that are as one and do not stand by themselves, and what they do: fall, tip over, or stay by friction."""

    leaves: tuple[str, ...]
    does: str

    @property
    def held(self) -> bool:
        """Whether a hand is needed."""
        return self.does != RUBS


Solved = dict[tuple[frozenset[str], frozenset[int]], tuple[Loose, ...]]  # by the leaves, and the contacts by number
Found = tuple[list[Contact], Collection[str], Solved]


@dataclass(eq=False)
class Support:
    """How the leaves of an assembly bear one another under gravity.

    Screws and nuts clamp whatever they touch as long as they are there, a screw that had a nut as long as one of its
    nuts is (common practice, no source); so does what overlaps, being pressed or screwed in. What is clamped together
    is one rigid body. What hangs in the air with everything at home sinks by up to a mm until it rests; what still does
    is held by something that was not drawn, and counts as fixed. Parts whose mass nobody has said are of steel.

    Parameters
    ----------
    assembly : Assembly
    poses : mapping of path to (4, 4) float64
        Where each leaf stands.
    fixed : collection of str
        Leaves that nothing moves.
    down : (3,)
        The way that things fall.
    known : Found, optional
        What another one for the same has `found`.
    key : str
        What the ones for the same have in common.
    """

    assembly: Assembly
    poses: Mapping[str, Pose]
    fixed: Collection[str]
    down: Vector
    friction: float = FRICTION
    contacts: list[Contact] = field(init=False)
    known: Found | None = None
    key: str = ""
    _nuts: dict[str, set[str]] = field(init=False)
    _solved: Solved = field(default_factory=dict)

    def __post_init__(self) -> None:
        """Find where leaves stand on one another; what hangs in the air at home gets a wider look."""
        if self.known:
            self._know(self.known[0])
            self.fixed = self.known[1]
            self._solved.update(self.known[2])
            return
        pairs = list(_neighbours(self.assembly, self.poses))
        self._know(self._found(pairs, NEAR))
        hanging = self._hanging()
        if hanging:
            closer = [pair for pair in pairs if set(pair) & hanging]
            known = {(c.on, c.by) for c in self.contacts}
            self._know([*self.contacts, *(c for c in self._found(closer, FAR) if (c.on, c.by) not in known)])
            self.fixed = {*self.fixed, *self._hanging()}

    @property
    def found(self) -> Found:
        """What another one for the same need not work out again: contacts, what is fixed, and what was looked at."""
        return self.contacts, self.fixed, self._solved

    def _know(self, contacts: list[Contact]) -> None:
        """These are the contacts; what follows from them is worked out anew."""
        self.contacts, self._nuts = contacts, self._nuts_of(contacts)
        self._solved.clear()

    def _hanging(self) -> set[str]:
        return {path for each in self.loose(self.poses) if each.held for path in each.leaves}

    def _found(self, pairs: Iterable[tuple[str, str]], near: float) -> list[Contact]:
        """Contacts of pairs: where they stand on one another, or are clamped together."""
        found = []
        for a, b in pairs:
            patch = _patch(self.assembly, a, b, (self.poses[a], self.poses[b]), near)
            screwed = bool({self._kind(a), self._kind(b)} & {"screw", "nut"})
            if len(patch.points):
                found.append(Contact(a, b, patch.points, patch.normals, screwed))
            elif near == NEAR and _is_pressed(self.assembly, a, b, self.poses[a], self.poses[b]):
                found.append(Contact(a, b, patch.points, patch.normals, True))
        return found

    def _kind(self, path: str) -> str:
        return kind_of(self.assembly.leaf(path).part)

    def _nuts_of(self, contacts: Iterable[Contact]) -> dict[str, set[str]]:
        """The nuts that each screw touches."""
        found: dict[str, set[str]] = {}
        for contact in contacts:
            for screw, nut in ((contact.on, contact.by), (contact.by, contact.on)):
                if (self._kind(screw), self._kind(nut)) == ("screw", "nut"):
                    found.setdefault(screw, set()).add(nut)
        return found

    def _clamps(self, contact: Contact, present: set[str]) -> bool:
        """Whether a contact holds as long as only these leaves are there."""
        if not (contact.clamped and len(contact.points)):
            return contact.clamped
        screws = [path for path in (contact.on, contact.by) if self._kind(path) == "screw"]
        loose = [path for path in screws if path in self._nuts and self._nuts[path].isdisjoint(present)]
        return not loose

    def loose(self, present: Iterable[str]) -> tuple[Loose, ...]:
        """What does not stand by itself of the leaves that are there."""
        there = set(present)
        known = [(n, c) for n, c in enumerate(self.contacts) if c.on in there and c.by in there]
        body_of, standing = self._bodies(there, [c for _, c in known])
        members: dict[str, list[str]] = {}
        for path in sorted(there):
            members.setdefault(body_of[path], []).append(path)
        borne = [(n, _renamed(c, body_of[c.on], body_of[c.by])) for n, c in known if body_of[c.on] != body_of[c.by]]
        graph = nx.Graph()
        graph.add_nodes_from(members.keys() - standing)
        graph.add_edges_from((c.on, c.by) for _, c in borne if not {c.on, c.by} & standing)
        found: list[Loose] = []
        for bodies in nx.connected_components(graph):
            own = {n: c for n, c in borne if {c.on, c.by} & bodies}
            key = frozenset(path for body in bodies for path in members[body]), frozenset(own)
            if key not in self._solved:
                named = {body: members[body] for body in sorted(bodies)}
                self._solved[key] = tuple(self._of_bodies(named, list(own.values())))
            found += self._solved[key]
        return tuple(sorted(found, key=lambda each: each.leaves))

    def _bodies(self, there: set[str], contacts: list[Contact]) -> tuple[Mapping[str, str], set[str]]:
        """The rigid body that each leaf is in, by name, and those that nothing moves."""
        joined = nx.utils.UnionFind(sorted(there))
        fixed = sorted(there.intersection(self.fixed))
        for contact in contacts:
            if self._clamps(contact, there):
                joined.union(contact.on, contact.by)
        joined.union(*fixed)
        named: dict[str, str] = {}  # each by its first leaf: what stands for it here differs from one run to the next
        for path in sorted(there):
            named.setdefault(joined[path], path)
        return {path: named[joined[path]] for path in there}, {named[joined[path]] for path in fixed}

    def _of_bodies(self, bodies: Mapping[str, list[str]], contacts: list[Contact]) -> Iterator[Loose]:
        """What of bodies that bear one another does not stand; what stands without friction is not looked at twice."""
        if not contacts:
            yield from (Loose(tuple(leaves), FALLS) for leaves in bodies.values())
            return
        if len(bodies) > MOST:
            return
        solids = [_body(self.assembly, name, leaves, self.poses) for name, leaves in bodies.items()]
        fixed = {name for c in contacts for name in (c.on, c.by)} - bodies.keys()
        slips = must_be_held(solids, contacts, fixed, self.down, 0.0, fewest=False)
        held = must_be_held(solids, contacts, fixed, self.down, self.friction) if slips else {}
        for name in sorted(slips.keys() | held.keys()):
            borne = any(_bears(c, name, -self.down) for c in contacts)
            if name in held or not borne:
                yield Loose(tuple(bodies[name]), RUBS if name not in held else TIPS if borne else FALLS)


def _renamed(contact: Contact, on: str, by: str) -> Contact:
    return Contact(on, by, contact.points, contact.normals)


def _bears(contact: Contact, name: str, up: Vector) -> bool:
    """Whether a contact bears a body from below."""
    if name not in (contact.on, contact.by):
        return False
    rising = contact.normals @ up
    return bool((rising > UPWARD).any() if name == contact.on else (rising < -UPWARD).any())


def _body(assembly: Assembly, name: str, leaves: Iterable[str], poses: Mapping[str, Pose]) -> Body:
    """Leaves as one rigid body: its mass in g, and its centre of gravity."""
    masses, centres = [], []
    for path in leaves:
        part = assembly.leaf(path).part
        volume, middle = _solid(part.mesh)
        masses.append(STEEL * volume if part.mass is None else max(part.mass, 1e-9))
        centres.append(apply(poses[path], middle))
    return Body(name, sum(masses), np.average(centres, axis=0, weights=masses))


@lru_cache(maxsize=4096)
def _solid(mesh: Mesh) -> tuple[float, Vector]:
    """Volume in mm3 and centre (3,) of what a mesh encloses; of its bounds where it encloses nothing."""
    a, b, c = np.moveaxis(mesh.corners, 1, 0)
    each = np.einsum("ij,ij->i", a, np.cross(b, c)) / 6
    volume = float(each.sum())
    box = float(np.prod(np.maximum(mesh.bounds[1] - mesh.bounds[0], 1e-3)))
    if not 1e-3 * box < volume <= 1.01 * box:
        return box, mesh.bounds.mean(0)
    return volume, (each[:, None] * (a + b + c)).sum(0) / (4 * volume)


def _is_pressed(assembly: Assembly, a: str, b: str, a_pose: Pose, b_pose: Pose) -> bool:
    one, other = assembly.leaf(a).part.mesh, assembly.leaf(b).part.mesh
    boxes = [_bounds(assembly, a, a_pose), _bounds(assembly, b, b_pose)]
    shared = np.minimum(boxes[0][1], boxes[1][1]) - np.maximum(boxes[0][0], boxes[1][0])
    return bool((shared > PRESSED).all()) and overlap_depth(one, a_pose, other, b_pose) > PRESSED


def _patch(assembly: Assembly, a: str, b: str, poses: tuple[Pose, Pose], near: float) -> Patch:
    """The patch of two leaves, worked out once for parts that stand to each other like these."""
    one, other = assembly.leaf(a).part, assembly.leaf(b).part
    between = np.linalg.inv(poses[0]) @ poses[1]
    key = ("patch", one.key, other.key, near, np.round(between, 5).tobytes())
    found = assembly.once(key, lambda: patch_of(one.mesh, np.eye(4), other.mesh, between, near))
    return Patch(apply(poses[0], found.points), found.normals @ poses[0][:3, :3].T)


def _neighbours(assembly: Assembly, poses: Mapping[str, Pose]) -> Iterable[tuple[str, str]]:
    paths = list(poses)
    boxes = np.array([_bounds(assembly, path, poses[path]) for path in paths]).reshape(-1, 2, 3)
    for k, path in enumerate(paths):
        near = (boxes[k + 1 :, 0] <= boxes[k, 1] + FAR).all(1) & (boxes[k + 1 :, 1] >= boxes[k, 0] - FAR).all(1)
        yield from ((path, paths[j]) for j in (np.flatnonzero(near) + k + 1).tolist())


def _bounds(assembly: Assembly, path: str, pose: Pose) -> NDArray[np.float64]:
    corners = apply(pose, assembly.leaf(path).part.mesh.box_corners)
    return np.array([corners.min(0), corners.max(0)])
