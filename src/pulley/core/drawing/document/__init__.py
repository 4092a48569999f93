"""Sheet JSON, the open format of a sheet: its schema, its codec, and what it is checked for."""

from pulley.core.drawing.document.codec import (
    SIZE_LIMIT,
    dumps,
    from_document,
    loads,
    pattern_document,
    pattern_from,
    to_document,
)
from pulley.core.drawing.document.schema import check_document, schema

__all__ = [
    "SIZE_LIMIT",
    "check_document",
    "dumps",
    "from_document",
    "loads",
    "pattern_document",
    "pattern_from",
    "schema",
    "to_document",
]
