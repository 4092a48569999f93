"""Keeping a teardown: its document, and its history as snapshots with the patches between them."""

import json
from dataclasses import asdict, replace
from typing import Any, Protocol

import jsonpatch
from django.db.models import Max

from pulley.core import teardown as core
from pulley.core.formats import teardown as teardown_json
from pulley.web.editor.models import Entry, Teardown
from pulley.web.library.models import Assembly

FAR = 50  # entries after which a new one is a snapshot: as many patches at most are read to get at any state
LARGE = 0.5  # of a document: a patch larger than that is kept as a snapshot

ABSENT = object()  # what a document that lacks a key has there

Document = dict[str, Any]


class Kept(Protocol):
    """A row that holds a document, and its history: a teardown, or a sheet."""

    document: Any
    cursor: int
    history: Any


def load(row: Teardown) -> core.Teardown:
    """The teardown that a row holds, with the bundles that its assembly has now."""
    return replace(teardown_json.from_kept(row.document), bundles=bundles_of(row.assembly))


def bundles_of(assembly: Assembly) -> tuple[core.Bundle, ...]:
    """The bundles of an assembly, which all its teardowns share."""
    return tuple(core.Bundle(b["name"], tuple(b["members"]), b.get("extra", {})) for b in assembly.bundles)


def begin(row: Teardown, teardown: core.Teardown) -> None:
    """Let a new row hold a teardown, as the first entry of its history."""
    document = teardown_json.to_document(teardown)
    save(row, teardown, document)
    Entry.objects.create(teardown=row, number=0, base=0, label="", snapshot=document)


def save(row: Teardown, teardown: core.Teardown, document: Document) -> None:
    """Let a row hold a teardown, of which this is the document; call it inside a transaction."""
    row.document, row.name, row.step_count = document, teardown.name, len(teardown.steps)
    row.save()
    bundles = json.loads(json.dumps([asdict(bundle) for bundle in teardown.bundles]))
    if bundles != row.assembly.bundles:
        row.assembly.bundles = bundles
        row.assembly.save(update_fields=["bundles"])


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
    row: Kept, parent: int, document: Document, patch: list[dict[str, Any]] | None, label: str, asked: str
) -> Entry:
    """A new entry made on ``parent``, of which ``patch`` makes ``document``; call it with the row locked."""
    number = row.history.aggregate(last=Max("number"))["last"] + 1
    base = row.history.values_list("base", flat=True).get(number=parent)
    kept: dict[str, Any]
    if patch is None or number - base >= FAR:
        kept = {"base": number, "snapshot": document}
    else:
        kept = {"base": base, "patch": patch}
    entry: Entry = row.history.create(number=number, parent=parent, label=label[:255], asked=asked[:40], **kept)
    return entry


def document_at(row: Kept, number: int) -> Document | None:
    """What the teardown was after the change with this number; None when there is no such entry."""
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
