"""Changes to when steps play: on the run chart, several at once, and in what order."""

from collections.abc import Iterable, Sequence
from dataclasses import replace

from pulley.core.assembly import Assembly
from pulley.core.editing.common import find_steps, with_each, with_step
from pulley.core.editing.steps import put_before
from pulley.core.errors import PulleyError
from pulley.core.quantities import DURATION_LIMIT
from pulley.core.score.compose import Bar, bars, compose
from pulley.core.teardown import STARTS, Step, Teardown, Timing, find_step
from pulley.core.visibility import peels

TICK = 0.1  # seconds to which a dragged bar snaps
SHORTEST = 0.05  # seconds; a bar that is stretched to less is no longer seen to move


def checked_time(seconds: float, what: str, least: float = 0.0) -> float:
    """A time in seconds within the limits; PulleyError with what to type instead.

    Examples
    --------
    >>> checked_time(2, "pause")
    2.0
    """
    if not least <= seconds <= DURATION_LIMIT:
        raise PulleyError(
            f"A {what} is at least {least:g} and at most {DURATION_LIMIT:,.0f} s; this one is {seconds:g}."
        )
    return float(seconds)


def starting(step: Step, start: str | float | None, later: float = 0.0) -> Step:
    """The step with another start."""
    return replace(step, timing=replace(step.timing, start=start, later=later))


def set_start(teardown: Teardown, id: str, start: str | float | None, later: float = 0.0) -> Teardown:
    """Let a step begin when the one before ends (None or 0), together with it ("with"), or seconds after it ended.

    One that plays together with the one before may begin ``later`` seconds after it.

    Examples
    --------
    >>> from pulley.core.motion import Axial
    >>> two = Teardown("Service", tuple(Step(id, (id,), Axial((0, 0, 1), 60)) for id in ("a", "b")))
    >>> [(bar.start, bar.end) for bar in bars(set_start(two, "b", 0.5).steps)]
    [(0.0, 1.5), (2.0, 3.5)]
    """
    step = find_step(teardown, id)
    if not isinstance(start, str) and start is not None:
        start = round(checked_time(start, "pause"), 6) or None
    later = round(checked_time(later, "delay"), 6) if start == "with" else 0.0
    return with_step(teardown, starting(step, start, later))


def set_durations(teardown: Teardown, ids: Iterable[str], seconds: float) -> Teardown:
    """Give steps one duration in seconds.

    Examples
    --------
    >>> from pulley.core.motion import Axial
    >>> one = Teardown("Service", (Step("s1", ("block/screw",), Axial((0, 0, 1), 60)),))
    >>> set_durations(one, ["s1"], 3).steps[0].timing.duration
    3.0
    """
    return with_each(
        teardown,
        [
            replace(s, timing=replace(s.timing, duration=checked_time(seconds, "duration", SHORTEST)))
            for s in find_steps(teardown, ids)
        ],
    )


def scale_times(teardown: Teardown, factor: float) -> Teardown:
    """Make every step, the pauses between them and the orbits ``factor`` times as long.

    Raises
    ------
    PulleyError
        When a step would be too short or too long.
    """
    orbits = tuple(
        replace(o, duration=checked_time(o.duration * factor, "camera move", SHORTEST)) for o in teardown.orbits
    )
    return replace(with_each(teardown, [_stretched(step, factor) for step in teardown.steps]), orbits=orbits)


def _stretched(step: Step, factor: float) -> Step:
    start, move = step.timing.start, step.view.move
    if isinstance(start, float | int):
        start = round(start * factor, 6)
    length = checked_time(round(step.timing.duration * factor, 6), "duration", SHORTEST)
    view = replace(step.view, move=move and checked_time(move * factor, "camera move"))
    return replace(step, timing=Timing(length, start, round(step.timing.later * factor, 6)), view=view)


def set_total(teardown: Teardown, assembly: Assembly, seconds: float) -> Teardown:
    """Make the film last so many seconds, everything in proportion.

    Raises
    ------
    PulleyError
        When nothing plays, or a step would be too short or too long.
    """
    end = compose(assembly, teardown).duration
    if not end:
        raise PulleyError("Nothing plays yet. Make a step first.")
    return scale_times(teardown, checked_time(seconds, "total time", SHORTEST) / end)


def drag_bar(teardown: Teardown, id: str, start: float) -> Teardown:
    """Let a step begin at about ``start`` seconds, as a drag of its bar asks.

    Where its middle has passed that of another bar it changes places with it. Otherwise it begins after a
    pause, or, drawn back over the end of the one before, so much later than that one as it was let go. What follows
    moves along.

    Parameters
    ----------
    teardown : Teardown
    id : str
    start : float
        Seconds.
    """
    step, timed = find_step(teardown, id), bars(teardown.steps)
    place = teardown.steps.index(step)
    middle = start + (timed[place].end - timed[place].start) / 2
    others = [(s, bar) for s, bar in zip(teardown.steps, timed, strict=True) if s.id != id]
    before = sum(1 for _, bar in others if (bar.start + bar.end) / 2 < middle)
    if before != place and not _plays_with(timed, place, before):
        moved = put_before(teardown, [id], others[before][0].id if before < len(others) else None)
        return with_step(moved, starting(step, None))
    if place == 0:
        return set_start(teardown, id, max(_snapped(start), 0.0))
    pause, later = (_snapped(start - edge) for edge in (timed[place - 1].end, timed[place - 1].start))
    return set_start(teardown, id, "with", max(later, 0.0)) if pause < 0 else set_start(teardown, id, pause)


def _plays_with(timed: Sequence[Bar], place: int, before: int) -> bool:
    """Whether every bar between two places overlaps the one that is dragged: no order to be changed there."""
    between = range(before, place) if before < place else range(place + 1, before + 1)
    return all(timed[k].start < timed[place].end and timed[k].end > timed[place].start for k in between)


def _snapped(seconds: float) -> float:
    return round(round(seconds / TICK) * TICK, 6)


def set_begins(teardown: Teardown, start: str) -> Teardown:
    """Let films and pages for others start assembled or exploded.

    >>> set_begins(Teardown("Service"), "exploded").begins
    'exploded'
    """
    if start not in STARTS:
        raise PulleyError(f"A film starts {' or '.join(STARTS)}. Choose one of them.")
    return replace(teardown, begins=start)


def one_after_another(teardown: Teardown, ids: Iterable[str], together: bool) -> Teardown:
    """Let chosen steps play together with the first of them, or one after the other."""
    steps = find_steps(teardown, ids)
    if len(steps) < 2:
        raise PulleyError("Choose two steps or more.")
    if not together:
        return with_each(teardown, [starting(step, None) for step in steps])
    first = teardown.steps.index(steps[0])
    gathered = teardown
    for k, step in enumerate(steps[1:], 1):
        after = next((s.id for s in gathered.steps[first + k :] if s.id not in {x.id for x in steps[: k + 1]}), None)
        gathered = put_before(gathered, [step.id], after)
        gathered = with_step(gathered, starting(step, "with"))
    return gathered


def order_by_depth(teardown: Teardown, assembly: Assembly, innermost_first: bool) -> Teardown:
    """Put steps in the order of how deep their members sit: what is seen from outside comes off first, or last.

    A step is as deep as the outermost component that it moves; steps that are equally deep keep their order.
    """
    depth = peels(assembly)
    outermost = {step.id: min(depth[leaf] for leaf in assembly.leaves_of(step.members)) for step in teardown.steps}
    ordered = sorted(teardown.steps, key=lambda step: outermost[step.id] * (-1 if innermost_first else 1))
    return replace(teardown, steps=tuple(ordered))
