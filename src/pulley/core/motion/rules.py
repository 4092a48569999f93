"""What makes a step's motion no motion: the refusals that files and edits share."""

from itertools import pairwise

import numpy as np

from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import unit
from pulley.core.teardown import Step

NOWHERE = 1e-6  # mm; waypoints nearer than this are the same


def check_motion(step: Step) -> None:
    """Raise PulleyError for no direction, a path or a turn that ends where it began, layers that do not add up."""
    try:
        unit(step.axis.direction if step.axis else step.direction)
    except ValueError as error:
        field = "axis.direction" if step.axis else "direction"
        raise PulleyError(f"Step {step.id}: {field} is no direction: {error}.") from error
    if step.kind == "path":
        _check_path(step)
    if step.kind == "turn":
        _check_turn(step)
    if step.layers and sum(step.layers) != len(step.members):
        raise PulleyError(
            f"Step {step.id}: fan.layers: the layers hold {sum(step.layers)} members, the step {len(step.members)}. "
            "Every member is in one layer."
        )
    strangers = sorted({member for member, _ in step.follow} - set(step.members))
    if strangers:
        raise PulleyError(f"Step {step.id}: follow: “{strangers[0][:200]}” is not a member of the step. Add it first.")


def _check_path(step: Step) -> None:
    """Raise PulleyError for a path that stays where it is, or comes back to where it began."""
    bends = [(0.0, 0.0, 0.0), *step.waypoints]
    for number, (before, after) in enumerate(pairwise(bends), 1):
        if np.linalg.norm(np.subtract(before, after)) < NOWHERE:
            raise PulleyError(f"Step {step.id}: waypoints: number {number} is where the path already is. Take it out.")
    if np.linalg.norm(bends[-1]) < NOWHERE:
        raise PulleyError(
            f"Step {step.id}: waypoints: number {len(step.waypoints)} brings the path back to where it began. "
            "End it elsewhere, or make two steps of it."
        )


def _check_turn(step: Step) -> None:
    """Raise PulleyError for a turn of no angle, or round and round in the same place."""
    if step.angle == 0:
        raise PulleyError(f"Step {step.id}: angle is 0, so nothing turns. Give degrees, such as 90 or -90.")
    if abs(step.angle) > 360 and step.advance == 0:
        raise PulleyError(
            f"Step {step.id}: angle is {step.angle:g} degrees, more than a whole turn in one place. "
            "Give at most 360, or an advance in mm for each turn."
        )
