"""A sheet as it is drawn: every page with all that stands on it, in the drawing model that the writers write."""

from collections.abc import Callable, Iterator

from pulley.core.assembly import Assembly
from pulley.core.drawing.lists import draw_list, draw_table, list_box
from pulley.core.drawing.marks import Seen, draw_balloon, draw_centre_line, draw_dimension, draw_note, seen_view
from pulley.core.drawing.model import DrawnPage, Item, Text
from pulley.core.drawing.rows import Row, rows
from pulley.core.drawing.sheet import Page, Sheet
from pulley.core.drawing.title import draw_frame, draw_issues, draw_title, title_box
from pulley.core.drawing.views import detail_circle, draw_view
from pulley.core.errors import PulleyError

Report = Callable[[float], None]


def draw(assembly: Assembly, sheet: Sheet, report: Report = lambda share: None) -> tuple[DrawnPage, ...]:
    """Every page of a sheet.

    Parameters
    ----------
    assembly : Assembly
    sheet : Sheet
    report : callable(share)
        Told of progress; what it raises stops the work.

    Raises
    ------
    PulleyError
        When the sheet has no page, or a list that is too long. A view whose step or parts are gone is drawn as a
        sentence that says so.
    """
    if not sheet.pages:
        raise PulleyError("The sheet has no page. Add one.")
    found = rows(assembly, sheet)
    pages = []
    for k, page in enumerate(sheet.pages):

        def share(done: float, k: int = k) -> None:
            report((k + done) / len(sheet.pages))

        items = tuple(_items(assembly, sheet, page, found, share))
        pages.append(DrawnPage(page.name, page.sheet_of_paper.size, items))
    return tuple(pages)


def draw_page(assembly: Assembly, sheet: Sheet, page: Page, report: Report = lambda share: None) -> DrawnPage:
    """One page of a sheet."""
    items = tuple(_items(assembly, sheet, page, rows(assembly, sheet), report))
    return DrawnPage(page.name, page.sheet_of_paper.size, items)


def _items(assembly: Assembly, sheet: Sheet, page: Page, found: tuple[Row, ...], report: Report) -> Iterator[Item]:
    tables = [list_box(parts, found) for parts in page.lists] + [title_box(page.sheet_of_paper, sheet.pattern)]
    yield from draw_frame(page.sheet_of_paper, sheet.pattern, tables)
    yield from draw_title(sheet, page)
    yield from draw_issues(sheet, page)
    seen: dict[str, Seen] = {}
    for k, view in enumerate(page.views):

        def share(done: float, k: int = k) -> None:
            report((k + done) / len(page.views))

        try:
            yield from draw_view(assembly, sheet.teardown, view, sheet.pattern, share)
            seen[view.id] = seen_view(assembly, sheet, view)
        except PulleyError as error:
            yield Text("note", view.at, str(error), 2.5, "middle", tag=f"view:{view.id}")
    for view in page.views:
        if view.region and view.region.view in seen:
            yield from detail_circle(view, page.view(view.region.view), sheet.pattern)
    yield from _pointing(assembly, sheet, page, found, seen)
    for parts in page.lists:
        yield from draw_list(parts, found, sheet.pattern)
    for table in page.tables:
        yield from draw_table(table, sheet.teardown, sheet.pattern)


def _pointing(
    assembly: Assembly, sheet: Sheet, page: Page, found: tuple[Row, ...], seen: dict[str, Seen]
) -> Iterator[Item]:
    """What points at the views: centre lines, dimensions, notes, balloons."""
    for line in page.centre_lines:
        if line.view in seen:
            yield from draw_centre_line(assembly, sheet, seen[line.view], line)
    for dimension in page.dimensions:
        if dimension.view in seen:
            yield from draw_dimension(assembly, sheet, seen[dimension.view], dimension)
    for note in page.notes:
        yield from draw_note(assembly, sheet, seen, note)
    for balloon in page.balloons:
        if balloon.view in seen:
            yield from draw_balloon(assembly, sheet, seen[balloon.view], balloon, found)
