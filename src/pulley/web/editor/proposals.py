"""Proposals that are worked out, known by what was asked for."""

from collections.abc import Callable
from typing import Any

from pulley.core import teardown as core
from pulley.core.assembly import Assembly
from pulley.core.planning.peeling import Enough
from pulley.core.planning.proposal import Options, Proposal, propose
from pulley.core.quantities import parse_length
from pulley.web.editor import verdicts
from pulley.web.editor.changes.sent import Sent, paths_sent, unit_sent, whole

_enough: set[Any] = set()  # what is being worked out and should come to an end


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


def proposal(sent: Sent, teardown: core.Teardown, assembly: Assembly) -> Proposal:
    """The proposal that was shown for what the page sends; worked out anew where it is not known any more."""
    options = options_sent(sent)
    return verdicts.aside(("proposal", options), assembly, teardown, _work(assembly, teardown, options))


def _work(assembly: Assembly, teardown: core.Teardown, options: Options) -> Callable[..., Proposal]:
    def work(report: Callable[[float], None] = lambda share: None) -> Proposal:
        def told(share: float, words: str) -> None:
            report(share)
            if (assembly, options) in _enough:
                raise Enough

        try:
            return propose(assembly, teardown, options, told)
        finally:
            _enough.discard((assembly, options))

    return work


def so_far(
    sent: Sent, teardown: core.Teardown, assembly: Assembly, begin: bool = False, enough: bool = False
) -> tuple[Proposal | None, float]:
    """What is proposed, None while it is being worked out, and the share that is done.

    ``begin`` has it worked out anew; ``enough`` has it end soon, with what was found.
    """
    options = options_sent(sent)
    if begin:
        verdicts.forget(("proposal", options), assembly, teardown)
        _enough.discard((assembly, options))
    if enough:
        _enough.add((assembly, options))
    return verdicts.under_way(("proposal", options), assembly, teardown, _work(assembly, teardown, options))
