"""Checks of a whole teardown: each step with everything else where it then stands, and the end."""

from bisect import bisect_left
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from typing import Any
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from pulley.core.assembly import Assembly
from pulley.core.contact.distance import mesh_distance
from pulley.core.contact.overlap import Overlap, new_overlaps
from pulley.core.contact.scene import Scene, home_boxes, turn_bounds
from pulley.core.contact.start import TOLERANCE, Allowed
from pulley.core.contact.terms import Terms, terms_of
from pulley.core.geometry.bounds import reaching
from pulley.core.motion.base import Displaced
from pulley.core.motion.travel import Screw, Slide
from pulley.core.score.compose import Bar, bars
from pulley.core.score.legs import Leg, Move, carried, legs, relative, together
from pulley.core.score.stages import Stage, placements, poses_at, skew_members, stages
from pulley.core.teardown import Teardown

Report = Callable[[int, int], None]  # called with steps done and steps in all; what it raises ends the check
Group = list[tuple[Stage, Bar]]
STILL = 1e-6  # mm; movers that gain less than this on each other move as one
BEND = 0.1  # mm to which it is told by how much a component gives
KEPT = 4096  # groups of steps that are remembered for an assembly
_checked: WeakKeyDictionary[Assembly, dict[Any, Any]] = WeakKeyDictionary()


@dataclass(frozen=True)
class Snag:
    """An unwanted contact in a step: who runs into whom, at which share and travel, and where."""

    moving: str
    blocker: str
    at: float
    travel: float
    kind: str
    point: tuple[float, float, float] | None = None


@dataclass(frozen=True)
class Verdict:
    """The check of a teardown: snags by step id, in order of steps, and overlaps at the end.

    ``skew`` has, by step id, the members of radial steps whose own axis is off their travel, in degrees; ``gives``
    the leaves that must bend in a step, by so many mm. ``tolerance`` is what applied, and ``exceptions`` has the pairs
    of leaves for which it was another, or which could only be judged by the growth of what they share.
    """

    snags: dict[str, tuple[Snag, ...]]
    overlaps: tuple[Overlap, ...]
    skew: dict[str, tuple[tuple[str, float], ...]]
    gives: dict[str, tuple[tuple[str, float], ...]] = field(default_factory=dict)
    tolerance: float = TOLERANCE
    exceptions: dict[tuple[str, str], Allowed] = field(default_factory=dict)

    @property
    def clear(self) -> bool:
        """Whether nothing runs into anything."""
        return not self.overlaps and not any(self.snags.values())


def check(assembly: Assembly, teardown: Teardown, report: Report = lambda _done, _all: None) -> Verdict:
    """Check every step of a teardown, and its end pose for overlap.

    ``report`` hears after every step how many are done; an exception from it ends the check, so that
    it can be cancelled. Steps checked before, and pairs that met the same way before, are not worked
    out again.

    Raises PulleyError as `travels` does.

    Parameters
    ----------
    assembly : Assembly
    teardown : Teardown
    report : callable(done, all)
        Steps done, and how many there are.

    Returns
    -------
    Verdict
        The snags of each step, overlaps at the end, and on which tolerance that stands.
    """
    terms = terms_of(assembly, teardown)
    played = stages(assembly, teardown)
    snags: dict[str, list[Snag]] = {step.id: [] for step in teardown.steps}
    gives: dict[str, tuple[tuple[str, float], ...]] = {}
    exceptions: dict[tuple[str, str], Allowed] = {}
    end = played[-1].displaced(1.0) if played else placements(assembly, teardown)
    after = [stage.before for stage in played[1:]] + [end]
    done, boxes = 0, home_boxes(assembly).copy()
    if teardown.placed:
        boxes = Scene(assembly, poses_at(assembly, placements(assembly, teardown))).boxes
    for group in together(played, bars(teardown.steps)):
        seen = _check_group(assembly, group, boxes, terms)
        for number, snag in seen.snags:
            snags[group[number][0].step.id].append(snag)
        gives |= {group[number][0].step.id: bent for number, bent in seen.gives}
        exceptions |= seen.exceptions
        done += len(group)
        _move_boxes(assembly, group, after[done - 1], boxes)
        report(done, len(played))
    overlaps = new_overlaps(assembly, poses_at(assembly, end), boxes, end, terms.depths, terms.tolerance)
    for id, snag in _blame_steps(played, overlaps):
        snags[id].append(snag)
    skew = {stage.step.id: tuple(skew_members(assembly, stage)) for stage in played}
    kept = {id: tuple(found) for id, found in snags.items()}
    return Verdict(kept, overlaps, skew, gives, terms.tolerance, exceptions)


@dataclass(frozen=True)
class _Seen:
    """What was found of steps that play together, each named by its place among them."""

    snags: tuple[tuple[int, Snag], ...]
    gives: tuple[tuple[int, tuple[tuple[str, float], ...]], ...]
    exceptions: dict[tuple[str, str], Allowed]


def _check_group(assembly: Assembly, group: Group, boxes: NDArray[np.float64], terms: Terms) -> _Seen:
    """What is found of steps that play together; ``boxes`` (n, 2, 3) bound the leaves as they start.

    What they are depends on nothing but the motions and what stands near them, so they are kept by
    that: after a change only what depends on it is checked again.
    """
    before = group[0][0].before
    near = _near(assembly, group, boxes, terms.tolerance)
    key = (
        tuple((path, way.key) for stage, _ in group for path, way in stage.travels.items()),
        tuple((bar.start - group[0][1].start, bar.end - bar.start) for _, bar in group) if len(group) > 1 else (),
        tuple((path, before[path].tobytes() if path in before else b"") for path in near),
        terms.key,
    )
    known = _checked.setdefault(assembly, {})
    if key not in known:
        if len(known) >= KEPT:
            del known[next(iter(known))]
        known[key] = _found(assembly, group, near, terms)
    return known[key]


def _near(assembly: Assembly, group: Group, boxes: NDArray[np.float64], tolerance: float) -> list[str]:
    """The leaves whose bounds reach into those of all that a group's movers pass through, movers included."""
    places = assembly.leaf_places
    movers = np.array([places[path] for stage, _ in group for path in stage.travels], int)
    if len(group) > 1 or not len(movers):
        return list(places) if len(movers) else []
    swept = np.array([_swept(boxes[places[path]], way) for path, way in group[0][0].travels.items()])
    low, high = swept[:, 0].min(0) - tolerance, swept[:, 1].max(0) + tolerance
    near = np.union1d(reaching(boxes, low, high), movers)
    return [assembly.leaves[place].path for place in near.tolist()]


def _move_boxes(assembly: Assembly, group: Group, end: Displaced, boxes: NDArray[np.float64]) -> None:
    """Let the bounds (n, 2, 3) of the leaves that a group has moved be those at its end."""
    moved = dict.fromkeys(path for stage, _ in group for path in stage.travels)
    if moved:
        scene = Scene(assembly, poses_at(assembly, end, moved))
        boxes[[assembly.leaf_places[path] for path in moved]] = scene.boxes


def _swept(box: NDArray[np.float64], way: Slide | Screw) -> NDArray[np.float64]:
    """Bounds (2, 3) of all that a box (2, 3) passes through on its way."""
    if isinstance(way, Screw):
        pick = np.array([[x, y, z] for x in (0, 1) for y in (0, 1) for z in (0, 1)])
        return turn_bounds(box[pick, [0, 1, 2]], way)
    return np.array([box[0] + way.points.min(0), box[1] + way.points.max(0)])


def _found(assembly: Assembly, group: Group, near: list[str], terms: Terms) -> _Seen:
    """Snags of steps that play together, among the leaves near them, in order, and what gives in them.

    Of a pair that meets more than once the first meeting counts. What two leaves may penetrate is what they do
    where the steps start, in every leg; a contact that goes on from leg to leg begins in the first of them.
    """
    found: dict[frozenset[str], tuple[int, Snag]] = {}
    begun: dict[frozenset[str], tuple[Leg, _Met]] = {}
    bent: dict[int, dict[str, float]] = {}
    exceptions: dict[tuple[str, str], Allowed] = {}
    start = poses_at(assembly, group[0][0].before, near)
    apart = _Apart()
    for leg in legs(group):
        scene = Scene(assembly, poses_at(assembly, leg.displaced, near), terms, start)
        apart.move(scene, leg)
        meeting: dict[frozenset[str], tuple[Leg, _Met]] = {}
        for mover, blocker in encounters(scene, leg.moves):
            pair = frozenset((mover, blocker))
            if pair in found or (len(group) > 1 and apart.stay(scene, mover, blocker)):
                continue
            met = _meet(scene, leg, mover, blocker)
            if met:
                meeting[pair] = begun[pair] if met.share <= 0 and pair in begun else (leg, met)
            if met and met.deep:
                found[pair] = _snag(group, mover, blocker, *meeting[pair])
            elif terms.give(mover, blocker):
                for leaf, by in _bending(scene, leg, mover, blocker):
                    steps = bent.setdefault(_mover_of(group, mover), {})
                    steps[leaf] = max(steps.get(leaf, 0.0), by)
        begun = meeting
        exceptions |= scene.exceptions
    snags = tuple(sorted(found.values(), key=lambda entry: entry[1].at))
    return _Seen(snags, tuple((number, tuple(each.items())) for number, each in bent.items()), exceptions)


def _bending(scene: Scene, leg: Leg, mover: str, blocker: str) -> Iterator[tuple[str, float]]:
    """Leaves of a pair that meets nothing in a leg only because they bend, and by how many mm at least."""
    for leaf in (mover, blocker):
        most = scene.terms.gives.get(leaf, 0.0)

        def clear(by: float, leaf: str = leaf) -> bool:
            gives = {path: give for path, give in {**scene.terms.gives, leaf: by}.items() if give}
            less = replace(scene, terms=replace(scene.terms, gives=gives))
            met = _meet(less, leg, mover, blocker)
            return met is None or not met.deep

        if most and not clear(0.0):
            steps = np.append(np.arange(BEND, most, BEND), most)
            yield (
                leaf,
                round(float(steps[bisect_left(range(len(steps)), True, key=lambda k: clear(float(steps[k])))]), 6),
            )


@dataclass(frozen=True)
class _Met:
    """Where two leaves meet in a leg: at which share of it, and the point (3,); and whether within the leg they come to
    penetrate each other deeper than they may, or only begin to."""

    share: float
    point: NDArray[np.float64]
    deep: bool


def _meet(scene: Scene, leg: Leg, mover: str, blocker: str) -> _Met | None:
    """The meeting of two leaves in a leg; None when there is none."""
    other = leg.moves.get(blocker)
    move = relative(leg.moves[mover], other)
    if isinstance(move, Screw):
        reach, contact = abs(move.angle), scene.contact_turning(mover, blocker, move)
    else:
        reach, contact = float(np.linalg.norm(move)), scene.contact(mover, blocker, move)
    if contact.point is None or contact.travel > reach:
        return None
    share = contact.travel / reach
    return _Met(share, carried(np.array(contact.point), other, share), contact.deep <= reach)


def _mover_of(group: Group, mover: str) -> int:
    """The place of the last step of a group that moves a leaf."""
    return max(number for number, (stage, _) in enumerate(group) if mover in stage.travels)


def _snag(group: Group, mover: str, blocker: str, leg: Leg, met: _Met) -> tuple[int, Snag]:
    """A meeting as a snag of the last step of a group that moves the mover, with the step's place."""
    number = _mover_of(group, mover)
    stage, _ = group[number]
    low, high = leg.shares[stage.step.id]
    share = low + (high - low) * met.share
    travel = stage.travels[mover].length(share, met.point)
    return number, Snag(mover, blocker, share, travel, "sweep", tuple(met.point.tolist()))


class _Apart:
    """Pairs that were once measured to be apart cannot meet before they have moved as far."""

    def __init__(self) -> None:
        self._gone: dict[str, float] = {}  # mm that each leaf has moved at most, the present leg included
        self._reach: dict[str, float] = {}  # of them, in the present leg
        self._safe: dict[frozenset[str], float] = {}  # how far a pair may have moved before it is measured again

    def move(self, scene: Scene, leg: Leg) -> None:
        """Count in what a leg moves."""
        self._reach = {path: scene.pace(path, move) for path, move in leg.moves.items()}
        for path, reach in self._reach.items():
            self._gone[path] = self._gone.get(path, 0.0) + reach

    def stay(self, scene: Scene, a: str, b: str) -> bool:
        """Whether two leaves cannot meet in the present leg, at the start of which ``scene`` shows them."""
        pair = frozenset((a, b))
        gone = self._gone.get(a, 0.0) + self._gone.get(b, 0.0)
        if gone < self._safe.get(pair, 0.0):
            return True
        reach = self._reach.get(a, 0.0) + self._reach.get(b, 0.0)
        distance = mesh_distance(*scene.body(a), *scene.body(b))
        self._safe[pair] = gone - reach + distance
        return reach < distance


def encounters(scene: Scene, moves: dict[str, Move]) -> Iterator[tuple[str, str]]:
    """Pairs (mover, other) that move differently and whose bounds say that they may meet; each pair once.

    Parameters
    ----------
    scene : Scene
    moves : dict of path to Move
        What moves, each as it does; what is not in it stands still.
    """
    kinds: dict[bytes, int] = {}
    kind = np.zeros(len(scene.paths), int)
    swept = scene.boxes.copy()
    movers = scene.places(path for path in scene.paths if path in moves)
    for place in movers:
        move = moves[scene.paths[place]]
        kind[place] = kinds.setdefault(move.key if isinstance(move, Screw) else move.tobytes(), len(kinds) + 1)
        swept[place] = scene.swept(place, move)
    for place in movers:
        near = reaching(swept, swept[place, 0] - scene.tolerance, swept[place, 1] + scene.tolerance)
        mine = moves[scene.paths[place]]
        for other in near[(kind[near] != kind[place]) & ((kind[near] == 0) | (near > place))]:
            move = relative(mine, moves.get(scene.paths[other]))
            if isinstance(move, Screw) or (np.linalg.norm(move) > STILL and scene.may_meet(place, int(other), move)):
                yield scene.paths[place], scene.paths[other]


def _blame_steps(played: list[Stage], overlaps: tuple[Overlap, ...]) -> Iterator[tuple[str, Snag]]:
    """Each end overlap as a snag of the last step that moved either of the two."""
    for overlap in overlaps:
        for stage in reversed(played):
            mover = next((path for path in (overlap.a, overlap.b) if path in stage.travels), None)
            if mover:
                other = overlap.b if mover == overlap.a else overlap.a
                yield stage.step.id, Snag(mover, other, 1.0, stage.travels[mover].length(1.0), "end")
                break
