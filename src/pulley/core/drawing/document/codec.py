"""Between core's Sheet and plain JSON values.

What a user defined is written by the types; beside it stands what follows from it (bounds, rows, leaders), for those
who read the file without Pulley. Reading leaves that aside, except where a definition is missing: then that is used.
"""

import json
from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

import numpy as np
from cattrs import Converter
from cattrs.gen import make_dict_structure_fn, make_dict_unstructure_fn, override

from pulley.core.assembly import Assembly
from pulley.core.camera import check_camera
from pulley.core.drawing.balloons import look_at, own_point
from pulley.core.drawing.document.schema import check_document, check_pattern
from pulley.core.drawing.layout import aimed, chosen_camera
from pulley.core.drawing.lists import list_box, shown_columns, shown_rows
from pulley.core.drawing.marks import leader_of, seen_view
from pulley.core.drawing.paper import Paper
from pulley.core.drawing.rows import Row, row_of, rows
from pulley.core.drawing.sheet import (
    PLACED,
    Balloon,
    CentreLine,
    Dimension,
    Issue,
    Items,
    Note,
    Page,
    PagePattern,
    PartsList,
    Region,
    Sheet,
    SheetView,
    Shown,
    Target,
    TravelTable,
)
from pulley.core.drawing.title import check_kept_logo
from pulley.core.drawing.views import bounds_of
from pulley.core.errors import PulleyError
from pulley.core.formats import strict_json
from pulley.core.formats import teardown as teardown_json
from pulley.core.geometry.frames import triple
from pulley.core.scales import checked_scale
from pulley.core.teardown import Camera, Teardown

VERSION = 1
SIZE_LIMIT = 16 * 2**20  # bytes
KNOWN = {"format", "version", "name", "source", "teardown", "pages", "items", "pattern", "fields", "issues", "frozen", "automatic"}  # fmt: skip  # noqa: E501


def _converter() -> Converter:
    converter = Converter(
        unstruct_collection_overrides={tuple: list}, detailed_validation=False, forbid_extra_keys=False
    )
    for kind in (Camera, Items, PagePattern, PartsList, Note, Dimension, CentreLine, TravelTable, Region, Target):
        skipped: dict[str, Any] = {"extra": override(omit=True)} if kind is Camera else {}
        converter.register_structure_hook(kind, make_dict_structure_fn(kind, converter, **skipped))
        write = make_dict_unstructure_fn(kind, converter, _cattrs_omit_if_default=True, **skipped)
        converter.register_unstructure_hook(kind, write)
    return converter


_plain = _converter()


def to_document(assembly: Assembly | None, sheet: Sheet) -> dict[str, Any]:
    """A sheet as plain JSON values; with an assembly, what follows from it stands beside what was defined."""
    found = rows(assembly, sheet) if assembly else ()
    return {
        "format": "pulley-sheet",
        "version": VERSION,
        "name": sheet.name,
        "source": sheet.source,
        "teardown": teardown_json.to_document(sheet.teardown),
        "pages": [_page_document(assembly, sheet, page, found) for page in sheet.pages],
        "items": _plain.unstructure(sheet.items),
        "pattern": _plain.unstructure(sheet.pattern),
        **{key: value for key in ("fields", "frozen", "automatic") if (value := getattr(sheet, key))},
        **({"issues": [_plain.unstructure(issue) for issue in sheet.issues]} if sheet.issues else {}),
        **sheet.extra,
    }


def dumps(assembly: Assembly | None, sheet: Sheet) -> str:
    """A sheet as indented JSON text."""
    return json.dumps(to_document(assembly, sheet), indent=1, ensure_ascii=False) + "\n"


def _page_document(assembly: Assembly | None, sheet: Sheet, page: Page, found: tuple[Row, ...]) -> dict[str, Any]:
    document: dict[str, Any] = {"id": page.id, "name": page.name, "paper": page.paper, "wide": page.wide}
    document["size"] = list(page.sheet_of_paper.size)
    document["views"] = [_view_document(assembly, sheet, view) for view in page.views]
    document["balloons"] = [_balloon_document(assembly, sheet, page, b, found) for b in page.balloons]
    document["lists"] = [_list_document(assembly, parts, found) for parts in page.lists]
    for name in PLACED[3:]:
        if getattr(page, name):
            document[name] = [_plain.unstructure(item) for item in getattr(page, name)]
    return document


def _view_document(assembly: Assembly | None, sheet: Sheet, view: SheetView) -> dict[str, Any]:
    shown = view.shown
    pose: Any = shown.at if shown.at in ("end", "home") else {shown.at: shown.name}
    if shown.at == "step" and shown.share != 1.0:
        pose["share"] = shown.share
    document = {"id": view.id, "pose": pose, "scale": list(view.scale), "at": list(view.at)}
    document["camera"] = _plain.unstructure(view.camera)
    if assembly:
        document |= _if_there(lambda: {"bounds": _corners(bounds_of(assembly, sheet.teardown, view))})
    usual = SheetView("", view.camera)
    for name in (
        "style",
        "smooth",
        "threads",
        "trails",
        "components",
        "caption",
        "captioned",
        "region",
        "follows",
        "arranged",
        "each",
    ):
        if getattr(view, name) != getattr(usual, name):
            document[name] = _plain.unstructure(getattr(view, name))
    return document


def _if_there(work: Callable[[], dict[str, Any]]) -> dict[str, Any]:
    """What follows from a definition; nothing when what it names is gone."""
    try:
        return work()
    except PulleyError:
        return {}


def _corners(box: tuple[float, float, float, float]) -> list[list[float]]:
    left, foot, right, top = (round(v, 3) for v in box)
    return [[left, foot], [right, top]]


def _balloon_document(
    assembly: Assembly | None, sheet: Sheet, page: Page, balloon: Balloon, found: tuple[Row, ...]
) -> dict[str, Any]:
    document: dict[str, Any] = {"id": balloon.id, "view": balloon.view, "component": balloon.target.component}
    document |= {"point": list(balloon.target.point), "center": list(balloon.centre), "end": balloon.end}
    document["radius"] = sheet.pattern.radius
    if assembly:
        row = row_of(assembly, found, balloon.target.component)
        document |= {"item": row.item} if row else {}

        def leader() -> dict[str, Any]:
            line = leader_of(
                assembly, seen_view(assembly, sheet, page.view(balloon.view)), balloon, sheet.pattern.radius
            )
            return {} if line is None else {"leader": line.round(3).tolist()}

        document |= _if_there(leader)
    if balloon.placed:
        document["placed"] = True
    if balloon.more:
        document["more"] = list(balloon.more)
    return document


def _list_document(assembly: Assembly | None, parts: PartsList, found: tuple[Row, ...]) -> dict[str, Any]:
    document: dict[str, Any] = {"id": parts.id, "columns": [column.key for column in shown_columns(parts)]}
    document["layout"] = {key: value for key, value in _plain.unstructure(parts).items() if key != "id"}
    if assembly:
        document["bounds"] = _corners(list_box(parts, found))
        document["rows"] = [
            {"item": row.item, "quantity": row.quantity, "name": row.name, "components": list(row.components)}
            | {
                c.key: row.texts.get(c.key, "")
                for c in shown_columns(parts)
                if c.key not in ("item", "quantity", "name")
            }
            for row in shown_rows(parts, found)
        ]
    return document


def view_document(view: SheetView) -> dict[str, Any]:
    """A view by itself as plain JSON values."""
    return _view_document(None, Sheet("", Teardown("")), view)


def view_from(document: Mapping[str, Any]) -> SheetView:
    """A view from what `view_document` gives."""
    return _view(document, Paper("A4"))


def pattern_document(pattern: PagePattern) -> dict[str, Any]:
    """A page pattern as plain JSON values."""
    return {"format": "pulley-page-pattern", "version": VERSION, **_plain.unstructure(pattern)}


def pattern_from(document: Any) -> PagePattern:
    """A page pattern from plain JSON values.

    Raises
    ------
    PulleyError
        With the place in the document, and what is wrong there.
    """
    if not isinstance(document, dict) or document.get("format") != "pulley-page-pattern":
        raise PulleyError("This is not a page pattern: its format is not “pulley-page-pattern”.")
    own = {key: value for key, value in document.items() if key not in ("format", "version")}
    check_pattern(own)
    if own.get("logo"):
        check_kept_logo(own["logo"])
    found: PagePattern = _plain.structure(own, PagePattern)
    return found


def loads(text: str | bytes, assembly: Assembly) -> Sheet:
    """A sheet from JSON text; PulleyError says where the text is wrong."""
    if len(text) > SIZE_LIMIT:
        raise PulleyError(f"The sheet is over {SIZE_LIMIT >> 20} MB.")
    return from_document(strict_json.read(text, "This is not a sheet"), assembly)


def from_document(document: Any, assembly: Assembly | None) -> Sheet:
    """A sheet from plain JSON values, checked against the schema.

    Parameters
    ----------
    document : any
    assembly : Assembly or None
        Of which what the document only draws is found: where a leader ends on its part. None for a document that
        Pulley wrote.

    Raises
    ------
    PulleyError
        With the place in the document, and what would be right there.
    """
    try:
        check_document(document)
        sheet = _read(document)
        _check_sense(sheet)
    except PulleyError as error:
        raise PulleyError(f"This sheet cannot be used: {error}") from error
    return _completed(assembly, sheet, document) if assembly else sheet


def _read(document: dict[str, Any]) -> Sheet:
    teardown = teardown_json.from_document(document["teardown"])
    return Sheet(
        name=document.get("name", "") or "Sheet",
        teardown=teardown,
        source=document.get("source", {}),
        pages=tuple(_page(item, k) for k, item in enumerate(document["pages"], 1)),
        items=_plain.structure(document.get("items", {}), Items),
        pattern=_plain.structure(document.get("pattern", {}), PagePattern),
        fields=document.get("fields", {}),
        issues=tuple(_plain.structure(item, Issue) for item in document.get("issues", ())),
        frozen=document.get("frozen", False),
        automatic=document.get("automatic", False),
        extra={key: value for key, value in document.items() if key not in KNOWN},
    )


def _page(item: Mapping[str, Any], number: int) -> Page:
    wide = item.get("wide", item["size"][0] >= item["size"][1] if "size" in item else True)
    kinds: dict[str, type] = {"notes": Note, "dimensions": Dimension, "centre_lines": CentreLine, "tables": TravelTable}
    paper = Paper(item["paper"], wide)
    return Page(
        id=item.get("id", f"p{number}"),
        paper=item["paper"],
        wide=wide,
        name=item.get("name", ""),
        views=tuple(_view(v, paper) for v in item.get("views", ())),
        balloons=tuple(_balloon(b, k) for k, b in enumerate(item.get("balloons", ()), 1)),
        lists=tuple(_list(parts, k) for k, parts in enumerate(item.get("lists", ()), 1)),
        **{name: tuple(_plain.structure(i, kind) for i in item.get(name, ())) for name, kind in kinds.items()},
    )


def _view(item: Mapping[str, Any], paper: Paper) -> SheetView:
    pose = item.get("pose", "end")
    if isinstance(pose, str):
        shown = Shown("home" if pose == "home" else "end")
    else:
        shown = Shown("step", pose["step"], pose.get("share", 1.0)) if "step" in pose else Shown("kept", pose["kept"])
    bounds = item.get("bounds") or [[0, 0], list(paper.size)]
    middle = tuple(((np.array(bounds[0]) + np.array(bounds[1])) / 2).tolist())
    given = {
        name: item[name]
        for name in ("style", "smooth", "threads", "trails", "caption", "captioned", "follows", "arranged", "each")
        if name in item
    }
    return SheetView(
        id=item["id"],
        camera=_plain.structure({"id": "", "name": "", **item["camera"]}, Camera)
        if item.get("camera")
        else Camera("", "", (0, 0, 0), (0, 0, 0)),
        shown=shown,
        scale=checked_scale(tuple(item.get("scale", (1, 1)))),
        at=tuple(item.get("at", middle)),
        components=tuple(item.get("components", ())),
        region=_plain.structure(item["region"], Region) if item.get("region") else None,
        **given,
    )


def _balloon(item: Mapping[str, Any], number: int) -> Balloon:
    point = triple(np.array(item["point"], float)) if "point" in item else (float("nan"),) * 3
    return Balloon(
        id=item.get("id", f"b{number}"),
        view=item["view"],
        target=Target(item["component"], point),
        centre=tuple(item["center"]),
        end=item.get("end", "dot"),
        placed=item.get("placed", "point" not in item),
        more=tuple(item.get("more", ())),
    )


def _list(item: Mapping[str, Any], number: int) -> PartsList:
    layout = dict(item.get("layout", {}))
    if "at" not in layout:
        (left, _), (_, top) = item["bounds"]
        layout |= {"at": [left, top], "corner": "top left"}
    parts: PartsList = _plain.structure({"id": item.get("id", f"l{number}"), **layout}, PartsList)
    if "columns" in item and "columns" not in item.get("layout", {}):
        wanted = item["columns"]
        known = {column.key: column for column in parts.columns}
        shown = [replace(known[key], shown=True) for key in wanted if key in known]
        parts = replace(
            parts, columns=(*shown, *(replace(c, shown=False) for c in parts.columns if c.key not in wanted))
        )
    return parts


def _check_sense(sheet: Sheet) -> None:
    """Raise PulleyError for what the schema allows and makes no sense all the same."""
    if sheet.pattern.logo:
        check_kept_logo(sheet.pattern.logo)
    for page in sheet.pages:
        ids = [item.id for name in PLACED for item in getattr(page, name)]
        for id in ids:
            if ids.count(id) > 1:
                raise PulleyError(f"pages: {page.id}: two things have the id {id[:40]}.")
        for view in page.views:
            if view.camera.eye != view.camera.target:
                check_camera(view.camera)


def _completed(assembly: Assembly, sheet: Sheet, document: dict[str, Any]) -> Sheet:
    """The sheet with what a document left to be found: cameras, and where leaders end."""
    pages = []
    for page, item in zip(sheet.pages, document["pages"], strict=True):
        views = tuple(_aimed(assembly, sheet, view) for view in page.views)
        page = replace(page, views=views)
        drawn = zip(page.balloons, item.get("balloons", ()), strict=True)
        pages.append(replace(page, balloons=tuple(_pointing(assembly, sheet, page, b, i) for b, i in drawn)))
    return replace(sheet, pages=tuple(pages))


def _aimed(assembly: Assembly, sheet: Sheet, view: SheetView) -> SheetView:
    """A view with a camera; without one, that which a first sheet would have, in the middle of its bounds."""
    if view.camera.eye != view.camera.target:
        return view
    camera = chosen_camera(assembly, sheet.teardown)
    found = replace(view, camera=aimed(camera, camera.target))
    left, foot, right, top = bounds_of(assembly, sheet.teardown, found)
    return replace(found, at=(2 * view.at[0] - (left + right) / 2, 2 * view.at[1] - (foot + top) / 2))


def _pointing(assembly: Assembly, sheet: Sheet, page: Page, balloon: Balloon, item: Mapping[str, Any]) -> Balloon:
    """A balloon whose leader ends on its part: where the document draws it, else on the roomiest place that is seen."""
    if not np.isnan(balloon.target.point[0]) or balloon.target.component not in assembly.by_path:
        return balloon
    look = look_at(assembly, sheet, page.view(balloon.view))
    leaves = [leaf for leaf in assembly.below[balloon.target.component] if leaf in look.spots]
    if not leaves:
        return replace(balloon, target=Target(balloon.target.component, (0.0, 0.0, 0.0)))
    spot = max((look.spots[leaf] for leaf in leaves), key=lambda spot: spot.room)
    leaf, point = spot.path, spot.point
    if item.get("leader"):
        tip = look.placing.picture(np.array(item["leader"][-1], float))
        hit = look.identity.at(tip)
        if hit in leaves:
            column, row = np.floor((tip - look.identity.corner) / look.identity.pixel * (1, -1)).astype(int)
            leaf, point = hit, look.identity.point(row, column)
    own = own_point(assembly, look.scene, balloon.target.component, leaf, point)
    return replace(balloon, target=Target(balloon.target.component, own))
