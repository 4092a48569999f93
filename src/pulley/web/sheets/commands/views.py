"""Views: added, moved, scaled, turned, restyled, taken away."""

from typing import Any

from pulley.core.assembly import Assembly
from pulley.core.drawing import changes
from pulley.core.drawing.sheet import Sheet, Shown
from pulley.core.errors import PulleyError
from pulley.core.scales import parse_scale, scale_text
from pulley.web.sheets.commands.registry import Sent, command, flag, number, point, texts
from pulley.web.sheets.services import Changed


def shown_of(text: str) -> Shown:
    """What a view shows, as the page says it: ``end``, ``home``, ``step:s3``, ``kept:Name``."""
    at, _, name = text.partition(":")
    if at in ("end", "home"):
        return Shown("home" if at == "home" else "end")
    if at in ("step", "kept") and name:
        return Shown("step" if at == "step" else "kept", name)
    raise PulleyError("Choose what the view shows: exploded, assembled, a step or a kept pose.")


@command("add-view")
def add_view(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """A view more."""
    components = texts(sent, "components") if sent.get("components") else []
    shown = shown_of(sent.get("shown", "end"))
    changed = changes.add_view(assembly, sheet, sent.get("page", ""), shown, sent.get("look", "best"), components)
    return Changed(changed, "Add a view", f"view:{changed.page(sent.get('page', '')).views[-1].id}")


@command("move-view")
def move_view(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """A view dragged elsewhere."""
    return Changed(
        changes.move_view(assembly, sheet, sent.get("page", ""), sent.get("id", ""), point(sent)), "Move a view"
    )


@command("scale-view")
def scale_view(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """A view to another scale, or to the largest that fits."""
    page, id, text = sent.get("page", ""), sent.get("id", ""), sent.get("value", "")
    if text in ("fit", ""):
        return Changed(changes.fit_view(assembly, sheet, page, id), "Largest scale that fits")
    scale = parse_scale(text)
    return Changed(changes.scale_view(assembly, sheet, page, id, scale), f"Scale {scale_text(scale)}")


@command("turn-view")
def turn_view(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """A view turned by hand."""
    page, id = sent.get("page", ""), sent.get("id", "")
    return Changed(
        changes.turn_view(assembly, sheet, page, id, number(sent, "right"), number(sent, "up")), "Turn a view"
    )


@command("look-from")
def look_from(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """A view from a standard, pictorial or saved direction."""
    name = sent.get("value", "")
    return Changed(
        changes.look_from(assembly, sheet, sent.get("page", ""), sent.get("id", ""), name), f"Look from {name}"
    )


@command("change-view")
def change_view(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """How a view looks, or what it shows."""
    name, value = sent.get("field", ""), sent.get("value", "")
    given: dict[str, Any]
    if name in ("style", "smooth", "threads"):
        given = {name: value}
    elif name in ("trails", "captioned"):
        given = {name: flag(sent, "value")}
    elif name == "caption":
        given = {"caption": " ".join(value.split())[:300] or None}
    elif name == "shown":
        given = {"shown": shown_of(value)}
    else:
        raise PulleyError("A view has no such field. Nothing was changed.")
    changed = changes.change_view(assembly, sheet, sent.get("page", ""), sent.get("id", ""), **given)
    return Changed(changed, f"{name.capitalize()} of a view")


@command("show-only")
def show_only(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """A view of some components only, or of all again."""
    value = sent.get("value", "")
    wanted = [value] if value else []
    return Changed(
        changes.show_only(assembly, sheet, sent.get("page", ""), sent.get("id", ""), wanted), "What a view shows"
    )


@command("remove-view")
def remove_view(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """A view taken away."""
    return Changed(
        changes.remove_view(assembly, sheet, sent.get("page", ""), sent.get("id", "")), "Take a view away", ""
    )


@command("add-detail")
def add_detail(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """An enlarged detail of what a circle was drawn round."""
    page, radius = sent.get("page", ""), number(sent, "radius")
    changed = changes.add_detail(assembly, sheet, page, sent.get("id", ""), point(sent), radius)
    return Changed(changed, "Enlarged detail", f"view:{changed.page(page).views[-1].id}")


@command("add-projected")
def add_projected(sent: Sent, sheet: Sheet, assembly: Assembly) -> Changed:
    """The view beside, above or below another, lined up with it."""
    page = sent.get("page", "")
    changed = changes.add_projected(assembly, sheet, page, sent.get("id", ""), sent.get("value", ""))
    return Changed(changed, "Add a view in line", f"view:{changed.page(page).views[-1].id}")
