"""The parts list: rows ordered, named, numbered, merged and left out; columns and the look of a list."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import fields, replace
from typing import Any

from pulley.core.assembly import Assembly, Group
from pulley.core.drawing.paper import Paper
from pulley.core.drawing.rows import SORTS, rows
from pulley.core.drawing.sheet import Column, Items, Page, PartsList, Sheet, fresh_id, fresh_page_id, with_page
from pulley.core.errors import PulleyError

NAME_LIMIT = 500
COLUMN_WIDTH = (4.0, 400.0)  # mm


def _keys(assembly: Assembly, sheet: Sheet) -> list[str]:
    return [row.key for row in rows(assembly, sheet)]


def _check_key(assembly: Assembly, sheet: Sheet, *wanted: str) -> None:
    known = set(_keys(assembly, sheet))
    if any(key not in known for key in wanted):
        raise PulleyError("That row is no longer in the parts list. Nothing was changed.")


def _with(sheet: Sheet, **given: Any) -> Sheet:
    return replace(sheet, items=replace(sheet.items, **given))


def move_row(assembly: Assembly, sheet: Sheet, key: str, to: int) -> Sheet:
    """Put a row at a place, 0 the first; the numbers follow."""
    _check_key(assembly, sheet, key)
    keys = [k for k in _keys(assembly, sheet) if k != key]
    keys.insert(min(max(to, 0), len(keys)), key)
    return _with(sheet, order=tuple(keys))


def put_first(assembly: Assembly, sheet: Sheet, key: str) -> Sheet:
    """Make a row item 1."""
    return move_row(assembly, sheet, key, 0)


def sort_rows(sheet: Sheet, by: str, down: bool = False) -> Sheet:
    """Sort the rows by a column, or by the order of the teardown, of its reverse, or of the tree.

    Raises
    ------
    PulleyError
        When there is nothing of that name to sort by.
    """
    columns = {c.key for page in sheet.pages for parts in page.lists for c in parts.columns}
    if by not in SORTS and by not in columns:
        raise PulleyError(f"There is nothing called “{by[:40]}” to sort by.")
    return _with(sheet, sort=by, down=down, order=())


def rename_row(assembly: Assembly, sheet: Sheet, key: str, name: str) -> Sheet:
    """Call a row by another name on this sheet; by its own again when the name is empty."""
    _check_key(assembly, sheet, key)
    return _with(sheet, names=_named(sheet.items.names, key, name))


def rename_everywhere(assembly: Assembly, sheet: Sheet, key: str, name: str) -> Sheet:
    """Call a row by another name on all sheets that have none of their own for it, as this one no longer has."""
    plain = rename_row(assembly, sheet, key, "")
    return _with(plain, everywhere=_named(sheet.items.everywhere, key, name))


def with_everywhere(sheet: Sheet, names: Mapping[str, str]) -> Sheet:
    """A sheet that knows the names that rows have everywhere."""
    return _with(sheet, everywhere=dict(names))


def _named(names: Mapping[str, str], key: str, name: str) -> dict[str, str]:
    text = _text(name)
    return {k: v for k, v in names.items() if k != key} | ({key: text} if text else {})


def set_text(assembly: Assembly, sheet: Sheet, key: str, column: str, text: str) -> Sheet:
    """Type what stands in a column of a row; a name goes to the names, numbers cannot be typed.

    Raises
    ------
    PulleyError
        For quantity and mass, which come from the assembly, and for item numbers that are none.
    """
    if column == "name":
        return rename_row(assembly, sheet, key, text)
    if column == "item":
        return _number(assembly, sheet, key, text)
    if column in ("quantity", "mass"):
        raise PulleyError(f"The {column} comes from the assembly. Change it there, or leave the row out.")
    _check_key(assembly, sheet, key)
    own = dict(sheet.items.texts.get(key, {}))
    typed = _text(text)
    own = {k: v for k, v in own.items() if k != column} | ({column: typed} if typed else {})
    texts = {k: v for k, v in sheet.items.texts.items() if k != key} | ({key: own} if own else {})
    return _with(sheet, texts=texts)


def _number(assembly: Assembly, sheet: Sheet, key: str, text: str) -> Sheet:
    """Give a row a number on purpose; the others keep theirs, a row that had it takes the next one free."""
    _check_key(assembly, sheet, key)
    if not text.strip().isdigit() or not 1 <= int(text) <= 99999:
        raise PulleyError(f"“{text.strip()[:20]}” is no item number. Type a whole number from 1 to 99,999.")
    numbers = {k: n for k, n in sheet.items.numbers.items() if n != int(text) and k != key}
    return _with(sheet, numbers=numbers | {key: int(text)})


def _text(text: str) -> str:
    return " ".join(text.split())[:NAME_LIMIT]


def leave_out(assembly: Assembly, sheet: Sheet, key: str, out: bool = True) -> Sheet:
    """Leave a row out of the list, or take it in again."""
    if out:
        _check_key(assembly, sheet, key)
    left = tuple(k for k in sheet.items.left_out if k != key) + ((key,) if out else ())
    return _with(sheet, left_out=left)


def merge_rows(assembly: Assembly, sheet: Sheet, keys: Sequence[str]) -> Sheet:
    """Count rows together, under the first of them."""
    _check_key(assembly, sheet, *keys)
    if len(keys) < 2:
        raise PulleyError("Choose two rows or more to count them together.")
    merged = dict(sheet.items.merged) | dict.fromkeys(keys[1:], keys[0])
    merged = {key: keys[0] if into in keys[1:] else into for key, into in merged.items()}
    return _with(sheet, merged=merged)


def unmerge_rows(sheet: Sheet, key: str) -> Sheet:
    """Give each of the rows that are counted under one its own row again."""
    return _with(sheet, merged={k: into for k, into in sheet.items.merged.items() if into != key})


def fix_numbers(assembly: Assembly, sheet: Sheet) -> Sheet:
    """Keep the numbers as they are, whatever comes or goes: gaps stay."""
    return _with(sheet, numbers={row.key: row.item for row in rows(assembly, sheet)})


def close_gaps(sheet: Sheet) -> Sheet:
    """Number the rows from 1 in their order, without gaps."""
    return _with(sheet, numbers={})


def change_items(
    assembly: Assembly, sheet: Sheet, each: str | None = None, whole: Collection[str] | None = None
) -> Sheet:
    """One row a part or a row an instance; which subassemblies are one row.

    Raises
    ------
    PulleyError
        When something that is kept whole is no subassembly.
    """
    items: Items = sheet.items
    if each is not None:
        if each not in ("part", "instance"):
            raise PulleyError("A row stands for a part or for an instance. Choose one of the two.")
        items = replace(items, each=each)
    if whole is not None:
        for path in whole:
            if not isinstance(assembly.by_path.get(path), Group):
                raise PulleyError(f"“{path[:200]}” is no subassembly. Only a subassembly can be one row.")
        items = replace(items, whole=tuple(whole))
    return replace(sheet, items=items)


def set_column(sheet: Sheet, page: str, id: str, key: str, **given: Any) -> Sheet:
    """Show, hide, rename, resize or move a column (``shown``, ``title``, ``width``, ``to``), or make a new one.

    Raises
    ------
    PulleyError
        When a width is out of range, or no column would be left.
    """
    parts = _list(sheet.page(page), id)
    columns, to = list(parts.columns), given.pop("to", None)
    place = next((k for k, c in enumerate(columns) if c.key == key), None)
    if place is None:
        columns.append(Column(key, given.get("title", key), 30.0))
        place = len(columns) - 1
    column = replace(columns.pop(place), **given)
    if not COLUMN_WIDTH[0] <= column.width <= COLUMN_WIDTH[1]:
        raise PulleyError(f"A column is from 4 to 400 mm wide; this one would be {column.width:g}.")
    columns.insert(
        place if to is None else min(max(to, 0), len(columns)), replace(column, title=_text(column.title)[:60])
    )
    if not any(c.shown for c in columns):
        raise PulleyError("The list would have no column left. Show another one first.")
    return change_list(sheet, page, id, columns=tuple(columns))


def change_list(sheet: Sheet, page: str, id: str, **given: Any) -> Sheet:
    """Set what a list looks like: at, corner, title, title_below, upward, across, height, columns, first, most."""
    on = sheet.page(page)
    parts = _list(on, id)
    unknown = given.keys() - {f.name for f in fields(PartsList)}
    if unknown or not 1 <= given.get("across", 1) <= 8 or not 1 <= given.get("height", 2.5) <= 20:
        raise PulleyError(
            "A list runs in 1 to 8 columns, with letters 1 to 20 mm high. Choose numbers in these ranges."
        )
    fresh = replace(parts, **given)
    return with_page(sheet, replace(on, lists=tuple(fresh if p.id == id else p for p in on.lists)))


def _list(page: Page, id: str) -> PartsList:
    for parts in page.lists:
        if parts.id == id:
            return parts
    raise PulleyError("That parts list is no longer on the sheet. Nothing was changed.")


def add_list(sheet: Sheet, page: str) -> Sheet:
    """A parts list more, in the upper right corner of the frame."""
    on = sheet.page(page)
    _, _, right, top = on.sheet_of_paper.frame
    pattern = sheet.pattern
    parts = PartsList(fresh_id(on, "l"), (right, top), columns=pattern.columns, height=pattern.lettering)
    return with_page(sheet, replace(on, lists=(*on.lists, parts)))


def continue_list(assembly: Assembly, sheet: Sheet, page: str, id: str, most: int) -> Sheet:
    """Let a list end after ``most`` rows and go on, on a page of its own behind this one, or where it goes on already.

    Raises
    ------
    PulleyError
        When there is nothing left to go on with.
    """
    on = sheet.page(page)
    parts = _list(on, id)
    count = len(rows(assembly, sheet)) - parts.first
    if not 0 < most < count:
        raise PulleyError(f"The list has {count} rows here. Let it end after fewer to go on on the next page.")
    cut = change_list(sheet, page, id, most=most)
    end = parts.first + parts.most
    if any(other.first == end for p in cut.pages for other in p.lists if parts.most):
        return _shifted(cut, end, most - parts.most)
    paper = Paper(on.paper, on.wide)
    left, _, _, top = paper.frame
    rest = replace(parts, id="l1", first=parts.first + most, most=0, at=(left, top), corner="top left", upward=False)
    fresh = Page(
        fresh_page_id(sheet),
        on.paper,
        on.wide,
        "Parts list",
        lists=(rest,),
    )
    place = [p.id for p in sheet.pages].index(page) + 1
    return replace(cut, pages=(*cut.pages[:place], fresh, *cut.pages[place:]))


def _shifted(sheet: Sheet, beyond: int, by: int) -> Sheet:
    """Lists that begin at row ``beyond`` or later begin ``by`` rows later: what goes on after a list that was cut."""

    def moved(parts: PartsList) -> PartsList:
        return replace(parts, first=parts.first + by) if parts.first >= beyond else parts

    return replace(sheet, pages=tuple(replace(p, lists=tuple(map(moved, p.lists))) for p in sheet.pages))
