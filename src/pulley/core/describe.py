"""Short sentences about steps, ways out and snags, with the components' own names in them."""

from collections import Counter
from collections.abc import Mapping, Sequence
from functools import lru_cache
from typing import Any

import numpy as np

from pulley.core.assembly import Assembly, Component
from pulley.core.contact.check import Snag
from pulley.core.contact.start import Allowed
from pulley.core.geometry.frames import unit as unit_vector
from pulley.core.planning.directions import AXES
from pulley.core.planning.ways_out import WayOut
from pulley.core.quantities import measured, plain, shown
from pulley.core.teardown import Step, Teardown, Vector3

SAME = 1 - 1e-6  # cosine above which a direction is one of the six axes


def component_name(assembly: Assembly, path: str) -> str:
    """What to call one component: its own name, with as many parents' as tell it from its namesakes.

    The component "bolt" of two "bracket" subassemblies "left" and "right" is "bolt in bracket in left".
    """
    return _names(assembly)[path]


@lru_cache(maxsize=16)
def _names(assembly: Assembly) -> dict[str, str]:
    """The name of every component, by path."""
    chains = {c.path: _chain(assembly, c) for c in assembly.components}
    used = Counter(" in ".join(chain[:k]) for chain in chains.values() for k in range(1, len(chain) + 1))
    return {
        path: next((name for k in range(1, len(chain) + 1) if used[name := " in ".join(chain[:k])] == 1), path)
        for path, chain in chains.items()
    }


def _chain(assembly: Assembly, component: Component) -> list[str]:
    """The names from a component up to the root."""
    chain = [component.name]
    while component.parent:
        component = assembly.by_path[component.parent]
        chain.append(component.name)
    return chain


def members_name(assembly: Assembly, members: Sequence[str]) -> str:
    """What to call a selection, in short: one component's own name, ``6 × part``, or the first and how many more."""
    first = assembly.by_path[members[0]].name
    if len(members) == 1:
        return first
    parts = {assembly.by_path[m].part for m in members}
    part = parts.pop() if len(parts) == 1 else None
    if part is not None:
        return f"{len(members)} × {part.name}"
    return f"{first} and {len(members) - 1} more"


def direction_word(direction: Vector3) -> str:
    """The word for an axis direction, else its components.

    >>> direction_word((0, 0, 2)), direction_word((1, 1, 0))
    ('up', 'along 0.707, 0.707, 0')
    """
    along = unit_vector(np.array(direction, float))
    for _, word, axis in AXES:
        if along @ axis > SAME:
            return word.lower()
    return "along " + ", ".join(plain(round(float(c), 3) + 0.0) for c in along)


def step_sentence(step: Step, unit: str = "mm") -> str:
    """How a step moves: ``3 components up, 60 mm``, ``1 component turned by 90° clockwise``.

    A turn is named as it looks to somebody towards whom its axis points.
    """
    count = len(step.members)
    who = "1 component" if count == 1 else f"{count} components"
    layers = f" in {len(step.layers)} layers" if step.layers else ""
    fan = f", fanned{layers} by {shown(step.spacing, unit)} {unit}" if step.spacing else ""
    if step.kind == "turn":
        onward = f", {shown(abs(step.advance), unit)} {unit} a turn" if step.advance else ""
        hand = "anticlockwise" if step.angle > 0 else "clockwise"
        far = f"by {plain(abs(step.angle))}°" if abs(step.angle) <= 360 else f"{plain(abs(step.angle) / 360)} times"
        return f"{who} turned {far} {hand}{onward}"
    if step.kind == "path":
        legs = "1 leg" if len(step.waypoints) == 1 else f"{len(step.waypoints)} legs"
        return f"{who} along a {'rounded ' if step.smooth else ''}path of {legs}{fan}"
    way = "outward" if step.kind == "radial" else direction_word(step.direction)
    return f"{who} {way}, {shown(step.distance, unit)} {unit}{fan}"


def odd_angle(step: Step) -> str:
    """That a straight step runs at an odd angle: ``33.7° off Right``; empty along an axis.

    >>> odd_angle(Step("s1", ("a",), (3.0, 2.0, 0.0), 10.0))
    '33.7° off right'
    """
    ways = [step.direction] if step.kind == "axial" else []
    if step.kind == "path" and not step.smooth:
        ways = list(np.diff(np.array([(0.0, 0.0, 0.0), *step.waypoints]), axis=0))
    for way in ways:
        along = unit_vector(np.array(way, float))
        cosines = [(float(along @ np.array(axis)), word) for _, word, axis in AXES]
        cosine, word = max(cosines)
        if cosine < SAME:
            return f"{np.degrees(np.arccos(min(cosine, 1.0))):.1f}° off {word.lower()}"
    return ""


def way_sentence(assembly: Assembly, way: WayOut, unit: str = "mm") -> str:
    """What a way out offers: ``Up, clear`` or ``Left, 22.0 mm, then rod``."""
    if way.free is None:
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


def give_sentence(assembly: Assembly, leaf: str, by: float, unit: str = "mm") -> str:
    """That a component must bend in a step: ``Circlip gives by 1.2 mm``."""
    return f"{component_name(assembly, leaf)} gives by {shown(by, unit)} {unit}"


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
    """That a component does not travel along its own axis: ``The axis of arm is 3.7° off its travel``."""
    return f"The axis of {component_name(assembly, member)} is {angle:.1f}° off its travel"


def remedy_sentence(remedy: Mapping[str, Any]) -> str:
    """What a remedy, as plain values, says to do: ``go only 20 mm``, ``first move rod right, 205 mm``."""
    named = ", ".join(remedy.get("components", ())[:3])
    named += f" and {len(remedy['components']) - 3} more" if len(remedy.get("components", ())) > 3 else ""
    match remedy["kind"]:
        case "order":
            steps = " and ".join(remedy["steps"])
            return f"play it after {steps}" if remedy.get("later") else f"play {steps} before it"
        case "first":
            return f"first move {named} {direction_word(remedy['direction'])}, {plain(remedy['distance'])} mm"
        case "shorten":
            return f"go only {plain(remedy['distance'])}"
        case "direction":
            return f"go {direction_word(remedy['direction'])}"
        case "path":
            legs = ", then ".join("({})".format(", ".join(map(plain, point))) for point in remedy["waypoints"])
            return f"go by way of {legs}"
        case "gives":
            return f"let {named} give by {plain(remedy['distance'])} mm"
        case _:
            return f"confirm that {' and '.join(remedy['components'])} are a fit"


def differences(before: Teardown, after: Teardown) -> list[str]:
    """What one state of a teardown has that another had not, in sentences: ``“Rod out”: 2 components up, 60 mm``."""
    old, new = {s.id: s for s in before.steps}, {s.id: s for s in after.steps}
    found = [f"step “{step.label}” is new" for id, step in new.items() if id not in old]
    found += [f"step “{step.label}” is gone" for id, step in old.items() if id not in new]
    for id in (id for id in old if id in new):
        found += _changed(old[id], new[id])
    if [id for id in old if id in new] != [id for id in new if id in old]:
        found.append("the steps are in another order")
    named = {"cameras": "the views", "bundles": "the bundles", "poses": "the kept poses", "placed": "what is placed"}
    named |= {"hidden": "what is hidden", "home": "what is kept at home", "trails_shown": "the trail lines"}
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
