"""Documents with a history: snapshots with the patches between them, which undo, redo and return walk along."""

import json
import uuid
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import jsonpatch
from django.db import models, transaction
from django.db.models import Max

from pulley.core.errors import PulleyError

FAR = 50  # entries after which a new one is a snapshot: as many patches at most are read to get at any state
LARGE = 0.5  # of a document: a patch larger than that is kept as a snapshot

ABSENT = object()  # what a document that lacks a key has there

Document = dict[str, Any]


class KeptDocument(models.Model):
    """A row that holds one document, and its history.

    ``revision`` counts every change, undo and redo included, so that a page can tell that it is behind; ``cursor`` is
    the number of the history entry that is shown. One that was ``deleted`` can be brought back.
    """

    id = models.UUIDField(primary_key=True, default=uuid.uuid4, editable=False)
    document = models.JSONField(default=dict)
    revision = models.PositiveIntegerField(default=0)
    cursor = models.PositiveIntegerField(default=0)
    created = models.DateTimeField(auto_now_add=True)
    changed = models.DateTimeField(auto_now=True)
    deleted = models.DateTimeField(null=True)

    history: Any  # entries, related to by each kind

    class Meta:
        """In order of creation."""

        abstract = True
        ordering = ["created"]


class HistoryEntry(models.Model):
    """What a row was after one change, what the change was, and which entry it was made on.

    Either the whole document is here, as a ``snapshot``, or what changed in it since the ``parent``, as a ``patch``
    (JSON Patch, RFC 6902); then the nearest snapshot on the way back is that of entry ``base``. Entries are never
    taken out: a change made after an undo begins another branch.
    """

    number = models.PositiveIntegerField()
    parent = models.PositiveIntegerField(null=True)
    base = models.PositiveIntegerField()
    label = models.CharField(max_length=255)
    asked = models.CharField(max_length=40, default="", help_text="The page's name for the change: once is enough")
    snapshot = models.JSONField(null=True)
    patch = models.JSONField(null=True)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        """Oldest first; each kind says what it is the history of."""

        abstract = True
        ordering = ["number"]

    def __str__(self) -> str:
        return f"{self.number}: {self.label}"


@dataclass(frozen=True)
class Keeper:
    """How rows of one kind are kept.

    Attributes
    ----------
    locked : callable(row)
        The row as it is now, locked; PulleyError when it was deleted.
    check : callable(row, revision)
        Raises Stale when the row is not at this revision.
    hold : callable(row, number, document)
        Lets the row hold the document of an entry, at the next revision, and saves it.
    """

    locked: Callable[[Any], Any]
    check: Callable[[Any, int], None]
    hold: Callable[[Any, int, Document], None]


def step_through(keeper: Keeper, row: Any, revision: int, by: int) -> Any:
    """Undo (by = -1) or redo (by = 1); PulleyError at either end of the history."""
    with transaction.atomic():
        row = keeper.locked(row)
        keeper.check(row, revision)
        number = neighbour(row, by)
        if number is None:
            raise PulleyError("There is nothing more to undo." if by < 0 else "There is nothing more to redo.")
        _go(keeper, row, number)
    return row


def return_to(keeper: Keeper, row: Any, revision: int, number: int) -> Any:
    """Make an entry of the history the present state; nothing that came after is lost."""
    with transaction.atomic():
        row = keeper.locked(row)
        keeper.check(row, revision)
        _go(keeper, row, number)
    return row


def _go(keeper: Keeper, row: Any, number: int) -> None:
    document = document_at(row, number)
    if document is None:
        raise PulleyError("That state is no longer in the history. Nothing was changed.")
    keeper.hold(row, number, document)


def neighbour(row: KeptDocument, by: int) -> int | None:
    """The number of the entry that undo (by = -1) or redo (by = 1) leads to; None at the end of the history."""
    child = _child(row) if by > 0 else None
    return _parent(row) if by < 0 else child.number if child else None


def _parent(row: KeptDocument) -> int | None:
    number: int | None = row.history.values_list("parent", flat=True).filter(number=row.cursor).first()
    return number


def _child(row: KeptDocument) -> Any:
    return row.history.filter(parent=row.cursor).defer("snapshot", "patch").order_by("-number").first()


def made_already(row: KeptDocument, asked: str) -> str | None:
    """The label of the change that a page called so, when it was made already."""
    label: str | None = row.history.filter(asked=asked[:40]).values_list("label", flat=True).first() if asked else None
    return label


def undo_labels(row: KeptDocument) -> dict[str, Any]:
    """What undo would take back and redo bring again; None where there is nothing."""
    now = row.history.filter(number=row.cursor).defer("snapshot", "patch").first()
    child = _child(row)
    return {
        "undo": now.label if now and now.parent is not None else None,
        "redo": child.label if child else None,
    }


def entries(row: KeptDocument, most: int = 300) -> list[dict[str, Any]]:
    """The latest entries, newest first: number, label, when, whether it is the present one and on the way to it."""
    latest = list(row.history.order_by("-number").values("number", "parent", "label", "created")[:most])
    parents = {entry["number"]: entry["parent"] for entry in latest}
    line, number = set(), row.cursor if row.cursor in parents else None
    while number in parents:
        line.add(number)
        number = parents[number]
    return [e | {"now": e["number"] == row.cursor, "on_line": e["number"] in line} for e in latest]


def change_between(before: Document, after: Document) -> list[dict[str, Any]] | None:
    """The patch that makes one document of another; None when keeping the other whole takes hardly more room."""
    patch = _patch(before, after)
    return patch if len(json.dumps(patch)) < LARGE * len(json.dumps(after)) else None


def _patch(before: Document, after: Document) -> list[dict[str, Any]]:
    """The patch between two documents. What is equal is left out beforehand, also each of as many steps as there were:
    comparing is much quicker than looking for a short patch."""
    changed = [key for key in {**before, **after} if before.get(key, ABSENT) != after.get(key, ABSENT)]
    old, new = ({key: document[key] for key in changed if key in document} for document in (before, after))
    steps = old.get("steps", []), new.get("steps", [])
    patch: list[dict[str, Any]] = []
    if steps[0] and len(steps[0]) == len(steps[1]):
        old["steps"] = new["steps"] = []
        for k, (was, now) in enumerate(zip(*steps, strict=True)):
            for operation in jsonpatch.make_patch(was, now).patch if was != now else ():
                places = {name: f"/steps/{k}{operation[name]}" for name in ("path", "from") if name in operation}
                patch.append(operation | places)
    return [*patch, *jsonpatch.make_patch(old, new).patch]


def append(
    row: KeptDocument, parent: int, document: Document, patch: list[dict[str, Any]] | None, label: str, asked: str
) -> Any:
    """A new entry made on ``parent``, of which ``patch`` makes ``document``; call it with the row locked."""
    number = row.history.aggregate(last=Max("number"))["last"] + 1
    base = row.history.values_list("base", flat=True).get(number=parent)
    kept: dict[str, Any]
    if patch is None or number - base >= FAR:
        kept = {"base": number, "snapshot": document}
    else:
        kept = {"base": base, "patch": patch}
    return row.history.create(number=number, parent=parent, label=label[:255], asked=asked[:40], **kept)


def document_at(row: KeptDocument, number: int) -> Document | None:
    """What a row was after the change with this number; None when there is no such entry."""
    if number == row.cursor:
        present: Document = row.document
        return present
    base = row.history.values_list("base", flat=True).filter(number=number).first()
    if base is None:
        return None
    chain = {e.number: e for e in row.history.filter(base=base, number__gte=base, number__lte=number)}
    patches = []
    entry = chain[number]
    while entry.snapshot is None:
        patches.append(entry.patch)
        entry = chain[entry.parent if entry.parent is not None else base]
    document: Document = entry.snapshot
    for patch in reversed(patches):
        document = jsonpatch.apply_patch(document, patch, in_place=True)
    return document
