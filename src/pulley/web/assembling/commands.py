"""What the page can ask for: each verb reads what was sent and is carried out by functions of core."""

import json
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from pulley.core.assembling import changing, placing
from pulley.core.assembling.arrangement import Arrangement
from pulley.core.assembly import Assembly
from pulley.core.colours import from_hex
from pulley.core.contact.scene import home_scene
from pulley.core.editing.trailing import checked_colour
from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import Vector3
from pulley.core.planning.pointing import Feature
from pulley.core.quantities import parse_angle, parse_length
from pulley.web.assembling.services import Changed
from pulley.web.editor.parsing import Sent, direction_sent, feature_sent, json_sent, mapping_sent, paths_sent, unit_sent

Command = Callable[[Sent, Arrangement, Assembly], Changed]
COMMANDS: dict[str, Command] = {}


def command(name: str) -> Callable[[Command], Command]:
    """Decorator: this is what a verb does."""

    def register(does: Command) -> Command:
        COMMANDS[name] = does
        return does

    return register


def selected(sent: Sent) -> list[str]:
    """The ids that are selected, one at least."""
    ids = paths_sent(sent, "selected") if sent.get("selected") else []
    if not ids:
        raise PulleyError("Nothing is selected. Click a component first.")
    return ids


def _names(arrangement: Arrangement, ids: list[str]) -> str:
    first = arrangement.piece(ids[0]).name[:40]
    return first if len(ids) == 1 else f"{first} and {len(ids) - 1} more"


def place_sent(sent: Sent, key: str) -> Feature:
    """A place on a piece that was pointed at, as the page was told of it."""
    return replace(feature_sent(sent, key), component=str(mapping_sent(sent, key).get("component")))


@command("place")
def place(sent: Sent, arrangement: Arrangement, flat: Assembly) -> Changed:
    """Lay what was pointed at first on what was pointed at second."""
    moved, target = place_sent(sent, "moved"), place_sent(sent, "target")
    after = placing.place(arrangement, moved, target)
    names = (arrangement.piece(each.component).name[:40] for each in (moved, target))
    return Changed(after, " on ".join(names), (moved.component,))


@command("flip")
def flip(sent: Sent, arrangement: Arrangement, flat: Assembly) -> Changed:
    """Turn a piece over."""
    id = selected(sent)[0]
    return Changed(placing.flip(arrangement, id), f"flip {_names(arrangement, [id])}")


@command("turn")
def turn(sent: Sent, arrangement: Arrangement, flat: Assembly) -> Changed:
    """Another angle about its joint."""
    id, degrees = selected(sent)[0], parse_angle(sent.get("value", ""))
    return Changed(placing.turn(arrangement, id, degrees), f"turn {_names(arrangement, [id])}")


@command("set-off")
def set_off(sent: Sent, arrangement: Arrangement, flat: Assembly) -> Changed:
    """Another distance from where it was placed."""
    id, mm = selected(sent)[0], parse_length(sent.get("value", ""), unit_sent(sent))
    return Changed(placing.set_off(arrangement, id, mm), f"set {_names(arrangement, [id])} off")


@command("nudge")
def nudge(sent: Sent, arrangement: Arrangement, flat: Assembly) -> Changed:
    """Move what is selected by a typed distance, or until it touches something."""
    ids, along = selected(sent), direction_sent(sent, "direction")
    if sent.get("touch"):
        after = placing.push(arrangement, home_scene(flat), ids, along)
        return Changed(after, f"push {_names(arrangement, ids)}")
    by = parse_length(sent.get("by", ""), unit_sent(sent)) * np.array(along)
    return Changed(placing.nudge(arrangement, ids, _triple(by)), f"move {_names(arrangement, ids)}")


def _triple(vector: "np.ndarray[tuple[int, ...], np.dtype[np.float64]]") -> Vector3:
    x, y, z = vector.tolist()
    return x, y, z


@command("spin")
def spin(sent: Sent, arrangement: Arrangement, flat: Assembly) -> Changed:
    """Turn a piece about a direction through its own middle."""
    id, axis = selected(sent)[0], direction_sent(sent, "direction")
    degrees = parse_angle(sent.get("angle", "90"))
    after = placing.spin(arrangement, home_scene(flat), id, axis, degrees)
    return Changed(after, f"turn {_names(arrangement, [id])}")


@command("lay-out")
def lay_out(sent: Sent, arrangement: Arrangement, flat: Assembly) -> Changed:
    """Put all that hangs on nothing beside one another."""
    if not arrangement.pieces:
        raise PulleyError("There is nothing in this assembly yet. Add part files first.")
    return Changed(placing.lay_out(arrangement, home_scene(flat)), "lay out")


@command("let-go")
def let_go(sent: Sent, arrangement: Arrangement, flat: Assembly) -> Changed:
    """Let what is selected stand by itself."""
    ids = selected(sent)
    after = arrangement
    for id in ids:
        after = placing.let_go(after, id)
    return Changed(after, f"let {_names(arrangement, ids)} go")


@command("double")
def double(sent: Sent, arrangement: Arrangement, flat: Assembly) -> Changed:
    """Another one of what is selected."""
    ids = selected(sent)
    after = changing.doubled(arrangement, ids, 0.2 * flat.diagonal)
    made = tuple(piece.id for piece in after.pieces[len(arrangement.pieces) :])
    return Changed(after, f"another {_names(arrangement, ids)}", made)


@command("take-out")
def take_out(sent: Sent, arrangement: Arrangement, flat: Assembly) -> Changed:
    """Take what is selected out."""
    ids = selected(sent)
    return Changed(changing.taken_out(arrangement, ids), f"take {_names(arrangement, ids)} out", ())


@command("group")
def group(sent: Sent, arrangement: Arrangement, flat: Assembly) -> Changed:
    """Put what is selected into a subassembly."""
    ids, name = selected(sent), sent.get("value", "")
    return Changed(changing.grouped(arrangement, ids, name), f"put {_names(arrangement, ids)} into {name[:40]}")


@command("ungroup")
def ungroup(sent: Sent, arrangement: Arrangement, flat: Assembly) -> Changed:
    """Take what is selected out of its subassembly."""
    ids = selected(sent)
    return Changed(changing.ungrouped(arrangement, ids), f"take {_names(arrangement, ids)} out of its subassembly")


@command("name")
def name(sent: Sent, arrangement: Arrangement, flat: Assembly) -> Changed:
    """Another name for what is selected, or for a subassembly."""
    id, words = sent.get("group") or selected(sent)[0], sent.get("value", "")
    return Changed(changing.named(arrangement, id, words), f"call it {words[:40]}")


@command("rename")
def rename(sent: Sent, arrangement: Arrangement, flat: Assembly) -> Changed:
    """Another name for the assembly."""
    words = " ".join(sent.get("value", "").split())[:200]
    if not words:
        raise PulleyError("An assembly needs a name. Type one.")
    return Changed(replace(arrangement, name=words), f"call it {words[:40]}")


@command("paint")
def paint(sent: Sent, arrangement: Arrangement, flat: Assembly) -> Changed:
    """A colour for what is selected."""
    ids, colour = selected(sent), from_hex(checked_colour(sent.get("value", "")))
    return Changed(changing.painted(arrangement, ids, colour), f"colour of {_names(arrangement, ids)}")


@command("make")
def make(sent: Sent, arrangement: Arrangement, flat: Assembly) -> Changed:
    """What a part is made of, or what it weighs."""
    id = selected(sent)[0]
    piece = arrangement.piece(id)
    material, mass = piece.material, piece.mass
    if "material" in sent:
        material = sent["material"]
    if "mass" in sent:
        mass = _grams(sent["mass"])
    return Changed(changing.made_of(arrangement, id, material, mass), f"what {piece.part[:40]} is made of")


def _grams(text: str) -> float | None:
    """A typed mass in grams; None for an empty field."""
    words = text.replace(",", ".").removesuffix("g").strip()
    if not words:
        return None
    try:
        return float(words)
    except ValueError:
        raise PulleyError(f"“{text[:20]}” is no mass. Type grams, such as 12.5.") from None


def ids_known(sent: Sent, arrangement: Arrangement) -> tuple[str, ...]:
    """The selected ids that are there; none when the field is empty or broken."""
    try:
        ids = json_sent(sent, "selected") if sent.get("selected") else []
    except PulleyError:
        return ()
    return tuple(id for id in ids if isinstance(id, str) and id in arrangement.by_id) if isinstance(ids, list) else ()


def as_field(ids: tuple[str, ...]) -> str:
    """Selected ids as the page keeps them."""
    return json.dumps(list(ids))
