"""How the types of a teardown stand in JSON, where that is not as the converter does it by itself."""

from collections.abc import Callable
from dataclasses import fields, replace
from typing import Any

from cattrs import Converter
from cattrs.gen import make_dict_structure_fn, make_dict_unstructure_fn, override

from pulley.core.geometry.frames import triple
from pulley.core.motion import KINDS, Fan, Motion
from pulley.core.teardown import Bundle, Camera, Route, Timing, TrailLine, TrailOf, View


def made_converter() -> Converter:
    """A converter for which tuples are lists in a document, and that mostly leaves out what is as it always is."""
    converter = Converter(unstruct_collection_overrides={tuple: list}, detailed_validation=False)
    converter.register_structure_hook(str | float | None, lambda value, _: value)  # when a step starts
    converter.register_unstructure_hook(Fan, _fan_document)
    for kind in KINDS.values():
        _add_motion(converter, kind)
    moved: Any = {"move": override(rename="camera_move", omit_if_default=True)}
    converter.register_structure_hook(View, make_dict_structure_fn(View, converter, **moved))
    converter.register_unstructure_hook(View, _lean_writer(converter, View, **moved))
    kept = {"duration": override(omit_if_default=False)}
    converter.register_unstructure_hook(Timing, _lean_writer(converter, Timing, **kept))
    for cls in (TrailLine, TrailOf):
        converter.register_unstructure_hook(cls, _lean_writer(converter, cls))
    for holder in (Camera, Bundle):
        _keep_unknown(converter, holder)
    converter.register_structure_hook(Route, _read_route)
    converter.register_unstructure_hook(Route, _route_document)
    return converter


def _add_motion(converter: Converter, kind: type[Motion]) -> None:
    """Read and write a kind of motion; what it may do without is left out when it does."""
    optional = {f.name: override(omit_if_default=True) for f in fields(kind) if f.default in (None, (), Fan())}  # type: ignore[arg-type]
    hooks = optional | dict(kind.codec)
    converter.register_structure_hook(kind, make_dict_structure_fn(kind, converter, **hooks))
    converter.register_unstructure_hook(kind, make_dict_unstructure_fn(kind, converter, **hooks))


def _lean_writer(converter: Converter, cls: type, **more: Any) -> Callable[[Any], dict[str, Any]]:
    """What writes a class and leaves out what is as it always is."""
    return make_dict_unstructure_fn(cls, converter, _cattrs_omit_if_default=True, **more)


def _keep_unknown(converter: Converter, cls: type[Camera] | type[Bundle]) -> None:
    """Let what a class does not know go through its ``extra``."""
    names = {field.name for field in fields(cls)} - {"extra"}
    read: Any = make_dict_structure_fn(cls, converter, extra=override(omit=True))
    plain: Any = {"aspect": override(omit_if_default=True)} if cls is Camera else {}
    write = make_dict_unstructure_fn(cls, converter, extra=override(omit=True), **plain)
    converter.register_structure_hook(
        cls, lambda item, _: replace(read(item, cls), extra={k: v for k, v in item.items() if k not in names})
    )
    converter.register_unstructure_hook(cls, lambda value: write(value) | value.extra)


def _fan_document(fan: Fan) -> dict[str, Any]:
    """The pitch or the total, and the layers; nothing when nothing spreads."""
    if fan.total is None and not fan.pitch:
        return {}
    layers = {"layers": list(fan.layers)} if fan.layers else {}
    return {"pitch": fan.pitch, **layers} if fan.total is None else {"total": fan.total, **layers}


def _read_route(item: dict[str, Any], _: type[Route]) -> Route:
    return Route(item["id"], tuple((stop["component"], triple(stop["at"])) for stop in item["stops"]))


def _route_document(route: Route) -> dict[str, Any]:
    return {"id": route.id, "stops": [{"component": path, "at": list(point)} for path, point in route.stops]}
