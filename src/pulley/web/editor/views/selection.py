"""What the page asks about a selection: its ways out, what is pointed at, what goes along."""

import json
import uuid
from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any

import numpy as np
from django.http import Http404, HttpResponse, JsonResponse
from django.shortcuts import render
from django.views.decorators.http import require_POST

from pulley.core import describe, editing
from pulley.core import teardown as core
from pulley.core.assembly import Assembly, Group
from pulley.core.contact.check import Snag
from pulley.core.contact.giving import find_give
from pulley.core.contact.scene import Scene
from pulley.core.geometry.frames import unit
from pulley.core.motion import Axial
from pulley.core.motion.travel import Screw
from pulley.core.naming import component_name, members_name
from pulley.core.planning import outward as rounds
from pulley.core.planning.companions import bring_along
from pulley.core.planning.direction_text import parse_direction
from pulley.core.planning.measuring import measure
from pulley.core.planning.otherwise import Otherwise, otherwise
from pulley.core.planning.pointing import beyond, feature_at
from pulley.core.planning.scenes import scene_after
from pulley.core.planning.stacking import fan_layers, fan_step
from pulley.core.planning.trial import trial
from pulley.core.planning.ways_out import WayOut, way_out, ways_out
from pulley.core.quantities import counted, measured, plain, round_down, shown
from pulley.web.accounts.models import preferences_of
from pulley.web.accounts.requests import UserRequest
from pulley.web.door import sent_by, whole
from pulley.web.editor import presenters, services
from pulley.web.editor.lookups import teardown_of
from pulley.web.editor.parsing import (
    Sent,
    advance_sent,
    axis_sent,
    direction_sent,
    feature_sent,
    json_sent,
    legs_sent,
    numbers,
    paths_sent,
    unit_sent,
    without_still,
)
from pulley.web.library.services import core_assembly

KINDS = {"straight": "Straight", "fan": "Fan", "outward": "Outward", "turn": "Turn", "path": "Path"}
TRIAL = 3600.0  # degrees of a turn that are looked ahead when there is an advance; once round without


@dataclass(frozen=True)
class _About:
    """What a question is about: the teardown as the page shows it, the selection less what is held still, and the
    scene after the steps that have been played, the selection moved on along the legs of a path begun."""

    assembly: Assembly
    teardown: core.Teardown
    members: tuple[str, ...]
    scene: Scene
    after: int


def _asked(request: UserRequest, teardown_id: uuid.UUID) -> _About:
    sent = sent_by(request)
    row = teardown_of(request, teardown_id)
    assembly, teardown = core_assembly(row.assembly), services.teardown_at(row, whole(sent.get("at")))
    members = editing.known_members(assembly, paths_sent(sent))
    after = max(0, min(whole(sent.get("after"), len(teardown.steps)), len(teardown.steps)))
    legs = legs_sent(sent)
    scene = scene_after(assembly, teardown, after, members, legs[-1] if legs else (0, 0, 0))
    return _About(assembly, teardown, members, scene, after)


@require_POST
def ways(request: UserRequest, teardown_id: uuid.UUID) -> HttpResponse:
    """How far the selection is free, as the kind of motion asks: along lines, outward, or in a turn."""
    about, sent = _asked(request, teardown_id), sent_by(request)
    assembly, teardown, members, scene = about.assembly, about.teardown, about.members, about.scene
    kind = sent.get("kind", "") if sent.get("kind") in KINDS else "straight"
    snap = presenters.pitch_of(preferences_of(request.user), assembly)
    asked = {"outward": _outward, "turn": _turn, "fan": _fan}.get(kind, _straight)
    route = legs_sent(sent)
    own = asked(about, sent, snap or 0.1)
    context = {
        "teardown_id": teardown_id,
        "name": members_name(assembly, members),
        "after": about.after,
        "members": json.dumps(members),
        "kind": kind,
        "kinds": KINDS,
        "pitch": snap,
        "unit": unit_sent(sent),
        "legs": json.dumps(route),
        "leg_count": len(route),
        "movers": _movers(assembly, teardown, members),
        "at_home": _listed(assembly, members, teardown.home),
        "wears": _listed(assembly, members, teardown.wears),
        "placed": any(placed.component in members for placed in teardown.placed),
        "whole": any(isinstance(assembly.by_path[member], Group) for member in members),
        **_giving(assembly, teardown, members, unit_sent(sent)),
        **own,
        "blocked": [
            line
            for k, line in enumerate(own.get("ways", ()))
            if line["state"] == "blocked" and not (k == 0 and own.get("pointed"))
        ],
        "tolerance": f"{shown(scene.tolerance, unit_sent(sent))} {unit_sent(sent)}",
        "odd_tolerances": bool(scene.exceptions),
        "tolerances": describe.tolerance_sentence(assembly, scene.tolerance, scene.exceptions, unit_sent(sent)),
    }
    return render(request, "editor/ways.html", context)


def _listed(assembly: Assembly, members: tuple[str, ...], known: Sequence[str]) -> bool:
    """Whether components are all in a list of some."""
    return bool(known) and set(assembly.leaves_of(members)) <= set(assembly.leaves_of(known))


def _giving(assembly: Assembly, teardown: core.Teardown, members: tuple[str, ...], unit: str) -> dict[str, Any]:
    """By how much a single component gives, and what it looks as if it must."""
    if len(members) != 1 or isinstance(assembly.by_path[members[0]], Group):
        return {}
    known = next((give["by"] for give in teardown.gives if give["component"] == members[0]), 0.0)
    likely = find_give(assembly, members[0])
    return {
        "one_part": True,
        "gives": shown(known, unit) if known else "",
        "may_give": shown(likely.by, unit) if likely else "",
        "why_give": likely.why if likely else "",
    }


def _straight(about: _About, sent: Sent, snap: float) -> dict[str, Any]:
    """Along lines, best first; where none clears the selection, what else would be."""
    assembly, scene, name = about.assembly, about.scene, unit_sent(sent)
    leaves = assembly.leaves_of(about.members)
    found = ways_out(scene, leaves, snap, about.teardown.bearings.up)
    clearing = [way for way in found if way.clears]
    if sent.get("direction"):
        pointed = unit(np.array(direction_sent(sent, "direction")))
        same = [way for way in found if np.dot(way.direction, pointed) > 1 - 1e-9]
        found = [*(same or [way_out(scene, list(leaves), pointed, snap)]), *(way for way in found if way not in same)]
    else_ = None if clearing else otherwise(scene, about.members, found, snap)
    return {
        "ways": [_way(assembly, way, name) for way in found],
        "rails": json.dumps([asdict(way) | {"stop": _stop(way), "state": _state(way)} for way in found]),
        "pointed": bool(sent.get("direction")),
        "tight": not clearing,
        "instead": _instead(assembly, else_, name) if else_ else [],
    }


def _instead(assembly: Assembly, found: Otherwise, unit: str) -> list[dict[str, str]]:
    """What would be when nothing straight clears the selection: a sentence each, and what its button does."""
    offers = []
    if found.outward:
        far = f"{shown(found.outward.suggested, unit)} {unit}"
        moving = [member for member, direction in found.outward.directions.items() if direction]
        axis, members = json.dumps(asdict(found.outward.axis)), json.dumps(moving)
        words = f"Outward, each its own way, {far}"
        offers.append({"sentence": words, "about": axis, "moving": members, "distance": str(found.outward.suggested)})
    if found.turning:
        free = "all round" if found.turning.free is None else f"{found.turning.free:.0f}°"
        offers.append({"sentence": f"Turn it: free {free}", "kind": "turn"})
    if found.legs:
        first, then = found.legs.first, found.legs.then
        far = f"{shown(first.suggested, unit)} {unit}"
        words = f"Two legs: {first.word.lower()} {far}, then {then.word.lower()}"
        offers.append({"sentence": words, "waypoints": json.dumps(found.legs.waypoints)})
    if found.before and found.way:
        names = members_name(assembly, found.before)
        words = f"First take off {names}: then {found.way.word.lower()}"
        offers.append({"sentence": words, "take": json.dumps(found.before)})
    return offers


def _fan(about: _About, sent: Sent, snap: float) -> dict[str, Any]:
    """Along lines, spread layer by layer: each is checked as it would be made, before it is called clear."""
    assembly, name = about.assembly, unit_sent(sent)
    members = without_still(sent, assembly, about.members)
    found = ways_out(about.scene, assembly.leaves_of(members), snap, about.teardown.bearings.up)
    if sent.get("direction"):
        pointed = unit(np.array(direction_sent(sent, "direction")))
        found = [way_out(about.scene, list(assembly.leaves_of(members)), pointed, snap), *found]
    spacing = max(snap, round_down(0.06 * assembly.diagonal, snap))
    offered = []
    for way in found:
        layers = fan_layers(about.scene, members, way.direction)
        step = fan_step(layers, way.direction, spacing) if layers else None
        offered.append((way, layers, trial(assembly, about.teardown, step, about.after) if step else ()))
    offered.sort(key=lambda offer: bool(offer[2]))
    lines = [_fanned(assembly, way, snags, name) for way, _, snags in offered]
    rails = [
        asdict(line["way"]) | {"stop": None, "layers": layers, "state": line["state"]}
        for line, (_, layers, _) in zip(lines, offered, strict=True)
    ]
    return {
        "ways": lines,
        "rails": json.dumps(rails),
        "moving": json.dumps(members),
        "spacing": spacing,
        "spacing_shown": shown(spacing, name),
    }


def _fanned(assembly: Assembly, way: WayOut, snags: Sequence[Snag], unit: str) -> dict[str, Any]:
    """A way of a fan in words: clear, or the first snag that it would have."""
    blocker = _name(assembly, snags[0].blocker) if snags else ""
    said = f"{way.word}, {_name(assembly, snags[0].moving)} meets {blocker}" if snags else f"{way.word}, clear"
    return {
        "way": replace(way, free=0.0 if snags else None),
        "sentence": said,
        "blocker": blocker,
        "direction": json.dumps(way.direction),
        "free": counted(len(snags), "snag") if snags else "clear",
        "state": "blocked" if snags else "clear",
        "odd": describe.odd_angle(Axial(way.direction, 1.0)),
    }


def _outward(about: _About, sent: Sent, snap: float) -> dict[str, Any]:
    """Away from the axis pointed at, else from that of the circle on which the selection lies."""
    assembly, scene, members = about.assembly, about.scene, about.members
    axis = axis_sent(sent) if sent.get("axis") else rounds.common_axis(scene, members)
    if axis is None:
        odd = rounds.odd_one(scene, members)
        others = json.dumps([member for member in members if member != odd])
        return {"rails": "[]", "axis": None, "odd_one": _name(assembly, odd), "others": others}
    out = rounds.outward(scene, members, axis, snap)
    rays = [
        {"axis": f"ray-{k}", "word": "Outward", "direction": direction, "free": out.free, "suggested": out.suggested}
        | {"stop": None if out.free is None else round_down(out.free, 0.1), "only": [member]}
        | {"state": "clear" if out.free is None else "blocked"}
        for k, (member, direction) in enumerate(out.directions.items())
        if direction
    ]
    name = unit_sent(sent)
    stopped = "clear" if out.free is None else f"{measured(out.free, name)}, then " + _name(assembly, out.blocker)
    lost = [_name(assembly, member) for member, direction in out.directions.items() if direction is None]
    return {
        "rails": json.dumps(rays),
        "axis": json.dumps(asdict(axis)),
        "outward": out,
        "stopped": stopped,
        "on_axis": lost,
        "moving": json.dumps([member for member, direction in out.directions.items() if direction] or members),
        "suggested_shown": shown(out.suggested, name),
    }


def _turn(about: _About, sent: Sent, snap: float) -> dict[str, Any]:
    """About the axis pointed at, else the selection's own."""
    assembly, scene, members = about.assembly, about.scene, about.members
    axis = axis_sent(sent) if sent.get("axis") else rounds.own_axis(scene, members)
    if axis is None:
        return {"rails": "[]", "axis": None}
    advance = advance_sent(sent)
    turns = []
    for word, sense in (("Anticlockwise", 1.0), ("Clockwise", -1.0)):
        trial = sense * (TRIAL if advance else 360.0)
        free, blocker = rounds.free_turn(scene, members, Screw.about(axis.origin, axis.direction, trial, advance))
        angle = 90.0 if free is None else float(np.floor(min(free, 90.0) + 1e-6))
        words = word if blocker is None else f"{word}, {'then' if angle else 'on'} {_name(assembly, blocker)}"
        turns.append({"words": words, "free": free, "angle": plain(sense * angle), "stuck": not angle})
    typed = {"angle_typed": sent.get("angle", ""), "advance_typed": sent.get("advance", ""), "advance_mm": advance}
    return {"rails": "[]", "axis": json.dumps(asdict(axis)), "turns": turns, "turn_data": json.dumps(turns), **typed}


def _stop(way: WayOut) -> float | None:
    """Where a drag along a way out ends, on a tenth of a millimetre short of the contact."""
    return None if way.free is None else round_down(way.free, 0.1)


def _state(way: WayOut) -> str:
    """Whether a way takes the selection clear, is free for a while, or blocked."""
    return "clear" if way.free is None or way.clears else "free" if way.opens else "blocked"


def _way(assembly: Assembly, way: WayOut, unit: str) -> dict[str, Any]:
    return {
        "way": way,
        "sentence": describe.way_sentence(assembly, way, unit),
        "blocker": _name(assembly, way.blocker) if way.blocker else "",
        "direction": json.dumps(way.direction),
        "free": "clear" if way.free is None else measured(way.free, unit),
        "state": _state(way),
        "odd": describe.odd_angle(Axial(way.direction, 1.0)),
    }


def _name(assembly: Assembly, path: str | None) -> str:
    return component_name(assembly, path) if path else ""


def _movers(assembly: Assembly, teardown: core.Teardown, members: tuple[str, ...]) -> list[dict[str, Any]]:
    """The steps that move any of a selection: number, id and label."""
    chosen = set(assembly.leaves_of(members))
    return [
        {"number": number, "id": step.id, "label": step.label}
        for number, step in enumerate(teardown.steps, 1)
        if chosen.intersection(assembly.leaves_of(step.members))
    ]


@require_POST
def point(request: UserRequest, teardown_id: uuid.UUID) -> JsonResponse:
    """The face, edge or corner under the pointer."""
    sent = sent_by(request)
    row = teardown_of(request, teardown_id)
    assembly, teardown = core_assembly(row.assembly), services.teardown_at(row, whole(sent.get("at")))
    if "typed" in sent:
        return JsonResponse({"direction": parse_direction(assembly, sent["typed"]).tolist()})
    scene = scene_after(assembly, teardown, whole(sent.get("after")))
    spot, normal = np.array(numbers(json_sent(sent, "point"), 3)), np.array(direction_sent(sent, "normal"))
    (reach,) = numbers([json_sent(sent, "reach")], 1)
    found = feature_at(scene, sent.get("path", ""), spot, normal, min(max(reach, 0.0), assembly.diagonal))
    return JsonResponse(asdict(found) | {"words": found.words, "name": _name(assembly, found.component)})


@require_POST
def measured_between(request: UserRequest, teardown_id: uuid.UUID) -> JsonResponse:
    """How far apart two things that were pointed at are, and at which angle."""
    sent = sent_by(request)
    teardown_of(request, teardown_id)
    first, second = feature_sent(sent, "first"), feature_sent(sent, "second")
    found = measure(first, second)
    return JsonResponse(asdict(found) | {"words": describe.measure_sentence(found, first, second, unit_sent(sent))})


@require_POST
def choose(request: UserRequest, teardown_id: uuid.UUID, what: str) -> JsonResponse:
    """A selection worked out from the present one: what rides on it, what lies beyond a plane, what else there is."""
    if what not in SETS:
        raise Http404
    about = _asked(request, teardown_id)
    found = SETS[what](about.assembly, about.scene, about.members, sent_by(request))
    return JsonResponse({"members": list(found), "words": counted(len(found), "component")})


def _riders(assembly: Assembly, scene: Scene, members: tuple[str, ...], sent: Sent) -> tuple[str, ...]:
    direction = np.array(direction_sent(sent, "direction"))
    still = assembly.leaves_of(paths_sent(sent, "still")) if json_sent(sent, "still") else ()
    movers = assembly.leaves_of(members)
    return editing.smallest_cover(assembly, (*movers, *bring_along(scene, movers, direction, still)))


def _rest(assembly: Assembly, scene: Scene, members: tuple[str, ...], sent: Sent) -> tuple[str, ...]:
    chosen = set(assembly.leaves_of(members))
    return editing.smallest_cover(assembly, [leaf.path for leaf in assembly.leaves if leaf.path not in chosen])


def _beyond(assembly: Assembly, scene: Scene, members: tuple[str, ...], sent: Sent) -> tuple[str, ...]:
    origin, direction = numbers(json_sent(sent, "origin"), 3), direction_sent(sent, "direction")
    return beyond(scene, np.array(origin), np.array(direction))


def _inside(assembly: Assembly, scene: Scene, members: tuple[str, ...], sent: Sent) -> tuple[str, ...]:
    return tuple(child for member in members for child in editing.children_of(assembly, member))


def _holder(assembly: Assembly, scene: Scene, members: tuple[str, ...], sent: Sent) -> tuple[str, ...]:
    """The subassemblies that directly hold a selection; itself where only the whole assembly does."""
    holders = [assembly.by_path[member].parent for member in members]
    wider = [h if h and assembly.by_path[h].parent else m for h, m in zip(holders, members, strict=True)]
    return editing.known_members(assembly, wider)


SETS = {"riders": _riders, "rest": _rest, "beyond": _beyond, "inside": _inside, "holder": _holder}
