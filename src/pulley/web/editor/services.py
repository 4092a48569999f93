"""Every change to a teardown: validated by core, kept with its history, refused when the page is behind."""

import threading
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

from cachetools import LRUCache
from django.db import transaction

from pulley.core import describe
from pulley.core import teardown as core
from pulley.core.assembly import Assembly as CoreAssembly
from pulley.core.errors import PulleyError
from pulley.core.formats import teardown as teardown_json
from pulley.web import history
from pulley.web.editor import persistence
from pulley.web.editor.models import Teardown
from pulley.web.errors import Stale
from pulley.web.library.models import Assembly
from pulley.web.library.services import core_assembly


@dataclass(frozen=True)
class Changed:
    """A teardown after a change, what was done in words, and the step whose card should be open now."""

    teardown: core.Teardown
    label: str
    open: str | None = None


Change = Callable[[core.Teardown, CoreAssembly], Changed]
BEHIND = (
    "This teardown was changed in another window, and you now see what it has become. "
    "Nothing was lost; your last action was not carried out."
)


def create(assembly: Assembly, teardown: core.Teardown) -> Teardown:
    """A new teardown of an assembly; its bundles join the assembly's.

    Raises PulleyError when it names a component that the assembly lacks.
    """
    known = core_assembly(assembly)
    teardown_json.check_members(known, teardown)
    with transaction.atomic():
        row = Teardown.objects.create(assembly=assembly, name=teardown.name)
        have = persistence.bundles_of(assembly)
        names = {bundle.name for bundle in have}
        bundles = (*have, *(bundle for bundle in teardown.bundles if bundle.name not in names))
        persistence.begin(row, replace(teardown, source=known.source, bundles=bundles))
    return row


def new_name(assembly: Assembly, wanted: str = "Teardown") -> str:
    """A name for the next teardown, the wanted one and a number, that no other of this assembly has."""
    taken = set(assembly.teardowns.values_list("name", flat=True))
    number = 1
    while f"{wanted[:190]} {number}" in taken:
        number += 1
    return f"{wanted[:190]} {number}"


def duplicate(row: Teardown) -> Teardown:
    """A copy of a teardown, without its history."""
    teardown = persistence.load(row)
    return create(row.assembly, replace(teardown, name=new_name(row.assembly, f"{row.name}, copy")))


def edit(
    row: Teardown, revision: int, change: Change, at: int | None = None, shown: int | None = None, asked: str = ""
) -> tuple[Teardown, Changed]:
    """Carry out one change and keep it; the kept row and the change.

    Parameters
    ----------
    row : Teardown
        As it was just read.
    revision : int
        The revision that the page shows.
    change : callable(teardown, assembly) -> Changed
        Made of functions of core; the label says what was done, for the undo button.
    at : int, optional
        An earlier entry of the history that the page looks at: the change goes on from there.
    shown : int, optional
        The entry that the page took for the present one, to say what differs when it is behind.
    asked : str, optional
        The page's own name for this change. One that was carried out already, its answer lost, is not made twice.

    Raises
    ------
    Stale
        When the kept teardown is newer than the page.
    PulleyError
        When core refuses the change. Either way nothing is changed.
    """
    if done := _done(row, asked):
        return row, done
    _check_revision(row, revision, shown)
    parent = row.cursor if at is None else at
    before = history.document_at(row, parent)
    if before is None:
        raise PulleyError("That state is no longer in the history. Nothing was changed.")
    teardown = _with_bundles(row, parent, before)
    changed = change(teardown, core_assembly(row.assembly))
    document = _checked(changed.teardown)
    if document == before and changed.teardown.bundles == teardown.bundles:
        return row, changed  # nothing to be undone
    patch = history.change_between(before, document)
    with transaction.atomic():  # everything that takes time was worked out before
        row = _locked(row)
        if done := _done(row, asked):
            return row, done
        _check_revision(row, revision, shown)
        if changed.teardown.bundles == teardown.bundles:
            changed = replace(changed, teardown=replace(changed.teardown, bundles=persistence.bundles_of(row.assembly)))
        elif teardown.bundles != persistence.bundles_of(row.assembly):
            raise Stale("The bundles of this assembly were changed elsewhere meanwhile. Do that again.", [])
        entry = history.append(row, parent, document, patch, changed.label, asked)
        row.cursor, row.revision = entry.number, revision + 1
        persistence.save(row, changed.teardown, document)
    _keep(row, changed.teardown)
    return row, changed


def _done(row: Teardown, asked: str) -> Changed | None:
    """The change of that name, when it was made already; PulleyError for a teardown that was deleted."""
    if row.deleted:
        raise PulleyError("This teardown was deleted. Bring it back from the library first; nothing was changed.")
    label = history.made_already(row, asked)
    return Changed(_kept(row), label) if label is not None else None


def _with_bundles(row: Teardown, number: int, document: dict[str, Any]) -> core.Teardown:
    """What an entry says; its bundles are the assembly's, unless the way there changed them."""
    if number == row.cursor:
        return _kept(row)
    teardown = teardown_json.from_kept(document)
    if document.get("bundles") == row.document.get("bundles"):
        teardown = replace(teardown, bundles=persistence.bundles_of(row.assembly))
    return teardown


def _checked(teardown: core.Teardown) -> dict[str, Any]:
    """The document of a changed teardown: nothing is kept that a teardown file could not hold."""
    document = teardown_json.to_document(teardown)
    try:
        teardown_json.check_document(document)
    except PulleyError as error:
        raise PulleyError(f"That cannot be kept: {error} Nothing was changed.") from error
    return document


def _hold(row: Teardown, number: int, document: dict[str, Any]) -> None:
    """Let the row hold what an entry of its history says."""
    teardown = _with_bundles(row, number, document)
    row.cursor, row.revision = number, row.revision + 1
    persistence.save(row, teardown, document)


def teardown_at(row: Teardown, at: int | None = None) -> core.Teardown:
    """The teardown, or what an entry of its history says it was."""
    if at is None or at == row.cursor:
        return _kept(row)
    document = history.document_at(row, at)
    if document is None:
        raise PulleyError("That state is no longer in the history. Go back to the latest.")
    return teardown_json.from_kept(document)


_loaded: LRUCache[tuple[Any, int], core.Teardown] = LRUCache(
    64
)  # teardowns by id and revision: what a page asks about one between two changes
_lock = threading.Lock()


def _kept(row: Teardown) -> core.Teardown:
    """What the rows hold; read once a revision, but for the bundles, which another teardown may change."""
    key = row.pk, row.revision
    with _lock:
        found = _loaded.get(key)
    if found is None:
        found = persistence.load(row)
        _keep(row, found)
    return replace(found, bundles=persistence.bundles_of(row.assembly))


def _keep(row: Teardown, teardown: core.Teardown) -> None:
    with _lock:
        _loaded[row.pk, row.revision] = teardown


def _locked(row: Teardown) -> Teardown:
    row = Teardown.objects.select_for_update().select_related("assembly").get(pk=row.pk)
    if row.deleted:
        raise PulleyError("This teardown was deleted. Bring it back from the library first; nothing was changed.")
    return row


def _check_revision(row: Teardown, revision: int, shown: int | None = None) -> None:
    if row.revision != revision:
        raise Stale(BEHIND, _differences(row, shown))


def _differences(row: Teardown, shown: int | None) -> list[str]:
    """What the kept teardown has that the page does not show, in sentences."""
    document = history.document_at(row, shown) if shown is not None else None
    if document is None:
        return []
    return describe.differences(teardown_json.from_kept(document), persistence.load(row))


KEEPER = history.Keeper(_locked, _check_revision, _hold)
step_through_history = partial(history.step_through, KEEPER)
return_to = partial(history.return_to, KEEPER)
