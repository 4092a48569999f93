"""The drawing model written as files: SVG, PDF, DXF and PNG; parts lists as CSV and XLSX; sheets as JSON.

A writer is loaded when its kind is first asked for: their libraries take a second, which every process would wait for.
"""

from collections.abc import Callable, Mapping

from pulley.core.assembly import Assembly
from pulley.core.drawing.document import dumps
from pulley.core.drawing.draw import draw
from pulley.core.drawing.rows import rows
from pulley.core.drawing.sheet import COLUMNS, Column, Sheet
from pulley.core.drawing.writers.svg import svg
from pulley.core.drawing.writers.tables import csv_bytes, xlsx_bytes
from pulley.core.errors import PulleyError

Report = Callable[[float], None]
PAGED = ("svg", "png")  # kinds of files that hold one page

KINDS: Mapping[str, str] = {
    "pdf": "application/pdf",
    "svg": "image/svg+xml",
    "dxf": "image/vnd.dxf",
    "png": "image/png",
    "csv": "text/csv",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "json": "application/json",
}


def write(assembly: Assembly, sheet: Sheet, kind: str, page: int = 0, report: Report = lambda share: None) -> bytes:
    """A sheet as a file of a kind of `KINDS`; of SVG and PNG, its page number ``page``.

    Raises
    ------
    PulleyError
        When there is no such kind or page.
    """
    if kind == "json":
        return dumps(assembly, sheet).encode()
    if kind in ("csv", "xlsx"):
        columns = list_columns(sheet)
        found = rows(assembly, sheet)
        return csv_bytes(found, columns) if kind == "csv" else xlsx_bytes(found, columns, sheet.name)
    if kind not in KINDS:
        raise PulleyError(f"A sheet cannot be written as “{kind[:20]}”. Choose one of {', '.join(KINDS)}.")
    if not 0 <= page < max(len(sheet.pages), 1):
        raise PulleyError(f"The sheet has {len(sheet.pages)} pages. Choose one of them.")
    pages = draw(assembly, sheet, report)
    if kind == "svg":
        return svg(pages[page]).encode()
    if kind == "dxf":
        from pulley.core.drawing.writers.dxf import dxf

        return dxf(pages)
    if kind == "png":
        from pulley.core.drawing.writers.png import png

        return png(pages, page)
    from pulley.core.drawing.writers.pdf import pdf

    return pdf(pages, sheet.name)


def list_columns(sheet: Sheet) -> tuple[Column, ...]:
    """The columns that the first list of a sheet shows, else those that its pattern does."""
    first = next((parts.columns for page in sheet.pages for parts in page.lists), sheet.pattern.columns)
    return tuple(column for column in first if column.shown) or COLUMNS[:3]
