"""Proposals that are worked out, known by what was asked for and by the time it was asked: a ``run`` of its own."""

from collections.abc import Callable
from hashlib import sha256
from typing import Any

from django.core.cache import cache

from pulley.core import teardown as core
from pulley.core.assembly import Assembly
from pulley.core.errors import PulleyError
from pulley.core.planning.peeling import Enough
from pulley.core.planning.proposal import Options, Proposal, propose
from pulley.core.quantities import parse_length
from pulley.web.door import whole
from pulley.web.editor import verdicts
from pulley.web.editor.changes.sent import Sent, paths_sent, unit_sent


def options_sent(sent: Sent) -> Options:
    """What the page asks of a proposal."""
    gap, length = (sent.get(key, "").strip() for key in ("gap", "length"))
    return Options(
        parts=tuple(paths_sent(sent)) if sent.get("scope") == "selection" else (),
        whole=tuple(paths_sent(sent)) if sent.get("depth") == "selection" else (),
        depth=whole(sent.get("depth")),
        stay=tuple(paths_sent(sent, "still")) if sent.get("stay") == "still" else (),
        gap=parse_length(gap, unit_sent(sent)) if gap else None,
        length=parse_length(length, unit_sent(sent)) if length else None,
        fasteners_first=sent.get("fasteners") != "last",
        most=whole(sent.get("most").strip()) if sent.get("most", "").strip() else None,
    )


def _asked(sent: Sent, options: Options) -> tuple[Any, ...]:
    return "proposal", options, sent.get("run", "")[:40]


def proposal(sent: Sent, teardown: core.Teardown, assembly: Assembly) -> Proposal:
    """The proposal that was shown for what the page sends.

    Raises PulleyError where it is not known any more: what is worked out anew need not be what was seen.
    """
    options = options_sent(sent)
    asked = _asked(sent, options)
    if asked[-1] and not verdicts.known(asked, assembly.key, teardown):
        raise PulleyError("That proposal is not known any more. Propose again; nothing was changed.")
    return verdicts.aside(asked, assembly.key, teardown, _work(assembly, teardown, options, asked))


def _work(
    assembly: Assembly, teardown: core.Teardown, options: Options, asked: tuple[Any, ...]
) -> Callable[..., Proposal]:
    def end_when_enough() -> None:
        if cache.get(_enough(asked)):
            raise Enough

    def work(report: Callable[[float], None] = lambda share: None) -> Proposal:
        look = verdicts.every_so_often(end_when_enough)

        def told(share: float, words: str) -> None:
            report(share)
            look()

        return propose(assembly, teardown, options, told)

    return work


def _enough(asked: tuple[Any, ...]) -> str:
    """Where it is said that a run should come to an end; any process may say so."""
    return f"enough-{sha256(repr(asked).encode()).hexdigest()}"


def so_far(
    sent: Sent, teardown: core.Teardown, assembly: Assembly, enough: bool = False
) -> tuple[Proposal | None, float]:
    """What is proposed, None while it is being worked out, and the share that is done.

    ``enough`` has it end soon, with what was found.
    """
    options = options_sent(sent)
    asked = _asked(sent, options)
    if enough:
        cache.set(_enough(asked), True)
    return verdicts.under_way(asked, assembly.key, teardown, _work(assembly, teardown, options, asked))
