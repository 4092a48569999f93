"""Short sentences about steps, ways out and snags, with the components' own names in them."""

from collections.abc import Mapping, Sequence
from itertools import pairwise
from typing import Any

import numpy as np

from pulley.core.assembly import Assembly
from pulley.core.contact.check import Snag
from pulley.core.contact.start import Allowed
from pulley.core.geometry.directions import direction_word, off_axis
from pulley.core.geometry.frames import triple
from pulley.core.motion import Motion
from pulley.core.naming import component_name
from pulley.core.planning.measuring import Measure
from pulley.core.planning.pointing import Feature
from pulley.core.planning.ways_out import WayOut
from pulley.core.quantities import counted, measured, plain, shown
from pulley.core.teardown import Step, Teardown

ALIKE = 0.005  # degrees that are none


def step_sentence(step: Step, unit: str = "mm") -> str:
    """How a step moves: ``3 components up, 60 mm``, ``1 component turned by 90° clockwise``.

    Examples
    --------
    >>> from pulley.core.motion import Axial
    >>> step_sentence(Step("s1", ("block/screw",), Axial((0, 0, 1), 60)))
    '1 component up, 60 mm'
    """
    count = len(step.members)
    return f"{counted(count, 'component')} {step.motion.words(count, unit)}"


def odd_angle(motion: Motion) -> str:
    """That a motion runs straight at an odd angle: ``33.7° off right``; empty along the axes.

    >>> from pulley.core.motion import Axial
    >>> odd_angle(Axial((3.0, 2.0, 0.0), 10.0))
    '33.7° off right'
    """
    ways = (np.subtract(end, start) for start, end in pairwise([(0.0, 0.0, 0.0), *motion.corners()]))
    return next((words for way in ways if (words := off_axis(triple(way)))), "")


def way_sentence(assembly: Assembly, way: WayOut, unit: str = "mm") -> str:
    """What a way out offers: ``Up, clear`` or ``Left, 22.0 mm, then rod``."""
    if way.free is None or way.blocker is None:
        return f"{way.word}, clear"
    name = component_name(assembly, way.blocker)
    if way.free < 0.05:
        return f"{way.word}, blocked by {name}"
    return f"{way.word}, {measured(way.free, unit)}, then {name}"


def snag_sentence(assembly: Assembly, snag: Snag, movers: Sequence[str] = (), unit: str = "mm") -> str:
    """What goes wrong and where: ``Bolt meets rod after 22.0 mm, at (25.0, 75.0, 55.0)``.

    ``movers`` are the leaves that the step moves; among them the mover's own name is enough where
    no other has it.
    """
    own = assembly.by_path[snag.moving].name
    namesakes = sum(assembly.by_path[path].name == own for path in movers)
    mover = own if namesakes == 1 else component_name(assembly, snag.moving)
    blocker = component_name(assembly, snag.blocker)
    if snag.kind == "end":
        return f"{mover} ends inside {blocker}"
    where = ", at ({:.1f}, {:.1f}, {:.1f})".format(*snag.point) if snag.point else ""
    return f"{mover} meets {blocker} after {measured(snag.travel, unit)}{where}"


def tolerance_sentence(
    assembly: Assembly, tolerance: float, exceptions: Mapping[tuple[str, str], Allowed], unit: str = "mm"
) -> str:
    """On which tolerance a verdict stands: ``Tolerance 0.1 mm; 0.05 mm between shim and plate.``"""
    words = [f"Tolerance {shown(tolerance, unit)} {unit}"]
    for (a, b), may in sorted(exceptions.items(), key=lambda entry: entry[1].tolerance)[:2]:
        names = f"{component_name(assembly, a)} and {component_name(assembly, b)}"
        how = "by the growth of what they share" if may.sunk else f"{shown(may.tolerance, unit)} {unit}"
        words.append(f"{how} between {names}")
    more = f"; and {len(exceptions) - 2} pairs more" if len(exceptions) > 2 else ""
    return "; ".join(words) + more + "."


def skew_sentence(assembly: Assembly, member: str, angle: float) -> str:
    """That a component does not travel along its own axis, and what to do: ``Arm leaves askew, 3.7° off …``."""
    name = component_name(assembly, member)
    return f"{name} leaves askew, {angle:.1f}° off the line of its own round face. Point at that face for its axis"


def remedy_sentence(remedy: Mapping[str, Any], unit: str = "mm") -> str:
    """What a remedy, as plain values, says to do: ``go only 20 mm``, ``first move rod right, 205 mm``.

    Parameters
    ----------
    remedy : mapping
        The fields of a Remedy as plain values.
    unit : str
        In which lengths are said: ``mm``, ``cm`` or ``in``.
    """
    distance = f"{shown(remedy.get('distance') or 0.0, unit)} {unit}"
    named = ", ".join(remedy.get("components", ())[:3])
    named += f" and {len(remedy['components']) - 3} more" if len(remedy.get("components", ())) > 3 else ""
    match remedy["kind"]:
        case "order":
            steps = " and ".join(remedy["steps"])
            return f"play it after {steps}" if remedy.get("later") else f"play {steps} before it"
        case "first":
            return f"first move {named} {direction_word(remedy['direction'])}, {distance}"
        case "shorten":
            return f"go only {plain(remedy['distance'])}°" if remedy.get("turn") else f"go only {distance}"
        case "direction":
            return f"go {direction_word(remedy['direction'])}"
        case "path":
            legs = ", then ".join(f"({', '.join(shown(at, unit) for at in point)})" for point in remedy["waypoints"])
            return f"go by way of {legs} {unit}"
        case "gives":
            return f"let {named} give by {distance}"
        case _:
            return f"confirm that {' and '.join(remedy['components'])} are a fit"


def measure_sentence(found: Measure, first: Feature, second: Feature, unit: str = "mm") -> str:
    """What was measured: ``12.00 mm apart, parallel; radius 4.00 mm``.

    Parameters
    ----------
    found : Measure
    first, second : Feature
        What it was measured between.
    unit : str
    """
    words = []
    if found.distance is not None:
        steps = [shown(abs(b - a), unit) for a, b in zip(found.start, found.end, strict=True)]
        words.append(f"{shown(found.distance, unit)} {unit} apart (x {steps[0]}, y {steps[1]}, z {steps[2]})")
    if found.angle is not None:
        words.append("parallel" if found.angle < ALIKE else f"{plain(round(found.angle, 2))}° between them")
    radii = [f"{shown(feature.radius, unit)} {unit}" for feature in (first, second) if feature.radius]
    if radii:
        words.append(f"radius {' and '.join(radii)}")
    return ", ".join(words)


def differences(before: Teardown, after: Teardown) -> list[str]:
    """What one state of a teardown has that another had not, in sentences: ``“Rod out”: 2 components up, 60 mm``.

    Examples
    --------
    >>> from pulley.core.motion import Axial
    >>> one = Teardown("Service", (Step("s1", ("block/screw",), Axial((0, 0, 1), 60), "Screw out"),))
    >>> differences(Teardown("Service"), one)
    ['step “Screw out” is new']
    """
    old, new = {s.id: s for s in before.steps}, {s.id: s for s in after.steps}
    found = [f"step “{step.label}” is new" for id, step in new.items() if id not in old]
    found += [f"step “{step.label}” is gone" for id, step in old.items() if id not in new]
    for id in (id for id in old if id in new):
        found += _changed(old[id], new[id])
    if [id for id in old if id in new] != [id for id in new if id in old]:
        found.append("the steps are in another order")
    named = {"cameras": "the views", "bundles": "the bundles", "poses": "the kept poses", "placed": "what is placed"}
    named |= {"hidden": "what is hidden", "home": "what is kept at home", "trails_shown": "the trail lines"}
    named |= {"wears": "what wears out"}
    found += [f"{words} changed" for field, words in named.items() if getattr(before, field) != getattr(after, field)]
    if before.tolerance != after.tolerance:
        found.append(f"the tolerance is now {plain(after.tolerance)} mm")
    if before.gives != after.gives:
        found.append("what gives changed")
    if before.name != after.name:
        found.append(f"the name is now “{after.name}”")
    return found


def _changed(old: Step, new: Step) -> list[str]:
    """What became of one step."""
    if old == new:
        return []
    found = []
    if old.label != new.label:
        found.append(f"“{old.label}” is now “{new.label}”")
    if step_sentence(old) != step_sentence(new):
        found.append(f"“{new.label}”: {step_sentence(old)} is now {step_sentence(new)}")
    if old.off != new.off:
        found.append(f"“{new.label}” was switched {'off' if new.off else 'on'}")
    return found or [f"“{new.label}” was changed"]
