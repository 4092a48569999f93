"""Changes to how a step moves: direction, distance, fan, path, turn, time."""

from dataclasses import fields, replace
from typing import Any

from pulley.core.editing.common import checked_direction, with_step
from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import Vector3
from pulley.core.motion import Axis, Fan
from pulley.core.quantities import DISTANCE_LIMIT, DURATION_LIMIT
from pulley.core.teardown import Step, Teardown, find_step

LACKS = {  # what to say when a step's kind of motion has no such field
    "distance": "Paths and turns have no single distance. Choose a straight or an outward step.",
    "direction": "Only a straight step has a direction.",
    "fan": "Only members that go along one line or path can be fanned.",
    "waypoints": "Only a path has waypoints.",
    "angle": "Only a turn has an angle and an advance.",
    "advance": "Only a turn has an angle and an advance.",
    "axis": "Only a turn and an outward motion have an axis.",
}


def set_motion(teardown: Teardown, id: str, **values: Any) -> Teardown:
    """Give fields of a step's motion other values; PulleyError when it has no such field, or is no motion then.

    >>> from pulley.core.motion import Axial
    >>> plan = Teardown("Plan", (Step("s1", ("block/pin",), Axial((0, 0, 1), 40.0)),))
    >>> set_motion(plan, "s1", distance=60.0).steps[0].motion.distance
    60.0
    """
    step = find_step(teardown, id)
    known = {field.name for field in fields(step.motion)}  # type: ignore[arg-type]
    for name in values:
        if name not in known:
            raise PulleyError(LACKS.get(name, f"This kind of step has no {name}."))
    return _checked(teardown, replace(step, motion=replace(step.motion, **values)))  # type: ignore[type-var]


def _checked(teardown: Teardown, step: Step) -> Teardown:
    step.check()
    return with_step(teardown, step)


def set_direction(teardown: Teardown, id: str, direction: Vector3) -> Teardown:
    """Send a step along another direction.

    Examples
    --------
    >>> from pulley.core.motion import Axial
    >>> from pulley.core.teardown import Step
    >>> one = Teardown("Service", (Step("s1", ("block/screw",), Axial((0, 0, 1), 60)),))
    >>> set_direction(one, "s1", (1, 0, 0)).steps[0].motion.direction
    (1.0, 0.0, 0.0)
    """
    return set_motion(teardown, id, direction=checked_direction(direction))


def turn_round(teardown: Teardown, id: str) -> Teardown:
    """Send a step the other way; one that goes outward has none and refuses.

    Raises
    ------
    PulleyError
        When the motion has no other way.
    """
    step = find_step(teardown, id)
    return with_step(teardown, replace(step, motion=step.motion.reversed()))


def set_fan(teardown: Teardown, id: str, pitch: float = 0.0, total: float | None = None) -> Teardown:
    """Fan a step's members by a pitch in mm, or so that the last goes ``total`` mm farther than the first.

    Parameters
    ----------
    teardown : Teardown
    id : str
    pitch, total : float
        In mm; one of them.
    """
    if not 0 <= pitch <= DISTANCE_LIMIT or not 0 <= (total or 0.0) <= DISTANCE_LIMIT:
        raise PulleyError(f"The spacing of a fan is from 0 to {DISTANCE_LIMIT:,.0f} mm.")
    layers = find_step(teardown, id).motion.fan.layers if pitch or total else ()
    fan = Fan(float(pitch), total and float(total), layers)
    return set_motion(teardown, id, fan=fan)


def set_duration(teardown: Teardown, id: str, duration: float) -> Teardown:
    """Let a step take another time in seconds."""
    if not 0 < duration <= DURATION_LIMIT:
        raise PulleyError(f"A duration is above 0 and at most {DURATION_LIMIT:,.0f} s.")
    step = find_step(teardown, id)
    return with_step(teardown, replace(step, timing=replace(step.timing, duration=float(duration))))


def set_waypoints(teardown: Teardown, id: str, waypoints: tuple[Vector3, ...], smooth: bool | None = None) -> Teardown:
    """Give a path other waypoints, or round it; PulleyError when it would go nowhere.

    Parameters
    ----------
    teardown : Teardown
    id : str
    waypoints : tuple of (3,)
        Displacements in mm from where the step finds its members.
    smooth : bool, optional
    """
    rounded = {} if smooth is None else {"smooth": smooth}
    return set_motion(teardown, id, waypoints=waypoints, **rounded)


def set_axis(teardown: Teardown, id: str, axis: Axis) -> Teardown:
    """Give a turn, or a motion outward, another axis.

    Raises
    ------
    PulleyError
        When the step has no axis, or its direction is none.
    """
    axis = Axis(axis.origin, checked_direction(axis.direction))
    instead = {"point": None} if hasattr(find_step(teardown, id).motion, "point") else {}
    return set_motion(teardown, id, axis=axis, **instead)
