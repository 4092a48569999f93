"""The page patterns that ship with Pulley, and reading one from a file."""

import json
from dataclasses import replace
from pathlib import Path

from pulley.core.drawing.document.codec import pattern_document, pattern_from
from pulley.core.drawing.sheet import COLUMNS, FIELDS, Field, PagePattern, Sheet
from pulley.core.errors import PulleyError
from pulley.core.formats import strict_json

LIMIT = 8 * 2**20  # bytes of a file

SPARE = (  # a title block of one row, for pages of a parts book
    Field("title", "Title", 0, 0, 3),
    Field("document", "Document number", 0, 3, 1),
    Field("scale", "Scale", 0, 4, 1),
    Field("page", "Sheet", 0, 5, 1),
)

PATTERNS: dict[str, PagePattern] = {
    "workshop": PagePattern(name="Workshop"),
    "parts book": PagePattern(
        name="Parts book",
        zones=False,
        fields=SPARE,
        style="shaded lines",
        line=0.25,
        columns=tuple(replace(c, shown=c.key in ("item", "quantity", "name", "description")) for c in COLUMNS),
    ),
    "inch office": PagePattern(name="Inch office", family="ANSI", projection="third", fields=FIELDS),
}


def read_pattern(name: str) -> PagePattern:
    """A pattern of a name that ships with Pulley, or from a file of pattern JSON.

    Raises
    ------
    PulleyError
        When there is neither, or the file is none.

    Examples
    --------
    >>> read_pattern("Parts book").zones
    False
    """
    if name.strip().lower() in PATTERNS:
        return PATTERNS[name.strip().lower()]
    path = Path(name)
    if not path.is_file():
        raise PulleyError(f"There is no page pattern “{name[:80]}”. Name a file, or one of {', '.join(PATTERNS)}.")
    with path.open("rb") as file:
        return pattern_of(file.read(LIMIT + 1))


def pattern_of(data: bytes) -> PagePattern:
    """A pattern from the bytes of a file of pattern JSON.

    Raises
    ------
    PulleyError
        When they are none, or too many.
    """
    if len(data) > LIMIT:
        raise PulleyError(f"The page pattern is over {LIMIT >> 20} MB.")
    return pattern_from(strict_json.read(data, "This is not a page pattern"))


def pattern_of_sheet(sheet: Sheet) -> PagePattern:
    """The pattern that a sheet's first page follows: its paper, the columns of its list, what its title block says
    but for the title."""
    page = sheet.pages[0]
    values = {key: text for key, text in (sheet.pattern.values | sheet.fields).items() if key != "title"}
    columns = page.lists[0].columns if page.lists else sheet.pattern.columns
    return replace(sheet.pattern, paper=page.paper, wide=page.wide, values=values, columns=columns)


def pattern_text(pattern: PagePattern) -> str:
    """A pattern as indented JSON text."""
    return json.dumps(pattern_document(pattern), indent=1, ensure_ascii=False) + "\n"
