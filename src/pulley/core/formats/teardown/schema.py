"""The JSON Schema of teardown JSON: the file beside this, with what each kind of motion adds; and what it refuses."""

import json
from functools import cache, reduce
from pathlib import Path
from typing import Any, cast

from jsonschema_rs import Draft202012Validator, ValidationError, ValidationErrorKind

from pulley.core.errors import PulleyError
from pulley.core.motion import KINDS

BASE = Path(__file__).with_name("teardown.schema.json")


@cache
def schema() -> dict[str, Any]:
    """The whole schema, not to be altered: what docs/teardown.schema.json holds."""
    whole: dict[str, Any] = json.loads(BASE.read_text())
    step = whole["$defs"]["step"]
    step["properties"]["kind"] = {"enum": list(KINDS)}
    for motion in KINDS.values():
        step["properties"] |= motion.schema
    step["allOf"] = [
        {"if": {"properties": {"kind": {"const": kind}}}, "then": motion.required} for kind, motion in KINDS.items()
    ]
    return whole


@cache
def _validator() -> Draft202012Validator:
    return Draft202012Validator(schema())


def check_document(document: Any) -> None:
    """Raise PulleyError unless plain JSON values are a teardown by the schema and within what is kept of one; what
    takes long to look at is counted first.

    Raises
    ------
    PulleyError
        With the place in the document, and what would be right there.
    """
    if isinstance(document, dict):
        for key, rule in schema()["properties"].items():
            given, most = document.get(key), rule.get("maxItems")
            if most and isinstance(given, list) and len(given) > most:
                raise PulleyError(f"{key} has {len(given):,} entries; {most:,} fit. Make several teardowns of it.")
    if _validator().is_valid(document):
        return
    errors = sorted(_validator().iter_errors(document), key=lambda e: list(map(str, e.instance_path)))
    raise PulleyError(f"{_place(document, errors[0])}: {_complaint(errors[0])}.")


def _place(document: Any, error: ValidationError) -> str:
    """Where an error is, as a person would say it: the step by its id, then the field."""
    place: list[Any] = list(error.instance_path)
    if len(place) > 1 and place[0] == "steps" and isinstance(document["steps"][place[1]], dict):
        step = document["steps"][place[1]].get("id", f"number {place[1] + 1}")
        return f"Step {str(step)[:40]}" + (": " + _dotted(place[2:]) if place[2:] else "")
    return _dotted(place) or "the file"


def _dotted(place: list[str | int]) -> str:
    return "".join(f"[{p}]" if isinstance(p, int) else f".{p}" for p in place).lstrip(".")


def _complaint(error: ValidationError) -> str:
    """What is wrong, in words for the rules where the library's own say little."""
    kind: Any = error.kind
    found: Any = error.instance
    if isinstance(kind, ValidationErrorKind.ExclusiveMinimum):
        return f"{error.instance} is not above {kind.limit}"
    if isinstance(kind, ValidationErrorKind.UniqueItems):
        twice = next(item for item in found if found.count(item) > 1)
        return f"“{str(twice)[:200]}” is listed twice"
    if isinstance(kind, ValidationErrorKind.OneOfNotValid | ValidationErrorKind.OneOfMultipleValid):
        choices: Any = reduce(lambda at, key: at[key], error.schema_path, cast(Any, schema()))
        if all("required" in choice for choice in choices):
            return "needs one of " + ", ".join(f"“{choice['required'][0]}”" for choice in choices)
    return error.message[:200]


def text() -> str:
    """The schema as the file in docs/ holds it: ``python -m pulley.core.formats.teardown.schema > FILE``."""
    return json.dumps(schema(), indent=1, ensure_ascii=False) + "\n"


if __name__ == "__main__":
    print(text(), end="")
