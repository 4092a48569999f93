"""What every proposal stands on: what gives, what blocks and bears what, and the order; kept, as it takes longest."""

from collections.abc import Callable, Hashable, Iterable, Mapping
from dataclasses import replace
from functools import partial
from typing import TypeVar

import numpy as np
from cachetools import LRUCache

from pulley.core.assembly import Assembly
from pulley.core.contact.giving import find_gives
from pulley.core.contact.scene import Scene
from pulley.core.contact.terms import set_give, terms_of
from pulley.core.geometry.frames import Pose
from pulley.core.planning.blocking import Blocking
from pulley.core.planning.holding import needs_hand
from pulley.core.planning.loosening import Support
from pulley.core.planning.memory import Forgetful, Memory, key_for
from pulley.core.planning.options import Options
from pulley.core.planning.peeling import Peeling, Wishes
from pulley.core.planning.removal_order import peel
from pulley.core.planning.starting import base_of, units_for, units_with
from pulley.core.score.stages import displacements, poses_at
from pulley.core.teardown import Teardown

FORGETFUL = Forgetful()
LATELY = 6  # blocking graphs and supports of one assembly that are kept at hand
T = TypeVar("T")


def with_gives(assembly: Assembly, teardown: Teardown, memory: Memory) -> Teardown:
    """The teardown in which also gives what looks like a ring that bends."""
    key = key_for("gives", assembly.key)
    found = memory.get(key)
    if found is None:
        found = find_gives(assembly)
        memory.set(key, found)
    for give in found:
        if all(known["component"] != give.component for known in teardown.gives):
            teardown = set_give(teardown, give.component, give.by)
    return teardown


def blocking_of(assembly: Assembly, teardown: Teardown, options: Options, memory: Memory) -> Blocking:
    """What blocks what, where a teardown leaves everything; remembered for other proposals."""
    poses, terms = poses_at(assembly, displacements(assembly, teardown)[-1]), terms_of(assembly, teardown)
    units, key = units_for(assembly, options), _contacts_key(assembly, teardown, poses)
    return _kept(
        assembly, (key, tuple(units)), lambda: Blocking(Scene(assembly, poses, terms), units, memory.get(key) or {})
    )


def prepared(
    blocking: Blocking, teardown: Teardown, present: set[int], report: Callable[[float], None], memory: Memory
) -> None:
    """What blocks what along the axes, worked out, and kept after each piece."""
    key = _contacts_key(blocking.scene.assembly, teardown, blocking.scene.poses)
    blocking.prepare(sorted(present), report, partial(memory.set, key, blocking.travels))


def support_of(blocking: Blocking, teardown: Teardown, fixed: Iterable[int], memory: Memory) -> Support:
    """How what a teardown has not moved bears itself; worked out once for proposals that start alike."""
    scene, bolted = blocking.scene, frozenset(leaf for k in fixed for leaf in blocking.units[k].leaves)
    moved = {leaf for step in teardown.steps if not step.off for leaf in scene.assembly.leaves_of(step.members)}
    poses = {leaf: pose for leaf, pose in scene.poses.items() if leaf not in moved}
    assembly, up = scene.assembly, teardown.bearings.up
    key = key_for("support", assembly.key, [(leaf, pose.tobytes()) for leaf, pose in poses.items()], sorted(bolted), up)

    def found() -> Support:
        support = Support(assembly, poses, bolted & poses.keys(), -np.array(up), known=memory.get(key), key=key)
        memory.set(key, support.found)
        return support

    return _kept(assembly, key, found)


def base_for(blocking: Blocking, present: set[int], teardown: Teardown, options: Options) -> set[int]:
    """What stays where nothing was said of that: nothing that is to be reached, or to go somewhere."""
    going = units_with(blocking, (*options.reach, *teardown.wears, *(path for path, _ in options.far)))
    return {base_of(blocking, present - going or present)}


def ordered(
    blocking: Blocking,
    teardown: Teardown,
    present: set[int],
    fixed: set[int],
    wishes: Wishes,
    support: Support,
    memory: Memory,
    report: Callable[[int, int], None] = lambda done, of: None,
) -> Peeling:
    """The order in which units leave, as `peel` finds it; kept, unless it was broken off."""
    contacts = _contacts_key(blocking.scene.assembly, teardown, blocking.scene.poses)
    wanted = replace(wishes, families=(), reach=frozenset()), sorted(wishes.reach)
    families = [(path, sorted(units)) for path, units in wishes.families]
    paths = [unit.path for unit in blocking.units]
    key = key_for("order", contacts, paths, sorted(present), sorted(fixed), wanted, families, teardown.bearings.up)
    held, known = partial(_held, blocking, support), memory.get(key)
    if known is not None:
        state = Peeling(blocking, set(present), set(fixed), wishes, held=held, cut_short=known[1])
        for removal in known[0]:
            state.take(removal)
        return state
    state = peel(blocking, present, fixed, wishes, report, held)
    if not state.broken_off:
        memory.set(key, (tuple(state.done), state.cut_short))
        memory.set(support.key, support.found)
    return state


def _held(blocking: Blocking, support: Support, present: set[int]) -> tuple[frozenset[int], ...]:
    """The units that each hand must hold, where these are there."""
    leaves = [leaf for k in sorted(present) for leaf in blocking.units[k].leaves]
    loose = [each for each in support.loose(leaves) if needs_hand(support.assembly, each)]
    return tuple(frozenset(blocking.unit_of[leaf] for leaf in each.leaves) for each in loose)


def _contacts_key(assembly: Assembly, teardown: Teardown, poses: Mapping[str, Pose]) -> str:
    """What travels depend on."""
    places = tuple((path, pose.tobytes()) for path, pose in poses.items())
    return key_for("contacts", assembly.key, places, teardown.fits, teardown.gives, teardown.tolerance)


def _kept(assembly: Assembly, key: Hashable, work: Callable[[], T]) -> T:
    """What was worked out for an assembly lately, for other manners and picks; not for ever, as it is large."""
    known: LRUCache[Hashable, T] = assembly.once(("proposals",), lambda: LRUCache(LATELY))
    if key not in known:
        known[key] = work()
    return known[key]
