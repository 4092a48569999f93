"""Changes to trail lines and to how the model is drawn: on and off, anchors, doglegs, stops, colours, display."""

import re
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from pulley.core.assembly import Assembly
from pulley.core.editing.common import find_steps, known_members, with_each
from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import Vector3, triple
from pulley.core.naming import free_id
from pulley.core.quantities import DISTANCE_LIMIT
from pulley.core.teardown import DISPLAYS, LINES, Jog, Route, Teardown, Tint, TrailOf

MOST = 50  # anchors or doglegs of one component; stops of a route are twice as many
WIDTHS = (0.05, 5.0)  # mm
FAINTEST = 0.05  # least opacity of a component; to see nothing of it, hide it


def trail_of(teardown: Teardown, component: str) -> TrailOf:
    """What a component's trail has of its own; as all others have it where nothing was set."""
    return next((trail for trail in teardown.trails if trail.component == component), TrailOf(component))


def _with_trails(teardown: Teardown, changed: Sequence[TrailOf]) -> Teardown:
    """These settings in place of what those components had; such as say nothing are left out."""
    names = {trail.component for trail in changed}
    kept = [trail for trail in teardown.trails if trail.component not in names]
    return replace(teardown, trails=(*kept, *(trail for trail in changed if trail != TrailOf(trail.component))))


def set_trails(
    teardown: Teardown, assembly: Assembly, members: Sequence[str], shown: bool | None = None, marks: bool | None = None
) -> Teardown:
    """Trail lines of components on or off, with end marks or without; None leaves that as it is."""
    changed = []
    for leaf in assembly.leaves_of(known_members(assembly, members)):
        trail = trail_of(teardown, leaf)
        trail = trail if shown is None else replace(trail, shown=shown)
        changed.append(trail if marks is None else replace(trail, marks=marks))
    return _with_trails(teardown, changed)


def show_step_trails(teardown: Teardown, ids: Sequence[str], shown: bool) -> Teardown:
    """Whether steps draw trail lines."""
    return with_each(teardown, [replace(step, trails=shown) for step in find_steps(teardown, ids)])


def set_anchors(teardown: Teardown, assembly: Assembly, component: str, points: Sequence[Vector3]) -> Teardown:
    """The points (3,) at home in mm that a component's trail lines start from; found by themselves when none.

    Raises
    ------
    PulleyError
        When there are too many, or one is out of range.
    """
    if len(points) > MOST:
        raise PulleyError(f"A component has at most {MOST} anchors.")
    (leaf,) = _one_leaf(assembly, component)
    trail = replace(trail_of(teardown, leaf), anchors=tuple(_checked_point(point) for point in points))
    return _with_trails(teardown, [trail])


def _one_leaf(assembly: Assembly, component: str) -> tuple[str]:
    (member,) = known_members(assembly, [component])
    leaves = assembly.leaves_of([member])
    if len(leaves) != 1:
        raise PulleyError("A subassembly has no trail line of its own. Choose one component in it.")
    return (leaves[0],)


def _checked_point(point: Vector3) -> Vector3:
    if not np.isfinite(point).all() or np.abs(point).max() > 1e7:
        raise PulleyError("A point lies out of reach. Point at it again.")
    return triple(point)


def add_jog(teardown: Teardown, component: str, jog: Jog) -> Teardown:
    """One dogleg more on a component's trail, in place of those of the same leg that it overlaps.

    Raises
    ------
    PulleyError
        When it has no extent, or leaves the leg.
    """
    if not (0 <= jog.start < jog.end <= 1 and jog.leg >= 0) or not np.isfinite(jog.offset).all():
        raise PulleyError("A dogleg lies between the two ends of a line. Drag its middle again.")
    if not 1e-6 < np.linalg.norm(jog.offset) <= DISTANCE_LIMIT:
        raise PulleyError("A dogleg leads aside. Drag the middle of the line farther.")
    trail = trail_of(teardown, component)
    apart = [j for j in trail.jogs if j.leg != jog.leg or j.end <= jog.start or j.start >= jog.end]
    if len(apart) >= MOST:
        raise PulleyError(f"A trail line has at most {MOST} doglegs.")
    return _with_trails(teardown, [replace(trail, jogs=(*apart, jog))])


def straighten(teardown: Teardown, assembly: Assembly, members: Sequence[str]) -> Teardown:
    """No doglegs on the trail lines of components."""
    leaves = assembly.leaves_of(known_members(assembly, members))
    return _with_trails(teardown, [replace(trail_of(teardown, leaf), jogs=()) for leaf in leaves])


def find_route(teardown: Teardown, id: str) -> Route:
    """The trail of many stops with this id; PulleyError when there is none."""
    for route in teardown.routes:
        if route.id == id:
            return route
    raise PulleyError("That line is no longer in the teardown. Nothing was changed.")


def add_route(teardown: Teardown, assembly: Assembly, stops: Sequence[tuple[str, Vector3]]) -> tuple[Teardown, Route]:
    """A line through points (component, point (3,) at home in mm), one after the other."""
    route = Route(free_id([route.id for route in teardown.routes], "l"), ())
    route = replace(route, stops=_checked_stops(assembly, stops))
    return replace(teardown, routes=(*teardown.routes, route)), route


def set_stops(teardown: Teardown, assembly: Assembly, id: str, stops: Sequence[tuple[str, Vector3]]) -> Teardown:
    """Other stops for a line; it goes when fewer than two are left."""
    route = find_route(teardown, id)
    if len(stops) < 2:
        return delete_route(teardown, id)
    other = replace(route, stops=_checked_stops(assembly, stops))
    return replace(teardown, routes=tuple(other if r.id == id else r for r in teardown.routes))


def _checked_stops(assembly: Assembly, stops: Sequence[tuple[str, Vector3]]) -> tuple[tuple[str, Vector3], ...]:
    if not 2 <= len(stops) <= 2 * MOST:
        raise PulleyError(f"A line has two stops or more, and at most {2 * MOST}. Point at another place.")
    return tuple((_one_leaf(assembly, path)[0], _checked_point(point)) for path, point in stops)


def delete_route(teardown: Teardown, id: str) -> Teardown:
    """A line of many stops less."""
    find_route(teardown, id)
    return replace(teardown, routes=tuple(route for route in teardown.routes if route.id != id))


def set_line(
    teardown: Teardown,
    line: str | None = None,
    width: float | None = None,
    colour: str | None = None,
    through: bool | None = None,
    marks: bool | None = None,
) -> Teardown:
    """How all trail lines look; None leaves that as it is.

    Parameters
    ----------
    teardown : Teardown
    line : str, optional
        One of `LINES`.
    width : float, optional
        In mm on paper.
    colour : str, optional
        ``#rrggbb``.
    through : bool, optional
        Whether parts do not hide it.
    marks : bool, optional
        Whether its ends are marked.
    """
    if line is not None and line not in LINES:
        raise PulleyError(f"There is no line “{line[:40]}”. Choose one of {', '.join(LINES)}.")
    if width is not None and not WIDTHS[0] <= width <= WIDTHS[1]:
        raise PulleyError(f"A line is {WIDTHS[0]} to {WIDTHS[1]:g} mm wide; this one is {width:g}.")
    wanted = {"line": line, "width": width, "colour": colour and checked_colour(colour)}
    wanted |= {"through": through, "marks": marks}
    given: dict[str, Any] = {key: value for key, value in wanted.items() if value is not None}
    style = replace(teardown.line, **given)
    return replace(teardown, line=style)


def checked_colour(colour: str) -> str:
    """A colour as ``#rrggbb`` in small letters; PulleyError when it is none.

    Examples
    --------
    >>> checked_colour("#1F6F8B")
    '#1f6f8b'
    """
    if not re.fullmatch("#[0-9a-fA-F]{6}", colour):
        raise PulleyError(f"“{colour[:20]}” is not a colour. Give it as #rrggbb, such as #1f6f8b.")
    return colour.lower()


def set_look(
    teardown: Teardown, display: str | None = None, shadows: bool | None = None, paper: bool | None = None
) -> Teardown:
    """How the model is drawn; None leaves that as it is."""
    if display is not None and display not in DISPLAYS:
        raise PulleyError(f"There is no display “{display[:40]}”. Choose one of {', '.join(DISPLAYS)}.")
    wanted = {"display": display, "shadows": shadows, "paper": paper}
    given: dict[str, Any] = {key: value for key, value in wanted.items() if value is not None}
    return replace(teardown, look=replace(teardown.look, **given))


def set_tint(
    teardown: Teardown,
    assembly: Assembly,
    members: Sequence[str],
    colour: str | None = None,
    opacity: float | None = None,
) -> Teardown:
    """A colour, or an opacity, of components in this teardown; an empty colour gives back their own.

    Parameters
    ----------
    teardown : Teardown
    assembly : Assembly
    members : sequence of str
        Paths of components.
    colour : str, optional
        ``#rrggbb``, or empty.
    opacity : float, optional
        From `FAINTEST` to 1.
    """
    if opacity is not None and not FAINTEST <= opacity <= 1:
        raise PulleyError(f"An opacity lies between {FAINTEST:.0%} and 100%; to see nothing of it, hide it.")
    now = {tint.component: tint for tint in teardown.tints}
    for leaf in assembly.leaves_of(known_members(assembly, members)):
        tint = now.get(leaf, Tint(leaf))
        tint = tint if colour is None else replace(tint, colour=checked_colour(colour) if colour else "")
        now[leaf] = tint if opacity is None else replace(tint, opacity=opacity)
    return replace(teardown, tints=tuple(tint for tint in now.values() if tint != Tint(tint.component)))
