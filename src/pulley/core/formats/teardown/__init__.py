"""Teardown JSON, the open format of a teardown: its schema, its codec, its older versions, and what it names."""

from pulley.core.formats.teardown.codec import (
    SIZE_LIMIT,
    UNKNOWN_LIMIT,
    dumps,
    from_document,
    from_kept,
    loads,
    step_document,
    to_document,
)
from pulley.core.formats.teardown.references import check_members, check_source
from pulley.core.formats.teardown.schema import check_document, schema

__all__ = [
    "SIZE_LIMIT",
    "UNKNOWN_LIMIT",
    "check_document",
    "check_members",
    "check_source",
    "dumps",
    "from_document",
    "from_kept",
    "loads",
    "schema",
    "step_document",
    "to_document",
]
