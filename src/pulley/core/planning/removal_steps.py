"""Proposed removals as ordinary steps, and the reason for each in a sentence."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import replace

import numpy as np

from pulley.core.assembly import Assembly, Leaf
from pulley.core.geometry.directions import direction_word
from pulley.core.geometry.frames import triple
from pulley.core.motion import Axial, Axis, Fan, Motion, Path, Radial, Turn
from pulley.core.naming import free_ids, members_name
from pulley.core.planning.blocking import Blocking
from pulley.core.planning.peeling import Peeling, Removal, Twist, Wishes
from pulley.core.planning.places import Placed
from pulley.core.quantities import counted, plain
from pulley.core.teardown import Step, TrailOf

FANNED = 3  # steps in a row, evenly spaced along one line, from which they are one fan


def steps_of(
    blocking: Blocking,
    taken: Iterable[str],
    placed: Iterable[Placed],
    fans: bool = True,
    freed: Mapping[tuple[int, ...], Sequence[str]] | None = None,
) -> list[Step]:
    """Ordinary steps in the order in which they play, with ids of their own and their reasons as notes.

    With ``fans``, what leaves one after the other along one line and ends up evenly spaced is one step. ``freed`` has,
    by the units of a removal, the paths of what it sets free, for the notes.
    """
    runs = list(_runs(blocking, placed)) if fans else [[each] for each in flat(placed)]
    ids = free_ids(taken, "p")
    steps: list[Step] = []
    gone: set[int] = set()
    sets: list[set[int]] = []  # what left as one and is taken apart by now, nothing else being near
    for run in runs:
        step = _step(blocking, run[0], next(ids)) if len(run) == 1 else _fan(blocking, run, next(ids))
        apart = next((units for units in sets[::-1] if units.issuperset(run[0].removal.units)), None)
        away = gone if apart is None else gone | set(range(len(blocking.units))) - apart
        noted = replace(step, note=f"{_reason(blocking, run, away)}{_then(blocking, run, freed or {})}")
        twist = run[0].removal.twist
        if run[0].removal.at_once:
            steps += _at_once(blocking, noted, run[0], ids)
        else:
            steps += _twisted(noted, run[0], twist, ids) if twist else [noted]
        if run[0].removal.inner:
            sets.append(set(run[0].removal.units))
        else:
            gone |= {k for each in run for k in each.removal.units}
    return steps


def _then(blocking: Blocking, run: Sequence[Placed], freed: Mapping[tuple[int, ...], Sequence[str]]) -> str:
    """What a run sets free, in a sentence; nothing where that is nothing."""
    own = {blocking.units[k].path for each in run for k in each.removal.units}
    paths = [path for each in run for path in freed.get(each.removal.units, ()) if path not in own]
    return f" Then {listed(blocking.scene.assembly, paths)} can leave." if paths else ""


def step_count(blocking: Blocking, placed: Iterable[Placed]) -> int:
    """How many steps removals make, evenly spaced rows as one."""
    return sum(1 for _ in _runs(blocking, placed))


def freed_by(blocking: Blocking, placed: Sequence[Placed], present: Iterable[int]) -> list[list[str]]:
    """For each removal, the paths of the units that can leave then and could not before, one after the other.

    Parameters
    ----------
    blocking : Blocking
    placed : sequence of Placed
        In their order.
    present : iterable of int
        The units that there are, those that stay among them.
    """
    state, found = Peeling(blocking, set(present), set(), Wishes()), []
    waiting = {k for each in placed for k in each.removal.units}
    waiting -= {k for k in waiting if state.free_directions(k)}
    for each in placed:
        state.take(each.removal)
        waiting -= set(each.removal.units)
        now = sorted(k for k in waiting if state.free_directions(k))
        waiting -= set(now)
        found.append([blocking.units[k].path for k in now])
    return found


def _twisted(step: Step, placed: Placed, twist: Twist, ids: Iterator[str]) -> list[Step]:
    """The turn that lets a unit go, and the rest of its way."""
    direction = placed.removal.directions[0]
    turn = replace(step, motion=Turn(Axis(twist.origin, direction), twist.angle, twist.advance))
    left = round(max(placed.distance - twist.along, 0.0), 6)
    return [turn, replace(step, id=next(ids), motion=Axial(direction, left))] if left else [turn]


def _at_once(blocking: Blocking, step: Step, placed: Placed, ids: Iterator[str]) -> Iterator[Step]:
    """A step for each of two sets of units that leave at the same time."""
    removal, timing = placed.removal, step.timing
    for number, (way, units) in enumerate(removal.hands.items()):
        members = tuple(blocking.units[k].path for k in units)
        id, motion = next(ids) if number else step.id, Axial(way, placed.distance)
        label = members_name(blocking.scene.assembly, members)
        timed = replace(timing, start="with" if number else timing.start)
        yield replace(step, id=id, members=members, motion=motion, label=label, timing=timed)


def flat(placed: Iterable[Placed]) -> Iterator[Placed]:
    """Removals in the order in which they play, what a set is taken apart into after it."""
    for each in placed:
        yield each
        yield from flat(each.inner)


def _runs(blocking: Blocking, placed: Iterable[Placed]) -> Iterator[list[Placed]]:
    """Placed removals, those that make a fan together in one list."""
    run: list[Placed] = []
    for each in flat(placed):
        if run and not _goes_on(blocking, run, each):
            yield from _cut(run)
            run = []
        run.append(each)
    yield from _cut(run)


def _cut(run: list[Placed]) -> Iterator[list[Placed]]:
    if len(run) >= FANNED:
        yield run
    else:
        yield from ([each] for each in run)


def _goes_on(blocking: Blocking, run: list[Placed], each: Placed) -> bool:
    """Whether a removal of one unit goes on with the line and the even spacing of a run."""
    last = run[-1]
    simple = all(
        len(p.removal.units) == 1
        and not (p.removal.inner or p.removal.legs or p.removal.axis or p.removal.twist or any(p.aside))
        for p in (last, each)
    )
    if not simple or last.removal.directions != each.removal.directions:
        return False
    boxes = blocking.boxes(each.removal.directions[0])[[last.removal.units[0], each.removal.units[0]]]
    in_line = np.abs(boxes[0].sum(0)[:2] - boxes[1].sum(0)[:2]).max() < 0.1
    spacing = last.distance - each.distance
    even = len(run) == 1 or abs(run[-2].distance - last.distance - spacing) < 1e-6
    return bool(in_line and even and spacing > 0)


def _fan(blocking: Blocking, run: list[Placed], id: str) -> Step:
    """One step for a run, nearest first."""
    members = tuple(blocking.units[each.removal.units[0]].path for each in reversed(run))
    motion = Axial(run[-1].removal.directions[0], run[-1].distance, fan=Fan(run[0].distance - run[1].distance))
    return Step(id, members, motion, members_name(blocking.scene.assembly, members))


def _step(blocking: Blocking, placed: Placed, id: str) -> Step:
    removal, assembly = placed.removal, blocking.scene.assembly
    members = tuple(blocking.units[k].path for k in removal.units)
    return Step(id, members, _motion(placed), members_name(assembly, members))


def _motion(placed: Placed) -> Motion:
    removal, direction = placed.removal, placed.removal.directions[0]
    if removal.axis:
        return Radial(placed.distance, Axis(*removal.axis))
    if any(placed.aside):
        return Path(_aside(placed))
    if removal.legs:
        ends = [*removal.bends, removal.bends[-1] + np.array(direction) * placed.distance]
        return Path(tuple(triple(np.round(end, 6)) for end in ends))
    return Axial(direction, placed.distance)


def _aside(placed: Placed) -> tuple[tuple[float, float, float], ...]:
    """Waypoints of what is set aside: along its way, over to its column, and on to its place in it."""
    way, aside = np.array(placed.removal.directions[0]), np.array(placed.aside)
    points = [way * placed.lift, way * placed.lift + aside, way * placed.distance + aside]
    return tuple(triple(np.round(point, 6)) for point in points if np.any(point))


def trails_of(blocking: Blocking, placed: Sequence[Placed]) -> list[TrailOf]:
    """What trail lines of what is set aside have of their own: one of each column leads all the way, the others
    begin in it."""
    found: list[TrailOf] = []
    columns: dict[tuple[float, ...], list[Placed]] = {}
    for each in placed:
        if any(each.aside):
            columns.setdefault((*each.aside, *each.removal.directions[0]), []).append(each)
    for members in columns.values():
        leads = _leading(blocking, members)
        for each in members:
            over = 2 if each.lift else 1
            off = tuple(range(over + 1 if each.inner else over))
            leaves = [leaf for k in each.removal.units for leaf in blocking.units[k].leaves if leaf != leads]
            found += [TrailOf(leaf, off=off) for leaf in leaves]
    return found


def _leading(blocking: Blocking, members: Sequence[Placed]) -> str:
    """The leaf whose trail line leads to a column: the largest of what stands first in it."""
    return max(
        (leaf for k in members[-1].removal.units for leaf in blocking.units[k].leaves),
        key=lambda leaf: abs(blocking.scene.assembly.leaf(leaf).part.mesh.volume or 0.0),
    )


def _reason(blocking: Blocking, run: Sequence[Placed], gone: set[int]) -> str:
    """Why a step is there, in a sentence; ``gone`` is what came off before it."""
    removal = run[0].removal
    members = {k for each in run for k in each.removal.units}
    way = direction_word(removal.directions[0]) if len(set(removal.directions)) == 1 else "outward"
    if removal.family:
        name = members_name(blocking.scene.assembly, (removal.family,))
        return f"{name} leaves as a whole, {way}, and is taken apart on its own."
    if removal.knot:
        return f"These {len(members)} block one another and only leave together, {way}."
    if removal.at_once:
        ways = _in_turn([direction_word(way) for way in removal.hands])
        return f"Neither lets the other go: they leave at the same time, {ways}, one in either hand."
    if removal.twist and removal.twist.advance:
        turns, pitch = abs(removal.twist.angle) / 360, abs(removal.twist.advance)
        return f"A thread holds it: {plain(turns)} turns of {plain(pitch)} mm, then {way}."
    if removal.twist:
        return f"It is locked: a turn by {plain(abs(removal.twist.angle))}° frees it, then {way}."
    if removal.legs:
        first = _in_turn([direction_word(leg) for leg in removal.legs])
        return f"Nothing lets it go straight: first {first}, then {way}."
    return _holds(blocking, removal, members, gone, way)


def _in_turn(words: Sequence[str]) -> str:
    return ", ".join([*words[:-2], " and ".join(words[-2:])])


def _holds(blocking: Blocking, removal: Removal, members: set[int], gone: set[int], way: str) -> str:
    pairs = [(k, j) for k in sorted(members) for j in sorted(blocking.touched(k)) if j not in members and j not in gone]
    names = listed(
        blocking.scene.assembly, [blocking.units[j].path for j in dict.fromkeys(sorted(j for _, j in pairs))]
    )
    one, number = len(members) == 1, len(members)
    if removal.fastener and names:
        contacts = counted(len(pairs), "contact")
        return f"{'It holds' if one else f'These {number} hold'} {names}: {contacts}, nothing in the way {way}."
    if names:
        return f"{'It rests' if one else f'These {number} rest'} on {names}; nothing is in the way {way} any more."
    return f"Nothing is in the way {way}{' any more' if gone else ''}."


def listed(assembly: Assembly, paths: Sequence[str], most: int = 3) -> str:
    """Names of components, those of one part as one, the first few and how many more."""
    by_part: dict[object, list[str]] = {}
    for path in paths:
        component = assembly.by_path[path]
        by_part.setdefault(component.part.key if isinstance(component, Leaf) else path, []).append(path)
    names = [members_name(assembly, group) for group in by_part.values()]
    if len(names) <= most:
        return _in_turn(names)
    return f"{', '.join(names[:most])} and {len(names) - most} more"
