"""Teardown JSON, version 1: the open format of a teardown. The JSON Schema beside this file is the full story."""

import json
import re
from collections.abc import Iterable
from dataclasses import asdict
from functools import cache, reduce
from operator import getitem
from pathlib import Path
from typing import Any

import numpy as np
from jsonschema_rs import Draft202012Validator, ValidationError, ValidationErrorKind

from pulley.core.assembly import Assembly
from pulley.core.camera import check_camera
from pulley.core.contact.start import TOLERANCE
from pulley.core.errors import PulleyError
from pulley.core.formats import strict_json
from pulley.core.formats.scenery_json import KEYS, scenery, scenery_document
from pulley.core.motion.rules import check_motion
from pulley.core.teardown import Axis, Bundle, Camera, KeptPose, Placed, Step, Teardown, TrailLine, Vector3

SCHEMA = Path(__file__).with_name("teardown.schema.json")
SIZE_LIMIT = 8 * 2**20  # bytes; a thousand times a usual one
UNKNOWN_LIMIT = 64 * 2**10  # bytes of what a file holds and this version does not know: the history keeps it every time


@cache
def _schema() -> dict[str, Any]:
    return json.loads(SCHEMA.read_text())


@cache
def _validator() -> Draft202012Validator:
    return Draft202012Validator(_schema())


def loads(text: str | bytes) -> Teardown:
    """A teardown from JSON text; PulleyError says where the text is wrong.

    >>> loads('{"format": "pulley-teardown", "version": 1, "steps": []}').steps
    ()
    """
    if len(text) > SIZE_LIMIT:
        raise PulleyError(f"The teardown is over {SIZE_LIMIT >> 20} MB.")
    return from_document(strict_json.read(text, "This is not a teardown"))


def check_document(document: Any) -> None:
    """Raise PulleyError unless plain JSON values are a teardown by the schema and within what is kept of one; what
    takes long to look at is counted first."""
    if isinstance(document, dict):
        for key, rule in _schema()["properties"].items():
            given, most = document.get(key), rule.get("maxItems")
            if most and isinstance(given, list) and len(given) > most:
                raise PulleyError(f"{key} has {len(given):,} entries; {most:,} fit. Make several teardowns of it.")
    if _validator().is_valid(document):
        return
    errors = sorted(_validator().iter_errors(document), key=lambda e: list(map(str, e.instance_path)))
    raise PulleyError(f"{_place(document, errors[0])}: {_complaint(errors[0])}.")


def check_unknown(teardown: Teardown) -> None:
    """Raise PulleyError when the keys that this version does not know take more room than is kept of them."""
    holders = (teardown, *teardown.steps, *teardown.cameras, *teardown.bundles)
    size = len(json.dumps([teardown.source, *(holder.extra for holder in holders if holder.extra)]))
    if size > UNKNOWN_LIMIT:
        raise PulleyError(
            f"Keys that Pulley does not know take {size >> 10:,} KB; {UNKNOWN_LIMIT >> 10} KB are kept. Take them out."
        )


def from_document(document: Any) -> Teardown:
    """A teardown from plain JSON values, checked against the schema."""
    try:
        check_document(document)
    except PulleyError as error:
        raise PulleyError(f"This teardown cannot be used: {error}") from error
    known = {"format", "version", "name", "units", "source", "bundles", "fits", "steps", "cameras", *KEYS}
    known |= {"hidden", "home", "poses", "placed", "gives", "tolerance"}
    of_trails = {"shown", "of", *vars(TrailLine())}
    teardown = Teardown(
        name=document.get("name") or "Teardown",
        steps=tuple(_step(item) for item in document["steps"]),
        cameras=tuple(_camera(item) for item in document.get("cameras", ())),
        fits=tuple(document.get("fits", ())),
        gives=tuple(document.get("gives", ())),
        tolerance=float(document.get("tolerance", TOLERANCE)),
        bundles=tuple(_bundle(item) for item in document.get("bundles", ())),
        poses=tuple(KeptPose(**item) for item in document.get("poses", ())),
        placed=tuple(_placed(item) for item in document.get("placed", ())),
        hidden=tuple(document.get("hidden", ())),
        home=tuple(document.get("home", ())),
        source=document.get("source", {}),
        extra={
            **{k: v for k, v in document.items() if k not in known},
            "trails": {k: v for k, v in document.get("trails", {}).items() if k not in of_trails},
        },
        **scenery(document),
    )
    check_unknown(teardown)
    kinds = {"step": teardown.steps, "camera": teardown.cameras, "pose": teardown.poses}
    for kind, items in (kinds | {"orbit": teardown.orbits, "route": teardown.routes}).items():
        ids = [item.id for item in items]
        for id in sorted({id for id in ids if ids.count(id) > 1}):
            raise PulleyError(f"This teardown cannot be used: two {kind}s have the id {id}.")
    return teardown


def _place(document: Any, error: ValidationError) -> str:
    """Where an error is, as a person would say it: the step by its id, then the field."""
    place = list(error.instance_path)
    if len(place) > 1 and place[0] == "steps" and isinstance(document["steps"][place[1]], dict):
        step = document["steps"][place[1]].get("id", f"number {place[1] + 1}")
        return f"Step {str(step)[:40]}" + (": " + _dotted(place[2:]) if place[2:] else "")
    return _dotted(place) or "the file"


def _dotted(place: list[str | int]) -> str:
    return "".join(f"[{p}]" if isinstance(p, int) else f".{p}" for p in place).lstrip(".")


def _complaint(error: ValidationError) -> str:
    """What is wrong, in words for the rules where the library's own say little."""
    kind = error.kind
    if isinstance(kind, ValidationErrorKind.ExclusiveMinimum):
        return f"{error.instance} is not above {kind.limit}"
    if isinstance(kind, ValidationErrorKind.UniqueItems):
        twice = next(item for item in error.instance if error.instance.count(item) > 1)
        return f"“{str(twice)[:200]}” is listed twice"
    if isinstance(kind, ValidationErrorKind.OneOfNotValid | ValidationErrorKind.OneOfMultipleValid):
        choices = reduce(getitem, error.schema_path, _schema())
        if all("required" in choice for choice in choices):
            return "needs one of " + ", ".join(f"“{choice['required'][0]}”" for choice in choices)
    return error.message[:200]


OF_KIND = {  # what each kind of step is made of; the same keys elsewhere are unknown and kept
    "axial": ("direction", "distance", "fan"),
    "radial": ("axis", "point", "follow", "distance"),
    "path": ("waypoints", "smooth", "fan"),
    "turn": ("axis", "angle", "advance"),
}
OF_ALL = ("id", "members", "label", "kind", "duration", "start", "camera", "off", "colour", "note")
OF_ALL += ("camera_move", "caption", "trails")


def _step(item: dict[str, Any]) -> Step:
    known = {key: item[key] for key in (*OF_ALL, *OF_KIND[item["kind"]]) if key in item}
    step = Step(
        id=item["id"],
        members=tuple(item["members"]),
        label=item.get("label", ""),
        kind=item["kind"],
        direction=_vector(known.get("direction", (0, 0, 1))),
        distance=float(known.get("distance", 0)),
        pitch=float(known.get("fan", {}).get("pitch", 0)),
        total=known.get("fan", {}).get("total"),
        layers=tuple(known.get("fan", {}).get("layers", ())),
        axis=Axis(*map(_vector, (known["axis"]["origin"], known["axis"]["direction"]))) if "axis" in known else None,
        point=_vector(known["point"]) if "point" in known else None,
        follow=tuple(known.get("follow", {}).items()),
        waypoints=tuple(map(_vector, known.get("waypoints", ()))),
        smooth=known.get("smooth", False),
        angle=float(known.get("angle", 0)),
        advance=float(known.get("advance", 0)),
        duration=float(item.get("duration", 1.5)),
        start=item.get("start"),
        camera=item.get("camera"),
        camera_move=item.get("camera_move"),
        caption=item.get("caption", ""),
        trails=item.get("trails", True),
        off=item.get("off", False),
        colour=item.get("colour", ""),
        note=item.get("note", ""),
        extra={k: v for k, v in item.items() if k not in known},
    )
    check_motion(step)
    return step


def _vector(numbers: Any) -> Vector3:
    return tuple(map(float, numbers))


def _bundle(item: dict[str, Any]) -> Bundle:
    extra = {key: value for key, value in item.items() if key not in ("name", "members")}
    return Bundle(item["name"], tuple(item["members"]), extra)


def _placed(item: dict[str, Any]) -> Placed:
    turn = np.array(item.get("turn", (0, 0, 0, 1)), float)
    if not np.linalg.norm(turn) > 1e-6:
        raise PulleyError(f"placed: {item['component'][:200]}: turn is no rotation. Give a quaternion x, y, z, w.")
    return Placed(item["component"], _vector(item["offset"]), tuple((turn / np.linalg.norm(turn)).tolist()))


def _camera(item: dict[str, Any]) -> Camera:
    known = {"id", "name", "eye", "target", "up", "projection", "fov"}
    camera = Camera(
        id=item["id"],
        name=item["name"],
        eye=tuple(map(float, item["eye"])),
        target=tuple(map(float, item["target"])),
        up=tuple(map(float, item.get("up", (0, 0, 1)))),
        projection=item.get("projection", "perspective"),
        fov=float(item.get("fov", 35)),
        extra={k: v for k, v in item.items() if k not in known},
    )
    try:
        check_camera(camera)
    except PulleyError as error:
        raise PulleyError(f"This teardown cannot be used: cameras: {camera.id}: {error}") from error
    return camera


def to_document(teardown: Teardown) -> dict[str, Any]:
    """A teardown as plain JSON values, unknown keys included."""
    extra = {key: value for key, value in teardown.extra.items() if key != "trails"}
    seen = scenery_document(teardown)
    return {
        "format": "pulley-teardown",
        "version": 1,
        "name": teardown.name,
        "units": "mm",
        "source": teardown.source,
        "bundles": [{"name": b.name, "members": list(b.members), **b.extra} for b in teardown.bundles],
        "fits": list(teardown.fits),
        **({"gives": list(teardown.gives)} if teardown.gives else {}),
        "tolerance": teardown.tolerance,
        "steps": [step_document(step) for step in teardown.steps],
        "cameras": [_camera_document(camera) for camera in teardown.cameras],
        **seen,
        "trails": {**teardown.extra.get("trails", {}), **seen["trails"]},
        "hidden": list(teardown.hidden),
        **({"home": list(teardown.home)} if teardown.home else {}),
        **({"poses": [asdict(pose) for pose in teardown.poses]} if teardown.poses else {}),
        **({"placed": [_placed_document(placed) for placed in teardown.placed]} if teardown.placed else {}),
        **extra,
    }


def step_document(step: Step) -> dict[str, Any]:
    """A step as plain JSON values, with the keys of its kind."""
    document = {"id": step.id, "label": step.label, "kind": step.kind, "members": list(step.members)}
    document |= {key: value for key, value in _motion_values(step).items() if key in OF_KIND[step.kind]}
    document["duration"] = step.duration
    if step.start is not None:
        document["start"] = step.start
    if step.camera is not None:
        document["camera"] = step.camera
    document |= {key: value for key in ("off", "colour", "note", "caption") if (value := getattr(step, key))}
    if step.camera_move is not None:
        document["camera_move"] = step.camera_move
    if not step.trails:
        document["trails"] = False
    return document | step.extra


def _motion_values(step: Step) -> dict[str, Any]:
    """Every key that some kind of step has, with its value here; a fan only where there is one."""
    values: dict[str, Any] = {
        "direction": list(step.direction),
        "distance": step.distance,
        "waypoints": [list(point) for point in step.waypoints],
        "smooth": step.smooth,
        "angle": step.angle,
        "advance": step.advance,
    }
    if step.axis:
        values["axis"] = {"origin": list(step.axis.origin), "direction": list(step.axis.direction)}
    if step.point:
        values["point"] = list(step.point)
    if step.follow:
        values["follow"] = dict(step.follow)
    if step.total is not None or step.pitch:
        values["fan"] = {"pitch": step.pitch} if step.total is None else {"total": step.total}
        values["fan"] |= {"layers": list(step.layers)} if step.layers else {}
    return values


def _placed_document(placed: Placed) -> dict[str, Any]:
    return {"component": placed.component, "offset": list(placed.offset), "turn": list(placed.turn)}


def _camera_document(camera: Camera) -> dict[str, Any]:
    return {
        "id": camera.id,
        "name": camera.name,
        "eye": list(camera.eye),
        "target": list(camera.target),
        "up": list(camera.up),
        "projection": camera.projection,
        "fov": camera.fov,
        **camera.extra,
    }


def dumps(teardown: Teardown) -> str:
    """A teardown as indented JSON text."""
    return json.dumps(to_document(teardown), indent=1, ensure_ascii=False) + "\n"


def check_members(assembly: Assembly, teardown: Teardown) -> None:
    """Raise PulleyError when a teardown names a component that the assembly lacks, or moves one twice in a step."""
    for step in teardown.steps:
        for field, paths in (("members", step.members), ("follow", [leader for _, leader in step.follow])):
            _check_paths(assembly, paths, f"Step {step.id}: {field}")
        _check_nested(assembly, step)
    for field in ("trails", "tints"):
        _check_paths(assembly, [item.component for item in getattr(teardown, field)], field)
    _check_paths(assembly, [path for route in teardown.routes for path, _ in route.stops], "routes")
    for field in ("hidden", "home"):
        _check_paths(assembly, getattr(teardown, field), field)
    _check_paths(assembly, [placed.component for placed in teardown.placed], "placed")
    _check_paths(assembly, [fit[end] for fit in teardown.fits for end in ("a", "b")], "fits")
    _check_paths(assembly, [give["component"] for give in teardown.gives], "gives")


def _check_paths(assembly: Assembly, paths: Iterable[str], where: str) -> None:
    missing = [path for path in paths if path not in assembly.by_path]
    if missing:
        more = f" and {len(missing) - 1} more" if len(missing) > 1 else ""
        raise PulleyError(f"{where} names “{missing[0][:200]}”{more}, which this assembly does not have.")


def _check_nested(assembly: Assembly, step: Step) -> None:
    chosen = set(step.members)
    for member in step.members:
        holder = next((above for above in assembly.above(member) if above in chosen), None)
        if holder:
            raise PulleyError(
                f"Step {step.id}: members: “{member[:200]}” is a part of “{holder[:200]}”, which the step moves "
                "as one. Take one of the two out."
            )


def check_source(assembly: Assembly, teardown: Teardown) -> None:
    """Raise PulleyError when a teardown says that it was made for another file than the assembly came from."""
    wanted, found = str(teardown.source.get("sha256", "")).lower(), assembly.source.get("sha256", "")
    if re.fullmatch("[0-9a-f]{64}", wanted) and found and wanted != found:
        raise PulleyError(
            f"source.sha256: this teardown was made for another file ({teardown.source.get('file', 'unnamed')}, "
            f"{wanted[:8]}…, not {found[:8]}…). Check it against that one, or take “sha256” out of its source."
        )
