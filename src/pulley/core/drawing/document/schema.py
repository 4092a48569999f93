"""The JSON Schema of sheet JSON, and what it refuses."""

import json
from functools import cache
from pathlib import Path
from typing import Any

from jsonschema_rs import Draft202012Validator

from pulley.core.errors import PulleyError

BASE = Path(__file__).with_name("sheet.schema.json")


@cache
def schema() -> dict[str, Any]:
    """The schema, not to be altered: what docs/sheet.schema.json holds."""
    whole: dict[str, Any] = json.loads(BASE.read_text())
    return whole


@cache
def _validator() -> Draft202012Validator:
    return Draft202012Validator(schema())


def check_document(document: Any) -> None:
    """Raise PulleyError unless plain JSON values are a sheet by the schema.

    Raises
    ------
    PulleyError
        With the place in the document, and what is wrong there.
    """
    _check(_validator(), document)


def check_pattern(document: Any) -> None:
    """Raise PulleyError unless plain JSON values are a page pattern by the schema."""
    _check(_pattern_validator(), document)


@cache
def _pattern_validator() -> Draft202012Validator:
    return Draft202012Validator(schema()["$defs"]["pattern"])


def _check(validator: Draft202012Validator, document: Any) -> None:
    if validator.is_valid(document):
        return
    errors = sorted(validator.iter_errors(document), key=lambda e: list(map(str, e.instance_path)))
    place = "".join(f"[{p}]" if isinstance(p, int) else f".{p}" for p in errors[0].instance_path).lstrip(".")
    raise PulleyError(f"{place or 'the file'}: {errors[0].message[:200]}.")
