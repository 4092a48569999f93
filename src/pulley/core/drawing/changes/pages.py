"""Pages: added, copied, ordered, taken away; their paper; the title block; the pattern of a sheet."""

from collections.abc import Sequence
from dataclasses import replace

from pulley.core.assembly import Assembly
from pulley.core.drawing.changes.balloons import retidied
from pulley.core.drawing.paper import Box, Paper
from pulley.core.drawing.sheet import Page, PagePattern, Sheet, fresh_page_id, with_page
from pulley.core.drawing.title import title_box
from pulley.core.errors import PulleyError

MOST = 200


def _check_room(sheet: Sheet) -> None:
    if len(sheet.pages) >= MOST:
        raise PulleyError(f"A sheet has at most {MOST} pages. Make another sheet.")


def add_page(sheet: Sheet, after: str, name: str = "") -> Sheet:
    """An empty page of the same paper behind another."""
    _check_room(sheet)
    like = sheet.page(after)
    fresh = Page(fresh_page_id(sheet), like.paper, like.wide, name)
    return _inserted(sheet, after, fresh)


def duplicate_page(sheet: Sheet, id: str) -> Sheet:
    """A page once more, with all that is on it, behind itself."""
    _check_room(sheet)
    return _inserted(sheet, id, replace(sheet.page(id), id=fresh_page_id(sheet)))


def _inserted(sheet: Sheet, after: str, page: Page) -> Sheet:
    place = [p.id for p in sheet.pages].index(after) + 1
    return replace(sheet, pages=(*sheet.pages[:place], page, *sheet.pages[place:]))


def move_page(sheet: Sheet, id: str, to: int) -> Sheet:
    """Put a page at a place, 0 the first."""
    page = sheet.page(id)
    others = [p for p in sheet.pages if p.id != id]
    others.insert(min(max(to, 0), len(others)), page)
    return replace(sheet, pages=tuple(others))


def rename_page(sheet: Sheet, id: str, name: str) -> Sheet:
    """Call a page by another name."""
    return with_page(sheet, replace(sheet.page(id), name=" ".join(name.split())[:200]))


def remove_page(sheet: Sheet, id: str) -> Sheet:
    """Take a page away; undo brings it back.

    Raises
    ------
    PulleyError
        When it is the only one.
    """
    sheet.page(id)
    if len(sheet.pages) == 1:
        raise PulleyError("A sheet has one page at least. Add another one first, or delete the sheet.")
    return replace(sheet, pages=tuple(p for p in sheet.pages if p.id != id))


def set_paper(assembly: Assembly, sheet: Sheet, id: str, paper: Paper) -> Sheet:
    """Another paper for a page: what stands at a corner of the frame goes along with it, the rest keeps its place in
    the frame's middle; scales stay."""
    page = sheet.page(id)
    old, new = page.sheet_of_paper, paper
    before, after = old.frame, new.frame
    dx = (after[0] + after[2] - before[0] - before[2]) / 2
    dy = (after[1] + after[3] - before[1] - before[3]) / 2

    def middle(at: tuple[float, float]) -> tuple[float, float]:
        return round(at[0] + dx, 4), round(at[1] + dy, 4)

    lists = tuple(replace(parts, at=_cornered(parts.at, old, new, sheet.pattern)) for parts in page.lists)
    fresh = replace(
        page,
        paper=paper.name,
        wide=paper.wide,
        lists=lists,
        views=tuple(replace(v, at=middle(v.at)) for v in page.views),
        balloons=tuple(replace(b, centre=middle(b.centre)) for b in page.balloons),
        notes=tuple(replace(n, at=middle(n.at), tip=n.tip and middle(n.tip)) for n in page.notes),
        tables=tuple(replace(t, at=middle(t.at)) for t in page.tables),
    )
    return retidied(assembly, sheet, with_page(sheet, fresh), id, {v.id for v in page.views})


def _cornered(at: tuple[float, float], old: Paper, new: Paper, pattern: PagePattern) -> tuple[float, float]:
    """Where a corner goes when the paper changes: with the nearest side of the frame, or of the title block."""

    def moved(value: float, before: Sequence[float], after: Sequence[float]) -> float:
        k = min(range(len(before)), key=lambda k: abs(before[k] - value))
        return round(value - before[k] + after[k], 4)

    one, two = _lines(old, pattern), _lines(new, pattern)
    return moved(at[0], (one[0], one[2]), (two[0], two[2])), moved(at[1], one[1::2], two[1::2])


def _lines(paper: Paper, pattern: PagePattern) -> tuple[float, ...]:
    frame: Box = paper.frame
    return frame[0], frame[1], frame[2], frame[3], 0.0, title_box(paper, pattern)[3]


def set_field(sheet: Sheet, key: str, text: str) -> Sheet:
    """Type a field of the title block; what Pulley knows stands there again when the text is empty."""
    typed = " ".join(text.split())[:500]
    fields = {k: v for k, v in sheet.fields.items() if k != key} | ({key: typed} if typed else {})
    return replace(sheet, fields=fields)


def restyle(assembly: Assembly, sheet: Sheet, **given: object) -> Sheet:
    """Set details of a sheet's style, as `PagePattern` has them; balloons of another size find places of their own.

    Raises
    ------
    PulleyError
        When lines or balloons would be out of range, or the projection is none.
    """
    pattern = replace(sheet.pattern, **given)  # type: ignore[arg-type]
    if not 0.13 <= pattern.line <= 2 or not 2.5 <= pattern.radius <= 20 or pattern.projection not in ("first", "third"):
        raise PulleyError("That is out of range: lines are 0.13 to 2 mm wide, balloons 2.5 to 20 mm in radius.")
    changed = replace(sheet, pattern=pattern)
    if pattern.radius != sheet.pattern.radius:
        for page in sheet.pages:
            changed = retidied(assembly, sheet, changed, page.id, {v.id for v in page.views})
    return changed


def use_pattern(assembly: Assembly, sheet: Sheet, pattern: PagePattern) -> Sheet:
    """Draw a sheet by another page pattern; where it wants other paper, pages get that."""
    changed = replace(sheet, pattern=pattern)
    for page in sheet.pages:
        lists = tuple(replace(parts, columns=pattern.columns, height=pattern.lettering) for parts in page.lists)
        changed = with_page(changed, replace(changed.page(page.id), lists=lists))
        name = pattern.paper or page.paper
        wide = page.wide if pattern.wide is None else pattern.wide
        if (name, wide) != (page.paper, page.wide):
            changed = set_paper(assembly, changed, page.id, Paper(name, wide))
        else:
            changed = retidied(assembly, sheet, changed, page.id, {v.id for v in page.views})
    return changed
