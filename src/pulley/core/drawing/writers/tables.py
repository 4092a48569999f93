"""The parts list as CSV (RFC 4180) and XLSX (ISO/IEC 29500)."""

import csv
import io
import re
from collections.abc import Iterable, Sequence

from pulley.core.drawing.rows import Row
from pulley.core.drawing.sheet import Column

NUMBERS = ("item", "quantity", "mass")
CONTROL = re.compile(r"[\x00-\x08\x0b\x0c\x0e-\x1f]")
FORMULA = ("=", "+", "-", "@", "\t", "\r")  # what makes a spreadsheet take a text for a formula


def table(rows: Iterable[Row], columns: Sequence[Column]) -> list[list[str | float]]:
    """The heading and the cells of a list, numbers as numbers."""
    body = [[_cell(row.texts.get(c.key, ""), c.key) for c in columns] for row in rows]
    return [[column.title for column in columns], *body]


def _cell(text: str, key: str) -> str | float:
    if key in NUMBERS:
        try:
            number = float(text)
        except ValueError:
            return text
        return int(number) if number.is_integer() else number
    return text


def csv_bytes(rows: Iterable[Row], columns: Sequence[Column]) -> bytes:
    """A list as CSV."""
    return csv_of(table(rows, columns))


def csv_of(lines: Iterable[Sequence[str | float]]) -> bytes:
    """A table as CSV in UTF-8 with a mark of its encoding; what a spreadsheet would run gets a quote before it."""
    buffer = io.StringIO(newline="")
    writer = csv.writer(buffer)
    for line in lines:
        writer.writerow([f"'{cell}" if isinstance(cell, str) and cell.startswith(FORMULA) else cell for cell in line])
    return buffer.getvalue().encode("utf-8-sig")


def xlsx_bytes(rows: Iterable[Row], columns: Sequence[Column], title: str) -> bytes:
    """A list as a workbook."""
    return xlsx_of(table(rows, columns), [column.width for column in columns], title)


def xlsx_of(lines: Iterable[Sequence[str | float]], widths: Sequence[float], title: str) -> bytes:
    """A table as a workbook of one sheet, its columns so many mm wide, texts as texts whatever they begin with."""
    from openpyxl import Workbook  # every process would load it at its start, and few write a workbook
    from openpyxl.styles import Alignment, Font
    from openpyxl.utils import get_column_letter

    book = Workbook()
    page = book.active
    page.title = re.sub(r"[\\/*?:\[\]]", " ", CONTROL.sub("", title))[:31].strip() or "Parts list"
    for r, line in enumerate(lines, 1):
        for c, cell in enumerate(line, 1):
            place = page.cell(r, c)
            place.value = CONTROL.sub("", cell) if isinstance(cell, str) else cell
            if isinstance(cell, str):
                place.data_type = "s"
            place.font = Font(bold=r == 1)
            place.alignment = Alignment(vertical="top", wrap_text=True)
    for c, width in enumerate(widths, 1):
        page.column_dimensions[get_column_letter(c)].width = max(width / 2, 6)
    page.freeze_panes = "A2"
    buffer = io.BytesIO()
    book.save(buffer)
    return buffer.getvalue()
