"""Steps made, marked, ordered and taken out, one or several at once."""

from collections.abc import Iterable, Sequence
from dataclasses import replace

from pulley.core.assembly import Assembly
from pulley.core.editing.common import (
    LABEL_LIMIT,
    STEP_LIMIT,
    checked_direction,
    checked_name,
    checked_text,
    find_steps,
    known_members,
    with_each,
    with_step,
)
from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import Vector3
from pulley.core.motion import Axial
from pulley.core.motion.base import checked_distance
from pulley.core.naming import free_id, free_ids, members_name
from pulley.core.score.stages import travels
from pulley.core.teardown import MARKS, Step, Teardown, find_step

NOTE_LIMIT = 2000


def add_step(
    teardown: Teardown,
    assembly: Assembly,
    members: Sequence[str],
    direction: Vector3,
    distance: float,
    after: int | None = None,
) -> tuple[Teardown, Step]:
    """A new axial step, put after the first ``after`` steps (at the end when None), with a label made up.

    Raises PulleyError when a member is unknown, the direction is zero or the distance out of range.

    Parameters
    ----------
    teardown : Teardown
    assembly : Assembly
    members : sequence of str
        Paths of components.
    direction : (3,)
    distance : float
        In mm.
    after : int, optional
    """
    step = Step("", tuple(members), Axial(checked_direction(direction), checked_distance(distance)))
    return insert_step(teardown, assembly, step, after)


def insert_step(teardown: Teardown, assembly: Assembly, step: Step, after: int | None = None) -> tuple[Teardown, Step]:
    """A new step of any kind, put after the first ``after`` steps, with an id and a label made up.

    Raises PulleyError when a member is unknown or its motion is none.
    """
    if len(teardown.steps) >= STEP_LIMIT:
        raise PulleyError(f"A teardown holds at most {STEP_LIMIT} steps.")
    members = known_members(assembly, step.members)
    step = replace(
        step,
        id=free_id([other.id for other in teardown.steps], "s"),
        members=members,
        motion=step.motion if members == step.members else step.motion.ungrouped(),
        label=step.label or _made_up(assembly, members),
    )
    step.check()
    travels(assembly, step)
    place = len(teardown.steps) if after is None else max(0, min(after, len(teardown.steps)))
    return replace(teardown, steps=(*teardown.steps[:place], step, *teardown.steps[place:])), step


def relabelled(before: Teardown, after: Teardown, assembly: Assembly) -> Teardown:
    """The teardown after a change in which steps that bear the names of their members bear those that they have now.

    Parameters
    ----------
    before, after : Teardown
    assembly : Assembly
    """
    were = {step.id: step for step in before.steps}

    def named(step: Step) -> Step:
        old = were.get(step.id, step)
        made_up = old.members != step.members and old.label == step.label == _made_up(assembly, old.members)
        return replace(step, label=_made_up(assembly, step.members)) if made_up else step

    return replace(after, steps=tuple(named(step) for step in after.steps))


def _made_up(assembly: Assembly, members: Sequence[str]) -> str:
    """The label that a step gets of itself; none where a member is no longer there."""
    known = all(member in assembly.by_path for member in members)
    return members_name(assembly, members)[:LABEL_LIMIT] if known else ""


def rename_step(teardown: Teardown, id: str, label: str) -> Teardown:
    """Give a step another label.

    Examples
    --------
    >>> from pulley.core.motion import Axial
    >>> one = Teardown("Service", (Step("s1", ("block/screw",), Axial((0, 0, 1), 60)),))
    >>> rename_step(one, "s1", "Screw out").steps[0].label
    'Screw out'
    """
    return with_step(teardown, replace(find_step(teardown, id), label=checked_name(label, "label")))


def delete_steps(teardown: Teardown, ids: Iterable[str]) -> Teardown:
    """Take steps out.

    Raises
    ------
    PulleyError
        When one of them is gone already.
    """
    gone = {step.id for step in find_steps(teardown, ids)}
    return replace(teardown, steps=tuple(s for s in teardown.steps if s.id not in gone))


def shift_steps(teardown: Teardown, ids: Iterable[str], by: int) -> Teardown:
    """Move steps ``by`` places, later when positive; they stay within the ends and keep their order.

    Examples
    --------
    >>> from pulley.core.motion import Axial
    >>> two = Teardown("Service", tuple(Step(id, (id,), Axial((0, 0, 1), 60)) for id in ("a", "b")))
    >>> [step.id for step in shift_steps(two, ["a"], 1).steps]
    ['b', 'a']
    """
    steps = find_steps(teardown, ids)
    rest = [step for step in teardown.steps if step not in steps]
    first = next(k for k, step in enumerate(teardown.steps) if step in steps)
    place = max(0, min(first + by, len(rest)))
    return replace(teardown, steps=(*rest[:place], *steps, *rest[place:]))


def put_before(teardown: Teardown, ids: Iterable[str], before: str | None) -> Teardown:
    """Move steps to right before another, or to the end when None.

    Examples
    --------
    >>> from pulley.core.motion import Axial
    >>> two = Teardown("Service", tuple(Step(id, (id,), Axial((0, 0, 1), 60)) for id in ("a", "b")))
    >>> [step.id for step in put_before(two, ["b"], "a").steps]
    ['b', 'a']
    """
    steps = find_steps(teardown, ids)
    rest = [step for step in teardown.steps if step not in steps]
    place = len(rest)
    if before is not None:
        target = teardown.steps.index(find_step(teardown, before))
        place = sum(1 for step in teardown.steps[:target] if step not in steps)
    return replace(teardown, steps=(*rest[:place], *steps, *rest[place:]))


def switch(teardown: Teardown, ids: Iterable[str], off: bool) -> Teardown:
    """Switch steps off, so that they move nothing, or on again.

    Examples
    --------
    >>> from pulley.core.motion import Axial
    >>> one = Teardown("Service", (Step("s1", ("block/screw",), Axial((0, 0, 1), 60)),))
    >>> switch(one, ["s1"], True).steps[0].off
    True
    """
    return with_each(teardown, [replace(step, off=off) for step in find_steps(teardown, ids)])


def mark(teardown: Teardown, ids: Iterable[str], colour: str) -> Teardown:
    """Give steps a colour mark, or none (empty)."""
    if colour and colour not in MARKS:
        raise PulleyError(f"There is no mark “{colour[:40]}”. Choose one of {', '.join(MARKS)}.")
    return with_each(teardown, [replace(step, colour=colour) for step in find_steps(teardown, ids)])


def set_note(teardown: Teardown, id: str, note: str) -> Teardown:
    """Give a step a note."""
    return with_step(teardown, replace(find_step(teardown, id), note=checked_text(note, NOTE_LIMIT, "note")))


def duplicate(teardown: Teardown, ids: Iterable[str]) -> tuple[Teardown, list[str]]:
    """Put copies of steps right after the last of them; the teardown and the copies' ids.

    Raises
    ------
    PulleyError
        When one is gone, or there would be too many.
    """
    steps = find_steps(teardown, ids)
    if len(teardown.steps) + len(steps) > STEP_LIMIT:
        raise PulleyError(f"A teardown holds at most {STEP_LIMIT} steps.")
    free = free_ids([step.id for step in teardown.steps], "s")
    copies = [replace(step, id=id) for step, id in zip(steps, free, strict=False)]
    place = teardown.steps.index(steps[-1]) + 1
    after = (*teardown.steps[:place], *copies, *teardown.steps[place:])
    return replace(teardown, steps=after), [step.id for step in copies]
