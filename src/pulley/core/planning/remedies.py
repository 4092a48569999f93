"""What to do about a snag: changes to a teardown that were themselves checked and clear the step."""

import math
from collections.abc import Iterator
from dataclasses import asdict, dataclass, replace
from typing import Any, TypeVar

import numpy as np

from pulley.core.assembly import Assembly
from pulley.core.contact.check import Snag, Verdict, check
from pulley.core.contact.fits import find_fit
from pulley.core.contact.giving import find_gives
from pulley.core.contact.scene import Scene
from pulley.core.contact.terms import set_give, terms_of
from pulley.core.geometry.frames import Vector, Vector3, translation, triple, unit
from pulley.core.motion import Axial, Path, Turn
from pulley.core.motion.base import Shorter
from pulley.core.motion.travel import Slide
from pulley.core.planning.directions import candidates
from pulley.core.planning.ways_out import leaving_distance
from pulley.core.quantities import PITCH, round_down
from pulley.core.score.stages import Stage, poses_at, stage_of, stages
from pulley.core.teardown import Step, Teardown

CROWD = 0.5  # share of an assembly that a remedy moves out of the way first, at most
FIRST_LEGS = (5.0, 10.0, 20.0, 40.0, 80.0, 160.0, 320.0)  # mm tried for the first leg of a path

T = TypeVar("T")


@dataclass(frozen=True)
class Remedy:
    """One way to clear a step.

    ``order``: play ``steps``, which move the components in the way, before it, or where ``later`` play it
    after them. ``first``: move ``components`` out of the way before it, along ``direction`` by ``distance``.
    ``shorten``: go only ``distance`` mm, or degrees where it is a ``turn``. ``direction``: go along ``direction``.
    ``path``: go along ``waypoints``. ``fit``: confirm that ``components`` overlap by design. ``gives``: let the one
    component in ``components`` bend by ``distance``.
    """

    kind: str
    components: tuple[str, ...] = ()
    steps: tuple[str, ...] = ()
    later: bool = False
    direction: Vector3 | None = None
    distance: float | None = None
    waypoints: tuple[Vector3, ...] = ()
    turn: bool = False

    def to_json(self) -> dict[str, Any]:
        """What this kind of remedy says, as plain JSON values."""
        return {key: value for key, value in asdict(self).items() if value not in (None, (), False)}


@dataclass(frozen=True, eq=False)
class _Case:
    """A step with snags: the teardown, its check, and everything as the step finds it."""

    assembly: Assembly
    teardown: Teardown
    verdict: Verdict
    stage: Stage
    scene: Scene

    @property
    def step(self) -> Step:
        return self.stage.step

    @property
    def snags(self) -> tuple[Snag, ...]:
        return self.verdict.snags[self.step.id]

    @property
    def movers(self) -> list[str]:
        return list(self.stage.travels)


def remedies(assembly: Assembly, teardown: Teardown, verdict: Verdict, step_id: str) -> tuple[Remedy, ...]:
    """Changes that clear one step of a checked teardown and make no other step worse; the best of each kind.

    Every one was applied and the whole teardown checked again. Empty when the step has no snags, or
    when nothing here helps.

    Parameters
    ----------
    assembly : Assembly
    teardown : Teardown
    verdict : Verdict
        Of this teardown.
    step_id : str

    Returns
    -------
    tuple of Remedy
        The best one of each kind.
    """
    stage = stage_of(assembly, teardown, step_id)
    if not verdict.snags[step_id]:
        return ()
    scene = Scene(assembly, poses_at(assembly, stage.before), terms_of(assembly, teardown))
    case = _Case(assembly, teardown, verdict, stage, scene)
    found = []
    for way in (_reorder, _confirm, _let_give, _clear_first, _shorten, _turn_to, _bend):
        remedy = next((remedy for remedy in way(case) if _helps(case, remedy)), None)
        if remedy:
            found.append(remedy)
    return tuple(found)


def _helps(case: _Case, remedy: Remedy) -> bool:
    """Whether the step is clear once the remedy is applied, and no other has a snag that it had not."""
    after = check(case.assembly, apply_remedy(case.teardown, case.step.id, remedy))
    if after.snags[case.step.id]:
        return False
    before = {id: {frozenset((s.moving, s.blocker)) for s in snags} for id, snags in case.verdict.snags.items()}
    return all(
        frozenset((snag.moving, snag.blocker)) in before.get(id, set())
        for id, snags in after.snags.items()
        for snag in snags
    )


def apply_remedy(teardown: Teardown, step_id: str, remedy: Remedy) -> Teardown:
    """The teardown with a remedy carried out on one step."""
    steps = list(teardown.steps)
    place = next(k for k, step in enumerate(steps) if step.id == step_id)
    step = steps[place]
    if remedy.kind == "fit":
        a, b = remedy.components
        return replace(teardown, fits=(*teardown.fits, {"a": a, "b": b, "depth": remedy.distance}))
    if remedy.kind == "gives":
        return set_give(teardown, remedy.components[0], _said(remedy.distance))
    if remedy.kind == "order":
        return replace(teardown, steps=_reordered(teardown.steps, step, remedy))
    if remedy.kind == "first":
        id = next(f"s{k}" for k in range(1, len(steps) + 2) if f"s{k}" not in {s.id for s in steps})
        steps.insert(
            place, Step(id, remedy.components, Axial(_said(remedy.direction), _said(remedy.distance)), "Out of the way")
        )
    elif remedy.kind == "shorten":
        steps[place] = replace(step, motion=step.motion.shortened(Shorter(_said(remedy.distance), remedy.waypoints)))
    elif remedy.kind == "direction":
        if not isinstance(step.motion, Axial):
            raise ValueError("only a straight step has a direction")
        steps[place] = replace(step, motion=replace(step.motion, direction=_said(remedy.direction)))
    elif remedy.kind == "path":
        steps[place] = replace(step, motion=Path(remedy.waypoints))
    return replace(teardown, steps=tuple(steps))


def _said(value: T | None) -> T:
    """What a remedy says; ValueError when it leaves out what its kind needs."""
    if value is None:
        raise ValueError("the remedy leaves out what it needs")
    return value


def _reordered(steps: tuple[Step, ...], step: Step, remedy: Remedy) -> tuple[Step, ...]:
    moved = [s for s in steps if s.id in remedy.steps]
    rest = [s for s in steps if s.id not in remedy.steps]
    if not remedy.later:
        place = rest.index(step)
        return (*rest[:place], *moved, *rest[place:])
    others = [s for s in steps if s is not step]
    place = max(others.index(s) for s in moved) + 1
    return (*others[:place], step, *others[place:])


def _blockers(case: _Case) -> set[str]:
    """What is in the step's way: the leaves that it meets and does not move."""
    ends = {path for snag in case.snags for path in (snag.moving, snag.blocker)}
    return ends - set(case.movers)


def _reorder(case: _Case) -> Iterator[Remedy]:
    """The later steps that move what is in the way, before this one; then this one after them.

    Where one of those steps is itself held, the steps that free it come along.
    """
    place = case.teardown.steps.index(case.step)
    later = stages(case.assembly, case.teardown)[place + 1 :]
    wanted = _blockers(case)
    for _ in range(3):
        chosen = [stage for stage in later if wanted & set(stage.travels)]
        if not wanted or not chosen or not wanted <= {path for stage in chosen for path in stage.travels}:
            return
        named = tuple(path for path in case.scene.paths if path in _blockers(case))
        ids = tuple(stage.step.id for stage in chosen)
        remedy = Remedy("order", named, ids)
        yield remedy
        yield replace(remedy, later=True)
        held = check(case.assembly, apply_remedy(case.teardown, case.step.id, remedy))
        moved = {path for stage in chosen for path in stage.travels}
        more = {path for id in ids for snag in held.snags[id] for path in (snag.moving, snag.blocker)} - moved
        if more <= wanted:
            return
        wanted = (wanted | more) - set(case.movers)


def _confirm(case: _Case) -> Iterator[Remedy]:
    """The one pair that meets is a fit by its shape."""
    pairs = {frozenset((snag.moving, snag.blocker)) for snag in case.snags}
    if len(pairs) == 1:
        fit = find_fit(case.assembly, *sorted(pairs.pop()))
        if fit:
            yield Remedy("fit", (fit.a, fit.b), distance=round(fit.depth, 3))


def _let_give(case: _Case) -> Iterator[Remedy]:
    """What all snags have in common is a ring that looks as if it bends."""
    common = set.intersection(*({snag.moving, snag.blocker} for snag in case.snags))
    for give in find_gives(case.assembly) if common else ():
        if give.component in common:
            yield Remedy("gives", (give.component,), distance=give.by)


def _clear_first(case: _Case) -> Iterator[Remedy]:
    """The smallest set that holds what is in the way and can leave in one direction, smallest first."""
    wanted = _blockers(case)
    if not wanted:
        return
    sets = []
    for direction in candidates(case.scene, sorted(wanted)):
        leaving = _leaving(case, wanted, direction)
        if leaving:
            distance = max(leaving_distance(case.scene, leaving, direction), _past_step(case, leaving, direction))
            sets.append((len(leaving), distance, leaving, direction))
    for _, distance, leaving, direction in sorted(sets, key=lambda entry: entry[:2]):
        yield Remedy("first", tuple(leaving), direction=triple(direction), distance=distance)


def _past_step(case: _Case, leaving: list[str], direction: Vector) -> float:
    """How far in mm a set must go along a direction to lie beyond all that the step passes through."""
    swept = []
    for path, way in case.stage.travels.items():
        place = case.scene.places([path])[0]
        spans = way.points if isinstance(way, Slide) else [way]
        swept += [case.scene.swept(place, span) for span in spans]
    ahead = max(float((box[[0, 1]] * direction).max(0).sum()) for box in swept)
    rear = case.scene.boxes_along(direction)[case.scene.places(leaving), 0, 2].min()
    return math.ceil((ahead - rear) / PITCH) * PITCH


def _leaving(case: _Case, wanted: set[str], direction: Vector) -> list[str]:
    """The least set that holds ``wanted`` and is never stopped along a direction; empty when the step's own would."""
    leaving = set(wanted)
    while len(leaving) <= CROWD * len(case.scene.paths):
        meeting = case.scene.first_meeting(leaving, direction)
        if meeting is None:
            return [path for path in case.scene.paths if path in leaving]
        if meeting.blocker in case.stage.travels:
            return []
        leaving.add(meeting.blocker)
    return []


def _shorten(case: _Case) -> Iterator[Remedy]:
    """As far as the step is clear, in round numbers."""
    way = next(iter(case.stage.travels.values()))
    share = min(snag.at for snag in case.snags)
    for shorter in case.step.motion.shorter(share, way, bool(case.step.spacing)):
        turn = isinstance(case.step.motion, Turn)
        yield Remedy("shorten", distance=shorter.distance, waypoints=shorter.waypoints, turn=turn)


def _turn_to(case: _Case) -> Iterator[Remedy]:
    """Other directions in which the step would be free, the nearest to its own first."""
    motion = case.step.motion
    if not isinstance(motion, Axial) or case.step.spacing:
        return
    own = unit(np.array(motion.direction))
    for direction in sorted(candidates(case.scene, case.movers), key=lambda d: -round(float(d @ own), 9)):
        meeting = case.scene.first_meeting(case.movers, direction)
        if meeting is None or meeting.travel >= motion.distance:
            yield Remedy("direction", direction=triple(direction), distance=motion.distance)


def _bend(case: _Case) -> Iterator[Remedy]:
    """Paths of two legs, the shortest first leg first: out of the way sideways, and then on."""
    motion = case.step.motion
    if not isinstance(motion, Axial) or case.step.spacing:
        return
    own = unit(np.array(motion.direction))
    directions = sorted(candidates(case.scene, case.movers), key=lambda d: -round(float(d @ own), 9))
    frees = [case.scene.first_meeting(case.movers, direction) for direction in directions]
    reach = [np.inf if met is None else met.travel for met in frees]
    lengths = {*FIRST_LEGS, *(round_down(r) for r in reach if 0 < r < np.inf)}
    for length in sorted(length for length in lengths if length > 0):
        for first, free in zip(directions, reach, strict=True):
            if free >= length:
                yield from _second_legs(case, first * length, motion.distance, directions)


def _second_legs(case: _Case, first: Vector, distance: float, directions: list[Vector]) -> Iterator[Remedy]:
    """A distance on, in every direction in which it is free after a first leg (3,)."""
    moved = translation(first)
    poses = {path: moved @ pose if path in case.stage.travels else pose for path, pose in case.scene.poses.items()}
    scene = replace(case.scene, poses=poses)
    for second in directions:
        if abs(second @ unit(first)) > 0.999:
            continue
        meeting = scene.first_meeting(case.movers, second)
        if meeting is None or meeting.travel >= distance:
            end = first + second * distance
            yield Remedy("path", waypoints=(triple(first), triple(end)))
