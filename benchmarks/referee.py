"""The referee: whether Pulley's verdicts are true, judged by code that shares nothing with what it judges.

Random scenes are put to Pulley with meshes of its fineness. Judged they are with finer ones of the same bodies:
what two of them share at an instant is an exact Boolean by manifold3d, how deep that is the ball that fits into it,
how far apart they are manifold3d's least gap; where a closed form is known, it decides. Run as

    ./pulley bench referee [QUERIES] [SEED]
"""

import time
from collections import Counter
from collections.abc import Callable
from itertools import combinations

import numpy as np

from benchmarks.proposals import assemblies
from benchmarks.referee_bodies import Solid, ball
from benchmarks.referee_player import Player
from benchmarks.referee_scenes import TOLERANCE, Query, scenes
from pulley.core.assembly import Assembly
from pulley.core.contact.check import check
from pulley.core.contact.scene import home_scene
from pulley.core.motion import Axial
from pulley.core.planning.proposal import propose
from pulley.core.teardown import Teardown

SAMPLES = 14  # instants of a motion that are looked at
SLOW = 10.0  # seconds that no query may take
CLASSES = ("false clear", "false snag, separating", "false snag", "wrong distance", "undecided", "slow")
Pair = tuple[str, str]


class Judge:
    """Looks at what moves against everything else, with fine meshes."""

    def __init__(self, query: Query) -> None:
        self.query, self.bodies = query, query.by_name
        self.pairs = [pair for pair in combinations(self.bodies, 2) if set(pair) & set(query.moves)]
        self.start = {pair: self.depth(pair, 0.0) for pair in self.pairs}

    def _placed(self, name: str, share: float) -> Solid:
        fine = self.bodies[name].fine
        return fine.transform(self.query.moves[name](share)[:3]) if name in self.query.moves else fine

    def depth(self, pair: Pair, share: float) -> tuple[float, float]:
        """How deep two bodies stand in each other at a share of the motion: between these two, in mm."""
        return ball(self._placed(pair[0], share) ^ self._placed(pair[1], share))

    def gap(self, share: float, within: float) -> float:
        """The least distance in mm between two bodies that move on each other, as far as ``within``."""
        return min(self._placed(a, share).min_gap(self._placed(b, share), within) for a, b in self.pairs)

    def rule(self, pair: Pair) -> tuple[float, float]:
        """The tolerance in mm that applies to two bodies: between these two."""
        two = [self.bodies[name] for name in pair]
        most = min(TOLERANCE, *(body.wall / 4 for body in two))
        return min([most, *(body.least / 4 for body in two if body.least)]), most

    def grown(self, share: float) -> tuple[float, float]:
        """By how many tolerances the worst pair has grown deeper than at the start: between these two."""
        low = high = -np.inf
        for pair in self.pairs:
            now, (least, most) = self.depth(pair, share), self.rule(pair)
            low = max(low, (now[0] - self.start[pair][1]) / most)
            high = max(high, (now[1] - self.start[pair][0]) / least)
        return low, high


def ask(query: Query) -> tuple[float | None, float]:
    """Pulley's answer: the share of the motion at which it is stopped (None: never), and the seconds of a processor."""
    assembly = Assembly("scene", tuple(body.component() for body in query.bodies))
    begun = time.process_time()
    step = query.steps[0]
    if len(query.steps) == 1 and isinstance(step.motion, Axial) and not step.spacing:
        met = home_scene(assembly).first_meeting(list(step.members), np.array(step.motion.direction))
        share = met.travel / step.motion.distance if met and met.travel < step.motion.distance else None
    else:
        snags = check(assembly, Teardown("one", query.steps)).snags.values()
        share = min((snag.at for found in snags for snag in found if snag.kind == "sweep"), default=None)
    return share, time.process_time() - begun


def judged(query: Query, share: float | None, seconds: float) -> str:
    """Which of `CLASSES` an answer falls into; empty when it is right."""
    if seconds > SLOW:
        return "slow"
    if query.separating:
        return "" if share is None else "false snag, separating"
    if query.gap:
        return _by_gap(query.gap, query.length, share)
    if query.known != "?":
        return _by_closed_form(query.known, None if share is None else share * query.length)
    return _by_looking(Judge(query), share)


def _by_closed_form(known: float | None, travel: float | None) -> str:
    if known is None or travel is None:
        return "" if known is travel else ("false snag" if known is None else "false clear")
    return "" if abs(known - travel) <= 0.2 else "wrong distance"


def _by_gap(gap: Callable[[float], float], length: float, share: float | None) -> str:
    shares = np.linspace(0, 1, 4001)
    deeper = min(gap(0.0), 0.0) - np.array([gap(float(at)) for at in shares])
    end = 1.0 if share is None else share - 0.2 / length
    if deeper[shares <= end].max(initial=0.0) > 1.25 * TOLERANCE:
        return "false clear" if share is None else "wrong distance"
    if share is None:
        return ""
    if deeper.max() < 0.75 * TOLERANCE:
        return "false snag"
    return "" if gap(0.0) <= 0 or abs(gap(share)) <= 0.2 else "wrong distance"


def _by_looking(judge: Judge, share: float | None) -> str:
    end, length = 1.0 if share is None else share, judge.query.length
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


def table(count: int, seed: int, tell: Callable[[str], None] = lambda line: None) -> dict[str, Counter]:
    """How many queries of each kind were tried, and how many fell into each of `CLASSES`."""
    found: dict[str, Counter] = {}
    for k, query in enumerate(scenes(count, seed)):
        share, seconds = ask(query)
        verdict = judged(query, share, seconds)
        counts = found.setdefault(query.kind, Counter())
        counts["tried"] += 1
        if verdict:
            counts[verdict] += 1
            tell(f"{query.kind} {seed}/{k}: {verdict}: answered {share and share * query.length}, known {query.known}")
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
