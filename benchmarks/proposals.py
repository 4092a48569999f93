"""Proposed teardowns for A3, a row an assembly, beside those of the version before lay-outs for a page, and two ways
of taking apart that look at nothing or at little.

By chance: components in random order, each along a random axis, taken off when nothing is in the way. Straight
out: farthest first, each away from the middle of the assembly. Both are given every component and the contact
test that the proposal uses, so the share that comes off is theirs alone. What the version before (revision 619515b)
came to is kept in `proposals_before.json`, measured in the same way in a copy of it.
"""

import json
import random
import time
from collections import Counter
from collections.abc import Iterable
from functools import cache
from itertools import pairwise
from pathlib import Path
from typing import Any

import numpy as np
from tests.scenes import ROOT, read

from benchmarks import generate, mechanisms
from benchmarks.scenes import as1
from pulley.core.assembly import Assembly
from pulley.core.camera import camera_frame
from pulley.core.contact.check import check
from pulley.core.contact.scene import Scene, home_scene
from pulley.core.drawing.layout import first_sheet, page_rooms, rooms_on
from pulley.core.drawing.paper import Paper
from pulley.core.drawing.rows import rows
from pulley.core.drawing.scene import picture_bounds, scene_of
from pulley.core.geometry.frames import Vector
from pulley.core.part_kinds import FASTENERS, kind_of
from pulley.core.planning.blocking import SIX
from pulley.core.planning.options import Options
from pulley.core.planning.page import Rooms
from pulley.core.planning.proposal import Proposal, propose
from pulley.core.scales import factor, scale_text
from pulley.core.teardown import Teardown
from pulley.core.visibility import visible_shares

DEMO = ("deck_winch", "halyard_block", "round_hatch", "cam_cleat", "mast_foot", "roller", "friction_pack")
A3 = Paper("A3", wide=True)
HEAD = (
    "assembly | leaves | off | by chance | straight out | steps (least) | turns | hands | alike | "
    "scale | largest | seen | behind | s"
)
SEEN = 0.3  # share of a component from which it counts as seen


def run() -> None:
    """Print the table, and how scales compare with those of the version before."""
    print(f"\nProposals for A3; before: of the version before\n\n| {HEAD} |\n|{'---|' * (HEAD.count('|') + 1)}")
    counts: Counter[str] = Counter()
    for assembly, least in assemblies():
        now, before = measured(assembly), known_before().get(key_of(assembly))
        counts.update(compared(now, before) if before else ())
        print(line(assembly, least, now, before), flush=True)
    print("\n" + ", ".join(f"{what}: {count}" for what, count in sorted(counts.items())))


def assemblies() -> Iterable[tuple[Assembly, int | None]]:
    """Test assemblies, each with the least number of steps possible where that is known."""
    yield as1(), None
    for name in DEMO:
        yield read(ROOT / f"demo/{name}.step"), {"friction_pack": 1, "mast_foot": 5}.get(name)
    yield generate.stack(10), 1
    yield generate.nested(6), 5
    yield generate.threaded_pair(), 2
    yield from mechanisms.least_steps()
    yield generate.flanges(4), 6
    yield generate.flanges(19), 6
    yield generate.flanges(37), 6


def key_of(assembly: Assembly) -> str:
    """What an assembly's figures are known by."""
    return f"{assembly.name} {len(assembly.leaves)}"


@cache
def known_before() -> dict[str, dict[str, float]]:
    """The figures of the version before, by assembly."""
    known: dict[str, dict[str, float]] = json.loads(Path(__file__).with_name("proposals_before.json").read_text())
    return known


def measured(assembly: Assembly) -> dict[str, Any]:
    """A proposal for A3, and what its first sheet comes to: its scale, the largest that fits, and what is seen."""
    begun = time.perf_counter()
    proposal = propose(assembly, options=Options(rooms=page_rooms(assembly, Teardown(""), A3)))
    taken = time.perf_counter() - begun
    after = proposal.added_to(Teardown(""))
    sheet = first_sheet(assembly, after, paper=A3)
    view = sheet.pages[0].views[0]
    scene = scene_of(assembly, after, view)
    low, high = picture_bounds(assembly, scene, camera_frame(view.camera))
    rooms = Rooms(tuple(rooms_on([A3], sheet.pattern, rows(assembly, sheet))))
    seen = [share >= SEEN for share in visible_shares(assembly, scene.poses, view.camera).values()]
    figures = {"scale": factor(view.scale), "most": rooms.fit(high - low), "seen": float(np.mean(seen))}
    return {"proposal": proposal, "after": after, "seconds": taken, **figures}


def compared(now: dict[str, Any], before: dict[str, float]) -> list[str]:
    """In words what became of an assembly's scale."""
    words = {1: "larger", 0: "equal", -1: "smaller"}
    ratios = {"standard scale": now["scale"] / before["scale"], "largest scale that fits": now["most"] / before["most"]}
    return [f"{what} {words[int(r > 1.005) - int(r < 0.995)]}" for what, r in ratios.items()]


def line(assembly: Assembly, least: int | None, now: dict[str, Any], before: dict[str, float] | None) -> str:
    """One row: shares in percent, what the version before came to in brackets."""
    proposal, most = now["proposal"], max(len(assembly.leaves) - 1, 1)
    snags = check(assembly, now["after"]).snags.values()
    gone = {leaf for step in proposal.steps for leaf in assembly.leaves_of(step.members)}
    off = len(gone - {left.path for left in proposal.left}) - sum(map(len, snags))
    shares = (off / most, off_by_chance(assembly) / most, off_straight_out(assembly) / most)

    def then(shown: str) -> str:
        return f" ({shown})" if before else ""

    before_scale = scale_text(_scale(before["scale"])) if before else ""
    cells = [
        assembly.name,
        len(assembly.leaves),
        *(f"{share:.0%}" for share in shares),
        f"{len(proposal.steps)}{f' ({least})' if least is not None else ''}",
        turns(proposal),
        proposal.hands,
        alike(assembly, now["after"]),
        f"{scale_text(_scale(now['scale']))}{then(before_scale)}",
        f"{now['most']:.2f}{then(format(before['most'], '.2f')) if before else ''}",
        f"{now['seen']:.0%}{then(format(before['seen'], '.0%')) if before else ''}",
        f"{proposal.layout.overlap:.0%}" if proposal.layout else "-",
        f"{now['seconds']:.1f}",
    ]
    return f"| {' | '.join(map(str, cells))} |"


def _scale(share: float) -> tuple[float, float]:
    return (1.0, round(1 / share, 6)) if share < 1 else (share, 1.0)


def turns(proposal: Proposal) -> int:
    """How often the direction changes from one step to the next."""
    ways = [getattr(step.motion, "direction", step.motion.kind) for step in proposal.steps]
    return sum(one != other for one, other in pairwise(ways))


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
