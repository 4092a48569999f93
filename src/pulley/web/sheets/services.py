"""Every change to a sheet: validated by core, kept with its history, refused when the page is behind."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any

from django.db import transaction

from pulley.core.assembly import Assembly
from pulley.core.drawing import document as sheet_json
from pulley.core.drawing import follow
from pulley.core.drawing.changes import names_everywhere
from pulley.core.drawing.layout import first_sheet
from pulley.core.drawing.patterns import PATTERNS
from pulley.core.drawing.sheet import PagePattern
from pulley.core.drawing.sheet import Sheet as CoreSheet
from pulley.core.errors import PulleyError
from pulley.core.teardown import Teardown as CoreTeardown
from pulley.web.editor import persistence
from pulley.web.editor import services as editor
from pulley.web.editor.models import Teardown
from pulley.web.errors import Stale
from pulley.web.library.services import core_assembly
from pulley.web.sheets.models import Sheet

BEHIND = (
    "This sheet was changed in another window, and you now see what it has become. "
    "Nothing was lost; your last action was not carried out."
)


@dataclass(frozen=True)
class Changed:
    """A sheet after a change, what was done in words, and what is selected now (None: as before)."""

    sheet: CoreSheet
    label: str
    selected: str | None = None
    page: str | None = None


Change = Callable[[CoreSheet, Assembly], Changed]


def create(row: Teardown, pattern: PagePattern | None = None) -> Sheet:
    """A first sheet of a teardown."""
    assembly, teardown = core_assembly(row.assembly), editor.teardown_at(row)
    drawn = first_sheet(assembly, teardown, pattern or PATTERNS["workshop"])
    return keep(row, drawn)


def keep(row: Teardown, drawn: CoreSheet) -> Sheet:
    """A new row for a sheet, as the first entry of its history."""
    document = sheet_json.to_document(None, drawn)
    with transaction.atomic():
        kept = Sheet(teardown=row)
        _save(kept, drawn, document)
        kept.history.create(number=0, base=0, label="", snapshot=document)
    return kept


def duplicate(row: Sheet) -> Sheet:
    """A copy of a sheet, without its history, and not issued."""
    drawn = load(row)
    return keep(row.teardown, replace(drawn, name=f"{drawn.name[:280]}, copy", issues=(), frozen=False))


def load(row: Sheet) -> CoreSheet:
    """The sheet that a row holds, with the names that its assembly's parts have everywhere."""
    return names_everywhere(sheet_json.from_document(row.document, None), row.teardown.assembly.names)


def _save(row: Sheet, drawn: CoreSheet, document: dict[str, Any]) -> None:
    row.document, row.name, row.page_count = document, drawn.name[:300], len(drawn.pages)
    row.save()


def edit(row: Sheet, revision: int, change: Change, asked: str = "", issued: bool = False) -> tuple[Sheet, Changed]:
    """Carry out one change and keep it; the kept row and the change.

    Parameters
    ----------
    row : Sheet
        As it was just read.
    revision : int
        The revision that the page shows.
    change : callable(sheet, assembly) -> Changed
        Made of functions of core.
    asked : str, optional
        The page's own name for this change: one that was carried out already is not made twice.
    issued : bool
        Whether the change may be made to a sheet that is issued.

    Raises
    ------
    Stale
        When the kept sheet is newer than the page.
    PulleyError
        When core refuses the change, or the sheet is issued. Either way nothing is changed.
    """
    if done := _done(row, asked):
        return row, done
    if row.revision != revision:
        raise Stale(BEHIND)
    before = load(row)
    if not issued:
        follow.check_open(before)
    changed = change(before, core_assembly(row.teardown.assembly))
    document = _checked(changed.sheet)
    patch = persistence.change_between(row.document, document)
    with transaction.atomic():
        row = _locked(row)
        if done := _done(row, asked):
            return row, done
        if row.revision != revision:
            raise Stale(BEHIND)
        entry = persistence.append(row, row.cursor, document, patch, changed.label, asked)
        row.cursor, row.revision = entry.number, revision + 1
        _save(row, changed.sheet, document)
    return row, changed


def _done(row: Sheet, asked: str) -> Changed | None:
    entry = row.history.filter(asked=asked[:40]).defer("snapshot", "patch").first() if asked else None
    return Changed(load(row), entry.label) if entry else None


def _checked(drawn: CoreSheet) -> dict[str, Any]:
    """The document of a changed sheet: nothing is kept that a sheet file could not hold."""
    document = sheet_json.to_document(None, drawn)
    try:
        sheet_json.check_document(document)
    except PulleyError as error:
        raise PulleyError(f"That cannot be kept: {error} Nothing was changed.") from error
    return document


def _locked(row: Sheet) -> Sheet:
    row = Sheet.objects.select_for_update().select_related("teardown__assembly").get(pk=row.pk)
    if row.deleted:
        raise PulleyError("This sheet was deleted. Bring it back from the library first; nothing was changed.")
    return row


def step_through_history(row: Sheet, revision: int, by: int) -> Sheet:
    """Undo (by = -1) or redo (by = 1); PulleyError at either end of the history."""
    with transaction.atomic():
        row = _locked(row)
        if row.revision != revision:
            raise Stale(BEHIND)
        number = editor.neighbour(row, by)
        if number is None:
            raise PulleyError("There is nothing more to undo." if by < 0 else "There is nothing more to redo.")
        _go(row, number)
    return row


def return_to(row: Sheet, revision: int, number: int) -> Sheet:
    """Make an entry of the history the present state; nothing that came after is lost."""
    with transaction.atomic():
        row = _locked(row)
        if row.revision != revision:
            raise Stale(BEHIND)
        _go(row, number)
    return row


def _go(row: Sheet, number: int) -> None:
    document = persistence.document_at(row, number)
    if document is None:
        raise PulleyError("That state is no longer in the history. Nothing was changed.")
    row.cursor, row.revision = number, row.revision + 1
    _save(row, sheet_json.from_document(document, None), document)


def teardown_now(row: Sheet) -> CoreTeardown:
    """The teardown of a sheet, as it is now."""
    return editor.teardown_at(row.teardown)


def followed(row: Sheet) -> Sheet:
    """The sheet, its teardown taken over first when that is wanted automatically and something differs."""
    drawn = load(row)
    now = teardown_now(row)
    if not drawn.automatic or drawn.frozen or not follow.behind(drawn, now):
        return row
    row, _ = edit(
        row, row.revision, lambda sheet, assembly: Changed(follow.take_over(assembly, sheet, now), "Take over")
    )
    return row
