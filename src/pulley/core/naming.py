"""What to call things: short names that tell each component from its namesakes, and ids that are free."""

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from itertools import count

from pulley.core.assembly import Assembly, Component, Leaf
from pulley.core.quantities import shown


def component_name(assembly: Assembly, path: str) -> str:
    """What to call one component: its own name, with as many parents' as tell it from its namesakes.

    The component "bolt" of two "bracket" subassemblies "left" and "right" is "bolt in bracket in left".

    Parameters
    ----------
    assembly : Assembly
    path : str
    """
    return assembly.once(("names",), lambda: _names(assembly))[path]


def _names(assembly: Assembly) -> dict[str, str]:
    """The name of every component, by path."""
    chains = {c.path: _chain(assembly, c) for c in assembly.components}
    used = Counter(" in ".join(chain[:k]) for chain in chains.values() for k in range(1, len(chain) + 1))
    return {
        path: next((name for k in range(1, len(chain) + 1) if used[name := " in ".join(chain[:k])] == 1), path)
        for path, chain in chains.items()
    }


def _chain(assembly: Assembly, component: Component) -> list[str]:
    """The names from a component up to the root."""
    chain = [component.name]
    while component.parent:
        component = assembly.by_path[component.parent]
        chain.append(component.name)
    return chain


def members_name(assembly: Assembly, members: Sequence[str]) -> str:
    """What to call a selection, in short: a component's own name, or two, ``6 × part``, or the first and how many more.

    Parameters
    ----------
    assembly : Assembly
    members : sequence of str
        Paths, one at least.
    """
    first = assembly.by_path[members[0]].name
    if len(members) == 1:
        return first
    parts = {c.part if isinstance(c := assembly.by_path[m], Leaf) else None for m in members}
    part = parts.pop() if len(parts) == 1 else None
    if part is not None:
        return f"{len(members)} × {part.name}"
    other = assembly.by_path[members[1]].name if len(members) == 2 else ""
    return f"{first} and {other or f'{len(members) - 1} more'}"


def give_sentence(assembly: Assembly, leaf: str, by: float, unit: str = "mm") -> str:
    """That a component must bend in a step: ``Circlip gives by 1.2 mm``.

    Parameters
    ----------
    assembly : Assembly
    leaf : str
    by : float
        In mm.
    unit : str
        In which it is said: ``mm``, ``cm`` or ``in``.
    """
    return f"{component_name(assembly, leaf)} gives by {shown(by, unit)} {unit}"


def listed(names: list[str], most: int = 5) -> str:
    """Names apart by commas, the first few of them.

    >>> listed(list("abcdefgh"))
    'a, b, c, d, e and 3 more'
    """
    return ", ".join(names[:most]) + (f" and {len(names) - most} more" if len(names) > most else "")


def free_ids(taken: Iterable[str], letter: str) -> Iterator[str]:
    """The letter with each number from 1 on that is not taken.

    Examples
    --------
    >>> ids = free_ids(["s1", "s3"], "s")
    >>> next(ids), next(ids)
    ('s2', 's4')
    """
    known = set(taken)
    return (id for number in count(1) if (id := f"{letter}{number}") not in known)


def free_id(taken: Iterable[str], letter: str) -> str:
    """The first of `free_ids`."""
    return next(free_ids(taken, letter))
