"""Pages, paper, title block, pattern; following the teardown; issuing."""

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from pulley.core.assembly import Assembly
from pulley.core.drawing import changes, follow
from pulley.core.drawing.paper import Paper, paper_of
from pulley.core.drawing.sheet import Sheet
from pulley.core.errors import PulleyError
from pulley.web.door import whole
from pulley.web.sheets.commands.registry import Sent, command, flag, number
from pulley.web.sheets.services import Changed

STYLES: dict[str, Callable[[Sent, str], Any]] = {
    "zones": flag,
    "quantity": flag,
    "projection": lambda sent, key: sent.get(key, ""),
    "line": number,
    "radius": number,
}


@command("rename")
def rename(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """Another name for the sheet."""
    name = " ".join(sent.get("value", "").split())[:300]
    if not name:
        raise PulleyError("The name is empty. Type one.")
    return Changed(replace(sheet, name=name), "Rename the sheet")


@command("add-page")
def add_page(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """An empty page behind the one that is shown."""
    changed = changes.add_page(sheet, sent.get("page", ""))
    place = [page.id for page in sheet.pages].index(sent.get("page", "")) + 1
    return Changed(changed, "Add a page", "", changed.pages[place].id)


@command("duplicate-page")
def duplicate_page(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """The page once more."""
    changed = changes.duplicate_page(sheet, sent.get("page", ""))
    place = [page.id for page in sheet.pages].index(sent.get("page", "")) + 1
    return Changed(changed, "Duplicate a page", "", changed.pages[place].id)


@command("move-page")
def move_page(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """A page at another place."""
    return Changed(changes.move_page(sheet, sent.get("id", ""), whole(sent.get("to"), 0)), "Move a page")


@command("rename-page")
def rename_page(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """Another name for a page."""
    return Changed(changes.rename_page(sheet, sent.get("page", ""), sent.get("value", "")), "Rename a page")


@command("remove-page")
def remove_page(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """A page taken away; undo brings it back."""
    changed = changes.remove_page(sheet, sent.get("page", ""))
    return Changed(changed, "Delete a page", "", changed.pages[0].id)


@command("set-paper")
def set_paper(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """Other paper, or the same the other way up."""
    page = sheet.page(sent.get("page", ""))
    paper = (
        Paper(page.paper, not page.wide)
        if flag(sent, "turn")
        else replace(paper_of(sent.get("value", "")), wide=page.wide)
    )
    return Changed(changes.set_paper(assembly, sheet, page.id, paper), f"Paper {paper.name}")


@command("set-field")
def set_field(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """A field of the title block."""
    key = sent.get("key", "")[:60]
    if key == "title":
        return rename(sent, sheet, assembly) if sent.get("value", "").strip() else Changed(sheet, "Title")
    return Changed(changes.set_field(sheet, key, sent.get("value", "")), f"{key.capitalize()} in the title block")


@command("style")
def style(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """A detail of the page's style: zones, line width, balloon size, projection, quantities at balloons."""
    name = sent.get("field", "")
    if name not in STYLES:
        raise PulleyError("A sheet has no such style. Nothing was changed.")
    return Changed(
        changes.restyle(assembly, sheet, **{name: STYLES[name](sent, "value")}), f"{name.capitalize()} of the sheet"
    )


@command("automatic")
def automatic(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """Whether the sheet follows its teardown by itself."""
    return Changed(replace(sheet, automatic=flag(sent, "value")), "Follow automatically")


@command("issue")
def issue(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """The sheet issued."""
    changed = follow.issue(
        sheet, sent.get("date", ""), sent.get("name", ""), sent.get("text", ""), sent.get("letter", "")
    )
    return Changed(changed, f"Issue revision {changed.issues[-1].letter}", "")
