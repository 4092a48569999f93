"""Changes to what the camera does: how it gets to a step's view, orbits, the order of views, front and up."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from pulley.core.editing.common import checked_direction, checked_text, with_step
from pulley.core.editing.timing import SHORTEST, checked_time
from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import Vector3, unit
from pulley.core.naming import free_id
from pulley.core.teardown import Bearings, Orbit, Teardown, find_camera, find_step

CAPTION_LIMIT = 300
TURN_LIMIT = 36000.0  # degrees: a hundred times round
ORBIT_LIMIT = 200


def set_caption(teardown: Teardown, id: str, caption: str) -> Teardown:
    """What is written while a step plays; nothing when empty."""
    text = checked_text(caption, CAPTION_LIMIT, "caption").replace("\n", " ")
    return with_step(teardown, replace(find_step(teardown, id), caption=text))


def change_camera_move(teardown: Teardown, id: str, seconds: float | None) -> Teardown:
    """How long the view takes to get to a step's: 0 for a cut, None for its own time."""
    move = None if seconds is None else checked_time(seconds, "camera move")
    step = find_step(teardown, id)
    return with_step(teardown, replace(step, view=replace(step.view, move=move)))


def move_camera(teardown: Teardown, id: str, by: int) -> Teardown:
    """Move a saved view ``by`` places in the list, later when positive."""
    camera = find_camera(teardown, id)
    rest = [other for other in teardown.cameras if other.id != id]
    place = max(0, min(teardown.cameras.index(camera) + by, len(rest)))
    return replace(teardown, cameras=(*rest[:place], camera, *rest[place:]))


def find_orbit(teardown: Teardown, id: str) -> Orbit:
    """The orbit with this id; PulleyError when there is none."""
    for orbit in teardown.orbits:
        if orbit.id == id:
            return orbit
    raise PulleyError("That camera move is no longer in the teardown. Nothing was changed.")


def add_orbit(teardown: Teardown, step: str = "", views: Sequence[str] = ()) -> tuple[Teardown, Orbit]:
    """A camera move once round, or through saved views, that begins with a step or after the last one.

    Returns
    -------
    teardown : Teardown
    orbit : Orbit
        The new one.
    """
    if len(teardown.orbits) >= ORBIT_LIMIT:
        raise PulleyError(f"A teardown holds at most {ORBIT_LIMIT} camera moves.")
    if step:
        find_step(teardown, step)
    orbit = Orbit(free_id([orbit.id for orbit in teardown.orbits], "o"), step)
    orbit = replace(orbit, views=_known_views(teardown, views))
    return replace(teardown, orbits=(*teardown.orbits, orbit)), orbit


def _known_views(teardown: Teardown, views: Sequence[str]) -> tuple[str, ...]:
    return tuple(find_camera(teardown, id).id for id in views)


def change_orbit(
    teardown: Teardown,
    id: str,
    *,
    duration: float | None = None,
    angle: float | None = None,
    step: str | None = None,
    views: Sequence[str] | None = None,
) -> Teardown:
    """Other seconds, degrees, step to begin with or views to go through for a camera move; None leaves them.

    Raises
    ------
    PulleyError
        When it is gone, or a time, angle, step or view is none that can be.
    """
    orbit = find_orbit(teardown, id)
    if duration is not None:
        orbit = replace(orbit, duration=checked_time(duration, "camera move", SHORTEST))
    if angle is not None:
        if not 0 < abs(angle) <= TURN_LIMIT:
            raise PulleyError(f"An angle is not 0 and at most {TURN_LIMIT:,.0f}°; this one is {angle:g}.")
        orbit = replace(orbit, angle=float(angle))
    if step is not None:
        orbit = replace(orbit, step=find_step(teardown, step).id if step else "")
    if views is not None:
        orbit = replace(orbit, views=_known_views(teardown, views))
    return replace(teardown, orbits=tuple(orbit if o.id == id else o for o in teardown.orbits))


def delete_orbit(teardown: Teardown, id: str) -> Teardown:
    """A camera move less."""
    find_orbit(teardown, id)
    return replace(teardown, orbits=tuple(orbit for orbit in teardown.orbits if orbit.id != id))


def set_bearings(teardown: Teardown, front: Vector3 | None = None, up: Vector3 | None = None) -> Teardown:
    """Say which way is front, or up. The other stays as it is where it can, else it takes a turn with it.

    Examples
    --------
    >>> set_bearings(Teardown("Service"), front=(1.0, 0.0, 0.0)).bearings.up
    (0.0, 0.0, 1.0)
    """
    kept = teardown.bearings
    new_front = kept.front if front is None else checked_direction(front)
    new_up = kept.up if up is None else checked_direction(up)
    if np.linalg.norm(np.cross(unit(np.array(new_front)), unit(np.array(new_up)))) < 0.1:
        new_front, new_up = (new_front, kept.front) if up is None else (kept.up, new_up)
    return replace(teardown, bearings=Bearings(new_front, new_up))
