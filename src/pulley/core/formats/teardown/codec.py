"""Between core's Teardown and plain JSON values; text, too. What is regular the converter does by the types."""

import json
from collections import Counter
from dataclasses import replace
from typing import Any

import numpy as np

from pulley.core.camera import check_camera
from pulley.core.errors import PulleyError
from pulley.core.formats import strict_json
from pulley.core.formats.teardown.converter import made_converter
from pulley.core.formats.teardown.schema import check_document
from pulley.core.formats.teardown.upgrade import VERSION, upgraded
from pulley.core.geometry.frames import triple, unit
from pulley.core.motion import KINDS
from pulley.core.teardown import (
    STARTS,
    Bearings,
    Bundle,
    Camera,
    KeptPose,
    Look,
    Orbit,
    Placed,
    Route,
    Step,
    Teardown,
    Timing,
    Tint,
    TrailLine,
    TrailOf,
    View,
)

SIZE_LIMIT = 8 * 2**20  # bytes; a thousand times a usual one
UNKNOWN_LIMIT = 64 * 2**10  # bytes of what a file holds and this version does not know: the history keeps it every time
NORMAL = 1e-3  # least sine between front and up
OWN = ("label", "off", "colour", "note", "caption", "trails")  # fields of a step that stand in its document as they are
LISTS: dict[str, type] = {"steps": Step, "cameras": Camera, "bundles": Bundle, "poses": KeptPose, "placed": Placed}
LISTS |= {"routes": Route, "orbits": Orbit, "tints": Tint}
PLAIN = ("fits", "gives", "hidden", "home", "wears")  # lists that stand in the document as they are
ALWAYS = {"steps", "cameras", "bundles", "fits", "hidden"}  # lists that are written even when there is nothing in them
KNOWN = {"format", "version", "name", "units", "source", "tolerance", "trails", "look", "bearings", "begins"}
KNOWN |= {*LISTS, *PLAIN}


def loads(text: str | bytes) -> Teardown:
    """A teardown from JSON text; PulleyError says where the text is wrong.

    >>> loads('{"format": "pulley-teardown", "version": 1, "steps": []}').steps
    ()
    """
    if len(text) > SIZE_LIMIT:
        raise PulleyError(f"The teardown is over {SIZE_LIMIT >> 20} MB.")
    return from_document(strict_json.read(text, "This is not a teardown"))


def dumps(teardown: Teardown) -> str:
    """A teardown as indented JSON text.

    Examples
    --------
    >>> from_document(json.loads(dumps(Teardown("Service")))).name
    'Service'
    """
    return json.dumps(to_document(teardown), indent=1, ensure_ascii=False) + "\n"


def from_document(document: Any) -> Teardown:
    """A teardown from plain JSON values of any version, checked against the schema.

    Raises
    ------
    PulleyError
        With the place in the document, and what would be right there.
    """
    try:
        document = upgraded(document) if isinstance(document, dict) else document
        check_document(document)
    except PulleyError as error:
        raise PulleyError(f"This teardown cannot be used: {error}") from error
    teardown = _from_checked(document)
    _check_sense(teardown)
    _check_unknown(teardown)
    _check_ids(teardown)
    return teardown


def from_kept(document: dict[str, Any]) -> Teardown:
    """The teardown of a document, of any version, that was checked before it was kept."""
    return _from_checked(upgraded(document))


def _from_checked(document: dict[str, Any]) -> Teardown:
    trails = document.get("trails", {})
    of_trails = {"shown", "of", *vars(TrailLine())}
    given: dict[str, Any] = {name: document[name] for name in ("tolerance", "source", "begins") if name in document}
    given |= {name: tuple(document.get(name, ())) for name in PLAIN}
    lists: dict[str, Any] = {
        name: tuple(_read(item, kind) for item in document.get(name, ())) for name, kind in LISTS.items()
    }
    return Teardown(
        name=document.get("name") or "Teardown",
        trails_shown=trails.get("shown", True),
        line=_read(trails, TrailLine),
        trails=tuple(_read(item, TrailOf) for item in trails.get("of", ())),
        look=_read(document.get("look", {}), Look),
        bearings=_read(document.get("bearings", {}), Bearings),
        extra={
            **{key: value for key, value in document.items() if key not in KNOWN},
            "trails": {key: value for key, value in trails.items() if key not in of_trails},
        },
        **lists,
        **given,
    )


def to_document(teardown: Teardown) -> dict[str, Any]:
    """A teardown as plain JSON values, unknown keys included; what is as it always is stays out."""
    lists = {name: [_write(item) for item in getattr(teardown, name)] for name in LISTS}
    lists |= {name: list(getattr(teardown, name)) for name in PLAIN}
    trails = {"shown": teardown.trails_shown, **_write(teardown.line)}
    if teardown.trails:
        trails["of"] = [_write(trail) for trail in teardown.trails]
    return {
        "format": "pulley-teardown",
        "version": VERSION,
        "name": teardown.name,
        "units": "mm",
        "source": teardown.source,
        "tolerance": teardown.tolerance,
        **{name: values for name, values in lists.items() if values or name in ALWAYS},
        "trails": {**teardown.extra.get("trails", {}), **trails},
        **({"begins": teardown.begins} if teardown.begins != STARTS[0] else {}),
        **({"look": _write(teardown.look)} if teardown.look != Look() else {}),
        **({"bearings": _write(teardown.bearings)} if teardown.bearings != Bearings() else {}),
        **{key: value for key, value in teardown.extra.items() if key != "trails"},
    }


def step_document(step: Step) -> dict[str, Any]:
    """A step as plain JSON values, with the keys of its kind of motion."""
    fresh = Step("", (), step.motion)
    own = {name: value for name in OWN if (value := getattr(step, name)) != getattr(fresh, name) or name == "label"}
    document = {"id": step.id, "kind": step.motion.kind, "members": list(step.members), **own}
    for part in (step.motion, step.timing, step.view):
        document |= {key: value for key, value in _write(part).items() if value != {}}
    return document | step.extra


def _read_step(item: dict[str, Any], _: type[Step]) -> Step:
    """A step, its motion by its kind; keys of other kinds are unknown here, and kept."""
    kind = KINDS[item["kind"]]
    known = {"id", "kind", "members", "duration", "start", "later", "camera", "camera_move", *OWN, *kind.schema}
    return Step(
        id=item["id"],
        members=tuple(item["members"]),
        motion=_read(item, kind),
        timing=_read(item, Timing),
        view=_read(item, View),
        extra={key: value for key, value in item.items() if key not in known},
        **{name: item[name] for name in OWN if name in item},
    )


def _check_sense(teardown: Teardown) -> None:
    """Raise PulleyError for what the schema allows and makes no sense all the same."""
    for step in teardown.steps:
        step.check()
    for camera in teardown.cameras:
        try:
            check_camera(camera)
        except PulleyError as error:
            raise PulleyError(f"This teardown cannot be used: cameras: {camera.id}: {error}") from error
    try:
        front, up = unit(np.array(teardown.bearings.front)), unit(np.array(teardown.bearings.up))
    except ValueError as error:
        raise PulleyError("bearings: a direction has no length. Give front and up as directions.") from error
    if abs(float(front @ up)) > (1 - NORMAL**2) ** 0.5:
        raise PulleyError("bearings: front and up are the same line. Give two directions that differ.")


def _check_unknown(teardown: Teardown) -> None:
    """Raise PulleyError when the keys that this version does not know take more room than is kept of them."""
    holders: tuple[Any, ...] = (teardown, *teardown.steps, *teardown.cameras, *teardown.bundles)
    size = len(json.dumps([teardown.source, *(holder.extra for holder in holders if holder.extra)]))
    if size > UNKNOWN_LIMIT:
        raise PulleyError(
            f"Keys that Pulley does not know take {size >> 10:,} KB; {UNKNOWN_LIMIT >> 10} KB are kept. Take them out."
        )


def _check_ids(teardown: Teardown) -> None:
    """Raise PulleyError when two of a list have one id."""
    for name in ("steps", "cameras", "poses", "orbits", "routes"):
        for id, count in sorted(Counter(item.id for item in getattr(teardown, name)).items()):
            if count > 1:
                raise PulleyError(f"This teardown cannot be used: two {name} have the id {id}.")


def _read_placed(item: dict[str, Any], _: type[Placed]) -> Placed:
    """A placed component, its quaternion made a unit one."""
    turn = np.array(item.get("turn", (0, 0, 0, 1)), float)
    if not np.linalg.norm(turn) > 1e-6:
        raise PulleyError(f"placed: {item['component'][:200]}: turn is no rotation. Give a quaternion x, y, z, w.")
    x, y, z, w = (turn / np.linalg.norm(turn)).tolist()
    return replace(Placed(item["component"], triple(item["offset"])), turn=(x, y, z, w))


_converter = made_converter()
_converter.register_structure_hook(Step, _read_step)
_converter.register_unstructure_hook(Step, step_document)
_converter.register_structure_hook(Placed, _read_placed)
_read, _write = _converter.structure, _converter.unstructure
