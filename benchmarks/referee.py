"""The referee: whether Pulley's verdicts are true, judged by code that shares nothing with what it judges.

Random scenes are put to Pulley with meshes of its fineness. Judged they are with finer ones of the same bodies:
what two of them share at an instant is an exact Boolean by manifold3d, how deep that is the ball that fits into it,
how far apart they are manifold3d's least gap; where a closed form is known, it decides. Run as

    ./pulley bench referee [QUERIES] [SEED]
"""

import time
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray
from scipy.spatial.transform import Rotation

from benchmarks.proposals import assemblies
from benchmarks.referee_bodies import Make, Solid, ball, box, corners_of, plate, random_body, screw, tube
from benchmarks.referee_player import Player
from pulley.core.assembly import Assembly, Component, Part
from pulley.core.contact.check import check
from pulley.core.contact.scene import home_scene
from pulley.core.geometry.mesh import Mesh, flat_mesh
from pulley.core.planning.proposal import propose
from pulley.core.teardown import Axis, Step, Teardown

SAG = 0.04  # mm that a circle's chords may lie off it in what Pulley is given, as its own reader meshes
FINER = 2.5  # times the segments by which the referee judges
TOLERANCE = 0.1  # mm; the rule's, as the issue and docs/methods.md state it
SAMPLES = 14  # instants of a motion that are looked at
SLOW = 10.0  # seconds that no query may take
CLASSES = ("false clear", "false snag, separating", "false snag", "wrong distance", "undecided", "slow")
Pose = NDArray[np.float64]


@dataclass
class Body:
    """A named body, its pose (4, 4), and its thinnest wall in mm; ``least`` where only a bound of that is known."""

    name: str
    make: Make
    pose: Pose
    wall: float = 1e9
    least: float = 0.0
    warp: float = 1.0
    sheet: bool = False
    _fine: dict[int, Solid] = field(default_factory=dict)

    def solid(self, segments: int) -> Solid:
        """The body where it stands, as fine as asked."""
        if segments not in self._fine:
            made = self.make(segments)
            made = made.scale((abs(self.warp),) * 3)
            self._fine[segments] = made.mirror((1, 0, 0)) if self.warp < 0 else made
        return self._fine[segments].transform(self.pose[:3])

    @cached_property
    def segments(self) -> int:
        """As many to a circle as keep its chords within `SAG`."""
        reach = float(np.linalg.norm(corners_of(self.make(24)), axis=2).max()) * abs(self.warp)
        return 4 * int(np.ceil(max(48, np.pi / np.arccos(1 - min(SAG / reach, 0.1))) / 4))

    @cached_property
    def fine(self) -> Solid:
        """The body where it stands, as the referee judges it."""
        return self.solid(int(self.segments * FINER))

    def component(self) -> Component:
        """What Pulley is given."""
        own = self._own(self.segments)
        return Component(self.name, self.name, None, self.pose, Part(self.name, self.name, own))

    def _own(self, segments: int) -> Mesh:
        self.solid(segments)
        corners = corners_of(self._fine[segments])
        fine = flat_mesh(corners)
        reach = float(np.linalg.norm(corners, axis=2).max())
        object.__setattr__(fine, "error", reach * (1 - np.cos(np.pi / segments)))
        return fine


@dataclass
class Query:
    """What is asked: which body moves how, and what is known of the answer beforehand.

    ``known`` is a distance in mm, None for "never stopped"; left out where only the judge can say. ``separating``
    motions can never be a snag.
    """

    kind: str
    bodies: list[Body]
    mover: str
    motion: Step
    known: float | None | str = "?"
    separating: bool = False


def pose_at(motion: Step, share: float) -> Pose:
    """The displacement (4, 4) of a motion's members at a share of it, by the referee's own kinematics."""
    pose = np.eye(4)
    if motion.kind == "turn":
        along = np.array(motion.axis.direction) / np.linalg.norm(motion.axis.direction)
        turned = Rotation.from_rotvec(along * np.radians(motion.angle * share)).as_matrix()
        origin = np.array(motion.axis.origin)
        pose[:3, :3] = turned
        pose[:3, 3] = origin - turned @ origin + along * motion.advance * motion.angle * share / 360
    elif motion.kind == "path":
        points = np.vstack([np.zeros(3), motion.waypoints])
        spans = np.linalg.norm(np.diff(points, axis=0), axis=1)
        gone = np.concatenate([[0], np.cumsum(spans)])
        pose[:3, 3] = [np.interp(share * gone[-1], gone, points[:, k]) for k in range(3)]
    else:
        along = np.array(motion.direction) / np.linalg.norm(motion.direction)
        pose[:3, 3] = along * motion.distance * share
    return pose


@dataclass
class Judge:
    """Looks at one mover against everything else, with fine meshes."""

    query: Query

    def __post_init__(self) -> None:
        self.mover = next(body for body in self.query.bodies if body.name == self.query.mover)
        self.rest = [body for body in self.query.bodies if body is not self.mover]
        self.solids = {body.name: body.fine for body in self.query.bodies}
        self.start = {body.name: self.depth(body, 0.0) for body in self.rest}

    def depth(self, other: Body, share: float) -> tuple[float, float]:
        """How deep the mover stands in another body at a share of the motion: between these two, in mm."""
        moved = self.solids[self.mover.name].transform(pose_at(self.query.motion, share)[:3])
        return ball(moved ^ self.solids[other.name])

    def gap(self, share: float, within: float) -> float:
        """The least distance in mm to anything else, as far as ``within``."""
        moved = self.solids[self.mover.name].transform(pose_at(self.query.motion, share)[:3])
        return min((moved.min_gap(self.solids[other.name], within) for other in self.rest), default=within)

    def rule(self, other: Body) -> tuple[float, float]:
        """The tolerance in mm that applies to the mover and another body: between these two."""
        most = min(TOLERANCE, self.mover.wall / 4, other.wall / 4)
        return min([most, *(body.least / 4 for body in (self.mover, other) if body.least)]), most

    def grown(self, share: float) -> tuple[float, float]:
        """By how many tolerances the worst pair has grown deeper than at the start: between these two."""
        low = high = -np.inf
        for other in self.rest:
            now, (least, most) = self.depth(other, share), self.rule(other)
            low = max(low, (now[0] - self.start[other.name][1]) / most)
            high = max(high, (now[1] - self.start[other.name][0]) / least)
        return low, high


def ask(query: Query) -> tuple[float | None, float, float]:
    """Pulley's answer: the share of the motion at which it is stopped (None: never), and the seconds that took."""
    assembly = Assembly("scene", tuple(body.component() for body in query.bodies))
    begun = time.perf_counter()
    if query.motion.kind == "axial":
        met = home_scene(assembly).first_meeting([query.mover], np.array(query.motion.direction))
        share = met.travel / query.motion.distance if met and met.travel < query.motion.distance else None
    else:
        snags = check(assembly, Teardown("one", (query.motion,))).snags["s1"]
        share = min((snag.at for snag in snags if snag.kind == "sweep"), default=None)
    return share, time.perf_counter() - begun, length_of(query)


def length_of(query: Query) -> float:
    """How far in mm the fastest point of the mover goes."""
    motion = query.motion
    if motion.kind == "turn":
        points = corners_of(next(b for b in query.bodies if b.name == query.mover).solid(48)).reshape(-1, 3)
        along = np.array(motion.axis.direction) / np.linalg.norm(motion.axis.direction)
        arm = points - np.array(motion.axis.origin)
        arm -= (arm @ along)[:, None] * along
        pace = np.hypot(
            np.linalg.norm(arm, axis=1).max() * np.radians(abs(motion.angle)), motion.advance * motion.angle / 360
        )
        return float(pace)
    if motion.kind == "path":
        return float(np.linalg.norm(np.diff(np.vstack([np.zeros(3), motion.waypoints]), axis=0), axis=1).sum())
    return motion.distance


def judged(query: Query, share: float | None, seconds: float, length: float) -> str:
    """Which of `CLASSES` an answer falls into; empty when it is right."""
    if seconds > SLOW:
        return "slow"
    if query.separating:
        return "" if share is None else "false snag, separating"
    if query.known != "?":
        return _by_closed_form(query.known, None if share is None else share * length)
    return _by_looking(Judge(query), share, length)


def _by_closed_form(known: float | None, travel: float | None) -> str:
    if known is None or travel is None:
        return "" if known is travel else ("false snag" if known is None else "false clear")
    return "" if abs(known - travel) <= 0.2 else "wrong distance"


def _by_looking(judge: Judge, share: float | None, length: float) -> str:
    end = 1.0 if share is None else share
    before = np.linspace(0, max(end - 0.2 / length, 0.0), SAMPLES)[1:]
    worst = max((judge.grown(float(at)) for at in before), default=(-np.inf, -np.inf))
    if worst[0] > 1.25:
        return "false clear" if share is None else "wrong distance"
    if share is None:
        return ""
    steps = np.array([0.1, 0.2, 0.3, 0.5, 1, 2, 4, 8, 16]) / length
    after = [judge.grown(float(at)) for at in np.clip(share + steps, 0, 1)]
    if max(low for low, _ in after) < 0.6:
        return "false snag" if max(high for _, high in after) < 0.9 else "undecided"
    if min(depth for _, depth in judge.start.values()) > 0:
        return ""
    return "" if judge.gap(share, 1.0) <= 0.2 else "wrong distance"


# --- scenes -----------------------------------------------------------------------------------------------------


def _unit(random: np.random.Generator) -> NDArray[np.float64]:
    vector = random.normal(size=3)
    return vector / np.linalg.norm(vector)


def _placed(random: np.random.Generator, at: NDArray[np.float64] | tuple = (0, 0, 0), turned: bool = True) -> Pose:
    pose = np.eye(4)
    if turned:
        pose[:3, :3] = Rotation.random(random_state=random).as_matrix()
    pose[:3, 3] = at
    return pose


def _axial(mover: str, along: NDArray[np.float64] | tuple, distance: float) -> Step:
    return Step("s1", (mover,), tuple(map(float, along)), float(distance))


def apart(random: np.random.Generator, size: float) -> Query:
    """Two to four random solids apart; one goes towards another."""
    bodies = [Body("a", random_body(random, size), _placed(random), least=size / 10)]
    for k in range(int(random.integers(1, 4))):
        at = _unit(random) * size * random.uniform(1.9, 3.5)
        bodies.append(Body(f"b{k}", random_body(random, size), _placed(random, at), least=size / 10))
    aim = bodies[1].pose[:3, 3] + _unit(random) * size * random.uniform(0, 0.6)
    return Query("apart", bodies, "a", _axial("a", aim / np.linalg.norm(aim), 6 * size))


def lifted(random: np.random.Generator, size: float) -> Query:
    """A random solid that touches a plane, lifted off it obliquely, or crossed bars face to face."""
    pose = _placed(random)
    body = Body("a", random_body(random, size), pose)
    pose[2, 3] = -corners_of(body.solid(body.segments))[..., 2].min()
    ground = Body("ground", box(6 * size, 6 * size, size / 2), _placed(random, (0, 0, -size / 4), False))
    along = random.normal(size=3)
    along[2] = abs(along[2]) + 0.02
    return Query("touching", [body, ground], "a", _axial("a", along, 5 * size), separating=True)


def crossed(random: np.random.Generator, size: float) -> Query:
    bars = [Body("a", box(size * 2, size / 3, size / 3), _placed(random, (0, 0, size / 3), False))]
    bars.append(Body("b", box(size / 3, size * 2, size / 3), np.eye(4)))
    along = (*random.uniform(-1, 1, 2), random.uniform(0.01, 1))
    return Query("touching", bars, "a", _axial("a", along, 5 * size), separating=True)


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
        return Query("fits", bodies, "a", _axial("a", (0, 0, 1), 4 * size), known=None)
    if random.random() < 0.3:
        return Query("fits", bodies, "a", _axial("a", (0, 0, -1), 4 * size), known=0.0)
    angle = random.uniform(0, 2 * np.pi)
    side = (np.cos(angle), np.sin(angle), 0)
    return Query("fits", bodies, "a", _axial("a", side, 4 * size), known=max(play, 0.0))


def sunk(random: np.random.Generator, size: float) -> Query:
    """A block sunk into another: deeper, out, or along."""
    deep = size * random.uniform(0.01, 0.2)
    bodies = [Body("a", box(size, size, size), _placed(random, (0, 0, size - deep), False), wall=size)]
    bodies.append(Body("b", box(size * 2, size * 2, size), np.eye(4), wall=size))
    along, known = [((0, 0, -1), 0.0), ((0, 0, 1), None), ((1, 0, 0), None), ((1, 0.3, 0.2), None)][random.integers(4)]
    return Query("overlapping at home", bodies, "a", _axial("a", along, 6 * size), known=known)


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
    return Query("thin walls", bodies, mover, _axial(mover, other, 5 * size), known=gap)


def stacked(random: np.random.Generator, size: float) -> Query:
    """Shims on one another: the upper is lifted, the lower is held."""
    wall = random.uniform(0.02, 0.2)
    bodies = [
        Body(f"s{k}", box(size, size, wall), _placed(random, (0, 0, k * wall), False), wall=wall) for k in range(3)
    ]
    mover, along, known = [("s2", (0, 0, 1), None), ("s1", (0, 0, 1), 0.0), ("s1", (1, 0, 0), None)][random.integers(3)]
    return Query("shims", bodies, mover, _axial(mover, along, 3 * size), known=known)


def framed(random: np.random.Generator, size: float) -> Query:
    """A shelf of 1 mm sheet in a cabinet of metres goes to the door; or a sheet edge-on to a sheet."""
    size = random.uniform(500, 50_000)
    gap = random.uniform(1, 100)
    shelf = Body("a", box(size * 0.8, size * 0.4, 1.0), np.eye(4), wall=1.0)
    door = Body("b", box(size, 1.0, size), _placed(random, (0, size * 0.2 + gap + 0.5, 0), False), wall=1.0)
    back = Body("c", box(size, 1.0, size), _placed(random, (0, -size * 0.2 - 0.5, 0), False), wall=1.0)
    return Query("large", [shelf, door, back], "a", _axial("a", (0, 1, 0), 2 * size), known=gap)


def mirrored(random: np.random.Generator, size: float) -> Query:
    """A mirrored or scaled angle that comes down on a plate."""
    warp = float(random.choice([-1.0, 2.0, 0.5, -1.5]))

    def angle(n: int) -> Solid:
        return box(size, size, size / 4)(n) + box(size / 4, size, size)(n).translate((-size * 0.375, 0, size * 0.375))

    gap = size * random.uniform(0.1, 1.0)
    pose = _placed(random, (0, 0, gap + abs(warp) * size / 8 + size / 8), False)
    bodies = [Body("a", angle, pose, warp=warp), Body("b", box(6 * size, 6 * size, size / 4), np.eye(4))]
    return Query("mirrored, scaled", bodies, "a", _axial("a", (0, 0, -1), 4 * size), known=gap)


def turning(random: np.random.Generator, size: float) -> Query:
    """Random solids apart; one turns about a random axis, with an advance."""
    query = apart(random, size)
    axis = Axis(tuple(_unit(random) * size * 1.5), tuple(_unit(random)))
    angle, advance = float(random.choice([-1, 1]) * random.uniform(30, 400)), float(random.uniform(-2, 2) * size)
    step = Step("s1", ("a",), kind="turn", axis=axis, angle=angle, advance=advance)
    return Query("turns", query.bodies, "a", step)


def pathed(random: np.random.Generator, size: float) -> Query:
    """Random solids apart; one goes along a path of three legs."""
    query = apart(random, size)
    points = np.cumsum([_unit(random) * size * random.uniform(0.5, 2.5) for _ in range(3)], axis=0)
    return Query("paths", query.bodies, "a", Step("s1", ("a",), kind="path", waypoints=tuple(map(tuple, points))))


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
    return Query("askew", bodies, "a", _axial("a", (np.sin(lean), 0, np.cos(lean)), 1.5 * length), known=known)


MAKERS: tuple[Callable[[np.random.Generator, float], Query], ...] = (
    apart, apart, apart, lifted, lifted, crossed, fitted, fitted, sunk, thin, thin, stacked, framed, mirrored,
    turning, turning, pathed, oblique,
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
    turned = away[:3, :3]
    for body in query.bodies:
        body.pose = away @ body.pose
    motion = query.motion
    axis = motion.axis and Axis(
        tuple(turned @ np.array(motion.axis.origin) + away[:3, 3]), tuple(turned @ np.array(motion.axis.direction))
    )
    query.motion = Step(
        "s1",
        motion.members,
        tuple(turned @ np.array(motion.direction)),
        motion.distance,
        kind=motion.kind,
        axis=axis,
        angle=motion.angle,
        advance=motion.advance,
        waypoints=tuple(tuple(turned @ np.array(point)) for point in motion.waypoints),
    )
    return query


def table(count: int, seed: int, tell: Callable[[str], None] = lambda line: None) -> dict[str, Counter]:
    """How many queries of each kind were tried, and how many fell into each of `CLASSES`."""
    found: dict[str, Counter] = {}
    for k, query in enumerate(scenes(count, seed)):
        share, seconds, length = ask(query)
        verdict = judged(query, share, seconds, length)
        counts = found.setdefault(query.kind, Counter())
        counts["tried"] += 1
        if verdict:
            counts[verdict] += 1
            tell(f"{query.kind} {seed}/{k}: {verdict}: answered {share and share * length}, known {query.known}")
    return found


def run(count: int | str = 500, seed: int | str = 20261126) -> None:
    """Print the table of random scenes, and what the player finds of proposals."""
    print(f"\nThe referee, {count} queries from seed {seed}")
    count, seed = int(count), int(seed)
    found = table(count, seed, print)
    print(f"{'':<22}{'tried':>7}" + "".join(f"{name:>24}" for name in CLASSES))
    for kind, counts in sorted(found.items()):
        print(f"{kind:<22}{counts['tried']:>7}" + "".join(f"{counts[name]:>24}" for name in CLASSES))


def proposals() -> None:
    """Play every proposal of docs' table."""
    print("\nThe referee's player on proposals")
    for assembly, _ in assemblies():
        proposal = propose(assembly)
        after = proposal.added_to(Teardown(""))
        gives = {give["component"]: give["by"] for give in after.gives}
        wrong = Player(assembly, gives, 6 if len(assembly.leaves) > 200 else 16).wrong(after)
        print(
            f"{assembly.name:<22}{len(proposal.steps):>4} steps, {len(wrong)} wrong",
            *wrong[:5],
            sep="\n    ",
            flush=True,
        )
