"""What comes loose: which parts stand by themselves, and which must be held, where some have been taken off."""

from collections.abc import Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import cached_property, lru_cache

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from pulley.core.assembly import Assembly
from pulley.core.contact.overlap import overlap_depth
from pulley.core.contact.patches import NEAR, Patch, patch_of
from pulley.core.geometry.bounds import near_pairs
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


Places = NDArray[np.intp]
Solved = dict[tuple[bytes, bytes], tuple[Loose, ...]]  # by the leaves and the contacts, both as numbers
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
    _nuts: dict[int, Places] = field(init=False)
    _ends: Places = field(init=False)
    _clamped: NDArray[np.bool_] = field(init=False)
    _sizes: Places = field(init=False)
    _solved: Solved = field(default_factory=dict)
    _alike: dict[tuple[bytes, ...], tuple[tuple[Places, str], ...]] = field(default_factory=dict)

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
        self.contacts, places = contacts, self._places
        self._ends = np.array([(places[c.on], places[c.by]) for c in contacts], np.intp).reshape(-1, 2)
        self._clamped = np.array([c.clamped for c in contacts], bool)
        self._sizes = np.array([len(c.points) for c in contacts], np.intp)
        self._nuts = self._nuts_of(contacts)
        self._solved.clear()
        self._alike.clear()

    @cached_property
    def _paths(self) -> list[str]:
        """The leaves, each at its number."""
        return sorted(self.poses)

    @cached_property
    def _places(self) -> dict[str, int]:
        return {path: n for n, path in enumerate(self._paths)}

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

    def _nuts_of(self, contacts: Iterable[Contact]) -> dict[int, Places]:
        """The nuts that each screw touches, by number."""
        found: dict[int, list[int]] = {}
        for contact in contacts:
            for screw, nut in ((contact.on, contact.by), (contact.by, contact.on)):
                if (self._kind(screw), self._kind(nut)) == ("screw", "nut"):
                    found.setdefault(self._places[screw], []).append(self._places[nut])
        return {screw: np.array(nuts, np.intp) for screw, nuts in found.items()}

    def loose(self, present: Iterable[str]) -> tuple[Loose, ...]:
        """What does not stand by itself of the leaves that are there."""
        here = np.zeros(len(self._paths), bool)
        here[[self._places[path] for path in present]] = True
        body, standing = self._bodies(here)
        ends = body[self._ends]
        borne = np.flatnonzero(here[self._ends].all(1) & (ends[:, 0] != ends[:, 1]))
        between = ends[borne]
        group = _joined(between[~standing[between].any(1)], len(standing))
        leaves = np.flatnonzero(here & ~standing[body])
        own = _split(borne, group[np.where(standing[between[:, 0]], between[:, 1], between[:, 0])])
        found: list[Loose] = []
        for number, members in _split(leaves, group[body[leaves]]).items():
            contacts = own.get(number, np.zeros(0, np.intp))
            key = members.tobytes(), contacts.tobytes()
            if key not in self._solved:
                self._solved[key] = self._of_group(members, contacts, body)
            found += self._solved[key]
        return tuple(sorted(found, key=lambda each: each.leaves))

    def _bodies(self, here: NDArray[np.bool_]) -> tuple[Places, NDArray[np.bool_]]:
        """The number (n,) of the rigid body that each leaf is in, and which of these (m,) nothing moves."""
        fixed = np.array([n for path in self.fixed if (n := self._places.get(path)) is not None and here[n]], np.intp)
        clamped = self._ends[self._clamps(here)]
        body = _joined(np.vstack([clamped, np.column_stack([fixed, np.roll(fixed, 1)])]), len(here))
        standing = np.zeros(body.max(initial=-1) + 1, bool)
        standing[body[fixed]] = True
        return body, standing

    def _clamps(self, here: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """Which contacts clamp, where so many leaves are there: of a screw that has lost all its nuts none that only
        touches."""
        lost = np.zeros(len(here), bool)
        lost[[screw for screw, nuts in self._nuts.items() if not here[nuts].any()]] = True
        return self._clamped & here[self._ends].all(1) & ((self._sizes == 0) | ~lost[self._ends].any(1))

    def _of_group(self, leaves: Places, contacts: Places, body: Places) -> tuple[Loose, ...]:
        """What of bodies that bear one another does not stand; worked out once for groups that are alike."""
        key, order = self._likeness(leaves, contacts, body)
        if key not in self._alike:
            names: dict[int, str] = {}
            members: dict[str, list[str]] = {}
            for n in leaves.tolist():
                members.setdefault(names.setdefault(body[n], self._paths[n]), []).append(self._paths[n])
            borne = [self._between_bodies(n, names, body) for n in contacts.tolist()]
            ranks = {self._paths[n]: rank for rank, n in enumerate(order.tolist())}
            self._alike[key] = tuple(
                (np.array([ranks[path] for path in each.leaves]), each.does) for each in self._of_bodies(members, borne)
            )
        return tuple(
            Loose(tuple(self._paths[n] for n in np.sort(order[ranks]).tolist()), does)
            for ranks, does in self._alike[key]
        )

    def _between_bodies(self, contact: int, names: Mapping[int, str], body: Places) -> Contact:
        """A contact between bodies, by their names; all that stands is one."""
        known = self.contacts[contact]
        on, by = (names.get(int(body[n]), "") for n in self._ends[contact])
        return Contact(on, by, known.points, known.normals)

    def _likeness(self, leaves: Places, contacts: Places, body: Places) -> tuple[tuple[bytes, ...], Places]:
        """What a group has in common with others that are like it elsewhere: parts, places, bodies and contacts. And
        its leaves, with those that it stands on, in the order in which this speaks of them."""
        ends = self._ends[contacts]
        every = np.concatenate([leaves, np.setdiff1d(ends, leaves)])
        at = np.array([self.poses[self._paths[n]] for n in every.tolist()])
        at[:, :3, 3] -= at[: len(leaves), :3, 3].mean(0)
        looks = np.column_stack([self._parts[every], np.round(at[:, :3].reshape(-1, 12), 5) + 0.0])
        order = np.lexsort(looks.T)
        rank = np.zeros(len(self._paths), np.intp)
        rank[every[order]] = np.arange(len(every))
        bodies = np.where(np.isin(every, leaves), body[every], -1)[order]
        _, first, number = np.unique(bodies, return_index=True, return_inverse=True)
        met = np.column_stack([rank[ends], self._sizes[contacts]])
        met = met[np.lexsort(met.T)]
        return (looks[order].tobytes(), first[number].tobytes(), (bodies < 0).tobytes(), met.tobytes()), every[order]

    @cached_property
    def _parts(self) -> NDArray[np.float64]:
        """A number for the part of each leaf, and what it weighs."""
        known: dict[tuple[str, float | None], int] = {}
        parts = [self.assembly.leaf(path).part for path in self._paths]
        return np.array([known.setdefault((part.key, part.mass), len(known)) for part in parts], float)

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


def _joined(pairs: Places, count: int) -> Places:
    """The number (count,) of the connected component that each of so many is in, joined by pairs (n, 2)."""
    graph = coo_matrix((np.ones(len(pairs), bool), (pairs[:, 0], pairs[:, 1])), (count, count))
    found: Places = connected_components(graph, directed=False)[1]
    return found


def _split(values: Places, by: Places) -> dict[int, Places]:
    """Values in their order, apart by a number that each has.

    >>> {key: found.tolist() for key, found in _split(np.array([5, 6, 7]), np.array([1, 0, 1])).items()}
    {0: [6], 1: [5, 7]}
    """
    order = np.argsort(by, kind="stable")
    keys, starts = np.unique(by[order], return_index=True)
    return dict(zip(keys.tolist(), np.split(values[order], starts[1:]), strict=True)) if len(keys) else {}


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
    return ((paths[i], paths[j]) for i, j in near_pairs(boxes, FAR).tolist())


def _bounds(assembly: Assembly, path: str, pose: Pose) -> NDArray[np.float64]:
    corners = apply(pose, assembly.leaf(path).part.mesh.box_corners)
    return np.array([corners.min(0), corners.max(0)])
