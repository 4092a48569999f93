"""Every change to a sheet: validated by core, kept with its history, refused when the page is behind."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

from django.db import transaction

from pulley.core.assembly import Assembly
from pulley.core.drawing import document as sheet_json
from pulley.core.drawing import follow
from pulley.core.drawing.changes.listing import with_everywhere
from pulley.core.drawing.layout import first_sheet
from pulley.core.drawing.patterns import PATTERNS
from pulley.core.drawing.sheet import PagePattern
from pulley.core.drawing.sheet import Sheet as CoreSheet
from pulley.core.errors import PulleyError
from pulley.core.teardown import Teardown as CoreTeardown
from pulley.web import history
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
    drawn = with_everywhere(drawn, row.assembly.names)
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
    """The sheet that a row holds, with the names that its assembly's parts have everywhere now, unless it is issued."""
    drawn = sheet_json.from_document(row.document, None)
    return with_everywhere(drawn, {} if drawn.frozen else row.teardown.assembly.names)


def _save(row: Sheet, drawn: CoreSheet, document: dict[str, Any]) -> None:
    """Let a row hold a sheet, and its assembly the names that its parts have everywhere."""
    row.document, row.name, row.page_count = document, drawn.name[:300], len(drawn.pages)
    row.save()
    assembly = row.teardown.assembly
    if assembly.names != drawn.items.everywhere:
        assembly.names = drawn.items.everywhere
        assembly.save(update_fields=["names"])


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
    _check_revision(row, revision)
    before = load(row)
    if not issued:
        follow.check_open(before)
    changed = change(before, core_assembly(row.teardown.assembly))
    named = before.items.everywhere, changed.sheet.items.everywhere
    document = _checked(with_everywhere(changed.sheet, _laid(_kept_names(row.document), *named)))
    patch = history.change_between(row.document, document)
    with transaction.atomic():
        row = _locked(row)
        if done := _done(row, asked):
            return row, done
        _check_revision(row, revision)
        names = _laid(row.teardown.assembly.names, *named)
        changed = replace(changed, sheet=with_everywhere(changed.sheet, names))
        entry = history.append(row, row.cursor, document, patch, changed.label, asked)
        row.cursor, row.revision = entry.number, revision + 1
        _save(row, changed.sheet, document)
    return row, changed


def _done(row: Sheet, asked: str) -> Changed | None:
    label = history.made_already(row, asked)
    return Changed(load(row), label) if label is not None else None


def _kept_names(document: dict[str, Any]) -> dict[str, str]:
    """The names everywhere that a kept sheet says there were."""
    return dict(document["items"].get("everywhere", {}))


def _laid(names: dict[str, str], was: dict[str, str], wanted: dict[str, str]) -> dict[str, str]:
    """Names, with only what differs between two states of a sheet laid on them."""
    changed = {key for key in was.keys() | wanted.keys() if was.get(key) != wanted.get(key)}
    return {k: v for k, v in names.items() if k not in changed} | {k: wanted[k] for k in changed & wanted.keys()}


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


def _check_revision(row: Sheet, revision: int) -> None:
    if row.revision != revision:
        raise Stale(BEHIND)


def _hold(row: Sheet, number: int, document: dict[str, Any]) -> None:
    """Let the row hold what an entry of its history says."""
    names = _laid(row.teardown.assembly.names, _kept_names(row.document), _kept_names(document))
    drawn = with_everywhere(sheet_json.from_document(document, None), names)
    row.cursor, row.revision = number, row.revision + 1
    _save(row, drawn, document)


KEEPER = history.Keeper(_locked, _check_revision, _hold)
step_through_history = partial(history.step_through, KEEPER)
return_to = partial(history.return_to, KEEPER)


def teardown_now(row: Sheet) -> CoreTeardown:
    """The teardown of a sheet, as it is now."""
    return editor.teardown_at(row.teardown)


def taken_over(row: Sheet) -> Change:
    """The change that takes the teardown over as it is now."""
    return lambda sheet, assembly: Changed(follow.take_over(assembly, sheet, teardown_now(row)), "Take over")


def follows_now(drawn: CoreSheet, now: CoreTeardown) -> bool:
    """Whether the teardown is to be taken over without being asked for."""
    return drawn.automatic and not drawn.frozen and bool(follow.behind(drawn, now))


def to_hand_out(row: Sheet) -> CoreSheet:
    """The sheet for a file: one that follows by itself as it will be when its page is opened next."""
    drawn, now = load(row), teardown_now(row)
    return follow.take_over(core_assembly(row.teardown.assembly), drawn, now) if follows_now(drawn, now) else drawn
