"""Random scenes for the referee: bodies, how they move, and what is known of the answer beforehand."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from benchmarks.referee_bodies import Make, Solid, box, corners_of, plate, random_body, screw, thread, tube
from benchmarks.referee_moves import Move, Pose, moves
from pulley.core.assembly import Leaf, Part
from pulley.core.geometry.mesh import flat_mesh
from pulley.core.motion import Axial, Axis, Fan, Path, Radial, Turn
from pulley.core.teardown import Step, Timing

SAG = 0.04  # mm that a circle's chords may lie off it in what Pulley is given, as its own reader meshes
FINER = 2.5  # times the segments by which the referee judges
TOLERANCE = 0.1  # mm; the rule's, as docs/methods.md states it
BIT = 1e-4  # share of a motion that shows how fast it is: all go at one pace


@dataclass
class Body:
    """A named body, its pose (4, 4), and its thinnest wall in mm; ``least`` where only a bound of that is known."""

    name: str
    make: Make
    pose: Pose
    wall: float = 1e9
    least: float = 0.0
    warp: float = 1.0

    def _made(self, segments: int) -> Solid:
        made = self.make(segments).scale((abs(self.warp),) * 3)
        return made.mirror((1, 0, 0)) if self.warp < 0 else made

    @cached_property
    def segments(self) -> int:
        """As many to a circle as keep its chords within `SAG`."""
        reach = float(np.linalg.norm(corners_of(self.make(24)), axis=2).max()) * abs(self.warp)
        return 4 * int(np.ceil(max(48, np.pi / np.arccos(1 - min(SAG / reach, 0.1))) / 4))

    @cached_property
    def own(self) -> Solid:
        """The body in its own frame, as fine as Pulley is given it."""
        return self._made(self.segments)

    @cached_property
    def _finer(self) -> Solid:
        return self._made(int(self.segments * FINER))

    @property
    def fine(self) -> Solid:
        """The body where it stands, as the referee judges it."""
        return self._finer.transform(self.pose[:3])

    def component(self) -> Leaf:
        """What Pulley is given."""
        corners = corners_of(self.own)
        mesh = flat_mesh(corners)
        reach = float(np.linalg.norm(corners, axis=2).max())
        object.__setattr__(mesh, "error", reach * (1 - np.cos(np.pi / self.segments)))
        return Leaf(self.name, self.name, None, self.pose, Part(self.name, self.name, mesh))


@dataclass
class Query:
    """What is asked: how steps that play together move some of the bodies, and what is known of the answer beforehand.

    ``known`` is a distance in mm, None for "never stopped"; left out where only the judge can say. ``gap`` is how far
    apart in mm they are at a share of the steps, negative where they penetrate, by a closed form. ``separating``
    motions can never be a snag.
    """

    kind: str
    bodies: list[Body]
    steps: tuple[Step, ...]
    known: float | None | str = "?"
    gap: Callable[[float], float] | None = None
    separating: bool = False

    @cached_property
    def moves(self) -> dict[str, Move]:
        """How each body that moves is displaced at a share of the steps."""
        return {member: move for step in self.steps for member, move in moves(step, self._middle)}

    def _middle(self, member: str) -> NDArray[np.float64]:
        body = self.by_name[member]
        points = corners_of(body.own).reshape(-1, 3)
        return body.pose[:3, :3] @ (points.min(0) + points.max(0)) / 2 + body.pose[:3, 3]

    @property
    def by_name(self) -> dict[str, Body]:
        return {body.name: body for body in self.bodies}

    @cached_property
    def length(self) -> float:
        """How far in mm the fastest point of what moves goes."""
        ways = [0.0]
        for name, move in self.moves.items():
            points = corners_of(self.by_name[name].own).reshape(-1, 3)
            points = points @ self.by_name[name].pose[:3, :3].T + self.by_name[name].pose[:3, 3]
            bit = move(BIT)
            ways.append(np.linalg.norm(points @ bit[:3, :3].T + bit[:3, 3] - points, axis=1).max() / BIT)
        return float(max(ways))


def _unit(random: np.random.Generator) -> NDArray[np.float64]:
    vector = random.normal(size=3)
    return vector / np.linalg.norm(vector)


def _placed(random: np.random.Generator, at: NDArray[np.float64] | tuple = (0, 0, 0), turned: bool = True) -> Pose:
    pose = np.eye(4)
    if turned:
        pose[:3, :3] = Rotation.random(random_state=random).as_matrix()
    pose[:3, 3] = at
    return pose


def _axial(mover: str, along: NDArray[np.float64] | tuple, distance: float) -> tuple[Step]:
    return (Step("s1", (mover,), Axial(tuple(map(float, along)), float(distance))),)


def apart(random: np.random.Generator, size: float) -> Query:
    """Two to four random solids apart; one goes towards another."""
    bodies = [Body("a", random_body(random, size), _placed(random), least=size / 10)]
    for k in range(int(random.integers(1, 4))):
        at = _unit(random) * size * random.uniform(1.9, 3.5)
        bodies.append(Body(f"b{k}", random_body(random, size), _placed(random, at), least=size / 10))
    aim = bodies[1].pose[:3, 3] + _unit(random) * size * random.uniform(0, 0.6)
    return Query("apart", bodies, _axial("a", aim / np.linalg.norm(aim), 6 * size))


def lifted(random: np.random.Generator, size: float) -> Query:
    """A random solid that touches a plane, lifted off it obliquely."""
    pose = _placed(random)
    body = Body("a", random_body(random, size), pose)
    pose[2, 3] = -(corners_of(body.own) @ pose[:3, :3].T)[..., 2].min()
    ground = Body("ground", box(6 * size, 6 * size, size / 2), _placed(random, (0, 0, -size / 4), False))
    along = random.normal(size=3)
    along[2] = abs(along[2]) + 0.02
    return Query("touching", [body, ground], _axial("a", along, 5 * size), separating=True)


def crossed(random: np.random.Generator, size: float) -> Query:
    """Crossed bars face to face, the upper lifted off obliquely."""
    bars = [Body("a", box(size * 2, size / 3, size / 3), _placed(random, (0, 0, size / 3), False))]
    bars.append(Body("b", box(size / 3, size * 2, size / 3), np.eye(4)))
    along = (*random.uniform(-1, 1, 2), random.uniform(0.01, 1))
    return Query("touching", bars, _axial("a", along, 5 * size), separating=True)


def fitted(random: np.random.Generator, size: float) -> Query:
    """A screw in its hole: with clearance, none, or interference; along its axis, or sideways."""
    radius, thick = size * random.uniform(0.1, 0.2), size * random.uniform(0.3, 0.6)
    play = float(random.choice([0.5, 0.1, 0.0, -0.15, -0.35]) * min(1.0, radius / 3))
    hole = plate(size * 1.5, size * 1.5, thick, (0, 0, radius + play))
    pose = _placed(random, turned=False)
    pose[:3, :3] = Rotation.from_euler("z", random.uniform(0, 360), degrees=True).as_matrix()
    pose[2, 3] = thick / 2
    wall = min(thick, 2 * radius, 0.75 * size - radius - play)
    bodies = [Body("a", screw(radius, thick * 1.4, radius), pose, wall=wall), Body("b", hole, np.eye(4), wall=wall)]
    if random.random() < 0.5:
        return Query("fits", bodies, _axial("a", (0, 0, 1), 4 * size), known=None)
    if random.random() < 0.3:
        return Query("fits", bodies, _axial("a", (0, 0, -1), 4 * size), known=0.0)
    angle = random.uniform(0, 2 * np.pi)
    side = (np.cos(angle), np.sin(angle), 0)
    return Query("fits", bodies, _axial("a", side, 4 * size), known=max(play, 0.0))


def sunk(random: np.random.Generator, size: float) -> Query:
    """A block sunk into another: deeper, out, or along."""
    deep = size * random.uniform(0.01, 0.2)
    bodies = [Body("a", box(size, size, size), _placed(random, (0, 0, size - deep), False), wall=size)]
    bodies.append(Body("b", box(size * 2, size * 2, size), np.eye(4), wall=size))
    along, known = [((0, 0, -1), 0.0), ((0, 0, 1), None), ((1, 0, 0), None), ((1, 0.3, 0.2), None)][random.integers(4)]
    return Query("overlapping at home", bodies, _axial("a", along, 6 * size), known=known)


def thin(random: np.random.Generator, size: float) -> Query:
    """A foil or a thin tube against a block, face on or edge on, from a known distance."""
    wall, gap = random.uniform(0.03, 0.3) * min(1.0, size / 10), size * random.uniform(0.1, 1.0)
    block = Body("b", box(size, size, size), np.eye(4), wall=size)
    if random.random() < 0.4:
        body = tube(size / 3, size / 3 - wall, size / 2)
        pose = _placed(random, (0, 0, size * 0.75 + gap), False)
    else:
        body, pose = box(size * 0.8, size * 0.6, wall), _placed(random, (0, 0, size / 2 + wall / 2 + gap), False)
        if random.random() < 0.5:
            pose[:3, :3] = Rotation.from_euler("x", 90, degrees=True).as_matrix()
            pose[2, 3] = size / 2 + size * 0.3 + gap
    mover, other = (("a", (0, 0, -1)), ("b", (0, 0, 1)))[int(random.integers(2))]
    bodies = [Body("a", body, pose, wall=wall), block]
    return Query("thin walls", bodies, _axial(mover, other, 5 * size), known=gap)


def stacked(random: np.random.Generator, size: float) -> Query:
    """Shims on one another: the upper is lifted, the lower is held."""
    wall = random.uniform(0.02, 0.2)
    bodies = [
        Body(f"s{k}", box(size, size, wall), _placed(random, (0, 0, k * wall), False), wall=wall) for k in range(3)
    ]
    mover, along, known = [("s2", (0, 0, 1), None), ("s1", (0, 0, 1), 0.0), ("s1", (1, 0, 0), None)][random.integers(3)]
    return Query("shims", bodies, _axial(mover, along, 3 * size), known=known)


def framed(random: np.random.Generator, size: float) -> Query:
    """A shelf of 1 mm sheet in a cabinet of metres goes edge-on to the door."""
    size = random.uniform(500, 50_000)
    gap = random.uniform(1, 100)
    shelf = Body("a", box(size * 0.8, size * 0.4, 1.0), np.eye(4), wall=1.0)
    door = Body("b", box(size, 1.0, size), _placed(random, (0, size * 0.2 + gap + 0.5, 0), False), wall=1.0)
    back = Body("c", box(size, 1.0, size), _placed(random, (0, -size * 0.2 - 0.5, 0), False), wall=1.0)
    return Query("large", [shelf, door, back], _axial("a", (0, 1, 0), 2 * size), known=gap)


def mirrored(random: np.random.Generator, size: float) -> Query:
    """A mirrored or scaled angle that comes down on a plate."""
    warp = float(random.choice([-1.0, 2.0, 0.5, -1.5]))

    def angle(n: int) -> Solid:
        return box(size, size, size / 4)(n) + box(size / 4, size, size)(n).translate((-size * 0.375, 0, size * 0.375))

    gap = size * random.uniform(0.1, 1.0)
    pose = _placed(random, (0, 0, gap + abs(warp) * size / 8 + size / 8), False)
    bodies = [Body("a", angle, pose, warp=warp), Body("b", box(6 * size, 6 * size, size / 4), np.eye(4))]
    return Query("mirrored, scaled", bodies, _axial("a", (0, 0, -1), 4 * size), known=gap)


def turning(random: np.random.Generator, size: float) -> Query:
    """Random solids apart; one turns about a random axis, with an advance."""
    query = apart(random, size)
    axis = Axis(tuple(_unit(random) * size * 1.5), tuple(_unit(random)))
    angle, advance = float(random.choice([-1, 1]) * random.uniform(30, 400)), float(random.uniform(-2, 2) * size)
    step = Step("s1", ("a",), Turn(axis, angle, advance=advance))
    return Query("turns", query.bodies, (step,))


def pathed(random: np.random.Generator, size: float) -> Query:
    """Random solids apart; one goes along a path of three legs."""
    query = apart(random, size)
    points = np.cumsum([_unit(random) * size * random.uniform(0.5, 2.5) for _ in range(3)], axis=0)
    if random.random() < 0.5:
        points[1] = query.bodies[1].pose[:3, 3] * random.uniform(0.7, 1.5)
    return Query("paths", query.bodies, (Step("s1", ("a",), Path(tuple(map(tuple, points)))),))


def rounded(random: np.random.Generator, size: float) -> Query:
    """The same along a rounded path."""
    query = pathed(random, size)
    return Query(
        "smooth paths",
        query.bodies,
        tuple(replace(step, motion=replace(step.motion, smooth=True)) for step in query.steps),
    )


def radial(random: np.random.Generator, size: float) -> Query:
    """Random solids round an axis or a point go outward, two others in their way."""
    angles = np.linspace(0, 2 * np.pi, int(random.integers(3, 6)), endpoint=False) + random.uniform(0, 2 * np.pi)
    bodies = []
    for k, angle in enumerate(angles):
        at = np.array([np.cos(angle), np.sin(angle), random.uniform(-0.3, 0.3)]) * size * 1.5
        bodies.append(Body(f"a{k}", random_body(random, size), _placed(random, at), least=size / 10))
    for k, angle in enumerate(random.uniform(0, 2 * np.pi, 2)):
        at = np.array([np.cos(angle), np.sin(angle), 0]) * size * random.uniform(3.5, 5)
        bodies.append(Body(f"b{k}", random_body(random, size), _placed(random, at), least=size / 10))
    centre = {"axis": Axis((0, 0, 0), (0, 0, 1))} if random.random() < 0.5 else {"point": (0.0, 0.0, 0.0)}
    members = tuple(body.name for body in bodies[:-2])
    return Query("radial", bodies, (Step("s1", members, Radial(6 * size, **centre)),))


def fan(random: np.random.Generator, size: float) -> Query:
    """A stack of plates fans out: rightly, or from the wrong end, so that each runs into the next."""
    count, thick, gap = int(random.integers(2, 6)), size * random.uniform(0.1, 0.3), size * random.uniform(0, 0.2)
    pitch, wrong = gap + size * random.uniform(0.1, 1), random.random() < 0.5
    bodies = [
        Body(f"a{k}", plate(size, size, thick, (0, 0, size / 4)), _placed(random, (0, 0, k * (thick + gap)), False))
        for k in range(count)
    ]
    members = tuple(body.name for body in bodies)
    step = Step("s1", members[::-1] if wrong else members, Axial((0, 0, 1), 2 * size, fan=Fan(pitch=pitch)))
    # the last of the fan goes farthest; each gains a pitch on the next while that goes its whole way
    known = (2 * size + (count - 1) * pitch) * gap / pitch if wrong else None
    return Query("fans", bodies, (step,), known=known)


def meeting(random: np.random.Generator, size: float) -> Query:
    """Two random solids that move at the same time, the one straight, the other straight, along a path or turning."""
    query = apart(random, size)
    (first,), other = query.steps, query.bodies[1]
    start = other.pose[:3, 3]
    back = tuple(_unit(random) * 0.6 - start / np.linalg.norm(start))
    points = np.cumsum([_unit(random) * size for _ in range(2)], axis=0)
    motion = [
        Axial(back, size * 4),
        Path(tuple(map(tuple, points))),
        Turn(Axis((0, 0, 0), tuple(_unit(random))), float(random.uniform(60, 360))),
    ][random.integers(3)]
    return Query(
        "at the same time",
        query.bodies,
        (first, Step("s2", (other.name,), motion, timing=Timing(start="with"))),
    )


def threaded(random: np.random.Generator, size: float) -> Query:
    """A modelled thread in its nut: unscrewed at its pitch, at another one, or pulled straight.

    At a slip of s along the axis the middles of two sections are depth * sin(pi s / pitch) apart. Flanks lean, crests
    do not.
    """
    size = min(max(size, 30.0), 60.0)
    radius = size * random.uniform(0.15, 0.3)
    pitch = radius * random.uniform(0.3, 0.7)
    depth = pitch * random.uniform(0.35, 0.6)  # as a metric thread has at most
    play, turns = float(random.choice([0.3, 0.1, 0.0, -0.1])), 4
    hole = thread(radius + play, pitch, depth, turns)

    def nut(n: int) -> Solid:
        return box(size, size, 2 * pitch)(n).translate((0, 0, 2 * pitch)) - hole(n)

    bodies = [Body("a", thread(radius, pitch, depth, turns), np.eye(4)), Body("b", nut, np.eye(4))]
    factor = float(random.choice([1.0, 1.0, 1.0, 1.0, -1.0, 0.0, 0.8, 1.25]))

    def gap(share: float) -> float:
        phase = np.pi * turns * share * (1.0 if straight else factor - 1)
        flank = (play - depth * abs(np.sin(phase))) / np.hypot(1, np.pi * depth / pitch * np.cos(phase))
        return float(min(flank, play))

    straight = random.random() < 0.25
    if straight:
        return Query("threads", bodies, _axial("a", (0, 0, 1), turns * pitch), gap=gap)
    axis = Axis((0, 0, 0), (0, 0, 1))
    step = Step("s1", ("a",), Turn(axis, 360.0 * turns, advance=pitch * factor))
    return Query("threads", bodies, (step,), gap=gap)


def oblique(random: np.random.Generator, size: float) -> Query:
    """A bar in its guide, pulled a little askew: it slides until it has used up its play."""
    play, lean = random.uniform(0.02, 0.2), np.radians(random.uniform(0.05, 1.0))
    length = size * 10

    def rail(n: int) -> Solid:
        return box(3 * size, 3 * size, length)(n) - box(size + 2 * play, size + 2 * play, 2 * length)(n)

    bodies = [Body("a", box(size, size, length), np.eye(4)), Body("b", rail, np.eye(4))]
    known = float(play / np.sin(lean))
    known = known if known + 1.5 * TOLERANCE / np.sin(lean) < length - size else None
    if known is None and (play + 0.5 * TOLERANCE) / np.sin(lean) < length:
        return oblique(random, size)  # too near to the edge of the rule to be known
    return Query("askew", bodies, _axial("a", (np.sin(lean), 0, np.cos(lean)), 1.5 * length), known=known)


MAKERS: tuple[Callable[[np.random.Generator, float], Query], ...] = (
    apart, apart, apart, lifted, lifted, crossed, fitted, fitted, sunk, thin, thin, stacked, framed, mirrored,
    turning, turning, pathed, rounded, radial, fan, meeting, threaded, oblique,
)  # fmt: skip


def scenes(count: int, seed: int) -> Iterator[Query]:
    """Random queries, each made from its own seed, tilted and far from the origin one time in two."""
    for k in range(count):
        random = np.random.default_rng([seed, k])
        size = float(random.choice([1.0, 3.0, 10.0, 30.0, 100.0, 500.0], p=[0.05, 0.1, 0.3, 0.3, 0.2, 0.05]))
        query = MAKERS[k % len(MAKERS)](random, size)
        yield _elsewhere(query, random) if random.random() < 0.5 else query


def _elsewhere(query: Query, random: np.random.Generator) -> Query:
    """The same, turned and moved as a whole."""
    away = _placed(random, random.uniform(-3000, 3000, 3))
    for body in query.bodies:
        body.pose = away @ body.pose
    query.steps = tuple(replace(step, motion=step.motion.mapped(away)) for step in query.steps)
    return query
