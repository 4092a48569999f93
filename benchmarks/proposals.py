"""Proposed teardowns, a row an assembly; beside them two ways of taking apart that look at nothing or at little.

By chance: components in random order, each along a random axis, taken off when nothing is in the way. Straight
out: farthest first, each away from the middle of the assembly. Both are given every component and the contact
test that the proposal uses, so the share that comes off is theirs alone.
"""

import random
import time
from collections import Counter
from collections.abc import Iterable

import numpy as np
from tests.scenes import ROOT, read

from benchmarks import generate
from benchmarks.scenes import as1
from pulley.core import visibility
from pulley.core.assembly import Assembly
from pulley.core.contact.check import check
from pulley.core.contact.scene import Scene, home_scene
from pulley.core.geometry.frames import Vector
from pulley.core.part_kinds import FASTENERS, kind_of
from pulley.core.planning.blocking import SIX
from pulley.core.planning.proposal import propose
from pulley.core.score.compose import compose
from pulley.core.teardown import Teardown

DEMO = ("deck_winch", "halyard_block", "round_hatch", "cam_cleat", "mast_foot", "roller", "friction_pack")
HEAD = "| assembly | leaves | off | by chance | straight out | steps (least) | alike | overlaps | volume | seen | s |"
SEEN = 0.3  # share of a component from which it counts as seen


def run() -> None:
    """Print the table."""
    print(f"\nProposals\n\n{HEAD}\n|{'---|' * 11}")
    for assembly, least in assemblies():
        print(line(assembly, least), flush=True)


def assemblies() -> Iterable[tuple[Assembly, int | None]]:
    """Test assemblies, each with the least number of steps possible where that is known."""
    yield as1(), None
    for name in DEMO:
        yield read(ROOT / f"demo/{name}.step"), {"friction_pack": 1, "mast_foot": 5}.get(name)
    yield generate.stack(10), 1
    yield generate.nested(6), 5
    yield generate.threaded_pair(), 2
    yield generate.flanges(4), 6
    yield generate.flanges(19), 6
    yield generate.flanges(37), 6


def line(assembly: Assembly, least: int | None) -> str:
    """One row: shares in percent, bounds as a multiple of those at home, seconds."""
    begun = time.perf_counter()
    proposal = propose(assembly)
    taken = time.perf_counter() - begun
    after = proposal.added_to(Teardown(""))
    verdict = check(assembly, after)
    score = compose(assembly, after)
    off = sum(1 for path in score.tracks if path not in {left.path for left in proposal.left})
    off -= sum(1 for snags in verdict.snags.values() for _ in snags)
    most = max(len(assembly.leaves) - 1, 1)
    poses = visibility.poses_in(assembly, after, score, score.duration)
    shares = visibility.visible_shares(assembly, poses, visibility.home_view(assembly, after, score))
    seen = np.mean([share >= SEEN for share in shares.values()])
    chance, out = off_by_chance(assembly) / most, off_straight_out(assembly) / most
    steps = f"{len(proposal.steps)}{f' ({least})' if least else ''}"
    figures = [f"{share:.0%}" for share in (off / most, chance, out)]
    cells = [assembly.name, len(assembly.leaves), *figures, steps, alike(assembly, after), len(verdict.overlaps)]
    return "| " + " | ".join(map(str, [*cells, f"{growth(assembly, poses):.0f}", f"{seen:.0%}", f"{taken:.1f}"])) + " |"


def alike(assembly: Assembly, teardown: Teardown) -> str:
    """The share of fasteners that leave in one step with most of their part."""
    steps: dict[str, Counter[str]] = {}
    seen: set[str] = set()
    for step in teardown.steps:
        for path in set(assembly.leaves_of(step.members)) - seen:
            seen.add(path)
            part = assembly.leaf(path).part
            if kind_of(part) in FASTENERS:
                steps.setdefault(part.key, Counter())[step.id] += 1
    several = [count for count in steps.values() if sum(count.values()) > 1]
    total = sum(sum(count.values()) for count in several)
    return f"{sum(max(count.values()) for count in several) / total:.0%}" if total else "-"


def growth(assembly: Assembly, poses: dict[str, np.ndarray]) -> float:
    """Volume of the bounds of everything at the end, over that at home."""
    boxes = Scene(assembly, poses).boxes
    return float(np.prod(boxes[:, 1].max(0) - boxes[:, 0].min(0)) / np.prod(assembly.bounds[1] - assembly.bounds[0]))


def off_by_chance(assembly: Assembly) -> int:
    """How many components come off in random order along random axes, one go each."""
    chance = random.Random(7)
    order = [leaf.path for leaf in assembly.leaves]
    chance.shuffle(order)
    return _off(assembly, [(path, np.array(chance.choice(SIX))) for path in order])


def off_straight_out(assembly: Assembly) -> int:
    """How many come off straight away from the middle, the farthest first."""
    scene, middle = home_scene(assembly), assembly.bounds.mean(0)
    arms = {path: box.mean(0) - middle for path, box in zip(scene.paths, scene.boxes, strict=True)}
    order = sorted(arms, key=lambda path: -float(np.linalg.norm(arms[path])))
    return _off(assembly, [(path, arms[path]) for path in order])


def _off(assembly: Assembly, goes: Iterable[tuple[str, Vector]]) -> int:
    scene, gone = home_scene(assembly), set()
    for path, way in goes:
        if np.linalg.norm(way) < 1e-6:
            continue
        left = {other: pose for other, pose in scene.poses.items() if other not in gone}
        if Scene(assembly, left, scene.terms).first_meeting([path], way) is None:
            gone.add(path)
    return min(len(gone), len(assembly.leaves) - 1)
