"""Changes to how a step moves: direction, distance, fan, path, turn, time."""

from dataclasses import replace

from pulley.core.editing.common import checked_direction, checked_distance, find_step, with_step
from pulley.core.errors import PulleyError
from pulley.core.motion.rules import check_motion
from pulley.core.quantities import DISTANCE_LIMIT, DURATION_LIMIT
from pulley.core.teardown import Axis, Step, Teardown, Vector3

ANGLE_LIMIT = 72000.0  # degrees
ADVANCE_LIMIT = 1e4  # mm for each whole turn


def set_distance(teardown: Teardown, id: str, distance: float) -> Teardown:
    """Give a step another distance in mm."""
    return with_step(teardown, replace(find_step(teardown, id), distance=checked_distance(distance)))


def set_direction(teardown: Teardown, id: str, direction: Vector3) -> Teardown:
    """Send a step along another direction."""
    return with_step(teardown, replace(find_step(teardown, id), direction=checked_direction(direction)))


def turn_round(teardown: Teardown, id: str) -> Teardown:
    """Send a step the other way; one that goes outward has none and refuses."""
    step = find_step(teardown, id)
    if step.kind == "radial":
        raise PulleyError("A radial motion always goes outward. Give it another axis, or make an axial step.")
    if step.kind == "turn":
        return with_step(teardown, replace(step, angle=-step.angle))
    return with_step(
        teardown, replace(step, direction=_reversed(step.direction), waypoints=tuple(map(_reversed, step.waypoints)))
    )


def _reversed(vector: Vector3) -> Vector3:
    return tuple(-c + 0.0 for c in vector)


def set_fan(teardown: Teardown, id: str, pitch: float = 0.0, total: float | None = None) -> Teardown:
    """Fan a step's members by a pitch in mm, or so that the last goes ``total`` mm farther than the first."""
    step = find_step(teardown, id)
    if step.kind not in ("axial", "path"):
        raise PulleyError("Only members that go along one line or path can be fanned.")
    if not 0 <= pitch <= DISTANCE_LIMIT or not 0 <= (total or 0.0) <= DISTANCE_LIMIT:
        raise PulleyError(f"The spacing of a fan is from 0 to {DISTANCE_LIMIT:,.0f} mm.")
    layers = step.layers if pitch or total else ()
    return with_step(teardown, replace(step, pitch=float(pitch), total=total and float(total), layers=layers))


def set_duration(teardown: Teardown, id: str, duration: float) -> Teardown:
    """Let a step take another time in seconds."""
    if not 0 < duration <= DURATION_LIMIT:
        raise PulleyError(f"A duration is above 0 and at most {DURATION_LIMIT:,.0f} s.")
    return with_step(teardown, replace(find_step(teardown, id), duration=float(duration)))


def set_waypoints(teardown: Teardown, id: str, waypoints: tuple[Vector3, ...], smooth: bool | None = None) -> Teardown:
    """Give a path other waypoints, or round it; PulleyError when it would go nowhere."""
    step = find_step(teardown, id)
    if step.kind != "path":
        raise PulleyError("Only a path has waypoints.")
    return _with_motion(teardown, replace(step, waypoints=waypoints, smooth=step.smooth if smooth is None else smooth))


def set_turn(teardown: Teardown, id: str, angle: float | None = None, advance: float | None = None) -> Teardown:
    """Give a turn another angle in degrees, or another advance in mm for each whole turn."""
    step = find_step(teardown, id)
    if step.kind != "turn":
        raise PulleyError("Only a turn has an angle and an advance.")
    angle = step.angle if angle is None else angle
    advance = step.advance if advance is None else advance
    if not abs(angle) <= ANGLE_LIMIT or not abs(advance) <= ADVANCE_LIMIT:
        raise PulleyError(f"A turn is at most {ANGLE_LIMIT:,.0f}°, with at most {ADVANCE_LIMIT:,.0f} mm a turn.")
    return _with_motion(teardown, replace(step, angle=float(angle), advance=float(advance)))


def set_axis(teardown: Teardown, id: str, axis: Axis) -> Teardown:
    """Give a turn, or a motion outward, another axis."""
    step = find_step(teardown, id)
    if step.kind not in ("turn", "radial"):
        raise PulleyError("Only a turn and an outward motion have an axis.")
    axis = Axis(axis.origin, checked_direction(axis.direction))
    return _with_motion(teardown, replace(step, axis=axis, point=None))


def _with_motion(teardown: Teardown, step: Step) -> Teardown:
    check_motion(step)
    return with_step(teardown, step)
