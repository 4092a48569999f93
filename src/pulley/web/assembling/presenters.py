"""What the room shows of an arrangement, gathered for its templates."""

import json
from typing import Any

from pulley.core.assembling.arrangement import Arrangement, Piece
from pulley.core.assembling.judging import clashes
from pulley.core.assembling.placing import place
from pulley.core.colours import to_hex
from pulley.core.contact.scene import home_scene
from pulley.core.drawing.rows import DENSITIES
from pulley.core.errors import PulleyError
from pulley.core.planning.pointing import Feature
from pulley.core.quantities import plain, shown
from pulley.web import history
from pulley.web.accounts.models import preferences_of
from pulley.web.assembling import services
from pulley.web.assembling.commands import as_field
from pulley.web.assembling.models import Arrangement as Row

JOINTS = {"face": "face on face", "round": "round on round", "edge": "edge on edge", "corner": "point on point"}
NUDGES = (
    ("left", "[-1,0,0]"),
    ("right", "[1,0,0]"),
    ("front", "[0,-1,0]"),
    ("back", "[0,1,0]"),
    ("down", "[0,0,-1]"),
    ("up", "[0,0,1]"),
)
AXES = (("X", "[1,0,0]"), ("Y", "[0,1,0]"), ("Z", "[0,0,1]"))


def context(row: Row, user: Any, selected: tuple[str, ...] = ()) -> dict[str, Any]:
    """Everything that the room's templates need."""
    arrangement = services.load(row)
    chosen = preferences_of(user)
    return {
        "row": row,
        "arrangement": arrangement,
        "tree": list(_tree(arrangement, "", 0)),
        "selected": as_field(selected),
        "selection": selected,
        "unit": chosen.unit,
        "model_key": services.model_key(arrangement),
        "state": json.dumps(_state(arrangement)),
        **_about(arrangement, selected, chosen.unit),
        **history.undo_labels(row),
    }


def _tree(arrangement: Arrangement, group: str, depth: int) -> Any:
    """The lines of the tree: subassemblies with all that they hold, then pieces."""
    for each in arrangement.groups:
        if each.group == group:
            yield {"group": each, "depth": depth, "ids": as_field(arrangement.within(each.id))}
            yield from _tree(arrangement, each.id, depth + 1)
    for piece in arrangement.pieces:
        if piece.group == group:
            on = arrangement.by_id[piece.on].name if piece.on else ""
            yield {"piece": piece, "depth": depth, "on": on, "ids": as_field((piece.id,))}


def _state(arrangement: Arrangement) -> dict[str, Any]:
    """What the canvas needs: where each piece stands, and its colour."""
    return {
        "poses": {id: pose.ravel().tolist() for id, pose in arrangement.poses.items()},
        "tints": {piece.id: {"colour": to_hex(piece.colour)} for piece in arrangement.pieces if piece.colour},
    }


def goes(arrangement: Arrangement, moved: Feature, target: Feature) -> dict[str, list[float]]:
    """Where a piece, and what hangs on it, would stand with one place laid on another; nothing where that cannot be."""
    try:
        after = place(arrangement, moved, target)
    except PulleyError:  # said once it is asked for
        return {}
    return {id: after.poses[id].ravel().tolist() for id in arrangement.hanging(moved.component)}


def _about(arrangement: Arrangement, selected: tuple[str, ...], unit: str) -> dict[str, Any]:
    """What can be said and done of what is selected."""
    pieces = [arrangement.by_id[id] for id in selected]
    if not pieces:
        return {"piece": None, "several": 0}
    piece = pieces[0]
    about: dict[str, Any] = {"piece": piece, "several": len(pieces) if len(pieces) > 1 else 0}
    about |= {"nudges": NUDGES, "axes": AXES, "colour": to_hex(piece.colour) if piece.colour else "#9aa5b1"}
    about["whole"] = next((g for g in arrangement.groups if set(arrangement.within(g.id)) == set(selected)), None)
    about |= {"materials": sorted(DENSITIES), "groups": [each.name for each in arrangement.groups]}
    if len(pieces) == 1:
        about |= _placed(arrangement, piece, unit)
    return about


def _placed(arrangement: Arrangement, piece: Piece, unit: str) -> dict[str, Any]:
    """How one piece hangs on another, and what it is in."""
    scene = home_scene(services.flat_of(arrangement))
    found = clashes(scene, piece.id)
    joint = piece.joint
    return {
        "on": arrangement.by_id[piece.on].name if piece.on else "",
        "hanging": len(arrangement.hanging(piece.id)) - 1,
        "joint": joint and JOINTS[joint.kind],
        "offset": shown(joint.offset, unit) if joint else "",
        "angle": plain(joint.angle) if joint else "",
        "mass": "" if piece.mass is None else plain(piece.mass),
        "clashes": [(arrangement.by_id[other].name, f"{float(f'{volume:.3g}'):,g}") for other, volume in found],
    }
