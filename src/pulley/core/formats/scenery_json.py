"""What is seen of a teardown beside its steps and cameras, as JSON values: trail lines, orbits, look, bearings."""

from dataclasses import asdict, fields
from typing import Any

from pulley.core.errors import PulleyError
from pulley.core.geometry.frames import unit
from pulley.core.teardown import Bearings, Jog, Look, Orbit, Route, Teardown, Tint, TrailLine, TrailOf

KEYS = ("trails", "routes", "orbits", "look", "tints", "bearings")
NORMAL = 1e-3  # least sine between front and up


def scenery(document: dict[str, Any]) -> dict[str, Any]:
    """The fields of `Teardown` that JSON values, valid by the schema, say."""
    trails = document.get("trails", {})
    return {
        "trails_shown": trails.get("shown", True),
        "line": TrailLine(**{f.name: trails[f.name] for f in fields(TrailLine) if f.name in trails}),
        "trails": tuple(_trail(item) for item in trails.get("of", ())),
        "routes": tuple(_route(item) for item in document.get("routes", ())),
        "orbits": tuple(Orbit(**item | {"views": tuple(item.get("views", ()))}) for item in document.get("orbits", ())),
        "look": Look(**document.get("look", {})),
        "tints": tuple(Tint(**item) for item in document.get("tints", ())),
        "bearings": _bearings(document.get("bearings", {})),
    }


def _trail(item: dict[str, Any]) -> TrailOf:
    jogs = tuple(Jog(j["leg"], j["start"], j["end"], _vector(j["offset"])) for j in item.get("jogs", ()))
    return TrailOf(**item | {"anchors": tuple(map(_vector, item.get("anchors", ()))), "jogs": jogs})


def _route(item: dict[str, Any]) -> Route:
    return Route(item["id"], tuple((stop["component"], _vector(stop["at"])) for stop in item["stops"]))


def _bearings(item: dict[str, Any]) -> Bearings:
    bearings = Bearings(**{key: _vector(value) for key, value in item.items()})
    try:
        front, up = unit(bearings.front), unit(bearings.up)
    except ValueError as error:
        raise PulleyError("bearings: a direction has no length. Give front and up as directions.") from error
    if abs(float(front @ up)) > (1 - NORMAL**2) ** 0.5:
        raise PulleyError("bearings: front and up are the same line. Give two directions that differ.")
    return bearings


def _vector(values: Any) -> tuple[float, float, float]:
    return tuple(map(float, values))


def scenery_document(teardown: Teardown) -> dict[str, Any]:
    """The keys of teardown JSON that say what is seen; what is as it always is stays out."""
    own = {
        f.name: v for f in fields(TrailLine) if (v := getattr(teardown.line, f.name)) != getattr(TrailLine(), f.name)
    }
    trails = {"shown": teardown.trails_shown, **own}
    if teardown.trails:
        trails["of"] = [_trail_document(trail) for trail in teardown.trails]
    found: dict[str, Any] = {"trails": trails}
    if teardown.routes:
        found["routes"] = [
            {"id": route.id, "stops": [{"component": path, "at": list(point)} for path, point in route.stops]}
            for route in teardown.routes
        ]
    if teardown.orbits:
        found["orbits"] = [asdict(orbit) | {"views": list(orbit.views)} for orbit in teardown.orbits]
    if teardown.look != Look():
        found["look"] = asdict(teardown.look)
    if teardown.tints:
        found["tints"] = [asdict(tint) for tint in teardown.tints]
    if teardown.bearings != Bearings():
        found["bearings"] = {"front": list(teardown.bearings.front), "up": list(teardown.bearings.up)}
    return found


def _trail_document(trail: TrailOf) -> dict[str, Any]:
    document: dict[str, Any] = {"component": trail.component}
    if not trail.shown:
        document["shown"] = False
    if trail.marks is not None:
        document["marks"] = trail.marks
    if trail.anchors:
        document["anchors"] = [list(point) for point in trail.anchors]
    if trail.jogs:
        document["jogs"] = [asdict(jog) | {"offset": list(jog.offset)} for jog in trail.jogs]
    return document
