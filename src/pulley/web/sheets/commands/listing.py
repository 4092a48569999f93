"""The parts list: rows and columns."""

from typing import Any

from pulley.core.assembly import Assembly
from pulley.core.drawing import changes
from pulley.core.drawing.rows import row_of, rows
from pulley.core.drawing.sheet import Sheet
from pulley.core.errors import PulleyError
from pulley.web.door import whole
from pulley.web.sheets.commands.registry import Sent, command, flag, number, texts
from pulley.web.sheets.services import Changed


@command("move-row")
def move_row(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """A row dragged to another place."""
    return Changed(changes.move_row(assembly, sheet, sent.get("key", ""), whole(sent.get("to"), 0)), "Move an item")


@command("set-text")
def set_text(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """What stands in a cell."""
    column = sent.get("column", "name")
    changed = changes.set_text(assembly, sheet, sent.get("key", ""), column, sent.get("value", ""))
    return Changed(changed, f"{column.capitalize()} of an item")


@command("name-everywhere")
def name_everywhere(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """What a row is called on all sheets of the assembly that have no name of their own for it."""
    changed = changes.rename_everywhere(assembly, sheet, sent.get("key", ""), sent.get("value", ""))
    return Changed(changed, "Name of a part everywhere")


@command("sort-rows")
def sort_rows(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """The order of the rows."""
    by = sent.get("value", "")
    return Changed(changes.sort_rows(sheet, by, flag(sent, "down")), f"Order by {by}")


@command("leave-out")
def leave_out(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """A row left out, or taken in again."""
    out = sent.get("out", "1") == "1"
    changed = changes.leave_out(assembly, sheet, sent.get("key", ""), out)
    return Changed(changed, "Leave an item out" if out else "Take an item in again")


@command("merge-rows")
def merge_rows(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """Rows counted together."""
    return Changed(changes.merge_rows(assembly, sheet, texts(sent, "keys")), "Count items together")


@command("merge-balloons")
def merge_balloons(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """The rows that chosen balloons stand for counted together, under that of the first."""
    ids, found = texts(sent, "ids"), rows(assembly, sheet)
    balloons = {balloon.id: balloon for balloon in sheet.page(sent.get("page", "")).balloons}
    chosen = [row_of(assembly, found, balloons[id].target.component) for id in ids if id in balloons]
    keys = list(dict.fromkeys(row.key for row in chosen if row))
    return Changed(changes.merge_rows(assembly, sheet, keys), "Count items together", "")


@command("unmerge-rows")
def unmerge_rows(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """Each its own row again."""
    return Changed(changes.unmerge_rows(sheet, sent.get("key", "")), "Count items apart")


@command("numbers")
def numbers(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """Numbers kept as they are, or from 1 without gaps."""
    if sent.get("value") == "keep":
        return Changed(changes.fix_numbers(assembly, sheet), "Keep the numbers")
    return Changed(changes.close_gaps(sheet), "Close the gaps")


@command("items")
def items(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """One row a part or an instance; a subassembly as one row, or taken apart."""
    if sent.get("each"):
        return Changed(changes.change_items(assembly, sheet, each=sent["each"]), "What a row stands for")
    path = sent.get("whole", "")
    kept = [p for p in sheet.items.whole if p != path] + ([] if path in sheet.items.whole else [path])
    return Changed(changes.change_items(assembly, sheet, whole=kept), "A subassembly as one row")


@command("set-column")
def set_column(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """A column shown, hidden, renamed, resized, moved or made."""
    given: dict[str, Any] = {}
    if "shown" in sent:
        given["shown"] = flag(sent, "shown")
    if "title" in sent:
        given["title"] = sent["title"]
    if "width" in sent:
        given["width"] = number(sent, "width")
    if "to" in sent:
        given["to"] = whole(sent["to"], 0)
    key = sent.get("key", "").strip()[:60]
    if not key:
        raise PulleyError("The column needs a name. Type one.")
    return Changed(changes.set_column(sheet, sent.get("page", ""), sent.get("id", ""), key, **given), f"Column {key}")


@command("change-list")
def change_list(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """What a list looks like."""
    name, value = sent.get("field", ""), sent.get("value", "")
    readers: dict[str, Any] = {
        "across": lambda: whole(value, 1),
        "height": lambda: number(sent, "value"),
        "title": lambda: " ".join(value.split())[:200],
        "title_below": lambda: flag(sent, "value"),
        "upward": lambda: flag(sent, "value"),
    }
    if name not in readers:
        raise PulleyError("A list has no such field. Nothing was changed.")
    changed = changes.change_list(sheet, sent.get("page", ""), sent.get("id", ""), **{name: readers[name]()})
    return Changed(changed, f"{name.replace('_', ' ').capitalize()} of the list")


@command("continue-list")
def continue_list(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """A list that goes on on the next page."""
    page, id = sent.get("page", ""), sent.get("id", "")
    return Changed(
        changes.continue_list(assembly, sheet, page, id, whole(sent.get("value"), 0)), "Go on on the next page"
    )


@command("add-list")
def add_list(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """A parts list more."""
    changed = changes.add_list(sheet, sent.get("page", ""))
    return Changed(changed, "Add a parts list", f"list:{changed.page(sent.get('page', '')).lists[-1].id}")
