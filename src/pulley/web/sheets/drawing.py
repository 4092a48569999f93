"""Sheets drawn for the browser and for files: quick lines at once, long ones by a worker, once for all who ask."""

import hashlib
import json
from dataclasses import dataclass, replace
from typing import Any

from django.core.cache import caches

from pulley.core.assembly import Assembly
from pulley.core.camera import camera_frame
from pulley.core.contact.terms import motions
from pulley.core.drawing.document.codec import view_document, view_from
from pulley.core.drawing.draw import draw_page
from pulley.core.drawing.model import Text
from pulley.core.drawing.scene import scene_of
from pulley.core.drawing.sheet import Page, Sheet, SheetView
from pulley.core.drawing.views import lines_key, lines_of
from pulley.core.drawing.writers.svg import svg
from pulley.core.errors import PulleyError
from pulley.web.analysis import services as analysis
from pulley.web.analysis.registry import Case
from pulley.web.analysis.registry import analysis as kind
from pulley.web.jobs.registry import Report
from pulley.web.sheets.models import Sheet as SheetRow

QUICK = 400_000  # triangles of a view up to which its lines are worked out while the page waits
WAITING = "The lines of this view are being worked out: {:.0%}"
STOPPED = "The lines of this view are not worked out"
PATIENCE = 600.0  # seconds that a file waits for lines


def _shown(teardown: Any) -> tuple[Any, ...]:
    trails = teardown.trails, teardown.trails_shown, teardown.routes, tuple(step.trails for step in teardown.steps)
    return motions(teardown), teardown.hidden, trails, tuple(step.timing for step in teardown.steps), teardown.poses


@kind("lines", _shown)
def hidden_lines(case: Case, report: Report) -> Any:
    """The lines of one view of a sheet, seen and hidden."""
    view = view_from(case.asked["view"])
    return lines_of(
        case.assembly, case.teardown, view, lambda share: report(share, "Working out which lines are hidden")
    )


@dataclass(frozen=True)
class Drawn:
    """A page as SVG, and the share of its lines that is worked out: 1 when it is whole."""

    svg: str
    progress: float


def triangles_of(assembly: Assembly, sheet: Sheet, view: SheetView) -> int:
    """How many triangles a view looks at."""
    paths = scene_of(assembly, sheet.teardown, view).poses
    return sum(len(assembly.leaf(path).part.mesh.triangles) for path in paths)


def ready(row: SheetRow, assembly: Assembly, sheet: Sheet, view: SheetView, wait: float, begin: bool = True) -> float:
    """The share of a view's lines that is worked out; 1 when they are there, asked for from a worker when they are
    many, unless nothing is to be begun."""
    try:
        scene = scene_of(assembly, sheet.teardown, view)
        if triangles_of(assembly, sheet, view) <= QUICK:
            return 1.0
    except PulleyError:
        return 1.0  # drawn as the sentence that says what is gone
    case = _case(assembly, sheet, view)
    found = analysis.request("lines", row.teardown.assembly, case, wait) if begin else analysis.known("lines", case)
    if not found.done:
        return min(found.progress, 0.99)
    key = lines_key(scene, camera_frame(view.camera), view)
    assembly.once(("lines", key), lambda: found.value)
    return 1.0


def page_svg(row: SheetRow, assembly: Assembly, sheet: Sheet, page: Page, begin: bool = True) -> Drawn:
    """A page of a sheet for the browser: views whose lines are not there yet stand as a sentence; unless nothing is to
    be begun, they are being worked out then."""
    shares = {view.id: ready(row, assembly, sheet, view, analysis.SOON, begin) for view in page.views}
    progress = min(shares.values(), default=1.0)
    if progress == 1.0:
        key = f"sheet-{row.pk}-{page.id}-{state_mark(row, sheet)}"
        found = caches["fragments"].get(key)
        if found is None:
            found = svg(draw_page(assembly, sheet, page), embed=False)
            caches["fragments"].set(key, found)
        return Drawn(found, 1.0)
    done = tuple(view for view in page.views if shares[view.id] == 1.0)
    drawn = draw_page(assembly, sheet, replace(page, views=done))
    words = [
        Text("note", view.at, WAITING.format(shares[view.id]) if begin else STOPPED, 3.5, "middle")
        for view in page.views
        if shares[view.id] < 1.0
    ]
    return Drawn(svg(replace(drawn, items=(*drawn.items, *words)), embed=False), progress)


def state_mark(row: SheetRow, sheet: Sheet) -> str:
    """What stands for all that the pages of a sheet show: its revision, and the names that other sheets may change."""
    names = json.dumps(sheet.items.everywhere, sort_keys=True)
    return f"{row.revision}-{hashlib.blake2b(names.encode(), digest_size=8).hexdigest()}"


def whole(row: SheetRow, assembly: Assembly, sheet: Sheet) -> None:
    """Wait until the lines of every view are there, before a file is written."""
    for page in sheet.pages:
        for view in page.views:
            if ready(row, assembly, sheet, view, PATIENCE) < 1.0:
                raise PulleyError("The lines of a view are still being worked out. Ask for the file again in a moment.")


def stop(assembly: Assembly, sheet: Sheet, page: Page) -> None:
    """Let what works on the lines of a page's views come to an end."""
    for view in page.views:
        analysis.stop("lines", _case(assembly, sheet, view))


def _case(assembly: Assembly, sheet: Sheet, view: SheetView) -> Case:
    """What the lines of a view are asked for by: all that they depend on, and nothing else of the view."""
    bare = SheetView("v", replace(view.camera, id="", name=""), view.shown, components=view.components)
    return Case(
        assembly, sheet.teardown, {"view": view_document(replace(bare, threads=view.threads, trails=view.trails))}
    )
