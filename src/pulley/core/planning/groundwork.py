"""What every proposal stands on: what blocks what, what bears what, and what gives; kept, as it takes the longest."""

from collections.abc import Callable, Hashable, Iterable, Mapping
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
from pulley.core.planning.loosening import Support
from pulley.core.planning.memory import Forgetful, Memory, key_for
from pulley.core.planning.options import Options
from pulley.core.planning.starting import base_of, present_units, units_for
from pulley.core.score.stages import displacements, poses_at
from pulley.core.teardown import Teardown

FORGETFUL = Forgetful()
LATELY = 6  # blocking graphs and supports of one assembly that are kept at hand
T = TypeVar("T")


def get_ready(
    assembly: Assembly, teardown: Teardown, report: Callable[[float], None], memory: Memory = FORGETFUL
) -> None:
    """Work out, and keep in a memory, what the usual proposal for a teardown needs to know of contacts."""
    teardown = with_gives(assembly, teardown, memory)
    blocking = blocking_of(assembly, teardown, Options(), memory)
    present, _ = present_units(blocking, teardown, Options())
    if present:
        prepared(blocking, teardown, present, report, memory)
        support_of(blocking, teardown, {base_of(blocking, present)}, memory)


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
        support = Support(assembly, poses, bolted & poses.keys(), -np.array(up), known=memory.get(key))
        memory.set(key, (support.contacts, support.fixed))
        return support

    return _kept(assembly, key, found)


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
