"""What the sheet page shows: the page, the list, what can be done with what is selected."""

from typing import Any

from django.utils import timezone

from pulley.core.assembly import Assembly, Group
from pulley.core.drawing import follow
from pulley.core.drawing.changes.views import directions
from pulley.core.drawing.lettering import HEIGHTS
from pulley.core.drawing.paper import SIZES
from pulley.core.drawing.patterns import PATTERNS
from pulley.core.drawing.rows import Row, row_of, rows
from pulley.core.drawing.sheet import SMOOTH, STYLES, Column, Page, Sheet
from pulley.core.drawing.title import title_values
from pulley.core.drawing.views import caption_of
from pulley.core.scales import SCALES, scale_text
from pulley.web import history
from pulley.web.library.services import core_assembly
from pulley.web.sheets import drawing, services
from pulley.web.sheets.lookups import page_of
from pulley.web.sheets.models import Pattern
from pulley.web.sheets.models import Sheet as SheetRow

STYLE_WORDS = {
    "lines": "Lines",
    "hidden": "Lines, hidden ones dashed",
    "shaded lines": "Shaded with lines",
    "shaded": "Shaded",
}
SORT_WORDS = {
    "teardown": "as it comes apart",
    "assembly": "as it goes together",
    "tree": "as the file has it",
    "name": "by part",
    "quantity": "by quantity",
    "material": "by material",
}
FILES = {
    "pdf": "PDF, all pages",
    "svg": "SVG, this page",
    "dxf": "DXF, all pages",
    "png": "PNG, this page",
    "csv": "Parts list, CSV",
    "xlsx": "Parts list, XLSX",
    "json": "Sheet, JSON",
}


def context(
    row: SheetRow, page_id: str = "", selected: str = "", user: Any = None, begin: bool = True
) -> dict[str, Any]:
    """All that the templates of the page need; ``begin`` working out the lines that are not there, or leave them."""
    sheet, assembly = services.load(row), core_assembly(row.teardown.assembly)
    page = page_of(sheet, page_id)
    now = services.teardown_now(row)
    drawn = drawing.page_svg(row, assembly, sheet, page, begin)
    found, columns = rows(assembly, sheet), _text_columns(sheet)
    return {
        "sheet": row,
        "teardown": row.teardown,
        "assembly": row.teardown.assembly,
        "core": sheet,
        "pages": [
            {"id": p.id, "name": p.name or f"Page {k}", "number": k, "page": p, "now": p.id == page.id}
            for k, p in enumerate(sheet.pages, 1)
        ],  # fmt: skip  # noqa: E501
        "places": _places(sheet, page),
        "page": page,
        "of": _belonging(page),
        "size": page.sheet_of_paper.size,
        "papers": SIZES,
        "drawn": drawn,
        "stopped": not begin,
        "mark": drawing.state_mark(row, sheet),
        "rows": [{"row": r, "cells": _cells(columns, r)} for r in found],
        "left_out": _left_out(assembly, sheet),
        "widths": (0.25, 0.35, 0.5, 0.7),
        "sorts": SORT_WORDS | {c.key: f"by {c.title}" for c in columns if c.key not in SORT_WORDS},
        "follows": f"follow {row.revision} {row.teardown.revision}" if services.follows_now(sheet, now) else "",
        "behind": follow.behind_sentence(follow.behind(sheet, now)),
        "faults": follow.faults(assembly, sheet),
        "files": FILES,
        "frozen": sheet.frozen,
        "letter": follow.next_letter(sheet.issues),
        "today": timezone.localdate().isoformat(),
        "patterns": {key: p.name for key, p in PATTERNS.items()},
        "own_patterns": Pattern.objects.filter(owner=row.teardown.assembly.owner_id) if user else [],
        **strip(assembly, sheet, page, found, selected),
        **history.undo_labels(row),
    }


def _belonging(page: Page) -> list[str]:
    """What goes with each view when it is moved: ``balloon:b1=v1``."""
    tagged: dict[str, tuple[Any, ...]] = {
        "balloon": page.balloons,
        "dimension": page.dimensions,
        "centre": page.centre_lines,
    }
    return [f"{kind}:{thing.id}={thing.view}" for kind, things in tagged.items() for thing in things]


def _places(sheet: Sheet, page: Page) -> list[tuple[str, int]]:
    """Where a page can go: words, and its number from 0."""
    place, last = sheet.pages.index(page), len(sheet.pages) - 1
    wanted = (("first", 0), ("earlier", place - 1), ("later", place + 1))
    return [(words, to) for words, to in wanted if 0 <= to <= last and to != place]


def _text_columns(sheet: Sheet) -> list[Column]:
    """The columns of the lists that are shown and whose cells are typed."""
    shown = {c.key: c for page in sheet.pages for parts in page.lists for c in parts.columns if c.shown}
    return [column for key, column in shown.items() if key not in ("item", "quantity", "name", "mass")]


def _cells(columns: list[Column], row: Row) -> list[dict[str, str]]:
    """What a row says in each column whose cells are typed."""
    return [{"key": c.key, "title": c.title, "text": row.texts.get(c.key, "")} for c in columns]


def _left_out(assembly: Assembly, sheet: Sheet) -> list[tuple[str, str]]:
    """Keys and names of the rows that are left out."""
    parts = {part.key: part.name for part, _ in assembly.parts} | sheet.items.everywhere
    return [(key, sheet.items.names.get(key) or parts.get(key, key.rpartition("/")[2])) for key in sheet.items.left_out]


def strip(assembly: Assembly, sheet: Sheet, page: Page, found: tuple[Row, ...], selected: str) -> dict[str, Any]:
    """What can be done with what is selected: its kind, the thing itself, and the choices for it."""
    kind, _, id = selected.partition(":")
    id = id.split(",")[0]
    things: dict[str, tuple[Any, ...]] = {
        "view": page.views,
        "balloon": page.balloons,
        "list": page.lists,
        "note": page.notes,
        "dimension": page.dimensions,
        "centre": page.centre_lines,
        "table": page.tables,
    }
    thing = next((item for item in things.get(kind, ()) if item.id == id), None)
    base: dict[str, Any] = {
        "selected": selected if thing or kind == "title" else "",
        "kind": kind if thing else "",
        "thing": thing,
    }
    if kind == "title":
        values = title_values(sheet, page)
        fields = [(f.key, f.title, values.get(f.key, "")) for f in sheet.pattern.fields if f.key not in KNOWN_FIELDS]
        return base | {"kind": "title", "fields": fields}
    if kind == "view" and thing:
        return base | _view_choices(assembly, sheet, thing)
    if kind == "balloon" and thing:
        return base | {"row": row_of(assembly, found, thing.target.component), "several": selected.count(",") + 1}
    if kind == "note":
        return base | {"heights": HEIGHTS}
    return base


KNOWN_FIELDS = ("scale", "paper", "page", "projection", "revision")  # what nobody types


def _view_choices(assembly: Assembly, sheet: Sheet, view: Any) -> dict[str, Any]:
    steps = [(f"step:{s.id}", f"after {s.label or s.id}") for s in sheet.teardown.steps if not s.off]
    kept = [(f"kept:{pose.name}", pose.name) for pose in sheet.teardown.poses]
    shown = view.shown.at if view.shown.at in ("end", "home") else f"{view.shown.at}:{view.shown.name}"
    saved = [(camera.id, camera.name or camera.id) for camera in sheet.teardown.cameras]
    named = [(name, name) for name in directions(sheet)]
    return {
        "scales": [scale_text((float(a), float(b))) for a, b in SCALES],
        "scale": scale_text(view.scale),
        "styles": [(key, STYLE_WORDS[key]) for key in STYLES],
        "smooths": SMOOTH,
        "shown": shown,
        "poses": [("end", "Exploded"), ("home", "Assembled"), *steps, *kept],
        "looks": saved + named,
        "caption": caption_of(sheet.teardown, view),
        "groups": [c.path for c in assembly.components if isinstance(c, Group) and c.parent],
        "arrangements": (
            ("columns", "in columns"),
            ("around", "all round"),
            ("rows", "in rows"),
            ("near", "near the parts"),
        ),
        "sides": ("right", "left", "above", "below"),
    }
