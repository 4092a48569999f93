"""What a hand must hold while a teardown is done on the bench: step by step, with down as its bearings have it."""

from collections.abc import Collection, Iterable, Iterator
from dataclasses import dataclass

import numpy as np

from pulley.core.assembly import Assembly
from pulley.core.part_kinds import FASTENERS, kind_of
from pulley.core.planning.loosening import FALLS, RUBS, TIPS, Loose, Support
from pulley.core.planning.removal_steps import listed
from pulley.core.quantities import counted
from pulley.core.score.stages import displacements, poses_at
from pulley.core.teardown import Step, Teardown

TWO = 2  # hands that somebody has: one for what is moved, one for what must be held


@dataclass(frozen=True)
class Hold:
    """What a step loosens, and how many hands it takes: one for what moves, one for each that must be held then."""

    step: str
    loosens: tuple[Loose, ...]
    hands: int


def holds(
    assembly: Assembly, teardown: Teardown, fixed: Collection[str] = (), support: Support | None = None
) -> list[Hold]:
    """What must be held in each step of a teardown, where what it moves is taken away and the rest stays.

    Parameters
    ----------
    assembly : Assembly
    teardown : Teardown
        Its bearings say which way is down.
    fixed : collection of str
        Leaves that nothing moves, as in a vice; the largest of those that no step moves when empty.
    support : Support, optional
        How the leaves bear one another, where that is known already.

    Returns
    -------
    list of Hold
        For each step that plays, in their order. What was loose before is not said again.
    """
    steps = [step for step in teardown.steps if not step.off]
    if support is None:
        poses = poses_at(assembly, displacements(assembly, teardown)[0])
        support = Support(assembly, poses, fixed or _base(assembly, steps), -np.array(teardown.bearings.up))
    present = dict.fromkeys(support.poses)
    before = support.loose(present)
    found = []
    for step in steps:
        for leaf in assembly.leaves_of(step.members):
            present.pop(leaf, None)
        after = support.loose(present)
        held = {each.leaves for each in (*before, *after) if needs_hand(assembly, each) and each.leaves[0] in present}
        found.append(Hold(step.id, tuple(each for each in after if each not in before), 1 + len(held)))
        before = after
    return found


def needs_hand(assembly: Assembly, loose: Loose) -> bool:
    """Whether somebody must hold it: a washer, a pin or a nut that drops is picked up."""
    parts = [assembly.leaf(path).part for path in loose.leaves]
    return loose.held and not (len(parts) == 1 and kind_of(parts[0]) in FASTENERS)


def _base(assembly: Assembly, steps: Iterable[Step]) -> set[str]:
    """The largest leaf that no step moves, or that moves last."""
    order: dict[str, int] = {}
    for number, step in enumerate(steps):
        for leaf in assembly.leaves_of(step.members):
            order.setdefault(leaf, number)
    last = max((order.get(leaf.path, len(order)) for leaf in assembly.leaves), default=0)
    rest = [leaf for leaf in assembly.leaves if order.get(leaf.path, len(order)) == last]
    return {max(rest, key=lambda leaf: float(np.prod(np.ptp(leaf.part.mesh.bounds, axis=0)))).path}


def hold_sentences(assembly: Assembly, hold: Hold) -> Iterator[str]:
    """What a step loosens, in sentences; nothing where that is nothing."""
    by_kind = {does: [each for each in hold.loosens if each.does == does] for does in (FALLS, TIPS, RUBS)}
    for does, found in by_kind.items():
        if found:
            name = listed(assembly, [leaf for each in found for leaf in each.leaves])
            several = sum(len(each.leaves) for each in found) > 1
            yield f"{name} then {_several(does) if several else does}{'' if does == RUBS else ' unless held'}."
    if hold.hands > TWO:
        yield f"That takes {counted(hold.hands, 'hand')}."


def _several(does: str) -> str:
    return {FALLS: "fall", TIPS: "tip over", RUBS: "stay only by friction"}[does]
