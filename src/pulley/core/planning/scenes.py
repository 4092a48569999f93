"""Scenes of a teardown: everything where it stands when some of its steps have been played."""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from pulley.core.assembly import Assembly
from pulley.core.contact.scene import Scene
from pulley.core.contact.terms import terms_of
from pulley.core.geometry.frames import Vector3, translation, unit
from pulley.core.quantities import round_down
from pulley.core.score.stages import displacements, poses_at
from pulley.core.teardown import Teardown, find_step


def scene_after(
    assembly: Assembly,
    teardown: Teardown,
    played: int | None = None,
    movers: tuple[str, ...] = (),
    offset: Vector3 = (0.0, 0.0, 0.0),
) -> Scene:
    """Everything after the first ``played`` steps (all when None), with ``movers`` moved on by ``offset`` (3,) mm.

    Parameters
    ----------
    assembly : Assembly
    teardown : Teardown
    played : int, optional
    movers : tuple of str
        Paths of components.
    offset : (3,)
        In mm.
    """
    states = displacements(assembly, teardown)
    state = dict(states[len(states) - 1 if played is None else max(0, min(played, len(states) - 1))])
    if any(offset):
        for path in assembly.leaves_of(movers):
            state[path] = translation(np.array(offset)) @ state.get(path, np.eye(4))
    return Scene(assembly, poses_at(assembly, state), terms_of(assembly, teardown))


def at_home(assembly: Assembly, teardown: Teardown, played: int | None, component: str, point: Vector3) -> Vector3:
    """A point (3,) of a component, where it is after the first ``played`` steps, back where the component belongs."""
    states = displacements(assembly, teardown)
    state = states[len(states) - 1 if played is None else max(0, min(played, len(states) - 1))]
    first = assembly.leaves_of([component])[0]
    moved = np.linalg.inv(state.get(first, np.eye(4))) @ np.array([*point, 1.0])
    return tuple((np.round(moved[:3], 6) + 0.0).tolist())


@dataclass(frozen=True)
class Leg:
    """One straight leg of a step: its unit direction, its length in mm, and where a longer one would have to stop."""

    direction: Vector3
    length: float
    stop: float | None


def legs(assembly: Assembly, teardown: Teardown, id: str) -> list[Leg]:
    """Each leg of a straight step or of a path, as the step finds everything else.

    Raises PulleyError when there is no such step.
    """
    step = find_step(teardown, id)
    played, leaves = teardown.steps.index(step), assembly.leaves_of(step.members)
    found = []
    for start, end in pairwise([(0.0, 0.0, 0.0), *(step.motion.waypoints or step.motion.corners())]):
        way = unit(np.subtract(end, start))
        meeting = scene_after(assembly, teardown, played, step.members, start).first_meeting(leaves, way)
        stop = round_down(meeting.travel, 0.1) if meeting else None
        found.append(Leg(tuple(way.tolist()), float(np.linalg.norm(np.subtract(end, start))), stop))
    return found
