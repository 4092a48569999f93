"""Steps made from the selection: straight, fanned, outward, turned, along a path; and the same for matches."""

import math

from pulley.core import editing
from pulley.core.assembly import Assembly
from pulley.core.errors import PulleyError
from pulley.core.formats import teardown as teardown_json
from pulley.core.geometry.directions import direction_word
from pulley.core.geometry.frames import Pose, Vector3
from pulley.core.motion import Path, Radial, Turn
from pulley.core.motion.base import reversed_vector
from pulley.core.naming import members_name
from pulley.core.planning.companions import matches as core_matches
from pulley.core.planning.companions import with_matches
from pulley.core.planning.pointing import onto
from pulley.core.planning.remedies import Remedy, apply_remedy
from pulley.core.planning.scenes import scene_after
from pulley.core.planning.stacking import fan_layers, fan_step
from pulley.core.planning.ways_out import best_for, ways_out
from pulley.core.quantities import plain
from pulley.core.teardown import Step, Teardown
from pulley.web.door import whole
from pulley.web.editor.commands.registry import command
from pulley.web.editor.parsing import (
    Sent,
    advance_sent,
    angle_sent,
    axis_sent,
    direction_sent,
    distance_sent,
    feature_sent,
    is_back,
    label_of,
    length,
    mapping_sent,
    paths_sent,
    points_sent,
    short,
    vector_sent,
)
from pulley.web.editor.services import Changed


@command("add")
def add(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """A step along a direction; where none was pressed, along the best that is free for the distance typed."""
    plain_sent = {**sent, "typed": sent["typed"].strip().lstrip("-−")} if is_back(sent) else sent
    distance, members, place = distance_sent(plain_sent), paths_sent(sent), whole(sent.get("after"))
    along = _best(sent, teardown, assembly, distance) if sent.get("pick") else direction_sent(sent, "direction")
    direction = reversed_vector(along) if is_back(sent) else along
    after, step = editing.add_step(teardown, assembly, members, direction, distance, place)
    return Changed(after, f"{short(step.label)} {direction_word(direction)} {length(distance, sent)}", step.id)


def _best(sent: Sent, teardown: Teardown, assembly: Assembly, distance: float) -> Vector3:
    """The direction of the best way that is free so far; of a distance typed with a minus, the best there is."""
    after, members = whole(sent.get("after")), editing.known_members(assembly, paths_sent(sent))
    scene = scene_after(assembly, teardown, after, members)
    ways = ways_out(scene, assembly.leaves_of(members), up=teardown.bearings.up)
    return ways[0].direction if is_back(sent) else best_for(ways, distance).direction


@command("fan")
def fan(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """A step along a direction on which the selection spreads evenly, layer by layer; the rearmost layer stays
    where there would be nothing else left to leave."""
    pitch, direction = distance_sent(sent), direction_sent(sent, "direction")
    members, after = editing.known_members(assembly, paths_sent(sent)), whole(sent.get("after"))
    layers = fan_layers(scene_after(assembly, teardown, after), members, direction)
    if not layers:
        raise PulleyError("A fan needs two components or more. Select another one as well.")
    kept, step = editing.insert_step(teardown, assembly, fan_step(layers, direction, pitch), after)
    return Changed(kept, f"fan {short(step.label)} {direction_word(direction)} by {length(pitch, sent)}", step.id)


@command("outward")
def outward(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """A step away from an axis, each member in its own direction."""
    distance = distance_sent(sent)
    step = Step("", tuple(paths_sent(sent)), Radial(distance, axis_sent(sent)))
    after, step = editing.insert_step(teardown, assembly, step, whole(sent.get("after")))
    return Changed(after, f"{short(step.label)} outward {length(distance, sent)}", step.id)


@command("turn")
def turn(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """A step that turns the selection about an axis, with an advance for a thread."""
    angle = angle_sent(sent)
    step = Step("", tuple(paths_sent(sent)), Turn(axis_sent(sent), angle, advance_sent(sent)))
    after, step = editing.insert_step(teardown, assembly, step, whole(sent.get("after")))
    return Changed(after, f"turn {short(step.label)} by {plain(angle)}°", step.id)


@command("path")
def path(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """A step along waypoints."""
    waypoints = points_sent(sent, "waypoints")
    if not waypoints:
        raise PulleyError("A path needs a leg. Click a way out to make one.")
    step = Step("", tuple(paths_sent(sent)), Path(waypoints))
    after, step = editing.insert_step(teardown, assembly, step, whole(sent.get("after")))
    return Changed(after, f"{short(step.label)} along a path", step.id)


@command("move")
def move(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """A step by a displacement (3,), straight to where the selection was dragged."""
    by = vector_sent(sent)
    distance = math.hypot(*by)
    after, step = editing.add_step(teardown, assembly, paths_sent(sent), by, distance, whole(sent.get("after")))
    return Changed(after, f"move {short(step.label)} {length(distance, sent)}", step.id)


@command("matches")
def matches(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """The same motion for the chosen matches of a step's member."""
    id, wanted = sent.get("step", ""), set(paths_sent(sent))
    step = editing.find_step(teardown, id)
    scene = scene_after(assembly, teardown, teardown.steps.index(step))
    chosen = [match for match in core_matches(assembly, step, scene) if match.member in wanted]
    if not chosen:
        raise PulleyError("None of the matches is chosen. Choose one or more.")
    after = with_matches(teardown, id, chosen, assembly)
    return Changed(after, f"same for {members_name(assembly, [match.member for match in chosen])}")


@command("remedy")
def remedy(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """What the program proposed against a snag, done."""
    id, values = sent.get("step", ""), mapping_sent(sent, "remedy")
    editing.find_step(teardown, id)
    if set(values) - set(Remedy.__dataclass_fields__):
        raise PulleyError("That remedy could not be read. Reload the page; nothing was changed.")
    lists = {key: tuple(map(tuple, v) if key == "waypoints" else v) for key, v in values.items() if isinstance(v, list)}
    try:
        after = apply_remedy(teardown, id, Remedy(**values | lists))
        after = teardown_json.from_document(teardown_json.to_document(after))
    except (TypeError, ValueError, KeyError, StopIteration) as error:
        raise PulleyError("That remedy no longer fits the teardown. Nothing was changed.") from error
    return Changed(after, f"clear {label_of(teardown, id)}")


@command("next-to")
def next_to(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """A component right in front of, or behind, another in a stack taken apart."""
    (mover,), neighbour = editing.known_members(assembly, paths_sent(sent)[:1]), sent.get("neighbour", "")
    in_front = sent.get("value") != "behind"
    after = editing.put_next_to(teardown, assembly, mover, neighbour, in_front)
    place = "in front of" if in_front else "behind"
    name, other = (short(assembly.by_path[path].name) for path in (mover, neighbour))
    return Changed(after, f"{name} {place} {other}")


@command("place")
def place(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """A loose component placed so that what was pointed at on it lies on what was pointed at elsewhere."""
    (member,) = editing.known_members(assembly, paths_sent(sent)[:1])
    after = editing.place(teardown, assembly, member, _alignment(sent))
    return Changed(after, f"place {short(assembly.by_path[member].name)}")


def _alignment(sent: Sent) -> Pose:
    return onto(feature_sent(sent, "moved"), feature_sent(sent, "target"), flip=sent.get("flip") == "1")


@command("put-back")
def put_back(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """A placed component where the file has it."""
    (member,) = editing.known_members(assembly, paths_sent(sent)[:1])
    return Changed(editing.put_back(teardown, member), f"put back {short(assembly.by_path[member].name)}")
