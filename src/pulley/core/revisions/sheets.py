"""A drawing sheet that was made of one revision of a model, for another."""

from collections import Counter
from collections.abc import Mapping
from dataclasses import fields, is_dataclass, replace
from typing import Any

from pulley.core.drawing.changes.balloons import balloons_for
from pulley.core.drawing.follow import take_over
from pulley.core.drawing.rows import rows
from pulley.core.drawing.sheet import Items, Sheet
from pulley.core.revisions.matching import Comparison
from pulley.core.teardown import Teardown

PATHS = ("component", "components", "more")  # fields that hold paths of components, or of those that go with them


def carry_sheet(sheet: Sheet, comparison: Comparison, teardown: Teardown) -> Sheet:
    """A sheet of the new revision: what was placed and typed stays with its part, new parts get balloons.

    One that was issued is taken up again: it is a drawing of another revision.

    Parameters
    ----------
    sheet : Sheet
    comparison : Comparison
    teardown : Teardown
        The sheet's teardown, carried over.
    """
    names = {**parts_of(comparison), **comparison.to_new}
    pages = tuple(_renamed(page, names) for page in sheet.pages)
    carried = replace(sheet, pages=pages, items=_items(sheet.items, names), teardown=teardown, frozen=False)
    known = set(names.values())
    made = take_over(comparison.new, carried, teardown)
    if any(row.key not in known for row in rows(comparison.new, made)):
        for page in sheet.pages:
            views = {balloon.view for balloon in page.balloons}
            if views:
                made, _ = balloons_for(comparison.new, made, page.id, views)
    return made


def parts_of(comparison: Comparison) -> dict[str, str]:
    """The part of the new revision that stands for each of the old one: that of most of its components."""
    votes: dict[str, Counter[str]] = {}
    for pair in comparison.pairs:
        if pair.old and pair.new:
            old, new = comparison.old.leaf(pair.old).part, comparison.new.leaf(pair.new).part
            votes.setdefault(old.key, Counter())[new.key] += 1
    return {key: count.most_common(1)[0][0] for key, count in votes.items()}


def _renamed(item: Any, names: Mapping[str, str]) -> Any:
    """A dataclass with new paths wherever it names components; what is gone keeps its old one, which no longer leads
    anywhere."""
    changes: dict[str, Any] = {}
    for field in fields(item):
        value = getattr(item, field.name)
        if field.name in PATHS:
            changes[field.name] = (
                names.get(value, value) if isinstance(value, str) else tuple(names.get(v, v) for v in value)
            )
        elif isinstance(value, tuple) and value and is_dataclass(value[0]):
            changes[field.name] = tuple(_renamed(each, names) for each in value)
        elif is_dataclass(value) and not isinstance(value, type):
            changes[field.name] = _renamed(value, names)
    return replace(item, **changes)


def _items(items: Items, names: Mapping[str, str]) -> Items:
    """The rows of a parts list under the keys of the new revision; what is gone is forgotten."""

    def under(table: Mapping[str, Any]) -> dict[str, Any]:
        return {names[key]: value for key, value in table.items() if key in names}

    def kept(keys: tuple[str, ...]) -> tuple[str, ...]:
        return tuple(dict.fromkeys(names[key] for key in keys if key in names))

    return replace(
        items,
        whole=kept(items.whole),
        order=kept(items.order),
        left_out=kept(items.left_out),
        numbers=under(items.numbers),
        names=under(items.names),
        texts=under(items.texts),
        everywhere=under(items.everywhere),
        merged={names[a]: names[b] for a, b in items.merged.items() if a in names and b in names},
    )
