"""Kinds of analysis: what each works out, and what it depends on."""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

from pulley.core.assembly import Assembly
from pulley.core.contact.terms import motions
from pulley.core.teardown import Teardown
from pulley.web.jobs.registry import Report


@dataclass(frozen=True)
class Case:
    """What is analysed: a teardown of an assembly; ``asked`` is what else was said, as plain JSON values."""

    assembly: Assembly
    teardown: Teardown
    asked: dict[str, Any] = field(default_factory=dict)


Finds = Callable[[Case, Report], Any]
Depends = Callable[[Teardown], tuple[Any, ...]]


@dataclass(frozen=True)
class Kind:
    """``find`` works it out; ``depends`` says what of a teardown it depends on: equal for those with one answer."""

    find: Finds
    depends: Depends


KINDS: dict[str, Kind] = {}


def analysis(name: str, depends: Depends = motions) -> Callable[[Finds], Finds]:
    """Decorator: this is how an analysis of that kind is done."""

    def register(find: Finds) -> Finds:
        KINDS[name] = Kind(find, depends)
        return find

    return register
