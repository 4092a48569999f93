"""Keeping a teardown: its document, and the bundles that it shares with the others of its assembly."""

import json
from dataclasses import asdict, replace
from typing import Any

from pulley.core import teardown as core
from pulley.core.formats import teardown as teardown_json
from pulley.web.editor.models import Entry, Teardown
from pulley.web.library.models import Assembly

Document = dict[str, Any]


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
