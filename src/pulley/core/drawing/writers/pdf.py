"""Drawn pages as PDF: vectors, text that can be searched, the typeface embedded, every page at its true size."""

import io
from collections.abc import Sequence
from datetime import UTC, datetime

from fpdf import FPDF

from pulley.core.drawing.lettering import FAMILY, FILE, font_size, width
from pulley.core.drawing.model import Circle, DrawnPage, Fill, Item, Lines, Pen, Picture, Text

POINT = 72 / 25.4  # points a mm


def pdf(pages: Sequence[DrawnPage], title: str = "") -> bytes:
    """Pages as one PDF document.

    Parameters
    ----------
    pages : sequence of DrawnPage
    title : str
        What readers show as the document's title.
    """
    document = FPDF(unit="mm", format=pages[0].size)
    document.set_auto_page_break(False)
    document.set_margin(0)
    document.c_margin = 0
    document.set_title(title)
    document.set_creator("Pulley")
    document.set_creation_date(datetime(2000, 1, 1, tzinfo=UTC))  # the same sheet is the same file
    document.add_font(FAMILY, fname=str(FILE))
    document.set_text_shaping(True)
    for page in pages:
        wide, tall = page.size
        document.add_page(orientation="L" if wide > tall else "P", format=(min(wide, tall), max(wide, tall)))
        for item in page.items:
            _draw(document, item, tall)
    return bytes(document.output())


def _draw(document: FPDF, item: Item, tall: float) -> None:
    match item:
        case Lines(pen=pen, polylines=polylines):
            _use(document, pen)
            for line in polylines:
                document.polyline([(x, tall - y) for x, y in line.tolist()])
        case Circle(pen=pen, centre=(x, y), radius=radius, fill=fill):
            _use(document, pen)
            if fill:
                document.set_fill_color(fill)
            document.circle(x, tall - y, radius, style="DF" if fill else "D")
        case Fill(points=points, colour=colour):
            document.set_fill_color(colour)
            document.polygon([(x, tall - y) for x, y in points.tolist()], style="F")
        case Picture(box=(left, foot, right, top), png=png):
            document.image(io.BytesIO(png), left, tall - top, right - left, top - foot)
        case Text():
            _write(document, item, tall)


def _use(document: FPDF, pen: Pen) -> None:
    """Draw with a pen from now on."""
    document.set_draw_color(pen.colour)
    document.set_line_width(pen.width)
    cap = 0 if pen.dashes else 1
    document._out(f"{cap} J 1 j [{' '.join(f'{part * POINT:.3f}' for part in pen.dashes)}] 0 d")


def _write(document: FPDF, item: Text, tall: float) -> None:
    if not item.text.strip():
        return
    document.set_font(FAMILY, size=font_size(item.height) * POINT)
    document.set_text_color(item.colour)
    long = width(item.text, item.height)
    x, y = item.at[0], tall - item.at[1]
    start = x - {"left": 0.0, "middle": long / 2, "right": long}[item.align]
    if item.turn:
        with document.rotation(item.turn, x, y):
            document.text(start, y, item.text)
    else:
        document.text(start, y, item.text)
