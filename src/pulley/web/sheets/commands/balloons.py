"""Balloons, notes, dimensions, centre lines and tables."""

from pulley.core.assembly import Assembly
from pulley.core.drawing import changes
from pulley.core.drawing.follow import remove_strays
from pulley.core.drawing.sheet import Page, Sheet, Target
from pulley.core.errors import PulleyError
from pulley.web.sheets.commands.registry import Sent, command, flag, number, point, texts
from pulley.web.sheets.services import Changed


def _target(
    assembly: Assembly, sheet: Sheet, page: str, view: str, at: tuple[float, float], corner: bool = False
) -> Target:
    """What was pointed at in a view."""
    find = changes.snapped if corner else changes.picked
    found = find(assembly, sheet, page, view, at)
    if found is None:
        raise PulleyError("There is no part at that place. Point at one that is seen.")
    return found


def _unplaced(rows: tuple[object, ...]) -> str:
    return f"; {len(rows)} found no room" if rows else ""


@command("balloons")
def lay_out(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """Balloons for one view, or all of the page."""
    page = sheet.page(sent.get("page", ""))
    views = {sent["id"]} if sent.get("id") else {view.id for view in page.views if not view.region}
    each, arranged = sent.get("each", ""), sent.get("arranged", "")
    changed, left = changes.balloons_for(assembly, sheet, page.id, views, each, arranged)
    return Changed(changed, f"Lay out balloons{_unplaced(left)}")


@command("tidy")
def tidy(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """Balloons laid out anew, those placed by hand left alone, or all."""
    changed, left = changes.tidy(assembly, sheet, sent.get("page", ""), all_of_them=flag(sent, "all"))
    return Changed(changed, f"Tidy the balloons{_unplaced(left)}")


@command("move-balloons")
def move_balloons(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """Balloons dragged elsewhere."""
    ids = texts(sent, "ids")
    label = "Move a balloon" if len(ids) == 1 else f"Move {len(ids)} balloons"
    return Changed(changes.move_balloons(sheet, sent.get("page", ""), ids, point(sent)), label)


@command("move-attachment")
def move_attachment(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """The end of a leader dragged along its part."""
    changed = changes.move_attachment(assembly, sheet, sent.get("page", ""), sent.get("id", ""), point(sent))
    return Changed(changed, "Move a leader's end")


@command("add-balloon")
def add_balloon(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """A balloon for a part that was clicked."""
    page, view = sent.get("page", ""), sent.get("view", "")
    changed = changes.add_balloon(assembly, sheet, page, view, _target(assembly, sheet, page, view, point(sent)))
    return Changed(changed, "Add a balloon", f"balloon:{changed.page(page).balloons[-1].id}")


@command("remove-balloons")
def remove_balloons(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """Balloons taken away."""
    return Changed(changes.remove_balloons(sheet, sent.get("page", ""), texts(sent, "ids")), "Take balloons away", "")


@command("stack")
def stack(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """Balloons hung on one leader."""
    ids = texts(sent, "ids")
    changed = changes.stack_balloons(sheet, sent.get("page", ""), ids)
    return Changed(changed, "Stack balloons", f"balloon:{ids[0]}")


@command("unstack")
def unstack(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """Each of a stack with its own leader again."""
    return Changed(
        changes.unstack_balloon(assembly, sheet, sent.get("page", ""), sent.get("id", "")), "Unstack balloons"
    )


@command("remove-strays")
def strays(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """Balloons whose item is left out, taken away."""
    return Changed(remove_strays(assembly, sheet), "Take stray balloons away")


@command("add-note")
def add_note(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """A note where the page was clicked; on a part, with a leader to it."""
    page, view, at = sent.get("page", ""), sent.get("view", ""), point(sent)
    target = changes.picked(assembly, sheet, page, view, at) if view else None
    place = (at[0] + 12.0, at[1] + 12.0) if target else at
    changed = changes.add_note(sheet, page, place, sent.get("value", "") or "Note", view if target else "", target)
    return Changed(changed, "Add a note", f"note:{changed.page(page).notes[-1].id}")


@command("add-dimension")
def add_dimension(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """The true distance between two points that were clicked."""
    page, view = sent.get("page", ""), sent.get("view", "")
    ends = [_target(assembly, sheet, page, view, point(sent, key), corner=True) for key in ("a", "b")]
    changed = changes.add_dimension(sheet, page, view, ends[0], ends[1])
    return Changed(changed, "Add a dimension", f"dimension:{changed.page(page).dimensions[-1].id}")


@command("add-centre-lines")
def add_centre_lines(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """Centre lines of the part that was clicked, and of its like."""
    page, view = sent.get("page", ""), sent.get("view", "")
    target = _target(assembly, sheet, page, view, point(sent))
    return Changed(changes.add_centre_lines(assembly, sheet, page, view, target.component), "Add centre lines")


@command("add-table")
def add_table(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """A table of the travels, in the upper left corner of the frame."""
    page: Page = sheet.page(sent.get("page", ""))
    left, _, _, top = page.sheet_of_paper.frame
    changed = changes.add_table(sheet, page.id, (left, top))
    return Changed(changed, "Add a table of travels", f"table:{changed.page(page.id).tables[-1].id}")


@command("move-item")
def move_item(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """A note, a list, a table or a dimension dragged elsewhere."""
    page, id, by = sent.get("page", ""), sent.get("id", ""), point(sent)
    if any(dimension.id == id for dimension in sheet.page(page).dimensions):
        return Changed(changes.move_dimension(assembly, sheet, page, id, by), "Move a dimension")
    return Changed(changes.move_item(sheet, page, id, by), "Move")


@command("change-note")
def change_note(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """What a note says, or how high its letters are."""
    page, id = sent.get("page", ""), sent.get("id", "")
    if "height" in sent:
        return Changed(changes.change_item(sheet, page, id, height=number(sent, "height")), "Lettering height")
    return Changed(changes.change_item(sheet, page, id, text=sent.get("value", "")), "Text of a note")


@command("remove-item")
def remove_item(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """A note, dimension, centre line, table or list taken away."""
    return Changed(changes.remove_item(sheet, sent.get("page", ""), sent.get("id", "")), "Take away", "")
