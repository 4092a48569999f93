"""Steps put right: on their cards, several at once, in the table."""

from collections.abc import Callable
from dataclasses import dataclass
from operator import attrgetter

from pulley.core import editing
from pulley.core.assembly import Assembly
from pulley.core.errors import PulleyError
from pulley.core.geometry.directions import direction_word
from pulley.core.geometry.frames import Vector3, triple
from pulley.core.motion import KINDS
from pulley.core.naming import members_name
from pulley.core.quantities import (
    parse_angle,
    parse_distance,
    parse_duration,
    parse_length,
    parse_number,
    plain,
)
from pulley.core.teardown import Step, Teardown
from pulley.web.door import whole
from pulley.web.editor.commands.registry import command
from pulley.web.editor.parsing import (
    Sent,
    axis_sent,
    direction_sent,
    json_sent,
    label_of,
    labels_of,
    length,
    paths_sent,
    short,
    steps_sent,
    typed,
    unit_sent,
)
from pulley.web.editor.services import Changed


@dataclass(frozen=True)
class Field:
    """A number of a step that is typed: how it is read (with the page's unit), set, written, and what it is now."""

    parse: Callable[[str, str], float]
    put: Callable[[Teardown, str, float], Teardown]
    write: Callable[[float, Sent], str]
    now: Callable[[Step], float]


def _length_or_none(text: str, unit: str) -> float:
    return parse_length(text or "0", unit)


PARSE: dict[str, Callable[[str, str], float]] = {  # by what a quantity of a motion is
    "distance": parse_distance,
    "length": _length_or_none,
    "angle": lambda text, unit: parse_angle(text),
}


def _of_motion(name: str, what: str) -> Field:
    """The field of a quantity that a kind of motion has."""
    return Field(
        PARSE[what],
        lambda teardown, id, value: editing.set_motion(teardown, id, **{name: value}),
        (lambda degrees, sent: f"{plain(degrees)}°") if what == "angle" else length,
        lambda step: getattr(step.motion, name, 0.0),
    )


FIELDS = {name: _of_motion(name, what) for kind in KINDS.values() for name, what in kind.quantities.items()} | {
    "pitch": Field(_length_or_none, lambda t, id, mm: editing.set_fan(t, id, pitch=mm), length, attrgetter("spacing")),
    "total": Field(parse_length, lambda t, id, mm: editing.set_fan(t, id, total=mm), length, attrgetter("spacing")),
    "duration": Field(
        lambda text, unit: parse_duration(text),
        editing.set_duration,
        lambda s, sent: f"{plain(s)} s",
        attrgetter("timing.duration"),
    ),
}


def _typed_field(field: Field) -> Callable[[Sent, Teardown, Assembly], Changed]:
    """The change that typing into a step's field asks for."""

    def change(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
        step = editing.find_step(teardown, sent.get("step", ""))
        kept = field.write(field.now(step), sent)
        value = typed(lambda text: field.parse(text, unit_sent(sent)), sent, kept)
        return Changed(
            field.put(teardown, step.id, value), f"{label_of(teardown, step.id)}, {field.write(value, sent)}"
        )

    return change


for _name, _field in FIELDS.items():
    command(_name)(_typed_field(_field))


@command("direction")
def direction(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Another direction for a step."""
    along = direction_sent(sent, "value")
    after = editing.set_direction(teardown, sent.get("step", ""), along)
    return Changed(after, f"{label_of(teardown, sent['step'])} {direction_word(along)}")


@command("turn-round")
def turn_round(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """The other way."""
    after = editing.turn_round(teardown, sent.get("step", ""))
    return Changed(after, f"{label_of(teardown, sent['step'])} the other way")


@command("axis")
def axis(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Another axis for a turn or a motion outward."""
    after = editing.set_axis(teardown, sent.get("step", ""), axis_sent(sent))
    return Changed(after, f"axis of {label_of(teardown, sent['step'])}")


@command("leg")
def leg(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Another length for one leg of a path; what comes after it moves along."""
    step, number = editing.find_step(teardown, sent.get("step", "")), whole(sent.get("leg"), -1)
    if not 0 <= number < len(step.motion.waypoints):
        raise PulleyError("That leg is no longer in the path. Nothing was changed.")
    mm = typed(lambda text: parse_distance(text, unit_sent(sent)), sent, "its legs")
    after = editing.set_waypoints(teardown, step.id, _with_leg(step.motion.waypoints, number, mm))
    return Changed(after, f"{label_of(teardown, step.id)}, leg {number + 1} {length(mm, sent)}")


def _with_leg(points: tuple[Vector3, ...], number: int, mm: float) -> tuple[Vector3, ...]:
    before = points[number - 1] if number else (0.0, 0.0, 0.0)
    way = [b - a for a, b in zip(before, points[number], strict=True)]
    scale = mm / sum(c * c for c in way) ** 0.5 - 1
    return tuple(
        triple([round(c + (w * scale if k >= number else 0.0), 6) for c, w in zip(point, way, strict=True)])
        for k, point in enumerate(points)
    )


@command("smooth")
def smooth(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """A path's corners rounded, or not."""
    step = editing.find_step(teardown, sent.get("step", ""))
    smooth = not getattr(step.motion, "smooth", False)
    after = editing.set_waypoints(teardown, step.id, step.motion.waypoints, smooth)
    return Changed(after, f"{'round' if smooth else 'sharpen'} {label_of(teardown, step.id)}")


@command("label")
def label(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Another label for a step."""
    after = editing.rename_step(teardown, sent.get("step", ""), sent.get("value", ""))
    return Changed(after, f"rename {label_of(teardown, sent['step'])}")


@command("note")
def note(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """A step's note."""
    after = editing.set_note(teardown, sent.get("step", ""), sent.get("value", ""))
    return Changed(after, f"note on {label_of(teardown, sent['step'])}")


@command("mark")
def mark(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """A colour mark for steps."""
    ids = steps_sent(sent)
    return Changed(editing.mark(teardown, ids, sent.get("value", "")), f"mark {labels_of(teardown, ids)}")


@command("drop")
def drop(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """One member less."""
    after = editing.drop_member(teardown, sent.get("step", ""), sent.get("value", ""))
    return Changed(after, f"one less in {label_of(teardown, sent['step'])}")


@command("add-members")
def add_members(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """The selection into a step."""
    paths = paths_sent(sent)
    after = editing.add_members(teardown, assembly, sent.get("step", ""), paths)
    return Changed(after, f"add {short(members_name(assembly, paths))} to {label_of(teardown, sent['step'])}")


@command("order")
def order(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Another order of a step's members."""
    after = editing.order_members(teardown, sent.get("step", ""), paths_sent(sent))
    return Changed(after, f"order in {label_of(teardown, sent['step'])}")


@command("layers")
def layers(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """A fan in the order of the stack, what can go together in one layer."""
    after = editing.layer_alike(teardown, assembly, sent.get("step", ""))
    return Changed(after, f"layers of {label_of(teardown, sent['step'])}")


@command("each")
def each(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """What a step's subassemblies hold, each by itself."""
    after = editing.each_by_itself(teardown, assembly, sent.get("step", ""))
    return Changed(after, f"{label_of(teardown, sent['step'])}, each by itself")


@command("units")
def units(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Whole subassemblies as units."""
    after = editing.as_units(teardown, assembly, sent.get("step", ""))
    return Changed(after, f"{label_of(teardown, sent['step'])}, as a unit")


@command("shift", reorders=True)
def shift(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Steps earlier or later."""
    by, ids = whole(sent.get("value"), 0), steps_sent(sent)
    after = editing.shift_steps(teardown, ids, by)
    return Changed(after, f"{labels_of(teardown, ids)} {'earlier' if by < 0 else 'later'}")


@command("before", reorders=True)
def before(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Steps right before another, or last."""
    ids = steps_sent(sent)
    after = editing.put_before(teardown, ids, sent.get("value") or None)
    return Changed(after, f"move {labels_of(teardown, ids)}")


@command("delete")
def delete(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Steps less."""
    ids = steps_sent(sent)
    return Changed(editing.delete_steps(teardown, ids), f"delete {labels_of(teardown, ids)}", "")


@command("off")
def off(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Steps off, or on again when the first of them is off."""
    ids = steps_sent(sent)
    off = not editing.find_step(teardown, ids[0]).off
    return Changed(editing.switch(teardown, ids, off), f"{labels_of(teardown, ids)} {'off' if off else 'on'}")


@command("same")
def same(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """One distance for several steps."""
    ids, mm = steps_sent(sent), parse_distance(sent.get("value", ""), unit_sent(sent))
    return Changed(editing.same_distance(teardown, ids, mm), f"{labels_of(teardown, ids)}, {length(mm, sent)}")


@command("scale")
def scale(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Distances of several steps by a factor."""
    ids, factor = steps_sent(sent), parse_number(sent.get("value", "").lstrip("×x* "), "factor")
    return Changed(editing.scale_distances(teardown, ids, factor), f"{labels_of(teardown, ids)} × {plain(factor)}")


@command("farther")
def farther(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Several steps farther, or less far."""
    ids, mm = steps_sent(sent), parse_length(sent.get("value", ""), unit_sent(sent))
    return Changed(editing.shift_distances(teardown, ids, mm), f"{labels_of(teardown, ids)} by {length(mm, sent)}")


@command("merge")
def merge(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """One step of several."""
    ids = steps_sent(sent)
    after, step = editing.merge(teardown, ids)
    return Changed(after, f"merge {labels_of(teardown, ids)}", step.id)


@command("split")
def split(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """One step a member."""
    id = steps_sent(sent)[0]
    return Changed(editing.split(teardown, assembly, id), f"split {label_of(teardown, id)}")


@command("duplicate")
def duplicate(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Steps once more."""
    ids = steps_sent(sent)
    after, made = editing.duplicate(teardown, ids)
    return Changed(after, f"duplicate {labels_of(teardown, ids)}", made[0])


@command("mirror")
def mirror(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """The same on the other side."""
    ids = steps_sent(sent)
    after, made = editing.mirror(teardown, assembly, ids, sent.get("value", "x"))
    return Changed(after, f"mirror {labels_of(teardown, ids)}", made[0])


@command("home")
def home(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Components sent home, whatever step moves them; or let go again."""
    paths, stay = paths_sent(sent), sent.get("value") != "off"
    after = editing.send_home(teardown, assembly, paths, stay)
    return Changed(after, f"{short(members_name(assembly, paths))} {'stays home' if stay else 'moves again'}")


@command("wears")
def wears(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Components marked as wearing out, which is what is reached first in service; or not any more."""
    paths, on = paths_sent(sent), sent.get("value") != "off"
    after = editing.set_wears(teardown, assembly, paths, on)
    one = len(assembly.leaves_of(paths)) == 1
    verb = ("wears out" if one else "wear out") if on else f"{'does' if one else 'do'} not wear out"
    return Changed(after, f"{short(members_name(assembly, paths))} {verb}")


@command("tolerance")
def tolerance(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """How much deeper than at its start a motion may let two components penetrate each other."""
    mm = parse_length(sent.get("value", ""), unit_sent(sent))
    return Changed(editing.set_tolerance(teardown, mm), f"tolerance {length(mm, sent)}")


@command("give")
def give(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """By how much a component bends out of the way; not at all when nothing is typed."""
    (path,) = editing.known_members(assembly, paths_sent(sent)[:1])
    typed_in = sent.get("value", "").strip()
    mm = parse_length(typed_in, unit_sent(sent)) if typed_in not in ("", "0") else 0.0
    name = short(members_name(assembly, [path]))
    return Changed(
        editing.set_give(teardown, path, mm), f"{name} gives by {length(mm, sent)}" if mm else f"{name} is stiff"
    )


@command("cells")
def cells(sent: Sent, teardown: Teardown, assembly: Assembly) -> Changed:
    """Cells of the table of travels: a list of step, column and text, all of them or none."""
    typed_in = json_sent(sent, "cells")
    if not isinstance(typed_in, list) or not typed_in:
        raise PulleyError("Nothing was typed into the table.")
    after = teardown
    for cell in typed_in:
        id, column, text = map(str, cell) if isinstance(cell, list) and len(cell) == 3 else ("", "", "")
        if column not in FIELDS and column != "label":
            raise PulleyError("That column cannot be typed into. Nothing was changed.")
        number = next((k for k, step in enumerate(after.steps, 1) if step.id == id), 0)
        try:
            after = _with_cell(after, id, column, text, unit_sent(sent))
        except PulleyError as error:
            raise PulleyError(f"Row {number}, {column}: {error} No cell was changed.") from error
    return Changed(after, f"{len(typed_in)} cell{'s' if len(typed_in) > 1 else ''} of the table")


def _with_cell(teardown: Teardown, id: str, column: str, text: str, unit: str) -> Teardown:
    if column == "label":
        return editing.rename_step(teardown, id, text)
    return FIELDS[column].put(teardown, id, FIELDS[column].parse(text, unit))
