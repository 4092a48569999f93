"""What every change needs: finding what it is about, and refusing what makes no sense."""

from collections.abc import Iterable, Sequence
from dataclasses import replace

import numpy as np

from pulley.core.assembly import Assembly
from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import Vector3, triple, unit
from pulley.core.teardown import Step, Teardown

LABEL_LIMIT = 200
STEP_LIMIT = 2000


def known_members(assembly: Assembly, members: Sequence[str]) -> tuple[str, ...]:
    """The members, each once, in the order given, less those that another of them carries.

    Raises
    ------
    PulleyError
        When there is none, or one is unknown.
    """
    unique = tuple(dict.fromkeys(members))
    chosen = set(unique)
    if not unique:
        raise PulleyError("Nothing is selected. Select a component first.")
    for member in unique:
        if member not in assembly.by_path:
            raise PulleyError(f"There is no component “{member[:200]}” in this assembly. Nothing was changed.")
    return tuple(member for member in unique if chosen.isdisjoint(assembly.above(member)))


def checked_direction(direction: Vector3) -> Vector3:
    """The direction as three plain numbers; PulleyError when it has no length or is not finite.

    Examples
    --------
    >>> checked_direction((0, 0, 2))
    (0.0, 0.0, 2.0)
    """
    try:
        unit(np.array(direction, float))
    except ValueError as error:
        raise PulleyError(f"That is no direction: {error}.") from error
    return triple(direction)


def checked_name(name: str, what: str) -> str:
    """A name on one line, not empty, not endless; PulleyError otherwise.

    Examples
    --------
    >>> checked_name("  Lid off ", "label")
    'Lid off'
    """
    name = " ".join(name.split())
    if not name:
        raise PulleyError(f"The {what} is empty. Type at least one character.")
    if len(name) > LABEL_LIMIT:
        raise PulleyError(f"The {what} has {len(name)} characters; {LABEL_LIMIT} fit. Shorten it.")
    return name


def with_step(teardown: Teardown, step: Step) -> Teardown:
    """The teardown with one of its steps in a new form, found by its id."""
    return replace(teardown, steps=tuple(step if s.id == step.id else s for s in teardown.steps))


def with_each(teardown: Teardown, steps: Iterable[Step]) -> Teardown:
    """The teardown with some of its steps in a new form, found by their ids."""
    new = {step.id: step for step in steps}
    return replace(teardown, steps=tuple(new.get(step.id, step) for step in teardown.steps))


def find_steps(teardown: Teardown, ids: Iterable[str]) -> list[Step]:
    """The steps with these ids, in playing order; PulleyError when there is none, or one is gone."""
    wanted = set(ids)
    found = [step for step in teardown.steps if step.id in wanted]
    if not wanted:
        raise PulleyError("No step is chosen. Choose one first.")
    if len(found) < len(wanted):
        raise PulleyError("That step is no longer in the teardown. Nothing was changed.")
    return found


def checked_text(text: str, limit: int, what: str) -> str:
    """A text of several lines, not endless; PulleyError otherwise."""
    text = text.replace("\r\n", "\n").strip()
    if len(text) > limit:
        raise PulleyError(f"The {what} has {len(text)} characters; {limit} fit. Shorten it.")
    return text
